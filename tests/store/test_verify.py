"""``escuadra verify`` as a user runs it, old events brought up to date, and screens told of changes."""

import asyncio
import shutil
import tarfile
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from escuadra.cli import app
from escuadra.commands import Garage
from escuadra.commands.forms import press
from escuadra.commands.instrument_life import Document, Drop
from escuadra.commands.live_drive import content_of, receive
from escuadra.commands.settings import Set
from escuadra.commands.signing import Sign
from escuadra.commands.surveys import CloseSurvey, of_csv
from escuadra.commands.vehicle import Photograph
from escuadra.commands.writing import BeginEntry, LookAgainAfter, LookOver, ReleaseEntry
from escuadra.core.base.errors import BadInput
from escuadra.core.base.stream import ITSELF, Event, Person
from escuadra.core.visit.log.events import Answered
from escuadra.rehearsal import rehearse
from escuadra.rehearsal.technician import Technician
from escuadra.store import Row
from escuadra.store.backup import put_back
from escuadra.store.verification import Verification
from escuadra.web.changes import Changes
from tests.conftest import Clock
from tests.core.visit.test_floors import MORE
from tests.core.visit.test_vehicle import picture
from tests.english import refused, told
from tests.store.test_log import only_file, tamper, tampered, wrongs


def verify(who: Technician, *more: str) -> Any:
    return CliRunner().invoke(app, ["verify", "--data", str(who.garage.data), *more])


def furnished(who: Technician) -> Garage:
    """A signed visit, a second one, a closed survey, an instrument's history, a photo and a document."""
    garage = who.garage
    who.finish()
    garage.do(Sign(who.job, who.opened.row.head, lambda *_: b"{}"), "ines", who.id())
    first = who.job
    who.take_in(number="T-2", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    who.read("arch.LF", "712", "tape-4")
    slot = next(s for s in who.opened.sheet.slots if s.startswith("condition."))
    garage.do(Photograph(who.job, slot, "p.png", picture("PNG", (40, 30), 1)), "teo", "photo")
    garage.do(Document("tape-4", "sheet.pdf", b"%PDF-1.7 of a tape"), "teo", "doc")
    garage.do(Drop("laser-2", "fell"), "teo", "drop")
    survey = garage.do(of_csv(ROWS, bay="Norte", **MORE), "teo", "survey")
    garage.do(CloseSurvey(survey), "teo", press())
    garage.do(Set("name", "Valdehierro"), ITSELF, press())
    draft = garage.do(BeginEntry("target", "RP-9", "RP-1"), "teo", press())
    garage.do(LookOver("target", "RP-9", draft.seq), "ines", press())
    garage.do(ReleaseEntry("target", "RP-9", draft.seq + 1, rehearse), "ines", press())
    garage.do(LookAgainAfter("target", "RP-9", "2027-01-01"), "ines", press())
    who.job = first
    return garage


ROWS = "point,x,y,staff\n" + "\n".join(f"P{x}{y},{4000 * x},{3000 * y},{1390 + x + y}" for x in (0, 1) for y in (0, 1))
FIRST, SECOND = "(SELECT stream FROM visit WHERE number = 'T-1')", "(SELECT stream FROM visit WHERE number = 'T-2')"
ONE = "(SELECT id FROM visit WHERE number = 'T-1')"
LAST = f"(SELECT max(seq) FROM entry WHERE stream = {FIRST})"
CUT_OFF = [
    f"DELETE FROM entry WHERE stream = {FIRST} AND seq = {LAST}",
    f"UPDATE stream SET count = {LAST}, head = (SELECT hash FROM entry WHERE stream = {FIRST} AND seq = {LAST}) "
    f"WHERE id = {FIRST}",
]
TAMPERED: list[tuple[str, list[str], str]] = [
    ("an event's text", [f"UPDATE entry SET text = replace(text, '712', '713') WHERE stream = {SECOND} AND seq = 4"],
     "T-2 (visit/…): event 4: this event was changed"),
    ("an event's hash", [f"UPDATE entry SET hash = 'f00' WHERE stream = {SECOND} AND seq = 4"],
     "event 4: this event was changed"),
    ("an event's own id", [f"UPDATE entry SET id = 'else' WHERE stream = {SECOND} AND seq = 4"],
     "event 4: this event was changed"),
    ("an event in the middle", [f"DELETE FROM entry WHERE stream = {FIRST} AND seq = 3"],
     "event 3: this event is missing"),
    ("the last event", CUT_OFF[:1], "1 missing at the end"),
    ("the last event, count and head set right", CUT_OFF, "the journal has it, the stream has not"),
    ("the last event and the journal's line of it",
     [*CUT_OFF, "DELETE FROM journal WHERE seq > (SELECT count FROM stream WHERE id = journal.stream)"],
     "journal: event"),
    ("a noted head", [f"UPDATE stream SET head = 'f00' WHERE id = {FIRST}"], "the head is not the one that was noted"),
    ("a noted count", [f"UPDATE stream SET count = count - 1 WHERE id = {FIRST}"], "the head is not the one"),
    ("the note of a head", [f"DELETE FROM stream WHERE id = {SECOND}"], "the note of its head is missing"),
    ("a whole signed visit",
     [f"DELETE FROM uses WHERE visit = {ONE}", f"DELETE FROM calibration WHERE visit = {ONE}",
      f"DELETE FROM entry WHERE stream = {FIRST}", f"DELETE FROM stream WHERE id = {FIRST}",
      "DELETE FROM visit WHERE number = 'T-1'"],
     "event 1: the journal has it, the stream has not"),
    ("all events of a visit", [f"DELETE FROM entry WHERE stream = {FIRST}"], "all of its events are missing"),
    ("a visit's number", ["UPDATE visit SET number = 'T-9' WHERE number = 'T-2'"], "the row says number T-9"),
    ("a calibration's stage", [f"UPDATE calibration SET stage = 'in_work' WHERE visit = {ONE}"],
     "the row says in_work of calibration 1"),
    ("a calibration, added", [f"INSERT INTO calibration VALUES ({ONE}, '7', 'signed', '')"],
     "the row says signed of calibration 7, the events say None"),
    ("a visit's time", ["UPDATE visit SET created_at = 5 WHERE number = 'T-1'"], "the row says created_at 5"),
    ("a visit's row",
     ["DELETE FROM uses", "DELETE FROM calibration", "DELETE FROM visit WHERE number = 'T-2'"], "its row is missing"),
    ("the index of instruments", ["DELETE FROM uses WHERE instrument = 'tape-4'"], "what its readings say: tape-4"),
    ("a line of the journal", ["UPDATE journal SET entry = 'f00' WHERE number = 4"], "the journal has another one"),
    ("a line out of the journal", ["DELETE FROM journal WHERE number = 4"], "the journal lacks it"),
    ("kept content", ["UPDATE pinned SET text = replace(text, '2', '3') WHERE kind = 'procedure'"], "was changed"),
    ("kept triangles", ["UPDATE pinned SET text = '[]' WHERE kind = 'triangles'"], "triangles Norte: the kept content"),
    ("kept content, gone", ["DELETE FROM pinned WHERE kind = 'frame'"], "is missing"),
    ("kept content, added", ["INSERT INTO pinned VALUES ('x', 'frame', 'f', 1, '{}')"], "no stream says that"),
    ("an instrument's entry",
     ["UPDATE entry SET text = replace(text, 'fell', 'well') WHERE stream = 'instrument/laser-2'"],
     "instrument/laser-2: event 2: this event was changed"),
    ("a survey's entry", ["DELETE FROM entry WHERE stream LIKE 'survey/%' AND seq = 2"],
     "event 2: this event is missing"),
    ("a survey's row", ["UPDATE survey SET sheet = NULL"], "the row says sheet None"),
    ("a bay's sheet", ["UPDATE bay SET sheet = 'f00'"], "bay/Norte: its row is not what its stream says"),
    ("a person's name", ["UPDATE person SET name = 'Other' WHERE id = 'teo'"], "teo is ('Other'"),
    ("a person, added", ["INSERT INTO person VALUES ('x', 'X', 'lead')"], "the stream says None"),
    ("a written entry's hash", ["UPDATE draft SET hash = 'f00'"], "entry/target/RP-9: its row is not what its stream"),
    ("a written entry, withdrawn", ["UPDATE draft SET withdrawn = 1"], "entry/target/RP-9: its row is not what"),
    ("a written entry, gone", ["DELETE FROM draft"], "entry/target/RP-9: its row is not what"),
    ("a setting", ["UPDATE setting SET value = 'Elsewhere' WHERE key = 'name'"], "the stream says Valdehierro"),
]  # fmt: skip


def test_whatever_was_changed_behind_its_back_is_named(full: Technician) -> None:
    garage = furnished(full)
    assert wrongs(garage) == []
    engine = garage.store.engine
    for name, statements, said in TAMPERED:
        with engine.connect().execution_options(writing=True) as connection, connection.begin() as turn:
            tamper(connection, statements)
            found = [told(w.said) for w in Verification(engine, garage.files).within(connection)]
            turn.rollback()
        start, _, end = said.partition("…")
        assert any(start in line and end in line for line in found), (name, said, found)
    for path in [p for p in (garage.data / "files").rglob("*") if p.is_file()]:
        content = path.read_bytes()
        for damage, said in ((content + b"x", "its bytes were changed"), (None, "it is missing")):
            path.unlink() if damage is None else path.write_bytes(damage)
            assert any(said in line for line in wrongs(garage)), path
            path.write_bytes(content)


def test_one_stream_alone_rows_made_anew_and_the_command(full: Technician) -> None:
    garage = furnished(full)
    before = rows(garage)
    people = garage.store.people()
    whole = verify(full)
    assert whole.exit_code == 0
    assert "streams are as they were written, and all that they name" in whole.stdout
    assert "in 1 streams" in verify(full, "--stream", f"visit/{full.job}").stdout
    assert isinstance(verify(full, "--stream", "visit/nothing").exception, BadInput)
    renamed, staged = "UPDATE visit SET number = 'X' WHERE number = 'T-1'", "UPDATE calibration SET stage = 'taken_in'"
    tampered(garage, renamed, staged, "DELETE FROM person", "DELETE FROM uses")
    broken = verify(full)
    assert broken.exit_code == 1
    assert "the row says number X" in broken.stdout
    assert "teo is None" in broken.stdout
    garage.store.reindex()
    assert rows(garage) == before
    assert garage.store.people() == people
    assert wrongs(garage) == []


def rows(garage: Garage) -> list[Row]:
    with garage.store.reading() as log:
        return log.rows()


@only_file
def test_a_backup_made_while_people_write_comes_back_whole(full: Technician, tmp_path: Path) -> None:
    garage, run = furnished(full), CliRunner()
    receive(garage, "v", 3, [[1.0, 41.0, -2.0, 60.0, 0.0], [2.0, 41.0, -2.0, 60.0, 0.0]])
    done = threading.Event()

    def write() -> None:
        for k in range(40):
            garage.do(Set("name", f"Valdehierro {k}"), ITSELF, press())
        done.set()

    writer = threading.Thread(target=write)
    writer.start()
    for k in range(3):
        made = run.invoke(app, ["backup", str(tmp_path / f"{k}.tar"), "--data", str(garage.data)])
        assert made.exit_code == 0, made.exception
    writer.join()
    assert done.is_set()
    for k in range(3):
        tried = run.invoke(app, ["restore", "--check", str(tmp_path / f"{k}.tar")])
        assert tried.exit_code == 0, tried.output
        assert "nothing was kept" in tried.stdout
    back = run.invoke(app, ["restore", str(tmp_path / "2.tar"), "--data", str(tmp_path / "back")])
    assert back.exit_code == 0
    again = Garage(tmp_path / "back", Clock(), garage.catalogue)
    assert [row.number for row in rows(again)] == ["T-2", "T-1"]
    assert content_of(again, "v", 3).count(b"\n") == 3, "a drive that is not taken over yet"
    again.close()
    elsewhere = {"../beside": tarfile.REGTYPE, "files/a": tarfile.SYMTYPE, "/tmp/beside": tarfile.REGTYPE}
    for k, (name, kind) in enumerate(elsewhere.items()):
        shutil.copy(tmp_path / "2.tar", tmp_path / f"odd-{k}.tar")
        with tarfile.open(tmp_path / f"odd-{k}.tar", "a") as tar:
            odd = tarfile.TarInfo(name)
            odd.type, odd.linkname = kind, "/etc/hostname"
            tar.addfile(odd)
        with refused(BadInput, match="a backup that can be read"):
            put_back(tmp_path / f"odd-{k}.tar", tmp_path / "odd")
        assert not (tmp_path / "odd").exists(), "nothing is unpacked of what would write elsewhere"
    for arguments, said in (
        (["backup", str(tmp_path / "2.tar"), "--data", str(garage.data)], "a name that is free"),
        (["backup", str(tmp_path / "9.tar"), "--data", str(tmp_path / "none")], "a folder with a garage"),
        (["restore", str(tmp_path / "2.tar"), "--data", str(garage.data)], "nothing is written over"),
        (["restore", str(garage.data / "escuadra.sqlite"), "--data", str(tmp_path / "n")], "a backup that can be read"),
    ):
        answer = run.invoke(app, arguments)
        assert isinstance(answer.exception, BadInput), arguments
        assert said in told(answer.exception)


def test_an_event_of_an_old_version_is_read_as_the_present_one(monkeypatch: pytest.MonkeyPatch) -> None:
    person = Person(id="a", name="A")
    old = Event(
        stream="visit/j", seq=1, id="x", at=0, person=person, kind="answered", version=1, data={"tick": "tyres"}
    )
    upcasts = {1: lambda data: {"slot": f"tick.{data['tick']}"}, 2: lambda data: {**data, "value": "yes"}}
    monkeypatch.setattr(Answered, "version", 3)
    monkeypatch.setattr(Answered, "upcasts", upcasts)
    assert old.payload == Answered(slot="tick.tyres", value="yes")
    assert old.data == {"tick": "tyres"}, "the log itself stays as it was written"


def test_every_open_screen_of_a_job_is_told_and_no_other() -> None:
    async def scene() -> list[list[str]]:
        changes = Changes()
        changes.loop = asyncio.get_running_loop()
        heard: list[list[str]] = [[], [], []]

        async def listen(job: str, into: list[str]) -> None:
            async for event in changes.follow(job):
                into.append(event["data"])

        tasks = [asyncio.create_task(listen(job, heard[k])) for k, job in enumerate(("a", "a", "b"))]
        await asyncio.sleep(0)
        await asyncio.to_thread(changes.announce, "a", 7)
        await asyncio.sleep(0.01)
        changes.announce("a", 8)
        await asyncio.sleep(0.01)
        changes.close()
        await asyncio.wait_for(asyncio.gather(*tasks), 60)
        return heard

    # In a thread of its own: the browser's event loop may be running in this one.
    with ThreadPoolExecutor() as pool:
        heard = pool.submit(lambda: asyncio.run(scene())).result(120)
    assert heard == [["7", "8"], ["7", "8"], []]
