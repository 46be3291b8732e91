"""The application: middleware, shipped files, error pages and the routes of every screen."""

import asyncio
import logging
import os
from collections.abc import AsyncIterator, Collection
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from escuadra import __version__
from escuadra.commands import Garage
from escuadra.commands.forms import press
from escuadra.commands.instrument_life import TellOverdue
from escuadra.core.base.errors import BadInput, Conflict, bad_input, complaint, refusal
from escuadra.core.base.said import Said, said
from escuadra.core.base.stream import ITSELF
from escuadra.devices import LoopbackDevices
from escuadra.web import script_words
from escuadra.web.changes import Changes
from escuadra.web.guard import Guard
from escuadra.web.pages import render, status_of, told
from escuadra.web.screens import routes
from escuadra.web.screens.api import routes as api
from escuadra.web.screens.devices import routes as devices
from escuadra.web.spoken import Spoken
from escuadra.words import say

LOG = logging.getLogger("escuadra")
STATIC = Path(__file__).parent / "static"
HOUR_S = 3600.0
MISSING = ("kind", "bay", "survey", "instrument", "procedure", "vehicle", "target", "frame", "tool")
"""What is looked up by its name in an address: an unknown one is not found."""


async def _watch_terms(garage: Garage) -> None:
    """Every hour: instruments whose self-check became too old are told to the jobs that rely on them."""
    while True:
        try:
            await run_in_threadpool(garage.do, TellOverdue(), ITSELF, press())
        except Exception:
            LOG.exception("The instruments' terms could not be looked through.")
        await asyncio.sleep(HOUR_S)


def devices_of(address: str) -> LoopbackDevices | None:
    """The devices behind an address such as 127.0.0.1:8311; none where it is empty."""
    if not address:
        return None
    host, _, port = address.rpartition(":")
    if not host or not port.isdigit():
        raise BadInput("ESCUADRA_DEVICES", address, said("wants.address_such_127_0_0"))
    return LoopbackDevices(host, int(port))


def _code(what: Said | str) -> str:
    return what.code if isinstance(what, Said) else what


def create_app(garage: Garage, hosts: Collection[str] = ()) -> FastAPI:
    """The web application on a garage; ``hosts``: names that it is reached by, besides loopback."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.changes.loop = asyncio.get_running_loop()
        watch = asyncio.create_task(_watch_terms(garage))
        yield
        watch.cancel()
        app.state.changes.close()

    app = FastAPI(title="Escuadra", version=__version__, docs_url=None, redoc_url=None, lifespan=lifespan)
    documented = app.openapi

    def openapi() -> dict[str, Any]:
        found = documented()
        found["paths"].update(api.described_kinds())
        return found

    app.openapi = openapi  # type: ignore[method-assign]
    app.state.garage = garage
    app.state.changes = Changes()
    app.state.rigs = {}
    app.state.follow_move = devices.obey
    app.state.devices = devices_of(os.environ.get("ESCUADRA_DEVICES", ""))
    garage.listeners.append(app.state.changes.announce)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    pages = [*routes(), *script_words.router.routes]
    for route in pages:
        # A page is no part of the documented API. Its route is taken as it was made: including it makes it anew.
        if isinstance(route, APIRoute):
            route.include_in_schema = False
    app.router.routes.extend(pages)
    app.router.routes.extend(api.router.routes)

    def failed(request: Request, status: int, text: Said, **more: str | Said) -> Response:
        if request.url.path.startswith("/api/") or request.url.path == "/healthz":
            parts = {name: say(one) for name, one in more.items()}
            return JSONResponse({"detail": say(text), **parts, "code": _code(more.get("accepted", text))}, status)
        return render(request, "error.html", status=status, text=text, code=status)

    app.add_middleware(Guard, hosts=hosts, refuse=failed)
    app.add_middleware(Spoken)

    @app.exception_handler(BadInput)
    def bad(request: Request, error: BadInput) -> Response:
        text = refusal(error) if request.url.path.startswith("/api/") else told(error)
        status = 404 if error.field == "job" or (request.method == "GET" and error.field in MISSING) else 422
        return failed(request, status, text, field=error.field, given=error.given, accepted=error.accepted)

    @app.exception_handler(Conflict)
    def conflict(request: Request, error: Conflict) -> Response:
        return failed(request, status_of(error), error.said)

    @app.exception_handler(ValidationError)
    def not_a_value(request: Request, error: ValidationError) -> Response:
        return bad(request, bad_input(error))

    @app.exception_handler(RequestValidationError)
    def unreadable(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        wrong = complaint(first)
        return bad(request, BadInput(str(first["loc"][-1]), wrong.given, wrong.accepted))

    @app.exception_handler(HTTPException)
    def http(request: Request, error: HTTPException) -> Response:
        missing = error.status_code == 404
        text = said("web.app.there_no_such_page" if missing else "web.app.cannot_be_done_here")
        return failed(request, error.status_code, text)

    return app
