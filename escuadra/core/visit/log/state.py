"""A job's state as its events leave it: ``fold`` is pure, and folding in two halves equals folding at once."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

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
    RevisionAnswered,
    SetupConfirmed,
    Signed,
    Source,
    TakenIn,
)
from escuadra.core.visit.log.whole import (
    BodyCorrected,
    CalledOff,
    Corrected,
    LeftOut,
    Ordered,
    VariantAnswered,
    WorkTold,
)

RESULTS = "result."
"""With this the ids of all slots of a result begin."""
OUTCOME = f"{RESULTS}outcome"
LINES = f"{RESULTS}line."
"""With this the ids of the slots of each lens's line begin."""
CAMERAS = f"{RESULTS}camera."
"""With this the ids of the slots of each camera's own result begin."""
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
    said: ProcedureRun
    of: Part | None = None
    withdrawn: bool = False
    doubted: int | None = None
    """seq of the event that put one of its instruments in doubt."""


@dataclass(frozen=True)
class Confirmation:
    """The set-up as it stood was confirmed, when and by whom."""

    seq: int
    at: int
    person: Person


@dataclass(frozen=True)
class AnsweredBy:
    """An answer to what tells variants apart, when and by whom."""

    seq: int
    at: int
    person: Person
    said: VariantAnswered


@dataclass(frozen=True)
class Snapshot:
    """Codes as they were frozen, when and by whom."""

    seq: int
    at: int
    person: Person
    said: CodesFrozen


@dataclass(frozen=True)
class Cleared:
    """Codes that were cleared, when and by whom."""

    seq: int
    at: int
    person: Person
    said: CodesCleared


@dataclass(frozen=True)
class Keeping:
    """Something that was said when the visit was closed, when and by whom."""

    seq: int
    at: int
    person: Person
    said: Payload


@dataclass(frozen=True)
class Releasing:
    """The certificate was released, when and by whom."""

    seq: int
    at: int
    person: Person
    said: Released


@dataclass(frozen=True)
class Return:
    """The visit was sent back with words, when and by whom."""

    seq: int
    at: int
    person: Person
    said: SentBack


@dataclass(frozen=True)
class Correction:
    """What was taken in wrongly, as it was corrected, by whom and why."""

    seq: int
    at: int
    person: Person
    said: Corrected | BodyCorrected


@dataclass(frozen=True)
class State:
    """What was said of one part of a visit, or of a calibration and all that it stands on, in the order it was said."""

    job: TakenIn | None = None
    taken_in_at: int = 0
    taken_in_by: Person | None = None
    calibration: CalibrationAdded | None = None
    revision_answered: int = 0
    """The newest revision of its sheet for which somebody said whether it goes on by that."""
    bodies: tuple[BodyBrought, ...] = ()
    work: WorkTold | None = None
    variant: tuple[AnsweredBy, ...] = ()
    """What tells variants apart, each answer with when and by whom."""
    codes: tuple[Snapshot, ...] = ()
    cleared: tuple[Cleared, ...] = ()
    order: Ordered | None = None
    released: Released | None = None
    sent_back: SentBack | None = None
    """Why it was not released, or is no longer."""
    releases: tuple[Releasing, ...] = ()
    returns: tuple[Return, ...] = ()
    certificate_prints: tuple[CertificatePrinted, ...] = ()
    handovers: tuple[Keeping, ...] = ()
    driving: tuple[Keeping, ...] = ()
    """What was said of the drive on the road, in its order."""
    steps: tuple[Keeping, ...] = ()
    """What was said of the conducted runs, in its order."""
    turns_told: tuple[Keeping, ...] = ()
    """What the routine told of the screws, in its order."""
    corrections: tuple[Correction, ...] = ()
    called_off: CalledOff | None = None
    left_out: LeftOut | None = None
    temperatures: tuple[tuple[int, float], ...] = ()
    """Of tapes as they were typed, degrees Celsius, each with the event that it came with."""
    begun: bool = False
    """Something was done beyond taking in."""
    seq: int = 0
    entries: Mapping[str, tuple[Entry, ...]] = field(default_factory=dict)
    disturbances: tuple[Disturbance, ...] = ()
    overrides: dict[str, Override] = field(default_factory=dict)
    changes: tuple[Change, ...] = ()
    """Specification figures overridden on the spot, in their order."""
    photos: tuple[Photo, ...] = ()
    runs: tuple[Run, ...] = ()
    confirmation: Confirmation | None = None
    placed: Placed | None = None
    line_plan: LinePlanned | None = None
    frame_known: Mechanics | None = None
    signed: Signed | None = None
    records: tuple[tuple[Signed, int, Person], ...] = ()
    """Every signed revision with when and by whom; the newest last."""
    prints: tuple[Printed, ...] = ()
    """The PDF of each revision that was printed."""
    revision: int = 1
    reopened: bool = False
    last_person: Person | None = None

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
        results = [e for slot, kept in self.entries.items() if slot.startswith(RESULTS) for e in kept]
        return min((e for e in results if e.counts and e.seq > last.seq), key=lambda e: e.seq, default=None)

    @property
    def variant_answers(self) -> list[VariantAnswered]:
        """The answers alone, in their order."""
        return [one.said for one in self.variant]

    @property
    def pins(self) -> list[Pinned]:
        """The catalogue entries that it is judged by, as they were taken in."""
        said = [self.job, self.calibration, *self.bodies]
        return [pin for one in said if one is not None for pin in one.pins]

    def certificate_pdf(self, revision: int) -> str | None:
        """SHA-256 of a released certificate's PDF; nothing while it was not printed yet."""
        return next((one.certificate_pdf for one in self.certificate_prints if one.revision == revision), None)

    def pdf_of(self, revision: int) -> str | None:
        """SHA-256 of a signed revision's PDF; nothing while it was not printed yet."""
        return next((said.record_pdf for said in self.prints if said.revision == revision), None)

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
            self.kept.setdefault("temperatures", list(self.state.temperatures)).append((event.seq, said.temperature))

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
        confirmed = Confirmation(event.seq, event.at, event.person)
        self.set(confirmation=None if said.taken_back else confirmed)

    def run(self, event: Event, said: ProcedureRun) -> None:
        self.runs.append(Run(event.seq, event.at, event.person, said, event.of))

    def override(self, event: Event, check: str, reason: str | None) -> None:
        self.overrides.pop(check, None)
        if reason is not None:
            self.overrides[check] = Override(event.seq, event.at, event.person, reason)

    def keep(self, event: Event, what: str, said: Payload) -> None:
        value = _KEPT[what](event.seq, event.at, event.person, said)
        self.kept.setdefault(what, list(getattr(self.state, what))).append(value)

    def correct(self, said: Payload) -> None:
        if isinstance(said, BodyCorrected):
            bodies: list[BodyBrought] = self.kept.setdefault("bodies", list(self.state.bodies))
            bodies[:] = [one.model_copy(update={"pins": said.pins}) for one in bodies]
            return
        if isinstance(said, RevisionAnswered):
            added: CalibrationAdded | None = self.fields.get("calibration", self.state.calibration)
            assert added is not None
            self.set(calibration=added.model_copy(update={"pins": said.pins}))
            return
        assert isinstance(said, Corrected)
        job: TakenIn | None = self.fields.get("job", self.state.job)
        assert job is not None
        value = int(said.value) if said.field == "odometer_km" else said.value
        pins = [pin for pin in job.pins if pin.kind != "bay"] + said.pins if said.field == "bay" else job.pins
        self.set(job=job.model_copy(update={said.field: value, "pins": pins}))

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


_KEPT: dict[str, Callable[..., Any]] = {
    "photos": Photo,
    "changes": Change,
    "corrections": Correction,
    "variant": AnsweredBy,
    "codes": Snapshot,
    "cleared": Cleared,
    "releases": Releasing,
    "returns": Return,
    "handovers": Keeping,
    "driving": Keeping,
    "steps": Keeping,
    "turns_told": Keeping,
    "certificate_prints": lambda _seq, _at, _person, said: said,
    "records": lambda _seq, at, person, said: (said, at, person),
    "prints": lambda _seq, _at, _person, said: said,
    "bodies": lambda _seq, _at, _person, said: said,
}


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
