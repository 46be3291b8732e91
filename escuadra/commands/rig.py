"""What a camera rig sees, taken as readings: all of a look or nothing."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from escuadra.commands.command import Context, Saying, VisitCommand, imagined
from escuadra.commands.entries import Happen
from escuadra.commands.forms import Opened
from escuadra.commands.reading import SIGNS, TakeReading
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Length, said
from escuadra.core.visit.log.disturbances import POSE
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.slots import Slot
from escuadra.devices import CameraRig, Look

SAME_MM = 2.0
"""Within this the rig sees the frame where it stood."""


def _moved(opened: Opened, look: Look) -> bool:
    """Something was read at the frame in this epoch, and the rig did not see it stand as it does now."""
    epochs = opened.sheet.epochs
    at_frame = [view.slot for view in opened.sheet.slots.values() if view.slot.aspects & POSE]
    read = [slot for slot in at_frame if epochs.within(slot, epochs.epoch)]
    before = [(slot, epochs.now(slot)) for slot in read if slot.reads == "rig"]
    agreeing = [m for slot, m in before if m is not None and abs(m.value - look.readings[slot.id]) <= SAME_MM]
    return bool(read) and len(agreeing) < max(1, len(before))


@dataclass(frozen=True)
class TakeLook(VisitCommand):
    """Everything that the rig sees now; where that is not what was seen before, the frame was rolled meanwhile.

    Refused with ``Conflict`` while it moves, ``ConnectionError`` where it does not answer.
    """

    rig: CameraRig

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """That the frame was moved, where nobody told it; then each reading."""
        look = self.rig.look(context.at)
        if not look.steady:
            raise Conflict(said("jobs.rig.rigs_picture_still_moves_wait"))
        slots = METHODS["rig"].slots(opened.sheet.plan)
        _within_sight(look, slots)
        told: list[Saying] = []
        if _moved(opened, look):
            # Nobody told a move: where a run waits for its proof, the frame was bumped.
            what = "bump" if any(view.proof == "awaited" for view in opened.sheet.stations) else "roll"
            told += Happen(self.visit, what, "seen").say(context, opened)
            opened = imagined(context, opened, told)
        for slot in slots:
            seen = look.readings.get(slot.id)
            if slot.optional or seen is None:
                continue
            told += self._reading(slot, seen, bool(opened.sheet.epochs.current(slot))).say(context, opened)
        return told

    def _reading(self, slot: Slot, seen: float, replaces: bool) -> TakeReading:
        word = "" if slot.way is None else SIGNS[seen < 0]
        typed = f"{abs(seen) if slot.way else seen:.1f}"
        tool, serial = self.rig.tool, self.rig.serial
        read = TakeReading(self.visit, slot.id, typed, tool, word, replaces, f"{typed} mm", device=serial)
        return replace(read, calibration=self.calibration)


def _within_sight(look: Look, slots: Sequence[Slot]) -> None:
    for slot in slots:
        if slot.optional:
            continue
        seen, quantity = look.readings.get(slot.id), slot.quantity
        if seen is None or quantity is None or not quantity.low <= seen <= quantity.high:
            shown = said("nothing") if seen is None else Length(seen, 1)
            given = said("jobs.rig.seen", place=slot.label, seen=shown)
            raise BadInput("look", given, said("wants.frame_within_rigs_sight_move"))
