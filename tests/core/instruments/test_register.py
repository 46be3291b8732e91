"""Self-checks and histories: what each finds of a planted error, how sure, and what becomes of later readings."""

import math
from datetime import date, timedelta
from typing import Any

import numpy as np
import pytest

from escuadra.catalogue import Catalogue
from escuadra.core.base.errors import BadInput
from escuadra.core.base.stream import Event, Payload, Person, made
from escuadra.core.instruments.check_figures import SelfCheck, judged
from escuadra.core.instruments.guided import CHECKS, checks_for
from escuadra.core.instruments.history import Checked, Dropped, History, Retired, fold_history
from escuadra.core.instruments.instrument import KINDS as TOOL_KINDS
from escuadra.core.instruments.instrument import Tool
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.capability import as_specified, decides
from escuadra.core.visit.plan import Plan
from tests.english import refused, told

TEO = Person(id="teo", name="Teo Marchena")
TODAY = date(2026, 3, 2)
FINE = Instrument(resolution=0.02, accuracy_constant=1.0, accuracy_ppm=0, repeatability=0.02)


def tool(kind: str, unit: str = "mm", **more: Any) -> Tool:
    return Tool.read(
        {"id": "t", "name": "T", "kind": kind, "unit": unit, "contributions": FINE, "reads": ["height"], **more}
    )


def truth(test: str, error: float) -> dict[str, list[float]]:
    """Readings that an instrument with a planted error gives, by trigonometry."""
    lean = math.tan(error / 10_000)
    return {
        "end_for_end": {"first": [0.31 + error], "second": [-0.31 + error]},
        "two_peg": {
            "mid_a": [1400 + 5000 * lean],
            "mid_b": [1322 + 5000 * lean],
            "off_to_a": [900.0],
            "off_to_b": [10_900.0],
            "off_a": [1290 + 900 * lean],
            "off_b": [1212 + 10_900 * lean],
        },
        "three_point": {"ab": [2000 + error], "bc": [3100 + error], "ac": [5100 + error]},
        "reference": {"length": [3000.0], "readings": [3000 + error] * 3},
        "known_pressure": {"length": [240.0], "readings": [240 + error] * 3},
        "known_voltage": {"length": [12.5], "readings": [12.5 + error] * 3},
        "square_corner": {
            "a": [3000.0],
            "b": [4000.0],
            "diagonal": [math.sqrt(25e6 - 2 * 12e6 * math.cos(math.pi / 2 + math.atan(error / 10_000)))],
        },
        "plumb": {"height": [3000.0], "bottom": [1.0] * 3, "top": [1.0 + 3000 * error / 10_000] * 3},
        "parallel": {
            "near_station": [500.0],
            "near": [40.0] * 2,
            "far_station": [8500.0],
            "far": [40 + 8000 * error / 10_000] * 2,
        },
        "runout": {"first": [2.0 + error], "second": [2.0 - error]},
        "zero_mark": {"first": [1113 + error], "second": [1113 - error]},
        "beam_straight": {"left": [50.0] * 2, "middle": [51 + error] * 2, "right": [52.0] * 2},
    }[test]


@pytest.mark.parametrize("check", CHECKS.values(), ids=lambda c: c.id)
@pytest.mark.parametrize("error", [-0.09, 0.0, 0.06])
def test_each_check_finds_a_planted_error_and_its_u_is_what_repeating_it_scatters(
    check: SelfCheck, error: float
) -> None:
    kind = sorted(check.kinds)[0]
    own = tool(kind, {"end_for_end": "°", "known_pressure": "kPa", "known_voltage": "V"}.get(check.id, "mm"))
    assert check in checks_for(own)
    found = judged(check, own, truth(check.id, error))
    assert found.value == pytest.approx(error, abs=1e-6 if check.figure[-4:] != "_deg" else 1e-4)
    assert (found.bias is not None, found.tilt is not None) == (check.applies == "constant", check.applies == "angle")
    draw = np.random.default_rng(7)
    values = []
    for _ in range(400):
        noisy: dict[str, list[float]] = {}
        for step in check.steps:
            for value in truth(check.id, error).get(step.field, []):
                u = step.u if step.u is not None else own.u_single
                noisy.setdefault(step.field, []).append(value + u * draw.standard_normal())
        values.append(judged(check, own, noisy).value)
    assert np.std(values) == pytest.approx(found.u, rel=0.15)


def test_a_check_names_the_step_that_is_missing_and_refuses_what_cannot_be() -> None:
    with refused(BadInput, match="3: At the top") as caught:
        judged(CHECKS["plumb"], tool("line_laser"), {"height": [3000], "bottom": [0, 0, 0], "top": [1]})
    assert caught.value.field == "top"
    with refused(BadInput, match="diagonal"):
        judged(CHECKS["square_corner"], tool("crossed_laser"), {"a": [3000], "b": [4000], "diagonal": [7500]})
    assert {kind for c in CHECKS.values() for kind in c.kinds} <= set(TOOL_KINDS)


def entry(said: Payload, days_ago: int) -> Event:
    day = TODAY - timedelta(days=days_ago)
    at = 1000 * day.toordinal()
    return made("instrument/x", at, f"e{at}", at, TEO, said.model_copy(update={"day": day, "at": at}))


def checked(own: Tool, check: str, error: float) -> Checked:
    readings = truth(check, error)
    return Checked(day=TODAY, check=check, typed={}, readings=readings, found=judged(CHECKS[check], own, readings))


LASER = tool("line_laser", limits={"plumb": 5.0}, check_days=30)
HOLDS, OUT = checked(LASER, "plumb", 3.0), checked(LASER, "plumb", 9.0)


@pytest.mark.parametrize(
    "happened, state, doubt, words",
    [
        ([], "open", None, "not checked yet"),
        ([(HOLDS, 12)], "holds", None, "due on 2026-03-20"),
        ([(HOLDS, 25)], "holds", None, "in 5 days"),
        ([(HOLDS, 30)], "holds", None, "in 0 days"),
        ([(HOLDS, 31)], "stale", "overdue", "overdue since 2026-03-01"),
        ([(HOLDS, 12), (Dropped(day=TODAY, words="off the bench"), 3)], "stale", "dropped", "dropped on 2026-02-27"),
        ([(HOLDS, 12), (Dropped(day=TODAY), 3), (HOLDS, 1)], "holds", None, "due on"),
        ([(HOLDS, 12), (OUT, 3)], "out", "out", "Upright beside a plumb line: out on 2026-02-27"),
        ([(OUT, 12), (HOLDS, 3)], "holds", None, "due on"),
        ([(Dropped(day=TODAY), 9), (OUT, 3)], "stale", "dropped", "not checked since"),
    ],
)
def test_whether_an_instrument_can_be_relied_on(happened: Any, state: str, doubt: str | None, words: str) -> None:
    entries = [entry(said, ago) for said, ago in happened]
    history = fold_history(History(LASER), entries)
    trusted = history.trusted(TODAY)
    assert (trusted.state, trusted.doubt, trusted.usable) == (state, doubt, doubt is None)
    assert words in told(trusted.words)
    for cut in range(len(entries)):
        halves = fold_history(fold_history(History(LASER), entries[:cut]), entries[cut:])
        assert halves == history
    assert fold_history(history, [entry(Retired(day=TODAY), 0)]).retired


def test_a_bias_is_taken_off_a_constant_at_once_and_an_angle_by_its_distance() -> None:
    history = fold_history(History(LASER), [entry(HOLDS, 12)])
    plain, far = history.contributions("length"), history.contributions("length", 700)
    assert plain.bias is None
    assert far.bias == pytest.approx(0.21)
    assert far.u_bias == pytest.approx(math.hypot(1 / math.sqrt(3), HOLDS.found.u / 10_000 * 700))
    assert fold_history(history, [entry(OUT, 3)]).contributions("length", 700).bias is None
    level = tool("digital_level", "°")
    turned = fold_history(History(level), [entry(checked(level, "end_for_end", 0.04), 1)])
    assert turned.contributions("angle").bias == pytest.approx(0.04)
    slope = turned.contributions("slope")
    assert slope.bias == pytest.approx(100 * math.radians(0.04))
    assert slope.u_bias == pytest.approx(100 * math.radians(turned.checks()[0][1].found.u))
    meter = tool("distance_meter")
    both = [entry(checked(meter, "three_point", 0.5), 3), entry(checked(meter, "reference", 0.2), 2)]
    assert fold_history(History(meter), both).contributions("length").bias == pytest.approx(0.2)
    late = fold_history(History(meter), both[::-1]).contributions("length")
    assert late.bias == pytest.approx(0.2), "a check that is brought in late is not the newest"


def test_a_drift_says_when_the_limit_is_reached() -> None:
    meter = tool("distance_meter", limits={"reference": 2.0})
    course = [entry(checked(meter, "reference", 0.2 + 0.001 * (600 - ago)), ago) for ago in (600, 400, 200, 0)]
    history = fold_history(History(meter), course)
    found = history.drift(CHECKS["reference"])
    assert found is not None
    assert found.per_year == pytest.approx(0.36525)
    assert found.reaches_day is not None
    assert TODAY.toordinal() < found.reaches_day < TODAY.toordinal() + 1201
    assert fold_history(History(meter), course[:2]).drift(CHECKS["reference"]) is None


@pytest.mark.parametrize(
    "sheet, check, repeatability, constant, answer",
    [
        ("BL-CAM-01", "target_height", 0.3, 0.3, "yes"),
        ("BL-CAM-01", "target_height", 2.6, 0.3, "with 3 readings of each"),
        ("BL-CAM-01", "ride_height", 0.3, 19.0, "never"),
        # The line meets the beam aside of its middle.
        ("BL-RAD-01", "square", 0.3, 0.3, "yes"),
        ("HV-RAD-01", "centred", 0.3, 0.3, "yes"),
    ],
)
def test_what_an_instrument_can_decide(
    catalogue: Catalogue, sheet: str, check: str, repeatability: float, constant: float, answer: str
) -> None:
    procedure = catalogue.get("procedure", sheet).content
    plan = Plan(
        procedure,
        catalogue.get("vehicle", procedure.vehicle).content,
        catalogue.get("target", procedure.mounting.target).content,
        catalogue.get("frame", "galga-2").content,
    )
    read = as_specified(plan)
    figures = Instrument(resolution=0.5, accuracy_constant=constant, accuracy_ppm=0, repeatability=repeatability)
    found = {
        tolerance.check: tolerance
        for tolerance in decides(read, tool("steel_tape", contributions=figures, reads=["height", "tape"]))
    }
    assert {"ride_height", "target_height", "square", "centred", "distance"} <= set(found)
    assert told(found[check].answer) == answer
    assert decides(read, tool("plumb_line", reads=[])) == []
