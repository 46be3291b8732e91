"""The floor between the surveyed points: heights and their differences, with uncertainty and what may lie between.

Heights between points are linear over a Delaunay triangulation of each surface (floor, runway). Every figure here is
a linear form of the surveyed heights, so its variance follows from theirs exactly (JCGM 100, 5.2); what the floor may
do between the points is estimated from how well each point is foretold by its neighbours.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.base.steps import in_one_line
from escuadra.core.bay.survey import Levelled, Surface, Survey, SurveyPoint, levelled
from escuadra.core.geodesy.triangles import Triangles, triangulated

STANDS_OUT = 5.0
"""A point is named where it differs from what its neighbours foretell by more than this many robust sigmas."""
LEAST_STANDING_OUT_MM = 4.0
Kept = dict[str, list[list[int]]]
"""Triangles by surface, as corners among its points."""


@dataclass(frozen=True)
class Amount:
    """A figure of the floor: its value, and the uncertainty from the readings and from between the points."""

    value: float
    u_read: float
    u_between: float

    @property
    def u(self) -> float:
        """Standard uncertainty."""
        return math.hypot(self.u_read, self.u_between)

    def times(self, factor: float) -> "Amount":
        """In another unit."""
        return Amount(self.value * factor, self.u_read * abs(factor), self.u_between * abs(factor))


@dataclass(frozen=True, eq=False)
class Mesh:
    """One surface's triangulation."""

    index: np.ndarray
    """Places of its points among all of the survey."""
    triangles: Triangles

    def weights(self, places: np.ndarray, total: int) -> np.ndarray:
        """(m, total) barycentric weights of the places (m, 2); rows of NaN outside the surveyed area."""
        which, shares = self.triangles.holding(places)
        inside = which >= 0
        found = np.full((len(places), total), np.nan)
        rows = np.zeros((int(inside.sum()), total))
        np.put_along_axis(rows, self.index[self.triangles.corners[which[inside]]], shares[inside], axis=1)
        found[inside] = rows
        return found

    def heights(self, places: np.ndarray, z: np.ndarray) -> np.ndarray:
        """Heights of many places (m, 2) at once; NaN outside."""
        which, shares = self.triangles.holding(places)
        corners = z[self.index[self.triangles.corners[which]]]
        return np.asarray(np.where(which >= 0, np.einsum("mi,mi->m", shares, corners), np.nan))


@dataclass(frozen=True, eq=False)
class Ground:
    """A levelled survey as a surface."""

    survey: Survey
    levelled: Levelled
    kept: Kept | None = None
    """The triangles of each surface, where they were worked out before."""
    between: float | None = None
    """What the floor may do half-way between points, one sigma, mm, where the points are too few to tell it."""

    @cached_property
    def xy(self) -> np.ndarray:
        """(n, 2) places of the points."""
        return np.array([[point.x, point.y] for point in self.levelled.points])

    @property
    def z(self) -> np.ndarray:
        """(n,) heights, mm."""
        return self.levelled.z

    @cached_property
    def meshes(self) -> dict[str, Mesh]:
        """A mesh of every surface that has three points or more, not in one line."""
        found = {}
        for surface in ("floor", "runway"):
            index = np.array([k for k, p in enumerate(self.levelled.points) if p.surface == surface], dtype=int)
            if len(index) >= 3 and not in_one_line(self.xy[index]):
                corners = self.kept.get(surface) if self.kept is not None else None
                if corners == []:
                    continue
                made = triangulated(self.xy[index]) if corners is None else np.array(corners, dtype=int)
                found[surface] = Mesh(index, Triangles(self.xy[index], made))
        if not found and self.kept is not None:
            raise BadInput("points", said("ground.points_apart"), said("wants.three_neighbours"))
        if not found:
            raise BadInput("points", said("ground.points_one_line"), said("wants.points_span_area"))
        return found

    @property
    def triangles(self) -> Kept:
        """The triangles of each surface, to be kept."""
        return {surface: mesh.triangles.corners.tolist() for surface, mesh in self.meshes.items()}

    @cached_property
    def foretold(self) -> np.ndarray:
        """(n,) each point's height less what a plane through its neighbours foretells; NaN at the rim."""
        found = np.full(len(self.z), np.nan)
        for mesh in self.meshes.values():
            for k, own in enumerate(mesh.index):
                around = mesh.index[mesh.triangles.neighbours[k]]
                if k in mesh.triangles.rim or len(around) < 4:
                    continue
                away = self.xy[around] - self.xy[own]
                nearness = 1 / np.maximum(np.hypot(away[:, 0], away[:, 1]), 1.0)
                rows = np.column_stack([np.ones(len(around)), away]) * nearness[:, None]
                plane = np.linalg.lstsq(rows, self.z[around] * nearness, rcond=None)[0]
                found[own] = self.z[own] - plane[0]
        return found

    @cached_property
    def u_between(self) -> float:
        """What the floor may do half-way between points, one sigma, mm."""
        if self.between is not None:
            return self.between
        known = self.foretold[np.isfinite(self.foretold)]
        if len(known) < 4:
            return 0.5
        noise = 1.25 * self.survey.u**2
        return 0.5 * math.sqrt(max(0.0, float(np.mean(known**2)) - noise))

    @cached_property
    def standing_out(self) -> list[str]:
        """Points that their neighbours contradict: misread, or a step in the floor."""
        known = np.isfinite(self.foretold)
        if known.sum() < 6:
            return []
        spread = 1.4826 * float(np.median(np.abs(self.foretold[known])))
        least = max(LEAST_STANDING_OUT_MM, STANDS_OUT * max(spread, self.survey.u))
        worst = np.where(known, np.abs(self.foretold), 0.0)
        found = [k for k in np.argsort(-worst) if worst[k] > least]
        # A point that was misread makes its neighbours look wrong as well: only the worst of neighbours is named.
        named: list[int] = []
        for k in found:
            near = [i for i in named if worst[i] > 2 * worst[k] and self._apart(i, int(k)) < 1.6 * self.spacing]
            if not near:
                named.append(int(k))
        return [self.levelled.points[k].id for k in named]

    def _apart(self, a: int, b: int) -> float:
        return float(np.hypot(*(self.xy[a] - self.xy[b])))

    @cached_property
    def spacing(self) -> float:
        """Usual distance between neighbours, mm."""
        spread = np.ptp(self.xy, axis=0)
        return math.sqrt(max(1.0, float(spread[0] * spread[1])) / max(1, len(self.xy)))

    def covers(self, places: list[tuple[float, float]], surface: Surface = "floor") -> bool:
        """Every place lies within the surveyed area of the surface."""
        mesh = self.meshes.get(surface)
        return mesh is not None and bool((mesh.triangles.holding(np.array(places, dtype=float))[0] >= 0).all())

    def rows(self, places: list[tuple[float, float]], surface: Surface = "floor") -> np.ndarray:
        """(m, n) weights of the heights at places; raises ``BadInput`` outside the surveyed area."""
        mesh = self.meshes.get(surface)
        found = mesh.weights(np.array(places, dtype=float), len(self.z)) if mesh is not None else np.array([[np.nan]])
        if np.isnan(found).any():
            raise BadInput(
                "place",
                said("ground.place_off_surveyed", surface=surface),
                said("wants.places_within_surveyed", surface=surface),
            )
        return found

    def form(self, rows: np.ndarray, coefficients: np.ndarray) -> Amount:
        """Σ cₖ·(height of place k); the c must add up to 0 to mean anything."""
        joint = coefficients @ rows
        between = (1 - np.minimum(1.0, (rows**2).sum(axis=1))) * self.u_between**2
        read = max(0.0, float(joint @ self.levelled.covariance @ joint))
        return Amount(float(joint @ self.z), math.sqrt(read), math.sqrt(float(coefficients**2 @ between)))


def triangles_of(points: Sequence[SurveyPoint]) -> Kept:
    """The triangles of points that are still to be read, by surface; none of one whose points span no area."""
    found: Kept = {}
    for surface in ("floor", "runway"):
        xy = np.array([(p.x, p.y) for p in points if p.surface == surface])
        found[surface] = [] if len(xy) < 3 or in_one_line(xy) else triangulated(xy).tolist()
    return found


def among(kept: Kept, points: Sequence[SurveyPoint], read: Sequence[SurveyPoint]) -> Kept:
    """Those of the triangles between some points that have all corners among those ``read``, by their order."""
    found: Kept = {}
    for surface, corners in kept.items():
        ids = [p.id for p in points if p.surface == surface]
        nth = {id: k for k, id in enumerate(p.id for p in read if p.surface == surface)}
        found[surface] = [[nth[ids[k]] for k in each] for each in corners if all(ids[k] in nth for k in each)]
    return found


def ground(survey: Survey, kept: Kept | None = None) -> Ground:
    """The surface of a survey, over triangles that were ``kept``; raises ``BadInput`` where its points span no area."""
    made = Ground(survey, levelled(survey), kept)
    if in_one_line(made.xy):
        raise BadInput("points", said("ground.points_one_line"), said("wants.points_span_area"))
    return made
