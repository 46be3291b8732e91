"""The chi-square distribution for whole degrees of freedom: exact finite sums.

Source: Abramowitz and Stegun 26.4.4 (odd) and 26.4.5 (even). The statistics library that has it takes longer to load
than the whole application; the tests compare the two.
"""

import math
from functools import lru_cache

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said


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


@lru_cache(maxsize=512)
def quantile(alpha: float, dof: int) -> float:
    """The x that chi-square exceeds with probability ``alpha``; by bisection to the last digit."""
    if dof < 1 or not 0 < alpha < 1:
        raise BadInput("dof", (alpha, dof), said("wants.dof_1_upward_alpha_between"))
    low, high = 0.0, float(dof) + 10.0
    while upper_tail(high, dof) > alpha:
        high *= 2
    while (middle := (low + high) / 2) not in (low, high):
        if upper_tail(middle, dof) > alpha:
            low = middle
        else:
            high = middle
    return high
