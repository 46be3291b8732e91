"""``make fuzz``: the API by its own description, and odd text in every field of every form and query of the demo.

Exits 1 where anything answers with a failure (5xx), or not at all. Bounded by MOST_SECONDS.
"""

import collections
import html
import http.client
import os
import random
import re
import subprocess
import sys
import time
from html.parser import HTMLParser
from urllib.parse import quote, urlencode, urlsplit

from served import served

MOST_SECONDS = float(os.environ.get("ESCUADRA_FUZZ_SECONDS", "150"))
ODD = [
    *("", " ", "²", "é", "Ω", "\x00", "a\r\nb", "9" * 5000, "-1", "0", "1e999", "nan", "999999999", "-99999", "5e-324"),
    *("=1+1", "<script>alert(1)</script>", "' OR 1=1 --", "../../etc/passwd", "{{7*7}}", "%s", "\u202e", "x" * 9000),
    *("2026-13-45", "0000-00-00", "12 apples", "1/0 in", "66.2", "[" * 3000, '{"a":' * 500, "a,b\r1,2", "yes", "none"),
]
FILES = re.compile(r"\.(pdf|dxf|svg|jpg)$|^/static/")


class Forms(HTMLParser):
    """The forms of a page: where they go and what they ask, with what stands in them; and the page's links."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.forms: list[tuple[str, str, dict[str, str]]] = []
        self.links: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = {key: value or "" for key, value in attrs}
        if tag == "form":
            self.forms.append((given.get("method", "get").upper(), given.get("action", ""), {}))
        elif tag in ("input", "select", "textarea", "button") and given.get("name") and self.forms:
            self.forms[-1][2].setdefault(given["name"], given.get("value", ""))
        elif tag == "a" and given.get("href", "").startswith("/"):
            self.links.append(given["href"].partition("#")[0])


def kind(path: str) -> str:
    """Addresses of one route: without ids and values."""
    return re.sub(r"/[0-9a-f]{12}", "/ID", re.sub(r"=[^&]*", "=", path))


class Walker:
    """Asks, counts what is answered, remembers what failed."""

    def __init__(self, address: str) -> None:
        self.host, self.cookie = urlsplit(address).netloc, ""
        self.answers: collections.Counter[int] = collections.Counter()
        self.failed: list[str] = []

    def ask(self, method: str, path: str, body: bytes = b"", of: str = "application/x-www-form-urlencoded") -> str:
        """The text of an answer."""
        link = http.client.HTTPConnection(self.host, timeout=90)
        headers = {"Cookie": self.cookie} | ({"Content-Type": of} if body else {})
        try:
            link.request(method, path, body, headers)
            answer = link.getresponse()
            text = answer.read().decode(errors="replace")
            self.cookie = self.cookie or (answer.getheader("Set-Cookie") or "").split(";")[0]
            status = answer.status
        except (OSError, http.client.HTTPException) as error:
            status, text = 599, repr(error)
        link.close()
        self.answers[status] += 1
        if status >= 500:
            self.failed.append(f"{status} {method} {path[:200]} {body[:300]!r}")
        return text if status < 500 else ""


def crawl(walker: Walker) -> dict[str, tuple[str, str, dict[str, str]]]:
    """Every form of the demo, one of each kind."""
    forms: dict[str, tuple[str, str, dict[str, str]]] = {}
    seen: collections.Counter[str] = collections.Counter()
    waiting = ["/", "/jobs/new", "/garage", "/bays", "/instruments"]
    while waiting:
        path = waiting.pop(0)
        seen[kind(path)] += 1
        if seen[kind(path)] > (40 if "check=" in path else 2):
            continue
        found = Forms(walker.ask("GET", path))
        for method, action, fields in found.forms:
            action = action or path
            forms.setdefault(f"{method} {kind(action)} {sorted(fields)}", (method, action, fields))
        waiting += [link for link in found.links if not FILES.search(html.unescape(link).partition("?")[0])]
    return forms


def main() -> int:
    """Fuzz; say what failed."""
    seed = int(os.environ.get("ESCUADRA_FUZZ_SEED", "1"))
    chance, begun = random.Random(seed), time.monotonic()
    with served("demo") as (address, _):
        walker = Walker(address)
        walker.ask("GET", "/")
        token = walker.cookie.partition("=")[2]
        walker.cookie += "; escuadra_person=teo"
        forms = list(crawl(walker).values())
        print(f"{len(forms)} kinds of form")
        rounds = 0
        while time.monotonic() - begun < MOST_SECONDS:
            rounds += 1
            method, action, given = chance.choice(forms)
            fields = {**given, "token": token, "entry": f"fuzz{rounds}"}
            for name in chance.sample(sorted(given), min(len(given), chance.randint(1, 3))):
                fields[name] = chance.choice(ODD)
            if chance.random() < 0.2:
                fields.pop(chance.choice(sorted(fields)))
            if chance.random() < 0.2:
                fields[chance.choice(["thing-x-name", "thing-", "thing-300000-name", "by.left", "at-", "\u00e9"])] = "1"
            fields["token"] = token if chance.random() < 0.97 else "é"
            if method == "GET":
                walker.ask("GET", f"{action.partition('?')[0]}?{urlencode(fields)}")
            else:
                walker.ask("POST", quote(action, safe="/?=&%"), urlencode(fields).encode())
        walker.ask("GET", "/")
        print(f"{rounds} forms sent, answers {dict(sorted(walker.answers.items()))}")
        for line in sorted(set(walker.failed))[:20]:
            print(line)
        command = ["-m", "schemathesis.cli", "run", f"{address}/openapi.json", "--checks", "not_a_server_error"]
        bounded = ["--max-examples", "25", "--seed", str(seed), "--generation-deterministic", "--phases", "fuzzing"]
        api = subprocess.run([sys.executable, *command, *bounded], check=False).returncode
    return 1 if walker.failed or api else 0


if __name__ == "__main__":
    sys.exit(main())
