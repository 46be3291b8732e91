"""A job's state as its events leave it: ``fold`` is pure, and folding in two halves equals folding at once."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Generic, TypeVar

from escuadra.core.base.said import Said
from escuadra.core.base.stream import Event, Part, Payload, Person
from escuadra.core.instruments.screw import Mechanics
from escuadra.core.visit.log.closing import CertificatePrinted, Released, SentBack
from escuadra.core.visit.log.codes import CodesCleared, CodesFrozen
from escuadra.core.visit.log.disturbances import OPENS
from escuadra.core.visit.log.driving import DriveEnded
from escuadra.core.visit.log.events import (
    Answered,
    BodyBrought,
    CalibrationAdded,
    Doubted,
    FigureChanged,
    LinePlanned,
    Past,
    Photographed,
    Pinned,
    Placed,
    Printed,
    ProcedureRun,
    ReadingTaken,
    Relied,
    RunStepped,
    SetupConfirmed,
    Signed,
    Source,
    TakenIn,
    TurnsTold,
)
from escuadra.core.visit.log.places import result_place
from escuadra.core.visit.log.whole import (
    BodyCorrected,
    CalledOff,
    Corrected,
    LeftOut,
    Ordered,
    VariantAnswered,
    WorkTold,
)

P = TypeVar("P", bound=Payload, covariant=True)
LATER = 2**62
"""seq of what was not said yet."""


@dataclass(frozen=True)
class Entry:
    """A reading or an answer in the log."""

    seq: int
    at: int
    person: Person
    slot: str
    said: ReadingTaken | Answered
    of: Part | None = None
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
    words: Said
    aspects: frozenset[str]
    source: Source = "reported"
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
class Run:
    """A run of the procedure at one of its stations."""

    seq: int
    at: int
    person: Person
    said: ProcedureRun
    of: Part | None = None
    withdrawn: bool = False
    doubted: int | None = None
    """seq of the event that put one of its instruments in doubt."""


@dataclass(frozen=True)
class Kept(Generic[P]):
    """What an event said, when and by whom."""

    seq: int
    at: int
    person: Person
    said: P


@dataclass(frozen=True)
class OfVehicle:
    """What is said of the vehicle, or of the visit as a whole: every calibration sees it."""

    job: TakenIn | None = None
    taken_in_at: int = 0
    taken_in_by: Person | None = None
    placed: Placed | None = None
    line_plan: LinePlanned | None = None
    work: WorkTold | None = None
    order: Ordered | None = None
    called_off: CalledOff | None = None
    variant: tuple[Kept[VariantAnswered], ...] = ()
    """What tells variants apart, each answer."""
    codes: tuple[Kept[CodesFrozen], ...] = ()
    cleared: tuple[Kept[CodesCleared], ...] = ()
    released: Released | None = None
    sent_back: SentBack | None = None
    """Why it was not released, or is no longer."""
    releases: tuple[Kept[Released], ...] = ()
    returns: tuple[Kept[SentBack], ...] = ()
    certificate_prints: tuple[Kept[CertificatePrinted], ...] = ()
    handovers: tuple[Kept[Payload], ...] = ()
    driving: tuple[Kept[Payload], ...] = ()
    """What was said of the drive on the road, in its order."""


@dataclass(frozen=True)
class OfCalibration:
    """What is said of one calibration: no other sees it."""

    calibration: CalibrationAdded | None = None
    revision_answered: int = 0
    """The newest revision of its sheet for which somebody said whether it goes on by that."""
    overrides: dict[str, Override] = field(default_factory=dict)
    changes: tuple[Kept[FigureChanged], ...] = ()
    """Specification figures overridden on the spot, in their order."""
    runs: tuple[Run, ...] = ()
    steps: tuple[Kept[RunStepped], ...] = ()
    """What was said of the conducted runs, in its order."""
    turns_told: tuple[Kept[TurnsTold], ...] = ()
    """What the routine told of the screws, in its order."""
    confirmation: Kept[SetupConfirmed] | None = None
    signed: Signed | None = None
    records: tuple[Kept[Signed], ...] = ()
    """Every signed revision; the newest last."""
    prints: tuple[Kept[Printed], ...] = ()
    """The PDF of each revision that was printed."""
    revision: int = 1
    reopened: bool = False
    left_out: LeftOut | None = None


@dataclass(frozen=True)
class OfAny:
    """What is said of any part: a calibration sees it of all that it stands on, in the order in which it was said."""

    bodies: tuple[Kept[BodyBrought], ...] = ()
    corrections: tuple[Kept[Corrected | BodyCorrected], ...] = ()
    disturbances: tuple[Disturbance, ...] = ()
    photos: tuple[Kept[Photographed], ...] = ()


@dataclass(frozen=True)
class State(OfVehicle, OfCalibration, OfAny):
    """What was said of one part of a visit, or of a calibration and all that it stands on, in the order it was said."""

    frame_known: Mechanics | None = None
    temperatures: tuple[tuple[int, float], ...] = ()
    """Of tapes as they were typed, degrees Celsius, each with the event that it came with."""
    begun: bool = False
    """Something was done beyond taking in."""
    seq: int = 0
    last_person: Person | None = None
    entries: Mapping[str, tuple[Entry, ...]] = field(default_factory=dict)

    @property
    def whole(self) -> "State":
        """Itself, all of it."""
        return self

    @property
    def stage(self) -> str:
        """signed, called_off, left_out, reopened, run, in_work or taken_in."""
        if self.signed is not None:
            return "signed"
        if self.called_off is not None:
            return "called_off"
        if self.left_out is not None:
            return "left_out"
        if self.reopened:
            return "reopened"
        if self.frozen is not None:
            return "run"
        return "in_work" if self.begun else "taken_in"

    def open_since(self, seq: int) -> bool:
        """After an event something was said of what was open then: a hand-over, or a drive that is over."""
        over = (one for one in self.driving if isinstance(one.said, DriveEnded))
        return any(one.seq > seq for one in (*self.handovers, *over))

    @property
    def ran(self) -> "tuple[Run, ...]":
        """The runs of the attempt at hand that were not withdrawn, in their order."""
        since = max((past.seq for past in self.disturbances if past.what in OPENS), default=0)
        return tuple(run for run in self.runs if not run.withdrawn and run.seq > since)

    @property
    def frozen(self) -> "Run | Entry | None":
        """What froze the set-up, where the procedure was run and nobody began a further attempt.

        The run itself; where it is run at several stations: the first entry of its result.
        """
        last = self.ran[-1] if self.ran else None
        if last is None:
            return None
        if not last.said.station:
            return last
        results = [e for slot, kept in self.entries.items() if result_place(slot) is not None for e in kept]
        return min((e for e in results if e.counts and e.seq > last.seq), key=lambda e: e.seq, default=None)

    @property
    def variant_answers(self) -> list[VariantAnswered]:
        """The answers alone, in their order."""
        return [one.said for one in self.variant]

    @property
    def pins(self) -> list[Pinned]:
        """The catalogue entries that it is judged by, as they were taken in."""
        said = [self.job, self.calibration, *(one.said for one in self.bodies)]
        return [pin for one in said if one is not None for pin in one.pins]

    def certificate_pdf(self, revision: int) -> str | None:
        """SHA-256 of a released certificate's PDF; nothing while it was not printed yet."""
        return next(
            (one.said.certificate_pdf for one in self.certificate_prints if one.said.revision == revision), None
        )

    def pdf_of(self, revision: int) -> str | None:
        """SHA-256 of a signed revision's PDF; nothing while it was not printed yet."""
        return next((one.said.record_pdf for one in self.prints if one.said.revision == revision), None)

    def live(self, slot: str) -> tuple[Entry, ...]:
        """A slot's entries that were not withdrawn or replaced."""
        return tuple(e for e in self.entries.get(slot, ()) if e.counts)

    def last_of(self, person: str) -> "Entry | Run | None":
        """A person's own last entry or run that still counts."""
        own: list[Entry | Run] = [e for kept in self.entries.values() for e in kept if e.counts]
        own += [run for run in self.runs if not run.withdrawn]
        return max((one for one in own if one.person.id == person), key=lambda one: one.seq, default=None)

    @property
    def warm(self) -> float | None:
        """The temperature that was typed last: of a tape at which none was, as well."""
        return self.temperatures[-1][1] if self.temperatures else None

    def until(self, seq: int) -> "State":
        """The state that readings and happenings up to an event leave; what was withdrawn later stays withdrawn."""
        return replace(
            self.whole,
            seq=min(self.seq, seq),
            entries={
                slot: kept if kept[-1].seq <= seq else tuple(e for e in kept if e.seq <= seq)
                for slot, kept in self.entries.items()
            },
            disturbances=tuple(past for past in self.disturbances if past.seq <= seq),
            runs=tuple(run for run in self.runs if run.seq <= seq),
            temperatures=tuple(typed for typed in self.temperatures if typed[0] <= seq),
        )

    def relies_on(self, tool: str, since: int) -> list[Entry]:
        """Readings that count, stand on an instrument as it was from an event on, and are not in doubt yet."""
        return [e for kept in self.entries.values() for e in kept if e.counts and _doubtful(e, tool, since)]

    def last_disturbed(self, aspects: frozenset[str]) -> Disturbance | None:
        """The newest disturbance of any of the aspects."""
        return next((past for past in reversed(self.disturbances) if past.aspects & aspects), None)

    def first_disturbed(self, aspects: frozenset[str], after: int) -> Disturbance | None:
        """The first disturbance of any of the aspects after an event."""
        return next((past for past in self.disturbances if past.seq > after and past.aspects & aspects), None)


def _doubtful(entry: Entry, tool: str, since: int) -> bool:
    said = entry.said
    return entry.doubted is None and isinstance(said, ReadingTaken) and _stands_on(said.tool.relied, tool, since)


def _stands_on(relied: Iterable[Relied], tool: str, since: int) -> bool:
    return any(used.id == tool and used.seq >= since for used in relied)


class _Draft:
    """A state in the making (``events.Folding``): what was there already is copied where it changes."""

    def __init__(self, state: State) -> None:
        self.state, self.fields = state, dict[str, Any]()
        self.entries, self.overrides = dict(state.entries), dict(state.overrides)
        self.fresh: dict[str, list[Entry]] = {}
        self.disturbances, self.runs = list(state.disturbances), list(state.runs)
        self.kept: dict[str, list[Any]] = {}
        self.where = {e.seq: (slot, k) for slot, kept in state.entries.items() for k, e in enumerate(kept)}

    def slot(self, slot: str) -> list[Entry]:
        if slot not in self.fresh:
            self.fresh[slot] = list(self.entries.get(slot, ()))
        return self.fresh[slot]

    def enter(self, event: Event, said: ReadingTaken | Answered, replacing_after: int | None) -> None:
        kept = self.slot(said.slot)
        if replacing_after is not None:
            kept[:] = [replace(e, replaced_by=event.seq) if e.counts and e.seq > replacing_after else e for e in kept]
        self.where[event.seq] = (said.slot, len(kept))
        kept.append(Entry(event.seq, event.at, event.person, said.slot, said, event.of))
        if isinstance(said, ReadingTaken) and said.temperature is not None:
            self.held("temperatures").append((event.seq, said.temperature))

    def disturb(self, event: Event, past: Past) -> None:
        how = (past.what, past.words, past.aspects, past.source, past.by)
        self.disturbances.append(Disturbance(event.seq, event.at, event.person, *how))

    def withdraw(self, seq: int) -> None:
        self.runs = [replace(run, withdrawn=True) if run.seq == seq else run for run in self.runs]
        if seq in self.where:
            slot, k = self.where[seq]
            kept = self.slot(slot)
            kept[k] = replace(kept[k], withdrawn=True)
            kept[:] = [replace(e, replaced_by=None) if e.replaced_by == seq else e for e in kept]

    def doubt(self, event: Event, said: Doubted) -> None:
        self.runs = [
            replace(run, doubted=event.seq)
            if run.doubted is None and _stands_on(run.said.tools, said.tool, said.since)
            else run
            for run in self.runs
        ]
        for slot in {*self.entries, *self.fresh}:
            if any(_doubtful(e, said.tool, said.since) for e in self.fresh.get(slot, self.entries.get(slot, ()))):
                kept = self.slot(slot)
                kept[:] = [replace(e, doubted=event.seq) if _doubtful(e, said.tool, said.since) else e for e in kept]

    def confirm(self, event: Event, said: SetupConfirmed) -> None:
        self.set(confirmation=None if said.taken_back else Kept(event.seq, event.at, event.person, said))

    def run(self, event: Event, said: ProcedureRun) -> None:
        self.runs.append(Run(event.seq, event.at, event.person, said, event.of))

    def override(self, event: Event, check: str, reason: str | None) -> None:
        self.overrides.pop(check, None)
        if reason is not None:
            self.overrides[check] = Override(event.seq, event.at, event.person, reason)

    def keep(self, event: Event, what: str, said: Payload) -> None:
        self.held(what).append(Kept(event.seq, event.at, event.person, said))

    def amend(self, what: str, change: Callable[[Any], Any]) -> None:
        if isinstance(getattr(self.state, what), tuple):
            self.held(what)[:] = [replace(one, said=change(one.said)) for one in self.held(what)]
        else:
            self.set(**{what: change(self.fields.get(what, getattr(self.state, what)))})

    def held(self, what: str) -> list[Any]:
        return self.kept.setdefault(what, list(getattr(self.state, what)))

    def set(self, **fields: Any) -> None:
        self.fields |= fields

    def done(self) -> State:
        self.entries.update({slot: tuple(kept) for slot, kept in self.fresh.items()})
        self.fields |= {what: tuple(values) for what, values in self.kept.items()}
        return replace(
            self.state,
            entries=self.entries,
            overrides=self.overrides,
            disturbances=tuple(self.disturbances),
            runs=tuple(self.runs),
            **self.fields,
        )


def fold(state: State, events: Iterable[Event]) -> State:
    """The state after further events; the given state is not touched."""
    draft = _Draft(state)
    for event in events:
        said = event.payload
        draft.set(seq=event.seq, last_person=event.person)
        if said.stage:
            draft.set(begun=True)
        said.apply(draft, event)
    return draft.done()
