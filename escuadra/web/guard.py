"""The gate before every page: which hosts it is asked as, who may write, how large a body may be, and the headers.

Whatever is answered, refusals and failures too, leaves with the headers that keep a page to what is shipped. A write
must come from a page of this host: by ``Origin`` and ``Sec-Fetch-Site`` where a browser says them (Fetch standard),
and by the form's token anyway.
"""

import logging
import re
from collections.abc import Callable, Collection

from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from escuadra.core.base.said import Said, nouns, said
from escuadra.words import say

LOG = logging.getLogger("escuadra")
LARGEST_BODY = 1_000_000
LARGEST_UPLOAD = 20_000_000
LARGEST_TRACE = 60_000_000
"""Four hours at 10 Hz with all that receivers write beside them."""
UPLOADS = {"/document": LARGEST_UPLOAD, "/photos": LARGEST_UPLOAD, "/traces": LARGEST_TRACE}
"""How addresses end that take a document, a photo or a trace, and how large it may be."""
LOOPBACK = ("127.0.0.1", "localhost", "[::1]")
POLICY = (
    "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; "
    "form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
READS = ("GET", "HEAD", "OPTIONS")
Refuse = Callable[[Request, int, Said], Response]


def host_of(address: str) -> str:
    """The host of an address such as ``tablet.bay:8300`` or ``[::1]:8300``, lower case, without its port."""
    return re.sub(r":\d+$", "", address.strip().lower())


class Guard:
    """The gate, around everything else; ``refuse`` renders a status and a sentence."""

    def __init__(self, app: ASGIApp, hosts: Collection[str], refuse: Refuse) -> None:
        self.app, self.refuse = app, refuse
        self.hosts = {host_of(host) for host in (*LOOPBACK, *hosts)}

    def _refusal(self, scope: Scope, given: Headers) -> tuple[int, Said] | None:
        host, writes = given.get("host", ""), scope["method"] not in READS
        if host_of(host) not in self.hosts:
            return 421, (
                said(
                    "guard.garage_not_served_accepted_others",
                    host=host[:80] or said("guard.no_host"),
                    names=nouns(sorted(self.hosts), "comma"),
                )
            )
        origin, site = given.get("origin"), given.get("sec-fetch-site", "same-origin")
        if writes and (site not in ("same-origin", "none") or (origin and origin.partition("//")[2] != host)):
            return 403, said("guard.sent_page_another_place_nothing")
        charset = re.search(r"charset\s*=\s*\"?([\w.-]+)", given.get("content-type", ""), re.IGNORECASE)
        if charset and charset[1].lower() not in ("utf-8", "utf8", "us-ascii"):
            return 415, said("guard.text_not_read_here_accepted", charset=charset[1][:40])
        length = given.get("content-length", "0")
        chunked = "transfer-encoding" in given and writes
        largest = next((most for end, most in UPLOADS.items() if scope["path"].endswith(end)), LARGEST_BODY)
        if chunked or not re.fullmatch(r"[0-9]{1,12}", length) or int(length) > largest:
            return 413, said("guard.body_accepted_most_bytes_known", largest=largest)
        return None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        begun = False

        async def with_headers(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                kept = "public, max-age=3600" if scope["path"].startswith("/static/") else "no-store"
                headers.setdefault("Cache-Control", kept)
            await send(message)

        refusal = self._refusal(scope, Headers(scope=scope))
        if refusal is not None:
            await self._refused(scope, *refusal)(scope, receive, with_headers)
            return
        try:
            await self.app(scope, receive, with_headers)
        except Exception:
            LOG.exception("%s %s failed.", scope["method"], scope["path"])
            if begun:
                raise
            told = said("guard.something_failed_here_written_down")
            await self._refused(scope, 500, told)(scope, receive, with_headers)

    def _refused(self, scope: Scope, status: int, told: Said) -> Response:
        try:
            return self.refuse(Request(scope), status, told)
        except Exception:
            LOG.exception("Not even a refusal could be rendered.")
            return PlainTextResponse(say(told), status)
