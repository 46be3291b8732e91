"""The conducted run: an overview of its steps, then one step at a time in large letters."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands.running import TakeStep
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Said
from escuadra.core.visit.attempts import attempts
from escuadra.core.visit.conductor import conducted
from escuadra.web import forms
from escuadra.web.pages import Addressed, garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("conduct", "/jobs/{job}/steps")


def page(request: Request, job: Addressed, error: Said | None = None, status: int = 200, why: str = "") -> Response:
    """The overview while nobody began the run, else the step at hand; what is told says how long it still waits."""
    garage = garage_of(request)
    opened = garage.open(*job)
    run = conducted(opened.sheet.plan.procedure, opened.state)
    now, at = run.now, garage.clock()
    return render(
        request,
        "conduct.html",
        status=status,
        opened=opened,
        job=opened.state.job,
        whole=opened.whole,
        tabs=garage.tabs(opened.whole),
        tab=opened.calibration,
        sheet=opened.sheet,
        run=run,
        over=opened.state.frozen is not None,
        now=now if run.begun or run.interrupted else None,
        first=now,
        left=now.left_s(at) if now is not None else 0.0,
        late=now.late_s(at) if now is not None else 0.0,
        before=len(attempts(opened.state)),
        unsettled=[view.check.called for view in opened.sheet.unsettled if view.of_setup],
        error=error,
        why=why,
    )


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """Where the run is."""
    return page(request, job)


@router.post("")
def take(request: Request, job: Addressed, form: Annotated[forms.Stepping, Form()]) -> Response:
    """A step begun, done or skipped, or the run interrupted."""
    command = TakeStep(
        job.visit,
        form.step,
        form.what,
        form.why,
        form.clear == "yes",
        calibration=job.calibration,
    )
    try:
        opened = garage_of(request).do(command, person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, job, told(error), status_of(error), form.why)
    if opened.state.frozen is not None:
        return RedirectResponse(f"/jobs/{opened.address}?check=result", 303)
    return RedirectResponse(f"/jobs/{opened.address}/steps", 303)
