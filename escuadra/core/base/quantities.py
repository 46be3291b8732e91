"""Lengths, angles and slopes as people type and read them.

A typed text becomes millimetres, degrees, percent, kPa, V, kg or °C; what is implausible or ambiguous becomes a
question with the readings that would make sense. Source: 1 in = 25.4 mm exactly (ISO 31), ISO 80000-3 for degree,
minute, second; NIST SP 811 for psi and pound.
"""

import math
import re
from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import decimal
from escuadra.core.base.model import LARGEST, Frozen
from escuadra.core.base.said import FIGURE_OF, said

Dimension = Literal["length", "angle", "slope", "pressure", "voltage", "mass", "share", "temperature"]

FACTORS: dict[Dimension, dict[str, float]] = {
    "length": {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8},
    "angle": {"°": 1.0, "'": 1 / 60, '"': 1 / 3600},
    "slope": {"%": 1.0, "mm/m": 0.1, "°": 100 * math.radians(1)},
    "pressure": {"kPa": 1.0, "bar": 100.0, "psi": 6.894757293},
    "voltage": {"V": 1.0, "mV": 0.001},
    "mass": {"kg": 1.0, "g": 0.001, "lb": 0.45359237},
    "share": {"%": 1.0, "full": 100.0},
    "temperature": {"°C": 1.0},
}
"""Into the dimension's own unit, the one whose factor is 1."""
OWN_UNIT: dict[Dimension, str] = {
    kind: next(u for u, factor in units.items() if factor == 1) for kind, units in FACTORS.items()
}
POSSIBLE: dict[Dimension, float] = {
    "length": 100_000,
    "angle": 180,
    "slope": 100,
    "pressure": 5_000,
    "voltage": 1_000,
    "mass": 50_000,
    "share": 1_000,
    "temperature": 1_000,
}
"""In the dimension's own unit: beyond this nothing in a garage can be, whoever confirms it."""
_SPELLINGS = {
    "length": {'"': "in", "″": "in", "inch": "in", "inches": "in", "'": "ft", "′": "ft", "feet": "ft", "foot": "ft"},
    "angle": {"deg": "°", "degrees": "°", "degree": "°", "′": "'", "min": "'", "″": '"', "sec": '"', "''": '"'},
    "slope": {"percent": "%", "mm per m": "mm/m", "deg": "°", "degrees": "°", "degree": "°"},
    "pressure": {"kpa": "kPa"},
    "voltage": {"v": "V", "volt": "V", "volts": "V", "mv": "mV"},
    "mass": {"kilo": "kg", "lbs": "lb"},
    "share": {"percent": "%", "tank": "full", "of full": "full"},
    "temperature": {"c": "°C", "°c": "°C", "degrees": "°C"},
}
_ACCEPTED = {
    "length": said("quantities.length_such_2643_5_264"),
    "angle": said("quantities.angle_such_0_25_15"),
    "slope": said("quantities.slope_such_0_3_or"),
    "pressure": said("quantities.pressure_such_240_kpa_2"),
    "voltage": said("quantities.voltage_such_12_6_v"),
    "mass": said("quantities.mass_such_41_5_kg"),
    "share": said("quantities.share_such_85_or_5"),
    "temperature": said("quantities.temperature_such_21_5_c"),
}
_CLOSE = ("°", "%", "'", '"')
_NUMBER = r"(?:\d+(?:[.,]\d*)?|[.,]\d+)"
_PART = re.compile(
    rf"(?P<whole>{_NUMBER}(?!\d*\s*/))?\s*(?:(?P<over>\d+)\s*/\s*(?P<under>\d+))?\s*(?P<unit>[^\d\s.,/+-][^\d.,+-]*)?"
)
_OVER = re.compile(r"(-?\d+(?:[.,]\d+)?)\s*mm\s*(?:over|/)\s*(\d+(?:[.,]\d+)?)(?:\s*mm)?")
_SPACES = re.compile(r"(?<=\d)[\u2009\u202f\u00a0 ](?=\d{3}(?:\D|$))")


@dataclass(frozen=True, kw_only=True)
class Quantity:
    """What a field asks for: its dimension, the unit that is meant where none is typed, and what is plausible.

    Values below ``low`` or above ``high`` (in the dimension's own unit) are asked about.
    """

    dimension: Dimension
    unit: str
    low: float
    high: float


class Understood(Frozen):
    """A typed text as understood: ``value`` in the dimension's own unit (mm, degrees, percent, kPa, V, kg, °C)."""

    typed: str
    text: str = Field(description="with the unit it was understood in, such as 66.2 cm")
    value: float


class Question(Frozen):
    """A text that is implausible or could mean several things, and what it may mean."""

    typed: str
    choices: list[Understood]


def _numbers(text: str) -> list[float]:
    """What a number with a decimal point or comma may mean; two readings where a comma could part thousands."""
    plain = float(decimal(text))
    if re.fullmatch(r"[1-9]\d{0,2},\d{3}", text):
        return [plain, float(text.replace(",", ""))]
    return [plain]


def _terms(typed: str, dimension: Dimension) -> tuple[float, list[tuple[list[float], str | None]]]:
    """Sign and the (possible numbers, unit) of each part of a text; raises ``BadInput``."""

    def refuse() -> BadInput:
        return BadInput("value", typed, _ACCEPTED[dimension])

    text = _SPACES.sub("", typed.strip().replace("−", "-"))
    sign = -1.0 if text.startswith("-") else 1.0
    text = text[1:].strip() if text[:1] in ("+", "-") else text
    if not text or len(text) > 40:
        raise refuse()
    terms: list[tuple[list[float], str | None]] = []
    at = 0
    while at < len(text):
        match = _PART.match(text, at)
        if match is None or match.end() == at or not (match["whole"] or match["over"]):
            raise refuse()
        numbers = _numbers(match["whole"]) if match["whole"] else [0.0]
        if match["over"]:
            if int(match["under"]) == 0:
                raise refuse()
            if match["whole"] and not match["whole"].isdigit():
                raise refuse()
            numbers = [n + int(match["over"]) / int(match["under"]) for n in numbers]
        unit = match["unit"].strip().lower() if match["unit"] else None
        if unit is not None:
            unit = _SPELLINGS[dimension].get(unit, unit)
            if unit not in FACTORS[dimension]:
                raise refuse()
        terms.append((numbers, unit))
        at = match.end()
        while at < len(text) and text[at] == " ":
            at += 1
    units = [unit for _, unit in terms]
    if len(terms) > 1 and not _descending(units, dimension):
        raise refuse()
    return sign, terms


def _over_diameter(typed: str, millimetres: float, diameter: float) -> Understood:
    """Toe as some printouts give it: the difference of the rim's edges over the rim's diameter."""
    if diameter < 100 or abs(millimetres) > diameter / 4:
        raise BadInput("value", typed, said("wants.millimetres_over_rims_diameter_such"))
    text = f"{millimetres:g} mm over {diameter:g}".replace("-", "−")
    return Understood(typed=typed, text=text, value=math.degrees(math.atan(millimetres / diameter)))


def _descending(units: list[str | None], dimension: Dimension) -> bool:
    """Feet then inches, degrees then minutes then seconds; a bare last number takes the next smaller unit."""
    order = {"length": ["ft", "in"], "angle": ["°", "'", '"']}.get(dimension, [])
    places = [order.index(u) if u in order else None for u in units]
    return all(p is not None for p in places) and places == sorted(set(places), key=lambda p: p or 0)


def parse(typed: str, dimension: Dimension, unit: str) -> list[Understood]:
    """Every meaning of a typed text, the plainest first; raises ``BadInput`` where it has none."""
    if dimension == "angle" and (over := _OVER.fullmatch(typed.strip().lower().replace("−", "-"))) is not None:
        return [_over_diameter(typed, float(decimal(over[1])), float(decimal(over[2])))]
    sign, terms = _terms(typed, dimension)
    meanings = []
    for pick in range(max(len(numbers) for numbers, _ in terms)):
        value, words = 0.0, []
        for numbers, named in terms:
            n = numbers[min(pick, len(numbers) - 1)]
            value += n * FACTORS[dimension][named or unit]
            words.append(f"{n:.10g}{'' if (named or unit) in _CLOSE else ' '}{named or unit}")
        value *= sign
        if not math.isfinite(value) or abs(value) > LARGEST:
            raise BadInput("value", typed, _ACCEPTED[dimension])
        meanings.append(Understood(typed=typed, text=("−" if sign < 0 else "") + " ".join(words), value=value))
    return meanings


def possible(meanings: list[Understood], typed: str, quantity: Quantity) -> list[Understood]:
    """Those meanings that can be true of anything in a garage; raises ``BadInput`` where none can.

    What is plausible above 0 only (a height, a tape's length) is never 0 or below it, whoever confirms it.
    """
    dimension, above = quantity.dimension, quantity.low > 0
    found = [m for m in meanings if abs(m.value) <= POSSIBLE[dimension] and (m.value > 0 or not above)]
    if not found:
        most = FIGURE_OF[OWN_UNIT[dimension]](POSSIBLE[dimension], 0)
        bounds = "positive" if above else "bounded"
        raise BadInput("value", typed, said(f"wants.quantity.{bounds}", such=_ACCEPTED[dimension], most=most))
    return found


def confirmed(text: str, quantity: Quantity) -> Understood:
    """A meaning that was chosen where it was asked about; raises ``BadInput`` for what cannot be at all."""
    typed = text.replace("−", "-")
    return possible(parse(typed, quantity.dimension, quantity.unit), text, quantity)[0]


def understand(typed: str, quantity: Quantity, signless: bool = False) -> Understood | Question:
    """What a text means for a quantity, or the question to ask; raises ``BadInput`` for what means nothing.

    ``signless``: the direction is asked in words, so the plausible range bounds the amount only and a sign is refused.
    """
    low, high = (0.0, max(abs(quantity.low), abs(quantity.high))) if signless else (quantity.low, quantity.high)
    meanings = parse(typed, quantity.dimension, quantity.unit)
    if signless and meanings[0].value < 0:
        raise BadInput("value", typed, said("wants.amount_without_sign_direction_chosen"))
    fitting = [m for m in meanings if low <= m.value <= high]
    if len(meanings) == 1 and fitting:
        return meanings[0]
    if len(fitting) == 1 and any(unit is not None for _, unit in _terms(typed, quantity.dimension)[1]):
        return fitting[0]
    choices = list(fitting)
    terms = [] if _OVER.fullmatch(typed.strip().lower()) else _terms(typed, quantity.dimension)[1]
    if len(terms) == 1:
        bare = terms[0][0]
        named = terms[0][1]
        for unit, factor in FACTORS[quantity.dimension].items():
            if unit == (named or quantity.unit):
                continue
            for n in bare:
                value = n * factor
                if low <= value <= high and all(abs(value - c.value) > 1e-9 for c in choices):
                    gap = "" if unit in _CLOSE else " "
                    choices.append(Understood(typed=typed, text=f"{n:.10g}{gap}{unit}", value=value))
    for meaning in meanings:
        if meaning not in choices:
            choices.append(meaning)
    return Question(typed=typed, choices=possible(choices, typed, quantity))
