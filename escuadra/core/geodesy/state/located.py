"""A state's figures where its readings leave them: whatever is asked of them, with its uncertainty and its sources.

``solve`` answers what its input wants; a solution that is looked at for long is asked more, and what further readings
would do to it. Source: propagation by the covariance (JCGM 100); update of a covariance by one more observation.
"""

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from escuadra.core.base.axes import Pose
from escuadra.core.base.chisquare import upper_tail
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.geodesy.state.assembly import read_of, wanted_of
from escuadra.core.geodesy.state.input import StateInput
from escuadra.core.geodesy.state.solution import (
    LOOSE,
    NO_REDUNDANCY,
    Converged,
    Patience,
    Solution,
    Work,
    at_first,
    determined,
    judged,
)
from escuadra.core.geodesy.state.unknowns import ONE_DEGREE, Vector
from escuadra.core.measure.symmetry import CRITICAL_W

TO_BE_LOOKED_AT = Patience(settled=1e-5, rest=1e-8, rounds=30)
"""Far below every digit that is shown. A visit's first guesses are near: readings that agree need five rounds or so."""
WHETHER_THEY_AGREE = Patience(settled=1e-5, rest=1e-8, rounds=12, hopeless=1e6)
"""Readings that still did not come to rest by then do not agree; nor do those that a thousand u still part."""
LOST_MM, LOST_DEG = 300.0, 5.0
"""A quantity that is told no better than that is not told: something hardly ties it down."""
ANGLES = frozenset({"yaw", "angle", "heading", "roll", "pitch"})
POSE = ("x", "y", "z", "yaw", "roll", "pitch")
AXES = ("x", "y", "z")


@dataclass(frozen=True)
class Derived:
    """A quantity with its standard uncertainty, mm or degrees, and its slopes over the unknowns."""

    value: float
    u: float
    gradient: Vector


class Located:
    """A solved state. Its arrays are never changed."""

    def __init__(self, work: Work, here: Converged) -> None:
        self._work, self._here = work, here
        self.given: StateInput = work.equations.given
        self.ids = work.equations.ids
        """Readings, then what is known beforehand of shared errors."""
        self._row = {name: k for k, name in enumerate(self.ids)}
        self._told: dict[Any, Derived | None] = {}

    @cached_property
    def solution(self) -> Solution:
        """How the readings check each other, and what the input wanted."""
        return judged(self._work, self._here)

    @property
    def trusted(self) -> bool:
        """The readings agree."""
        return self.solution.passes and not self.solution.suspects

    # --- figures

    def column(self, body: str, part: str) -> int:
        """The unknown of a body's pose: x, y, z, yaw, roll or pitch."""
        unknowns = self._work.equations.unknowns
        return int(unknowns.column[unknowns.bodies[body] + POSE.index(part)])

    def point(self, name: str) -> tuple[float, float, float]:
        """A point of the vehicle or the floor."""
        x, y, z = self._here.figures[self._work.equations.unknowns.points[name] :][:3]
        return float(x), float(y), float(z)

    def pose(self, body: str) -> Pose:
        """A body's pose in plan."""
        x, y, _, yaw = self._here.figures[self._work.equations.unknowns.bodies[body] :][:4]
        return Pose(x=float(x), y=float(y), yaw_deg=float(yaw) / ONE_DEGREE)

    # --- what is asked

    def asked(self, wanted: Sequence[Any]) -> tuple[Derived | None, ...]:
        """Quantities, each worked out once, with its uncertainty; none for one that the readings do not tell."""
        new = [item for item in dict.fromkeys(wanted) if item not in self._told]
        if new:
            self._told.update(zip(new, self._asked(new), strict=True))
        return tuple(self._told[item] for item in wanted)

    def shown(self, wanted: Sequence[Any]) -> Vector:
        """Where quantities stand, however well they are told."""
        return np.asarray(wanted_of(self._work.equations, wanted).at(self._here.figures)[0])

    def _asked(self, wanted: Sequence[Any]) -> tuple[Derived | None, ...]:
        value, slopes = wanted_of(self._work.equations, wanted).at(self._here.figures)
        gradient = slopes()[:, : len(self._work.free)]
        told = self.told(gradient)
        found = (Derived(float(v), self.spread(g), g) for v, g in zip(value, gradient, strict=True))
        most = (LOST_DEG if item.type in ANGLES else LOST_MM for item in wanted)
        return tuple(one if known and one.u < u else None for one, known, u in zip(found, told, most, strict=True))

    def sum(self, value: float, *parts: tuple[float, Derived]) -> Derived:
        """A value and factors times quantities of this solution, what they share counted once."""
        gradient = np.sum([factor * part.gradient for factor, part in parts], axis=0)
        total = value + math.fsum(factor * part.value for factor, part in parts)
        return Derived(total, self.spread(gradient), gradient)

    def told(self, gradient: Vector) -> list[bool]:
        """Whether each quantity (rows × unknowns) lies within what the readings determine."""
        factors = self._here.factors
        scaled = gradient / factors.lengths
        outside = np.sqrt(((scaled @ factors.loose.T) ** 2).sum(axis=1))
        return [bool(known) for known in outside <= LOOSE * np.sqrt((scaled**2).sum(axis=1))]

    def spread(self, gradient: Vector) -> float:
        """Standard uncertainty of a quantity with these slopes."""
        return float(np.linalg.norm(gradient @ self._here.factors.inverse))

    def shares(self, gradient: Vector) -> list[tuple[str, float]]:
        """What each reading, and what is known beforehand, adds to that: the squares add up to the variance."""
        return list(zip(self.ids, map(float, self.effects(gradient)), strict=True))

    def effects(self, gradient: Vector) -> Vector:
        """The same in the order of ``ids``."""
        return np.asarray(self._here.factors.left @ (gradient @ self._here.factors.inverse))

    def effects_with(self, gradient: Vector, row: Vector) -> Vector:
        """What each adds to that after one reading more, given by its slopes as ``further`` has them."""
        own, more = self.halves([gradient, row])
        return np.asarray(self._here.factors.left @ (own - more * float(own @ more) / (1 + float(more @ more))))

    def halves(self, gradients: Sequence[Vector]) -> Vector:
        """Slopes over the unknowns (rows) times half of the covariance: their products are covariances."""
        return np.asarray(np.array(gradients).reshape(len(gradients), -1) @ self._here.factors.inverse)

    def whitened(self, effects: Sequence[Sequence[tuple[str, float]]]) -> Vector:
        """Effects on readings (rows × ``ids``), in units of each reading's own u."""
        found = np.zeros((len(effects), len(self.ids)))
        for k, effect in enumerate(effects):
            for name, factor in effect:
                found[k, self._row[name]] = factor / self._work.equations.u[self._row[name]]
        return found

    def shared(self, effect: Vector) -> Vector:
        """What the solution follows of such effects, in terms of ``halves``."""
        return np.asarray(effect @ self._here.factors.left)

    def tested(self, effects: Sequence[Sequence[tuple[str, float]]]) -> list[float | None]:
        """The size of each hypothesis's test, by its effects on readings; none where the others do not check it.

        Source: hypotheses of ``state``.
        """
        whitened = self.whitened(effects)
        info = (whitened**2).sum(axis=1) - (self.shared(whitened) ** 2).sum(axis=1)
        found = zip(info, (whitened**2).sum(axis=1), whitened @ self._here.misfit, strict=True)
        return [abs(float(m)) / math.sqrt(i) if i > NO_REDUNDANCY * size else None for i, size, m in found]

    # --- readings

    def sensitivity(self, reading: str) -> Vector:
        """A reading's slopes over the unknowns, in units of its own u."""
        return np.asarray(self._here.matrix[self._row[reading]])

    def slopes(self, reading: str) -> Vector:
        """A reading's slopes over the unknowns, in its own unit."""
        return np.asarray(self.sensitivity(reading) * self._work.equations.u[self._row[reading]])

    def would_read(self, reading: str, body: str, pose: Pose) -> float:
        """What a reading would show with a body elsewhere in plan."""
        equations = self._work.equations
        figures = self._here.figures.copy()
        first = equations.unknowns.bodies[body]
        figures[[first, first + 1, first + 3]] = pose.x, pose.y, pose.yaw_deg * ONE_DEGREE
        return float(self._work.shown(equations.read, equations.factors, figures)[0][self._row[reading]])

    def without(self, readings: Collection[str], found: Derived) -> tuple[Derived | None, bool]:
        """A quantity as it would be without some readings, and whether the others agree; none where they are needed.

        To first order from the solution, no new search. Source: update of a least-squares solution (Woodbury).
        """
        rows = [self._row[name] for name in readings]
        kept = np.setdiff1d(np.arange(len(self.ids)), rows)
        left, misfit = self._here.factors.left, self._here.misfit
        gone = left[rows]
        among = np.eye(len(rows)) - gone @ gone.T
        if not rows or float(np.linalg.eigvalsh(among)[0]) < NO_REDUNDANCY:
            return None, False
        change = gone.T @ np.linalg.solve(among, misfit[rows])
        own = found.gradient @ self._here.factors.inverse
        shared = gone @ own
        variance = float(own @ own + shared @ np.linalg.solve(among, shared))
        rest, crossed = misfit[kept] + left[kept] @ change, left[kept] @ gone.T
        redundancy = 1 - (left[kept] ** 2).sum(axis=1) - (crossed * np.linalg.solve(among, crossed.T).T).sum(axis=1)
        seen = redundancy >= NO_REDUNDANCY
        worst = float(np.max(np.abs(rest[seen]) / np.sqrt(redundancy[seen]), initial=0.0))
        dof = len(kept) - self._here.factors.rank
        agree = worst <= CRITICAL_W and (dof <= 0 or upper_tail(float(rest @ rest), dof) >= self.given.alpha)
        return Derived(found.value + float(own @ change), math.sqrt(variance), found.gradient), agree

    def further(self, readings: Sequence[Any]) -> Vector:
        """Slopes of readings that could be taken (rows × unknowns), in units of their own u, as ``sensitivity``.

        Their instruments are among those given.
        """
        if not readings:
            return np.zeros((0, len(self._work.free)))
        system, factors = read_of(self._work.equations, readings)
        slopes = self._work.shown(system, factors, self._here.figures)[1]()
        return np.asarray(slopes / np.array([reading.u for reading in readings])[:, None])

    def spread_with(self, gradient: Vector, rows: Vector) -> Vector:
        """A quantity's standard uncertainty after one reading more, for each of some (rows × unknowns)."""
        shares, own = rows @ self._here.factors.inverse, gradient @ self._here.factors.inverse
        left = float(own @ own) - (shares @ own) ** 2 / (1 + (shares**2).sum(axis=1))
        return np.asarray(np.sqrt(np.maximum(left, 0.0)))

    def alike(self, first: str, second: str, row: Vector | None = None) -> float:
        """How alike the tests of two readings are (1: inseparable), now or after one reading more (its slopes).

        Raises ``BadInput`` where the others do not check them. Source: correlation of w-tests after Förstner.
        """
        a, b = (self._here.factors.left[self._row[name]] for name in (first, second))
        aa, bb, ab = 1 - float(a @ a), 1 - float(b @ b), -float(a @ b)
        if row is not None:
            # Rows of A·C are left·shareᵀ; one reading more takes its part of each product off.
            share = row @ self._here.factors.inverse
            gain = 1 + float(share @ share)
            pa, pb = float(a @ share), float(b @ share)
            aa, bb, ab = aa + pa * pa / gain, bb + pb * pb / gain, ab + pa * pb / gain
        if min(aa, bb) < NO_REDUNDANCY:
            raise BadInput("suspects", f"{first}, {second}", said("wants.two_observations_others_check"))
        return abs(ab) / math.sqrt(aa * bb)


def located(given: StateInput, patience: Patience = TO_BE_LOOKED_AT) -> Located:
    """Solve a state and keep what it stands on; raises ``BadInput`` as ``solve`` does."""
    work = Work(given)
    return Located(work, determined(work, patience))


def agree_without(given: StateInput, name: str) -> bool:
    """Whether the readings agree once one of them, by its id, is left out."""
    others = tuple(one for one in given.observations if one.id != name)
    try:
        return located(given.model_copy(update={"observations": others}), WHETHER_THEY_AGREE).trusted
    except BadInput:
        return False


def planned(given: StateInput) -> Located:
    """The state at its first guesses, whatever its readings say; raises ``BadInput`` where it stays loose."""
    work = Work(given)
    return Located(work, at_first(work))
