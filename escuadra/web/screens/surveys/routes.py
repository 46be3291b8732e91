"""Floor surveys in the making: begun on a grid or from a file, read point by point or as a table, closed."""

from datetime import date
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands import Garage
from escuadra.commands.surveys import (
    CloseSurvey,
    EnterTable,
    Paste,
    ReadPoint,
    StationLevel,
    TakeBackFigure,
    of_csv,
    of_json,
    on_grid,
    valid_from,
)
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.quantities import Question, parse
from escuadra.core.base.said import Said, said
from escuadra.core.bay.survey_log import Draft
from escuadra.drawing import bay_view
from escuadra.web import forms
from escuadra.web.pages import garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen
from escuadra.web.screens.floor_map import routes as floor_map

router = screen("surveys", within="bays")


# --- beginning


def _new(
    request: Request, bay: str, status: int = 200, error: Said | None = None, typed: dict[str, str] | None = None
) -> Response:
    garage = garage_of(request)
    sheet, _ = garage.floors.bay(bay)
    today = date.fromisoformat(garage.today())
    defaults = {
        "step": "1000",
        "margin": "100",
        "u": "0.5",
        "reads": "staff",
        "taken_on": today.isoformat(),
        "valid_until": valid_from(today).isoformat(),
    }
    shelf = [h for h in garage.instruments.shelf() if "staff" in h.tool.reads]
    tools = [h.tool.name for h in shelf if h.trusted(garage.instruments.today()).usable]
    return render(
        request,
        "survey_new.html",
        status=status,
        name=bay,
        bay=sheet,
        typed=defaults | (typed or {}),
        error=error,
        tools=tools,
    )


@router.get("/bays/{bay}/surveys/new")
def ask(request: Request, bay: str) -> Response:
    """What is settled before the first point is read."""
    return _new(request, bay)


@router.post("/bays/{bay}/surveys/new")
def begin(request: Request, bay: str, form: Annotated[forms.NewSurvey, Form()]) -> Response:
    """Begin a survey on a grid, from CSV or from JSON."""
    garage, person, key = garage_of(request), person_of(request), form.entry
    try:
        if form.as_json.strip():
            id = garage.do(of_json(form.as_json), person, key)
        else:
            more: dict[str, Any] = {n: getattr(form, n) for n in ("taken_on", "valid_until", "instrument", "note")}
            more["tilt"] = garage.instruments.level_tilt(form.instrument)
            more |= {"u": parse(form.u, "length", "mm")[0].value, "reads": form.reads}
            if form.csv.strip():
                id = garage.do(of_csv(form.csv, bay=bay, **more), person, key)
            else:
                step, margin = (parse(getattr(form, n), "length", "mm")[0].value for n in ("step", "margin"))
                id = garage.do(on_grid(garage.floors.bay(bay)[0], step, margin, **more), person, key)
    except (BadInput, Conflict) as cause:
        return _new(request, bay, status_of(cause), _told(cause), form.sent())
    return RedirectResponse(f"/surveys/{id}", 303)


def _told(cause: BadInput | Conflict) -> Said:
    if isinstance(cause, BadInput) and cause.where != cause.field:
        return said("refused.at", where=cause.where, why=told(cause))
    return told(cause)


# --- reading


def _draft(
    request: Request,
    id: str,
    status: int = 200,
    error: Said | None = None,
    question: Question | None = None,
    typed: dict[str, str] | None = None,
    table_error: Said | None = None,
) -> Response:
    garage, fields = garage_of(request), typed or {}
    row, draft = garage.floors.row(id), garage.floors.draft(id)
    bay, _ = garage.floors.bay(row.bay)
    wanted = fields.get("point") or request.query_params.get("point", "")
    point = next((p for p in draft.begun.points if p.id == wanted), None) or draft.next_point
    setup = fields.get("setup") or request.query_params.get("setup") or (draft.setups[-1] if draft.figures else "1")
    return render(
        request,
        "survey_draft.html",
        status=status,
        name=row.bay,
        id=id,
        draft=draft,
        point=point,
        read_here=draft.at(point.id) if point else [],
        setup=setup,
        far=fields.get("far") == "yes" or request.query_params.get("far") == "yes",
        error=error,
        question=question,
        typed=fields,
        drawing=bay_view(bay, draft=draft) if bay else "",
        table_error=table_error,
        **_findings(garage, id, draft),
    )


def _findings(garage: Garage, id: str, draft: Draft) -> dict[str, Any]:
    """What can be said while the survey is taken: which staff to read again, and each reading's residual."""
    residuals = [0.0] * len(draft.figures)
    try:
        ground = garage.floors.so_far(id, draft)
        residuals = ground.levelled.residuals
        return {"findings": floor_map.misread_sentences(ground), "residuals": residuals}
    except BadInput as cause:
        told = (
            [said("routes.surveys.wanted", given=cause.given, accepted=cause.accepted)] if len(draft.read) >= 3 else []
        )
        return {"findings": told, "residuals": residuals}


@router.post("/surveys/{id}/readings")
def read(request: Request, id: str, form: Annotated[forms.PointReading, Form()]) -> Response:
    """Enter one figure; an implausible one is asked about, a refused one stays in its field."""
    typed = form.understood or form.typed
    try:
        found = garage_of(request).do(
            ReadPoint(id, form.point, typed, form.setup.strip(), form.replaces == "yes", "understood" in form.sent()),
            person_of(request),
            form.entry,
        )
    except (BadInput, Conflict) as cause:
        return _draft(request, id, status_of(cause), told(cause), typed=form.sent())
    if isinstance(found, Question):
        return _draft(request, id, question=found, typed=form.sent())
    far = "&far=yes" if form.far == "yes" else ""
    return RedirectResponse(f"/surveys/{id}?setup={form.setup.strip()}{far}", 303)


@router.post("/surveys/{id}/undo")
def undo(request: Request, id: str, form: Annotated[forms.PointUndo, Form()]) -> Response:
    """Take back one's own last figure."""
    try:
        garage_of(request).do(TakeBackFigure(id), person_of(request), form.entry)
    except (BadInput, Conflict) as cause:
        return _draft(request, id, status_of(cause), told(cause), typed=form.sent())
    far = "?far=yes" if form.far == "yes" else ""
    return RedirectResponse(f"/surveys/{id}{far}", 303)


@router.post("/surveys/{id}/station")
def station(request: Request, id: str, form: Annotated[forms.LevelPlace, Form()]) -> Response:
    """Note where the level stands in a set-up."""
    setup = form.setup.strip() or "1"
    try:
        garage_of(request).do(StationLevel(id, setup, form.station_x, form.station_y), person_of(request), form.entry)
    except (BadInput, Conflict) as cause:
        return _draft(request, id, status_of(cause), told(cause), typed=form.sent())
    return RedirectResponse(f"/surveys/{id}?setup={setup}", 303)


@router.post("/surveys/{id}/table")
def table(request: Request, id: str, form: Annotated[forms.PointTable, Form()]) -> Response:
    """Enter the figures that were typed in the table of points."""
    typed = {name.removeprefix("at-"): text for name, text in form.sent().items() if name.startswith("at-")}
    setup = form.setup.strip() or "1"
    try:
        garage_of(request).do(EnterTable(id, typed, setup), person_of(request), form.entry)
    except (BadInput, Conflict) as cause:
        return _draft(request, id, status_of(cause), table_error=told(cause), typed=form.sent())
    return RedirectResponse(f"/surveys/{id}?setup={setup}", 303)


@router.post("/surveys/{id}/paste")
def paste(request: Request, id: str, form: Annotated[forms.PointPaste, Form()]) -> Response:
    """Enter the figures of a file or a pasted table."""
    try:
        garage_of(request).do(Paste(id, form.csv), person_of(request), form.entry)
    except (BadInput, Conflict) as cause:
        return _draft(request, id, status_of(cause), _told(cause), typed=form.sent())
    return RedirectResponse(f"/surveys/{id}", 303)


@router.post("/surveys/{id}/close")
def close(request: Request, id: str, form: Annotated[forms.Closing, Form()]) -> Response:
    """Close the survey: it stays as it is and counts from now on."""
    try:
        garage_of(request).do(CloseSurvey(id), person_of(request), form.entry)
    except (BadInput, Conflict) as cause:
        return _draft(request, id, status_of(cause), told(cause), typed=form.sent())
    return RedirectResponse(f"/surveys/{id}", 303)


@router.get("/surveys/{id}")
def show(request: Request, id: str, older: str = "") -> Response:
    """A survey: still in the making, or the floor that it found."""
    if garage_of(request).floors.row(id).sheet is None:
        return _draft(request, id)
    return floor_map.page(request, id, older)
