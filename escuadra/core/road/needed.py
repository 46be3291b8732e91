"""What a sensor's drive needs: kilometres, minutes or the vehicle's own bar, its window, and what must be so."""

from typing import Literal, Self

from pydantic import Field, model_validator

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import CatalogueText, Frozen, NotNegative, Positive
from escuadra.core.base.said import said
from escuadra.core.road.drive import DriveLimits, DriveNeed

Display = Literal["km/h", "mph"]
PER_DISPLAY: dict[Display, float] = {"km/h": 1.0, "mph": 1.609344}
"""Kilometres in what a display counts by."""


class DriveSpec(Frozen):
    """The drive on the road after which a sensor has learned what it must."""

    distance_km: Positive | None = Field(None, description="that must count")
    minutes: Positive | None = Field(None, description="that must count")
    bar: bool = Field(False, description="the vehicle shows how far it is on a bar of its own, which may stall")
    speed_min: NotNegative = Field(description="km/h")
    speed_max: Positive = Field(description="km/h")
    radius_min: Positive | None = Field(None, description="of a bend that still counts as straight, m")
    gap_max: Positive = Field(2.0, description="between samples, s")
    window_s: NotNegative = Field(4.0, description="over which a radius is taken")
    display: Display = Field("km/h", description="what the vehicle's own display counts by")
    lines: bool = Field(False, description="clear lines on both sides of the lane")
    conditions: list[CatalogueText] = Field([], max_length=6, description="what else must be so, as the maker says it")
    most_attempts: int = Field(5, ge=1, le=20, description="after which the cause is looked for before another")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.distance_km is None and self.minutes is None and not self.bar:
            raise BadInput("distance_km", "", said("wants.need_of_drive"))
        if self.speed_min > self.speed_max:
            raise BadInput("speed_min", self.speed_min, said("wants.window_of_speed"))
        return self

    @property
    def limits(self) -> DriveLimits:
        """The window that intervals are judged by."""
        return DriveLimits(
            speed_min=self.speed_min,
            speed_max=self.speed_max,
            radius_min=self.radius_min,
            gap_max=self.gap_max,
            window_s=self.window_s,
        )

    @property
    def need(self) -> DriveNeed:
        """What must be reached; of a bar alone: nothing that can be counted."""
        return DriveNeed(distance_km=self.distance_km, time_s=self.minutes * 60 if self.minutes is not None else None)
