"""A rectangle carries a distance past the vehicle; a bad diagonal is found, a wrong mark is told by how much."""

import math
from typing import Any

import numpy as np
import pytest

from escuadra.core.base.errors import BadInput
from escuadra.core.geodesy.rectangle import SIDES, RectangleInput, rectangle
from tests.english import refused

ALONG, OUT, INWARD = 2640.0, 640.0, 908.0


def read(off: float = 0.0, lean_deg: float = 0.0, u: float = 0.5, **wrong: float) -> dict[str, Any]:
    """Exact sides of a rectangle whose mark stands ``off`` along the line, one corner leaning; errors by name."""
    lean = math.radians(lean_deg)
    at = {
        "datum": (0.0, 0.0),
        "abeam": (OUT * math.sin(lean), OUT * math.cos(lean)),
        "corner": (ALONG + OUT * math.sin(lean), OUT * math.cos(lean)),
        "mark": (ALONG + off, -INWARD),
    }
    sides = {name: {"value": math.dist(at[a], at[b]) + wrong.get(name, 0.0), "u": u} for name, (a, b) in SIDES.items()}
    return {"along": ALONG, "inward": INWARD, "u_inward": 1.0, "sides": sides}


@pytest.mark.parametrize("off, lean", [(0.0, 0.0), (7.0, 0.0), (-4.0, 0.25), (3.0, -0.3)])
def test_the_mark_is_found_where_it_stands(off: float, lean: float) -> None:
    found = rectangle(RectangleInput.read(read(off, lean)))
    assert found.off == pytest.approx(off, abs=0.35)
    assert found.out_of_square_deg == pytest.approx(-lean, abs=0.04)
    assert found.u_off < 1.0
    assert found.passes


def test_all_sides_are_as_unsure_as_the_one_tape_that_read_them() -> None:
    alone = rectangle(RectangleInput.read(read())).u_off
    for shared in ({"u_scale": 2e-3}, {"u_offset": 6.0}):
        assert rectangle(RectangleInput.read({**read(), **shared})).u_off > 2 * alone


def test_a_square_at_both_ends_brings_the_mark_back_by_what_was_read() -> None:
    three = {name: {"value": value, "u": 0.6} for name, value in (("out", OUT), ("along", ALONG + 4), ("back", 1548.0))}
    given = {"along": ALONG, "inward": INWARD, "u_inward": 1.0, "sides": three, "sighting_deg": 0.12}
    found = rectangle(RectangleInput.read(given))
    assert found.off == pytest.approx(4)
    assert found.corners["mark"] == pytest.approx((ALONG + 4, OUT - 1548))


@pytest.mark.parametrize("name", ["diagonal", "cross"])
def test_a_bad_diagonal_is_the_suspect(name: str) -> None:
    found = rectangle(RectangleInput.read(read(**{name: 14.0})))
    assert not found.passes
    assert found.suspects[0] == name, "of those that share the blame the diagonal comes first"
    assert len(found.suspects) <= 3


def test_u_off_is_what_many_rectangles_scatter_by() -> None:
    noise, off = np.random.default_rng(4), []
    told = rectangle(RectangleInput.read(read(u=0.8))).u_off
    for _ in range(300):
        given = read(u=0.8)
        for side in given["sides"].values():
            side["value"] += noise.normal() * 0.8
        off.append(rectangle(RectangleInput.read(given)).off)
    assert np.std(off) == pytest.approx(told, rel=0.15)


def test_a_square_at_both_ends_scatters_by_its_sighting_error() -> None:
    noise, off = np.random.default_rng(7), []
    three = {name: {"value": value, "u": 0.6} for name, value in (("out", OUT), ("along", ALONG), ("back", 1548.0))}
    given = {"along": ALONG, "inward": INWARD, "u_inward": 1.0, "sides": three, "sighting_deg": 0.12}
    told = rectangle(RectangleInput.read(given))
    for _ in range(600):
        first, last = (noise.normal() * math.radians(0.12) for _ in range(2))
        taped = ALONG + OUT * math.tan(first) + 1548 * math.tan(last) + noise.normal() * 0.6
        sides = {**three, "along": {"value": taped, "u": 0.6}}
        off.append(rectangle(RectangleInput.read({**given, "sides": sides})).off)
    assert (told.off, told.passes) == (0.0, True)
    far = {**three, "along": {"value": ALONG + 7, "u": 0.6}}
    assert rectangle(RectangleInput.read({**given, "sides": far})).off == 7
    assert np.std(off) == pytest.approx(told.u_off, rel=0.1)


@pytest.mark.parametrize("drop", [("out",), ("diagonal", "cross"), ("along",)])
def test_too_little_is_refused(drop: tuple[str, ...]) -> None:
    given = read()
    for name in drop:
        del given["sides"][name]
    with refused(BadInput, match="at least one diagonal"):
        rectangle(RectangleInput.read(given))
