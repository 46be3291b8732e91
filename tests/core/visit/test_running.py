"""The run and what comes of it: what freezes the set-up, what opens it again, who may confirm, and attempts."""

import pytest

from escuadra.commands.entries import Answer, Override
from escuadra.commands.forms import press
from escuadra.commands.reading import TakeReading
from escuadra.commands.running import ConfirmSetup, RunProcedure, TakeResult
from escuadra.commands.signing import Reopen, Sign
from escuadra.commands.whole import AddCalibration
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.visit.attempts import FAILED, INTERRUPTED, PASSED, attempts
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.places import OUTCOME
from escuadra.devices.virtual_vehicle import VirtualVehicle
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import build
from escuadra.words import say
from tests.english import refused


def state(who: Technician, id: str, calibration: str = "") -> str:
    view = who.garage.open(who.job, calibration).sheet.check(id)
    assert view is not None
    return view.state


def test_nothing_is_signed_before_it_was_run_and_nothing_is_run_before_all_of_it_holds(full: Technician) -> None:
    garage, head = full.garage, full.opened.row.head
    with refused(Conflict, match="Not settled yet: Procedure run, Result of the run"):
        garage.do(Sign(full.job, head, lambda *_: b"{}"), "ines", press())
    with refused(BadInput, match="a place"):
        full.answer(OUTCOME, PASSED)
    full.happen("door")
    with refused(Conflict, match="Not settled yet: Doors and Ride height"):
        full.run()
    assert full.opened.sheet.next.kind != "run"


def test_what_was_run_stays_as_it_was_while_others_go_on_and_opens_for_a_further_run(full: Technician) -> None:
    garage = full.garage
    garage.do(AddCalibration(full.job, "BL-RAD-01", ("frame",)), "teo", press())
    full.run()
    ran = {view.check.id: view.state for view in full.opened.sheet.checks}
    for refusal in (
        TakeReading(full.job, "level.roll", "0.05", "level-1", "plus"),
        Answer(full.job, "tick.doors", "no"),
        RunProcedure(full.job),
    ):
        with refused(Conflict, match='Say "Run again" first'):
            garage.do(refusal, "teo", press())
    full.happen("vehicle_rolled")
    garage.do(TakeReading(full.job, "arch.LF", "731", "tape-4", calibration="2"), "amara", press())
    full.at += 400 * 86_400_000
    assert {view.check.id: view.state for view in full.opened.sheet.checks} == ran
    assert state(full, "ride_height", "2") == "stale"
    assert full.opened.state.stage == "run"
    full.result(FAILED, {"yaw": -1.3})
    assert state(full, "result") == "out"
    assert say(full.opened.sheet.next.sentence).startswith("Run it again")
    full.happen("attempt")
    assert state(full, "ride_height") == "stale", "a further run is judged by how things stand now"
    assert (state(full, "run"), full.opened.state.stage) == ("open", "in_work")


@pytest.mark.parametrize(
    ("outcome", "off", "found", "says"),
    [
        (PASSED, {"yaw": 0.4, "pitch": -0.3, "roll": 0.1}, "holds", ""),
        (PASSED, {"yaw": 1.4, "pitch": 0.0, "roll": 0.0}, "out", ""),
        (PASSED, {"yaw": -1.4, "pitch": 0.0, "roll": 0.0}, "out", ""),
        (PASSED, {"yaw": 0.4}, "open", "belongs to the record"),
        (FAILED, {}, "out", ""),
        (INTERRUPTED, {}, "out", ""),
    ],
)
def test_a_result_is_what_the_routine_showed_before_it_took_that_as_zero(
    full: Technician, outcome: str, off: dict[str, float], found: str, says: str
) -> None:
    full.run()
    full.answer(OUTCOME, outcome)
    for id, value in off.items():
        full.read(f"result.{id}", f"{abs(value):g}", "tester", "minus" if value < 0 else "plus")
    view = full.check("result")
    assert view.state == found
    assert says in " ".join(map(say, view.judgement.remark.said))
    if found == "open":
        full.garage.do(Override(full.job, "result", "the tester zeroed it without showing anything"), "ines", press())
        assert full.opened.sheet.can_sign


def test_what_the_vehicle_says_is_taken_as_it_is_and_only_what_the_sheet_asks(full: Technician) -> None:
    car = VirtualVehicle("ZZ9BL09C6RV000801", ["camera_unit", "radar_unit"], {"camera_unit"})
    asked = {"ask": "results", "unit": "camera_unit"}
    with refused(BadInput, match="whose routine was run"):
        car.answer(asked)
    car.answer({"ask": "routine", "unit": "camera_unit"})
    told = car.answer(asked)
    assert told == car.answer(asked), "alike whenever it is asked"
    full.run()
    figures = {**told["figures"], "tilt": 3.0}
    full.garage.do(TakeResult(full.job, told["outcome"], figures, device="diagnostic link"), "teo", press())
    (attempt,) = attempts(full.opened.state)
    said = {id: entry.said for id, entry in attempt.figures.items()}
    read = {id: (s.value, s.device) for id, s in said.items() if isinstance(s, ReadingTaken)}
    assert read == {id: (value, "diagnostic link") for id, value in told["figures"].items()}
    assert full.opened.sheet.can_sign


def test_each_attempt_stands_in_the_record(full: Technician) -> None:
    full.run()
    full.result(FAILED, {"yaw": 1.3, "pitch": 0.1, "roll": 0.0})
    full.happen("attempt")
    full.around()
    full.run()
    full.result(PASSED, {"yaw": 0.2, "pitch": 0.1, "roll": 0.0})
    record = build(full.opened, full.garage.person("ines"), full.garage.clock(), "Valdehierro")
    assert [(one.outcome, say(one.figures[0].value)) for one in record.attempts] == [
        (FAILED, "1.30° to the left"),
        (PASSED, "0.20° to the left"),
    ]


def test_a_trainee_measures_and_a_specialist_confirms_and_signs(full: Technician) -> None:
    garage = full.garage
    with refused(Conflict, match="works here as trainee"):
        garage.do(ConfirmSetup(full.job), "nuno", press())
    garage.do(ConfirmSetup(full.job), "ines", press())
    with refused(Conflict, match="Inés Robledo confirmed this set-up"):
        full.read("level.roll", "0.05", "level-1", "plus")
    with refused(Conflict, match="confirmed already"):
        garage.do(ConfirmSetup(full.job), "ines", press())
    garage.do(ConfirmSetup(full.job, taken_back=True), "ines", press())
    full.read("level.roll", "0.05", "level-1", "plus")
    garage.do(ConfirmSetup(full.job), "ines", press())
    full.happen("door")
    assert full.opened.sheet.confirmed is None, "it was confirmed as it stood"
    full.answer("tick.doors", "yes")
    full.stance(1, 2, -1, 0)
    assert full.opened.sheet.confirmed is None
    full.run()
    full.result()
    with refused(Conflict, match="works here as trainee"):
        garage.do(Sign(full.job, full.opened.row.head, lambda *_: b"{}"), "nuno", press())
    garage.do(Sign(full.job, full.opened.row.head, lambda *_: b"{}"), "ines", press())
    garage.do(Reopen(full.job, "the result was typed wrongly"), "ines", press())
    assert full.opened.sheet.stands


def test_what_is_around_is_asked_in_full_once_and_then_whether_it_changed(full: Technician) -> None:
    full.run()
    full.result(FAILED, {"yaw": 1.3, "pitch": 0.1, "roll": 0.0})
    full.happen("attempt")
    view = full.check("surroundings")
    assert (view.state, [slot.slot.id for slot in view.slots if not slot.slot.optional]) == ("stale", ["around.same"])
    full.answer("around.same", "no")
    assert full.check("surroundings").state == "stale", "then all of it"
    assert full.opened.sheet.next.slot == "around.alike"
    for slot in [view.slot.id for view in view.slots[1:]]:
        full.answer(slot, "yes")
    assert full.check("surroundings").state == "holds"
    full.run()
    full.happen("attempt")
    full.answer("around.same", "yes")
    assert full.check("surroundings").state == "holds"
    full.happen("vehicle_rolled")
    ids = [slot.slot.id for slot in full.check("surroundings").slots]
    assert "around.same" not in ids, "something moved: all of it"
