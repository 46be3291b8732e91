"""Which act touches a sensor by which of its ties, what is required in its turn, and the latest of a day."""

import pytest

from escuadra.core.measure.peers import PeersInput, peers
from escuadra.core.vehicle.scope import ACTS, FittedSensor, ScopeInput, scope

TIES = {"mounted_on": ["hanger"], "looks_through": ["pane"], "control_unit": "box", "depends_on": ["height"]}
TOUCHING = {
    "it": {"removed", "replaced", "repaired", "struck", "adjusted"},
    "hanger": {"removed", "replaced", "repaired", "struck", "adjusted"},
    "pane": {"removed", "replaced", "repaired", "struck", "painted"},
    "box": {"replaced", "programmed"},
    "height": set(ACTS),
    "roof": set[str](),
}


@pytest.mark.parametrize("part", TOUCHING)
def test_an_act_touches_a_sensor_by_the_tie_that_it_has_to_the_part(part: str) -> None:
    sensors = [{"id": "it", "minutes": 5, **TIES}]
    found = set()
    for act in ACTS:
        result = scope(ScopeInput.read({"sensors": sensors, "done": [{"act": act, "part": part}]}))
        if result.calibrations:
            assert result.calibrations[0].because == [f"{part} {act}"]
            found.add(act)
    assert found == TOUCHING[part]


@pytest.mark.parametrize("unit", ["box", None])
def test_whatever_touches_a_sensor_is_named_among_its_parts(unit: str | None) -> None:
    sensor = FittedSensor.read({"id": "it", "minutes": 5, **TIES, "control_unit": unit})
    assert sensor.parts == ["hanger", "pane", *([unit] if unit else []), "height"]
    for part in sensor.parts:
        assert any(sensor.touched_by(act, part) for act in ACTS)


def test_what_is_required_requires_in_its_turn_and_a_rule_of_any_act_decides_alone() -> None:
    chain = [{"id": f"s{k}", "minutes": k, "requires": [f"s{(k + 1) % 4}"] if k < 3 else []} for k in range(4)]
    rules = [{"id": "R", "act": "any", "part": "s1", "calibrate": ["s2"]}]
    told = {"sensors": chain, "rules": rules, "codes": [{"code": "C", "sensor": "s0"}, {"code": "C", "sensor": "s0"}]}
    result = scope(ScopeInput.read(told))
    assert [(one.sensor, one.because) for one in result.calibrations] == [
        ("s0", ["code C"]),
        ("s1", ["required by s0"]),
        ("s2", ["required by s1"]),
        ("s3", ["required by s2"]),
    ]
    assert result.minutes == 6
    alone = scope(ScopeInput.read({"sensors": chain, "rules": rules, "done": [{"act": "struck", "part": "s1"}]}))
    assert [(one.sensor, one.because) for one in alone.calibrations] == [("s2", ["rule R"]), ("s3", ["required by s2"])]
    assert alone.not_needed == ["s0", "s1"]


def test_of_one_day_the_later_entry_counts() -> None:
    history = [{"vehicle": "A", "day": day, "value": value} for day, value in ((3, 0.1), (7, 0.2), (7, 0.3), (5, 0.9))]
    result = peers(PeersInput.read({"history": history, "vehicle": "B", "value": 0}))
    assert (result.n, result.mean, result.s) == (1, 0.3, None)
    assert peers(PeersInput.read({"history": history, "vehicle": "A", "value": 0.5})).change == pytest.approx(0.2)
