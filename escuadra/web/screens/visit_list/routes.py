"""Day: the jobs of the garage, each with its state, what blocks it and its next move; who works here."""

from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import parse
from escuadra.core.base.said import Noun, nouns, said
from escuadra.core.procedure.sheet import AIM_WAYS
from escuadra.web import forms
from escuadra.web.pages import garage_of, render, said_time, told
from escuadra.web.screens import screen
from escuadra.web.spoken import COOKIE
from escuadra.words import languages

router = screen("day")
PAGE_SIZE, MOST_OPEN = 50, 200


@router.get("/")
def day(request: Request) -> Response:
    """What is open, and what was begun today, the newest first."""
    garage = garage_of(request)
    today = said_time(request, garage.clock(), "weekday")
    jobs = garage.of_today(MOST_OPEN)
    return render(
        request,
        "day.html",
        iso_today=garage.today(),
        jobs=jobs,
        today=today,
        page=1,
        more=False,
        find="",
        way="",
        asked="",
        whole_list=False,
    )


def _list(request: Request, **shown: Any) -> Response:
    return render(request, "day.html", iso_today=garage_of(request).today(), **shown)


visits = screen("visits", "/visits", within="visits")


@visits.get("")
def every(request: Request, page: int = 1, find: str = "", way: str = "", least: str = "") -> Response:
    """All visits or those that are searched for, the newest first, fifty a page.

    ``way`` and ``least``: only those whose routine showed so many degrees or more about that axis before zeroing.
    """
    garage = garage_of(request)
    today = said_time(request, garage.clock(), "weekday")
    if not 1 <= page <= 1_000_000:
        raise BadInput("page", page, said("wants.page_1_upward"))
    degrees, refused = 0.0, None
    try:
        if way and way not in AIM_WAYS:
            ways = nouns((Noun(f"result.{each}") for each in AIM_WAYS), "comma")
            raise BadInput("way", way, said("wants.one_of", names=ways))
        if way and least.strip():
            degrees = parse(least, "angle", "°")[0].value
        found = garage.found(find[:200], PAGE_SIZE + 1, (page - 1) * PAGE_SIZE, way, degrees)
    except BadInput as cause:
        # What was typed stays in its fields.
        found, refused = [], told(cause)
    shown, more = found[:PAGE_SIZE], len(found) > PAGE_SIZE
    return render(
        request,
        "day.html",
        iso_today=garage.today(),
        jobs=shown,
        today=today,
        page=page,
        more=more,
        find=find,
        way=way,
        least=least,
        ways=[(each, Noun(f"result.{each}")) for each in AIM_WAYS],
        refused=refused,
        asked=urlencode([pair for pair in (("find", find), ("way", way), ("least", least)) if pair[1]]),
        whole_list=True,
    )


@router.post("/person")
def pick(request: Request, form: Annotated[forms.Pick, Form()]) -> Response:
    """Pick who works on this tablet."""
    who = garage_of(request).person(form.person)
    response = RedirectResponse(_local(form.back), 303)
    response.set_cookie("escuadra_person", who.id, samesite="strict", httponly=True, max_age=31_536_000)
    return response


@router.post("/theme")
def theme(request: Request, form: Annotated[forms.Theme, Form()]) -> Response:
    """Switch between the light and the dim theme."""
    response = RedirectResponse(_local(form.back), 303)
    wanted = form.theme
    if wanted not in ("dim", "light"):
        raise BadInput("theme", wanted, said("wants.dim_or_light"))
    response.set_cookie("escuadra_theme", wanted, samesite="strict", max_age=31_536_000)
    return response


@router.post("/language")
def language(request: Request, form: Annotated[forms.Language, Form()]) -> Response:
    """Choose the language of this tablet."""
    if form.language not in languages():
        raise BadInput("language", form.language, said("wants.one_of", names=nouns(languages(), "comma")))
    response = RedirectResponse(_local(form.back), 303)
    response.set_cookie(COOKIE, form.language, samesite="strict", max_age=31_536_000)
    return response


def _local(path: str) -> str:
    """A way back within this application, whatever was posted."""
    return path if path.startswith("/") and not path.startswith(("//", "/\\")) else "/"
