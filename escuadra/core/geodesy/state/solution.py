"""A state solved: Gauss-Newton with step-halving, what is wanted with covariance, and how readings check each other.

Weighted least squares (weights 1/u²) over everything that was read, shared errors held by what is known of them.
Source: adjustment by observation equations; reliability after Baarda (1968), level 0.001 and power 0.80, for one
reading and for what one act can get wrong in several readings at once.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from escuadra.core.base.axes import short_way
from escuadra.core.base.chisquare import quantile
from escuadra.core.base.errors import BadInput, NotDetermined
from escuadra.core.base.said import Plain, exact, said
from escuadra.core.geodesy.adjustment import NONCENTRALITY
from escuadra.core.geodesy.network import SHARED_BLAME
from escuadra.core.geodesy.state.assembly import Assembled, assembled
from escuadra.core.geodesy.state.box import bounds, joint, within
from escuadra.core.geodesy.state.equations import System
from escuadra.core.geodesy.state.factors import Factors, factored
from escuadra.core.geodesy.state.factors import step as step_of
from escuadra.core.geodesy.state.input import StateInput
from escuadra.core.geodesy.state.unknowns import BODY, POINT, SHARED, Indices, Vector
from escuadra.core.measure.symmetry import CRITICAL_W

NO_REDUNDANCY = 1e-6
LOOSE = 1e-6
MOST_ROUNDS, UNDAMPED_ROUNDS, MOST_HALVINGS = 90, 30, 5
DAMPED = 1e-6
AT_REST = 1e-12
SETTLED = 1e-9
SMALL = 1e-4
"""A step this short is as its slopes foretell, to far less than that."""


@dataclass(frozen=True)
class Patience:
    """How long a solution is looked for."""

    settled: float = SETTLED
    """A step that changes no reading by more than this share of its u changes nothing."""
    rest: float = AT_REST
    """A step that takes no more than this share off chi-square ends the search."""
    rounds: int = MOST_ROUNDS
    hopeless: float = math.inf
    """Chi-square that a second step would still leave, by its slopes, of what will never come to rest well."""


PATIENT = Patience()


@dataclass(frozen=True)
class Told:
    """A wanted quantity."""

    id: str
    value: float
    u: float


@dataclass(frozen=True)
class Checked:
    """How far the others check a reading; w and mdb are none where they do not."""

    id: str
    redundancy: float
    w: float | None
    mdb: float | None


@dataclass(frozen=True)
class Doubted:
    """A hypothesis: the smallest error that is found, its test, and how far it could carry each quantity unseen."""

    id: str
    smallest: float | None
    w: float | None
    reach: tuple[float | None, ...]
    """In the order of what is wanted; none where that cannot be told."""


@dataclass(frozen=True)
class Chances:
    """Probabilities that quantities hold their limits: each, and what is known of all together."""

    each: tuple[tuple[str, float], ...]
    at_least: float
    at_most: float
    joint: float


@dataclass(frozen=True)
class Solution:
    """What a state tells."""

    wanted: tuple[Told | None, ...]
    loose: tuple[str, ...]
    covariance: tuple[tuple[float | None, ...], ...]
    observations: tuple[Checked, ...]
    dof: int
    chi2: float
    chi2_limit: float | None
    passes: bool
    suspects: tuple[str, ...]
    hypotheses: tuple[Doubted, ...]
    holds: Chances | None

    @property
    def suspect(self) -> str | None:
        """The one that is to blame, where there is one alone."""
        return self.suspects[0] if len(self.suspects) == 1 else None


class Work:
    """The whitened equations of a state, and where they stand."""

    def __init__(self, given: StateInput) -> None:
        self.equations: Assembled = assembled(given)
        unknowns = self.equations.unknowns
        self.free = unknowns.free
        column = unknowns.column
        last = len(self.free)
        poses = (column[first : first + 6] for first in unknowns.bodies.values())
        self.bodies: list[Indices] = [own for pose in poses if len(own := pose[pose < last])]
        self.tool_columns = column[self.equations.tools]
        self.shared = bool(self.equations.factors.any())

    def moved(self, figures: Vector, step: Vector) -> Vector:
        """The figures after a step of the unknowns."""
        found = figures.copy()
        found[self.free] += step
        return found

    def at(self, figures: Vector) -> tuple[Vector, Callable[[], Vector]]:
        """Whitened residuals (computed − observed), and, where it is asked for, the design matrix."""
        e = self.equations
        read, slopes = self.shown(e.read, e.factors, figures)
        off = read - e.value
        off[e.wrapped] -= 360 * np.ceil((off[e.wrapped] - 180) / 360)
        return off / e.u, lambda: np.asarray(slopes() / e.u[:, None])

    def shown(self, system: System, factors: Vector, figures: Vector) -> tuple[Vector, Callable[[], Vector]]:
        """What readings show there, their instruments' shared errors in it, and its slopes over the unknowns."""
        values, slopes = system.at(figures)
        if not self.shared:
            return values, lambda: slopes()[:, : len(self.free)]
        offset, scale = figures[self.equations.tools].T
        gain = 1 + factors @ scale

        def matrix() -> Vector:
            found = slopes()
            found *= gain[:, None]
            found[:, self.tool_columns[:, 0]] += factors
            found[:, self.tool_columns[:, 1]] += factors * values[:, None]
            return found[:, : len(self.free)]

        return values * gain + factors @ offset, matrix


@dataclass(frozen=True)
class Converged:
    """Where no further step helps."""

    figures: Vector
    misfit: Vector
    """Whitened residuals."""
    matrix: Vector
    """Whitened design matrix."""
    factors: Factors
    settled: bool
    """Whether that was reached at all."""


def solve(given: StateInput) -> Solution:
    """Solve a state; raises ``BadInput`` as its definition says.

    Refused: names that nobody knows, what the readings do not determine (``NotDetermined``, unless ``partial``), a line
    along the beam, and readings that do not converge from the first guesses.
    """
    work = Work(given)
    return judged(work, determined(work))


def determined(work: Work, patience: Patience = PATIENT) -> Converged:
    """Where no further step helps; refused as in ``solve``."""
    here = converged(work, patience)
    if not work.equations.given.partial and len(here.factors.loose):
        raise _loose(work.equations, here.factors)
    if not here.settled:
        chi2 = float(here.misfit @ here.misfit)
        raise BadInput(
            "points",
            said("solution.readings_do_not_converge_rounds", most_rounds=patience.rounds, chi2=exact(Plain, chi2)),
            said("wants.first_guesses_nearer_truth_or"),
        )
    return here


def at_first(work: Work) -> Converged:
    """The first guesses, as if nothing were to be mended; what stays loose is refused as in ``solve``."""
    figures = work.equations.unknowns.start
    misfit, slopes = work.at(figures)
    matrix = slopes()
    factors = factored(matrix, work.bodies)
    if not work.equations.given.partial and len(factors.loose):
        raise _loose(work.equations, factors)
    return Converged(figures, np.zeros(len(misfit)), matrix, factors, True)


def converged(work: Work, patience: Patience = PATIENT) -> Converged:
    """Step from the first guesses to where no further step helps.

    A step that makes it worse is halved; where halves do not help, or nothing comes to rest, steps are damped. One
    that takes next to nothing off chi-square is the last. Near the end each step is shorter than the last by a steady
    ratio: where the one after would change nothing, this one is taken by its slopes alone, whose error is of the second
    order.
    """
    figures = work.equations.unknowns.start
    misfit, slopes = work.at(figures)
    matrix, chi2 = slopes(), float(misfit @ misfit)
    if not math.isfinite(chi2):
        raise BadInput(
            "points", said("solution.first_guesses_give_no_figures"), said("wants.first_guesses_nearer_truth")
        )
    enough, last, damping, settled = patience.settled, math.inf, 0.0, False
    for each in range(patience.rounds):
        damping = max(damping, DAMPED) if each >= UNDAMPED_ROUNDS else damping
        step = step_of(matrix, misfit, work.bodies, damping)
        change = matrix @ step
        size = float(np.max(np.abs(change), initial=0.0))
        if each and not damping and float(np.sum((misfit + change) ** 2)) > patience.hopeless:
            break
        if not damping and (size < enough or (size < SMALL and size / last * size < enough)):
            figures, misfit, settled = work.moved(figures, step), misfit + change, True
            break
        last = size
        for _ in range(MOST_HALVINGS + 1):
            there = _tried(work, work.moved(figures, step))
            if there is not None and float(there[0] @ there[0]) <= chi2 * (1 + 1e-12) + 1e-15:
                break
            step, last = step / 2, math.inf
        else:
            damping = max(DAMPED, 100 * damping)
            if damping > 1:
                break
            continue
        figures, misfit, matrix = work.moved(figures, step), there[0], there[1]()
        before, chi2 = chi2, float(misfit @ misfit)
        if before - chi2 <= patience.rest * chi2:
            settled = True
            break
        damping = damping / 10 if damping > 100 * AT_REST else 0.0
    return Converged(figures, misfit, matrix, factored(matrix, work.bodies), settled)


def _tried(work: Work, figures: Vector) -> tuple[Vector, Callable[[], Vector]] | None:
    """Residuals and design matrix there; none where a step went so far that an equation has no answer."""
    try:
        return work.at(figures)
    except BadInput:
        return None


def _loose(equations: Assembled, factors: Factors) -> BadInput:
    """The refusal of a state that its readings do not determine: the first loose point, else body, else direction."""
    weight = np.sqrt((factors.loose**2).sum(axis=0))
    owners = {owner for owner, w in zip(equations.unknowns.owners, weight, strict=True) if w > LOOSE}
    rank = min((rank for rank, _ in owners), default=SHARED)
    name = next((n for r, n in equations.unknowns.owners if r == rank and (r, n) in owners), "points")
    tie = {
        POINT: said("solution.two_distances_or_coordinates"),
        BODY: said("solution.distances_heights_levels_or_move"),
    }
    accepted = said("solution.readings_tie_down_such", rank=tie.get(rank, "a heading, toe, thrust or ruler reading"))
    return NotDetermined(name, said("solution.too_few_readings_loose"), accepted)


def judged(work: Work, here: Converged) -> Solution:
    """What is wanted of a state, and how its readings check each other."""
    equations, given, misfit, factors = work.equations, work.equations.given, here.misfit, here.factors
    value, slopes = equations.wanted.at(here.figures)
    gradient = slopes()[:, : len(work.free)]
    told = _told(gradient, factors)
    wanted, names = given.wanted, [item.id for item in given.wanted]
    limits = dict(given.limits)
    root = gradient @ factors.inverse
    covariance = root @ root.T
    for k, item in enumerate(wanted):
        if item.type == "yaw":
            low, high = limits.get(item.id, (None, None))
            middle = (low + high) / 2 if low is not None and high is not None else 0.0
            value[k] = middle + short_way(float(value[k]) - middle)
        if not told[k] and item.id in limits:
            raise BadInput("limits", item.id, said("wants.limits_readings_tell"))
    u = np.sqrt(np.diag(covariance))
    redundancy = 1 - (factors.left**2).sum(axis=1)
    seen = redundancy >= NO_REDUNDANCY
    root_r = np.sqrt(np.where(seen, redundancy, 1.0))
    w, mdb = misfit / root_r, NONCENTRALITY * equations.u / root_r
    checked = tuple(
        Checked(name, float(r), float(w[k]) if seen[k] else None, float(mdb[k]) if seen[k] else None)
        for k, (name, r) in enumerate(zip(equations.ids, redundancy, strict=True))
    )
    worst = float(np.max(np.abs(w[seen]), initial=0.0))
    blamed = seen & (np.abs(w) > CRITICAL_W) & (np.abs(w) >= SHARED_BLAME * worst)
    dof = len(misfit) - factors.rank
    chi2 = float(misfit @ misfit)
    limit = quantile(given.alpha, dof) if dof > 0 else None
    return Solution(
        wanted=tuple(
            Told(name, float(v), float(s)) if known else None
            for name, v, s, known in zip(names, value, u, told, strict=True)
        ),
        loose=tuple(name for name, known in zip(names, told, strict=True) if not known),
        covariance=tuple(
            tuple(float(c) if told[i] and told[k] else None for k, c in enumerate(row))
            for i, row in enumerate(covariance)
        ),
        observations=checked,
        dof=dof,
        chi2=chi2,
        chi2_limit=limit,
        passes=limit is None or chi2 <= limit,
        suspects=tuple(equations.ids[k] for k in np.flatnonzero(blamed)),
        hypotheses=_doubted(equations, misfit, factors, root, told),
        holds=_held(given, value, covariance),
    )


def _told(gradient: Vector, factors: Factors) -> list[bool]:
    """Whether each wanted quantity lies within what is determined."""
    scaled = gradient / factors.lengths
    outside = np.sqrt(((scaled @ factors.loose.T) ** 2).sum(axis=1))
    return [bool(told) for told in outside <= LOOSE * np.sqrt((scaled**2).sum(axis=1))]


def _doubted(
    equations: Assembled, misfit: Vector, factors: Factors, root: Vector, told: list[bool]
) -> tuple[Doubted, ...]:
    """Every hypothesis tested: e the effect, info = eᵀPQPe, w = eᵀPv ÷ √info, reach = |b·e|·min(cap, smallest)."""
    given, row = equations.given, {name: k for k, name in enumerate(equations.ids)}
    effect = np.zeros((len(given.hypotheses), len(equations.ids)))
    for k, hypothesis in enumerate(given.hypotheses):
        for name, factor in hypothesis.effect:
            if name not in row:
                raise BadInput("hypotheses", name, said("wants.observations_effect", id=hypothesis.id))
            effect[k, row[name]] = factor / equations.u[row[name]]
    shares = effect @ factors.left
    unseen = effect - shares @ factors.left.T
    info, size = (unseen**2).sum(axis=1), (effect**2).sum(axis=1)
    carried = np.abs(root @ shares.T)
    found = []
    for k, hypothesis in enumerate(given.hypotheses):
        smallest, w = None, None
        if info[k] > NO_REDUNDANCY * size[k]:
            smallest, w = NONCENTRALITY / math.sqrt(info[k]), float(effect[k] @ misfit) / math.sqrt(info[k])
        most = hypothesis.cap if smallest is None else min(hypothesis.cap, smallest)
        reach = tuple(float(carried[i, k]) * most if known else None for i, known in enumerate(told))
        found.append(Doubted(hypothesis.id, smallest, w, reach))
    return tuple(found)


def _held(given: StateInput, value: Vector, covariance: Vector) -> Chances | None:
    """Probabilities of what has limits; none where nothing has."""
    limits = dict(given.limits)
    kept = [k for k, item in enumerate(given.wanted) if item.id in limits]
    if not kept:
        return None
    pairs = [limits[given.wanted[k].id] for k in kept]
    own = covariance[np.ix_(kept, kept)]
    alone = [within(float(value[k]), math.sqrt(covariance[k, k]), *pair) for k, pair in zip(kept, pairs, strict=True)]
    least, most = bounds(alone)
    each = tuple((given.wanted[k].id, p) for k, p in zip(kept, alone, strict=True))
    return Chances(each, least, most, joint(value[kept], own, pairs))
