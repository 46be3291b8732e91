"""A solved epoch: distance, offset and squareness to either line, each with its uncertainty.

Gradients by complex step (Squire and Trapp 1998), exact to rounding; axes of ISO 8855.
"""

import math
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
from escuadra.core.procedure import LineChoice

RAD = math.pi / 180


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


def carried(before: Solved) -> list[dict[str, Any]]:
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
