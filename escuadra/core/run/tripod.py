"""A target on a stand before the vehicle: place, level, height and distance told together, and one move.

A stand that leans holds its target aside of its foot; plumbing it moves the target, so that distance and centring that
were read before are spoiled. Both are solved at once: what plumbing alone does is known from the lean and the height.
Source: plane geometry; each move is what is wanted, less what is read, less what plumbing does. Away from the vehicle,
left as from the driver's seat, and up positive; millimetres and degrees.
"""

import math

from pydantic import Field

from escuadra.core.base.calculation import calculation
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive

MOST_LEAN_DEG = 20.0


class TripodInput(Frozen):
    """What was read at the stand, and what it should be."""

    distance: Positive = Field(description="from the target's middle to the vehicle's part, mm")
    wanted_distance: Positive
    line: Number = Field(description="how far left of the target's middle the line passes, mm")
    wanted_left: Number = Field(0.0, description="where the middle must be, left of the line, mm")
    height: Positive = Field(description="of the middle above the floor, mm")
    wanted_height: Positive
    lean_away_deg: float = Field(0.0, ge=-MOST_LEAN_DEG, le=MOST_LEAN_DEG, description="of the stand's top")
    lean_left_deg: float = Field(0.0, ge=-MOST_LEAN_DEG, le=MOST_LEAN_DEG)
    u_distance: NotNegative = 0.0
    u_line: NotNegative = 0.0
    u_height: NotNegative = 0.0
    u_lean_deg: NotNegative = 0.0


class Along(Frozen):
    """Of one direction: how far off it is, what plumbing alone does, and what is then left to move, mm."""

    off: float
    u: float = Field(description="of what is off, one sigma")
    plumbed: float
    move: float
    u_move: float = Field(description="one sigma; the lean counts")


class TripodResult(Frozen):
    """The target against its place, and the one move that brings it there."""

    away: Along
    left: Along
    up: Along


@calculation("tripod")
def tripod(given: TripodInput) -> TripodResult:
    """Where a stand's target is, and the move that is left once the stand is plumb about its foot."""
    away, left = (math.tan(math.radians(lean)) for lean in (given.lean_away_deg, given.lean_left_deg))
    column = given.height * math.sqrt(1 + away**2 + left**2)
    u_lean = math.radians(given.u_lean_deg)

    def along(off: float, u: float, plumbed: float, *further: float) -> Along:
        return Along(off=off, u=u, plumbed=plumbed, move=-off - plumbed, u_move=math.hypot(*further))

    def aside(off: float, u: float, slope: float) -> Along:
        """Sideways or away: the lean and the height carry the target aside."""
        by_lean, by_height = given.height * (1 + slope**2) * u_lean, slope * given.u_height
        return along(off, u, -given.height * slope, u, by_lean, by_height)

    sinks = given.height**2 / column * math.hypot(away * (1 + away**2), left * (1 + left**2))
    rises = column / given.height
    return TripodResult(
        away=aside(given.distance - given.wanted_distance, given.u_distance, away),
        left=aside(-given.line - given.wanted_left, given.u_line, left),
        up=along(
            given.height - given.wanted_height,
            given.u_height,
            column - given.height,
            rises * given.u_height,
            sinks * u_lean,
        ),
    )
