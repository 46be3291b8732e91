"""The frame in space: what leans carries its target with it, what is not known of a floor is not believed."""

import re

import pytest

from escuadra.commands import Garage
from escuadra.core.visit.plan import Plan
from escuadra.devices.robot import Robot, frame_only
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician
from tests.conftest import NOON
from tests.english import told
from tests.web.conftest import Visitor

NAMES = {"centred": "centre", "distance": "distance", "target_height": "height"}


@pytest.fixture
def plan(teo: Technician) -> Plan:
    return frame_only(teo.opened.sheet.plan)


@pytest.mark.parametrize("roll, pitch, tilt", [(0.22, -0.24, (0.2, 0.15)), (-0.26, 0.27, (-0.2, -0.2)), (0, 0, (0, 0))])
def test_a_frame_that_leans_carries_its_target_with_it(
    plan: Plan, roll: float, pitch: float, tilt: tuple[float, float]
) -> None:
    bay = VirtualBay(plan, (9.0, -8.0, 0.7, 12.0), seed=4)
    bay.tilt, bay.roll, bay.pitch = tilt, roll, pitch
    robot = Robot(bay)
    assert robot.work(), told(robot.desk.sheet.next.sentence)
    truth, procedure = bay.off(), plan.procedure
    nominal = {"centred": 0.0, "distance": procedure.distance, "target_height": procedure.height}
    for check, axis in NAMES.items():
        view = robot.desk.sheet.check(check)
        assert view is not None
        (figure,) = view.judgement.figures
        assert figure.value - nominal[check] == pytest.approx(truth[axis], abs=2.6 * figure.u), check
        assert figure.u < figure.most / 3


def test_beam_ends_are_held_against_the_level(full: Technician) -> None:
    full.happen("height")
    full.level()
    full.read("height.RF_end", f"{full.heights()['RF_end'] - 14:g}", "tape-4", replaces=True)
    sheet = full.opened.sheet
    view = sheet.check("level")
    assert view is not None
    assert view.state == "undecided"
    assert "contradict" in told(view.judgement.inconsistency)
    move = sheet.next
    assert (move.kind, move.slot) in {("read", "height.RF_end"), ("read", "height.LF_end"), ("read", "level.roll")}
    home = sheet.check(move.check)
    assert home is not None
    assert move.slot in {slot.slot.id for slot in home.slots}, "it is asked where it is read"
    full.read("height.RF_end", f"{full.heights()['RF_end']:g}", "tape-4", replaces=True)
    full.assure()
    assert full.check("level").state == "holds"


def in_patio(garage: Garage, procedure: str) -> Technician:
    """A vehicle readied where nobody surveyed the floor, its target hung."""
    who = Technician(garage, NOON, "teo")
    who.take_in(number="T-8", reason="windscreen replaced", bay="Patio", procedure=procedure)
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    who.target()
    return who


def test_a_floor_that_nobody_surveyed_is_not_believed(garage: Garage) -> None:
    who = in_patio(garage, "BL-CAM-01")
    who.level()
    sheet = who.opened.sheet
    view = sheet.check("target_height")
    assert view is not None
    assert view.state == "undecided"
    assert view.judgement.figures[0].u > 6
    assert told(sheet.budget(view)[0].source) == "the floor, which was not surveyed"
    assert sheet.next.kind == "blocked"
    assert "never surveyed" in told(sheet.next.sentence)
    visitor = Visitor(garage).client
    page = visitor.get(f"/jobs/{who.job}").text
    (button,) = re.findall(r'href="([^"]+)">Choose the place<', page)
    assert visitor.get(button.replace("&amp;", "&")).status_code == 200, "what would tell has its button"
    assert sheet.check(sheet.next.check).check.link == "parking", "the place is chosen beside the floor's check"  # type: ignore[union-attr]


def test_what_a_move_leaves_alone_still_counts(full: Technician) -> None:
    before = full.opened.sheet.epochs.newest
    full.happen("slide")
    full.read("crossing", "-0.3", "laser-2")
    after = full.opened.sheet.epochs.newest
    assert before is not None
    assert after is not None
    for way in ("roll", "pitch"):
        first, second = before.lean(way, True), after.lean(way, True)
        assert first is not None
        assert second is not None
        assert second.value == pytest.approx(first.value, abs=0.003)
        assert second.u == pytest.approx(first.u, rel=0.15)
    assert after.height(above_floor=False).value == pytest.approx(before.height(above_floor=False).value, abs=0.1)  # type: ignore[union-attr]


def test_the_told_slide_knows_where_the_target_hangs(garage: Garage) -> None:
    who = in_patio(garage, "BL-CAM-02")
    goals = {}
    for off in (0.0, 2.0):
        who.happen("shift")
        who.hang(off)
        who.level()
        who.tapes((0.5, -0.9, 0.0))
        solution = who.opened.sheet.epochs.newest
        assert solution is not None
        goals[off] = solution.goal.y
    assert goals[0.0] - goals[2.0] == pytest.approx(2.0, abs=0.1), "hung 2 mm to the left, the frame goes right by it"
