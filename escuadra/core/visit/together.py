"""Bodies that stand together: where each must be, how it is set out, what is read of it, and where all of them are.

They are bodies of one state with the vehicle: what is read from a hub, from the car's side or from one board to another
tells of both. A body's place is counted along the line in use from the rear hubs as they were found, and left of it.
Source: ``state``; ``stakeout`` for floor marks; vehicle axes, millimetres and degrees.
"""

import math
from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np

from escuadra.core.base.axes import turned
from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Name, Noun, Said, said
from escuadra.core.base.wording import amount
from escuadra.core.bay.ground import Amount
from escuadra.core.geodesy.stakeout import StakedMark, StakeoutInput, StakePoint, stakeout
from escuadra.core.geodesy.state.input import Body, Coordinate, WantedHeight
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.procedure.bodies import BodyPoint, BodyReading, StandingBody
from escuadra.core.vehicle.stance import CORNERS, Corner
from escuadra.core.visit.epochs import Setup
from escuadra.core.visit.floor_marks import TAPE, control_name, controls_of
from escuadra.core.visit.methods.beams import half_toe
from escuadra.core.visit.network_of_epochs import on_vehicle
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Measured, Slot, measured_by_tool
from escuadra.core.visit.solution.network_builder import PARALLAX, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as
from escuadra.core.visit.solution.solution import Solved
from escuadra.core.visit.staked import U_LEVEL_MM

CORNERS_BELOW: tuple[BodyPoint, ...] = ("bottom_left", "bottom_right")
SET = frozenset(f"together.{n}" for n in range(1, 10))
"""Of each body's place, by its number."""
SET_OUT = {"panel": "set_out", "board": "set_out", "mat": "lay", "line": "stretch"}
"""How a body comes to its place."""
STEPS = (0.0, 0.25, 0.5, 0.75, 1.0)
"""Where the floor under a mat is looked at, as parts of its width and of its depth."""
HELD = 3
"""Readings that hold a body in plan."""
U_MARKED_MM = 1.5
"""Of a mark on a line, square to a hub, one sigma."""
U_BUMPER_MM = 4.0
"""Of the bumper where a tape meets it, one sigma; the car's side is as symmetrical as its other parts."""
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


def goals(setup: Setup) -> dict[str, Goal]:
    """Where each must be: by the line in use, or by the vehicle's own axis while none is known."""
    return setup.once(_goals)


def _goals(setup: Setup) -> dict[str, Goal]:
    solved, found = setup.lines, {}
    known = solved is not None and solved.line is not None and solved.tells_line
    for number, one in enumerate(bodies_of(setup.plan), 1):
        x, y, angle = one.x, one.y, 0.0
        if known and solved is not None:
            angle = solved.derived("line_angle").value
            dx, dy = turned(angle, 0.0, one.y)
            x, y = one.x + dx, solved.line_at(one.x).value + dy
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


def floor_under(setup: Setup, goal: Goal) -> Amount | None:
    """Flatness of the floor under what lies on it, by the survey of where the vehicle stands; nothing off that."""
    standing, body = setup.plan.standing, goal.body
    if standing is None or body.upright:
        return None
    turn = goal.facing_deg - 180.0
    grid = [(back * body.height, side * body.width) for back in STEPS for side in (s - 0.5 for s in STEPS)]
    places = np.array([(goal.x + dx, goal.y + dy) for dx, dy in (turned(turn, *one) for one in grid)])
    try:
        return standing.flatness_over(places)
    except BadInput:
        return None


def set_out_slot(setup: Setup, goal: Goal) -> Slot:
    """That a body was carried to its floor mark, with the lengths by which that is found."""
    plan, body = setup.plan, goal.body
    assert plan.station is not None
    found = floor_mark(setup, goal)
    hint = said("together.lay.hint") if body.kind == "mat" else said("together.set_out.no_mark")
    if body.over:
        hint = said("together.lay.over", other=Name(goals(setup)[body.over].body.name))
    if body.kind == "line":
        hint = said("together.stretch.hint", out=amount(abs(body.y), "mm", 0))
    if found is not None and body.upright:
        tapes = _tapes(found)
        hint = said(f"together.set_out.{'checked' if 'third' in tapes else 'hint'}", side=_side(setup, goal), **tapes)
    return Slot(
        id=f"together.{plan.station.id}.{body.id}.set",
        label=said(f"together.{SET_OUT[body.kind]}", body=Name(body.name)),
        ask="tick",
        aspects=frozenset({f"together.{goal.number}"}),
        hint=hint,
    )


def _tapes(found: StakedMark) -> dict[str, Said]:
    pairs = list(zip(found.pair, found.distances, strict=True))
    if found.check is not None and found.check_distance is not None:
        pairs.append((found.check, found.check_distance))
    return {
        name: said("floor_marks.from_the", distance=amount(d, "mm", 0), name=control_name(control))
        for name, (control, d) in zip(("first", "second", "third"), pairs, strict=False)
    }


def _side(setup: Setup, goal: Goal) -> Noun:
    """On which side of the vehicle a mark lies."""
    vehicle = setup.plan.vehicle
    half = vehicle.outline.width / 2
    if abs(goal.y) > half:
        return Noun(f"together.side.{'left' if goal.y > 0 else 'right'}")
    return Noun(f"together.side.{'ahead' if goal.x > 0 else 'behind'}")


def floor_mark(setup: Setup, goal: Goal, point: BodyPoint = "bottom_middle") -> StakedMark | None:
    """How the floor mark below a point is found with two tapes and a check; nothing where they cut too flat."""
    controls, (x, y, _) = controls_of(setup), goal.point(point)
    if not controls:
        return None
    try:
        mark = StakePoint(id="mark", x=x, y=y)
        return stakeout(StakeoutInput(controls=controls, points=[mark], tape=TAPE)).marks[0]
    except BadInput:
        return None


def body_reads(setup: Setup, body: str) -> list[tuple[BodyReading, Slot]]:
    """What is read of a body, once it stands on its mark, each with where it is entered.

    What the sheet wants read, then what was read beside to tell apart what contradicted each other.
    """
    goal = goals(setup)[body]
    beside = [(read, slot) for read, slot in reads_beside(setup, goal) if slot.id in setup.state.entries]
    return [(read, _slot(setup, goal, read)) for read in goal.body.reads] + beside


def reads_beside(setup: Setup, goal: Goal) -> list[tuple[BodyReading, Slot]]:
    """What more there is to read of a body than its sheet wants, the shortest first."""
    found = [(read, replace(_slot(setup, goal, read), optional=True)) for read in beside_of(goal.body)]
    return sorted(found, key=lambda one: one[1].wanted or 0.0)


def beside_of(body: StandingBody) -> list[BodyReading]:
    """Tapes from the lower corners of what stands or lies there to the hubs, and heights, that its sheet has not."""
    if body.kind == "line":
        return []
    every = [BodyReading(at=at, to=f"hub.{hub}") for at in CORNERS_BELOW for hub in CORNERS]
    if body.upright:
        every += [BodyReading(at=at, to="floor") for at in (*CORNERS_BELOW, "bottom_middle")]
    return [read for read in every if read not in body.reads]


def body_slots(setup: Setup, body: str) -> list[Slot]:
    """Where that is entered."""
    return [slot for _, slot in body_reads(setup, body)]


def _slot(setup: Setup, goal: Goal, read: BodyReading) -> Slot:
    if read.anchor == "mark_at":
        return Slot(
            id=slot_id(setup.plan, goal.body, read),
            label=said("together.to.mark_at", body=Name(goal.body.name), corner=Noun(f"corner.{read.which}")),
            ask="tick",
            aspects=aspects_of(setup.plan, goal.body, read),
            hint=said("together.hint.mark_at"),
        )
    wanted, angle = wanted_of(setup, goal, read), read.anchor == "level"
    signed = read.height or angle or read.anchor == "beam"
    reads = {"level": "level", "floor": "height", "beam": "scale"}.get(read.anchor, "height" if read.height else "tape")
    most = MOST_LEAN_DEG if angle else MOST_ASIDE_MM
    low, high = (wanted - most, wanted + most) if signed else (max(0.0, 0.5 * wanted - 30), 1.5 * wanted + 60)
    ways = {"level.across": "target_roll", "level.along": "target_tilt"}
    way = "too_high" if read.height else ways.get(read.to, "side" if signed else None)
    point = Noun(f"together.point.{'flat' if not goal.body.upright else 'upright'}.{read.at}")
    return Slot(
        id=slot_id(setup.plan, goal.body, read),
        label=_label(setup, goal, read, point),
        quantity=Quantity(dimension="angle" if angle else "length", unit="°" if angle else "mm", low=low, high=high),
        aspects=aspects_of(setup.plan, goal.body, read),
        reads=reads,
        way=way,
        hint=said(f"together.hint.{'rise' if read.height else read.anchor}"),
        wanted=None if angle else round(wanted, 1),
    )


def _label(setup: Setup, goal: Goal, read: BodyReading, point: Noun) -> Said:
    own, to = Name(goal.body.name), read.to.partition(".")
    match read.anchor:
        case "square":
            return said("together.to.square", body=own, to=control_name(f"hub.{read.which}"))
        case "out" | "back":
            line = Name(goals(setup)[read.other].body.name)
            return said(f"together.to.{read.anchor}", body=own, point=point, line=line)
        case "hub" | "mark":
            return said("together.to.control", body=own, point=point, to=control_name(read.to))
        case "body":
            other = goals(setup)[read.other].body
            flat = "upright" if other.upright else "flat"
            code = "rise" if read.height else "own" if read.other == goal.body.id else "body"
            there = Noun(f"together.point.{flat}.{read.point}")
            return said(f"together.to.{code}", body=own, point=point, other=Name(other.name), there=there)
        case "beam":
            return said("together.to.beam", body=own, corner=Noun(f"corner.{to[2]}"))
        case "floor":
            return said("together.to.floor", body=own, point=point)
    return said(f"together.to.{read.anchor}.{to[2]}", body=own, point=point)


def wanted_of(setup: Setup, goal: Goal, read: BodyReading) -> float:
    """What a reading shows where every body stands as it should."""
    plan, (x, y, z) = setup.plan, goal.point(read.at)
    outline, to = plan.vehicle.outline, read.which
    match read.anchor:
        case "hub" | "mark":
            at = _control(setup, read.to)
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
            return abs(goal.before(_control(setup, f"hub.{to}")))
        case "out" | "back":
            line = goals(setup)[read.other]
            return abs(line.before((x, y)) if read.anchor == "out" else line.beside((x, y), read.point))
    ox, oy, oz = goals(setup)[read.other].point(read.point)
    return z - oz if read.height else math.dist((x, y, z), (ox, oy, oz))


def _control(setup: Setup, control: str) -> tuple[float, float]:
    kind, _, which = control.partition(".")
    solved = setup.lines
    if kind == "hub":
        found: tuple[float, float] = solved.place(which) if solved else setup.plan.vehicle.hub(which)  # type: ignore[arg-type]
        return found
    marks = setup.plan.vehicle.marks
    known = controls_of(setup).get(control)
    return (known.x, known.y) if known is not None else (marks.front_x if which == "front" else marks.rear_x, 0.0)


def read_line(setup: Setup, slot: str) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """A reading of a body as a line in plan, from what it is read to, to the body; nothing for another slot."""
    found = read_of(setup, slot)
    if found is None:
        return None
    goal, read = found
    x, y, _ = goal.point(read.at)
    if read.anchor in ("out", "back"):
        line = goals(setup)[read.other]
        dx, dy = turned(line.facing_deg - 180.0, line.before((x, y)), 0.0)
        foot = x + dx, y + dy
        return (foot, (x, y)) if read.anchor == "out" else (line.point(read.point)[:2], foot)
    return _from(setup, read, x, y), (x, y)


def read_of(setup: Setup, slot: str) -> tuple[Goal, BodyReading] | None:
    """Which body a slot is read of, and what is read; nothing for another slot."""
    plan = setup.plan
    own = ((goal, read) for goal in goals(setup).values() for read in (*goal.body.reads, *beside_of(goal.body)))
    return next(((goal, read) for goal, read in own if slot_id(plan, goal.body, read) == slot), None)


def _from(setup: Setup, read: BodyReading, x: float, y: float) -> tuple[float, float]:
    vehicle = setup.plan.vehicle
    match read.anchor:
        case "hub" | "mark":
            return _control(setup, read.to)
        case "beam":
            return vehicle.hub(read.which)  # type: ignore[arg-type]
        case "bumper":
            nose = vehicle.wheelbase + vehicle.outline.front_overhang
            return (nose if read.which == "front" else -vehicle.outline.rear_overhang), y
        case "flank":
            return x, math.copysign(vehicle.outline.width / 2, y)
        case "square" | "mark_at":
            return _control(setup, f"hub.{read.which}")
        case "body":
            ox, oy, _ = goals(setup)[read.other].point(read.point)
            return ox, oy
    return x, y


# --- where they are


@dataclass(frozen=True)
class Stood:
    """Where a body is against where it must be: mm ahead along the line, mm left of it, degrees turned to the left."""

    forward: Derived
    left: Derived
    turned: Derived


@dataclass(frozen=True)
class Together:
    """All bodies of a station as their readings have them."""

    solved: Solved
    suspects: tuple[str, ...]
    """Slots that are to blame where the readings contradict each other."""
    links: frozenset[frozenset[str]] = frozenset()
    """Bodies between which something was read: each two of them."""
    hubs: tuple[Corner, ...] = ()
    """Where all of them were read again and read the same: hubs of which any alone may stand elsewhere."""

    @property
    def trusted(self) -> bool:
        """The readings agree."""
        return self.solved.trusted

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
        return Counter(slot.split(".")[2] for slot in self.suspects)

    def stood(self, goal: Goal) -> Stood | None:
        """Where a body is; nothing where its readings do not tell."""
        body = goal.body
        if body.id not in dict(self.solved.entered.others) or self.solved.line is None:
            return None
        found = self.solved.stands(body.id, f"{body.id}:bottom_middle")
        if found is None:
            return None
        ahead, left, yaw = found
        turn = (yaw.value - (body.facing_deg - 180.0) + 180.0) % 360.0 - 180.0
        return Stood(
            self.solved.sum(-body.x, (1.0, ahead)),
            self.solved.sum(-body.y, (1.0, left)),
            Derived(turn, yaw.u, yaw.gradient),
        )

    def height(self, goal: Goal, above_floor: bool) -> Derived | None:
        """How much too high its lower edge is, over the floor below it or the plane of the tyres; nothing unread."""
        id = goal.body.id
        if "z" in dict(self.solved.entered.others)[id].fixed:
            return None
        floor = f"under {id}" if above_floor else None
        wanted = WantedHeight(id="height", type="height", point=f"{id}:bottom_middle", floor=floor)
        found = self.solved.located.asked([wanted])[0]
        return self.solved.sum(-goal.body.bottom, (1.0, found)) if found is not None else None


def together(setup: Setup) -> Together | None:
    """All bodies that were read; nothing while none was, or no line is known."""
    return setup.once(_together)


def _together(setup: Setup) -> Together | None:
    found = without(setup, ())
    if found is None or found.trusted or not setup.confirmed(found.solved):
        return found
    # All that may be wrong was read again and reads the same: the vehicle is not as the model has it.
    singly = [corners for corners in found.solved.hubs_to_loosen if len(corners) == 1]
    loosened = {corner: without(setup, (), (corner,)) for (corner,) in singly}
    fitting = {corner: one for corner, one in loosened.items() if one is not None and one.trusted}
    if len(fitting) == 1:
        return next(iter(fitting.values()))
    # Where one hub explains it as well as another, what is counted from them would hang on a guess.
    return replace(found, hubs=tuple(sorted(fitting)))


def without(setup: Setup, left_out: Collection[str], unlike: Collection[str] = ()) -> Together | None:
    """The same where some slots were not read; ``unlike``: hubs that stand elsewhere than the model has them."""
    read = {
        goal.body.id: [
            (read, slot)
            for read, slot in body_reads(setup, goal.body.id)
            if slot.id not in left_out and setup.current(slot)
        ]
        for goal in goals(setup).values()
    }
    # A body that its readings do not hold yet would lie anywhere: it joins the others once they can.
    read = {id: found for id, found in read.items() if sum(_holds(goals(setup)[id], one) for one, _ in found) >= HELD}
    if not read:
        return None
    into = on_vehicle(setup, unlike)
    for id, found in read.items():
        _stand(into, goals(setup)[id], [one for one, _ in found])
    for id, found in read.items():
        for one, slot in found:
            _enter(setup, into, goals(setup)[id], one, slot)
    _enter_beams(setup, into, read)
    entered = into.done()
    located = setup.solving(entered.state(setup.plan.nominal_goal))
    if located is None:
        return None
    solved = Solved(setup.plan, located, entered, "", 0)
    suspects = tuple(id.place for id in solved.suspects if id.source == "together")
    between = ((id, one.other) for id, found in read.items() for one, _ in found if one.other and one.other != id)
    return Together(solved, suspects, frozenset(map(frozenset, between)))


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


def _enter(setup: Setup, into: Entering, goal: Goal, read: BodyReading, slot: Slot) -> None:
    own, vehicle = f"{goal.body.id}:{read.at}", setup.plan.vehicle
    outline, kind = vehicle.outline, read.anchor
    if kind == "mark_at":
        if setup.answer(slot) == "yes":
            id, beside = ObservationId("marked_line", goal.body.id), goal.body.place(read.at)[1]
            into.put(id, "along", beside, U_MARKED_MM, point=read.which, body=goal.body.id)
        return
    side = (said("together.source.side"), vehicle.marks.u_symmetry_mm)
    front = (said("together.source.bumper"), U_BUMPER_MM)
    nose = vehicle.wheelbase + outline.front_overhang
    level = U_LEVEL_MM if kind in ("hub", "mark") else 0.0
    for run in setup.by_runs(setup.current(slot)):
        for part in measured_by_tool(run, 0.0, level, setup.state.warm):
            value = part.value
            match kind:
                case "hub" | "mark":
                    to = read.which if kind == "hub" else _mark(setup, into, read.to)
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
                    sign = math.copysign(1.0, goal.before(_control(setup, f"hub.{read.which}")))
                    into.reading(
                        slot, part, "together", "perpendicular", sign * value, point=read.which, body=goal.body.id
                    )
                case "out" | "back" if read.other in into.others:
                    line, (x, y, _) = goals(setup)[read.other], goal.point(read.at)
                    out = read.anchor == "out"
                    sign = math.copysign(1.0, line.before((x, y)) if out else line.beside((x, y), read.point))
                    value = sign * value + (0.0 if out else line.body.place(read.point)[1])
                    sort = "perpendicular" if out else "along"
                    into.reading(slot, part, "together", sort, value, point=own, body=read.other)
                case "body" if read.other in into.others:
                    sort = "rise" if read.height else "distance"
                    into.reading(slot, part, "together", sort, from_=f"{read.other}:{read.point}", to=own)


def _mark(setup: Setup, into: Entering, mark: str) -> str:
    """A centre mark as a point of the state, where no method entered it."""
    if mark not in into.points:
        known = controls_of(setup).get(mark)
        x, y = _control(setup, mark)
        into.known(mark, "control", mark, (x, y), ((known.u if known is not None else U_BUMPER_MM),) * 2)
    return mark


def _enter_beams(setup: Setup, into: Entering, read: Mapping[str, list[tuple[BodyReading, Slot]]]) -> None:
    """Both rear wheels' beams on one body's scale: the wheels' own toe is in their difference."""
    for id, found in read.items():
        beams = {one.which: slot for one, slot in found if one.anchor == "beam"}
        if len(beams) < 2:
            continue
        goal, now = goals(setup)[id], {corner: setup.now(slot) for corner, slot in beams.items()}
        headings = []
        for corner in ("LR", "RR"):
            (x, _), part = setup.plan.vehicle.hub(corner), now[corner]
            shown = part.value - wanted_of(setup, goal, BodyReading(to=f"beam.{corner}")) if part is not None else 0.0
            # Behind the vehicle its left is at the right of who looks at the face.
            to_left = shown * math.cos(math.radians(goal.facing_deg - 180.0))
            headings.append(math.degrees(math.atan(to_left / (goal.x - x))))
        half = half_toe(*headings)
        for corner, slot in beams.items():
            toe = -half if corner == "LR" else half
            for part in into.read(slot):
                into.reading(
                    slot, part, "together", "ruler", beside=PARALLAX, wheel=corner, body=id, toe_deg=round(toe, 6)
                )


@dataclass(frozen=True)
class Fold:
    """A mat's corner that does not fit the others, and how far it is from where they say that it lies, mm."""

    point: BodyPoint
    slots: tuple[str, ...]


def folded(setup: Setup, goal: Goal) -> Fold | None:
    """The one corner whose readings contradict all others; nothing where no single corner explains it."""
    return setup.once(_folded, goal.body.id)


def _folded(setup: Setup, body: str) -> Fold | None:
    goal, found = goals(setup)[body], together(setup)
    if goal.body.kind != "mat" or found is None or not found.doubts(goal):
        return None
    corners: list[Fold] = []
    reads = body_reads(setup, goal.body.id)
    for point in ("bottom_left", "bottom_right", "top_left", "top_right"):
        of = tuple(
            slot.id for read, slot in reads if point in (read.at, read.point if read.other == goal.body.id else "")
        )
        rest = without(setup, of)
        if len(of) > 1 and rest is not None and rest.trusted and rest.stood(goal) is not None:
            corners.append(Fold(point, of))
    if len(corners) != 1 or all(setup.as_before(slot) for slot in corners[0].slots):
        # What was smoothed and reads as it did was no fold.
        return None
    return corners[0]


def measured_lean(setup: Setup, goal: Goal) -> list[tuple[Slot, Measured]]:
    """What levels on a body show now."""
    pairs = body_reads(setup, goal.body.id)
    return [(slot, now) for read, slot in pairs if read.anchor == "level" and (now := setup.now(slot)) is not None]


observed_as(Kind("together", again=True))
observed_as(Kind("marked_line"))
