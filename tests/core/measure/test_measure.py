"""What readings decide, at the edges: equal to a limit, one value alone, nothing that counts."""

import math
from typing import Any

import pytest

from escuadra.core.base.said import Name, said
from escuadra.core.calculations import KINDS
from escuadra.core.measure.budget import Parts, in_all, of_reading, scaled, shares, the_largest
from escuadra.core.measure.readings import Conditions, Instrument, worked_out
from tests.english import refused

LIMITS = {"lower": -2.0, "upper": 2.0, "rule": "guarded"}
TWO_PAIRS = [{"id": "a", "left": 110.0, "right": 90.0, "u": 1.0}, {"id": "b", "left": 113.0, "right": 91.0, "u": 1.0}]


def compute(kind: str, given: dict[str, Any]) -> Any:
    """A calculation's result as its model."""
    return KINDS[kind].function(KINDS[kind].given.read(given))


@pytest.mark.parametrize(
    "given, expected",
    [
        # On the guarded limit it holds, on the limit widened by the guard it is out.
        ({"value": 1.5, "u": 0.25, **LIMITS}, {"state": "holds", "margin": 0.5, "guard": 0.5, "tur": 4.0}),
        ({"value": 2.5, "u": 0.25, **LIMITS}, {"state": "out", "margin": -0.5}),
        ({"value": -2.5, "u": 0.25, **LIMITS}, {"state": "out", "margin": -0.5}),
        ({"value": 2.0, "u": 0.25, **LIMITS}, {"state": "undecided", "probability": 0.5}),
        # A tolerance of exactly the guard can be met, in its very middle.
        ({"value": 0.0, "u": 1.0, **LIMITS}, {"state": "holds", "capable": True, "tur": 1.0}),
        ({"value": 0.0, "u": 1.0001, **LIMITS}, {"state": "undecided", "capable": False}),
        ({"value": 3.0, "u": 0.0, **LIMITS}, {"state": "out", "probability": 0.0, "tur": None}),
        ({"value": 2.0, "u": 0.0, **LIMITS}, {"state": "holds", "probability": 1.0}),
        # Limits that are one figure are limits.
        ({"value": 1.0, "u": 0.5, "lower": 1.0, "upper": 1.0, "rule": "simple"}, {"state": "holds", "tur": 0.0}),
        # So many readings until the margin is the guard exactly: 0.5 = 2·√(0.2² + 0.3²/n) at n = 4.
        (
            {"value": 1.5, "u": 0.36, "repeatability": 0.3, "u_fixed": 0.2, **LIMITS},
            {"state": "undecided", "readings_needed": 4},
        ),
        ({"value": 1.5, "u": 0.36, "repeatability": 0.3, **LIMITS}, {"readings_needed": None}),
        # More than twenty are no advice: 0.5 = 2·√(1.115² ÷ n) at n = 19.9, at 20.1 with 1.122.
        ({"value": 1.5, "u": 2.5, "repeatability": 1.115, "u_fixed": 0.0, **LIMITS}, {"readings_needed": 20}),
        ({"value": 1.5, "u": 2.5, "repeatability": 1.122, "u_fixed": 0.0, **LIMITS}, {"readings_needed": None}),
    ],
)
def test_a_verdict_at_the_edges(given: dict[str, Any], expected: dict[str, Any]) -> None:
    found = compute("verdict", given).model_dump()
    assert {name: found[name] for name in expected} == pytest.approx(expected)


def test_chances_of_a_verdict_are_those_of_a_normal_error() -> None:
    found = compute("verdict", {"value": 1.0, "u": 1.0, "lower": 0.0, "upper": None, "rule": "simple"})
    assert found.probability == pytest.approx(0.8413447)
    both = compute("verdict", {"value": 0.0, "u": 1.0, "lower": -1.0, "upper": 2.0, "rule": "simple"})
    assert both.probability == pytest.approx(0.8185946)


@pytest.mark.parametrize("only", [{"temperature": 31.0}, {"expansion_per_k": 1.2e-5}])
def test_a_temperature_comes_with_what_it_does(only: dict[str, float]) -> None:
    tool = {"resolution": 0.5, "accuracy_constant": 0.4, "accuracy_ppm": 60, "repeatability": 0.3}
    (given,), (wanted,) = only, {"temperature", "expansion_per_k"} - {*only}
    with refused(match="together") as caught:
        compute("reading", {"values": [1000.0], "instrument": tool, **only})
    assert (caught.value.field, given) == (wanted, given)


def test_readings_that_agree_by_luck_prove_no_more_than_the_tool_can() -> None:
    tool = Instrument(resolution=0.0, accuracy_constant=0.0, accuracy_ppm=0.0, repeatability=0.6)
    assert worked_out([5.0, 5.0, 5.0, 5.0], tool, Conditions()).u_repeat == pytest.approx(0.3)
    # They scatter by √(8/3), which is more than its repeatability: u = √(8/3) ÷ 2.
    assert worked_out([3.0, 5.0, 5.0, 7.0], tool, Conditions()).u_repeat == pytest.approx(math.sqrt(8 / 3) / 2)


def test_a_slope_as_long_as_the_tape_is_no_slope() -> None:
    tool = Instrument(resolution=0.0, accuracy_constant=0.0, accuracy_ppm=0.0, repeatability=0.3)
    with refused(match="less than"):
        worked_out([500.0], tool, Conditions(rise=500.0))
    # 3-4-5: what a reading and a rise are off by counts by length ÷ level and rise ÷ level.
    found = worked_out([500.0], tool, Conditions(rise=300.0, u_rise=0.4))
    assert (found.value, found.u) == pytest.approx((400.0, math.hypot(0.375, 0.3)))


def test_where_an_uncertainty_comes_from() -> None:
    parts: Parts = ((Name("tape"), 3.0), (Name("laser"), 5.0), (Name("tape"), 4.0), (Name("nothing"), 0.0))
    assert [(one.source.text, one.share) for one in shares(parts)] == [("tape", 0.5), ("laser", 0.5), ("nothing", 0.0)]
    assert shares([(Name("nothing"), 0.0)]) == []
    alike = shares([(Name("first"), 0.1 + 0.2), (Name("second"), 0.3), (Name("third"), 0.3 + 1e-15)])
    assert [one.source.text for one in alike] == ["first", "second", "third"]
    assert in_all(parts) == pytest.approx(math.sqrt(50))
    assert scaled(parts[:2], -0.5) == ((Name("tape"), 1.5), (Name("laser"), 2.5))
    every = shares([(Name("d"), 1.0), (Name("a"), 4.0), (Name("b"), 3.0), (Name("c"), 2.0)])
    assert [one.source.text for one in every] == ["a", "b", "c", "d"]
    assert the_largest(every, 4) == every
    told = the_largest(every, 3)
    assert [one.source for one in told] == [Name("a"), Name("b"), said("source.everything_else")]
    assert [one.share for one in told] == pytest.approx([16 / 30, 9 / 30, 5 / 30])


def test_what_of_a_reading_its_parts_are() -> None:
    tool = Instrument(resolution=math.sqrt(12), accuracy_constant=math.sqrt(3), accuracy_ppm=0, repeatability=2.0)
    flat = worked_out([500.0], tool, Conditions())
    assert [u for _, u in of_reading(flat, "tape-4")] == pytest.approx([1.0, 2.0, 1.0, 0.0])
    # Levelled, its own part is 5/4 of it, and the rise's 3/4 of 2 mm.
    slanted = worked_out([500.0], tool, Conditions(rise=300.0, u_rise=2.0))
    *_, ends = (u for _, u in of_reading(slanted, "tape-4", rise=True))
    assert ends == pytest.approx(math.sqrt((1.25**2 - 1) * 5 + 1.5**2))


def test_who_is_to_blame_among_pairs() -> None:
    """One pair alone tells nothing of itself, two never say which; of three the one beyond 3.2905 is named."""
    alone = compute("symmetry", {"pairs": TWO_PAIRS[:1]})
    assert (alone.centre, alone.w, alone.suspect) == (100.0, {"a": 0.0}, None)
    two = compute("symmetry", {"pairs": TWO_PAIRS})
    # Middles 2 mm apart, each u 1 ÷ √2, redundancy ½: w = ±1 ÷ ½.
    assert (two.w, two.u, two.suspect) == (pytest.approx({"a": -2.0, "b": 2.0}), pytest.approx(0.5), None)
    far = [{**TWO_PAIRS[0], "left": 190.0}, TWO_PAIRS[1]]
    assert compute("symmetry", {"pairs": far}).suspect is None
    three = compute("symmetry", {"pairs": [*far, {**TWO_PAIRS[0], "id": "c"}]})
    assert three.suspect == "a"
    with refused(match="more than"):
        compute("symmetry", {"pairs": [{**TWO_PAIRS[0], "right": 110.0}]})


def test_the_newest_of_a_day_is_a_vehicles_own_last_time() -> None:
    history = [{"vehicle": "own", "day": 3, "value": 0.2}, {"vehicle": "own", "day": 3, "value": 0.5}]
    found = compute("peers", {"history": history, "vehicle": "own", "value": 0.6})
    assert (found.n, found.change) == (0, pytest.approx(0.1))


def test_a_value_on_the_edge_of_what_is_usual_is_usual() -> None:
    history = [{"vehicle": f"v{k}", "day": k, "value": value} for k, value in enumerate((0.1, 0.3, 0.2, 0.6))]
    asked = {"history": history, "vehicle": "own"}
    edges = compute("peers", {**asked, "value": 0.3})
    assert [compute("peers", {**asked, "value": at}).unusual for at in (edges.lower, edges.upper)] == [False, False]
    assert compute("peers", {**asked, "value": edges.upper + 1e-9}).unusual


def test_as_good_an_explanation_is_as_much_to_blame() -> None:
    """Of two causes with the same effect neither is let off; what has no effect explains nothing."""
    results = [{"id": "yaw", "value": 2.0, "u": 0.01}]
    effect = {name: {"id": name, "u": 0.1, "effect": {"yaw": e}} for name, e in (("a", 1), ("b", 1), ("c", 0))}
    found = compute("explain", {"results": results, "causes": [*effect.values()]})
    assert (found.plausible, found.suspects) == (False, ["a", "b"])
    assert (found.causes["c"].alone, found.causes["c"].w) == (None, None)
    assert found.causes["a"].alone == pytest.approx(2.0)


@pytest.mark.parametrize("up, pitch", [(52.36, -1.0), (-52.36, 1.0)])
def test_a_target_too_high_lets_the_sensor_look_up(up: float, pitch: float) -> None:
    given = {"by": "position", "sensor_to_target": 3000.0, "target_left": 0.0, "target_up": up, "roads": [100.0]}
    found = compute("aim", given)
    assert found.pitch_deg == pytest.approx(pitch, abs=1e-3)
    assert found.at[0].up_m == pytest.approx(-pitch * 1.7455, abs=1e-3)
