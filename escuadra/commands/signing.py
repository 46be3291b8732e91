"""Signing what the signer saw, printing its record once, and beginning a new revision."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from escuadra import __version__
from escuadra.commands.command import Append, Context, Decision, Saying, VisitCommand, decided, goes_on, of_owner
from escuadra.commands.entries import reasoned
from escuadra.commands.forms import Opened
from escuadra.commands.garage import Garage
from escuadra.commands.instrument_life import appended
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import nouns, said
from escuadra.core.base.stream import ITSELF, Person
from escuadra.core.instruments.history import Learned
from escuadra.core.visit.log.events import PartHead, Printed, Reopened, Signed
from escuadra.core.visit.prediction import mechanics

PRINTING_PATIENCE_S = 300.0
"""Who asks for a record that is being printed waits for it: a starved machine takes a minute."""


@dataclass(frozen=True)
class Sign(VisitCommand):
    """What the signer saw is signed: its record is stored and frozen, and what it taught about the frame is kept.

    ``head``: hash of the visit's last event that the signer saw. ``render``: the record as JSON.
    """

    duty = "sign"
    head: str
    render: Callable[[Opened, Person, int], bytes] = field(repr=False, compare=False)

    def decide(self, context: Context) -> Decision[Any]:
        """The signature and, where moves taught something, an entry of the frame's scale; raises ``Conflict``."""
        opened = context.house.open(self.visit, self.calibration)
        if opened.state.signed is not None:
            raise Conflict(said("jobs.signing.sheet_signed_work_again_reopen"))
        goes_on(context.house, opened)
        decision = decided(opened, self.say(context, opened))
        learned = self._learned(context, opened)
        rests_on = {**decision.rests_on, **{one.stream: one.expected for one in learned}}
        return Decision([*decision.appends, *learned], rests_on, seen=opened)

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The signature, of the calibration: how far each part had come that it stands on."""
        parts = self._seen(context, opened)
        if not opened.sheet.can_sign:
            names = nouns((view.check.called for view in opened.sheet.unsettled), "comma")
            raise Conflict(said("jobs.signing.not_settled_yet", names=names))
        digest = context.house.files.put(self.render(opened, context.who, context.at))
        revision = opened.state.revision
        told = Signed(revision=revision, parts=parts, record_json=digest, application=__version__)
        return [Saying(told, of_owner(opened, "calibration"))]

    def _seen(self, context: Context, opened: Opened) -> list[PartHead]:
        """Seq and hash of each part that the calibration stands on; raises where one has moved since."""
        heads = opened.visit.heads(opened.calibration)
        with context.house.store.reading() as log:
            seen, hashes = log.hashes(opened.row.id, self.head, heads.values())
        if seen is None or max(heads.values()) > seen:
            raise Conflict(said("jobs.signing.others_recorded_since_you_looked"))
        return [PartHead(of=part, seq=seq, hash=hashes[seq]) for part, seq in heads.items()]

    def _learned(self, context: Context, opened: Opened) -> list[Append]:
        known, before = mechanics(opened.sheet.epochs), opened.state.frame_known
        scale = context.house.instruments.scale_of(opened.sheet.plan.frame.id)
        if scale is None or known.moves <= (before.moves if before is not None else 0):
            return []
        number = opened.row.number
        learned = Learned(day=context.house.instruments.today(), job=number, mechanics=known)
        return appended(context, scale.tool.id, learned, f"learned-{number}")


@dataclass(frozen=True)
class KeepPrint(VisitCommand):
    """The PDF of a signed revision, by the SHA-256 of the kept file; where two were printed, the first one stays."""

    revision: int
    digest: str

    @property
    def when_signed(self) -> bool:
        """Only then."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """Which file it is, of the calibration."""
        said = Printed(revision=self.revision, record_pdf=self.digest)
        return [Saying(said, of_owner(opened, "calibration"))]


@dataclass(frozen=True)
class Reopen(VisitCommand):
    """A new revision of a signed sheet begins; the signed one stays."""

    reason: str

    @property
    def when_signed(self) -> bool:
        """Only then."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The next revision, of the calibration."""
        if opened.state.signed is None:
            raise Conflict(said("jobs.signing.sheet_not_signed_there_nothing"))
        if opened.visit.vehicle.released is not None:
            raise Conflict(said("jobs.whole.released"))
        told = Reopened(revision=opened.state.revision + 1, reason=reasoned(self.reason))
        return [Saying(told, of_owner(opened, "calibration"))]


def printed(
    garage: Garage, visit: str, revision: int, render: Callable[[bytes, Opened], bytes], calibration: str = ""
) -> bytes:
    """The PDF of a signed revision: printed once, from the record and the sheet as they were signed, and kept.

    ``render``: PDF bytes from the record's JSON and the sheet. Raises ``BadInput`` for what is not signed.
    """
    with garage.queues.turn(f"print/{visit}/{calibration}/{revision}", PRINTING_PATIENCE_S):
        opened = garage.open(visit, calibration)
        signed = next((one.said for one in opened.state.records if one.said.revision == revision), None)
        if signed is None:
            raise BadInput("revision", str(revision), said("wants.signed_revision"))
        digest = opened.state.pdf_of(revision)
        if digest is None:
            content = render(garage.files.get(signed.record_json), garage.signed_sheet(opened, revision))
            keep = KeepPrint(visit, revision, garage.files.put(content), calibration=calibration)
            after = garage.do(keep, ITSELF, f"printed-{opened.calibration}-{revision}")
            digest = after.state.pdf_of(revision)
    assert digest is not None
    return garage.files.get(digest)
