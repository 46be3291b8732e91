"""Answers, happenings, what is taken back, and checks that are accepted with a reason."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from escuadra.commands.command import Context, Saying, VisitCommand, of_owner, slot_of
from escuadra.commands.forms import Opened
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import nouns, said
from escuadra.core.visit.log.disturbances import HAPPENINGS, owner_of
from escuadra.core.visit.log.events import Answered, Disturbed, Overridden, OverrideWithdrawn, Source, Withdrawn
from escuadra.core.visit.log.places import result_place


@dataclass(frozen=True)
class Answer(VisitCommand):
    """A tick or a choice answered."""

    slot: str
    value: str

    def once_run(self, opened: Opened) -> bool:
        """What came of the run."""
        return of_result(opened, self.slot)

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The answer, of the part that its slot is of."""
        where, value = slot_of(opened.sheet, self.slot), self.value
        options = ("yes", "no") if where.ask == "tick" else where.options
        if where.ask == "number" or not value.strip() or (options and value not in options):
            raise BadInput(
                "value",
                value,
                said("wants.answer", options=nouns(map(where.option, options), "or"))
                if options
                else said("wants.printed"),
            )
        if where.ask == "day":
            _day(value)
        told = Answered(slot=self.slot, value=value.strip()[:80])
        return [Saying(told, of_owner(opened, owner_of(where.aspects)))]


@dataclass(frozen=True)
class Happen(VisitCommand):
    """Something moved, was bumped, mounted, or happened to the vehicle; ``by``: what was told, where it was."""

    what: str
    source: Source = "reported"
    by: Mapping[str, float | str] = field(default_factory=dict)

    def once_run(self, opened: Opened) -> bool:
        """It happens whether or not the procedure was run."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """What happened, of the body or of the vehicle that it happened to."""
        known = HAPPENINGS.get(self.what)
        if known is None:
            raise BadInput("what", self.what, said("wants.one", names=nouns(HAPPENINGS, "comma")))
        told = {"what": self.what, "source": self.source, "by": dict(self.by)}
        return [Saying(Disturbed.read(told), of_owner(opened, known.of))]


@dataclass(frozen=True)
class Undo(VisitCommand):
    """One's own last reading or answer taken back; it stays in the stream as withdrawn."""

    def once_run(self, opened: Opened) -> bool:
        """Of the run, and of what came of it, see ``say``."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """That it is withdrawn, of the part that it was of; raises ``Conflict`` for what the run stands on."""
        last, frozen = opened.state.last_of(context.who.id), opened.state.frozen
        if last is not None and frozen is not None and last.seq < frozen.seq:
            raise Conflict(said("jobs.command.was_run"))
        if last is None or last.of is None:
            raise BadInput("undo", "", said("wants.entry_your_own_still_counts"))
        return [Saying(Withdrawn(entry=last.seq), last.of)]


@dataclass(frozen=True)
class Override(VisitCommand):
    """A check that does not hold accepted with a reason; an empty reason takes an override back."""

    check: str
    reason: str

    def once_run(self, opened: Opened) -> bool:
        """A result too is accepted with a reason."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The override, of the calibration."""
        view, reason = opened.sheet.check(self.check), self.reason.strip()
        if view is None:
            raise BadInput("check", self.check, said("wants.check_sheet"))
        own = of_owner(opened, "calibration")
        if not reason:
            if self.check not in opened.state.overrides:
                raise BadInput("reason", "", said("wants.reason_words_least_ten_letters"))
            return [Saying(OverrideWithdrawn(check=self.check), own)]
        reasoned(reason)
        if view.state == "holds":
            raise BadInput("check", self.check, said("wants.check_does_not_hold"))
        return [Saying(Overridden(check=self.check, reason=reason[:500]), own)]


def of_result(opened: Opened, slot: str) -> bool:
    """A place of what exists only once the procedure was run."""
    return result_place(slot) is not None and slot in opened.sheet.slots


def reasoned(reason: str) -> str:
    """A reason that says something; raises ``BadInput``."""
    if len(re.findall(r"\w", reason)) < 10:
        raise BadInput("reason", reason, said("wants.reason_words_least_ten_letters"))
    return reason.strip()[:500]


def _day(text: str) -> date:
    """A day as a date field gives it or as it is typed, year first; raises ``BadInput``."""
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise BadInput("value", text, said("wants.day_year_month_day_such")) from error
