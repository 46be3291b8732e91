"""The API: calculations by kind, the list of jobs, health, and a page of our own that documents them."""

import json
from typing import TYPE_CHECKING, Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response
from starlette.concurrency import run_in_threadpool

from escuadra.commands import Unreadable
from escuadra.commands.listing import Listed, ListedCalibration
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import nouns, said
from escuadra.core.bay.bay import Bay
from escuadra.core.bay.survey import Survey
from escuadra.core.procedure.sheet import CheckSpec, Procedure
from escuadra.web.examples import EXAMPLES
from escuadra.web.pages import garage_of, render
from escuadra.words.pages import tell

if TYPE_CHECKING:
    from escuadra.core.base.calculation import Calculation

router = APIRouter()
PAGE_SIZE = 50
SHEETS: dict[str, type[Frozen]] = {"procedure": Procedure, "bay": Bay, "survey": Survey}
_REFUSED: dict[int | str, dict[str, Any]] = {
    400: {"description": "The body is not JSON"},
    413: {"description": "The body is too large"},
    422: {"description": "Input that is refused: says field, what was given and what is accepted"},
}


@router.get("/healthz")
def healthz(request: Request) -> dict[str, str]:
    """The application answers and its database can be read."""
    garage_of(request).store.version()
    return {"status": "ok"}


def kinds() -> "dict[str, Calculation]":
    """The calculations by name; with all that they need, they are loaded by whoever asks first, not at start."""
    from escuadra.core.calculations import KINDS

    return KINDS


def _computed(kind: str, data: Any) -> dict[str, Any]:
    from escuadra.core.calculations import compute

    return compute(kind, data)


async def computed(request: Request, kind: str) -> Response:
    """A kind computed from the request's body."""
    body = await request.body()
    try:
        data = json.loads(body)
    except (ValueError, RecursionError) as error:
        return JSONResponse(
            {"detail": tell("routes.api.body_accepted_one_json_object", error=str(error)), "field": "body"}, 400
        )
    return JSONResponse(await run_in_threadpool(_computed, kind, data))


def _described(kind: str, part: str) -> dict[str, Any]:
    """A body described by its published schema."""
    schema = {"$ref": f"/schemas/{kind}.{part}.json"}
    return {
        "description": f"{part} of {kind}",
        "content": {"application/json": {"schema": schema}},
    }


def described_kinds() -> dict[str, Any]:
    """The OpenAPI paths of all kinds: one route answers them, each is documented as its own."""
    return {f"/api/compute/{kind.name}": {"post": _operation(kind)} for kind in kinds().values()}


def _operation(kind: "Calculation") -> dict[str, Any]:
    responses = {200: _described(kind.name, "result"), **_REFUSED}
    return {
        "summary": kind.name.capitalize(),
        "description": kind.purpose,
        "operationId": f"compute_{kind.name}",
        "requestBody": {"required": True, **_described(kind.name, "input")},
        "responses": {str(status): said for status, said in responses.items()},
    }


@router.post("/api/compute/{kind}", include_in_schema=False)
async def computed_kind(request: Request, kind: str) -> Response:
    """A kind computed; one that nobody knows is refused."""
    return await computed(request, kind)


@router.get("/api/jobs")
def jobs(request: Request, page: int = 1) -> dict[str, Any]:
    """Jobs, the newest first, fifty a page."""
    if not 1 <= page <= 1_000_000:
        raise BadInput("page", page, said("wants.page_1_upward"))
    found = garage_of(request).listed(PAGE_SIZE + 1, (page - 1) * PAGE_SIZE)
    more = f"/api/jobs?page={page + 1}" if len(found) > PAGE_SIZE else None
    return {"jobs": [_listed(opened) for opened in found[:PAGE_SIZE]], "next": more}


def _listed(visit: Listed | Unreadable) -> dict[str, Any]:
    if isinstance(visit, Unreadable):
        return {"id": visit.row.id, "number": visit.row.number, "state": "unreadable", "calibrations": []}
    calibrations = [_calibration(one) for one in visit.calibrations]
    return {"id": visit.row.id, "number": visit.number, "state": visit.stage, "calibrations": calibrations}


def _calibration(one: ListedCalibration) -> dict[str, Any]:
    base = f"/jobs/{one.address}/record/{one.signed.revision}" if one.signed is not None else ""
    records = {f"record_{form}": f"{base}.{form}" if base else None for form in ("pdf", "json")}
    return {"sheet": one.sheet, "state": one.stage, **records}


@router.get("/api/docs", include_in_schema=False)
def docs(request: Request) -> Response:
    """What the API offers, from shipped files."""
    told = {
        name: (json.dumps(given, indent=1), json.dumps(_computed(name, given), indent=1))
        for name, given in EXAMPLES.items()
    }
    return render(request, "api_docs.html", kinds=kinds().values(), examples=told)


@router.get("/schemas/{name}.json")
def schema(name: str) -> Response:
    """The JSON Schema of a kind's input or result, of a procedure sheet or of a kind of check."""
    base, _, part = name.partition(".")
    if base in kinds() and part in ("input", "result"):
        kind = kinds()[base]
        return JSONResponse((kind.given if part == "input" else kind.result).model_json_schema())
    if name in SHEETS:
        return JSONResponse(SHEETS[name].model_json_schema())
    if base == "check" and part in CheckSpec.registered:
        return JSONResponse(CheckSpec.registered[part].model_json_schema())
    raise BadInput("schema", name, said("wants.kind_input_kind_result_or", names=nouns(SHEETS, "comma")))
