"""Does a value hold its tolerance, as well as it can be measured?

Source: JCGM 106:2012 (conformance probability 7, guard bands 8.3); ISO 14253-1:2017, whose default guard of
1.65 u is a ``guard_factor`` of 0.825 here.
"""

import math
from typing import Literal, Self

from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number
from escuadra.core.base.said import Plain, exact, said

MOST_READINGS = 20
Verdict = Literal["holds", "out", "undecided"]


class VerdictInput(Frozen):
    """A value, its standard uncertainty and its limits."""

    value: Number
    u: NotNegative = Field(description="standard uncertainty of the value")
    lower: Number | None = Field(None, description="lower limit; null where open")
    upper: Number | None = Field(None, description="upper limit; null where open")
    rule: Literal["guarded", "simple"] = Field(description="guarded: the guard band is taken off the tolerance")
    guard_factor: NotNegative = Field(1.0, description="guard = guard_factor · U")
    coverage_factor: NotNegative = Field(2.0, description="U = coverage_factor · u")
    repeatability: NotNegative | None = Field(None, description="one sigma of one more reading, for the advice")
    u_fixed: NotNegative | None = Field(None, description="what more readings cannot lessen, for the advice")

    @model_validator(mode="after")
    def _limits(self) -> Self:
        if self.lower is None and self.upper is None:
            raise BadInput("lower", said("verdict.no_limit"), said("wants.lower_limit_upper_limit_or"))
        if self.lower is not None and self.upper is not None and self.lower > self.upper:
            raise BadInput("lower", self.lower, said("wants.most_upper_limit", upper=exact(Plain, self.upper)))
        return self


class VerdictResult(Frozen):
    """State and the figures behind it."""

    U: float = Field(description="expanded uncertainty")
    guard: float = Field(description="width of the guard band at either limit")
    margin: float = Field(description="distance to the nearer limit, negative outside")
    state: Verdict
    capable: bool = Field(description="false: this instrument can never pass this tolerance")
    tur: float | None = Field(description="tolerance ÷ 2U")
    probability: float = Field(description="that the true value lies within the limits")
    readings_needed: int | None = Field(description="how many readings would settle it")


def _phi(x: float) -> float:
    return 0.5 * math.erfc(-x / math.sqrt(2))


@calculation("verdict")
def verdict(given: VerdictInput) -> VerdictResult:
    """Judge a value against its limits by the guarded or the simple rule."""
    lower = -math.inf if given.lower is None else given.lower
    upper = math.inf if given.upper is None else given.upper
    expanded = given.coverage_factor * given.u
    guard = given.guard_factor * expanded if given.rule == "guarded" else 0.0
    margin = min(given.value - lower, upper - given.value)
    state: Verdict = "undecided"
    if margin >= guard:
        state = "holds"
    elif margin <= -guard:
        state = "out"
    both = math.isfinite(lower) and math.isfinite(upper)
    if given.u > 0:
        probability = _phi((upper - given.value) / given.u) - _phi((lower - given.value) / given.u)
    else:
        probability = 1.0 if margin >= 0 else 0.0
    needed = None
    if state == "undecided" and given.repeatability is not None and given.u_fixed is not None:
        for n in range(1, MOST_READINGS + 1):
            u_n = math.sqrt(given.u_fixed**2 + given.repeatability**2 / n)
            if abs(margin) >= given.guard_factor * given.coverage_factor * u_n:
                needed = n
                break
    return VerdictResult(
        U=expanded,
        guard=guard,
        margin=margin,
        state=state,
        capable=not both or guard == 0 or (upper - lower) / 2 >= guard,
        tur=(upper - lower) / (2 * expanded) if both and expanded > 0 else None,
        probability=probability,
        readings_needed=needed,
    )
