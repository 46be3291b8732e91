"""The budget's laws: a further reading, a finer tool or a further method never make a plan worth less."""

import pytest

from escuadra.core.base.errors import BadInput
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.line_plan import Shelf, default_plan, expected_accuracy, fewest_changes, offer, slots_of
from escuadra.core.visit.log.events import LinePlanned, ToolUsed
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Slot
from escuadra.rehearsal.technician import Technician
from tests.english import refused

FINE = Instrument(resolution=0.1, accuracy_constant=0.1, accuracy_ppm=20, repeatability=0.1)
COARSE = Instrument(resolution=1, accuracy_constant=2, accuracy_ppm=300, repeatability=0.9)
FINDING = [m for m, school in METHODS.items() if school.finds != "none"]


@pytest.fixture
def plan(teo: Technician) -> Plan:
    return teo.opened.sheet.plan


def tools(slot: Slot) -> list[ToolUsed]:
    angle = slot.quantity is not None and slot.quantity.dimension == "angle"
    small = Instrument(resolution=0.01, accuracy_constant=0.01, accuracy_ppm=0, repeatability=0.005)
    return [
        ToolUsed(id="coarse", name="Coarse", contributions=small if angle else COARSE),
        ToolUsed(id="fine", name="Fine", contributions=small if angle else FINE),
    ]


def offsets(plan: Plan, *asked: LinePlanned) -> list[float]:
    found = [expected_accuracy(plan, a, tools).offset for a in asked]
    assert all(offset is not None for offset in found)
    return [offset or 0.0 for offset in found]


@pytest.mark.parametrize("method", FINDING)
def test_more_readings_and_finer_tools_are_worth_more(plan: Plan, method: str) -> None:
    fine = dict.fromkeys(("tape", "height", "scale", "rule", "beam", "rig"), "fine")
    once = LinePlanned(methods=[method])
    again, finer = once.model_copy(update={"times": 3}), once.model_copy(update={"tools": fine})
    rear = once.model_copy(update={"rear_tapes": True})
    base, thrice, better, more = offsets(plan, once, again, finer, rear)
    assert thrice <= base * (1 + 1e-9)
    assert better < base
    assert more <= base * (1 + 1e-9)


@pytest.mark.parametrize("other", [m for m in FINDING if m not in ("low",)])
def test_a_method_beside_another_never_hurts_the_line_that_both_find(plan: Plan, other: str) -> None:
    alone = LinePlanned(methods=["rulers"])
    both = alone.model_copy(update={"methods": ["rulers", other]})
    first, second = offsets(plan, alone, both)
    assert second <= first * (1 + 1e-6)


def test_marks_further_apart_lever_less(plan: Plan) -> None:
    from dataclasses import replace

    near = plan.vehicle.marks.model_copy(update={"front_x": 3600.0, "rear_x": -400.0})
    nearer = replace(plan, vehicle=plan.vehicle.model_copy(update={"marks": near}))
    asked = LinePlanned(methods=["marks"])
    apart, together = (expected_accuracy(p, asked, tools).square for p in (plan, nearer))
    assert apart is not None
    assert together is not None
    assert together > apart


def nothing(slot: Slot) -> list[ToolUsed]:
    return [] if slot.reads == "beam" else tools(slot)


@pytest.mark.parametrize("shelf, said", [(nothing, "an instrument on the shelf that reads beam")])
def test_what_is_not_on_the_shelf_is_said(plan: Plan, shelf: Shelf, said: str) -> None:
    with refused(BadInput, match=said):
        offer(plan, shelf, LinePlanned(methods=["mirrors"]))


def test_changes_count_places_and_what_a_sheet_asks_for_is_its_default(plan: Plan) -> None:
    assert default_plan(plan).methods == ["marks", "printout"]
    assert fewest_changes([], plan) == 0
    marks, rulers = (slots_of(plan, LinePlanned(methods=[m])) for m in ("marks", "rulers"))
    assert fewest_changes(rulers, plan) == 1, "both clamps stand on the rear axle"
    assert fewest_changes(marks, plan) == 3, "the tape at either end, the laser once"
    assert fewest_changes([*marks, *rulers], plan) == 4
