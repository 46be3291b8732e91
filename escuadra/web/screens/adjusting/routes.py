"""The two screws of a sensor: the turns to make, what each run showed, told and turned, and what the notches tell."""

from collections.abc import Mapping
from contextlib import suppress
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands import Opened
from escuadra.commands.adjusting import TellTurns, TurnScrews
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.said import NOTHING, Name, Said, nouns
from escuadra.core.base.wording import amount
from escuadra.core.visit.aiming import Tilted, aiming
from escuadra.core.visit.checks.adjusting import TiltsCheck, turned
from escuadra.core.visit.mirror import spot_now
from escuadra.core.visit.sheet import Sheet
from escuadra.drawing.aiming import screws_view, spot_view, tilts_view
from escuadra.web import forms
from escuadra.web.pages import Addressed, garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen
from escuadra.web.screens.sheet.link import LINK, on_link

router = screen("adjusting", "/jobs/{job}/screws")


def page(
    request: Request, job: Addressed, error: Said | None = None, status: int = 200, typed: forms.Turning | None = None
) -> Response:
    """How far the aiming came, and the next thing to do with the screws."""
    garage = garage_of(request)
    opened = garage.open(*job)
    procedure = opened.sheet.plan.procedure
    given, found = procedure.adjusting, aiming(opened.sheet.epochs)
    ours = found.advised if found is not None else None
    to_turn = found.to_turn if found is not None else None
    check = next((view for view in opened.sheet.checks if view.check.kind in ("screws", "mirror")), None)
    board = _board(opened.sheet)
    offered = _offered(request, opened) if given is not None and given.asks_turns and to_turn is None else {}
    to_mend = check is not None and check.state in ("out", "undecided")
    move = check.check.put_right(opened.sheet.epochs, check.judgement) if check and to_mend else None
    return render(
        request,
        "adjusting.html",
        status=status,
        opened=opened,
        job=opened.state.job,
        whole=opened.whole,
        tabs=garage.tabs(opened.whole),
        tab=opened.calibration,
        sheet=opened.sheet,
        given=given,
        found=found,
        move=move,
        then=move.then if move is not None else NOTHING,
        bracket=ours.bracket if ours is not None else "",
        turns=[turned(screw, to_turn.get(screw.id, 0.0)) for screw in given.screws] if given and to_turn else [],
        ours=[(s, ours.gains[s.id], turned(s, ours.turns[s.id])) for s in given.screws] if given and ours else [],
        picture=screws_view(given, to_turn) if given is not None else "",
        spot=_spot(opened.sheet),
        board=board,
        tilts=tilts_view(board) if board is not None and len(board.responses) > 1 else "",
        said_turns=lambda turns: nouns(
            (turned(s, turns.get(s.id, 0.0)) for s in given.screws) if given is not None else ()
        ),
        degrees=lambda value, way: amount(value, "°", 2, way),
        named=Name,
        typed=typed,
        error=error,
        offered=[turned(s, offered.get(s.id, 0.0)) for s in given.screws] if given is not None and offered else [],
    )


def _board(sheet: Sheet) -> Tilted | None:
    check = next((view.check for view in sheet.checks if isinstance(view.check, TiltsCheck)), None)
    return check.found(sheet.epochs) if check is not None else None


def _spot(sheet: Sheet) -> str:
    """Where the beam comes back from the sensor's mirror; empty where it was not read."""
    given, found = sheet.plan.procedure.adjusting, spot_now(sheet.epochs)
    if given is None or given.mirror is None or found is None:
        return ""
    return spot_view(found, given.mirror.yaw, given.mirror.pitch)


def _offered(request: Request, opened: Opened) -> Mapping[str, float]:
    """The turns that the vehicle on the link tells; none where there is no link, or it tells none."""
    try:
        vehicle, unit = on_link(request, opened)
        return vehicle.results(unit).turns
    except (Conflict, NoAnswer, BadInput):
        return {}


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """How far the aiming came."""
    return page(request, job)


@router.post("/told")
def tell(request: Request, job: Addressed, form: Annotated[forms.Turning, Form()]) -> Response:
    """The turns that the routine tells, as typed, or as the vehicle on the link tells them."""
    opened = garage_of(request).open(*job)
    given = opened.sheet.plan.procedure.adjusting
    typed = [(form.first, form.first_way), (form.second, form.second_way)]
    named = {screw.id: one for screw, one in zip(given.screws, typed, strict=True)} if given is not None else {}
    if form.by == "link":
        told_turns = _offered(request, opened).items()
        named = {screw: (f"{abs(t):g}", "clockwise" if t > 0 else "anticlockwise") for screw, t in told_turns}
    try:
        device = LINK if form.by == "link" else ""
        command = TellTurns(job.visit, named, device, form.unread, calibration=job.calibration)
        opened = garage_of(request).do(command, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, job, told(error), status_of(error), form)
    return RedirectResponse(f"/jobs/{opened.address}/screws", 303)


@router.post("/turned")
def turn(request: Request, job: Addressed, form: Annotated[forms.Posted, Form()]) -> Response:
    """The screws were turned as told."""
    with suppress(Conflict, NoAnswer, BadInput):
        # The stand-in's radar is there, turned as it was before.
        on_link(request, garage_of(request).open(*job))
    try:
        opened = garage_of(request).do(
            TurnScrews(job.visit, calibration=job.calibration), person_of(request), form.entry
        )
    except (BadInput, Conflict) as error:
        return page(request, job, told(error), status_of(error))
    turned_now = aiming(opened.sheet.epochs)
    with suppress(Conflict, NoAnswer, BadInput):
        # The stand-in's radar follows what was told, as its frame does.
        vehicle, unit = on_link(request, opened)
        if turned_now is not None and turned_now.last is not None and turned_now.last.turned:
            vehicle.turn(unit, turned_now.last.turned)
    return RedirectResponse(f"/jobs/{opened.address}", 303)
