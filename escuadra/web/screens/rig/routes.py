"""The camera rig: the frame seen live on its way to its place, and the values taken when it stands."""

import asyncio
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from escuadra.commands import Garage, Opened
from escuadra.commands.rig import TakeLook
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.said import Said, nouns, said
from escuadra.core.visit.advice.approach import to_go
from escuadra.core.visit.log.events import ToolUsed
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.scene import Scene
from escuadra.devices import CameraRig, LinkedRig, Look, SimulatedRig
from escuadra.drawing import approach_view
from escuadra.web import forms
from escuadra.web.pages import Addressed, environment, garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen
from escuadra.web.screens.devices.routes import linked

router = screen("rig", "/jobs/{job}/rig")
EVERY_S = 0.4
START = {"away": 213.0, "left": -24.0, "turn_deg": 0.62}
"""Where the stand-in's frame stands at first, off its place."""
STEPS = {
    "nearer": {"away": -1.0},
    "away": {"away": 1.0},
    "left": {"left": 1.0},
    "right": {"left": -1.0},
    "turn_left": {"turn_deg": 0.05},
    "turn_right": {"turn_deg": -0.05},
}


def rig_of(request: Request, opened: Opened) -> SimulatedRig | LinkedRig:
    """The stand-in of a job: the devices' own where they are there; each job has its own bay to look into."""
    if request.app.state.devices is not None:
        return LinkedRig(linked(request, opened), opened.row.number)
    rigs: dict[str, SimulatedRig] = request.app.state.rigs
    if opened.row.id not in rigs:
        rig = SimulatedRig(Scene.nominal(opened.sheet.plan, 0.06), seed=len(rigs) + 1)
        rig.move(0, **START)
        rigs[opened.row.id] = rig
    return rigs[opened.row.id]


def _live(request: Request, job: Addressed) -> str:
    """The changing part of the screen."""
    garage = garage_of(request)
    opened = garage.open(*job)
    rig = rig_of(request, opened)
    look: Look | None = None
    lost: Said | None = None
    try:
        look = rig.look(garage.clock())
    except NoAnswer as error:
        lost = error.said
    left = to_go(opened.state, opened.sheet.plan, look.readings, _tool(garage, rig)) if look is not None else None
    slots = {slot.id: slot for slot in METHODS["rig"].slots(opened.sheet.plan)}
    return environment.get_template("rig_live.html").render(
        look=look,
        lost=lost,
        left=left,
        drawing=approach_view(left, opened.sheet.plan.frame.beam_length / 2) if left is not None else "",
        slots=slots,
        line=opened.sheet.plan.procedure.line,
    )


def _tool(garage: Garage, rig: CameraRig) -> ToolUsed:
    tool = garage.instruments.one(rig.tool).tool
    figures = garage.instruments.contributions(rig.tool, "length", 0.0, "")
    return ToolUsed(id=tool.id, name=tool.name, contributions=figures)


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """The approach, with the stand-in's own controls."""
    return _page(request, job)


def _page(request: Request, job: Addressed, error: Said | None = None, status: int = 200) -> Response:
    opened = garage_of(request).open(*job)
    rig = rig_of(request, opened)
    return render(
        request,
        "rig.html",
        status=status,
        opened=opened,
        live=_live(request, job),
        error=error,
        connected=rig.connected,
        tool=garage_of(request).instruments.one(rig.tool).tool,
        method=METHODS["rig"],
    )


@router.get("/live")
async def live(request: Request, job: Addressed) -> Response:
    """Server-sent events: what the rig sees, as the part of the page that changes."""
    await run_in_threadpool(garage_of(request).open, *job)

    async def looks() -> AsyncIterator[ServerSentEvent]:
        while not request.app.state.changes.closed:
            yield ServerSentEvent(await run_in_threadpool(_live, request, job), event="look")
            await asyncio.sleep(EVERY_S)

    return EventSourceResponse(looks(), ping=20)


@router.post("/stand-in")
def move(request: Request, job: Addressed, form: Annotated[forms.RigMove, Form()]) -> Response:
    """Move the stand-in's frame, or pull its cable."""
    garage = garage_of(request)
    rig = rig_of(request, garage.open(*job))
    way, by = form.way, form.by
    if way in ("lost", "found"):
        rig.connected = way == "found"
        return RedirectResponse(f"/jobs/{job}/rig", 303)
    try:
        if way not in STEPS:
            raise BadInput("way", way, said("wants.one", names=nouns(STEPS, "comma")))
        if by not in ("1", "10", "100"):
            raise BadInput("by", by, said("wants.1_10_or_100_steps"))
        rig.move(garage.clock(), **{key: value * float(by) for key, value in STEPS[way].items()})
    except BadInput as error:
        return _page(request, job, told(error), 422)
    return RedirectResponse(f"/jobs/{job}/rig", 303)


@router.post("/take")
def take(request: Request, job: Addressed, form: Annotated[forms.RigTake, Form()]) -> Response:
    """Take what the rig sees as readings."""
    garage = garage_of(request)
    rig = rig_of(request, garage.open(*job))
    try:
        garage.do(TakeLook(job.visit, rig, calibration=job.calibration), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return _page(request, job, told(error), status_of(error))
    except NoAnswer as error:
        return _page(request, job, said("routes.rig.nothing_taken", why=error.said), 422)
    return RedirectResponse(f"/jobs/{job}?check=method_rig", 303)
