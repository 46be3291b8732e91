"""The vehicle's middle from pairs of matching points.

Source: weighted mean with data snooping (Baarda 1968: redundancy numbers and w-tests at the level 0.001).
Millimetres along one straight scale across the vehicle that increases to the left.
"""

import math
from typing import Self

from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.said import Plain, exact, said

CRITICAL_W = 3.2905
"""Two-sided limit of a normal w-test at the level 0.001."""


class Pair(Frozen):
    """Two matching points, read on the scale."""

    id: str
    left: Number
    right: Number
    u: Positive = Field(description="standard uncertainty of each single reading, mm")

    @model_validator(mode="after")
    def _order(self) -> Self:
        if self.left <= self.right:
            raise BadInput(
                "left", self.left, said("wants.more_than_right_scale_increases", right=exact(Plain, self.right))
            )
        return self


class SymmetryInput(Frozen):
    """One or more pairs on one scale."""

    pairs: list[Pair] = Field(min_length=1)

    @model_validator(mode="after")
    def _unique(self) -> Self:
        each_once("pairs", (pair.id for pair in self.pairs), said("wants.each_pairs_id_once"))
        return self


class SymmetryResult(Frozen):
    """The weighted middle, and the pair that is to blame where one is."""

    centre: float
    u: float
    residuals: dict[str, float] = Field(description="pair's middle minus the weighted middle, mm")
    w: dict[str, float]
    suspect: str | None


@calculation("symmetry")
def symmetry(given: SymmetryInput) -> SymmetryResult:
    """Weighted middle of the pairs with w-tests."""
    middles = {pair.id: (pair.left + pair.right) / 2 for pair in given.pairs}
    u = {pair.id: pair.u / math.sqrt(2) for pair in given.pairs}
    total = math.fsum(1 / s**2 for s in u.values())
    centre = math.fsum(middles[i] / u[i] ** 2 for i in middles) / total
    residuals = {i: m - centre for i, m in middles.items()}
    w = {}
    for i, residual in residuals.items():
        redundancy = 1 - (1 / u[i] ** 2) / total
        w[i] = residual / (u[i] * math.sqrt(redundancy)) if len(middles) > 1 and redundancy > 0 else 0.0
    worst = max(w, key=lambda i: abs(w[i]))
    blamed = len(middles) >= 3 and abs(w[worst]) > CRITICAL_W
    return SymmetryResult(
        centre=centre, u=1 / math.sqrt(total), residuals=residuals, w=w, suspect=worst if blamed else None
    )
