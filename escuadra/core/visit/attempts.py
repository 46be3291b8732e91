"""Every run of the procedure with what came of it: one that failed is an event as good as one that passed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.log.disturbances import ATTEMPT, OPENS, SCREWS
from escuadra.core.visit.log.events import RunStepped, TurnsTold
from escuadra.core.visit.log.places import ResultOf, result_place
from escuadra.core.visit.log.state import LATER, Entry, Kept, Run, State

PASSED, FAILED, INTERRUPTED = "passed", "failed", "interrupted"
OUTCOMES = (PASSED, FAILED, INTERRUPTED)


@dataclass(frozen=True)
class Attempt:
    """A run, and what the routine then said and showed; ``outcome``: nothing where nobody told it."""

    run: Run
    outcome: Entry | None
    figures: dict[str, Entry] = field(default_factory=dict)
    """By the id of the sheet's figure, as they were read last."""
    lines: dict[str, Entry] = field(default_factory=dict)
    """By the id of the sheet's line, where it stood."""
    cameras: dict[str, Entry] = field(default_factory=dict)
    """By the id of the sheet's camera, whether that one passed."""
    steps: tuple[Kept[RunStepped], ...] = ()
    """What was said of its steps, interruptions among them, in its order."""
    told: TurnsTold | None = None
    """The turns of the sensor's screws that it told last."""
    turned: Mapping[str, float] | None = None
    """What was then turned, by the screw's id; nothing: the screws were not touched after it."""


def attempts(state: State) -> list[Attempt]:
    """The runs of a calibration in their order; of several stations, each last run of all of them."""
    found, runs, began = [], [run for run in state.runs if not run.withdrawn], 0
    results = {place: kept for slot, kept in state.entries.items() if (place := result_place(slot)) is not None}
    for k, run in enumerate(runs):
        ends = runs[k + 1].seq if k + 1 < len(runs) else LATER
        told: dict[ResultOf, dict[str, Entry]] = {"outcome": {}, "figure": {}, "line": {}, "camera": {}}
        for place, entries in results.items():
            kept = [e for e in entries if run.seq < e.seq < ends and not e.withdrawn]
            if kept:
                told[place.shown][place.id] = kept[-1]
        outcome = told["outcome"].get("")
        # The last step of a run is recorded just before the run itself.
        steps = tuple(one for one in state.steps if began < one.seq <= run.seq)
        turns = [one.said for one in state.turns_told if run.seq < one.seq < ends]
        newest = turns[-1] if turns else None
        if any(told.values()) or not run.said.station:
            turned = _turned(state, run.seq, ends)
            shown = told["figure"], told["line"], told["camera"]
            found.append(Attempt(run, outcome, *shown, steps, newest, turned))
        began = run.seq
    return found


def failed_before(state: State, procedure: Procedure) -> frozenset[str]:
    """Ids of the cameras that the attempt at hand is of alone: of those before it, each was told, and these failed."""
    opened = [past.what for past in state.disturbances if past.what in OPENS]
    if not procedure.cameras or opened[-1:] != [ATTEMPT]:
        return frozenset()
    at_hand = {run.seq for run in state.ran}
    before = [one for one in attempts(state) if one.run.seq not in at_hand]
    told = {id: _value(entry) for id, entry in before[-1].cameras.items()} if before else {}
    missing = {one.id for one in procedure.cameras if one.id not in told and not _passed(before[:-1], one.id)}
    return frozenset() if missing else frozenset(id for id, value in told.items() if value == FAILED)


def _passed(before: Sequence[Attempt], camera: str) -> bool:
    """A camera passed the last time that anybody told it."""
    told = [one.cameras[camera] for one in before if camera in one.cameras]
    return bool(told) and _value(told[-1]) == PASSED


def _value(entry: Entry) -> str:
    return str(getattr(entry.said, "value", ""))


def standing_runs(state: State, procedure: Procedure) -> Sequence[Run]:
    """The runs that count: those of the attempt at hand, and the newest of each station where no camera failed."""
    alone = failed_before(state, procedure)
    open_ = {one.station for one in procedure.cameras if one.id in alone}
    if not alone or "" in open_:
        return state.ran
    kept = [run for run in state.runs if not run.withdrawn and run.said.station not in open_ | {""}]
    return sorted({run.seq: run for run in (*kept, *state.ran)}.values(), key=lambda run: run.seq)


def _turned(state: State, since: int, until: int) -> dict[str, float] | None:
    """What the screws were turned between two runs, together."""
    turned: dict[str, float] | None = None
    for past in state.disturbances:
        if past.what == SCREWS and since < past.seq < until:
            turned = turned or {}
            turned |= {screw: turned.get(screw, 0.0) + amount for screw, amount in past.by.items()}
    return turned
