"""What a sheet shows before anybody advises: every check with its state, in groups, and the stations.

Advice is worked out from these; the sheet itself adds the next move to them.
"""

from dataclasses import dataclass
from functools import cached_property

from escuadra.core.base.said import NOTHING, Duration, Noun, Said, Sentences, said
from escuadra.core.base.wording import amount, with_uncertainty
from escuadra.core.measure.budget import Contribution
from escuadra.core.procedure.sheet import Group
from escuadra.core.visit.checks import Check, Figure, Judgement
from escuadra.core.visit.checks.base import State as CheckState
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.events import SetupConfirmed
from escuadra.core.visit.log.state import Disturbance, Entry, Kept, Override, State
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.proof import StationView
from escuadra.core.visit.slots import Slot

WORST: tuple[CheckState, ...] = ("out", "undecided", "stale", "open", "holds")


@dataclass(frozen=True)
class SlotView:
    """A slot with what counts in it now and what was spoiled."""

    slot: Slot
    now: tuple[Entry, ...]
    spoiled: tuple[Entry, ...]


@dataclass(frozen=True)
class CheckView:
    """A check as the sheet shows it."""

    check: Check
    state: CheckState
    judgement: Judgement
    slots: tuple[SlotView, ...]
    because: Disturbance | None = None
    override: Override | None = None
    advice: Sentences = NOTHING
    consequence: Said | None = None
    broken: Said | None = None
    """Why it cannot be worked out from what was entered; nothing where it can."""

    @property
    def of_setup(self) -> bool:
        """It stands before the run: what else there is exists only once the procedure was run."""
        return self.check.group != "result"

    @property
    def begun(self) -> bool:
        """Anything was entered."""
        return any(s.now or s.spoiled for s in self.slots)

    @property
    def unguarded(self) -> bool:
        """It would hold, but for a mistake that could go unnoticed."""
        return self.state == "open" and self.judgement.complete

    @property
    def rests_on(self) -> Said | None:
        """The one thing that it rests on: what would guard it, or that nothing on the shelf would."""
        guard, worst = self.judgement.guard, self.worst
        if guard is None or worst is None or not (self.state == "holds" or self.unguarded):
            return None
        reach = amount(guard.reach, worst.unit)
        if guard.look is None:
            return said("guard.rests", rests_on=guard.rests_on, reach=reach)
        if guard.pushed:
            return said("guard.pushed", what=guard.rests_on, look=guard.look.label)
        code = "guard.hangs" if guard.modelled else "guard.once_more" if guard.again else "guard.beside"
        return said(code, rests_on=guard.rests_on, reach=reach, what=guard.look.label)

    @property
    def far_off(self) -> bool:
        """Out, or undecided and outside its limits by more than its u: it is moved, and read anew after that."""
        worst = self.worst
        return self.state == "out" or (
            self.state == "undecided" and worst is not None and worst.verdict.margin <= -worst.u
        )

    @property
    def settled(self) -> bool:
        """Nothing about it holds up signing."""
        unasked = self.check.optional and not self.begun and not self.broken
        return self.state == "holds" or self.override is not None or unasked

    @property
    def worst(self) -> Figure | None:
        """The figure nearest to trouble."""
        return self.judgement.worst


@dataclass(frozen=True)
class GroupView:
    """A group of the run sheet."""

    group: Group
    checks: tuple[CheckView, ...]

    @property
    def title(self) -> Noun:
        """What it is called."""
        return Noun(f"group.{self.group}")

    @property
    def settled(self) -> bool:
        """Every check of it is settled."""
        return all(view.settled for view in self.checks)

    @property
    def state(self) -> CheckState:
        """The worst state in it; what is settled counts as holding."""
        states = {"holds" if view.settled else view.state for view in self.checks}
        return next(s for s in WORST if s in states)

    @property
    def summary(self) -> Said:
        """How many hold, or what does not."""
        holding = sum(view.settled for view in self.checks)
        if holding == len(self.checks):
            return said("sheet.all_hold", count=holding)
        return said("sheet.some_hold", holding=holding, count=len(self.checks))


@dataclass(frozen=True)
class SheetView:
    """What follows from a log at a time, but for what to do next."""

    state: State
    plan: Plan
    at: int
    groups: tuple[GroupView, ...]
    epochs: Epochs
    stations: tuple[StationView, ...] = ()
    """Where the procedure is run at several places."""

    @cached_property
    def checks(self) -> tuple[CheckView, ...]:
        """All checks in their order."""
        return tuple(view for group in self.groups for view in group.checks)

    @cached_property
    def expires(self) -> int | None:
        """When the next reading grows too old by the sheet's terms, UTC milliseconds; ``None``: none does."""
        if not self.plan.procedure.fresh or self.state.signed is not None or self.state.frozen is not None:
            return None
        terms = [(e, self.epochs.fresh_ms(view.slot)) for view in self.slots.values() for e in view.now]
        return min((e.at + term for e, term in terms if term is not None), default=None)

    def check(self, id: str) -> CheckView | None:
        """A check by its id."""
        return next((view for view in self.checks if view.check.id == id), None)

    def budget(self, view: CheckView) -> list[Contribution]:
        """Where the uncertainty of a check's figure nearest to trouble comes from, the largest share first."""
        return view.check.budget(self.epochs, view.worst) if view.worst is not None and not view.broken else []

    def lessening(self, view: CheckView) -> Said | None:
        """What the most useful reading more would bring that uncertainty to; nothing where there is none."""
        worst = view.worst
        if (
            worst is None
            or not view.judgement.complete
            or view.judgement.inconsistency
            or self.state.signed is not None
        ):
            return None
        found = view.check.lessening(self.epochs, worst)
        if found is None:
            return None
        _, after = with_uncertainty(worst.value, worst.verdict.U * found.u / worst.u, worst.unit, worst.way)
        if after == worst.plus_minus:
            return said("lessening.none", what=found.what)
        time = Duration(found.minutes)
        return said("lessening", what=found.what, time=time, before=worst.plus_minus, after=after)

    @cached_property
    def slots(self) -> dict[str, SlotView]:
        """All slots by their id."""
        return {slot.slot.id: slot for view in self.checks for slot in view.slots}

    @cached_property
    def unsettled(self) -> tuple[CheckView, ...]:
        """What holds up signing."""
        return tuple(view for view in self.checks if not view.settled)

    @cached_property
    def stands(self) -> bool:
        """Everything before the run is settled."""
        return all(view.settled for view in self.checks if view.of_setup)

    @cached_property
    def confirmed(self) -> Kept[SetupConfirmed] | None:
        """The set-up was confirmed as it stands: it holds, and nothing was read or moved since."""
        told = self.state.confirmation
        own = [view for view in self.checks if view.of_setup]
        if told is None or not self.stands:
            return None
        return None if any(e.seq > told.seq for view in own for s in view.slots for e in s.now) else told

    @property
    def can_sign(self) -> bool:
        """Nothing is out, undecided, stale or open, or it was overridden with a reason."""
        return not self.unsettled and self.state.stage not in ("signed", "left_out", "called_off")
