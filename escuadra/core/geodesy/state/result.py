"""``state`` as a calculation: plain data in, the solution with its figures by name out."""

from typing import Any

from pydantic import Field

from escuadra.core.base.calculation import calculation
from escuadra.core.base.model import Frozen
from escuadra.core.base.named import Named
from escuadra.core.geodesy.state.input import StateInput
from escuadra.core.geodesy.state.solution import solve


class Quantity(Frozen):
    """A wanted quantity and its standard uncertainty; degrees for angles, millimetres else."""

    value: float
    u: float


class DoubtResult(Frozen):
    """A hypothesis: the ``smallest`` error that is found, its test ``w``, its ``reach`` for each wanted quantity."""

    smallest: float | None
    w: float | None
    reach: Named[float | None]


class StateResult(Frozen):
    """What a state tells, and how far each reading in it is checked by the others."""

    wanted: Named[Quantity | None]
    covariance: tuple[tuple[float | None, ...], ...] = Field(description="of all wanted, in their order")
    redundancy: Named[float]
    w: Named[float | None]
    mdb: Named[float | None]
    dof: int
    chi2: float
    chi2_limit: float | None
    passes: bool
    suspects: tuple[str, ...]
    suspect: str | None
    loose: tuple[str, ...] = Field((), description="wanted quantities that the readings do not tell")
    each: Named[float] = Field((), description="probability that each quantity with limits holds by itself")
    at_least: float | None = None
    at_most: float | None = None
    joint: float | None = Field(None, description="that all of them hold together")
    hypotheses: Named[DoubtResult] = ()


def _named(names: list[str], reach: tuple[float | None, ...]) -> Named[float | None]:
    return tuple(zip(names, reach, strict=True))


@calculation("state")
def state(given: StateInput) -> StateResult:
    """Solve everything that was read on a visit at once and in space; raises ``BadInput``."""
    solution = solve(given)
    names = [item.id for item in given.wanted]
    optional: dict[str, Any] = {}
    if given.partial:
        optional["loose"] = solution.loose
    if given.hypotheses:
        optional["hypotheses"] = tuple(
            (found.id, DoubtResult(smallest=found.smallest, w=found.w, reach=_named(names, found.reach)))
            for found in solution.hypotheses
        )
    if solution.holds:
        optional |= vars(solution.holds)
    return StateResult(
        wanted=tuple(
            (n, Quantity(value=t.value, u=t.u) if t else None) for n, t in zip(names, solution.wanted, strict=True)
        ),
        covariance=solution.covariance,
        redundancy=tuple((o.id, o.redundancy) for o in solution.observations),
        w=tuple((o.id, o.w) for o in solution.observations),
        mdb=tuple((o.id, o.mdb) for o in solution.observations),
        dof=solution.dof,
        chi2=solution.chi2,
        chi2_limit=solution.chi2_limit,
        passes=solution.passes,
        suspects=solution.suspects,
        suspect=solution.suspect,
        **optional,
    )
