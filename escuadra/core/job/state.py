"""A job's state as its events leave it: ``fold`` is pure, and folding in two halves equals folding at once."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from escuadra.core.job.disturbance import AROUND, FLOOR, HAPPENINGS, PLACED
from escuadra.core.job.events import (
    Answered,
    Disturbed,
    Doubted,
    Event,
    FigureChanged,
    FrameKnown,
    LinePlanned,
    Overridden,
    OverrideWithdrawn,
    Person,
    Photographed,
    Placed,
    ReadingTaken,
    Reopened,
    Signed,
    StationRun,
    TakenIn,
    Withdrawn,
)
from escuadra.core.job.mechanics import Mechanics


@dataclass(frozen=True)
class Entry:
    """A reading or an answer in the log."""

    seq: int
    at: int
    person: Person
    slot: str
    said: ReadingTaken | Answered
    withdrawn: bool = False
    replaced_by: int | None = None
    doubted: int | None = None
    """seq of the event that put its instrument in doubt."""

    @property
    def counts(self) -> bool:
        """Neither withdrawn nor replaced."""
        return not self.withdrawn and self.replaced_by is None

    @property
    def value(self) -> float:
        """The figure of a reading."""
        return self.said.value  # type: ignore[return-value]


@dataclass(frozen=True)
class Disturbance:
    """Something that happened, and the aspects that it spoiled."""

    seq: int
    at: int
    person: Person
    what: str
    words: str
    amount: str
    aspects: frozenset[str]
    by: Mapping[str, float] = field(default_factory=dict)
    """What was told, where it was a move as told."""


@dataclass(frozen=True)
class Override:
    """Why a check that does not hold was accepted, by whom."""

    seq: int
    at: int
    person: Person
    reason: str


@dataclass(frozen=True)
class Photo:
    """A photo in the log."""

    seq: int
    at: int
    person: Person
    said: Photographed


@dataclass(frozen=True)
class Change:
    """A specification figure that was overridden on the spot, by whom and why."""

    seq: int
    at: int
    person: Person
    said: FigureChanged


@dataclass(frozen=True)
class Run:
    """A run of the procedure at one of its stations."""

    seq: int
    at: int
    person: Person
    said: StationRun
    withdrawn: bool = False
    doubted: int | None = None
    """seq of the event that put one of its instruments in doubt."""


@dataclass(frozen=True)
class State:
    """Everything that the log says, in the order it was said."""

    job: TakenIn | None = None
    taken_in_at: int = 0
    taken_in_by: Person | None = None
    seq: int = 0
    entries: dict[str, tuple[Entry, ...]] = field(default_factory=dict)
    disturbances: tuple[Disturbance, ...] = ()
    overrides: dict[str, Override] = field(default_factory=dict)
    changes: tuple[Change, ...] = ()
    """Specification figures overridden on the spot, in their order."""
    photos: tuple[Photo, ...] = ()
    runs: tuple[Run, ...] = ()
    placed: Placed | None = None
    line_plan: LinePlanned | None = None
    frame_known: Mechanics | None = None
    signed: Signed | None = None
    records: tuple[tuple[Signed, int, Person], ...] = ()
    """Every signed revision with when and by whom; the newest last."""
    revision: int = 1
    reopened: bool = False
    last_person: Person | None = None

    @property
    def stage(self) -> str:
        """taken_in, in_work, signed or reopened."""
        if self.signed is not None:
            return "signed"
        if self.reopened:
            return "reopened"
        return "in_work" if self.seq > 1 else "taken_in"

    def live(self, slot: str) -> tuple[Entry, ...]:
        """A slot's entries that were not withdrawn or replaced."""
        return tuple(e for e in self.entries.get(slot, ()) if e.counts)

    def last_of(self, person: str) -> int | None:
        """seq of a person's own last entry or run that still counts."""
        own = [e.seq for kept in self.entries.values() for e in kept if e.counts and e.person.id == person]
        own += [run.seq for run in self.runs if not run.withdrawn and run.person.id == person]
        return max(own, default=None)

    def until(self, seq: int) -> "State":
        """The state that readings and happenings up to an event leave; what was withdrawn later stays withdrawn."""
        return replace(
            self,
            seq=min(self.seq, seq),
            entries={
                slot: kept if kept[-1].seq <= seq else tuple(e for e in kept if e.seq <= seq)
                for slot, kept in self.entries.items()
            },
            disturbances=tuple(past for past in self.disturbances if past.seq <= seq),
            runs=tuple(run for run in self.runs if run.seq <= seq),
        )

    def relies_on(self, tool: str, since: int) -> list[Entry]:
        """Readings that count, were taken with an instrument since a time, and are not in doubt yet."""
        return [e for kept in self.entries.values() for e in kept if e.counts and _doubtful(e, tool, since)]

    def last_disturbed(self, aspects: frozenset[str]) -> Disturbance | None:
        """The newest disturbance of any of the aspects."""
        return next((past for past in reversed(self.disturbances) if past.aspects & aspects), None)

    def first_disturbed(self, aspects: frozenset[str], after: int) -> Disturbance | None:
        """The first disturbance of any of the aspects after an event."""
        return next((past for past in self.disturbances if past.seq > after and past.aspects & aspects), None)


def _doubtful(entry: Entry, tool: str, since: int) -> bool:
    said = entry.said
    used = isinstance(said, ReadingTaken) and tool in (said.tool.id, said.tool.scale)
    return used and entry.at >= since and entry.doubted is None


def fold(state: State, events: Iterable[Event]) -> State:
    """The state after further events; the given state is not touched."""
    entries, overrides = dict(state.entries), dict(state.overrides)
    fresh: dict[str, list[Entry]] = {}
    disturbances, records, runs = list(state.disturbances), list(state.records), list(state.runs)
    changed: dict[str, object] = {}

    def slot_list(slot: str) -> list[Entry]:
        if slot not in fresh:
            fresh[slot] = list(entries.get(slot, ()))
        return fresh[slot]

    where = {e.seq: (slot, k) for slot, kept in entries.items() for k, e in enumerate(kept)}
    for event in events:
        said = event.payload
        changed["seq"], changed["last_person"] = event.seq, event.person
        if isinstance(said, ReadingTaken | Answered):
            kept = slot_list(said.slot)
            if isinstance(said, Answered) or said.replaces:
                after = 0 if isinstance(said, Answered) else said.replaces_after
                kept[:] = [replace(e, replaced_by=event.seq) if e.counts and e.seq > after else e for e in kept]
            where[event.seq] = (said.slot, len(kept))
            kept.append(Entry(event.seq, event.at, event.person, said.slot, said))
        elif isinstance(said, StationRun):
            runs.append(Run(event.seq, event.at, event.person, said))
            words = f"run at the {said.name} place"
            disturbances.append(Disturbance(event.seq, event.at, event.person, "run", words, "", AROUND))
        elif isinstance(said, Withdrawn):
            runs = [replace(run, withdrawn=True) if run.seq == said.entry else run for run in runs]
            if said.entry in where:
                slot, k = where[said.entry]
                kept = slot_list(slot)
                kept[k] = replace(kept[k], withdrawn=True)
                kept[:] = [replace(e, replaced_by=None) if e.replaced_by == said.entry else e for e in kept]
        elif isinstance(said, Disturbed):
            aspects = HAPPENINGS[said.what].aspects
            disturbances.append(
                Disturbance(event.seq, event.at, event.person, said.what, said.words, said.amount, aspects, said.by)
            )
        elif isinstance(said, Doubted):
            words = said.words
            disturbances.append(
                Disturbance(event.seq, event.at, event.person, "doubted", words, said.tool, frozenset())
            )
            runs = [
                replace(run, doubted=event.seq)
                if said.tool in run.said.tools and run.at >= said.since and run.doubted is None
                else run
                for run in runs
            ]
            for slot in {*entries, *fresh}:
                if any(_doubtful(e, said.tool, said.since) for e in fresh.get(slot, entries.get(slot, ()))):
                    kept = slot_list(slot)
                    kept[:] = [
                        replace(e, doubted=event.seq) if _doubtful(e, said.tool, said.since) else e for e in kept
                    ]
        elif isinstance(said, Overridden):
            overrides[said.check] = Override(event.seq, event.at, event.person, said.reason)
        elif isinstance(said, OverrideWithdrawn):
            overrides.pop(said.check, None)
        elif isinstance(said, Photographed):
            photos = changed.get("photos", state.photos)
            changed["photos"] = (*photos, Photo(event.seq, event.at, event.person, said))  # type: ignore[misc]
        elif isinstance(said, FigureChanged):
            changes = changed.get("changes", state.changes)
            changed["changes"] = (*changes, Change(event.seq, event.at, event.person, said))  # type: ignore[misc]
        elif isinstance(said, FrameKnown):
            changed["frame_known"] = said.mechanics
        elif isinstance(said, LinePlanned):
            changed["line_plan"] = said
        elif isinstance(said, Placed):
            disturbances.append(Disturbance(event.seq, event.at, event.person, "placed", PLACED, "", FLOOR))
            changed.update(placed=said)
        elif isinstance(said, TakenIn):
            changed.update(job=said, taken_in_at=event.at, taken_in_by=event.person)
        elif isinstance(said, Signed):
            records.append((said, event.at, event.person))
            changed.update(signed=said)
        elif isinstance(said, Reopened):
            changed.update(signed=None, reopened=True, revision=said.revision)
    entries.update({slot: tuple(kept) for slot, kept in fresh.items()})
    return replace(
        state,
        entries=entries,
        overrides=overrides,
        disturbances=tuple(disturbances),
        records=tuple(records),
        runs=tuple(runs),
        **changed,  # type: ignore[arg-type]
    )
