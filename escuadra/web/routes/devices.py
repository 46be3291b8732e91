"""Devices: what they propose for the open place, and the page that sets the true state of the stand-ins' bay."""

import asyncio
import json
from collections.abc import AsyncIterator
from contextlib import suppress
from dataclasses import asdict, dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import RedirectResponse, Response
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from escuadra.core.errors import BadInput, Conflict
from escuadra.core.wording import amount
from escuadra.devices import LoopbackDevices
from escuadra.devices.stand_in import LOW_BATTERY, UNITS
from escuadra.jobs import Opened
from escuadra.web import forms
from escuadra.web.pages import garage_of, ours, render, status_of, told
from escuadra.web.routes.sheet import Trouble, page

router = APIRouter(prefix="/jobs/{job}/devices", dependencies=[Depends(ours)])
FIGURES = {
    "away": "frame too far away, mm",
    "left": "frame too far left, mm",
    "yaw": "beam turned left, degrees",
    "roll": "beam's left end up, degrees",
    "pitch": "beam leaning away, degrees",
    "height": "target too high, mm",
}
EVERY_S = 0.5
LOOKED_AT = {"away": "distance", "left": "centre"}
"""What the bay calls a figure where it looks at it."""


def linked(request: Request, opened: Opened) -> LoopbackDevices:
    """The devices, with a bay prepared for the job; raises ``Conflict`` in words where they don't answer."""
    devices: LoopbackDevices | None = request.app.state.devices
    if devices is None:
        raise Conflict("No devices are set up: start escuadra devices, and serve with ESCUADRA_DEVICES.")
    plan = opened.sheet.plan
    try:
        devices.prepare(opened.row.number, plan.procedure.id, plan.frame.id)
    except ConnectionError as error:
        raise Conflict(f"Nothing was read: {error}.") from error
    return devices


@dataclass(frozen=True)
class Sent:
    """What a device shows for the open place, as it would be typed."""

    tool: str
    name: str
    typed: str
    word: str
    said: str
    serial: str
    remark: str


def sent(request: Request, opened: Opened, slot: str, tool: str) -> Sent:
    """One reading of a device for a place.

    Raises ``BadInput`` for a device that cannot read it, ``Conflict`` in words where it does not answer.
    """
    garage, view = garage_of(request), opened.sheet.slots.get(slot)
    able = garage.tools(view.slot) if view is not None else []
    chosen = next((t for t in able if t.id == tool and tool in UNITS), None)
    if view is None or chosen is None:
        raise BadInput("sender", tool or "nothing", "a device that can read this place")
    try:
        found = linked(request, opened).read(opened.row.number, tool, slot)
    except ConnectionError as error:
        raise Conflict(f"Nothing was read: {error}.") from error
    words, low = view.slot.words, found.battery is not None and found.battery <= LOW_BATTERY
    return Sent(
        tool=tool,
        name=chosen.name,
        typed=f"{abs(found.value) if words else found.value:g} {UNITS[tool]}",
        word=words[0 if found.value >= 0 else 1] if words else "",
        said=amount(found.value, UNITS[tool], None, words),
        serial=found.serial,
        remark=f"Its battery is low: {found.battery:g} %." if low else "",
    )


@router.get("/live")
async def live(request: Request, job: str, slot: str, tool: str) -> Response:
    """Server-sent events: what a device shows for the open place, and where it does not answer, why."""
    await run_in_threadpool(garage_of(request).open, job)

    def once() -> ServerSentEvent:
        try:
            shown = sent(request, garage_of(request).open(job), slot, tool)
        except (BadInput, Conflict) as error:
            return ServerSentEvent(told(error), event="lost")
        return ServerSentEvent(json.dumps(asdict(shown)), event="reading")

    async def readings() -> AsyncIterator[ServerSentEvent]:
        while not request.app.state.changes.closed:
            yield await run_in_threadpool(once)
            await asyncio.sleep(EVERY_S)

    return EventSourceResponse(readings(), ping=20)


def obey(request: Request, opened: Opened, what: str) -> None:
    """Let the stand-ins' bay follow a move that was told; where they don't answer, nothing is lost."""
    devices: LoopbackDevices | None = request.app.state.devices
    if devices is None or not opened.state.disturbances:
        return
    by = dict(opened.state.disturbances[-1].by)
    with suppress(Conflict, ConnectionError):
        linked(request, opened).ask(ask="obey", bay=opened.row.number, what=what, by=by)


@router.post("/propose")
def propose(request: Request, job: str, form: Annotated[forms.Proposal, Form()]) -> Response:
    """What a device shows for the open place, put into its field; nothing is recorded before Enter."""
    garage = garage_of(request)
    opened = garage.open(job)
    check, slot, tool = form.check, form.slot, form.sender
    try:
        shown = sent(request, opened, slot, tool)
    except (BadInput, Conflict) as error:
        trouble = Trouble(told(error), typed=form.typed, tool=tool)
        return page(request, opened, check, slot, trouble, status_of(error))
    trouble = Trouble(shown.remark, typed=shown.typed, word=shown.word, device=shown.serial, tool=tool)
    return page(request, opened, check, slot, trouble)


@router.get("")
def show(request: Request, job: str) -> Response:
    """The stand-ins' bay: its true state, to be set."""
    return _page(request, job)


def _page(
    request: Request, job: str, error: str = "", status: int = 200, typed: dict[str, str] | None = None
) -> Response:
    opened = garage_of(request).open(job)
    state: dict[str, Any] = {}
    try:
        state = linked(request, opened).ask(ask="look", bay=opened.row.number)
    except (Conflict, ConnectionError) as refused:
        error = error or str(refused)
    return render(
        request,
        "devices.html",
        status=status,
        opened=opened,
        state=state,
        figures=FIGURES,
        looked_at=LOOKED_AT,
        units=UNITS,
        error=error,
        typed=typed or {},
        blunder=json.dumps(state.get("blunder", {})),
    )


@router.post("")
def set_state(request: Request, job: str, form: Annotated[forms.BayState, Form()]) -> Response:
    """Set the true state; what is left empty stays."""
    garage, sent = garage_of(request), form.sent()
    try:
        devices = linked(request, garage.open(job))
        asked: dict[str, Any] = {"lost": [device for device in UNITS if sent.get(f"lost.{device}") == "yes"]}
        for name in FIGURES:
            if sent.get(name, "").strip():
                asked[name] = _figure(name, sent[name])
        place = form.place.strip()
        asked["blunder"] = {place: _figure("blunder", form.blunder)} if place else {}
        asked["battery"] = {
            device: _figure("battery", text) for device in UNITS if (text := sent.get(f"battery.{device}", ""))
        }
        devices.ask(ask="set", bay=garage.open(job).row.number, **asked)
    except (BadInput, Conflict) as error:
        return _page(request, job, told(error), status_of(error), form.sent())
    except ConnectionError as error:
        return _page(request, job, str(error), 422, form.sent())
    return RedirectResponse(f"/jobs/{job}/devices", 303)


def _figure(name: str, text: str) -> float:
    try:
        return float(text.strip().replace(",", ".").replace("−", "-"))
    except ValueError as error:
        raise BadInput(name, text or "nothing", "a plain figure such as 12.5 or −0.3") from error
