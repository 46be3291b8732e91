"""What to read, before anything is measured and between readings.

``design``: the uncertainties that planned readings will reach. ``next``: which further reading helps a quantity most.
``part``: which one tells two suspects apart. Source: covariance N⁻¹ of the planned network; correlation of
w-tests after Förstner. All three stand on ``network``.
"""

import math
from typing import Any, Literal

import numpy as np

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import said
from escuadra.core.geodesy.adjustment import NO_REDUNDANCY, Adjustment, adjust, layout, reliability
from escuadra.core.geodesy.equations import Vector, observe
from escuadra.core.geodesy.observations import NetworkInput, Observation

Quantity = Literal["x", "y", "yaw_deg", "square", "thrust"]


class Spread(Frozen):
    """Uncertainties that a plan will reach; only what there is."""

    u_x: float | None = None
    u_y: float | None = None
    u_yaw_deg: float | None = None
    u_deg: float | None = None


class DesignInput(NetworkInput):
    """A network whose observations have no values yet."""


class DesignResult(Frozen):
    """What the planned readings will be worth."""

    points: dict[str, Spread]
    frame: Spread | None = None
    thrust: Spread | None = None
    square: Spread | None = None
    redundancy: dict[str, float]
    mdb: dict[str, float | None]


class NextInput(NetworkInput):
    """A solved network, and readings that could be taken."""

    candidates: list[Observation]
    quantity: Quantity


class NextResult(Frozen):
    """The quantity's standard uncertainty now, and after each candidate alone."""

    now: float
    after: dict[str, float]
    best: str


class PartInput(NetworkInput):
    """Two readings that share the blame, and readings that could part them."""

    suspects: tuple[str, str]
    candidates: list[Observation]


class PartResult(Frozen):
    """How alike the two suspects' tests are now (1: inseparable), and after each candidate alone."""

    now: float
    after: dict[str, float]
    best: str


@calculation("design")
def design(given: DesignInput) -> DesignResult:
    """Uncertainties, redundancy and detectable blunders at the first guesses."""
    planned = layout(given)
    sigma = {name: planned.spread(_unit(planned, name)) for name in planned.unknowns.names}
    parts: dict[str, Any] = {}
    if given.frame:
        parts["frame"] = Spread(
            u_x=sigma["frame", "x"], u_y=sigma["frame", "y"], u_yaw_deg=math.degrees(sigma["frame", "yaw"])
        )
    if given.thrust:
        parts["thrust"] = Spread(u_deg=math.degrees(sigma["thrust", "angle"]))
    if given.frame and given.thrust:
        parts["square"] = Spread(u_deg=_quantity(planned, "square")[1])
    points = {i: Spread(u_x=sigma[i, "x"], u_y=sigma[i, "y"]) for i, point in given.points.items() if not point.fixed}
    r, _, mdb = reliability(planned)
    return DesignResult(
        points=points,
        redundancy={i: float(x) for i, x in zip(planned.ids, r, strict=True)},
        mdb=dict(zip(planned.ids, mdb, strict=True)),
        **parts,
    )


def _unit(solution: Adjustment, name: tuple[str, str]) -> Vector:
    gradient = np.zeros(len(solution.unknowns.names))
    gradient[solution.unknowns.column[name]] = 1
    return gradient


def _quantity(solution: Adjustment, quantity: Quantity) -> tuple[Vector, float]:
    """Gradient of the quantity (degrees for angles) and its standard uncertainty."""
    need = {
        "x": [("frame", "x")],
        "y": [("frame", "y")],
        "yaw_deg": [("frame", "yaw")],
        "thrust": [("thrust", "angle")],
        "square": [("frame", "yaw"), ("thrust", "angle")],
    }[quantity]
    if any(name not in solution.unknowns.column for name in need):
        raise BadInput("quantity", quantity, said("wants.quantity_network"))
    gradient = _unit(solution, need[0])
    if len(need) > 1:
        gradient = gradient - _unit(solution, need[1])
    if quantity not in ("x", "y"):
        gradient = gradient * math.degrees(1.0)
    return gradient, solution.spread(gradient)


def _checked(given: NextInput | PartInput) -> tuple[Adjustment, list[Any]]:
    if not given.candidates:
        raise BadInput("candidates", "", said("wants.one_or_more_readings_could"))
    for candidate in given.candidates:
        given.check(candidate)
    ids = [o.id for o in given.observations] + [c.id for c in given.candidates]
    twice = next((i for k, i in enumerate(ids) if i in ids[:k]), None)
    if twice is not None:
        raise BadInput("candidates", twice, said("wants.id_no_other_reading"))
    return adjust(given), list(given.candidates)


def covariance_with(solution: Adjustment, given: NetworkInput, candidate: Any) -> Vector:
    """Covariance after one more observation (rank-one update; an instrument not used so far adds its own errors)."""
    row = solution.unit_row(candidate)
    noise = 1.0
    tool = getattr(candidate, "instrument", None)
    if tool is not None:
        shared = given.instruments[tool]
        known = solution.unknowns.column
        f = solved_value(solution, candidate)
        if (f"instrument {tool}", "offset") not in known:
            noise += (shared.u_offset / candidate.u) ** 2
        if (f"instrument {tool}", "scale") not in known:
            noise += (shared.u_scale * f / candidate.u) ** 2
    gain = solution.covariance @ row
    updated: Vector = solution.covariance - np.outer(gain, gain) / (noise + float(row @ gain))
    return updated


def solved_value(solution: Adjustment, candidate: Any) -> float:
    """What a reading should show at the solved geometry."""
    return float(observe(solution.unknowns, candidate)[0])


@calculation("next")
def next_reading(given: NextInput) -> NextResult:
    """The quantity's u after adding each candidate alone, and the candidate that lessens it most."""
    solution, candidates = _checked(given)
    gradient, now = _quantity(solution, given.quantity)
    after = {}
    for candidate in candidates:
        covariance = covariance_with(solution, given, candidate)
        after[candidate.id] = math.sqrt(max(0.0, float(gradient @ covariance @ gradient)))
    return NextResult(now=now, after=after, best=min(after, key=lambda i: after[i]))


@calculation("part")
def part(given: PartInput) -> PartResult:
    """|Correlation| of the two suspects' w now and after each candidate, and the candidate that parts them best."""
    solution, candidates = _checked(given)
    return parting(solution, given, given.suspects, candidates)


def parting(solution: Adjustment, given: NetworkInput, suspects: tuple[str, str], candidates: list[Any]) -> PartResult:
    """``part`` on a network that is solved already."""
    rows = []
    for suspect in suspects:
        if suspect not in solution.ids:
            raise BadInput("suspects", suspect, said("wants.two_observations_network"))
        rows.append(solution.rows[solution.ids.index(suspect)])
    a, b = rows

    def correlation(covariance: Vector) -> float:
        # Whitened: Q = I − A N⁻¹ Aᵀ; the suspects' own u cancel in ρ.
        q11, q22 = 1 - float(a @ covariance @ a), 1 - float(b @ covariance @ b)
        if min(q11, q22) < NO_REDUNDANCY:
            raise BadInput("suspects", ", ".join(suspects), said("wants.two_observations_others_check"))
        q12 = -float(a @ covariance @ b)
        return abs(q12) / math.sqrt(q11 * q22)

    now = correlation(solution.covariance)
    after = {c.id: correlation(covariance_with(solution, given, c)) for c in candidates}
    return PartResult(now=now, after=after, best=min(after, key=lambda i: after[i]))
