"""Bays and surveys through their commands, and what they do to a job's sheet."""

import math
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

import pytest

from escuadra.commands import Garage
from escuadra.commands.bays import KeepBay
from escuadra.commands.forms import press
from escuadra.commands.surveys import CloseSurvey, EnterTable, ReadPoint, TakeBackFigure, of_csv, on_grid
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.quantities import Question
from escuadra.core.bay.bay import Bay, Place
from escuadra.core.visit.plan import ANY_BAY
from escuadra.core.visit.six_heights import six_points, six_slots
from escuadra.rehearsal.technician import Technician
from tests.english import refused, told

DAY = date(2025, 11, 1)
MORE: dict[str, Any] = {"taken_on": DAY, "valid_until": DAY + timedelta(days=365), "instrument": "Level 9", "u": 0.3}
NORTE = {"name": "Norte", "length": 12_000, "width": 5_000}


def slope(x: float, _y: float) -> float:
    return 0.001 * x + (12.0 if x > 7000 else 0.0)


def keep(garage: Garage, **change: Any) -> Bay:
    """A sheet of the bay Norte."""
    bay = Bay.read({**NORTE, **change})
    garage.do(KeepBay(bay, garage.floors.bay("Norte")[1]), "ines", press())
    return bay


def survey(garage: Garage, floor: Any = slope, key: str = "s", wrong: str = "", **more: Any) -> str:
    """A closed survey of Norte, staff readings from a formula."""
    lines = ["point;x;y;staff"]
    for row in range(7):
        for k in range(16):
            x, y = 50 + k * 793.3, 50 + row * 816.6
            off = 30 if f"P{row}_{k}" == wrong else 0
            lines.append(f"P{row}_{k};{x:.1f};{y:.1f};{1400 - floor(x, y) + off:.1f}")
    id = garage.do(of_csv("\n".join(lines), bay="Norte", **{**MORE, **more}), "teo", key)
    garage.do(CloseSurvey(id), "teo", press())
    return id


def test_a_survey_is_read_point_by_point_taken_back_and_closed_for_good(garage: Garage) -> None:
    keep(garage)
    floors = garage.floors
    id = garage.do(on_grid(garage.floors.bay("Norte")[0], 4000, 200, reads="staff", **MORE), "teo", "begin")
    assert garage.do(on_grid(garage.floors.bay("Norte")[0], 4000, 200, reads="staff", **MORE), "teo", "begin") == id
    first = floors.draft(id).next_point
    assert first is not None
    assert first.id == "A1"
    assert isinstance(garage.do(ReadPoint(id, "A1", "14.1"), "teo", "1"), Question)
    for _ in range(2):
        garage.do(ReadPoint(id, "A1", "1.41 m"), "teo", "2")
    assert [figure.reading.staff for figure in floors.draft(id).figures] == [1410]
    garage.do(ReadPoint(id, "A1", "1408", replaces=True), "teo", "3")
    garage.do(ReadPoint(id, "A2", "1409,5"), "amara", "4")
    assert [figure.reading.staff for figure in floors.draft(id).figures] == [1408, 1409.5]
    garage.do(TakeBackFigure(id), "teo", "5")
    with refused(BadInput, match="of your own"):
        garage.do(TakeBackFigure(id), "teo", "6")
    assert floors.draft(id).read == {"A2"}
    with refused(BadInput, match="3 points or more"):
        garage.do(CloseSurvey(id), "teo", press())
    garage.do(EnterTable(id, {"A1": "1411", "A3": "1407", "B1": "141.2 cm", "B2": ""}), "teo", "7")
    for typed in ({"A1": "wet"}, {"A4": "14"}, {"Z": "1400"}, {"A1": " "}):
        with pytest.raises(BadInput):
            garage.do(EnterTable(id, typed), "teo", "8")
    assert len(floors.draft(id).figures) == 4
    assert garage.do(CloseSurvey(id), "teo", press()).survey.person == "Teo Marchena"
    with refused(Conflict, match="closed"):
        garage.do(ReadPoint(id, "B2", "1400"), "teo", "9")
    assert [row.id for row in floors.surveys("Norte")] == [id]


def test_a_bay_changed_by_others_meanwhile_is_not_overwritten(garage: Garage) -> None:
    keep(garage)
    seen = garage.floors.bay("Norte")[1]
    keep(garage, width=5_200)
    with refused(Conflict, match="changed by others"):
        garage.do(KeepBay(Bay.read({**NORTE, "width": 4_900}), seen), "teo", press())
    kept = garage.floors.bay("Norte")[0]
    assert kept is not None
    assert kept.width == 5_200


def placed(teo: Technician, heading_deg: float = 0.0) -> Technician:
    """The job on a place in Norte, its tyres on their marks."""
    teo.place(1600, 2500, heading_deg)
    teo.answer("floor.marks", "yes")
    return teo


def test_the_floor_check_takes_its_state_from_the_survey_and_the_typed_slope_remains_without(teo: Technician) -> None:
    keep(teo.garage)
    assert teo.check("floor").slots[0].slot.id == "slope.wheels.along"
    survey(teo.garage)
    placed(teo)
    view = teo.check("floor")
    figures = {figure.id: figure for figure in view.judgement.figures}
    assert figures["slope.wheels.along"].value == pytest.approx(0.1, abs=0.001)
    assert figures["floor.target"].value == pytest.approx(12, abs=0.1)
    assert figures["floor.target"].u > 0.3
    assert "survey of 2025-11-01 by Teo Marchena" in told(view.judgement.remark)
    assert view.state == "undecided"
    teo.happen("vehicle_rolled")
    assert teo.check("floor").state == "stale"
    teo.place(9000, 2500)
    floor = teo.check("floor")
    assert told(floor.judgement.remark).endswith("off the surveyed floor.")
    assert floor.slots[0].slot.id == "slope.wheels.along"
    assert "The chosen place does not do" in told(floor.judgement.mismatch)


def test_a_height_from_the_tyres_is_set_lower_where_the_floor_is_higher(teo: Technician) -> None:
    keep(teo.garage)
    survey(teo.garage, lambda x, _y: 8.0 if x > 7000 else 0.0)
    placed(teo)
    teo.read("height.target", "1409", "tape-4")
    view = teo.check("target_height")
    assert view.worst is not None
    assert view.worst.value == pytest.approx(1417, abs=0.01)
    assert view.worst.u > 0.2
    assert told(view.judgement.remark).startswith("Set 1\u202f409\u202fmm above this floor: it is 8.0\u202fmm")
    assert "higher here than under the wheels" in told(view.judgement.remark)
    teo.read("height.target", "1400", "tape-4")
    teo.read("height.target", "1400", "tape-4")
    assert math.fsum(part.share for part in view.check.budget(teo.opened.sheet.epochs, view.worst)) == pytest.approx(1)


def test_a_slanted_tape_knows_the_floors_rise_between_its_ends(teo: Technician) -> None:
    keep(teo.garage)
    survey(teo.garage, lambda x, _y: 8.0 if x > 7000 else 0.0)
    placed(teo)
    epochs = teo.opened.sheet.epochs
    assert epochs.rise_of_tape("LF", "LF_end", (344, 0.5), (556, 0.5))[0] == pytest.approx(220, abs=0.01)
    assert epochs.rise_of_tape("LF", "LF_end", (344, 0.5), (556, 0.5))[1] > 0.8


@pytest.mark.parametrize(
    "more, wrong, said",
    [({"valid_until": DAY}, "", "valid until 2025-11-01"), ({}, "", ""), ({"u": 0.3}, "twice", "contradicts itself")],
)
def test_a_survey_that_ended_or_contradicts_itself_decides_nothing(
    teo: Technician, more: dict[str, Any], wrong: str, said: str
) -> None:
    keep(teo.garage)
    id = survey(teo.garage, lambda x, _y: 0.0002 * x, **more)
    if wrong:
        text = "point,x,y,staff,setup\n" + "\n".join(
            f"{p.id},{p.x},{p.y},{1300 + k + (9 if i == 3 and k else 0)},{k}"
            for i, p in enumerate(teo.garage.floors.closed(id).survey.points)
            for k in (0, 1)
        )
        again = teo.garage.do(of_csv(text, bay="Norte", **{**MORE, "taken_on": "2025-11-02"}), "teo", "again")
        teo.garage.do(CloseSurvey(again), "teo", press())
    placed(teo)
    view = teo.check("floor")
    assert said in told(view.judgement.inconsistency)
    assert view.state == ("undecided" if said else "holds")


def test_a_bay_that_cannot_take_it_says_so_before_anything_is_unpacked(garage: Garage) -> None:
    keep(garage, length=7_600)
    late = Technician(garage, 1_764_072_000_000, "teo")
    late.take_in(number="T-9", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    assert "1\u202f013\u202fmm short at the front (target)" in told(late.opened.sheet.plan.no_room)
    late.ready()
    assert late.check("floor").state == "out"


def test_what_the_bay_holds_is_asked_about_before_each_run(garage: Garage) -> None:
    window = {"id": "w", "kind": "window", "name": "north window", "x": 6000, "y": 4950, "length": 900, "width": 90}
    near = {"id": "m", "kind": "metal", "name": "steel bench", "x": 7900, "y": 2500, "length": 400, "width": 400}
    far = {"id": "f", "kind": "metal", "name": "far shelf", "x": 300, "y": 300, "length": 300, "width": 300}
    keep(garage, things=[window, near, far])
    survey(garage, lambda _x, _y: 0.0)
    jobs = {}
    for number, procedure in (("T-1", "BL-CAM-01"), ("T-2", "BL-RAD-01")):
        who = Technician(garage, 1_764_072_000_000, "teo")
        who.take_in(number=number, reason="bumper off", bay="Norte", procedure=procedure)
        jobs[procedure] = placed(who)
    asked = {p: [told(s.slot.label) for s in who.check("surroundings").slots] for p, who in jobs.items()}
    assert any("north window" in label for label in asked["BL-CAM-01"])
    assert any("steel bench" in label for label in asked["BL-RAD-01"])
    assert not any("far shelf" in label or "window" in label for label in asked["BL-RAD-01"])
    radar = jobs["BL-RAD-01"]
    radar.around()
    assert radar.check("surroundings").state == "holds"
    radar.happen("run_again")
    assert radar.check("surroundings").state == "stale"
    radar.answer("around.people", "no")
    radar.around()
    radar.answer("around.people", "no")
    assert radar.check("surroundings").state == "out"
    assert [number for number, _, _ in garage.stood_here("Norte", "brezo-lanzadera", radar.job)] == ["T-1"]


def test_level_to_the_runways_is_judged_against_their_plane_and_gravity_is_shown(garage: Garage) -> None:
    rack = {"x_from": 1500, "x_to": 6900, "left_y": 3314, "right_y": 1686, "width": 560, "height": 400}
    keep(garage, rack=rack)
    lines = ["point,x,y,height,surface"]
    lines += [f"R{x}{y},{x},{y},{400 + 0.004 * x},runway" for x in (1500, 4000, 6900) for y in (1500, 3600)]
    lines += [f"F{x}{y},{x},{y},0,floor" for x in (7000, 9500, 11900) for y in (100, 2500, 4900)]
    id = garage.do(of_csv("\n".join(lines), bay="Norte", **MORE), "teo", "rack")
    garage.do(CloseSurvey(id), "teo", press())
    who = Technician(garage, 1_764_072_000_000, "teo")
    who.take_in(number="T-3", reason="front camera replaced", bay="Norte", procedure="HV-CAM-01")
    who.place(2600, 2500)
    who.read("level.roll", "0.00", "level-1", "plus")
    who.read("level.pitch", "0.00", "level-1", "plus")
    view = who.check("level")
    figures = {figure.id: figure.value for figure in view.judgement.figures}
    assert figures["level.pitch"] == pytest.approx(0.229, abs=0.001)
    assert figures["level.roll"] == pytest.approx(0, abs=0.001)
    assert told(view.judgement.remark).startswith("Level to the runways' plane, as prescribed. Against gravity: 0.00°")
    assert Place(x=1, y=2, heading_deg=90).at(10, 0) == pytest.approx((1, 12))


STAFF = "level-9"


def staffs(teo: Technician, fall: tuple[float, float], lifted: float = 0.0, most: int = 6) -> None:
    """Six staff readings on a plane rising so many mm for each of x and y, its part before the car ``lifted``."""
    ids = [s.slot.id for s in teo.check("floor").slots if s.slot.id.startswith("staff.") and not s.now]
    points = {f"staff.{p.id}": p for p in six_points(teo.opened.sheet.plan)}
    for id in ids[:most]:
        p = points[id]
        z = fall[0] * p.x + fall[1] * p.y + (lifted if "ahead" in id else 0.0)
        teo.read(id, f"{1400 - z:.1f} mm", STAFF)


def test_six_heights_tell_the_floor_that_nobody_surveyed(teo: Technician) -> None:
    open_, rise = teo.check("floor"), teo.check("target_height").worst
    assert len(open_.slots) == 10
    assert [s.slot.optional for s in open_.slots] == [False] * 4 + [True] * 6
    staffs(teo, (0.002, -0.001), most=1)
    assert [s.slot.id[:6] for s in teo.check("floor").slots] == ["staff."] * 6
    assert not teo.check("floor").judgement.complete
    staffs(teo, (0.002, -0.001), lifted=3.0)
    view = teo.check("floor")
    figures = {figure.id: figure for figure in view.judgement.figures}
    assert view.judgement.complete
    assert figures["slope.wheels.along"].value == pytest.approx(0.2, abs=0.002)
    assert figures["slope.wheels.across"].value == pytest.approx(-0.1, abs=0.005)
    assert figures["floor.target"].value == pytest.approx(3.0, abs=0.2)
    plan = teo.opened.sheet.plan
    standing, base = plan.standing, plan.vehicle.wheelbase
    left = {point.id for point in six_points(plan) if point.y > 0}
    beside = plan.procedure.model_copy(update={"distance": -2000.0})
    assert six_points(replace(plan, procedure=beside)) == [], "a target between the axles has no floor ahead of it"
    assert {id for id in left if not id.startswith("ahead")} == {"LF", "LR"}
    narrow = plan.vehicle.model_copy(update={"hub_track_front": plan.vehicle.hub_track_rear - 200})
    beside_rear = max(p.y for p in six_points(replace(plan, vehicle=narrow)) if p.id == "LF")
    rear = plan.vehicle.contact("LR")[1]
    assert beside_rear > rear + plan.vehicle.tyre_width / 2, "the staffs stand outside of the wider axle's tyres"
    assert standing is not None
    # Between two axles, each the mean of two staffs (repeatability, division, beside the tyre); a beam that leans.
    own = math.hypot(0.4, 0.5 / math.sqrt(12), 0.5) / base
    assert standing.wheel_slopes[0].u_read == pytest.approx(100 * math.hypot(own, 0.0003), rel=0.01)
    target, uneven = standing.correction(plan.target_place), (plan.bay or ANY_BAY).u_place_mm
    assert 1 < target.u_between / (uneven * math.sqrt(0.5)) < 1.5, "midway between two staffs, against four tyres"
    assert rise is None
    # Nothing of it is good for another place: the vehicle moved, and all six are asked again.
    teo.happen("vehicle_rolled")
    assert teo.check("floor").state == "stale"
    assert teo.opened.sheet.plan.standing is None


def test_six_heights_are_not_offered_where_they_would_not_span_the_targets(teo: Technician) -> None:
    rack = {"x_from": 500, "x_to": 5500, "left_y": 3300, "right_y": 1700, "width": 600, "height": 300}
    plan = replace(teo.opened.sheet.plan, bay=Bay.read({**NORTE, "rack": rack}))
    assert six_slots(plan) == ()
