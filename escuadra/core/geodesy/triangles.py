"""A triangulation of points in a plane: which triangle holds a place, its weights there, neighbours and rim.

The triangles themselves are Delaunay's (Qhull, through ``scipy.spatial``); they can be kept and given again, so that
a surface is read without triangulating it anew. A place is looked for among the triangles of its cell of a grid.
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

SLIVER = 1e-7
"""A triangle thinner than that, of its longest side squared, has no inside."""
TOLERANCE = 1e-9
"""A place that is outside by less than this share of a triangle is on its edge."""


def triangulated(xy: np.ndarray) -> np.ndarray:
    """(m, 3) places in ``xy`` (n, 2) of the corners of each Delaunay triangle.

    Rounding leaves slivers between points in one line along the rim: they hold nothing and are left out.
    """
    from scipy.spatial import Delaunay

    corners = np.asarray(Delaunay(xy).simplices, dtype=int)
    sides = xy[corners[:, :2]] - xy[corners[:, 2:]]
    area = np.abs(sides[:, 0, 0] * sides[:, 1, 1] - sides[:, 0, 1] * sides[:, 1, 0])
    return np.asarray(corners[area > SLIVER * (sides**2).sum(axis=2).max(axis=1)])


@dataclass(frozen=True, eq=False)
class Triangles:
    """Points (n, 2) and the corners (m, 3) of the triangles between them."""

    xy: np.ndarray
    corners: np.ndarray

    @cached_property
    def _inverse(self) -> tuple[np.ndarray, np.ndarray]:
        """(m, 2, 2) from a place less the third corner to the first two weights, and (m, 2) that third corner."""
        third = self.xy[self.corners[:, 2]]
        sides = np.stack([self.xy[self.corners[:, k]] - third for k in (0, 1)], axis=2)
        return np.linalg.inv(sides), third

    @cached_property
    def _cells(self) -> tuple[np.ndarray, float, tuple[int, int], np.ndarray]:
        """The grid's corner, its step, its size, and (cells, most) the triangles that reach into each; −1: none."""
        low, high = self.xy.min(axis=0), self.xy.max(axis=0)
        step = max(1e-9, math.sqrt(float(np.prod(np.maximum(high - low, 1e-6))) / max(1, len(self.corners))))
        nx, ny = (max(1, math.ceil(float(s) / step)) for s in high - low)
        boxes = self.xy[self.corners]
        first = np.clip(((boxes.min(axis=1) - low) / step - 1e-6).astype(int), 0, [nx - 1, ny - 1])
        last = np.clip(((boxes.max(axis=1) - low) / step + 1e-6).astype(int), 0, [nx - 1, ny - 1])
        held: list[list[int]] = [[] for _ in range(nx * ny)]
        for k, ((ax, ay), (bx, by)) in enumerate(zip(first.tolist(), last.tolist(), strict=True)):
            for i in range(ax, bx + 1):
                for j in range(ay, by + 1):
                    held[i * ny + j].append(k)
        most = max(map(len, held))
        return low, step, (nx, ny), np.array([cell + [-1] * (most - len(cell)) for cell in held])

    def holding(self, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(k,) triangle of each place (k, 2), −1 outside, and (k, 3) its weights there."""
        low, step, (nx, ny), held = self._cells
        inverse, third = self._inverse
        cell = np.clip(((places - low) / step).astype(int), 0, [nx - 1, ny - 1])
        tried = held[cell[:, 0] * ny + cell[:, 1]]
        # Each number by itself: many small matrices take several times as long.
        x, y = (places[:, k, None] - third[:, k][tried] for k in (0, 1))
        one, two = (inverse[:, k, 0][tried] * x + inverse[:, k, 1][tried] * y for k in (0, 1))
        three = 1 - (one + two)
        inside = np.where(tried >= 0, np.minimum(np.minimum(one, two), three), -np.inf)
        best = np.argmax(inside, axis=1)
        rows = np.arange(len(places))
        found = np.where(inside[rows, best] >= -TOLERANCE, tried[rows, best], -1)
        return found, np.column_stack([weight[rows, best] for weight in (one, two, three)])

    @cached_property
    def _edges(self) -> tuple[np.ndarray, np.ndarray]:
        """(e, 2) every edge once, the smaller point first, and how many triangles have it."""
        pairs = np.concatenate([self.corners[:, [0, 1]], self.corners[:, [1, 2]], self.corners[:, [2, 0]]])
        edges, counts = np.unique(np.sort(pairs, axis=1), axis=0, return_counts=True)
        return edges, counts

    @cached_property
    def rim(self) -> set[int]:
        """Points on the outline."""
        edges, counts = self._edges
        return set(edges[counts == 1].ravel().tolist())

    @cached_property
    def neighbours(self) -> list[np.ndarray]:
        """For every point the points that an edge joins it to."""
        found: list[list[int]] = [[] for _ in self.xy]
        for a, b in self._edges[0].tolist():
            found[a].append(b)
            found[b].append(a)
        return [np.array(sorted(points), dtype=int) for points in found]
