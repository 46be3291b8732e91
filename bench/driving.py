"""The drive: how far what counts is from the truth, and what judging and drawing a long trace costs beside reading it.

The forward model is the stand-in's (``virtual_road``): bends, slow stretches, tunnels, clocks that step, noise. What it
shares with what it tries is the window alone: its truth is the drive before any receiver saw it.
"""

import math
import time
import tracemalloc

import numpy as np

from escuadra.catalogue.library import PRACTICE, load
from escuadra.core.road.drive import finer, judge
from escuadra.core.road.needed import DriveSpec
from escuadra.core.road.trace import Trace, joined, moving
from escuadra.core.road.trace_files import as_gpx, read_trace
from escuadra.core.visit.driving import Driven, course, driven
from escuadra.devices.virtual_road import Receiver, TrueDrive, received
from escuadra.devices.virtual_road import driven as truly_driven
from escuadra.drawing import speed_view, way_view

SEEDS = 20
SPECS = {
    "camera": DriveSpec(distance_km=8.5, speed_min=43, speed_max=97, radius_min=260),
    "radar": DriveSpec(distance_km=11.3, speed_min=46, speed_max=104, radius_min=290),
}
RECEIVERS = {
    "1 Hz": Receiver(),
    "10 Hz": Receiver(hz=10.0),
    "positions, 1 Hz": Receiver(tells_speed=False),
    "positions, 10 Hz": Receiver(hz=10.0, tells_speed=False),
    "tunnels": Receiver(tunnels=((60.0, 84.0), (200.0, 219.0))),
    "clock back": Receiver(jump=(100.0, -31.0)),
    "clock ahead": Receiver(jump=(100.0, 3600.0)),
}
HOURS, HZ = 4, 10


def truth_of(drive: TrueDrive, spec: DriveSpec, receiver: Receiver) -> float:
    """Metres that truly counted, where there was a position at all."""
    judged = judge(drive.t, drive.speed, drive.heading, spec.limits)
    since = (drive.t[:-1] + drive.t[1:]) / 2 - drive.t[0]
    seen = np.ones(len(since), bool)
    for begin, end in receiver.tunnels:
        # From the last position before a tunnel to the first behind it nobody knows what was driven.
        last, first = math.ceil(begin * receiver.hz) - 1, math.floor(end * receiver.hz) + 1
        seen &= (since < last / receiver.hz) | (since > first / receiver.hz)
    return float(judged.metres[judged.counts & seen].sum())


def errors() -> dict[str, list[float]]:
    """Relative errors of what counts, by receiver."""
    roads = [entry.content for entry in load([PRACTICE]).all("road")]
    found: dict[str, list[float]] = {name: [] for name in RECEIVERS}
    for seed in range(SEEDS):
        rng = np.random.default_rng(1000 + seed)
        road = roads[seed % len(roads)]
        drive = truly_driven(road, 2, rng, 1.77e9, busy=float(rng.uniform(0, 0.8)))
        for name, receiver in RECEIVERS.items():
            trace = joined([received(drive, receiver, rng)]).trace
            speed, heading = moving(trace, 2.0)
            for spec in SPECS.values():
                counted = judge(*finer(trace.t, speed, heading, 2.0), spec.limits).counted_m
                found[name].append(counted / truth_of(drive, spec, receiver) - 1)
    return found


def long_trace() -> bytes:
    """Four hours at 10 Hz as GPX: the valley road to and fro."""
    road, rng = load([PRACTICE]).get("road", "valley-road").content, np.random.default_rng(5)
    parts, at = [], 1.77e9
    while at < 1.77e9 + HOURS * 3600:
        drive = truly_driven(road, 2, rng, at, busy=0.4)
        parts.append(received(drive, Receiver(hz=HZ), rng))
        at = float(drive.t[-1]) + 60
    names = ("t", "latitude", "longitude", "speed", "heading")
    whole = Trace(*(np.concatenate([getattr(one, name) for one in parts]) for name in names))
    return as_gpx(whole, [("all", 0, len(whole) - 1)])


def judged_and_drawn(trace: Trace, spec: DriveSpec) -> Driven:
    """All that a page does with a trace once it is read."""
    found = course([trace])
    brought = driven(found, [], spec)
    assert brought.judged is not None
    speed_view(found, brought.judged, spec)
    way_view(found, brought.judged, spec.gap_max)
    return brought


def counted_error() -> dict[str, float]:
    """Root mean square of the relative error, by receiver."""
    return {name: math.sqrt(float(np.mean(np.square(off)))) for name, off in errors().items()}


def trace_figures() -> tuple[float, float]:
    """Judging and drawing four hours ÷ reading them, and the memory of both in MB."""
    content = long_trace()
    began = time.perf_counter()
    trace = read_trace("long.gpx", content)
    parsed = time.perf_counter() - began
    began = time.perf_counter()
    judged_and_drawn(trace, SPECS["camera"])
    judged = time.perf_counter() - began
    tracemalloc.start()
    judged_and_drawn(read_trace("long.gpx", content), SPECS["camera"])
    peak = tracemalloc.get_traced_memory()[1] / 1e6
    tracemalloc.stop()
    return judged / parsed, peak


if __name__ == "__main__":
    print(counted_error(), trace_figures())
