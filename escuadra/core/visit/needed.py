"""Which of the vehicle's sensors are to be calibrated on this visit, why, and in which order."""

from collections.abc import Collection
from dataclasses import dataclass

from escuadra.core.base.said import Name, Noun, Said, Text, said
from escuadra.core.procedure.fitted import CarriedSensor
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.vehicle.scope import Reason, ScopeInput, in_order, reasons, required
from escuadra.core.visit.log.whole import WorkTold

NOTHING_TOLD = WorkTold()


@dataclass(frozen=True)
class Scoped:
    """A sensor of the vehicle; no reason: what was done does not affect it."""

    sensor: CarriedSensor
    because: tuple[Reason, ...]

    @property
    def needed(self) -> bool:
        """It is to be calibrated."""
        return bool(self.because)


def scoped(vehicle: VehicleModel, work: WorkTold | None) -> list[Scoped]:
    """Every sensor that is fitted: those to be calibrated first, in their order, then the others.

    Raises ``BadInput`` for a code or a wish that names a sensor which the model does not carry.
    """
    work = work or NOTHING_TOLD
    fitted = [sensor.fitted for sensor in vehicle.sensors]
    given = ScopeInput.read({"sensors": fitted, "done": work.done, "codes": work.codes, "rules": vehicle.rules})
    found = reasons(given)
    for asked in work.asked:
        # Read as a code is: it must name a sensor that is fitted.
        ScopeInput.read({"sensors": fitted, "codes": [{"code": asked.why, "sensor": asked.sensor}]})
        found[asked.sensor].add(Reason(kind=asked.why))
    whole = required(fitted, found)
    carried = {sensor.id: sensor for sensor in vehicle.sensors}
    order = in_order([sensor for sensor in fitted if whole[sensor.id]])
    order += [sensor for sensor in fitted if not whole[sensor.id]]
    return [Scoped(carried[one.id], tuple(sorted(whole[one.id], key=lambda reason: reason.text))) for one in order]


def too_early(vehicle: VehicleModel, sensors: Collection[str], before: Collection[str]) -> list[CarriedSensor]:
    """Sensors that would have to be calibrated before these, and that are not among those before them."""
    wanted = dict.fromkeys(id for one in sensors for id in vehicle.sensor(one).after)
    return [vehicle.sensor(id) for id in wanted if id not in before and id not in sensors]


def part_name(vehicle: VehicleModel, id: str) -> Text:
    """A part as it is called: by the model, by its sensors, or by our own words."""
    own = next((part.name for part in vehicle.parts if part.id == id), None)
    own = own or next((sensor.name for sensor in vehicle.sensors if sensor.id == id), None)
    return said("as_is", text=Name(own)) if own is not None else Noun(f"part.{id}")


def reason_words(vehicle: VehicleModel, reason: Reason, complaint: str = "") -> Said:
    """Why, in a few words; a rule of the maker's with what it says."""
    match reason.kind:
        case "done":
            return said("because.done", part=part_name(vehicle, reason.what), act=Noun(f"act.{reason.act}"))
        case "rule":
            rule = next(rule for rule in vehicle.rules if rule.id == reason.what)
            return said("because.rule", id=rule.id, why=rule.why)
        case "required":
            return said("because.required", sensor=part_name(vehicle, reason.what))
        case "code":
            return said("because.code", code=reason.what)
        case "precaution":
            return said("because.precaution")
    return said("because.complaint", complaint=complaint)
