"""Is this instrument still right, and when will it leave its limit?

Source: the trade's self-checks (end for end, two pegs, three points, reference length, rectangle by its diagonal); a
weighted straight line through the history of biases. Signs are the instrument's own; millimetres and degrees.
"""

import math
from itertools import pairwise
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import ConfigDict, Field, RootModel, field_validator, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive, read_as
from escuadra.core.base.said import Plain, exact, said
from escuadra.core.measure.readings import REFERENCE_TEMPERATURE

DAYS_A_YEAR = 365.25


class LevelReversal(Frozen):
    """A level on one spot, turned end for end."""

    test: Literal["level_reversal"]
    first: Number
    second: Number


class TwoPeg(Frozen):
    """Staff readings from midway, then from another place at the given distances."""

    test: Literal["two_peg"]
    mid_a: Number
    mid_b: Number
    off_a: Number
    off_b: Number
    off_to_a: NotNegative
    off_to_b: NotNegative

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if self.off_to_a == self.off_to_b:
            raise BadInput(
                "off_to_b", self.off_to_b, said("wants.distance_other_than_off", off_to_a=exact(Plain, self.off_to_a))
            )
        return self


class ThreePoint(Frozen):
    """A distance meter over one line and its two parts."""

    test: Literal["three_point"]
    ab: Number
    bc: Number
    ac: Number


class Parallel(Frozen):
    """A beam along a straight edge, near and far."""

    test: Literal["parallel"]
    near_station: Number
    near: Number
    far_station: Number
    far: Number

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if self.near_station == self.far_station:
            raise BadInput(
                "far_station",
                self.far_station,
                said("wants.station_other_than_near_station", near_station=exact(Plain, self.near_station)),
            )
        return self


class Square(Frozen):
    """Two arms and the diagonal between their ends."""

    test: Literal["square"]
    a: Positive
    b: Positive
    diagonal: Positive

    @model_validator(mode="after")
    def _triangle(self) -> Self:
        if not abs(self.a - self.b) < self.diagonal < self.a + self.b:
            raise BadInput(
                "diagonal",
                self.diagonal,
                said("wants.between", b=exact(Plain, abs(self.a - self.b)), b2=exact(Plain, self.a + self.b)),
            )
        return self


class Plumb(Frozen):
    """A vertical beam beside a plumb line."""

    test: Literal["plumb"]
    top: Number
    bottom: Number
    height: Positive


class Runout(Frozen):
    """A clamp on its wheel before and after the wheel was rolled half a turn, the clamp untouched."""

    test: Literal["runout"]
    first: Number
    second: Number


class Reference(Frozen):
    """Readings of a known length."""

    test: Literal["reference"]
    readings: list[Number] = Field(min_length=1)
    length: Positive
    u_length: NotNegative
    temperature: Number | None = None
    expansion_per_k: Number | None = None

    @model_validator(mode="after")
    def _pair(self) -> Self:
        if (self.temperature is None) != (self.expansion_per_k is None):
            missing = "temperature" if self.temperature is None else "expansion_per_k"
            raise BadInput(missing, "", said("wants.temperature_expansion_per_k_together"))
        return self


Test = Annotated[
    LevelReversal | TwoPeg | ThreePoint | Parallel | Square | Plumb | Runout | Reference, Field(discriminator="test")
]


class CheckInput(RootModel[Test]):
    """One self-check with its readings."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)

    @classmethod
    def read(cls, data: Any) -> Self:
        """Validate plain data; raises ``BadInput`` that names the field."""
        return read_as(cls, data)


class CheckResult(Frozen):
    """What the test finds; only the keys that belong to it."""

    bias: float | None = None
    u_bias: float | None = None
    s: float | None = None
    truth: float | None = None
    tilt: float | None = None
    per_10_m: float | None = Field(None, description="mm in 10 m")
    tilt_deg: float | None = None
    zero_error: float | None = None
    drift: float | None = None
    angle_deg: float | None = None
    error_deg: float | None = None
    runout: float | None = None


@calculation("check")
def check(given: CheckInput) -> CheckResult:
    """Work a self-check out."""
    return CheckResult(**_found(given.root))


def _found(test: Any) -> dict[str, float]:
    def degrees(tangent: float) -> float:
        return math.degrees(math.atan(tangent))

    match test:
        case LevelReversal():
            return {"bias": (test.first + test.second) / 2, "truth": (test.first - test.second) / 2}
        case TwoPeg():
            tilt = ((test.off_a - test.off_b) - (test.mid_a - test.mid_b)) / (test.off_to_a - test.off_to_b)
            return {"tilt": tilt, "per_10_m": 10_000 * tilt, "tilt_deg": degrees(tilt)}
        case ThreePoint():
            return {"zero_error": test.ab + test.bc - test.ac}
        case Parallel():
            drift = test.far - test.near
            return {"drift": drift, "angle_deg": degrees(drift / (test.far_station - test.near_station))}
        case Square():
            cosine = (test.a**2 + test.b**2 - test.diagonal**2) / (2 * test.a * test.b)
            angle = math.degrees(math.acos(max(-1.0, min(1.0, cosine))))
            return {"angle_deg": angle, "error_deg": angle - 90}
        case Plumb():
            return {"tilt_deg": degrees((test.top - test.bottom) / test.height)}
        case Runout():
            return {"runout": (test.first - test.second) / 2, "truth": (test.first + test.second) / 2}
    n = len(test.readings)
    mean = math.fsum(test.readings) / n
    s = math.sqrt(math.fsum((r - mean) ** 2 for r in test.readings) / (n - 1)) if n > 1 else 0.0
    warm = 1.0
    if test.temperature is not None:
        warm += test.expansion_per_k * (test.temperature - REFERENCE_TEMPERATURE)
    return {"bias": mean * warm - test.length, "s": s, "u_bias": math.hypot(s / math.sqrt(n), test.u_length)}


class BiasEntry(Frozen):
    """A bias found on a day."""

    day: float = Field(ge=0, le=10_000_000, description="with fractions where it was checked twice in one")
    bias: Number
    u: Positive


class DriftInput(Frozen):
    """The history of an instrument's bias, and its limit."""

    history: list[BiasEntry]
    limit: Positive
    horizon_days: int = Field(ge=0, le=1_000_000)

    @field_validator("history")
    @classmethod
    def _ordered(cls, history: list[BiasEntry]) -> list[BiasEntry]:
        days = [entry.day for entry in history]
        if len(days) < 2 or any(a >= b for a, b in pairwise(days)):
            raise BadInput("history", days, said("wants.2_entries_or_more_days"))
        return history


class DriftResult(Frozen):
    """Where the bias is and when it will reach the limit."""

    per_year: float
    bias_now: float
    u_now: float
    reaches_day: int | None = Field(description="first day with |bias| + 2u at the limit; null within the horizon")


@calculation("drift")
def drift(given: DriftInput) -> DriftResult:
    """A weighted straight line through the biases, and when it reaches the limit."""
    last = given.history[-1].day
    t = np.array([entry.day - last for entry in given.history], dtype=float)
    rows = np.column_stack([np.ones_like(t), t])
    u = np.array([entry.u for entry in given.history])
    bias = np.array([entry.bias for entry in given.history])
    covariance = np.linalg.inv((rows / u[:, None] ** 2).T @ rows)
    line = covariance @ (rows / u[:, None] ** 2).T @ bias
    ahead = np.arange(1, given.horizon_days + 1, dtype=float) - (last - math.floor(last))
    spread = np.sqrt(covariance[0, 0] + 2 * covariance[0, 1] * ahead + covariance[1, 1] * ahead**2)
    reached = np.nonzero(np.abs(line[0] + line[1] * ahead) + 2 * spread >= given.limit)[0]
    return DriftResult(
        per_year=float(line[1]) * DAYS_A_YEAR,
        bias_now=float(line[0]),
        u_now=math.sqrt(float(covariance[0, 0])),
        reaches_day=math.floor(last) + int(reached[0]) + 1 if reached.size else None,
    )
