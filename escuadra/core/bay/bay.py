"""A bay: its outline, what stands and shines in it, its fixed points, and where a vehicle stands in it.

Bay axes: x along the bay's length from its closed end, y to the left looking that way, millimetres; a heading is
counted from the x axis, positive to the left (ISO 8855 carried over to the room). The published schema of a bay's
sheet is this model.
"""

import math
from collections.abc import Sequence
from typing import Annotated, Self

from pydantic import Field, model_validator

from escuadra.core.base.axes import turned
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, Line, NotNegative, Number, Positive
from escuadra.core.base.said import Plain, exact, said
from escuadra.core.procedure.things import ThingKind

MOST_THINGS = 200
LARGEST_BAY = 200_000
Corner2 = tuple[Number, Number]


class Thing(Frozen):
    """Something fixed in the bay, as a rectangle on the floor plan."""

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,30}$")
    kind: ThingKind
    name: Line = Field(min_length=1, max_length=60)
    x: Number = Field(description="of its middle")
    y: Number
    length: Positive = Field(description="along x, before it is turned")
    width: Positive = Field(description="along y, before it is turned")
    turn_deg: Number = 0.0

    @property
    def corners(self) -> list[tuple[float, float]]:
        """Its four corners, in order."""
        return rectangle(
            self.x, self.y, self.turn_deg, self.length / 2, self.length / 2, self.width / 2, self.width / 2
        )


class FixedPoint(Frozen):
    """A point of the bay that stays: a bolt, a corner, a punched mark."""

    id: str = Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]{0,30}$")
    x: Number
    y: Number
    u: NotNegative = Field(1.0, description="the same in every direction, mm")


class Door(Frozen):
    """The way in: a stretch of the outline."""

    x1: Number
    y1: Number
    x2: Number
    y2: Number


class Rack(Frozen):
    """Two runways that a vehicle stands on, above the floor."""

    x_from: Number
    x_to: Number
    left_y: Number = Field(description="of the left runway's middle")
    right_y: Number
    width: Positive = Field(description="of a runway")
    height: Positive = Field(description="above the floor, nominal")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.x_from >= self.x_to:
            raise BadInput("x_to", self.x_to, said("wants.more_than_x", x_from=exact(Plain, self.x_from)))
        if self.right_y >= self.left_y:
            raise BadInput("right_y", self.right_y, said("wants.less_than_left_y_y", left_y=exact(Plain, self.left_y)))
        return self


class Place(Frozen):
    """Where a vehicle stands in a bay: its rear axle's middle and its heading."""

    x: Number
    y: Number
    heading_deg: Number = 0.0

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A place in vehicle axes, in the bay's."""
        dx, dy = turned(self.heading_deg, x, y)
        return self.x + dx, self.y + dy


class Bay(Frozen):
    """A bay's sheet."""

    name: Line = Field(min_length=1, max_length=60)
    length: Annotated[Positive, Field(le=LARGEST_BAY)]
    width: Annotated[Positive, Field(le=LARGEST_BAY)]
    outline: list[Corner2] = Field(default=[], max_length=60, description="corners in order; empty: the rectangle")
    door: Door | None = None
    things: list[Thing] = Field(default=[], max_length=MOST_THINGS)
    fixed_points: list[FixedPoint] = Field(default=[], max_length=60)
    rack: Rack | None = None
    u_rise_mm: Positive = Field(
        6.0, description="of the floor where the frame stands off the tyres' plane, where not surveyed, one sigma"
    )
    u_place_mm: Positive = Field(1.5, description="of each place of a floor that was not surveyed, one sigma")
    usual: Place | None = Field(None, description="where vehicles usually stand")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        each_once("things", (thing.id for thing in self.things), said("wants.each_id_once"))
        each_once("fixed_points", (point.id for point in self.fixed_points), said("wants.each_id_once"))
        if self.outline:
            if len(self.outline) < 3:
                raise BadInput("outline", len(self.outline), said("wants.3_corners_or_more_or"))
            if crosses_itself(self.outline):
                raise BadInput("outline", said("bay.lines_cross"), said("wants.corners_order_around_bay"))
            if abs(area(self.outline)) < 1e6:
                raise BadInput("outline", f"{abs(area(self.outline)) / 1e6:.2f} m²", said("wants.area_1_m_or_more"))
        return self

    @property
    def corners(self) -> list[tuple[float, float]]:
        """The outline's corners, counter-clockwise."""
        if not self.outline:
            return [(0.0, 0.0), (self.length, 0.0), (self.length, self.width), (0.0, self.width)]
        found = [(float(x), float(y)) for x, y in self.outline]
        return found if area(found) > 0 else found[::-1]

    def of(self, *kinds: ThingKind) -> list[Thing]:
        """The things of these kinds."""
        return [thing for thing in self.things if thing.kind in kinds]


def rectangle(
    x: float, y: float, heading_deg: float, ahead: float, behind: float, left: float, right: float
) -> list[tuple[float, float]]:
    """Corners of a rectangle around a point, counter-clockwise, from its reach to the four sides."""
    reach = ((ahead, -right), (ahead, left), (-behind, left), (-behind, -right))
    return [(x + dx, y + dy) for dx, dy in (turned(heading_deg, *corner) for corner in reach)]


def area(corners: Sequence[tuple[float, float]]) -> float:
    """Signed area of a polygon, counter-clockwise positive, mm²."""
    ring = list(zip(corners, [*corners[1:], corners[0]], strict=True))
    return math.fsum(ax * by - bx * ay for (ax, ay), (bx, by) in ring) / 2


def crosses_itself(corners: Sequence[tuple[float, float]]) -> bool:
    """Two sides of the polygon, not neighbours, cut each other."""
    n = len(corners)
    sides = [(corners[k], corners[(k + 1) % n]) for k in range(n)]

    def turn(a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]) -> float:
        return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])

    for i in range(n):
        for k in range(i + 2, n):
            if i == 0 and k == n - 1:
                continue
            (a, b), (c, e) = sides[i], sides[k]
            if turn(a, b, c) * turn(a, b, e) < 0 and turn(c, e, a) * turn(c, e, b) < 0:
                return True
    return False
