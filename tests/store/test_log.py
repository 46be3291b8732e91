"""The log keeps what was acknowledged as it was: triggers, chain, head, backups, files."""

import sqlite3
import threading
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from escuadra.core.errors import BadInput, Conflict
from escuadra.core.job.events import GENESIS, Event, Person, canonical, chained, made
from escuadra.core.job.events import Answered as Said
from escuadra.demo.technician import Technician
from escuadra.jobs import Garage
from escuadra.store import FileStore, Store
from escuadra.store.database import NEWEST
from tests.conftest import SERVED, Clock

TEO = Person(id="teo", name="Teo Marchena")


def tampered(garage: Garage, *statements: str) -> None:
    """Change the database behind the application's back, its triggers dropped first."""
    drops = {
        "sqlite": ["DROP TRIGGER event_no_update", "DROP TRIGGER event_no_delete"],
        "postgresql": ["DROP TRIGGER event_kept ON event"],
    }
    with garage.store.engine.connect().execution_options(writing=True) as connection, connection.begin():
        for statement in (*drops[garage.store.engine.dialect.name], *statements):
            connection.execute(text(statement))


@pytest.mark.parametrize(
    "statement", ["UPDATE event SET text = '{}'", "DELETE FROM event", "UPDATE event SET hash = 'x' WHERE seq = 2"]
)
def test_the_database_itself_refuses_to_change_an_event(teo: Technician, statement: str) -> None:
    teo.read("arch.LF", "712", "tape-4")
    with (
        teo.garage.store.engine.connect() as connection,
        connection.begin(),
        pytest.raises(DBAPIError, match="append-only"),
    ):
        connection.execute(text(statement))


@pytest.mark.parametrize(
    "tamper, seq, what",
    [
        ("UPDATE event SET text = replace(text, '712', '713') WHERE seq = 2", 2, "this event was changed"),
        ("UPDATE event SET hash = 'f00' WHERE seq = 3", 3, "this event was changed"),
        ("DELETE FROM event WHERE seq = 3", 3, "this event is missing"),
        ("DELETE FROM event WHERE seq >= 4", 4, "2 missing at the end: the log should have 5"),
        ("UPDATE job SET head = 'f00'", 5, "the head is not the one that was noted"),
    ],
)
def test_verify_names_the_first_event_that_is_wrong(teo: Technician, tamper: str, seq: int, what: str) -> None:
    for corner in ("LF", "RF", "LR", "RR"):
        teo.read(f"arch.{corner}", "712", "tape-4")
    with teo.garage.store.reading() as log:
        assert list(log.verify()) == []
    tampered(teo.garage, tamper)
    with teo.garage.store.reading() as log:
        found = list(log.verify())
    assert [(broken.number, broken.seq, broken.what) for broken in found] == [("T-1", seq, what)]


@settings(max_examples=60, deadline=None, derandomize=True)
@given(st.text(max_size=40), st.text(max_size=40), st.integers(0, 2**40))
def test_an_event_survives_its_text(slot: str, value: str, at: int) -> None:
    event = made("job", 7, "id", at, TEO, Said(slot=slot, value=value))
    again = Event.model_validate_json(event.text().encode("utf-8", "surrogatepass"))
    assert again == event
    assert again.payload == Said(slot=slot, value=value)
    assert chained(GENESIS, event.text()) != chained("1" * 64, event.text())


def test_canonical_text_does_not_depend_on_order() -> None:
    assert canonical({"b": 1, "a": [1.5, "ñ"]}) == '{"a":[1.5,"ñ"],"b":1}' == canonical({"a": [1.5, "ñ"], "b": 1})
    with pytest.raises(ValueError, match="JSON compliant"):
        canonical({"a": float("nan")})


def test_an_event_of_a_later_version_is_refused_by_name() -> None:
    event = made("job", 1, "id", 0, TEO, Said(slot="s", value="v")).model_copy(update={"version": 99})
    with pytest.raises(BadInput, match="answered version 99"):
        _ = event.payload


def test_a_doubled_press_is_one_event_and_many_tablets_lose_nothing(teo: Technician) -> None:
    garage = teo.garage
    for _ in range(2):
        garage.record(teo.job, "arch.LF", "712", "tape-4", "teo", "the same press")
    assert garage.open(teo.job).row.count == 2

    def tablet(name: str) -> None:
        for k in range(12):
            garage.record(teo.job, "arch.RF", "712", "tape-4", name, f"{name}-{k}")

    threads = [threading.Thread(target=tablet, args=(name,)) for name in ("teo", "amara", "ines")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    opened = garage.open(teo.job)
    assert opened.row.count == 2 + 36
    assert len(opened.state.live("arch.RF")) == 36
    with garage.store.reading() as log:
        assert list(log.verify()) == []
        assert [event.seq for event in log.events(teo.job)] == list(range(1, 39))


def test_another_process_finds_everything_and_goes_on(teo: Technician) -> None:
    teo.read("arch.LF", "712", "tape-4")
    other = Garage(teo.garage.data, Clock(), teo.garage.catalogue)
    assert len(other.open(teo.job).state.live("arch.LF")) == 1
    other.record(teo.job, "arch.RF", "713", "tape-4", "amara", "from elsewhere")
    other.close()
    teo.read("arch.LR", "724", "tape-4")
    assert teo.opened.row.count == 4
    assert teo.opened.state.live("arch.RF")[0].value == 713


only_file = pytest.mark.skipif(bool(SERVED), reason="about the folder's own file")


@only_file
def test_every_write_is_on_the_disk_before_it_is_acknowledged(garage: Garage) -> None:
    with garage.store.engine.connect() as connection:
        pragmas = {name: connection.exec_driver_sql(f"PRAGMA {name}").scalar() for name in
                   ("journal_mode", "synchronous", "foreign_keys", "busy_timeout")}  # fmt: skip
    assert pragmas == {"journal_mode": "wal", "synchronous": 2, "foreign_keys": 1, "busy_timeout": 5000}


@only_file
def test_a_pending_migration_is_preceded_by_a_backup(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with monkeypatch.context() as earlier:
        earlier.setattr("escuadra.store.database.NEWEST", "0001")
        store = Store(f"sqlite:///{tmp_path / 'g.sqlite'}", tmp_path / "backups")
        store.add_bay("Norte")
        assert store.version() == "0001"
        assert not (tmp_path / "backups").exists()
        store.close()
    (tmp_path / "backups").mkdir()
    cut_off = tmp_path / "backups" / f"before-{NEWEST}-from-0001-1.sqlite"
    cut_off.write_text("of a start that was killed")
    only_read = Store(f"sqlite:///{tmp_path / 'g.sqlite'}", read_only=True)
    assert only_read.version() == "0001", "looking migrates nothing"
    with pytest.raises(Exception, match="readonly database"):
        only_read.add_bay("Sur")
    only_read.close()
    again = Store(f"sqlite:///{tmp_path / 'g.sqlite'}", tmp_path / "backups")
    assert again.version() == NEWEST
    assert again.bay_sheet("Norte") is None
    cut_off.unlink()
    (backup,) = (tmp_path / "backups").iterdir()
    assert backup.name == f"before-{NEWEST}-from-0001-2.sqlite"
    assert sqlite3.connect(backup).execute("SELECT name FROM bay").fetchall() == [("Norte",)]
    again.close()


def test_the_migrations_make_the_tables_that_the_code_uses(garage: Garage) -> None:
    from sqlalchemy import inspect

    from escuadra.store.tables import metadata

    found = inspect(garage.store.engine)
    for table in metadata.sorted_tables:
        assert {c["name"] for c in found.get_columns(table.name)} == {c.name for c in table.columns}


def test_files_are_found_by_their_content_and_a_changed_one_is_noticed(tmp_path: Path) -> None:
    files = FileStore(tmp_path)
    digest = files.put(b"record")
    assert files.put(b"record") == digest
    assert files.get(digest) == b"record"
    (tmp_path / digest[:2] / digest).write_bytes(b"forged")
    with pytest.raises(BadInput, match="bytes were changed"):
        files.get(digest)
    with pytest.raises(BadInput, match="missing"):
        files.get("0" * 64)


def test_signing_takes_the_head_that_the_signer_saw(full: Technician) -> None:
    seen = full.opened.row.head
    full.garage.record(full.job, "level.roll", "0.05", "level-1", "amara", "meanwhile", word="LF end high")
    with pytest.raises(Conflict, match="Others have recorded since you looked"):
        full.garage.sign(full.job, seen, "teo", "sign", lambda *_: (b"json", b"pdf"))


def test_an_instruments_history_grows_in_order_and_takes_an_entry_once(garage: Garage) -> None:
    store = garage.store
    assert store.instrument_entries() == {}
    assert [store.append_instrument("tape-4", f"k{n}", f"text {n}") for n in (1, 2, 1, 3)] == [True, True, False, True]
    assert store.append_instrument("tape-7", "k1", "another's")
    assert store.instrument_entries() == {"tape-4": ["text 1", "text 2", "text 3"], "tape-7": ["another's"]}
