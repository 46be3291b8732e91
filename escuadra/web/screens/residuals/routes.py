"""What routines showed before zeroing, beside other vehicles, bays, frames and people."""

from dataclasses import dataclass

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from escuadra.commands import Garage, Opened
from escuadra.core.base.said import NOTHING, Value
from escuadra.core.base.wording import amount
from escuadra.core.procedure.sheet import ResultFigure
from escuadra.core.visit.attempts import attempts
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.places import ResultPlace
from escuadra.core.visit.residuals import Compared, Shown, compared
from escuadra.core.visit.why import Possible, Why, advised, told, why
from escuadra.drawing.lens_lines import lens_lines_view
from escuadra.drawing.residuals import residuals_view
from escuadra.drawing.why import why_view
from escuadra.web.pages import Addressed, garage_of, render
from escuadra.web.screens import screen

router = screen("residuals", "/jobs/{job}/residuals", posts=False)


@dataclass(frozen=True)
class Row:
    """A figure of the sheet, what it was beside others, and the picture."""

    figure: ResultFigure
    found: Compared
    picture: str


def rows(garage: Garage, opened: Opened) -> list[Row]:
    """Each figure of a calibration's result that was read."""
    procedure, found = opened.sheet.plan.procedure, []
    assert opened.state.job is not None
    car = opened.state.job.vin or opened.row.number
    for figure in procedure.results:
        live = opened.state.live(ResultPlace("figure", figure.id).slot)
        last = live[-1] if live else None
        if last is None or not isinstance(taken := last.said, ReadingTaken):
            continue
        own = Shown(
            number=opened.row.number,
            vehicle=car,
            bay=opened.state.job.bay,
            frame=opened.sheet.plan.frame.id,
            person=last.person.name,
            at=last.at,
            value=taken.value,
        )
        with garage.store.reading() as log:
            kept = log.residuals(procedure.id, figure.id)
        others = [
            Shown(r.number, r.vin or r.number, r.bay, r.frame, r.person, r.at, r.value)
            for r in kept
            if r.visit != opened.row.id
        ]
        half = (figure.limits.upper - figure.limits.lower) / 2
        shown = compared(figure.id, own, others, half)
        found.append(Row(figure, shown, residuals_view(shown, figure.limits)))
    return found


def _explained(found: Why) -> list[tuple[Possible, Value, Value, Value | None]]:
    """Each cause, most telling first: how far off it was read, ±, and how far it would have to be off by itself."""

    def said_of(one: Possible, value: float, way: str | None) -> Value:
        return amount(value, one.unit, 2 if one.unit == "°" else 1, way)

    every = [(one, found.found.causes[one.id].alone) for one in found.ranked]
    return [
        (
            one,
            said_of(one, one.off, one.way),
            said_of(one, 2 * one.u, None),
            said_of(one, alone, one.way) if alone is not None else None,
        )
        for one, alone in every
    ]


def _lenses(opened: Opened) -> str:
    """Each lens's line as it stood after the last run, drawn; empty where the vehicle shows none."""
    runs, lines = attempts(opened.state), opened.sheet.plan.procedure.lines
    stood = {id: str(getattr(e.said, "value", "")) for id, e in runs[-1].lines.items()} if runs else {}
    return lens_lines_view(lines, stood) if lines and stood else ""


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """The figures of a result, each drawn over time."""
    garage = garage_of(request)
    opened = garage.open(*job)
    found = why(opened.sheet)
    return render(
        request,
        "residuals.html",
        opened=opened,
        whole=opened.whole,
        job=opened.state.job,
        tabs=garage.tabs(opened.whole),
        tab=opened.calibration,
        sheet=opened.sheet,
        rows=rows(garage, opened),
        lenses=_lenses(opened),
        why=found,
        why_told=[(one, told(found, one)) for one in found.shown] if found is not None else [],
        why_advised=advised(found) if found is not None else NOTHING,
        why_picture=why_view(found.shown) if found is not None else "",
        explained=_explained(found) if found is not None else [],
        degrees=lambda value, way: amount(value, "°", 2, way),
    )


@router.get(".json")
def data(request: Request, job: Addressed) -> Response:
    """The same as data."""
    garage = garage_of(request)
    found = [
        {"figure": row.figure.id, "degrees": row.found.own.value, "peers": row.found.peers.model_dump()}
        for row in rows(garage, garage.open(*job))
    ]
    return JSONResponse(found)
