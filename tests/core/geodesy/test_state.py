"""Everything in one solution: a forward model of vectors alone, laws, the plane case, boxes, and what is refused."""

import copy
import json
import math
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import multivariate_normal, norm

from escuadra.core.base.errors import BadInput, NotDetermined
from escuadra.core.calculations import compute
from escuadra.core.geodesy.state import StateInput, StateResult, box, solve
from escuadra.core.geodesy.state import factors as taken_apart
from escuadra.core.geodesy.state.box import joint
from escuadra.core.geodesy.state.solution import Work
from tests.english import refused

CASES = Path(__file__).parents[2] / "cases"
STATE = [case["given"] for case in json.loads((CASES / "state.json").read_text()) if "error" not in case]
few = settings(max_examples=12, deadline=None, derandomize=True)

# --- a visit made from vectors alone, everything read in it, nothing taken from the code under test

HUBS = {
    "LF": (3187.0, 821.0, 329.0),
    "RF": (3190.0, -820.0, 327.0),
    "LR": (2.0, 829.0, 331.0),
    "RR": (-1.0, -828.0, 328.0),
}
MARKS = {"rear": (-1013.0, 1.5, 0.0), "front": (4096.0, -610.0, 2.0)}
OWN = {"L": (0.0, 1195.0, 0.0), "R": (0.0, -1195.0, 0.0), "target": (-31.5, 2.0, 727.0)}
POSES = {"a": (5860.0, 12.0, 690.0, 1.3, 0.4, -0.9), "b": (5857.0, -31.0, 693.0, 0.9, -0.2, 0.7)}
"""x, y, z, yaw, roll, pitch."""
GRAVITY = (0.3, -0.2)
HEADINGS = {"LR": 0.21, "RR": 0.05, "LF": -0.4}
CLAMP, TAPE, ALIGNER = 0.12, (0.6, 2e-4), 0.03
FLOORS = {"bay": 4.0, "spot": 1.5}
GUESS = {"x": 5850, "y": 0, "z": 700, "yaw_deg": 0, "roll_deg": 0, "pitch_deg": 0, "shape": "frame"}


def turn(axis: int, deg: float) -> np.ndarray:
    c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
    i, j = [k for k in range(3) if k != axis]
    found = np.eye(3)
    found[i, i] = found[j, j] = c
    found[i, j], found[j, i] = (-s, s) if axis != 1 else (s, -s)
    return found


def rotation(body: str) -> np.ndarray:
    yaw, roll, pitch = POSES[body][3:]
    return np.asarray(turn(2, yaw) @ turn(1, pitch) @ turn(0, roll))


def at(name: str) -> np.ndarray:
    if ":" not in name:
        return np.array((HUBS | MARKS)[name])
    body, point = name.split(":")
    return np.asarray(np.array(POSES[body][:3]) + rotation(body) @ np.array(OWN[point]))


def unit(deg: float) -> np.ndarray:
    return np.array([math.cos(math.radians(deg)), math.sin(math.radians(deg)), 0.0])


def where_beam_meets(body: str, point: np.ndarray, normal: np.ndarray) -> float:
    return float((point - np.array(POSES[body][:3])) @ normal / (rotation(body)[:, 1] @ normal))


UP = turn(1, GRAVITY[1]) @ turn(0, GRAVITY[0]) @ [0, 0, 1]


def level(body: str, kind: str, up: Any) -> float:
    axis, sign = (rotation(body)[:, 1], 1) if kind == "roll" else (rotation(body)[:, 0], -1)
    return sign * math.degrees(math.asin(axis @ up))


def everything(headings: bool) -> dict[str, Any]:
    """Every type of observation at least once, exact; the wheels' headings or the thrust line."""
    rows: list[dict[str, Any]] = []
    tau = (HEADINGS["LR"] + HEADINGS["RR"]) / 2

    def row(type: str, value: float, u: float = 0.5, **more: Any) -> None:
        rows.append(
            {
                "id": f"{len(rows)} {type}",
                "type": type,
                "value": value,
                "u": u,
                **{k.rstrip("_"): v for k, v in more.items()},
            }
        )

    for name, place in (HUBS | MARKS).items():
        for axis, value in zip("xyz", place, strict=True):
            row(axis, value, point=name)
    for body, (x, y, z, yaw, *_) in POSES.items():
        origin, psi = np.array([x, y, z]), unit(yaw)
        left = unit(yaw + 90)
        for hub in ("LF", "RF"):
            for end in ("L", "R"):
                true = float(np.linalg.norm(at(f"{body}:{end}") - at(hub)))
                row("distance", true * (1 + TAPE[1]) + TAPE[0], from_=hub, to=f"{body}:{end}", instrument="tape")
        row("level_distance", float(np.linalg.norm((at(f"{body}:R") - at("RR"))[:2])), from_="RR", to=f"{body}:R")
        row("height", at(f"{body}:target")[2] - FLOORS["bay"] - FLOORS["spot"], point=f"{body}:target", floor="spot")
        row("height", at(f"{body}:L")[2], point=f"{body}:L")
        row("rise", at(f"{body}:R")[2] - at(f"{body}:L")[2], from_=f"{body}:L", to=f"{body}:R")
        row("roll", level(body, "roll", UP), 0.02, body=body)
        row("pitch", level(body, "pitch", UP), 0.02, body=body)
        row("yaw", yaw + 360, 0.02, body=body)
        row("perpendicular", float((origin - at("LR")) @ psi), point="LR", body=body)
        row("along", float((at("RF") - origin) @ left), point="RF", body=body)
        plane = np.cross(at("front") - at("rear"), UP)
        row("crossing", where_beam_meets(body, at("rear"), plane), from_="rear", to="front", body=body)
        target, wheel, slant = at(f"{body}:target"), at("LR"), math.tan(math.radians(yaw))
        row("panel", float(target[1] - (target[0] - wheel[0]) * slant - wheel[1]), point=f"{body}:target", wheel="LR")
        spots = (3000 * math.tan(2 * math.radians(tau + s * 0.07 - yaw)) for s in (-1, 1))
        row("scale_pair", sum(spots), body=body, left_distance=3000, right_distance=3000, half_toe_deg=0.07)
        way = (at("front") - at("rear"))[:2] / np.linalg.norm((at("front") - at("rear"))[:2])
        off = (target - at("rear"))[:2]
        row("offset", float(way[0] * off[1] - way[1] * off[0]), point=f"{body}:target", from_="rear", to="front")
        row(
            "ruler",
            where_beam_meets(body, at("LR"), np.cross(unit(tau + 0.3), [0, 0, 1])),
            body=body,
            wheel="LR",
            toe_deg=0.3,
        )
        if headings:
            h = HEADINGS["LR"] - CLAMP
            row(
                "ruler",
                where_beam_meets(body, at("LR"), np.cross(unit(h), [0, 0, 1])),
                body=body,
                wheel="LR",
                mounting="clamp",
                turn=-1,
            )
            back = 2000 * math.tan(2 * math.radians(HEADINGS["RR"] - yaw))
            row("spot", back, body=body, wheel="RR", distance=2000)
    a, b = (np.array(POSES[name]) for name in "ab")
    for what, k in (("yaw", 3), ("roll", 4), ("pitch", 5)):
        row("same", float(b[k] - a[k]), 0.02, from_="a", to="b", what=what)
    ways: dict[str, Any] = {"normal": unit(a[3]), "sideways": unit(a[3] + 90), "up": np.array([0, 0, 1])}
    for way, along in ways.items():
        row("same", float((b - a)[:3] @ along), from_="a", to="b", what=way)
        row("same", float((at("b:L") - at("a:L")) @ along), from_="a", to="b", what=way, point="L")
    row("own", OWN["target"][1], shape="frame", point="target", axis="y")
    row("thrust", tau, 0.01)
    if headings:
        for corner, side in (("LR", -1), ("RR", 1), ("LF", -1)):
            row("toe", side * HEADINGS[corner] + ALIGNER, 0.01, wheel=corner, instrument={"aligner": 1.0})
        row("heading", HEADINGS["LR"] + CLAMP, 0.01, wheel="LR", mounting="clamp")
    marks = [["LR", "RR"], "front"]
    near = {n: {"x": round(x, -1), "y": round(y, -1), "z": 320} for n, (x, y, _) in (HUBS | MARKS).items()}
    return {
        "points": near,
        "bodies": {"a": dict(GUESS), "b": dict(GUESS)},
        "shapes": {"frame": {"points": {**OWN, "target": [-31.5, 0, 727]}, "u": {"target": [0, 3.0, 0]}}},
        **({"headings": {w: {"angle_deg": 0} for w in HEADINGS}} if headings else {"thrust": {"angle_deg": 0}}),
        **({"mountings": {"clamp": {"wheel": "LR", "u_deg": 0.2}}} if headings else {}),
        "instruments": {"tape": {"u_offset": 1.0, "u_scale": 1e-3}, "aligner": {"u_offset": 0.1}},
        "floors": {"spot": {"height": 0, "u": 3.0, "on": "bay"}, "bay": {"height": FLOORS["bay"], "u": 0}},
        "gravity": {"roll_deg": 0, "pitch_deg": 0, "u_deg": 0.5},
        "observations": rows,
        "wanted": [
            {"id": "square", "type": "yaw", "body": "b", "to": "thrust"},
            {"id": "to marks", "type": "yaw", "body": "b", "to": "marks", "marks": marks},
            {"id": "to axis", "type": "yaw", "body": "b", "to": "axis"},
            {"id": "level", "type": "roll", "body": "b"},
            {"id": "lean", "type": "pitch", "body": "b", "to": "axis"},
            {"id": "height", "type": "height", "point": "b:target", "floor": "spot"},
            {"id": "ahead", "type": "ahead", "point": "b:target", "from": ["LF", "RF"], "line": "thrust"},
            {"id": "beside", "type": "beside", "point": "b:target", "through": "rear", "line": "marks", "marks": marks},
            {"id": "angle", "type": "angle", "line": "marks", "marks": marks},
            {"id": "at", "type": "at", "line": "marks", "marks": marks, "through": ["LR", "RR"], "x": 5860},
            *([{"id": "heading", "type": "heading", "wheel": "LR"}] if headings else []),
        ],
    }  # fmt: skip


def truth() -> dict[str, float]:
    tau, yaw = (HEADINGS["LR"] + HEADINGS["RR"]) / 2, POSES["b"][3]
    target, rear = at("b:target"), (at("LR") + at("RR")) / 2
    way = (at("front") - rear)[:2]
    angle = math.degrees(math.atan2(way[1], way[0]))
    return {
        "square": yaw - tau,
        "to marks": yaw - angle,
        "to axis": yaw,
        "level": level("b", "roll", UP),
        "lean": level("b", "pitch", np.array([0, 0, 1])),
        "height": target[2] - FLOORS["bay"] - FLOORS["spot"],
        "ahead": float((target - (at("LF") + at("RF")) / 2) @ unit(tau)),
        "beside": float((target - at("rear")) @ unit(angle + 90)),
        "angle": angle,
        "at": float(rear[1] + (5860 - rear[0]) * math.tan(math.radians(angle))),
        "heading": HEADINGS["LR"],
    }


@pytest.mark.parametrize("headings", [True, False])
def test_a_visit_made_of_vectors_is_found_as_it_was_made(headings: bool) -> None:
    """Every type read exactly, from first guesses a degree and a hand's breadth off."""
    data = everything(headings)
    found = compute("state", data)
    # What is known beforehand of shared errors pulls a little; with readings of a tiny u it no longer does.
    tight = compute("state", {**data, "observations": [{**o, "u": o["u"] * 1e-4} for o in data["observations"]]})
    shared = [0.6, 2e-4 / 1e-3, 1.5 / 3, 0.3 / 0.5, 0.2 / 0.5, 2 / 3, *([0.03 / 0.1, 0.12 / 0.2] if headings else [])]
    assert tight["chi2"] == pytest.approx(sum(e * e for e in shared), rel=1e-4), "what the shared errors truly are"
    for name, value in tight["wanted"].items():
        assert value["value"] == pytest.approx(truth()[name], abs=2e-6), name
        assert found["wanted"][name]["value"] == pytest.approx(truth()[name], abs=3 * found["wanted"][name]["u"])
    assert {o["type"] for o in data["observations"]} >= set(EVERY_TYPE) - (
        set() if headings else {"spot", "heading", "toe"}
    )


EVERY_TYPE = [
    s["properties"]["type"].get("const") or kind
    for s in StateInput.model_json_schema()["$defs"].values()
    if "value" in s.get("properties", {})
    for kind in s["properties"]["type"].get("enum", [None])
]


@pytest.mark.parametrize("data", [everything(True), everything(False), *STATE[:3], *STATE[-4:]])
def test_every_slope_agrees_with_a_numerical_one(data: dict[str, Any]) -> None:
    work, chance = Work(StateInput.read(data)), random.Random(20261127)
    here = work.equations.unknowns.start.copy()
    here[work.free] += [chance.uniform(-1e-3, 1e-3) for _ in work.free]
    matrix, wanted = work.at(here)[1](), work.equations.wanted.at(here)[1]()
    for column, k in enumerate(work.free):
        step = 1e-3 if abs(here[k]) > 0.2 else 1e-6
        sides = []
        for sign in (1, -1):
            moved = here.copy()
            moved[k] += sign * step
            sides.append((work.at(moved)[0], work.equations.wanted.at(moved)[0]))
        for slopes, (up, down) in zip((matrix, wanted), zip(*sides, strict=True), strict=True):
            assert slopes[:, column] == pytest.approx((up - down) / (2 * step), rel=2e-5, abs=5e-4), (
                work.equations.unknowns.owners[column]
            )


# --- laws

BASE = STATE[2]
"""Two epochs, tapes, a laser, a slide."""


def quantities(found: dict[str, Any]) -> list[tuple[float, float]]:
    return [(q["value"], q["u"]) for q in found["wanted"].values()]


def assert_same(found: dict[str, Any], other: dict[str, Any], factor: float = 1.0) -> None:
    for (value, u), (same, spread) in zip(quantities(found), quantities(other), strict=True):
        assert (same, spread) == pytest.approx((value, factor * u), rel=1e-6, abs=1e-6)


@few
@given(st.floats(-170, 170), st.floats(-3000, 3000), st.floats(-3000, 3000), st.floats(-200, 200))
def test_turning_and_shifting_everything_changes_nothing(yaw: float, dx: float, dy: float, dz: float) -> None:
    """The vehicle elsewhere, its axis another: told along its own line and through its own marks, all is as it was."""
    data, turned = copy.deepcopy(BASE), copy.deepcopy(BASE)
    c, s = math.cos(math.radians(yaw)), math.sin(math.radians(yaw))

    def moved(place: dict[str, Any]) -> None:
        place["x"], place["y"] = dx + c * place["x"] - s * place["y"], dy + s * place["x"] + c * place["y"]
        place["z"] += dz

    for each in (data, turned):
        for point in each["points"].values():
            point.pop("fixed", None)
        each["observations"] += [
            {"id": f"{m}.{axis}", "type": axis, "point": m, "value": 0.0, "u": 0.7}
            for m, axis in (("mark_rear", "x"), ("mark_front", "x"), ("mark_rear", "z"), ("mark_front", "z"))
        ]
        rows = {(o["point"], o["type"]): o for o in each["observations"] if o["type"] in "xyz"}
        for name, point in each["points"].items():
            for axis in "xyz":
                rows[name, axis]["u"] = 0.7
                rows[name, axis]["value"] = point[axis]
    for place in (*turned["points"].values(), *turned["bodies"].values()):
        moved(place)
    for body in turned["bodies"].values():
        body["yaw_deg"] += yaw
    turned["thrust"]["angle_deg"] += yaw
    for o in turned["observations"]:
        if o["type"] in "xyz":
            o["value"] = turned["points"][o["point"]][o["type"]]
        elif o["type"] == "height":
            o["value"] += dz
        elif o["type"] == "thrust":
            o["value"] += yaw
    found, other = compute("state", data), compute("state", turned)
    other["wanted"]["height"]["value"] -= dz
    assert_same(found, other)
    assert other["chi2"] == pytest.approx(found["chi2"], rel=1e-6)


@few
@given(st.randoms(use_true_random=False))
def test_the_order_of_readings_changes_nothing(chance: random.Random) -> None:
    data = copy.deepcopy(BASE)
    chance.shuffle(data["observations"])
    found, other = compute("state", BASE), compute("state", data)
    assert_same(found, other)
    for key in ("redundancy", "w"):
        assert other[key] == pytest.approx(found[key], abs=1e-6)


@few
@given(st.floats(0.3, 4))
def test_twice_the_u_is_twice_the_uncertainty(factor: float) -> None:
    data = copy.deepcopy(BASE)
    for o in data["observations"]:
        o["u"] *= factor
    for tool in data["instruments"].values():
        tool["u_offset"] *= factor
        tool["u_scale"] *= factor
    found, other = compute("state", BASE), compute("state", data)
    assert_same(found, other, factor)
    assert other["chi2"] == pytest.approx(found["chi2"] / factor**2, rel=1e-6)


@few
@given(st.integers(0, 30))
def test_a_reading_doubled_is_one_of_a_smaller_u(which: int) -> None:
    double, single = copy.deepcopy(BASE), copy.deepcopy(BASE)
    double["observations"].append({**double["observations"][which], "id": "again"})
    single["observations"][which]["u"] /= math.sqrt(2)
    assert_same(compute("state", double), compute("state", single))


def test_an_epoch_that_nobody_asks_for_changes_nothing() -> None:
    """Its own readings exactly determine it: neither told values nor their u move."""
    data = copy.deepcopy(BASE)
    data["bodies"]["alone"] = {**data["bodies"]["a"], "x": 7000.0}
    data["observations"] += [
        {"id": f"alone.{what}", "type": "same", "from": "a", "to": "alone", "what": what, "value": 0.3, "u": 0.4}
        for what in ("yaw", "roll", "pitch", "normal", "sideways", "up")
    ]
    found, other = compute("state", BASE), compute("state", data)
    assert_same(found, other)
    assert other["w"]["alone.up"] is None
    assert other["dof"] == found["dof"]


def test_a_yaw_that_a_move_left_is_told_the_short_way_round() -> None:
    """A frame behind the vehicle, from a little under half a turn to a little over: 0.2°, not 360° less."""
    data = copy.deepcopy(STATE[-1])
    data["bodies"]["b"] = {**data["bodies"]["a"], "yaw_deg": -179.9}
    data["bodies"]["a"]["yaw_deg"] = 179.9
    data["observations"] += [
        {"id": f"same.{what}", "type": "same", "from": "a", "to": "b", "what": what, "value": value, "u": 0.01}
        for what, value in (("yaw", 0.2), ("roll", 0), ("pitch", 0), ("normal", 0), ("sideways", 0), ("up", 0))
    ]
    data["wanted"].append({"id": "after", "type": "yaw", "body": "b", "to": "thrust"})
    data["limits"]["after"] = [179.65, 180.35]
    found = compute("state", data)["wanted"]
    assert found["after"]["value"] - found["square"]["value"] == pytest.approx(0.2, abs=0.01)


def in_space(plane: dict[str, Any]) -> dict[str, Any]:
    """A network as a state: everything at height 0, tapes level."""
    flat = {"z": 0.0, "roll_deg": 0.0, "pitch_deg": 0.0}
    bodies = {}
    frame = plane.get("frame")
    on_frame = frame["points"] if frame else {}
    rows = []
    for o in plane["observations"]:
        row = {k: (f"f:{v}" if k in ("from", "to", "point", "wheel") and v in on_frame else v) for k, v in o.items()}
        if row["type"] in ("perpendicular", "along", "crossing", "panel", "ruler", "scale_pair", "yaw"):
            row["body"] = "f"
        rows.append({**row, "type": "level_distance" if row["type"] == "distance" else row["type"]})
    wanted: list[dict[str, Any]] = [
        {"id": f"{n} {what}", "type": what, "point": n, key: ["origin"], "line": "axis"}
        for n, p in (*plane["points"].items(), *((f"f:{n}", {}) for n in ("",) if frame))
        if not p.get("fixed")
        for what, key in (("ahead", "from"), ("beside", "through"))
    ]
    if frame:
        wanted.append({"id": "yaw", "type": "yaw", "body": "f", "to": "axis"})
        if plane.get("thrust"):
            wanted.append({"id": "square", "type": "yaw", "body": "f", "to": "thrust"})
    points = {
        n: {"x": p["x"], "y": p["y"], "z": 0, "fixed": ["x", "y", "z"] if p["fixed"] else ["z"]}
        for n, p in plane["points"].items()
    }
    if frame:
        own = {"": [0, 0, 0]} | {n: [*b, 0] for n, b in on_frame.items()}
        bodies["f"] = {**{k: frame[k] for k in ("x", "y", "yaw_deg")}, **flat, "fixed": list(flat), "points": own}
    used = {o["instrument"] for o in plane["observations"] if o.get("instrument")}
    return {
        "points": points | {"origin": {"x": 0, "y": 0, "z": 0, "fixed": ["x", "y", "z"]}},
        "bodies": bodies,
        **({"thrust": plane["thrust"]} if plane.get("thrust") else {}),
        "instruments": {n: t for n, t in plane.get("instruments", {}).items() if n in used},
        "observations": rows,
        "wanted": wanted,
        "alpha": plane.get("alpha", 0.001),
    }  # fmt: skip


@pytest.mark.parametrize(
    "case", [c for c in json.loads((CASES / "network.json").read_text()) if "error" not in c], ids=lambda c: c["name"]
)
def test_a_network_is_the_plane_case(case: dict[str, Any]) -> None:
    plane = compute("network", case["given"])
    space = compute("state", in_space(case["given"]))
    for key in ("chi2", "dof", "chi2_limit", "passes", "suspects", "suspect"):
        assert space[key] == (pytest.approx(plane[key], rel=1e-6) if isinstance(plane[key], float) else plane[key]), key
    assert space["redundancy"] == pytest.approx(plane["redundancy"], abs=1e-6)
    places = dict(plane["points"]) | ({"f:": plane["frame"]} if "frame" in plane else {})
    for name, place in places.items():
        for what, axis in (("ahead", "x"), ("beside", "y")):
            told = space["wanted"][f"{name} {what}"]
            assert (told["value"], told["u"]) == pytest.approx((place[axis], place[f"u_{axis}"]), rel=1e-6, abs=1e-5)
    if "square" in plane:
        told = space["wanted"]["square"]
        assert (told["value"], told["u"]) == pytest.approx(tuple(plane["square"].values()), rel=1e-6, abs=1e-6)


# --- convergence, many bodies, what is loose


@few
@given(st.floats(-4, 4), st.floats(-0.4, 0.4), st.floats(-0.4, 0.4), st.floats(-40, 40))
def test_from_the_sheets_guesses_a_frame_far_off_is_found(yaw: float, roll: float, pitch: float, aside: float) -> None:
    """Four degrees off and leaning: guesses of 0 do; so do guesses twice as far on the other side."""
    data = copy.deepcopy(STATE[0])
    stands = turn(2, yaw) @ turn(1, pitch) @ turn(0, roll)
    own = {k: np.array([5860.0, aside, 690.0]) + stands @ v for k, v in data["bodies"]["a"]["points"].items()}
    hubs = {n: np.array([p[a] for a in "xyz"]) for n, p in data["points"].items()}
    for o in data["observations"]:
        if o["type"] == "distance":
            o["value"] = float(np.linalg.norm(own[o["to"][2:]] - hubs[o["from"]]))
        elif o["type"] in ("roll", "pitch"):
            o["value"] = math.degrees(math.asin(stands[2, 1] if o["type"] == "roll" else -stands[2, 0]))
        elif o["type"] == "height":
            o["value"] = float(own[o["point"][2:]][2])
        elif o["type"] in "xyz":
            o["value"] = data["points"][o["point"]][o["type"]]
    for guess in (0.0, -yaw):
        data["bodies"]["a"].update(yaw_deg=guess, y=-aside)
        found = compute("state", {**data, "limits": {}})
        assert found["wanted"]["square"]["value"] == pytest.approx(yaw - 0.107, abs=1e-6)
        assert found["chi2"] < 1e-12


def test_many_bodies_are_taken_apart_one_by_one_to_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    chance = np.random.default_rng(4)
    count, shared = 11, 9
    monkeypatch.setattr(taken_apart, "MANY_BODIES", count)
    width = 6 * count + shared
    bodies = [np.arange(6 * k, 6 * k + 6) for k in range(count)]
    rows = np.zeros((10 * count + shared, width))
    for k in range(count):
        rows[10 * k : 10 * k + 10, 6 * k : 6 * k + 6] = chance.normal(size=(10, 6))
        rows[10 * k : 10 * k + 10, -shared:] = chance.normal(size=(10, shared))
        if k:
            rows[10 * k : 10 * k + 3, 6 * k - 6 : 6 * k] = chance.normal(size=(3, 6))
    rows[-shared:, -shared:] = np.eye(shared)
    for loose in (0, 2):
        rows[:, [5, 60][:loose]] = 0.0
        whole, parts = taken_apart.factored(rows), taken_apart.factored(rows, bodies)
        assert parts.rank == whole.rank == width - loose
        assert parts.left @ parts.left.T == pytest.approx(whole.left @ whole.left.T, abs=1e-10)
        assert parts.inverse @ parts.inverse.T == pytest.approx(whole.inverse @ whole.inverse.T, abs=1e-9)
        assert (parts.loose[:, [5, 60][:loose]] ** 2).sum(axis=1) == pytest.approx([1.0] * loose)


def without(*kinds: str) -> dict[str, Any]:
    data = copy.deepcopy({**STATE[0], "limits": {}})
    data["observations"] = [o for o in data["observations"] if o["type"] not in kinds]
    return data


@pytest.mark.parametrize(
    "data, field, untold",
    [
        (without("roll", "height"), "a", {"side_to_side"}),
        (without("thrust"), "thrust", {"square"}),
        (without("x", "thrust", "roll"), "LF", {"distance"}),
        (
            {
                **everything(True),
                "observations": [o for o in everything(True)["observations"] if o.get("wheel") != "LF"],
            },
            "LF",
            set(),
        ),
    ],
)
def test_what_is_loose_is_named_points_first(data: dict[str, Any], field: str, untold: set[str]) -> None:
    with pytest.raises(NotDetermined) as caught:
        solve(StateInput.read(data))
    assert caught.value.field == field
    partly = compute("state", {**data, "partial": True})
    assert set(partly["loose"]) >= untold
    assert bool(partly["loose"]) == bool(untold), "a heading that nobody asks for takes nothing away"
    assert all(partly["wanted"][name] is None for name in partly["loose"])


def test_limits_of_what_cannot_be_told_are_refused_and_nothing_read_tells_nothing() -> None:
    data = {**without("thrust"), "partial": True}
    with refused(BadInput, match="square") as caught:
        compute("state", {**data, "limits": {"square": [-1, 1]}})
    assert caught.value.field == "limits"
    nothing = compute("state", {**data, "observations": []})
    assert (nothing["dof"], nothing["chi2"], len(nothing["loose"])) == (0, 0.0, 6)


# --- the box


@pytest.mark.parametrize("seed", range(4))
def test_the_box_agrees_with_a_library(seed: int) -> None:
    chance = np.random.default_rng(seed)
    root = chance.normal(size=(6, 4 if seed % 2 else 6))
    covariance = root @ root.T
    u = np.sqrt(np.diag(covariance))
    value = chance.normal(size=6) * 0.3 * u
    limits = [(-float(a), float(b)) for a, b in (np.abs(chance.normal(1.5, 0.6, size=(6, 2))) + 0.2) * u[:, None]]
    low, high = zip(*limits, strict=True)
    expected = multivariate_normal.cdf(
        high, value, covariance, allow_singular=True, lower_limit=low, maxpts=2_000_000, abseps=1e-5, releps=1e-5, rng=1
    )
    assert joint(value, covariance, limits) == pytest.approx(float(expected), abs=5e-4)


def test_boxes_whose_probability_is_known() -> None:
    unit_box = [(-1.0, 1.0)] * 3
    one = joint(np.zeros(1), np.eye(1), unit_box[:1])
    assert one == pytest.approx(math.erf(1 / math.sqrt(2)), abs=1e-9)
    assert joint(np.zeros(3), np.eye(3), unit_box) == pytest.approx(one**3, abs=1e-4)
    assert joint(np.zeros(3), np.ones((3, 3)), [(-1.0, 1.0), (-2.0, None), (None, 0.5)]) == pytest.approx(
        0.5328072, abs=1e-4
    )
    for r in (-0.999999, -0.6, 0.0, 0.95):
        quarter = 0.25 + math.asin(r) / (2 * math.pi)
        assert joint(np.zeros(2), np.array([[1, r], [r, 1]]), [(0.0, None)] * 2) == pytest.approx(quarter, abs=3e-4)
    sum_of_two = np.array([[1.0, 0, 1], [0, 1, 1], [1, 1, 2]])
    # Both above 0 and their sum below 1.
    known = (2 * (0.5 * (1 + math.erf(0.5)) - 0.5)) ** 2 / 4
    assert joint(np.zeros(3), sum_of_two, [(0.0, None), (0.0, None), (None, 1.0)]) == pytest.approx(known, abs=5e-4)
    exact = np.diag([0.0, 1.0])
    assert joint(np.array([2.0, 0.0]), exact, [(0.0, 2.0), (None, None)]) == 1.0
    assert joint(np.array([2.1, 0.0]), exact, [(0.0, 2.0), (None, None)]) == 0.0
    assert joint(np.zeros(2), np.eye(2), [(30.0, 31.0), (30.0, 31.0)]) < 1e-12


# --- refusals, and input as a value


def changed(way: str, value: Any) -> dict[str, Any]:
    """``everything`` with one thing changed; a way of keys, of which an observation is named by its type."""
    data = everything(True)
    *keys, last = way.split("/")
    place: Any = data
    for key in keys:
        place = next(o for o in place if key in (o.get("type"), o.get("id"))) if isinstance(place, list) else place[key]
    if last == "+":
        place.append(value)
    else:
        place[last] = value
    return data


READ = {"id": "x", "type": "thrust", "value": 0, "u": 1}


@pytest.mark.parametrize(
    "way, value, field",
    [
        ("observations/distance/from", "XX", "from"),
        ("observations/same/to", "c", "to"),
        ("observations/same/what", "colour", "what"),
        ("observations/height/floor", "cellar", "floor"),
        ("observations/height/point", "a:nose", "point"),
        ("observations/panel/wheel", "ZZ", "wheel"),
        ("observations/spot/wheel", "RF", "wheel"),
        ("observations/roll/body", "c", "body"),
        ("observations/roll/instrument", "tape", "instrument"),
        ("observations/distance/instrument", "ruler", "instrument"),
        ("observations/toe/instrument", {"tap": 1}, "instrument"),
        ("observations/toe/mounting", "clamp", "mounting"),
        ("observations/spot/mounting", "clamp", "mounting"),
        ("observations/ruler/mounting", "nobody's", "mounting"),
        ("observations/heading/turn", 2, "turn"),
        ("observations/own/shape", "hat", "shape"),
        ("observations/own/point", "brim", "point"),
        ("observations/own/axis", "w", "axis"),
        ("observations/own/type", "guess", "type"),
        ("observations/own/u", 0, "u"),
        ("observations/own/value", None, "value"),
        ("observations/+", {**READ, "id": "0 x"}, "observations"),
        ("observations/+", {**READ, "id": "spot.floor"}, "observations"),
        ("bodies/a/shape", "hat", "shape"),
        ("bodies/a/points", {}, "shape"),
        ("bodies/a/fixed", ["roll"], "fixed"),
        ("shapes/frame/u", {"brim": [1, 1, 1]}, "point"),
        ("floors/bay/on", "spot", "on"),
        ("floors/bay/on", "cellar", "on"),
        ("mountings/clamp/wheel", "XX", "wheel"),
        ("thrust", {"angle_deg": 0}, "thrust"),
        ("observations/0 x/point", "nowhere", "point"),
        ("wanted", [], "wanted"),
        ("wanted/+", {"id": "at", "type": "angle", "line": "axis"}, "wanted"),
        ("wanted/at/line", "chalk", "line"),
        ("wanted/to marks/marks", None, "marks"),
        ("wanted/to marks/marks", ["LR", "YY"], "marks"),
        ("wanted/to marks/marks", ["LR", "LR"], "marks"),
        ("wanted/beside/through", [], "through"),
        ("wanted/ahead/from", ["LF", "YY"], "from"),
        ("wanted/ahead/point", "b", "point"),
        ("wanted/square/to", "wall", "to"),
        ("limits", {"nothing": [0, 1]}, "limits"),
        ("limits", {"at": [2, 1]}, "limits"),
        ("hypotheses", [{"id": "h", "effect": {}, "cap": 1}], "hypotheses"),
        ("hypotheses", [{"id": "h", "effect": {"no reading": 1}, "cap": 1}], "hypotheses"),
        ("hypotheses", [{"id": "h", "effect": {"0 x": 1}, "cap": 0}], "cap"),
        ("points", {}, "point"),
    ],
)
def test_what_is_wrong_is_named(way: str, value: Any, field: str) -> None:
    with pytest.raises(BadInput) as caught:
        compute("state", changed(way, value))
    assert caught.value.field == field, str(caught.value)


def test_a_line_along_the_beam_and_readings_that_fit_nothing_are_refused() -> None:
    data = everything(True)
    data["points"]["front"] |= {"x": -1013, "y": 900, "fixed": ["x", "y", "z"]}
    data["points"]["rear"] |= {"x": -1013, "y": 0, "fixed": ["x", "y", "z"]}
    kept = ("crossing", "height", "roll", "pitch", "perpendicular", "along")
    data["observations"] = [o for o in data["observations"] if o["type"] in kept]
    with pytest.raises(BadInput) as caught:
        solve(StateInput.read({**data, "partial": True}))
    assert caught.value.field == "crossing"


def test_the_input_is_a_value() -> None:
    """No dict within: equal content is equal and has one hash; built in Python it is what JSON gives."""
    first, second = (StateInput.read(copy.deepcopy(STATE[3])) for _ in range(2))
    assert first == second
    assert hash(first) == hash(second)
    assert StateInput.read(json.loads(first.model_dump_json(by_alias=True))) == first
    assert StateInput(**{name: getattr(first, name) for name in first.model_fields_set}) == first
    changed = first.model_copy(update={"alpha": 0.01})
    assert hash(changed) != hash(first)
    schema = StateInput.model_json_schema()["properties"]["points"]
    assert schema["additionalProperties"] == {"$ref": "#/$defs/StatePoint"}
    result = StateResult.model_json_schema()["properties"]["w"]
    assert result["type"] == "object"
    with refused(BadInput, match="each name once"):
        StateInput.read({**STATE[3], "floors": (("a", {"height": 0, "u": 1}), ("a", {"height": 1, "u": 1}))})


def test_the_normal_distribution_and_its_inverse_are_scipys_far_out_too() -> None:
    p = np.concatenate([10.0 ** np.arange(-40.0, -1), np.linspace(0.05, 0.95, 19), 1 - 10.0 ** np.arange(-14.0, -1)])
    assert box._quantile(p) == pytest.approx(norm.ppf(p), abs=2e-6)
    x = np.linspace(-6, 6, 49)
    assert box._distribution(x) == pytest.approx(norm.cdf(x), abs=2e-7)
