"""Every run of the procedure with what came of it: one that failed is an event as good as one that passed."""

from dataclasses import dataclass, field

from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.state import LATER, OUTCOME, RESULTS, Entry, Run, State


@dataclass(frozen=True)
class Attempt:
    """A run, and what the routine then said and showed; ``outcome``: nothing where nobody told it."""

    run: Run
    outcome: Entry | None
    figures: dict[str, Entry] = field(default_factory=dict)
    """By the id of the sheet's figure, as they were read last."""


def attempts(state: State) -> list[Attempt]:
    """The runs of a calibration in their order; of several stations, each last run of all of them."""
    found, runs = [], [run for run in state.runs if not run.withdrawn]
    for k, run in enumerate(runs):
        ends = runs[k + 1].seq if k + 1 < len(runs) else LATER
        told = {
            slot: kept[-1]
            for slot, entries in state.entries.items()
            if slot.startswith(RESULTS) and (kept := [e for e in entries if run.seq < e.seq < ends and not e.withdrawn])
        }
        figures = {slot.removeprefix(RESULTS): e for slot, e in told.items() if isinstance(e.said, ReadingTaken)}
        if told or not run.said.station:
            found.append(Attempt(run, told.get(OUTCOME), figures))
    return found
