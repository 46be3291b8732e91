"""The probability that several quantities lie within their limits together.

A normal distribution over a box, singular covariances allowed: the covariance is taken apart with the tightest
quantity first; each further one is conditioned on those before, and what depends on those alone only narrows the last
of them. The mean over a lattice is the probability. Source: Genz and Bretz, Computation of Multivariate Normal and t
Probabilities (2009), 4.1; Genz and Kwong for singular covariances; a rank-1 lattice with six shifts, folded (Sloan and
Joe). The normal distribution's inverse after Wichura, AS 241 (single precision); our own, since the library that has
these takes longer to load than the whole application.
"""

import math
from collections.abc import Sequence

import numpy as np

from escuadra.core.geodesy.state.unknowns import Vector

POINTS, SHIFTS = 1009, 6
GENERATOR = 76
"""Korobov's: found by search for 1,009 points in 2 to 10 dimensions."""
SINGULAR = 1e-10
NEARLY_CERTAIN = 1e-7
"""What holds with all but this probability takes no more than this off the whole, and is left out."""
Interval = tuple[float, float]


def normal(x: float) -> float:
    """The normal distribution function."""
    return 0.5 * math.erfc(-x / math.sqrt(2))


def within(value: float, u: float, lower: float | None, upper: float | None) -> float:
    """Probability that a quantity lies within its limits; a limit that is null is none."""
    low, high = -math.inf if lower is None else lower, math.inf if upper is None else upper
    if u == 0:
        return 1.0 if low <= value <= high else 0.0
    a, b = (low - value) / u, (high - value) / u
    # Of the two tails the nearer one, so that no digits are lost.
    return normal(b) - normal(a) if a < 0 else normal(-a) - normal(-b)


def joint(values: Vector, covariance: Vector, limits: Sequence[tuple[float | None, float | None]]) -> float:
    """Probability that all lie within their limits, to about 1e-4; limits where null is none.

    ``values``: n, ``covariance``: n × n (may be singular), ``limits``: n pairs. What is exactly known and out is 0.
    """
    u = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    alone = [within(float(v), float(s), *pair) for v, s, pair in zip(values, u, limits, strict=True)]
    least, most = bounds(alone)
    kept = [k for k, p in enumerate(alone) if 1 - p > NEARLY_CERTAIN]
    if len(kept) < 2 or most < NEARLY_CERTAIN:
        return most
    spread = u[kept]
    correlation = covariance[np.ix_(kept, kept)] / np.outer(spread, spread)
    low, high = (
        np.array([default if limits[k][side] is None else (limits[k][side] - values[k]) / u[k] for k in kept])
        for side, default in ((0, -math.inf), (1, math.inf))
    )
    return min(most, max(least, _integral(_ordered(correlation, low, high))))


def bounds(alone: Sequence[float]) -> tuple[float, float]:
    """What the joint probability lies between, from the probabilities alone."""
    return max(0.0, 1 - math.fsum(1 - p for p in alone)), min(alone, default=1.0)


Chain = list[list[tuple[Vector, float, float]]]
"""For each independent variable the rows (coefficients up to it, lower, upper) that bound it, given those before."""


def _ordered(correlation: Vector, low: Vector, high: Vector) -> Chain:
    """Cholesky with the tightest variable first; dependent ones are rows of the last variable that they depend on."""
    n = len(low)
    lower, expected = np.zeros((n, n)), np.zeros(n)
    waiting, chain = list(range(n)), Chain()
    while waiting:
        k = len(chain)
        rest = {i: float(correlation[i, i] - lower[i, :k] @ lower[i, :k]) for i in waiting}
        for i in [i for i in waiting if rest[i] <= SINGULAR]:
            waiting.remove(i)
            parts = np.flatnonzero(np.abs(lower[i, :k]) > math.sqrt(SINGULAR))
            if len(parts):
                chain[parts[-1]].append((lower[i, : parts[-1] + 1].copy(), float(low[i]), float(high[i])))
        if not waiting:
            break
        ends = {}
        for i in waiting:
            middle, scale = float(lower[i, :k] @ expected[:k]), math.sqrt(rest[i])
            ends[i] = (float(low[i]) - middle) / scale, (float(high[i]) - middle) / scale
        tightest = min(waiting, key=lambda i: within(0.0, 1.0, *ends[i]))
        a, b = ends[tightest]
        share = within(0.0, 1.0, a, b)
        density = [math.exp(-x * x / 2) / math.sqrt(2 * math.pi) for x in (a, b)]
        inside = min(max(0.0, a), b)
        expected[k] = (density[0] - density[1]) / share if share > 1e-9 else inside
        waiting.remove(tightest)
        pivot = math.sqrt(rest[tightest])
        for i in waiting:
            lower[i, k] = (correlation[i, tightest] - lower[i, :k] @ lower[tightest, :k]) / pivot
        lower[tightest, k] = pivot
        chain.append([(lower[tightest, : k + 1].copy(), float(low[tightest]), float(high[tightest]))])
    return chain


def _integral(chain: Chain) -> float:
    """The mean over the lattice of the product of the conditional probabilities."""
    count = POINTS * SHIFTS
    drawn, share = np.empty((len(chain), count)), np.ones(count)
    for k, rows in enumerate(chain):
        least, most = np.full(count, -np.inf), np.full(count, np.inf)
        for coefficients, low, high in rows:
            given = coefficients[:k] @ drawn[:k]
            ends = sorted(
                ((low - given) / coefficients[k], (high - given) / coefficients[k]), key=lambda e: float(e[0])
            )
            least, most = np.maximum(least, ends[0]), np.minimum(most, ends[1])
        # Where both ends lie above 0 the mirror image is taken: the tails keep their digits.
        mirrored = least > 0
        a, b = np.where(mirrored, -most, least), np.where(mirrored, -least, most)
        below = _distribution(a)
        part = np.maximum(_distribution(b) - below, 0.0)
        share *= part
        if k + 1 < len(chain):
            at = below + _lattice(k) * part
            found = np.clip(_quantile(at), a, b)
            drawn[k] = np.where(mirrored, -found, found)
    return float(share.mean())


def _lattice(dimension: int) -> Vector:
    """One coordinate of the shifted and folded lattice: POINTS × SHIFTS figures between 0 and 1."""
    step = pow(GENERATOR, dimension, POINTS) / POINTS
    golden = math.sqrt(2 + dimension)
    shifts = np.arange(1, SHIFTS + 1) * golden
    x = (np.arange(POINTS)[:, None] * step + shifts) % 1.0
    return np.asarray(np.abs(2 * x - 1)).ravel()


def _distribution(x: Vector) -> Vector:
    """The normal distribution function to 1.5e-7 (Abramowitz and Stegun 7.1.26)."""
    z = np.abs(x) / math.sqrt(2)
    t = 1 / (1 + 0.3275911 * z)
    series = t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429))))
    tail = 0.5 * series * np.exp(-(z**2))
    return np.where(x < 0, tail, 1 - tail)


def _quantile(p: Vector) -> Vector:
    """The normal distribution's inverse to about 1e-7 (Wichura, AS 241, PPND7); never infinite."""
    p = np.clip(p, 1e-300, 1 - 1e-16)
    q = p - 0.5
    r = np.maximum(0.180625 - q**2, 0.0)
    middle = q * (((59.10937472 * r + 159.29113202) * r + 50.434271938) * r + 3.3871327179)
    middle /= ((67.1875636 * r + 78.757757664) * r + 17.895169469) * r + 1
    r = np.sqrt(-np.log(np.minimum(p, 1 - p)))
    near, far = r - 1.6, r - 5
    outer = (((0.17023821103 * near + 1.3067284816) * near + 2.75681539) * near + 1.4234372777) / (
        (0.12021132975 * near + 0.7370016425) * near + 1
    )
    outmost = (((0.017337203997 * far + 0.42868294337) * far + 3.081226386) * far + 6.657905115) / (
        (0.012258202635 * far + 0.24197894225) * far + 1
    )
    tail = np.sign(q) * np.where(r <= 5, outer, outmost)
    return np.where(np.abs(q) <= 0.425, middle, tail)
