"""Which part of a road drive counts towards the procedure's need.

Source: sums over sampled speed and heading; turns telescope, so the radius over a window takes the noise of two
headings only. Seconds, km/h, degrees, metres.
"""

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal, Self

import numpy as np
from pydantic import Field, field_validator, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import Plain, exact, said

Loss = Literal["gap", "slow", "fast", "bend"]
LOSSES: tuple[Loss, ...] = ("gap", "slow", "fast", "bend")
FINE_S = 0.1
"""So finely a trace is judged."""


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


@dataclass(frozen=True, eq=False)
class Judged:
    """Every interval between neighbouring samples: what it was lost to, its length and how long it took.

    Arrays of shape (n - 1,): ``lost`` an index into ``LOSSES`` or -1 where it counts, ``metres``, ``seconds``.
    """

    lost: np.ndarray
    metres: np.ndarray
    seconds: np.ndarray

    @property
    def counts(self) -> np.ndarray:
        """Where it counts."""
        found: np.ndarray = self.lost < 0
        return found

    @property
    def counted_m(self) -> float:
        """Of what counts, m."""
        return float(self.metres[self.counts].sum())

    @property
    def counted_s(self) -> float:
        """Of what counts, s."""
        return float(self.seconds[self.counts].sum())

    @property
    def total_m(self) -> float:
        """Driven, as far as that was seen: nobody knows what lies in a gap."""
        return float(self.metres[self.lost != LOSSES.index("gap")].sum())

    def lost_s(self) -> dict[Loss, float]:
        """Seconds lost to each."""
        return {loss: float(self.seconds[self.lost == k].sum()) for k, loss in enumerate(LOSSES)}


def judge(t: np.ndarray, speed: np.ndarray, heading: np.ndarray, limits: DriveLimits) -> Judged:
    """Judge every interval; ``t`` (n,) s increasing, ``speed`` (n,) km/h, ``heading`` (n,) degrees."""
    seconds = np.diff(t)
    metres = (speed[:-1] + speed[1:]) / 2 * seconds / 3.6
    gone = np.concatenate([[0.0], np.cumsum(metres)])
    turned = np.concatenate([[0.0], np.cumsum((np.diff(heading) + 180.0) % 360.0 - 180.0)])
    first = np.searchsorted(t, t[:-1] - limits.window_s / 2, "left")
    last = np.searchsorted(t, t[1:] + limits.window_s / 2, "right") - 1
    turn = np.abs(np.radians(turned[last] - turned[first]))
    with np.errstate(divide="ignore", invalid="ignore"):
        radius = np.where(turn > 0, (gone[last] - gone[first]) / turn, math.inf)
    slowest, fastest = np.minimum(speed[:-1], speed[1:]), np.maximum(speed[:-1], speed[1:])
    why = [seconds > limits.gap_max, slowest < limits.speed_min, fastest > limits.speed_max]
    why.append(radius < limits.radius_min if limits.radius_min is not None else np.zeros(len(seconds), bool))
    return Judged(np.select(why, range(len(LOSSES)), -1), metres, seconds)


def finer(
    t: np.ndarray, speed: np.ndarray, heading: np.ndarray, gap_max: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Samples at most ``FINE_S`` apart where there is no gap: speed and heading go straight from one to the next.

    What crosses the edge of the window between two samples counts up to where it crosses it.
    """
    steps = np.diff(t)
    parts = np.where(steps > gap_max, 1, np.maximum(1, np.ceil(steps / FINE_S - 1e-6))).astype(int)
    if parts.max(initial=1) == 1:
        return t, speed, heading
    k = np.repeat(np.arange(len(steps)), parts)
    first = np.cumsum(parts) - parts
    share = (np.arange(len(k)) - first[k]) / parts[k]
    turn = (np.diff(heading) + 180.0) % 360.0 - 180.0

    def along(values: np.ndarray, step: np.ndarray) -> np.ndarray:
        return np.append(values[:-1][k] + share * step[k], values[-1])

    return along(t, steps), along(speed, np.diff(speed)), along(heading, turn)


def share_of(need: DriveNeed, counted_m: float, counted_s: float) -> float | None:
    """How much of a need is reached, at most 1; null where nothing is needed."""
    shares = []
    if need.distance_km is not None:
        shares.append(counted_m / 1000 / need.distance_km)
    if need.time_s is not None:
        shares.append(counted_s / need.time_s)
    return min(1.0, *shares) if shares else None


@calculation("drive")
def drive(given: DriveInput) -> DriveResult:
    """Sum the intervals that lie within the window, and tell what the others were lost to."""
    t, speed, heading = (np.array([getattr(one, name) for one in given.samples]) for name in ("t", "speed", "heading"))
    judged = judge(t, speed, heading, given.limits)
    return DriveResult(
        counted_km=judged.counted_m / 1000,
        counted_s=judged.counted_s,
        total_km=judged.total_m / 1000,
        total_s=float(t[-1] - t[0]),
        lost_s=judged.lost_s(),
        share=share_of(given.need, judged.counted_m, judged.counted_s),
    )
