"""The chi-square distribution for whole degrees of freedom: exact finite sums.

Source: Abramowitz and Stegun 26.4.4 (odd) and 26.4.5 (even). The statistics library that has it takes longer to load
than the whole application; the tests compare the two.
"""

import math

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said

LAST_DIGITS = 1e-14


def upper_tail(x: float, dof: int) -> float:
    """Probability that chi-square with ``dof`` degrees of freedom exceeds ``x``."""
    if x <= 0:
        return 1.0
    half = x / 2
    if dof % 2 == 0:
        total = math.fsum(math.exp(k * math.log(half) - math.lgamma(k + 1) - half) for k in range(dof // 2))
        return min(1.0, total)
    tail = math.erfc(math.sqrt(half))
    parts = (math.exp((k - 0.5) * math.log(half) - math.lgamma(k + 0.5) - half) for k in range(1, (dof + 1) // 2))
    return min(1.0, tail + math.fsum(parts))


def density(x: float, dof: int) -> float:
    """How fast that probability falls at ``x`` > 0."""
    half = dof / 2
    return 0.5 * math.exp((half - 1) * math.log(x / 2) - x / 2 - math.lgamma(half))


def quantile(alpha: float, dof: int) -> float:
    """The x that chi-square exceeds with probability ``alpha``, to the last digits.

    By Newton's steps, halving what is left where one would leave it.
    """
    if dof < 1 or not 0 < alpha < 1:
        raise BadInput("dof", (alpha, dof), said("wants.dof_1_upward_alpha_between"))
    low, high = 0.0, float(dof) + 10.0
    while upper_tail(high, dof) > alpha:
        low, high = high, 2 * high
    x = (low + high) / 2
    while True:
        off = upper_tail(x, dof) - alpha
        low, high = (x, high) if off > 0 else (low, x)
        slope = density(x, dof)
        nearer = x + off / slope if slope > 0 else low
        if not low < nearer < high:
            nearer = (low + high) / 2
        if abs(nearer - x) <= LAST_DIGITS * x or nearer in (low, high):
            return nearer
        x = nearer
