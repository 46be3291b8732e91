"""Several lenses in one holder: what is alike on all of them is the holder's, what one shows alone is that lens's."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

BETWEEN, ABOVE, BELOW = "between", "above", "below"
SEEN = (BETWEEN, ABOVE, BELOW)
"""Where a lens's line can stand beside its two limit lines."""
UNSEEN = "unseen"
"""A routine that failed may have shown no line of a lens."""
SIGNS = {BETWEEN: 0, ABOVE: 1, BELOW: -1}
FEWEST = 2
Fault = Literal["", "holder", "lens", "several"]


@dataclass(frozen=True)
class Pattern:
    """What the lenses tell together; ``lenses``: those that are off."""

    fault: Fault
    lenses: tuple[str, ...] = ()


def pattern(off: Mapping[str, int]) -> Pattern:
    """What is off on each lens, by its id: 1, -1, or 0 where nothing is. One lens tells nothing of its holder."""
    out = tuple(lens for lens, sign in off.items() if sign)
    if not out or len(off) < FEWEST:
        return Pattern("", out)
    if len(out) == len(off) and len({off[lens] for lens in out}) == 1:
        return Pattern("holder", out)
    return Pattern("lens" if len(out) == 1 else "several", out)


def signs(values: Sequence[tuple[str, float, float, float]]) -> dict[str, int]:
    """Which way figures are off, from (lens, value, lower, upper)."""
    return {lens: (value > upper) - (value < lower) for lens, value, lower, upper in values}
