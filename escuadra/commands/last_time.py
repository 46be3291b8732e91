"""Where the frame stood last time by the same sheet: from there it is brought near its place, and then proved anew."""

from collections.abc import Mapping
from dataclasses import dataclass

from escuadra.commands.forms import Opened, Unreadable
from escuadra.commands.house import House
from escuadra.core.visit.log.disturbances import POSE
from escuadra.core.visit.log.events import ReadingTaken

PLACES = POSE | {"height"}
"""What the readings depend on that tell where a frame stands and how high."""


@dataclass(frozen=True)
class LastTime:
    """The newest signed calibration by the same sheet and with the same frame, and what was read last at each place."""

    number: str
    at: int
    read: Mapping[str, float]


def last_time(garage: House, opened: Opened) -> LastTime | None:
    """Where the frame stood last time; nothing where it never did, or where it is being read already."""
    plan = opened.sheet.plan
    slots = [view.slot for view in opened.sheet.slots.values() if view.slot.aspects & PLACES]
    asked = [slot.id for slot in slots if slot.ask == "number"]
    if any(opened.state.live(slot) for slot in asked):
        return None
    with garage.store.reading() as log:
        found = log.signed_last(plan.procedure.id, plan.frame.id, but=opened.row.id)
        if found is None:
            return None
        row, calibration = found
        before = garage.opened(log, row, calibration)
    if isinstance(before, Unreadable):
        return None
    state = before.state
    newest = {slot: live[-1] for slot in asked if (live := state.live(slot))}
    read = {slot: entry.value for slot, entry in newest.items() if isinstance(entry.said, ReadingTaken)}
    return LastTime(row.number, max(entry.at for entry in newest.values()), read) if read else None
