"""A robot technician that obeys the sheet against a plain one, from random starts, on every demo procedure.

And how often the sheet says "holds" where the truth lies exactly on a limit.
"""

import random
import statistics
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import cache

import coverage_of_methods
import numpy as np

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.core.measure.readings import Instrument, ReadingInput, reading
from escuadra.core.measure.verdict import VerdictInput, verdict
from escuadra.core.visit.checks.frame import PoseCheck
from escuadra.core.visit.plan import Plan
from escuadra.devices.robot import PlainTechnician, Robot, frame_only
from escuadra.devices.virtual_bay import VirtualBay

STARTS = 200
LIMITS = {"yaw": 0.25, "centre": 4.0, "distance": 5.0, "height": 4.0}
NEVER = 99
"""Rounds of a technician who does not arrive."""


@cache
def plans() -> tuple[Plan, ...]:
    """Every demo procedure that sets a frame to a line, at the frame's first place.

    Not one that finds its line at a place of its own, as on a rack.
    """
    catalogue = load([PRACTICE])
    base, _ = coverage_of_methods.plan_of()
    found = []
    for entry in catalogue.all("procedure"):
        procedure = entry.content
        kinds = {check.kind for check in procedure.checks if check.group == "frame"}
        if any(isinstance(check, PoseCheck) for check in procedure.checks) and "method" not in kinds:
            vehicle = catalogue.get("vehicle", procedure.vehicle).content
            targets = {name: catalogue.get("target", name).content for name in procedure.targets}
            plan = replace(base, procedure=procedure, vehicle=vehicle, targets=targets)
            plan = frame_only(replace(plan, target=targets[procedure.mounting.target]))
            found.append(next(iter(plan.at_stations.values()), plan))
    return tuple(found)


@cache
def by_tape() -> tuple[Plan, ...]:
    """Those of them that a plain technician sets too: not by what a mirror shows, nor from where a sensor truly is."""
    aimed = (plan.station is not None and plan.station.aims for plan in plans())
    own = (plan.procedure.offset_from == "sensor" for plan in plans())
    return tuple(plan for plan, *others in zip(plans(), aimed, own, strict=True) if not any(others))


def one(k: int) -> tuple[int, int, bool]:
    """Rounds of the robot and of the plain technician from one start, and whether the robot is within all limits."""
    every = by_tape()
    plan = every[k % len(every)]
    chance = random.Random(k)
    start = (chance.uniform(-80, 80), chance.uniform(-80, 80), chance.uniform(-4, 4), chance.uniform(-80, 80))
    rounds = []
    for technician in (Robot, PlainTechnician):
        bay = VirtualBay(plan, start, k)
        at_work = technician(bay)
        rounds.append(at_work.rounds if at_work.work() else NEVER)
        if technician is Robot:
            within = all(abs(off) <= LIMITS[axis] for axis, off in bay.off().items())
    return rounds[0], rounds[1], within


def races(starts: int = STARTS) -> tuple[float, float, float]:
    """Median rounds of the robot, ratio of the medians, and the share of robots that arrived within every limit."""
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(one, range(starts), chunksize=10))
    robot, plain = (statistics.median(row[k] for row in found) for k in (0, 1))
    return robot, robot / plain, sum(row[2] and row[0] < NEVER for row in found) / starts


def false_holds(looks: int, verdicts: int = 20_000) -> float:
    """Share of "holds" with the truth exactly on the upper limit, where up to so many looks are taken.

    A further look is taken only where the verdict is undecided and its advice says that it would settle it.
    """
    noise = np.random.default_rng(looks)
    tool = Instrument(resolution=0.5, accuracy_constant=0.6, accuracy_ppm=0, repeatability=0.4)
    u_offset = tool.accuracy_constant / np.sqrt(3)
    held = 0
    for _ in range(verdicts):
        offset, values, state = noise.normal(0, u_offset), [], "undecided"
        for _ in range(looks):
            values.append(float(4.0 + offset + noise.normal(0, 0.4) + noise.uniform(-0.25, 0.25)))
            found = reading(ReadingInput(values=values, instrument=tool))
            judged = verdict(
                VerdictInput(
                    value=found.value,
                    u=found.u,
                    lower=-4,
                    upper=4,
                    rule="guarded",
                    repeatability=tool.repeatability,
                    u_fixed=float(np.sqrt(found.u**2 - found.u_repeat**2)),
                )
            )
            state = judged.state
            if state != "undecided" or not judged.readings_needed or judged.readings_needed <= len(values):
                break
        held += state == "holds"
    return held / verdicts


if __name__ == "__main__":
    import sys
    import time

    at = time.time()
    print(races(int(sys.argv[1]) if len(sys.argv) > 1 else STARTS), f"{time.time() - at:.0f} s")
    print(false_holds(1), false_holds(3), f"{time.time() - at:.0f} s")
