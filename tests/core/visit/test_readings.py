"""What readings are worth by themselves: whose height counts, what may stay unseen of a figure, what spoiled them."""

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import pytest

from escuadra.core.measure.verdict import VerdictInput, verdict
from escuadra.core.visit.advice.frame import confirmed
from escuadra.core.visit.checks.base import Figure, Judgement
from escuadra.core.visit.checks.frame import contradiction
from escuadra.core.visit.guarding import guard_of_slot
from escuadra.core.visit.log.state import LATER
from escuadra.core.visit.plan import at_wheel, height_slot
from escuadra.core.visit.proof import next_run
from escuadra.core.visit.readings import U_HUB_MM
from escuadra.rehearsal.technician import Technician
from tests.english import told


def test_a_hub_that_nobody_measured_stands_as_high_as_the_catalogue_says(teo: Technician) -> None:
    epochs = teo.opened.sheet.epochs
    assert epochs.height_for("LF", LATER) == (epochs.plan.vehicle.hub_height, U_HUB_MM)
    assert epochs.height_for("LF_end", LATER) is None


def test_a_hub_is_measured_lower_than_a_beams_end_may_be(teo: Technician) -> None:
    plan = teo.opened.sheet.plan
    for what, most, aspect in (("RR", 1.6, "hubs"), ("RF_end", 3.0, "height")):
        slot = height_slot(what, plan)
        assert slot.quantity is not None
        assert (slot.quantity.low, slot.quantity.high, slot.aspects) == (
            0.5 * plan.vehicle.hub_height,
            most * plan.vehicle.hub_height,
            {aspect},
        )
    assert height_slot("RR", plan).at == at_wheel("RR", plan.vehicle)
    left, right = (height_slot(end, plan).at for end in ("LF_end", "RF_end"))
    assert left is not None
    assert right is not None
    assert left.y - right.y == pytest.approx(plan.frame.beam_length)


def test_a_figure_read_once_may_be_anything_that_its_place_takes(full: Technician) -> None:
    epochs, slot = full.opened.sheet.epochs, full.opened.sheet.slots["arch.LF"].slot
    read, quantity = epochs.now(slot), slot.quantity
    assert read is not None
    assert quantity is not None
    guard = guard_of_slot(epochs, slot, 10.0)
    assert guard is not None
    assert guard.reach == max(quantity.high - read.value, read.value - quantity.low)
    assert guard_of_slot(epochs, slot, guard.reach) is None


def test_a_run_that_was_withdrawn_ends_nothing(full: Technician) -> None:
    runs: Any = [
        SimpleNamespace(seq=seq, withdrawn=withdrawn) for seq, withdrawn in ((4, False), (9, True), (12, False))
    ]
    state = replace(full.opened.state, runs=runs)
    assert [next_run(state, seq, 99) for seq in (0, 4, 9, 12)] == [4, 12, 12, 99]


def test_the_worst_figure_is_the_one_with_the_smallest_share_of_its_limits_left() -> None:
    def figure(id: str, value: float, limit: float) -> Figure:
        judged = verdict(VerdictInput(value=value, u=0.01, lower=-limit, upper=limit, rule="guarded"))
        return Figure(id, id, value, 0.01, -limit, limit, "mm", None, judged)  # type: ignore[arg-type]

    # 19 of 20 mm leaves less of its limits than 0.8 of 1 mm, though five times as far; what is out comes before both.
    near, far, out = figure("near", 0.8, 1.0), figure("far", 19.0, 20.0), figure("out", 3.0, 1.0)
    worst = [Judgement(True, some).worst for some in ((far, near), (near, far), (near, out, far), ())]
    assert worst == [far, far, out, None]


def test_what_contradicts_without_one_to_blame_is_said_to_contradict(full: Technician) -> None:
    solution: Any = SimpleNamespace(trusted=False, suspects=())
    assert "contradict each other" in told(contradiction(solution))
    read = next(id for id in full.opened.sheet.epochs.newest.observations if id.source == "tape")  # type: ignore[union-attr]
    # What a person read is named alone, though a model's place shares the blame.
    place = next(id for id in full.opened.sheet.epochs.newest.observations if id.source == "hub_x")  # type: ignore[union-attr]
    for suspects in ((read,), (place, read)):
        one: Any = SimpleNamespace(trusted=False, suspects=suspects)
        assert told(contradiction(one)).endswith(f"The suspect: {told(read.words)}.")
    assert not contradiction(SimpleNamespace(trusted=True, suspects=(read,)))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("watched", "run", "read", "replaced", "told"),
    [
        (True, 0, 12, 11, True),
        (False, 10, 12, 11, True),
        (False, 0, 12, 11, False),
        (True, 0, 0, 11, False),
        (True, 0, 12, 0, False),
        (True, 0, 5, 4, False),
        (False, 4, 12, 11, False),
    ],
)
def test_what_was_carried_over_is_contradicted_once_a_reading_was_replaced_since(
    watched: bool, run: int, read: int, replaced: int, told: bool
) -> None:
    # The frame was shifted by event 6; a run is younger than that, or does not count.
    entries = [SimpleNamespace(seq=read, counts=True, replaced_by=None)] * bool(read)
    entries += [SimpleNamespace(seq=replaced, counts=False, replaced_by=read)] * bool(replaced)
    epochs: Any = SimpleNamespace(
        state=SimpleNamespace(
            entries={"tape.LF.LF_end": entries}, runs=[SimpleNamespace(seq=run, withdrawn=False)] * bool(run)
        ),
        boundaries=[SimpleNamespace(seq=6)],
        watched=lambda epoch: "tape.LF.LF_end" if watched else "",
        epoch=1,
    )
    assert confirmed(epochs, "tape.LF.LF_end") == told
    assert not confirmed(epochs, "tape.RF.RF_end")
