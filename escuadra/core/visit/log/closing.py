"""What is said when a visit is closed: released by the lead or sent back, and what is handed over with the vehicle.

A drive that is still open is handed over to whoever drives, with what the display shows until then and by when it is
reported; it is closed with its proof, or by somebody's word, which proves nothing.
"""

from datetime import date
from typing import Literal

from pydantic import Field

from escuadra.core.base.model import Frozen
from escuadra.core.base.stream import Event
from escuadra.core.visit.log.events import Folding, VisitPayload

Proof = Literal["photo", "codes", "reported", "lapsed", "driven"]
PROOFS: tuple[Proof, ...] = ("photo", "codes", "driven")
"""What proves that a drive was completed; ``driven``: it was done here and is recorded with what counted of it."""
ENDINGS: tuple[Proof, ...] = ("photo", "codes", "reported", "lapsed")
"""What somebody can say of it."""


class OverrideSeen(Frozen):
    """An override that the lead saw before releasing."""

    calibration: str
    check: str


class Released(VisitPayload):
    """The lead looked at the visit as a whole, every override first, and released its certificate."""

    code = "released"
    stage = ""
    files = ("certificate_json",)

    revision: int = Field(ge=1)
    overrides: list[OverrideSeen] = []
    functions: str = Field("", max_length=500, description="which were seen to work, where and when; empty: none tried")
    certificate_json: str = Field(description="SHA-256 of the stored certificate")
    seen: int = Field(description="seq of the last event that the lead saw")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "releases", self)
        state.set(released=self, sent_back=None)


class CertificatePrinted(VisitPayload):
    """A certificate was printed: the PDF that was made from it once, and is kept byte for byte."""

    code = "certificate_printed"
    stage = ""
    files = ("certificate_pdf",)

    revision: int
    certificate_pdf: str = Field(description="SHA-256 of the stored PDF")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "certificate_prints", self)


class SentBack(VisitPayload):
    """The lead does not release it, or no longer, and says why: the calibrations can be reopened."""

    code = "sent_back"
    stage = ""

    words: str = Field(min_length=1, max_length=500)

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "returns", self)
        state.set(released=None, sent_back=self)


class HandedOver(VisitPayload):
    """The vehicle leaves with something open: it still has to learn on the road."""

    code = "handed_over"
    stage = ""

    calibrations: list[str] = Field(min_length=1, description="ids of those whose drive is open")
    link: str = Field(pattern=r"^[A-Za-z0-9_-]{10,40}$", description="last part of the address of the customer's page")
    drives: Literal["customer", "specialist"]
    conditions: str = Field(min_length=1, max_length=300, description="which road, weather and speed")
    still: str = Field("", max_length=120, description="kilometres or minutes that are expected still")
    shows: str = Field("", max_length=300, description="on the display meanwhile")
    without: str = Field("", max_length=300, description="functions that do not work until then")
    seen_by: str = Field(min_length=1, max_length=300, description="how one sees that it is complete")
    by: date = Field(description="day by which it is reported")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "handovers", self)


class HandoverAcknowledged(VisitPayload):
    """The customer read it and typed their name, which lies outside the log."""

    code = "handover_acknowledged"
    stage = ""

    link: str
    customer: str = Field(min_length=1, description="id: the name is kept apart and can be erased")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "handovers", self)


class HandoverClosed(VisitPayload):
    """The open drive is closed: by a photo of the display, by codes, by somebody's word, or because time ran out."""

    code = "handover_closed"
    stage = ""

    link: str
    how: Proof
    words: str = Field(min_length=1, max_length=300)

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "handovers", self)
