"""What a misplaced target does on the road.

Source: plane trigonometry of the sensor's axis. A chart or corner reflector is seen where it stands; a flat
board is seen by its normal. Millimetres near the vehicle, metres on the road, degrees.
"""

import math
from typing import Literal, Self

from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.said import said


class AimInput(Frozen):
    """How a target is misplaced, as seen looking out along the sensor's axis."""

    by: Literal["position", "orientation"]
    roads: list[Number] = Field(description="distances ahead, m")
    target_left: Number | None = Field(None, description="mm")
    target_up: Number | None = Field(None, description="mm")
    sensor_to_target: Positive | None = Field(None, description="mm")
    target_yaw_deg: Number | None = None
    target_pitch_deg: Number | None = None

    @model_validator(mode="after")
    def _needs(self) -> Self:
        needed = {
            "position": ("target_left", "target_up", "sensor_to_target"),
            "orientation": ("target_yaw_deg", "target_pitch_deg"),
        }[self.by]
        for name in needed:
            if getattr(self, name) is None:
                raise BadInput(name, "", said("wants.figure_aiming_needs", by=self.by))
        return self


class RoadShift(Frozen):
    """Where the learned axis points at a distance, beside where it should."""

    road: float
    left_m: float
    up_m: float


class AimResult(Frozen):
    """The axis that the sensor learns, and what that means on the road."""

    yaw_deg: float
    pitch_deg: float
    at: list[RoadShift]


@calculation("aim")
def aim(given: AimInput) -> AimResult:
    """The learned axis and its shift at each road distance."""
    if given.by == "position":
        reach = given.sensor_to_target or 1.0
        yaw = math.atan((given.target_left or 0.0) / reach)
        pitch = -math.atan((given.target_up or 0.0) / reach)
    else:
        yaw = math.radians(given.target_yaw_deg or 0.0)
        pitch = math.radians(given.target_pitch_deg or 0.0)
    at = [RoadShift(road=r, left_m=r * math.tan(yaw), up_m=r * math.tan(-pitch)) for r in given.roads]
    return AimResult(yaw_deg=math.degrees(yaw), pitch_deg=math.degrees(pitch), at=at)
