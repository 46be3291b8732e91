"""What lists tell is kept beside the visits: as it would be worked out anew, and without standing in anybody's way."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import delete, select, update

from escuadra.commands import Garage
from escuadra.commands.forms import Unreadable, press
from escuadra.commands.listing import Listed
from escuadra.commands.whole import AddCalibration, Correct, LeaveOut, Reorder
from escuadra.rehearsal.technician import Technician
from escuadra.store import Row
from escuadra.store.repositories.visits import Log
from escuadra.store.tables import listed
from tests.conftest import minibus

WHY = "because the customer asked for it"


def opened_again(garage: Garage) -> Garage:
    return Garage(garage.data, garage.clock, garage.catalogue)


def never(log: Log, row: Row) -> Listed:
    raise AssertionError(f"{row.number} was worked out, though it was kept")


def kept_and_anew(garage: Garage) -> tuple[Sequence[object], Sequence[object]]:
    """What another process finds kept, and what one works out that finds nothing."""
    other = opened_again(garage)
    other.lists._worked_out = never
    kept = other.listed()
    other.close()
    last = opened_again(garage)
    with last.store.writing() as log:
        log.connection.execute(delete(listed))
    anew = last.listed()
    last.close()
    return kept, anew


def with_more(garage: Garage, who: Technician) -> list[Callable[[], object]]:
    """What is done to a visit, one after the other."""
    in_order = ("2", "1")
    return [
        lambda: who.ready(),
        lambda: garage.do(AddCalibration(who.job, "BL-SUR-01"), "teo", press()),
        lambda: who.stance(1, 2, -1, 0),
        lambda: garage.do(Correct(who.job, "plate", "VH 7777", WHY), "teo", press()),
        lambda: who.happen("bump"),
        lambda: garage.do(Reorder(who.job, in_order, WHY), "teo", press()),
        lambda: garage.do(LeaveOut(who.job, "2", WHY), "teo", press()),
    ]


def test_what_is_kept_with_every_change_is_what_would_be_worked_out(garage: Garage) -> None:
    who = minibus(garage)
    beside, seen = opened_again(garage), set()
    for act in with_more(garage, who):
        act()
        kept, anew = kept_and_anew(garage)
        assert kept == anew == garage.listed() == beside.listed()
        seen.add(str(kept))
    beside.close()
    assert len(seen) == 7, "each changed what a list tells"


def change(garage: Garage, **columns: str) -> None:
    with garage.store.writing() as log:
        log.connection.execute(update(listed).values(**columns))


def grow_old(garage: Garage) -> None:
    (visit,) = garage.listed()
    assert isinstance(visit, Listed)
    assert visit.expires is not None
    later = visit.expires
    garage.clock = lambda: later


@pytest.mark.parametrize(
    "spoil",
    [
        grow_old,
        lambda garage: change(garage, text="{}"),
        lambda garage: change(garage, head="of another day"),
        lambda garage: change(garage, made_by="0.0.1"),
    ],
    ids=["too old", "not understood", "of an earlier visit", "of an earlier version"],
)
def test_what_may_no_longer_hold_is_worked_out_anew_and_kept(garage: Garage, spoil: Callable[[Garage], None]) -> None:
    who = minibus(garage, procedure="BL-CAM-02", frame="galga-2", reason="front camera replaced")
    who.ready()
    who.stance(1, 2, -1, 0)
    spoil(garage)
    other = opened_again(garage)
    worked_out, count = other.lists._worked_out, list[str]()

    def counted(log: Log, row: Row) -> Listed | Unreadable:
        count.append(row.number)
        return worked_out(log, row)

    other.lists._worked_out = counted
    found = other.listed()
    assert count == ["T-1"]
    assert found == other.listed()
    last = opened_again(other)
    last.lists._worked_out = never
    assert last.listed() == found
    last.close()
    other.close()


def test_a_list_is_shown_though_nothing_can_be_written(garage: Garage) -> None:
    minibus(garage)
    change(garage, made_by="0.0.1")
    other = opened_again(garage)
    other.store.writers.patience = 0.05
    with other.store.writing(), ThreadPoolExecutor(1) as beside:
        assert beside.submit(other.listed).result(20) == garage.listed()
    other.close()


def test_many_lists_at_once_leave_room_for_those_who_work(garage: Garage) -> None:
    """A day that takes long is asked for again and again: one works it out, the others wait without a connection."""
    job = minibus(garage).job
    other = opened_again(garage)
    with other.store.writing() as log:
        log.connection.execute(delete(listed))
    worked_out, going, go_on = other.lists._worked_out, threading.Event(), threading.Event()

    def slow(log: Log, row: Row) -> Listed | Unreadable:
        going.set()
        assert go_on.wait(20)
        return worked_out(log, row)

    other.lists._worked_out = slow
    found: list[object] = []
    askers = [threading.Thread(target=lambda: found.append(other.of_today(9))) for _ in range(30)]
    for asker in askers:
        asker.start()
    assert going.wait(20)
    assert other.open(job).row.id == job, "a sheet is opened meanwhile"
    assert other.store.engine.pool.checkedout() == 1  # type: ignore[attr-defined]
    go_on.set()
    for asker in askers:
        asker.join(20)
    assert len(found) == 30
    assert all(one == found[0] for one in found)
    with other.store.reading() as log:
        assert len(log.connection.execute(select(listed)).all()) == 1
    other.close()
