"""From readings by epoch to what is solved: every place where the frame stood is a body, all on one vehicle.

A move that leaves yaw and distance alone joins two epochs: what it left is observed as ``same``, as well as the frame's
profile says. What a reading depends on says in which epoch it counts. Source: ``state``.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from itertools import pairwise

from escuadra.core.base.said import Noun, said
from escuadra.core.visit.log.disturbances import HAPPENINGS, MARKS, POSE
from escuadra.core.visit.log.state import Disturbance, Entry
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import SIDES, TAPE_ASPECTS, direct_slot, sensor_slot, wheelbase_slot
from escuadra.core.visit.readings import ReadingsByEpoch, Stay
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.network_builder import DATUM, MIDDLE, PARALLAX, SENSOR, TARGET, Entered, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as
from escuadra.core.visit.solution.upright import enter_upright, enter_vehicle

ENOUGH, JOINS = 3, 2
"""Readings that a place in plan takes, and how many of them a move stands for that leaves yaw and distance alone."""
U_ANYWHERE_MM, U_TURNED_DEG = 1000.0, 15.0
"""How far from where it should a frame may stand that was not read yet, one sigma."""


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


def unframed(readings: ReadingsByEpoch, only: str = "") -> Entered:
    """Hubs, and what is read without the frame: by every method, or by ``only`` one."""
    into = Entering(readings)
    enter_vehicle(into, framed=False)
    _enter_methods(readings, into, only)
    return into.done()


def on_vehicle(readings: ReadingsByEpoch, unlike: Collection[str] = ()) -> Entering:
    """The vehicle in space and its lines as they are now, for bodies that stand beside it without a frame.

    ``unlike``: hubs that stand elsewhere than the model has them.
    """
    into = Entering(readings)
    enter_vehicle(into, unlike=unlike)
    _enter_sides(into)
    _enter_methods(readings, into, "")
    return into


def entered(
    readings: ReadingsByEpoch,
    epochs: Sequence[int],
    joined: Collection[int] = (),
    now: bool = True,
    only: str = "",
    unlike: Collection[str] = (),
) -> Entered:
    """What was read in some epochs; ``joined``: those that begin with a move that leaves what it does not touch.

    ``now``: the vehicle is as it is now, else as it was in the last of them; ``unlike``: hubs that stand elsewhere.
    """
    into = Entering(readings)
    stays = [stay for epoch in epochs for stay in readings.stays(epoch)]

    def at(stay: Stay | None) -> Callable[[Slot], Sequence[Entry]]:
        def entries(slot: Slot) -> Sequence[Entry]:
            if stay is None or not slot.aspects & POSE:
                return readings.current(slot) if now else readings.within(slot, epochs[-1])
            since = max(stay.start, readings.last_spoiled(slot.aspects & MARKS))
            return [e for e in readings.within(slot, stay.epoch) if since < e.seq < stay.end]

        return entries

    into.entries = at(None)
    enter_vehicle(into, unlike=unlike)
    _enter_sides(into)
    _enter_sensor(into)
    read, counted = set(), dict[Stay, int]()
    for stay in stays:
        into.stand(stay.body, at(stay))
        before = len(into.observations)
        _enter_methods(readings, into, only)
        _enter_tapes(readings, into, stay)
        _enter_direct(into)
        counted[stay] = sum(into.sources[o.id].kind.of_frame for o in into.observations[before:])
        if counted[stay]:
            read.add(stay)
            into.read_from.add(stay.body)
    needed = _needed(stays, read, joined)
    into.bodies = [stay.body for stay in needed]
    enter_upright(readings, into, needed)
    _hold_in_plan(into, needed, counted, joined)
    for before_it, stay in pairwise(needed):
        _join(readings, into, (before_it, stay), joined, stay in read)
    return into.done()


def posture(readings: ReadingsByEpoch, epoch: int) -> Entered:
    """How the frame stands in an epoch, wherever that is: levels, heights, and where the target hangs on it."""
    into, stay = Entering(readings), readings.stays(epoch)[-1]
    enter_vehicle(into)
    into.stand(stay.body, readings.current)
    enter_upright(readings, into, [stay])
    return into.done()


def _hold_in_plan(into: Entering, stays: Sequence[Stay], counted: Mapping[Stay, int], joined: Collection[int]) -> None:
    """Where too little was read to say where the frame stands, about where it should: nothing else would tie it."""
    before: Stay | None = None
    for stay in stays:
        ties = counted[stay] + (JOINS if before is not None and _linked(before, stay, joined) else 0)
        before = stay
        if ties >= ENOUGH:
            continue
        goal, middle = into.plan.nominal_goal, f"{stay.body}:{MIDDLE}"
        for axis, about in (("x", goal.x), ("y", goal.y)):
            into.put(ObservationId("upright", f"{stay.body} {axis}"), axis, about, U_ANYWHERE_MM, point=middle)
        into.put(ObservationId("upright", f"{stay.body} yaw"), "yaw", goal.yaw_deg, U_TURNED_DEG, body=stay.body)


def _enter_tapes(readings: ReadingsByEpoch, into: Entering, stay: Stay) -> None:
    for slot, hub, end, entries in readings.tapes(stay.epoch):
        held = [e for e in entries if stay.start < e.seq < stay.end]
        for run in readings.by_runs(held):
            for part in readings.by_tool(slot.id, run):
                into.reading(slot, part, "tape", "distance", beside=PARALLAX, from_=hub, to=into.on_frame(end))


def _enter_sides(into: Entering) -> None:
    """Tapes along the vehicle's sides, from hub to hub."""
    for side in SIDES:
        slot = wheelbase_slot(side, into.plan)
        for part in into.read(slot):
            into.reading(slot, part, "hub_to_hub", "distance", beside=PARALLAX, from_=f"{side}R", to=f"{side}F")


def _enter_direct(into: Entering) -> None:
    if into.plan.procedure.distance_by == "direct":
        slot = direct_slot(into.plan)
        for part in into.read(slot):
            to, level = into.on_frame(TARGET), "level_distance"
            into.reading(slot, part, "direct", level, beside=PARALLAX, from_=DATUM, to=to)


def _enter_sensor(into: Entering) -> None:
    if into.plan.procedure.offset_from == "sensor":
        slot = sensor_slot(into.plan)
        for part in into.read(slot):
            into.reading(slot, part, "sensor", "y", point=SENSOR)


def _needed(stays: Sequence[Stay], read: Collection[Stay], joined: Collection[int]) -> list[Stay]:
    """Where the frame was read, and what moves join to that: up to the last, or to one that was read later."""
    found: list[Stay] = []
    for stay in stays:
        if stay in read or (found and _linked(found[-1], stay, joined)):
            found.append(stay)
    kept = {stay.epoch: stay for stay in found}
    for stay in reversed(found[:]):
        later = found[found.index(stay) + 1 :]
        links = bool(later) and _linked(stay, later[0], joined)
        last = stay == stays[-1] or (kept[stay.epoch] == stay and any(other.epoch == stay.epoch for other in read))
        if stay not in read and not links and not last:
            found.remove(stay)
    return found


def _linked(before: Stay, stay: Stay, joined: Collection[int]) -> bool:
    """One follows the other, and what began it left the frame's yaw and distance alone."""
    return before.end == stay.start and (before.epoch == stay.epoch or stay.epoch in joined)


def _enter_methods(readings: ReadingsByEpoch, into: Entering, only: str) -> None:
    for method in METHODS.values():
        if only in ("", method.id) and not readings.begun.isdisjoint(method.families):
            method.enter(into)


def _join(
    readings: ReadingsByEpoch, into: Entering, stays: tuple[Stay, Stay], joined: Collection[int], read: bool
) -> None:
    """What lay between two stays left as it was; the place along the beam only where it was looked at since."""
    before, stay = stays
    frame = into.plan.frame
    between = [past for past in readings.state.disturbances if before.start < past.seq <= stay.start]
    spoiled = frozenset().union(*(past.aspects for past in between))

    def same(source: str, what: str, u: float) -> None:
        into.put(ObservationId(source, stay.body), "same", 0.0, u, what=what, from_=before.body, to=stay.body)

    if _linked(before, stay, joined):
        same("carried_yaw", "yaw", frame.u_kept_deg)
        same("carried_distance", "normal", frame.u_kept_mm)
        if "centre" not in spoiled:
            same("carried_along", "sideways", frame.u_kept_mm)
        elif read and all(handles_target(past) for past in between):
            same("carried_along", "sideways", frame.u_handled_mm)
    if "level" not in spoiled:
        for way in ("roll", "pitch"):
            same(f"carried_{way}", way, frame.u_kept_deg)
    if "height" not in spoiled:
        same("carried_height", "up", frame.u_kept_mm)


observed_as(Kind("direct", of_frame=True, again=True))
observed_as(Kind("sensor", again=True))
for _axis in ("x", "y"):
    observed_as(Kind(f"part_{_axis}", lambda id: said("places.part_place", part=Noun(f"datum.{id.place}"))))
