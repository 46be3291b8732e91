"""Garage: its people, bays and time zone; what is needed before a first job."""

from typing import Annotated
from zoneinfo import ZoneInfo, available_timezones

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands.bays import AddBay
from escuadra.commands.people import AddPerson
from escuadra.commands.settings import Set
from escuadra.core.base.errors import BadInput, Conflict, refusal
from escuadra.core.base.given import identifier, readable
from escuadra.core.base.said import Said, said
from escuadra.core.base.stream import ITSELF
from escuadra.core.house import ROLES
from escuadra.web import forms
from escuadra.web.pages import garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("garage_page", within="garage")


def page(
    request: Request, status: int = 200, error: Said | None = None, typed: dict[str, str] | None = None
) -> Response:
    """The page with what was typed kept."""
    garage = garage_of(request)
    return render(
        request,
        "garage.html",
        status=status,
        bays=garage.store.bays(),
        zone=garage.store.setting("time_zone", "UTC"),
        left_out=[refusal(one) for one in garage.catalogue.refused],
        roles=ROLES,
        error=error,
        typed=typed or {},
    )


@router.get("/garage")
def show(request: Request) -> Response:
    """People, bays and settings."""
    return page(request)


@router.post("/garage")
def change(request: Request, form: Annotated[forms.GarageChange, Form()]) -> Response:
    """Add a person or a bay, or set the garage's name and time zone."""
    garage, picked = garage_of(request), person_of(request)
    try:
        who = picked or ITSELF
        if "person" in form.sent():
            name = _text(form.sent(), "person", said("routes.garage_page.name"))
            known = [person["id"] for person in garage.store.people()]
            garage.do(AddPerson(identifier(name, known, "person"), name, form.role), who, form.entry)
        elif "bay" in form.sent():
            garage.do(AddBay(_text(form.sent(), "bay", said("routes.garage_page.bays_name"))), who, form.entry)
        else:
            zone = _text(form.sent(), "zone", said("routes.garage_page.time_zone"))
            if zone not in available_timezones():
                raise BadInput("zone", zone, said("wants.time_zone_such_europe_madrid"))
            garage.do(Set("name", _text(form.sent(), "name", said("routes.garage_page.garages_name"))), who, form.entry)
            garage.do(Set("time_zone", str(ZoneInfo(zone))), who, f"{form.entry}-zone")
    except (BadInput, Conflict) as error:
        return page(request, status_of(error), told(error), form.sent())
    return RedirectResponse("/garage", 303)


def _text(form: dict[str, str], field: str, what: Said) -> str:
    text = form.get(field, "").strip()
    if not 0 < len(text) <= 80:
        raise BadInput(field, text, said("wants.1_80_characters", what=what))
    return readable(text, field, lines=False)
