"""The check digit of a vehicle identification number.

Source: ISO 3779; transliteration and weights of 49 CFR 565.15. The digit is compulsory only in some markets, so
a mismatch is a remark and nothing is refused.
"""

from pydantic import Field

from escuadra.core.base.calculation import calculation
from escuadra.core.base.model import Frozen

_VALUES = {str(digit): digit for digit in range(10)} | dict(
    zip("ABCDEFGHJKLMNPRSTUVWXYZ", [*range(1, 9), 1, 2, 3, 4, 5, 7, 9, *range(2, 10)], strict=True)
)
_WEIGHTS = (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2)


class VinInput(Frozen):
    """A vehicle identification number as typed."""

    vin: str = Field(max_length=200)


class VinResult(Frozen):
    """What the form and the check digit say."""

    well_formed: bool
    check_digit: str | None = Field(description="what position 9 should be")
    check_matches: bool


@calculation("vin")
def vin(given: VinInput) -> VinResult:
    """Check the form and the check digit; small letters are read as capitals."""
    text = given.vin.upper()
    if len(text) != len(_WEIGHTS) or any(c not in _VALUES for c in text):
        return VinResult(well_formed=False, check_digit=None, check_matches=False)
    rest = sum(_VALUES[c] * w for c, w in zip(text, _WEIGHTS, strict=True)) % 11
    digit = "X" if rest == 10 else str(rest)
    return VinResult(well_formed=True, check_digit=digit, check_matches=text[8] == digit)
