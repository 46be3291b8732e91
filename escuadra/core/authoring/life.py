"""The life of a catalogue entry as its stream tells it: begun, typed, looked at by somebody else, released, withdrawn.

Whatever somebody typed stays. Two who type the same field at once both keep their words: the later ones stand beside
the field until somebody says which hold. Source: our own rules of a draft.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from pydantic import Field

from escuadra.core.base.entry import FigureSource
from escuadra.core.base.model import Line
from escuadra.core.base.stream import Event, Payload, Person

Stage = Literal["draft", "checked", "released", "withdrawn"]
Way = str
"""A field's place on the form: ``checks.level.roll.plus``; a further language of a text: ``title@es``."""


@dataclass(frozen=True)
class Typed:
    """What stands in a field: the words, whose they are, since when, and where they were read."""

    text: str
    by: Person
    at: int
    seq: int
    source: FigureSource | None = None


@dataclass(frozen=True)
class Look:
    """A second look at all that was typed up to an event."""

    by: Person
    at: int
    upto: int
    alone: bool
    """Nobody else was there to look: whoever typed did."""


@dataclass(frozen=True)
class Release:
    """A revision that can be used."""

    revision: int
    hash: str
    by: Person
    at: int
    seq: int
    look: Look
    taken: str = ""
    """SHA-256 of the bundle that it was taken from; empty: it was written here."""


@dataclass(frozen=True)
class MakersPage:
    """A page of the manufacturer's, kept here beside the form and nowhere else."""

    file: str
    name: str
    media: str


@dataclass(frozen=True)
class Draft:
    """An entry as its stream tells it."""

    kind: str = ""
    id: str = ""
    like: str = ""
    """Id of the entry that it was begun from."""
    family: bool = False
    """It holds only what differs from that one."""
    fields: dict[Way, Typed] = field(default_factory=dict)
    rivals: dict[Way, tuple[Typed, ...]] = field(default_factory=dict)
    """What others typed into a field meanwhile: nobody has said yet what holds."""
    parts: dict[Way, tuple[str, ...]] = field(default_factory=dict)
    """Of a list of records: their keys, in their order."""
    unknown: frozenset[Way] = frozenset()
    """Figures that nobody knows."""
    pages: tuple[MakersPage, ...] = ()
    authors: dict[str, Person] = field(default_factory=dict)
    """Who typed since the last release."""
    seq: int = 0
    changed: int = 0
    """The last event that changed what it says."""
    look: Look | None = None
    releases: tuple[Release, ...] = ()
    withdrawn: str = ""
    """Why it is no longer used; empty: it is."""
    again: str = ""
    """The day after which it must be looked at again, as ``2027-03-01``."""

    @property
    def released(self) -> Release | None:
        """The revision in use."""
        return self.releases[-1] if self.releases and not self.withdrawn else None

    @property
    def begun(self) -> bool:
        """Somebody writes it here; else its stream only tells that it was used."""
        return bool(self.id)

    @property
    def looked_at(self) -> bool:
        """A second look was had at everything that it says now."""
        return self.look is not None and self.look.upto >= self.changed

    @property
    def stage(self) -> Stage:
        """How far it has come with what it says now."""
        if self.withdrawn:
            return "withdrawn"
        if self.releases and self.releases[-1].seq > self.changed:
            return "released"
        return "checked" if self.looked_at else "draft"

    def text(self, way: Way) -> str:
        """What stands in a field."""
        found = self.fields.get(way)
        return found.text if found is not None else ""


class EntryPayload(Payload):
    """Something said of a catalogue entry."""

    def apply(self, state: Draft, event: Event) -> Draft:
        """The entry after it."""
        raise NotImplementedError

    def typed(self, text: str, event: Event, source: FigureSource | None = None) -> Typed:
        """Words of this event."""
        return Typed(text, event.person, event.at, event.seq, source)


class EntryBegun(EntryPayload):
    """Somebody begins an entry: from nothing, as a copy of another, or as one of a family."""

    code = "entry_begun"

    kind: str
    id: str
    like: str = Field("", description="id of the entry that it begins from")
    family: bool = Field(False, description="it holds only what differs from that one")
    fields: dict[str, str] = Field({}, description="what stands in its fields to begin with")
    parts: dict[str, list[str]] = {}
    sources: dict[str, FigureSource] = {}
    unknown: list[str] = Field([], description="figures that nobody knew there, and nobody knows here")

    def apply(self, state: Draft, event: Event) -> Draft:
        fields = {way: self.typed(text, event, self.sources.get(way)) for way, text in self.fields.items()}
        parts = {way: tuple(keys) for way, keys in self.parts.items()}
        begun = replace(state, kind=self.kind, id=self.id, like=self.like, family=self.family, fields=fields)
        return _changed(replace(begun, parts=parts, unknown=frozenset(self.unknown), withdrawn=""), event)


class EntryTyped(EntryPayload):
    """Fields were typed: those that changed, and from where."""

    code = "entry_typed"

    fields: dict[str, str] = {}
    beside: dict[str, str] = Field({}, description="typed into fields that others had changed meanwhile")
    settled: list[str] = Field([], description="fields of which it was said whose words hold")
    unknown: dict[str, bool] = Field({}, description="figures that nobody knows, or somebody does again")
    source: FigureSource | None = None

    def apply(self, state: Draft, event: Event) -> Draft:
        fields, rivals, unknown = dict(state.fields), dict(state.rivals), set(state.unknown)
        for way in self.settled:
            rivals.pop(way, None)
        for way, text in self.fields.items():
            fields[way] = self.typed(text, event, self.source if text else None)
            if text:
                unknown.discard(way)
        for way, text in self.beside.items():
            rivals[way] = (*rivals.get(way, ()), self.typed(text, event, self.source))
        for way, not_known in self.unknown.items():
            (unknown.add if not_known else unknown.discard)(way)
        return _changed(replace(state, fields=fields, rivals=rivals, unknown=frozenset(unknown)), event)


class PartsSet(EntryPayload):
    """Which records a list has now: one was added, moved or taken out. What was typed of it stays in the stream."""

    code = "entry_parts"

    way: str
    keys: list[str]

    def apply(self, state: Draft, event: Event) -> Draft:
        return _changed(replace(state, parts={**state.parts, self.way: tuple(self.keys)}), event)


class PageKept(EntryPayload):
    """A page of the manufacturer's lies beside the form."""

    code = "entry_page"
    files = ("file",)

    file: str
    name: Line
    media: str

    def apply(self, state: Draft, event: Event) -> Draft:
        page = MakersPage(self.file, self.name, self.media)
        return replace(state, pages=(*(one for one in state.pages if one.file != self.file), page), seq=event.seq)


class EntryLooked(EntryPayload):
    """Somebody looked over all of it."""

    code = "entry_looked"

    upto: int = Field(description="the last event that they saw")
    alone: bool = Field(False, description="nobody else was there to look")

    def apply(self, state: Draft, event: Event) -> Draft:
        return replace(state, look=Look(event.person, event.at, self.upto, self.alone), seq=event.seq)


class EntryReleased(EntryPayload):
    """It can be used from now on."""

    code = "entry_released"

    revision: int
    hash: str = Field(description="of the kept content")
    upon: str = Field("", description="hash of the entry that a family's member differs from")
    rehearsed: int = Field(0, description="entries of the rehearsal that came to a signature; 0: it has none")

    def apply(self, state: Draft, event: Event) -> Draft:
        assert state.look is not None
        release = Release(self.revision, self.hash, event.person, event.at, event.seq, state.look)
        return replace(state, releases=(*state.releases, release), authors={}, withdrawn="", seq=event.seq)


class EntryTaken(EntryPayload):
    """A revision came in a bundle and is used from now on as it is: it was looked over elsewhere, if at all."""

    code = "entry_taken"

    kind: str
    id: str
    revision: int
    hash: str = Field(description="of the kept content")
    bundle: str = Field(description="SHA-256 of the bundle")
    fields: dict[str, str] = {}
    parts: dict[str, list[str]] = {}
    sources: dict[str, FigureSource] = {}
    unknown: list[str] = Field([], description="figures that nobody knew there")

    def apply(self, state: Draft, event: Event) -> Draft:
        fields = {way: self.typed(text, event, self.sources.get(way)) for way, text in self.fields.items()}
        parts = {way: tuple(keys) for way, keys in self.parts.items()}
        look = Look(event.person, event.at, event.seq, alone=True)
        release = Release(self.revision, self.hash, event.person, event.at, event.seq, look, self.bundle)
        taken = replace(state, kind=self.kind, id=self.id, fields=fields, parts=parts, family=False, like="")
        # Its release stands on what it brought: nothing was typed after it.
        return replace(
            taken,
            rivals={},
            unknown=frozenset(self.unknown),
            authors={},
            releases=(*state.releases, release),
            withdrawn="",
            seq=event.seq,
            changed=event.seq - 1,
            look=look,
        )


class BundleTaken(EntryPayload):
    """A bundle was taken in; each of its entries says so in its own stream."""

    code = "bundle_taken"

    bundle: str = Field(description="its SHA-256")

    def apply(self, state: Draft, event: Event) -> Draft:
        return replace(state, seq=event.seq)


class EntryWithdrawn(EntryPayload):
    """It is not used for anything new; what used it stays as it is."""

    code = "entry_withdrawn"

    why: Line

    def apply(self, state: Draft, event: Event) -> Draft:
        return replace(state, withdrawn=self.why, seq=event.seq)


class CheckAgain(EntryPayload):
    """It must be looked at again after a day; empty: at no certain one."""

    code = "entry_check_again"

    after: str

    def apply(self, state: Draft, event: Event) -> Draft:
        return replace(state, again=self.after, seq=event.seq)


def _changed(state: Draft, event: Event) -> Draft:
    authors = {**state.authors, event.person.id: event.person}
    return replace(state, seq=event.seq, changed=event.seq, authors=authors)


def fold_entry(events: Sequence[Event]) -> Draft:
    """An entry's stream as what it amounts to."""
    state = Draft()
    for event in events:
        said = event.payload
        state = said.apply(state, event) if isinstance(said, EntryPayload) else replace(state, seq=event.seq)
    return state
