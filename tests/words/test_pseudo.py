"""Nothing that is read escapes the languages: the demo in a language of no people, page by page, refusal by refusal."""

import json
import re
import sqlite3
from collections.abc import Iterable, Iterator
from contextlib import suppress
from html.parser import HTMLParser
from pathlib import Path
from typing import Any
from unittest.mock import patch

import yaml
from fastapi.testclient import TestClient
from typer.testing import CliRunner

import escuadra
from escuadra.cli import app as command_line
from escuadra.core.base.errors import BadInput, refusal
from escuadra.demo.valdehierro import open_demo
from escuadra.web.app import create_app
from escuadra.web.examples import EXAMPLES
from escuadra.words import say, speaking
from tests.conftest import DEMO_DAY
from tests.golden.dump import BROKEN, kind, pages
from tests.words.pseudo import CODE, Outside, outside, there_is_a_pseudo_language

READER = {"escuadra_person": "teo", "escuadra_language": CODE}
TYPED = ("12 apples", "cam", "nothing", "English", "Español", "No such file or directory", "csv", "staff")
"""What is typed here or asked for in an address, the languages' own names, what the system says, a file's columns."""
CODED = re.compile(r"[a-z0-9_.-]+")
NAMED_BY = {
    *[
        "name",
        "label",
        "id",
        "text",
        "note",
        "reason",
        "number",
        "plate",
        "person",
        "title",
        "serial",
        "typed",
        "fixings",
        "sides",
    ]
}
EVERYWHERE = r"CSV|GPX|JSON|PDF|SVG|DXF|YAML|VIN|SHA-256|ISO|UTC|API|mm|cm|kg|kPa|mph|min|°C|°|Pa|ms|in"
"""What is written alike in every language: formats of files, units."""
FIELDS = re.compile(r"[a-z_]+(\.[a-z_]+)*")
"""Names of fields, in refusals of what a program or a file gave; they stand in the values of a message."""


def texts(value: Any, under: str = "") -> Iterator[tuple[str, str]]:
    """Every text in plain data with the key that it stands under; JSON within a text too."""
    if isinstance(value, dict):
        for key, part in value.items():
            yield from texts(part, key)
    elif isinstance(value, list):
        for part in value:
            yield from texts(part, under)
    elif isinstance(value, str):
        yield under, " ".join(value.split())
        if value.startswith(("{", "[")):
            with suppress(ValueError):
                yield from texts(json.loads(value), under)


class Given:
    """What people and catalogues gave: names, reasons, addresses. It is shown in every language as it was given."""

    def __init__(self, data: Path) -> None:
        files = [*Path(escuadra.__file__).parent.glob("catalogue/**/*.yaml"), *data.glob("catalogue/**/*.yaml")]
        given = [*texts([yaml.load(file.read_text(encoding="utf-8"), yaml.CSafeLoader) for file in files])]
        for file in data.glob("files/**/*"):
            if file.is_file() and file.read_bytes()[:1] in b"{[":
                given += texts(file.read_text(encoding="utf-8"))
        store = sqlite3.connect(data / "escuadra.sqlite")
        for (table,) in store.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
            rows = store.execute(f"SELECT * FROM {table}")
            columns = [column[0] for column in rows.description]
            given += texts([dict(zip(columns, row, strict=True)) for row in rows])
        self.names = {text for key, text in given if not CODED.fullmatch(text) or key in NAMED_BY}
        names = sorted((name for name in self.names if not CODED.fullmatch(name)), key=len, reverse=True)
        known = "|".join([*map(re.escape, [*names, *TYPED, str(data)]), EVERYWHERE])
        self.known = re.compile(rf"(?<!\w)(?:{known})(?!\w)")

    def escapes(self, pieces: Iterable[str]) -> set[str]:
        """Those that are neither given nor figures, nor signs; a figure with the decimal sign of another language."""
        rest = {piece: re.split(r"^\d+\. |, |[,;:.]$", self.known.sub("", piece)) for piece in pieces}
        odd = re.compile(r"[^\W\d_]{2}|\d\.\d")
        return {piece for piece, parts in rest.items() if any(odd.search(part) for part in {*parts} - self.names)}


def plain(*texts: str) -> list[str]:
    """What stands outside of all messages in what a program reads too, but for names of fields and arguments."""
    return [piece for text in texts for piece in outside(text, []) if not FIELDS.fullmatch(piece)]


class Asked(HTMLParser):
    """The forms of a page: how and where they go, and their fields, each that is typed holding what nobody asks for."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.forms: list[tuple[str, str, dict[str, str]]] = []
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = {key: value or "" for key, value in attrs}
        if tag == "form":
            self.forms.append((given.get("method", "get"), given.get("action", ""), {}))
        elif tag in ("input", "select", "textarea", "button") and given.get("name") and self.forms:
            kept = given.get("type") in ("hidden", "radio", "checkbox") or tag == "button"
            self.forms[-1][2].setdefault(given["name"], given.get("value", "") if kept else TYPED[0])


class Printed:
    """Stands in for what makes a PDF: the page that would be printed."""

    def __init__(self, string: str, base_url: str) -> None:
        self.string = string

    def write_pdf(self, pdf_variant: str, attachments: object = None) -> bytes:
        return self.string.encode()


def test_nothing_that_is_read_escapes_the_language(demo_then: Path) -> None:
    told: dict[str, list[str]] = {}
    forms: dict[str, tuple[str, str, dict[str, str]]] = {}
    drawn = set[str]()
    with there_is_a_pseudo_language(), patch("weasyprint.HTML", Printed):
        garage = open_demo(demo_then, lambda: DEMO_DAY)
        client = TestClient(create_app(garage), base_url="http://127.0.0.1")
        client.cookies.update(READER)
        for path, page in pages(client):
            told[path] = Outside(page).found
            drawn |= set(re.findall(r'href="(/[^"]+[.](?:pdf|svg))"', page))
            for method, action, fields in Asked(page).forms:
                forms.setdefault(f"{method} {kind(action or path)} {sorted(fields)}", (method, action or path, fields))
        for path in sorted(drawn):
            told[path] = Outside(client.get(path).text).found
        given = Given(demo_then)
        for method, action, fields in forms.values():
            if "language" in fields:
                continue
            answer = (
                client.request(method, action, data=fields) if method == "post" else client.get(action, params=fields)
            )
            told[f"{method} {action} {fields}"] = Outside(answer.text).found
        for path in ("/nothing", "/jobs/nothing", "/jobs/nothing/sign", "/catalogue/tool/nothing"):
            told[path] = Outside(client.get(path).text).found
            told[f"{path}: without a token"] = Outside(client.post(path, data={}).text).found
        for name, example in EXAMPLES.items():
            for broken in (example | {"oddly": 1}, {}):
                refused = client.post(f"/api/compute/{name}", json=broken).json()
                told[f"api {name} {[*broken]}"] = plain(refused["detail"], refused["accepted"])
        with speaking(CODE):
            for arguments in BROKEN.values():
                refused = CliRunner().invoke(command_line, arguments)
                why = say(refusal(refused.exception)) if isinstance(refused.exception, BadInput) else ""
                told[" ".join(arguments)] = plain(refused.output, why)
        garage.close()
    found = {path: sorted(escaped) for path, pieces in told.items() if (escaped := given.escapes(pieces))}
    assert not found
