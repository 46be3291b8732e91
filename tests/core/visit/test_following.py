"""A sheet that follows another is the sheet that is derived cold, and holds nothing of the other."""

import weakref
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from escuadra.commands.entries import Override, Undo
from escuadra.commands.garage import Garage
from escuadra.core.visit.derivation import Derivation
from escuadra.core.visit.log.reducer import Visit, fold_visit
from escuadra.core.visit.sheet import Sheet, derive
from escuadra.demo.valdehierro import open_demo
from escuadra.rehearsal.technician import Technician
from tests.conftest import DEMO_DAY


def followed(garage: Garage, visit: str, every: int = 1) -> int:
    """Derive a visit event by event, each sheet from the one before; how many results were taken over."""
    with garage.store.reading() as log:
        events = log.events(visit)
    now, sheets, taken = Visit(), dict[str, Sheet](), 0
    for k, event in enumerate(events):
        now = fold_visit(now, [event])
        for calibration in now.calibrations:
            state = now.seen_by(calibration)
            plan, before = garage.plan_of(visit, calibration, state), sheets.get(calibration)
            sheet = sheets[calibration] = derive(state, plan, event.at, before=before)
            if before is not None:
                taken += sum(sheet.epochs._known.get(key) is found for key, found in before.epochs._known.items())
            if k % every and k < len(events) - 12:
                continue
            alone = derive(state, plan, event.at)
            assert sheet.groups == alone.groups, (event.seq, event.payload.code)
            assert (sheet.next, sheet.stations) == (alone.next, alone.stations), (event.seq, event.payload.code)
            for one, other in ((sheet.epochs.newest, alone.epochs.newest), (sheet.epochs.lines, alone.epochs.lines)):
                assert (one and one.located.given) == (other and other.located.given), (event.seq, event.payload.code)
    return taken


def test_what_follows_is_what_is_derived_cold(demo_then: Path) -> None:
    garage = open_demo(demo_then, lambda: DEMO_DAY)
    for row in garage.jobs():
        assert followed(garage, row.row.id, 9) >= 50 * (row.row.count > 10)


def test_after_whatever_happens(full: Technician) -> None:
    full.happen("bump")
    full.read("level.roll", "0.1", "level-1", "plus")
    full.garage.do(Undo(full.job), "teo", full.id())
    full.garage.do(Override(full.job, "level", "seen with the second level beside it"), "teo", full.id())
    full.read("arch.LF", "713", "tape-4")
    full.happen("feet")
    full.tapes((0.5, -0.9, 0.02))
    assert followed(full.garage, full.job, 9) > 1000


def test_a_sheet_holds_nothing_of_those_before(full: Technician) -> None:
    before = weakref.ref(full.opened.sheet.epochs)
    full.read("arch.LF", "713", "tape-4")
    full.read("crossing", "0.2", "laser-2")
    full.garage.open(full.job)
    assert before() is None, "it is let go of at once: nothing goes round in a circle"


class _Counting(Derivation):
    made = 0

    def both(self) -> int:
        return self.once(_Counting.one, "a") + self.once(_Counting.one, "b")

    def one(self, slot: str) -> int:
        self.made += 1
        return len(self.state.entries.get(slot, ()))

    def read(self) -> frozenset[str]:
        """Which slots hold anything: looked through again whatever was entered."""
        return frozenset(slot for slot, entries in self.state.entries.items() if entries)

    def of_read(self) -> int:
        self.made += 1
        return len(self.once(_Counting.read)) + self.once(_Counting.one, "a")

    def fails(self) -> int:
        try:
            return self.once(_Counting.broken)
        except KeyError:
            return -1

    def broken(self) -> int:
        return len(self.state.entries["c"])


def test_only_what_saw_a_change_is_made_again(full: Technician) -> None:
    state = full.opened.state
    entry = next(iter(state.entries.values()))
    first = _Counting(replace(state, entries={"a": entry, "b": entry}), 0)
    assert (first.once(_Counting.both), first.once(_Counting.fails), first.made) == (2, -1, 2)
    first.done()
    changed = replace(state, entries={"a": entry, "b": (*entry, *entry)})
    second = _Counting(changed, 0, first)
    assert (second.once(_Counting.both), second.once(_Counting.fails), second.made) == (1 + 2 * len(entry), -1, 1)
    second.done()
    third = _Counting(replace(changed, entries={**changed.entries, "c": entry}), 0, second)
    assert (third.once(_Counting.both), third.made) == (1 + 2 * len(entry), 0)
    # What failed for want of a slot is made again once that is there.
    assert third.once(_Counting.fails) == len(entry)
    with pytest.raises(KeyError):
        Derivation(state, 0).once(_Counting.broken)


def test_what_was_made_with_what_is_what_it_was_is_taken_over(full: Technician) -> None:
    state = full.opened.state
    entry = next(iter(state.entries.values()))
    derivation, made = None, []
    for entries in ({"a": entry}, {"a": entry, "b": ()}, {"a": entry, "b": entry}, {"a": (*entry, *entry)}):
        derivation = _Counting(replace(state, entries=entries), 0, derivation)
        found = derivation.once(_Counting.of_read)
        assert found == len(derivation.once(_Counting.read)) + derivation.once(_Counting.one, "a")
        made.append(derivation.made)
        derivation.done()
    # Looked through anew three times; what came of it changed twice, and with it what was made of it.
    assert made == [2, 0, 1, 2]


@pytest.mark.parametrize("what", ["seq", "disturbances", "overrides", "line_plan"])
def test_every_field_that_is_looked_at_counts(full: Technician, what: str) -> None:
    state = full.opened.state
    first = Derivation(state, 0)
    first.once(_field, what)
    first.done()
    gone: dict[str, Any] = {what: None}
    other = replace(state, **gone)
    assert Derivation(other, 0, first).once(_field, what) is None


def _field(derivation: Derivation, name: str) -> object:
    return getattr(derivation.state, name)
