"""Figures and directions as text: value ± U, rounded by the uncertainty, and signs as words.

Source: JCGM 100 7.2.6 (an uncertainty is given with at most two significant digits, the value to the same place).
Thousands are parted by a narrow space; a minus never stands alone where a direction can be said.
"""

import math
from decimal import ROUND_HALF_UP, Decimal

SPACE = "\u202f"
BEAM = "mm/10m"
"""How far a beam leaves its true way: millimetres in ten metres."""
UNITS = {
    "mm": f"{SPACE}mm",
    "m": f"{SPACE}m",
    "°": "°",
    "%": f"{SPACE}%",
    "kPa": f"{SPACE}kPa",
    "V": f"{SPACE}V",
    "kg": f"{SPACE}kg",
    "°C": f"{SPACE}°C",
    BEAM: f"{SPACE}mm in 10{SPACE}m",
}
MOST_DECIMALS = {"mm": 1, "m": 2, "°": 2, "%": 2, "kPa": 0, "V": 2, "kg": 1, "°C": 1, BEAM: 1}
"""As fine as this trade reads: a tenth of a millimetre, a hundredth of a degree or of a percent."""


def rounded(value: float, decimals: int) -> str:
    """A figure with so many decimals, halves away from zero, thousands parted, a true minus sign."""
    quantum = Decimal(1).scaleb(-decimals)
    exact = Decimal(repr(value)).quantize(quantum, rounding=ROUND_HALF_UP)
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


def amount(value: float, unit: str, decimals: int | None = None, words: tuple[str, str] | None = None) -> str:
    """A figure with its unit and, where there are words, its direction: ``0.21° right``."""
    places = MOST_DECIMALS[unit] if decimals is None else decimals
    if words is None:
        return rounded(value, places) + UNITS[unit]
    text = rounded(abs(value), places)
    direction = "" if float(text.replace(SPACE, "")) == 0 else " " + words[0 if value > 0 else 1]
    return text + UNITS[unit] + direction


def inches(mm: float, parts: int = 16) -> str:
    """A length in inches to the nearest fraction, in lowest terms: ``104 1/16 in``; halves away from zero."""
    count = math.floor(abs(mm) / 25.4 * parts + 0.5)
    whole, over = divmod(count, parts)
    shared = math.gcd(over, parts)
    fraction = f"{over // shared}/{parts // shared}" if over else ""
    said = " ".join(part for part in (str(whole) if whole or not over else "", fraction) if part)
    return ("−" if mm < 0 and count else "") + said + f"{SPACE}in"


def length_in(mm: float, unit: str) -> str:
    """A length to be looked for, in the unit that a person reads in: mm, cm, m or in."""
    if unit == "in":
        return inches(mm)
    places, factor = {"cm": (1, 10.0), "m": (3, 1000.0)}.get(unit, (0, 1.0))
    return f"{rounded(mm / factor, places)}{SPACE}{unit if unit in ('cm', 'm') else 'mm'}"


def with_uncertainty(value: float, expanded: float, unit: str, words: tuple[str, str] | None = None) -> tuple[str, str]:
    """A value and its ± part, rounded alike: ``("0.21° right", "± 0.09")``."""
    places = decimals_for(expanded, unit)
    half = rounded(expanded, places) if expanded > 0 else "0"
    if expanded > 0 and float(half.replace(SPACE, "")) == 0:
        half = rounded(10.0**-places, places)
    return amount(value, unit, places, words), f"±{SPACE}{half}"


def listed(words: list[str]) -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return words[0] if len(words) == 1 else ", ".join(words[:-1]) + " and " + words[-1] if words else ""


def counted(n: int, one: str, many: str = "") -> str:
    """``1 check``, ``4 checks``."""
    return f"{n} {one if n == 1 else many or one + 's'}"
