"""The worked examples of the measurement document, computed; and the figures in its prose."""

import doctest
import json
import math
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from escuadra.core.base.calculation import CALCULATIONS
from escuadra.core.calculations import KINDS, compute
from tests.conftest import contributed

ROOT = Path(__file__).parents[2]
TEXT = (ROOT / "docs" / "measurement.md").read_text()
EXAMPLES = [json.loads(block) for block in re.findall(r"```json\n(.*?)```", TEXT, re.S)]


def test_a_calculation_is_made_in_one_place_and_needs_no_visit() -> None:
    loaded = "import sys, escuadra.core.calculations; print(*(m for m in sys.modules if '.core.visit' in m))"
    assert not subprocess.run([sys.executable, "-c", loaded], capture_output=True, text=True, check=True).stdout.strip()
    contributed("a calculation")
    try:
        made = CALCULATIONS["sagitta"]
        assert made.purpose.startswith("Rise of an arc over its chord")
        assert made.function(made.given.read({"chord": 2000, "radius": 5000})).plain() == {"rise": 100.0}
    finally:
        del CALCULATIONS["sagitta"]


def test_the_conventions_are_what_is_computed() -> None:
    text = (ROOT / "docs" / "conventions.md").read_text()
    blocks = re.findall(r"```python\n(.*?)```", text, re.S)
    run = doctest.DocTestRunner(verbose=False)
    given: dict[str, Any] = {}
    for block in blocks:
        example = doctest.DocTestParser().get_doctest(block, given, "docs/conventions.md", None, 0)
        run.run(example, clear_globs=False)
        given |= example.globs
    found = run.summarize(verbose=False)
    assert found.attempted > len(blocks) > 4
    assert not found.failed


def agrees(printed: Any, computed: Any) -> bool:
    """Printed with four significant digits, or a tenth of a millimetre."""
    if isinstance(printed, dict):
        return all(agrees(value, computed[key]) for key, value in printed.items())
    if isinstance(printed, list):
        return len(printed) == len(computed) and all(map(agrees, printed, computed))
    if isinstance(printed, float):
        return math.isclose(printed, computed, rel_tol=1e-3, abs_tol=1e-9)
    return bool(printed == computed)


def test_every_kind_has_a_worked_example() -> None:
    assert [example["kind"] for example in EXAMPLES] == sorted(
        KINDS, key=lambda kind: [e["kind"] for e in EXAMPLES].index(kind)
    )


@pytest.mark.parametrize("example", EXAMPLES, ids=lambda example: str(example["kind"]))
def test_the_worked_example_is_what_is_computed(example: dict[str, Any]) -> None:
    found = compute(example["kind"], example["given"])
    assert agrees(example["gives"], found), found


def test_the_figures_in_the_prose() -> None:
    tape = {"resolution": 0.5, "accuracy_constant": 0.4, "accuracy_ppm": 60, "repeatability": 0.3}
    once = compute("reading", {"values": [2745], "instrument": tape})
    assert f"= {once['u']:.2f} mm" in TEXT
    aim = {"by": "position", "target_left": 7.5, "target_up": 0, "sensor_to_target": 1417, "roads": [83]}
    road = compute("aim", aim)
    assert f"by {road['yaw_deg']:.2f}°, {road['at'][0]['left_m']:.2f} m at 83 m" in TEXT
    assert f"{0.37 / 0.35:.2f} turns" in TEXT
    for value, state in ((0.21, "undecided"), (0.15, "holds")):
        judged = compute("verdict", {"value": value, "u": 0.045, "lower": -0.25, "upper": 0.25, "rule": "guarded"})
        assert judged["state"] == state
