"""Screens: each registers itself with its routes, the main place that it belongs to, and its templates.

A screen is one folder here, with its routes and its templates; nothing else has a list of them.
"""

from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from pkgutil import iter_modules

from fastapi import APIRouter, Depends, Request
from starlette.routing import BaseRoute

from escuadra.web.pages import environment, ours

HERE = Path(__file__).parent
SCREENS: dict[str, "Screen"] = {}


@dataclass(frozen=True)
class Screen:
    """A page or a few that belong together."""

    id: str
    router: APIRouter


def screen(
    id: str, prefix: str = "", within: str = "day", posts: bool = True, templates: Path | None = None
) -> APIRouter:
    """Register a screen and get the router for its routes; ``posts``: what is sent to it must come from our pages.

    ``templates``: a folder of its own, where it is no folder of these.
    """
    assert id not in SCREENS, id

    async def place(request: Request) -> None:
        request.state.place = within

    router = APIRouter(prefix=prefix, dependencies=[*([Depends(ours)] if posts else []), Depends(place)])
    SCREENS[id] = Screen(id, router)
    if templates is not None:
        environment.look_in(templates)
    return router


def routes() -> list[BaseRoute]:
    """The routes of all screens: a fixed address before one with a name in its place."""
    for folder in iter_modules([str(HERE)]):
        environment.look_in(HERE / folder.name)
        import_module(f"{__name__}.{folder.name}.routes")
    every = [route for one in SCREENS.values() for route in one.router.routes]
    return sorted(every, key=lambda route: [part.startswith("{") for part in getattr(route, "path", "").split("/")])
