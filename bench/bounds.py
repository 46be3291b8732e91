"""A figure of a bench with its limits, and what a sample of that size can tell of it: the ends of its 95 % bound."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy.stats import beta, chi2

Limits = tuple[float, float]
ONE_TAIL, BOTH_TAILS = 0.05, 0.025


def least(hits: int, count: int, tail: float = ONE_TAIL) -> float:
    """The lower end of the bound of a share (Clopper and Pearson)."""
    return float(beta.ppf(tail, hits, count - hits + 1)) if hits else 0.0


def most(hits: int, count: int, tail: float = ONE_TAIL) -> float:
    """The upper end of the bound of a share."""
    return float(beta.ppf(1 - tail, hits + 1, count - hits)) if hits < count else 1.0


def share(hits: int, count: int) -> str:
    """A share with the upper end of its bound."""
    return f"{hits} of {count} = {hits / max(count, 1):.3f} (below {most(hits, count):.3f})"


def rms(values: Sequence[float]) -> float:
    """Root of the mean of squares."""
    return math.sqrt(sum(v * v for v in values) / len(values)) if values else math.nan


@dataclass(frozen=True)
class Row:
    """What was measured: its value, its limits, what it is; of a sample, its bound and how large it was."""

    value: float
    limits: Limits
    what: str
    bound: Limits | None = None
    count: int = 0

    @classmethod
    def of_share(cls, value: float, count: int, limits: Limits, what: str) -> "Row":
        """A share of so many."""
        hits = round(value * count)
        bound = (least(hits, count, BOTH_TAILS), most(hits, count, BOTH_TAILS)) if count else (0.0, 1.0)
        return cls(value, limits, what, bound, count)

    @classmethod
    def of_rms(cls, value: float, count: int, limits: Limits, what: str) -> "Row":
        """The root mean square of so many independent values."""
        low, high = (value * math.sqrt(count / chi2.ppf(p, count)) for p in (1 - BOTH_TAILS, BOTH_TAILS))
        return cls(value, limits, what, (float(low), float(high)), count)

    @property
    def within(self) -> bool:
        """The value is within its limits."""
        return self.limits[0] <= self.value <= self.limits[1]

    @property
    def verdict(self) -> str:
        """Whether it holds; of a sample that is out by chance as likely as not, that it is not refuted."""
        if self.within:
            return "yes"
        if self.bound is not None and self.bound[0] <= self.limits[1] and self.bound[1] >= self.limits[0]:
            return "not refuted"
        return "NO"

    @property
    def of(self) -> str:
        """The sample's size and bound, as it is written beside the value."""
        return f"{self.bound[0]:.3g} to {self.bound[1]:.3g}, n = {self.count}" if self.bound is not None else ""


@dataclass(frozen=True)
class Samples:
    """How many of each are drawn."""

    visits: int
    acts: int
    around: int
    explained: int
    aimed: int
    covered: int
    bent: int
    starts: int
    honest: int


SHORT = Samples(visits=1000, acts=150, around=2, explained=100, aimed=200, covered=150, bent=500, starts=24, honest=20)
"""Of ``make bench``: ten to fifteen minutes, most of them for what is timed."""
WHOLE = Samples(
    visits=2000, acts=400, around=12, explained=500, aimed=200, covered=5000, bent=1000, starts=200, honest=200
)
"""Of ``make bench SAMPLES=whole``: more than an hour."""
