"""Readying the vehicle the short way: all as specified, exceptions only, and every figure of it in one form."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands import Garage, Opened
from escuadra.commands.readiness import GROUP, MakeReady, Refused, asked
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Said
from escuadra.core.instruments.instrument import Tool
from escuadra.core.visit.views import CheckView, SlotView
from escuadra.web import forms
from escuadra.web.pages import Addressed, garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("ready", "/jobs/{job}/ready")


def _open(opened: Opened) -> list[tuple[CheckView, list[SlotView]]]:
    """Each check of readiness with the places that hold nothing yet."""
    left = {view.slot.id for view in asked(opened.sheet)}
    found = [(view, [s for s in view.slots if s.slot.id in left]) for view in opened.sheet.checks]
    return [(view, slots) for view, slots in found if view.check.group == GROUP and slots]


@dataclass(frozen=True)
class Asked:
    """What a check asks for in the form, and the axes whose plain figures are explained there, each once."""

    check: CheckView
    needed: tuple[SlotView, ...]
    wanted: tuple[SlotView, ...]
    axes: tuple[str, ...]
    wanted_axes: tuple[str, ...]


def _asked(checks: list[tuple[CheckView, list[SlotView]]]) -> list[Asked]:
    found: list[Asked] = []
    explained: set[str] = set()
    for check, slots in checks:
        own = [view for view in slots if not view.slot.specified or view.slot.optional]
        needed = tuple(view for view in own if not view.slot.optional)
        wanted = tuple(view for view in own if view.slot.optional)
        axes, more = _axes(needed, explained), _axes(wanted, explained)
        if own:
            found.append(Asked(check, needed, wanted, axes, more))
    return found


def _axes(slots: tuple[SlotView, ...], explained: set[str]) -> tuple[str, ...]:
    """Axes that nobody explained yet; they are explained from here on."""
    found = tuple(dict.fromkeys(way for view in slots if (way := view.slot.way) and way not in explained))
    explained.update(found)
    return found


def _instruments(garage: Garage, slots: list[SlotView]) -> dict[str, list[Tool]]:
    """Kinds of reading for which there is a choice of instruments that can be relied on."""
    kinds = {view.slot.reads: garage.tools(view.slot) for view in slots if view.slot.ask == "number"}
    usable = {kind: [t for t in tools if garage.instruments.trusted(t.id).usable] for kind, tools in kinds.items()}
    return {kind: tools for kind, tools in usable.items() if len(tools) > 1}


def page(
    request: Request,
    opened: Opened,
    form: forms.Readiness | None = None,
    error: Said | None = None,
    at: str = "",
    status: int = 200,
) -> Response:
    """The form, with what was typed; ``at``: the place whose text is refused."""
    checks = _open(opened)
    figures = [view for _, slots in checks for view in slots if not view.slot.specified]
    return render(
        request,
        "ready.html",
        status=status,
        opened=opened,
        whole=opened.whole,
        tabs=garage_of(request).tabs(opened.whole),
        tab=opened.calibration,
        job=opened.state.job,
        plain=[view for _, slots in checks for view in slots if view.slot.specified and not view.slot.optional],
        checks=_asked(checks),
        instruments=_instruments(garage_of(request), figures),
        typed=form.starting("t.") if form is not None else {},
        words=form.starting("w.") if form is not None else {},
        tools=form.starting("i.") if form is not None else {},
        unticked=form is not None,
        ticked=set(form.specified) if form is not None else set(),
        error=error,
        at=at,
    )


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """The form."""
    return page(request, garage_of(request).open(*job))


@router.post("")
def make_ready(request: Request, job: Addressed, form: Annotated[forms.Readiness, Form()]) -> Response:
    """All of it recorded, or nothing."""
    garage = garage_of(request)
    try:
        ready = MakeReady(
            job.visit,
            form.specified,
            form.starting("t."),
            form.starting("w."),
            form.starting("i."),
            calibration=job.calibration,
        )
        garage.do(ready, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        at = error.slot if isinstance(error, Refused) else ""
        return page(request, garage.open(*job), form, told(error), at, status_of(error))
    return RedirectResponse(f"/jobs/{job}", 303)
