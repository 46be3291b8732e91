"""Toe and track of four wheels from a string or laser line along each side.

Source: plane geometry in the axes of the left string; first-order propagation after JCGM 100 with gradients by complex
step. Millimetres and degrees, toe-in positive on either side.
"""

import math
from typing import Any

import numpy as np
from pydantic import Field

from escuadra.core.base.calculation import calculation
from escuadra.core.base.corners import CORNERS, FRONT, LEFT, Corner
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive


class Strings(Frozen):
    """Distance between both strings at a front and at a rear place."""

    front: Positive
    rear: Positive
    spacing: Positive = Field(description="how far apart the two places are, mm")


class StringWheel(Frozen):
    """From the string to the rim's front and rear edge, at hub height."""

    front: Number
    rear: Number
    span: Positive = Field(description="between those edges, mm")


class StringWheels(Frozen):
    """All four wheels."""

    LF: StringWheel
    RF: StringWheel
    LR: StringWheel
    RR: StringWheel


class StringsInput(Frozen):
    """Eight distances, the strings' own, and the uncertainty of each."""

    wheelbase: Positive
    strings: Strings
    wheels: StringWheels
    u: NotNegative = Field(description="of each reading, mm; wheelbase, spacing and spans count as exact")


class StringsResult(Frozen):
    """Toe of each wheel, thrust angle and tracks."""

    toe_deg: dict[Corner, float]
    thrust_deg: float
    u_thrust_deg: float
    track: dict[str, float]


def _worked_out(given: StringsInput, p: Any) -> tuple[dict[Corner, Any], Any, dict[str, Any]]:
    """Toes, thrust angle (radians) and tracks for readings p[..., k]: strings front, rear, then wheels front, rear."""
    front, rear = p[..., 0], p[..., 1]
    reading = {c: (p[..., 2 + 2 * k], p[..., 3 + 2 * k]) for k, c in enumerate(CORNERS)}

    def apart(x: float) -> Any:
        return rear + (front - rear) * x / given.strings.spacing

    middle = {
        c: -sum(reading[c]) / 2 if c in LEFT else sum(reading[c]) / 2 - apart(given.wheelbase if c in FRONT else 0.0)
        for c in CORNERS
    }
    front_middle, rear_middle = (middle["LF"] + middle["RF"]) / 2, (middle["LR"] + middle["RR"]) / 2
    a = np.arctan((front_middle - rear_middle) / given.wheelbase)
    b = -np.arctan((front - rear) / given.strings.spacing)
    toe = {}
    for c in CORNERS:
        against = np.arctan((reading[c][0] - reading[c][1]) / getattr(given.wheels, c).span)
        toe[c] = against + a if c in LEFT else against + b - a
    track = {"front": middle["LF"] - middle["RF"], "rear": middle["LR"] - middle["RR"]}
    return toe, (toe["RR"] - toe["LR"]) / 2, track


def _read(given: StringsInput) -> Any:
    """All that was read, as ``_worked_out`` takes it."""
    wheels = [getattr(given.wheels, c) for c in CORNERS]
    return np.array([given.strings.front, given.strings.rear, *(v for w in wheels for v in (w.front, w.rear))])


def thrust_by_reading(given: StringsInput) -> dict[str, float]:
    """What 1 mm more at a wheel's edge, ``LF.front`` and so on, turns the thrust line by, degrees.

    How far apart the strings are turns the axis and the wheels alike, and so does not turn it. Source: the derivative
    of ``strings``, by a complex step.
    """
    p, step = _read(given), 1e-20
    gradient = np.degrees(np.imag(_worked_out(given, p + 1j * step * np.eye(len(p)))[1]) / step)
    names = [f"{corner}.{edge}" for corner in CORNERS for edge in ("front", "rear")]
    return dict(zip(names, map(float, gradient[2:]), strict=True))


@calculation("strings")
def strings(given: StringsInput) -> StringsResult:
    """Toe and track of all four wheels, and the thrust angle with its uncertainty."""
    toe, thrust, track = _worked_out(given, _read(given))
    return StringsResult(
        toe_deg={c: math.degrees(float(t)) for c, t in toe.items()},
        thrust_deg=math.degrees(float(thrust)),
        u_thrust_deg=given.u * math.hypot(*thrust_by_reading(given).values()),
        track={end: float(value) for end, value in track.items()},
    )
