"""Finding a floor mark with two tapes and a check: which controls, which distances, how sure.

Source: intersection of two distances, covariance M⁻¹·diag(s²)·M⁻ᵀ. Vehicle or bay axes, millimetres.
"""

import math
from itertools import combinations
from typing import Self

import numpy as np
from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number
from escuadra.core.base.said import said

MOST_CONTROLS = 100
LEAST_CUT = 0.05
"""Smallest sine of the angle at which two tapes may cut."""


class Control(Frozen):
    """A fixed point to measure from."""

    x: Number
    y: Number
    u: NotNegative = Field(description="the same in every direction, mm")


class StakePoint(Frozen):
    """A mark to be found."""

    id: str
    x: Number
    y: Number


class StakeTape(Frozen):
    """u of a taped length d is constant + ppm·1e-6·d."""

    constant: NotNegative
    ppm: NotNegative


class StakeoutInput(Frozen):
    """Controls, marks and the tape."""

    controls: dict[str, Control]
    points: list[StakePoint] = Field(min_length=1)
    tape: StakeTape

    @model_validator(mode="after")
    def _enough(self) -> Self:
        if not 2 <= len(self.controls) <= MOST_CONTROLS:
            raise BadInput("controls", len(self.controls), said("wants.2_controls", most_controls=MOST_CONTROLS))
        return self


class StakedMark(Frozen):
    """How to find a mark, and its one-sigma ellipse."""

    id: str
    pair: tuple[str, str]
    distances: tuple[float, float]
    check: str | None
    check_distance: float | None
    major: float
    minor: float


class StakeoutResult(Frozen):
    """All marks in their order."""

    marks: list[StakedMark]


@calculation("stakeout")
def stakeout(given: StakeoutInput) -> StakeoutResult:
    """The best pair of controls for each mark, and the control that checks it best."""
    return StakeoutResult(marks=[_mark(given, point) for point in given.points])


def _mark(given: StakeoutInput, point: StakePoint) -> StakedMark:
    ways: dict[str, tuple[float, np.ndarray, float]] = {}
    for i, control in given.controls.items():
        dx, dy = point.x - control.x, point.y - control.y
        d = math.hypot(dx, dy)
        if d > 0:
            variance = (given.tape.constant + given.tape.ppm * 1e-6 * d) ** 2 + control.u**2
            if variance == 0:
                raise BadInput("tape", said("stakeout.no_uncertainty"), said("wants.tape_or_controls_some_u"))
            ways[i] = (d, np.array([dx, dy]) / d, variance)
    best: tuple[float, tuple[str, str], np.ndarray] | None = None
    for pair in combinations(ways, 2):
        m = np.array([ways[i][1] for i in pair])
        if abs(np.linalg.det(m)) < LEAST_CUT:
            continue
        inverse = np.linalg.inv(m)
        covariance = inverse @ np.diag([ways[i][2] for i in pair]) @ inverse.T
        if best is None or np.trace(covariance) < best[0]:
            best = (float(np.trace(covariance)), (pair[0], pair[1]), covariance)
    if best is None:
        raise BadInput("points", point.id, said("wants.marks_two_controls_see_under"))
    _, pair, covariance = best
    weight = sum(np.outer(ways[i][1], ways[i][1]) / ways[i][2] for i in pair)
    checks = {
        i: float(np.trace(np.linalg.inv(weight + np.outer(e, e) / s2)))
        for i, (_, e, s2) in ways.items()
        if i not in pair
    }
    check = min(checks, key=lambda i: checks[i]) if checks else None
    minor, major = (math.sqrt(max(0.0, float(v))) for v in np.linalg.eigvalsh(covariance))
    return StakedMark(
        id=point.id,
        pair=pair,
        distances=(ways[pair[0]][0], ways[pair[1]][0]),
        check=check,
        check_distance=ways[check][0] if check else None,
        major=major,
        minor=minor,
    )
