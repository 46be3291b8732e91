"""A surface over kept triangles is Delaunay's own: compared with scipy's, on grids turned and on scattered points."""

import numpy as np
import pytest
from scipy.spatial import Delaunay

from escuadra.core.geodesy.triangles import Triangles, triangulated


def turned_grid(angle: float) -> np.ndarray:
    c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    points = np.array([[x, y] for x in range(0, 9001, 1000) for y in range(0, 4001, 800)], dtype=float)
    return np.asarray(points @ np.array([[c, s], [-s, c]]) + [5675.0, -1.0])


@pytest.mark.parametrize(
    "xy", [turned_grid(0), turned_grid(31), turned_grid(-77.3), np.random.default_rng(4).uniform(0, 8000, (60, 2))]
)
def test_places_are_held_with_the_weights_that_scipy_gives(xy: np.ndarray) -> None:
    corners = triangulated(xy)
    own, theirs = Triangles(xy, corners), Delaunay(xy)
    low, high = xy.min(axis=0) - 500, xy.max(axis=0) + 500
    places = np.random.default_rng(5).uniform(low, high, (4000, 2))
    which, weights = own.holding(places)
    inside = theirs.find_simplex(places, tol=1e-9) >= 0
    assert (which >= 0).sum() == pytest.approx(inside.sum(), abs=2)
    held = which >= 0
    back = np.einsum("ki,kij->kj", weights[held], xy[corners[which[held]]])
    assert back == pytest.approx(places[held], abs=1e-6)
    assert (weights[held] >= -1e-8).all()
    at_points, own_weights = own.holding(xy)
    assert (at_points >= 0).all()
    assert own_weights.max(axis=1) == pytest.approx(1, abs=1e-6)


def test_rim_and_neighbours_of_a_grid() -> None:
    xy = turned_grid(12)
    found = Triangles(xy, triangulated(xy))
    wide, deep = 10, 6
    rim = {k for k in range(wide * deep) if k // deep in (0, wide - 1) or k % deep in (0, deep - 1)}
    assert found.rim == rim
    for k in set(range(wide * deep)) - rim:
        assert {k - 1, k + 1, k - deep, k + deep} <= set(found.neighbours[k].tolist())
        assert len(found.neighbours[k]) <= 8
