"""What everything that is read or wanted should come to, with its slopes, all of one sort at once.

A body's rotation is R = Rz(yaw)·Ry(pitch)·Rx(roll); its point stands at origin + R·b. Each sort of equation (a
distance, a projection onto a direction, a tilt, …) is evaluated over arrays with its derivatives written out; how the
slope of a place or a direction reaches the unknowns is worked out once, beforehand. Rows are scattered into one matrix
by one count.
Source: chain rule over the definitions in docs/measurement.md; millimetres and radians.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.geodesy.state.unknowns import ONE_DEGREE, Indices, Unknowns, Vector

LEAST_SINE = 1e-6
TINY = 1e-12
"""Keeps the slope of a vanishing distance finite."""
ZENITH = np.array([0.0, 0.0, 1.0])
Weighted = tuple[int, float]
"""An index and its factor."""
Parts = tuple[Vector, Callable[[], list[Vector]]]
"""Values of a sort's rows, and, where they are asked for, the slopes in the order of its ways to the unknowns."""


def _whole(numbers: Sequence[Any]) -> Indices:
    return np.array(numbers, dtype=np.intp)


def _cross(a: Vector, b: Vector) -> Vector:
    """a × b of rows."""
    found = np.empty(np.broadcast_shapes(a.shape, b.shape))
    for k, i, j in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
        found[..., k] = a[..., i] * b[..., j] - a[..., j] * b[..., i]
    return found


def _rotations(pose: Vector) -> tuple[Vector, Vector]:
    """R (bodies × 3 × 3) and its derivatives by yaw, roll and pitch (bodies × 3 × 3 × 3)."""
    (cy, cr, cp), (sy, sr, sp) = np.cos(pose[:, 3:].T), np.sin(pose[:, 3:].T)
    r, by = np.empty((len(pose), 3, 3)), np.zeros((len(pose), 3, 3, 3))
    r[:, 2, 0], r[:, 2, 1], r[:, 2, 2] = -sp, cp * sr, cp * cr
    r[:, 0, 0], r[:, 0, 1], r[:, 0, 2] = cy * cp, cy * sp * sr - sy * cr, cy * sp * cr + sy * sr
    r[:, 1, 0], r[:, 1, 1], r[:, 1, 2] = sy * cp, sy * sp * sr + cy * cr, sy * sp * cr - cy * sr
    by[:, 0, 0], by[:, 0, 1] = -r[:, 1], r[:, 0]
    by[:, 1, :, 1], by[:, 1, :, 2] = r[:, :, 2], -r[:, :, 1]
    by[:, 2, 0], by[:, 2, 1] = cy[:, None] * r[:, 2], sy[:, None] * r[:, 2]
    by[:, 2, 2, 0], by[:, 2, 2, 1], by[:, 2, 2, 2] = -cp, -sp * sr, -sp * cr
    return r, by


@dataclass(frozen=True)
class Here:
    """Where everything stands at one set of figures."""

    pose: Vector
    rotation: Vector
    turning: Vector
    """Derivatives of the rotations by yaw, roll and pitch."""
    place: Vector
    """Places × 3."""
    slope: Vector
    """Places × 3 × 9: by the origin (or the point itself), by yaw, roll and pitch, by the point's own coordinates."""
    direction: Vector
    turn: Vector
    """Bearing entries × 2: how a place turns the direction that it belongs to."""
    up: Vector
    tilting: Vector
    """2 × 3: derivatives of up by gravity's roll and pitch."""


class Scene:
    """The places and directions that equations speak of, each once, over the figures of a state."""

    def __init__(self, unknowns: Unknowns) -> None:
        self.unknowns = unknowns
        self.width = len(unknowns.free) + 1
        self.body = {name: k for k, name in enumerate(unknowns.bodies)}
        self._places: dict[tuple[str, str], int] = {}
        self._on_body: list[tuple[int, int, int]] = []
        self._alone: list[Weighted] = []
        self.constant: list[float] = []
        self.linear: list[list[Weighted]] = []
        self.bearing: list[list[tuple[int, float, int]]] = []
        self._bearings: list[tuple[int, int, float]] = []

    def place(self, body: str, point: str) -> int:
        """A point of the vehicle (no body), a body's point, or its origin (no point)."""
        known = self._places.get((body, point))
        if known is not None:
            return known
        number = self._places[body, point] = len(self._places)
        if body:
            own = self.unknowns.own[body, point] if point else 0
            self._on_body.append((number, self.body[body], own))
        else:
            self._alone.append((number, self.unknowns.points[point]))
        return number

    def add_direction(self, constant: float, figures: Sequence[Weighted] = (), bearing: Sequence[Weighted] = ()) -> int:
        """An angle: a constant, figures with factors, and the bearing of a weighted sum of places."""
        number = len(self.constant)
        self.constant.append(constant)
        self.linear.append(list(figures))
        self.bearing.append([(place, factor, len(self._bearings) + k) for k, (place, factor) in enumerate(bearing)])
        self._bearings += [(number, place, factor) for place, factor in bearing]
        return number

    def close(self) -> None:
        """Everything was added: the arrays that every evaluation uses."""
        column, trash = self.unknowns.column, self.width - 1
        self._bodies = _whole(list(self.unknowns.bodies.values()))[:, None] + np.arange(6)
        alone, on_body = _whole(self._alone).reshape(-1, 2), _whole(self._on_body).reshape(-1, 3)
        self._alone_at, self._alone_from = alone[:, 0], alone[:, 1:] + np.arange(3)
        self._carried, self._carrier, self._own = on_body[:, 0], on_body[:, 1], on_body[:, 2:] + np.arange(3)
        self.columns = np.full((len(self._places), 9), trash, dtype=np.intp)
        self.columns[self._alone_at, :3] = column[self._alone_from]
        self.columns[self._carried, :6] = column[self._bodies[self._carrier]]
        self.columns[self._carried, 6:] = column[self._own]
        self._constant = np.array(self.constant)
        entries = [(k, index, factor) for k, parts in enumerate(self.linear) for index, factor in parts]
        self._turned, self._turning = _whole([k for k, _, _ in entries]), _whole([i for _, i, _ in entries])
        self._factor = np.array([factor for _, _, factor in entries])
        self._aimed = _whole([k for k, _, _ in self._bearings])
        self._sight = _whole([place for _, place, _ in self._bearings])
        self._share = np.array([factor for _, _, factor in self._bearings])
        self._still = np.zeros((len(self._places), 3, 9))
        self._still[:, :, :3] = np.eye(3)

    def at(self, figures: Vector) -> Here:
        """Everything's place at these figures."""
        pose = figures[self._bodies]
        rotation, turning = _rotations(pose)
        place, slope = np.empty((len(self._places), 3)), self._still.copy()
        place[self._alone_at] = figures[self._alone_from]
        own, carrying = figures[self._own], rotation[self._carrier]
        place[self._carried] = pose[self._carrier, :3] + (carrying @ own[:, :, None])[:, :, 0]
        by = (turning[self._carrier] @ own[:, None, :, None])[:, :, :, 0]
        slope[self._carried, :, 3:6] = by.transpose(0, 2, 1)
        slope[self._carried, :, 6:] = carrying
        turned = self._factor * figures[self._turning]
        direction: Vector = self._constant + np.bincount(self._turned, turned, len(self._constant))
        turn = np.zeros((0, 2))
        if self._bearings:
            seen = place[self._sight, :2] * self._share[:, None]
            way = np.stack([np.bincount(self._aimed, seen[:, k], len(self._constant)) for k in (0, 1)], axis=1)
            aimed = np.unique(self._aimed)
            direction[aimed] += np.arctan2(way[aimed, 1], way[aimed, 0])
            length = (way[self._aimed] ** 2).sum(axis=1)
            if np.any(length <= LEAST_SINE**2):
                raise BadInput("marks", said("equations.points_coincide"), said("wants.two_points_lie_apart_plan"))
            turn = way[self._aimed][:, ::-1] * [-1.0, 1.0] * (self._share / length)[:, None]
        up, tilting = ZENITH, np.zeros((2, 3))
        if self.unknowns.gravity is not None:
            (cr, cp), (sr, sp) = (f(figures[self.unknowns.gravity :][:2]) for f in (np.cos, np.sin))
            up = np.array([sp * cr, -sr, cp * cr])
            tilting = np.array([[-sp * sr, -cr, -cp * sr], [cp * cr, 0.0, -sp * cr]])
        return Here(pose, rotation, turning, place, slope, direction, turn, up, tilting)


class _Sort:
    """Equations of one sort: their rows, and the flat places of their slopes in the matrix."""

    def __init__(self, scene: Scene, rows: Sequence[int]) -> None:
        self.scene, self.rows = scene, _whole(rows)
        self.flat: list[Indices] = []

    def _reach(self, rows: Indices, columns: Indices) -> None:
        self.flat.append((rows.reshape(-1, *(1,) * (columns.ndim - 1)) * self.scene.width + columns).ravel())

    def _by_places(self, rows: Indices, places: Indices) -> None:
        self._reach(rows, self.scene.columns[places])

    def _by_figures(self, rows: Indices, indices: Indices) -> None:
        self._reach(rows, self.scene.unknowns.column[indices])

    def _by_pose(self, bodies: Indices) -> None:
        first = _whole(list(self.scene.unknowns.bodies.values()))[bodies]
        self._by_figures(self.rows, first[:, None] + np.arange(6))

    def _by_directions(self, directions: Sequence[int]) -> None:
        """Slopes by directions, on to figures and to the places of bearings."""
        scene, rows = self.scene, self.rows
        flat = [(use, index, factor) for use, k in enumerate(directions) for index, factor in scene.linear[k]]
        self._use, self._factor = _whole([u for u, _, _ in flat]), np.array([f for _, _, f in flat])
        self._by_figures(rows[self._use], _whole([i for _, i, _ in flat]))
        aimed = [(use, place, entry) for use, k in enumerate(directions) for place, _, entry in scene.bearing[k]]
        self._aim, self._entry = _whole([u for u, _, _ in aimed]), _whole([e for _, _, e in aimed])
        self._sights = _whole([p for _, p, _ in aimed])
        self._by_places(rows[self._aim], self._sights)

    def _through_directions(self, here: Here, slope: Vector) -> list[Vector]:
        parts = [slope[self._use] * self._factor]
        turn = slope[self._aim, None] * here.turn[self._entry]
        parts.append((turn[:, None, :] @ here.slope[self._sights, :2])[:, 0])
        return parts

    def of(self, here: Here) -> Parts:
        """Values and slopes."""
        raise NotImplementedError


def _through(here: Here, places: Indices, slope: Vector) -> Vector:
    """The slope by places (n × 3) as slopes by what the places stand on (n × 9)."""
    return np.asarray((slope[:, None, :] @ here.slope[places])[:, 0])


class Distances(_Sort):
    """Between two places; in plan where ``flat``."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, int, int, bool]]) -> None:
        super().__init__(scene, [row for row, *_ in given])
        self.a, self.b = _whole([a for _, a, _, _ in given]), _whole([b for _, _, b, _ in given])
        self.counted = np.array([[1.0, 1.0, 0.0 if flat else 1.0] for *_, flat in given])
        self._by_places(self.rows, self.b)
        self._by_places(self.rows, self.a)

    def of(self, here: Here) -> Parts:
        way = (here.place[self.b] - here.place[self.a]) * self.counted
        length = np.sqrt((way**2).sum(axis=1)) + TINY

        def slopes() -> list[Vector]:
            along = way / length[:, None]
            return [_through(here, self.b, along), -_through(here, self.a, along)]

        return length, slopes


class _Summed(_Sort):
    """Equations of weighted sums of places."""

    def __init__(self, scene: Scene, rows: Sequence[int], sums: Sequence[Sequence[Weighted]]) -> None:
        super().__init__(scene, rows)
        entries = [(k, place, factor) for k, places in enumerate(sums) for place, factor in places]
        self.of_row, self.places = _whole([k for k, _, _ in entries]), _whole([p for _, p, _ in entries])
        self.factor = np.array([[factor] for _, _, factor in entries])
        self._by_places(self.rows[self.of_row], self.places)

    def total(self, here: Here) -> Vector:
        """The sums (rows × 3)."""
        weighted = here.place[self.places] * self.factor
        return np.stack([np.bincount(self.of_row, weighted[:, k], len(self.rows)) for k in range(3)], axis=1)

    def _through_sum(self, here: Here, slope: Vector) -> Vector:
        return _through(here, self.places, slope[self.of_row] * self.factor)


class Projections(_Summed):
    """A weighted sum of places, along a fixed axis or along a direction in plan."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, Sequence[Weighted], int]], axes: bool) -> None:
        """``axes``: the last figure is an axis (0 to 2), else a direction's number."""
        super().__init__(scene, [row for row, *_ in given], [places for _, places, _ in given])
        self.axes = np.eye(3)[[last for *_, last in given]] if axes else None
        self.directions = _whole([last for *_, last in given])
        if not axes:
            self._by_directions([last for *_, last in given])

    def of(self, here: Here) -> Parts:
        total = self.total(here)
        along = self.axes
        if along is None:
            angle = here.direction[self.directions]
            along = np.stack([np.cos(angle), np.sin(angle), np.zeros(len(angle))], axis=1)

        def slopes() -> list[Vector]:
            found = [self._through_sum(here, along)]
            if self.axes is None:
                found += self._through_directions(here, total[:, 1] * along[:, 0] - total[:, 0] * along[:, 1])
            return found

        return (total * along).sum(axis=1), slopes


class Tilts(_Sort):
    """What a level along (roll) or across (pitch) a body shows, degrees: asin of an axis on up."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, int, bool, bool]]) -> None:
        """Row, body, whether it is a pitch, and whether gravity counts."""
        super().__init__(scene, [row for row, *_ in given])
        self.body = _whole([body for _, body, _, _ in given])
        self.axis = _whole([0 if pitch else 1 for _, _, pitch, _ in given])
        self.sign = np.array([-1.0 if pitch else 1.0 for _, _, pitch, _ in given]) / ONE_DEGREE
        self.felt = np.array([[felt] for *_, felt in given])
        self._by_pose(self.body)
        if scene.unknowns.gravity is not None:
            self._by_figures(self.rows, np.tile(scene.unknowns.gravity + np.arange(2), (len(given), 1)))

    def of(self, here: Here) -> Parts:
        axis = here.rotation[self.body, :, self.axis]
        up = np.where(self.felt, here.up, ZENITH)
        sine = np.clip((axis * up).sum(axis=1), -1.0, 1.0)

        def slopes() -> list[Vector]:
            factor = self.sign / np.maximum(np.sqrt(1 - sine**2), TINY)
            slope = np.zeros((len(self.rows), 6))
            slope[:, 3:] = ((here.turning[self.body, :, :, self.axis] @ up[:, :, None])[:, :, 0]) * factor[:, None]
            if self.scene.unknowns.gravity is None:
                return [slope]
            return [slope, (axis @ here.tilting.T) * factor[:, None] * self.felt]

        return self.sign * np.arcsin(sine), slopes


class _Meetings(_Sort):
    """Where a body's beam meets an upright plane through a place: s = (P − o)·N ÷ (R·ŷ)·N, counted along the beam."""

    refused: str

    def __init__(self, scene: Scene, rows: Sequence[int], ids: Sequence[str], bodies: Sequence[int]) -> None:
        super().__init__(scene, rows)
        self.ids, self.body = ids, _whole(bodies)
        self._by_pose(self.body)

    def _meet(self, here: Here, place: Vector, normal: Vector) -> tuple[Vector, Vector, Vector]:
        """s, the rest P − o − s·m, and the divisor."""
        beam = here.rotation[self.body, :, 1]
        length = np.sqrt((normal**2).sum(axis=1))
        divisor = (beam * normal).sum(axis=1)
        flat = np.flatnonzero((length <= LEAST_SINE) | (np.abs(divisor) <= LEAST_SINE * length))
        if len(flat):
            raise BadInput(self.refused, self.ids[flat[0]], said("wants.line_one_not_along_beam"))
        off = place - here.pose[self.body, :3]
        s = (off * normal).sum(axis=1) / divisor
        return s, off - s[:, None] * beam, divisor

    def _through_pose(self, here: Here, s: Vector, normal: Vector, divisor: Vector) -> Vector:
        slope = np.empty((len(s), 6))
        slope[:, :3] = -normal
        slope[:, 3:] = -s[:, None] * (here.turning[self.body, :, :, 1] @ normal[:, :, None])[:, :, 0]
        return np.asarray(slope / divisor[:, None])


class Crossings(_Meetings):
    """The plane through two marks and up: N = (B − A) × up."""

    refused = "crossing"

    def __init__(self, scene: Scene, given: Sequence[tuple[int, str, int, int, int]]) -> None:
        super().__init__(scene, [row for row, *_ in given], [i for _, i, *_ in given], [b for *_, b in given])
        self.a, self.b = _whole([a for _, _, a, _, _ in given]), _whole([b for _, _, _, b, _ in given])
        self._by_places(self.rows, self.a)
        self._by_places(self.rows, self.b)
        if scene.unknowns.gravity is not None:
            self._by_figures(self.rows, np.tile(scene.unknowns.gravity + np.arange(2), (len(given), 1)))

    def of(self, here: Here) -> Parts:
        way = here.place[self.b] - here.place[self.a]
        normal = _cross(way, here.up)
        s, rest, divisor = self._meet(here, here.place[self.a], normal)

        def slopes() -> list[Vector]:
            by_b = _cross(here.up, rest) / divisor[:, None]
            by_a = normal / divisor[:, None] - by_b
            found = [self._through_pose(here, s, normal, divisor)]
            found += [_through(here, self.a, by_a), _through(here, self.b, by_b)]
            if self.scene.unknowns.gravity is not None:
                found.append(_cross(rest, way) @ here.tilting.T / divisor[:, None])
            return found

        return s, slopes


class Rulers(_Meetings):
    """The upright plane through a wheel along its heading: N = (sin h, −cos h, 0)."""

    refused = "ruler"

    def __init__(self, scene: Scene, given: Sequence[tuple[int, str, int, int, int]]) -> None:
        super().__init__(scene, [row for row, *_ in given], [i for _, i, *_ in given], [b for *_, b in given])
        self.wheel, self.heading = _whole([w for _, _, w, _, _ in given]), _whole([h for _, _, _, h, _ in given])
        self._by_places(self.rows, self.wheel)
        self._by_directions([heading for _, _, _, heading, _ in given])

    def of(self, here: Here) -> Parts:
        angle = here.direction[self.heading]
        c, s, nothing = np.cos(angle), np.sin(angle), np.zeros(len(angle))
        normal = np.stack([s, -c, nothing], axis=1)
        read, rest, divisor = self._meet(here, here.place[self.wheel], normal)

        def slopes() -> list[Vector]:
            by_heading = (rest[:, 0] * c + rest[:, 1] * s) / divisor
            by_wheel = _through(here, self.wheel, normal / divisor[:, None])
            by_pose = self._through_pose(here, read, normal, divisor)
            return [by_pose, by_wheel, *self._through_directions(here, by_heading)]

        return read, slopes


class Slants(_Summed):
    """How far one place lies to the left of another, seen along a direction: Δy − Δx·tan h (panels; a line at an x)."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, Sequence[Weighted], float, int]]) -> None:
        """Row, places with factors, an x to take off their sum, direction."""
        super().__init__(scene, [row for row, *_ in given], [places for _, places, _, _ in given])
        self.less = np.array([x for _, _, x, _ in given])
        self.directions = _whole([k for *_, k in given])
        self._by_directions([k for *_, k in given])

    def of(self, here: Here) -> Parts:
        total = self.total(here)
        x, y = total[:, 0] - self.less, total[:, 1]
        slant = np.tan(here.direction[self.directions])

        def slopes() -> list[Vector]:
            along = np.stack([-slant, np.ones(len(slant)), np.zeros(len(slant))], axis=1)
            return [self._through_sum(here, along), *self._through_directions(here, -x * (1 + slant**2))]

        return y - x * slant, slopes


class Returns(_Sort):
    """Where returned beams come back: distance·tan 2(heading − yaw), one or two beams a row."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, float, int]]) -> None:
        super().__init__(scene, [row for row, *_ in given])
        self.distance = np.array([distance for _, distance, _ in given])
        self.directions = _whole([k for *_, k in given])
        self._by_directions([k for *_, k in given])

    def of(self, here: Here) -> Parts:
        slant = np.tan(2 * here.direction[self.directions])
        return self.distance * slant, lambda: self._through_directions(here, 2 * self.distance * (1 + slant**2))


class Offsets(_Sort):
    """A place's distance from the line of two others in plan, left of the way positive."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, int, int, int]]) -> None:
        super().__init__(scene, [row for row, *_ in given])
        self.places = [_whole([item[k] for item in given]) for k in (1, 2, 3)]
        for places in self.places:
            self._by_places(self.rows, places)

    def of(self, here: Here) -> Parts:
        point, a, b = (here.place[k][:, :2] for k in self.places)
        way = b - a
        length = np.sqrt((way**2).sum(axis=1)) + TINY
        along = way / length[:, None]
        left = np.stack([-along[:, 1], along[:, 0], np.zeros(len(length))], axis=1)
        off = point - a

        def slopes() -> list[Vector]:
            share = ((off * along).sum(axis=1) / length)[:, None]
            by = (left, -left * (1 - share), -left * share)
            return [_through(here, k, slope) for k, slope in zip(self.places, by, strict=True)]

        return (off * left[:, :2]).sum(axis=1), slopes


class Bearings(_Sort):
    """A direction itself, in degrees, with a factor."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, float, int]]) -> None:
        super().__init__(scene, [row for row, *_ in given])
        self.factor = np.array([factor for _, factor, _ in given]) / ONE_DEGREE
        self.directions = _whole([k for *_, k in given])
        self._by_directions([k for *_, k in given])

    def of(self, here: Here) -> Parts:
        return self.factor * here.direction[self.directions], lambda: self._through_directions(here, self.factor)


class Sums(_Sort):
    """Figures with factors, added to whatever else the row holds."""

    def __init__(self, scene: Scene, given: Sequence[tuple[int, int, float]]) -> None:
        super().__init__(scene, [row for row, *_ in given])
        self.index = _whole([index for _, index, _ in given])
        self.factor = np.array([factor for *_, factor in given])
        self._by_figures(self.rows, self.index)

    def values(self, figures: Vector) -> Parts:
        """Values and slopes, from the figures alone."""
        return self.factor * figures[self.index], lambda: [self.factor]


@dataclass(frozen=True)
class System:
    """Equations in rows over the unknowns of a scene."""

    scene: Scene
    count: int
    sorts: tuple[_Sort, ...]
    sums: Sums
    flat: Indices
    rows: Indices

    @classmethod
    def of_sorts(cls, scene: Scene, count: int, sorts: Sequence[_Sort], sums: Sums) -> "System":
        """The equations together; the scene has been closed."""
        every = [*sorts, sums]
        flat = np.concatenate([part for sort in every for part in sort.flat])
        return cls(scene, count, tuple(sorts), sums, flat, np.concatenate([sort.rows for sort in every]))

    def at(self, figures: Vector) -> tuple[Vector, Callable[[], Vector]]:
        """Values (rows), and, where they are asked for, slopes (rows × unknowns and one column to throw away)."""
        here = self.scene.at(figures)
        parts = [*(sort.of(here) for sort in self.sorts), self.sums.values(figures)]
        found = np.concatenate([value for value, _ in parts])
        values = np.asarray(np.bincount(self.rows, found, self.count), dtype=np.float64)

        def slopes() -> Vector:
            weights = np.concatenate([part.ravel() for _, found in parts for part in found()])
            flat = np.bincount(self.flat, weights, self.count * self.scene.width)
            return np.asarray(flat, dtype=np.float64).reshape(self.count, self.scene.width)

        return values, slopes
