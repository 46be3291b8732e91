"""Whatever a released version wrote opens, verifies and prints what it printed: for good, from 0.2.0 on."""

import zipfile
from collections.abc import Iterator
from contextlib import closing
from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from escuadra.cli import app
from escuadra.commands import Garage, Opened
from escuadra.reports.certificate import print_certificate
from escuadra.reports.record import Record, build, print_record
from tests.kept.making import KEPT

NOW = 1_800_000_000_000


@pytest.fixture(params=sorted(KEPT.glob("*.zip")), ids=lambda kept: kept.stem)
def folder(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """A copy of a kept folder, as whoever brings a newer Escuadra has it on the disk."""
    with zipfile.ZipFile(request.param) as packed:
        packed.extractall(tmp_path / "data")
    return tmp_path / "data"


def opened(garage: Garage) -> Iterator[Opened]:
    """Every calibration of every visit."""
    with garage.store.reading() as log:
        rows = log.rows()
    for row in rows:
        yield from (garage.open(row.id, id) for id in garage.whole(row.id).visit.calibrations)


def judged(record: Record) -> list[Any]:
    """What a record's checks say, without the words for it."""
    return [(c.id, c.state, [(f.verdict, f.unit, round(f.value, 6)) for f in c.figures]) for c in record.checks]


def test_a_kept_folder_verifies_before_and_after_it_was_opened(folder: Path) -> None:
    for _ in range(2):
        found = CliRunner().invoke(app, ["verify", "--data", str(folder)])
        assert found.exit_code == 0, found.stdout
        Garage(folder, lambda: NOW).close()


def test_every_sheet_of_a_kept_folder_is_worked_out_and_says_what_was_signed(folder: Path) -> None:
    with closing(Garage(folder, lambda: NOW)) as garage:
        count = 0
        for one in opened(garage):
            assert not one.sheet.underivable, one.row.number
            for signed in one.state.records:
                said = signed.said
                kept = Record.model_validate_json(garage.files.get(said.record_json))
                again = build(garage.signed_sheet(one, said.revision), signed.person, signed.at, kept.garage)
                assert judged(again) == judged(kept), one.row.number
                count += 1
        assert count >= 5


def test_what_was_printed_is_printed_again_byte_for_byte(folder: Path) -> None:
    with closing(Garage(folder, lambda: NOW)) as garage:
        with garage.store.reading() as log:
            events = [(row.id, event) for row in log.rows() for event in log.events(row.id)]
        kinds = {"printed": (print_record, "record_pdf"), "certificate_printed": (print_certificate, "certificate_pdf")}
        printed = [(visit, event) for visit, event in events if event.kind in kinds]
        assert {event.kind for _, event in printed} == {*kinds}
        for visit, event in printed:
            again, digest = kinds[event.kind]
            assert sha256(again(garage, visit, event.data["revision"])).hexdigest() == event.data[digest]
