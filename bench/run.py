"""``make bench``: each figure with its name and limit, as ratios within one run; writes build/bench.json and docs.

Exits 1 where a limit does not hold. No part of ``make test``.
"""

import json
import platform
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Annotated

from fastapi import FastAPI, Form
from fastapi.responses import HTMLResponse
from fastapi.testclient import TestClient
from jinja2 import Environment
from sqlalchemy import create_engine, text

from escuadra.demo.valdehierro import BAYS, PEOPLE, Technician
from escuadra.jobs import Garage
from escuadra.store import dialect
from escuadra.web.app import create_app

ROOT = Path(__file__).parent.parent
PAIRS = 50


def a_job_with(events: int, garage: Garage) -> Technician:
    """A finished set-up whose log was filled up with repeated readings, bumps and re-readings."""
    for person in PEOPLE:
        garage.store.add_person(*person)
    for bay in BAYS:
        garage.store.add_bay(bay)
    who = Technician(garage, 1_764_000_000_000, "teo")
    who.take_in(number="B-1", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    who.target()
    while who.opened.row.count < events - 14:
        who.happen("bump")
        who.level()
        who.tapes((0.5, 0.3, 0.02))
    while who.opened.row.count < events:
        who.read("arch.LF", "713", "tape-4")
    return who


def reading_ratio() -> float:
    """A reading's round trip, post to redrawn sheet, ÷ a bare page that commits one row and renders as many bytes."""
    with tempfile.TemporaryDirectory() as folder:
        garage = Garage(Path(folder) / "g", lambda: time.time_ns() // 1_000_000)
        who = a_job_with(300, garage)
        ours = TestClient(create_app(garage), base_url="http://127.0.0.1")
        ours.cookies.set("escuadra_person", "teo")
        ours.get(f"/jobs/{who.job}")
        token = ours.cookies.get("escuadra_token") or ""
        count = 0

        def post() -> int:
            nonlocal count
            count += 1
            fields = {"token": token, "check": "ride_height", "slot": "arch.LF", "typed": "713", "tool": "tape-4"}
            path = f"/jobs/{who.job}/readings"
            answer = ours.post(path, data={**fields, "entry": f"b{count}"}, headers={"HX-Request": "true"})
            assert answer.status_code == 200
            return len(answer.content)

        size = post()
        bare = TestClient(bare_page(Path(folder) / "bare.sqlite", size), base_url="http://127.0.0.1")

        def post_bare() -> int:
            answer = bare.post("/", data={"typed": "713"})
            assert abs(len(answer.content) - size) < 200
            return len(answer.content)

        post_bare()
        ratio = ratio_of(post, post_bare)
        garage.close()
    return ratio


def bare_page(path: Path, size: int) -> FastAPI:
    """FastAPI and Jinja, one committed row under the same pragmas, as many bytes."""
    app = FastAPI()
    engine = create_engine(f"sqlite:///{path}")
    dialect.prepare(engine)
    with engine.connect().execution_options(writing=True) as connection, connection.begin():
        connection.execute(text("CREATE TABLE row (id INTEGER PRIMARY KEY, typed TEXT) STRICT"))
    page = Environment(autoescape=True).from_string("{% for _ in range(n) %}<p>{{ typed }} mm, a row</p>\n{% endfor %}")
    rows = size // len("<p>713 mm, a row</p>\n")

    @app.post("/")
    def post(typed: Annotated[str, Form()]) -> HTMLResponse:
        with engine.connect().execution_options(writing=True) as connection, connection.begin():
            connection.execute(text("INSERT INTO row (typed) VALUES (:typed)"), {"typed": typed})
        return HTMLResponse(page.render(n=rows, typed=typed))

    return app


def ratio_of(ours: Callable[[], object], theirs: Callable[[], object]) -> float:
    """Median of paired ratios."""

    def timed(act: Callable[[], object]) -> float:
        start = time.perf_counter()
        act()
        return time.perf_counter() - start

    return statistics.median(timed(ours) / timed(theirs) for _ in range(PAIRS))


FIGURES: dict[str, tuple[Callable[[], float], float, str]] = {
    "reading_ratio": (reading_ratio, 3.0, "a reading's round trip on 300 events ÷ a bare page that commits one row"),
}


def main() -> int:
    """Measure, write, print; 1 where a limit does not hold."""
    found = {}
    for name, (measure, limit, _) in FIGURES.items():
        value = measure()
        found[name] = {"value": round(value, 3), "limit": limit, "holds": value <= limit}
    (ROOT / "build").mkdir(exist_ok=True)
    (ROOT / "build" / "bench.json").write_text(json.dumps(found, indent=2) + "\n")
    lines = ["# Benchmarks", "", "Ratios within one run of `make bench`; the limits are the product's own.", ""]
    lines += ["| figure | what | value | at most | holds |", "|---|---|---|---|---|"]
    for name, figure in found.items():
        what = FIGURES[name][2]
        lines.append(
            f"| {name} | {what} | {figure['value']} | {figure['limit']} | {'yes' if figure['holds'] else 'NO'} |"
        )
    machine = f"{platform.machine()}, {platform.system()}, Python {platform.python_version()}"
    lines += ["", f"Measured {date.today().isoformat()} on {machine}.", ""]
    (ROOT / "docs" / "benchmarks.md").write_text("\n".join(lines))
    print("\n".join(lines))
    return 0 if all(figure["holds"] for figure in found.values()) else 1


if __name__ == "__main__":
    sys.exit(main())
