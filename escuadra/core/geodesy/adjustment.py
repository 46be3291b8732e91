"""The engine of ``network``: the adjustment of observation equations, for one set-up and for a batch.

Weighted least squares by Gauss-Newton with step control; what the readings leave loose is found by singular values
and named. Source: adjustment by observation equations; reliability after Baarda (1968), level 0.001, power 0.80.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escuadra.core.base.axes import short_way, turned
from escuadra.core.base.errors import BadInput, NotDetermined
from escuadra.core.base.said import Plain, exact, said
from escuadra.core.geodesy.equations import Guess, Unknowns, Vector, observe
from escuadra.core.geodesy.observations import NetworkInput

NONCENTRALITY = 4.1321
"""Baarda's δ0 for a level of 0.001 and a power of 0.80."""
NO_REDUNDANCY = 1e-9
MOST_ROUNDS = 60
ANGLES = ("yaw", "thrust")


@dataclass(frozen=True)
class Adjustment:
    """A solved (or designed) network: unknowns, whitened design matrix, covariance; what part, next and the job use."""

    unknowns: Unknowns
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


def _system(unknowns: Unknowns, observations: list[Any], valued: bool) -> tuple[Vector, Vector]:
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


def _solve(rows: Vector, misfit: Vector, unknowns: Unknowns) -> tuple[Vector, Vector]:
    """Least-squares step and covariance; refuses what is loose, naming it."""
    norms = np.linalg.norm(rows, axis=0) if rows.size else np.zeros(len(unknowns.names))
    scaled = rows / np.where(norms > 0, norms, 1.0)
    left, s, right = np.linalg.svd(scaled, full_matrices=rows.shape[0] < rows.shape[1])
    rank = int(np.sum(s > 1e-10 * (s[0] if s.size else 1.0)))
    if rank < len(unknowns.names):
        _refuse_loose(right[rank:], norms, unknowns)
    inverse = right.T / s / np.where(norms > 0, norms, 1.0)[:, None]
    return -(inverse @ (left.T @ misfit)), inverse @ inverse.T


def _step(rows: Vector, misfit: Vector, unknowns: Unknowns) -> Vector:
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


def _refuse_loose(null: Vector, norms: Vector, unknowns: Unknowns) -> None:
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
        "frame": said("adjustment.distance_each_beam_end_one"),
        "thrust": said("adjustment.thrust_ruler_or_scale_pair"),
    }.get(chosen, said("adjustment.two_distances_or_x_y"))
    raise NotDetermined(
        chosen, said("adjustment.too_few_readings_loose"), said("wants.readings_tie_down_such", tie=tie)
    )


def adjust(given: NetworkInput) -> Adjustment:
    """Solve the network; raises ``BadInput`` as the definition says (no value, loose parts, no convergence)."""
    for o in given.observations:
        if o.value is None:
            raise BadInput("value", "", said("wants.figure", id=o.id))
    if not given.observations and not given.points and given.frame is None:
        raise BadInput("observations", "", said("wants.read_points_read"))
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
        raise refusal or BadInput("frame", said("adjustment.no_first_guess"), said("wants.x_y_yaw_deg_start"))
    return min(found, key=lambda solution: float(solution.misfit @ solution.misfit))


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
    unknowns = Unknowns(given, guess)
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
        said("adjustment.readings_do_not_converge_after", most_rounds=MOST_ROUNDS, chi2=exact(Plain, chi2)),
        said("wants.first_guesses_nearer_truth_or"),
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
        raise BadInput("values", values.shape, said("wants.finite_rows_readings", observations=len(given.observations)))
    unknowns = Unknowns(given)
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
            raise NotDetermined(
                "frame", said("adjustment.too_few_readings_something_loose"), said("wants.readings_tie_down")
            ) from error
        step = -(covariance @ (turned @ misfit[:, :, None]))[:, :, 0]
        unknowns.values = unknowns.values + step.T
        if float(np.max(np.abs(rows @ step[:, :, None]))) < 1e-7:
            return Batch(unknowns.names, unknowns.values.T, covariance, misfit)
    raise BadInput(
        "points",
        said("adjustment.set_ups_do_not_converge", most_rounds=MOST_ROUNDS),
        said("wants.better_first_guesses"),
    )


def layout(given: NetworkInput) -> Adjustment:
    """The network at its first guesses, nothing measured yet."""
    unknowns = Unknowns(given)
    rows, misfit = _system(unknowns, given.observations, valued=False)
    _, covariance = _solve(rows, misfit, unknowns)
    return _adjusted(given, unknowns, rows, misfit, covariance)


def _adjusted(given: NetworkInput, unknowns: Unknowns, rows: Vector, misfit: Vector, covariance: Vector) -> Adjustment:
    ids = [o.id for o in given.observations] + [f"{tool}.{part}" for tool, part, _ in unknowns.pseudo]
    u = np.array([o.u for o in given.observations] + [u for _, _, u in unknowns.pseudo])
    return Adjustment(unknowns, ids, u, rows, misfit, covariance)


def reliability(solution: Adjustment) -> tuple[Vector, list[float | None], list[float | None]]:
    """Redundancy, w and smallest detectable blunder of every observation."""
    r = 1 - np.einsum("ij,jk,ik->i", solution.rows, solution.covariance, solution.rows)
    w: list[float | None] = []
    mdb: list[float | None] = []
    for k, share in enumerate(r):
        seen = share >= NO_REDUNDANCY
        w.append(float(solution.misfit[k]) / math.sqrt(share) if seen else None)
        mdb.append(NONCENTRALITY * float(solution.u[k]) / math.sqrt(share) if seen else None)
    return r, w, mdb
