"""The drive of a visit: which sensors still have to learn on the road, what each attempt brought, what is left.

Source: ``drive`` for what of a trace counts. What is told by hand is counted apart and marked as told.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.base.stream import Person
from escuadra.core.procedure.fitted import CarriedSensor
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.road.drive import LOSSES, Judged, finer, judge, share_of
from escuadra.core.road.needed import DriveSpec
from escuadra.core.road.trace import Joined, Trace, joined, moving
from escuadra.core.visit.log.driving import (
    TOLD,
    DriveBegun,
    DriveEnded,
    DriveTakenBack,
    DriveTold,
    DriveTraced,
    Reached,
)
from escuadra.core.visit.log.state import Kept, State
from escuadra.core.visit.needed import scoped

ALL_LOSSES: tuple[str, ...] = (*LOSSES, *TOLD[1:])
"""What is seen in a trace, and what only somebody can tell."""
NEAR = 1e-9


@dataclass(frozen=True)
class DriveAttempt:
    """One drive: who drove, what was recorded and told of it, and how it ended."""

    seq: int
    at: int
    person: Person
    begun: DriveBegun
    told: tuple[Kept[DriveTraced | DriveTold], ...] = ()
    ended: DriveEnded | None = None
    ended_at: int = 0

    @property
    def traces(self) -> tuple[DriveTraced, ...]:
        """Its traces, in the order in which they came."""
        return tuple(one.said for one in self.told if isinstance(one.said, DriveTraced))

    @property
    def stretches(self) -> tuple[DriveTold, ...]:
        """What was told by hand."""
        return tuple(one.said for one in self.told if isinstance(one.said, DriveTold))


def drive_attempts(state: State) -> list[DriveAttempt]:
    """The attempts of a visit in their order."""
    found: dict[int, DriveAttempt] = {}
    back = {one.said.of for one in state.driving if isinstance(one.said, DriveTakenBack)}
    for one in state.driving:
        told = one.said
        if isinstance(told, DriveBegun):
            found[one.seq] = DriveAttempt(one.seq, one.at, one.person, told)
        elif isinstance(told, DriveTraced | DriveTold) and one.seq not in back:
            attempt = found[told.attempt]
            found[told.attempt] = replace(attempt, told=(*attempt.told, Kept(one.seq, one.at, one.person, told)))
        elif isinstance(told, DriveEnded):
            found[told.attempt] = replace(found[told.attempt], ended=told, ended_at=one.at)
    return list(found.values())


@dataclass(frozen=True, eq=False)
class Course:
    """The samples of an attempt, joined in time, with the speed and the heading of each."""

    joined: Joined
    speed: np.ndarray
    heading: np.ndarray

    @property
    def trace(self) -> Trace:
        """Its samples."""
        return self.joined.trace

    def fine(self, gap_s: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Time, speed and heading as finely as they are judged."""
        return finer(self.trace.t, self.speed, self.heading, gap_s)

    def of_samples(self, lost: np.ndarray, gap_s: float) -> np.ndarray:
        """What each interval between two samples as they came was lost to, by what its middle was; -1: it counts."""
        t = self.trace.t
        found: np.ndarray = lost[np.searchsorted(self.fine(gap_s)[0], (t[:-1] + t[1:]) / 2, "right") - 1]
        return found


def course(traces: Sequence[Trace], gap_s: float = 2.0) -> Course:
    """An attempt's traces as one; raises ``BadInput`` where they are too short or tell no speed."""
    found = joined(traces)
    return Course(found, *moving(found.trace, gap_s))


@dataclass(frozen=True, eq=False)
class Driven:
    """What an attempt brought to one sensor: by its trace, and as it was told."""

    judged: Judged | None
    told_km: float = 0.0
    told_s: float = 0.0
    lost_told_s: dict[str, float] = field(default_factory=dict)
    """Told without saying when: taken from what counted, as far as that reaches."""

    @cached_property
    def seen(self) -> tuple[float, float]:
        """Kilometres and seconds that count of the trace, less what was told to be lost of it."""
        if self.judged is None:
            return 0.0, 0.0
        km, seconds = self.judged.counted_m / 1000, self.judged.counted_s
        left = max(0.0, 1 - sum(self.lost_told_s.values()) / seconds) if seconds > 0 else 0.0
        return km * left, seconds * left

    @property
    def counted_km(self) -> float:
        """Measured and told."""
        return self.seen[0] + self.told_km

    @property
    def counted_s(self) -> float:
        """Measured and told."""
        return self.seen[1] + self.told_s

    @property
    def lost_s(self) -> dict[str, float]:
        """Seconds lost to each, where any were."""
        found: dict[str, float] = {}
        if self.judged is not None:
            found = {loss: float(self.judged.seconds[self.judged.lost == k].sum()) for k, loss in enumerate(ALL_LOSSES)}
        for what, seconds in self.lost_told_s.items():
            found[what] = found.get(what, 0.0) + seconds
        return {what: seconds for what, seconds in found.items() if seconds > NEAR}


def driven(found: Course | None, stretches: Sequence[DriveTold], spec: DriveSpec) -> Driven:
    """What an attempt brought to a sensor."""
    judged = None
    if found is not None:
        judged = judge(*found.fine(spec.gap_max), spec.limits)
        for one in stretches:
            if one.what != "counted" and one.after_min is not None:
                judged = _without(judged, found.fine(spec.gap_max)[0], one)
    counted = [one for one in stretches if one.what == "counted"]
    anywhere = [one for one in stretches if one.what != "counted" and one.after_min is None]
    lost: dict[str, float] = {}
    for one in anywhere if judged is not None else ():
        lost[one.what] = lost.get(one.what, 0.0) + one.minutes * 60
    return Driven(judged, sum(one.km for one in counted), sum(one.minutes * 60 for one in counted), lost)


def _without(judged: Judged, t: np.ndarray, one: DriveTold) -> Judged:
    """Where a stretch was told to be lost, nothing counts; what was lost anyhow stays lost to that."""
    since = (one.after_min or 0.0) * 60
    until = since + one.minutes * 60
    middle = (t[:-1] + t[1:]) / 2 - t[0]
    told = judged.counts & (middle >= since) & (middle < until)
    return replace(judged, lost=np.where(told, ALL_LOSSES.index(one.what), judged.lost))


@dataclass(frozen=True, eq=False)
class SensorDrive:
    """A sensor that learns on the road, and how far it has come."""

    sensor: CarriedSensor
    spec: DriveSpec
    calibration: str
    """Id of the calibration that it completes; empty: it is learned by driving alone."""
    attempts: tuple[Driven, ...]
    bar: float | None = None
    """What its own bar showed last, percent."""

    @property
    def counted_km(self) -> float:
        """Of all attempts."""
        return sum(one.counted_km for one in self.attempts)

    @property
    def counted_s(self) -> float:
        """Of all attempts."""
        return sum(one.counted_s for one in self.attempts)

    @property
    def share(self) -> float | None:
        """Of what is needed, at most 1; nothing while nobody told what its bar shows."""
        counted = share_of(self.spec.need, self.counted_km * 1000, self.counted_s)
        if not self.spec.bar:
            return counted
        return None if self.bar is None else min(self.bar / 100, 1.0 if counted is None else counted)

    @property
    def met(self) -> bool:
        """All that is needed was reached."""
        return self.share is not None and self.share >= 1 - NEAR

    @property
    def left(self) -> tuple[float | None, float | None]:
        """Kilometres and seconds that are needed still; nothing for what is not asked."""
        need = self.spec.need
        km = None if need.distance_km is None else max(0.0, need.distance_km - self.counted_km)
        return km, None if need.time_s is None else max(0.0, need.time_s - self.counted_s)

    @property
    def reached(self) -> Reached:
        """As it is said when an attempt ends."""
        return Reached(
            sensor=self.sensor.id,
            counted_km=round(self.counted_km, 3),
            counted_s=round(self.counted_s, 1),
            share=None if self.share is None else round(self.share, 4),
            met=self.met,
        )


def learning(state: State, model: VehicleModel, calibrations: dict[str, list[CarriedSensor]]) -> dict[str, str]:
    """Sensors that learn on the road and say what they need, each with its calibration; those of a drive alone too.

    ``calibrations``: the sensors of each calibration whose drive is asked.
    """
    found = {one.id: id for id, sensors in calibrations.items() for one in sensors if one.drive is not None}
    alone = [one.sensor for one in scoped(model, state.work) if one.needed and one.sensor.how == "drive"]
    return found | {one.id: "" for one in alone if one.drive is not None and one.id not in found}


def drives_of(
    state: State, model: VehicleModel, sensors: dict[str, str], courses: Callable[[DriveAttempt], Course | None]
) -> list[SensorDrive]:
    """How far each sensor has come; ``courses``: the samples of an attempt."""
    attempts, found = drive_attempts(state), []
    bar = next((a.ended.bar for a in reversed(attempts) if a.ended is not None and a.ended.bar is not None), None)
    for id, calibration in sensors.items():
        sensor = model.sensor(id)
        assert sensor.drive is not None
        brought = [driven(courses(attempt), attempt.stretches, sensor.drive) for attempt in attempts]
        found.append(SensorDrive(sensor, sensor.drive, calibration, tuple(brought), bar))
    return found


def met_by_driving(state: State) -> frozenset[str]:
    """Ids of the sensors that had all they need when an attempt ended."""
    ended = [one.ended for one in drive_attempts(state) if one.ended is not None]
    return frozenset(reached.sensor for one in ended for reached in one.reached if reached.met)


def attempt_of(state: State, seq: int, going_on: bool = True) -> DriveAttempt:
    """An attempt by its beginning; raises ``BadInput`` for an unknown one, or one that is over."""
    found = next((one for one in drive_attempts(state) if one.seq == seq), None)
    if found is None or (going_on and found.ended is not None):
        raise BadInput("attempt", str(seq) if found is None else said("drive.over"), said("wants.open_drive"))
    return found
