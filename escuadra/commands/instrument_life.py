"""What happens to an instrument: entered, lent, documented, dropped, checked, retired; and the visits that doubt it.

A drop, a failed check or a check that is too old is marked, in the same transaction, at every part of an open visit
that stands on the instrument as it was since its last good check.
"""

from abc import abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any, TypeVar

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.house import instrument_stream
from escuadra.core.instruments.check_figures import Found
from escuadra.core.instruments.history import (
    Checked,
    Documented,
    Doubt,
    Dropped,
    Entered,
    Given,
    History,
    InstrumentPayload,
    Retired,
)
from escuadra.core.instruments.instrument import Tool
from escuadra.core.visit.log.events import Doubted

LARGEST_DOCUMENT = 8_000_000
MEDIA = {b"%PDF": "application/pdf", b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg"}
"""What a document may be, by its first bytes."""
T = TypeVar("T")


def appended(context: Context, id: str, said: InstrumentPayload, key: str = "") -> list[Append]:
    """A further entry of an instrument's history.

    A history begins with its instrument's sheet, so that it stays readable when the catalogue's is gone.
    """
    stream, instruments = instrument_stream(id), context.house.instruments
    history = instruments.every().get(id)
    count = history.seq if history is not None else 0
    first: list[Append] = []
    if count == 0 and not isinstance(said, Entered):
        sheet = Entered(day=instruments.today(), tool=instruments.one(id).tool)
        first = [Append(stream, 0, sheet, key=f"{id}-sheet")]
    return [*first, Append(stream, count, said, key=key)]


@dataclass(frozen=True)
class InstrumentCommand(Command[T]):
    """Something that happens to an instrument."""

    instrument: str

    @abstractmethod
    def say(self, context: Context, history: History) -> InstrumentPayload:
        """What is said of it; raises where it is refused."""

    def doubt(self, context: Context, history: History) -> Doubted | None:
        """What visits that stand on it are told."""
        return None

    def stream(self, context: Context) -> str:
        """The instrument's."""
        return instrument_stream(self.instrument)

    def decide(self, context: Context) -> Decision[T]:
        """What is said, upon its history as it is; raises ``BadInput`` for an unknown one."""
        history = context.house.instruments.one(self.instrument)
        said, doubt = self.say(context, history), self.doubt(context, history)
        return Decision(appended(context, self.instrument, said), doubts=[doubt] if doubt is not None else [])


@dataclass(frozen=True)
class EnterInstrument(Command[History]):
    """An instrument is taken into the register, or what its sheet says is changed (not ``new``)."""

    tool: Tool
    new: bool = True

    def stream(self, context: Context) -> str:
        """The instrument's."""
        return instrument_stream(self.tool.id)

    def decide(self, context: Context) -> Decision[History]:
        """Its sheet; raises for an id or a name that is in use."""
        tool, instruments = self.tool, context.house.instruments
        known = instruments.every().get(tool.id)
        if self.new and known is not None and not known.retired:
            raise BadInput("id", tool.id, said("wants.id_no_instrument_here_yet"))
        if self.new and any(h.tool.name.casefold() == tool.name.casefold() for h in instruments.shelf()):
            raise BadInput("name", tool.name, said("wants.name_no_instrument_here_yet"))
        if not self.new and known is None:
            raise BadInput("id", tool.id, said("wants.instrument_register"))
        return Decision(appended(context, tool.id, Entered(day=instruments.today(), tool=tool)))

    def told(self, context: Context, committed: Committed) -> History:
        """The instrument as it is then."""
        return context.house.instruments.one(self.tool.id)


@dataclass(frozen=True)
class Give(InstrumentCommand[None]):
    """Somebody takes it; nobody: it goes back to its place."""

    to: str

    def say(self, context: Context, history: History) -> InstrumentPayload:
        """Who has it."""
        name = context.house.person(self.to).name if self.to else ""
        return Given(day=context.house.instruments.today(), to=self.to, name=name)

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing more."""


@dataclass(frozen=True)
class Retire(InstrumentCommand[None]):
    """It is taken out of use for good; its history stays."""

    def say(self, context: Context, history: History) -> InstrumentPayload:
        """That it is retired."""
        return Retired(day=context.house.instruments.today())

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing more."""


@dataclass(frozen=True)
class Document(InstrumentCommand[None]):
    """Its data sheet or certificate is kept: a PDF, PNG or JPEG."""

    name: str
    content: bytes = field(repr=False)

    def say(self, context: Context, history: History) -> InstrumentPayload:
        """Which file it is."""
        content = self.content
        media = next((m for start, m in MEDIA.items() if content.startswith(start)), None)
        if media is None or len(content) > LARGEST_DOCUMENT:
            given = said("jobs.instrument_life.bytes_begin", count=len(content), start=repr(content[:4])[2:-1])
            raise BadInput(
                "document", given, said("wants.pdf_png_or_jpeg_most", largest_document=LARGEST_DOCUMENT // 1000000)
            )
        told: dict[str, Any] = {"day": context.house.instruments.today(), "name": self.name[:120] or "document"}
        return Documented.read({**told, "media": media, "digest": context.house.files.put(content)})

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing more."""


@dataclass(frozen=True)
class Drop(InstrumentCommand[list[str]]):
    """It fell: numbers of the open visits that relied on it since its last good check; they now say so."""

    words: str

    def say(self, context: Context, history: History) -> InstrumentPayload:
        """That it fell."""
        return Dropped.read({"day": context.house.instruments.today(), "words": self.words.strip()[:200]})

    def doubt(self, context: Context, history: History) -> Doubted:
        """Since its last good check."""
        return _doubted(history, "dropped")

    def told(self, context: Context, committed: Committed) -> list[str]:
        """The visits' numbers."""
        return committed.numbers


@dataclass(frozen=True)
class KeepCheck(InstrumentCommand[tuple[Found, list[str]]]):
    """A self-check; where it is out, numbers of the open visits that relied on the instrument."""

    check: str
    typed: Mapping[str, list[str]]
    readings: Mapping[str, list[float]]

    def say(self, context: Context, history: History) -> InstrumentPayload:
        """Its readings and what they say."""
        found, day = self._found(context), context.house.instruments.today()
        typed, readings = dict(self.typed), dict(self.readings)
        return Checked(day=day, check=self.check, typed=typed, readings=readings, found=found)

    def doubt(self, context: Context, history: History) -> Doubted | None:
        """Since its last good check, where this one is out."""
        if self._found(context).state != "out":
            return None
        return _doubted(history, "out", check=self.check)

    def told(self, context: Context, committed: Committed) -> tuple[Found, list[str]]:
        """What was found, and the visits' numbers."""
        return self._found(context), committed.numbers

    def _found(self, context: Context) -> Found:
        return context.house.instruments.found(self.instrument, self.check, self.readings)


@dataclass(frozen=True)
class TellOverdue(Command[list[str]]):
    """The open visits of every instrument whose check is too old by now are told; their numbers."""

    def stream(self, context: Context) -> str:
        """Nobody's: every instrument is looked at."""
        return instrument_stream("")

    def decide(self, context: Context) -> Decision[list[str]]:
        """One doubt an instrument; the same is said once."""
        instruments = context.house.instruments
        late = [h for h in instruments.shelf() if h.trusted(instruments.today()).doubt == "overdue"]
        return Decision(doubts=[_doubted(h, "overdue", due=h.due()) for h in late])

    def told(self, context: Context, committed: Committed) -> list[str]:
        """The visits' numbers."""
        return committed.numbers


def _doubted(history: History, why: Doubt, check: str = "", due: date | None = None) -> Doubted:
    """What is said to visits that stand on an instrument as it was since its last good check."""
    since, tool = history.last_good.seq if history.last_good else 0, history.tool
    return Doubted(tool=tool.id, name=tool.name, why=why, since=since, check=check, due=due)
