"""Where everything really stands, from more readings than needed.

Weighted least squares over hubs, marks, the calibration frame's pose, the thrust line's direction and the shared
errors of the instruments, with redundancy numbers, w-tests and smallest detectable blunders.
Source: adjustment by observation equations; reliability after Baarda (1968), level 0.001 and power 0.80.
Vehicle axes (ISO 8855), millimetres, degrees at the boundary and radians inside.
"""

import math
from typing import Any

import numpy as np
from pydantic import Field

from escuadra.core.base.axes import short_way
from escuadra.core.base.calculation import calculation
from escuadra.core.base.chisquare import quantile
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen
from escuadra.core.geodesy.adjustment import Adjustment, adjust, reliability
from escuadra.core.geodesy.observations import NetworkInput
from escuadra.core.measure.symmetry import CRITICAL_W

SHARED_BLAME = 0.95
MOST_REMOVED = 4


class SolvedPoint(Frozen):
    """A free point as solved."""

    x: float
    y: float
    u_x: float
    u_y: float


class SolvedFrame(SolvedPoint):
    """The frame's pose as solved."""

    yaw_deg: float
    u_yaw_deg: float


class Ellipse(Frozen):
    """A one-sigma ellipse of a place."""

    major: float
    minor: float
    bearing_deg: float = Field(description="of the major axis against x, −90 to 90")


class SolvedAngle(Frozen):
    """A direction as solved."""

    angle_deg: float
    u_deg: float


class SolvedSquare(Frozen):
    """The frame's yaw against the thrust line."""

    yaw_to_thrust_deg: float
    u_deg: float


class SolvedInstrument(Frozen):
    """An instrument's own errors as solved; only what was unknown."""

    offset: float | None = None
    u_offset: float | None = None
    scale: float | None = None
    u_scale: float | None = None


class NetworkResult(Frozen):
    """The solution, and how far each reading is to be believed."""

    points: dict[str, SolvedPoint]
    frame: SolvedFrame | None = None
    thrust: SolvedAngle | None = None
    square: SolvedSquare | None = None
    instruments: dict[str, SolvedInstrument] | None = None
    residuals: dict[str, float]
    redundancy: dict[str, float]
    w: dict[str, float | None]
    mdb: dict[str, float | None]
    dof: int
    chi2: float
    chi2_limit: float | None
    passes: bool
    suspects: list[str]
    suspect: str | None
    ellipses: dict[str, Ellipse] = Field(description="of every free point and of the frame's centre")
    proposal: list[str] | None = Field(
        None, description="readings that, left out one after the other, make the rest agree; never left out by itself"
    )


def result_of(given: NetworkInput, solution: Adjustment) -> NetworkResult:
    """Everything that the definition asks of a solved network."""
    unknowns, sigma = solution.unknowns, np.sqrt(np.diag(solution.covariance))
    value = {name: float(unknowns.values[k]) for name, k in unknowns.column.items()}
    spread = {name: float(sigma[k]) for name, k in unknowns.column.items()}
    points = {
        i: SolvedPoint(x=value[i, "x"], y=value[i, "y"], u_x=spread[i, "x"], u_y=spread[i, "y"])
        for i, point in given.points.items()
        if not point.fixed
    }
    r, w, mdb = reliability(solution)
    dof = len(solution.ids) - len(unknowns.names)
    chi2 = float(solution.misfit @ solution.misfit)
    limit = quantile(given.alpha, dof) if dof > 0 else None
    largest = max((abs(x) for x in w if x is not None), default=0.0)
    suspects = [
        i
        for i, x in zip(solution.ids, w, strict=True)
        if x is not None and abs(x) > CRITICAL_W and abs(x) >= SHARED_BLAME * largest
    ]
    parts: dict[str, Any] = {}
    if given.frame:
        parts["frame"] = SolvedFrame(
            x=value["frame", "x"],
            y=value["frame", "y"],
            yaw_deg=math.degrees(value["frame", "yaw"]),
            u_x=spread["frame", "x"],
            u_y=spread["frame", "y"],
            u_yaw_deg=math.degrees(spread["frame", "yaw"]),
        )
    if given.thrust:
        parts["thrust"] = SolvedAngle(
            angle_deg=math.degrees(value["thrust", "angle"]), u_deg=math.degrees(spread["thrust", "angle"])
        )
    if given.frame and given.thrust:
        turn = math.degrees(value["frame", "yaw"] - value["thrust", "angle"])
        gradient = np.zeros(len(unknowns.names))
        gradient[unknowns.column["frame", "yaw"]] = 1
        gradient[unknowns.column["thrust", "angle"]] = -1
        parts["square"] = SolvedSquare(yaw_to_thrust_deg=short_way(turn), u_deg=math.degrees(solution.spread(gradient)))
    tools: dict[str, dict[str, float]] = {}
    for tool, part, _ in unknowns.pseudo:
        found = tools.setdefault(tool, {})
        found[part] = value[f"instrument {tool}", part]
        found[f"u_{part}"] = spread[f"instrument {tool}", part]
    if tools:
        parts["instruments"] = {tool: SolvedInstrument(**found) for tool, found in tools.items()}
    return NetworkResult(
        points=points,
        residuals={i: float(v) for i, v in zip(solution.ids, solution.misfit * solution.u, strict=True)},
        redundancy={i: float(x) for i, x in zip(solution.ids, r, strict=True)},
        w=dict(zip(solution.ids, w, strict=True)),
        mdb=dict(zip(solution.ids, mdb, strict=True)),
        dof=dof,
        chi2=chi2,
        chi2_limit=limit,
        passes=limit is None or chi2 <= limit,
        suspects=suspects,
        suspect=suspects[0] if len(suspects) == 1 else None,
        ellipses={
            owner: Ellipse(major=major, minor=minor, bearing_deg=bearing)
            for owner in [*points, *(["frame"] if given.frame else [])]
            for major, minor, bearing in [solution.ellipse(owner)]
        },
        **parts,
    )


@calculation("network")
def network(given: NetworkInput) -> NetworkResult:
    """Solve a network and judge every reading in it."""
    result = result_of(given, adjust(given))
    return result if result.passes and not result.suspects else result.model_copy(update={"proposal": proposal(given)})


def proposal(given: NetworkInput) -> list[str]:
    """Readings whose successive removal, the worst first, makes the rest agree; empty where blame cannot be parted."""
    left, removed = given, list[str]()
    while len(removed) < MOST_REMOVED:
        try:
            result = result_of(left, adjust(left))
        except BadInput:
            return []
        if not result.suspects:
            return removed if result.passes else []
        if result.suspect is None or result.suspect not in {o.id for o in left.observations}:
            return []
        removed.append(result.suspect)
        kept = [o for o in left.observations if o.id != result.suspect]
        left = left.model_copy(update={"observations": kept})
    return []
