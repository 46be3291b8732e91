"""Every kind of calculation, given anything: a result, or a refusal that names a field; never anything else."""

import copy
import json
import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ConfigDict

from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.given import cell, json_data, records, table, whole_number, written
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import said
from escuadra.core.calculations import KINDS, compute
from escuadra.words import say
from tests.core.test_cases import cases
from tests.english import refused

GIVEN: dict[str, list[dict[str, Any]]] = {}
for _kind, _case in (parameter.values for parameter in cases()):
    GIVEN.setdefault(_kind, []).append(_case["given"])

FLOATS = st.floats(allow_nan=True, allow_infinity=True)
ODD_FIGURES = [5e-324, 1e-200, 1e-59, 1e-9, 0.0, -0.0, 1.0, -1.0, 90.0, 180.0, 1e9, -1e9, 1e300, 10**30]
KILOMETRES = said("as_told", text="kilometres")
NUMBERS = st.one_of(FLOATS, st.sampled_from(ODD_FIGURES), st.integers(-(10**6), 10**6))
ODD: list[Any] = [None, True, "", "ñ", "\ud800", "x\x00", [], {}, [[]], {"": None}]


def deep(levels: int) -> Any:
    found: Any = 1.0
    for _ in range(levels):
        found = [found]
    return found


def places(data: Any, way: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """The ways to everything within plain data."""
    items = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    return [(*way, key) for key, _ in items] + [p for key, value in items for p in places(value, (*way, key))]


def changed(data: Any, way: tuple[Any, ...], value: Any) -> Any:
    if not way:
        return value
    found = copy.copy(data)
    found[way[0]] = changed(data[way[0]], way[1:], value)
    return found


def answered(kind: str, data: Any) -> None:
    try:
        said = json.dumps(compute(kind, data), allow_nan=False)
    except BadInput as error:
        said = say(refusal(error))
    assert len(said.encode()) > 2


@pytest.mark.parametrize("kind", KINDS)
@settings(max_examples=60, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_whatever_a_calculation_is_given(kind: str, data: st.DataObject) -> None:
    found = data.draw(st.sampled_from(GIVEN[kind]))
    for _ in range(data.draw(st.integers(1, 3))):
        every = places(found)
        figures = [w for w in every if isinstance(_at(found, w), int | float)]
        of_figures = bool(figures) and data.draw(st.integers(0, 3)) > 0
        way = data.draw(st.sampled_from(figures if of_figures else every))
        found = changed(found, way, data.draw(st.one_of(NUMBERS, NUMBERS, NUMBERS, st.sampled_from(ODD))))
        if not places(found):
            break
    answered(kind, found)


def _at(data: Any, way: tuple[Any, ...]) -> Any:
    for key in way:
        data = data[key]
    return data


@pytest.mark.parametrize("kind", KINDS)
def test_every_figure_of_a_case_at_its_worst(kind: str) -> None:
    for case in GIVEN[kind][:2]:
        for way in [w for w in places(case) if isinstance(_at(case, w), int | float)][:60:2]:
            for figure in ODD_FIGURES:
                answered(kind, changed(case, way, figure))
        for way in places(case)[:40]:
            for odd in (*ODD, deep(3000)):
                answered(kind, changed(case, way, odd))


@pytest.mark.parametrize(
    "read, text, said",
    [
        (lambda t: table(t, "file"), "a,b\n" + "x" * 131_073, "line 2: field larger"),
        (lambda t: table(t, "file"), 'a,b\n1,"x\x00"', "character 0"),
        (lambda t: json_data(t, "file"), "[" * 5000 + "]" * 5000, "data nested too deep"),
        (lambda t: json_data(t, "file"), '{"vin": "\\ud800"}', "vin: given half of a character"),
        (lambda t: json_data(t, "file"), b'{"a": "\xff"}', "no UTF-8"),
        (lambda t: whole_number(t, "km", KILOMETRES), "²", "km: given ²"),
        (lambda t: whole_number(t, "km", KILOMETRES), "9" * 5000, "km: given 999"),
    ],
)
def test_text_from_outside_is_refused_in_words(read: Any, text: Any, said: str) -> None:
    with refused(BadInput, match=said[:40].replace("(", r"\(")):
        read(text)


@pytest.mark.parametrize(
    "text", ["=1+1", "+cmd", "-a", "@x", "\tx", "'=x", "plain", "−5 mm", "a;b", 'say "x"', "-4.5", "+3"]
)
def test_no_cell_leaves_as_a_formula_and_all_come_back(text: str) -> None:
    leaving = cell(text)
    assert not leaving.startswith(("=", "@", "\t", "\r"))
    assert leaving[0] not in "+-" or leaving == text == text.replace("a", "").replace("c", "")
    ((_, back),) = records(written([["what"], [text]]), "file")
    assert back["what"] in (text, text.lstrip("'"))


def test_a_lone_carriage_return_parts_lines() -> None:
    assert [row for _, row in table("a,b\r1,2\r3,4", "file")] == [["a", "b"], ["1", "2"], ["3", "4"]]
    assert whole_number("84\u202f310", "km", KILOMETRES) == 84_310


def test_what_is_next_to_nothing_is_nothing_and_an_empty_network_is_named() -> None:
    with refused(BadInput, match=r"u: given 0\.0; accepted: greater than 0"):
        compute("symmetry", {"pairs": [{"id": "a", "left": 2.0, "right": 1.0, "u": 5e-324}]})
    with pytest.raises(BadInput) as caught:
        compute("network", {"points": {}, "observations": []})
    assert caught.value.field == "observations"


class Beyond(Frozen):
    """A result that is no figure."""

    model_config = ConfigDict(allow_inf_nan=True)
    at: float


def test_a_whole_number_beyond_all_that_fit_is_refused_in_words() -> None:
    history = [{"day": day, "bias": 0.1, "u": 0.1} for day in (17, 203, 391)]
    with refused(BadInput, match="horizon_days: given .*; accepted: a smaller whole number"):
        compute("drift", {"history": history, "limit": 1.5, "horizon_days": 2.0**63})


def test_figures_that_break_a_calculation_are_blamed(monkeypatch: pytest.MonkeyPatch) -> None:
    """No case found does; should one, it is the figure furthest from 1 that is told."""
    aim = KINDS["aim"]
    functions: tuple[Callable[[Any], Any], ...] = (lambda _: 1 / 0, lambda _: Beyond(at=math.inf))
    for function in functions:
        monkeypatch.setitem(KINDS, "aim", replace(aim, function=function))
        with refused(BadInput, match="computed with together") as caught:
            compute("aim", {"by": "orientation", "roads": [50.0], "target_yaw_deg": 1e-9, "target_pitch_deg": 0.1})
        assert (caught.value.field, caught.value.given) == ("target_yaw_deg", "1e-09")


@pytest.mark.parametrize("kind", KINDS)
def test_nothing_in_it(kind: str) -> None:
    with pytest.raises(BadInput) as caught:
        compute(kind, {})
    assert caught.value.field in KINDS[kind].given.model_json_schema().get("required", ["test"])
    answered(kind, {key: type(value)() for key, value in GIVEN[kind][0].items()})
