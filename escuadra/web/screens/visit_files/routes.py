"""What is brought to a job about its vehicle: photos, a printout as a file, a figure overridden on the spot."""

from typing import Annotated

from fastapi import Depends, Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands.vehicle import (
    ChangeAsked,
    ChangeFigure,
    Photograph,
    Signs,
    TakePrintout,
)
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import said
from escuadra.web import forms
from escuadra.web.pages import Addressed, Upload, garage_of, person_of, status_of, told, upload_of
from escuadra.web.screens import screen
from escuadra.web.screens.sheet.routes import Trouble, page

router = screen("brought", "/jobs/{job}")


def _back(job: Addressed, fields: dict[str, str]) -> RedirectResponse:
    return RedirectResponse(f"/jobs/{job}?check={fields.get('check', '')}&slot={fields.get('slot', '')}", 303)


@router.post("/photos")
def keep_photo(request: Request, job: Addressed, upload: Upload = Depends(upload_of)) -> Response:
    """Keep a photo with a place of the sheet, re-encoded."""
    garage, fields = garage_of(request), upload.fields
    check, slot, entry = (fields.get(name, "") for name in ("check", "slot", "entry"))
    try:
        garage.do(
            Photograph(job.visit, slot, upload.name, upload.content, calibration=job.calibration),
            person_of(request),
            entry,
        )
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), check, slot, Trouble(told(error)), status_of(error))
    return _back(job, fields)


@router.get("/photos/{digest}.jpg")
def photo(request: Request, job: Addressed, digest: str) -> Response:
    """A kept photo."""
    garage = garage_of(request)
    if not any(p.said.digest == digest for p in garage.open(*job).state.photos):
        raise BadInput("job", digest[:16], said("wants.photo_job"))
    return Response(garage.files.get(digest), media_type="image/jpeg")


@router.post("/printout")
def read_printout(request: Request, job: Addressed, form: Annotated[forms.Printout, Form()]) -> Response:
    """Read an alignment printout from a CSV file; what its signs mean was asked in words."""
    garage, check, slot = garage_of(request), form.check, form.slot
    signs = Signs(form.toe, form.camber, form.thrust)
    try:
        garage.do(
            TakePrintout(job.visit, form.file, form.day, signs, calibration=job.calibration),
            person_of(request),
            form.entry,
        )
    except (BadInput, Conflict) as error:
        return page(
            request, garage.open(*job), check, slot, Trouble(told(error), printout=form.sent()), status_of(error)
        )
    return _back(job, form.sent())


@router.post("/figures")
def override_figure(request: Request, job: Addressed, form: Annotated[forms.FigureHere, Form()]) -> Response:
    """Override a specification figure on the spot, with a reason."""
    garage, check, slot = garage_of(request), form.check, form.slot
    asked = ChangeAsked(path=form.path, typed=form.value, reason=form.reason)
    try:
        garage.do(ChangeFigure(job.visit, asked, calibration=job.calibration), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, garage.open(*job), check, slot, Trouble(told(error), figure=asked), status_of(error))
    return _back(job, form.sent())
