"""The network: derivatives against numerical ones, loose parts named, and a set-up made by hand on paper."""

import copy
import itertools
import json
import math
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from escuadra.core.base.chisquare import quantile, upper_tail
from escuadra.core.base.errors import BadInput, NotDetermined
from escuadra.core.geodesy.adjustment import adjust, adjust_batch
from escuadra.core.geodesy.design import covariance_with
from escuadra.core.geodesy.equations import observe
from escuadra.core.geodesy.network import network
from escuadra.core.geodesy.observations import NetworkInput
from tests.english import refused

CASES = [
    case
    for kind in ("network", "next", "part")
    for case in json.loads((Path(__file__).parents[2] / "cases" / f"{kind}.json").read_text())
    if "error" not in case
]
FIELDS = set(NetworkInput.model_fields)


def observations() -> list[Any]:
    """Every observation and candidate of the stored cases, of every type."""
    found = []
    for case in CASES:
        known = {key: value for key, value in case["given"].items() if key in FIELDS}
        everything = known["observations"] + case["given"].get("candidates", [])
        given = NetworkInput.read({**known, "observations": everything})
        found += [(given, o) for o in given.observations]
    return found


def test_every_analytic_derivative_agrees_with_a_numerical_one() -> None:
    seen, chance = set(), random.Random(20261125)
    for given, o in observations():
        unknowns = adjust(NetworkInput.read(_valued(given))).unknowns
        unknowns.values = unknowns.values + np.array([chance.uniform(-1e-3, 1e-3) for _ in unknowns.names])
        _, row = observe(unknowns, o)
        for k, (_, part) in enumerate(unknowns.names):
            h = 1e-6 if part in ("yaw", "angle", "scale") else 1e-3
            sides = []
            for step in (h, -h):
                moved = copy.copy(unknowns)
                moved.values = unknowns.values.copy()
                moved.values[k] += step
                sides.append(observe(moved, o)[0])
            numerical = (sides[0] - sides[1]) / (2 * h)
            assert row.get(k, 0.0) == pytest.approx(numerical, rel=2e-5, abs=2e-5), f"{o.type} by {unknowns.names[k]}"
        seen.add(o.type)
    assert seen == {
        "distance", "x", "y", "perpendicular", "along", "crossing", "panel", "ruler", "scale_pair", "yaw", "thrust",
    }  # fmt: skip


def _valued(given: NetworkInput) -> dict[str, Any]:
    data = given.model_dump(mode="json", by_alias=True)
    data["observations"] = [o for o in data["observations"] if o.get("value") is not None]
    return data


# --- a set-up made on paper: wheelbase 2700, hubs 1600 apart, the beam 2000 long, centre at (4200, 15), turned 2° left

TURN = math.radians(2)
ENDS = {
    "L": (4200 - 1000 * math.sin(TURN), 15 + 1000 * math.cos(TURN)),
    "R": (4200 + 1000 * math.sin(TURN), 15 - 1000 * math.cos(TURN)),
}
HUBS = {"LF": (2700.0, 800.0), "RF": (2700.0, -800.0), "LR": (0.0, 800.0), "RR": (0.0, -800.0)}
TAPES = list(itertools.product(HUBS, ENDS))


def paper(noise: random.Random | None, blunder: tuple[str, float] = ("", 0.0), tapes: Any = TAPES) -> dict[str, Any]:
    """The readings as plain data; hubs known to 1 mm, tapes to 1 mm with a shared offset of 0.5 mm."""

    def shaken(value: float, u: float) -> float:
        return value + (noise.gauss(0, u) if noise else 0.0)

    shared = noise.gauss(0, 0.5) if noise else 0.0
    rows: list[dict[str, Any]] = []
    for hub, (x, y) in HUBS.items():
        rows += [{"id": f"{hub}.{axis}", "type": axis, "point": hub, "value": shaken(v, 1.0), "u": 1.0}
                 for axis, v in (("x", x), ("y", y))]  # fmt: skip
    for hub, end in tapes:
        exact = math.dist(HUBS[hub], ENDS[end])
        name = f"{hub}-{end}"
        value = shaken(exact, 1.0) + shared + (blunder[1] if blunder[0] == name else 0.0)
        rows.append(
            {"id": name, "type": "distance", "from": hub, "to": end, "value": value, "u": 1.0, "instrument": "tape"}
        )
    return {
        "points": {hub: {"x": x, "y": y, "fixed": False} for hub, (x, y) in HUBS.items()},
        "frame": {"x": 4100, "y": 0, "yaw_deg": 0, "points": {"L": [0, 1000], "R": [0, -1000]}},
        "instruments": {"tape": {"u_offset": 0.5}},
        "observations": rows,
    }


def test_the_planted_pose_is_recovered_within_three_u() -> None:
    exact = network(NetworkInput.read(paper(None)))
    assert exact.frame is not None
    assert (exact.frame.x, exact.frame.y, exact.frame.yaw_deg) == pytest.approx((4200, 15, 2), abs=1e-6)
    assert exact.chi2 == pytest.approx(0, abs=1e-9)
    rounded_as_read = paper(None)
    for o in rounded_as_read["observations"]:
        o["value"] = round(o["value"])
    read = network(NetworkInput.read(rounded_as_read)).frame
    assert read is not None
    assert max(errors(read)) < 3
    noise = random.Random(4711)
    found = [errors(network(NetworkInput.read(paper(noise))).frame) for _ in range(60)]
    beyond = sum(error > 3 for row in found for error in row)
    assert beyond <= 2, "of 180 normal errors, half a one is expected beyond 3 u"
    assert max(map(max, found)) < 4


def errors(frame: Any) -> tuple[float, float, float]:
    """Errors of a solved frame against the planted one, in their own u."""
    return (
        abs(frame.x - 4200) / frame.u_x,
        abs(frame.y - 15) / frame.u_y,
        abs(frame.yaw_deg - 2) / frame.u_yaw_deg,
    )


@pytest.mark.parametrize("hub, end", TAPES)
def test_a_planted_blunder_of_one_and_a_half_times_its_detectable_size_is_named(hub: str, end: str) -> None:
    clean = network(NetworkInput.read(paper(None)))
    name = f"{hub}-{end}"
    mdb = clean.mdb[name]
    assert mdb is not None
    found = network(NetworkInput.read(paper(None, (name, 1.5 * mdb))))
    assert not found.passes
    # A diagonal shares the blame with its hub's own place across the vehicle; a tape straight ahead stands alone.
    diagonal = hub[0] != end
    assert found.suspects == ([f"{hub}.y", name] if diagonal else [name])
    assert found.suspect == (None if diagonal else name)


def test_with_four_tapes_the_blame_is_shared_and_never_laid_on_one_wrong_reading() -> None:
    four = [(hub, end) for hub, end in TAPES if hub[1] == "F"]
    found = network(NetworkInput.read(paper(None, ("LF-R", 15.0), four)))
    assert "LF-R" in found.suspects
    assert found.suspect in (None, "LF-R")


@pytest.mark.parametrize(
    "keep, loose, tie",
    [
        ([], "frame", "distance"),
        ([("LF", "L")], "frame", "sideways"),
        ([("LF", "L"), ("RF", "L")], "frame", "sideways"),
    ],
)
def test_what_is_loose_is_named_with_what_would_tie_it(keep: Any, loose: str, tie: str) -> None:
    with refused(NotDetermined, match=tie) as caught:
        network(NetworkInput.read(paper(None, tapes=keep)))
    assert caught.value.field == loose


@pytest.mark.parametrize(
    "change, field",
    [
        ({"value": math.nan}, "value"),
        ({"value": 1e300}, "value"),
        ({"u": 0}, "u"),
        ({"u": math.inf}, "u"),
        ({"from": "XX"}, "from"),
        ({"type": "guess"}, "type"),
        ({"instrument": "T9"}, "instrument"),
        ({"value": None}, "value"),
        ({"id": "LF.x"}, "observations"),
        ({"colour": "red"}, "colour"),
    ],
)
def test_a_reading_that_cannot_be_used_is_refused_by_its_field(change: dict[str, Any], field: str) -> None:
    data = paper(None)
    data["observations"][-1].update(change)
    with pytest.raises(BadInput) as caught:
        network(NetworkInput.read(data))
    assert caught.value.field == field
    assert field in str(caught.value)


def test_readings_that_cannot_be_true_together_never_pass_in_silence() -> None:
    data = paper(None)
    data["observations"][-1]["value"] = 900_000.0
    with refused(BadInput, match="do not converge") as caught:
        network(NetworkInput.read(data))
    assert caught.value.field == "points"


def test_a_first_guess_may_be_a_metre_and_twenty_degrees_off_or_missing() -> None:
    for k in range(40):
        chance = random.Random(k)
        data = paper(chance)
        data["frame"].update(x=4200 + chance.uniform(-1000, 1000), y=15 + chance.uniform(-1000, 1000))
        data["frame"].update(yaw_deg=2 + chance.uniform(-20, 20))
        guessed = network(NetworkInput.read(data))
        for name in ("x", "y", "yaw_deg"):
            del data["frame"][name]
        alone = network(NetworkInput.read(data))
        assert guessed.frame is not None
        assert alone.frame is not None
        assert max(errors(guessed.frame)) < 4.5
        assert alone.frame.x == pytest.approx(guessed.frame.x, abs=1e-5)
        assert alone.frame.yaw_deg == pytest.approx(guessed.frame.yaw_deg, abs=1e-6)


def test_a_batch_is_what_its_set_ups_are_one_by_one() -> None:
    given = NetworkInput.read(paper(None))
    noise = np.random.default_rng(3)
    values = np.array([o.value for o in given.observations])
    rows = values + noise.normal(size=(25, len(values))) * np.array([o.u for o in given.observations])
    batch = adjust_batch(given, rows)
    for k in (0, 11, 24):
        data = paper(None)
        for o, value in zip(data["observations"], rows[k], strict=True):
            o["value"] = float(value)
        alone = adjust(NetworkInput.read(data))
        assert batch.values[k] == pytest.approx(alone.unknowns.values, abs=1e-6)
        assert batch.covariance[k] == pytest.approx(alone.covariance, rel=1e-6, abs=1e-12)
        assert batch.misfit[k] == pytest.approx(alone.misfit, abs=1e-6)
    with refused(BadInput, match="finite rows"):
        adjust_batch(given, rows[:, :-1])


def test_ellipses_follow_the_covariance_and_two_blunders_are_proposed_one_after_the_other() -> None:
    data = paper(None)
    clean = network(NetworkInput.read(data))
    assert clean.proposal is None
    frame, shape = clean.frame, clean.ellipses["frame"]
    assert frame is not None
    c, s = math.cos(math.radians(shape.bearing_deg)), math.sin(math.radians(shape.bearing_deg))
    assert frame.u_x == pytest.approx(math.hypot(shape.major * c, shape.minor * s), rel=1e-9)
    assert frame.u_y == pytest.approx(math.hypot(shape.major * s, shape.minor * c), rel=1e-9)
    for name, off in (("LF-L", 25.0), ("RR-R", -21.0)):
        next(o for o in data["observations"] if o["id"] == name)["value"] += off
    wrong = network(NetworkInput.read(data))
    assert wrong.proposal == ["LF-L", "RR-R"]
    assert {"LF-L", "RR-R"} <= set(wrong.residuals), "proposed, never left out by itself"
    diagonal = network(NetworkInput.read(paper(None, ("LF-R", 25.0))))
    assert diagonal.proposal == [], "where the blame is shared nothing is proposed"


def test_the_chi_square_sums_agree_with_the_statistics_library() -> None:
    from scipy.special import chdtrc, chdtri

    for dof in (1, 2, 3, 4, 7, 12, 25, 60, 401):
        for alpha in (0.5, 0.05, 0.001, 1e-7):
            assert quantile(alpha, dof) == pytest.approx(float(chdtri(dof, alpha)), rel=1e-9)
        for extreme in (5e-324, 1e-300, 1 - 2**-53):
            assert upper_tail(quantile(extreme, dof), dof) == pytest.approx(extreme, rel=1e-9, abs=1e-300)
        for x in (0.0, 0.3, 4.0, 30.0, 500.0):
            assert upper_tail(x, dof) == pytest.approx(float(chdtrc(dof, x)), rel=1e-9, abs=1e-15)


@pytest.mark.parametrize(
    "change, loose, tie",
    [
        ({"points": {"X": {"x": 1, "y": 2, "fixed": False}}}, "X", "two distances"),
        ({"thrust": {"angle_deg": 0}}, "thrust", "ruler or scale_pair"),
    ],
)
def test_a_loose_point_or_line_is_named_too(change: dict[str, Any], loose: str, tie: str) -> None:
    data = paper(None)
    data["points"].update(change.pop("points", {}))
    with refused(NotDetermined, match=tie) as caught:
        network(NetworkInput.read({**data, **change}))
    assert caught.value.field == loose


@pytest.mark.parametrize("shared", [{"u_offset": 0.8}, {"u_scale": 3e-4}, {"u_offset": 0.8, "u_scale": 3e-4}])
def test_a_reading_by_an_instrument_not_used_so_far_brings_its_own_errors(shared: dict[str, float]) -> None:
    known = {"A": (0, 0, True), "B": (4000, 0, True), "P": (2010, 2990, False)}
    far = math.hypot(2000, 3000)
    given: dict[str, Any] = {
        "points": {name: {"x": x, "y": y, "fixed": fixed} for name, (x, y, fixed) in known.items()},
        "instruments": {"tape": {"u_offset": 0.3}, "other": shared},
        "observations": [
            {"id": end, "type": "distance", "from": end, "to": "P", "value": far, "u": 0.4, "instrument": "tape"}
            for end in "AB"
        ],
    }
    candidate = {"id": "C", "type": "distance", "from": "A", "to": "P", "value": far, "u": 0.5, "instrument": "other"}
    before = NetworkInput.read(given)
    read = NetworkInput.read({**given, "observations": [*given["observations"], candidate]})
    solution, after = adjust(before), adjust(read)
    foretold = covariance_with(solution, before, read.observations[-1])
    for axis in ("x", "y"):
        k, j = solution.unknowns.column["P", axis], after.unknowns.column["P", axis]
        assert foretold[k, k] == pytest.approx(after.covariance[j, j], rel=1e-6)
