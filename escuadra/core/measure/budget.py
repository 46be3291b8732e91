"""Where an uncertainty comes from: the contributions behind a derived quantity, by their share of its variance.

Source: JCGM 100 5.1.
"""

import math
from collections.abc import Iterable, Sequence
from typing import Any

from escuadra.core.base.model import Frozen
from escuadra.core.base.said import Text, said
from escuadra.core.measure.readings import Figures


class Contribution(Frozen):
    """One source of uncertainty."""

    source: Any
    share: float
    """Of the variance, 0 to 1."""


SHARE_DIGITS = 9
Parts = tuple[tuple[Text, float], ...]
"""Sources and what each is worth, one sigma, in the figure's own unit."""


def in_all(parts: Iterable[tuple[Text, float]]) -> float:
    """What they come to, one sigma: they are independent."""
    return math.hypot(*(u for _, u in parts))


def scaled(parts: Iterable[tuple[Text, float]], factor: float) -> Parts:
    """The parts of a figure that counts so many times in another."""
    return tuple((source, abs(factor) * u) for source, u in parts)


def shares(parts: Iterable[tuple[Text, float]]) -> list[Contribution]:
    """Contributions from (source, u) parts, equal sources together, the largest first; empty where nothing counts.

    Equal shares stand as they came, whatever a machine's arithmetic leaves in the last digits.
    """
    variance: dict[Text, float] = {}
    for source, u in parts:
        variance[source] = variance.get(source, 0.0) + u * u
    total = math.fsum(variance.values())
    if total <= 0:
        return []
    found = [Contribution(source=source, share=v / total) for source, v in variance.items()]
    return sorted(found, key=lambda part: -round(part.share, SHARE_DIGITS))


def the_largest(parts: Sequence[Contribution], most: int = 6) -> list[Contribution]:
    """So many at most: of more, the largest, and all others together as the last."""
    if len(parts) <= most:
        return list(parts)
    rest = math.fsum(part.share for part in parts[most - 1 :])
    return [*parts[: most - 1], Contribution(source=said("source.everything_else"), share=rest)]


def of_reading(figures: Figures, tool: str, rise: bool = False) -> list[tuple[Text, float]]:
    """The (source, u) parts of one reading; ``rise``: it was levelled, so its own part holds the slope's too."""
    own = math.hypot(figures.u_resolution, figures.u_repeat)
    parts: list[tuple[Text, float]] = [
        (said("source.resolution", tool=tool), figures.u_resolution),
        (said("source.repeats", tool=tool), figures.u_repeat),
        (said("source.constant", tool=tool), figures.u_offset),
        (said("source.growing", tool=tool), figures.u_scale * figures.value),
    ]
    if rise:
        parts.append((said("source.ends"), math.sqrt(max(0.0, figures.u_random**2 - own**2))))
    return parts
