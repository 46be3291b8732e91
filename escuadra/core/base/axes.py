"""Vehicle, frame and bay axes, and poses in them.

Source: ISO 8855 (x forward, y left, z up; yaw positive to the left). Millimetres and degrees at every boundary.
"""

import math

from pydantic import Field

from escuadra.core.base.model import Frozen, Number


class Pose(Frozen):
    """Where a frame stands in the vehicle's axes: its beam's centre, its yaw and its height."""

    x: Number
    y: Number
    yaw_deg: Number
    height: Number = Field(0.0, description="above the floor, mm")


def short_way(angle_deg: float) -> float:
    """A difference of bearings brought to (−180, 180]."""
    turned = math.fmod(angle_deg, 360.0)
    if turned > 180:
        turned -= 360
    elif turned <= -180:
        turned += 360
    return turned


def turned(yaw_deg: float, x: float, y: float) -> tuple[float, float]:
    """R(yaw)·(x, y): a vector in frame axes, in the axes that the yaw is counted in."""
    c, s = math.cos(math.radians(yaw_deg)), math.sin(math.radians(yaw_deg))
    return c * x - s * y, s * x + c * y
