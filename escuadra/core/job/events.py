"""The kinds of event in a job's log: their payloads, versions and canonical text.

An event is never rewritten; a payload of an old version is brought up to date when it is read. The text is canonical
JSON (RFC 8785 in spirit: sorted keys, no spaces, UTF-8), hashed with the hash of the event before it (SHA-256).
"""

import hashlib
import json
from collections.abc import Callable
from typing import Any, Literal

from pydantic import Field

from escuadra.core.bay import Place
from escuadra.core.errors import BadInput
from escuadra.core.job.mechanics import Mechanics
from escuadra.core.model import Frozen, Number
from escuadra.core.readings import Instrument, Sag

GENESIS = "0" * 64


class Person(Frozen):
    """Who did it, and how that is known."""

    id: str
    name: str
    known: Literal["picked", "itself"] = Field(
        "picked", description="picked on the tablet, not verified; itself: noticed by the application"
    )


class Pinned(Frozen):
    """A catalogue entry as the job uses it: immutable by its content's hash."""

    kind: str
    id: str
    revision: int
    hash: str


class TakenIn(Frozen):
    """A job was taken in."""

    vin: str
    plate: str
    odometer_km: int | None = None
    customer: str
    number: str
    reason: str
    bay: str
    pins: list[Pinned]


class Placed(Frozen):
    """Where the vehicle is to stand in its bay, and the bay and survey that this was judged with."""

    place: Place
    source: Literal["parking", "typed", "job"] = Field(description="chosen by search, typed, or where a job stood")
    from_job: str = Field("", description="number of the job whose place was taken as a first guess")
    pins: list[Pinned] = Field(description="the bay and, where there is one, its survey")


class ToolUsed(Frozen):
    """The instrument of a reading, with what it contributed at that time."""

    id: str
    name: str
    contributions: Instrument
    expansion_per_k: Number | None = None
    sag: Sag | None = Field(None, description="of a tape that hangs free")
    scale: str = Field("", description="instrument whose scale it was read on, where that is another one")


class ReadingTaken(Frozen):
    """A value was read."""

    slot: str
    typed: str
    understood: str
    value: Number = Field(description="mm, degrees or percent")
    tool: ToolUsed
    temperature: Number | None = Field(None, description="of the tape, degrees Celsius")
    hung_free: bool = Field(False, description="the tape hung free between its ends")
    replaces: bool = Field(False, description="withdraws the slot's earlier readings")
    replaces_after: int = Field(0, description="seq after which: what was read of an earlier set-up stays")
    device: str = Field("", max_length=60, description="serial of the device that proposed it; empty: typed")


class Withdrawn(Frozen):
    """A person took back an entry of their own."""

    entry: int = Field(description="seq of what is withdrawn")


class Answered(Frozen):
    """A question of the sheet was answered: a tick or a choice."""

    slot: str
    value: str


class Disturbed(Frozen):
    """Something happened that spoils readings: a move, a bump, a mounting, the vehicle."""

    what: str
    words: str = Field(description="as told or as reported")
    amount: str = ""
    by: dict[str, Number] = Field({}, description="what was told: turns; left, away or up in mm; turns of each foot")


class Doubted(Frozen):
    """An instrument cannot be relied on any more: readings taken with it since its last good check are in doubt."""

    tool: str
    name: str
    why: Literal["dropped", "out", "overdue"]
    since: int = Field(description="UTC milliseconds of its last good check; 0: it never had one")
    words: str


class Photographed(Frozen):
    """A photo was kept, re-encoded without what a camera writes beside the picture."""

    slot: str
    digest: str = Field(description="SHA-256 of the kept JPEG")
    width: int
    height: int
    name: str = Field("", max_length=120, description="of the file that was given")


class FigureChanged(Frozen):
    """A figure of the specification was overridden on the spot."""

    path: str = Field(description="such as distance, or check.distance.limits.plus")
    before: Number
    value: Number
    reason: str


class FrameKnown(Frozen):
    """What earlier jobs found out about the frame's yaw screw."""

    mechanics: Mechanics


class LinePlanned(Frozen):
    """How the line is to be found on this job: which methods, how often each place is read, and with what."""

    methods: list[str] = Field(min_length=1, description="ids of methods, in the order in which they are read")
    times: int = Field(1, ge=1, le=10, description="readings of each place")
    tools: dict[str, str] = Field({}, description="kind of reading: id of the instrument for it")
    rear_tapes: bool = Field(False, description="tapes from the rear hubs to the beam too")
    rectangle: bool = Field(False, description="the distance is carried past the vehicle by a rectangle")


class SaidThen(Frozen):
    """What a check of the sheet said when a station was run."""

    check: str
    title: str
    state: str
    said: str


class StationRun(Frozen):
    """The procedure was run at one of its stations, set up as the sheet then said."""

    station: str
    name: str
    said: list[SaidThen] = Field(description="the checks of what carries the target, as they stood")
    tools: list[str] = Field(description="instruments that the set-up relied on")


class Overridden(Frozen):
    """A check that does not hold was overridden with a reason."""

    check: str
    reason: str


class OverrideWithdrawn(Frozen):
    """An override was taken back."""

    check: str


class Signed(Frozen):
    """The sheet was signed and its record frozen."""

    revision: int
    head: str = Field(description="hash of the last event that the signer saw")
    record_json: str = Field(description="SHA-256 of the stored record")
    record_pdf: str = Field(description="SHA-256 of the stored PDF")
    application: str


class Reopened(Frozen):
    """A signed sheet was reopened; the signed revision stays."""

    revision: int = Field(description="the revision that begins")
    reason: str


PAYLOADS: dict[str, tuple[int, type[Frozen]]] = {
    "taken_in": (1, TakenIn),
    "placed": (1, Placed),
    "reading": (1, ReadingTaken),
    "withdrawn": (1, Withdrawn),
    "answered": (1, Answered),
    "disturbed": (1, Disturbed),
    "doubted": (1, Doubted),
    "photographed": (1, Photographed),
    "figure_changed": (1, FigureChanged),
    "line_planned": (1, LinePlanned),
    "frame_known": (1, FrameKnown),
    "station_run": (1, StationRun),
    "overridden": (1, Overridden),
    "override_withdrawn": (1, OverrideWithdrawn),
    "signed": (1, Signed),
    "reopened": (1, Reopened),
}
UPCASTS: dict[tuple[str, int], Callable[[dict[str, Any]], dict[str, Any]]] = {}
"""(kind, old version): its payload as the next version has it. Nothing in the log is rewritten."""
_KIND_OF = {model: (kind, version) for kind, (version, model) in PAYLOADS.items()}


class Event(Frozen):
    """One thing that happened on a job. Order is ``seq`` alone; ``at`` is for people (UTC milliseconds)."""

    job: str
    seq: int
    id: str = Field(description="made by the client: a doubled key press is one event")
    at: int
    person: Person
    kind: str
    version: int
    data: dict[str, Any]

    @property
    def payload(self) -> Any:
        """The payload as its model, old versions brought up to date; raises ``BadInput`` for an unknown kind."""
        known = PAYLOADS.get(self.kind)
        if known is None or self.version > known[0]:
            raise BadInput("kind", f"{self.kind} version {self.version}", "an event that this version knows")
        data = self.data
        for version in range(self.version, known[0]):
            data = UPCASTS[self.kind, version](data)
        return known[1].read(data)

    def text(self) -> str:
        """Canonical JSON text."""
        return canonical(self.model_dump(mode="json"))


def made(job: str, seq: int, id: str, at: int, person: Person, payload: Frozen) -> Event:
    """An event of the payload's kind and present version."""
    kind, version = _KIND_OF[type(payload)]
    data = payload.model_dump(mode="json", exclude_none=True)
    return Event(job=job, seq=seq, id=id, at=at, person=person, kind=kind, version=version, data=data)


def canonical(data: Any) -> str:
    """Canonical JSON of plain data."""
    return json.dumps(data, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)


def chained(previous: str, text: str) -> str:
    """The hash of an event's text upon the hash of the one before."""
    return hashlib.sha256(f"{previous}\n{text}".encode()).hexdigest()
