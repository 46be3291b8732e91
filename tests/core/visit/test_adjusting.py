"""A radar with a board in three notches, turned by its two screws: from failing to passing, or to its bracket."""

import pytest

from escuadra.commands import Garage
from escuadra.commands.adjusting import TellTurns, TurnScrews
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.run.radar import ScrewsInput, screws
from escuadra.core.visit.aiming import Aiming, aiming, stated
from escuadra.core.visit.attempts import FAILED, PASSED
from escuadra.core.visit.log.disturbances import MENDED
from escuadra.core.visit.log.events import RunStepped
from escuadra.devices.virtual_sensors import Bent, Misled, VirtualRadar
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import build
from tests.conftest import ground_flat
from tests.english import refused, told

NOTCHES = {"middle": 0.0, "back": 2.1, "forward": -2.1}
SET_UP = Misled()


@pytest.fixture
def bus(garage: Garage) -> Technician:
    """A minibus before its radar board, everything standing."""
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", reason="front radar replaced", bay="Norte", procedure="BL-RAD-03")
    who.set_up()
    return who


def radar(who: Technician, bent: Bent = "") -> VirtualRadar:
    given = who.opened.sheet.plan.procedure.adjusting
    assert given is not None
    return VirtualRadar(stated(given), given.travel, "a radar", bent)


def aimed(who: Technician) -> Aiming:
    found = aiming(who.opened.sheet.epochs)
    assert found is not None
    return found


def run(who: Technician, sensor: VirtualRadar, outcome: str = FAILED) -> None:
    """The notches one after the other, and what the routine then shows."""
    responses = {step: f"{sensor.respond(tilt, SET_UP):.2f}" for step, tilt in NOTCHES.items()}
    who.run(responses)
    who.result(outcome, {figure: round(value, 2) for figure, value in sensor.show(SET_UP).items()})


def nominal(who: Technician) -> dict[str, tuple[str, str]]:
    """What a routine tells that believes its screws do what the sheet states."""
    given = who.opened.sheet.plan.procedure.adjusting
    shown = aimed(who).passes[-1].shown
    assert given is not None
    assert shown is not None
    told = screws(ScrewsInput(yaw_deg=shown.yaw, pitch_deg=shown.pitch, screws=list(stated(given))))
    return {i: (f"{abs(t):g}", "clockwise" if t > 0 else "anticlockwise") for i, t in told.turns.items()}


def test_from_failing_to_passing(bus: Technician) -> None:
    garage, sensor = bus.garage, radar(bus)
    told_turns: list[dict[str, tuple[str, str]]] = []
    for _ in range(5):
        shown = sensor.show(SET_UP)
        if abs(shown["yaw"]) < 0.1 and abs(shown["pitch"]) < 0.1:
            break
        run(bus, sensor)
        assert bus.opened.sheet.next.opens == "screws"
        with refused(Conflict, match="Type the turns"):
            garage.do(TurnScrews(bus.job), "teo", bus.id())
        turns = nominal(bus)
        garage.do(TellTurns(bus.job, turns), "teo", bus.id())
        told_turns.append(turns)
        assert bus.opened.sheet.next.kind == "move"
        assert "Turn, as seen from in front" in told(bus.opened.sheet.next.sentence)
        garage.do(TurnScrews(bus.job), "teo", bus.id())
        sensor.turn(aimed(bus).passes[-1].turned or {})
        assert bus.opened.state.frozen is None
        open_now = [view.check.id for view in bus.opened.sheet.unsettled if view.of_setup]
        assert open_now == ["trim", "surroundings"], (
            "what was taken off is back, and the field clear, before the next run"
        )
        bus.around()
    run(bus, sensor, PASSED)
    assert 1 <= len(told_turns) == aimed(bus).turned <= 4
    assert {
        view.check.id: view.state for view in bus.opened.sheet.checks if view.check.group == "result"
    } == dict.fromkeys(("run", "tilts", "screws", "result"), "holds")
    record = build(bus.opened, garage.person("ines"), garage.clock(), "Valdehierro")
    assert (record.attempts[0].outcome, [one.screw for one in record.attempts[0].turned]) == (FAILED, ["side", "low"])
    steps = [(s.step, s.clear) for s in record.attempts[-1].steps if s.what == "done" and s.response is not None]
    assert steps == [("middle", True), ("back", True), ("forward", True)]
    first = aimed(bus).passes[0].shown
    assert first is not None, "what was there before anything was turned is kept"
    assert abs(first.yaw) > 0.3


@pytest.mark.parametrize("bent", ["far", "binds", "springs"])
def test_a_bracket_that_screws_cannot_cure_is_named_and_begins_anew(bus: Technician, bent: Bent) -> None:
    sensor = radar(bus, bent)
    for _ in range(3):
        run(bus, sensor)
        if bus.opened.sheet.next.happening == MENDED:
            break
        turns = nominal(bus)
        bus.garage.do(TellTurns(bus.job, turns), "teo", bus.id())
        if bus.opened.sheet.next.happening == MENDED:
            break
        bus.garage.do(TurnScrews(bus.job), "teo", bus.id())
        sensor.turn(aimed(bus).passes[-1].turned or {})
        bus.around()
    assert "Look at bracket and cover" in told(bus.opened.sheet.next.sentence)
    bus.happen(MENDED)
    assert aimed(bus).passes == ()
    assert bus.opened.state.frozen is None


def test_turns_are_told_as_hands_count_them_and_ours_warn(bus: Technician) -> None:
    sensor, garage = radar(bus), bus.garage
    sensor.pitch = 0.02
    with refused(Conflict, match="after a run that failed"):
        garage.do(TellTurns(bus.job, {"side": ("1", "clockwise")}), "teo", bus.id())
    responses = {step: f"{sensor.respond(tilt, SET_UP):.2f}" for step, tilt in NOTCHES.items()}
    bus.run(responses)
    bus.answer("result.outcome", FAILED)
    assert bus.opened.sheet.next.kind == "read", "the misalignment before anything is turned"
    garage.do(TellTurns(bus.job, {"side": ("1", "clockwise")}), "teo", bus.id())
    with refused(Conflict, match="before anything is turned"):
        garage.do(TurnScrews(bus.job), "teo", bus.id())
    bus.read("result.yaw", "0.62", "tester", "plus")
    bus.read("result.pitch", "0.02", "tester", "plus")
    for typed, field in (
        ({"side": ("about one", "clockwise")}, "side"),
        ({"side": ("1/0", "clockwise")}, "side"),
        ({"side": ("21", "clockwise")}, "side"),
        ({"side": ("3/8", "")}, "side_way"),
        ({"side": ("", "clockwise"), "low": ("0", "")}, "side"),
    ):
        with pytest.raises(BadInput) as wrong:
            garage.do(TellTurns(bus.job, typed), "teo", bus.id())
        assert wrong.value.field == field
    garage.do(TellTurns(bus.job, {"side": ("1 1/4", "anticlockwise"), "low": ("1/8", "clockwise")}), "teo", bus.id())
    assert aimed(bus).to_turn == {"side": -1.25, "low": 0.125}
    assert aimed(bus).unlike == ("side",), "ours is a whole turn: an eighth more or less is the same"
    assert "we would turn: side screw 1 turn anticlockwise" in told(bus.opened.sheet.next.then)
    for eighths, unlike in ((2, ("side",)), (3, ("side", "low"))):
        turns = {"side": ("1 1/4", "anticlockwise"), "low": (f"{eighths}/8", "clockwise")}
        garage.do(TellTurns(bus.job, turns), "teo", bus.id())
        assert aimed(bus).unlike == unlike, eighths


def test_the_notches_tell_a_second_time_how_far_it_looks_down(bus: Technician) -> None:
    sensor = radar(bus)
    sensor.pitch = 0.35
    run(bus, sensor, PASSED)
    view = bus.check("tilts")
    assert view.state == "holds"
    assert told(view.judgement.summary).startswith("0.3")
    bus.happen("attempt")
    bus.around()
    bus.run({"middle": "61.2", "back": "74.0", "forward": "73.1"})
    bus.result(PASSED)
    view = bus.check("tilts")
    assert view.state == "out"
    assert "no peak between the notches" in told(view.judgement.mismatch)
    assert bus.opened.sheet.next.happening == "attempt"


def test_a_response_is_typed_or_the_step_is_not_done(bus: Technician) -> None:
    for id in ("key_on", "supported", "cleared", "opened"):
        bus.step(id)
    bus.heights_for_routine("ride")
    bus.step("middle", 5, response="74,2")
    with refused(BadInput, match="71.4"):
        bus.step("back", 5, response="strong")
    steps = [one.said for one in bus.opened.state.steps]
    assert [one.response for one in steps if isinstance(one, RunStepped) and one.step == "middle"] == [None, 74.2]


def test_a_misalignment_that_no_tester_shows_is_excused_in_words_before_turning(bus: Technician) -> None:
    sensor, garage = radar(bus), bus.garage
    bus.run({step: f"{sensor.respond(tilt, SET_UP):.2f}" for step, tilt in NOTCHES.items()})
    bus.answer("result.outcome", FAILED)
    turns, why = {"side": ("1/2", "clockwise")}, "this tester tells turns and no figure"
    with refused(BadInput, match="ten letters"):
        garage.do(TellTurns(bus.job, turns, unread="no"), "teo", bus.id())
    garage.do(TellTurns(bus.job, turns, unread=why), "teo", bus.id())
    assert bus.opened.sheet.next.opens == "screws"
    garage.do(TurnScrews(bus.job), "teo", bus.id())
    assert aimed(bus).turned == 1
    record = build(bus.opened, garage.person("ines"), garage.clock(), "Valdehierro")
    assert record.attempts[-1].unread == why
