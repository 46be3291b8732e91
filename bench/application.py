"""The application beside bare pages: a reading's round trip, replay of a long log, start-up, memory."""

import atexit
import gc
import hashlib
import itertools
import json
import os
import shutil
import signal
import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
import uuid
from collections.abc import Callable, Sequence
from functools import cache, partial
from pathlib import Path
from typing import Annotated

from fastapi import FastAPI, Form
from fastapi.responses import HTMLResponse
from fastapi.testclient import TestClient
from jinja2 import Environment
from sqlalchemy import create_engine, text

from escuadra.commands import Garage
from escuadra.commands.bays import AddBay
from escuadra.commands.forms import press
from escuadra.commands.people import AddPerson
from escuadra.core.base.stream import ITSELF, Event, made
from escuadra.core.house import visit_stream
from escuadra.core.visit.log.events import TakenIn
from escuadra.core.visit.log.state import State, fold
from escuadra.core.visit.sheet import derive
from escuadra.demo.valdehierro import BAYS, PEOPLE
from escuadra.rehearsal.technician import Technician
from escuadra.store import dialect
from escuadra.store.verification import Verification
from escuadra.web.app import create_app

PAIRS = 50


def a_job_with(events: int, garage: Garage) -> Technician:
    """A finished set-up whose log was filled up with repeated readings, bumps and re-readings."""
    for person in PEOPLE:
        garage.do(AddPerson(*person), ITSELF, press())
    for bay in BAYS:
        garage.do(AddBay(bay), ITSELF, press())
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


def six_epochs(garage: Garage) -> Technician:
    """A set-up whose frame was bumped five times and read anew each time: 120 readings at the frame and more."""
    who = a_job_with(0, garage)
    every = tuple((hub, end) for hub in ("LF", "RF", "LR", "RR") for end in ("LF_end", "RF_end"))
    for k in range(6):
        if k:
            who.happen("bump")
        who.level()
        off = (0.5 + 1.3 * k, 0.3 - 0.9 * k, 0.02 + 0.03 * k)
        for _ in range(2):
            who.tapes(off, every)
            who.read("crossing", f"{-off[1]:.1f}", "laser-2")
    return who


def reading_ratios() -> tuple[float, float]:
    """A reading's round trip, post to redrawn sheet, ÷ a bare page that commits one row and renders as many bytes.

    Of a tape, which is solved anew on 6 epochs and 120 readings, and of a ride height, which solves nothing.
    """
    with tempfile.TemporaryDirectory() as folder:
        garage = Garage(Path(folder) / "g", lambda: time.time_ns() // 1_000_000)
        who = six_epochs(garage)
        assert who.opened.sheet.epochs.epoch == 5
        ours = TestClient(create_app(garage), base_url="http://127.0.0.1")
        ours.cookies.set("escuadra_person", "teo")
        ours.get(f"/jobs/{who.job}")
        token = ours.cookies.get("escuadra_token") or ""
        keys = itertools.count()

        def post(check: str, slot: str, typed: str) -> int:
            # A tape replaces the one before, so that the visit does not grow while it is measured.
            fields = {"token": token, "check": check, "slot": slot, "typed": typed, "tool": "tape-4", "replaces": "yes"}
            path = f"/jobs/{who.job}/readings"
            answer = ours.post(path, data={**fields, "entry": f"b{next(keys)}"}, headers={"HX-Request": "true"})
            assert answer.status_code == 200
            return len(answer.content)

        ratios = []
        for check, slot in (("square", "tape.LF.LF_end"), ("ride_height", "arch.LF")):
            now = who.opened.sheet.slots[slot].now[-1].value
            read = partial(post, check, slot, f"{now:.0f}")
            size = read()
            bare = TestClient(bare_page(Path(folder) / f"{check}.sqlite", size), base_url="http://127.0.0.1")

            def post_bare(bare: TestClient = bare, size: int = size) -> int:
                answer = bare.post("/", data={"typed": "713"})
                assert abs(len(answer.content) - size) < 200
                return len(answer.content)

            post_bare()
            # As the command line does before it serves, for both alike.
            gc.freeze()
            ratios.append(ratio_of(read, post_bare))
            gc.unfreeze()
        garage.close()
    return ratios[0], ratios[1]


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


def list_ratio(visits: int = 60, pairs: int = 9) -> float:
    """The first list of so many visits after a start ÷ opening one of them, whose sheet is worked out then."""
    with tempfile.TemporaryDirectory() as folder:
        garage = Garage(Path(folder) / "g", lambda: 1_764_000_000_000)
        who = a_job_with(0, garage)
        who.take_in(number="L-0", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
        who.ready()
        copied(garage, who.job, [f"L-{k}" for k in range(1, visits)])
        ratios = []
        for _ in range(pairs):
            one, other = (Garage(garage.data, garage.clock, garage.catalogue) for _ in "ab")
            start = time.perf_counter()
            assert len(one.listed(visits)) == visits
            middle = time.perf_counter()
            other.open(who.job)
            ratios.append((middle - start) / (time.perf_counter() - middle))
            one.close()
            other.close()
        garage.close()
    return statistics.median(ratios)


def lengthened(events: list[Event], cycle: list[Event], count: int) -> list[Event]:
    """A stream that goes on with the same again and again, as far as so many events."""
    whole = list(events)
    while len(whole) + len(cycle) <= count:
        whole += [
            e.model_copy(update={"seq": seq, "id": f"{e.id}-{seq}"}) for seq, e in enumerate(cycle, len(whole) + 1)
        ]
    return whole


def copied(garage: Garage, visit: str, numbers: Sequence[str]) -> None:
    """The same visit again, under each of these numbers: its events as they are, in streams of their own."""
    with garage.store.writing() as log:
        events = log.events(visit)
        for number in numbers:
            head, _ = log.streams.head(visit_stream(uuid.uuid4().hex[:12]))
            for e in events:
                said = e.payload.model_copy(update={"number": number}) if isinstance(e.payload, TakenIn) else e.payload
                new = made(head.stream, e.seq, f"{number}-{e.seq}", e.at, e.person, said, e.of)
                head = log.streams.append(head, new, said)
    garage.store.forget()


def replay_ratio() -> float:
    """Folding and deriving a 2,000-event job ÷ parsing its events' JSON with the standard library."""
    with tempfile.TemporaryDirectory() as folder:
        garage = Garage(Path(folder) / "g", lambda: time.time_ns() // 1_000_000)
        who = a_job_with(0, garage)
        begun = who.opened.row.count
        who.happen("bump")
        who.level()
        who.tapes((0.5, 0.3, 0.02))
        with garage.store.reading() as log:
            events = log.events(who.job)
        events = lengthened(events, events[begun:], 2000)
        plan, texts = who.opened.sheet.plan, [event.text() for event in events]
        garage.close()

    def ours() -> object:
        return derive(fold(State(), events), plan, 0).next

    def parsed() -> object:
        return [json.loads(line) for line in texts]

    assert [Event.model_validate(entry) for entry in parsed()] == events  # type: ignore[attr-defined]
    return ratio_of(ours, parsed)


def verify_ratio(visits: int = 60, pairs: int = 9) -> float:
    """All of ``verify`` ÷ reading the same rows of entries, journal and pins, and hashing their texts."""
    with tempfile.TemporaryDirectory() as folder:
        garage = Garage(Path(folder) / "g", lambda: time.time_ns() // 1_000_000)
        who = a_job_with(200, garage)
        who.take_in(number="V-0", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
        who.ready()
        who.stance(1, 2, -1, 0)
        copied(garage, who.job, [f"V-{k}" for k in range(1, visits)])
        engine = garage.store.engine

        def ours() -> None:
            assert list(Verification(engine, garage.files).wrongs()) == []

        def read() -> None:
            with engine.connect() as connection:
                for table in ("entry", "journal", "pinned"):
                    rows = connection.execution_options(yield_per=500).execute(text(f"SELECT * FROM {table}"))
                    for row in rows:
                        hashlib.sha256(row[-2].encode() if isinstance(row[-2], str) else b"").hexdigest()

        ours()
        read()
        ratios = []
        for _ in range(pairs):
            start = time.perf_counter()
            ours()
            middle = time.perf_counter()
            read()
            ratios.append((middle - start) / (time.perf_counter() - middle))
        garage.close()
    return statistics.median(ratios)


PYCACHE = tempfile.mkdtemp(prefix="escuadra-bench-")
atexit.register(shutil.rmtree, PYCACHE, ignore_errors=True)


def served(folder: str) -> tuple[subprocess.Popen[bytes], str, float]:
    """A server on a fresh port, its address, and how long its first page took."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "escuadra.cli", "demo", "--port", str(port), "--data", folder, "--no-devices"]
    start = time.perf_counter()
    # As on a user's machine: what Python compiled once it does not compile again.
    plain = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=plain | {"PYTHONPYCACHEPREFIX": PYCACHE})
    address = f"http://127.0.0.1:{port}"
    while True:
        try:
            urllib.request.urlopen(f"{address}/", timeout=5).read()
            return process, address, time.perf_counter() - start
        except OSError:
            time.sleep(0.005)


@cache
def demo_folder() -> str:
    """The demo's data, made once."""
    folder = tempfile.mkdtemp(prefix="escuadra-bench-")
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    first, _, _ = served(f"{folder}/demo")
    stop(first)
    return f"{folder}/demo"


def start_ratio(pairs: int = 7) -> float:
    """Time from command to first page ÷ time of importing fastapi, sqlalchemy and numpy: median of pairs."""
    ratios = []
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(demo_folder(), f"{folder}/demo")
        for _ in range(pairs):
            process, _, took = served(f"{folder}/demo")
            stop(process)
            start = time.perf_counter()
            subprocess.run([sys.executable, "-c", "import fastapi, sqlalchemy, numpy"], check=True)
            ratios.append(took / (time.perf_counter() - start))
    return statistics.median(ratios)


def rss_mb() -> float:
    """Resident memory after 500 pages of 300 visits, of a server that finds its data there, MB.

    One in ten of the visits is read to the end, the others are taken in and readied.
    """
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(demo_folder(), f"{folder}/demo")
        garage = Garage(Path(folder) / "demo", lambda: time.time_ns() // 1_000_000)
        who = Technician(garage, 1_764_000_000_000, "teo")
        who.take_in(number="B-0", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
        who.ready()
        copied(garage, who.job, [f"B-{k}" for k in range(300) if k % 10])
        who.stance(1, 2, -1, 0)
        who.line(("0.07", "0.05"))
        who.target()
        who.level()
        who.tapes((0.5, 0.3, 0.02))
        copied(garage, who.job, [f"B-{k}" for k in range(10, 300, 10)])
        garage.listed(400)
        garage.close()
        process, address, _ = served(f"{folder}/demo")
        jobs: list[str] = []
        page = "/api/jobs"
        while page:
            with urllib.request.urlopen(address + page) as answer:
                told = json.load(answer)
            jobs, page = [*jobs, *(job["id"] for job in told["jobs"])], told["next"]
        assert len(jobs) >= 300, len(jobs)
        for k in range(500):
            urllib.request.urlopen(f"{address}/jobs/{jobs[k % len(jobs)]}").read()
        status = Path(f"/proc/{process.pid}/status").read_text()
        stop(process)
    return int(status.split("VmRSS:")[1].split()[0]) / 1024


def stop(process: subprocess.Popen[bytes]) -> None:
    """End a server that was started here."""
    os.kill(process.pid, signal.SIGTERM)
    process.wait(10)
