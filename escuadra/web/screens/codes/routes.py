"""Fault codes before the work and after it: read over the diagnostic link, typed, attached, or why not."""

from typing import Annotated, Any

from fastapi import Depends, Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands.codes import (
    STATES,
    AttachCodes,
    ClearCodes,
    FreezeCodes,
    checked,
    may_clear,
    text_of,
    typed_codes,
)
from escuadra.commands.forms import Whole
from escuadra.commands.whole import Correct, WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.given import figure
from escuadra.core.base.said import Said, nouns, said
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.codes import after, before, compared
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.needed import part_name, scoped
from escuadra.core.visit.report_fields import found_in
from escuadra.devices.diagnosis import LinkedVehicle, Scan
from escuadra.web import forms
from escuadra.web.downloads import named
from escuadra.web.pages import Upload, garage_of, person_of, render, status_of, told, upload_of
from escuadra.web.screens import screen
from escuadra.words import say

router = screen("codes", "/visits/{visit}/codes", within="visits")
SHOWN = 20_000
"""Letters of a report that are shown beside what was found in it."""
KINDS = {b"%PDF-": ("application/pdf", "pdf"), b"\xff\xd8\xff": ("image/jpeg", "jpg")}


def linked(request: Request, whole: Whole, model: VehicleModel) -> LinkedVehicle:
    """The vehicle on the diagnostic socket; raises ``Conflict`` in words where there is no link."""
    devices = request.app.state.devices
    if devices is None:
        raise Conflict(said("routes.codes.no_link"))
    run = {one.sensor.id: one.sensor.control_unit or one.sensor.id for one in scoped(model, whole.state.work)}
    units = list(dict.fromkeys(run[sensor.id] for sensor in model.sensors))
    waiting = [run[one.sensor.id] for one in scoped(model, whole.state.work) if one.needed]
    try:
        return LinkedVehicle(devices, whole.row.number, whole.job.vin, units, list(dict.fromkeys(waiting)))
    except NoAnswer as error:
        raise Conflict(error.said) from error


def page(
    request: Request, visit: str, error: Said | None = None, status: int = 200, typed: dict[str, Any] | None = None
) -> Response:
    """Both snapshots beside each other, and the vehicle as it answers now."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    model = garage.model_of(whole)
    scan: Scan | None = None
    lost: Said | None = None
    try:
        scan = linked(request, whole, model).scan()
    except Conflict as refused:
        lost = refused.said
    except NoAnswer as refused:
        lost = refused.said
    codes = whole.state.codes
    return render(
        request,
        "codes.html",
        status=status,
        whole=whole,
        job=whole.job,
        model=model,
        tabs=garage.tabs(whole),
        tab="codes",
        scan=scan,
        lost=lost,
        linked=request.app.state.devices is not None,
        unlike=bool(scan and scan.vin and whole.job.vin and scan.vin != whole.job.vin),
        before=before(codes),
        after=after(codes),
        lines=compared(codes),
        cleared=whole.state.cleared,
        unit_name=lambda id: part_name(model, id) if id in model.areas else id,
        joined=lambda ids: nouns((part_name(model, id) if id in model.areas else id for id in ids), "comma"),
        states=STATES,
        error=error,
        typed=typed or {},
    )


@router.get("")
def show(request: Request, visit: str) -> Response:
    """The page."""
    return page(request, visit)


def _done(request: Request, command: WholeVisitCommand, form: forms.Posted) -> Response:
    try:
        garage_of(request).do(command, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, command.visit, told(error), status_of(error), form.sent())
    return RedirectResponse(f"/visits/{command.visit}/codes", 303)


@router.post("/frozen")
def freeze(request: Request, visit: str, form: Annotated[forms.Codes, Form()]) -> Response:
    """A snapshot: what the link reads now, what was typed, or why it was not read."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    given: dict[str, Any] = {"when": form.when, "source": form.source}
    try:
        if form.source == "link":
            scan = linked(request, whole, garage.model_of(whole)).scan()
            units = [unit.model_dump(mode="json") for unit in scan.units]
            given |= {"units": units, "voltage": scan.voltage, "vin": scan.vin}
        elif form.source == "typed":
            units = [unit.model_dump(mode="json") for unit in typed_codes(form.codes)]
            if not units and form.none != "yes":
                raise BadInput("codes", "", said("wants.codes_or_none"))
            given |= {"units": units}
        else:
            given |= {"why": form.why.strip()[:300]}
        told_now = CodesFrozen.read(given)
    except (BadInput, Conflict) as error:
        return page(request, visit, told(error), status_of(error), form.sent())
    except NoAnswer as error:
        return page(request, visit, error.said, 422, form.sent())
    return _done(request, FreezeCodes(visit, told_now), form)


@router.post("/file")
def attach(request: Request, visit: str, upload: Upload = Depends(upload_of)) -> Response:
    """A file that holds the codes: it is kept, and what can be read in it is offered field by field."""
    form, garage = forms.Codes.model_validate(upload.fields), garage_of(request)
    try:
        content = checked(upload.content)
    except BadInput as error:
        return page(request, visit, told(error), status_of(error), form.sent())
    whole = garage.whole(visit)
    return render(
        request,
        "codes_file.html",
        whole=whole,
        job=whole.job,
        model=garage.model_of(whole),
        tabs=garage.tabs(whole),
        tab="codes",
        when=form.when,
        name=upload.name,
        digest=garage.files.put(content),
        text=(text := text_of(content))[:SHOWN],
        found=found_in(text),
    )


@router.post("/accepted")
def accept(request: Request, visit: str, form: Annotated[forms.AcceptedReport, Form()]) -> Response:
    """What a person accepted of a file, frozen with it; an odometer reading corrects what was taken in."""
    codes = tuple((code, state) for code, _, state in (text.partition(" ") for text in form.code) if state in STATES)
    if form.odometer:
        reason = say(said("routes.codes.odometer_of_report", name=form.name))
        told_too = Correct(visit, "odometer_km", form.odometer, reason)
        try:
            garage_of(request).do(told_too, person_of(request), f"{form.entry}-odometer")
        except (BadInput, Conflict) as error:
            return page(request, visit, told(error), status_of(error), form.sent())
    return _done(request, AttachCodes(visit, form.when, form.name, form.digest, codes, form.vin, form.software), form)


@router.get("/file/{digest}")
def attached(request: Request, visit: str, digest: str) -> Response:
    """A file that was attached, to be looked at or saved; nothing in it is run."""
    garage = garage_of(request)
    found = next((one for one in garage.whole(visit).state.codes if one.said.attached == digest), None)
    if found is None:
        raise BadInput("file", digest[:16], said("wants.attached_here"))
    content = garage.files.get(digest)
    kind, ending = next((known for start, known in KINDS.items() if content.startswith(start)), ("text/plain", "txt"))
    header = named(f"codes-{found.said.when}", ending)
    return Response(content, media_type=kind, headers=header)


@router.post("/cleared")
def clear(request: Request, visit: str, form: Annotated[forms.Codes, Form()]) -> Response:
    """Codes cleared over the link, or by hand; it is recorded either way."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    try:
        may_clear(whole, form.unit, form.why)
        if form.source == "link":
            linked(request, whole, garage.model_of(whole)).clear(form.unit)
    except (BadInput, Conflict) as error:
        return page(request, visit, told(error), status_of(error), form.sent())
    except NoAnswer as error:
        return page(request, visit, error.said, 422, form.sent())
    return _done(request, ClearCodes(visit, tuple(form.unit), form.why), form)


@router.post("/vehicle")
def operate(request: Request, visit: str, form: Annotated[forms.OnSocket, Form()]) -> Response:
    """The key, a unit's routine, and the stand-in's own voltage and connection."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    try:
        vehicle = linked(request, whole, garage.model_of(whole))
        if form.what in ("key_on", "key_off"):
            vehicle.key(form.what == "key_on")
        elif form.what == "routine":
            vehicle.routine(form.unit)
        else:
            volts = figure(form.voltage or "12.7", "voltage", said("wants.plain_figure_such_12_5"), 0, 20)
            vehicle.set(voltage=volts, lost=form.lost == "yes")
    except (BadInput, Conflict) as error:
        return page(request, visit, told(error), status_of(error), form.sent())
    except NoAnswer as error:
        return page(request, visit, error.said, 422, form.sent())
    return RedirectResponse(f"/visits/{visit}/codes", 303)
