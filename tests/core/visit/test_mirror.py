"""A radar aimed by its mirror at a place of its own, then run at another."""

import math

import pytest

from escuadra.commands import Garage
from escuadra.commands.adjusting import TurnScrews
from escuadra.core.base.errors import Conflict
from escuadra.core.visit.aiming import Aiming, aiming, stated
from escuadra.core.visit.fixture import fixture_slots
from escuadra.core.visit.log.disturbances import MENDED
from escuadra.core.visit.mirror import spot_now
from escuadra.core.visit.next_move import NextMove
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.devices.virtual_sensors import Bent, VirtualRadar
from escuadra.rehearsal.following import follow, read
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import build
from tests.conftest import ground_flat
from tests.english import refused, told


class Aimer:
    """A technician before a minibus whose radar has a mirror, in a bay where things truly stand somewhere."""

    def __init__(self, garage: Garage, bent: Bent = "", sheet: str = "BL-RAD-04") -> None:
        ground_flat(garage, "Norte")
        self.who = Technician(garage, garage.clock(), "teo")
        self.who.take_in(number="T-1", reason="front radar replaced", bay="Norte", procedure=sheet)
        self.who.ready()
        self.who.stance(1, 2, -1, 0)
        self.who.line(("0.07", "0.05"))
        given = self.who.opened.sheet.plan.procedure.adjusting
        assert given is not None
        self.radar = VirtualRadar(stated(given), given.travel, "a mirror", bent)
        self.bay = VirtualBay(self.who.opened.sheet.plan, (0.0, 24.0, 0.4, 0.0), seed=3)
        self.bay.height = 344
        self.bay.looks = self.radar.yaw, self.radar.pitch

    @property
    def aimed(self) -> Aiming:
        found = aiming(self.who.opened.sheet.epochs)
        assert found is not None
        return found

    def until(self, *kinds: str) -> NextMove:
        return follow(self.who, self.bay, *kinds)[-1]

    def look(self) -> None:
        """Where the spot comes back, sideways and up."""
        for slot in ("spot.left", "spot.up"):
            read(self.who, self.bay, slot)

    def turn(self) -> None:
        self.who.garage.do(TurnScrews(self.who.job), "teo", self.who.id())
        self.radar.turn(self.aimed.passes[-1].turned or {})
        self.bay.looks = self.radar.yaw, self.radar.pitch


def all_told(who: Technician) -> None:
    """What a mirror's and a fixture's uncertainty comes from is all of it, in the figure's own unit."""
    sheet, epochs = who.opened.sheet, who.opened.sheet.epochs
    spot, given = spot_now(epochs), sheet.plan.procedure.adjusting
    solution = epochs.newest or epochs.turned_only(epochs.epoch)
    assert spot is not None
    assert solution is not None
    assert given is not None
    assert given.mirror is not None
    for view in sheet.checks:
        for figure in view.judgement.figures if view.check.kind in ("mirror", "fixture") else ():
            budget = view.check.budget(epochs, figure)
            assert math.fsum(part.share for part in budget) == pytest.approx(1)
            if view.check.kind == "fixture":
                known = [one for slot in fixture_slots(epochs.plan) if (one := epochs.now(slot)) is not None]
                apart, near, far, distance, back = known
                rises = math.hypot(near.figures.u_random, far.figures.u_random) / apart.value
                assert figure.u == pytest.approx(math.degrees(math.hypot(rises, back.u / distance.value / 2)))
            if figure.id != "spot.left":
                continue
            (own,) = (part.share for part in budget if "mirror" in told(part.source))
            assert own * figure.u**2 == pytest.approx(given.mirror.u_deg**2)
            read = epochs.now(sheet.slots[figure.id].slot)
            assert read is not None
            of_spot = math.degrees(read.u / spot.distance) / 2
            parts = of_spot, given.mirror.u_deg, solution.derived("square").u
            assert figure.u == pytest.approx(math.hypot(*parts))
            assert any(read.tool_name in told(part.source) for part in budget)


@pytest.mark.parametrize("sheet", ["BL-RAD-04", "BL-RAD-06"])
def test_the_spot_comes_back_to_its_outlet_and_the_frame_goes_on(garage: Garage, sheet: str) -> None:
    aimer, first = Aimer(garage, sheet=sheet), None
    aimer.bay.pitch = 0.1 if sheet == "BL-RAD-04" else 0.6
    who = aimer.who
    with refused(Conflict, match="Read where the beam comes back"):
        garage.do(TurnScrews(who.job), "teo", who.id())
    for _ in range(5):
        move = aimer.until("screws", "run")
        first = aimer.aimed.passes[0].shown
        all_told(who)
        if move.kind == "run":
            break
        aimer.turn()
        assert who.opened.sheet.slots["spot.distance"].now, "the frame still stands there"
        assert not who.opened.sheet.slots["spot.left"].now
        aimer.look()
    assert math.hypot(aimer.radar.yaw, aimer.radar.pitch) < 0.2
    assert "leave mirror" in told(who.opened.sheet.next.sentence)
    turned = aimer.aimed.turned
    who.run()
    assert who.opened.sheet.plan.station is not None
    assert who.opened.sheet.plan.station.id == "plate"
    assert who.check("centred").state != "holds", "the run's place is a goal of its own"
    assert aimer.aimed.turned == turned, "what was turned there is kept"
    with refused(Conflict, match="Read where the beam comes back"):
        garage.do(TurnScrews(who.job), "teo", who.id())
    who.happen("roll")
    aimer.bay = VirtualBay(who.opened.sheet.plan, (-42.0, 31.0, 0.1, 0.0), seed=4)
    aimer.bay.height = 344
    aimer.until("run")
    who.run()
    with refused(Conflict, match="No step is at hand"):
        who.step(who.opened.sheet.plan.procedure.steps[0].id)
    aimer.until("result")
    who.result()
    record = build(who.opened, garage.person("ines"), garage.clock(), "Valdehierro")
    assert (len(record.aimed), bool(record.aimed[0].turned), record.aimed[-1].turned) == (turned + 1, True, [])
    assert first is not None
    assert (record.aimed[0].yaw_deg, record.aimed[0].pitch_deg) == pytest.approx((first.yaw, first.pitch), abs=0.01)


@pytest.mark.parametrize("bent", ["far", "binds"])
def test_a_bracket_is_named_by_the_mirror_too(garage: Garage, bent: Bent) -> None:
    aimer = Aimer(garage, bent)
    for _ in range(4):
        move = aimer.until("screws", MENDED)
        if move.happening == MENDED:
            break
        aimer.turn()
        aimer.look()
    assert "Look at bracket and cover" in told(aimer.who.opened.sheet.next.sentence)
