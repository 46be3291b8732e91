"""From readings by epoch to what is solved: every place where the frame stood is a body, all on one vehicle.

A move that leaves yaw and distance alone joins two epochs: what it left is observed as ``same``, as well as the frame's
profile says. What a reading depends on says in which epoch it counts. Source: ``state``.
"""

from collections.abc import Collection, Sequence

from escuadra.core.job.current import Current
from escuadra.core.job.disturbance import HAPPENINGS, POSE
from escuadra.core.job.entering import Entering
from escuadra.core.job.methods import METHODS
from escuadra.core.job.observed import ObservationId
from escuadra.core.job.places import TAPE_ASPECTS
from escuadra.core.job.slots import Slot
from escuadra.core.job.state import Disturbance, Entry
from escuadra.core.stance import CORNERS


def body_of(epoch: int) -> str:
    """The frame's name as it stood in an epoch."""
    return f"frame@{epoch}"


def leaves_yaw(move: Disturbance) -> bool:
    """A move that leaves the frame's yaw and distance alone."""
    return move.aspects & TAPE_ASPECTS == {"centre"}


def handles_target(move: Disturbance) -> bool:
    """A move of the target alone: the frame stands where it stood."""
    known = HAPPENINGS.get(move.what)
    return known is not None and known.side == "target"


def unframed(current: Current, only: str = "") -> Entering:
    """Hubs, and what is read without the frame: by every method, or by ``only`` one."""
    into = Entering(current)
    _enter_vehicle(into)
    _enter_methods(current, into, only)
    return into


def entered(
    current: Current, epochs: Sequence[int], joined: Collection[int] = (), now: bool = True, only: str = ""
) -> Entering:
    """What was read in some epochs; ``joined``: those that begin with a move that leaves what it does not touch.

    ``now``: the vehicle is as it is now, else as it was in the last of them.
    """
    into = Entering(current)
    _enter_vehicle(into)
    read = set()
    for epoch in epochs:

        def entries(slot: Slot, epoch: int = epoch) -> Sequence[Entry]:
            if not slot.aspects & POSE:
                return current.current(slot) if now else current.within(slot, epochs[-1])
            return current.within(slot, epoch)

        into.stand(body_of(epoch), entries)
        before = len(into.observations)
        _enter_methods(current, into, only)
        for slot, hub, end, by_tool in current.tapes(epoch):
            for part in by_tool:
                into.reading(slot, part, "tape", "level_distance", from_=hub, to=into.on_frame(end))
        if any(into.sources[o.id].kind.of_frame for o in into.observations[before:]):
            read.add(epoch)
            into.read_from.add(into.body)
    needed = _needed(epochs, read, joined)
    into.bodies = [body_of(epoch) for epoch in needed]
    for epoch in needed:
        if epoch in joined and epoch - 1 in needed:
            _join(current, into, epoch, epoch in read)
    return into


def _needed(epochs: Sequence[int], read: Collection[int], joined: Collection[int]) -> list[int]:
    """Epochs in which the frame was read, and those that moves join to them: up to the last, or to one read later."""
    found: list[int] = []
    for epoch in epochs:
        if epoch in read or (epoch in joined and epoch - 1 in found):
            found.append(epoch)
    for epoch in reversed(epochs):
        links = epoch == epochs[-1] or (epoch + 1 in found and epoch + 1 in joined)
        if epoch in found and epoch not in read and not links:
            found.remove(epoch)
    return found


def _enter_vehicle(into: Entering) -> None:
    vehicle = into.plan.vehicle
    for corner in CORNERS:
        into.known(corner, "hub", corner, vehicle.hub(corner), (vehicle.u_hub_mm, vehicle.u_hub_mm))


def _enter_methods(current: Current, into: Entering, only: str) -> None:
    for method in METHODS.values():
        if only in ("", method.id) and not current.begun.isdisjoint(method.prefixes):
            method.enter(into)


def _join(current: Current, into: Entering, epoch: int, read: bool) -> None:
    """What the move that began an epoch left as it was; the place along the beam only where it was looked at since."""
    frame, move = into.plan.frame, current.boundaries[epoch - 1]
    ends = {"from_": body_of(epoch - 1), "to": body_of(epoch)}
    into.put(ObservationId("carried_yaw", str(epoch)), "same", 0.0, frame.u_kept_deg, what="yaw", **ends)
    into.put(ObservationId("carried_distance", str(epoch)), "same", 0.0, frame.u_kept_mm, what="normal", **ends)
    if read and handles_target(move):
        into.put(ObservationId("carried_along", str(epoch)), "same", 0.0, frame.u_handled_mm, what="sideways", **ends)
