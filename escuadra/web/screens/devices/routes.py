"""Devices: what they propose for the open place, and the page that sets the true state of the stand-ins' bay."""

import asyncio
import json
from collections.abc import AsyncIterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from escuadra.commands import Opened
from escuadra.commands.reading import SIGNS
from escuadra.core.base.errors import BadInput, Conflict, NoAnswer
from escuadra.core.base.given import figure
from escuadra.core.base.said import Said, Slope, Value, exact, said
from escuadra.core.base.wording import amount
from escuadra.devices import LoopbackDevices
from escuadra.devices.stand_in import LOW_BATTERY, UNITS
from escuadra.web import forms
from escuadra.web.pages import Addressed, garage_of, render, status_of, told
from escuadra.web.screens import screen
from escuadra.web.screens.sheet.routes import Trouble, page
from escuadra.words import say

router = screen("devices", "/jobs/{job}/devices")
FIGURES = {
    "away": said("routes.devices.frame_too_far_away_mm"),
    "left": said("routes.devices.frame_too_far_left_mm"),
    "yaw": said("routes.devices.beam_turned_left_degrees"),
    "roll": said("routes.devices.beams_left_end_up_degrees"),
    "pitch": said("routes.devices.beam_leaning_away_degrees"),
    "height": said("routes.devices.target_too_high_mm"),
}
EVERY_S = 0.5
LOOKED_AT = {"away": "distance", "left": "centre"}
"""What the bay calls a figure where it looks at it."""


def linked(request: Request, opened: Opened) -> LoopbackDevices:
    """The devices, with a bay prepared for the job; raises ``Conflict`` in words where they don't answer."""
    devices: LoopbackDevices | None = request.app.state.devices
    if devices is None:
        raise Conflict(said("routes.devices.no_devices_set_up_start"))
    plan = opened.sheet.plan
    try:
        devices.prepare(opened.row.number, plan)
    except NoAnswer as error:
        raise Conflict(said("routes.devices.nothing_read", why=error.said)) from error
    return devices


@dataclass(frozen=True)
class Sent:
    """What a device shows for the open place, as it would be typed."""

    tool: str
    name: str
    typed: str
    word: str
    said: Value
    serial: str
    remark: Said | None


def sent(request: Request, opened: Opened, slot: str, tool: str) -> Sent:
    """One reading of a device for a place.

    Raises ``BadInput`` for a device that cannot read it, ``Conflict`` in words where it does not answer.
    """
    garage, view = garage_of(request), opened.sheet.slots.get(slot)
    able = garage.tools(view.slot) if view is not None else []
    chosen = next((t for t in able if t.id == tool and tool in UNITS), None)
    if view is None or chosen is None:
        raise BadInput("sender", tool, said("wants.device_can_read_place"))
    try:
        found = linked(request, opened).read(opened.row.number, tool, slot)
    except NoAnswer as error:
        raise Conflict(said("routes.devices.nothing_read", why=error.said)) from error
    way, battery = view.slot.way, found.battery
    return Sent(
        tool=tool,
        name=chosen.name,
        typed=f"{abs(found.value) if way else found.value:g} {UNITS[tool]}",
        word=SIGNS[found.value < 0] if way else "",
        said=amount(found.value, UNITS[tool], None, way),
        serial=found.serial,
        remark=None
        if battery is None or battery > LOW_BATTERY
        else said("routes.devices.battery_low", battery=exact(Slope, battery)),
    )


@router.get("/live")
async def live(request: Request, job: Addressed, slot: str, tool: str) -> Response:
    """Server-sent events: what a device shows for the open place, and where it does not answer, why."""
    await run_in_threadpool(garage_of(request).open, *job)

    def once() -> ServerSentEvent:
        try:
            shown = sent(request, garage_of(request).open(*job), slot, tool)
        except (BadInput, Conflict) as error:
            return ServerSentEvent(say(told(error)), event="lost")
        seen = {**vars(shown), "said": say(shown.said), "remark": say(shown.remark)}
        return ServerSentEvent(json.dumps(seen), event="reading")

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
def propose(request: Request, job: Addressed, form: Annotated[forms.Proposal, Form()]) -> Response:
    """What a device shows for the open place, put into its field; nothing is recorded before Enter."""
    garage = garage_of(request)
    opened = garage.open(*job)
    check, slot, tool = form.check, form.slot, form.sender
    try:
        shown = sent(request, opened, slot, tool)
    except (BadInput, Conflict) as error:
        trouble = Trouble(told(error), typed=form.typed, tool=tool)
        return page(request, opened, check, slot, trouble, status_of(error))
    trouble = Trouble(shown.remark, typed=shown.typed, word=shown.word, device=shown.serial, tool=tool)
    return page(request, opened, check, slot, trouble)


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """The stand-ins' bay: its true state, to be set."""
    return _page(request, job)


def _page(
    request: Request, job: Addressed, error: Said | None = None, status: int = 200, typed: dict[str, str] | None = None
) -> Response:
    opened = garage_of(request).open(*job)
    state: dict[str, Any] = {}
    try:
        state = linked(request, opened).ask(ask="look", bay=opened.row.number)
    except (Conflict, NoAnswer) as refused:
        error = error or refused.said
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
def set_state(request: Request, job: Addressed, form: Annotated[forms.BayState, Form()]) -> Response:
    """Set the true state; what is left empty stays."""
    garage, sent = garage_of(request), form.sent()
    try:
        devices = linked(request, garage.open(*job))
        asked: dict[str, Any] = {"lost": [device for device in UNITS if sent.get(f"lost.{device}") == "yes"]}
        for name in FIGURES:
            if sent.get(name, "").strip():
                asked[name] = _figure(name, sent[name])
        place = form.place.strip()
        asked["blunder"] = {place: _figure("blunder", form.blunder)} if place else {}
        asked["battery"] = {
            device: _figure("battery", text) for device in UNITS if (text := sent.get(f"battery.{device}", ""))
        }
        devices.ask(ask="set", bay=garage.open(*job).row.number, **asked)
    except (BadInput, Conflict) as error:
        return _page(request, job, told(error), status_of(error), form.sent())
    except NoAnswer as error:
        return _page(request, job, error.said, 422, form.sent())
    return RedirectResponse(f"/jobs/{job}/devices", 303)


def _figure(name: str, text: str) -> float:
    return figure(text, name, said("wants.plain_figure_such_12_5"))
