"""Every run of the procedure with what came of it: one that failed is an event as good as one that passed."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from escuadra.core.visit.log.disturbances import SCREWS
from escuadra.core.visit.log.events import ReadingTaken, TurnsTold
from escuadra.core.visit.log.state import CAMERAS, LATER, LINES, OUTCOME, RESULTS, Entry, Keeping, Run, State


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
    steps: tuple[Keeping, ...] = ()
    """What was said of its steps, interruptions among them, in its order."""
    told: TurnsTold | None = None
    """The turns of the sensor's screws that it told last."""
    turned: Mapping[str, float] | None = None
    """What was then turned, by the screw's id; nothing: the screws were not touched after it."""


def attempts(state: State) -> list[Attempt]:
    """The runs of a calibration in their order; of several stations, each last run of all of them."""
    found, runs, began = [], [run for run in state.runs if not run.withdrawn], 0
    for k, run in enumerate(runs):
        ends = runs[k + 1].seq if k + 1 < len(runs) else LATER
        told = {
            slot: kept[-1]
            for slot, entries in state.entries.items()
            if slot.startswith(RESULTS) and (kept := [e for e in entries if run.seq < e.seq < ends and not e.withdrawn])
        }
        figures = {slot.removeprefix(RESULTS): e for slot, e in told.items() if isinstance(e.said, ReadingTaken)}
        lines = {slot.removeprefix(LINES): e for slot, e in told.items() if slot.startswith(LINES)}
        cameras = {slot.removeprefix(CAMERAS): e for slot, e in told.items() if slot.startswith(CAMERAS)}
        # The last step of a run is recorded just before the run itself.
        steps = tuple(one for one in state.steps if began < one.seq <= run.seq)
        turns = [one.said for one in state.turns_told if run.seq < one.seq < ends]
        newest = turns[-1] if turns and isinstance(turns[-1], TurnsTold) else None
        if told or not run.said.station:
            turned = _turned(state, run.seq, ends)
            found.append(Attempt(run, told.get(OUTCOME), figures, lines, cameras, steps, newest, turned))
        began = run.seq
    return found


def _turned(state: State, since: int, until: int) -> dict[str, float] | None:
    """What the screws were turned between two runs, together."""
    turned: dict[str, float] | None = None
    for past in state.disturbances:
        if past.what == SCREWS and since < past.seq < until:
            turned = turned or {}
            turned |= {screw: turned.get(screw, 0.0) + amount for screw, amount in past.by.items()}
    return turned
