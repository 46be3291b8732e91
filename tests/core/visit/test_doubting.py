"""What contradicts itself is read again, each thing once, until the wrong one is found."""

from dataclasses import replace

import pytest

from escuadra.catalogue import Catalogue
from escuadra.core.visit.next_move import retold
from escuadra.core.visit.slots import Slot
from escuadra.devices.robot import Robot, frame_only
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician
from tests.english import told

TOOLS = {"crossing": "laser-2", "level": "level-1"}
WORDED = ("level",)
MOST = 16


def type_in(who: Technician, slot: str, value: float) -> None:
    kind = slot.partition(".")[0]
    word = ("plus" if value >= 0 else "minus") if kind in WORDED else ""
    typed = f"{abs(value):.2f}" if word else f"{value:.1f}"
    who.read(slot, typed, TOOLS.get(kind, "tape-4"), word, replaces=True)


def asked_until_cured(who: Technician, slot: str, off: float) -> list[str]:
    """Type something wrong where everything holds, then do as told: what was asked for again, in its order."""
    right = {
        id: float(view.now[-1].value)
        for id, view in who.opened.sheet.slots.items()
        if view.slot.ask == "number" and view.now
    }
    type_in(who, slot, right[slot] + off)
    asked: list[str] = []
    for _ in range(MOST):
        move = who.opened.sheet.next
        if move.replaces:
            asked.append(move.slot)
            type_in(who, move.slot, right[move.slot])
        elif move.kind == "read":
            who.look(move.slot)
    return asked


@pytest.mark.parametrize(
    "slot, off",
    [
        ("height.LF_end", 25.0),
        ("height.RF_end", -25.0),
        ("tape.LF.LF_end", 40.0),
        ("crossing", 12.0),
        ("mark.front", 30.0),
        ("mark.rear", -30.0),
        ("pair.front.1.left", 60.0),
    ],
)
def test_the_wrong_reading_is_found_and_nothing_is_asked_without_end(full: Technician, slot: str, off: float) -> None:
    asked = asked_until_cured(full, slot, off)
    assert slot in asked, asked
    assert all(asked.count(one) <= 1 + (one == slot) for one in asked), asked
    assert full.opened.sheet.stands, full.opened.sheet.next


def test_a_mark_that_lies_off_the_pairs_is_plumbed_again_and_the_laser_is_set_anew(full: Technician) -> None:
    type_in(full, "mark.front", 1203.0 + 8.6)
    move = full.opened.sheet.next
    assert (move.slot, move.replaces) == ("mark.front", True), "it is looked at again before it is believed"
    type_in(full, "mark.front", 1203.0 + 8.6)
    move = full.opened.sheet.next
    assert move.happening == "plumb_front"
    assert move.by["left"] == pytest.approx(-8.6, abs=0.2)
    full.happen(move.happening, move.by)
    said = retold(move.happening, full.opened.sheet.state.disturbances[-1].by, full.opened.sheet.plan.frame)
    assert "Plumb the front centre mark again: 8.6\u202fmm to the right" in told(said)
    slots = full.opened.sheet.slots
    assert {id for id in ("mark.front", "mark.rear", "crossing", "tape.LF.LF_end") if slots[id].spoiled} == {
        "mark.front",
        "crossing",
    }
    type_in(full, "mark.front", 1203.0)
    assert full.check("centreline").state == "holds"
    seen = {id.source for id in full.opened.sheet.epochs.newest.observations}  # type: ignore[union-attr]
    assert "tape" in seen
    assert "crossing" not in seen, "the laser stood over the mark where it lay before"


class WrongEnd(Robot):
    """Holds one tape to the other end of the beam."""

    def __init__(self, bay: VirtualBay, slot: str, other: str) -> None:
        self.slot, self.other = slot, other
        super().__init__(bay)

    def _read(self, slot: Slot) -> None:
        if slot.id == self.slot:
            self.desk.read(slot.id, self.bay.at(self.other), self.bay.tool(slot))
        else:
            super()._read(slot)

    def first_asked(self) -> str:
        """What is to be read again first."""
        for _ in range(MOST + MOST):
            sheet = self.desk.sheet
            if sheet.next.replaces:
                return sheet.next.slot
            move = self._next(sheet)
            assert move is not None
            assert not move[0], "it is noticed before anything is moved"
            self._read(sheet.slots[move[2]].slot)
        return ""


@pytest.mark.parametrize("sheet", ["QR-CAM-01", "QE-CAM-01"])
def test_a_tape_held_to_the_other_end_is_asked_about_first(teo: Technician, catalogue: Catalogue, sheet: str) -> None:
    procedure = catalogue.get("procedure", sheet).content
    vehicle, target = (
        catalogue.get(kind, id).content
        for kind, id in (("vehicle", procedure.vehicle), ("target", procedure.mounting.target))
    )
    plan = replace(teo.opened.sheet.plan, procedure=procedure, vehicle=vehicle, target=target)
    bay, slot = VirtualBay(frame_only(plan), (12.0, -9.0, 0.8, 4.0), seed=5), "tape.LF.LF_end"
    assert WrongEnd(bay, slot, "tape.LF.RF_end").first_asked() == slot


class Swapping(Robot):
    """Takes a tape to the wrong end of the beam, once, after the first move."""

    wrong, strays = "", 0

    def _read(self, slot: Slot) -> None:
        self.strays += bool(self.desk.sheet.epochs.strays)
        if self.moves and not self.wrong and slot.id == "tape.LF.LF_end":
            self.wrong = slot.id
            self.desk.read(slot.id, self.bay.at("tape.LF.RF_end"), self.bay.tool(slot))
        else:
            super()._read(slot)


def test_where_nothing_can_be_solved_the_reading_that_is_in_the_way_is_found(teo: Technician) -> None:
    robot = Swapping(VirtualBay(frame_only(teo.opened.sheet.plan), (30.0, -25.0, 1.5, 20.0), 31))
    assert robot.work(), robot.desk.sheet.next
    assert robot.wrong
    assert 1 <= robot.strays <= 2, "it is asked for at once"
    assert all(abs(off) <= 5 for off in robot.bay.off().values())
