"""Thrust line and body centreline, and how far apart they run.

Source: ISO 8855 axes; first-order propagation after JCGM 100. Vehicle axes in millimetres; angles in degrees,
positive to the left; toe-in positive on either side.
"""

import math
from typing import Any, Self

from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number
from escuadra.core.base.said import said


class RearToe(Frozen):
    """Rear toe as an alignment printout gives it."""

    left_deg: Number
    right_deg: Number
    u_deg: NotNegative = Field(description="of each toe")
    u_common_deg: NotNegative = Field(0.0, description="of an error that turns both headings alike")
    u_origin: NotNegative = Field(0.0, description="sideways, of the rear axle's middle, mm")


class Mark(Frozen):
    """A centre mark in vehicle axes."""

    x: Number
    y: Number
    u: NotNegative = Field(description="sideways, mm")


class BodyMarks(Frozen):
    """The front and the rear centre mark."""

    front: Mark
    rear: Mark

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if self.front.x == self.rear.x:
            raise BadInput("body_marks", self.front.x, said("wants.two_marks_different_x"))
        return self


class LinesInput(Frozen):
    """What is known of either line, and where it is asked for."""

    rear_toe: RearToe | None = None
    body_marks: BodyMarks | None = None
    stations: list[Number] = Field(description="x of the places asked for, mm")

    @model_validator(mode="after")
    def _something(self) -> Self:
        if self.rear_toe is None and self.body_marks is None:
            raise BadInput("rear_toe", "neither", said("wants.rear_toe_body_marks_or"))
        return self


class LineAt(Frozen):
    """Where a line passes at a station."""

    x: float
    y: float
    u: float


class Line(Frozen):
    """A line's direction and where it passes."""

    angle_deg: float
    u_deg: float
    at: list[LineAt]


class Separation(Frozen):
    """Thrust line minus body centreline at a station, positive: the thrust line runs further left."""

    x: float
    value: float
    u: float


class LinesResult(Frozen):
    """Each line, and the distance between them, where its input is there."""

    thrust: Line | None = None
    body: Line | None = None
    separation: list[Separation] | None = None


def _thrust(toe: RearToe, stations: list[float]) -> Line:
    angle = math.radians((toe.right_deg - toe.left_deg) / 2)
    u = math.radians(math.sqrt(toe.u_deg**2 / 2 + toe.u_common_deg**2))
    sec2 = 1 / math.cos(angle) ** 2
    at = [LineAt(x=x, y=x * math.tan(angle), u=math.hypot(x * sec2 * u, toe.u_origin)) for x in stations]
    return Line(angle_deg=math.degrees(angle), u_deg=math.degrees(u), at=at)


def _body(marks: BodyMarks, stations: list[float]) -> Line:
    front, rear = marks.front, marks.rear
    length = front.x - rear.x
    at = []
    for x in stations:
        t = (x - rear.x) / length
        at.append(LineAt(x=x, y=(1 - t) * rear.y + t * front.y, u=math.hypot(t * front.u, (1 - t) * rear.u)))
    return Line(
        angle_deg=math.degrees(math.atan((front.y - rear.y) / length)),
        u_deg=math.degrees(math.hypot(front.u, rear.u) / abs(length)),
        at=at,
    )


@calculation("lines")
def lines(given: LinesInput) -> LinesResult:
    """Both lines at the stations, and their separation where both are known."""
    parts: dict[str, Any] = {}
    if given.rear_toe is not None:
        parts["thrust"] = thrust = _thrust(given.rear_toe, given.stations)
    if given.body_marks is not None:
        parts["body"] = body = _body(given.body_marks, given.stations)
    if given.rear_toe is not None and given.body_marks is not None:
        parts["separation"] = [
            Separation(x=a.x, value=a.y - b.y, u=math.hypot(a.u, b.u)) for a, b in zip(thrust.at, body.at, strict=True)
        ]
    return LinesResult(**parts)
