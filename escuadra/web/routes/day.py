"""Day: the jobs of the garage, each with its state, what blocks it and its next move; who works here."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.web.pages import form_of, garage_of, render, said_time

router = APIRouter()


@router.get("/")
def day(request: Request) -> Response:
    """The jobs, the newest first."""
    garage = garage_of(request)
    today = said_time(request, garage.clock(), "%A %-d %B %Y")
    return render(request, "day.html", jobs=garage.jobs(), today=today)


@router.post("/person")
def pick(request: Request, form: dict[str, str] = Depends(form_of)) -> Response:
    """Pick who works on this tablet."""
    who = garage_of(request).person(form.get("person", ""))
    response = RedirectResponse(_local(form.get("back", "/")), 303)
    response.set_cookie("escuadra_person", who.id, samesite="strict", httponly=True, max_age=31_536_000)
    return response


@router.post("/theme")
def theme(request: Request, form: dict[str, str] = Depends(form_of)) -> Response:
    """Switch between the light and the dim theme."""
    response = RedirectResponse(_local(form.get("back", "/")), 303)
    wanted = "light" if request.cookies.get("escuadra_theme") == "dim" else "dim"
    response.set_cookie("escuadra_theme", wanted, samesite="strict", max_age=31_536_000)
    return response


def _local(path: str) -> str:
    """A way back within this application, whatever was posted."""
    return path if path.startswith("/") and not path.startswith(("//", "/\\")) else "/"
