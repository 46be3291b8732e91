"""Bays: all of them with the state of their floors, and the sheet of one, typed or dragged in its drawing."""

import re
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from escuadra.commands.bays import KeepBay
from escuadra.commands.floors import Floors, Surveyed
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import identifier
from escuadra.core.base.quantities import parse
from escuadra.core.base.said import Noun, Said, Text, nouns, said
from escuadra.core.bay.bay import MOST_THINGS, Bay
from escuadra.core.bay.relief import plane_of
from escuadra.core.procedure.things import THING_KINDS
from escuadra.drawing import bay_view
from escuadra.web import forms
from escuadra.web.downloads import named
from escuadra.web.pages import garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("bays", "/bays", within="bays")
SIZES = ("length", "width")
UNSURVEYED = ("u_rise_mm", "u_place_mm")
THING_FIELDS = ("x", "y", "length", "width", "turn_deg")
DOOR = ("x1", "y1", "x2", "y2")
RACK = ("x_from", "x_to", "left_y", "right_y", "width", "height")
EMPTY_ROWS = 2


def as_typed(value: float) -> str:
    """A figure of a sheet as it is typed."""
    return f"{value:.10g}"


def typed_of(bay: Bay | None) -> dict[str, str]:
    """A bay's sheet as the fields of its form."""
    if bay is None:
        return {}
    fields = {name: as_typed(getattr(bay, name)) for name in SIZES}
    fields["outline"] = "\n".join(f"{as_typed(x)}  {as_typed(y)}" for x, y in bay.outline)
    for k, thing in enumerate(bay.things):
        fields |= {f"thing-{k}-id": thing.id, f"thing-{k}-kind": thing.kind, f"thing-{k}-name": thing.name}
        fields |= {f"thing-{k}-{name}": as_typed(getattr(thing, name)) for name in THING_FIELDS}
    for k, point in enumerate(bay.fixed_points):
        fields |= {f"fixed-{k}-id": point.id} | {f"fixed-{k}-{n}": as_typed(getattr(point, n)) for n in ("x", "y", "u")}
    usual = {name: Bay.model_fields[name].default for name in UNSURVEYED}
    fields |= {n: as_typed(getattr(bay, n)) for n in UNSURVEYED if getattr(bay, n) != usual[n]}
    for name, part, names in (("door", bay.door, DOOR), ("rack", bay.rack, RACK)):
        fields |= {f"{name}-{n}": as_typed(getattr(part, n)) for n in names} if part is not None else {}
    return fields


def _length(form: dict[str, str], field: str, label: Text) -> float:
    typed = form.get(field, "").strip()
    try:
        meanings = parse(typed, "length", "mm")
    except BadInput as cause:
        raise BadInput(
            field, said("routes.bays.for", typed=typed or said("nothing"), label=label), cause.accepted
        ) from cause
    if len(meanings) > 1:
        raise BadInput(
            field,
            said("routes.bays.for", typed=typed, label=label),
            said("wants.one_with_unit", meant=nouns((m.text for m in meanings), "or")),
        )
    return meanings[0].value


def _rows(form: dict[str, str], prefix: str, key: str) -> list[str]:
    rows = sorted({str(k) for k in _numbers(form, prefix)}, key=int)
    kept = [k for k in rows if form.get(f"{prefix}-{k}-{key}", "").strip()]
    return [f"{prefix}-{k}" for k in kept if form.get(f"{prefix}-{k}-remove") != "yes"]


def bay_from(name: str, form: dict[str, str], before: Bay | None) -> Bay:
    """A bay's sheet from its form; raises ``BadInput`` that says which field of which row."""
    data: dict[str, Any] = {"name": name} | {field: _length(form, field, Noun(f"field.{field}")) for field in SIZES}
    data |= {n: _length(form, n, Noun(f"field.{n}")) for n in UNSURVEYED if form.get(n, "").strip()}
    corners = [line.replace(";", " ").split() for line in form.get("outline", "").splitlines() if line.strip()]
    wrong = next((line for line in corners if len(line) != 2), None)
    if wrong is not None:
        raise BadInput("outline", " ".join(wrong), said("wants.two_figures_line_x_y"))
    data["outline"] = [
        [_length({"outline": text}, "outline", said("routes.bays.corner")) for text in line] for line in corners
    ]
    things: list[dict[str, Any]] = []
    for row in _rows(form, "thing", "name"):
        label = form[f"{row}-name"].strip()
        figures = {
            n: _length(form, f"{row}-{n}", said("routes.bays.of", field=Noun(f"field.{n}"), name=label))
            for n in THING_FIELDS
            if n != "turn_deg"
        }
        turn = form.get(f"{row}-turn_deg", "").strip() or "0"
        figures["turn_deg"] = parse(turn, "angle", "°")[0].value
        id = form.get(f"{row}-id") or _new_id(label, [thing["id"] for thing in things])
        things.append({"id": id, "kind": form.get(f"{row}-kind", ""), "name": label, **figures})
    data["things"] = things
    data["fixed_points"] = [
        {"id": form[f"{row}-id"].strip()}
        | {
            n: _length(
                form, f"{row}-{n}", said("routes.bays.of", field=Noun(f"field.{n}"), name=form[f"{row}-id"].strip())
            )
            for n in ("x", "y", "u")
        }
        for row in _rows(form, "fixed", "id")
    ]
    for part, names in (("door", DOOR), ("rack", RACK)):
        if any(form.get(f"{part}-{n}", "").strip() for n in names):
            data[part] = {
                n: _length(
                    form, f"{part}-{n}", said("routes.bays.of", field=Noun(f"field.{n}"), name=Noun(f"field.{part}"))
                )
                for n in names
            }
    if before is not None and before.usual is not None:
        data["usual"] = before.usual
    return Bay.read(data)


def _new_id(name: str, taken: list[str]) -> str:
    return identifier(name, taken, "thing")


def summary(surveyed: Surveyed, today: str) -> dict[str, Any]:
    """What a survey says in short."""
    flat = plane_of(surveyed.ground) if "floor" in surveyed.ground.meshes else plane_of(surveyed.ground, "runway")
    return {
        "id": surveyed.row.id,
        "survey": surveyed.survey,
        "flat": flat,
        "over": surveyed.survey.valid_until.isoformat() < today,
        "misread": surveyed.ground.levelled.misread,
    }


def card(floors: Floors, name: str, today: str) -> dict[str, Any]:
    """A bay as the list shows it."""
    bay, _ = floors.bay(name)
    rows = floors.surveys(name)
    open_row = next((row for row in rows if row.sheet is None), None)
    newest = next((row for row in rows if row.sheet is not None), None)
    draft = floors.draft(open_row.id) if open_row else None
    return {
        "name": name,
        "bay": bay,
        "drawing": bay_view(bay, 330, small=True) if bay else "",
        "draft": draft,
        "draft_id": open_row.id if open_row else "",
        "newest": summary(floors.closed(newest.id), today) if newest else None,
        "count": sum(row.sheet is not None for row in rows),
    }


@router.get("")
def index(request: Request, error: Said | None = None) -> Response:
    """Every bay."""
    return _index(request)


def _index(
    request: Request, status: int = 200, error: Said | None = None, typed: dict[str, str] | None = None
) -> Response:
    garage = garage_of(request)
    cards = [card(garage.floors, name, garage.today()) for name in garage.store.bays()]
    return render(request, "bays.html", status=status, cards=cards, error=error, typed=typed or {})


@router.post("")
def add(request: Request, form: Annotated[forms.NewBay, Form()]) -> Response:
    """A further bay with its length and width."""
    garage, name = garage_of(request), form.name.strip()
    try:
        if not name or len(name) > 60 or "/" in name:
            raise BadInput("name", name, said("wants.bays_name_1_60_characters"))
        if name in garage.store.bays():
            raise BadInput("name", name, said("wants.name_no_bay_yet"))
        garage.do(KeepBay(bay_from(name, form.sent(), None), None), person_of(request), form.entry)
    except (BadInput, Conflict) as cause:
        return _index(request, status_of(cause), told(cause), form.sent())
    return RedirectResponse(f"/bays/{name}", 303)


def page(
    request: Request, name: str, status: int = 200, error: Said | None = None, typed: dict[str, str] | None = None
) -> Response:
    """A bay's sheet with what was typed."""
    garage = garage_of(request)
    bay, digest = garage.floors.bay(name)
    fields = typed if typed is not None else typed_of(bay)
    return render(
        request,
        "bay.html",
        status=status,
        name=name,
        bay=bay,
        digest=fields.get("base", digest or ""),
        typed=fields,
        error=error,
        drawing=bay_view(bay) if bay else "",
        card=card(garage.floors, name, garage.today()),
        kinds=THING_KINDS,
        things=range(_count(fields, "thing") + EMPTY_ROWS),
        fixed=range(_count(fields, "fixed") + EMPTY_ROWS),
        surveys=[
            summary(garage.floors.closed(row.id), garage.today()) for row in garage.floors.surveys(name) if row.sheet
        ],
    )


def _count(fields: dict[str, str], prefix: str) -> int:
    return max((k + 1 for k in _numbers({n: v for n, v in fields.items() if v}, prefix)), default=0)


def _numbers(form: dict[str, str], prefix: str) -> list[int]:
    """Numbers of the rows that a form has; other names, and rows past the most that a bay can have, are no rows."""
    found = [re.fullmatch(rf"{prefix}-([0-9]{{1,4}})-[a-z_0-9]+", name) for name in form]
    return [k for match in found if match is not None and (k := int(match[1])) <= MOST_THINGS]


@router.get("/{name}.json")
def as_json(request: Request, name: str) -> Response:
    """A bay's sheet as the published schema says."""
    bay, _ = garage_of(request).floors.bay(name)
    if bay is None:
        raise BadInput("bay", name, said("wants.bay_whose_length_width_typed"))
    return JSONResponse(bay.model_dump(mode="json"), headers=named(f"bay-{name}", "json"))


@router.get("/{name}")
def show(request: Request, name: str) -> Response:
    """A bay's sheet."""
    return page(request, name)


@router.post("/{name}")
def keep(request: Request, name: str, form: Annotated[forms.BaySheet, Form()]) -> Response:
    """Keep a bay's sheet as typed; refused where others changed it since."""
    garage = garage_of(request)
    try:
        before, _ = garage.floors.bay(name)
        garage.do(KeepBay(bay_from(name, form.sent(), before), form.base or None), person_of(request), form.entry)
    except (BadInput, Conflict) as cause:
        return page(request, name, status_of(cause), told(cause), form.sent())
    return RedirectResponse(f"/bays/{name}", 303)
