"""New job: what is asked when a vehicle is taken in; what was typed is kept when something is refused."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.catalogue import Entry
from escuadra.commands import TakeIn
from escuadra.commands.garage import Garage
from escuadra.commands.taking_in import BeginVisit
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import whole_number
from escuadra.core.base.said import Name, Said, said
from escuadra.core.procedure.entries import Head
from escuadra.core.vehicle.vin import VinInput, vin
from escuadra.web import forms
from escuadra.web.pages import garage_of, person_of, render, status_of
from escuadra.web.screens import screen

router = screen("new_job")
MOST_CHOICES, MOST_FOUND = 60, 30
"""So many models and sheets are listed at once; of more those that a search finds."""


def remark(text: str) -> Said | None:
    """What the check digit says of a VIN; a remark, never a refusal."""
    if not text:
        return None
    result = vin(VinInput(vin=text[:200]))
    if not result.well_formed:
        return said("routes.new_job.characters_vin_17_without_i", count=len(text))
    if not result.check_matches:
        return said(
            "routes.new_job.check_digit_would_position_9", check_digit=result.check_digit, found=text[8].upper()
        )
    return said("routes.new_job.check_digit_agrees")


def room_remark(request: Request, typed: dict[str, str]) -> Said | None:
    """Whether the bay has room for the procedure, before anything is unpacked; nothing where that is not known."""
    garage, bay, procedure = garage_of(request), typed.get("bay", ""), typed.get("procedure", "")
    if bay not in garage.store.bays() or not procedure:
        return None
    sheet, _ = garage.floors.bay(bay)
    known = garage.catalogue.entries.get(("procedure", procedure))
    if sheet is None or known is None:
        return None
    wanted = known.content
    vehicle = garage.catalogue.get("vehicle", wanted.vehicle).content
    why = garage.floors.no_room(sheet, None, vehicle, wanted)
    if turn := garage.floors.turn_before(sheet, vehicle, wanted):
        station = next(one.name for one in wanted.stations if one.id == turn)
        return said("routes.new_job.room_turned", bay=bay, procedure=procedure, station=Name(station))
    return why or said("routes.new_job.room", bay=bay, procedure=procedure)


@dataclass(frozen=True)
class Choices:
    """Models and sheets that can be chosen: all of them, or in a large catalogue those that were searched for."""

    sheets: list[Entry]
    vehicles: dict[str, Head]
    searched: bool
    """There are too many to be listed: they are searched."""
    more: int = 0
    """How many more are found than are listed."""


def choices(garage: Garage, typed: Mapping[str, str]) -> Choices:
    """What can be chosen, as ``find`` is typed; what is chosen already is always among it."""
    catalogue, asked = garage.catalogue, typed.get("find", "").strip()[:80]
    sheets, models = catalogue.all("procedure"), catalogue.all("vehicle")
    if len(sheets) + len(models) <= MOST_CHOICES:
        return Choices(sheets, {e.id: e.head for e in models}, False)
    found = catalogue.found("procedure", asked) if asked else []
    known = catalogue.entries.get(("procedure", typed.get("procedure", "")))
    own = [known] if known is not None else []
    shown = list({e.id: e for e in (*own, *found[:MOST_FOUND])}.values())
    wanted = {e.head.vehicle for e in shown} | {typed.get("vehicle", "")}
    wanted |= {e.id for e in catalogue.found("vehicle", asked)[:MOST_FOUND]} if asked else set()
    vehicles = {e.id: e.head for e in models if e.id in wanted}
    return Choices(shown, vehicles, True, max(len(found) - MOST_FOUND, 0))


def page(
    request: Request, typed: dict[str, str], status: int = 200, error: BadInput | Conflict | None = None
) -> Response:
    """The form with what was typed."""
    garage = garage_of(request)
    chosen = choices(garage, typed)
    reasons = sorted({reason for entry in chosen.sheets[:MOST_CHOICES] for reason in entry.content.reasons})
    return render(
        request,
        "new_job.html",
        status=status,
        typed=typed,
        error=error,
        remark=remark(typed.get("vin", "").strip()),
        chosen=chosen,
        frames=garage.catalogue.all("frame"),
        reasons=reasons,
        bays=garage.store.bays(),
        room=room_remark(request, typed),
    )


@router.get("/jobs/new")
def ask(request: Request) -> Response:
    """The empty form."""
    return page(request, {})


@router.get("/jobs/new/choices")
def found(request: Request, find: str = "", vehicle: str = "", procedure: str = "") -> Response:
    """Models and sheets that a search finds, while it is typed."""
    typed = {"find": find, "vehicle": vehicle, "procedure": procedure}
    return render(request, "choices.html", chosen=choices(garage_of(request), typed), typed=typed, error=None)


@router.get("/jobs/new/vin")
def vin_remark(request: Request, vin: str = "") -> Response:
    """The remark on a VIN, while it is typed."""
    return render(request, "vin_remark.html", remark=remark(vin.strip()))


@router.get("/jobs/new/room")
def room(request: Request, bay: str = "", procedure: str = "") -> Response:
    """The remark on the room that a bay has for a procedure, while they are chosen."""
    return render(request, "room_remark.html", room=room_remark(request, {"bay": bay, "procedure": procedure}))


@router.post("/jobs/new")
def take_in(request: Request, form: Annotated[forms.NewJob, Form()]) -> Response:
    """Take the job in and open its sheet."""
    try:
        fields = {key: getattr(form, key).strip() for key in TakeIn.model_fields}
        fields["bay"] = fields["bay"] or form.other_bay.strip()
        typed, accepted = fields["odometer_km"], said("routes.new_job.whole_kilometres_such_84310_or")
        odometer = whole_number(typed, "odometer_km", accepted) if typed else None
        asked = TakeIn.read({**fields, "odometer_km": odometer})
        begun = garage_of(request).do(BeginVisit(asked), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, form.sent(), status_of(error), error)
    page_of = f"/jobs/{begun.row.id}" if begun.visit.calibrations else f"/visits/{begun.row.id}"
    return RedirectResponse(page_of, 303)
