"""Tools have places: the round with the fewest changes, and what is left behind where a tool is carried on."""

from itertools import permutations

import pytest

from escuadra.commands import Garage
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.tool_route import (
    ToolLocation,
    _changes,
    _walked,
    left_behind,
    location_of,
    locations_now,
    missing,
    the_round,
)
from escuadra.rehearsal.technician import Technician
from tests.conftest import ground_flat
from tests.english import refused, told


def slot(who: Technician, id: str) -> Slot:
    return who.opened.sheet.slots[id].slot


def test_a_round_reads_everything_once_with_no_more_changes_than_down_the_sheet(teo: Technician) -> None:
    sheet = teo.opened.sheet
    found = the_round(sheet)
    read = [s.id for stop in found.stops for _, s in stop.reads]
    assert sorted(read) == sorted(s.id for _, s in missing(sheet))
    assert len(read) == len(set(read))
    assert found.changes < found.down_the_sheet
    for stop in found.stops:
        assert {location_of(s, sheet.plan) for _, s in stop.reads} == {stop.location}
    after_mounting = [
        teo.check(check).check.group in ("target", "frame") for stop in found.stops for check, _ in stop.reads
    ]
    assert after_mounting == sorted(after_mounting), "what comes after the mounting is read last"


def test_a_tool_stays_while_something_is_missing_where_it_stands(teo: Technician) -> None:
    assert told(left_behind(teo.opened.sheet, slot(teo, "arch.RF"))) == ""
    teo.read("pair.front.1.left", "2040", "tape-4")
    assert told(locations_now(teo.opened.sheet)["tape"].place) == "across the front"
    said = left_behind(teo.opened.sheet, slot(teo, "arch.RF"))
    assert told(said) == (
        "Before the tape leaves across the front: Front, headlamp corners: right and 1 more can only be read there."
    )
    assert told(left_behind(teo.opened.sheet, slot(teo, "pair.front.1.right"))) == ""
    assert told(left_behind(teo.opened.sheet, slot(teo, "steering.wheel"))) == "", "a level is carried, not the tape"
    teo.read("pair.front.1.right", "360", "tape-4")
    teo.read("mark.front", "1200", "tape-4")
    assert told(left_behind(teo.opened.sheet, slot(teo, "arch.RF"))) == ""
    first = the_round(teo.opened.sheet).stops[0]
    assert told(first.location.place) != "across the front"


@pytest.mark.parametrize(
    ("procedure", "slot", "place", "x", "y"),
    [
        ("BL-CAM-01", "tape.RR.LF_end", "the RR wheel", 0, -1),
        ("BL-CAM-01", "wheelbase.L", "the LF wheel", 1, 1),
        ("BL-CAM-01", "level.roll", "on the beam", 2, 0),
        ("BL-CAM-01", "pair.rear.1.left", "across the rear", -1, 0),
        ("BL-CAM-01", "battery.volts", "at the battery", 1, 0),
        ("BL-RAD-06", "rack.near", "the RF wheel", 1, -1),
        ("BL-SUR-03", "together.mats.left.read.bottom_left.hub_LR", "at the left mat", 1, 1),
    ],
)
def test_a_slot_is_read_where_it_says(garage: Garage, procedure: str, slot: str, place: str, x: int, y: int) -> None:
    """Along the vehicle: 1 at the front axle, 0 at the rear one, 2 ahead, -1 behind; aside: 1 on the left, -1 right."""
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", reason="windscreen replaced", bay="Norte", procedure=procedure)
    sheet = who.opened.sheet
    found, wheelbase = location_of(sheet.slots[slot].slot, sheet.plan), sheet.plan.vehicle.wheelbase
    assert found is not None
    assert told(found.place) == place
    assert (found.x > 0) - (found.x < 0) + (found.x > wheelbase) == x
    assert (found.y > 0) - (found.y < 0) == y


def test_after_a_bump_the_round_is_what_the_bump_spoiled(full: Technician) -> None:
    assert the_round(full.opened.sheet).stops == ()
    full.happen("bump")
    places = {told(stop.location.place) for stop in the_round(full.opened.sheet).stops}
    assert {"on the beam", "at the target", "over the rear centre mark", "the LF wheel", "the RF wheel"} <= places
    for what, arches in (("door", 1), ("loaded", 4)):
        full.happen(what)
        stops = the_round(full.opened.sheet).stops
        wheels = [stop.location.place for stop in stops if any(s.id.startswith("arch.") for _, s in stop.reads)]
        assert len(wheels) == arches, what


def test_where_the_laser_stands_in_the_targets_place_it_reads_before_and_never_while_the_target_hangs(
    garage: Garage,
) -> None:
    who = Technician(garage, garage.clock(), "teo")
    asked = {"number": "X-1", "reason": "windscreen replaced", "bay": "Norte", "procedure": "BL-CAM-01"}
    who.take_in(**asked, frame="galga-3")
    who.ready()
    who.stance(0, 0, 0, 0)
    who.line()
    order = [s.id for stop in the_round(who.opened.sheet).stops for _, s in stop.reads]
    assert order.index("crossing") < order.index("tape.LF.LF_end")
    who.level()
    who.tapes((0.5, -0.9, 0.02))
    who.target()
    who.happen("mount")
    who.target()
    with refused(BadInput, match="the mounted target does not stand in the way"):
        who.read("crossing", "0.2", "laser-2")
    assert "crossing" not in {s.id for _, s in missing(who.opened.sheet)}
    needed = {s.id for _, s in missing(who.opened.sheet)}
    assert {"tape.LF.RF_end", "tape.RF.LF_end"} <= needed
    who.happen("taken_off")
    who.read("crossing", "0.2", "laser-2")


@pytest.mark.parametrize(
    "places",
    [
        *([(997.0 * (k * k % 7), 613.0 * (k * 5 % 4)) for k in range(count)] for count in (1, 4, 6)),
        [(1000.0, 0.0), (-1100.0, 0.0), (3000.0, 0.0)],
    ],
)
def test_no_other_order_of_the_places_is_shorter(places: list[tuple[float, float]]) -> None:
    """Of the last three the nearest one first is a way of 7.1 m, not 5.2."""
    stands = [ToolLocation("tape", said("as_told", text=f"p{k}"), x, y) for k, (x, y) in enumerate(places)]

    def way(order: list[ToolLocation]) -> float:
        at, total = (0.0, 0.0), 0.0
        for location in order:
            total += ((location.x - at[0]) ** 2 + (location.y - at[1]) ** 2) ** 0.5
            at = (location.x, location.y)
        return total

    found = _walked(stands, (0.0, 0.0))
    assert way(found) == pytest.approx(min(way(list(p)) for p in permutations(stands)))
    assert _changes(found, {}) == len({(s.x, s.y, s.place) for s in stands})
