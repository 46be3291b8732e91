"""Makes the dump: the demo filled at a fixed moment, its pages found by their links and read as text, its drawings.

Of a sheet with one of its checks open, only what was not told of that sheet before.
"""

import html
import json
import re
import shutil
import sys
import tempfile
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path
from unittest.mock import patch

from fastapi.testclient import TestClient
from typer.testing import CliRunner

from escuadra.cli import app as command_line
from escuadra.commands import Garage
from escuadra.demo.valdehierro import open_demo
from escuadra.reports import paper
from escuadra.reports.record import Record, as_pdf
from escuadra.web.app import create_app
from escuadra.web.examples import EXAMPLES
from tests.conftest import DEMO_DAY

HERE = Path(__file__).parent
"""A Monday noon in March 2026, UTC milliseconds."""
STARTS = ("/", "/parts", "/garage?q=cam", "/jobs/new", "/customers")
FILES = re.compile(r"\.(pdf|json|csv|dxf|gpx|svg|yaml|zip|jpg)$|^/static/|^/api/")
LOOKED_AT = 3
"""Pages that differ only in what they are asked which are told, of each kind."""
CHECKS_LOOKED_AT = {"/visits/ID?part=": 2, "/jobs/ID?check=": 60, "/jobs/ID?check=&slot=": 12}
SPOKEN = ("aria-label", "title", "placeholder", "alt", "data-hold", "data-working", "data-note", "content")
BROKEN = {
    "compute": ["compute", "network", "missing.json"],
    "no such kind": ["compute", "nothing", "missing.json"],
    "verify": ["verify", "--data", "nowhere"],
    "backup": ["backup", "b.tar", "--data", "nowhere"],
    "restore": ["restore", "nothing.tar", "--data", "nowhere"],
}


class Words(HTMLParser):
    """The words of a page, one text or spoken attribute a line, drawings set apart."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.lines: list[str] = []
        self.silent = 0
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = dict(attrs)
        self.silent += tag in ("style", "script")
        spoken = [name for name in SPOKEN if given.get(name)]
        if tag == "input" and given.get("type", "text") not in ("hidden", "password"):
            spoken += [name for name in ("value",) if given.get("value")]
        if tag == "button" and given.get("value"):
            spoken.append("value")
        self.lines += [f"[{tag} {name}] {given[name]}" for name in spoken if tag != "meta"]

    def handle_endtag(self, tag: str) -> None:
        self.silent -= tag in ("style", "script")

    def handle_data(self, data: str) -> None:
        said = " ".join(data.replace("\u202f", "~").split())
        if said and not self.silent:
            self.lines.append(said)


def kind(path: str) -> str:
    """Pages of one template: their address without ids and values."""
    plain = re.sub(r"part=(&part=)+", "part=", re.sub(r"=[^&]*", "=", path))
    return re.sub(r"/[0-9a-f]{12}|(?<=/instruments)/[^/]+(?=/)", "/ID", plain)


def pages(client: TestClient) -> Iterator[tuple[str, str]]:
    """Every page that links lead to, with its HTML."""
    waiting, seen, kinds = [*STARTS], set[str](), dict[str, int]()
    while waiting:
        path = waiting.pop(0)
        if path in seen or kinds.get(kind(path), 0) >= CHECKS_LOOKED_AT.get(kind(path), LOOKED_AT):
            continue
        seen.add(path)
        kinds[kind(path)] = kinds.get(kind(path), 0) + 1
        text = client.get(path).text
        yield path, text
        links = (html.unescape(link) for link in re.findall(r'<a\s[^>]*href="(/[^"#]*)', text))
        waiting += [link for link in links if not FILES.search(link.partition("?")[0])]


def drawn(text: str) -> list[str]:
    """The drawings in a page, one element a line."""
    return [re.sub(r"(?<!^)<(?!/)", "\n<", svg) for svg in re.findall(r"<svg.*?</svg>", text, re.DOTALL)]


def record(garage: Garage) -> tuple[str, str]:
    """The signed job's record: its JSON, and the words of the paper that is printed from it."""
    opened = next(o for o in garage.jobs() if not hasattr(o, "why") and o.state.records)
    digest = opened.state.records[-1].said.record_json
    text = garage.files.get(digest).decode()
    found: list[str] = []

    def printed(template: str, **said: object) -> bytes:
        found.append(paper.SHEETS.get_template(template).render(**said))
        return b""

    with patch("escuadra.reports.record.printed", printed):
        as_pdf(Record.model_validate_json(text), opened, "Europe/Madrid", garage.files)
    return text, found[0]


def commands(folder: Path) -> Iterator[str]:
    """What the command line says: its help, each kind's example, and what it refuses."""
    runner = CliRunner()
    for name in ("", "serve", "demo", "devices", "compute", "verify", "reindex", "backup", "restore"):
        yield f"$ escuadra {name} --help"
        yield runner.invoke(command_line, [*name.split(), "--help"], env={"COLUMNS": "100", "TERM": "dumb"}).output
    for name, example in sorted(EXAMPLES.items()):
        given = folder / f"{name}.json"
        given.write_text(json.dumps(example))
        yield f"$ escuadra compute {name}"
        yield runner.invoke(command_line, ["compute", name, str(given)]).output
    for arguments in BROKEN.values():
        yield f"$ escuadra {' '.join(arguments)}"
        refused = runner.invoke(command_line, arguments)
        yield f"{refused.output}{refused.exception}"


def dump(whole: dict[str, str] | None = None, demo: Path | None = None) -> dict[str, str]:
    """Every file of the dump by its name; ``whole`` gets the HTML of every page, by its address.

    ``demo``: a data folder of the demo as of the day, which is used up; one is made where there is none.
    """
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if demo is not None:
            shutil.move(demo, folder / "demo")
        garage = open_demo(folder / "demo", lambda: DEMO_DAY)
        client = TestClient(create_app(garage), base_url="http://127.0.0.1")
        client.cookies.set("escuadra_person", "teo")
        told: list[str] = []
        before: dict[str, set[str]] = {}
        drawings: dict[str, str] = {}
        for path, text in pages(client):
            if whole is not None:
                whole[path] = text
            told += ["", f"=== {path}"]
            for svg in drawn(text):
                drawings.setdefault(svg, path)
            lines = Words(text).lines
            known = before.setdefault(path.partition("?")[0], set())
            told += [line for line in lines if "check=" not in path or line not in known]
            known.update(lines)
        if whole is not None:
            whole["/api/docs"] = client.get("/api/docs").text
        kept, paper_text = record(garage)
        garage.close()
        shown = "\n".join(f"\n=== first on {path}\n{svg}" for svg, path in drawings.items())
        said = "\n".join(commands(folder))
    words = "\n".join(Words(re.sub(r"<svg.*?</svg>", "", paper_text, flags=re.DOTALL)).lines)
    found = {"pages.txt": "\n".join(told), "drawings.txt": shown, "record.txt": words, "commands.txt": said}
    found["record.json"] = kept.rstrip()
    return {file: content.replace(name, "FOLDER") + "\n" for file, content in found.items()}


if __name__ == "__main__":
    for file, content in dump().items():
        (HERE / file).write_text(content, encoding="utf-8")
        print(f"{file}: {len(content.splitlines())} lines", file=sys.stderr)
