"""What a camera rig sees, taken as readings: all of a look or nothing."""

from escuadra.core.errors import BadInput, Conflict
from escuadra.core.job.disturbance import POSE
from escuadra.core.job.methods import METHODS
from escuadra.core.wording import rounded
from escuadra.devices import CameraRig, Look
from escuadra.jobs import entries, reading
from escuadra.jobs.forms import Opened
from escuadra.jobs.garage import Garage

SAME_MM = 2.0
"""Within this the rig sees the frame where it stood."""


def _moved(opened: Opened, look: Look) -> bool:
    """Something was read at the frame in this epoch, and the rig did not see it stand as it does now."""
    setup = opened.sheet.setup
    at_frame = [view.slot for view in opened.sheet.slots.values() if view.slot.aspects & POSE]
    read = [slot for slot in at_frame if setup.within(slot, setup.epoch)]
    before = [(slot, setup.now(slot)) for slot in read if slot.reads == "rig"]
    agreeing = [m for slot, m in before if m is not None and abs(m.value - look.readings[slot.id]) <= SAME_MM]
    return bool(read) and len(agreeing) < max(1, len(before))


def take_look(garage: Garage, job: str, rig: CameraRig, person: str, key: str) -> Opened:
    """Record everything that the rig sees now; where that is not what was seen before, the frame was rolled meanwhile.

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
    if _moved(opened, look):
        # Nobody told a move: where a run waits for its proof, the frame was bumped.
        what = "bump" if any(view.proof == "awaited" for view in opened.sheet.stations) else "roll"
        entries.happen(garage, job, what, person, f"{key}-roll", "seen by the camera rig")
        opened = garage.open(job)
    for slot in METHODS["rig"].slots(plan):
        seen = look.readings.get(slot.id)
        if slot.optional or seen is None:
            continue
        word = "" if slot.words is None else slot.words[0 if seen >= 0 else 1]
        typed = f"{abs(seen) if slot.words else seen:.1f}"
        replaces = bool(opened.sheet.setup.current(slot))
        reading.record(
            garage,
            job,
            slot.id,
            typed,
            rig.tool,
            person,
            f"{key}-{slot.id}",
            word,
            replaces,
            understood=f"{typed} mm",
            device=rig.serial,
        )
    return garage.open(job)
