"""The budget's laws: a further reading, a finer tool or a further method never make a plan worth less."""

from dataclasses import replace

import pytest

from escuadra.core.base.errors import BadInput
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.checks.base import own_checks
from escuadra.core.visit.line_plan import Shelf, default_plan, expected_accuracy, fewest_changes, offer, slots_of
from escuadra.core.visit.log.events import LinePlanned, ToolUsed
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Slot
from escuadra.rehearsal.technician import Technician
from tests.english import refused, told

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


def only(id: str) -> Shelf:
    return lambda slot: [tool for tool in tools(slot) if tool.id == id]


def tightened(plan: Plan, share: float) -> Plan:
    """A plan whose square and offset are allowed that share of what they are."""
    checks: list[object] = []
    for check in own_checks(plan):
        if check.quantity in ("square", "offset") and (limits := check.tolerance) is not None:
            closer = limits.model_copy(update={"minus": limits.minus * share, "plus": limits.plus * share})
            check = check.model_copy(update={"limits": closer})
        checks.append(check)
    procedure = plan.procedure.model_copy(update={"checks": checks})
    return replace(plan, procedure=procedure)


FINE_REAR = "The finest instruments and tapes to the rear hubs too"


@pytest.mark.parametrize(
    "method, shelf, share, times, helps",
    [
        ("marks", tools, 1, 1, None),
        ("marks", tools, 0.5, 1, "Another instrument, Fine: then it decides."),
        ("marks", tools, 0.25, 1, f"{FINE_REAR}: then it decides."),
        ("marks", tools, 0.15, 4, f"{FINE_REAR}: helps most, to ± 0.7 mm, and is not enough."),
        ("marks", only("coarse"), 0.65, 1, "2 readings of everything: then it decides."),
        ("marks", only("coarse"), 0.5, 4, "Tapes from the rear hubs too: helps most, to ± 2.0 mm, and is not enough."),
        ("marks", only("coarse"), 0.5, 5, "Tapes from the rear hubs too: then it decides."),
        ("marks", only("fine"), 0.15, 1, "Marks 600 mm further apart: helps most, to ± 0.7 mm, and is not enough."),
        ("rulers", only("fine"), 0.15, 1, "Nothing on the shelf helps: another method beside it."),
        ("mirrors", only("coarse"), 1, 1, "Three readings of everything and rear tapes: then it decides."),
        (
            "mirrors",
            tools,
            0.25,
            1,
            "The finest instruments, three readings of everything and rear tapes: then it decides.",
        ),
    ],
)
def test_what_helps_is_the_least_that_decides_else_what_comes_nearest(
    plan: Plan, method: str, shelf: Shelf, share: float, times: int, helps: str | None
) -> None:
    offered = offer(tightened(plan, share), shelf, LinePlanned(methods=[method], times=times))
    assert (" ".join(told(offered.helps).split()) if offered.helps else None) == helps
    assert offered.decides == (helps is None)


def test_changes_count_places_and_what_a_sheet_asks_for_is_its_default(plan: Plan) -> None:
    assert default_plan(plan).methods == ["marks", "printout"]
    assert fewest_changes([], plan) == 0
    marks, rulers = (slots_of(plan, LinePlanned(methods=[m])) for m in ("marks", "rulers"))
    assert fewest_changes(rulers, plan) == 1, "both clamps stand on the rear axle"
    assert fewest_changes(marks, plan) == 3, "the tape at either end, the laser once"
    assert fewest_changes([*marks, *rulers], plan) == 4
