"""The visit closed: its certificate, released or sent back, and the drive that is handed over with the vehicle."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import Depends, Form, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.background import BackgroundTask

from escuadra.commands import Garage
from escuadra.commands.closing import DISPLAY, Acknowledge, CloseHandover, HandOver, Release, SendBack, one_of
from escuadra.commands.customers import name_of
from escuadra.commands.whole import PhotographVehicle, WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Name, Said, Text, said
from escuadra.core.base.stream import ITSELF
from escuadra.core.visit.closing import drives_open, handovers, holds_up
from escuadra.core.visit.log.closing import ENDINGS
from escuadra.reports.certificate import Certificate, print_certificate, render_certificate
from escuadra.web import forms
from escuadra.web.downloads import named
from escuadra.web.pages import Upload, garage_of, person_of, render, status_of, told, upload_of
from escuadra.web.screens import screen

router = screen("certificate", "/visits/{visit}/certificate", within="visits")


def page(
    request: Request, visit: str, error: Said | None = None, status: int = 200, typed: dict[str, Any] | None = None
) -> Response:
    """What would be released, every override first; what was; and what is handed over."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    model = garage.model_of(whole)
    opened = [garage.open(visit, id) for id in whole.visit.in_order]
    waiting = drives_open(whole.visit, model)
    handed = handovers(whole.state)
    today = garage.today()
    newest = whole.state.releases[-1] if whole.state.releases else None
    return render(
        request,
        "certificate_page.html",
        status=status,
        whole=whole,
        job=whole.job,
        model=model,
        tabs=garage.tabs(whole),
        tab="certificate",
        opened=opened,
        overrides=[(one, view) for one in opened for view in one.sheet.checks if view.override is not None],
        missing=holds_up(whole.visit),
        waiting=waiting,
        handed=handed,
        name_of=_names(garage),
        late={one.said.link for one in handed if one.open and one.said.by.isoformat() < today},
        again=newest is not None and whole.state.open_since(newest.seq),
        endings=ENDINGS,
        displays=[photo for photo in whole.state.photos if photo.said.slot == DISPLAY],
        error=error,
        typed=typed or {},
    )


@router.get("")
def show(request: Request, visit: str) -> Response:
    """The certificate as it stands."""
    return page(request, visit)


def _done(request: Request, command: WholeVisitCommand, form: forms.Posted) -> Response:
    try:
        garage_of(request).do(command, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, command.visit, told(error), status_of(error), form.sent())
    return RedirectResponse(f"/visits/{command.visit}/certificate", 303)


@router.post("/released")
def release(request: Request, visit: str, form: Annotated[forms.Releasing, Form()]) -> Response:
    """The lead releases it; it is printed while the answer is already on its way."""
    garage = garage_of(request)
    answer = _done(request, Release(visit, form.head, form.functions, render_certificate(garage)), form)
    if answer.status_code == 303:
        revision = garage.whole(visit).state.releases[-1].said.revision
        answer.background = BackgroundTask(print_certificate, garage, visit, revision)
    return answer


@router.post("/sent-back")
def send_back(request: Request, visit: str, form: Annotated[forms.SendingBack, Form()]) -> Response:
    """The lead does not release it, and says why."""
    return _done(request, SendBack(visit, form.words), form)


@router.post("/handed-over")
def hand_over(request: Request, visit: str, form: Annotated[forms.HandingOver, Form()]) -> Response:
    """The vehicle leaves with its drive open."""
    given = (form.drives, form.conditions, form.still, form.shows, form.without, form.seen_by, form.by)
    return _done(request, HandOver(visit, *given), form)


@router.post("/closed")
def close(request: Request, visit: str, form: Annotated[forms.ClosingDrive, Form()]) -> Response:
    """How the open drive came to an end."""
    return _done(request, CloseHandover(visit, form.link, form.how, form.words), form)


@router.post("/photos")
def keep_display(request: Request, visit: str, upload: Upload = Depends(upload_of)) -> Response:
    """A photo of the display that shows how the drive ended."""
    form = forms.Posted.model_validate(upload.fields)
    return _done(request, PhotographVehicle(visit, DISPLAY, upload.name, upload.content), form)


@router.get("/{revision}.{form}")
def stored(request: Request, visit: str, revision: int, form: str) -> Response:
    """The certificate as it was released; printing again gives the same bytes."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    released = next((one.said for one in whole.state.releases if one.said.revision == revision), None)
    if released is None or form not in ("pdf", "json"):
        raise BadInput("revision", f"{revision}.{form}", said("wants.released_revision"))
    pdf = form == "pdf"
    content = print_certificate(garage, visit, revision) if pdf else garage.files.get(released.certificate_json)
    header = named(f"{whole.row.number}-certificate-{revision}", form, inline=True)
    return Response(content, media_type="application/pdf" if pdf else "application/json", headers=header)


customers = screen("handover", "/handover/{visit}/{link}")


def _names(garage: Garage) -> Callable[[str], Text]:
    """What somebody who acknowledged is called, while that is known."""

    def name(id: str) -> Text:
        known = name_of(garage, id)
        return Name(known) if known is not None else said("page.closing.name_erased")

    return name


def customers_page(
    request: Request, visit: str, link: str, error: Said | None = None, status: int = 200, name: str = ""
) -> Response:
    """What the customer reads on a phone: no more than what is open."""
    garage = garage_of(request)
    whole = garage.whole(visit)
    handed = one_of(whole, link)
    sensors = [one.name for one in garage.tabs(whole) if one.id in handed.said.calibrations]
    return render(
        request,
        "handover.html",
        status=status,
        job=whole.job,
        model=garage.model_of(whole),
        handed=handed,
        name_of=_names(garage),
        sensors=sensors,
        error=error,
        name=name,
    )


@customers.get("")
def read(request: Request, visit: str, link: str) -> Response:
    """What is open, by whom and by when it is done."""
    return customers_page(request, visit, link)


@customers.post("")
def acknowledge(request: Request, visit: str, link: str, form: Annotated[forms.Acknowledging, Form()]) -> Response:
    """The customer typed their name."""
    try:
        garage_of(request).do(Acknowledge(visit, link, form.name), ITSELF, form.entry)
    except (BadInput, Conflict) as error:
        return customers_page(request, visit, link, told(error), status_of(error), form.name)
    return RedirectResponse(f"/handover/{visit}/{link}", 303)


schemas = screen("certificate_schema", posts=False)


@schemas.get("/schemas/certificate.json")
def schema() -> Response:
    """The published schema of the certificate."""
    return JSONResponse(Certificate.model_json_schema())
