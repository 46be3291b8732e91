"""From where the frame stands to where it must stand.

Yaw, then sideways, then distance, then height, since each disturbs only what comes after it.
Source: rigid motion in the plane about the yaw screw's pivot.
"""

from pydantic import Field, field_validator

from escuadra.core.base.axes import Pose, short_way, turned
from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number
from escuadra.core.base.said import said


class GoalPose(Pose):
    """A pose with its height given."""

    height: Number = Field(description="above the floor, mm")


class YawScrew(Frozen):
    """What turns the beam, and about which point of it."""

    pivot: tuple[Number, Number] = Field(description="frame axes, mm")
    yaw_deg_per_turn: Number = Field(description="of the beam, for a turn of the screw")

    @field_validator("yaw_deg_per_turn")
    @classmethod
    def _works(cls, value: float) -> float:
        if value == 0:
            raise BadInput("yaw_deg_per_turn", value, said("wants.not_0_yaw_screw_does"))
        return value


class MovesInput(Frozen):
    """Where the frame stands and where it must."""

    pose: GoalPose
    goal: GoalPose
    frame: YawScrew


class MovesResult(Frozen):
    """The four moves in their order."""

    yaw_change_deg: float = Field(description="to the left positive")
    yaw_turns: float
    move_left: float = Field(description="along the beam after the yaw, mm")
    move_away: float = Field(description="square to it, away from the vehicle positive, mm")
    raise_: float = Field(alias="raise", description="mm")
    centre_after_yaw: tuple[float, float]


@calculation("moves")
def moves(given: MovesInput) -> MovesResult:
    """The moves that bring the frame from pose to goal."""
    pose, goal, screw = given.pose, given.goal, given.frame
    change = short_way(goal.yaw_deg - pose.yaw_deg)
    ax, ay = turned(pose.yaw_deg, *screw.pivot)
    bx, by = turned(goal.yaw_deg, *screw.pivot)
    cx, cy = pose.x + ax - bx, pose.y + ay - by
    away, left = turned(-goal.yaw_deg, goal.x - cx, goal.y - cy)
    return MovesResult.model_validate(
        {
            "yaw_change_deg": change,
            "yaw_turns": change / screw.yaw_deg_per_turn,
            "move_left": left,
            "move_away": away,
            "raise": goal.height - pose.height,
            "centre_after_yaw": (cx, cy),
        }
    )
