"""Where a vehicle was and when: samples of a drive, made into speed and heading, several joined in time.

Source: WGS 84 radii of curvature for metres from degrees; speed and heading from a line of least squares through
the positions around a sample where the receiver does not tell them, where samples are sparse from a cubic (Savitzky
and Golay), each taken over as wide a window as its samples bear: the intersection of confidence intervals
(Goldenshluger and Nemirovski 1997; by sides: Katkovnik 1999). Seconds (UTC), degrees, km/h.
"""

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import chain

import numpy as np

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Count, said

EQUATORIAL_M, ECCENTRICITY2 = 6_378_137.0, 6.694379990141e-3
"""Of the WGS 84 ellipsoid."""
SPREAD_S = 1.5
"""To either side of a sample: the positions that its speed and heading are taken from."""
BESIDE = 2
"""Samples to either side that are taken at least, where no gap is."""
SPARSE_S, CURVED, DEGREE = 0.45, 4, 3
"""Samples this far apart and more cut across bends: there a cubic goes through so many on either side."""
WIDTHS = (1, 2, 3, 4, 6, 8, 11, 15, 20, 28, 40, 56, 80, 110, 150)
"""Samples to one side that a window may have, ..."""
WIDEST_S = 15.0
"""... and how long that side may be."""
LEAST_S = 2.0
"""A side of positions shorter than this tells little of the speed."""
TRUST = 1.2
"""Half a confidence interval, in standard deviations: short ones see a kink soon."""
FLUTTER, OF_MEDIAN = 2, 0.6745
"""Differences of that order know nothing of a steady change; the median of what is normal lies there."""
OF_CUBIC = 0.1143
"""Variance of a slope by the cubic through four on either side, a second apart."""
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
    speed, heading = _calmed(trace.t, trace.speed, gap_s), trace.heading.copy()
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


def _calmed(t: np.ndarray, told: np.ndarray, gap_s: float) -> np.ndarray:
    """What was told, each the mean of as many of those around it as it bears; none where it was not told."""
    known = np.flatnonzero(np.isfinite(told))
    here, values = t[known], told[known]
    sums = np.append(0.0, np.cumsum(values))

    def mean(first: np.ndarray, last: np.ndarray) -> Estimates:
        count = last - first + 1
        return ((sums[last + 1] - sums[first]) / count)[None], 1 / count

    found = told.copy()
    if len(known) > FLUTTER:
        own = values[None], np.ones(len(known))
        noise = np.array([_noise(values, FLUTTER)])
        found[known] = _as_wide_as_they_bear(here, _runs(here, gap_s), mean, noise, 0.0, (own, own, own))[0]
    return found


def _from_places(trace: Trace, gap_s: float) -> tuple[np.ndarray, np.ndarray]:
    east, north = trace.places
    told = np.flatnonzero(np.isfinite(east))
    t, places = trace.t[told] - trace.t[told[0]], np.vstack([east[told], north[told]])
    runs = starts, ends = _runs(t, gap_s)
    first = np.maximum(np.searchsorted(t, t - SPREAD_S, "left"), starts)
    last = np.minimum(np.searchsorted(t, t + SPREAD_S, "right") - 1, ends)
    # Where samples are far apart, some neighbours on either side are in it.
    first = np.maximum(np.minimum(first, np.arange(len(t)) - BESIDE), starts)
    last = np.minimum(np.maximum(last, np.arange(len(t)) + BESIDE), ends)

    slopes = _slopes(t, places)
    found, variance = slopes(first, last)
    step = float(np.median(np.diff(t))) if len(t) > 1 else 0.0
    if len(t) > 2 * CURVED and step >= SPARSE_S:
        inner = np.flatnonzero((np.arange(len(t)) - CURVED >= starts) & (np.arange(len(t)) + CURVED <= ends))
        found[:, inner] = [_curved(t, values, inner) for values in places]
        variance[inner] = OF_CUBIC / step**2
    nothing = np.zeros_like(found), np.full(len(t), math.inf)
    # A bend is no steady change: differences of a higher order know little of it.
    noise = np.array([max(_noise(values, 2 * FLUTTER) for values in places)] * 2)
    vx, vy = _as_wide_as_they_bear(t, runs, slopes, noise, LEAST_S, ((found, variance), nothing, nothing))
    speed, way = np.full(len(trace), np.nan), np.full(len(trace), np.nan)
    speed[told], way[told] = np.hypot(vx, vy) * 3.6, np.degrees(np.arctan2(vx, vy)) % 360.0
    return np.where(np.isfinite(speed), speed, 0.0), way


def _runs(t: np.ndarray, gap_s: float) -> tuple[np.ndarray, np.ndarray]:
    """First and last sample of the run that each belongs to: no window reaches over a gap."""
    run = np.concatenate([[0], np.cumsum(np.diff(t) > gap_s)])
    every = np.arange(run[-1] + 1)
    return np.searchsorted(run, every, "left")[run], (np.searchsorted(run, every, "right") - 1)[run]


def _noise(values: np.ndarray, order: int) -> float:
    """Standard deviation of what flutters from sample to sample, by the median of differences of an order.

    Where nothing changes, the vehicle stands or figures are told in steps: that says nothing of how they flutter.
    """
    apart = np.abs(np.diff(values, order))
    if not apart.any():
        return 0.0
    return float(np.median(apart[apart > 0])) / OF_MEDIAN / math.sqrt(math.comb(2 * order, order))


Estimates = tuple[np.ndarray, np.ndarray]
"""Figures (figures × n) and their variances (n,) for a noise of 1; infinite where nothing is known."""
Fit = Callable[[np.ndarray, np.ndarray], Estimates]
"""Estimates through samples ``first`` to ``last`` of each."""


def _as_wide_as_they_bear(
    t: np.ndarray,
    runs: tuple[np.ndarray, np.ndarray],
    fit: Fit,
    noise: np.ndarray,
    least_s: float,
    begun: tuple[Estimates, Estimates, Estimates],
) -> np.ndarray:
    """Figures by the widest windows whose confidence intervals still meet those of all narrower ones.

    ``noise`` (figures,); ``begun``: what is known around each sample, before it and after it, to begin with. Of the
    last two together and the first, the better.
    """
    at, (starts, ends) = np.arange(len(t)), runs
    step = float(np.median(np.diff(t))) if len(t) > 1 else math.inf
    widths = [width for width in WIDTHS if least_s <= width * step * (1 + 1e-6) and width * step <= WIDEST_S]
    around, *sides = (
        _widest(begun[k], noise, (fit(*_window(k, width, at, starts, ends)) for width in widths)) for k in range(3)
    )
    (before, u_before), (after, u_after) = sides
    weights = 1 / u_before + 1 / u_after
    with np.errstate(invalid="ignore"):
        parted = (before / u_before + after / u_after) / weights
    return np.where(weights > 1 / around[1], parted, around[0])


def _window(
    side: int, width: int, at: np.ndarray, starts: np.ndarray, ends: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """First and last of so many samples around each (0: as many on either side), before it (1) or after it (2)."""
    if side == 0:
        reach = np.minimum(width, np.minimum(at - starts, ends - at))
        return at - reach, at + reach
    return (np.maximum(at - width, starts), at) if side == 1 else (at, np.minimum(at + width, ends))


def _widest(begun: Estimates, noise: np.ndarray, wider: Iterable[Estimates]) -> Estimates:
    """Of estimates by wider and wider windows the last that agrees with all before it."""
    found, variance = begun
    low, high = np.full_like(found, -math.inf), np.full_like(found, math.inf)
    agree = np.ones(len(variance), bool)
    for told, spread in chain([begun], wider):
        half = TRUST * noise[:, None] * np.sqrt(np.where(np.isfinite(spread), spread, 0.0))
        half = np.where(np.isfinite(spread), half, math.inf)
        low, high = np.maximum(low, told - half), np.minimum(high, told + half)
        agree = agree & (low <= high).all(axis=0)
        better = agree & (spread < variance)
        found, variance = np.where(better, told, found), np.where(better, spread, variance)
    return found, variance


def _slopes(t: np.ndarray, values: np.ndarray) -> Fit:
    """Slopes of lines of least squares through values (figures × n); none where the samples of one take no time."""

    def sums(of: np.ndarray) -> np.ndarray:
        return np.append(0.0, np.cumsum(of))

    when, square = sums(t), sums(t * t)
    of_values = [(sums(each), sums(t * each)) for each in values]

    def slopes(first: np.ndarray, last: np.ndarray) -> Estimates:
        count, st, stt = last - first + 1, when[last + 1] - when[first], square[last + 1] - square[first]
        spread = stt - st * st / count
        some = spread > 1e-9
        spread = np.where(some, spread, 1.0)
        apart = [(sv[last + 1] - sv[first], stv[last + 1] - stv[first]) for sv, stv in of_values]
        found = np.array([np.where(some, (stv - st * sv / count) / spread, 0.0) for sv, stv in apart])
        return found, np.where(some, 1 / spread, math.inf)

    return slopes


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
