"""A garage on a temporary folder, with a clock of its own, and a technician who works in it."""

import gc
import os
import re
import shutil
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
import yaml
from sqlalchemy import create_engine, text
from sqlalchemy.pool import NullPool

from escuadra.catalogue import Catalogue, load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage
from escuadra.commands.bays import AddBay, KeepBay
from escuadra.commands.forms import press
from escuadra.commands.people import AddPerson
from escuadra.core.base.stream import ITSELF, Part, Payload, made
from escuadra.core.bay.bay import Bay
from escuadra.core.house import visit_stream
from escuadra.demo.valdehierro import BAYS, PEOPLE, open_demo
from escuadra.rehearsal.technician import Technician

ROOT = Path(__file__).parents[1]
NOON = 1_764_072_000_000
DEMO_DAY = 1_773_057_600_000
GROUND = {"length": 24_000, "width": 12_000, "u_rise_mm": 0.4, "u_place_mm": 0.2}
"""A large bay whose floor was ground flat, as its record says, though nobody surveyed it."""
BEGUN = 3
"""Events of a visit that was just taken in: its vehicle, its frame, its calibration."""

# Garbage is looked for seldom, and not among what stays loaded: it took a tenth of what the tests take.
gc.freeze()
gc.set_threshold(50_000, 20, 50)


SLOW = frozenset((ROOT / "tests/slow.txt").read_text(encoding="utf-8").split())
"""Tests that ``make quick`` leaves out, as ``make coverage`` found how long each takes."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes long is marked, and begins first: nobody waits for one long test at the end."""
    for item in items:
        if item.nodeid.partition("[")[0] in SLOW:
            item.add_marker("slow")
    items.sort(key=lambda item: "e2e" not in item.path.parts and item.get_closest_marker("slow") is None)


class Clock:
    """A clock that goes a second further whenever it is read."""

    def __init__(self) -> None:
        self.at = NOON

    def __call__(self) -> int:
        self.at += 1000
        return self.at


@pytest.fixture(scope="session")
def catalogue() -> Catalogue:
    """The practice catalogue."""
    return load([PRACTICE])


SERVED = os.environ.get("ESCUADRA_TEST_POSTGRES", "")
"""Address of a PostgreSQL whose schemas the store's tests may make and drop; empty: the folder's own file."""


@pytest.fixture
def database(monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A database of its own for each test."""
    if not SERVED:
        yield "sqlite"
        return
    schema = f"t_{uuid.uuid4().hex}"
    with create_engine(SERVED, isolation_level="AUTOCOMMIT", poolclass=NullPool).connect() as connection:
        connection.execute(text(f"CREATE SCHEMA {schema}"))
        monkeypatch.setenv("ESCUADRA_DATABASE_URL", f"{SERVED}?options=-csearch_path%3D{schema}")
        yield "postgresql"
        connection.execute(text(f"DROP SCHEMA {schema} CASCADE"))


def peopled(garage: Garage) -> Garage:
    """The people and bays of Valdehierro."""
    for person in PEOPLE:
        garage.do(AddPerson(*person), ITSELF, press())
    for bay in BAYS:
        garage.do(AddBay(bay), ITSELF, press())
    return garage


def ground_flat(garage: Garage, bay: str) -> None:
    """Draw a bay whose floor was ground flat."""
    garage.do(KeepBay(Bay(name=bay, **GROUND), garage.floors.bay(bay)[1]), "ines", press())


def past_commands(garage: Garage, visit: str, said: Payload, of: Part, **odd: object) -> None:
    """Append an event that no command would, odd in a field of its own."""
    stream = visit_stream(visit)
    with garage.store.writing() as log:
        head, _ = log.streams.head(stream)
        key = f"odd-{head.count}"
        event = made(stream, head.count + 1, key, garage.clock(), garage.person("teo"), said, of)
        log.streams.append(head, event.model_copy(update=odd), said)


def minibus(garage: Garage, **asked: object) -> Technician:
    """Teo with a job just taken in: the minibus, its windscreen replaced."""
    ground_flat(garage, "Norte")
    technician = Technician(garage, garage.clock() if asked else NOON, "teo")
    own = {"number": "T-1", "reason": "windscreen replaced", "bay": "Norte", "procedure": "BL-CAM-01"}
    technician.take_in(**{**own, **asked})
    return technician


@pytest.fixture(scope="session")
def made_once(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Callable[[str, Callable[[], int]], Path]:
    """The data folder of the demo as of a time, made once for all workers: the first makes it, the others wait."""
    base = tmp_path_factory.getbasetemp()

    def made(name: str, clock: Callable[[], int]) -> Path:
        shared = (base if worker_id == "master" else base.parent) / name
        try:
            shared.mkdir()
        except FileExistsError:
            for _ in range(6000):
                if (shared / "made").exists():
                    return shared / "data"
                time.sleep(0.1)
            raise AssertionError("the worker that makes the demo did not finish") from None
        open_demo(shared / "data", clock).close()
        (shared / "made").touch()
        return shared / "data"

    return made


@pytest.fixture
def demo_then(made_once: Callable[[str, Callable[[], int]], Path], tmp_path: Path) -> Path:
    """A data folder of the demo as it was made on one and the same day, for the test alone."""
    return Path(shutil.copytree(made_once("demo-then", lambda: DEMO_DAY), tmp_path / "demo"))


@contextmanager
def on_own_sheet(folder: Path, sheet: str, reason: str) -> Iterator[Technician]:
    """A visit just taken in on a procedure that is no part of the practice catalogue; ``sheet``: its YAML."""
    own = folder / "own" / "procedures"
    own.mkdir(parents=True)
    (own / "own.yaml").write_text(sheet, encoding="utf-8")
    catalogue = load([PRACTICE, own.parent])
    assert not catalogue.refused, catalogue.refused
    garage = peopled(Garage(folder / "data", Clock(), catalogue))
    ground_flat(garage, "Norte")
    who = Technician(garage, NOON, "teo")
    who.take_in(number="T-1", reason=reason, bay="Norte", procedure=yaml.safe_load(sheet)["id"])
    yield who
    garage.close()


def finished(technician: Technician) -> Technician:
    """Everything read and holding: what is left is to sign."""
    technician.set_up()
    return technician


@pytest.fixture(scope="session")
def peopled_once(tmp_path_factory: pytest.TempPathFactory, catalogue: Catalogue) -> tuple[Path, int]:
    """The data folder of an empty garage with its people and bays, made once, and what time it was then."""
    folder, clock = tmp_path_factory.mktemp("peopled") / "data", Clock()
    peopled(Garage(folder, clock, catalogue)).close()
    return folder, clock.at


@pytest.fixture
def garage(request: pytest.FixtureRequest, tmp_path: Path, catalogue: Catalogue, database: str) -> Iterator[Garage]:
    """An empty garage with the people and bays of Valdehierro: a copy (made anew on a served database)."""
    clock = Clock()
    if database == "sqlite":
        folder, clock.at = request.getfixturevalue("peopled_once")
        shutil.copytree(folder, tmp_path / "data")
        made = Garage(tmp_path / "data", clock, catalogue)
    else:
        made = peopled(Garage(tmp_path / "data", clock, catalogue))
    yield made
    made.close()


@pytest.fixture
def teo(garage: Garage) -> Technician:
    """A job just taken in."""
    return minibus(garage)


@pytest.fixture(scope="session")
def finished_once(tmp_path_factory: pytest.TempPathFactory, catalogue: Catalogue) -> tuple[Path, Technician]:
    """A data folder with a finished set-up, made once, and who made it."""
    folder = tmp_path_factory.mktemp("finished") / "data"
    made = peopled(Garage(folder, Clock(), catalogue))
    technician = finished(minibus(made))
    made.close()
    return folder, technician


@pytest.fixture
def full(request: pytest.FixtureRequest, tmp_path: Path, catalogue: Catalogue, database: str) -> Iterator[Technician]:
    """A finished set-up: a copy of the one that was made once (made anew on a served database)."""
    if database != "sqlite":
        yield finished(request.getfixturevalue("teo"))
        return
    folder, before = request.getfixturevalue("finished_once")
    shutil.copytree(folder, tmp_path / "data")
    garage = Garage(tmp_path / "data", Clock(), catalogue)
    technician = Technician(garage, before.at, "teo")
    technician.job, technician.count = before.job, before.count
    yield technician
    garage.close()


def contributed(what: str, **given: object) -> dict[str, object]:
    """Run what CONTRIBUTING.md says a further thing of this kind is; its names."""
    blocks = re.findall(r"```python\n# (.*?)\n(.*?)```", (ROOT / "CONTRIBUTING.md").read_text(), re.S)
    names: dict[str, object] = {"__name__": "contributed", **given}
    exec(compile(dict(blocks)[what], f"CONTRIBUTING.md: {what}", "exec"), names)
    return names
