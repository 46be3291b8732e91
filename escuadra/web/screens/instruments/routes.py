"""Instruments: the register, one instrument with its history, and its files."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from typing import Annotated, Any

from fastapi import Depends, Form, Request
from fastapi.responses import PlainTextResponse, RedirectResponse, Response

from escuadra.commands import Garage, Opened
from escuadra.commands.instrument_files import TakeRegister
from escuadra.commands.instrument_life import Document, Drop, EnterInstrument, Give, Retire
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import figure, identifier
from escuadra.core.base.said import (
    FIGURE_OF,
    NOTHING,
    Given,
    Noun,
    Nouns,
    Said,
    Sentences,
    exact,
    nouns,
    said,
    sentences,
)
from escuadra.core.base.wording import amount, with_uncertainty
from escuadra.core.instruments.check_figures import SelfCheck
from escuadra.core.instruments.guided import checks_for
from escuadra.core.instruments.history import History, Trusted
from escuadra.core.instruments.instrument import KINDS, READS, Tool, check_days
from escuadra.core.instruments.self_checks import DriftResult
from escuadra.core.instruments.usual_accuracy import USUAL
from escuadra.core.visit.capability import Decides, decides
from escuadra.core.visit.plan import Plan
from escuadra.drawing import course_view
from escuadra.web import forms
from escuadra.web.pages import Upload, garage_of, person_of, render, status_of, told, upload_of
from escuadra.web.screens import screen

router = screen("instruments", "/instruments", within="instruments")
COMPULSORY = ("resolution", "accuracy_constant")
FIGURES = ("resolution", "accuracy_constant", "accuracy_ppm", "repeatability")


@dataclass(frozen=True)
class Course:
    """One self-check of an instrument with its history."""

    check: SelfCheck
    newest: Said | Sentences
    state: str
    drawing: str
    ahead: DriftResult | None
    heading: Sentences


def course_of(history: History, check: SelfCheck) -> Course:
    """What a self-check has found so far."""
    done = history.checks(check.id)
    if not done:
        return Course(check, NOTHING, "open", "", None, NOTHING)
    found = done[-1][1].found
    states = {e.day.toordinal(): c.found.state for e, c in done}
    ahead = history.drift(check)
    limit = check.limit_of(history.tool)
    drawing = course_view(
        history.course(check),
        [states[day] for day in sorted(states)],
        limit,
        found.unit,
        ahead,
        said("routes.instruments.checks", title=check.title, count=len(done)),
    )
    value, spread = with_uncertainty(found.value, 2 * found.u, found.unit)
    told = said("with_uncertainty", value=value, spread=spread)
    return Course(check, told, found.state, drawing, ahead, _heading(ahead, found.unit))


def _heading(ahead: DriftResult | None, unit: str) -> Sentences:
    if ahead is None:
        return NOTHING
    pace = said("routes.instruments.changes_year", pace=amount(ahead.per_year, unit))
    if ahead.reaches_day is None:
        return sentences(pace, said("routes.instruments.limit_not_sight"))
    day = date.fromordinal(ahead.reaches_day).isoformat()
    return sentences(pace, said("routes.instruments.uncertainty_limit_may_reached", day=day))


def _limit_ahead(history: History) -> Said | None:
    """When the first of its self-checks will reach its limit, if that is in sight."""
    days = [d.reaches_day for c in checks_for(history.tool) if (d := history.drift(c)) and d.reaches_day]
    if not days:
        return None
    return said("routes.instruments.limit_may_reached", day=date.fromordinal(min(days)).isoformat())


def correction_said(history: History) -> Nouns:
    """What is taken off later readings."""
    parts = []
    for check in checks_for(history.tool):
        done = [c.found for _, c in history.checks(check.id) if c.found.state == "holds"]
        if done and check.applies == "constant":
            off = amount(done[-1].value, done[-1].unit)
            parts.append(said("routes.instruments.constant", off=off, check=check.title))
        if done and check.applies == "angle":
            off = amount(done[-1].value, done[-1].unit)
            parts.append(said("routes.instruments.distance", off=off, check=check.title))
    return nouns(parts, "comma")


def capable(garage: Garage, history: History) -> list[tuple[Plan, list[Decides]]]:
    """For each procedure the tolerances that an instrument can decide as it is now."""
    tool = history.tool.model_copy(update={"contributions": history.contributions("length")})
    return [(read.plan, found) for read in garage.as_specified if (found := decides(read, tool))]


def relying(garage: Garage, history: History, signed: bool) -> list[Opened]:
    """Signed or open jobs with readings by an instrument since its last good check."""
    since = history.last_good.seq if history.last_good else 0
    return [garage.open(row.id) for row in garage.relying(history.tool.id, since, signed)]


# --- the register


def _register(
    request: Request,
    status: int = 200,
    error: Said | None = None,
    typed: dict[str, str] | None = None,
    notice: Said | None = None,
) -> Response:
    garage = garage_of(request)
    today = garage.instruments.today()
    rows: list[tuple[History, Trusted]] = [(h, h.trusted(today)) for h in garage.instruments.shelf()]
    heading = {h.tool.id: found for h, _ in rows if (found := _limit_ahead(h))}
    order = {"out": 0, "stale": 1, "undecided": 2, "open": 3, "holds": 4}
    rows.sort(key=lambda row: (order[row[1].state] if row[1].doubt else 3, row[0].tool.name))
    return render(
        request,
        "instruments.html",
        status=status,
        rows=rows,
        heading=heading,
        kinds=KINDS,
        reads=READS,
        error=error,
        typed=typed or {},
        notice=notice,
    )


@router.get("")
def register(request: Request, came: int | None = None) -> Response:
    """Every instrument, those that cannot be relied on first."""
    told = (
        None
        if came is None
        else said("routes.instruments.entries_came", count=came)
        if came
        else said("routes.instruments.nothing_new_file")
    )
    return _register(request, notice=told)


def tool_from(form: forms.InstrumentSheet, before: Tool | None = None, taken: Collection[str] = ()) -> Tool:
    """An instrument's sheet from its form; raises ``BadInput`` naming the field."""
    name = form.name.strip()
    figures = {}
    for field in FIGURES:
        text = getattr(form, field).strip()
        if not text and before is None and field in COMPULSORY:
            raise BadInput(field, "", said("wants.figure_data_sheet"))
        figures[field] = figure(text or "0", field, said("wants.plain_figure_instruments_unit_such"), 0)
    data: dict[str, Any] = {} if before is None else before.model_dump()
    return Tool.read(
        data
        | {
            "id": before.id if before else identifier(name, taken, "instrument"),
            "revision": before.revision + 1 if before else 1,
            "name": name,
            "kind": before.kind if before else form.kind,
            "serial": form.serial.strip(),
            "place": form.place.strip(),
            "unit": form.unit or (before.unit if before else "mm"),
            "reads": [r for r in READS if form.reads(r)],
            "contributions": figures,
            "check_days": check_days(form.check_days),
        }
    )


def _usual(request: Request, form: forms.InstrumentSheet) -> Response:
    """The form again with what its kind is usually worth, to be looked at and accepted or typed over."""
    kind: Any = form.kind
    unit, found = USUAL[kind]
    figures = {name: f"{getattr(found, name):g}" for name in FIGURES}
    told = said("routes.instruments.how_well_reads_needed_no", kind=Noun(f"kind.{kind}"))
    return _register(request, 422, told, {**form.sent(), **figures, "unit": unit})


@router.post("")
def enter(request: Request, form: Annotated[forms.NewInstrument, Form()]) -> Response:
    """Take an instrument into the register, or a file of instruments and histories."""
    garage, person = garage_of(request), person_of(request)
    try:
        if form.file:
            return RedirectResponse(f"/instruments?came={garage.do(TakeRegister(form.file), person, form.entry)}", 303)
        if form.kind in USUAL and not any(getattr(form, field).strip() for field in FIGURES):
            return _usual(request, form)
        tool = tool_from(form, taken=garage.instruments.every())
        garage.do(EnterInstrument(tool), person, form.entry)
    except (BadInput, Conflict) as error:
        return _register(request, status_of(error), told(error), form.sent())
    return RedirectResponse(f"/instruments/{tool.id}", 303)


@router.get("/register.json")
def as_json(request: Request) -> Response:
    """Every instrument with its whole history."""
    return PlainTextResponse(garage_of(request).instruments.as_json(), media_type="application/json")


@router.get("/register.csv")
def as_csv(request: Request) -> Response:
    """One line an entry of every history."""
    return PlainTextResponse(garage_of(request).instruments.as_csv(), media_type="text/csv")


# --- one instrument


def page(
    request: Request, id: str, status: int = 200, error: Said | None = None, typed: dict[str, str] | None = None
) -> Response:
    """An instrument: whether it can be relied on, its checks, who relied on it, what it can decide."""
    garage = garage_of(request)
    history = garage.instruments.one(id)
    before = {name: f"{getattr(history.tool.contributions, name):g}" for name in FIGURES} | {
        "name": history.tool.name,
        "serial": history.tool.serial,
        "place": history.tool.place,
        "check_days": str(history.tool.check_days or ""),
    }
    return render(
        request,
        "instrument.html",
        status=status,
        history=history,
        tool=history.tool,
        in_its_unit=lambda value: exact(FIGURE_OF[history.tool.unit], value),
        trusted=history.trusted(garage.instruments.today()),
        kind=Noun(f"kind.{history.tool.kind}"),
        reads=READS,
        courses=[course_of(history, c) for c in checks_for(history.tool)],
        corrected=correction_said(history),
        open_jobs=relying(garage, history, signed=False),
        signed_jobs=relying(garage, history, signed=True),
        entries=[(e, _entry_said(e.said)) for e in reversed(history.entries)],
        error=error,
        typed=before | (typed or {}),
    )


def _entry_said(told: Any) -> Said:
    match told.code:
        case "checked":
            f = told.found
            value, spread = with_uncertainty(f.value, 2 * f.u, f.unit)
            shown: dict[str, Given] = {"value": value, "spread": spread, "state": Noun(f"verdict.{f.state}")}
            return said("routes.instruments.checked", check=Noun(f"self_check.{told.check}"), **shown)
        case "dropped":
            return (
                said("routes.instruments.dropped_as", words=told.words)
                if told.words
                else said("routes.instruments.dropped")
            )
        case "given":
            return (
                said("routes.instruments.taken", name=told.name) if told.to else said("routes.instruments.back_place")
            )
        case "documented":
            return said("routes.instruments.document", name=told.name)
        case "learned":
            known = told.mechanics
            turn, turn_spread = with_uncertainty(known.deg_per_turn, 2 * known.u_deg_per_turn, "°")
            lost, lost_spread = with_uncertainty(known.lost_deg, 2 * known.u_lost_deg, "°")
            return said(
                "routes.instruments.yaw_screw",
                job=told.job,
                turn=turn,
                turn_spread=turn_spread,
                lost=lost,
                lost_spread=lost_spread,
            )
        case "entered":
            return said("routes.instruments.sheet_revision", revision=str(told.tool.revision))
    return said("routes.instruments.put_away_good")


@router.get("/{id}")
def show(request: Request, id: str) -> Response:
    """One instrument."""
    return page(request, id)


@router.get("/{id}/decides")
def what_it_decides(request: Request, id: str) -> Response:
    """Which tolerances of the procedures in use it can decide, and which never."""
    garage = garage_of(request)
    history = garage.instruments.one(id)
    return render(request, "decides.html", history=history, tool=history.tool, found=capable(garage, history))


@router.get("/{id}/document")
def document(request: Request, id: str) -> Response:
    """Its data sheet or certificate."""
    garage = garage_of(request)
    kept = garage.instruments.one(id).document
    if kept is None:
        raise BadInput("instrument", id, said("wants.instrument_document"))
    return Response(garage.files.get(kept.digest), media_type=kept.media)


@router.post("/{id}/document")
def keep_document(request: Request, id: str, upload: Upload = Depends(upload_of)) -> Response:
    """Keep its data sheet or certificate."""
    try:
        garage_of(request).do(
            Document(id, upload.name, upload.content), person_of(request), upload.fields.get("entry", "")
        )
    except (BadInput, Conflict) as error:
        return page(request, id, status_of(error), told(error))
    return RedirectResponse(f"/instruments/{id}", 303)


@router.post("/{id}/{act}")
def act(request: Request, id: str, act: str, form: Annotated[forms.InstrumentAct, Form()]) -> Response:
    """Something happened to it: dropped, taken or brought back, its sheet changed, put away for good."""
    garage, person = garage_of(request), person_of(request)
    try:
        key = form.entry
        if act == "drop":
            garage.do(Drop(id, form.words), person, key)
        elif act == "give":
            garage.do(Give(id, form.to), person, key)
        elif act == "sheet":
            garage.do(EnterInstrument(tool_from(form, garage.instruments.one(id).tool), False), person, key)
        elif act == "retire":
            garage.do(Retire(id), person, key)
            return RedirectResponse("/instruments", 303)
        else:
            raise BadInput("act", act, said("wants.drop_give_sheet_or_retire"))
    except (BadInput, Conflict) as error:
        return page(request, id, status_of(error), told(error), form.sent())
    return RedirectResponse(f"/instruments/{id}", 303)
