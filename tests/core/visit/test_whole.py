"""A visit as a whole: what was done says what must be calibrated; what is added, left out, corrected, called off."""

from pathlib import Path
from typing import Any

import pytest

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage, TakeIn
from escuadra.commands.entries import Answer
from escuadra.commands.forms import Whole, press
from escuadra.commands.listing import Listed
from escuadra.commands.signing import Sign, printed
from escuadra.commands.taking_in import BeginVisit
from escuadra.commands.whole import (
    AddCalibration,
    CallOff,
    Correct,
    LeaveOut,
    Reorder,
    TakeUp,
    TellWork,
    WholeVisitCommand,
)
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.log.whole import WorkTold
from escuadra.core.visit.needed import reason_words, scoped, too_early
from escuadra.rehearsal.technician import Technician
from escuadra.words import say
from tests.conftest import Clock, ground_flat
from tests.english import refused

MINIBUS: VehicleModel = load([PRACTICE]).get("vehicle", "brezo-lanzadera").content
SURROUND = ["surround_front", "surround_left", "surround_right", "surround_rear"]
WHY = "because the customer asked for it"


def work(*done: tuple[str, str], **more: Any) -> WorkTold:
    return WorkTold.read({"done": [{"act": act, "part": part} for act, part in done], **more})


@pytest.mark.parametrize(
    "told, expected",
    [
        (work(), {}),
        (work(("replaced", "windscreen")), {"front_camera": "windscreen replaced"}),
        (work(("replaced", "surround_unit")), dict.fromkeys(SURROUND, "surround control unit replaced")),
        (work(("removed", "front_bumper")), {"front_radar": "maker's rule BL-R07: the surround camera's holder stays"}),
        (work(("repaired", "roof")), {}),
        (
            work(("painted", "rear_bumper")),
            dict.fromkeys(["corner_radar_left", "corner_radar_right"], "rear bumper"),
        ),
        (work(("adjusted", "steering_angle")), {"front_camera": "steering angle sensor adjusted"}),
        (work(codes=[{"code": "VH-C41", "sensor": "front_radar"}]), {"front_radar": "fault code VH-C41"}),
        (work(asked=[{"sensor": "surround_rear", "why": "precaution"}]), {"surround_rear": "precaution"}),
        (
            work(asked=[{"sensor": "front_camera", "why": "complaint"}], complaint="brakes late"),
            {"front_camera": "complaint: brakes late"},
        ),
    ],
)
def test_each_sensor_is_needed_because_of_something_or_is_listed_as_not_affected(
    told: WorkTold, expected: dict[str, str]
) -> None:
    found = scoped(MINIBUS, told)
    assert {one.sensor.id for one in found} == {sensor.id for sensor in MINIBUS.sensors}
    assert [one.sensor.id for one in found if one.needed] == list(expected)
    for one in found[: len(expected)]:
        said = "; ".join(say(reason_words(MINIBUS, reason, told.complaint)) for reason in one.because)
        assert said.startswith(expected[one.sensor.id])


def test_a_sensor_that_waits_for_another_says_for_which() -> None:
    def early(before: list[str]) -> list[str]:
        return [sensor.id for sensor in too_early(MINIBUS, ["surround_rear"], before)]

    assert early([]) == ["surround_front", "surround_left", "surround_right"]
    assert early(["surround_front", "surround_right"]) == ["surround_left"]
    assert too_early(MINIBUS, SURROUND, []) == [], "one sheet serves them all"


def test_a_model_names_every_part_that_its_sensors_and_rules_name() -> None:
    plain = MINIBUS.model_dump(mode="json")
    with refused(BadInput, match="a part that the model names"):
        VehicleModel.read({**plain, "rules": [{"id": "R", "act": "any", "part": "left_fin", "calibrate": []}]})
    with refused(BadInput, match="one of the sensors that are fitted"):
        VehicleModel.read({**plain, "rules": [{"id": "R", "act": "any", "part": "roof", "calibrate": ["sonar"]}]})


@pytest.fixture
def begun(garage: Garage) -> Whole:
    """A visit of which nothing is said yet but whose vehicle it is."""
    asked = {"number": "T-9", "reason": "hit a kerb", "bay": "Norte", "vehicle": "brezo-lanzadera", "frame": "galga-2"}
    return garage.do(BeginVisit(TakeIn.read(asked)), "teo", "begin")


def do(garage: Garage, command: WholeVisitCommand) -> Whole:
    whole: Whole = garage.do(command, "ines", press())
    return whole


def test_what_was_done_is_told_bit_by_bit_and_a_sheet_is_added_with_its_reasons(garage: Garage, begun: Whole) -> None:
    id = begun.row.id
    assert begun.visit.calibrations == ()
    do(garage, TellWork(id, work(("replaced", "windscreen"), ("struck", "roof"))))
    do(garage, TellWork(id, work(("removed", "left_mirror")), less=work(("struck", "roof")), complaint=" drifts "))
    told = do(garage, TellWork(id, work(("replaced", "windscreen")))).state.work
    assert told == work(("replaced", "windscreen"), ("removed", "left_mirror"), complaint="drifts")
    with refused(BadInput, match="a part that the model names"):
        do(garage, TellWork(id, work(("replaced", "left_fin"))))
    with refused(BadInput, match="one of the sensors that are fitted"):
        do(garage, TellWork(id, work(codes=[{"code": "X", "sensor": "sonar"}])))
    with refused(BadInput, match="a procedure sheet of Brezo Lanzadera"):
        do(garage, AddCalibration(id, "QR-CAM-01"))
    do(garage, AddCalibration(id, "BL-CAM-01"))
    whole = do(garage, AddCalibration(id, "BL-SUR-01"))
    added = [whole.part(k).calibration for k in ("1", "2")]
    assert [(one.sensors, one.bodies) for one in added if one] == [
        (["front_camera"], ["frame"]),
        (["surround_left"], ["frame", "stand"]),
    ]
    (row,) = [visit for visit in garage.listed() if isinstance(visit, Listed)]
    assert [one.address for one in row.calibrations] == [id, f"{id}.2"]


def test_a_calibration_is_moved_left_out_and_taken_up_each_with_a_reason(garage: Garage, begun: Whole) -> None:
    id = begun.row.id
    for sheet in ("BL-CAM-01", "BL-RAD-01", "BL-CAM-02"):
        do(garage, AddCalibration(id, sheet))
    assert do(garage, Reorder(id, ("3", "1", "2"), WHY)).visit.in_order == ("3", "1", "2")
    with refused(BadInput, match="each calibration once"):
        do(garage, Reorder(id, ("3", "1"), WHY))
    with refused(BadInput, match="a reason in words"):
        do(garage, LeaveOut(id, "3", "no"))
    assert do(garage, LeaveOut(id, "3", WHY)).visit.in_order == ("1", "2", "3")
    with refused(Conflict, match="left out of the visit"):
        garage.do(Answer(id, "printed.day", "2026-11-02", calibration="3"), "teo", press())
    assert do(garage, TakeUp(id, WHY, "3")).visit.in_order == ("3", "1", "2")
    with refused(Conflict, match="Nothing was left out"):
        do(garage, TakeUp(id, WHY, "3"))


def test_what_was_taken_in_wrongly_is_corrected_with_what_it_was_before(teo: Technician) -> None:
    garage, id = teo.garage, teo.job
    teo.answer("printed.day", "2026-02-02")
    do(garage, Correct(id, "vin", "ZZ9BL3642VH004411", WHY))
    do(garage, Correct(id, "odometer_km", "84310", WHY))
    ground_flat(garage, "Patio")
    drawn = {pin.hash for pin in teo.opened.state.pins if pin.kind == "bay"}
    do(garage, Correct(id, "bay", "Patio", WHY))
    now = [pin.hash for pin in teo.opened.state.pins if pin.kind == "bay"]
    assert len(now) == 1, "of one bay, and not of the one before"
    assert drawn.isdisjoint(now)
    whole = do(garage, Correct(id, "frame", "galga-3", WHY))
    job = whole.job
    assert (job.vin, job.odometer_km, job.bay) == ("ZZ9BL3642VH004411", 84310, "Patio")
    opened = garage.open(id)
    assert opened.sheet.plan.frame.id == "galga-3"
    assert opened.state.live("printed.day"), "what was read of the vehicle stays"
    assert [one.said.before for one in whole.visit.corrections][2:] == ["Norte", "galga-2"]
    for what, value, wanted in (
        ("bay", "Sur", "one of"),
        ("colour", "red", "one of"),
        ("vin", "", "what it really"),
    ):
        with refused(BadInput, match=wanted):
            do(garage, Correct(id, what, value, WHY))
    again = Garage(garage.data, Clock(), garage.catalogue)
    assert again.open(id).sheet.plan.frame.id == "galga-3", "as its events say, not as it was remembered"
    again.close()


def test_a_visit_that_was_called_off_takes_nothing_until_it_is_taken_up(teo: Technician, tmp_path: Path) -> None:
    garage, id = teo.garage, teo.job
    do(garage, CallOff(id, WHY))
    with refused(Conflict, match="called off"):
        teo.answer("printed.day", "2026-02-02")
    with refused(Conflict, match="called off"):
        do(garage, AddCalibration(id, "BL-RAD-01"))
    (row,) = [visit for visit in garage.listed() if isinstance(visit, Listed)]
    assert (row.stage, garage.open(id).sheet.can_sign) == ("called_off", False)
    do(garage, TakeUp(id, WHY))
    teo.answer("printed.day", "2026-02-02")


def test_what_is_left_out_is_not_signed_and_what_was_signed_is_printed_though_the_visit_was_called_off(
    full: Technician,
) -> None:
    garage, id = full.garage, full.job
    do(garage, LeaveOut(id, "1", WHY))
    head = full.opened.row.head
    with refused(Conflict, match="left out of the visit"):
        garage.do(Sign(id, head, lambda *_: b"{}"), "ines", press())
    do(garage, TakeUp(id, WHY, "1"))
    full.finish()
    garage.do(Sign(id, full.opened.row.head, lambda *_: b"{}"), "ines", press())
    do(garage, CallOff(id, WHY))
    assert full.opened.state.stage == "signed"
    assert printed(garage, id, 1, lambda record, _: b"%PDF of " + record) == b"%PDF of {}"


def test_a_frame_that_stands_serves_the_next_calibration(full: Technician) -> None:
    do(full.garage, AddCalibration(full.job, "BL-RAD-01"))
    second = full.garage.open(full.job, "2").sheet
    left = {view.check.id: view.state for view in second.checks if not view.settled}
    assert left == {
        **dict.fromkeys(("cover", "bracket", "target", "surroundings", "run", "result"), "open"),
        **dict.fromkeys(("target_height", "centred", "distance"), "out"),
    }, "the vehicle is known, the frame stands level and square, and it is known how far it has to go"
