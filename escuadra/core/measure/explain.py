"""Could the set-up have made this result: what each of its errors may have contributed, and what is left over.

Source: Bayesian estimation of a linear model with Gaussian errors (generalised least squares, Tikhonov's form), and the
single-blunder test of geodesy (Baarda's w) for each cause on its own.
"""

import math
from typing import Self

import numpy as np
from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.chisquare import quantile
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import said

SEEN = 1e-18
"""A cause below this share of the results' weight cannot be told from nothing."""
SHARES_BLAME = 0.95
"""So near the largest test value, another cause explains as much."""


class Shown(Frozen):
    """A misalignment that the vehicle reported, and how well it reports."""

    id: str
    value: Number = Field(description="degrees")
    u: Positive


class Cause(Frozen):
    """Something of the set-up that may be wrong, how well it is known, and what it does to each result."""

    id: str
    u: NotNegative = Field(description="one sigma, in the cause's own unit")
    effect: dict[str, Number] = Field(description="by result: its change per unit of the cause; 0 where left out")


class ExplainInput(Frozen):
    """Results of a run, and what can have caused them."""

    results: list[Shown]
    causes: list[Cause]
    alpha: float = Field(0.05, gt=0, lt=1)

    @model_validator(mode="after")
    def _sound(self) -> Self:
        for field, ids in (("results", [r.id for r in self.results]), ("causes", [c.id for c in self.causes])):
            if not ids:
                raise BadInput(field, 0, said("wants.one_or_more"))
            each_once(field, ids, said("wants.each_id_once"))
        known = {result.id for result in self.results}
        strange = next((of for cause in self.causes for of in cause.effect if of not in known), None)
        if strange is not None:
            raise BadInput("effect", strange, said("wants.effect_on_a_result"))
        return self


class Explained(Frozen):
    """What one cause may have contributed, and how large it would have to be alone."""

    estimate: float = Field(description="most likely, in the cause's unit")
    u: float
    explains: dict[str, float] = Field(description="of each result, degrees")
    alone: float | None = Field(description="the error of it that by itself explains most; null: it has no effect")
    w: float | None = Field(description="how much better the results fit with it: a normal test value")


class ExplainResult(Frozen):
    """Whether what the set-up may be wrong by explains the results."""

    expected_u: dict[str, float] = Field(description="what the set-up alone lets one expect, one sigma, degrees")
    chi2: float
    limit: float
    plausible: bool
    causes: dict[str, Explained]
    leftover: dict[str, float] = Field(description="what no cause of the set-up explains, degrees")
    suspects: list[str] = Field(description="that explain most by themselves, where the set-up as known does not")


@calculation("explain")
def explain(given: ExplainInput) -> ExplainResult:
    """Results (n,) against causes (m,) through their effects (n × m)."""
    names = [result.id for result in given.results]
    y = np.array([result.value for result in given.results])
    effects = np.array([[cause.effect.get(name, 0.0) for cause in given.causes] for name in names])
    prior = np.diag([cause.u**2 for cause in given.causes])
    from_setup = effects @ prior @ effects.T
    weight = np.linalg.inv(from_setup + np.diag([result.u**2 for result in given.results]))
    gain = prior @ effects.T @ weight
    estimates, left = gain @ y, prior - gain @ effects @ prior
    chi2, limit = float(y @ weight @ y), quantile(given.alpha, len(names))
    causes = {}
    for k, cause in enumerate(given.causes):
        pull, own = float(effects[:, k] @ weight @ y), float(effects[:, k] @ weight @ effects[:, k])
        alone, w = (pull / own, pull / math.sqrt(own)) if own >= SEEN else (None, None)
        share = dict(zip(names, map(float, effects[:, k] * estimates[k]), strict=True))
        u = math.sqrt(max(0.0, float(left[k, k])))
        causes[cause.id] = Explained(estimate=float(estimates[k]), u=u, explains=share, alone=alone, w=w)
    most = max((abs(found.w) for found in causes.values() if found.w is not None), default=0.0)
    blamed = [id for id, found in causes.items() if found.w is not None and abs(found.w) >= SHARES_BLAME * most]
    return ExplainResult(
        expected_u=dict(zip(names, map(float, np.sqrt(np.diag(from_setup))), strict=True)),
        chi2=chi2,
        limit=limit,
        plausible=chi2 <= limit,
        causes=causes,
        leftover=dict(zip(names, map(float, y - effects @ estimates), strict=True)),
        suspects=[] if chi2 <= limit else blamed,
    )
