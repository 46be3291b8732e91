"""Set-ups made from trigonometry alone, and what the calculations make of them."""

import math
import random
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from escuadra.core.base.errors import BadInput
from escuadra.core.calculations import compute
from tests.english import refused

few = settings(max_examples=50, deadline=None, derandomize=True)
small = st.floats(-0.8, 0.8)


def rotated(deg: float, x: float, y: float) -> tuple[float, float]:
    c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
    return c * x - s * y, s * x + c * y


@few
@given(small, small, small, small, st.floats(-15, 15), st.floats(-0.3, 0.3), st.floats(-0.2, 0.2))
def test_strings_along_both_sides_find_the_toe_that_was_planted(
    lf: float, rf: float, lr: float, rr: float, aside: float, askew: float, open_up: float
) -> None:
    """A vehicle (wheelbase 2700, tracks 1560 and 1540) stands askew between two strings that open up ahead."""
    toe, hubs = {"LF": lf, "RF": rf, "LR": lr, "RR": rr}, {}
    for name, track in (("LF", 1560.0), ("RF", 1560.0), ("LR", 1540.0), ("RR", 1540.0)):
        x = 2700.0 if name[1] == "F" else 0.0
        hubs[name] = (x, track / 2 if name[0] == "L" else -track / 2)

    def right_string(x: float) -> float:
        return -2100.0 - x * math.tan(math.radians(open_up))

    wheels = {}
    for name, (hx, hy) in hubs.items():
        side = 1 if name[0] == "L" else -1
        edges = []
        for edge in (200.0, -200.0):
            # Toe-in turns a left wheel's front inward (to the right), a right wheel's to the left.
            dx, dy = rotated(-side * toe[name], edge, 0.0)
            x, y = rotated(askew, hx + dx, hy + dy)
            y += aside - 1050.0
            edges.append(-y if side > 0 else y - right_string(x))
        wheels[name] = {"front": edges[0], "rear": edges[1], "span": 400.0}
    strings = {"front": -right_string(3000.0), "rear": -right_string(0.0), "spacing": 3000.0}
    found = compute("strings", {"wheelbase": 2700, "strings": strings, "wheels": wheels, "u": 0.4})
    for name, planted in toe.items():
        assert found["toe_deg"][name] == pytest.approx(planted, abs=0.01)
    assert found["thrust_deg"] == pytest.approx((rr - lr) / 2, abs=0.01)
    assert found["track"]["front"] == pytest.approx(1560, abs=1.0)


@few
@given(st.floats(-1.5, 1.5), st.floats(-1.5, 1.5), st.integers(0, 10_000))
def test_a_planted_floor_is_found_by_heights_and_by_staff_alike(long: float, cross: float, seed: int) -> None:
    chance = random.Random(seed)
    points: list[dict[str, Any]] = []
    for k in range(12):
        x, y = 900.0 * (k // 3), 800.0 * (k % 3) + chance.uniform(-50, 50)
        points.append({"id": f"P{k}", "x": x, "y": y, "z": 4.0 + long / 100 * x + cross / 100 * y})
    found = compute("floor", {"points": points})
    assert found["slope_long_percent"] == pytest.approx(long, abs=1e-9)
    assert found["slope_cross_percent"] == pytest.approx(cross, abs=1e-9)
    assert found["flatness"] == pytest.approx(0, abs=1e-6)
    staff = [{key: p[key] for key in ("id", "x", "y")} | {"staff": 1500 - p["z"]} for p in points]
    assert compute("floor", {"points": staff})["slope_percent"] == pytest.approx(found["slope_percent"], abs=1e-9)
    wheels = dict(zip(("LF", "RF", "LR", "RR"), ("P9", "P11", "P0", "P2"), strict=True))
    stands = compute("floor", {"points": points, "wheels": wheels, "targets": ["P4"], "u": 0.5})
    assert stands["height_correction"]["P4"] == pytest.approx(0, abs=1e-6)
    assert 0.5 < stands["u_height_correction"]["P4"] < 0.75


def test_ten_thousand_points_are_no_trouble() -> None:
    chance = random.Random(7)
    points = [
        {"id": str(k), "x": chance.uniform(0, 9000), "y": chance.uniform(0, 5000), "z": 1.0} for k in range(10_000)
    ]
    assert compute("floor", {"points": points})["flatness"] == pytest.approx(0, abs=1e-9)


MANY = [str(k) for k in range(10_000)]
TOO_LARGE = {
    "network": {"points": {k: {"x": 0, "y": 0, "fixed": True} for k in MANY}, "observations": []},
    "levelling": {"readings": [{"setup": "S", "point": k, "staff": 1} for k in MANY], "u": 1, "datum": "0"},
    "stakeout": {
        "controls": {k: {"x": 0, "y": 0, "u": 1} for k in MANY},
        "points": [{"id": "T", "x": 1, "y": 9}],
        "tape": {"constant": 1, "ppm": 0},
    },
}


@pytest.mark.parametrize("kind, field", [("network", "points"), ("levelling", "readings"), ("stakeout", "controls")])
def test_what_is_too_large_is_refused_at_once(kind: str, field: str) -> None:
    with refused(BadInput, match=r"at most|1 to|2 to") as caught:
        compute(kind, TOO_LARGE[kind])
    assert caught.value.field == field


def test_a_misread_staff_stands_out_between_two_set_ups() -> None:
    heights = {"A": 0.0, "B": -3.0, "C": 5.0, "D": 11.0, "E": -7.0}
    readings: list[dict[str, Any]] = [
        {"setup": s, "point": p, "staff": up - heights[p]}
        for s, up, seen in (("S1", 1400.0, "ABCD"), ("S2", 1377.0, "BCDE"), ("S3", 1391.0, "ABDE"))
        for p in seen
    ]
    clean = compute("levelling", {"readings": readings, "u": 0.5, "datum": "A"})
    for point, z in heights.items():
        if point != "A":
            assert clean["heights"][point]["z"] == pytest.approx(z, abs=1e-9)
    readings[6]["staff"] = readings[6]["staff"] + 10
    wrong = compute("levelling", {"readings": readings, "u": 0.5, "datum": "A"})
    assert max(range(12), key=lambda k: abs(wrong["residuals"][k])) == 6
    assert wrong["s0"] > 3 > clean["s0"]


@few
@given(st.floats(-3, 3), st.floats(-3, 3), st.booleans())
def test_the_feet_reach_level_within_half_a_step(roll: float, pitch: float, held: bool) -> None:
    feet = [{"id": f"F{k}", "x": x, "y": y} for k, (x, y) in enumerate(((400, 600), (400, -600), (-400, 0)))]
    asked = {"feet": feet, "thread_pitch": 1.5, "roll_deg": roll, "pitch_deg": pitch, "hold": "F2" if held else None}
    found = compute("feet", asked)
    worst = math.degrees(math.atan(1.5 * 0.125 / 2 / 400)) * 1.6
    assert abs(found["left_roll_deg"]) < worst
    assert abs(found["left_pitch_deg"]) < worst
    if held:
        assert found["turns"]["F2"] == 0
    else:
        assert min(found["lift"].values()) == pytest.approx(0, abs=1e-9), "raised only"


def test_the_ellipse_of_a_floor_mark_is_the_scatter_of_its_tapes() -> None:
    controls = {"A": (0.0, 800.0), "B": (0.0, -800.0), "C": (-2700.0, 780.0)}
    asked = {
        "controls": {i: {"x": x, "y": y, "u": 0.8} for i, (x, y) in controls.items()},
        "points": [{"id": "T", "x": 2500.0, "y": 300.0}],
        "tape": {"constant": 0.6, "ppm": 150.0},
    }
    mark = compute("stakeout", asked)["marks"][0]
    assert mark["check"] not in mark["pair"]
    noise, cloud = np.random.default_rng(11), []
    s = [math.hypot(0.6 + 150e-6 * length, 0.8) for length in mark["distances"]]
    (ax, ay), (bx, by) = (controls[i] for i in mark["pair"])
    for _ in range(6000):
        r, q = (length + noise.normal(0, u) for length, u in zip(mark["distances"], s, strict=True))
        base = math.dist((ax, ay), (bx, by))
        along = (r * r - q * q + base * base) / (2 * base)
        # The baseline runs along y; the mark lies on the side of larger x.
        cloud.append((math.sqrt(r * r - along * along), ay + (by - ay) / base * along))
    spread = np.sqrt(np.linalg.eigvalsh(np.cov(np.array(cloud).T)))
    assert mark["major"] == pytest.approx(spread[1], rel=0.05)
    assert mark["minor"] == pytest.approx(spread[0], rel=0.05)


@few
@given(st.floats(-2, 2), st.floats(-2, 2))
def test_two_screws_leave_less_than_their_steps(yaw: float, pitch: float) -> None:
    pair = [
        {"id": "S1", "yaw_deg_per_turn": 0.31, "pitch_deg_per_turn": 0.08},
        {"id": "S2", "yaw_deg_per_turn": -0.05, "pitch_deg_per_turn": 0.27},
    ]
    found = compute("screws", {"yaw_deg": yaw, "pitch_deg": pitch, "screws": pair})
    assert abs(found["left_yaw_deg"]) <= 0.125 / 2 * 0.36 + 1e-9
    assert abs(found["left_pitch_deg"]) <= 0.125 / 2 * 0.35 + 1e-9
    assert all(t / 0.125 == round(t / 0.125) for t in found["turns"].values())


@few
@given(st.floats(-3, 3), st.floats(-5, -0.1), st.floats(20, 90))
def test_the_peak_of_a_planted_parabola(vertex: float, curvature: float, peak: float) -> None:
    tilts = [-2.0, 0.5, 2.0]
    found = compute("tilt", {"tilts": tilts, "responses": [peak + curvature * (t - vertex) ** 2 for t in tilts]})
    assert found["vertex"] == pytest.approx(vertex, abs=1e-6)
    assert found["peak"] == pytest.approx(peak, abs=1e-6)
    assert found["inside"] == (-2 <= vertex <= 2) or abs(abs(vertex) - 2) < 1e-6


@few
@given(st.floats(-1.5, 1.5))
def test_self_checks_find_the_error_that_was_planted(error: float) -> None:
    level = compute("check", {"test": "level_reversal", "first": 0.4 + error, "second": -0.4 + error})
    assert (level["bias"], level["truth"]) == (pytest.approx(error), pytest.approx(0.4))
    a, b, angle = 1000.0, 700.0, math.radians(90 + error)
    diagonal = math.sqrt(a * a + b * b - 2 * a * b * math.cos(angle))
    square = compute("check", {"test": "square", "a": a, "b": b, "diagonal": diagonal})
    assert square["error_deg"] == pytest.approx(error, abs=1e-6)
    meter = compute("check", {"test": "three_point", "ab": 4000 + error, "bc": 3000 + error, "ac": 7000 + error})
    assert meter["zero_error"] == pytest.approx(error)
    slope = math.tan(math.radians(error / 10))
    pegs = {"mid_a": 1400.0, "mid_b": 1250.0, "off_a": 1500 + 2000 * slope, "off_b": 1350 + 32_000 * slope}
    two = compute("check", {"test": "two_peg", **pegs, "off_to_a": 2000, "off_to_b": 32_000})
    assert two["tilt_deg"] == pytest.approx(error / 10, abs=1e-9)


def test_a_drift_that_was_planted_reaches_its_limit_on_its_day() -> None:
    history = [{"day": day, "bias": 0.1 + 0.001 * day, "u": 1e-6} for day in (0, 100, 250)]
    found = compute("drift", {"history": history, "limit": 0.9, "horizon_days": 2000})
    assert found["per_year"] == pytest.approx(0.36525)
    assert found["reaches_day"] == 800
    assert compute("drift", {"history": history, "limit": 0.9, "horizon_days": 500})["reaches_day"] is None


@few
@given(st.lists(st.tuples(st.floats(0.2, 4), st.floats(0, 130), st.floats(0, 360)), min_size=2, max_size=40))
def test_a_drive_loses_nothing_that_it_does_not_name(steps: list[tuple[float, float, float]]) -> None:
    samples, t = [], 0.0
    for dt, speed, heading in steps:
        t += dt
        samples.append({"t": t, "speed": speed, "heading": heading})
    limits = {"speed_min": 40, "speed_max": 110, "radius_min": 250, "window_s": 3}
    found = compute("drive", {"samples": samples, "limits": limits, "need": {"distance_km": 2, "time_s": 300}})
    assert found["counted_s"] + sum(found["lost_s"].values()) == pytest.approx(found["total_s"], abs=1e-9)
    assert found["counted_km"] <= found["total_km"] + 1e-12
    assert 0 <= found["share"] <= 1
