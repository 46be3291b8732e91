"""What must be calibrated after what was done, and why: a page for customer or insurer, and the same as data."""

from typing import Any

from escuadra.commands.forms import Whole
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.log.whole import WorkTold
from escuadra.core.visit.needed import part_name, reason_words, scoped
from escuadra.reports.paper import printed
from escuadra.words import say

FORMAT = "escuadra-scope/1"


def scope_data(whole: Whole, model: VehicleModel) -> dict[str, Any]:
    """What was done, every sensor with its reasons (codes) and what they say, in the language that is spoken now."""
    work = whole.state.work or WorkTold()
    sensors = scoped(model, work)
    return {
        "format": FORMAT,
        "visit": {"number": whole.job.number, "vin": whole.job.vin, "plate": whole.job.plate},
        "vehicle": {"id": model.id, "revision": model.revision, "name": model.name, "variant": model.variant},
        "told": work.model_dump(mode="json"),
        "sensors": [
            {
                "id": one.sensor.id,
                "name": say(part_name(model, one.sensor.id)),
                "needed": one.needed,
                "because": [
                    {**reason.model_dump(mode="json"), "words": say(reason_words(model, reason, work.complaint))}
                    for reason in one.because
                ],
                "how": one.sensor.how,
                "depends_on": one.sensor.depends_on,
                "days": one.sensor.days,
                "sheets": one.sensor.sheets,
                "minutes": one.sensor.minutes,
                "drive_minutes": one.sensor.drive_minutes,
            }
            for one in sensors
        ],
        "minutes": sum(one.sensor.minutes for one in sensors if one.needed),
        "drive_minutes": sum(one.sensor.drive_minutes for one in sensors if one.needed),
    }


def scope_pdf(whole: Whole, model: VehicleModel, garage: str, day: str) -> bytes:
    """The page."""
    work = whole.state.work or WorkTold()
    sensors = scoped(model, work)
    return printed(
        "scope.html",
        job=whole.job,
        model=model,
        work=work,
        sensors=sensors,
        part_name=lambda id: part_name(model, id),
        because=lambda reason: reason_words(model, reason, work.complaint),
        minutes=sum(one.sensor.minutes for one in sensors if one.needed),
        drive_minutes=sum(one.sensor.drive_minutes for one in sensors if one.needed),
        garage=garage,
        day=day,
    )
