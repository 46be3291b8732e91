"""A frame that was pushed without anybody having said so is told from a misreading by one more look."""

import math
from statistics import NormalDist
from types import SimpleNamespace

import numpy as np
import pytest

from escuadra.core.base.axes import Pose
from escuadra.core.base.said import said
from escuadra.core.measure.readings import Instrument
from escuadra.core.measure.symmetry import CRITICAL_W
from escuadra.core.visit.log.events import Disturbed, ReadingTaken, ToolUsed
from escuadra.core.visit.pushed import _Looks, _looks, _noticing, _rows, pushed
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.network_builder import LEAST_U
from escuadra.devices.robot import Robot, frame_only
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician
from escuadra.words import language

say = language().say

READ, LATER = "tape.LF.LF_end", "tape.RF.RF_end"
POSE_CHECKS = ("square", "centred", "distance")


class Steady(Robot):
    """A frame that stands as it should, and everything was read of it."""

    def __init__(self, bay: VirtualBay) -> None:
        super().__init__(bay)
        assert self.work()
        assert pushed(self.desk.sheet.epochs) is None

    def again(self, slot: str, value: float, replaces: bool = True) -> None:
        """A slot reads so, when it is read again."""
        after = self.desk.sheet.epochs.replaced_after(self.desk.sheet.slots[slot].slot) if replaces else 0
        figure = {"typed": f"{value:g}", "understood": f"{value:g}", "value": value}
        errs = self.bay.tool(self.desk.sheet.slots[slot].slot)
        tool = ToolUsed(id=f"robot-{errs.resolution:g}", name="robot", contributions=errs)
        self.desk.say(ReadingTaken(slot=slot, tool=tool, replaces=replaces, replaces_after=after, **figure))

    def stood(self, slot: str) -> float:
        """What a slot read so far."""
        found = self.desk.sheet.epochs.now(self.desk.sheet.slots[slot].slot)
        assert found is not None
        return found.value


@pytest.fixture
def steady(teo: Technician) -> Steady:
    return Steady(VirtualBay(frame_only(teo.opened.sheet.plan), (0.5, 0.5, 0.02, 0.5), seed=3))


@pytest.mark.parametrize(("first", "by"), [(READ, (6.0, 4.0, 0.2)), ("crossing", (0.0, 9.0, 0.0))])
def test_two_things_that_read_otherwise_are_a_push(steady: Steady, first: str, by: tuple[float, float, float]) -> None:
    pose, desk = steady.bay.scene.pose, steady.desk
    steady.bay.nudge(Pose(x=pose.x + by[0], y=pose.y + by[1], yaw_deg=pose.yaw_deg + by[2]))
    steady.again(first, steady.bay.at(first))
    asked = desk.sheet.next
    assert asked.sentence.code == "read.once_more"
    assert asked.slot != first
    assert "If this does too, the frame was pushed." in say(asked.then)
    assert not any(desk.sheet.check(id).settled for id in POSE_CHECKS), "nothing is signed meanwhile"  # type: ignore[union-attr]
    steady.again(asked.slot, steady.bay.at(asked.slot), replaces=False)
    told = desk.sheet.next
    assert (told.kind, told.happening, told.sentence.code) == ("move", "bump", "move.bump")
    assert {desk.sheet.check(id).state for id in POSE_CHECKS} == {"undecided"}  # type: ignore[union-attr]
    desk.say(Disturbed(what="bump"))
    assert pushed(desk.sheet.epochs) is None
    assert desk.sheet.next.kind == "read"
    assert steady.work()
    off = steady.bay.off()
    assert all(abs(off[axis]) <= most for axis, most in (("yaw", 0.25), ("centre", 4.0), ("distance", 5.0)))


@pytest.mark.parametrize(("by", "asked"), [(9.0, True), (1.0, False), (100.0, False)])
def test_a_misreading_costs_one_look_where_a_push_could_be_it(steady: Steady, by: float, asked: bool) -> None:
    """What changed by no more than a look repeats to, or by more than nobody notices, is no push."""
    steady.again(READ, steady.stood(READ) + by)
    found = pushed(steady.desk.sheet.epochs)
    assert (found is not None) == asked
    if found is not None:
        assert found.changed.id == READ
        assert found.look is not None
        steady.again(found.look.id, steady.stood(found.look.id), replaces=False)
        assert pushed(steady.desk.sheet.epochs) is None, "the other reads as it did"
        other = "tape.LF.RF_end"
        steady.again(other, steady.stood(other) + by)
        second = pushed(steady.desk.sheet.epochs)
        assert second is not None
        assert second.changed.id == other
        assert second.look is not None, "two that were misread are no push"


def test_a_tool_that_errs_by_nothing_leaves_a_little_to_divide_by(
    steady: Steady, monkeypatch: pytest.MonkeyPatch
) -> None:
    exact = Instrument(resolution=0.0, accuracy_constant=0.0, accuracy_ppm=0.0, repeatability=0.0)
    monkeypatch.setattr(steady.bay, "tool", lambda slot: exact)
    steady.desk.say(Disturbed(what="bump"))
    for slot in (READ, LATER, "tape.LF.RF_end", "crossing"):
        steady.again(slot, steady.bay.at(slot), replaces=False)
    epochs = steady.desk.sheet.epochs
    solution = epochs.solution(epochs.epoch)
    assert solution is not None
    looks = [_looks(epochs, slot, row, 0) for slot, row in _rows(epochs, solution).items()]
    assert {one.u for one in looks if one is not None} == {LEAST_U}


def test_what_is_typed_anew_at_once_was_a_slip_of_the_fingers(steady: Steady) -> None:
    steady.desk.say(Disturbed(what="bump"))
    read = set[str]()
    while (asked := steady.desk.sheet.next).slot != LATER or not read:
        steady._read(steady.desk.sheet.slots[asked.slot].slot)
        read.add(asked.slot)
    assert READ in read
    shows = steady.bay.at(LATER)
    steady.again(LATER, shows + 9.0, replaces=False)
    steady.again(LATER, shows)
    assert pushed(steady.desk.sheet.epochs) is None
    assert steady.work()


def test_what_a_push_does_to_one_reading_follows_from_what_it_did_to_another() -> None:
    """Known along by 4 mm: what sees along alone changed by as much, what sees aside by what is usual."""
    slot = Slot(id="x", label=said("x"), aspects=frozenset())
    stood = SimpleNamespace(value=0.0)
    along, aside, slanted = ((5.0, 0.0, 0.0), (0.0, 5.0, 0.0), (4.0, 3.0, 0.0))
    one, same, coarse, other, both = (
        _Looks(slot, stood, stood, SimpleNamespace(value=4.0), u, np.array(row))  # type: ignore[arg-type]
        for row, u in ((along, 1e-6), (along, 0.5), (along, 1.5), (aside, 1.5), (slanted, 1.5))
    )
    tail = NormalDist().cdf
    assert _noticing(one, same) == pytest.approx(tail((4 - 0.5 * CRITICAL_W) / 0.5))
    assert _noticing(one, coarse) == pytest.approx(tail((4 - 1.5 * CRITICAL_W) / 1.5), abs=1e-6)
    most = 1.5 * CRITICAL_W
    assert _noticing(one, other) == pytest.approx(2 * tail(-most / math.sqrt(27.25)))
    assert _noticing(one, both) == pytest.approx(sum(tail((way * 3.2 - most) / math.sqrt(11.25)) for way in (1, -1)))
