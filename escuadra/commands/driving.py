"""The drive on the road: an attempt begun and ended, its traces kept, what is told by hand, what its roads teach."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, tzinfo
from zoneinfo import ZoneInfo

import numpy as np

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.forms import Whole
from escuadra.commands.house import House
from escuadra.commands.live_drive import content_of
from escuadra.commands.memory import Memory
from escuadra.commands.whole import Told, WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import figure, whole_number
from escuadra.core.base.said import Name, Noun, nouns, said
from escuadra.core.house import ROADS, RoadDriven
from escuadra.core.road.drive import judge
from escuadra.core.road.needed import DriveSpec
from escuadra.core.road.profile import PastPass, Proposal, RoadProfile, less, pass_of, passes_of, proposals
from escuadra.core.road.trace import Trace
from escuadra.core.road.trace_files import as_table, of_table, read_trace
from escuadra.core.visit.closing import drives, handovers
from escuadra.core.visit.driving import (
    Course,
    DriveAttempt,
    SensorDrive,
    attempt_of,
    course,
    drive_attempts,
    drives_of,
    learning,
    met_by_driving,
)
from escuadra.core.visit.log.closing import HandoverClosed
from escuadra.core.visit.log.driving import (
    TOLD,
    DriveBegun,
    DriveEnded,
    DriveTakenBack,
    DriveTold,
    DriveTraced,
    TraceSource,
)
from escuadra.core.visit.log.reducer import VEHICLE

MOST_COURSES = 6
"""Kept at once: four hours at 10 Hz take about 10 MB."""
MOST_PASSES = 200
LONGEST_S = 86_400.0
"""From the first sample of an attempt to its last: what lies further apart is two drives."""
_COURSES: Memory[tuple[str, ...], Course] = Memory(MOST_COURSES)
_PASSES: Memory[tuple[str, str], list[PastPass]] = Memory(512)


def courses(house: House, attempt: DriveAttempt) -> Course | None:
    """The samples of an attempt; nothing while it has no trace."""
    return traced(house, [one.trace for one in attempt.traces]) if attempt.traces else None


def traced(house: House, digests: Sequence[str]) -> Course:
    """The samples of traces that are kept, joined in time."""
    key = tuple(digests)
    return _COURSES.get(key) or _COURSES.keep(key, course([of_table(house.files.get(one)) for one in key]))


def drives_in(house: House, whole: Whole) -> list[SensorDrive]:
    """The sensors of a visit that learn on the road, and how far each has come."""
    model = house.model_of(whole)
    sensors = learning(whole.state, model, drives(whole.visit, model))
    return drives_of(whole.state, model, sensors, lambda attempt: courses(house, attempt))


def zone_of(house: House) -> tzinfo:
    """The garage's zone."""
    return ZoneInfo(house.store.setting("time_zone", "UTC"))


@dataclass(frozen=True)
class BeginDrive(WholeVisitCommand):
    """Somebody sets out: who drives, who reads, on which road; and what must be so before."""

    driver: str
    reader: str
    road: str
    licensed: bool
    belt: bool
    ignition: bool

    @property
    def when_released(self) -> bool:
        """A drive may follow days later."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The beginning; raises ``Conflict`` where none is asked or one goes on, ``BadInput`` for what is not so."""
        found = drives_in(context.house, whole)
        if not found:
            raise Conflict(said("jobs.driving.none_asked"))
        attempts = drive_attempts(whole.state)
        if any(one.ended is None for one in attempts):
            raise Conflict(said("jobs.driving.goes_on"))
        still = [one for one in found if not one.met]
        if still and all(len(attempts) >= one.spec.most_attempts for one in still):
            raise Conflict(said("jobs.driving.too_often", count=str(len(attempts))))
        for one in still:
            if one.calibration and whole.part(one.calibration).signed is None:
                raise Conflict(said("jobs.driving.static_first", sensor=Name(one.sensor.name)))
        for name in ("licensed", "belt", "ignition"):
            if not getattr(self, name):
                raise BadInput(name, "", said(f"wants.drive_{name}"))
        context.house.person(self.driver)
        if self.reader:
            context.house.person(self.reader)
            if self.reader == self.driver:
                raise BadInput("reader", self.reader, said("wants.reader_beside_driver"))
        if self.road:
            context.house.catalogue.get("road", self.road)
        return [(VEHICLE, DriveBegun(driver=self.driver, reader=self.reader, road=self.road))]


@dataclass(frozen=True)
class KeepTrace(WholeVisitCommand):
    """A trace of the attempt that goes on, as a file came or as a phone or the link recorded it."""

    attempt: int
    source: TraceSource
    name: str
    content: bytes = field(repr=False)
    columns: Mapping[str, str] | None = None
    progress: Callable[[float], None] | None = field(default=None, repr=False, compare=False)
    """Called with the share of it that was read."""

    @property
    def when_released(self) -> bool:
        """As the attempt itself."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The trace; raises ``BadInput`` in one sentence for what is none, or one that is there already."""
        attempt = attempt_of(whole.state, self.attempt)
        trace = read_trace(self.name, self.content, zone_of(context.house), self.columns, self.progress)
        return [(VEHICLE, kept(context.house, attempt, trace, self.source, self.name))]


def kept(house: House, attempt: DriveAttempt, trace: Trace, source: TraceSource, name: str) -> DriveTraced:
    """A trace kept as a file, as it is said; raises ``BadInput`` where it does not go with the others, or is one."""
    table = as_table(trace)
    whole = course([*(of_table(house.files.get(one.trace)) for one in attempt.traces), trace]).trace
    if whole.t[-1] - whole.t[0] > LONGEST_S:
        raise BadInput("file", name[:60], said("wants.trace_of_this_drive"))
    digest = house.files.put(table)
    if any(one.trace == digest for one in attempt.traces):
        raise BadInput("file", name[:60], said("wants.other_trace"))
    return DriveTraced.read(
        {"attempt": attempt.seq, "source": source, "name": name[:120], "trace": digest, "samples": len(trace)}
    )


@dataclass(frozen=True)
class TellStretch(WholeVisitCommand):
    """A stretch as somebody tells it: kilometres and minutes that count, or minutes lost to what no receiver sees."""

    attempt: int
    what: str
    km: str
    minutes: str
    after_min: str

    @property
    def when_released(self) -> bool:
        """As the attempt itself."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The stretch; raises ``BadInput`` for what is no figure, or for nothing at all."""
        attempt_of(whole.state, self.attempt)
        if self.what not in TOLD:
            names = nouns((Noun(f"road_told.{one}") for one in TOLD), "or")
            raise BadInput("what", self.what, said("wants.one_of", names=names))
        km, minutes = (_figure(name, getattr(self, name)) for name in ("km", "minutes"))
        if self.what == "counted":
            if not km and not minutes:
                raise BadInput("km", self.km, said("wants.km_or_minutes"))
        elif not minutes:
            raise BadInput("minutes", self.minutes, said("wants.minutes_lost"))
        after = _figure("after_min", self.after_min) if self.after_min.strip() else None
        told = {"attempt": self.attempt, "what": self.what, "km": km, "minutes": minutes, "after_min": after}
        return [(VEHICLE, DriveTold.read(told))]


def _figure(name: str, text: str) -> float:
    if not text.strip():
        return 0.0
    return figure(text, name, said("wants.figure_of_drive"), 0.0, 1000.0)


@dataclass(frozen=True)
class TakeBackDriven(WholeVisitCommand):
    """A trace or a told stretch of the attempt that goes on is taken back."""

    of: str
    """Of which event, as it is sent."""

    @property
    def when_released(self) -> bool:
        """As the attempt itself."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """That it is; raises ``BadInput`` for what is none of an open attempt."""
        open_ = [one for one in drive_attempts(whole.state) if one.ended is None]
        wanted = said("wants.of_open_drive")
        of = whole_number(self.of, "of", wanted)
        if of not in {told.seq for one in open_ for told in one.told}:
            raise BadInput("of", self.of, wanted)
        return [(VEHICLE, DriveTakenBack(of=of))]


@dataclass(frozen=True)
class EndDrive(WholeVisitCommand):
    """The vehicle is back: the key was turned off and on, its bar as it shows it, functions as they were seen."""

    attempt: int
    key: bool
    bar: str
    functions: str

    @property
    def when_released(self) -> bool:
        """As the attempt itself."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The end, with how far each sensor has come; raises ``BadInput`` for what is missing."""
        attempt_of(whole.state, self.attempt)
        if not self.key:
            raise BadInput("key", "", said("wants.key_off_and_on"))
        if content_of(context.house, self.visit, self.attempt):
            raise Conflict(said("jobs.driving.take_over_first"))
        asked = drives_in(context.house, whole)
        bar = figure(self.bar, "bar", said("wants.percent"), 0.0, 100.0) if self.bar.strip() else None
        if bar is None and any(one.spec.bar for one in asked):
            raise BadInput("bar", "", said("wants.bar_told"))
        now = [self._with(one, bar) for one in asked]
        reached, functions = [one.reached for one in now], self.functions.strip()[:500]
        told: list[Told] = [(VEHICLE, DriveEnded(attempt=self.attempt, bar=bar, functions=functions, reached=reached))]
        met = met_by_driving(whole.state) | {one.sensor for one in reached if one.met}
        learn = drives(whole.visit, context.house.model_of(whole))
        waiting = {id for id, sensors in learn.items() if any(one.id not in met for one in sensors)}
        for one in handovers(whole.state):
            # What was handed over as open, and was driven here after all, is open no more.
            if one.open and not waiting.intersection(one.said.calibrations):
                ends = ", ".join(f"{one.counted_km:.1f} km" for one in reached if one.met)
                told.append((VEHICLE, HandoverClosed(link=one.said.link, how="driven", words=ends or "-")))
        return told

    @staticmethod
    def _with(one: SensorDrive, bar: float | None) -> SensorDrive:
        return SensorDrive(one.sensor, one.spec, one.calibration, one.attempts, one.bar if bar is None else bar)

    def decide(self, context: Context) -> Decision[Whole]:
        """As it is said of the visit; and a road that was named learns from it."""
        decision = super().decide(context)
        house, seen = context.house, decision.seen
        attempt = attempt_of(seen.state, self.attempt)  # type: ignore[union-attr]
        if not attempt.begun.road or not attempt.traces:
            return decision
        digests = [one.trace for one in attempt.traces]
        learnt = RoadDriven(road=attempt.begun.road, traces=digests, visit=self.visit)
        more = Append(ROADS, house.store.count(ROADS), learnt, key="+road")
        return Decision([*decision.appends, more], keeps=decision.keeps, beside=decision.beside, seen=seen)


@dataclass(frozen=True)
class LearnRoad(Command[int]):
    """A trace from before, of a drive that is not kept here, teaches how a road's passes go."""

    road: str
    name: str
    content: bytes = field(repr=False)

    def stream(self, context: Context) -> str:
        """The one of all roads."""
        return ROADS

    def decide(self, context: Context) -> Decision[int]:
        """That it was driven; raises ``BadInput`` for what is no trace, or holds no pass of that road."""
        house = context.house
        road = house.catalogue.get("road", self.road).content
        trace = course([read_trace(self.name, self.content, zone_of(house))]).trace
        if not passes_of(trace, road):
            raise BadInput("file", self.name[:60], said("wants.pass_of_road"))
        digest = house.files.put(as_table(trace))
        told = [event.payload for event in house.store.events(ROADS)]
        if any(isinstance(one, RoadDriven) and digest in one.traces for one in told):
            raise BadInput("file", self.name[:60], said("wants.other_trace"))
        return Decision([Append(ROADS, len(told), RoadDriven(road=self.road, traces=[digest]))])

    def told(self, context: Context, committed: Committed) -> int:
        """How many traces of roads there are."""
        return context.house.store.count(ROADS)


def traces_of(house: House, road: str) -> list[RoadDriven]:
    """What was driven of a road, newest last."""
    told = [event.payload for event in house.store.events(ROADS)]
    return [one for one in told if isinstance(one, RoadDriven) and one.road == road][-MOST_PASSES:]


def past_of(house: House, road: RoadProfile, spec: DriveSpec) -> list[PastPass]:
    """The passes of a road that were driven, as they would have counted for what is needed now."""
    zone, found = zone_of(house), []
    for one in traces_of(house, road.id):
        key = (",".join(one.traces), spec.limits.model_dump_json() + road.id)
        passes = _PASSES.get(key)
        if passes is None:
            passes = _PASSES.keep(key, _passes(house, road, spec, one.traces, zone))
        found += passes
    return found


def _passes(house: House, road: RoadProfile, spec: DriveSpec, traces: Sequence[str], zone: tzinfo) -> list[PastPass]:
    found = traced(house, traces)
    fine = found.fine(spec.gap_max)
    judged, t = judge(*fine, spec.limits), found.trace.t
    passes = []
    for first, last in passes_of(found.trace, road):
        at = datetime.fromtimestamp(float(t[first]), zone)
        ends = (int(k) for k in np.searchsorted(fine[0], (t[first], t[last])))
        passes.append(PastPass(at.hour + at.minute / 60, pass_of(judged, *ends)))
    return passes


def roads_for(house: House, one: SensorDrive) -> list[Proposal]:
    """The garage's roads for what a sensor needs still, the one that takes least first; none where nothing is left."""
    need = less(one.spec.need, *one.left)
    known = [entry.content for entry in house.catalogue.all("road")]
    if need is None or not known:
        return []
    now = datetime.fromtimestamp(house.clock() / 1000, zone_of(house))
    past = [(road, past_of(house, road, one.spec)) for road in known]
    return proposals(need, now.hour + now.minute / 60, past, one.spec.lines)
