"""A newer revision of a calibration's sheet: whether it goes on by that, or by the one that it began with."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from escuadra.commands.command import Context, Decision, Saying, VisitCommand, of_owner
from escuadra.commands.forms import Opened
from escuadra.commands.whole import content, entries_of, pinned
from escuadra.core.base.errors import BadInput, Conflict, refusal
from escuadra.core.base.said import said
from escuadra.core.visit.figures import with_changes
from escuadra.core.visit.log.events import RevisionAnswered


@dataclass(frozen=True)
class AnswerRevision(VisitCommand):
    """Whether a calibration goes on by a newer revision of its sheet (``take``), or by the one that it began with."""

    revision: int
    take: bool

    @property
    def once_confirmed(self) -> bool:
        """To go on as it was changes nothing."""
        return not self.take

    def once_run(self, opened: Opened) -> bool:
        """Nor of what was run."""
        return not self.take

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """Which it is, of the calibration; raises ``Conflict`` where another is the newest, or changes do not fit."""
        newer = context.house.newer_sheet(opened)
        if newer is None or newer.revision != self.revision:
            raise Conflict(said("jobs.revision.another"))
        pins = []
        if self.take:
            try:
                with_changes(newer.content, (change.said for change in opened.state.changes))
            except BadInput as cause:
                raise Conflict(said("jobs.revision.changes_do_not_fit", why=refusal(cause))) from cause
            pins = [pinned(entry) for entry in entries_of(context.house, newer.id)]
        return [Saying(RevisionAnswered(revision=self.revision, pins=pins), of_owner(opened, "calibration"))]

    def decide(self, context: Context) -> Decision[Any]:
        """The answer, and the newer sheet kept with it."""
        found = super().decide(context)
        sheet = context.house.open(self.visit, self.calibration).sheet.plan.procedure.id
        return (
            replace(found, keeps=[content(entry) for entry in entries_of(context.house, sheet)]) if self.take else found
        )
