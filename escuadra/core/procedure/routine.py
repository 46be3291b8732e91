"""The ride heights that a vehicle's own routine asks for: how many, in which unit, how rounded, and within what bounds.

Lengths in millimetres as they were read; what is typed is in the routine's unit.
"""

import math
from collections.abc import Mapping
from typing import Literal, Self

from pydantic import Field, model_validator

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.quantities import FACTORS
from escuadra.core.base.said import Centimetres, Length, Said, Value, said
from escuadra.core.base.steps import to_step
from escuadra.core.vehicle.stance import CORNERS, Corner

Groups = Mapping[str, tuple[Corner, ...]]
BY_AXLE: Groups = {"front": ("LF", "RF"), "rear": ("LR", "RR")}
BY_SIDE: Groups = {"left": ("LF", "LR"), "right": ("RF", "RR")}
USUAL_STEP = {"mm": 1.0, "cm": 0.1, "in": 0.1}


class Routine(Frozen):
    """What the vehicle's own routine asks for."""

    values: Literal[1, 2, 4] = Field(description="one: the mean; two: by axle or side; four: every corner")
    by: Literal["axle", "side"] = Field("axle", description="what two values are of")
    unit: Literal["mm", "cm", "in"]
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
    def groups(self) -> Groups:
        """The corners of each value, by its name."""
        if self.values == 1:
            return {"mean": CORNERS}
        if self.values == 4:
            return {corner: (corner,) for corner in CORNERS}
        return BY_SIDE if self.by == "side" else BY_AXLE

    @property
    def finest(self) -> float:
        """The step to which it takes a value."""
        return self.step or USUAL_STEP[self.unit]

    def to_type(self, heights: Mapping[Corner, float]) -> dict[str, float]:
        """What is typed, by its name, in the routine's unit; raises ``BadInput`` for what it does not take."""
        found = {}
        for name, corners in self.groups.items():
            mean = math.fsum(heights[corner] for corner in corners) / len(corners) / FACTORS["length"][self.unit]
            value = self._rounded(mean)
            low, high = self.least, self.most
            if (low is not None and value < low) or (high is not None and value > high):
                within = said("wants.routine_takes", least=self.shown(low or 0.0), most=self.shown(high or math.inf))
                raise BadInput(name, self.shown(value), within)
            found[name] = value
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
        return Centimetres(value, places) if self.unit == "cm" else said("as_is", text=f"{value:.{places}f} in")
