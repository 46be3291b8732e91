"""Is this vehicle like the others of its model, and like itself last time?

Source: the prediction interval of a normal population from which the others are a sample (Student's t).
"""

import math

from pydantic import Field

from escuadra.core.base.calculation import calculation
from escuadra.core.base.model import Frozen, Number

ENOUGH = 4
"""Fewer other vehicles say nothing about what is usual."""


class Residual(Frozen):
    """A residual of a vehicle before it was zeroed; ``day`` counts from any day."""

    vehicle: str
    day: Number
    value: Number


class PeersInput(Frozen):
    """What was found before, and what this vehicle shows today."""

    history: list[Residual]
    vehicle: str
    value: Number
    level: float = Field(0.95, gt=0, lt=1, description="share of vehicles that counts as usual")


class PeersResult(Frozen):
    """What is usual, whether today's is not, and how it changed since this vehicle's own last time."""

    n: int
    mean: float | None
    s: float | None
    lower: float | None
    upper: float | None
    unusual: bool | None
    change: float | None


@calculation("peers")
def peers(given: PeersInput) -> PeersResult:
    """Compare a residual with the latest of each other vehicle and with this one's own latest."""
    latest: dict[str, Residual] = {}
    for found in given.history:
        known = latest.get(found.vehicle)
        if known is None or found.day >= known.day:
            latest[found.vehicle] = found
    own = latest.pop(given.vehicle, None)
    values = [found.value for found in latest.values()]
    n = len(values)
    mean = math.fsum(values) / n if n else None
    s = math.sqrt(math.fsum((v - mean) ** 2 for v in values) / (n - 1)) if mean is not None and n > 1 else None
    lower = upper = unusual = None
    if mean is not None and s is not None and n >= ENOUGH:
        from scipy.special import stdtrit

        half = float(stdtrit(n - 1, (1 + given.level) / 2)) * s * math.sqrt(1 + 1 / n)
        lower, upper = mean - half, mean + half
        unusual = not lower <= given.value <= upper
    change = given.value - own.value if own is not None else None
    return PeersResult(n=n, mean=mean, s=s, lower=lower, upper=upper, unusual=unusual, change=change)
