"""The vehicle on its diagnostic socket, as a calibration's screens ask it: its unit, and what its routine said."""

from fastapi import Request

from escuadra.commands import Opened
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.said import Name, Noun, said
from escuadra.core.base.wording import amount
from escuadra.core.visit.closing import sensors_of
from escuadra.core.visit.log.disturbances import SCREWS
from escuadra.devices.diagnosis import LinkedVehicle, RoutineResult
from escuadra.web.pages import garage_of
from escuadra.web.screens.codes.routes import linked
from escuadra.words import say

LINK = "diagnostic link"
"""How a reading says that the vehicle itself told it."""


def on_link(request: Request, opened: Opened) -> tuple[LinkedVehicle, str]:
    """The vehicle on the diagnostic socket and the unit of a calibration's sensor; raises ``Conflict`` without one."""
    garage = garage_of(request)
    model = garage.model_of(opened.whole)
    told = opened.state.calibration.sensors if opened.state.calibration is not None else []
    sensors = sensors_of(model, opened.sheet.plan.procedure.id, told)
    if not sensors:
        raise Conflict(said("routes.sheet.no_unit"))
    vehicle, unit = linked(request, opened.whole, model), sensors[0].control_unit or sensors[0].id
    turned = [past.by for past in opened.state.disturbances if past.what == SCREWS]
    vehicle.fit(unit, opened.sheet.plan.procedure, turned)
    return vehicle, unit


def shown_result(opened: Opened, found: RoutineResult) -> str:
    """What the vehicle says, as it is shown before somebody accepts it."""
    asked = [figure for figure in opened.sheet.plan.procedure.results if figure.id in found.figures]
    figures = [
        say(said("certificate.figure", label=Noun(f"result.{f.way}"), value=amount(found.figures[f.id], "°", 2, f.way)))
        for f in asked
    ]
    lines = [
        say(said("certificate.figure", label=Name(one.lens), value=Noun(f"answer.{found.lines[one.id]}")))
        for one in opened.sheet.plan.procedure.lines
        if one.id in found.lines
    ]
    return "; ".join([say(Noun(f"answer.{found.outcome}")), *figures, *lines])


def offered(request: Request, opened: Opened, check: str) -> str:
    """What the vehicle says of the run, where it is asked and answers; empty: nothing."""
    if check != "result" or request.app.state.devices is None or opened.state.signed is not None:
        return ""
    if opened.state.frozen is None and not opened.sheet.stations:
        return ""
    try:
        vehicle, unit = on_link(request, opened)
        return shown_result(opened, vehicle.results(unit))
    except (Conflict, NoAnswer, BadInput):
        return ""
