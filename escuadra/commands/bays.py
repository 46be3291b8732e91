"""The bays of a garage and their sheets: every revision stays, by the hash of its content."""

from dataclasses import dataclass

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.core.base.errors import Conflict
from escuadra.core.base.said import said
from escuadra.core.bay.bay import Bay
from escuadra.core.house import BayAdded, BayDrawn, bay_stream
from escuadra.store import Content


@dataclass(frozen=True)
class AddBay(Command[None]):
    """There is a bay of that name; one that is there already stays."""

    name: str

    def stream(self, context: Context) -> str:
        """The bay's."""
        return bay_stream(self.name)

    def decide(self, context: Context) -> Decision[None]:
        """A further bay."""
        if self.name in context.house.store.bays():
            return Decision()
        return Decision([Append(self.stream(context), 0, BayAdded(name=self.name), key="added")])

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing more."""


@dataclass(frozen=True)
class KeepBay(Command[str]):
    """A new revision of a bay's sheet, made from the one with the hash ``base``; its own hash."""

    bay: Bay
    base: str | None

    def stream(self, context: Context) -> str:
        """The bay's."""
        return bay_stream(self.bay.name)

    @property
    def content(self) -> Content:
        """The sheet as it is pinned."""
        return Content.of("bay", self.bay.name, self.bay)

    def decide(self, context: Context) -> Decision[str]:
        """The sheet; refused where another was kept since ``base``."""
        store, name, stream = context.house.store, self.bay.name, self.stream(context)
        new = name not in store.bays()
        if (None if new else store.bay_sheet(name)) != self.base:
            raise Conflict(said("jobs.bays.bay_changed_others_since_you"))
        count = 0 if new else store.count(stream)
        added = [Append(stream, 0, BayAdded(name=name), key="added")] if new else []
        drawn = Append(stream, count, BayDrawn(name=name, sheet=self.content.hash))
        return Decision([*added, drawn], keeps=[self.content])

    def told(self, context: Context, committed: Committed) -> str:
        """The sheet's hash."""
        return self.content.hash
