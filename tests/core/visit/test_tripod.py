"""A reflector on its stand: all of it read, one move, and read again; a bump after the run shows itself."""

import math

import pytest

from escuadra.commands import Garage
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.tripod import standing
from escuadra.core.visit.why import why
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.following import follow, read
from escuadra.rehearsal.technician import Technician
from tests.conftest import ground_flat
from tests.english import told


class Setter:
    """A technician who does what the sheet says in a bay where the stand truly is somewhere."""

    def __init__(self, garage: Garage) -> None:
        ground_flat(garage, "Norte")
        self.who = Technician(garage, garage.clock(), "teo")
        self.who.take_in(number="T-1", reason="front radar replaced", bay="Norte", procedure="BL-RAD-05")
        self.who.ready()
        self.who.stance(1, 2, -1, 0)
        self.who.line(("0.07", "0.05"))
        self.bay = VirtualBay(self.who.opened.sheet.plan, (0.0, 0.0, 0.0, 0.0), seed=5)
        self.moves: list[NextMove] = []

    def until(self, kind: str) -> None:
        self.moves += follow(self.who, self.bay, kind)[:-1]

    def read(self, id: str) -> None:
        read(self.who, self.bay, id)


def test_level_distance_line_and_height_are_one_move(garage: Garage) -> None:
    setter = Setter(garage)
    setter.until("run")
    own = [move for move in setter.moves if move.happening == "tripod"]
    assert 1 <= len(own) <= 2, "they do not fight"
    assert [step.axis for step in own[0].steps] == ["forward", "stand_left", "stand_up"]
    said = told(own[0].sentence)
    assert "towards the vehicle" in said
    assert "to the left" in said
    assert said.endswith("mm up.")
    assert told(own[0].then).startswith("First plumb the stand (0.9° leaning away, 0.7° top to the right)")
    assert [abs(value) for value in setter.bay.tripod] == pytest.approx([0] * 5, abs=8)
    setter.who.run()
    setter.bay.tripod[0] += 40
    assert setter.who.opened.sheet.next.slot == "tripod.distance", "what would notice a bump comes first"
    setter.read("tripod.distance")
    assert [view.proof for view in setter.who.opened.sheet.stations] == ["contradicted"]
    setter.who.happen("tripod_bump")
    assert [view.proof for view in setter.who.opened.sheet.stations] == ["doubt"]
    setter.until("run")
    assert abs(setter.bay.tripod[0]) < 8
    setter.who.run()
    setter.read("tripod.distance")
    assert [view.proof for view in setter.who.opened.sheet.stations] == ["proven"]
    setter.who.result()
    found = why(setter.who.opened.sheet)
    assert found is not None
    aside = 1 / (setter.bay.plan.target_x - setter.bay.plan.procedure.sensor.x)
    assert found.cause("stand.line").effect == {"aim_yaw": pytest.approx(math.degrees(aside))}
    assert found.cause("stand.height").effect == {"aim_pitch": pytest.approx(-math.degrees(aside))}


def test_a_measured_sensor_moves_the_goal_and_the_mount(garage: Garage) -> None:
    setter = Setter(garage)
    setter.until("stand")
    for slot in ("tripod.away", "tripod.left", "tripod.distance", "tripod.line", "tripod.height"):
        setter.read(slot)
    epochs = setter.who.opened.sheet.epochs
    before = standing(epochs)
    setter.who.read("sensor.offset", "52", "tape-4", "minus")
    after = standing(setter.who.opened.sheet.epochs)
    assert before is not None
    assert after is not None
    assert after.solution.left.off - before.solution.left.off == pytest.approx(-132 + 52)
    assert setter.who.check("target").state == "out", "so near the middle its mount is the middle one"
