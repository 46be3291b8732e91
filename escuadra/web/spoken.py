"""The reader's language: what was chosen on this tablet, spoken while a request is answered."""

from http.cookies import CookieError, SimpleCookie

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from escuadra.words import FALLBACK, languages, speaking

COOKIE = "escuadra_language"


def language_of(cookies: str) -> str:
    """The language that a request's cookies ask for; English where they ask for none that there is."""
    try:
        found = SimpleCookie(cookies).get(COOKIE)
    except CookieError:
        return FALLBACK
    return found.value if found is not None and found.value in languages() else FALLBACK


class Spoken:
    """Around everything: refusals and failures are said in the reader's language too."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        with speaking(language_of(Headers(scope=scope).get("cookie", ""))):
            await self.app(scope, receive, send)
