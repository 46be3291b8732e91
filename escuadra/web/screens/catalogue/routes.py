"""A catalogue entry as it is: every figure with what it means, and its YAML to begin one of one's own with."""

from typing import Annotated, Any

import yaml
from fastapi import Depends, Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.catalogue.bundle import MOST_FILES, Offered, packed, unpacked, with_named
from escuadra.catalogue.bundle import as_yaml as yaml_of
from escuadra.commands.bundles import TakeBundle
from escuadra.commands.desk import due
from escuadra.commands.settings import Set
from escuadra.core.authoring.fields import owner_of
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import Said, said
from escuadra.core.base.wording import amount
from escuadra.core.procedure.entries import KINDS
from escuadra.web import forms
from escuadra.web.downloads import named
from escuadra.web.pages import Upload, garage_of, person_of, render, status_of, told, upload_of
from escuadra.web.screens import screen

router = screen("entries", "/catalogue", within="catalogue")
MOST_SHOWN = 60
"""Of a kind: who looks for one among more searches."""


def page(
    request: Request,
    status: int = 200,
    error: Said | None = None,
    offered: list[Offered] | None = None,
    bundle: str = "",
) -> Response:
    """What can be chosen, found by words; what a bundle that was given would bring."""
    garage, query = garage_of(request), request.query_params
    asked, kind = query.get("q", "").strip()[:80], query.get("kind", "")
    catalogue = garage.catalogue
    found = [(name, catalogue.found(name, asked)) for name in KINDS if kind in ("", name)]
    return render(
        request,
        "catalogue.html",
        status=status,
        q=asked,
        kind=kind,
        kinds=list(KINDS),
        groups=[(name, entries[:MOST_SHOWN], len(entries)) for name, entries in found],
        due=due(garage),
        hidden=garage.store.setting("practice") == "hidden",
        refused=len(catalogue.refused),
        data=garage.data,
        error=error,
        offered=offered,
        bundle=bundle,
    )


@router.get("")
def every(request: Request) -> Response:
    """All entries, searched by words and kind."""
    return page(request)


@router.get("/bundle.zip")
def bundle_out(request: Request, q: str = "", kind: str = "") -> Response:
    """What is found, with what it names, as a bundle."""
    catalogue = garage_of(request).catalogue
    found = [entry for name in KINDS if kind in ("", name) for entry in catalogue.found(name, q[:80])]
    if len(found) > MOST_FILES // 2:
        raise BadInput("q", q, said("wants.fewer_entries", most=MOST_FILES // 2))
    content = packed(with_named(found, catalogue))
    return Response(content, media_type="application/zip", headers=named("catalogue", "zip"))


@router.post("/bundle")
def bundle_in(request: Request, upload: Upload = Depends(upload_of)) -> Response:
    """Look into a bundle: nothing of it is taken yet."""
    garage = garage_of(request)
    try:
        offered = unpacked(upload.content, garage.catalogue)
    except BadInput as error:
        return page(request, status_of(error), told(error))
    return page(request, offered=offered, bundle=garage.files.put(upload.content))


@router.post("/bundle/take")
def bundle_taken(request: Request, form: Annotated[forms.BundleIn, Form()]) -> Response:
    """Take in what is new and changed: all of it, or nothing."""
    garage = garage_of(request)
    try:
        content = garage.files.get(form.bundle)
        garage.do(TakeBundle(content), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, status_of(error), told(error))
    return RedirectResponse("/catalogue", 303)


@router.post("/practice")
def practice(request: Request, form: Annotated[forms.PracticeShown, Form()]) -> Response:
    """Hide the practice sheets, or show them again."""
    try:
        garage_of(request).do(Set("practice", form.practice), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, status_of(error), told(error))
    return RedirectResponse("/catalogue", 303)


@router.get("/{kind}/{id}.yaml")
def as_yaml(request: Request, kind: str, id: str) -> Response:
    """The entry as a catalogue file."""
    found = garage_of(request).catalogue.get(kind, id)
    return Response(yaml_of(found.content), media_type="application/yaml", headers=named(found.id.casefold(), "yaml"))


@router.get("/{kind}/{id}")
def show(request: Request, kind: str, id: str) -> Response:
    """The entry with its figures."""
    garage = garage_of(request)
    found = garage.catalogue.get(kind, id)
    return render(
        request,
        "entry.html",
        entry=found,
        rows=rows(found.content),
        learned=_learned(garage.instruments.scale_of(id)) if kind == "frame" else "",
        data=garage.data,
    )


LEFT_OUT = ("id", "revision", "sources", "assumed", "name", "title", "note", "checks", "cautions")
"""What stands in the heading, or is a text for the sheet."""


def rows(content: Frozen) -> list[tuple[str, str, str]]:
    """Name, name again where there is a text of what it is for, and value as in the file, of every field set."""
    found = []
    written = _plain(content.model_dump(mode="json", exclude_none=True))
    for name, field in type(content).model_fields.items():
        value = written.get(name)
        if value not in (None, [], {}, "") and name not in LEFT_OUT:
            text = yaml.safe_dump(value, sort_keys=False, allow_unicode=True, default_flow_style=None, width=72)
            found.append(
                (
                    name,
                    f"{owner_of(type(content), name)}.{name}" if field.description else "",
                    text.removesuffix("...\n").rstrip(),
                )
            )
    return found


def _plain(value: Any) -> Any:
    """Figures as people write them: 310, not 310.0."""
    if isinstance(value, dict):
        return {key: _plain(one) for key, one in value.items()}
    if isinstance(value, list):
        return [_plain(one) for one in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _learned(scale: Any) -> Said | None:
    """What jobs found out about the frame's screw; nothing where none did."""
    if scale is None or scale.learned is None:
        return None
    known = scale.learned.mechanics
    by, u = amount(known.deg_per_turn, "°", 3), amount(2 * known.u_deg_per_turn, "°", 3)
    return said("routes.entries.turn_moves_last_job", by=by, u=u, moves=known.moves, job=scale.learned.job)
