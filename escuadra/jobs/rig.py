"""What a camera rig sees, taken as readings: all of a look or nothing."""

from escuadra.core.errors import BadInput, Conflict
from escuadra.core.job.methods import METHODS
from escuadra.core.wording import rounded
from escuadra.devices import CameraRig
from escuadra.jobs.forms import Opened
from escuadra.jobs.garage import Garage


def take_look(garage: Garage, job: str, rig: CameraRig, person: str, key: str) -> Opened:
    """Record everything that the rig sees now, replacing what it saw in the same set-up.

    Raises ``Conflict`` while it moves, ``ConnectionError`` where it does not answer.
    """
    look = rig.look(garage.clock())
    if not look.steady:
        raise Conflict("The rig's picture still moves: wait until it stands still. Nothing was taken.")
    opened = garage.open(job)
    plan = opened.sheet.plan
    for slot in METHODS["rig"].slots(plan):
        if slot.optional:
            continue
        seen, quantity = look.readings.get(slot.id), slot.quantity
        if seen is None or quantity is None or not quantity.low <= seen <= quantity.high:
            given = f"{slot.label}: {'nothing' if seen is None else rounded(seen, 1) + ' mm'}"
            raise BadInput("look", given, "a frame within the rig's sight: move it nearer its place first")
    for slot in METHODS["rig"].slots(plan):
        seen = look.readings.get(slot.id)
        if slot.optional or seen is None:
            continue
        word = "" if slot.words is None else slot.words[0 if seen >= 0 else 1]
        typed = f"{abs(seen) if slot.words else seen:.1f}"
        replaces = bool(opened.sheet.setup.current(slot))
        garage.record(
            job, slot.id, typed, rig.tool, person, f"{key}-{slot.id}", word, replaces, understood=f"{typed} mm"
        )
    return garage.open(job)
