"""The conducted run: an overview of its steps, then one step at a time in large letters."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands import Opened
from escuadra.commands.running import TakeStep, to_type
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.said import Said, Voltage
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import RunStep, Side, Unit
from escuadra.core.visit.attempts import attempts
from escuadra.core.visit.checks import own_checks
from escuadra.core.visit.checks.vehicle import BatteryCheck
from escuadra.core.visit.conductor import conducted, routine_of
from escuadra.devices.diagnosis import LinkedVehicle
from escuadra.devices.watching import Watched, watched
from escuadra.web import forms
from escuadra.web.pages import Addressed, garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen
from escuadra.web.screens.sheet.link import LINK, on_link

router = screen("conduct", "/jobs/{job}/steps")
NOTHING_TYPED: Mapping[str, str] = MappingProxyType({})


def _volts(opened: Opened) -> Limits | None:
    """What the sheet allows of the battery with the key on."""
    batteries = (check for check in own_checks(opened.sheet.plan) if isinstance(check, BatteryCheck))
    return next((check.volts for check in batteries), None)


def _linked(request: Request, opened: Opened) -> tuple[LinkedVehicle, str] | None:
    """The vehicle and the sensor's unit on the link; nothing where there is none, or it does not answer."""
    try:
        return on_link(request, opened)
    except (Conflict, NoAnswer, BadInput):
        return None


def _seen(linked: tuple[LinkedVehicle, str] | None, opened: Opened, step: RunStep) -> Watched | None:
    """What the link sees of a step; nothing without one, or where the vehicle does not answer."""
    try:
        return watched(step, *linked, _volts(opened)) if linked is not None else None
    except NoAnswer:
        return None


def _unit(opened: Opened, side: Side | None) -> Unit | None:
    return next((unit for unit in opened.sheet.plan.procedure.units if unit.side == side), None)


def _to_type(opened: Opened, step: RunStep) -> tuple[dict[str, float], Said | None]:
    """What is typed into the routine of what was measured, or why nothing can be."""
    try:
        return to_type(opened.sheet, step), None
    except (BadInput, Conflict) as cause:
        return {}, told(cause)


def page(
    request: Request,
    job: Addressed,
    error: Said | None = None,
    status: int = 200,
    why: str = "",
    response: str = "",
    typed: Mapping[str, str] = NOTHING_TYPED,
) -> Response:
    """The overview while nobody began the run, else the step at hand; what is told says how long it still waits."""
    garage = garage_of(request)
    opened = garage.open(*job)
    run = conducted(opened.sheet.plan.procedure, opened.state)
    now, at = run.now, garage.clock()
    seen = _seen(_linked(request, opened), opened, now.step) if now is not None and not opened.sheet.all_run else None
    typing = _to_type(opened, now.step) if now is not None else ({}, None)
    return render(
        request,
        "conduct.html",
        status=status,
        opened=opened,
        job=opened.state.job,
        whole=opened.whole,
        tabs=garage.tabs(opened.whole),
        tab=opened.calibration,
        sheet=opened.sheet,
        run=run,
        over=opened.sheet.all_run,
        now=now if run.begun or run.interrupted else None,
        first=now,
        left=now.left_s(at) if now is not None else 0.0,
        late=now.late_s(at) if now is not None else 0.0,
        before=len(attempts(opened.state)),
        unsettled=[view.check.called for view in opened.sheet.unsettled if view.of_setup],
        error=error,
        why=why,
        response=response,
        typed=typed,
        corners=CORNERS,
        units=opened.sheet.plan.procedure.units,
        own_unit=_unit(opened, opened.sheet.plan.procedure.side),
        other_unit=_unit(opened, run.other_unit),
        routine=routine_of(opened.sheet.plan.procedure),
        old=now.too_old(at) if now is not None else False,
        keeps_away=opened.sheet.plan.procedure.keeps_away,
        to_type=typing[0],
        no_type=typing[1],
        seen=seen,
        volts=Voltage(seen.scan.voltage) if seen is not None else None,
    )


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """Where the run is."""
    return page(request, job)


@router.post("")
def take(request: Request, job: Addressed, form: Annotated[forms.Stepping, Form()]) -> Response:
    """A step begun, done or skipped, or the run interrupted; what the link sees can speak against it."""
    opened = garage_of(request).open(*job)
    step = next((one for one in opened.sheet.plan.procedure.steps if one.id == form.step), None)
    response, device, sent, ran = form.response, "", form.sent(), len(opened.state.ran)
    linked = _linked(request, opened) if step is not None and form.what == "done" else None
    try:
        if step is not None and linked is not None:
            seen = _seen(linked, opened, step)
            if seen is not None and seen.against is not None:
                raise Conflict(seen.against)
            if form.by == "link" and step.tilt_deg is not None:
                response, device = f"{linked[0].respond(linked[1], step.tilt_deg):.1f}", LINK
        command = TakeStep(
            job.visit,
            form.step,
            form.what,
            form.why,
            form.clear == "yes",
            response,
            heights={corner: sent.get(f"height_{corner}", "") for corner in CORNERS},
            back={name.removeprefix("back_"): typed for name, typed in sent.items() if name.startswith("back_")},
            unit=form.unit,
            device=device,
            calibration=job.calibration,
        )
        now = conducted(opened.sheet.plan.procedure, opened.state).now
        own = step is not None and (not step.unit or form.unit == opened.sheet.plan.procedure.side)
        if own and step and form.what == "done" and step.link == "start" and linked and now and now.step == step:
            linked[0].routine(linked[1])
        opened = garage_of(request).do(command, person_of(request), form.entry)
    except NoAnswer as error:
        return page(request, job, error.said, 409, form.why, form.response, sent)
    except (BadInput, Conflict) as error:
        return page(request, job, told(error), status_of(error), form.why, form.response, sent)
    if opened.sheet.all_run:
        return RedirectResponse(f"/jobs/{opened.address}?check=result", 303)
    if len(opened.state.ran) > ran:
        return RedirectResponse(f"/jobs/{opened.address}", 303)
    return RedirectResponse(f"/jobs/{opened.address}/steps", 303)


@router.post("/seen")
def see(request: Request, job: Addressed, form: Annotated[forms.Stepping, Form()]) -> Response:
    """A step that the link sees done, taken without a press; an empty answer while it does not."""
    opened = garage_of(request).open(*job)
    now = conducted(opened.sheet.plan.procedure, opened.state).now
    if now is None or now.step.id != form.step or now.step.wait_s is not None or not now.step.link:
        return Response(status_code=205)
    seen = _seen(_linked(request, opened), opened, now.step)
    if seen is None or not seen.done:
        return Response(status_code=204)
    command = TakeStep(job.visit, form.step, "done", device=LINK, calibration=job.calibration)
    try:
        garage_of(request).do(command, person_of(request), form.entry)
    except (BadInput, Conflict):
        return Response(status_code=204)
    return Response(status_code=205)
