"""A vehicle and a frame as they truly stand, and what a perfect eye would see there: exact readings of every method.

Trigonometry of its own, not the observation equations: what is planned, expected and simulated comes from here.
Vehicle axes after ISO 8855, millimetres and degrees.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.corners import CORNERS, Corner, aside
from escuadra.core.visit.plan import Plan

Point = tuple[float, float]
Space = tuple[float, float, float]
PAIRS_UP_MM, EMBLEM_UP_MM, U_PAIRS_UP_MM = 600.0, 800.0, 200.0
"""How high on the body the tape across it and the emblems are, and one sigma of both: lamps, gaps, sills, badges."""


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
    pairs_up: Mapping[str, float] = field(default_factory=dict)
    """How high the pairs are at ``front`` and ``rear``, where that is not where they usually are."""
    up: float = 0.0
    """The beam's middle above the plane that the tyres stand on."""
    roll_deg: float = 0.0
    pitch_deg: float = 0.0
    """How the frame leans in that plane's axes: left end up, leaning away from the vehicle positive."""
    tilt: tuple[float, float] = (0.0, 0.0)
    """How that plane lies to gravity: left side up, nose down positive, degrees."""

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
        return -aside(corner) * self.toe[corner]

    @property
    def thrust_deg(self) -> float:
        """The thrust line's direction."""
        return (self.heading("LR") + self.heading("RR")) / 2

    def mark(self, end: str) -> Point:
        """A centre mark on the floor, plumbed from the height of the pairs."""
        marks, (lean_x, lean_y) = self.plan.vehicle.marks, self.plumb
        y, up = self.body_off.get(end, 0.0) + self.mark_off.get(end, 0.0), self.pairs_up.get(end, PAIRS_UP_MM)
        return (marks.front_x if end == "front" else marks.rear_x) - up * lean_x, y - up * lean_y

    def emblem(self, end: str) -> Point:
        """An emblem on the body."""
        vehicle = self.plan.vehicle
        x = vehicle.wheelbase + vehicle.outline.front_overhang if end == "front" else -vehicle.outline.rear_overhang
        return x, self.body_off.get(end, 0.0) + self.emblem_off.get(end, 0.0)

    @property
    def plumb(self) -> Point:
        """How far a plumb line leans for each millimetre upward, forward and left."""
        roll, pitch = map(math.radians, self.tilt)
        return -math.tan(pitch), math.tan(roll) / math.cos(pitch)

    def in_space(self, bx: float, by: float, bz: float = 0.0) -> Space:
        """A point of the frame: rolled, then pitched, then turned."""
        roll, pitch = math.radians(self.roll_deg), math.radians(self.pitch_deg)
        y, z = by * math.cos(roll) - bz * math.sin(roll), by * math.sin(roll) + bz * math.cos(roll)
        x, z = bx * math.cos(pitch) + z * math.sin(pitch), z * math.cos(pitch) - bx * math.sin(pitch)
        x, y = turned(self.pose.yaw_deg, x, y)
        return self.pose.x + x, self.pose.y + y, self.up + z

    def on_frame(self, bx: float, by: float) -> Point:
        """A point of the beam, in plan."""
        return self.in_space(bx, by)[:2]

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

    def joined_on_beam(self, near: Point, far: Point, up: float = 0.0) -> float:
        """Where the plumb plane through two places, ``up`` above the tyres' plane, meets the beam."""

        def beside(left: float) -> float:
            """How far a point of the beam, plumbed to that height, is off the line through both."""
            x, y, z = self.in_space(0.0, left)
            lean_x, lean_y = self.plumb
            x, y = x - (z - up) * lean_x, y - (z - up) * lean_y
            return (far[0] - near[0]) * (y - near[1]) - (far[1] - near[1]) * (x - near[0])

        return beside(0.0) / (beside(0.0) - beside(1.0))

    def returned(self, corner: Corner, distance: float) -> float:
        """Where a beam that leaves the frame square comes back from a mirror on a wheel, left positive."""
        return distance * math.tan(math.radians(2 * (self.heading(corner) - self.pose.yaw_deg)))
