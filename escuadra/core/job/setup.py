"""From the readings of an epoch, the procedure and the profiles to the network, the pose and the goal.

Every move that changes where the beam stands opens an epoch; only readings of one epoch enter one solution. Where a
move leaves yaw and distance alone (sliding, mounting), what was solved before is carried over as two observations
with their uncertainty. Source: ``network``; lines after ISO 8855; gradients of derived quantities by complex step
(Squire and Trapp 1998), exact to rounding.
"""

import math
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

import numpy as np

from escuadra.core.axes import Pose, turned
from escuadra.core.errors import BadInput
from escuadra.core.job.disturbance import POSE
from escuadra.core.job.slots import Measured, Slot, answer, current, measured, measured_by_tool
from escuadra.core.job.state import Disturbance, Entry, State
from escuadra.core.network import Adjustment, NetworkInput, NetworkResult, Vector, adjust, result_of
from escuadra.core.procedure import FrameProfile, LineChoice, Procedure, Target, Tool, VehicleModel
from escuadra.core.quantities import Quantity
from escuadra.core.stance import CORNERS
from escuadra.core.symmetry import Pair, SymmetryInput, SymmetryResult, symmetry

ENDS = ("LF_end", "RF_end")
U_STATION_MM = 5.0
"""How well a mark's place along the vehicle is known; it hardly matters sideways."""
RAD = math.pi / 180
T = TypeVar("T")

LINE_ASPECTS = frozenset({"line"})
TAPE_ASPECTS = POSE | {"line"}


@dataclass(frozen=True)
class Plan:
    """What a job is judged by: the pinned catalogue entries."""

    procedure: Procedure
    vehicle: VehicleModel
    target: Target
    frame: FrameProfile
    tools: dict[str, Tool] = field(default_factory=dict)

    @cached_property
    def frame_points(self) -> dict[str, tuple[float, float]]:
        """Beam ends in frame axes."""
        half = self.frame.beam_length / 2
        return {"LF_end": (0.0, half), "RF_end": (0.0, -half)}

    def goal(self, line_angle_deg: float, line_at: tuple[float, float], datum: tuple[float, float]) -> Pose:
        """Where the beam must stand for a line through ``line_at`` and a distance counted from ``datum``."""
        tx, ty = turned(line_angle_deg, 1, 0)
        qx, qy = datum[0] - line_at[0], datum[1] - line_at[1]
        along = qx * tx + qy * ty + self.procedure.distance + self.frame.face_offset
        x, y = turned(line_angle_deg, along, self.procedure.offset)
        return Pose(x=line_at[0] + x, y=line_at[1] + y, yaw_deg=line_angle_deg, height=self.procedure.height)

    @cached_property
    def nominal_goal(self) -> Pose:
        """The goal while no line is known: along the vehicle's own axis."""
        return self.goal(0.0, (0.0, 0.0), (self.vehicle.wheelbase, 0.0))


def words_of(observation: str) -> str:
    """An observation of the network in the trade's words."""
    parts = observation.split("~")[0].split(".")
    names = {"LF_end": "LF end", "RF_end": "RF end"}
    if parts[0] == "tape":
        return f"{parts[1]} hub to {names[parts[2]]}"
    if parts[0] == "crossing":
        return "floor laser on the beam's scale"
    if parts[0] in ("hub", "mark"):
        what = f"{parts[1]} hub" if parts[0] == "hub" else f"{parts[1]} centre mark"
        return f"the {what}'s place {'along' if parts[-1] == 'x' else 'across'} the vehicle"
    if parts[0] == "thrust":
        return "the alignment printout"
    if parts[0] == "carried":
        return "the squareness read before" if parts[1] == "yaw" else "the distance read before"
    return f"the {parts[1]} of {parts[0]}"


def tape_slot(hub: str, end: str, plan: Plan) -> Slot:
    """The slot of a tape from a hub to a beam end."""
    goal, (bx, by) = plan.nominal_goal, plan.frame_points[end]
    hx, hy = plan.vehicle.hub(hub)  # type: ignore[arg-type]
    length = math.hypot(goal.x + bx - hx, goal.y + by - hy)
    return Slot(
        id=f"tape.{hub}.{end}",
        label=f"{hub} hub to {end.replace('_', ' ')}",
        quantity=Quantity(dimension="length", unit="mm", low=0.55 * length, high=1.45 * length),
        aspects=TAPE_ASPECTS,
        reads="tape",
        optional=hub[1] == "R",
    )


def height_slot(what: str, plan: Plan) -> Slot:
    """The slot of a hub's or a beam end's height above the floor."""
    hub = what in CORNERS
    around = plan.vehicle.hub_height
    return Slot(
        id=f"height.{what}",
        label=f"{what} hub above the floor" if hub else f"{what.replace('_', ' ')} above the floor",
        quantity=Quantity(dimension="length", unit="mm", low=0.5 * around, high=(1.6 if hub else 3.0) * around),
        aspects=frozenset({"hubs"} if hub else {"height"}),
        reads="height",
        optional=hub and what[1] == "R",
        hint="at the point where the tape is held",
    )


def crossing_slot(plan: Plan) -> Slot:
    """The slot of the floor laser's reading on the beam."""
    half = plan.frame.beam_length / 2
    zero = plan.frame.scale_zero
    return Slot(
        id="crossing",
        label="Floor laser on the beam's scale",
        quantity=Quantity(dimension="length", unit="mm", low=zero - half, high=zero + half),
        aspects=TAPE_ASPECTS,
        reads="scale",
        hint=f"the scale shows {zero:g} at the beam's middle and grows to the left",
    )


def toe_slot(side: str) -> Slot:
    """The slot of a rear wheel's toe."""
    return Slot(
        id=f"toe.{side}",
        label=f"{side.capitalize()} rear toe on the printout",
        quantity=Quantity(dimension="angle", unit="°", low=-1.5, high=1.5),
        aspects=frozenset({"line"}),
        reads="printout",
        words=("toe-in", "toe-out"),
    )


def pair_name(end: str, k: int, plan: Plan) -> str:
    """What a pair is measured between."""
    names = plan.vehicle.marks.front_pairs if end == "front" else plan.vehicle.marks.rear_pairs
    return names[k - 1] if k <= len(names) else f"another pair, {k}"


def pair_slots(end: str, k: int, plan: Plan) -> tuple[Slot, Slot]:
    """Left and right reading of a symmetrical pair on the scale across the vehicle."""
    name = pair_name(end, k, plan)
    made = []
    for side in ("left", "right"):
        made.append(
            Slot(
                id=f"pair.{end}.{k}.{side}",
                label=f"{end.capitalize()}, {name}: {side}",
                quantity=Quantity(dimension="length", unit="mm", low=0, high=plan.vehicle.outline.width + 1500),
                aspects=LINE_ASPECTS,
                reads="tape",
                optional=k > 1,
                hint="one straight tape across the vehicle, growing to the left",
            )
        )
    return made[0], made[1]


def mark_slot(end: str, plan: Plan) -> Slot:
    """Where the plumbed centre mark stands on the same scale."""
    return Slot(
        id=f"mark.{end}",
        label=f"{end.capitalize()} centre mark on the same tape",
        quantity=Quantity(dimension="length", unit="mm", low=0, high=plan.vehicle.outline.width + 1500),
        aspects=LINE_ASPECTS,
        reads="tape",
        hint="plumb the mark at the pairs' middle, then read where it stands",
    )


@dataclass(frozen=True)
class EndMark:
    """The pairs at one end of the vehicle and the mark that was plumbed from them."""

    pairs: SymmetryResult | None
    names: dict[str, str]
    y: float | None = None
    u: float = 0.0


@dataclass(frozen=True)
class Derived:
    """A quantity of the set-up with its uncertainty: mm or degrees."""

    value: float
    u: float
    gradient: Vector


class Solved:
    """A solved epoch: the network and what follows from it for either line."""

    def __init__(self, plan: Plan, given: NetworkInput, solution: Adjustment, epoch: int) -> None:
        self.plan, self.given, self.solution, self.epoch = plan, given, solution, epoch
        self.at = solution.unknowns.column

    @cached_property
    def result(self) -> NetworkResult:
        """The judged network."""
        return result_of(self.given, self.solution)

    @property
    def trusted(self) -> bool:
        """Readings agree."""
        return self.result.passes and not self.result.suspects

    @property
    def line(self) -> LineChoice | None:
        """The line in use: as prescribed, the body's where the thrust line is not known; none while neither is."""
        thrust, body = ("thrust", "angle") in self.at, ("mark.front", "x") in self.at
        if thrust and (self.plan.procedure.line == "thrust" or not body):
            return "thrust"
        return "body" if body else None

    def _quantity(self, p: Any, what: str, line: LineChoice) -> Any:
        """A quantity for parameters p[..., column]; works for complex parameters too."""

        def get(owner: str, part: str) -> Any:
            return p[..., self.at[owner, part]]

        if line == "thrust":
            ox, oy = (get("LR", "x") + get("RR", "x")) / 2, (get("LR", "y") + get("RR", "y")) / 2
            a = get("thrust", "angle")
        else:
            ox, oy = get("mark.rear", "x"), get("mark.rear", "y")
            a = np.arctan((get("mark.front", "y") - oy) / (get("mark.front", "x") - ox))
        if what == "line_angle":
            return a / RAD
        psi = get("frame", "yaw")
        if what == "square":
            return (psi - a) / RAD
        tx = get("frame", "x") - np.cos(psi) * self.plan.frame.face_offset
        ty = get("frame", "y") - np.sin(psi) * self.plan.frame.face_offset
        if what == "offset":
            return -(tx - ox) * np.sin(a) + (ty - oy) * np.cos(a)
        dx, dy = (get("LF", "x") + get("RF", "x")) / 2, (get("LF", "y") + get("RF", "y")) / 2
        return (tx - dx) * np.cos(a) + (ty - dy) * np.sin(a)

    def derived(self, what: str, line: LineChoice | None = None) -> Derived:
        """distance, offset (mm), square or line_angle (degrees) with its uncertainty."""
        chosen = line or self.line
        if chosen is None:
            raise BadInput("line", "no line", "a line that was found first")
        p = self.solution.unknowns.values
        h = 1e-20
        gradient = np.imag(self._quantity(p + 1j * h * np.eye(len(p)), what, chosen)) / h
        return Derived(float(self._quantity(p, what, chosen)), self.solution.spread(gradient), gradient)

    def value(self, owner: str, part: str) -> float:
        """A solved unknown."""
        return float(self.solution.unknowns.values[self.at[owner, part]])

    @cached_property
    def pose(self) -> Pose:
        """Where the beam's centre stands in vehicle axes."""
        return Pose(x=self.value("frame", "x"), y=self.value("frame", "y"), yaw_deg=self.value("frame", "yaw") / RAD)

    @cached_property
    def line_point(self) -> tuple[float, float]:
        """A point on the line in use."""
        if self.line == "thrust":
            return (
                (self.value("LR", "x") + self.value("RR", "x")) / 2,
                (self.value("LR", "y") + self.value("RR", "y")) / 2,
            )
        return self.value("mark.rear", "x"), self.value("mark.rear", "y")

    @cached_property
    def goal(self) -> Pose:
        """Where the beam's centre must stand for the line in use."""
        datum = (
            (self.value("LF", "x") + self.value("RF", "x")) / 2,
            (self.value("LF", "y") + self.value("RF", "y")) / 2,
        )
        return self.plan.goal(self.derived("line_angle").value, self.line_point, datum)


class Setup:
    """A job's state and plan, with what was solved of it; made once for one derivation."""

    def __init__(self, state: State, plan: Plan) -> None:
        self.state, self.plan = state, plan
        self._solved: dict[int, Solved | None] = {}
        self._known: dict[Hashable, Any] = {}

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """A result that is worked out once for this derivation."""
        if key not in self._known:
            self._known[key] = make()
        found: T = self._known[key]
        return found

    # --- single slots

    def now(self, slot: Slot) -> Measured | None:
        """A slot's current value."""
        return self.once(("now", slot.id), lambda: measured(current(self.state, slot)))

    def answered(self, slot: Slot) -> Entry | None:
        """A slot's current answer."""
        return answer(self.state, slot)

    # --- the lines

    def pair_count(self, end: str) -> int:
        """How many pairs were begun at an end."""
        k = 0
        while any(self.state.live(slot.id) for slot in pair_slots(end, k + 1, self.plan)):
            k += 1
        return k

    @cached_property
    def marks(self) -> dict[str, EndMark]:
        """Centre marks at either end, from the pairs and the plumbed mark."""
        return {end: self._end_mark(end) for end in ("front", "rear")}

    def _end_mark(self, end: str) -> EndMark:
        pairs, names, tool = [], {}, None
        for k in range(1, self.pair_count(end) + 1):
            slots = pair_slots(end, k, self.plan)
            left, right = self.now(slots[0]), self.now(slots[1])
            if left is None or right is None or left.value <= right.value:
                continue
            own = math.sqrt((left.figures.u_random**2 + right.figures.u_random**2) / 2)
            u = math.sqrt(own**2 + 2 * self.plan.vehicle.marks.u_symmetry_mm**2)
            pairs.append(Pair(id=str(k), left=left.value, right=right.value, u=u))
            names[str(k)] = pair_name(end, k, self.plan)
            tool = left.tool
        if not pairs:
            return EndMark(None, names)
        middle = symmetry(SymmetryInput(pairs=pairs))
        mark = self.now(mark_slot(end, self.plan))
        if mark is None:
            return EndMark(middle, names)
        # On the same tape its offset cancels between the mark and the pairs' middle.
        u_mark = mark.figures.u_random if mark.tool == tool else mark.u
        return EndMark(middle, names, mark.value - middle.centre, math.hypot(middle.u, u_mark))

    @cached_property
    def toe(self) -> dict[str, Measured] | None:
        """Rear toe of both sides, degrees, toe-in positive."""
        left, right = self.now(toe_slot("left")), self.now(toe_slot("right"))
        return {"left": left, "right": right} if left and right else None

    # --- the pose

    @cached_property
    def boundaries(self) -> list[Disturbance]:
        """Everything that opened an epoch of the pose."""
        return [d for d in self.state.disturbances if d.aspects & TAPE_ASPECTS]

    def _within(self, slot: Slot, epoch: int) -> list[Entry]:
        start = self.boundaries[epoch - 1].seq if epoch else 0
        end = self.boundaries[epoch].seq if epoch < len(self.boundaries) else math.inf
        return [e for e in self.state.live(slot.id) if start < e.seq < end]

    def height_for(self, what: str, seq: int) -> tuple[float, float] | None:
        """Height of a hub or beam end that was valid when the reading ``seq`` was taken, and its u."""
        slot = height_slot(what, self.plan)
        spoiled = [d.seq for d in self.state.disturbances if d.aspects & slot.aspects]
        start = max((s for s in spoiled if s < seq), default=0)
        end = min((s for s in spoiled if s > seq), default=math.inf)
        found = measured([e for e in self.state.live(slot.id) if start < e.seq < end])
        if found is not None:
            return found.value, found.u
        if what in ("LR", "RR"):
            return self.plan.vehicle.hub_height, 5.0
        return None

    def tapes(self, epoch: int) -> list[tuple[Slot, str, list[Measured]]]:
        """Tapes of an epoch that can be levelled: slot, beam end, one value a tool."""
        return self.once(("tapes", epoch), lambda: self._tapes(epoch))

    def _tapes(self, epoch: int) -> list[tuple[Slot, str, list[Measured]]]:
        found = []
        for hub in CORNERS:
            for end in ENDS:
                slot = tape_slot(hub, end, self.plan)
                entries = self._within(slot, epoch)
                if not entries:
                    continue
                low, high = self.height_for(hub, entries[-1].seq), self.height_for(end, entries[-1].seq)
                if low is None or high is None:
                    continue
                try:
                    parts = measured_by_tool(entries, high[0] - low[0], math.hypot(low[1], high[1]))
                except BadInput:
                    continue
                found.append((slot, end, parts))
        return found

    def _hubs_and_lines(self) -> tuple[dict[str, Any], list[dict[str, Any]], dict[str, Any]]:
        vehicle = self.plan.vehicle
        points: dict[str, Any] = {}
        observations: list[dict[str, Any]] = []

        def free(point: str, name: str, x: float, y: float, u_x: float, u_y: float) -> None:
            points[point] = {"x": x, "y": y, "fixed": False}
            observations.append({"id": f"{name}.x", "type": "x", "point": point, "value": x, "u": u_x})
            observations.append({"id": f"{name}.y", "type": "y", "point": point, "value": y, "u": u_y})

        for corner in CORNERS:
            free(corner, f"hub.{corner}", *vehicle.hub(corner), vehicle.u_hub_mm, vehicle.u_hub_mm)
        if all(mark.y is not None for mark in self.marks.values()):
            for end, x in (("front", vehicle.marks.front_x), ("rear", vehicle.marks.rear_x)):
                mark = self.marks[end]
                assert mark.y is not None
                free(f"mark.{end}", f"mark.{end}", x, mark.y, U_STATION_MM, mark.u)
        parts: dict[str, Any] = {}
        if self.toe is not None:
            left, right = self.toe["left"], self.toe["right"]
            angle = (right.value - left.value) / 2
            own = math.hypot(left.figures.u_random, right.figures.u_random) / 2
            u = math.hypot(own, left.figures.u_offset)
            parts["thrust"] = {"angle_deg": angle}
            observations.append({"id": "thrust", "type": "thrust", "value": angle, "u": u})
        return points, observations, parts

    def network(self, epoch: int) -> dict[str, Any]:
        """The network of an epoch as plain data, ready for ``network``."""
        return self.once(("network", epoch), lambda: self._network(epoch))

    def _network(self, epoch: int) -> dict[str, Any]:
        points, observations, parts = self._hubs_and_lines()
        goal = self.plan.nominal_goal
        instruments: dict[str, dict[str, float]] = {}

        def add(slot: Slot, part: Measured, **more: Any) -> None:
            figures = part.figures
            instruments.setdefault(part.tool, {"u_offset": figures.u_offset, "u_scale": figures.u_scale})
            observations.append(
                {
                    "id": f"{slot.id}~{part.tool}",
                    "instrument": part.tool,
                    "u": max(figures.u_random, 1e-3),
                    **more,
                }
            )

        for slot, end, by_tool in self.tapes(epoch):
            for part in by_tool:
                hub = slot.id.split(".")[1]
                add(slot, part, type="distance", **{"from": hub}, to=end, value=part.value)
        if "mark.front" in points:
            slot = crossing_slot(self.plan)
            for part in measured_by_tool(self._within(slot, epoch)):
                value = part.value - self.plan.frame.scale_zero
                add(slot, part, type="crossing", **{"from": "mark.rear"}, to="mark.front", value=value)
        if epoch and self.boundaries[epoch - 1].aspects & TAPE_ASPECTS == {"centre"}:
            before = self.solve(epoch - 1)
            if before is not None and before.trusted:
                goal = before.pose
                points["axle"] = {"x": 0.0, "y": 0.0, "fixed": True}
                observations.extend(_carried(before))
        return {
            "points": points,
            "frame": {"x": goal.x, "y": goal.y, "yaw_deg": goal.yaw_deg, "points": self.plan.frame_points},
            "instruments": instruments,
            "observations": observations,
            **parts,
        }

    def solve(self, epoch: int) -> Solved | None:
        """An epoch's solution; ``None`` while its readings do not determine it."""
        if epoch not in self._solved:
            given = NetworkInput.read(self.network(epoch))
            try:
                self._solved[epoch] = Solved(self.plan, given, adjust(given), epoch)
            except BadInput:
                self._solved[epoch] = None
        return self._solved[epoch]

    @property
    def epoch(self) -> int:
        """The present epoch of the pose."""
        return len(self.boundaries)

    def solved_for(self, aspect: str) -> Solved | None:
        """The newest solution that nothing has spoiled for an aspect."""
        wanted = frozenset({aspect, "line"})
        first = max((k + 1 for k, d in enumerate(self.boundaries) if d.aspects & wanted), default=0)
        for epoch in range(self.epoch, first - 1, -1):
            found = self.solve(epoch)
            if found is not None:
                return found
        return None

    @cached_property
    def last_solved(self) -> Solved | None:
        """The newest solution of all, spoiled or not: where the frame was last seen."""
        return next((found for k in range(self.epoch, -1, -1) if (found := self.solve(k)) is not None), None)

    @cached_property
    def newest(self) -> Solved | None:
        """The solution that the drawing and the moves stand on: of the present epoch."""
        return self.solve(self.epoch)


def _carried(before: Solved) -> list[dict[str, Any]]:
    """Yaw and square distance of the solution before a move that leaves both alone."""
    pose, at = before.pose, before.at
    n = len(before.solution.unknowns.names)
    by_yaw = np.zeros(n)
    by_yaw[at["frame", "yaw"]] = 1 / RAD
    psi = pose.yaw_deg * RAD
    by_distance = np.zeros(n)
    by_distance[at["frame", "x"]], by_distance[at["frame", "y"]] = math.cos(psi), math.sin(psi)
    by_distance[at["frame", "yaw"]] = -pose.x * math.sin(psi) + pose.y * math.cos(psi)
    distance = pose.x * math.cos(psi) + pose.y * math.sin(psi)
    return [
        {"id": "carried.yaw", "type": "yaw", "value": pose.yaw_deg, "u": before.solution.spread(by_yaw)},
        {
            "id": "carried.distance",
            "type": "perpendicular",
            "point": "axle",
            "value": distance,
            "u": before.solution.spread(by_distance),
        },
    ]
