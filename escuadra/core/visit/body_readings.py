"""What is read of bodies that stand together: where each must be, how it is set out, and each reading of it.

A body's place is counted along the line in use from the rear hubs as they were found, and left of it. What the sheet
wants read comes first; what tells apart readings that contradict each other may be read beside. Source:
``stakeout`` for floor marks; vehicle axes, millimetres and degrees.
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from escuadra.core.base.axes import turned
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Name, Noun, Said, said
from escuadra.core.base.wording import amount
from escuadra.core.bay.ground import Amount
from escuadra.core.procedure.bodies import BodyPoint, BodyReading, StandingBody
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.floor_marks import CENTRE_MARKS, HUBS, control_name, controls_of, set_out
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Measured, ReadAt, Slot

CORNERS_BELOW: tuple[BodyPoint, ...] = ("bottom_left", "bottom_right")
SET = frozenset(f"together.{n}" for n in range(1, 10))
"""Of each body's place, by its number."""
SET_OUT = {"panel": "set_out", "board": "set_out", "mat": "lay", "line": "stretch"}
"""How a body comes to its place."""
STEPS = (0.0, 0.25, 0.5, 0.75, 1.0)
"""Where the floor under a mat is looked at, as parts of its width and of its depth."""
MOST_LEAN_DEG, MOST_ASIDE_MM = 8.0, 900.0


@dataclass(frozen=True)
class Goal:
    """Where a body must be: the middle of its lower edge in plan, and where its face looks."""

    body: StandingBody
    number: int
    x: float
    y: float
    facing_deg: float

    def point(self, point: BodyPoint) -> tuple[float, float, float]:
        """Where one of its points must be, above the floor below it."""
        behind, left, up = self.body.place(point)
        dx, dy = turned(self.facing_deg - 180.0, behind, left)
        return self.x + dx, self.y + dy, self.body.bottom + up

    def before(self, at: tuple[float, float]) -> float:
        """How far a place in plan lies before its face, square to it."""
        return turned(180.0 - self.facing_deg, self.x - at[0], self.y - at[1])[0]

    def beside(self, at: tuple[float, float], point: BodyPoint) -> float:
        """How far a place in plan lies to the left of one of its points, along its face."""
        return turned(180.0 - self.facing_deg, at[0] - self.x, at[1] - self.y)[1] - self.body.place(point)[1]


def bodies_of(plan: Plan) -> list[StandingBody]:
    """What stands together at the station at hand."""
    return plan.station.bodies if plan.station is not None else []


def goals(epochs: Epochs) -> dict[str, Goal]:
    """Where each must be: by the line in use, or by the vehicle's own axis while none is known."""
    return epochs.once(_goals)


def _goals(epochs: Epochs) -> dict[str, Goal]:
    solution, found = epochs.lines, {}
    known = solution is not None and solution.line is not None and solution.tells_line
    for number, one in enumerate(bodies_of(epochs.plan), 1):
        x, y, angle = one.x, one.y, 0.0
        if known and solution is not None:
            angle = solution.derived("line_angle").value
            dx, dy = turned(angle, 0.0, one.y)
            x, y = one.x + dx, solution.line_at(one.x).value + dy
        found[one.id] = Goal(one, number, x, y, one.facing_deg + angle)
    return found


def aspects_of(plan: Plan, body: StandingBody, read: BodyReading) -> frozenset[str]:
    """What a reading of a body depends on: where that stands, and what it is read to."""
    numbers = {one.id: n for n, one in enumerate(bodies_of(plan), 1)}
    own = {f"together.{numbers[body.id]}"}
    match read.anchor:
        case "body" | "out" | "back":
            own.add(f"together.{numbers[read.other]}")
        case "hub" | "beam" | "bumper" | "flank" | "square" | "mark_at":
            own.add("hubs")
        case "mark":
            own |= {"line", f"mark_{read.which}"}
    return frozenset(own)


def slot_id(plan: Plan, body: StandingBody, read: BodyReading) -> str:
    """Of a reading of a body."""
    assert plan.station is not None
    kind = "rise" if read.height else "read"
    return f"together.{plan.station.id}.{body.id}.{kind}.{read.at}.{read.to.replace('.', '_')}"


def floor_under(epochs: Epochs, goal: Goal) -> Amount | None:
    """Flatness of the floor under what lies on it, by the survey of where the vehicle stands; nothing off that."""
    standing, body = epochs.plan.standing, goal.body
    if standing is None or body.upright:
        return None
    turn = goal.facing_deg - 180.0
    grid = [(back * body.height, side * body.width) for back in STEPS for side in (s - 0.5 for s in STEPS)]
    places = np.array([(goal.x + dx, goal.y + dy) for dx, dy in (turned(turn, *one) for one in grid)])
    try:
        return standing.flatness_over(places)
    except BadInput:
        return None


def set_out_slot(epochs: Epochs, goal: Goal) -> Slot:
    """That a body was carried to its floor mark, with the lengths by which that is found."""
    plan, body = epochs.plan, goal.body
    assert plan.station is not None
    hint = said("together.lay.hint") if body.kind == "mat" else said("together.set_out.no_mark")
    if body.over:
        hint = said("together.lay.over", other=Name(goals(epochs)[body.over].body.name))
    if body.kind == "line":
        hint = said("together.stretch.hint", out=amount(abs(body.y), "mm", 0))
    if body.upright:
        hint = set_out(epochs, (goal.x, goal.y)) or hint
    return Slot(
        id=f"together.{plan.station.id}.{body.id}.set",
        label=said(f"together.{SET_OUT[body.kind]}", body=Name(body.name)),
        ask="tick",
        aspects=frozenset({f"together.{goal.number}"}),
        hint=hint,
    )


def body_reads(epochs: Epochs, body: str) -> list[tuple[BodyReading, Slot]]:
    """What is read of a body, once it stands on its mark, each with where it is entered.

    What the sheet wants read, then what was read beside to tell apart what contradicted each other.
    """
    goal = goals(epochs)[body]
    beside = [(read, slot) for read, slot in reads_beside(epochs, goal) if slot.id in epochs.state.entries]
    return [(read, _slot(epochs, goal, read)) for read in goal.body.reads] + beside


def reads_beside(epochs: Epochs, goal: Goal) -> list[tuple[BodyReading, Slot]]:
    """What more there is to read of a body than its sheet wants, the shortest first."""
    found = [(read, replace(_slot(epochs, goal, read), optional=True)) for read in beside_of(goal.body)]
    return sorted(found, key=lambda one: one[1].wanted or 0.0)


def beside_of(body: StandingBody) -> list[BodyReading]:
    """Tapes from the lower corners of what stands or lies there to the hubs, and heights, that its sheet has not."""
    if body.kind == "line":
        return []
    every = [BodyReading(at=at, to=f"hub.{hub}") for at in CORNERS_BELOW for hub in CORNERS]
    if body.upright:
        every += [BodyReading(at=at, to="floor") for at in (*CORNERS_BELOW, "bottom_middle")]
    return [read for read in every if read not in body.reads]


def body_slots(epochs: Epochs, body: str) -> list[Slot]:
    """Where that is entered."""
    return [slot for _, slot in body_reads(epochs, body)]


def _slot(epochs: Epochs, goal: Goal, read: BodyReading) -> Slot:
    if read.anchor == "mark_at":
        return Slot(
            id=slot_id(epochs.plan, goal.body, read),
            label=said("together.to.mark_at", body=Name(goal.body.name), corner=Noun(f"corner.{read.which}")),
            ask="tick",
            aspects=aspects_of(epochs.plan, goal.body, read),
            hint=said("together.hint.mark_at"),
        )
    wanted, angle = wanted_of(epochs, goal, read), read.anchor == "level"
    signed = read.height or angle or read.anchor == "beam"
    reads = {"level": "level", "floor": "height", "beam": "scale"}.get(read.anchor, "height" if read.height else "tape")
    most = MOST_LEAN_DEG if angle else MOST_ASIDE_MM
    low, high = (wanted - most, wanted + most) if signed else (max(0.0, 0.5 * wanted - 30), 1.5 * wanted + 60)
    ways = {"level.across": "target_roll", "level.along": "target_tilt"}
    way = "too_high" if read.height else ways.get(read.to, "side" if signed else None)
    point = Noun(f"together.point.{'flat' if not goal.body.upright else 'upright'}.{read.at}")
    return Slot(
        id=slot_id(epochs.plan, goal.body, read),
        label=_label(epochs, goal, read, point),
        quantity=Quantity(dimension="angle" if angle else "length", unit="°" if angle else "mm", low=low, high=high),
        aspects=aspects_of(epochs.plan, goal.body, read),
        reads=reads,
        way=way,
        hint=said(f"together.hint.{'rise' if read.height else read.anchor}"),
        at=ReadAt(said("stands.body", body=Name(goal.body.name)), goal.x, goal.y),
        wanted=None if angle else round(wanted, 1),
    )


def _label(epochs: Epochs, goal: Goal, read: BodyReading, point: Noun) -> Said:
    own = Name(goal.body.name)
    match read.anchor:
        case "square":
            return said("together.to.square", body=own, to=control_name(f"hub.{read.which}"))
        case "out" | "back":
            line = Name(goals(epochs)[read.other].body.name)
            return said(f"together.to.{read.anchor}", body=own, point=point, line=line)
        case "hub" | "mark":
            return said("together.to.control", body=own, point=point, to=control_name(read.to))
        case "body":
            other = goals(epochs)[read.other].body
            flat = "upright" if other.upright else "flat"
            code = "rise" if read.height else "own" if read.other == goal.body.id else "body"
            there = Noun(f"together.point.{flat}.{read.point}")
            return said(f"together.to.{code}", body=own, point=point, other=Name(other.name), there=there)
        case "beam":
            return said("together.to.beam", body=own, corner=Noun(f"corner.{read.which}"))
        case "floor":
            return said("together.to.floor", body=own, point=point)
    return said(f"together.to.{read.anchor}.{read.which}", body=own, point=point)


def wanted_of(epochs: Epochs, goal: Goal, read: BodyReading) -> float:
    """What a reading shows where every body stands as it should."""
    plan, (x, y, z) = epochs.plan, goal.point(read.at)
    outline, to = plan.vehicle.outline, read.which
    match read.anchor:
        case "hub" | "mark":
            at = control_at(epochs, read.to)
            return math.hypot(x - at[0], y - at[1])
        case "bumper":
            nose = plan.vehicle.wheelbase + outline.front_overhang
            return x - nose if to == "front" else -outline.rear_overhang - x
        case "flank":
            return (y if to == "left" else -y) - outline.width / 2
        case "floor":
            return z
        case "level":
            return 0.0
        case "beam":
            # It leaves the hub along the line, and the face stands square to that.
            return goal.beside(plan.vehicle.hub(to), "bottom_middle")  # type: ignore[arg-type]
        case "square":
            return abs(goal.before(control_at(epochs, f"hub.{to}")))
        case "out" | "back":
            line = goals(epochs)[read.other]
            return abs(line.before((x, y)) if read.anchor == "out" else line.beside((x, y), read.point))
    ox, oy, oz = goals(epochs)[read.other].point(read.point)
    return z - oz if read.height else math.dist((x, y, z), (ox, oy, oz))


def control_at(epochs: Epochs, control: str) -> tuple[float, float]:
    solution = epochs.lines
    if control in HUBS:
        corner = HUBS[control]
        found: tuple[float, float] = solution.place(corner) if solution else epochs.plan.vehicle.hub(corner)
        return found
    marks = epochs.plan.vehicle.marks
    known = controls_of(epochs).get(control)
    return (
        (known.x, known.y)
        if known is not None
        else (marks.front_x if CENTRE_MARKS[control] == "front" else marks.rear_x, 0.0)
    )


def read_line(epochs: Epochs, slot: str) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """A reading of a body as a line in plan, from what it is read to, to the body; nothing for another slot."""
    found = read_of(epochs, slot)
    if found is None:
        return None
    goal, read = found
    x, y, _ = goal.point(read.at)
    if read.anchor in ("out", "back"):
        line = goals(epochs)[read.other]
        dx, dy = turned(line.facing_deg, -line.before((x, y)), 0.0)
        foot = x + dx, y + dy
        return (foot, (x, y)) if read.anchor == "out" else (line.point(read.point)[:2], foot)
    return _from(epochs, read, x, y), (x, y)


def read_of(epochs: Epochs, slot: str) -> tuple[Goal, BodyReading] | None:
    """Which body a slot is read of, and what is read; nothing for another slot."""
    plan = epochs.plan
    own = ((goal, read) for goal in goals(epochs).values() for read in (*goal.body.reads, *beside_of(goal.body)))
    return next(((goal, read) for goal, read in own if slot_id(plan, goal.body, read) == slot), None)


def _from(epochs: Epochs, read: BodyReading, x: float, y: float) -> tuple[float, float]:
    vehicle = epochs.plan.vehicle
    match read.anchor:
        case "hub" | "mark":
            return control_at(epochs, read.to)
        case "beam":
            return vehicle.hub(read.which)  # type: ignore[arg-type]
        case "bumper":
            nose = vehicle.wheelbase + vehicle.outline.front_overhang
            return (nose if read.which == "front" else -vehicle.outline.rear_overhang), y
        case "flank":
            return x, math.copysign(vehicle.outline.width / 2, y)
        case "square" | "mark_at":
            return control_at(epochs, f"hub.{read.which}")
        case "body":
            ox, oy, _ = goals(epochs)[read.other].point(read.point)
            return ox, oy
    return x, y


def measured_lean(epochs: Epochs, goal: Goal) -> list[tuple[Slot, Measured]]:
    """What levels on a body show now."""
    pairs = body_reads(epochs, goal.body.id)
    return [(slot, now) for read, slot in pairs if read.anchor == "level" and (now := epochs.now(slot)) is not None]
