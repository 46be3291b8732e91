"""A solved epoch: distance, offset and squareness to either line, each with its uncertainty.

Gradients by complex step (Squire and Trapp 1998), exact to rounding; axes of ISO 8855.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from escuadra.core.adjustment import Adjustment
from escuadra.core.axes import Pose
from escuadra.core.equations import Vector
from escuadra.core.errors import BadInput
from escuadra.core.job.places import Plan
from escuadra.core.network import NetworkResult, result_of
from escuadra.core.observations import NetworkInput
from escuadra.core.procedure import LineChoice, datum_at
from escuadra.core.said import said

RAD = math.pi / 180
SQUARED = ("hubs.", "panel.", "side.")
"""Readings of methods that know the vehicle by its axles alone."""
Get = Callable[[str, str], Any]


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
        self._derived: dict[tuple[Any, ...], Derived] = {}

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
        known = self.known
        wanted = self.plan.procedure.line
        if wanted in known:
            return wanted
        return next((line for line in ("thrust", "body", "axis") if line in known), None)

    @cached_property
    def known(self) -> frozenset[LineChoice]:
        """The lines that this solution knows."""
        found: set[LineChoice] = set()
        if ("thrust", "angle") in self.at:
            found.add("thrust")
        if ("mark.front", "x") in self.at or ("emblem.front", "x") in self.at:
            found.add("body")
        if any(o.id.startswith(SQUARED) for o in self.given.observations):
            found.add("axis")
        return frozenset(found)

    def _quantity(self, p: Any, what: str, line: LineChoice) -> Any:
        """A quantity for parameters p[..., column]; works for complex parameters too."""

        def get(owner: str, part: str) -> Any:
            return p[..., self.at[owner, part]]

        ox, oy, a = self._line(get, line)
        if what == "line_angle":
            return a / RAD
        psi = get("frame", "yaw")
        if what == "square":
            return (psi - a) / RAD
        face, hang = self.plan.frame.face_offset, self.plan.hang
        tx = get("frame", "x") - np.cos(psi) * face - np.sin(psi) * hang
        ty = get("frame", "y") - np.sin(psi) * face + np.cos(psi) * hang
        if what == "offset":
            return -(tx - ox) * np.sin(a) + (ty - oy) * np.cos(a) - self.plan.procedure.offset
        dx, dy = self._datum(get)
        return (tx - dx) * np.cos(a) + (ty - dy) * np.sin(a)

    def _line(self, get: Get, line: LineChoice) -> tuple[Any, Any, Any]:
        """A point of a line and its direction in radians."""
        rear = (get("LR", "x") + get("RR", "x")) / 2, (get("LR", "y") + get("RR", "y")) / 2
        if line == "thrust":
            return *rear, get("thrust", "angle")
        if line == "axis":
            front = (get("LF", "x") + get("RF", "x")) / 2, (get("LF", "y") + get("RF", "y")) / 2
        else:
            part = "mark" if ("mark.front", "x") in self.at else "emblem"
            rear = get(f"{part}.rear", "x"), get(f"{part}.rear", "y")
            front = get(f"{part}.front", "x"), get(f"{part}.front", "y")
        return *rear, np.arctan((front[1] - rear[1]) / (front[0] - rear[0]))

    def _datum(self, get: Get) -> tuple[Any, Any]:
        """Where the distance is counted from: hubs as they were found, another part as the model has it."""
        procedure = self.plan.procedure
        if procedure.datum not in ("front_hubs", "rear_hubs"):
            return datum_at(procedure, self.plan.vehicle)
        end = procedure.datum[0].upper()
        sides = {"mean": ("L", "R"), "left": ("L",), "right": ("R",)}[procedure.datum_side]
        x, y = (sum(get(f"{s}{end}", axis) for s in sides) / len(sides) for axis in ("x", "y"))
        return x + procedure.proxy.forward, y + procedure.proxy.left

    @cached_property
    def datum(self) -> tuple[float, float]:
        """Where the distance is counted from, as it was found."""
        x, y = self._datum(self.value)
        return float(x), float(y)

    def derive(self, expression: Callable[[Get], Any]) -> Derived:
        """Anything that follows from the unknowns, with its uncertainty: ``expression(get)``, get(owner, part)."""

        def worked_out(p: Any) -> Any:
            return expression(lambda owner, part: p[..., self.at[owner, part]])

        p, h = self.solution.unknowns.values, 1e-20
        gradient = np.imag(worked_out(p + 1j * h * np.eye(len(p)))) / h
        return Derived(float(np.real(worked_out(p))), self.solution.spread(gradient), gradient)

    def derived(self, what: str, line: LineChoice | None = None) -> Derived:
        """distance, offset from where the target must hang (mm), square or line_angle (degrees), each with its u."""
        chosen = self._chosen(line)

        def worked_out() -> Derived:
            p, h = self.solution.unknowns.values, 1e-20
            gradient = np.imag(self._quantity(p + 1j * h * np.eye(len(p)), what, chosen)) / h
            return Derived(float(self._quantity(p, what, chosen)), self.solution.spread(gradient), gradient)

        return self._once((what, chosen), worked_out)

    def _chosen(self, line: LineChoice | None) -> LineChoice:
        chosen = line or self.line
        if chosen is None:
            raise BadInput("line", said("solved.no_line"), said("wants.line_found_first"))
        return chosen

    def _once(self, key: tuple[Any, ...], make: Callable[[], Derived]) -> Derived:
        """What follows from a solution is worked out once, as long as the solution is kept."""
        if key not in self._derived:
            self._derived[key] = make()
        return self._derived[key]

    def line_at(self, x: float, line: LineChoice | None = None) -> Derived:
        """Where a line passes at a station: y in vehicle axes."""
        chosen = self._chosen(line)

        def y(get: Get) -> Any:
            ox, oy, a = self._line(get, chosen)
            return oy + (x - ox) * np.tan(a)

        return self._once(("at", x, chosen), lambda: self.derive(y))

    def apart_at(self, x: float, first: LineChoice = "thrust", second: LineChoice = "body") -> Derived:
        """How far the first line runs to the left of the second at a station."""

        def y(get: Get) -> Any:
            (ax, ay, a), (bx, by, b) = self._line(get, first), self._line(get, second)
            return ay + (x - ax) * np.tan(a) - by - (x - bx) * np.tan(b)

        return self._once(("apart", x, first, second), lambda: self.derive(y))

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
        if self.line is None:
            raise BadInput("line", said("solved.no_line"), said("wants.line_found_first"))
        x, y, _ = self._line(self.value, self.line)
        return float(x), float(y)

    @cached_property
    def goal(self) -> Pose:
        """Where the beam's centre must stand for the line in use."""
        return self.plan.goal(self.derived("line_angle").value, self.line_point, self.datum)


U_HANDLED_MM = 0.7
"""What hanging or shifting a target does to the beam's place along itself, one sigma."""


def carried(before: Solved, stands: bool) -> list[dict[str, Any]]:
    """Yaw and square distance of the solution before a move that leaves both alone.

    ``stands``: only the target was handled, so the beam's place along itself is carried too, as a bump would change it.
    """
    pose, at = before.pose, before.at
    n = len(before.solution.unknowns.names)
    by_yaw = np.zeros(n)
    by_yaw[at["frame", "yaw"]] = 1 / RAD
    psi = pose.yaw_deg * RAD
    by_distance = np.zeros(n)
    by_distance[at["frame", "x"]], by_distance[at["frame", "y"]] = math.cos(psi), math.sin(psi)
    by_distance[at["frame", "yaw"]] = -pose.x * math.sin(psi) + pose.y * math.cos(psi)
    distance = pose.x * math.cos(psi) + pose.y * math.sin(psi)
    by_along = np.zeros(n)
    by_along[at["frame", "x"]], by_along[at["frame", "y"]] = math.sin(psi), -math.cos(psi)
    by_along[at["frame", "yaw"]] = pose.x * math.cos(psi) + pose.y * math.sin(psi)
    along = {
        "id": "carried.along",
        "type": "along",
        "point": "axle",
        "value": pose.x * math.sin(psi) - pose.y * math.cos(psi),
        "u": math.hypot(before.solution.spread(by_along), U_HANDLED_MM),
    }
    return [
        *([along] if stands else []),
        {"id": "carried.yaw", "type": "yaw", "value": pose.yaw_deg, "u": before.solution.spread(by_yaw)},
        {
            "id": "carried.distance",
            "type": "perpendicular",
            "point": "axle",
            "value": distance,
            "u": before.solution.spread(by_distance),
        },
    ]


BUMP_MM, BUMP_DEG = 3.0, 0.12
"""A nudge that nobody would see and that matters at the target."""


def bump_watch(solved: Solved) -> str:
    """Slot of the one tape of a solution that would notice a nudge of the frame best.

    Noticing power: the changes of the reading for a nudge along x, along y and in yaw together, over its own u.
    """
    power: dict[str, float] = {}
    for o in solved.given.observations:
        if not o.id.startswith("tape."):
            continue
        row = solved.solution.unit_row(o)
        parts = [
            row[solved.at["frame", part]] * nudge
            for part, nudge in (("x", BUMP_MM), ("y", BUMP_MM), ("yaw", math.radians(BUMP_DEG)))
        ]
        slot = o.id.split("~")[0]
        power[slot] = max(power.get(slot, 0.0), math.hypot(*parts))
    return max(power, key=lambda slot: power[slot], default="")
