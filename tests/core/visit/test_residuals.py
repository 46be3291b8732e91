"""Residuals beside other vehicles: what is unlike the others, unlike last time, and where all look the same way."""

import math
import random
from dataclasses import replace

import pytest

from escuadra.commands.last_time import last_time
from escuadra.commands.signing import Sign
from escuadra.commands.whole import CallOff
from escuadra.core.visit.log.places import ResultOf, ResultPlace, family, result_place
from escuadra.core.visit.residuals import DAY_MS, Shown, compared
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import render_record
from tests.conftest import finished, minibus


def history(n: int, **planted: float) -> list[Shown]:
    """Vehicles in two bays, by two people, with two frames; ``planted``: what a bay, frame or person adds."""
    chance, found = random.Random(4), []
    for k in range(n):
        bay, frame, person = ("Norte", "Patio")[k % 2], ("galga-2", "galga-3")[k // 2 % 2], ("Teo", "Amara")[k // 4 % 2]
        value = chance.gauss(0, 0.1) + sum(planted.get(name, 0.0) for name in (bay, frame.replace("-", "_"), person))
        found.append(Shown(f"P-{k}", f"car {k}", bay, frame, person, (k + 1) * 3 * DAY_MS, value))
    return found


OWN = Shown("V-1", "car X", "Norte", "galga-2", "Teo", 900 * DAY_MS, 0.05)


@pytest.mark.parametrize(
    ("planted", "unlike"),
    [
        ({}, set()),
        ({"Patio": 0.2}, {"Norte", "Patio"}),
        ({"galga_3": -0.2}, {"galga-2", "galga-3"}),
        ({"Amara": 0.2}, {"Teo", "Amara"}),
    ],
)
def test_a_bay_a_frame_or_a_person_that_makes_all_look_one_way_is_named(
    planted: dict[str, float], unlike: set[str]
) -> None:
    found = compared("yaw", OWN, history(80, **planted), 0.9)
    assert {group.name for group in found.groups if group.unlike} == unlike
    for group in found.groups:
        values = [o.value for o in (OWN, *found.history) if getattr(o, group.by) == group.name]
        assert (group.n, math.isclose(group.mean, sum(values) / len(values))) == (len(values), True)


def test_a_vehicle_is_compared_with_others_and_with_itself_and_only_with_what_was_before() -> None:
    others = history(40)
    own_last = replace(OWN, number="V-0", at=500 * DAY_MS, value=-0.15)
    later = replace(OWN, number="V-2", at=950 * DAY_MS, value=9.0)
    found = compared("yaw", OWN, [*others, own_last, later], 0.9)
    assert [one.number for one in found.earlier] == ["V-0"]
    assert found.peers.change == pytest.approx(0.2)
    assert found.peers.n == 40
    assert found.peers.unusual is False
    assert compared("yaw", replace(OWN, value=0.6), others, 0.9).peers.unusual
    assert compared("yaw", OWN, others[:3], 0.9).peers.unusual is None


def test_a_frame_that_drifts_is_told_by_its_trend() -> None:
    drifting = [replace(one, value=one.value + 0.0002 * one.at / DAY_MS) for one in history(80)]
    found = compared("yaw", replace(OWN, value=0.18), drifting, 0.9)
    assert found.drift is not None
    assert found.drift.per_year == pytest.approx(0.0002 * 365.25, rel=0.35)
    assert compared("yaw", OWN, history(4), 0.9).drift is None


def test_what_routines_showed_is_kept_of_signed_calibrations_alone_and_made_anew_from_the_streams(
    full: Technician,
) -> None:
    garage = full.garage

    def kept() -> list[tuple[str, str, str, str, float]]:
        with garage.store.reading() as log:
            found = log.residuals("BL-CAM-01", "yaw")
        return [(one.number, one.bay, one.frame, one.person, one.value) for one in found]

    full.run()
    full.result(off={"yaw": 0.5})
    assert kept() == []
    full.read("result.yaw", "0.31", "tester", "minus", replaces=True)
    garage.do(Sign(full.job, full.opened.row.head, render_record(garage)), "ines", full.id())
    expected = [("T-1", "Norte", "galga-2", "Teo Marchena", -0.31)]
    assert kept() == expected

    def by_figure(way: str, least: float, text: str = "") -> int:
        return len(garage.found(text, 50, 0, way, least))

    found = [("aim_yaw", 0.31, ""), ("aim_yaw", 0.32, ""), ("aim_pitch", 0.31, ""), ("aim_yaw", 0.3, "teo t-1")]
    assert [by_figure(*asked) for asked in [*found, ("aim_yaw", 0.3, "amara")]] == [1, 0, 0, 1, 0]
    second = minibus(garage, number="T-2")
    before = last_time(garage, second.opened)
    assert before is not None
    assert (before.number, before.read["crossing"]) == ("T-1", full.opened.state.live("crossing")[-1].value)
    assert "height.target" in before.read
    assert "arch.LF" not in before.read, "of the vehicle, not of the frame"
    finished(second)
    assert last_time(garage, second.opened) is None, "it is being read"
    second.finish()
    assert kept() == expected
    garage.do(CallOff(second.job, "the customer came back for it early"), "ines", second.id())
    garage.store.reindex()
    assert kept() == expected


@pytest.mark.parametrize("shown", ["outcome", "line", "camera", "figure"])
def test_what_the_log_calls_a_result_says_what_it_is_of(shown: ResultOf) -> None:
    place = ResultPlace(shown, "" if shown == "outcome" else "wide.line")
    assert result_place(place.slot) == place
    assert family(place.slot) == "result"
    assert result_place(f"x{place.slot}") is None
