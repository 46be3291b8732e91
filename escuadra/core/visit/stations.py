"""The stations of a procedure: which were run, whether a later reading shows that nothing was bumped, what is next.

A run is proven by the first good reading of what carries the target taken after it, with nothing in between that set it
anew. Where a bump is found late, every run since the last good check is in doubt.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

from escuadra.core.base.said import said, sentences
from escuadra.core.procedure.sheet import Station
from escuadra.core.visit.attempts import standing_runs
from escuadra.core.visit.carriers import CARRIERS
from escuadra.core.visit.epochs import Epochs, cold
from escuadra.core.visit.log.state import State
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.proof import StationView
from escuadra.core.visit.solution.solution import Solving


@dataclass(frozen=True)
class Progress:
    """How far a procedure was run."""

    views: tuple[StationView, ...]
    """Every station of the whole sheet, in its order."""
    proofs: Mapping[str, Epochs]
    """What each that was run was proven from, by its id."""


def progress(
    state: State, plan: Plan, solving: Solving = cold, before: Mapping[str, Epochs] = MappingProxyType({})
) -> Progress:
    """How far a visit's procedure was run; ``before``: what the earlier sheet's stations were proven from."""
    proofs: dict[str, Epochs] = {}

    def epochs(at: Plan, station: str) -> Epochs:
        proofs[station] = Epochs(state, at, None, solving, before.get(station))
        return proofs[station]

    views = tuple(_station(state, at, epochs) for at in plan.whole.at_stations.values())
    for proof in proofs.values():
        proof.done()
    return Progress(views, proofs)


def current(views: Sequence[StationView]) -> Station:
    """The station at hand: the first that was not run or is in doubt, else the last one run.

    Where something else carries the target there, it is the last one run until that is proven.
    """
    last = max(views, key=lambda view: view.run.seq if view.run else 0)
    waiting = next((view.station for view in views if not view.done), None)
    either = waiting is not None and (last.station.own_place or waiting.own_place)
    if waiting is None or (last.proof == "awaited" and either):
        return last.station
    return waiting


def _station(state: State, plan: Plan, made: Callable[[Plan, str], Epochs]) -> StationView:
    station = plan.station
    assert station is not None
    runs = [run for run in standing_runs(state, plan.whole.procedure) if run.said.station == station.id]
    if not runs:
        return StationView(station, None, None)
    run = runs[-1]
    if run.doubted is not None:
        told = next(past for past in state.disturbances if past.seq == run.doubted)
        return StationView(station, run, "doubt", sentences(told.words, said("stations.relied_here")), told)
    if station.aims:
        # Turned by its screws again, the whole set-up opens anew; moved on from there, the sensor looks as it did.
        return StationView(station, run, "proven", sentences(said("stations.aimed", name=run.person.name)))
    found = CARRIERS[station.carrier].proof(made(plan, station.id), station, run)
    again = next((past for past in state.disturbances if past.what == "run_again" and past.seq > run.seq), None)
    if again is not None and found.proof in ("missed", "contradicted"):
        return StationView(station, run, "doubt", sentences(again.words), again)
    return found
