"""How likely it is that everything on a sheet holds at once, and what that hangs on.

Figures of one solution are taken together with what they share (``joint``); what was read by itself is independent.
Source: ``joint``; probability that a quantity lies within its limits (JCGM 106).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from escuadra.core.base.said import Count, Said, Text, said
from escuadra.core.geodesy.state.box import joint
from escuadra.core.geodesy.state.located import Located
from escuadra.core.visit.checks.base import Figure, ToldBy
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.views import CheckView


@dataclass(frozen=True)
class Chance:
    """Probability that everything holds, and the check whose figures are the least sure."""

    everything: float
    hangs_on: Text

    @property
    def words(self) -> Said:
        """In hundreds, rounded down."""
        if self.everything < 0.01 or self.everything >= 0.99:
            code = "chance.less" if self.everything < 0.01 else "chance.more"
            return said(code, hangs_on=self.hangs_on)
        return said("chance.about", hundredths=Count(math.floor(100 * self.everything)), hangs_on=self.hangs_on)


def chance(epochs: Epochs, views: Sequence[CheckView]) -> Chance | None:
    """Of all figures of a sheet; nothing while one is open, stale or contradicts others."""
    views = [view for view in views if view.of_setup]
    judged = [view for view in views if view.judgement.figures]
    unread = any(view.state in ("open", "stale") and not (view.unguarded or view.settled) for view in views)
    if not judged or unread or any(view.judgement.inconsistency for view in views):
        return None
    together: dict[Located, list[tuple[Figure, ToldBy]]] = {}
    everything = 1.0
    for view in judged:
        told = {one.figure: one for one in view.check.told(epochs)}
        for figure in view.judgement.figures:
            by = told.get(figure.id)
            if by is None:
                everything *= figure.verdict.probability
            else:
                together.setdefault(by.located, []).append((figure, by))
    for located, figures in together.items():
        everything *= _joint(located, figures)
    least = min(judged, key=lambda view: min(figure.verdict.probability for figure in view.judgement.figures))
    return Chance(everything, least.check.called)


def _joint(located: Located, figures: Sequence[tuple[Figure, ToldBy]]) -> float:
    halves = located.halves([by.found.gradient for _, by in figures])
    values = np.array([by.found.value for _, by in figures])
    return joint(values, halves @ halves.T, [(figure.lower, figure.upper) for figure, _ in figures])
