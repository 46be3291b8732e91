"""A sensor's two adjusting screws, as a sheet states them.

Seen from in front of the vehicle, right and up of the sensor's middle; a clockwise turn is positive, seen from the side
that the sheet names. Degrees; yaw left and pitch nose down positive as in ISO 8855.
"""

from typing import Literal

from pydantic import Field, field_validator

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import CatalogueText, Frozen, Number, Positive
from escuadra.core.base.said import said
from escuadra.core.procedure.limits import Limits

STEPS = (0.125, 0.25)
"""Of a turn: what a hand can tell."""


class AdjustingScrew(Frozen):
    """One screw: where it sits on the sensor, and what a clockwise turn of it does."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: CatalogueText
    right: Number = Field(description="of the sensor's middle, as one stands before the vehicle, mm")
    up: Number = Field(description="mm")
    yaw_deg_per_turn: Number
    pitch_deg_per_turn: Number


class ByMirror(Frozen):
    """A mirror on the sensor, or one fitted to a flat face parallel to its front: how it must return a beam."""

    yaw: Limits = Field(description="of the sensor against the line in use, degrees")
    pitch: Limits = Field(description="degrees")
    u_deg: Positive = Field(0.03, description="how parallel the mirror sits to the sensor's front, one sigma")


class Adjusting(Frozen):
    """How a sensor is turned until it looks where it should."""

    screws: tuple[AdjustingScrew, AdjustingScrew]
    seen_from: Literal["front", "behind"] = Field("front", description="from where a turn is clockwise")
    step: Positive = Field(0.125, description="in what the routine tells turns")
    travel: Positive = Field(description="of a screw from where it was found, either way, turns")
    most_passes: int = Field(3, ge=1, le=20, description="after so many, look at bracket and cover")
    told: bool = Field(True, description="the routine tells the turns; else ours are made")
    mirror: ByMirror | None = Field(None, description="the sensor's mirror tells the misalignment, not the routine")

    @field_validator("step")
    @classmethod
    def _counted_by_hand(cls, step: float) -> float:
        if step not in STEPS:
            raise BadInput("step", step, said("wants.eighths_or_quarters"))
        return step

    @property
    def asks_turns(self) -> bool:
        """The routine tells the turns to make."""
        return self.told and self.mirror is None

    @field_validator("screws")
    @classmethod
    def _two(cls, screws: tuple[AdjustingScrew, AdjustingScrew]) -> tuple[AdjustingScrew, AdjustingScrew]:
        if screws[0].id == screws[1].id:
            raise BadInput("screws", screws[0].id, said("wants.two_screws_different_names"))
        return screws
