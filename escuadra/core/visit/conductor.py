"""A conducted run: which step is at hand, since when, and what is left, told from the log alone.

Time counts from what was recorded, not from a page that is open: a reload or another tablet shows the same. After an
interruption, or whatever disturbed the set-up, only those steps are done still that stay valid by the sheet; the run
goes on at the first that does not.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from escuadra.core.base.stream import Person
from escuadra.core.procedure.routine import Routine
from escuadra.core.procedure.sheet import Procedure, RunStep, Side
from escuadra.core.visit.checks.stance import RideHeightCheck
from escuadra.core.visit.log.events import RunStepped
from escuadra.core.visit.log.state import Kept, State

STEP_S = 40.0
"""What a step takes besides its wait, as far as is known."""
HEIGHTS_S = 900.0
"""So long ride heights that were read for the routine are fresh."""
LATE_S = 3.0
"""So much later an exact wait is too long."""
StepState = Literal["done", "skipped", "now", "to_come"]


@dataclass(frozen=True)
class Step:
    """A step of the run as it stands; ``at``: when it was done or begun, UTC milliseconds."""

    number: int
    step: RunStep
    state: StepState
    at: int | None = None
    person: Person | None = None
    typed: Mapping[str, float] = field(default_factory=dict)
    """What is to be typed into the routine, by its name, where the heights were read for it."""
    seen: bool = False
    """The link to the vehicle saw it done; nobody pressed."""
    repeats: int = 0
    """How often it was done without what it is done for being so."""

    @property
    def once_more(self) -> bool:
        """It may be done once more after this time."""
        return self.repeats + 1 < self.step.most

    def left_s(self, now: int) -> float:
        """Seconds that are still to be waited; 0 where nothing is, or it was not begun."""
        if self.state != "now" or self.at is None or self.step.wait_s is None:
            return 0.0
        return max(0.0, self.step.wait_s - (now - self.at) / 1000)

    def too_old(self, now: int) -> bool:
        """The ride heights that were read for it are not fresh any more."""
        return self.step.heights and self.at is not None and (now - self.at) / 1000 > HEIGHTS_S

    def late_s(self, now: int) -> float:
        """Seconds by which an exact wait is over; 0 where it is not."""
        if self.state != "now" or self.at is None or self.step.wait_s is None or not self.step.exactly:
            return 0.0
        return max(0.0, (now - self.at) / 1000 - self.step.wait_s - LATE_S)


@dataclass(frozen=True)
class Conducted:
    """A calibration's run, step by step."""

    steps: tuple[Step, ...]
    interrupted: str
    """Why it was interrupted last; empty: it was not, it was taken up since, or the wrong unit was opened."""
    interruptions: int
    other_unit: Side | None = None
    """The unit that was opened instead, where that interrupted it last."""

    @property
    def now(self) -> Step | None:
        """The step at hand; nothing once all are done."""
        return next((step for step in self.steps if step.state == "now"), None)

    @property
    def begun(self) -> bool:
        """Somebody began it."""
        return any(step.at is not None for step in self.steps)

    @property
    def complete(self) -> bool:
        """Every step was done, or skipped with a reason."""
        return self.now is None

    @property
    def minutes(self) -> float:
        """What the steps that are left take."""
        left = [step.step for step in self.steps if step.state in ("now", "to_come")]
        return sum((step.wait_s or 0.0) + STEP_S for step in left) / 60


def routine_of(procedure: Procedure) -> Routine | None:
    """What the vehicle's routine asks of its ride heights; nothing where the sheet says nothing of it."""
    own = (check.routine for check in procedure.checks if isinstance(check, RideHeightCheck))
    return next((routine for routine in own if routine is not None), None)


def conducted(procedure: Procedure, state: State) -> Conducted:
    """The run of the attempt at hand; without steps where the sheet has none."""
    since = max((run.seq for run in state.runs if not run.withdrawn), default=0)
    disturbed = {past.seq for past in state.disturbances if past.seq > since}
    said: list[tuple[int, Kept[RunStepped] | None]] = [(one.seq, one) for one in state.steps if one.seq > since]
    said = sorted([*said, *((seq, None) for seq in disturbed)], key=lambda item: item[0])
    over: dict[str, tuple[StepState, int, Person, Mapping[str, float], bool]] = {}
    begun: dict[str, tuple[int, Person, Mapping[str, float]]] = {}
    repeats: dict[str, int] = {}
    why, interruptions, other = "", 0, None
    valid = {step.id for step in procedure.steps if step.stays}
    for _, one in said:
        if one is None:
            # Something was moved or opened meanwhile: who had stepped aside may have come back.
            over, begun = {id: kept for id, kept in over.items() if id in valid}, {}
            continue
        told = one.said
        if told.what == "interrupted":
            over, begun, why = {id: kept for id, kept in over.items() if id in valid}, {}, told.why
            repeats = {}
            interruptions += 1
            other = told.unit
        elif told.what == "again":
            begun.pop(told.step, None)
            repeats[told.step] = repeats.get(told.step, 0) + 1
        elif told.what == "begun":
            begun[told.step], why = (one.at, one.person, told.typed), ""
            other = None
        else:
            state_of: StepState = "done" if told.what == "done" else "skipped"
            seen = bool(told.device) and told.response is None
            over[told.step] = (state_of, one.at, one.person, told.typed, seen)
            why, other = "", None
    steps: list[Step] = []
    at_hand = next((step.id for step in procedure.steps if step.id not in over), None)
    for number, step in enumerate(procedure.steps, 1):
        if step.id in over:
            steps.append(Step(number, step, *over[step.id], repeats=repeats.get(step.id, 0)))
        elif step.id == at_hand:
            own = begun.get(step.id)
            at, person, typed = own or (None, None, {})
            steps.append(Step(number, step, "now", at, person, typed, repeats=repeats.get(step.id, 0)))
        else:
            steps.append(Step(number, step, "to_come"))
    return Conducted(tuple(steps), why, interruptions, other)
