"""Rendering: the template environment, what every page is given, and how figures and times are said."""

import re
import secrets
import uuid
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, NamedTuple
from zoneinfo import ZoneInfo

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse
from markupsafe import Markup

from escuadra.commands import Garage
from escuadra.core.base.errors import BadInput, Busy, Conflict
from escuadra.core.base.given import readable
from escuadra.core.base.said import Probability, Said, said
from escuadra.core.base.wording import amount, length_in, with_uncertainty
from escuadra.core.measure.budget import the_largest
from escuadra.drawing import rule
from escuadra.web.script_words import words_address
from escuadra.words import language, languages, say, spoken
from escuadra.words.moments import Form, moment
from escuadra.words.pages import Templates, joined, tell

TEMPLATES = Path(__file__).parent / "templates"

environment = Templates(
    TEMPLATES,
    {
        "rule": lambda figure: Markup(rule(figure)),
        "the_largest": the_largest,
        "percent": lambda share: Probability(share, 0),
        "said": length_in,
        "mm": lambda value: amount(value, "mm", 1),
        "sided": lambda g: joined(with_uncertainty(g[0], g[1], g[2], "side"), " "),
    },
    new_id=lambda: uuid.uuid4().hex,
)


def garage_of(request: Request) -> Garage:
    """The garage that the application serves."""
    garage = request.app.state.garage
    assert isinstance(garage, Garage)
    return garage


class At(NamedTuple):
    """A calibration as an address names it: the visit, and which of its calibrations; empty: its first."""

    visit: str
    calibration: str = ""

    def __str__(self) -> str:
        return f"{self.visit}.{self.calibration}" if self.calibration else self.visit


def at(job: str) -> At:
    """An address read: ``VISIT`` or ``VISIT.CALIBRATION``."""
    return At(*job.split(".", 1))


Addressed = Annotated[At, Depends(at)]
"""The calibration that a page's address names."""


def person_of(request: Request) -> str:
    """Id of the person picked on this tablet; empty where nobody is."""
    return request.cookies.get("escuadra_person", "")


def token_of(request: Request) -> str:
    """This browser's token against forged posts; made at the first page."""
    found = request.cookies.get("escuadra_token", "")
    if re.fullmatch(r"[0-9a-f]{32}", found):
        return found
    if not hasattr(request.state, "token"):
        request.state.token = secrets.token_hex(16)
    return str(request.state.token)


async def ours(request: Request) -> None:
    """Refuses a post that does not come from a page of ours: a dependency of every router of pages."""
    if request.method in ("GET", "HEAD"):
        return
    found = (await request.form()).get("token")
    given = found if isinstance(found, str) and found else request.headers.get("X-Escuadra-Token", "")
    own = request.cookies.get("escuadra_token", "")
    if not given or not secrets.compare_digest(given.encode(errors="replace"), own.encode(errors="replace")):
        raise Conflict(said("web.pages.page_too_old_or_cookies"))


@dataclass(frozen=True)
class Upload:
    """A post's fields and the one file that came with it, as bytes; empty where none was chosen."""

    fields: dict[str, str]
    name: str
    content: bytes


async def upload_of(request: Request) -> Upload:
    """A post with a file, as it came."""
    name, content, fields = "", b"", {}
    form = await request.form()
    for key, value in form.multi_items():
        if isinstance(value, str):
            fields[key] = readable(value, key)
        elif value.size:
            name, content = value.filename or "", await value.read()
    await form.close()
    return Upload(fields, readable(name, "name", lines=False), content)


def told(error: BadInput | Conflict) -> Said:
    """A refusal in a sentence for the screen."""
    if isinstance(error, Conflict):
        return error.said
    if error.given in ("", "''"):
        return said("refused.wanted", accepted=error.accepted)
    return said("refused.not_accepted", given=error.given, accepted=error.accepted)


def status_of(error: BadInput | Conflict) -> int:
    """The HTTP status of a refusal."""
    if isinstance(error, Busy):
        return 503
    return 409 if isinstance(error, Conflict) else 422


def said_time(request: Request, at: int, form: Form = "time") -> str:
    """A moment in the garage's zone, as it is said."""
    zone = ZoneInfo(garage_of(request).store.setting("time_zone", "UTC"))
    return say(moment(datetime.fromtimestamp(at / 1000, zone), form))


PLACES = (
    ("day", "/"),
    ("visits", "/visits"),
    ("bays", "/bays"),
    ("instruments", "/instruments"),
    ("catalogue", "/catalogue"),
    ("garage", "/garage"),
)
"""The main places, as every page offers them."""


def render(
    request: Request, template: str, status: int = 200, headers: dict[str, str] | None = None, **context: Any
) -> HTMLResponse:
    """A page or a part of one."""
    garage = garage_of(request)
    people = garage.store.people()
    person = person_of(request)
    zone = ZoneInfo(garage.store.setting("time_zone", "UTC"))

    def clock(at: int, form: Form = "time") -> str:
        return say(moment(datetime.fromtimestamp(at / 1000, zone), form))

    text = environment.get_template(template).render(
        request=request,
        people=people,
        person=next((p for p in people if p["id"] == person), None),
        token=token_of(request),
        theme=theme if (theme := request.cookies.get("escuadra_theme", "")) in ("light", "dim") else "auto",
        places=PLACES,
        place_now=getattr(request.state, "place", "day"),
        language=spoken().code,
        languages=[(code, language(code).say(said("language.name"))) for code in languages()],
        words_address=words_address(),
        unit=request.cookies.get("escuadra_unit", "mm"),
        garage_name=garage.store.setting("name") or tell("garage.unnamed"),
        clock=clock,
        here=request.url.path + (f"?{request.url.query}" if request.url.query else ""),
        **context,
    )
    response = HTMLResponse(text, status, headers)
    if request.cookies.get("escuadra_token") != token_of(request):
        response.set_cookie("escuadra_token", token_of(request), samesite="strict", httponly=True, max_age=31_536_000)
    return response
