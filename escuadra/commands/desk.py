"""A catalogue entry on the desk: a draft with its form, what it says, and what is wrong with it."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from escuadra.catalogue import Catalogue, upon
from escuadra.catalogue.library import entry
from escuadra.commands.codes import text_of
from escuadra.commands.house import House
from escuadra.core.authoring.fields import Asked, form_of
from escuadra.core.authoring.life import Draft, MakersPage, Way, fold_entry
from escuadra.core.authoring.soundness import Shelf, at_odds, doubts, in_the_way, plan_with, strangers, undecided
from escuadra.core.authoring.usual import unusual
from escuadra.core.authoring.writing import Fields, Finding, Written, fields_of, words_of, written
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.base.stream import Event
from escuadra.core.house import entry_stream
from escuadra.core.procedure.entries import KINDS, KNOWN_KINDS
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.reach import beyond_any
from escuadra.store.repositories.drafts import DraftRow


@dataclass(frozen=True)
class OnDesk:
    """A draft with its form, what stands in the fields, and what it says."""

    draft: Draft
    form: Asked
    fields: Fields
    base: Fields | None
    """What it differs from, where it is one of a family."""
    says: Written
    findings: tuple[Finding, ...]

    def at(self, way: Way) -> list[Finding]:
        """What is wrong at a field, or somewhere below it."""
        return [one for one in self.findings if one.way == way or one.way.startswith(f"{way}.")]

    @property
    def refused(self) -> list[Finding]:
        """What keeps it from being released."""
        return [one for one in self.findings if not one.doubt]


def stream_of(kind: str, id: str) -> str:
    """The stream of an entry; raises ``BadInput`` for a kind that there is none of."""
    if kind not in KINDS:
        raise BadInput("kind", kind, said("wants.one", names=KNOWN_KINDS))
    return entry_stream(kind, id)


@lru_cache(maxsize=len(KINDS))
def form_for(kind: str) -> Asked:
    """The form of a kind of entry: looked at with every field that is typed."""
    return form_of(KINDS[kind])


def draft_of(house: House, kind: str, id: str, events: Sequence[Event] | None = None) -> Draft:
    """A draft as its stream, or some events of it, tells; raises ``BadInput`` for one that nobody began."""
    draft = fold_entry(house.store.events(stream_of(kind, id)) if events is None else events)
    if not draft.begun:
        raise BadInput("id", id, said("wants.entry_begun_here"))
    return draft


def draft_in(house: House, kind: str, id: str, seen: int, form: str) -> Draft:
    """A draft as a form in a browser has it: as it was when the form was opened, and what this form has sent since.

    What others typed meanwhile the form does not show, so that its old words are nobody's wish to have them back.
    """
    events = house.store.events(stream_of(kind, id))
    own = [event for event in events[seen:] if form and event.id.startswith(form)]
    return draft_of(house, kind, id, [*events[:seen], *own])


def on_desk(house: House, kind: str, id: str) -> OnDesk:
    """A draft as it is now, with what can be seen to be wrong while it is typed."""
    return laid_out(house, draft_of(house, kind, id))


def laid_out(house: House, draft: Draft) -> OnDesk:
    """A draft with its form and what it says."""
    form = form_for(draft.kind)
    base = as_typed(house, draft.kind, draft.like) if draft.family else None
    fields = fields_of(draft, base)
    unknown = draft.unknown
    if draft.family:
        # What nobody knew of the family nobody knows here, unless it was typed.
        inherited = house.catalogue.get(draft.kind, draft.like).content.assumed
        unknown |= {way for way in inherited if not draft.text(way)}
    says = written(draft.kind, form, fields, _head(house, draft), unknown)
    odd = [*unusual(form, says, fields.texts)]
    if draft.kind == "procedure":
        told = {one.way for one in says.findings}
        shelf = shelf_of(house)
        odd += [one for one in strangers(says, shelf) if one.way not in told]
        if isinstance(says.content, Procedure):
            odd += [*in_the_way(says.content, shelf), *at_odds(says.content)]
    return OnDesk(draft, form, fields, base, says, (*says.findings, *odd))


def looked_through(house: House, desk: OnDesk) -> tuple[Finding, ...]:
    """What is wrong with a whole sheet that can be found without a rehearsal; nothing more of other kinds."""
    content = desk.says.content
    if not isinstance(content, Procedure):
        return desk.findings
    shelf = shelf_of(house)
    return (*desk.findings, *doubts(content, shelf), *undecided(content, shelf), *_rooms(house, content, shelf))


def with_draft(house: House, content: Procedure) -> Catalogue:
    """The catalogue as it would be with a sheet released."""
    return upon(house.catalogue, [entry("procedure", content)])


def frames_for(house: House, content: Procedure) -> list[str]:
    """Ids of frames: the first that reaches where the sheet hangs its target, and those that a case of it is for."""
    shelf = shelf_of(house)
    plans = [(frame.id, plan_with(content, shelf, frame)) for frame in shelf.frames]
    first = next((id for id, plan in plans if plan is not None and beyond_any(plan) is None), plans[0][0])
    named = [id for case in content.cases for id in case.frames if id in dict(plans)]
    return list(dict.fromkeys([first, *named]))


def shelf_of(house: House) -> Shelf:
    """What a sheet can be worked with in this garage."""
    catalogue = house.catalogue
    vehicles = {entry.id: entry.content for entry in catalogue.all("vehicle")}
    targets = {entry.id: entry.content for entry in catalogue.all("target")}
    frames = [entry.content for entry in catalogue.all("frame")]
    stands = {entry.id: entry.content for entry in house.catalogue.all("stand")}
    return Shelf(vehicles, targets, frames, [history.tool for history in house.instruments.shelf()], stands)


def _rooms(house: House, content: Procedure, shelf: Shelf) -> list[Finding]:
    """Bays that have not the room for it."""
    vehicle = shelf.vehicles.get(content.vehicle)
    found = []
    for name in house.store.bays() if vehicle is not None else ():
        bay, _ = house.floors.bay(name)
        if bay is not None and vehicle is not None and (why := house.floors.no_room(bay, None, vehicle, content)):
            found.append(Finding("room", said("authoring.no_room", bay=bay.name, why=why), doubt=True))
    return found


def as_typed(house: House, kind: str, id: str) -> Fields:
    """An entry of the catalogue as it would be typed."""
    found = house.catalogue.get(kind, id).content
    return words_of(form_for(kind), found.model_dump(mode="json", exclude_none=True))


def _head(house: House, draft: Draft) -> dict[str, object]:
    """What the house says of an entry: its id, its next revision, where its figures come from."""
    known = house.catalogue.entries.get((draft.kind, draft.id))
    last = max(draft.releases[-1].revision if draft.releases else 0, known.revision if known is not None else 0)
    told = {way: typed.source for way, typed in draft.fields.items() if typed.source is not None and typed.text}
    head: dict[str, object] = {"id": draft.id, "revision": last + 1}
    return head | ({"sources": {way: source.model_dump() for way, source in told.items()}} if told else {})


def due(house: House) -> list[tuple[DraftRow, str]]:
    """Entries in use that were to be looked at again by today, each with its day."""
    today = house.today()
    rows = [row for row in house.store.drafts() if row.in_use and row.again and row.again < today]
    return [(row, row.again) for row in rows]


def page_text(house: House, page: MakersPage) -> str:
    """What is written on a manufacturer's page, so that it can be read beside the form; empty for a picture."""
    if page.media.startswith("image/"):
        return ""
    known = house.page_texts.get(page.file)
    return known if known is not None else house.page_texts.keep(page.file, text_of(house.files.get(page.file)))
