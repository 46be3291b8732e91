"""Every worked case of every kind, through the one definition."""

import json
import math
from pathlib import Path
from typing import Any

import pytest

from escuadra.core.base.errors import BadInput
from escuadra.core.calculations import KINDS, compute

CASES = Path(__file__).parent.parent / "cases"


def cases(kinds: list[str] | None = None) -> list[Any]:
    """(kind, case) of every worked case whose kind the core offers."""
    found = []
    for name in kinds or KINDS:
        for case in json.loads((CASES / f"{name}.json").read_text()):
            found.append(pytest.param(name, case, id=f"{name}: {case['name']}"))
    return found


def assert_holds(expected: Any, got: Any, at: str = "") -> None:
    """``got`` has all that is expected; figures within 1e-6 relative or absolute, whichever is larger."""
    if isinstance(expected, dict):
        for key, value in expected.items():
            assert key in got, f"{at}.{key} is missing"
            assert_holds(value, got[key], f"{at}.{key}")
    elif isinstance(expected, list):
        assert len(expected) == len(got), at
        for k, (a, b) in enumerate(zip(expected, got, strict=True)):
            assert_holds(a, b, f"{at}[{k}]")
    elif isinstance(expected, float | int) and not isinstance(expected, bool):
        assert got is not None, at
        assert math.isclose(expected, got, rel_tol=1e-6, abs_tol=1e-6), f"{at}: {expected} expected, {got} computed"
    else:
        assert expected == got, f"{at}: {expected!r} expected, {got!r} computed"


@pytest.mark.parametrize("kind, case", cases())
def test_case(kind: str, case: dict[str, Any]) -> None:
    if "error" in case:
        with pytest.raises(BadInput) as refused:
            compute(kind, case["given"])
        assert refused.value.field == case["error"]
        assert case["error"] in str(refused.value)
    else:
        assert_holds(case["expect"], compute(kind, case["given"]))
