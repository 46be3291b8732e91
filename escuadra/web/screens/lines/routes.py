"""The vehicle's lines: every method with what it will be worth, what they say together, and the marks to make."""

from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands import Opened
from escuadra.commands.lines import PlanLines, asked_plan, shelf
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Noun, Said, nouns, said
from escuadra.core.visit.both_lines import answers
from escuadra.core.visit.floor_marks import OLD_MARKS, control_name, floor_marks
from escuadra.core.visit.line_plan import Offer, Shelf, default_plan, offer, offers, slots_of
from escuadra.core.visit.line_report import agreement, contributions, facts, side_by_side
from escuadra.core.visit.log.events import LinePlanned
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan, tape_slot
from escuadra.drawing import lines_view
from escuadra.reports import marks
from escuadra.web import forms
from escuadra.web.downloads import named
from escuadra.web.pages import Addressed, garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("lines", "/jobs/{job}/lines")


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """The screen, with the plan as it is or as it is being put together."""
    opened = garage_of(request).open(*job)
    query = dict(request.query_params)
    if not any(key.startswith("method.") for key in query):
        asked = opened.state.line_plan or default_plan(opened.sheet.plan)
        return _page(request, opened, asked)
    try:
        return _page(request, opened, asked_plan(query))
    except BadInput as error:
        return _page(request, opened, default_plan(opened.sheet.plan), error=told(error), status=422)


MEDIA = {"csv": "text/csv; charset=utf-8", "dxf": "image/vnd.dxf", "pdf": "application/pdf"}
"""The floor-mark sheet's kinds by the end of its address."""


@router.get("/marks.{ending}")
def floor_mark_sheet(request: Request, job: Addressed, ending: str) -> Response:
    """The marks to make, as CSV, DXF or PDF."""
    garage = garage_of(request)
    opened = garage.open(*job)
    epochs = opened.sheet.epochs
    match ending:
        case "csv":
            content: str | bytes = marks.as_csv(epochs)
        case "dxf":
            content = marks.as_dxf(epochs)
        case "pdf":
            content = marks.as_pdf(opened, garage.store.setting("name"))
        case _:
            raise BadInput("ending", ending, said("wants.one", names=nouns(MEDIA, "comma")))
    return Response(content, media_type=MEDIA[ending], headers=named(f"marks-{opened.row.number}", ending))


@router.post("")
def choose(request: Request, job: Addressed, form: Annotated[forms.LinesPlan, Form()]) -> Response:
    """Choose the plan; its readings become the sheet's."""
    garage = garage_of(request)
    try:
        asked = asked_plan(form.sent())
    except BadInput as error:
        opened = garage.open(*job)
        return _page(request, opened, opened.state.line_plan or default_plan(opened.sheet.plan), told(error), 422)
    try:
        garage.do(PlanLines(job.visit, asked, calibration=job.calibration), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return _page(request, garage.open(*job), asked, error=told(error), status=status_of(error))
    return RedirectResponse(f"/jobs/{job}", 303)


def _page(
    request: Request, opened: Opened, asked: LinePlanned, error: Said | None = None, status: int = 200
) -> Response:
    garage, sheet = garage_of(request), opened.sheet
    epochs, plan = sheet.epochs, sheet.plan
    tools = shelf(garage, plan)
    magnify = request.query_params.get("sideways", "on") != "off"
    return render(
        request,
        "lines.html",
        status=status,
        opened=opened,
        sheet=sheet,
        epochs=epochs,
        methods=METHODS,
        asked=asked,
        error=error,
        drawing=lines_view(sheet, magnify=magnify),
        magnify=magnify,
        rows=side_by_side(epochs),
        answers=answers(epochs),
        agreement=agreement(epochs),
        facts=facts(epochs),
        shares=contributions(epochs),
        marks=floor_marks(epochs),
        control=control_name,
        old_marks=OLD_MARKS,
        check=sheet.check("lines") or next((v for v in sheet.checks if v.check.kind in ("lines", "rear_toe")), None),
        **_budget(plan, tools, asked),
    )


def _budget(plan: Plan, tools: Shelf, asked: LinePlanned) -> dict[str, Any]:
    """Each method alone, and the plan as a whole; the instruments that can be chosen for it."""
    try:
        whole: Offer | None = offer(plan, tools, asked)
    except BadInput:
        whole = None
    slots = [*slots_of(plan, asked), tape_slot("LF", "LF_end", plan)]
    kinds = {slot.reads: slot for slot in slots if slot.reads}
    return {
        "offers": offers(plan, tools, asked),
        "whole": whole,
        "decides": whole.expected_accuracy.decides(plan) if whole is not None else {},
        "checks": {check.id: check for check in plan.procedure.checks},
        "kinds": {kind: (Noun(f"reads.{kind}"), tools(slot)) for kind, slot in kinds.items()},
    }
