"""Roads that truly run somewhere, and a vehicle on them: what a receiver on board would record of it, faults and all.

For trying, for the stand-in vehicle and for the tests: bends, slow stretches, tunnels without a position, a clock that
steps, headings that flutter. Metres, seconds, km/h, degrees clockwise from north.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from escuadra.core.road.profile import RoadProfile
from escuadra.core.road.trace import Trace, metres_of

HZ = 20.0
"""At which the true drive is known."""
SPEEDS_UP, SLOWS_DOWN, SETS_OFF = 1.1, 1.6, 0.5
"""m/s², and m/s where it sets off and where it comes to stand."""
UNDER_WAY_S, MOST_TOLD = 150.0, 200
"""How long the stand-in's drive goes on when it is first asked; samples of an answer."""
OF_METRES = 111_195.0
"""Metres of a degree, for what is only made up."""


@dataclass(frozen=True)
class Stretch:
    """A piece of a road: how long, how it bends (radius, left positive; 0: straight), how fast it is driven."""

    metres: float
    bend_m: float
    pace_kmh: float


SHAPES: dict[str, tuple[Stretch, ...]] = {
    "valley-road": (
        *(Stretch(1300, 0, 84), Stretch(420, 700, 82), Stretch(900, 0, 86), Stretch(260, -170, 61)),
        *(Stretch(1500, 0, 87), Stretch(300, -520, 84), Stretch(640, 0, 38), Stretch(380, 610, 78)),
        *(Stretch(1900, 0, 88), Stretch(240, 150, 58), Stretch(760, 0, 80)),
    ),
    "ring": (
        *(Stretch(420, 0, 49), Stretch(110, -60, 31), Stretch(700, 0, 66), Stretch(90, 45, 24)),
        *(Stretch(520, 0, 52), Stretch(150, 90, 37), Stretch(820, 0, 68), Stretch(260, 0, 33)),
    ),
    "old-pass": (
        *(Stretch(1100, 0, 74), Stretch(180, 95, 40), Stretch(300, 0, 52), Stretch(160, -60, 34), Stretch(420, 0, 58)),
        *(Stretch(150, 70, 36), Stretch(900, 0, 71), Stretch(210, -120, 47), Stretch(340, 0, 55), Stretch(190, 80, 38)),
        *(Stretch(1400, 0, 76), Stretch(240, -200, 59), Stretch(620, 0, 62), Stretch(170, 65, 33), Stretch(800, 0, 60)),
    ),
}


@dataclass(frozen=True, eq=False)
class TrueDrive:
    """A drive as it truly was: arrays of shape (n,) at ``HZ``."""

    t: np.ndarray
    latitude: np.ndarray
    longitude: np.ndarray
    speed: np.ndarray
    heading: np.ndarray


@dataclass(frozen=True)
class Receiver:
    """What a receiver makes of it."""

    hz: float = 1.0
    noise_m: float = 0.6
    wander_m: float = 2.0
    """Of its positions over a minute or so: what neighbours have in common."""
    tells_speed: bool = True
    speed_noise_kmh: float = 0.4
    heading_noise_deg: float = 1.5
    tunnels: Sequence[tuple[float, float]] = ()
    """Seconds after the beginning between which there is no position."""
    jump: tuple[float, float] | None = None
    """Second after which its clock steps, and by how much."""


def driven(road: RoadProfile, passes: int, rng: np.random.Generator, at: float, busy: float = 0.0) -> TrueDrive:
    """Passes to and fro, a turn between each two; ``busy``: how much of it others hold one up, 0 to 1."""
    stretches = SHAPES[road.id]
    path = _path(stretches)
    places, metre = _placed(road, *path)
    length = float(len(path[0]) - 1)
    parts, t = [], at
    for k in range(passes):
        along = _speeds(stretches if k % 2 == 0 else stretches[::-1], metre, rng, busy)
        along = along if k % 2 == 0 else length - along
        if k:
            t += road.turn_min * 60
        seconds = t + np.arange(len(along)) / HZ
        latitude, longitude = (np.interp(along, np.arange(len(one)) * 1.0, one) for one in places)
        vx, vy = (np.gradient(one) * HZ for one in metres_of(latitude, longitude))
        parts.append((seconds, latitude, longitude, np.hypot(vx, vy) * 3.6, np.degrees(np.arctan2(vx, vy)) % 360.0))
        t = float(seconds[-1])
    return TrueDrive(*(np.concatenate(one) for one in zip(*parts, strict=True)))


def _path(stretches: Sequence[Stretch]) -> tuple[np.ndarray, np.ndarray]:
    """Places a metre apart, in a plane."""
    bend = np.concatenate([np.full(int(one.metres), 1 / one.bend_m if one.bend_m else 0.0) for one in stretches])
    way = np.concatenate([[0.0], np.cumsum(bend)])
    east, north = (np.concatenate([[0.0], np.cumsum(one)]) for one in (np.sin(way[:-1]), np.cos(way[:-1])))
    return east, north


def _placed(road: RoadProfile, east: np.ndarray, north: np.ndarray) -> tuple[tuple[np.ndarray, np.ndarray], float]:
    """The path laid from one end of the road to the other, as latitude and longitude; how long its metre then is."""
    shrink = math.cos(math.radians((road.near.latitude + road.far.latitude) / 2))
    goal = complex((road.far.longitude - road.near.longitude) * shrink, road.far.latitude - road.near.latitude)
    turn = goal / complex(east[-1], north[-1])
    laid = (east + 1j * north) * turn
    return (road.near.latitude + laid.imag, road.near.longitude + laid.real / shrink), abs(turn) * OF_METRES


def _speeds(stretches: Sequence[Stretch], metre: float, rng: np.random.Generator, busy: float) -> np.ndarray:
    """Metres from the beginning at every instant of ``HZ``."""
    pace = np.concatenate([np.full(int(one.metres), one.pace_kmh) for one in stretches]) / 3.6 / metre
    for _ in range(rng.poisson(2.0 * busy * len(pace) / 1000)):
        start = int(rng.integers(0, len(pace)))
        slow = slice(start, start + int(rng.uniform(150, 700)))
        pace[slow] = np.minimum(pace[slow], rng.uniform(0.35, 0.7) * pace[slow])
    pace *= float(rng.normal(1.0, 0.02))
    pace[0] = pace[-1] = SETS_OFF
    for way, rate in ((1, SPEEDS_UP), (-1, SLOWS_DOWN)):
        # No faster than what one metre of speeding up, or of braking for what comes, allows.
        order = range(1, len(pace)) if way > 0 else range(len(pace) - 2, -1, -1)
        for k in order:
            pace[k] = min(pace[k], math.sqrt(pace[k - way] ** 2 + 2 * rate))
    seconds = np.concatenate([[0.0], np.cumsum(1 / pace)])
    places: np.ndarray = np.interp(np.arange(0.0, seconds[-1], 1 / HZ), seconds, np.arange(len(seconds)) * 1.0)
    return places


def received(drive: TrueDrive, receiver: Receiver, rng: np.random.Generator) -> Trace:
    """What a receiver records of a drive."""
    since = drive.t - drive.t[0]
    taken = np.flatnonzero(np.diff(np.floor(since * receiver.hz + 1e-9), prepend=-1.0) > 0)
    for begin, end in receiver.tunnels:
        taken = taken[(since[taken] < begin) | (since[taken] > end)]
    count, t = len(taken), drive.t[taken].copy()
    off = [rng.normal(0, receiver.noise_m, count) + _wandering(since[taken], receiver.wander_m, rng) for _ in "xy"]
    shrink = np.cos(np.radians(drive.latitude[taken]))
    speed = np.full(count, np.nan)
    heading = np.full(count, np.nan)
    if receiver.tells_speed:
        speed = np.maximum(0.0, drive.speed[taken] + rng.normal(0, receiver.speed_noise_kmh, count))
        heading = (drive.heading[taken] + rng.normal(0, receiver.heading_noise_deg, count)) % 360.0
    if receiver.jump is not None:
        t[since[taken] > receiver.jump[0]] += receiver.jump[1]
    return Trace(
        t,
        drive.latitude[taken] + off[1] / OF_METRES,
        drive.longitude[taken] + off[0] / OF_METRES / shrink,
        speed,
        heading,
    )


class VirtualDrive:
    """A drive that is under way: there and back, of which so much is known as time has passed."""

    def __init__(self, road: RoadProfile, seed: int, now: float) -> None:
        rng = np.random.default_rng(seed)
        self.trace = received(driven(road, 2, rng, now - UNDER_WAY_S, busy=0.3), Receiver(), rng)

    def since(self, after: float, now: float) -> list[list[float]]:
        """What was recorded after a moment, up to now: seconds, degrees, km/h and degrees of each sample, in order."""
        told = self.trace.where((self.trace.t > after) & (self.trace.t <= now))
        columns = (told.t, told.latitude, told.longitude, told.speed, told.heading)
        return np.round(np.column_stack(columns), 7)[:MOST_TOLD].tolist()  # type: ignore[no-any-return]


def _wandering(t: np.ndarray, most_m: float, rng: np.random.Generator) -> np.ndarray:
    """A slow drift: a few waves of a minute or more."""
    found = np.zeros(len(t))
    for _ in range(3):
        found += most_m / 3 * np.sin(t * 2 * math.pi / rng.uniform(60, 240) + rng.uniform(0, 2 * math.pi))
    return found
