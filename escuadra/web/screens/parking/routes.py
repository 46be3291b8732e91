"""Parking: where a vehicle can stand in a bay for one or more procedures, and how its marks are found on the floor."""

from typing import Annotated, Any, Literal
from urllib.parse import quote

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands import Garage, Opened
from escuadra.commands.bays import KeepBay
from escuadra.commands.taking_in import ChoosePlace
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.quantities import parse
from escuadra.core.base.said import Angle, Noun, Nouns, Said, Text, exact, nouns, said
from escuadra.core.bay.bay import Bay, Place
from escuadra.core.bay.parking import Direction, Lot, Parking
from escuadra.core.bay.standing import place_name, stand
from escuadra.core.geodesy.stakeout import StakedMark
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.checks.place import floor_verdict
from escuadra.drawing import bay_view
from escuadra.web import forms
from escuadra.web.pages import at as at_address
from escuadra.web.pages import garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("parking", "/bays/{bay}/parking", within="bays")


def nose_words(bay: Bay, heading_deg: float) -> Said:
    """Which way the nose points, as one sees it in the room."""
    away = abs(heading_deg) < 90
    if bay.door is None:
        return said("routes.parking.nose_away_closed_end") if away else said("routes.parking.nose_closed_end")
    xs = [x for x, _ in bay.corners]
    at_far_end = (bay.door.x1 + bay.door.x2) / 2 > (min(xs) + max(xs)) / 2
    return said("routes.parking.nose_door") if away == at_far_end else said("routes.parking.nose_away_door")


def turn_words(heading_deg: float, turn_deg: float) -> Said:
    """How far off the bay's axis."""
    if turn_deg == 0:
        return said("routes.parking.along_bay")
    off = heading_deg if abs(heading_deg) < 90 else heading_deg - (180 if heading_deg > 0 else -180)
    side = "left" if off > 0 else "right"
    return said(f"routes.parking.turned.{side}", turn=exact(Angle, turn_deg))


def failing(way: Direction) -> Nouns:
    """What stops most of the places with a heading, and how many each."""
    return nouns((said("routes.parking.failing", why=why, count=count) for why, count in way.failing), "comma")


def mark_name(mark: str) -> Text:
    """A mark on the floor by its id: a tyre's place, or a target's of a procedure."""
    kind, _, rest = mark.partition(".")
    if kind == "tyre":
        return said("routes.parking.tyre", corner=Noun(f"corner.{rest}"))
    procedure, _, target = rest.rpartition(".")
    return said("routes.parking.target_of", procedure=procedure, target=place_name(target))


def _asked(request: Request, garage: Garage, job: str) -> tuple[str, list[str], Opened | None]:
    """Vehicle and procedures that are asked for, and the job that asks."""
    query, opened = request.query_params, garage.open(*at_address(job)) if job else None
    vehicle = opened.sheet.plan.vehicle.id if opened else query.get("vehicle", "")
    procedures = query.getlist("procedure")
    if opened is not None and not procedures:
        procedures = [opened.sheet.plan.procedure.id]
    return vehicle, procedures, opened


def _chosen(place: Place, parking: Parking) -> int:
    """Which of the best a place is; -1 for none of them."""
    return next((k for k, c in enumerate(parking.best) if c.place == place), -1)


@router.get("")
def show(request: Request, bay: str, job: str = "", at: str = "") -> Response:
    """The search's form and its answer."""
    return _page(request, bay, job, at)


def _page(
    request: Request,
    bay: str,
    job: str,
    at: str = "",
    status: int = 200,
    error: Said | None = None,
    typed: dict[str, str] | None = None,
) -> Response:
    garage = garage_of(request)
    sheet, _ = garage.floors.bay(bay)
    vehicle_id, wanted, opened = _asked(request, garage, job)
    entries = garage.catalogue.all("procedure")
    chosen: list[Procedure] = [e.content for e in garage.catalogue.sheets_of(vehicle_id) if e.id in wanted]
    if opened is not None and opened.sheet.plan.turn_before:
        own = opened.sheet.plan
        chosen = [own.part if one.id == own.procedure.id else one for one in chosen]
    shown: dict[str, Any] = {"lot": None, "parking": None, "place": None, "drawing": bay_view(sheet) if sheet else ""}
    if sheet is not None and chosen:
        vehicle = garage.catalogue.get("vehicle", vehicle_id).content
        lot, parking = garage.floors.park(bay, vehicle, chosen)
        shown = _found(garage, lot, parking, at)
    return render(
        request,
        "parking.html",
        status=status,
        name=bay,
        bay=sheet,
        vehicles=garage.catalogue.all("vehicle"),
        procedures=entries,
        vehicle_id=vehicle_id,
        wanted=[p.id for p in chosen],
        opened=opened,
        stood=garage.stood_here(bay, vehicle_id, at_address(job).visit)[:3] if opened else [],
        nose=nose_words,
        turn=turn_words,
        failing=failing,
        mark_name=mark_name,
        error=error,
        typed=typed or {},
        at=at,
        **shown,
    )


def _found(garage: Garage, lot: Lot, parking: Parking, at: str) -> dict[str, Any]:
    place = place_of(at) if at else parking.best[0].place if parking.best else None
    nearest = next((way.nearest for way in parking.directions if way.nearest is not None), None)
    drawn = place or nearest
    parked = (drawn, lot.vehicle, list(lot.procedures)) if drawn is not None else None
    others = [(str(k), c.place) for k, c in enumerate(parking.best, 1) if c.place != place]
    return {
        "lot": lot,
        "parking": parking,
        "place": place,
        "chosen": _chosen(place, parking) if place else -1,
        "refusals": lot.refusals(place) if place else [],
        "floors": _floors(lot, place) if place else [],
        "marks": _marks(garage, lot, place) if place else [],
        "drawing": bay_view(lot.bay, parked=parked, others=others),
    }


def _floors(lot: Lot, place: Place) -> list[dict[str, Any]]:
    """The floor at a place for each procedure."""
    found = []
    for procedure in lot.procedures:
        row: dict[str, Any] = {"procedure": procedure, "state": "", "figures": [], "wheels": {}}
        row["why"] = said("routes.parking.bay_no_survey")
        if lot.ground is not None:
            try:
                standing = stand(lot.bay, place, lot.ground, lot.vehicle, procedure)
                row["state"], row["figures"] = floor_verdict(procedure, standing)
                row["wheels"] = standing.wheel_heights
            except BadInput as cause:
                row["why"] = said("routes.parking.no_survey_place", given=cause.given)
        found.append(row)
    return found


def _marks(garage: Garage, lot: Lot, place: Place) -> list[StakedMark]:
    vehicle: VehicleModel = lot.vehicle
    try:
        return garage.floors.marks(lot.bay, place, vehicle, list(lot.procedures))
    except BadInput:
        return []


def place_of(text: str) -> Place:
    """A place from ``x y heading``, lengths as typed; raises ``BadInput``."""
    parts = text.replace(";", " ").split()
    if len(parts) != 3:
        raise BadInput("at", text, said("wants.x_y_heading_such_1500"))
    x, y = (parse(part, "length", "mm")[0].value for part in parts[:2])
    return Place(x=x, y=y, heading_deg=parse(parts[2], "angle", "°")[0].value)


@router.post("")
def choose(request: Request, bay: str, form: Annotated[forms.ParkingChoice, Form()]) -> Response:
    """Take a place for a job, or keep it as the bay's usual one."""
    garage, person, job = garage_of(request), person_of(request), form.job
    try:
        place = place_of(form.at)
        if form.usual == "yes":
            sheet, digest = garage.floors.bay(bay)
            if sheet is None:
                raise BadInput("bay", bay, said("wants.bay_whose_length_width_typed"))
            garage.do(KeepBay(sheet.model_copy(update={"usual": place}), digest), person, form.entry)
            return RedirectResponse(f"/bays/{quote(bay)}", 303)
        source: Literal["parking", "typed", "job"] = "typed" if form.typed == "yes" else "parking"
        from_job = form.from_job
        visit, calibration = at_address(job)
        chosen = ChoosePlace(visit, place, "job" if from_job else source, from_job, calibration=calibration)
        garage.do(chosen, person, form.entry)
    except (BadInput, Conflict) as cause:
        return _page(request, bay, job, "", status_of(cause), told(cause), form.sent())
    return RedirectResponse(f"/jobs/{job}?check=floor", 303)
