"""The place: surveys, the surface between their points, standings, relief, and the search for places to park.

Authorities: the kind ``floor`` for planes and height corrections, a search that looks at every place by itself.
"""

import math
from datetime import date
from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from escuadra.catalogue.library import PRACTICE, load
from escuadra.core.base.errors import BadInput
from escuadra.core.bay.bay import Bay, Place
from escuadra.core.bay.floor import FloorInput, FloorPoint, WheelPoints, floor
from escuadra.core.bay.ground import Ground, ground
from escuadra.core.bay.parking import Lot, axis_turn, park
from escuadra.core.bay.relief import compared, plane_of, relief, section
from escuadra.core.bay.standing import Standing, stand, target_places
from escuadra.core.bay.survey import Survey, SurveyPoint, SurveyReading, from_csv, grid, levelled, to_csv
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from tests.english import refused, told

DAY = {"taken_on": date(2026, 3, 5), "valid_until": date(2027, 3, 5), "person": "Inés Robledo", "instrument": "Level 9"}


def surveyed(points: list[SurveyPoint], z: Any, u: float = 0.4, **more: Any) -> Survey:
    """A survey whose staff readings follow from a floor ``z(x, y)``."""
    readings = [SurveyReading(point=p.id, staff=1400 - z(p.x, p.y)) for p in points]
    return Survey(bay="Norte", u=u, points=points, readings=readings, **DAY, **more)


def tilted(x: float, y: float) -> float:
    return 0.003 * x - 0.002 * y


@cache
def practice(id: str) -> tuple[VehicleModel, Procedure]:
    """A practice procedure with its vehicle."""
    catalogue = load([PRACTICE])
    procedure = catalogue.get("procedure", id).content
    return catalogue.get("vehicle", procedure.vehicle).content, procedure


# --- surveys

SETUPS = {("1", p): s for p, s in {"A": 1400.0, "B": 1390, "C": 1412, "E": 1405, "F": 1399}.items()}
SETUPS |= {("2", p): s for p, s in {"C": 1662.3, "E": 1655, "F": 1649.2, "G": 1640, "H": 1651}.items()}
SETUPS |= {("3", p): s for p, s in {"C": 1212.1, "G": 1190, "H": 1200.8, "E": 1205}.items()}


def joined(**wrong: float) -> Survey:
    points = [SurveyPoint(id=p, x=1000.0 * k, y=700.0 * (k % 3)) for k, p in enumerate("ABCEFGH")]
    readings = [
        SurveyReading(point=p, setup=setup, staff=staff + wrong.get(f"{p}{setup}", 0))
        for (setup, p), staff in SETUPS.items()
    ]
    return Survey(bay="Norte", u=0.4, points=points, readings=readings, **DAY)


@pytest.mark.parametrize(
    "wrong, named",
    [({}, []), ({"E2": 9.0}, ["E (set-up 1, set-up 2 or set-up 3)"]), ({"H3": -8.0}, ["H (set-up 2 or set-up 3)"])],
)
def test_a_misread_staff_between_set_ups_is_named(wrong: dict[str, float], named: list[str]) -> None:
    found = levelled(joined(**wrong))
    assert [name for name in map(told, found.misread) if name in named] == named
    assert bool(found.misread) == bool(wrong)
    assert found.s0 is not None
    assert (found.s0 > 3) == bool(wrong)
    if not wrong:
        heights = dict(zip([p.id for p in found.points], found.z, strict=True))
        assert heights["B"] - heights["A"] == pytest.approx(10, abs=0.3)
        assert heights["G"] - heights["A"] == pytest.approx(10, abs=0.6)


def test_a_staff_and_a_height_say_the_same_with_the_sign_turned() -> None:
    points = grid(4000, 2000, 1000)
    by_staff = ground(surveyed(points, tilted))
    readings = [SurveyReading(point=p.id, height=tilted(p.x, p.y)) for p in points]
    by_height = ground(Survey(bay="Norte", u=0.4, points=points, readings=readings, **DAY))
    assert plane_of(by_staff).slope_long_percent == pytest.approx(0.3)
    assert plane_of(by_height).residuals == pytest.approx(plane_of(by_staff).residuals, abs=1e-9)
    assert plane_of(by_height).slope_cross_percent == pytest.approx(-0.2)
    rows = by_staff.rows([(500.0, 500.0), (3200.0, 1500.0)])
    form = by_staff.form(rows, np.array([1.0, -1.0]))
    assert form.value == pytest.approx(tilted(500, 500) - tilted(3200, 1500))
    assert form.u_read == pytest.approx(by_height.form(rows, np.array([1.0, -1.0])).u_read)


REFUSED_SURVEYS = [
    ({"readings": [{"point": "Z", "staff": 1}]}, "point"),
    ({"readings": [{"point": "A1", "staff": 1, "height": 2}]}, "staff"),
    ({"readings": [{"point": "A1"}]}, "staff"),
    ({"readings": [{"point": "A1", "staff": 1}, {"point": "A2", "height": 1}]}, "readings"),
    ({"points": [{"id": "A1", "x": 0, "y": 0}, {"id": "A1", "x": 1, "y": 0}], "readings": []}, "points"),
    ({"u": 0}, "u"),
    ({"valid_until": "2020-01-01"}, "valid_until"),
]


@pytest.mark.parametrize("change, field", REFUSED_SURVEYS)
def test_a_survey_that_says_nothing_names_its_field(change: dict[str, Any], field: str) -> None:
    data = surveyed(grid(2000, 2000, 1000), tilted).model_dump(mode="json")
    with pytest.raises(BadInput) as caught:
        Survey.read({**data, **change})
    assert caught.value.field == field


@pytest.mark.parametrize("ids", [["A1", "A2"], ["A1", "A2", "A3"]])
def test_points_too_few_or_in_line_give_no_surface(ids: list[str]) -> None:
    survey = surveyed(grid(2000, 2000, 1000), tilted)
    with refused(BadInput, match=r"3 points or more|span an area"):
        ground(survey.model_copy(update={"readings": [r for r in survey.readings if r.point in ids]}))


def test_a_survey_goes_out_as_csv_and_comes_back() -> None:
    survey = surveyed(grid(5000, 3000, 700, 50), lambda x, y: tilted(x, y) + 0.37)
    points, readings = from_csv(to_csv(survey))
    assert points == survey.points
    assert readings == survey.readings
    assert len(from_csv(to_csv(survey.model_copy(update={"readings": survey.readings[:4]})))[0]) == len(points)


CSV_REFUSED = [
    ("", "a heading line"),
    ("point;x;y\nA;1;2", "staff or height"),
    ("point,x,y,staff\nA,0,0,1400\nA,5,0,1400", "line 3.*place it had"),
    ("point;x;y;staff\nA;0;0;1,400", "line 2, staff.*means one thing"),
    ("point,x,y,staff\nA,,0,1400", "line 2, x"),
    ("point,x,y,staff\nA,0,0,wet", "line 2"),
    ("point,x,y,staff,height\nA,0,0,1,2", "line 2, staff"),
]


@pytest.mark.parametrize("text, said", CSV_REFUSED)
def test_a_csv_that_cannot_be_read_names_the_line(text: str, said: str) -> None:
    with refused(BadInput, match=said):
        from_csv(text)
    assert from_csv("Point\tX\tY\tStaff\nA\t1 m\t0\t1400,5")[1][0].staff == 1400.5


# --- the surface between the points


def test_what_stands_on_surveyed_points_agrees_with_the_floor_calculation() -> None:
    vehicle, procedure = practice("BL-CAM-01")
    rng = np.random.default_rng(4)
    places = {c: vehicle.contact(c) for c in ("LF", "RF", "LR", "RR")} | {"T": (6282.0, 0.0)}
    around = {"W1": (-900.0, -1500.0), "W2": (-900.0, 1500.0), "W3": (7000.0, -1500.0), "W4": (7000.0, 1500.0)}
    heights = {i: float(rng.normal(0, 6)) for i in {**places, **around}}
    points = [SurveyPoint(id=i, x=x, y=y) for i, (x, y) in {**places, **around}.items()]
    readings = [SurveyReading(point=i, height=z) for i, z in heights.items()]
    surface = ground(Survey(bay="N", u=0.7, points=points, readings=readings, **DAY))
    standing = Standing(Bay(name="N", length=9000, width=4000), Place(x=0, y=0), surface, vehicle)
    wanted = floor(
        FloorInput(
            points=[FloorPoint(id=p.id, x=p.x, y=p.y, z=heights[p.id]) for p in points],
            wheels=WheelPoints(LF="LF", RF="RF", LR="LR", RR="RR"),
            targets=["T"],
            u=0.7,
        )
    )
    rise = standing.correction(target_places(procedure, vehicle)[0])
    assert wanted.height_correction is not None
    assert wanted.u_height_correction is not None
    assert rise.value == pytest.approx(wanted.height_correction["T"])
    assert rise.u_read == pytest.approx(wanted.u_height_correction["T"])
    assert rise.u_between == pytest.approx(0, abs=1e-6)
    assert standing.warp.value == pytest.approx(wanted.wheel_warp)
    assert standing.pitch_deg.value == pytest.approx(wanted.wheel_pitch_deg, abs=1e-5)
    assert standing.roll_deg.value == pytest.approx(wanted.wheel_roll_deg, abs=1e-5)


def wavy(x: float, y: float) -> float:
    return tilted(x, y) + 5 * math.sin(x / 1700) * math.cos(y / 1300)


@settings(max_examples=15, deadline=None)
@given(st.floats(-180, 180), st.floats(-3e4, 3e4), st.floats(-3e4, 3e4), st.floats(-500, 500))
def test_turning_and_shifting_the_bay_changes_no_figure(turn: float, dx: float, dy: float, up: float) -> None:
    vehicle, procedure = practice("BL-CAM-01")
    points, moved = grid(9000, 5000, 800), Place(x=dx, y=dy, heading_deg=turn)
    there = [p.model_copy(update=dict(zip("xy", moved.at(p.x, p.y), strict=True))) for p in points]
    here = surveyed(points, wavy, u=0.05)
    away = here.model_copy(
        update={
            "points": there,
            "readings": [r.model_copy(update={"staff": (r.staff or 0.0) + up}) for r in here.readings],
        }
    )
    bay, place = Bay(name="N", length=9000, width=5000), Place(x=1450, y=2450, heading_deg=3)
    x, y = moved.at(place.x, place.y)
    first = stand(bay, place, ground(here), vehicle, procedure)
    second = Standing(bay, Place(x=x, y=y, heading_deg=place.heading_deg + turn), ground(away), vehicle)
    target = target_places(procedure, vehicle)[0]
    # Triangles may be cut the other way through a square of the grid: what lies between is allowed for.
    slack = 3 * first.ground.u_between
    for a, b in ((first.correction(target), second.correction(target)), (first.warp, second.warp)):
        assert b.value == pytest.approx(a.value, abs=slack)
    assert second.wheel_slopes[0].value == pytest.approx(first.wheel_slopes[0].value, abs=0.06)


def test_what_lies_between_points_is_uncertain_by_the_floors_own_unevenness() -> None:
    points = grid(8000, 4000, 800)
    even, uneven = (ground(surveyed(points, z, u=0.05)) for z in (tilted, wavy))
    assert even.u_between == pytest.approx(0, abs=1e-6)
    assert 0.1 < uneven.u_between < 1.5
    rng = np.random.default_rng(2)
    places = [(float(x), float(y)) for x, y in rng.uniform((100, 100), (7900, 3900), (200, 2))]
    off = uneven.rows(places) @ uneven.z - np.array([wavy(x, y) - wavy(0, 0) for x, y in places])
    assert float(np.sqrt(np.mean(off**2))) < 1.5 * uneven.u_between
    (a, b), (c, d) = ((p.x, p.y) for p in points[:2])
    half_way = uneven.rows([((a + c) / 2, (b + d) / 2), (a, b)])
    between = uneven.form(half_way, np.array([1.0, -1.0])).u_between
    assert between == pytest.approx(math.sqrt(0.5) * uneven.u_between), (
        "what the mean of two leaves of their unevenness"
    )
    with refused(BadInput, match="off the surveyed floor"):
        uneven.rows([(9000.0, 100.0)])


def test_a_misread_point_stands_out_from_its_neighbours_and_alone_is_named() -> None:
    survey = surveyed(grid(8000, 4000, 800), lambda x, y: wavy(x, y) + (25 if (x, y) == (2400, 1600) else 0))
    assert ground(survey).standing_out == [next(p.id for p in survey.points if (p.x, p.y) == (2400, 1600))]
    assert ground(surveyed(grid(8000, 4000, 800), wavy)).standing_out == []


def test_contours_ring_a_hollow_and_a_plane_has_none() -> None:
    points = grid(8000, 4000, 500)
    hollow = ground(surveyed(points, lambda x, y: -20 * math.exp(-(math.dist((x, y), (5000, 2000)) ** 2) / 4e5)))
    lines = relief(hollow, plane_of(hollow))
    assert lines.low[:2] == (5000, 2000)
    deep = [line for level, line in lines.lines if level < -8]
    assert deep
    assert all(math.dist(place, (5000, 2000)) < 1200 for line in deep for place in line)
    level = ground(surveyed(grid(8000, 4000, 500), tilted))
    assert relief(level, plane_of(level)).lines == ()
    heights = section(hollow, (0, 2000), (8000, 2000))
    assert min(heights, key=lambda pair: pair[1])[0] == pytest.approx(5000, abs=140)


def test_a_sunken_corner_is_found_although_a_level_has_no_absolute_height() -> None:
    points = grid(8000, 4000, 800)
    older = ground(surveyed(points, wavy))
    newer = ground(surveyed(points, lambda x, y: wavy(x, y) + 113 - (6 if x > 6000 and y < 1000 else 0)))
    found = compared(older, newer)
    sunk = {change.id for change in found if change.moved}
    assert sunk == {p.id for p in points if p.x > 6000 and p.y < 1000}
    assert found[0].change == pytest.approx(-6, abs=0.01)


# --- where to park


@pytest.mark.parametrize("spare, fits", [(0.0, True), (37.0, True), (-1.0, False), (-410.0, False)])
def test_a_bay_is_refused_by_exactly_what_it_lacks(spare: float, fits: bool) -> None:
    vehicle, procedure = practice("BL-CAM-01")
    needed = 1431 + 6282 + 900
    found = park(Lot(Bay(name="N", length=needed + spare, width=4000), vehicle, (procedure,)))
    assert bool(found.best) == fits
    if not fits:
        said = f"{-spare:.0f}\u202fmm short at the front (target)"
        assert [told(way.refusals[0].text) for way in found.directions] == [said, said]


def things(**one: Any) -> list[dict[str, Any]]:
    return [{"id": "t", "name": "it", "x": 4000, "y": 2500, "length": 300, "width": 300, **one}]


BAYS = [
    ({"things": things(kind="pillar", x=6000, length=2000)}, "it is"),
    ({"things": things(kind="window")}, ""),
    ({"things": things(kind="drain")}, ""),
    ({"things": things(kind="drain", length=11_000, width=1500)}, "it is"),
    ({"outline": [[0, 0], [6000, 0], [6000, 3000], [12000, 3000], [12000, 5000], [0, 5000]]}, "short"),
    ({"rack": {"x_from": 100, "x_to": 900, "left_y": 3000, "right_y": 1300, "width": 500, "height": 400}}, "runway"),
]


@pytest.mark.parametrize("change, said", BAYS)
def test_what_stands_in_the_way_is_named(change: dict[str, Any], said: str) -> None:
    vehicle, procedure = practice("BL-CAM-01")
    bay = Bay.read({"name": "N", "length": 12_000, "width": 5_000, **change})
    lot = Lot(bay, vehicle, (procedure,), step=250)
    found = park(lot)
    if said:
        assert not found.best
        assert any(said in told(refusal.text) for way in found.directions for refusal in way.refusals)
    else:
        assert found.best
        assert lot.refusals(found.best[0].place) == []


def test_the_place_found_is_the_best_that_a_search_of_every_place_finds() -> None:
    vehicle, procedure = practice("BL-CAM-01")
    points, drain = grid(10_000, 4600, 700, 20), (2500, 900)
    sunk = ground(surveyed(points, lambda x, y: wavy(x, y) - 14 * math.exp(-math.dist((x, y), drain) / 900)))
    pillar = things(kind="pillar", x=200, y=200)
    bay = Bay.read({"name": "N", "length": 10_000, "width": 4_600, "things": pillar})
    lot = Lot(bay, vehicle, (procedure,), 350, sunk, turns=(0, -4))
    every = []
    for heading in (0.0, -4.0, 180.0, 176.0):
        spots = lot.grid(heading)
        assert lot.roomy(heading, spots).tolist() == (lot.shortage(heading, spots) <= 0).tolist()
        places = [Place(x=float(x), y=float(y), heading_deg=heading) for x, y in spots]
        fitting = np.array([[p.x, p.y] for p in places if not lot.refusals(p)])
        every += [(share, axis_turn(heading)) for share in lot.shares(heading, fitting, True) if math.isfinite(share)]
    best = park(lot).best
    assert (best[0].share, best[0].turn_deg) == pytest.approx(min(every))
    assert [c.share for c in best] == sorted(c.share for c in best if c.share is not None)
    assert all(lot.refusals(c.place) == [] for c in best)


REFUSED_BAYS = [
    ({"outline": [[0, 0], [5, 0]]}, "outline"),
    ({"outline": [[0, 0], [9000, 5000], [9000, 0], [0, 5000]]}, "outline"),
    ({"outline": [[0, 0], [10, 0], [10, 10]]}, "outline"),
    ({"things": [*things(kind="drain"), *things(kind="lamp")]}, "things"),
    ({"things": things(kind="dragon")}, "kind"),
    ({"things": things(kind="lamp", length=0)}, "length"),
    ({"length": 1e6}, "length"),
    ({"rack": {"x_from": 9, "x_to": 1, "left_y": 2, "right_y": 1, "width": 1, "height": 1}}, "x_to"),
    ({"rack": {"x_from": 1, "x_to": 9, "left_y": 1, "right_y": 2, "width": 1, "height": 1}}, "right_y"),
]


@pytest.mark.parametrize("change, field", REFUSED_BAYS)
def test_a_bay_that_cannot_be_names_its_field(change: dict[str, Any], field: str) -> None:
    with pytest.raises(BadInput) as caught:
        Bay.read({"name": "N", "length": 9000, "width": 5000, **change})
    assert caught.value.field == field


def test_a_rack_is_counted_from_its_runways() -> None:
    vehicle, procedure = practice("HV-CAM-01")
    rack = {"x_from": 1500, "x_to": 6800, "left_y": 3414, "right_y": 1786, "width": 560, "height": 412}
    bay = Bay.read({"name": "M", "length": 11_000, "width": 5200, "rack": rack})
    beyond = [p for p in grid(11_000, 5200, 600) if p.x >= 7000]
    runway = [SurveyPoint(id=f"R{x}{y}", x=x, y=y, surface="runway") for x in (1500, 4000, 6800) for y in (1600, 3600)]
    surface = ground(surveyed([*beyond, *runway], lambda x, y: 409.0 if x < 7000 else 0.0))
    standing = stand(bay, Place(x=2600, y=2600), surface, vehicle, procedure)
    rise = standing.correction(target_places(procedure, vehicle)[0])
    assert rise.value == pytest.approx(-409)
    assert standing.beyond_rack(rise.value) == pytest.approx(3)
    assert {c.place.heading_deg for c in park(Lot(bay, vehicle, (procedure,), ground=surface)).best} == {0.0}
    assert isinstance(surface, Ground)
