"""What a vehicle's own routine asks for: in which unit, how rounded, within what bounds, and of ride heights how many.

Lengths in millimetres as they were read; what is typed is in the routine's unit.
"""

import math
from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator

from escuadra.core.base.corners import BY_AXLE, BY_SIDE, CORNERS, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import CatalogueText, Frozen, Number, Positive
from escuadra.core.base.quantities import FACTORS
from escuadra.core.base.said import Angle, Centimetres, Length, Said, Value, said
from escuadra.core.base.steps import to_step

Groups = Mapping[str, tuple[Corner, ...]]
USUAL_STEP = {"mm": 1.0, "cm": 0.1, "in": 0.1, "deg": 0.1}
UNITS = {**FACTORS["length"], "deg": 1.0}


class Rounded(Frozen):
    """A figure as a routine takes it: its unit, its step, how it rounds and within what bounds."""

    unit: Literal["mm", "cm", "in", "deg"]
    step: Positive | None = Field(None, description="to which it takes them, in its unit; none: 1 mm, 0.1 cm or 0.1 in")
    rounds: Literal["nearest", "down", "up"] = "nearest"
    least: Number | None = Field(None, description="that it takes, in its unit")
    most: Number | None = Field(None, description="that it takes, in its unit")

    @model_validator(mode="after")
    def _bounds(self) -> Self:
        if self.least is not None and self.most is not None and self.least >= self.most:
            raise BadInput("most", self.most, said("wants.more_than_least"))
        return self

    @property
    def finest(self) -> float:
        """The step to which it takes a value."""
        return self.step or USUAL_STEP[self.unit]

    def taken(self, name: str, value: float) -> float:
        """A figure (mm or degrees) in the routine's unit; raises ``BadInput`` under that name where it is not taken."""
        found = self._rounded(value / UNITS[self.unit])
        low, high = self.least, self.most
        if (low is not None and found < low) or (high is not None and found > high):
            within = said("wants.routine_takes", least=self.shown(low or 0.0), most=self.shown(high or math.inf))
            raise BadInput(name, self.shown(found), within)
        return found

    def _rounded(self, value: float) -> float:
        step = self.finest
        # A hair beside a whole step is that step.
        steps = round(value / step, 6)
        if self.rounds == "down":
            return math.floor(steps) * step
        return math.ceil(steps) * step if self.rounds == "up" else to_step(value, step)

    def shown(self, value: float) -> Said | Value:
        """A value as it is to be typed."""
        places = max(0, -math.floor(math.log10(self.finest) + 1e-9))
        if self.unit == "mm":
            return Length(value, places)
        if self.unit == "deg":
            return Angle(value, places)
        return Centimetres(value, places) if self.unit == "cm" else said("as_is", text=f"{value:.{places}f} in")


class TypedFigure(Rounded):
    """What was measured on this visit, as somebody types it into the vehicle's own routine."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: CatalogueText = Field(description="what the routine calls it")
    of: str = Field(description="id of the check that tells it")
    figure: str = Field("", description="id of its figure, where that has several; empty: the first")
    positive: Literal["as_here", "right", "left", "unsigned"] = Field(
        "as_here", description="which side the routine counts positive; unsigned: it takes no sign"
    )

    def to_type(self, value: float) -> float:
        """A figure (mm or degrees, left positive) in the routine's unit and sign; raises ``BadInput`` by its id."""
        turned = {"right": -value, "unsigned": abs(value)}.get(self.positive, value)
        return self.taken(self.id, turned) + 0.0


class Routine(Rounded):
    """What the vehicle's own routine asks for."""

    values: Literal[1, 2, 4] = Field(description="one: the mean; two: by axle or side; four: every corner")
    by: Literal["axle", "side"] = Field("axle", description="what two values are of")
    unit: Literal["mm", "cm", "in"]

    @property
    def groups(self) -> Groups:
        """The corners of each value, by its name."""
        if self.values == 1:
            return {"mean": CORNERS}
        if self.values == 4:
            return {corner: (corner,) for corner in CORNERS}
        return BY_SIDE if self.by == "side" else BY_AXLE

    def to_type(self, heights: Mapping[Corner, float]) -> dict[str, float]:
        """What is typed, by its name, in the routine's unit; raises ``BadInput`` for what it does not take."""
        means = {name: math.fsum(heights[c] for c in corners) / len(corners) for name, corners in self.groups.items()}
        return {name: self.taken(name, mean) for name, mean in means.items()}
