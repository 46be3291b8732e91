"""The engine of ``network``: unknowns, observation equations with analytic derivatives, and their adjustment.

Weighted least squares by Gauss-Newton with step control; what the readings leave loose is found by singular values
and named. Source: adjustment by observation equations; reliability after Baarda (1968), level 0.001, power 0.80.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escuadra.core.axes import short_way, turned
from escuadra.core.errors import BadInput, NotDetermined
from escuadra.core.observations import NetworkInput

Vector = NDArray[np.float64]
NONCENTRALITY = 4.1321
"""Baarda's δ0 for a level of 0.001 and a power of 0.80."""
NO_REDUNDANCY = 1e-9
MOST_ROUNDS = 60
LEAST_SINE = 1e-6
TINY = 1e-12
"""Keeps the slope of a vanishing distance finite."""
Row = tuple[Any, dict[int, Any]]
Guess = tuple[float, float, float]
"""x, y and yaw (degrees) of a frame to start from."""


class _Unknowns:
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


def _beam_meets(unknowns: _Unknowns, x: Any, y: Any, ux: Any, uy: Any, field: str, name: str) -> Row:
    """Where the line through (x, y) along (ux, uy) meets the beam, counted along it: s and its slopes.

    s = (u × (P − c)) / (u × n) with n along the beam. Keys −1 to −4 of the slopes stand for x, y, ux, uy.
    """
    maths = unknowns.maths
    cx, cy, psi = unknowns.frame()
    nx, ny = -maths.sin(psi), maths.cos(psi)
    sine = ux * ny - uy * nx
    if np.any(abs(sine) <= LEAST_SINE * maths.hypot(ux, uy)):
        raise BadInput(field, name, "a line that is not along the beam")
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


def _row(unknowns: _Unknowns, o: Any) -> Row:
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
            raise BadInput("crossing", o.id, "two points that do not coincide")
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


def observe(unknowns: _Unknowns, o: Any) -> Row:
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


ANGLES = ("yaw", "thrust")


@dataclass(frozen=True)
class Adjustment:
    """A solved (or designed) network: unknowns, whitened design matrix, covariance; what part, next and the job use."""

    unknowns: _Unknowns
    ids: list[str]
    u: Vector
    rows: Vector
    """Whitened design matrix, observations × unknowns."""
    misfit: Vector
    """Whitened residuals, computed − observed."""
    covariance: Vector

    def column(self, owner: str, part: str) -> int:
        return self.unknowns.column[owner, part]

    def spread(self, gradient: Vector) -> float:
        """Standard uncertainty of a quantity with this gradient over the unknowns."""
        return math.sqrt(max(0.0, float(gradient @ self.covariance @ gradient)))

    def ellipse(self, owner: str) -> tuple[float, float, float]:
        """One-sigma ellipse of a free point or the frame: semi-axes (mm) and the major one's bearing (degrees)."""
        k = self.column(owner, "x")
        values, axes = np.linalg.eigh(self.covariance[k : k + 2, k : k + 2])
        minor, major = (math.sqrt(max(0.0, float(v))) for v in values)
        bearing = math.degrees(math.atan2(float(axes[1, 1]), float(axes[0, 1])))
        return major, minor, bearing - 180 * math.floor(bearing / 180 + 0.5)

    def unit_row(self, o: Any) -> Vector:
        """The whitened row of an observation at this geometry."""
        row = np.zeros(len(self.unknowns.names))
        for k, slope in observe(self.unknowns, o)[1].items():
            row[k] = slope / o.u
        return row


def _system(unknowns: _Unknowns, observations: list[Any], valued: bool) -> tuple[Vector, Vector]:
    n, m = len(observations) + len(unknowns.pseudo), len(unknowns.names)
    rows, misfit = np.zeros((n, m)), np.zeros(n)
    for i, o in enumerate(observations):
        f, row = observe(unknowns, o)
        for k, slope in row.items():
            rows[i, k] = slope / o.u
        if valued:
            v = f - o.value
            misfit[i] = (short_way(v) if o.type in ANGLES else v) / o.u
    for i, (tool, part, u) in enumerate(unknowns.pseudo, len(observations)):
        k = unknowns.column[f"instrument {tool}", part]
        rows[i, k] = 1 / u
        misfit[i] = unknowns.values[k] / u
    return rows, misfit


def _solve(rows: Vector, misfit: Vector, unknowns: _Unknowns) -> tuple[Vector, Vector]:
    """Least-squares step and covariance; refuses what is loose, naming it."""
    norms = np.linalg.norm(rows, axis=0) if rows.size else np.zeros(len(unknowns.names))
    scaled = rows / np.where(norms > 0, norms, 1.0)
    left, s, right = np.linalg.svd(scaled, full_matrices=rows.shape[0] < rows.shape[1])
    rank = int(np.sum(s > 1e-10 * (s[0] if s.size else 1.0)))
    if rank < len(unknowns.names):
        _refuse_loose(right[rank:], norms, unknowns)
    inverse = right.T / s / np.where(norms > 0, norms, 1.0)[:, None]
    return -(inverse @ (left.T @ misfit)), inverse @ inverse.T


def _step(rows: Vector, misfit: Vector, unknowns: _Unknowns) -> Vector:
    """A Gauss-Newton step from the scaled normal equations; by singular values where they are not definite."""
    norms = np.linalg.norm(rows, axis=0)
    if rows.shape[0] >= rows.shape[1] and np.all(norms > 0):
        scaled = rows / norms
        normal = scaled.T @ scaled
        try:
            lower = np.linalg.cholesky(normal)
        except np.linalg.LinAlgError:
            return _solve(rows, misfit, unknowns)[0]
        if float(np.min(np.diag(lower))) > 1e-6:
            step: Vector = -np.linalg.solve(normal, scaled.T @ misfit) / norms
            return step
    return _solve(rows, misfit, unknowns)[0]


def _refuse_loose(null: Vector, norms: Vector, unknowns: _Unknowns) -> None:
    shift = np.abs(null[-1]) / np.where(norms > 0, norms, 1e-3)
    angles = [k for k, (_, part) in enumerate(unknowns.names) if part in ("yaw", "angle")]
    shift[angles] *= 1000.0
    owners: dict[str, float] = {}
    for k, (owner, _) in enumerate(unknowns.names):
        owners[owner] = max(owners.get(owner, 0.0), float(shift[k]))
    most = max(owners.values())
    loose = [owner for owner, s in owners.items() if s > 0.3 * most]
    chosen = next((o for o in ("frame", "thrust") if o in loose), loose[0])
    tie = {
        "frame": "a distance to each beam end and one reading sideways (crossing, along, diagonal distance)",
        "thrust": "a thrust, ruler or scale_pair reading",
    }.get(chosen, "two distances, or its x and its y")
    raise NotDetermined(chosen, "too few readings: it is loose", f"readings that tie it down, such as {tie}")


def adjust(given: NetworkInput) -> Adjustment:
    """Solve the network; raises ``BadInput`` as the definition says (no value, loose parts, no convergence)."""
    for o in given.observations:
        if o.value is None:
            raise BadInput("value", "nothing", f"a figure for {o.id}")
    if given.frame is None or given.frame.guess is not None:
        return _adjust_from(given, None)
    found: list[Adjustment] = []
    refusal: BadInput | None = None
    for guess in _guesses(given):
        try:
            found.append(_adjust_from(given, guess))
        except BadInput as refused:
            refusal = refusal or refused
    if not found:
        raise refusal or BadInput("frame", "no first guess", "x, y and yaw_deg to start from")
    return min(found, key=lambda solved: float(solved.misfit @ solved.misfit))


def _guesses(given: NetworkInput) -> list[Guess]:
    """Where a frame may stand, seen from the middle of the points: ahead, behind and at both sides, near and far."""
    x = sum(p.x for p in given.points.values()) / max(1, len(given.points))
    y = sum(p.y for p in given.points.values()) / max(1, len(given.points))
    lengths = [abs(o.value) for o in given.observations if o.type in ("distance", "perpendicular") and o.value]
    reach = sum(lengths) / len(lengths) if lengths else 3000.0
    found = []
    for turn in (0.0, 180.0, 90.0, -90.0):
        dx, dy = turned(turn, reach, 0.0)
        found += [(x + share * dx, y + share * dy, turn) for share in (0.8, 1.2, 1.7)]
    return found


def _adjust_from(given: NetworkInput, guess: Guess | None) -> Adjustment:
    unknowns = _Unknowns(given, guess)
    rows, misfit = _system(unknowns, given.observations, valued=True)
    chi2 = float(misfit @ misfit)
    for _ in range(MOST_ROUNDS):
        step = _step(rows, misfit, unknowns)
        start, fraction = unknowns.values.copy(), 1.0
        change = float(np.max(np.abs(rows @ step))) if rows.size else 0.0
        while True:
            unknowns.values = start + fraction * step
            rows, misfit = _system(unknowns, given.observations, valued=True)
            new = float(misfit @ misfit)
            if new <= chi2 * (1 + 1e-9) + 1e-12 or fraction < 1e-3:
                break
            fraction /= 2
        chi2 = new
        if change < 1e-7 and fraction == 1.0:
            _, covariance = _solve(rows, misfit, unknowns)
            return _adjusted(given, unknowns, rows, misfit, covariance)
    raise BadInput(
        "points",
        f"readings that do not converge after {MOST_ROUNDS} rounds (chi-square {chi2:.6g})",
        "first guesses nearer the truth, or readings that agree",
    )


@dataclass(frozen=True)
class Batch:
    """Many set-ups of one geometry, solved at once: unknowns (n × m), covariances (n × m × m), whitened residuals."""

    names: list[tuple[str, str]]
    values: Vector
    covariance: NDArray[Any]
    misfit: Vector


def adjust_batch(given: NetworkInput, values: Vector) -> Batch:
    """Solve the network for each row of ``values`` (set-ups × observations); raises ``BadInput`` where one fails."""
    if values.ndim != 2 or values.shape[1] != len(given.observations) or not np.all(np.isfinite(values)):
        raise BadInput("values", values.shape, f"finite rows of {len(given.observations)} readings")
    unknowns = _Unknowns(given)
    start, count, m = unknowns.values, len(values), len(unknowns.names)
    n = len(given.observations) + len(unknowns.pseudo)
    unknowns.batch, unknowns.values = True, np.repeat(start[:, None], count, axis=1)
    for _ in range(MOST_ROUNDS):
        rows, misfit = np.zeros((count, n, m)), np.zeros((count, n))
        for i, o in enumerate(given.observations):
            f, row = observe(unknowns, o)
            for k, slope in row.items():
                rows[:, i, k] = slope / o.u
            v = f - values[:, i]
            misfit[:, i] = ((v + 180) % 360 - 180 if o.type in ANGLES else v) / o.u
        for i, (tool, part, u) in enumerate(unknowns.pseudo, len(given.observations)):
            k = unknowns.column[f"instrument {tool}", part]
            rows[:, i, k] = 1 / u
            misfit[:, i] = unknowns.values[k] / u
        turned = rows.transpose(0, 2, 1)
        try:
            covariance = np.linalg.inv(turned @ rows)
        except np.linalg.LinAlgError as error:
            raise NotDetermined("frame", "too few readings: something is loose", "readings that tie it down") from error
        step = -(covariance @ (turned @ misfit[:, :, None]))[:, :, 0]
        unknowns.values = unknowns.values + step.T
        if float(np.max(np.abs(rows @ step[:, :, None]))) < 1e-7:
            return Batch(unknowns.names, unknowns.values.T, covariance, misfit)
    raise BadInput("points", f"set-ups that do not converge after {MOST_ROUNDS} rounds", "better first guesses")


def layout(given: NetworkInput) -> Adjustment:
    """The network at its first guesses, nothing measured yet."""
    unknowns = _Unknowns(given)
    rows, misfit = _system(unknowns, given.observations, valued=False)
    _, covariance = _solve(rows, misfit, unknowns)
    return _adjusted(given, unknowns, rows, misfit, covariance)


def _adjusted(given: NetworkInput, unknowns: _Unknowns, rows: Vector, misfit: Vector, covariance: Vector) -> Adjustment:
    ids = [o.id for o in given.observations] + [f"{tool}.{part}" for tool, part, _ in unknowns.pseudo]
    u = np.array([o.u for o in given.observations] + [u for _, _, u in unknowns.pseudo])
    return Adjustment(unknowns, ids, u, rows, misfit, covariance)


def reliability(solved: Adjustment) -> tuple[Vector, list[float | None], list[float | None]]:
    """Redundancy, w and smallest detectable blunder of every observation."""
    r = 1 - np.einsum("ij,jk,ik->i", solved.rows, solved.covariance, solved.rows)
    w: list[float | None] = []
    mdb: list[float | None] = []
    for k, share in enumerate(r):
        seen = share >= NO_REDUNDANCY
        w.append(float(solved.misfit[k]) / math.sqrt(share) if seen else None)
        mdb.append(NONCENTRALITY * float(solved.u[k]) / math.sqrt(share) if seen else None)
    return r, w, mdb
