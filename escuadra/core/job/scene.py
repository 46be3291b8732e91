"""A vehicle and a frame as they truly stand, and what a perfect eye would see there: exact readings of every method.

Plane trigonometry of its own, not the observation equations: what is planned, expected and simulated comes from here.
Vehicle axes after ISO 8855, millimetres and degrees.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from escuadra.core.axes import Pose, turned
from escuadra.core.job.places import Plan
from escuadra.core.stance import CORNERS, Corner

Point = tuple[float, float]


@dataclass(frozen=True, eq=False)
class Scene:
    """Where everything is. ``toe``: toe-in of each wheel against the axis, degrees."""

    plan: Plan
    pose: Pose
    toe: Mapping[Corner, float]
    hub_off: Mapping[Corner, Point] = field(default_factory=dict)
    """How far a hub stands off its place in the model: a setback, an axle that is not square."""
    body_off: Mapping[str, float] = field(default_factory=dict)
    """How far the body's middle lies off the vehicle's axis at ``front`` and ``rear``: a bent body."""
    mark_off: Mapping[str, float] = field(default_factory=dict)
    """How far the plumbed marks lie off the body's middle there."""
    emblem_off: Mapping[str, float] = field(default_factory=dict)
    """How far the emblems sit off it."""

    @classmethod
    def nominal(cls, plan: Plan, toe_in: float = 0.0) -> "Scene":
        """Everything where it should be: a straight vehicle, the frame at its goal."""
        return cls(plan, plan.nominal_goal, dict.fromkeys(CORNERS, toe_in))

    def hub(self, corner: Corner) -> Point:
        """A hub face."""
        (x, y), (dx, dy) = self.plan.vehicle.hub(corner), self.hub_off.get(corner, (0.0, 0.0))
        return x + dx, y + dy

    def heading(self, corner: Corner) -> float:
        """Where a wheel points, as a yaw angle in degrees."""
        return -self.toe[corner] if corner[0] == "L" else self.toe[corner]

    @property
    def thrust_deg(self) -> float:
        """The thrust line's direction."""
        return (self.heading("LR") + self.heading("RR")) / 2

    def mark(self, end: str) -> Point:
        """A centre mark on the floor."""
        marks = self.plan.vehicle.marks
        y = self.body_off.get(end, 0.0) + self.mark_off.get(end, 0.0)
        return (marks.front_x if end == "front" else marks.rear_x), y

    def emblem(self, end: str) -> Point:
        """An emblem on the body."""
        vehicle = self.plan.vehicle
        x = vehicle.wheelbase + vehicle.outline.front_overhang if end == "front" else -vehicle.outline.rear_overhang
        return x, self.body_off.get(end, 0.0) + self.emblem_off.get(end, 0.0)

    def on_frame(self, bx: float, by: float) -> Point:
        """A point of the beam."""
        x, y = turned(self.pose.yaw_deg, bx, by)
        return self.pose.x + x, self.pose.y + y

    def in_frame(self, at: Point) -> Point:
        """A place as the beam sees it: away from the vehicle, and to the left along the beam."""
        return turned(-self.pose.yaw_deg, at[0] - self.pose.x, at[1] - self.pose.y)

    def before_beam(self, at: Point) -> float:
        """How far a place stands before the beam, square to it."""
        return -self.in_frame(at)[0]

    def meets_beam(self, at: Point, heading_deg: float) -> float:
        """Where a line from a place meets the beam, counted from its centre to the left."""
        away, left = self.in_frame(at)
        return left - away * math.tan(math.radians(heading_deg - self.pose.yaw_deg))

    def joined_on_beam(self, near: Point, far: Point) -> float:
        """Where the line through two places meets the beam."""
        return self.meets_beam(near, math.degrees(math.atan2(far[1] - near[1], far[0] - near[0])))

    def returned(self, corner: Corner, distance: float) -> float:
        """Where a beam that leaves the frame square comes back from a mirror on a wheel, left positive."""
        return distance * math.tan(math.radians(2 * (self.heading(corner) - self.pose.yaw_deg)))
