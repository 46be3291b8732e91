"""Ride height, and what it does to a sensor on the body.

Source: least-squares plane through the four arches' deviations; axes and signs of ISO 8855 (nose down and
left side up positive). Millimetres and degrees.
"""

import math
from typing import Any

import numpy as np
from pydantic import Field

from escuadra.core.base.calculation import calculation
from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive


class Arch(Frozen):
    """Floor to arch at one wheel."""

    height: Positive = Field(description="as read, mm")
    nominal: Positive = Field(description="as specified, mm")
    minus: NotNegative = Field(description="allowed below nominal, mm")
    plus: NotNegative = Field(description="allowed above nominal, mm")


class Place(Frozen):
    """A place on the body, vehicle axes."""

    x: Number
    y: Number


class Arches(Frozen):
    """The four arches, named from the driver's seat."""

    LF: Arch
    RF: Arch
    LR: Arch
    RR: Arch


class StanceInput(Frozen):
    """Ride heights of a vehicle and, where asked, a sensor's place."""

    wheelbase: Positive
    track_front: Positive
    track_rear: Positive
    corners: Arches
    side_difference_max: NotNegative | None = None
    sensor: Place | None = None


class StanceResult(Frozen):
    """How the body stands against its nominal."""

    deviation: dict[Corner, float]
    within: dict[Corner, bool]
    side_difference: dict[str, float]
    sides_within: dict[str, bool] | None = None
    heave: float = Field(description="deviation at the rear axle's middle, mm")
    pitch_deg: float = Field(description="nose down positive")
    roll_deg: float = Field(description="left side up positive")
    warp: float = Field(description="largest residual of a corner from the plane, mm")
    sensor_height_change: float | None = None


@calculation("stance")
def stance(given: StanceInput) -> StanceResult:
    """Deviations, side differences, pitch, roll and warp of the body."""
    arches = {corner: getattr(given.corners, corner) for corner in CORNERS}
    front, rear = given.track_front / 2, given.track_rear / 2
    places = {"LF": (given.wheelbase, front), "RF": (given.wheelbase, -front), "LR": (0.0, rear), "RR": (0.0, -rear)}
    deviation = {corner: arch.height - arch.nominal for corner, arch in arches.items()}
    rows = np.array([[1.0, *places[corner]] for corner in CORNERS])
    d = np.array([deviation[corner] for corner in CORNERS])
    plane = np.linalg.lstsq(rows, d, rcond=None)[0]
    sides = {
        "front": deviation["LF"] - deviation["RF"],
        "rear": deviation["LR"] - deviation["RR"],
    }
    extra: dict[str, Any] = {}
    if given.side_difference_max is not None:
        extra["sides_within"] = {end: abs(value) <= given.side_difference_max for end, value in sides.items()}
    if given.sensor is not None:
        extra["sensor_height_change"] = float(plane @ [1.0, given.sensor.x, given.sensor.y])
    return StanceResult(
        deviation=deviation,
        within={c: -arches[c].minus <= deviation[c] <= arches[c].plus for c in CORNERS},
        side_difference=sides,
        heave=float(plane[0]),
        pitch_deg=-math.degrees(math.atan(plane[1])),
        roll_deg=math.degrees(math.atan(plane[2])),
        warp=float(np.max(np.abs(d - rows @ plane))),
        **extra,
    )
