"""A garage on a temporary folder, with a clock of its own, and a technician who works in it."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from escuadra.catalogue import Catalogue, load
from escuadra.catalogue.library import PRACTICE
from escuadra.demo.valdehierro import BAYS, PEOPLE, Technician
from escuadra.jobs import Garage

NOON = 1_764_072_000_000


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


@pytest.fixture
def garage(tmp_path: Path, catalogue: Catalogue) -> Iterator[Garage]:
    """An empty garage with the people and bays of Valdehierro."""
    made = Garage(tmp_path / "data", Clock(), catalogue)
    for person in PEOPLE:
        made.store.add_person(*person)
    for bay in BAYS:
        made.store.add_bay(bay)
    yield made
    made.close()


@pytest.fixture
def teo(garage: Garage) -> Technician:
    """Teo with a job just taken in: the minibus, its windscreen replaced."""
    technician = Technician(garage, NOON, "teo")
    technician.take_in(number="T-1", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    return technician


@pytest.fixture
def full(teo: Technician) -> Technician:
    """The same, everything read and holding: what is left is to sign."""
    teo.ready()
    teo.stance(1, 2, -1, 0)
    teo.line(("0.07", "0.05"))
    teo.target()
    teo.level()
    teo.tapes((0.5, 0.3, 0.0))
    teo.tapes((0.5, 0.3, 0.0), (("LR", "LF_end"), ("RR", "RF_end")))
    return teo
