"""The log keeps what was acknowledged as it was: triggers, chain, head, backups, files."""

import os
import shutil
import sqlite3
import subprocess
import sys
import threading
from collections.abc import Sequence
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import Connection, text
from sqlalchemy.exc import DBAPIError

from escuadra.commands import Garage
from escuadra.commands.reading import TakeReading
from escuadra.commands.signing import Sign
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.stream import GENESIS, ITSELF, Event, Payload, Person, canonical, chained, made
from escuadra.core.house import BayAdded, SettingSet
from escuadra.core.visit.log.events import Answered as Said
from escuadra.rehearsal.technician import Technician
from escuadra.store import FileStore, Store
from escuadra.store.database import MIGRATIONS
from escuadra.store.verification import Verification
from tests.conftest import BEGUN, SERVED, Clock
from tests.english import refused, told

TEO = Person(id="teo", name="Teo Marchena")
only_file = pytest.mark.skipif(bool(SERVED), reason="about the folder's own file")


def wrongs(garage: Garage) -> list[str]:
    """What ``verify`` says."""
    return [told(wrong.said) for wrong in Verification(garage.store.engine, garage.files).wrongs()]


def entered(store: Store, stream: str, key: str, said: Payload) -> bool:
    """Enter what is said in a stream; false where that press was there already."""
    with store.writing() as log:
        return log.streams.enter(stream, key, 0, ITSELF, said)


def tamper(connection: Connection, statements: Sequence[str]) -> None:
    """Change the database behind the application's back, whatever would hold it in check put off first."""
    if connection.dialect.name == "sqlite":
        names = connection.execute(text("SELECT name FROM sqlite_master WHERE type = 'trigger'")).scalars().all()
        off = [*(f"DROP TRIGGER {name}" for name in names), "PRAGMA defer_foreign_keys = ON"]
    else:
        off = ["SET LOCAL session_replication_role = 'replica'"]
    for statement in off:
        connection.exec_driver_sql(statement)
    for statement in statements:
        assert connection.execute(text(statement)).rowcount != 0, statement


def tampered(garage: Garage, *statements: str) -> None:
    """Change the database behind the application's back."""
    with garage.store.engine.connect().execution_options(writing=True) as connection, connection.begin():
        tamper(connection, statements)


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE entry SET text = '{}'",
        "DELETE FROM entry",
        "UPDATE entry SET hash = 'x' WHERE seq = 2",
        "DELETE FROM journal",
        "UPDATE journal SET entry = 'x'",
        "UPDATE pinned SET text = '{}'",
        "DELETE FROM pinned",
        pytest.param(
            "INSERT OR REPLACE INTO entry SELECT stream, seq, id, '{}', hash FROM entry WHERE seq = 2", marks=only_file
        ),
        pytest.param(
            "INSERT OR REPLACE INTO entry SELECT stream, 77, id, '{}', hash FROM entry WHERE seq = 2", marks=only_file
        ),
        pytest.param("REPLACE INTO pinned SELECT hash, kind, id, revision, '{}' FROM pinned", marks=only_file),
    ],
)
def test_the_database_itself_refuses_to_change_what_was_appended(teo: Technician, statement: str) -> None:
    teo.read("arch.LF", "712", "tape-4")
    with (
        teo.garage.store.engine.connect() as connection,
        connection.begin(),
        pytest.raises(DBAPIError, match="append-only"),
    ):
        connection.execute(text(statement))


@settings(max_examples=60, deadline=None, derandomize=True)
@given(st.text(max_size=40), st.text(max_size=40), st.integers(0, 2**40))
def test_an_event_survives_its_text(slot: str, value: str, at: int) -> None:
    event = made("visit/j", 7, "id", at, TEO, Said(slot=slot, value=value))
    again = Event.model_validate_json(event.text().encode("utf-8", "surrogatepass"))
    assert again == event
    assert again.payload == Said(slot=slot, value=value)
    assert chained(GENESIS, event.text()) != chained("1" * 64, event.text())


def test_canonical_text_does_not_depend_on_order() -> None:
    assert canonical({"b": 1, "a": [1.5, "ñ"]}) == '{"a":[1.5,"ñ"],"b":1}' == canonical({"a": [1.5, "ñ"], "b": 1})
    with pytest.raises(ValueError, match="JSON compliant"):
        canonical({"a": float("nan")})


def test_an_event_of_a_later_version_is_refused_by_name() -> None:
    event = made("visit/j", 1, "id", 0, TEO, Said(slot="s", value="v")).model_copy(update={"version": 99})
    with refused(BadInput, match="answered version 99"):
        _ = event.payload


def test_a_doubled_press_is_one_event_and_many_tablets_lose_nothing(teo: Technician) -> None:
    garage = teo.garage
    for _ in range(2):
        garage.do(TakeReading(teo.job, "arch.LF", "712", "tape-4"), "teo", "the same press")
    assert garage.open(teo.job).row.count == BEGUN + 1

    def tablet(name: str) -> None:
        for k in range(12):
            garage.do(TakeReading(teo.job, "arch.RF", "712", "tape-4"), name, f"{name}-{k}")

    threads = [threading.Thread(target=tablet, args=(name,)) for name in ("teo", "amara", "ines")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    opened = garage.open(teo.job)
    assert opened.row.count == BEGUN + 37
    assert len(opened.state.live("arch.RF")) == 36
    assert wrongs(garage) == []
    with garage.store.reading() as log:
        assert [event.seq for event in log.events(teo.job)] == list(range(1, BEGUN + 38))


def test_another_process_finds_everything_and_goes_on(teo: Technician) -> None:
    teo.read("arch.LF", "712", "tape-4")
    other = Garage(teo.garage.data, Clock(), teo.garage.catalogue)
    assert len(other.open(teo.job).state.live("arch.LF")) == 1
    other.do(TakeReading(teo.job, "arch.RF", "713", "tape-4"), "amara", "from elsewhere")
    other.close()
    teo.read("arch.LR", "724", "tape-4")
    assert teo.opened.row.count == BEGUN + 3
    assert teo.opened.state.live("arch.RF")[0].value == 713


@only_file
def test_every_write_is_on_the_disk_before_it_is_acknowledged(garage: Garage) -> None:
    with garage.store.engine.connect() as connection:
        pragmas = {name: connection.exec_driver_sql(f"PRAGMA {name}").scalar() for name in
                   ("journal_mode", "synchronous", "foreign_keys", "busy_timeout")}  # fmt: skip
    assert pragmas == {"journal_mode": "wal", "synchronous": 2, "foreign_keys": 1, "busy_timeout": 5000}


MORE = """import os
from alembic import op
revision, down_revision = "1008", "1007"

def upgrade():
    op.execute("CREATE TABLE more (id TEXT)")
    if os.environ.get("KILLED"):
        os.kill(os.getpid(), 9)
"""


@only_file
def test_a_pending_migration_is_preceded_by_a_backup_and_tried_again_after_a_kill(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    url, backups = f"sqlite:///{tmp_path / 'g.sqlite'}", tmp_path / "backups"
    store = Store(url, backups)
    assert entered(store, "bay/Norte", "added", BayAdded(name="Norte"))
    store.close()
    assert not backups.exists()
    later = tmp_path / "migrations"
    shutil.copytree(MIGRATIONS, later)
    (later / "versions" / "1008_more.py").write_text(MORE)
    opened = "from pathlib import Path; from escuadra.store import database as d; d.NEWEST = '1008'; "
    opened += f"d.MIGRATIONS = Path({str(later)!r}); d.Store({url!r}, Path({str(backups)!r}))"
    killed = subprocess.run([sys.executable, "-c", opened], env={**os.environ, "KILLED": "yes"}, check=False)
    assert killed.returncode == -9
    monkeypatch.setattr("escuadra.store.database.NEWEST", "1008")
    monkeypatch.setattr("escuadra.store.database.MIGRATIONS", later)
    only_read = Store(url, read_only=True)
    assert only_read.version() == "1007", "looking migrates nothing, and a migration cut off has left nothing"
    with pytest.raises(Exception, match="readonly database"):
        entered(only_read, "bay/Sur", "added", BayAdded(name="Sur"))
    only_read.close()
    again = Store(url, backups)
    assert again.version() == "1008"
    assert again.bay_sheet("Norte") is None
    again.close()
    kept = sorted(backups.iterdir())
    assert [path.name for path in kept] == [f"before-1008-from-1007-{k}.sqlite" for k in (1, 2)]
    assert sqlite3.connect(kept[0]).execute("SELECT name FROM bay").fetchall() == [("Norte",)]


@only_file
def test_data_of_0_1_is_refused_in_one_sentence(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "g.sqlite") as old:
        old.execute("CREATE TABLE alembic_version (version_num TEXT)")
        old.execute("INSERT INTO alembic_version VALUES ('0003')")
    with refused(BadInput, match=r"data of 0\.1 is not carried along"):
        Store(f"sqlite:///{tmp_path / 'g.sqlite'}", tmp_path / "backups")
    assert list(tmp_path.iterdir()) == [tmp_path / "g.sqlite"]


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
    with refused(BadInput, match="bytes were changed"):
        files.get(digest)
    with refused(BadInput, match="missing"):
        files.get("0" * 64)


def test_signing_takes_the_head_that_the_signer_saw(full: Technician) -> None:
    seen = full.opened.row.head
    full.garage.do(TakeReading(full.job, "level.roll", "0.05", "level-1", "plus"), "amara", "meanwhile")
    with refused(Conflict, match="Others have recorded since you looked"):
        full.garage.do(Sign(full.job, seen, lambda *_: b"json"), "teo", "sign")


def test_a_stream_grows_in_order_and_takes_an_entry_once(garage: Garage) -> None:
    store, said = garage.store, SettingSet(key="a", value="b")
    before = len(store.events("settings"))
    assert [entered(store, "settings", f"k{n}", said) for n in (1, 2, 1, 3)] == [True, True, False, True]
    assert [event.seq for event in store.events("settings")] == list(range(1, before + 4))
