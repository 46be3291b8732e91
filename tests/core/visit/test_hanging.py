"""How a target hangs: its place on the beam read at an edge, what that does to centre and distance, mounts, heights."""

import math

import pytest

from escuadra.commands import Garage
from escuadra.core.base.axes import turned
from escuadra.core.base.said import Noun
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.sheet import derive
from escuadra.core.visit.solution import upright
from escuadra.core.visit.target_on_beam import hung, read_at, sag
from escuadra.rehearsal.technician import Technician
from tests.core.visit.test_stations import begun
from tests.english import told


def figure(who: Technician, check: str) -> float:
    view = who.opened.sheet.check(check)
    assert view is not None
    return view.judgement.figures[0].value


def test_an_edge_is_read_and_the_centre_is_meant(garage: Garage) -> None:
    who = begun(garage, "QR-CAM-02")
    who.read("hang", "813", "rule-3")
    found = hung(who.opened.sheet.epochs)
    assert found is not None
    assert found.value == pytest.approx(813 - 1622 / 2, abs=0.2), "half of its width from the edge"
    who.read("spacing", "918", "rule-3")
    view = who.check("spacing")
    assert view is not None
    assert view.state == "out"


@pytest.mark.parametrize("off", [0.0, 2.0, -2.0])
def test_where_it_hangs_counts_in_its_centre(garage: Garage, off: float) -> None:
    who = begun(garage, "BL-CAM-02")
    who.target()
    who.hang(off)
    who.level()
    who.tapes((0.5, -0.9, 0.0))
    assert figure(who, "centred") == pytest.approx(-0.9 + 1.1 + off, abs=0.6), "the thrust line runs 1.1 mm right here"


def test_a_turned_beam_carries_a_target_at_its_end_along_the_line(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    plan = who.opened.sheet.plan.whole.at_stations["left"]
    epochs = who.opened.sheet.epochs
    who.target()
    who.floor()
    who.level()
    who.tapes((0.0, 0.0, 0.6))
    who.read("hang", f"{read_at(plan, plan.hang):g}", "rule-3")
    there = Epochs(who.opened.state, plan)
    solution = there.newest
    assert solution is not None
    pose, face = solution.pose, plan.frame.face_offset
    fx, fy = turned(pose.yaw_deg, -face, 702.0)
    datum = solution.datum
    angle = math.radians(solution.derived("line_angle").value)
    along = (pose.x + fx - datum[0]) * math.cos(angle) + (pose.y + fy - datum[1]) * math.sin(angle)
    lean = there.postures[0].lean("pitch", to_tyres=True)
    assert lean is not None
    leans = math.radians(lean.value) * (plan.target_above_floor - plan.vehicle.hub_height - 212)
    assert solution.derived("distance").value == pytest.approx(along + leans, abs=0.1)
    assert abs(leans) > 0.5
    assert epochs.plan.hang == 0


def test_a_height_read_at_the_beam_is_brought_to_the_target(garage: Garage) -> None:
    who = begun(garage, "BL-RAD-02", reason="front radar replaced")
    plan = who.opened.sheet.plan
    assert sag(plan) == (0.0, 0.0), "in the beam's middle nothing sags"
    who.read("height.beam", f"{plan.target_above_floor + 93 + 2:g}", "tape-4")
    assert figure(who, "target_height") == pytest.approx(plan.procedure.height + 2, abs=0.3)
    who.read("height.target", f"{plan.target_above_floor:g}", "tape-4")
    assert figure(who, "target_height") == pytest.approx(plan.procedure.height + 0.8, abs=0.5), "both count"


def test_what_a_target_pulls_the_beam_down_is_taken_off_its_height(
    garage: Garage, monkeypatch: pytest.MonkeyPatch
) -> None:
    who = begun(garage, "BL-RAD-02", reason="front radar replaced")
    plan = who.opened.sheet.plan
    who.read("height.beam", f"{plan.target_above_floor + 95:g}", "tape-4")
    light = figure(who, "target_height")
    monkeypatch.setattr(upright, "sag", lambda _: (3.0, 0.6))
    (view,) = (v for v in derive(who.opened.state, plan, who.clock()).checks if v.check.kind == "target_height")
    assert view.judgement.figures[0].value == pytest.approx(light - 3.0, abs=0.05)


def test_a_heavy_target_at_the_end_sags_by_the_cube_of_its_place(garage: Garage) -> None:
    left = begun(garage, "BL-CAM-02").opened.sheet.plan.whole.at_stations["left"]
    heavy = left.target.model_copy(update={"mass_kg": 10.0})
    down, u = sag(type(left)(left.procedure, left.vehicle, heavy, left.frame, station=left.station))
    assert down == pytest.approx(0.21 * 10 * (702 / 1113) ** 3)
    assert u == pytest.approx(0.2 * down)


@pytest.mark.parametrize(
    "measured, mount",
    [("", "right_mount"), ("119 plus", "left_mount"), ("118 minus", "centre_mount"), ("0 plus", "centre_mount")],
)
def test_the_sensors_offset_says_which_mount(garage: Garage, measured: str, mount: str) -> None:
    who = begun(garage, "BL-RAD-02", frame="galga-3", reason="front radar replaced")
    if measured:
        typed, word = measured.split()
        who.read("sensor.offset", typed, "meter-1", word)
    who.target()
    view = who.check("target")
    assert view is not None
    assert view.state == "holds"
    said = {slot.slot.id: slot.now[-1].said for slot in view.slots if slot.now}
    assert getattr(said["target.mount"], "value", "") == mount
    who.answer("target.mount", "left_mount" if mount != "left_mount" else "centre_mount")
    view = who.check("target")
    assert view is not None
    assert f"the procedure sheet wants {told(Noun(f'answer.{mount}'))}" in told(view.judgement.mismatch)
