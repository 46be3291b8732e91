"""One measured value and its standard uncertainty.

Source: JCGM 100:2008 (GUM), type A evaluation 4.2, type B 4.3, combination 5.1; catenary sag of a tape
hung free to first order. Lengths in millimetres, temperatures in degrees Celsius.
"""

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Self

from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import Length, exact, said

REFERENCE_TEMPERATURE = 20.0
ROOT_3, ROOT_12 = math.sqrt(3), math.sqrt(12)


class Instrument(Frozen):
    """What an instrument contributes to the uncertainty of a reading."""

    resolution: NotNegative = Field(description="smallest step that can be read, mm or degrees")
    accuracy_constant: NotNegative = Field(description="bound of the constant error, mm or degrees")
    accuracy_ppm: NotNegative = Field(description="bound of the error that grows with the value, parts per million")
    repeatability: NotNegative = Field(description="one sigma of a single reading, mm or degrees")
    bias: Number | None = Field(None, description="reading minus truth, found at its last check, mm or degrees")
    u_bias: NotNegative | None = Field(None, description="standard uncertainty of that bias, mm or degrees")


class Sag(Frozen):
    """A tape that hung free between its ends."""

    weight_n_per_m: NotNegative = Field(description="weight of the tape, newton a metre")
    tension_n: Positive = Field(description="pull at its ends, newton")


class ReadingInput(Frozen):
    """Repeated readings of one value by one instrument."""

    values: list[Number] = Field(min_length=1, description="the readings, mm or degrees")
    instrument: Instrument
    temperature: Number | None = Field(None, description="of the tape, degrees Celsius")
    expansion_per_k: Number | None = Field(None, description="of the tape, per kelvin")
    sag: Sag | None = None
    height_difference: Number = Field(0.0, description="between the tape's ends, mm")
    u_height_difference: NotNegative = Field(0.0, description="its standard uncertainty, mm")

    @model_validator(mode="after")
    def _pair(self) -> Self:
        if (self.temperature is None) != (self.expansion_per_k is None):
            missing = "temperature" if self.temperature is None else "expansion_per_k"
            raise BadInput(missing, "", said("wants.temperature_expansion_per_k_together"))
        return self


class ReadingResult(Frozen):
    """The value, its standard uncertainty and what that is made of."""

    value: float = Field(description="corrected value; the level distance where a height difference was given")
    u: float = Field(description="combined standard uncertainty")
    u_random: float = Field(description="the part that is this reading's own")
    u_offset: float = Field(description="the instrument's constant part, shared by all its readings")
    u_scale: float = Field(description="the instrument's scale part, a pure number, shared by all its readings")
    u_resolution: float
    u_repeat: float


@dataclass(frozen=True, slots=True)
class Figures:
    """What readings amount to, as ``ReadingResult`` says."""

    value: float
    u: float
    u_random: float
    u_offset: float
    u_scale: float
    u_resolution: float
    u_repeat: float


@dataclass(frozen=True, slots=True)
class Conditions:
    """How a tape was read: temperature and expansion, how it hung, how much its ends differ in height, u of both."""

    temperature: float | None = None
    expansion_per_k: float | None = None
    sag: Sag | None = None
    rise: float = 0.0
    u_rise: float = 0.0
    u_temperature: float = 0.0


@calculation("reading")
def reading(given: ReadingInput) -> ReadingResult:
    """Mean, corrections and uncertainty of repeated readings; raises ``BadInput`` for a slope as long as the tape."""
    rise, u_rise = given.height_difference, given.u_height_difference
    how = Conditions(given.temperature, given.expansion_per_k, given.sag, rise, u_rise)
    return ReadingResult(**asdict(worked_out(given.values, given.instrument, how)))


def worked_out(values: Sequence[float], tool: Instrument, how: Conditions) -> Figures:
    """``reading``, of values that were looked at already."""
    n = len(values)
    mean = math.fsum(values) / n if n > 1 else values[0]
    length = mean - (tool.bias or 0.0)
    if how.temperature is not None and how.expansion_per_k is not None:
        length *= 1 + how.expansion_per_k * (how.temperature - REFERENCE_TEMPERATURE)
    if how.sag is not None:
        metres = length / 1000
        length -= 1000 * how.sag.weight_n_per_m**2 * metres**3 / (24 * how.sag.tension_n**2)
    u_resolution = tool.resolution / ROOT_12
    u_repeat = tool.repeatability / math.sqrt(n)
    if n > 1:
        scatter = math.sqrt(math.fsum((value - mean) ** 2 for value in values) / (n - 1))
        u_repeat = max(u_repeat, scatter / math.sqrt(n))
    u_offset = tool.accuracy_constant / ROOT_3 if tool.u_bias is None else tool.u_bias
    u_scale = math.hypot(tool.accuracy_ppm * 1e-6 / ROOT_3, (how.expansion_per_k or 0.0) * how.u_temperature)
    own = math.hypot(u_resolution, u_repeat)
    u_length = math.sqrt(own**2 + u_offset**2 + (u_scale * length) ** 2)
    rise, u_rise = how.rise, how.u_rise
    value, u, u_random = length, u_length, own
    if rise:
        if abs(rise) >= abs(length):
            raise BadInput(
                "height_difference", rise, said("wants.less_than_slanted_length_either", length=exact(Length, length))
            )
        value = math.sqrt(length**2 - rise**2)
        u = math.hypot(length / value * u_length, rise / value * u_rise)
        u_random = math.hypot(length / value * own, rise / value * u_rise)
    return Figures(value, u, u_random, u_offset, u_scale, u_resolution, u_repeat)
