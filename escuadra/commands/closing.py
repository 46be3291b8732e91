"""The visit closed: released with its certificate by the lead, or sent back; what is handed over with the vehicle."""

import secrets
import uuid
from base64 import urlsafe_b64encode
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date
from hashlib import sha256

from escuadra.commands.command import Context
from escuadra.commands.entries import reasoned
from escuadra.commands.forms import Whole
from escuadra.commands.garage import Garage
from escuadra.commands.signing import PRINTING_PATIENCE_S
from escuadra.commands.whole import Told, WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Noun, nouns, said
from escuadra.core.base.stream import ITSELF, Person
from escuadra.core.visit.closing import Handover, drives_open, handovers, holds_up
from escuadra.core.visit.log.closing import (
    ENDINGS,
    CertificatePrinted,
    HandedOver,
    HandoverAcknowledged,
    HandoverClosed,
    OverrideSeen,
    Released,
    SentBack,
)
from escuadra.core.visit.log.reducer import VEHICLE
from escuadra.store import Log
from escuadra.store.repositories.customers import Customers


@dataclass(frozen=True)
class Release(WholeVisitCommand):
    """The lead saw all of it, every override first, and releases its certificate.

    ``head``: hash of the visit's last event that the lead saw. ``render``: the certificate as JSON, given the visit,
    who releases it and when, its revision, and which functions were seen to work.
    """

    duty = "release"
    head: str
    functions: str
    render: Callable[[Whole, Person, int, int, str], bytes] = field(repr=False, compare=False)

    @property
    def when_released(self) -> bool:
        """Again, once a drive that was open was proved to be completed."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The release; raises ``Conflict`` where something is missing, or others recorded since."""
        state, house = whole.state, context.house
        if whole.row.head != self.head:
            raise Conflict(said("jobs.signing.others_recorded_since_you_looked"))
        missing = holds_up(whole.visit)
        if missing:
            raise Conflict(said("jobs.closing.not_yet", what=nouns(missing, "comma")))
        if state.released is not None and not state.open_since(state.releases[-1].seq):
            raise Conflict(said("jobs.closing.released_already"))
        revision = len(state.releases) + 1
        seen = [
            OverrideSeen(calibration=id, check=view.check.id)
            for id in whole.visit.in_order
            for view in house.open(self.visit, id).sheet.checks
            if view.override is not None
        ]
        content = self.render(whole, context.who, context.at, revision, self.functions.strip()[:500])
        told = Released(
            revision=revision,
            overrides=seen,
            functions=self.functions.strip()[:500],
            certificate_json=house.files.put(content),
            seen=whole.visit.seq,
        )
        return [(VEHICLE, told)]


@dataclass(frozen=True)
class SendBack(WholeVisitCommand):
    """The lead does not release it, or takes the release back, and says why."""

    duty = "release"
    words: str

    @property
    def when_released(self) -> bool:
        """A release is taken back by it."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The words; raises ``Conflict`` for a visit of which nothing is signed."""
        if not any(state.signed is not None for state in whole.visit.parts.values()):
            raise Conflict(said("closing.nothing_signed"))
        return [(VEHICLE, SentBack(words=reasoned(self.words)))]


@dataclass(frozen=True)
class KeepCertificate(WholeVisitCommand):
    """The PDF of a released certificate, by the SHA-256 of the kept file."""

    revision: int
    digest: str

    @property
    def when_released(self) -> bool:
        """Then, and after it was sent back as well: what was released can be printed again."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """Which file it is."""
        return [(VEHICLE, CertificatePrinted(revision=self.revision, certificate_pdf=self.digest))]


@dataclass(frozen=True)
class HandOver(WholeVisitCommand):
    """The vehicle leaves with its drive open: who drives, under which conditions, and by when it is reported."""

    drives: str
    conditions: str
    still: str
    shows: str
    without: str
    seen_by: str
    by: str

    @property
    def when_released(self) -> bool:
        """Before or after."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """What is handed over; raises ``Conflict`` where no drive is open, ``BadInput`` for what is missing."""
        waiting = drives_open(whole.visit, context.house.model_of(whole))
        if not waiting or any(one.open for one in handovers(whole.state)):
            raise Conflict(said("jobs.closing.no_drive_open"))
        for name in ("conditions", "seen_by"):
            if not getattr(self, name).strip():
                raise BadInput(name, "", said(f"wants.handover_{name}"))
        try:
            by = date.fromisoformat(self.by.strip())
        except ValueError as error:
            raise BadInput("by", self.by, said("wants.day_year_month_day_such")) from error
        if by.isoformat() < context.house.today():
            raise BadInput("by", self.by, said("wants.day_from_today"))
        told = {name: getattr(self, name).strip()[:300] for name in ("conditions", "shows", "without", "seen_by")}
        # As hard to guess as the press itself, which nobody but this browser knows.
        secret = sha256(f"{context.client_id} {whole.row.head}".encode()).digest()
        link = urlsafe_b64encode(secret)[:20].decode()
        own = {
            "calibrations": waiting,
            "link": link,
            "drives": self.drives,
            "still": self.still.strip()[:120],
            "by": by,
        }
        return [(VEHICLE, HandedOver.read({**told, **own}))]


@dataclass(frozen=True)
class Acknowledge(WholeVisitCommand):
    """The customer read what is open and typed their name."""

    link: str
    name: str

    @property
    def when_released(self) -> bool:
        """Whenever the customer reads it."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """That it was read; raises ``BadInput`` for no name."""
        handed = one_of(whole, self.link)
        if len(self._typed) < 2:
            raise BadInput("name", self.name, said("wants.your_name"))
        if handed.acknowledged is not None:
            raise Conflict(said("jobs.closing.acknowledged_already"))
        return [(VEHICLE, HandoverAcknowledged(link=self.link, customer=self._id(context)))]

    def beside(self, context: Context) -> Callable[[Log], None]:
        """The name, outside the log."""
        return lambda log: Customers(log.connection).add(self._id(context), self._typed, "", self.visit)

    @property
    def _typed(self) -> str:
        return " ".join(self.name.split())[:80]

    @staticmethod
    def _id(context: Context) -> str:
        return uuid.uuid5(uuid.NAMESPACE_OID, f"{context.client_id}-customer").hex[:10]


@dataclass(frozen=True)
class CloseHandover(WholeVisitCommand):
    """How the open drive came to an end: with a proof, by somebody's word, or not at all."""

    link: str
    how: str
    words: str

    @property
    def when_released(self) -> bool:
        """It comes days later."""
        return True

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The end; raises ``BadInput`` for an unknown one, or for a proof of which nothing is there."""
        handed = one_of(whole, self.link)
        if handed.closed is not None:
            raise Conflict(said("jobs.closing.closed_already"))
        if self.how not in ENDINGS:
            names = nouns((Noun(f"ending.{one}") for one in ENDINGS), "or")
            raise BadInput("how", self.how, said("wants.one_of", names=names))
        since = handed.seq
        if self.how == "photo" and not any(p.seq > since and p.said.slot == DISPLAY for p in whole.state.photos):
            raise BadInput("how", said("as_is", text=Noun("ending.photo")), said("wants.photo_of_display_first"))
        if self.how == "codes" and not any(
            one.seq > since and one.said.when == "after" and one.said.source != "not_read" for one in whole.state.codes
        ):
            raise BadInput("how", said("as_is", text=Noun("ending.codes")), said("wants.codes_read_first"))
        told = {"link": self.link, "how": self.how, "words": reasoned(self.words)[:300]}
        return [(VEHICLE, HandoverClosed.read(told))]


DISPLAY = "display"
"""Where a photo of the vehicle's display is kept that shows how a drive ended."""


def one_of(whole: Whole, link: str) -> Handover:
    """What was handed over under a link; raises ``BadInput`` for an unknown one."""
    found = next((one for one in handovers(whole.state) if secrets.compare_digest(one.said.link, link)), None)
    if found is None:
        raise BadInput("link", link[:16], said("wants.handover_link"))
    return found


def certificate_pdf(garage: Garage, visit: str, revision: int, render: Callable[[bytes], bytes]) -> bytes:
    """The PDF of a released certificate: printed once, from what was released, and kept.

    ``render``: PDF bytes from the certificate's JSON. Raises ``BadInput`` for what was not released.
    """
    with garage.queues.turn(f"print/{visit}/certificate/{revision}", PRINTING_PATIENCE_S):
        state = garage.whole(visit).state
        released = next((one.said for one in state.releases if one.said.revision == revision), None)
        if released is None:
            raise BadInput("revision", str(revision), said("wants.released_revision"))
        digest = state.certificate_pdf(revision)
        if digest is None:
            kept = garage.files.put(render(garage.files.get(released.certificate_json)))
            after = garage.do(KeepCertificate(visit, revision, kept), ITSELF, f"certificate-{revision}")
            digest = after.state.certificate_pdf(revision)
    assert digest is not None
    return garage.files.get(digest)
