"""Laws that hold for every set-up, by Hypothesis."""

import math
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from escuadra.core.base.axes import short_way, turned
from escuadra.core.base.stream import Person, made
from escuadra.core.geodesy.design import NextInput, next_reading
from escuadra.core.geodesy.network import network
from escuadra.core.geodesy.observations import NetworkInput
from escuadra.core.measure.readings import ReadingInput, reading
from escuadra.core.measure.verdict import VerdictInput, verdict
from escuadra.core.procedure.moves import MovesInput, moves
from escuadra.core.visit.log.disturbances import HAPPENINGS
from escuadra.core.visit.log.events import Answered, Disturbed, Overridden, OverrideWithdrawn, Reopened, Withdrawn
from escuadra.core.visit.log.state import State, fold
from tests.core.geodesy.test_network import ENDS, HUBS, paper

few = settings(max_examples=40, deadline=None, derandomize=True)
mm = st.floats(-80, 80)
degrees = st.floats(-170, 170)


def solution(data: dict[str, Any]) -> Any:
    return network(NetworkInput.read(data))


@few
@given(mm, mm, degrees, st.integers(0, 7), st.floats(-9, 9))
def test_turning_and_shifting_the_whole_set_up_changes_no_test(
    dx: float, dy: float, turn: float, k: int, off: float
) -> None:
    """Coordinate and yaw observations are turned and shifted along with everything else."""
    here = paper(None)
    here["observations"].append({"id": "yaw", "type": "yaw", "value": 2.3, "u": 0.2})
    tapes = [o for o in here["observations"] if o["type"] == "distance"]
    tapes[k]["value"] += off
    there = {**here, "points": {}, "frame": dict(here["frame"]), "observations": []}
    read = {o["id"]: o["value"] for o in here["observations"]}
    for name, point in here["points"].items():
        x, y = turned(turn, point["x"], point["y"])
        there["points"][name] = {**point, "x": x + dx, "y": y + dy}
        x, y = turned(turn, read[f"{name}.x"], read[f"{name}.y"])
        read[f"{name}.x"], read[f"{name}.y"] = x + dx, y + dy
    read["yaw"] += turn
    there["observations"] = [{**o, "value": read[o["id"]]} for o in here["observations"]]
    x, y = turned(turn, here["frame"]["x"], here["frame"]["y"])
    there["frame"].update(x=x + dx, y=y + dy, yaw_deg=here["frame"]["yaw_deg"] + turn)
    a, b = solution(here), solution(there)
    assert math.isclose(a.chi2, b.chi2, rel_tol=1e-6, abs_tol=1e-9)
    assert [i for i in a.suspects if "-" in i] == [i for i in b.suspects if "-" in i]
    assert a.passes == b.passes
    assert abs(short_way(b.frame.yaw_deg - a.frame.yaw_deg - turn)) < 1e-6
    assert math.isclose(a.frame.u_yaw_deg, b.frame.u_yaw_deg, rel_tol=1e-6)


@few
@given(st.lists(st.floats(-3, 3), min_size=8, max_size=8))
def test_mirroring_left_and_right_mirrors_the_result(errors: list[float]) -> None:
    other = {"LF": "RF", "RF": "LF", "LR": "RR", "RR": "LR", "L": "R", "R": "L"}
    here = paper(None)
    tapes = [o for o in here["observations"] if o["type"] == "distance"]
    for o, error in zip(tapes, errors, strict=True):
        o["value"] += error
    there = paper(None)
    swapped = {(other[o["from"]], other[o["to"]]): o["value"] for o in tapes}
    for o in there["observations"]:
        if o["type"] == "distance":
            o["value"] = swapped[o["from"], o["to"]]
    a, b = solution(here), solution(there)
    assert math.isclose(a.frame.x, b.frame.x, abs_tol=1e-6)
    assert math.isclose(a.frame.y, -b.frame.y, abs_tol=1e-6)
    assert math.isclose(a.frame.yaw_deg, -b.frame.yaw_deg, abs_tol=1e-8)


@few
@given(st.sampled_from(sorted(HUBS)), st.sampled_from(sorted(ENDS)), st.floats(0.1, 50))
def test_a_further_reading_never_enlarges_an_uncertainty(hub: str, end: str, u: float) -> None:
    candidate = {"id": "more", "type": "distance", "from": hub, "to": end, "u": u}
    for quantity in ("x", "y", "yaw_deg"):
        found = next_reading(NextInput.read({**paper(None), "candidates": [candidate], "quantity": quantity}))
        assert found.after["more"] <= found.now * (1 + 1e-12)


@few
@given(mm, mm, st.floats(-8, 8), mm, mm, st.floats(-8, 8), mm, st.floats(0.05, 2))
def test_the_moves_put_together_reach_the_goal(
    x: float, y: float, yaw: float, gx: float, gy: float, goal_yaw: float, height: float, turn: float
) -> None:
    pose = {"x": 4000 + x, "y": y, "yaw_deg": yaw, "height": 600}
    goal = {"x": 4000 + gx, "y": gy, "yaw_deg": goal_yaw, "height": 600 + height}
    screw = {"pivot": [-70, 500], "yaw_deg_per_turn": turn}
    plan = moves(MovesInput.read({"pose": pose, "goal": goal, "frame": screw}))
    assert math.isclose(yaw + plan.yaw_turns * turn, goal_yaw, abs_tol=1e-9)
    px, py = turned(yaw, -70, 500)
    qx, qy = turned(goal_yaw, -70, 500)
    cx, cy = pose["x"] + px - qx, pose["y"] + py - qy
    ax, ay = turned(goal_yaw, plan.move_away, plan.move_left)
    assert math.isclose(cx + ax, goal["x"], abs_tol=1e-6)
    assert math.isclose(cy + ay, goal["y"], abs_tol=1e-6)
    assert math.isclose(plan.raise_, height, abs_tol=1e-9)


@few
@given(st.lists(st.floats(900, 1100), min_size=1, max_size=6), st.floats(0.01, 100))
def test_scaling_the_unit_scales_a_reading(values: list[float], factor: float) -> None:
    tool = {"resolution": 1.0, "accuracy_constant": 0.8, "accuracy_ppm": 120, "repeatability": 0.4}
    scaled = {key: value * (1 if key == "accuracy_ppm" else factor) for key, value in tool.items()}
    a = reading(ReadingInput.read({"values": values, "instrument": tool}))
    b = reading(ReadingInput.read({"values": [v * factor for v in values], "instrument": scaled}))
    assert math.isclose(b.value, a.value * factor, rel_tol=1e-9)
    assert math.isclose(b.u, a.u * factor, rel_tol=1e-9)


@few
@given(st.floats(0.01, 40), st.integers(0, 7), st.floats(-9, 9))
def test_scaling_the_unit_scales_a_network(factor: float, k: int, off: float) -> None:
    here, there = paper(None), paper(None)
    for data in (here, there):
        [o for o in data["observations"] if o["type"] == "distance"][k]["value"] += off
    for o in there["observations"]:
        o.update(value=o["value"] * factor, u=o["u"] * factor)
    for point in there["points"].values():
        point.update(x=point["x"] * factor, y=point["y"] * factor)
    frame = there["frame"]
    frame.update(x=frame["x"] * factor, y=frame["y"] * factor)
    frame["points"] = {i: [factor * v for v in place] for i, place in frame["points"].items()}
    there["instruments"] = {"tape": {"u_offset": 0.5 * factor}}
    a, b = solution(here), solution(there)
    assert math.isclose(b.frame.x, a.frame.x * factor, rel_tol=1e-9)
    assert math.isclose(b.frame.u_x, a.frame.u_x * factor, rel_tol=1e-6)
    assert math.isclose(b.frame.yaw_deg, a.frame.yaw_deg, abs_tol=1e-9)
    assert math.isclose(b.chi2, a.chi2, rel_tol=1e-5, abs_tol=1e-8)


slots = st.sampled_from(["tick.tyres", "tick.doors", "target.side"])
payloads = st.one_of(
    st.builds(Answered, slot=slots, value=st.sampled_from(["yes", "no"])),
    st.builds(Withdrawn, entry=st.integers(1, 30)),
    st.builds(Disturbed, what=st.sampled_from(sorted(HAPPENINGS))),
    st.builds(Overridden, check=st.sampled_from(["tyres", "level"]), reason=st.just("for a good reason")),
    st.builds(OverrideWithdrawn, check=st.sampled_from(["tyres", "level"])),
    st.builds(Reopened, revision=st.integers(2, 5), reason=st.just("for a good reason")),
)


@few
@given(st.lists(payloads, max_size=30), st.integers(0, 30))
def test_folding_two_halves_is_folding_at_once(said: list[Any], cut: int) -> None:
    who = Person(id="teo", name="Teo Marchena")
    events = [made("j", seq, f"e{seq}", seq * 1000, who, payload) for seq, payload in enumerate(said, 1)]
    assert fold(fold(State(), events[:cut]), events[cut:]) == fold(State(), events)


@few
@given(st.floats(-10, 10), st.floats(0, 3), st.floats(0, 3))
def test_more_uncertainty_never_turns_a_verdict_into_holds(value: float, u: float, more: float) -> None:
    limits = {"value": value, "lower": -4, "upper": 4, "rule": "guarded"}
    sharp = verdict(VerdictInput.read({**limits, "u": u}))
    blunt = verdict(VerdictInput.read({**limits, "u": u + more}))
    assert not (sharp.state != "holds" and blunt.state == "holds")
    assert not (sharp.state != "out" and blunt.state == "out")
    assert 0 <= sharp.probability <= 1 + 1e-12
