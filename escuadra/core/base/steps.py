"""Rounding to the steps of a scale or of a turn; halves go away from zero."""

import math

import numpy as np
from numpy.typing import NDArray

LEAST_SHAPE = 1e-6
"""Below this ratio of singular values, points lie in one line."""


def to_step(value: float, step: float) -> float:
    """The nearest multiple of ``step``."""
    return math.copysign(math.floor(abs(value) / step + 0.5) * step, value)


def in_one_line(xy: NDArray[np.float64]) -> bool:
    """Points (n × 2) that span no plane: the smaller singular value of the centred ones vanishes beside the larger."""
    values = np.linalg.svd(xy - xy.mean(axis=0), compute_uv=False)
    return bool(len(xy) < 3 or values[0] == 0 or values[1] < LEAST_SHAPE * values[0])
