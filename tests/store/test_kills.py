"""Killed in the middle of writing over several streams: all of it is there, or nothing; and two at work at once."""

import os
import random
import signal
import threading
import time
import traceback
from pathlib import Path

from escuadra.catalogue import Catalogue
from escuadra.commands import Garage
from escuadra.commands.instrument_life import Drop
from escuadra.commands.reading import TakeReading
from escuadra.core.instruments.history import Dropped
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock
from tests.core.visit.test_instruments import check
from tests.store.test_log import wrongs

KILLS = int(os.environ.get("ESCUADRA_KILLS", "25"))
TOOL = "tape-4"


def at_work(data: Path, catalogue: Catalogue, job: str, started: int, round: int) -> None:
    """A process that reads with a tape and drops it, in turn, until it is killed."""
    garage = Garage(data, Clock(), catalogue)
    os.write(started, b"x")
    for k in range(10_000):
        garage.do(TakeReading(job, "arch.LF", "712", TOOL), "teo", f"{round}-{k}")
        garage.do(Drop(TOOL, "off the bench"), "teo", f"{round}-drop-{k}")
        again(garage, f"{round}-{k}")


def again(garage: Garage, key: str) -> None:
    """The tape found good again: its self-check holds."""
    check(garage, TOOL, "reference", 0.05, f"{key}-check")


def test_a_kill_leaves_all_of_a_command_or_nothing(teo: Technician, catalogue: Catalogue) -> None:
    data, chance, reached = teo.garage.data, random.Random(11), 0
    again(teo.garage, "first")
    teo.garage.close()
    for round in range(KILLS):
        reading, writing = os.pipe()
        child = os.fork()
        if child == 0:
            try:
                at_work(data, catalogue, teo.job, writing, round)
            except BaseException:
                traceback.print_exc()
                os._exit(1)
        os.read(reading, 1)
        time.sleep(chance.uniform(0, 0.4))
        os.kill(child, signal.SIGKILL)
        assert os.waitpid(child, 0)[1] == signal.SIGKILL
        os.close(reading)
        os.close(writing)
        garage = Garage(data, Clock(), catalogue)
        told = garage.store.events(f"instrument/{TOOL}")
        drops = sum(isinstance(event.payload, Dropped) for event in told)
        with garage.store.reading() as log:
            doubts = sum(event.kind == "doubted" for event in log.events(teo.job))
        assert (drops, wrongs(garage)) == (doubts, []), round
        if not garage.instruments.trusted(TOOL).usable:
            again(garage, f"after-{round}")
        reached = drops
        garage.close()
    assert reached > KILLS / 4, "killed before anything was written"


def test_dropped_while_others_read_with_it(teo: Technician) -> None:
    """Eight tablets read, one drops: every reading is from before, and in doubt, or was refused."""
    garage = teo.garage
    taken: list[int] = []

    def read(k: int) -> None:
        for n in range(12):
            try:
                garage.do(TakeReading(teo.job, "arch.RF", "712", TOOL), "teo", f"{k}-{n}")
                taken.append(1)
            except ValueError:
                return

    threads = [threading.Thread(target=read, args=(k,)) for k in range(8)]
    for thread in threads:
        thread.start()
    time.sleep(0.15)
    assert garage.do(Drop(TOOL, "fell"), "teo", "drop") == ["T-1"]
    for thread in threads:
        thread.join()
    entries = garage.open(teo.job).state.entries["arch.RF"]
    assert len(entries) == len(taken)
    assert all(entry.doubted is not None for entry in entries)
    assert wrongs(garage) == []
