"""Where a vehicle was and when: samples of a drive, made into speed and heading, several joined in time.

Source: WGS 84 radii of curvature for metres from degrees; speed and heading from a line of least squares through
the positions around a sample where the receiver does not tell them, where samples are sparse from a cubic (Savitzky
and Golay). Seconds (UTC), degrees, km/h.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Count, said

EQUATORIAL_M, ECCENTRICITY2 = 6_378_137.0, 6.694379990141e-3
"""Of the WGS 84 ellipsoid."""
SPREAD_S = 1.5
"""To either side of a sample: the positions that its speed and heading are taken from."""
BESIDE = 2
"""Samples to either side that are taken at least, where no gap is."""
CALM_S = 0.5
"""To either side of a sample: what a receiver tells of the speed flutters from one to the next."""
SPARSE_S, CURVED, DEGREE = 0.45, 4, 3
"""Samples this far apart and more cut across bends: there a cubic goes through so many on either side."""
STANDS_KMH = 2.0
"""Below this a heading from positions means nothing: the last one stays."""
JUMP_S = 5.0
"""A step of the clock is looked at from here on."""


@dataclass(frozen=True, eq=False)
class Trace:
    """Samples in the order in which they were taken; arrays of shape (n,), NaN where a figure was not told."""

    t: np.ndarray
    latitude: np.ndarray
    longitude: np.ndarray
    speed: np.ndarray
    heading: np.ndarray

    def __len__(self) -> int:
        return len(self.t)

    def where(self, kept: np.ndarray) -> "Trace":
        """Only some of the samples."""
        return Trace(self.t[kept], self.latitude[kept], self.longitude[kept], self.speed[kept], self.heading[kept])

    def later(self, seconds: np.ndarray) -> "Trace":
        """The same at other times."""
        return Trace(self.t + seconds, self.latitude, self.longitude, self.speed, self.heading)

    @cached_property
    def places(self) -> tuple[np.ndarray, np.ndarray]:
        """Metres east and north of the first position."""
        return metres_of(self.latitude, self.longitude)


@dataclass(frozen=True)
class Jump:
    """The clock stepped while the vehicle drove on: after which second, and by how much it was put right."""

    after_s: float
    by_s: float


@dataclass(frozen=True, eq=False)
class Joined:
    """Several traces as one, in time."""

    trace: Trace
    jumps: tuple[Jump, ...]
    """What their clocks did."""
    twice: int
    """Samples left out because another trace had that moment already."""


def metres_of(latitude: np.ndarray, longitude: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Metres east and north of the first position that is told; a drive is short against the earth's radius."""
    told = np.flatnonzero(np.isfinite(latitude) & np.isfinite(longitude))
    if not len(told):
        return np.full(len(latitude), np.nan), np.full(len(latitude), np.nan)
    origin = math.radians(float(latitude[told].mean()))
    root = math.sqrt(1 - ECCENTRICITY2 * math.sin(origin) ** 2)
    meridian = EQUATORIAL_M * (1 - ECCENTRICITY2) / root**3
    parallel = EQUATORIAL_M / root * math.cos(origin)
    # The shorter way round, where a drive crosses the date line.
    east = (longitude - longitude[told[0]] + 180.0) % 360.0 - 180.0
    return np.radians(east) * parallel, np.radians(latitude - latitude[told[0]]) * meridian


def moving(trace: Trace, gap_s: float) -> tuple[np.ndarray, np.ndarray]:
    """Speed (km/h) and heading (degrees) of every sample: as told, else from the positions around it.

    ``gap_s``: over a longer gap nothing is taken from positions. Raises ``BadInput`` where neither speed nor position
    is told.
    """
    speed, heading = _calmed(trace.t, trace.speed), trace.heading.copy()
    unknown = ~np.isfinite(speed)
    turned = ~np.isfinite(heading)
    if unknown.any() or turned.any():
        if not np.isfinite(trace.latitude).any():
            if unknown.any():
                raise BadInput("samples", said("trace.no_speed"), said("wants.speed_or_positions"))
            return speed, np.where(turned, 0.0, heading)
        from_places, way = _from_places(trace, gap_s)
        speed = np.where(unknown, from_places, speed)
        # What stands has no direction of its own.
        way = _held(np.where(speed < STANDS_KMH, np.nan, way))
        heading = np.where(turned, way, heading)
    return speed, heading


def _calmed(t: np.ndarray, told: np.ndarray) -> np.ndarray:
    """What was told, each the mean of those around it: as many before as after, none where it was not told."""
    known = np.flatnonzero(np.isfinite(told))
    at, here = np.arange(len(known)), t[known]
    before = at - np.searchsorted(here, here - CALM_S, "left")
    after = np.searchsorted(here, here + CALM_S, "right") - 1 - at
    beside = np.minimum(before, after)
    sums = np.concatenate([[0.0], np.cumsum(told[known])])
    found = told.copy()
    found[known] = (sums[at + beside + 1] - sums[at - beside]) / (2 * beside + 1)
    return found


def _from_places(trace: Trace, gap_s: float) -> tuple[np.ndarray, np.ndarray]:
    east, north = trace.places
    told = np.flatnonzero(np.isfinite(east))
    t, x, y = trace.t[told], east[told], north[told]
    # No window reaches over a gap: the samples between two of them are one run.
    run = np.concatenate([[0], np.cumsum(np.diff(t) > gap_s)])
    starts = np.searchsorted(run, np.arange(run[-1] + 1), "left")
    ends = np.searchsorted(run, np.arange(run[-1] + 1), "right") - 1
    first = np.maximum(np.searchsorted(t, t - SPREAD_S, "left"), starts[run])
    last = np.minimum(np.searchsorted(t, t + SPREAD_S, "right") - 1, ends[run])
    # Where samples are far apart, some neighbours on either side are in it.
    first = np.maximum(np.minimum(first, np.arange(len(t)) - BESIDE), starts[run])
    last = np.minimum(np.maximum(last, np.arange(len(t)) + BESIDE), ends[run])
    vx, vy = (_slopes(t - t[0], values, first, last) for values in (x, y))
    if len(t) > 2 * CURVED and float(np.median(np.diff(t))) >= SPARSE_S:
        inner = np.flatnonzero((np.arange(len(t)) - CURVED >= starts[run]) & (np.arange(len(t)) + CURVED <= ends[run]))
        vx[inner], vy[inner] = (_curved(t, values, inner) for values in (x, y))
    speed, way = np.full(len(trace), np.nan), np.full(len(trace), np.nan)
    speed[told], way[told] = np.hypot(vx, vy) * 3.6, np.degrees(np.arctan2(vx, vy)) % 360.0
    return np.where(np.isfinite(speed), speed, 0.0), way


def _slopes(t: np.ndarray, values: np.ndarray, first: np.ndarray, last: np.ndarray) -> np.ndarray:
    """Slope of the line of least squares through samples ``first`` to ``last`` of each; 0 where one has no time."""
    sums = [np.concatenate([[0.0], np.cumsum(one)]) for one in (t, values, t * t, t * values)]
    st, sv, stt, stv = (one[last + 1] - one[first] for one in sums)
    count = last - first + 1
    spread = stt - st * st / count
    with np.errstate(divide="ignore", invalid="ignore"):
        found: np.ndarray = np.where(spread > 1e-9, (stv - st * sv / count) / spread, 0.0)
    return found


def _curved(t: np.ndarray, values: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Slope at some samples of the cubic of least squares through those around each."""
    near = at[:, None] + np.arange(-CURVED, CURVED + 1)
    powers = (t[near] - t[at, None])[..., None] ** np.arange(DEGREE + 1)
    normal = powers.swapaxes(1, 2) @ powers
    right = powers.swapaxes(1, 2) @ (values[near] - values[at, None])[..., None]
    slopes: np.ndarray = np.linalg.solve(normal, right)[:, 1, 0]
    return slopes


def _held(values: np.ndarray) -> np.ndarray:
    """Each unknown value as the last known one before it; before the first, that."""
    known = np.isfinite(values)
    if not known.any():
        return np.zeros(len(values))
    last = np.maximum.accumulate(np.where(known, np.arange(len(values)), -1))
    return values[np.where(last < 0, int(np.flatnonzero(known)[0]), last)]


def steady(trace: Trace) -> tuple[Trace, tuple[Jump, ...]]:
    """The trace with a clock that only goes on: a step back, or one ahead while the vehicle drove on, is put right.

    A step ahead is a jump only where the vehicle moved on by no more than its usual interval took it: where it stood,
    or came far, that time really passed.
    """
    steps = np.diff(trace.t)
    usual = float(np.median(steps[steps > 0])) if (steps > 0).any() else 1.0
    odd = np.flatnonzero((steps <= 0) | (steps > max(JUMP_S, 3 * usual)))
    if not len(odd):
        return trace, ()
    east, north = trace.places
    shift, jumps = np.zeros(len(trace)), []
    for k in map(int, odd):
        before, after = max(0, k - 3), min(len(trace) - 1, k + 4)
        moved = math.hypot(east[k + 1] - east[k], north[k + 1] - north[k])
        paces = [_pace(trace, east, north, before, k), _pace(trace, east, north, k + 1, after)]
        drives = min(paces) > 3.0
        if steps[k] > 0 and not (drives and moved < 3 * max(paces) * usual):
            continue
        shift[k + 1 :] += usual - steps[k]
        jumps.append(Jump(float(trace.t[k] + shift[k] - trace.t[0]), float(steps[k] - usual)))
    fixed = trace.later(shift)
    rises = np.concatenate([[True], fixed.t[1:] > np.maximum.accumulate(fixed.t)[:-1]])
    # Twice the same moment is no step of the clock.
    return fixed.where(rises), tuple(one for one in jumps if abs(one.by_s) > max(1.5, 2 * usual))


def _pace(trace: Trace, east: np.ndarray, north: np.ndarray, first: int, last: int) -> float:
    """m/s between two samples; as told at the first where no position says more."""
    seconds = trace.t[last] - trace.t[first]
    if first == last or not math.isfinite(east[first]) or seconds <= 0:
        return float(trace.speed[first]) / 3.6 if math.isfinite(trace.speed[first]) else 0.0
    return float(math.hypot(east[last] - east[first], north[last] - north[first]) / seconds)


def joined(traces: Sequence[Trace]) -> Joined:
    """Several traces in time, each with a steady clock; where two tell of one moment, the one that began first counts.

    Raises ``BadInput`` for fewer than two samples in all.
    """
    kept: list[Trace] = []
    jumps: list[Jump] = []
    twice = 0
    until = -math.inf
    fixed = [steady(trace) for trace in traces if len(trace)]
    for trace, own in sorted(fixed, key=lambda one: float(one[0].t[0])):
        jumps += own
        later = trace.t > until
        twice += int((~later).sum())
        if later.any():
            kept.append(trace.where(later))
            until = float(trace.t[later][-1])
    count = sum(len(one) for one in kept)
    if count < 2:
        raise BadInput("samples", said("drive.samples", samples=Count(count)), said("wants.2_samples_or_more_their"))
    names = ("t", "latitude", "longitude", "speed", "heading")
    whole = Trace(*(np.concatenate([getattr(one, name) for one in kept]) for name in names))
    return Joined(whole, tuple(jumps), twice)
