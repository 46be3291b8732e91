"""An instrument's history: entered, checked, dropped, lent, put away; and whether it can be relied on today.

The history is append-only; ``fold_history`` gives what it amounts to. Days are proleptic ordinals. A drop, a check
that does not hold, or a check that is too old takes the instrument out of use until a check holds again.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal

from pydantic import Field

from escuadra.core.base.model import Line, Number
from escuadra.core.base.quantities import Dimension
from escuadra.core.base.said import Noun, Said, said
from escuadra.core.base.stream import Event, Payload, Person
from escuadra.core.instruments.check_figures import TEN_METRES, Found, SelfCheck
from escuadra.core.instruments.guided import checks_for
from escuadra.core.instruments.instrument import Tool
from escuadra.core.instruments.screw import Mechanics
from escuadra.core.instruments.self_checks import BiasEntry, DriftInput, DriftResult, drift
from escuadra.core.measure.readings import Instrument

HORIZON_DAYS = 1500
"""How far ahead a drift is told."""
SOON_DAYS = 14
LATEST = 4_102_444_800_000
"""The end of the century, UTC milliseconds: no entry of ours is later."""
Trust = Literal["holds", "out", "undecided", "stale", "open"]
Doubt = Literal["dropped", "out", "overdue"]


class InstrumentPayload(Payload):
    """What is said in an instrument's stream."""

    day: date = Field(description="in the garage's zone")
    at: int | None = Field(None, ge=0, le=LATEST, description="UTC milliseconds, where it happened before it was told")
    by: Line = Field("", max_length=120, description="who did it, where that is told by somebody else")

    def apply(self, state: "History", event: Event) -> "History":
        """The history with this entry."""
        who = Person(id=event.person.id, name=self.by) if self.by else event.person
        entry = HistoryEntry(event.seq, self.happened(event), who, self)
        return self.put(replace(state, entries=(*state.entries, entry)))

    def happened(self, event: Event) -> int:
        """When it happened."""
        return event.at if self.at is None else self.at

    def put(self, history: "History") -> "History":
        """What it changes besides."""
        return history


class Entered(InstrumentPayload):
    """It was taken into the register, or what its sheet says was changed."""

    code = "entered"

    tool: Tool

    def put(self, history: "History") -> "History":
        """A sheet, and in use."""
        return replace(history, tool=self.tool, retired=False)


class Checked(InstrumentPayload):
    """A self-check: what was read, as typed and as understood, and what it found."""

    code = "checked"

    check: str
    typed: dict[str, list[str]] = Field(description="by step")
    readings: dict[str, list[Number]] = Field(description="by step: mm, degrees, kPa or V")
    found: Found

    def put(self, history: "History") -> "History":
        """A check that holds ends what a drop began."""
        return replace(history, dropped=None) if self.found.state == "holds" else history


class Dropped(InstrumentPayload):
    """It fell, was knocked over or run over."""

    code = "dropped"

    words: Line = Field("", max_length=200)

    def put(self, history: "History") -> "History":
        """Out of use until a check holds."""
        return replace(history, dropped=history.entries[-1])


class Given(InstrumentPayload):
    """Somebody has it; nobody: it hangs at its place."""

    code = "given"

    to: str = ""
    name: str = ""

    def put(self, history: "History") -> "History":
        """Who has it."""
        return replace(history, holder=self if self.to else None)


class Documented(InstrumentPayload):
    """Its data sheet or certificate."""

    code = "documented"
    files = ("digest",)

    name: Line = Field(max_length=120)
    media: str
    digest: str

    def put(self, history: "History") -> "History":
        """The newest one counts."""
        return replace(history, document=self)


class Learned(InstrumentPayload):
    """What the moves of a job taught about a frame's yaw screw."""

    code = "learned"

    job: str = Field(description="its number")
    mechanics: Mechanics

    def put(self, history: "History") -> "History":
        """The newest counts."""
        return replace(history, learned=self)


class Retired(InstrumentPayload):
    """It is not used any more."""

    code = "retired"

    def put(self, history: "History") -> "History":
        """Out of use for good."""
        return replace(history, retired=True)


@dataclass(frozen=True)
class HistoryEntry:
    """One entry of an instrument's history."""

    seq: int
    at: int
    """UTC milliseconds, for people."""
    person: Person
    said: InstrumentPayload

    @property
    def day(self) -> date:
        """In the garage's zone."""
        return self.said.day


@dataclass(frozen=True)
class Trusted:
    """Whether an instrument can be relied on: a state, why, and since when."""

    state: Trust
    words: Said
    doubt: Doubt | None = None

    @property
    def usable(self) -> bool:
        """Readings may be taken with it."""
        return self.doubt is None


@dataclass(frozen=True)
class History:
    """An instrument with everything that happened to it."""

    tool: Tool
    entries: tuple[HistoryEntry, ...] = ()
    holder: Given | None = None
    document: Documented | None = None
    dropped: HistoryEntry | None = None
    retired: bool = False
    learned: Learned | None = None

    @property
    def seq(self) -> int:
        """How far its stream has come; 0 while nothing happened to it here."""
        return max((entry.seq for entry in self.entries), default=0)

    def checks(self, id: str = "") -> list[tuple[HistoryEntry, Checked]]:
        """All self-checks, or those of one kind, the newest last."""
        return [(e, e.said) for e in self.entries if isinstance(e.said, Checked) and id in ("", e.said.check)]

    @property
    def last_good(self) -> HistoryEntry | None:
        """The newest check that held, of any kind."""
        return next((e for e, c in reversed(self.checks()) if c.found.state == "holds"), None)

    def due(self) -> date | None:
        """The day on which its last good check is too old; nothing where it has no term or was never checked."""
        good = self.last_good
        if self.tool.check_days is None or good is None:
            return None
        return date.fromordinal(good.day.toordinal() + self.tool.check_days)

    def trusted(self, today: date) -> Trusted:
        """Whether it can be relied on today."""
        failing = self.failing
        if self.dropped is not None:
            fell = self.dropped
            return Trusted("stale", said("register.dropped_not_checked_since", day=fell.day.isoformat()), "dropped")
        if failing is not None:
            entry, checked = failing
            state: Trust = "out" if checked.found.state == "out" else "undecided"
            check = Noun(f"self_check.{checked.check}")
            words = said(f"register.found_{state}", check=check, day=entry.day.isoformat())
            return Trusted(state, words, "out" if state == "out" else None)
        due = self.due()
        if due is not None and due < today:
            return Trusted("stale", said("register.check_overdue_since", due=due.isoformat()), "overdue")
        if self.last_good is None:
            return Trusted(
                "open", said("register.not_checked_yet" if checks_for(self.tool) else "register.needs_no_check_own")
            )
        if due is None:
            return Trusted("holds", said("register.checked", day=self.last_good.day.isoformat()))
        left = due.toordinal() - today.toordinal()
        soon = left if left <= SOON_DAYS else None
        code = "register.due" if soon is None else "register.due_soon"
        return Trusted("holds", said(code, due=due.isoformat(), left=soon))

    @property
    def failing(self) -> tuple[HistoryEntry, Checked] | None:
        """A self-check whose newest result does not hold, those that are out first."""
        newest = {c.check: (e, c) for e, c in self.checks()}
        bad = [pair for pair in newest.values() if pair[1].found.state != "holds"]
        return min(bad, key=lambda pair: pair[1].found.state != "out", default=None)

    def contributions(self, dimension: Dimension, lever: float = 0.0) -> Instrument:
        """What a reading gets from it now: its sheet's figures, with bias and u of the checks that held.

        ``lever``: distance or height over which a beam's angle counts, mm. A constant that was found replaces the
        accuracy's bound; an angle adds to it.
        """
        own = self.tool.contributions
        bias, u, known = 0.0, own.accuracy_constant / math.sqrt(3), False
        for found in self._biases():
            if found.bias is not None:
                bias, u, known = bias + found.bias, found.u, True
        for found in self._biases():
            if found.tilt is not None and lever:
                bias, known = bias + found.tilt * lever, True
                u = math.hypot(u, found.u / TEN_METRES * lever)
        corrected = self.tool
        if known:
            corrected = self.tool.model_copy(
                update={"contributions": own.model_copy(update={"bias": bias, "u_bias": u})}
            )
        return corrected.contributions_in(dimension)

    @property
    def tilt(self) -> float:
        """Angle of a beam or level that its checks found, as bias of a reading for each mm of distance."""
        return math.fsum(f.tilt for f in self._biases() if f.tilt is not None)

    def _biases(self) -> list[Found]:
        """What each self-check found last, where that holds; of those that find a constant the newest alone."""
        newest = {c.check: (k, c.found) for k, (_, c) in enumerate(self.checks())}
        good = sorted((pair for pair in newest.values() if pair[1].state == "holds"), key=lambda pair: pair[0])
        constants = [f for _, f in good if f.bias is not None]
        return constants[-1:] + [f for _, f in good if f.tilt is not None]

    def course(self, check: SelfCheck) -> list[BiasEntry]:
        """The figures of one self-check by day, one a day (the day's last)."""
        by_day = {e.day.toordinal(): c.found for e, c in self.checks(check.id)}
        return [BiasEntry(day=day, bias=f.value, u=f.u) for day, f in sorted(by_day.items())]

    def drift(self, check: SelfCheck) -> DriftResult | None:
        """Where a self-check's figure is heading; nothing before three days of checks."""
        course = self.course(check)
        if len(course) < 3:
            return None
        return drift(DriftInput(history=course, limit=check.limit_of(self.tool), horizon_days=HORIZON_DAYS))


def fold_history(history: History, events: Iterable[Event]) -> History:
    """The history after further events: in their order, but what is told of an earlier day stands before later ones."""
    ordered: list[tuple[InstrumentPayload, Event]] = []
    for event in events:
        said = event.payload
        later = (k for k, (one, its) in enumerate(ordered) if one.happened(its) > said.happened(event))
        ordered.insert(len(ordered) if said.at is None else next(later, len(ordered)), (said, event))
    for said, event in ordered:
        history = said.apply(history, event)
    return history


SAID: dict[str, type[InstrumentPayload]] = {kind.code: kind for kind in InstrumentPayload.__subclasses__()}
"""Everything that can be said of an instrument, by its code."""
