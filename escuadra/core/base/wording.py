"""Figures as they are said: value ± U, rounded by the uncertainty, in the unit that the trade reads.

Source: JCGM 100 7.2.6 (an uncertainty is given with at most two significant digits, the value to the same place).
Thousands are parted by a narrow space; a minus never stands alone where a direction can be said.
"""

import math
from decimal import ROUND_HALF_UP, Decimal

from escuadra.core.base.said import (
    FIGURE_OF,
    Centimetres,
    Directed,
    Figure,
    Length,
    Metres,
    Plain,
    PlusMinus,
    Said,
    said,
)

SPACE = "\u202f"
BEAM = "mm/10m"
"""How far a beam leaves its true way: millimetres in ten metres."""
UNITS = {
    "mm": f"{SPACE}mm",
    "m": f"{SPACE}m",
    "cm": f"{SPACE}cm",
    "°": "°",
    "%": f"{SPACE}%",
    "kPa": f"{SPACE}kPa",
    "V": f"{SPACE}V",
    "kg": f"{SPACE}kg",
    "°C": f"{SPACE}°C",
    "min": f"{SPACE}min",
    "": "",
    BEAM: f"{SPACE}mm/10{SPACE}m",
}
MOST_DECIMALS = {
    "mm": 1,
    "m": 2,
    "cm": 1,
    "°": 2,
    "%": 2,
    "kPa": 0,
    "V": 2,
    "kg": 1,
    "°C": 1,
    "min": 0,
    "": 2,
    "p": 1,
    BEAM: 1,
}
"""As fine as this trade reads: a tenth of a millimetre, a hundredth of a degree or of a percent."""


def rounded(value: float, decimals: int) -> str:
    """A figure with so many decimals, halves away from zero, thousands parted, a true minus sign."""
    quantum = Decimal(1).scaleb(-decimals)
    exact = Decimal(repr(float(value))).quantize(quantum, rounding=ROUND_HALF_UP)
    if exact == 0:
        exact = abs(exact)
    return f"{exact:,f}".replace(",", SPACE).replace("-", "−")


def decimals_for(expanded: float, unit: str) -> int:
    """Decimals that an expanded uncertainty leaves meaningful: two significant digits, one from 3 upward."""
    most = MOST_DECIMALS[unit]
    if expanded <= 0:
        return most
    exponent = math.floor(math.log10(expanded))
    digits = 2 if expanded / 10**exponent < 3 else 1
    return max(0, min(most, digits - 1 - exponent))


def amount(value: float, unit: str, decimals: int | None = None, way: str | None = None) -> Figure | Directed:
    """A figure in its unit and, where its axis has a word for either direction, as one: ``0.21° right``."""
    figure = FIGURE_OF[unit](value, decimals)
    return figure if way is None else Directed(figure, way)


def inches(mm: float, parts: int = 16) -> str:
    """A length in inches to the nearest fraction, in lowest terms: ``104 1/16 in``; halves away from zero.

    A fraction is written alike in every language.
    """
    count = math.floor(abs(mm) / 25.4 * parts + 0.5)
    whole, over = divmod(count, parts)
    shared = math.gcd(over, parts)
    fraction = f"{over // shared}/{parts // shared}" if over else ""
    said = " ".join(part for part in (str(whole) if whole or not over else "", fraction) if part)
    return ("−" if mm < 0 and count else "") + said + f"{SPACE}in"


def length_in(mm: float, unit: str) -> Said | Figure:
    """A length to be looked for, in the unit that a person reads in: mm, cm, m or in."""
    match unit:
        case "in":
            return said("as_is", text=inches(mm))
        case "cm":
            return Centimetres(mm / 10, 1)
        case "m":
            return Metres(mm / 1000, 3)
    return Length(mm, 0)


def with_uncertainty(
    value: float, expanded: float, unit: str, way: str | None = None
) -> tuple[Figure | Directed, PlusMinus]:
    """A value and its ± part, rounded alike: ``0.21° right`` and ``± 0.09``."""
    places = decimals_for(expanded, unit)
    least = 10.0**-places
    half = max(expanded, least) if expanded > 0 and float(f"{expanded:.{places}f}") == 0 else expanded
    return amount(value, unit, places, way), PlusMinus(Plain(half, places if expanded > 0 else 0))
