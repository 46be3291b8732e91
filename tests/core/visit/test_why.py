"""A result beside its set-up: what explains it, what would have to be wrong, and when to look at the vehicle."""

import math

import pytest

from escuadra.commands import Garage
from escuadra.commands.entries import Override
from escuadra.core.visit.attempts import PASSED
from escuadra.core.visit.why import Why, advised, told, why
from escuadra.rehearsal.technician import Technician
from tests.english import told as english


def of(who: Technician, outcome: str = PASSED, **off: float) -> Why:
    """A finished set-up run, and what the routine showed of it."""
    who.run()
    who.result(outcome, off)
    found = why(who.opened.sheet)
    assert found is not None
    return found


def test_nothing_is_explained_before_a_result_is_in(full: Technician) -> None:
    assert why(full.opened.sheet) is None
    full.run()
    assert why(full.opened.sheet) is None


def test_every_cause_reaches_the_result_through_its_geometry(full: Technician) -> None:
    found, plan = of(full, yaw=0.05, pitch=0.0, roll=0.0), full.opened.sheet.plan
    reach = plan.target_x - plan.procedure.sensor.x
    effects = {one.check: one.effect for one in found.possible if not one.id.startswith("ride_height")}
    assert effects["centred"]["aim_yaw"] == pytest.approx(math.degrees(1 / reach))
    assert effects["target_height"]["aim_pitch"] == pytest.approx(-math.degrees(1 / reach))
    assert effects["level"] == {"aim_roll": 1.0}
    assert found.cause("line").effect["aim_yaw"] == pytest.approx(plan.target_x / reach)
    corners = {one.id[-2:]: one.effect for one in found.possible if one.id.startswith("ride_height")}
    half = math.degrees(1 / (2 * plan.vehicle.wheelbase))
    assert [corners[c]["aim_pitch"] for c in ("LF", "RR")] == pytest.approx([half, -half]), "nose up, it finds it low"
    assert corners["LF"]["aim_roll"] < 0 < corners["RF"]["aim_roll"]
    assert "square" not in effects, "what a chart's own turn does depends on the maker's routine"


def test_a_board_that_is_level_stands_before_a_vehicle_that_the_floor_tilts(garage: Garage) -> None:
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", reason="front radar replaced", bay="Norte", procedure="BL-RAD-03")
    who.set_up()
    garage.do(Override(who.job, "target_height", "the floor was never surveyed"), "teo", who.id())
    who.run({"middle": "71", "back": "68", "forward": "68"})
    who.result(PASSED, {"yaw": 0.02, "pitch": 0.1})
    found = why(who.opened.sheet)
    assert found is not None
    body, slope = (
        next(f for f in who.check(check).judgement.figures if f.id == id)
        for check, id in (("ride_height", "pitch"), ("floor", "slope.wheels.along"))
    )
    per_cent = math.degrees(math.atan(0.01))
    stands = found.cause("stands")
    assert stands.effect == {"aim_pitch": -1.0}, "nose up, it finds it low"
    assert (stands.off, stands.u) == pytest.approx(
        (body.value - per_cent * slope.value, math.hypot(body.u, per_cent * slope.u))
    )
    assert {one.id for one in found.possible} == {"stands", "hangs.hangs.tilt", "square.yaw", "line"}


def test_a_small_result_is_within_what_the_set_up_cannot_see(full: Technician) -> None:
    found = of(full, yaw=0.03, pitch=0.02, roll=0.0)
    assert found.found.plausible
    assert found.blamed is None
    assert not advised(found)
    assert "within what the set-up cannot see" in english(told(found, found.shown[0]))


def test_a_large_result_names_what_would_have_to_be_wrong_and_sends_to_the_vehicle(full: Technician) -> None:
    found = of(full, "failed", yaw=0.6, pitch=0.0, roll=0.0)
    assert not found.found.plausible
    assert set(found.found.suspects) == {"centred.centre", "line"}, "both turn the view sideways and nothing else"
    assert found.far_fetched
    blamed = found.cause("centred.centre")
    alone = found.found.causes[blamed.id].alone or 0.0
    assert blamed.off + alone == pytest.approx(0.6 / blamed.effect["aim_yaw"], rel=0.05), "as far left as 0.6° is"
    words = english(advised(found))
    assert "look at bracket, mounting and wheel alignment" in words
    assert "would differ from what was read by" in words
    assert "is left over" in english(told(found, found.shown[0]))


def test_an_error_that_may_have_been_made_here_is_to_be_read_again(full: Technician) -> None:
    first = of(full, yaw=0.0, pitch=0.0, roll=0.0)
    height = next(one for one in first.possible if one.check == "target_height")
    as_read = {one.figure.id: one.explained for one in first.shown}
    full.happen("attempt")
    full.look("height.target")
    full.around()
    # Off by more than its readings say, and by no more than their guard lets pass.
    error = (height.allowed + 1.5 * height.u - height.off) * height.effect["aim_pitch"]
    found = of(full, "failed", **{**as_read, "pitch": as_read["pitch"] + error})
    assert not found.found.plausible
    assert found.blamed is not None
    assert found.blamed.check == "target_height"
    assert not found.far_fetched
    assert "read it again" in english(advised(found))


def test_a_result_that_passed_well_within_its_limits_sends_nobody_looking(full: Technician) -> None:
    found = of(full, yaw=0.4, pitch=0.0, roll=0.0)
    assert not found.found.plausible
    assert (
        english(advised(found)) == "All of it is within its limits: mounting and glass differ from vehicle to vehicle."
    )


def test_a_figure_beside_its_limit_is_said_to_be(full: Technician) -> None:
    limit = full.opened.sheet.plan.procedure.results[0].limits.upper
    found = of(full, yaw=limit - 0.01, pitch=0.0, roll=0.0)
    assert found.shown[0].at_the_edge
    assert "at the edge of its limit" in english(told(found, found.shown[0]))
