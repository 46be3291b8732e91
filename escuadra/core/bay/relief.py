"""The floor as a relief: contour lines of what it departs from its plane, and a section along a line.

Contours are followed on a fine grid of the interpolated heights (marching squares, contourpy). Millimetres.
"""

from dataclasses import dataclass

import numpy as np

from escuadra.core.bay.floor import FloorInput, FloorPoint, FloorResult, floor
from escuadra.core.bay.ground import Ground
from escuadra.core.bay.survey import Surface

CELLS = 60
"""Grid cells along the longer side."""
STEPS = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0)
MOST_LINES = 9
Line = list[tuple[float, float]]


@dataclass(frozen=True)
class Relief:
    """Contour lines by their level, mm above the plane."""

    step: float
    lines: tuple[tuple[float, Line], ...]
    low: tuple[float, float, float]
    """Where the lowest place of the floor is against its plane, and how low: x, y, mm."""
    high: tuple[float, float, float]


def plane_of(ground: Ground, surface: Surface = "floor") -> FloorResult:
    """Slopes, flatness and residuals of one surface's points (``floor``)."""
    points = [
        FloorPoint(id=point.id, x=point.x, y=point.y, z=float(z))
        for point, z in zip(ground.levelled.points, ground.z, strict=True)
        if point.surface == surface
    ]
    return floor(FloorInput(points=points, u=ground.survey.u))


def above_plane(ground: Ground, flat: FloorResult, surface: Surface = "floor") -> np.ndarray:
    """(n,) each point's height above the plane; 0 on other surfaces."""
    return np.array([flat.residuals.get(p.id, 0.0) if p.surface == surface else 0.0 for p in ground.levelled.points])


def relief(ground: Ground, flat: FloorResult, surface: Surface = "floor") -> Relief:
    """Contour lines of the residuals, at a step that leaves no more than a few."""
    from contourpy import LineType, contour_generator

    mesh = ground.meshes[surface]
    residuals = above_plane(ground, flat, surface)
    own = ground.xy[mesh.index]
    low, high = own.min(axis=0), own.max(axis=0)
    cell = max(high - low) / CELLS
    xs = np.linspace(low[0], high[0], max(2, int((high[0] - low[0]) / cell) + 1))
    ys = np.linspace(low[1], high[1], max(2, int((high[1] - low[1]) / cell) + 1))
    grid = np.array(np.meshgrid(xs, ys)).reshape(2, -1).T
    heights = mesh.heights(grid, residuals).reshape(len(ys), len(xs))
    reach = float(np.nanmax(heights) - np.nanmin(heights))
    # Finer than the readings can tell would draw their scatter.
    fine = 2 * ground.survey.u
    step = next((s for s in STEPS if reach / s <= MOST_LINES and s >= fine), STEPS[-1])
    first = int(np.ceil(np.nanmin(heights) / step))
    if reach < fine:
        first, step = 0, np.inf
    levels = [k * step for k in range(first, first + MOST_LINES + 1) if k * step < np.nanmax(heights)]
    generator = contour_generator(xs, ys, np.ma.masked_invalid(heights), line_type=LineType.Separate)
    lines = []
    for level in levels:
        for found in generator.lines(level) or []:
            if len(found) > 2:
                lines.append((level, [(float(x), float(y)) for x, y in np.asarray(found)]))
    at = [int(mesh.index[k]) for k in (residuals[mesh.index].argmin(), residuals[mesh.index].argmax())]
    ends = [(float(ground.xy[k, 0]), float(ground.xy[k, 1]), float(residuals[k])) for k in at]
    return Relief(step, tuple(lines), ends[0], ends[1])


def section(
    ground: Ground, start: tuple[float, float], end: tuple[float, float], surface: Surface = "floor", count: int = 61
) -> list[tuple[float, float]]:
    """(distance, height) along a line, where it was surveyed; heights less the first one's."""
    share = np.linspace(0, 1, count)[:, None]
    places = (1 - share) * np.array(start) + share * np.array(end)
    heights = ground.meshes[surface].heights(places, ground.z)
    away = np.hypot(*(places - places[0]).T)
    known = np.isfinite(heights)
    if not known.any():
        return []
    first = heights[known][0]
    return [(float(s), float(z - first)) for s, z in zip(away[known], heights[known], strict=True)]


@dataclass(frozen=True)
class Sunk:
    """A place that was surveyed twice: how much higher the newer survey finds it."""

    id: str
    x: float
    y: float
    change: float
    u: float

    @property
    def moved(self) -> bool:
        """More than twice its uncertainty."""
        return abs(self.change) > 2 * self.u


def compared(older: Ground, newer: Ground) -> list[Sunk]:
    """Changes at the newer survey's points, once its level was brought onto the older's by their median change.

    A level has no absolute height: what most of the floor does is taken as not having moved. The largest first.
    """
    mesh = older.meshes.get("floor")
    points = [(k, p) for k, p in enumerate(newer.levelled.points) if p.surface == "floor"]
    if mesh is None or not points:
        return []
    places = np.array([[p.x, p.y] for _, p in points])
    weights = mesh.weights(places, len(older.z))
    known = np.isfinite(weights).all(axis=1)
    if not known.any():
        return []
    rows = weights[known]
    now = newer.z[[k for (k, _), yes in zip(points, known, strict=True) if yes]]
    change = now - rows @ older.z
    change = change - np.median(change)
    between = (1 - np.minimum(1.0, (rows**2).sum(axis=1))) * older.u_between**2
    u = np.sqrt((rows**2).sum(axis=1) * older.survey.u**2 + newer.survey.u**2 + between)
    named = [p for (_, p), yes in zip(points, known, strict=True) if yes]
    found = [Sunk(p.id, p.x, p.y, float(c), float(s)) for p, c, s in zip(named, change, u, strict=True)]
    return sorted(found, key=lambda sunk: -abs(sunk.change))
