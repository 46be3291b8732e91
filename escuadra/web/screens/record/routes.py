"""Records: the stored bytes of every signed revision, as PDF and as JSON."""

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.reports.record import Record, print_record
from escuadra.web.downloads import named
from escuadra.web.pages import Addressed, garage_of
from escuadra.web.screens import screen

router = screen("record", posts=False)


@router.get("/jobs/{job}/record/{revision}.{form}")
def stored(request: Request, job: Addressed, revision: int, form: str) -> Response:
    """The record as it was signed; printing again gives the same bytes."""
    garage = garage_of(request)
    opened = garage.open(*job)
    signed = next((one.said for one in opened.state.records if one.said.revision == revision), None)
    if signed is None or form not in ("pdf", "json"):
        raise BadInput(
            "job", said("routes.record.record", revision=revision, form=form), said("wants.signed_revision_pdf_or_json")
        )
    content = (
        print_record(garage, job.visit, revision, job.calibration)
        if form == "pdf"
        else garage.files.get(signed.record_json)
    )
    kind = "application/pdf" if form == "pdf" else "application/json"
    name = named(f"{opened.row.number}-revision-{revision}", form, inline=True)
    return Response(content, media_type=kind, headers=name)


@router.get("/schemas/record.json")
def schema() -> Response:
    """The published schema of the record."""
    return JSONResponse(Record.model_json_schema())
