"""A visit as a whole: what was done to the vehicle, what must be calibrated and why, its calibrations, corrections."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import Depends, Form, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from escuadra.commands import Garage
from escuadra.commands.forms import Tab
from escuadra.commands.whole import (
    LABEL,
    AddCalibration,
    AnswerVariant,
    CallOff,
    Correct,
    LeaveOut,
    PhotographVehicle,
    Reorder,
    TakeUp,
    TellWork,
    WholeVisitCommand,
)
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Said, said
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.procedure.variants import SOURCES
from escuadra.core.vehicle.scope import ACTS
from escuadra.core.visit.closing import sensors_of
from escuadra.core.visit.log.whole import CORRECTABLE, WorkTold
from escuadra.core.visit.needed import Scoped, part_name, reason_words, scoped, too_early
from escuadra.drawing.car_parts import car_parts_view
from escuadra.drawing.variant_pictures import variant_picture
from escuadra.reports.scope import scope_data, scope_pdf
from escuadra.web import forms
from escuadra.web.downloads import named
from escuadra.web.pages import Upload, garage_of, person_of, render, status_of, told, upload_of
from escuadra.web.screens import screen
from escuadra.words import say
from escuadra.words.pages import tell

router = screen("visit", "/visits/{visit}", within="visits")


@dataclass(frozen=True)
class Offer:
    """A procedure sheet that calibrates a sensor: what it needs, and which bays have the room."""

    sheet: Procedure
    rooms: tuple[tuple[str, Said | None, str], ...]
    """Each drawn bay, why it cannot take it (nothing where it can), and the station before which the car is turned."""


@dataclass(frozen=True)
class Row:
    """A sensor in the list."""

    one: Scoped
    number: int
    offers: tuple[Offer, ...]
    taken: tuple[Tab, ...]
    """The visit's calibrations that serve it."""


def offers(garage: Garage, model: VehicleModel) -> dict[str, Offer]:
    """The sheets that calibrate a sensor of the model, by their ids, each with the room that it finds."""
    wanted = {id for sensor in model.sensors for id in sensor.sheets}
    drawn = {name: bay for name in garage.store.bays() if (bay := garage.floors.bay(name)[0]) is not None}
    found = {}
    for entry in garage.catalogue.sheets_of(model.id):
        if entry.id in wanted:
            sheet: Procedure = entry.content
            names = {station.id: station.name for station in sheet.stations}
            rooms = [
                (
                    name,
                    garage.floors.no_room(bay, None, model, sheet),
                    names.get(garage.floors.turn_before(bay, model, sheet), ""),
                )
                for name, bay in drawn.items()
            ]
            found[entry.id] = Offer(entry.content, tuple(rooms))
    return found


def rows(garage: Garage, model: VehicleModel, sensors: list[Scoped], tabs: list[Tab]) -> list[Row]:
    """Every fitted sensor, those to be calibrated first."""
    offered = offers(garage, model)
    found = []
    for k, one in enumerate(sensors, 1):
        own = tuple(offered[id] for id in one.sensor.sheets if id in offered)
        taken = tuple(tab for tab in tabs if one.sensor.id in _sensors(model, tab))
        found.append(Row(one, k, own, taken))
    return found


def _sensors(model: VehicleModel, tab: Tab) -> list[str]:
    """Ids of the sensors that a calibration is of."""
    return [one.id for one in sensors_of(model, tab.sheet.id, tab.sensors)]


def too_soon(model: VehicleModel, tabs: list[Tab]) -> dict[str, list[str]]:
    """Calibrations that stand before one that they should come after, by their ids: sensors of those."""
    served = {tab.id: _sensors(model, tab) for tab in tabs if tab.stage != "left_out"}
    every = {id for sensors in served.values() for id in sensors}
    found: dict[str, list[str]] = {}
    before: list[str] = []
    for calibration, sensors in served.items():
        waited = [one.id for one in too_early(model, sensors, before) if one.id in every]
        found[calibration] = [say(part_name(model, id)) for id in waited]
        before += sensors
    return found


def elsewhere(model: VehicleModel) -> list[tuple[str, list[str]]]:
    """What cannot be pointed at, under its headings: chassis, control units, the sensors themselves."""
    sensors = [sensor.id for sensor in model.sensors]
    rest = [id for id, area in model.areas.items() if area is None and id not in sensors]
    return [(tell("page.visit.chassis_units"), rest), (tell("page.visit.sensors"), sensors)]


def page(
    request: Request,
    visit: str,
    error: Said | None = None,
    status: int = 200,
    typed: dict[str, Any] | None = None,
    parts: Sequence[str] = (),
) -> Response:
    """The visit, with the parts that are chosen in the address; ``typed``: what was refused."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    model = garage.model_of(whole)
    chosen = [id for id in parts or request.query_params.getlist("part") if id in model.areas]
    query = request.query_params.get("find", "").strip()
    if query:
        found = next((id for id in model.areas if say(part_name(model, id)).lower() == query.lower()), None)
        if found is None:
            error = error or said("visit.no_such_part", given=query)
        elif found not in chosen:
            chosen.append(found)

    def way(id: str) -> str:
        kept = [part for part in chosen if part != id] if id in chosen else [*chosen, id]
        return f"/visits/{visit}" + (f"?{urlencode([('part', part) for part in kept])}" if kept else "")

    sensors, tabs = scoped(model, whole.state.work), garage.tabs(whole)
    return render(
        request,
        "visit.html",
        status=status,
        whole=whole,
        job=whole.job,
        model=model,
        gate=garage.gate(whole),
        pictures=variant_picture,
        sources=SOURCES,
        photos=[photo for photo in whole.state.photos if photo.said.slot == LABEL],
        work=whole.state.work or WorkTold(),
        rows=rows(garage, model, sensors, tabs),
        too_soon=too_soon(model, tabs),
        minutes=sum(one.sensor.minutes for one in sensors if one.needed),
        drive_minutes=sum(one.sensor.drive_minutes for one in sensors if one.needed),
        tabs=tabs,
        tab="",
        chosen=chosen,
        way=way,
        drawing=car_parts_view(model, sensors, chosen, way) if model.sensors else "",
        elsewhere=elsewhere(model),
        part_name=lambda id: part_name(model, id),
        because=lambda reason: reason_words(model, reason, (whole.state.work or WorkTold()).complaint),
        acts=ACTS,
        sheets=[e.content for e in garage.catalogue.sheets_of(model.id)],
        frames=garage.catalogue.all("frame"),
        frame=whole.visit.body("frame").bodies[0].said.pins[0].id,
        bays=garage.store.bays(),
        correctable=(*CORRECTABLE, "frame"),
        corrections=whole.visit.corrections,
        error=error,
        typed=typed or {},
    )


@router.get("")
def show(request: Request, visit: str) -> Response:
    """The visit."""
    return page(request, visit)


def _done(request: Request, command: WholeVisitCommand, form: forms.Posted, parts: Sequence[str] = ()) -> Response:
    """What is asked done, and the visit shown again; a refusal keeps what was typed."""
    try:
        garage_of(request).do(command, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, command.visit, told(error), status_of(error), form.sent(), parts)
    return RedirectResponse(f"/visits/{command.visit}", 303)


def _work(**lists: Any) -> WorkTold:
    return WorkTold.read(lists)


@router.post("/done")
def add_work(request: Request, visit: str, form: Annotated[forms.WorkDone, Form()]) -> Response:
    """An act on the chosen parts."""
    try:
        if not form.part:
            raise BadInput("part", "", said("wants.part_first"))
        more = _work(done=[{"act": form.act, "part": part} for part in form.part])
    except BadInput as error:
        return page(request, visit, told(error), 422)
    return _done(request, TellWork(visit, more=more), form, form.part)


@router.post("/not-done")
def drop_work(request: Request, visit: str, form: Annotated[forms.WorkDone, Form()]) -> Response:
    """An act that was told wrongly."""
    less = _work(done=[{"act": form.act, "part": part} for part in form.part])
    return _done(request, TellWork(visit, less=less), form)


@router.post("/noticed")
def add_noticed(request: Request, visit: str, form: Annotated[forms.WorkNoticed, Form()]) -> Response:
    """A code with the sensor that it names, what the driver noticed, or a sensor asked for by hand."""
    lists: dict[str, Any] = {}
    code = form.code.strip()
    try:
        if code and form.sensor:
            lists["codes"] = [{"code": code[:40], "sensor": form.sensor}]
        elif code:
            raise BadInput("sensor", "", said("wants.sensor_of_code"))
        elif form.why:
            lists["asked"] = [{"sensor": form.sensor, "why": form.why}]
        more = _work(**lists)
    except BadInput as error:
        return page(request, visit, told(error), 422, form.sent())
    complaint = form.complaint if "complaint" in form.model_fields_set else None
    return _done(request, TellWork(visit, more=more, complaint=complaint), form)


@router.post("/not-noticed")
def drop_noticed(request: Request, visit: str, form: Annotated[forms.WorkNoticed, Form()]) -> Response:
    """A code or a wish taken back."""
    if form.code:
        less = _work(codes=[{"code": form.code, "sensor": form.sensor}])
    else:
        less = _work(asked=[{"sensor": form.sensor, "why": form.why}])
    return _done(request, TellWork(visit, less=less), form)


@router.post("/variant")
def answer_variant(request: Request, visit: str, form: Annotated[forms.VariantAnswer, Form()]) -> Response:
    """What tells variants apart."""
    return _done(request, AnswerVariant(visit, form.question, form.option, form.by), form)


@router.post("/photos")
def keep_label(request: Request, visit: str, upload: Upload = Depends(upload_of)) -> Response:
    """A photo of the label that an answer was read off."""
    form = forms.Posted.model_validate(upload.fields)
    return _done(request, PhotographVehicle(visit, LABEL, upload.name, upload.content), form)


@router.get("/photos/{digest}.jpg")
def photo(request: Request, visit: str, digest: str) -> Response:
    """A photo that was kept with the visit as a whole."""
    garage = garage_of(request)
    if not any(p.said.digest == digest for p in garage.whole(visit).state.photos):
        raise BadInput("visit", digest[:16], said("wants.photo_job"))
    return Response(garage.files.get(digest), media_type="image/jpeg")


@router.post("/calibrations")
def add_calibration(request: Request, visit: str, form: Annotated[forms.CalibrationWanted, Form()]) -> Response:
    """A sheet to be worked through."""
    return _done(request, AddCalibration(visit, form.procedure), form)


@router.post("/left-out")
def leave_out(request: Request, visit: str, form: Annotated[forms.VisitChange, Form()]) -> Response:
    """A calibration is not done."""
    return _done(request, LeaveOut(visit, form.calibration, form.reason), form)


@router.post("/taken-up")
def take_up(request: Request, visit: str, form: Annotated[forms.VisitChange, Form()]) -> Response:
    """A calibration, or the visit, is taken up again."""
    return _done(request, TakeUp(visit, form.reason, form.calibration), form)


@router.post("/order")
def reorder(request: Request, visit: str, form: Annotated[forms.VisitChange, Form()]) -> Response:
    """A calibration is done earlier or later."""
    order = list(garage_of(request).whole(visit).visit.in_order)
    if form.calibration in order and form.way in ("earlier", "later"):
        k = order.index(form.calibration)
        other = min(max(k + (-1 if form.way == "earlier" else 1), 0), len(order) - 1)
        order[k], order[other] = order[other], order[k]
    return _done(request, Reorder(visit, tuple(order), form.reason), form)


@router.post("/correct")
def correct(request: Request, visit: str, form: Annotated[forms.VisitChange, Form()]) -> Response:
    """What was taken in wrongly."""
    return _done(request, Correct(visit, form.what, form.value, form.reason), form)


@router.post("/call-off")
def call_off(request: Request, visit: str, form: Annotated[forms.VisitChange, Form()]) -> Response:
    """The visit ends without its calibrations."""
    return _done(request, CallOff(visit, form.reason), form)


@router.get("/scope.json")
def scope_json(request: Request, visit: str) -> Response:
    """What must be calibrated and why, as data."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    return JSONResponse(scope_data(whole, garage.model_of(whole)), headers=named(f"scope-{whole.row.number}", "json"))


@router.get("/scope.pdf")
def scope_page(request: Request, visit: str) -> Response:
    """The estimator's page for the customer or the insurer."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    content = scope_pdf(whole, garage.model_of(whole), garage.store.setting("name"), garage.today())
    header = named(f"scope-{whole.row.number}", "pdf", inline=True)
    return Response(content, media_type="application/pdf", headers=header)
