"""Which part of a road drive counts towards the procedure's need.

Source: sums over sampled speed and heading; turns telescope, so the radius over a window takes the noise of two
headings only. Seconds, km/h, degrees, metres.
"""

import bisect
import math
from itertools import accumulate, pairwise
from typing import Literal, Self

from pydantic import Field, field_validator, model_validator

from escuadra.core.base.axes import short_way
from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import Plain, exact, said

Loss = Literal["gap", "slow", "fast", "bend"]
LOSSES: tuple[Loss, ...] = ("gap", "slow", "fast", "bend")


class Sample(Frozen):
    """One sample of the drive."""

    t: Number = Field(description="s")
    speed: NotNegative = Field(description="km/h")
    heading: Number = Field(description="degrees")


class DriveLimits(Frozen):
    """The procedure's window."""

    speed_min: NotNegative
    speed_max: NotNegative
    radius_min: NotNegative | None = Field(None, description="m")
    gap_max: Positive = Field(2.0, description="s")
    window_s: NotNegative = Field(0.0, description="over which a radius is taken")

    @model_validator(mode="after")
    def _window(self) -> Self:
        if self.speed_min > self.speed_max:
            raise BadInput(
                "speed_min", self.speed_min, said("wants.most_speed_max", speed_max=exact(Plain, self.speed_max))
            )
        return self


class DriveNeed(Frozen):
    """What must be reached; null where it is not asked."""

    distance_km: Positive | None = None
    time_s: Positive | None = None


class DriveInput(Frozen):
    """The drive, its window and its need."""

    samples: list[Sample]
    limits: DriveLimits
    need: DriveNeed

    @field_validator("samples")
    @classmethod
    def _in_time(cls, samples: list[Sample]) -> list[Sample]:
        if len(samples) < 2 or any(a.t >= b.t for a, b in pairwise(samples)):
            raise BadInput(
                "samples", said("drive.samples", samples=len(samples)), said("wants.2_samples_or_more_their")
            )
        return samples


class DriveResult(Frozen):
    """What counted and what was lost to what."""

    counted_km: float
    counted_s: float
    total_km: float
    total_s: float
    lost_s: dict[Loss, float]
    share: float | None = Field(description="of the need that was reached; null where nothing is needed")


@calculation("drive")
def drive(given: DriveInput) -> DriveResult:
    """Sum the intervals that lie within the window, and tell what the others were lost to."""
    samples, limits = given.samples, given.limits
    pairs = list(pairwise(samples))
    metres = [(a.speed + b.speed) / 2 * (b.t - a.t) / 3.6 for a, b in pairs]
    turns = [short_way(b.heading - a.heading) for a, b in pairs]
    gone, turned = [0.0, *accumulate(metres)], [0.0, *accumulate(turns)]
    times = [sample.t for sample in samples]
    lost: dict[Loss, float] = dict.fromkeys(LOSSES, 0.0)
    counted_m = counted_s = total_m = 0.0
    for i, (a, b) in enumerate(pairs):
        dt = b.t - a.t
        first = bisect.bisect_left(times, a.t - limits.window_s / 2)
        last = bisect.bisect_right(times, b.t + limits.window_s / 2) - 1
        turn = abs(math.radians(turned[last] - turned[first]))
        radius = (gone[last] - gone[first]) / turn if turn > 0 else math.inf
        why: Loss | None = None
        if dt > limits.gap_max:
            why = "gap"
        elif min(a.speed, b.speed) < limits.speed_min:
            why = "slow"
        elif max(a.speed, b.speed) > limits.speed_max:
            why = "fast"
        elif limits.radius_min is not None and radius < limits.radius_min:
            why = "bend"
        if why != "gap":
            total_m += metres[i]
        if why is None:
            counted_m += metres[i]
            counted_s += dt
        else:
            lost[why] += dt
    shares = []
    if given.need.distance_km is not None:
        shares.append(counted_m / 1000 / given.need.distance_km)
    if given.need.time_s is not None:
        shares.append(counted_s / given.need.time_s)
    return DriveResult(
        counted_km=counted_m / 1000,
        counted_s=counted_s,
        total_km=total_m / 1000,
        total_s=samples[-1].t - samples[0].t,
        lost_s=lost,
        share=min(1.0, *shares) if shares else None,
    )
