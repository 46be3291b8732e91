"""Observation equations of a network: its unknowns, and what each observation should read with its derivatives.

One definition for a single set-up (numbers) and for a batch (arrays). Axes after ISO 8855, millimetres and radians.
"""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.geodesy.observations import NetworkInput

Vector = NDArray[np.float64]
LEAST_SINE = 1e-6
TINY = 1e-12
"""Keeps the slope of a vanishing distance finite."""
Row = tuple[Any, dict[int, Any]]
Guess = tuple[float, float, float]
"""x, y and yaw (degrees) of a frame to start from."""


class Unknowns:
    """Which column is which, and where they stand."""

    def __init__(self, given: NetworkInput, guess: Guess | None = None) -> None:
        self.given = given
        names: list[tuple[str, str]] = []
        start: list[float] = []
        for i, point in given.points.items():
            if not point.fixed:
                names += [(i, "x"), (i, "y")]
                start += [point.x, point.y]
        if given.frame:
            names += [("frame", "x"), ("frame", "y"), ("frame", "yaw")]
            x, y, yaw = guess or given.frame.guess or (0.0, 0.0, 0.0)
            start += [x, y, math.radians(yaw)]
        if given.thrust:
            names.append(("thrust", "angle"))
            start.append(math.radians(given.thrust.angle_deg))
        used = {getattr(o, "instrument", None) for o in given.observations}
        self.pseudo: list[tuple[str, str, float]] = []
        for i, tool in given.instruments.items():
            for part, u in (("offset", tool.u_offset), ("scale", tool.u_scale)):
                if u > 0 and i in used:
                    names.append((f"instrument {i}", part))
                    start.append(0.0)
                    self.pseudo.append((i, part, u))
        self.names = names
        self.column = {name: k for k, name in enumerate(names)}
        self.values: Vector = np.array(start, dtype=float)
        self.batch = False

    @property
    def maths(self) -> Any:
        """Elementary functions for a number or for a batch."""
        return np if self.batch else math

    def at(self, k: int) -> Any:
        """An unknown: a number, or one for each set-up of a batch."""
        return self.values[k] if self.batch else float(self.values[k])

    def place(self, name: str) -> tuple[Any, Any, list[tuple[int, Any, Any]]]:
        """x, y of a point or frame point and (column, dx, dy) of what it depends on."""
        on_frame = self.given.frame.points if self.given.frame else {}
        if name in on_frame and name not in self.given.points:
            cx, cy, psi = self.frame()
            bx, by = on_frame[name]
            c, s = self.maths.cos(psi), self.maths.sin(psi)
            dx, dy = c * bx - s * by, s * bx + c * by
            k = self.column["frame", "x"]
            return cx + dx, cy + dy, [(k, 1.0, 0.0), (k + 1, 0.0, 1.0), (k + 2, -dy, dx)]
        point = self.given.points[name]
        if point.fixed:
            return point.x, point.y, []
        k = self.column[name, "x"]
        return self.at(k), self.at(k + 1), [(k, 1.0, 0.0), (k + 1, 0.0, 1.0)]

    def frame(self) -> tuple[Any, Any, Any]:
        k = self.column["frame", "x"]
        return self.at(k), self.at(k + 1), self.at(k + 2)

    def thrust(self) -> Any:
        return self.at(self.column["thrust", "angle"])


def _gather(*parts: tuple[list[tuple[int, Any, Any]], Any, Any]) -> dict[int, Any]:
    """Chain rule: derivatives by x and y of several places onto the unknowns."""
    row: dict[int, Any] = {}
    for columns, by_x, by_y in parts:
        for k, dx, dy in columns:
            row[k] = row.get(k, 0.0) + by_x * dx + by_y * dy
    return row


def _beam_meets(unknowns: Unknowns, x: Any, y: Any, ux: Any, uy: Any, field: str, name: str) -> Row:
    """Where the line through (x, y) along (ux, uy) meets the beam, counted along it: s and its slopes.

    s = (u × (P − c)) / (u × n) with n along the beam. Keys −1 to −4 of the slopes stand for x, y, ux, uy.
    """
    maths = unknowns.maths
    cx, cy, psi = unknowns.frame()
    nx, ny = -maths.sin(psi), maths.cos(psi)
    sine = ux * ny - uy * nx
    if np.any(abs(sine) <= LEAST_SINE * maths.hypot(ux, uy)):
        raise BadInput(field, name, said("wants.line_not_along_beam"))
    qx, qy = x - cx, y - cy
    s = (ux * qy - uy * qx) / sine
    k = unknowns.column["frame", "x"]
    slopes = {
        -1: -uy / sine,
        -2: ux / sine,
        -3: (qy - s * ny) / sine,
        -4: (-qx + s * nx) / sine,
        k: uy / sine,
        k + 1: -ux / sine,
        k + 2: -s * (ux * nx + uy * ny) / sine,
    }
    return s, slopes


def _row(unknowns: Unknowns, o: Any) -> Row:
    """An observation's computed value and its derivatives, before its instrument's own errors."""
    kind, maths = o.type, unknowns.maths
    if kind == "distance":
        ax, ay, a = unknowns.place(o.from_)
        bx, by, b = unknowns.place(o.to)
        dx, dy = bx - ax, by - ay
        d = maths.hypot(dx, dy) + TINY
        return d, _gather((b, dx / d, dy / d), (a, -dx / d, -dy / d))
    if kind in ("x", "y"):
        x, y, columns = unknowns.place(o.point)
        return (x, _gather((columns, 1.0, 0.0))) if kind == "x" else (y, _gather((columns, 0.0, 1.0)))
    if kind == "thrust":
        return maths.degrees(unknowns.thrust()), {unknowns.column["thrust", "angle"]: math.degrees(1.0)}
    cx, cy, psi = unknowns.frame()
    k = unknowns.column["frame", "x"]
    if kind == "yaw":
        return maths.degrees(psi), {k + 2: math.degrees(1.0)}
    ex, ey = maths.cos(psi), maths.sin(psi)
    if kind in ("perpendicular", "along"):
        x, y, columns = unknowns.place(o.point)
        qx, qy = x - cx, y - cy
        if kind == "perpendicular":
            row = _gather((columns, -ex, -ey), ([(k, 1.0, 0.0), (k + 1, 0.0, 1.0)], ex, ey))
            row[k + 2] = row.get(k + 2, 0.0) - (-qx * ey + qy * ex) * 1.0
            return -(qx * ex + qy * ey), row
        row = _gather((columns, -ey, ex), ([(k, 1.0, 0.0), (k + 1, 0.0, 1.0)], ey, -ex))
        row[k + 2] = row.get(k + 2, 0.0) - (qx * ex + qy * ey)
        return -qx * ey + qy * ex, row
    if kind == "crossing":
        ax, ay, a = unknowns.place(o.from_)
        bx, by, b = unknowns.place(o.to)
        if np.any(maths.hypot(bx - ax, by - ay) <= LEAST_SINE):
            raise BadInput("crossing", o.id, said("wants.two_points_do_not_coincide"))
        s, slopes = _beam_meets(unknowns, ax, ay, bx - ax, by - ay, "crossing", o.id)
        row = _gather((a, slopes[-1] - slopes[-3], slopes[-2] - slopes[-4]), (b, slopes[-3], slopes[-4]))
        for j, slope in slopes.items():
            if j >= 0:
                row[j] = row.get(j, 0.0) + slope
        return s, row
    if kind == "panel":
        px, py, p = unknowns.place(o.point)
        wx, wy, w = unknowns.place(o.wheel)
        t, sec2 = maths.tan(psi), 1 / maths.cos(psi) ** 2
        row = _gather((p, -t, 1.0), (w, t, -1.0))
        row[k + 2] = row.get(k + 2, 0.0) - (px - wx) * sec2
        return py - (px - wx) * t - wy, row
    tau, j = unknowns.thrust(), unknowns.column["thrust", "angle"]
    if kind == "ruler":
        x, y, w = unknowns.place(o.wheel)
        h = tau + math.radians(o.toe_deg)
        ux, uy = maths.cos(h), maths.sin(h)
        s, slopes = _beam_meets(unknowns, x, y, ux, uy, "ruler", o.id)
        row = _gather((w, slopes[-1], slopes[-2]))
        row[j] = row.get(j, 0.0) + slopes[-3] * -uy + slopes[-4] * ux
        for m, slope in slopes.items():
            if m >= 0:
                row[m] = row.get(m, 0.0) + slope
        return s, row
    half = math.radians(o.half_toe_deg)
    left, right = 2 * (tau - half - psi), 2 * (tau + half - psi)
    slope = 2 * o.left_distance / maths.cos(left) ** 2 + 2 * o.right_distance / maths.cos(right) ** 2
    return o.left_distance * maths.tan(left) + o.right_distance * maths.tan(right), {j: slope, k + 2: -slope}


def observe(unknowns: Unknowns, o: Any) -> Row:
    """Computed value and derivatives of an observation, its instrument's offset and scale included."""
    f, row = _row(unknowns, o)
    tool = getattr(o, "instrument", None)
    if tool is None:
        return f, row
    scale = unknowns.column.get((f"instrument {tool}", "scale"))
    offset = unknowns.column.get((f"instrument {tool}", "offset"))
    if scale is not None:
        factor = 1 + unknowns.at(scale)
        row = {k: factor * slope for k, slope in row.items()}
        row[scale] = f
        f = f * factor
    if offset is not None:
        row[offset] = 1.0
        f = f + unknowns.at(offset)
    return f, row
