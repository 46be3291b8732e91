"""Which road of the garage fills a drive soonest, by what single passes of it brought.

Source: means of single passes; passes are whole, and an odd number of them ends at the far end. Seconds, kilometres.
"""

import math
from typing import Any, Self

from pydantic import Field, field_validator, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, NotNegative, Positive
from escuadra.core.base.said import said
from escuadra.core.road.drive import DriveNeed

SHORT = 1e-9
"""By so much a need may be missed: rounding of sums."""


class Pass(Frozen):
    """What a single pass of a road brought."""

    counted_km: NotNegative
    counted_s: NotNegative
    total_s: Positive

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.counted_s > self.total_s:
            raise BadInput("total_s", self.total_s, said("wants.pass_total"))
        return self


class Road(Frozen):
    """A road that the garage drives on: how far its two ends are, and what its passes brought."""

    id: str
    near_s: NotNegative = Field(description="from the garage to its near end")
    far_s: NotNegative = Field(description="from the garage to its far end")
    turn_s: NotNegative = Field(description="to turn round at either end")
    past: list[Pass] = []
    assumed: Pass | None = None

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if not self.past and self.assumed is None:
            raise BadInput("past", "", said("wants.past_or_assumed"))
        return self

    @property
    def single(self) -> tuple[float, float, float]:
        """Kilometres and seconds that count, and seconds in all, of a single pass: the means, else as assumed."""
        passes = self.past or [one for one in (self.assumed,) if one is not None]
        km, counted, total = ([getattr(one, name) for one in passes] for name in Pass.model_fields)
        return sum(km) / len(passes), sum(counted) / len(passes), sum(total) / len(passes)


class RoadsInput(Frozen):
    """What is needed, and the roads to choose from."""

    need: DriveNeed
    roads: list[Road]

    @field_validator("need", mode="before")
    @classmethod
    def _some(cls, need: Any) -> Any:
        told = need.values() if isinstance(need, dict) else ()
        if any(isinstance(one, int | float) and one <= 0 for one in told):
            raise BadInput("need", str(need), said("wants.need_km_or_s"))
        return need

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.need.distance_km is None and self.need.time_s is None:
            raise BadInput("need", "", said("wants.need_km_or_s"))
        if not self.roads:
            raise BadInput("roads", "", said("wants.road_or_more"))
        each_once("roads", (one.id for one in self.roads), said("wants.each_road_once"))
        return self


class RoadTold(Frozen):
    """How often a road is driven, and how long all of it takes; null where what is needed never counts there."""

    id: str
    passes: int | None
    total_s: float | None


class RoadsResult(Frozen):
    """Every road in its order; ``best``: the one that takes least, of equals the earlier."""

    roads: list[RoadTold]
    best: str | None


def passes_needed(need: DriveNeed, counted_km: float, counted_s: float) -> int | None:
    """The fewest passes, 1 or more, that bring what is needed; nothing where they never do."""
    most = 1
    for wanted, one in ((need.distance_km, counted_km), (need.time_s, counted_s)):
        if wanted is None or wanted <= SHORT:
            continue
        if one <= 0:
            return None
        passes = max(1, math.ceil((wanted - SHORT) / one))
        while passes > 1 and (passes - 1) * one >= wanted - SHORT:
            passes -= 1
        while passes * one < wanted - SHORT:
            passes += 1
        most = max(most, passes)
    return most


def whole_way(road: Road, passes: int, each_s: float) -> float:
    """Seconds from the garage and back: there, the passes, a turn between each two, and home from where they end."""
    home = road.near_s if passes % 2 == 0 else road.far_s
    return road.near_s + passes * each_s + (passes - 1) * road.turn_s + home


@calculation("roads")
def roads(given: RoadsInput) -> RoadsResult:
    """Passes and time of each road, and which takes least."""
    found = []
    for road in given.roads:
        km, counted, total = road.single
        passes = passes_needed(given.need, km, counted)
        found.append(
            RoadTold(id=road.id, passes=passes, total_s=None if passes is None else whole_way(road, passes, total))
        )
    possible = [one for one in found if one.total_s is not None]
    best = min(possible, key=lambda one: one.total_s or 0.0, default=None)
    return RoadsResult(roads=found, best=best.id if best is not None else None)
