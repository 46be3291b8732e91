"""Bodies that stand together: where all of them are by what was read, and which of it is to blame where that disagrees.

They are bodies of one state with the vehicle: what is read from a hub, from the car's side or from one board to another
tells of both. Source: ``state``; vehicle axes, millimetres and degrees.
"""

import math
from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from escuadra.core.base.corners import REAR, Corner, aside
from escuadra.core.base.said import said
from escuadra.core.geodesy.state.input import Body, Coordinate, WantedHeight
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.procedure.bodies import BodyPoint, BodyReading
from escuadra.core.visit.body_readings import Goal, body_reads, control_at, goals, wanted_of
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.floor_marks import controls_of
from escuadra.core.visit.methods.beams import half_toe
from escuadra.core.visit.network_of_epochs import on_vehicle
from escuadra.core.visit.slots import Slot, measured_by_tool
from escuadra.core.visit.solution.network_builder import PARALLAX, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.core.visit.target_on_stand import U_LEVEL_MM

HELD = 3
"""Readings that hold a body in plan."""
U_MARKED_MM = 1.5
"""Of a mark on a line, square to a hub, one sigma."""
U_BUMPER_MM = 4.0
"""Of the bumper where a tape meets it, one sigma; the car's side is as symmetrical as its other parts."""


@dataclass(frozen=True)
class Stood:
    """Where a body is against where it must be: mm ahead along the line, mm left of it, degrees turned to the left."""

    forward: Derived
    left: Derived
    turned: Derived


@dataclass(frozen=True)
class Together:
    """All bodies of a station as their readings have them."""

    solution: EpochSolution
    suspects: Mapping[str, str]
    """Slots that may be to blame where the readings contradict each other, each with the body that it is read of."""
    links: frozenset[frozenset[str]] = frozenset()
    """Bodies between which something was read: each two of them."""
    hubs: tuple[Corner, ...] = ()
    """Where all of them were read again and read the same: hubs of which any alone may stand elsewhere."""

    @property
    def trusted(self) -> bool:
        """The readings agree."""
        return self.solution.trusted

    def doubts(self, goal: Goal) -> bool:
        """The readings contradict each other, and one of this body, or of one it was read with, is to blame."""
        reached = set(self._counted)
        while more := {body for two in self.links if two & reached for body in two} - reached:
            reached |= more
        return not self.trusted and (goal.body.id in reached or not reached)

    @property
    def worst(self) -> str:
        """The body of which most readings may be to blame; empty where none may."""
        return next((body for body, _ in self._counted.most_common(1)), "")

    @property
    def _counted(self) -> Counter[str]:
        return Counter(self.suspects.values())

    def stood(self, goal: Goal) -> Stood | None:
        """Where a body is; nothing where its readings do not tell."""
        body = goal.body
        if body.id not in dict(self.solution.entered.others) or self.solution.line is None:
            return None
        found = self.solution.stands(body.id, f"{body.id}:bottom_middle")
        if found is None:
            return None
        ahead, left, yaw = found
        turn = (yaw.value - body.facing_deg) % 360.0 - 180.0
        return Stood(
            self.solution.sum(-body.x, (1.0, ahead)),
            self.solution.sum(-body.y, (1.0, left)),
            Derived(turn, yaw.u, yaw.gradient),
        )

    def height(self, goal: Goal, above_floor: bool) -> Derived | None:
        """How much too high its lower edge is, over the floor below it or the plane of the tyres; nothing unread."""
        id = goal.body.id
        if "z" in dict(self.solution.entered.others)[id].fixed:
            return None
        floor = f"under {id}" if above_floor else None
        wanted = WantedHeight(id="height", type="height", point=f"{id}:bottom_middle", floor=floor)
        found = self.solution.located.asked([wanted])[0]
        return self.solution.sum(-goal.body.bottom, (1.0, found)) if found is not None else None


def together(epochs: Epochs) -> Together | None:
    """All bodies that were read; nothing while none was, or no line is known."""
    return epochs.once(_together)


def _together(epochs: Epochs) -> Together | None:
    found = without(epochs, ())
    if found is None or found.trusted or not epochs.confirmed(found.solution):
        return found
    # All that may be wrong was read again and reads the same: the vehicle is not as the model has it.
    singly = [corners for corners in found.solution.hubs_to_loosen if len(corners) == 1]
    loosened = {corner: without(epochs, (), (corner,)) for (corner,) in singly}
    fitting = {corner: one for corner, one in loosened.items() if one is not None and one.trusted}
    if len(fitting) == 1:
        return next(iter(fitting.values()))
    # Where one hub explains it as well as another, what is counted from them would hang on a guess.
    return replace(found, hubs=tuple(sorted(fitting)))


def without(epochs: Epochs, left_out: Collection[str], unlike: Collection[str] = ()) -> Together | None:
    """The same where some slots were not read; ``unlike``: hubs that stand elsewhere than the model has them."""
    read = {
        goal.body.id: [
            (read, slot)
            for read, slot in body_reads(epochs, goal.body.id)
            if slot.id not in left_out and epochs.current(slot)
        ]
        for goal in goals(epochs).values()
    }
    # A body that its readings do not hold yet would lie anywhere: it joins the others once they can.
    read = {id: found for id, found in read.items() if sum(_holds(goals(epochs)[id], one) for one, _ in found) >= HELD}
    if not read:
        return None
    into = on_vehicle(epochs, unlike)
    for id, found in read.items():
        _stand(into, goals(epochs)[id], [one for one, _ in found])
    for id, found in read.items():
        for one, slot in found:
            _enter(epochs, into, goals(epochs)[id], one, slot)
    _enter_beams(epochs, into, read)
    entered = into.done()
    located = epochs.solving(entered.state(epochs.plan.nominal_goal))
    if located is None:
        return None
    solution = EpochSolution(epochs.plan, located, entered, "", 0)
    of = {slot.id: id for id, found in read.items() for _, slot in found}
    suspects = {id.place: of[id.place] for id in solution.suspects if id.source == "together"}
    between = ((id, one.other) for id, found in read.items() for one, _ in found if one.other and one.other != id)
    return Together(solution, suspects, frozenset(map(frozenset, between)))


def _holds(goal: Goal, read: BodyReading) -> bool:
    """It tells of where the body stands in plan: not of its height or lean, nor of its own shape."""
    return read.anchor not in ("floor", "level") and not read.height and read.other != goal.body.id


def _stand(into: Entering, goal: Goal, read: list[BodyReading]) -> None:
    """A body as it may stand: upright and at its height as far as nothing was read of that."""
    body, by = goal.body, {one.to for one in read}
    fixed: list[Coordinate] = [] if any(one.height or one.anchor == "floor" for one in read) else ["z"]
    fixed += ["roll_deg"] if not body.upright or "level.across" not in by else []
    fixed += ["pitch_deg"] if not body.upright or "level.along" not in by else []
    points: tuple[BodyPoint, ...] = ("bottom_left", "bottom_right", "top_left", "top_right", "bottom_middle")
    into.others[body.id] = Body(
        x=goal.x,
        y=goal.y,
        z=body.bottom,
        yaw_deg=goal.facing_deg - 180.0,
        roll_deg=0.0,
        pitch_deg=0.0,
        points=tuple((point, body.place(point)) for point in points),
        fixed=tuple(fixed),
    )


def _enter(epochs: Epochs, into: Entering, goal: Goal, read: BodyReading, slot: Slot) -> None:
    own, vehicle = f"{goal.body.id}:{read.at}", epochs.plan.vehicle
    outline, kind = vehicle.outline, read.anchor
    if kind == "mark_at":
        if epochs.answer(slot) == "yes":
            id, beside = ObservationId("marked_line", goal.body.id), goal.body.place(read.at)[1]
            into.put(id, "along", beside, U_MARKED_MM, point=read.which, body=goal.body.id)
        return
    side = (said("together.source.side"), vehicle.marks.u_symmetry_mm)
    front = (said("together.source.bumper"), U_BUMPER_MM)
    nose = vehicle.wheelbase + outline.front_overhang
    level = U_LEVEL_MM if kind in ("hub", "mark") else 0.0
    for run in epochs.by_runs(epochs.current(slot)):
        for part in measured_by_tool(run, 0.0, level, epochs.state.warm):
            value = part.value
            match kind:
                case "hub" | "mark":
                    to = read.which if kind == "hub" else _mark(epochs, into, read.to)
                    into.reading(slot, part, "together", "level_distance", from_=to, to=own)
                case "bumper":
                    x = nose + value if read.which == "front" else -outline.rear_overhang - value
                    into.reading(slot, part, "together", "x", x, (front,), point=own)
                case "flank":
                    y = (value + outline.width / 2) * (1 if read.which == "left" else -1)
                    into.reading(slot, part, "together", "y", y, (side,), point=own)
                case "floor":
                    into.reading(slot, part, "together", "height", point=own, floor=f"under {goal.body.id}")
                case "level":
                    what = "roll" if read.which == "across" else "pitch"
                    into.reading(slot, part, "together", what, body=goal.body.id)
                case "square":
                    sign = math.copysign(1.0, goal.before(control_at(epochs, f"hub.{read.which}")))
                    into.reading(
                        slot, part, "together", "perpendicular", sign * value, point=read.which, body=goal.body.id
                    )
                case "out" | "back" if read.other in into.others:
                    line, (x, y, _) = goals(epochs)[read.other], goal.point(read.at)
                    out = read.anchor == "out"
                    sign = math.copysign(1.0, line.before((x, y)) if out else line.beside((x, y), read.point))
                    value = sign * value + (0.0 if out else line.body.place(read.point)[1])
                    sort = "perpendicular" if out else "along"
                    into.reading(slot, part, "together", sort, value, point=own, body=read.other)
                case "body" if read.other in into.others:
                    sort = "rise" if read.height else "distance"
                    into.reading(slot, part, "together", sort, from_=f"{read.other}:{read.point}", to=own)


def _mark(epochs: Epochs, into: Entering, mark: str) -> str:
    """A centre mark as a point of the state, where no method entered it."""
    if mark not in into.points:
        known = controls_of(epochs).get(mark)
        x, y = control_at(epochs, mark)
        into.known(mark, "control", mark, (x, y), ((known.u if known is not None else U_BUMPER_MM),) * 2)
    return mark


def _enter_beams(epochs: Epochs, into: Entering, read: Mapping[str, list[tuple[BodyReading, Slot]]]) -> None:
    """Both rear wheels' beams on one body's scale: the wheels' own toe is in their difference."""
    for id, found in read.items():
        beams = {one.which: slot for one, slot in found if one.anchor == "beam"}
        if len(beams) < 2:
            continue
        goal, now = goals(epochs)[id], {corner: epochs.now(slot) for corner, slot in beams.items()}
        headings = []
        for corner in REAR:
            (x, _), part = epochs.plan.vehicle.hub(corner), now[corner]
            shown = part.value - wanted_of(epochs, goal, BodyReading(to=f"beam.{corner}")) if part is not None else 0.0
            # Behind the vehicle its left is at the right of who looks at the face.
            to_left = shown * math.cos(math.radians(goal.facing_deg - 180.0))
            headings.append(math.degrees(math.atan(to_left / (goal.x - x))))
        half = half_toe(*headings)
        for wheel, slot in beams.items():
            toe = -aside(wheel) * half
            for part in into.read(slot):
                into.reading(
                    slot, part, "together", "ruler", beside=PARALLAX, wheel=wheel, body=id, toe_deg=round(toe, 6)
                )


@dataclass(frozen=True)
class Fold:
    """A mat's corner that does not fit the others, and how far it is from where they say that it lies, mm."""

    point: BodyPoint
    slots: tuple[str, ...]


def folded(epochs: Epochs, goal: Goal) -> Fold | None:
    """The one corner whose readings contradict all others; nothing where no single corner explains it."""
    return epochs.once(_folded, goal.body.id)


def _folded(epochs: Epochs, body: str) -> Fold | None:
    goal, found = goals(epochs)[body], together(epochs)
    if goal.body.kind != "mat" or found is None or not found.doubts(goal):
        return None
    corners: list[Fold] = []
    reads = body_reads(epochs, goal.body.id)
    for point in ("bottom_left", "bottom_right", "top_left", "top_right"):
        of = tuple(
            slot.id for read, slot in reads if point in (read.at, read.point if read.other == goal.body.id else "")
        )
        rest = without(epochs, of)
        if len(of) > 1 and rest is not None and rest.trusted and rest.stood(goal) is not None:
            corners.append(Fold(point, of))
    if len(corners) != 1 or all(epochs.as_before(slot) for slot in corners[0].slots):
        # What was smoothed and reads as it did was no fold.
        return None
    return corners[0]


observed_as(Kind("together", again=True))
observed_as(Kind("marked_line"))
