"""A sensor turned by its two screws: the turns that the routine told, and the turns that were made."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from escuadra.commands.command import Context, Saying, VisitCommand, of_owner
from escuadra.commands.entries import reasoned
from escuadra.commands.forms import Opened
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import figure
from escuadra.core.base.said import said
from escuadra.core.procedure.adjusting import Adjusting
from escuadra.core.visit.aiming import Aiming, aiming
from escuadra.core.visit.attempts import FAILED
from escuadra.core.visit.log.disturbances import SCREWS
from escuadra.core.visit.log.events import Disturbed, TurnsTold

MOST_TURNS = 20.0
WAYS = {"clockwise": 1.0, "anticlockwise": -1.0}
"""By which word a screw's direction is given; seen from where the sheet says."""


@dataclass(frozen=True)
class ScrewCommand(VisitCommand):
    """Something about the screws; only after a run that failed, or a spot that was read of the sensor's mirror."""

    def once_run(self, opened: Opened) -> bool:
        """It is what came of the run."""
        return True

    def aimed(self, opened: Opened) -> tuple[Adjusting, Aiming]:
        """The sheet's screws and how far the aiming came; raises ``Conflict`` where there is nothing to turn."""
        procedure = opened.sheet.plan.procedure
        found = aiming(opened.sheet.epochs)
        if procedure.adjusting is None or found is None:
            raise Conflict(said("jobs.adjusting.no_screws"))
        if procedure.adjusting.mirror is not None:
            here, last = opened.sheet.plan.station, found.last
            if last is None or last.turned is not None or here is None or not here.aims:
                raise Conflict(said("jobs.adjusting.read_spot"))
            return procedure.adjusting, found
        if opened.state.frozen is None or found.last is None or found.last.outcome != FAILED:
            raise Conflict(said("jobs.adjusting.not_failed"))
        return procedure.adjusting, found


@dataclass(frozen=True)
class TellTurns(ScrewCommand):
    """The turns as the routine tells them: a figure and a direction for each screw, as typed."""

    typed: Mapping[str, tuple[str, str]]
    """By the screw's id: turns such as 3/8, and ``clockwise`` or ``anticlockwise``."""
    device: str = ""
    unread: str = ""
    """Why the misalignment cannot be read before anything is turned."""

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """What was told, of the calibration; raises ``BadInput`` for a figure that is no turn of this screw."""
        given, found = self.aimed(opened)
        unread = found.last is not None and found.last.shown is None
        why = reasoned(self.unread) if unread and self.unread.strip() else ""
        turns = {screw.id: _turns(screw.id, *self.typed.get(screw.id, ("", ""))) for screw in given.screws}
        if not any(turns.values()):
            raise BadInput(given.screws[0].id, "0", said("wants.turns_of_one_screw"))
        told = TurnsTold(turns=turns, device=self.device[:60], unread=why[:300])
        return [Saying(told, of_owner(opened, "calibration"))]


@dataclass(frozen=True)
class TurnScrews(ScrewCommand):
    """The screws were turned, as told."""

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The turns that were made; raises ``Conflict`` where no misalignment was kept, or no turns are known."""
        _, found = self.aimed(opened)
        assert found.last is not None
        if found.last.shown is None and not (found.last.told is not None and found.last.told.unread):
            raise Conflict(said("adjusting.read_first"))
        if found.to_turn is None:
            raise Conflict(said("adjusting.ask_turns"))
        turned = Disturbed(what=SCREWS, source="told", by=dict(found.to_turn))
        return [Saying(turned, of_owner(opened, "calibration"))]


def _turns(screw: str, text: str, way: str) -> float:
    """A figure in turns with its direction; nothing typed: the screw is left alone."""
    plain = text.strip()
    if not plain:
        return 0.0
    wanted = said("wants.turns_eighths")
    whole, _, rest = plain.partition(" ")
    total = 0.0
    for part in (whole, rest):
        over, slash, under = part.partition("/")
        if part and slash:
            below = figure(under, screw, wanted, 1, 16)
            total += figure(over, screw, wanted, 0, 16) / below
        elif part:
            total += figure(part, screw, wanted, 0, MOST_TURNS)
    if total > MOST_TURNS:
        raise BadInput(screw, text, wanted)
    if total and way not in WAYS:
        raise BadInput(f"{screw}_way", way, said("wants.clockwise_or_not"))
    return total * WAYS.get(way, 1.0)
