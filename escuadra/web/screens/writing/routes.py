"""Catalogue entries are begun, typed, checked as a whole, looked over, released and withdrawn."""

from collections.abc import Mapping
from hashlib import sha256
from json import dumps
from typing import Annotated, Any
from urllib.parse import quote, unquote

from fastapi import Depends, Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands.desk import OnDesk, draft_of, looked_through, on_desk, page_text
from escuadra.commands.listing import Listed
from escuadra.commands.writing import (
    BeginEntry,
    KeepPage,
    LookAgainAfter,
    LookOver,
    ReleaseEntry,
    SetParts,
    TypeFields,
    WithdrawEntry,
    with_each_frame,
)
from escuadra.core.authoring.writing import words_of
from escuadra.core.base.entry import FigureSource
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Said, said
from escuadra.core.procedure.entries import KINDS
from escuadra.core.procedure.sheet import Procedure
from escuadra.drawing import growing
from escuadra.rehearsal import rehearse
from escuadra.web import forms
from escuadra.web.pages import Upload, garage_of, person_of, render, status_of, told, upload_of
from escuadra.web.screens import screen
from escuadra.web.screens.writing import table_routes
from escuadra.web.screens.writing.layout import FIRST, Shown, changes, item_name, named, section_of, sections

router = screen("writing", "/write", within="catalogue")
FIELD, ASKED, UNKNOWN = "f.", "asked.", "unknown."
"""What the names of fields begin with: words, a figure that may be unknown, that it is."""
MANY, ONE = "many.", "m."
"""Before the name of a field of which several can be chosen, and before each choice of it."""
SOURCE = ("document", "page", "day")
TABLES = table_routes.router
"""Its sister screen, which is found by being named here."""


# --- all of them


def _list(
    request: Request, status: int = 200, error: Said | None = None, typed: Mapping[str, str] | None = None
) -> Response:
    garage = garage_of(request)
    catalogue = garage.catalogue
    return render(
        request,
        "write_list.html",
        status=status,
        rows=garage.store.drafts(),
        kinds=list(KINDS),
        entries={kind: catalogue.all(kind) for kind in KINDS},
        typed=typed or {},
        error=error,
    )


@router.get("")
def every(request: Request) -> Response:
    """What is written here, and beginning another."""
    return _list(request)


@router.post("")
def begin(request: Request, form: Annotated[forms.EntryStart, Form()]) -> Response:
    """Begin an entry and open its form."""
    try:
        kind, id = form.kind, form.id.strip()
        begun = BeginEntry(kind, id, form.like, form.family == "yes")
        garage_of(request).do(begun, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return _list(request, status_of(error), told(error), form.sent())
    return RedirectResponse(address(kind, id), 303)


def address(kind: str, id: str, section: str = "", way: str = "") -> str:
    """Where an entry's form is, at a section, at a field."""
    place = f"/write/{kind}/{quote(id)}"
    return f"{place}{f'?at={quote(section)}' if section else ''}{f'#{quote(way)}' if way else ''}"


# --- one of them


def _page(
    request: Request,
    desk: OnDesk,
    at: str,
    status: int = 200,
    error: Said | None = None,
    typed: Mapping[str, str] | None = None,
    template: str = "write.html",
) -> Response:
    every = sections(desk)
    shown = next((one for one in every if one.id == at), every[0])
    return render(
        request,
        template,
        status=status,
        desk=desk,
        draft=desk.draft,
        shown=Shown(desk),
        sections=every,
        section=shown,
        drawing=_drawing(request, desk),
        wrong=[(one, named(desk, one.way), section_of(desk, one.way)) for one in desk.findings],
        texts={page.file: page_text(garage_of(request), page) for page in desk.draft.pages},
        source=_source(request),
        error=error,
        typed=typed or {},
        address=address(desk.draft.kind, desk.draft.id),
    )


def _source(request: Request) -> Mapping[str, str]:
    """Document, page and day that were typed last in this browser."""
    names = SOURCE
    parts = request.cookies.get("escuadra_source", "").split("|")
    return dict(zip(names, map(unquote, parts), strict=False)) if len(parts) == 3 else {}


def _drawing(request: Request, desk: OnDesk) -> str:
    vehicle: dict[str, Any] = {}
    known = garage_of(request).catalogue.entries.get(("vehicle", str(desk.says.data.get("vehicle", ""))))
    if desk.draft.kind == "procedure" and known is not None:
        vehicle = known.content.model_dump(mode="json")
    return growing(desk.draft.kind, desk.says.data, vehicle)


@router.get("/{kind}/{id}")
def show(request: Request, kind: str, id: str, at: str = FIRST) -> Response:
    """A section of the form, with the drawing and the maker's page beside it."""
    return _page(request, on_desk(garage_of(request), kind, id), at)


@router.post("/{kind}/{id}")
def typed(request: Request, kind: str, id: str, form: Annotated[forms.EntryFields, Form()]) -> Response:
    """What was typed is kept; lists get longer or shorter; whose words hold is said."""
    garage, who, sent = garage_of(request), person_of(request), form.sent()
    part = request.headers.get("HX-Request") == "true"
    error: BadInput | Conflict | None = None
    try:
        fields = {name.removeprefix(FIELD): text for name, text in sent.items() if name.startswith(FIELD)}
        fields |= chosen(sent)
        asked = [name.removeprefix(ASKED) for name in sent if name.startswith(ASKED)]
        unknown = {way: f"{UNKNOWN}{way}" in sent for way in asked}
        settled: list[str] = []
        if form.take:
            way, _, k = form.take.rpartition("|")
            fields[way] = draft_of(garage, kind, id).rivals[way][int(k)].text
            settled.append(way)
        if form.stays:
            settled.append(form.stays)
        source = FigureSource.read({n: getattr(form, n).strip() for n in SOURCE}) if form.document else None
        garage.do(TypeFields(kind, id, form.seen, fields, unknown, source, settled, form.form), who, _press(form, sent))
        if form.add or form.out:
            way, _, key = (form.add or form.out).partition("|")
            garage.do(SetParts(kind, id, way, key), who, f"{form.entry}-part")
    except (BadInput, Conflict) as cause:
        error = cause
    desk = on_desk(garage, kind, id)
    if error is not None or part:
        template = "write_side.html" if part else "write.html"
        answer = _page(
            request,
            desk,
            form.at,
            status_of(error) if error is not None else 200,
            told(error) if error is not None else None,
            sent,
            template,
        )
    else:
        way = form.take.rpartition("|")[0] or form.stays
        if form.add:
            way = f"{form.add}.{desk.fields.parts[form.add][-1]}"
        answer = RedirectResponse(address(kind, id, form.at, way), 303)
    if form.document:
        told_source = "|".join(quote(getattr(form, name).strip()[:120]) for name in SOURCE)
        answer.set_cookie("escuadra_source", told_source, samesite="strict", max_age=86_400)
    return answer


def _press(form: forms.EntryFields, sent: Mapping[str, str]) -> str:
    """The id of a press with these words.

    A form that keeps itself and is then saved before it had its answer holds other words under the id that it was shown
    with, and they are kept too.
    """
    words = sha256(dumps(sorted(sent.items())).encode()).hexdigest()[:16]
    return form.entry and f"{form.form}-{form.entry}-{words}"


def chosen(sent: Mapping[str, str]) -> dict[str, str]:
    """Fields of which other choices were made than were shown, each choice a line."""
    found: dict[str, list[str]] = {n.removeprefix(MANY): [] for n in sent if n.startswith(MANY)}
    for name in sent:
        way, bar, choice = name.removeprefix(ONE).rpartition("|")
        if name.startswith(ONE) and bar and way in found:
            found[way].append(choice)
    shown = {way: [one for one in sent[f"{MANY}{way}"].split("|") if one] for way in found}
    return {way: "\n".join(choices) for way, choices in found.items() if set(choices) != set(shown[way])}


@router.post("/{kind}/{id}/pages")
def keep_page(request: Request, kind: str, id: str, upload: Upload = Depends(upload_of)) -> Response:
    """Lay a page of the manufacturer's beside the form."""
    garage, at = garage_of(request), upload.fields.get("at", FIRST)
    try:
        garage.do(KeepPage(kind, id, upload.name, upload.content), person_of(request), upload.fields["entry"])
    except (BadInput, Conflict) as error:
        return _page(request, on_desk(garage, kind, id), at, status_of(error), told(error))
    return RedirectResponse(address(kind, id, at), 303)


@router.get("/{kind}/{id}/pages/{file}")
def page_file(request: Request, kind: str, id: str, file: str) -> Response:
    """A page that lies beside the form."""
    garage = garage_of(request)
    found = next((one for one in draft_of(garage, kind, id).pages if one.file == file), None)
    if found is None:
        raise BadInput("file", file, said("wants.page_beside_the_form"))
    return Response(garage.files.get(file), media_type=found.media, headers={"Cache-Control": "private, max-age=3600"})


# --- its life


def _check(
    request: Request, kind: str, id: str, status: int = 200, error: Said | None = None, checked: bool = False
) -> Response:
    """The whole of it; ``checked``: gone through and rehearsed, which takes some seconds."""
    garage = garage_of(request)
    desk = on_desk(garage, kind, id)
    found = looked_through(garage, desk) if checked else desk.findings
    content, done, entries = desk.says.content, None, 0
    if checked and isinstance(content, Procedure) and not any(not one.doubt for one in found):
        done, entries = with_each_frame(rehearse, garage, content)
    before = garage.catalogue.entries.get((kind, id))
    old = (
        words_of(desk.form, before.content.model_dump(mode="json", exclude_none=True)).texts
        if before is not None
        else {}
    )
    return render(
        request,
        "write_check.html",
        status=status,
        desk=desk,
        draft=desk.draft,
        checked=checked,
        wrong=[(one, named(desk, one.way), section_of(desk, one.way)) for one in found],
        refused=[one for one in found if not one.doubt],
        rehearsed=done,
        entries=entries,
        at_check=item_name(desk, f"checks.{done.check}", done.check) if done is not None else "",
        before=before,
        changes=list(changes(desk, old)) if before is not None else [],
        visits=_open_visits(request, id) if kind == "procedure" else [],
        error=error,
        address=address(kind, id),
    )


def _open_visits(request: Request, id: str) -> list[Any]:
    """Open visits that pinned an earlier revision: they go on with it."""
    every = garage_of(request).of_today(200)
    return [one for one in every if isinstance(one, Listed) and any(c.sheet == id for c in one.calibrations)]


@router.get("/{kind}/{id}/check")
def whole(request: Request, kind: str, id: str) -> Response:
    """What differs from the revision in use, and what is still to be done before a release."""
    return _check(request, kind, id)


@router.post("/{kind}/{id}/check")
def go_through(request: Request, kind: str, id: str, form: Annotated[forms.EntryLife, Form()]) -> Response:
    """Check the whole sheet: all that it names, frames, bays, instruments, and its rehearsal."""
    return _check(request, kind, id, checked=True)


@router.post("/{kind}/{id}/life")
def life(request: Request, kind: str, id: str, form: Annotated[forms.EntryLife, Form()]) -> Response:
    """Look over, release, withdraw, or say when it is looked at again."""
    garage, who = garage_of(request), person_of(request)
    try:
        match form.what:
            case "look":
                garage.do(LookOver(kind, id, form.seen), who, form.entry)
            case "release":
                garage.do(ReleaseEntry(kind, id, form.seen, rehearse), who, form.entry)
            case "withdraw":
                garage.do(WithdrawEntry(kind, id, form.why), who, form.entry)
            case "again":
                garage.do(LookAgainAfter(kind, id, form.after), who, form.entry)
            case _:
                raise BadInput("what", form.what, said("wants.life_step"))
    except (BadInput, Conflict) as error:
        return _check(request, kind, id, status_of(error), told(error))
    return RedirectResponse(f"{address(kind, id)}/check", 303)
