"""What readies a vehicle: ballast by statics, tyres by the gas law, a sheet with figures changed."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from escuadra.catalogue import Catalogue
from escuadra.core.base.errors import BadInput
from escuadra.core.vehicle.ballast import BallastPlace, Weight, ballast, carried
from escuadra.core.vehicle.tyres import cold_pressure
from escuadra.core.visit.figures import figures_of, with_changes
from escuadra.core.visit.log.events import FigureChanged
from tests.english import refused, told

BASE, TRACK = 3600.0, 1800.0
MIDDLE = BallastPlace(id="mid", name="middle", x=1800, y=0, most=100)
FRONT, REAR = (
    BallastPlace(id="front", name="front", x=3600, y=0, most=60),
    BallastPlace(id="rear", name="rear", x=0, y=0, most=60),
)


LEFT, RIGHT = (BallastPlace(id=id, name=id, x=1800, y=y, most=60) for id, y in (("left", 700.0), ("right", -700.0)))


def lacking(kg: float, x: float, y: float = 0.0) -> Weight:
    return Weight(name="fuel", kg=kg, x=x, y=y)


@pytest.mark.parametrize(
    "missing, places, wanted",
    [
        ([lacking(40, 1800)], [MIDDLE], {"middle": 40}),
        ([lacking(40, 1800)], [FRONT, REAR], {"front": 20, "rear": 20}),
        ([lacking(30, 1200)], [FRONT, REAR], {"front": 10, "rear": 20}),
        ([lacking(100, 600)], [FRONT, REAR], {"front": 40, "rear": 60}),
        ([lacking(31.4, 1800)], [MIDDLE], {"middle": 31}),
        ([lacking(0.3, 1800)], [MIDDLE], {}),
        ([lacking(20, 3600), lacking(10, 0)], [FRONT, REAR], {"front": 20, "rear": 10}),
        ([lacking(20, 1800, 700)], [LEFT, RIGHT], {"left": 20}),
        ([lacking(20, 1800, -350)], [LEFT, RIGHT], {"left": 5, "right": 15}),
    ],
)
def test_ballast_puts_back_mass_and_moment(
    missing: list[Weight], places: list[BallastPlace], wanted: dict[str, int]
) -> None:
    assert {w.name: w.kg for w in ballast(missing, places, BASE, TRACK)} == wanted


@pytest.mark.parametrize(
    "kg, most, bags",
    [
        (37.0, 100, 7),
        # Half a bag is none, and a little more is one.
        (2.5, 100, 0),
        (2.6, 100, 1),
        # No bag that goes beyond what the place takes.
        (13.0, 13, 2),
        (15.0, 15, 3),
    ],
)
def test_ballast_comes_in_whole_bags(kg: float, most: float, bags: int) -> None:
    place = BallastPlace(id="mid", name="middle", x=1800, y=0, most=most)
    assert [w.kg for w in ballast([lacking(kg, 1800)], [place], BASE, TRACK, bag=5.0)] == [5.0 * bags] * bool(bags)


@pytest.mark.parametrize("base, track, field", [(0.0, TRACK, "wheelbase"), (BASE, 0.0, "track"), (BASE, -1.0, "track")])
def test_a_vehicle_has_a_wheelbase_and_a_track(base: float, track: float, field: str) -> None:
    with refused(BadInput) as caught:
        carried([], base, track)
    assert (caught.value.field, caught.value.given) == (field, f"{min(base, track)}")


def test_ballast_beyond_all_places_is_refused() -> None:
    # By half a bag it is not: there is no less to put in than that.
    assert math.fsum(w.kg for w in ballast([lacking(120.5, 1800)], [FRONT, REAR], BASE, TRACK)) == 120
    with refused(BadInput, match="at most 120\u202fkg") as caught:
        ballast([lacking(140, 1800)], [FRONT, REAR], BASE, TRACK)
    assert caught.value.field == "ballast"
    with refused(BadInput, match="wheelbase"):
        carried([], 0, TRACK)


@given(kg=st.floats(1, 110), x=st.floats(0, 3600), y=st.floats(-800, 800))
def test_ballast_is_never_negative_never_beyond_a_place_and_right_in_all(kg: float, x: float, y: float) -> None:
    places = [FRONT, REAR, BallastPlace(id="left", name="left", x=1800, y=700, most=30)]
    found = ballast([lacking(kg, x, y)], places, BASE, TRACK)
    most = {p.name: p.most for p in places}
    assert all(0 < w.kg <= most[w.name] for w in found)
    assert abs(math.fsum(w.kg for w in found) - kg) <= 0.5 + 1e-9


def test_carried_splits_by_the_lever() -> None:
    found = carried([lacking(30, 1200, 600), lacking(-10, 3600)], BASE, TRACK)
    assert (found.kg, found.front, found.left) == pytest.approx((20, 0, 10))


@pytest.mark.parametrize("kpa, tyre_c, cold", [(240, 20, 240.0), (265, 45, 236.2144), (231, 5, 248.9215), (0, 20, 0.0)])
def test_a_warm_tyre_is_brought_to_20_degrees(kpa: float, tyre_c: float, cold: float) -> None:
    # Charles and Gay-Lussac on absolute pressure, worked by hand with 101.325 kPa and 273.15 K.
    value, u = cold_pressure(kpa, 2.0, tyre_c, 0.0)
    assert value == pytest.approx(cold, abs=1e-3)
    assert u == pytest.approx(2.0 * 293.15 / (tyre_c + 273.15))
    rise = cold_pressure(kpa, 0.0, tyre_c + 0.01, 0.0)[0] - cold_pressure(kpa, 0.0, tyre_c - 0.01, 0.0)[0]
    assert cold_pressure(kpa, 0.0, tyre_c, 1.5)[1] == pytest.approx(1.5 * abs(rise) / 0.02, rel=1e-4)


def test_every_figure_of_every_sheet_has_a_name(catalogue: Catalogue) -> None:
    for entry in catalogue.all("procedure"):
        for figure in figures_of(entry.content):
            assert told(figure.label), (entry.id, figure.path)


def test_a_sheet_with_figures_changed_is_the_sheet_but_for_them(catalogue: Catalogue) -> None:
    sheet = catalogue.get("procedure", "BL-CAM-01").content
    paths = {f.path: f.value for f in figures_of(sheet)}
    assert paths["distance"] == 2640
    assert paths["check.centred.limits.plus"] == 4
    assert paths["check.ride_height.pitch.minus"] == 0.35
    plus = "check.centred.limits.plus"
    changes = [
        FigureChanged(path=path, before=paths[path], value=value, reason="")
        for path, value in (("distance", 2655.0), (plus, 6.0), (plus, 7.0))
    ]
    changed = with_changes(sheet, changes)
    after = {f.path: f.value for f in figures_of(changed)}
    assert {p for p in paths if paths[p] != after[p]} == {"distance", "check.centred.limits.plus"}
    assert (after["distance"], after["check.centred.limits.plus"]) == (2655, 7)
    assert with_changes(sheet, []) is sheet
    for path, value in (("check.centred.limits.sideways", 1.0), ("colour", 1.0), ("distance", -3.0)):
        with pytest.raises(BadInput):
            with_changes(sheet, [FigureChanged(path=path, before=0, value=value, reason="")])
