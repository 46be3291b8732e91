"""Writers take turns; a folder has one server; what cannot start says why in one line and leaves nothing behind."""

import os
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any

import pytest

from escuadra.commands import Garage
from escuadra.core.base.errors import BadInput, Busy
from escuadra.rehearsal.technician import Technician
from escuadra.store.writers import Turns, folder_lock
from tests.conftest import BEGUN, SERVED, Clock
from tests.english import refused
from tests.web.conftest import Visitor

only_file = pytest.mark.skipif(bool(SERVED), reason="about the folder's own file")


def test_turns_are_given_in_the_order_in_which_they_were_asked_for() -> None:
    turns, order = Turns(), list[int]()
    turns.take(1)

    def work(k: int) -> None:
        turns.take(30)
        order.append(k)
        turns.give()

    threads = [threading.Thread(target=work, args=(k,)) for k in range(12)]
    for thread in threads:
        before = len(turns._waiting)
        thread.start()
        while len(turns._waiting) == before:
            time.sleep(0.001)
    with refused(Busy, match="Nothing was recorded"):
        turns.take(0.01)
    turns.give()
    for thread in threads:
        thread.join(30)
    assert order == list(range(12))
    turns.take(0.01)


@only_file
def test_a_writer_that_cannot_write_keeps_what_was_typed(teo: Technician) -> None:
    visitor, writers = Visitor(teo.garage), teo.garage.store.writers
    fields = {"entry": "busy", "check": "stance", "slot": "arch.LF", "typed": "712.5", "tool": "tape-4"}
    writers.patience = 0.02
    with writers.writing():
        answer = visitor.post(f"/jobs/{teo.job}/readings", fields)
        assert answer.status_code == 503
        assert 'value="712.5"' in answer.text
        assert "Nothing was recorded: enter it again" in answer.text
        new = {"number": "B-1", "reason": "windscreen replaced", "bay": "Norte", "procedure": "BL-CAM-01"}
        answer = visitor.post("/jobs/new", {**new, "frame": "galga-2", "entry": "n"})
        assert (answer.status_code, 'value="B-1"' in answer.text) == (503, True)
    assert visitor.post(f"/jobs/{teo.job}/readings", fields).status_code == 303
    assert teo.opened.state.live("arch.LF")[0].value == 712.5


def test_a_form_without_its_own_id_is_refused_the_first_time_too(teo: Technician) -> None:
    visitor = Visitor(teo.garage)
    for path, fields in (
        (f"/jobs/{teo.job}/answers", {"check": "doors", "slot": "tick.doors", "value": "yes"}),
        (f"/jobs/{teo.job}/happenings", {"what": "bump"}),
        ("/jobs/new", {"number": "B-1", "reason": "r", "bay": "Norte", "procedure": "BL-CAM-01", "frame": "galga-2"}),
        ("/instruments", {"name": "Tape 9", "kind": "steel_tape", "resolution": "1", "accuracy_constant": "1"}),
    ):
        answer = visitor.post(path, {**fields, "entry": ""})
        assert answer.status_code == 422, path
        assert "reload the page" in answer.text, path
    assert teo.opened.row.count == BEGUN


def started(*arguments: str, **more: Any) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "escuadra.cli", *arguments, "--port", "1"]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, **more)


def few_bytes() -> None:
    """A disk that takes 20 kB a file."""
    import resource

    resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, 20_000))


@only_file
def test_what_cannot_start_says_why_in_one_line_and_leaves_nothing(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("mine")
    (tmp_path / "broken").mkdir()
    (tmp_path / "broken" / "escuadra.sqlite").write_text("no database at all, whatever its name says " * 40)
    later = Garage(tmp_path / "later", Clock())
    later.close()
    with sqlite3.connect(tmp_path / "later" / "escuadra.sqlite") as database:
        database.execute("UPDATE alembic_version SET version_num = '9999'")
    starts = {
        "a folder; this is a file": started("serve", "--data", str(tmp_path / "file")),
        "file is not a database": started("serve", "--data", str(tmp_path / "broken")),
        "a newer Escuadra wrote": started("serve", "--data", str(tmp_path / "later")),
        "proc": started("serve", "--data", "/proc/garage"),
        "on a disk with room": started("serve", "--data", str(tmp_path / "full"), preexec_fn=few_bytes),
    }
    for said, process in starts.items():
        _, told = process.communicate(timeout=120)
        assert process.returncode == 2, told
        assert said in told
        assert len(told.strip().splitlines()) == 1, told
    assert sorted(path.name for path in tmp_path.iterdir()) == ["broken", "file", "later"]
    assert (tmp_path / "file").read_text() == "mine"


@only_file
def test_a_second_server_on_a_folder_is_refused_with_the_first_ones_number(tmp_path: Path) -> None:
    with folder_lock(tmp_path):
        second = started("serve", "--data", str(tmp_path))
        _, told = second.communicate(timeout=120)
        assert (second.returncode, f"process {os.getpid()} does" in told) == (2, True)
        with refused(BadInput, match=f"process {os.getpid()}"), folder_lock(tmp_path):
            pass
    killed = subprocess.Popen(
        [sys.executable, "-c", f"import sys, time, pathlib; from escuadra.store.writers import folder_lock as f\n"
         f"with f(pathlib.Path({str(tmp_path)!r})): print('held', flush=True); time.sleep(60)"],
        stdout=subprocess.PIPE,
    )  # fmt: skip
    assert killed.stdout is not None
    assert killed.stdout.readline() == b"held\n"
    killed.send_signal(signal.SIGKILL)
    killed.wait(60)
    killed.stdout.close()
    with folder_lock(tmp_path):
        assert (tmp_path / "lock").read_text() == f"{os.getpid()}\n"


@only_file
def test_a_file_that_the_disk_does_not_take_leaves_no_part_of_it(
    garage: Garage, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with refused(Busy, match="No space left on device"):
        garage.files.put(b"a record")
    assert [path for path in garage.files.folder.rglob("*") if path.is_file()] == []
