"""How far an error that nobody notices could move a quantity: of one look among several, now or after a reading more.

The hypotheses of ``state`` asked of a solution that is kept. An error of one look moves the mean of its looks by its
share; it is found by the others of the same slot as well as by the rest of the readings. Source: reliability after
Baarda (1968), level 0.001 and power 0.80; update of a covariance by one more observation.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from escuadra.core.geodesy.adjustment import NONCENTRALITY
from escuadra.core.geodesy.state.located import Derived, Located
from escuadra.core.geodesy.state.solution import NO_REDUNDANCY
from escuadra.core.geodesy.state.unknowns import Vector


@dataclass(frozen=True)
class Slip:
    """What one look can get wrong: what it changes, how many looks there are, how they scatter, the largest error."""

    effect: tuple[tuple[str, float], ...]
    """Observations, and what an error of 1 in the mean of all looks changes each by."""
    looks: int
    u_look: float
    cap: float


def of_looks(looks: int, u_look: float, cap: float) -> float:
    """How far a mistake in one look moves the mean of so many, where nothing else checks them."""
    if looks == 1:
        return cap
    return min(cap, NONCENTRALITY * u_look / math.sqrt(1 - 1 / looks)) / looks


class Reaching:
    """Slips of a solution; how far they reach is asked of one quantity after the other."""

    def __init__(self, located: Located, slips: Sequence[Slip]) -> None:
        self._located = located
        effect = located.whitened([slip.effect for slip in slips])
        self._shares = located.shared(effect)
        self._size = (effect**2).sum(axis=1)
        self._seen = (self._shares**2).sum(axis=1)
        self._looks = np.array([slip.looks for slip in slips], dtype=float)
        self._own = np.array([1 / max(slip.u_look, 1e-9) ** 2 for slip in slips])
        self._cap = np.array([slip.cap for slip in slips])

    def now(self, found: Derived) -> Vector:
        """How far each slip could move a quantity unseen."""
        (own,) = self._located.halves([found.gradient])
        return self._reach(self._shares @ own, self._seen, self._looks)

    def with_row(self, found: Derived, row: Vector) -> Vector:
        """The same after one reading more, given by its slopes as ``Located.further`` has them."""
        own, more = self._located.halves([found.gradient, row])
        gain, along = 1 + float(more @ more), self._shares @ more
        carried = self._shares @ own - along * float(own @ more) / gain
        return self._reach(carried, self._seen - along**2 / gain, self._looks)

    def with_look(self, found: Derived, k: int) -> Vector:
        """The same after one look more at what a slip is of."""
        (own,) = self._located.halves([found.gradient])
        looks = self._looks.copy()
        looks[k] += 1
        return self._reach(self._shares @ own, self._seen, looks)

    @property
    def smallest(self) -> Vector:
        """The error of each slip that is found with power 0.80; infinite where nothing checks it."""
        return self._smallest(self._seen, self._looks)

    def _reach(self, carried: Vector, seen: Vector, looks: Vector) -> Vector:
        """|b·e| times the smaller of what is found and what would be asked about."""
        return np.asarray(np.abs(carried) / looks * np.minimum(self._cap, self._smallest(seen, looks)))

    def _smallest(self, seen: Vector, looks: Vector) -> Vector:
        unseen = np.maximum(self._size - seen, 0.0)
        unseen[unseen <= NO_REDUNDANCY * self._size] = 0.0
        info = unseen / looks**2 + (1 - 1 / looks) * self._own
        found: Vector = np.divide(NONCENTRALITY, np.sqrt(info), out=np.full(len(info), np.inf), where=info > 0)
        return found
