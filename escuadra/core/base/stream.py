"""What an append-only stream is: events in the order of their seq, each hashed with the one before it.

Visits, surveys, instruments, people, settings and catalogue entries' life are all streams with these rules. An event is
never rewritten; a payload of an old version is brought up to date when it is read. The text is canonical JSON (RFC 8785
in spirit: sorted keys, no spaces, UTF-8), chained by SHA-256. A payload says what it is by its code and applies itself
to the state of its stream, so that a reducer is a lookup.
"""

import hashlib
import json
from collections.abc import Callable
from typing import Any, ClassVar, Literal

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import said

GENESIS = "0" * 64


class Person(Frozen):
    """Who did it, and how that is known."""

    id: str
    name: str
    known: Literal["picked", "itself"] = Field(
        "picked", description="picked on the tablet, not verified; itself: noticed by the application"
    )


ITSELF = Person(id="escuadra", name="Escuadra", known="itself")


class Part(Frozen):
    """What of a visit an event is of: its vehicle, a body that carries targets, or a calibration."""

    kind: Literal["vehicle", "body", "calibration"]
    id: str = Field("", description="of the body or calibration within the visit")

    def __str__(self) -> str:
        return f"{self.kind} {self.id}".strip()


class Payload(Frozen):
    """What an event says. A subclass names its ``code`` and, where it has changed since, its ``version``."""

    code: ClassVar[str] = ""
    version: ClassVar[int] = 1
    upcasts: ClassVar[dict[int, Callable[[dict[str, Any]], dict[str, Any]]]] = {}
    """Old version: its data as the next version has it. Nothing in the stream is rewritten."""
    stage: ClassVar[str] = ""
    """How far a calibration has come with it; empty: no further than it was."""
    files: ClassVar[tuple[str, ...]] = ()
    """Fields that name a kept file by its SHA-256."""

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        if cls.code:
            PAYLOADS[cls.code] = cls

    def apply(self, state: Any, event: "Event") -> Any:
        """The state of the stream after this event."""
        raise NotImplementedError


PAYLOADS: dict[str, type[Payload]] = {}
"""Every payload by its code."""


class Event(Frozen):
    """One thing that happened in a stream. Order is ``seq`` alone; ``at`` is for people (UTC milliseconds)."""

    stream: str
    seq: int
    id: str = Field(description="made by the client: a doubled key press is one event")
    at: int
    person: Person
    kind: str
    version: int
    of: Part | None = Field(None, description="in a visit's stream: what of it this is of")
    data: dict[str, Any]

    @property
    def payload(self) -> Any:
        """The payload as its model, old versions brought up to date; raises ``BadInput`` for an unknown kind."""
        known = PAYLOADS.get(self.kind)
        if known is None or self.version > known.version:
            raise BadInput(
                "kind", said("stream.version", kind=self.kind, version=self.version), said("wants.event_version_knows")
            )
        data = self.data
        for version in range(self.version, known.version):
            data = known.upcasts[version](data)
        return known.read(data)

    def text(self) -> str:
        """Canonical JSON text."""
        return canonical(self.model_dump(mode="json", exclude_none=True))


def made(stream: str, seq: int, id: str, at: int, person: Person, payload: Payload, of: Part | None = None) -> Event:
    """An event of the payload's kind and present version."""
    data = payload.model_dump(mode="json", exclude_none=True)
    kind, version = payload.code, payload.version
    return Event(stream=stream, seq=seq, id=id, at=at, person=person, kind=kind, version=version, of=of, data=data)


def canonical(data: Any) -> str:
    """Canonical JSON of plain data."""
    return json.dumps(data, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)


def chained(previous: str, text: str) -> str:
    """The hash of an event's text upon the hash of the one before."""
    return hashlib.sha256(f"{previous}\n{text}".encode()).hexdigest()
