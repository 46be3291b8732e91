"""Floor surveys: begun on a grid or from a file, read point by point, closed, looked at, compared, taken out."""

import math
from datetime import date
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import PlainTextResponse, RedirectResponse, Response

from escuadra.core.errors import BadInput, Conflict
from escuadra.core.ground import Ground
from escuadra.core.job.checks import Figure
from escuadra.core.job.checks.place import floor_verdict
from escuadra.core.procedure import Procedure
from escuadra.core.quantities import Question, parse
from escuadra.core.relief import compared, plane_of, relief, section
from escuadra.core.standing import stand
from escuadra.core.survey import Surface, Survey, to_csv
from escuadra.core.survey_log import Draft
from escuadra.drawing import bay_view, section_view
from escuadra.jobs import Garage
from escuadra.jobs.floors import Surveyed, valid_from
from escuadra.reports.floor import floor_pdf
from escuadra.reports.record import styled
from escuadra.web.pages import form_of, garage_of, person_of, render, told

router = APIRouter()
SECTION = "Section along the middle of the bay"
SPREAD_SHOWN = 12
"""How many of the largest residuals or changes are listed."""


# --- beginning


def _new(
    request: Request, bay: str, status: int = 200, error: str = "", typed: dict[str, str] | None = None
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
    tools = [e.content.name for e in garage.catalogue.all("tool") if "staff" in e.content.reads]
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
def begin(request: Request, bay: str, form: dict[str, str] = Depends(form_of)) -> Response:
    """Begin a survey on a grid, from CSV or from JSON."""
    floors, person, key = garage_of(request).floors, person_of(request), form.get("entry", "")
    try:
        if form.get("json", "").strip():
            id = floors.begin_from_json(form["json"], person, key)
        else:
            more: dict[str, Any] = {n: form.get(n, "") for n in ("taken_on", "valid_until", "instrument", "note")}
            more |= {"u": parse(form.get("u", ""), "length", "mm")[0].value, "reads": form.get("reads", "staff")}
            if form.get("csv", "").strip():
                id = floors.begin_from_csv(bay, form["csv"], person, key, **more)
            else:
                step, margin = (parse(form.get(n, ""), "length", "mm")[0].value for n in ("step", "margin"))
                id = floors.begin_on_grid(bay, step, margin, person, key, **more)
    except (BadInput, Conflict) as cause:
        return _new(request, bay, 422, _told(cause), form)
    return RedirectResponse(f"/surveys/{id}", 303)


def _told(cause: BadInput | Conflict) -> str:
    where = f"{cause.where}: " if isinstance(cause, BadInput) and cause.where != cause.field else ""
    return where + told(cause)


# --- reading


def _draft(
    request: Request,
    id: str,
    status: int = 200,
    error: str = "",
    question: Question | None = None,
    typed: dict[str, str] | None = None,
    table_error: str = "",
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
        **_findings(draft),
    )


def _findings(draft: Draft) -> dict[str, Any]:
    """What can be said while the survey is taken: which staff to read again, and each reading's residual."""
    try:
        ground = Surveyed.of(draft.survey())
        return {"findings": misread_sentences(ground), "residuals": ground.levelled.residuals}
    except BadInput as cause:
        said = [f"{cause.given}: wanted {cause.accepted}."] if len(draft.read) >= 3 else []
        return {"findings": said, "residuals": [0.0] * len(draft.figures)}


def misread_sentences(ground: Ground) -> list[str]:
    """Which readings to repeat, in sentences."""
    levelled, found = ground.levelled, []
    if levelled.misread:
        found.append(f"The set-ups contradict each other. Read again: {' or '.join(levelled.misread)}.")
    for id in ground.standing_out[:4]:
        off = ground.foretold[next(k for k, p in enumerate(levelled.points) if p.id == id)]
        where = "above" if off > 0 else "below"
        found.append(f"{id} stands {abs(off):.0f}\u202fmm {where} its neighbours: read it again.")
    return found


@router.post("/surveys/{id}/readings")
def read(request: Request, id: str, form: dict[str, str] = Depends(form_of)) -> Response:
    """Enter one figure; an implausible one is asked about, a refused one stays in its field."""
    typed = form.get("understood") or form.get("typed", "")
    try:
        found = garage_of(request).floors.read(
            id,
            form.get("point", ""),
            typed,
            person_of(request),
            form.get("entry", ""),
            form.get("setup", "1").strip(),
            form.get("replaces") == "yes",
            "understood" in form,
        )
    except (BadInput, Conflict) as cause:
        return _draft(request, id, 422, told(cause), typed=form)
    if isinstance(found, Question):
        return _draft(request, id, question=found, typed=form)
    far = "&far=yes" if form.get("far") == "yes" else ""
    return RedirectResponse(f"/surveys/{id}?setup={form.get('setup', '1').strip()}{far}", 303)


@router.post("/surveys/{id}/undo")
def undo(request: Request, id: str, form: dict[str, str] = Depends(form_of)) -> Response:
    """Take back one's own last figure."""
    try:
        garage_of(request).floors.take_back(id, person_of(request), form.get("entry", ""))
    except (BadInput, Conflict) as cause:
        return _draft(request, id, 422, told(cause), typed=form)
    far = "?far=yes" if form.get("far") == "yes" else ""
    return RedirectResponse(f"/surveys/{id}{far}", 303)


@router.post("/surveys/{id}/table")
def table(request: Request, id: str, form: dict[str, str] = Depends(form_of)) -> Response:
    """Enter the figures that were typed in the table of points."""
    typed = {name.removeprefix("at-"): text for name, text in form.items() if name.startswith("at-")}
    setup = form.get("setup", "1").strip() or "1"
    try:
        garage_of(request).floors.table(id, typed, person_of(request), form.get("entry", ""), setup)
    except (BadInput, Conflict) as cause:
        return _draft(request, id, 422, table_error=told(cause), typed=form)
    return RedirectResponse(f"/surveys/{id}?setup={setup}", 303)


@router.post("/surveys/{id}/paste")
def paste(request: Request, id: str, form: dict[str, str] = Depends(form_of)) -> Response:
    """Enter the figures of a file or a pasted table."""
    try:
        garage_of(request).floors.paste(id, form.get("csv", ""), person_of(request), form.get("entry", ""))
    except (BadInput, Conflict) as cause:
        return _draft(request, id, 422, _told(cause), typed=form)
    return RedirectResponse(f"/surveys/{id}", 303)


@router.post("/surveys/{id}/close")
def close(request: Request, id: str, form: dict[str, str] = Depends(form_of)) -> Response:
    """Close the survey: it stays as it is and counts from now on."""
    try:
        garage_of(request).floors.close(id, person_of(request))
    except (BadInput, Conflict) as cause:
        return _draft(request, id, 422, told(cause), typed=form)
    return RedirectResponse(f"/surveys/{id}", 303)


# --- looking


def _map(garage: Garage, surveyed: Surveyed) -> dict[str, Any]:
    """Everything that is shown of a closed survey's floor."""
    ground = surveyed.ground
    surface: Surface = "floor" if "floor" in ground.meshes else "runway"
    flat = plane_of(ground, surface)
    bay, _ = garage.floors.bay(surveyed.survey.bay)
    xy = ground.xy[ground.meshes[surface].index]
    low, high = xy.min(axis=0), xy.max(axis=0)
    middle = float((low[1] + high[1]) / 2)
    cut = ((float(low[0]), middle), (float(high[0]), middle))
    heights = section(ground, *cut, surface)
    residuals = sorted(flat.residuals.items(), key=lambda pair: -abs(pair[1]))
    return {
        "flat": flat,
        "drawing": bay_view(bay, relief=relief(ground, flat, surface), cut=cut) if bay else "",
        "section": section_view(heights, ground.survey.u, title="Section along the middle of the bay")
        if heights
        else "",
        "residuals": residuals[:SPREAD_SHOWN],
        "ground": ground,
        "sentences": misread_sentences(ground),
        "runways": plane_of(ground, "runway") if surface == "floor" and "runway" in ground.meshes else None,
        "bearing": bearing_words(flat.slope_long_percent, flat.slope_cross_percent),
    }


def bearing_words(along: float, across: float) -> str:
    """Which way the floor rises most, in words of the room."""
    angle = math.degrees(math.atan2(across, along))
    ends = ("away from the closed end", "to the left", "to the closed end", "to the right")
    first = ends[round(angle / 90) % 4]
    off = abs(angle - 90 * round(angle / 90))
    second = ends[(round(angle / 90) + (1 if angle > 90 * round(angle / 90) else -1)) % 4]
    return f"rising {first}" + (f", {off:.0f}° {second}" if off >= 5 else "")


def nearest_to_trouble(figures: list[Figure]) -> Figure | None:
    """The figure that uses up most of its limits."""
    order = {"out": 0, "undecided": 1, "holds": 2}
    return min(figures, key=lambda f: (order[f.verdict.state], f.verdict.margin / f.half_range), default=None)


def verdicts(garage: Garage, surveyed: Surveyed) -> list[dict[str, Any]]:
    """For each procedure: what the floor is at the best place for it, or why there is none."""
    found = []
    for entry in garage.catalogue.all("procedure"):
        procedure: Procedure = entry.content
        vehicle = garage.catalogue.get("vehicle", procedure.vehicle).content
        lot, parking = garage.floors.park(surveyed.survey.bay, vehicle, [procedure], surveyed, step=200.0)
        row: dict[str, Any] = {"procedure": procedure, "vehicle": vehicle, "state": "", "worst": None, "why": ""}
        if parking.best:
            place = parking.best[0].place
            state, figures = floor_verdict(procedure, stand(lot.bay, place, surveyed.ground, vehicle, procedure))
            row |= {"state": state, "worst": nearest_to_trouble(figures), "place": place}
        else:
            refusals = [d.refusals[0].text for d in parking.directions if d.refusals]
            row["why"] = refusals[0] if refusals else "no place whose floor was surveyed"
        found.append(row)
    return found


@router.get("/surveys/{id}.csv")
def as_csv(request: Request, id: str) -> Response:
    """The survey as CSV, closed or not."""
    floors = garage_of(request).floors
    survey = floors.closed(id).survey if floors.row(id).sheet else floors.draft(id).survey()
    return PlainTextResponse(to_csv(survey), headers=_file(survey, "csv"), media_type="text/csv")


@router.get("/surveys/{id}.json")
def as_json(request: Request, id: str) -> Response:
    """The closed survey as the published schema says."""
    survey = garage_of(request).floors.closed(id).survey
    text = survey.model_dump_json(indent=1, exclude_none=True)
    return Response(text, headers=_file(survey, "json"), media_type="application/json")


@router.get("/surveys/{id}.svg")
def as_svg(request: Request, id: str) -> Response:
    """The floor map as a drawing of its own."""
    garage = garage_of(request)
    surveyed = garage.floors.closed(id)
    drawing = styled(str(_map(garage, surveyed)["drawing"]))
    return Response(drawing, headers=_file(surveyed.survey, "svg"), media_type="image/svg+xml")


@router.get("/surveys/{id}.pdf")
def as_pdf(request: Request, id: str) -> Response:
    """The floor map with its figures as PDF."""
    garage = garage_of(request)
    surveyed = garage.floors.closed(id)
    shown = _map(garage, surveyed)
    name = garage.store.setting("name", "Garage")
    pdf = floor_pdf(surveyed.survey, shown["flat"], shown["ground"], [shown["drawing"], shown["section"]], name)
    return Response(pdf, headers=_file(surveyed.survey, "pdf"), media_type="application/pdf")


def _file(survey: Survey, kind: str) -> dict[str, str]:
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in survey.bay)
    return {"Content-Disposition": f'attachment; filename="floor-{plain}-{survey.taken_on}.{kind}"'}


@router.get("/surveys/{id}")
def show(request: Request, id: str, older: str = "") -> Response:
    """A survey: still in the making, or its floor with its verdicts; ``older``: the one it is compared with."""
    garage = garage_of(request)
    row = garage.floors.row(id)
    if row.sheet is None:
        return _draft(request, id)
    surveyed = garage.floors.closed(id)
    others = [
        garage.floors.closed(other.id)
        for other in garage.floors.surveys(row.bay)
        if other.sheet is not None and other.id != id
    ]
    before = next((other for other in others if other.row.id == older), None)
    changes = compared(before.ground, surveyed.ground) if before is not None else []
    shown = _map(garage, surveyed)
    if before is not None:
        bay, _ = garage.floors.bay(row.bay)
        points = [(c.id, c.x, c.y, f"{c.change:+.1f}".replace("-", "−")) for c in changes if c.moved]
        shown["drawing"] = bay_view(bay, points=points) if bay else ""
    return render(
        request,
        "survey.html",
        name=row.bay,
        id=id,
        surveyed=surveyed,
        survey=surveyed.survey,
        over=surveyed.survey.valid_until.isoformat() < garage.today(),
        others=others,
        before=before,
        changes=changes[:SPREAD_SHOWN],
        moved=sum(change.moved for change in changes),
        verdicts=verdicts(garage, surveyed),
        **shown,
    )
