"""The conducted run: steps in their order, waits that count from the log, interruptions, and what is never skipped."""

from dataclasses import replace
from pathlib import Path

import pytest

from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage
from escuadra.commands.running import RunProcedure, TakeStep
from escuadra.commands.whole import AddCalibration
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.visit.conductor import Conducted, conducted
from escuadra.rehearsal.technician import Technician
from tests.conftest import finished, ground_flat, on_own_sheet
from tests.english import refused, told

WHY = "the charger's fuse blew meanwhile"


@pytest.fixture
def ambulance(garage: Garage) -> Technician:
    """An ambulance, set up; its procedure is run step by step."""
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", reason="windscreen replaced", bay="Norte", procedure="HV-CAM-01")
    return finished(who)


def at(who: Technician) -> Conducted:
    return conducted(who.opened.sheet.plan.procedure, who.opened.state)


def test_steps_come_one_after_the_other_and_the_last_one_is_the_run(ambulance: Technician) -> None:
    steps = [step.step.id for step in at(ambulance).steps]
    with refused(Conflict, match="step by step"):
        ambulance.garage.do(RunProcedure(ambulance.job), "teo", ambulance.id())
    with refused(Conflict, match="Another step is at hand now, number 1"):
        ambulance.step("people")
    for k, id in enumerate(steps):
        run = at(ambulance)
        assert run.now is not None
        assert (run.now.number, run.now.step.id) == (k + 1, id)
        assert ambulance.opened.state.frozen is None
        if id == "lights":
            ambulance.garage.do(TakeStep(ambulance.job, id, "done", device="link"), "teo", ambulance.id())
        else:
            ambulance.step(id, run.now.step.wait_s)
        assert [step.step.id for step in at(ambulance).steps if step.seen] == ["lights"] * (id in steps[1:-1])
    assert ambulance.opened.state.frozen is not None
    with refused(Conflict, match="was run by this set-up"):
        ambulance.step("answer")
    ambulance.result()
    assert ambulance.check("result").judgement.complete


def test_the_unit_of_the_other_side_stops_the_run(garage: Garage) -> None:
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-2", reason="front radar replaced", bay="Norte", procedure="HV-RAD-01")
    who.set_up()
    for id in ("key_on", "supported", "cleared"):
        who.step(id)
    with refused(BadInput, match="Distance radar 1, Distance radar 2"):
        who.step("opened", unit="rear")
    who.step("opened", unit="right")
    run = at(who)
    assert (run.other_unit, run.interruptions) == ("right", 1)
    assert run.now is not None
    assert run.now.step.id == "opened"
    who.step("opened", unit="left")
    assert (at(who).other_unit, at(who).interruptions) == (None, 1)
    who.garage.do(AddCalibration(who.job, "HV-RAD-02"), "teo", who.id())
    left = {view.check.id: view.state for view in who.opened.sheet.checks}
    who.calibration = "2"
    right = {view.check.id: view.state for view in who.opened.sheet.checks}
    shared = ("alignment", "ride_height", "centreline", "thrust", "level", "square")
    assert {id: right[id] for id in shared} == {id: left[id] for id in shared}, "the frame and the line are taken over"
    assert right["centred"] == "out"


@pytest.mark.parametrize("lower, again", [(0.5, ["arch.LF"]), (6.0, ["arch.LF", "arch.RF", "arch.LR", "arch.RR"])])
@pytest.mark.parametrize("what", ["door", "aboard"])
def test_one_arch_tells_whether_the_body_rests_as_it_did(
    ambulance: Technician, what: str, lower: float, again: list[str]
) -> None:
    asked = []
    ambulance.happen(what)
    assert ambulance.check("ride_height").state == "stale"
    for _ in CORNERS:
        missing = [
            slot.slot.id for slot in ambulance.check("ride_height").slots if not slot.now and not slot.slot.optional
        ]
        if not missing:
            break
        alone = "arch alone tells" in told(ambulance.check("ride_height").judgement.remark)
        assert alone == (missing == ["arch.LF"]), "until it reads otherwise"
        asked.append(missing[0])
        nominal = getattr(ambulance.opened.sheet.plan.vehicle.arches, missing[0].removeprefix("arch."))
        ambulance.read(missing[0], f"{nominal + 1 - lower:g}", "tape-4")
    assert asked == again
    assert ambulance.check("ride_height").judgement.complete


def test_a_wait_counts_from_when_it_was_begun_and_is_sat_out(ambulance: Technician) -> None:
    for id in ("support", "lights", "people"):
        ambulance.step(id)
    with refused(Conflict, match="Begin the wait first"):
        ambulance.step("key_on")
    ambulance.step("key_on", what="begun")
    now = at(ambulance).now
    assert now is not None
    assert now.at is not None
    assert [now.left_s(now.at + ms) for ms in (0, 4000, 10_000, 99_000)] == [10, 6, 0, 0]
    exact = replace(now, step=now.step.model_copy(update={"exactly": True}))
    assert [exact.late_s(now.at + ms) for ms in (10_000, 13_000, 14_000)] == [0, 0, 1]
    ambulance.at -= 40_000
    with refused(Conflict, match=r"Wait another \d s"):
        ambulance.step("key_on")


def test_an_interruption_keeps_what_stays_valid_and_no_more(ambulance: Technician) -> None:
    with refused(Conflict, match="nothing to interrupt"):
        ambulance.step("support", what="interrupted", why=WHY)
    for id in ("support", "lights", "people"):
        ambulance.step(id)
    with refused(BadInput, match="reason in words"):
        ambulance.step("key_on", what="interrupted", why="oh")
    ambulance.step("key_on", what="interrupted", why=WHY)
    run = at(ambulance)
    assert [step.step.id for step in run.steps if step.state == "done"] == ["support", "lights"]
    assert run.now is not None
    assert run.now.step.id == "people", "nobody may have stayed out of its sight"
    assert (run.interrupted, run.interruptions) == (WHY, 1)
    ambulance.step("people")
    assert at(ambulance).interrupted == ""


def test_what_protects_people_is_never_left_out(ambulance: Technician) -> None:
    ambulance.step("support", what="skipped", why="the car is on its own charger")
    assert at(ambulance).steps[0].state == "skipped"
    ambulance.step("lights")
    with refused(Conflict, match="it is not skipped"):
        ambulance.step("people", what="skipped", why="nobody is in the bay but me")


def test_a_radar_transmits_only_into_a_field_that_was_answered_for(tmp_path: Path) -> None:
    text = (PRACTICE / "procedures" / "hv-cam-01.yaml").read_text(encoding="utf-8")
    text = text.replace("at: outside, stays: true", "at: outside, transmits: true")
    with on_own_sheet(tmp_path, text, "windscreen replaced") as who:
        finished(who)
        with refused(Conflict, match="the field is clear"):
            who.step("support")
        who.garage.do(TakeStep(who.job, "support", "done", clear=True), "teo", who.id())
        assert at(who).steps[0].state == "done"


def test_nothing_is_begun_while_the_set_up_does_not_hold_and_a_bump_undoes_what_does_not_stay(
    ambulance: Technician,
) -> None:
    for id in ("support", "lights", "people"):
        ambulance.step(id)
    ambulance.happen("bump")
    with refused(Conflict, match="Not settled yet"):
        ambulance.step("people")
    run = at(ambulance)
    assert [step.step.id for step in run.steps if step.state == "done"] == ["support", "lights"]
    assert run.now is not None
    assert run.now.step.id == "people", "whoever looked after the bump stood in its sight"
