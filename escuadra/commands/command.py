"""What a command is: who asks, what is decided, and what is appended upon which heads.

A command decides from what it sees and writes nothing itself. What it decides is a list of appends, each with the head
that it was decided on; they are committed together or not at all, once the sheets that follow have been worked out.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Generic, TypeVar

from escuadra.commands.forms import Opened, Whole
from escuadra.commands.house import House
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Name, Noun, said
from escuadra.core.base.stream import Part, Payload, Person, made
from escuadra.core.house import DUTIES, Duty, visit_stream
from escuadra.core.visit.log.disturbances import Owner
from escuadra.core.visit.log.events import Doubted, VisitPayload
from escuadra.core.visit.log.reducer import fold_visit
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.slots import Slot
from escuadra.store import Content, Row
from escuadra.store.repositories.visits import Log

T = TypeVar("T")
ENDED = ("left_out", "called_off")
"""Stages of a calibration of which nothing more is said before it is taken up again."""


@dataclass(frozen=True)
class Context:
    """Who asks, in which role, with which press of a key, when (UTC milliseconds); and the house as it can be seen."""

    house: House
    who: Person
    role: str
    client_id: str
    at: int


@dataclass(frozen=True)
class Append:
    """A further event of a stream that had ``expected`` events when this was decided."""

    stream: str
    expected: int
    said: Payload
    of: Part | None = None
    key: str = ""
    """Client-made id; empty: the command's own."""
    who: Person | None = None
    """Where it is not whoever asks."""


@dataclass(frozen=True)
class Decision(Generic[T]):
    """What a command comes to."""

    appends: Sequence[Append] = ()
    rests_on: Mapping[str, int] = field(default_factory=dict)
    """Streams that it was decided on besides, and how many events they had."""
    doubts: Sequence[Doubted] = ()
    """Marked in the same transaction at whatever part of an open visit stands on the instrument."""
    keeps: Sequence[Content] = ()
    """Content that is pinned with it."""
    beside: Callable[[Log], None] | None = None
    """What is written outside every stream."""
    seen: Opened | Whole | None = None
    """The visit that it was decided on."""
    instead: T | None = None
    """Nothing is appended: this is told."""


@dataclass(frozen=True)
class Committed:
    """What was written: the visits' rows as they are now, and those that were marked. Nothing for a repeated press."""

    rows: Mapping[str, Row] = field(default_factory=dict)
    marked: Sequence[Row] = ()
    events: int = 0

    @property
    def numbers(self) -> list[str]:
        """Of the visits that were marked."""
        return list(dict.fromkeys(row.number for row in self.marked))


class Command(ABC, Generic[T]):
    """One thing that somebody asks for."""

    duty: ClassVar[Duty | None] = None
    """What whoever asks must be allowed to do; nothing: anybody who works here may ask."""

    def __init_subclass__(cls, **options: Any) -> None:
        super().__init_subclass__(**options)
        known = COMMANDS.setdefault(cls.__name__, cls).__module__
        if known != cls.__module__:
            raise TypeError(f"{cls.__module__}.{cls.__name__}: {known} has a command of that name")

    @abstractmethod
    def stream(self, context: Context) -> str:
        """The stream in which a repeated press is known by its client-made id, and in which askers take turns."""

    @abstractmethod
    def decide(self, context: Context) -> Decision[T]:
        """What it comes to, as things are now; raises where that is refused."""

    @abstractmethod
    def told(self, context: Context, committed: Committed) -> T:
        """The answer, the first time and whenever the press is repeated."""


COMMANDS: dict[str, type[Command[Any]]] = {}
"""Every command by its name, and what some of them have in common."""


def registered() -> dict[str, type[Command[Any]]]:
    """Everything that can be asked, by its name, as far as its module is loaded."""
    return {name: command for name, command in sorted(COMMANDS.items()) if not command.__subclasses__()}


@dataclass(frozen=True)
class Saying:
    """What is said of a visit, of what part, and the instruments that it stands on as they are expected to be still."""

    said: VisitPayload
    of: Part
    rests_on: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class VisitCommand(Command[Any]):
    """Something said in a visit, at one of its calibrations (empty: the first)."""

    visit: str
    calibration: str = field(default="", kw_only=True)

    @property
    def when_signed(self) -> bool:
        """It is said of a signed sheet."""
        return False

    @property
    def once_confirmed(self) -> bool:
        """It is said of a set-up that was confirmed."""
        return False

    def once_run(self, opened: Opened) -> bool:
        """It is said of a set-up by which the procedure was run: it changes nothing of that."""
        return False

    @abstractmethod
    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """What is said, in its order; raises where it is refused."""

    def stream(self, context: Context) -> str:
        """The visit's."""
        return visit_stream(self.visit)

    def decide(self, context: Context) -> Decision[Any]:
        """What is said, upon the visit as it is now; raises ``Conflict`` for a signed sheet."""
        opened = context.house.open(self.visit, self.calibration)
        if opened.state.signed is not None and not self.when_signed:
            raise Conflict(said("jobs.command.sheet_signed_work_again_reopen"))
        if not self.when_signed:
            goes_on(context.house, opened)
            self._thaws(opened)
        return decided(opened, self.say(context, opened))

    def _thaws(self, opened: Opened) -> None:
        """Raises ``Conflict`` for what would change a set-up that was run or confirmed."""
        if self.once_run(opened):
            return
        if opened.state.frozen is not None:
            raise Conflict(said("jobs.command.was_run"))
        confirmed = opened.sheet.confirmed
        if confirmed is not None and not self.once_confirmed:
            raise Conflict(said("jobs.command.was_confirmed", name=confirmed.person.name))

    def told(self, context: Context, committed: Committed) -> Opened:
        """The visit as it is then."""
        row = committed.rows.get(self.visit)
        if row is None:
            return context.house.open(self.visit, self.calibration)
        with context.house.store.reading() as log:
            return context.house.readable(log, row, self.calibration)


def may(context: Context, what: Duty | None) -> None:
    """Raises ``Conflict`` where whoever asks may not do that."""
    if what is not None and what not in DUTIES[context.role]:
        role = Noun(f"role.{context.role}") if context.role else Name("")
        raise Conflict(said(f"jobs.command.may_not_{what}", name=context.who.name, role=role))


def goes_on(house: House, opened: Opened) -> None:
    """Raises ``Conflict`` for a calibration that was left out or called off, and before its variant is known."""
    if opened.state.stage in ENDED:
        raise Conflict(said(f"jobs.command.{opened.state.stage}"))
    why = house.gate(opened.whole).shuts(opened.sheet.plan.procedure)
    if why is not None:
        raise Conflict(why)


def decided(opened: Opened, sayings: Sequence[Saying]) -> Decision[Any]:
    """What is said of a visit, as a decision: the first saying bears the command's own client-made id."""
    stream, count = visit_stream(opened.row.id), opened.row.count
    appends = [Append(stream, count, one.said, one.of, f"+{k}" if k else "") for k, one in enumerate(sayings)]
    rests_on = {name: seq for one in sayings for name, seq in one.rests_on.items()}
    return Decision(appends, rests_on, seen=opened)


def imagined(context: Context, opened: Opened, sayings: Sequence[Saying]) -> Opened:
    """The visit as it would be with what is said; nothing is written."""
    stream, count = visit_stream(opened.row.id), opened.row.count
    events = [made(stream, count + k, "", context.at, context.who, s.said, s.of) for k, s in enumerate(sayings, 1)]
    visit = fold_visit(opened.visit, events)
    said = [one.said for one in sayings]
    known = opened.sheet.underivable
    after = context.house.left(opened.row.id, visit, opened.calibration, events)
    sheet = context.house.derived(opened.row.id, opened.calibration, after, said, context.at, known)
    return replace(opened, visit=visit, sheet=sheet)


def of_owner(opened: Opened, owner: Owner) -> Part:
    """The part of a visit that something belongs to, as its calibration sees it."""
    return opened.visit.owning(opened.calibration, owner)


def slot_of(sheet: Sheet, id: str) -> Slot:
    """A place of the sheet; raises ``BadInput`` for one that it does not have."""
    found = sheet.slots.get(id)
    if found is None:
        raise BadInput("slot", id, said("wants.place_sheet_takes_entry"))
    return found.slot
