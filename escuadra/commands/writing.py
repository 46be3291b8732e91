"""Catalogue entries that are written here: begun, typed, looked over by somebody else, released, withdrawn."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Protocol, TypeVar

from escuadra.catalogue import Catalogue
from escuadra.commands.codes import checked
from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.desk import (
    as_typed,
    draft_in,
    draft_of,
    frames_for,
    laid_out,
    looked_through,
    stream_of,
    with_draft,
)
from escuadra.commands.house import House
from escuadra.core.authoring.life import (
    CheckAgain,
    Draft,
    EntryBegun,
    EntryLooked,
    EntryReleased,
    EntryTyped,
    EntryWithdrawn,
    PageKept,
    PartsSet,
    Way,
    fold_entry,
)
from escuadra.core.authoring.writing import MOST_PARTS, Fields
from escuadra.core.base.entry import FigureSource
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import readable
from escuadra.core.base.said import Name, Said, Sentences, said
from escuadra.core.base.stream import Payload
from escuadra.core.house import DUTIES
from escuadra.core.procedure.assumed import CAN_BE
from escuadra.core.procedure.entries import KINDS
from escuadra.core.procedure.sheet import Procedure
from escuadra.store import Content


class Done(Protocol):
    """How far a rehearsal came."""

    @property
    def signed(self) -> bool: ...

    @property
    def entries(self) -> int: ...

    @property
    def why(self) -> Said | Sentences | None: ...


D = TypeVar("D", bound=Done)
Rehearse = Callable[[Catalogue, str, str], Done]
"""A procedure of a catalogue, with one of its frames, from the floor to the signature."""
MOST_TEXT = 4000
MOST_PAGES = 12


def sound_id(kind: str, id: str) -> str:
    """An id that an entry of a kind can have; raises ``BadInput`` for another."""
    if not 2 <= len(id) <= 40 or not id.replace("-", "").replace("_", "").isalnum() or not id.isascii():
        raise BadInput("id", id, said("wants.id_of_an_entry"))
    patterns = (m.pattern for m in KINDS[kind].model_fields["id"].metadata if hasattr(m, "pattern"))
    if not all(_matches(pattern, id) for pattern in patterns):
        raise BadInput("id", id, said("wants.id_in_small_letters"))
    return id


@dataclass(frozen=True)
class EntryCommand(Command[Draft]):
    """Something said of a draft."""

    kind: str
    id: str

    def stream(self, context: Context) -> str:
        """The entry's."""
        return stream_of(self.kind, self.id)

    def says(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """What is said; raises where it is refused."""
        raise NotImplementedError

    def decide(self, context: Context) -> Decision[Draft]:
        """What is said, upon the draft as it is now."""
        draft = draft_of(context.house, self.kind, self.id)
        stream = self.stream(context)
        said_now = self.says(context, draft)
        return Decision([Append(stream, draft.seq, one, None, f"+{k}" if k else "") for k, one in enumerate(said_now)])

    def told(self, context: Context, committed: Committed) -> Draft:
        """The draft as it is then."""
        return draft_of(context.house, self.kind, self.id)


@dataclass(frozen=True)
class BeginEntry(EntryCommand):
    """An entry is begun: from nothing, as a copy of another, or as one of its family."""

    like: str = ""
    family: bool = False

    def decide(self, context: Context) -> Decision[Draft]:
        """That it is begun, with what it begins from; raises ``BadInput`` for an id that cannot be one."""
        house, stream = context.house, self.stream(context)
        id = sound_id(self.kind, self.id.strip())
        events = house.store.events(stream)
        if fold_entry(events).begun:
            raise BadInput("id", id, said("wants.entry_not_begun_yet"))
        known = house.catalogue.entries.get((self.kind, id))
        like = self.like.strip() or (id if known is not None else "")
        if self.family and like in ("", id):
            raise BadInput("like", like, said("wants.entry_that_it_differs_from"))
        start, begins = Fields({}, {}), {}
        if like:
            content = house.catalogue.get(self.kind, like).content
            if not self.family:
                start = as_typed(house, self.kind, like)
                begins = {"sources": dict(content.sources), "unknown": list(content.assumed)}
        parts = {way: list(keys) for way, keys in start.parts.items()}
        begun = EntryBegun(
            kind=self.kind, id=id, like=like, family=self.family, fields=start.texts, parts=parts, **begins
        )
        return Decision([Append(stream, len(events), begun)])


@dataclass(frozen=True)
class TypeFields(EntryCommand):
    """What a form holds now: only what differs from the form as it was opened was typed.

    Words for a field that others changed meanwhile are kept beside it.
    """

    seen: int = 0
    """How many events the form showed when it was opened."""
    fields: Mapping[Way, str] = field(default_factory=dict)
    unknown: Mapping[Way, bool] = field(default_factory=dict)
    source: FigureSource | None = None
    settled: Sequence[Way] = ()
    """Fields of which it is said that what is typed here holds."""
    form: str = ""
    """What the ids of this form's own presses begin with: what it sent since, it shows too."""

    def says(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """What was typed; nothing where nothing was."""
        house = context.house
        before = draft_in(house, self.kind, self.id, self.seen, self.form)
        shown, now = laid_out(house, before).fields.texts, laid_out(house, draft).fields.texts
        typed: dict[Way, str] = {}
        beside: dict[Way, str] = {}
        for way, text in self.fields.items():
            words = readable(text.replace("\r\n", "\n").strip(), way)
            if len(words) > MOST_TEXT:
                raise BadInput(way, f"{words[:40]}…", said("wants.text_of_at_most", most=MOST_TEXT))
            stands = now.get(way, "")
            if (words == shown.get(way, "") and way not in self.settled) or words == stands:
                continue
            rivals = draft.rivals.get(way, ()) if way not in self.settled else ()
            if any(words == rival.text for rival in rivals):
                # They stand beside already, until somebody says whose hold.
                continue
            moved = (stands != shown.get(way, "") or bool(rivals)) and way not in self.settled
            (beside if moved else typed)[way] = words
        unknown = {way: on for way, on in self.unknown.items() if on != (way in before.unknown)}
        stray = next((way for way in unknown if way not in CAN_BE.get(self.kind, ())), None)
        if stray is not None:
            raise BadInput(stray, stray, said("wants.figure_that_can_be_unknown", known=", ".join(CAN_BE[self.kind])))
        settled = [way for way in self.settled if way in draft.rivals]
        if not (typed or beside or unknown or settled):
            return ()
        told = EntryTyped(fields=typed, beside=beside, settled=settled, unknown=unknown, source=self.source)
        return (told,)


@dataclass(frozen=True)
class SetParts(EntryCommand):
    """A record is added to a list of the form, or taken out."""

    way: Way = ""
    out: str = ""
    """Key of the record that is taken out; empty: one is added."""

    def says(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """The list's keys then; raises ``BadInput`` for a list that the form has not, or one that is full."""
        desk = laid_out(context.house, draft)
        if self.way not in desk.says.ways.values():
            raise BadInput("way", self.way, said("wants.list_of_the_form"))
        keys = list(desk.fields.parts.get(self.way, ()))
        if self.out:
            if self.out not in keys:
                return ()
            keys.remove(self.out)
        elif len(keys) >= MOST_PARTS:
            raise BadInput("way", self.way, said("wants.fewer_parts", most=MOST_PARTS))
        else:
            keys.append(f"new{draft.seq + 1}")
        return (PartsSet(way=self.way, keys=keys),)


@dataclass(frozen=True)
class KeepPage(EntryCommand):
    """A page of the manufacturer's is laid beside the form: a PDF, a picture or a text, kept in this garage only."""

    name: str = ""
    content: bytes = field(default=b"", repr=False)

    def says(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """The page by its hash; raises ``BadInput`` for what is none, or one too many."""
        content = checked(self.content)
        media = media_of(content)
        if len(draft.pages) >= MOST_PAGES:
            raise BadInput("file", self.name[:60], said("wants.fewer_pages", most=MOST_PAGES))
        digest = context.house.files.put(content)
        return (PageKept(file=digest, name=readable(self.name[:80] or media, "file", lines=False), media=media),)


@dataclass(frozen=True)
class LookOver(EntryCommand):
    """Somebody looked over all that the form says: somebody else, where there is anybody else."""

    duty = "author"
    seen: int = 0

    def says(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """The look; refused to whoever typed, where others could look."""
        desk = laid_out(context.house, draft)
        if desk.refused or draft.rivals:
            raise Conflict(said("writing.not_whole_yet"))
        if self.seen < draft.changed:
            raise Conflict(said("writing.typed_meanwhile"))
        authors = [person for person in context.house.store.people() if "author" in DUTIES[person["role"]]]
        others = [person for person in authors if person["id"] != context.who.id]
        own = context.who.id in draft.authors
        if own and others:
            raise Conflict(said("writing.somebody_else_looks", name=Name(others[0]["name"])))
        return (EntryLooked(upto=draft.seq, alone=own),)


def with_each_frame(rehearse: Callable[[Catalogue, str, str], D], house: House, content: Procedure) -> tuple[D, int]:
    """The rehearsal that stopped, else the last, and the entries of all: one with each frame that it reads by."""
    catalogue, entries = with_draft(house, content), 0
    for frame in frames_for(house, content):
        done = rehearse(catalogue, content.id, frame)
        entries += done.entries
        if not done.signed:
            break
    return done, entries


@dataclass(frozen=True)
class ReleaseEntry(EntryCommand):
    """It can be used from now on; open visits go on with what they pinned."""

    duty = "author"
    seen: int
    rehearse: Rehearse = field(repr=False)

    def decide(self, context: Context) -> Decision[Draft]:
        """The next revision with its content; refused before a second look, or where something is wrong."""
        house, draft = context.house, draft_of(context.house, self.kind, self.id)
        desk = laid_out(house, draft)
        found = looked_through(house, desk)
        content = desk.says.content
        if content is None or draft.rivals or any(not one.doubt for one in found):
            raise Conflict(said("writing.not_whole_yet"))
        if not draft.looked_at:
            raise Conflict(said("writing.look_first"))
        if self.seen < draft.changed:
            raise Conflict(said("writing.typed_meanwhile"))
        kept = Content.of(self.kind, self.id, content)
        base = house.catalogue.get(self.kind, draft.like).hash if draft.family else ""
        rehearsed = 0
        if isinstance(content, Procedure):
            done, rehearsed = with_each_frame(self.rehearse, house, content)
            if not done.signed:
                raise Conflict(said("writing.not_rehearsed", why=done.why or said("nothing")))
        released = EntryReleased(revision=content.revision, hash=kept.hash, upon=base, rehearsed=rehearsed)
        return Decision([Append(self.stream(context), draft.seq, released)], beside=lambda log: log.pins.put(kept))


@dataclass(frozen=True)
class WithdrawEntry(EntryCommand):
    """It is no longer chosen for anything new."""

    duty = "author"
    why: str = ""

    def says(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """Why; raises ``BadInput`` without a reason."""
        why = readable(self.why.strip(), "why", lines=False)
        if not 3 <= len(why) <= 200:
            raise BadInput("why", why, said("wants.reason_of_withdrawing"))
        return (EntryWithdrawn(why=why),) if not draft.withdrawn else ()


@dataclass(frozen=True)
class LookAgainAfter(EntryCommand):
    """It is looked at again after a day; at none where that is empty."""

    after: str = ""

    def says(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """The day; raises ``BadInput`` for none."""
        day = self.after.strip()
        if day:
            try:
                day = date.fromisoformat(day).isoformat()
            except ValueError as cause:
                raise BadInput("after", day, said("wants.day_of_the_year")) from cause
        return (CheckAgain(after=day),) if day != draft.again else ()


def media_of(content: bytes) -> str:
    """What a page is, by its first bytes."""
    for start, media in ((b"%PDF-", "application/pdf"), (b"\x89PNG\r\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg")):
        if content.startswith(start):
            return media
    return "text/plain"


def _matches(pattern: str | None, text: str) -> bool:
    return pattern is None or re.fullmatch(pattern, text) is not None
