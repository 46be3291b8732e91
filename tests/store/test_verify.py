"""``escuadra verify`` as a user runs it, old events brought up to date, and screens told of changes."""

import asyncio
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from typer.testing import CliRunner

from escuadra.cli import app
from escuadra.core.job import events
from escuadra.core.job.events import Answered, Event, Person
from escuadra.demo.technician import Technician
from escuadra.reports.record import render_record
from escuadra.web.changes import Changes
from tests.store.test_log import tampered


def verify(who: Technician) -> Any:
    return CliRunner().invoke(app, ["verify", "--data", str(who.garage.data)])


@pytest.mark.slow
def test_verify_passes_what_is_whole_and_names_what_is_not(full: Technician) -> None:
    full.garage.sign(full.job, full.opened.row.head, "ines", full.id(), render_record(full.garage))
    whole = verify(full)
    assert whole.exit_code == 0
    assert whole.stdout == "1 logs and their records are as they were written.\n"
    stored = full.opened.state.records[0][0]
    path = full.garage.data / "files" / stored.record_pdf[:2] / stored.record_pdf
    path.write_bytes(path.read_bytes() + b"\n")
    yes = full.opened.state.live("tick.doors")[0].seq
    tampered(full.garage, f"UPDATE event SET text = replace(text, 'yes', 'no') WHERE seq = {yes}")
    broken = verify(full)
    assert broken.exit_code == 1
    first, second = broken.stdout.splitlines()
    assert first == f"T-1 ({full.job}): event {yes}: this event was changed"
    assert "the file as it was stored; its bytes were changed" in second


def test_an_event_of_an_old_version_is_read_as_the_present_one(monkeypatch: pytest.MonkeyPatch) -> None:
    old = Event(
        job="j",
        seq=1,
        id="x",
        at=0,
        person=Person(id="a", name="A"),
        kind="answered",
        version=1,
        data={"tick": "tyres"},
    )
    monkeypatch.setitem(events.PAYLOADS, "answered", (3, Answered))
    monkeypatch.setitem(events.UPCASTS, ("answered", 1), lambda data: {"slot": f"tick.{data['tick']}"})
    monkeypatch.setitem(events.UPCASTS, ("answered", 2), lambda data: {**data, "value": "yes"})
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
