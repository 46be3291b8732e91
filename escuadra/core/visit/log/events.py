"""What can be said in a visit's stream, and what each of it does to the visit's state."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any, ClassVar, Literal, Protocol

from pydantic import Field

from escuadra.core.base.model import Frozen, Number
from escuadra.core.base.said import Name, Noun, Said, Text, Way, said
from escuadra.core.base.stream import Event, Part, Payload
from escuadra.core.bay.bay import Place
from escuadra.core.instruments.screw import Mechanics
from escuadra.core.measure.readings import Instrument, Sag
from escuadra.core.procedure.sheet import Side
from escuadra.core.vehicle.scope import Reason
from escuadra.core.visit.log.disturbances import AROUND, FLOOR, HAPPENINGS, PLACED, RESULT

Source = Literal["reported", "told", "seen"]


@dataclass(frozen=True)
class Past:
    """What happened, what it spoils, and how it is known."""

    what: str
    words: Said
    aspects: frozenset[str]
    source: Source = "reported"
    by: Mapping[str, float] = field(default_factory=dict)


class Folding(Protocol):
    """A visit's state in the making: what its payloads can do to it."""

    def enter(self, event: Event, said: "ReadingTaken | Answered", replacing_after: int | None) -> None:
        """A reading or an answer; it replaces the slot's entries after a seq, or none."""

    def disturb(self, event: Event, past: Past) -> None:
        """Something that spoils aspects."""

    def withdraw(self, seq: int) -> None:
        """An entry or a run was taken back."""

    def doubt(self, event: Event, said: "Doubted") -> None:
        """Readings and runs that relied on an instrument are in doubt."""

    def confirm(self, event: Event, said: "SetupConfirmed") -> None:
        """The set-up as it stands is confirmed, or that is taken back."""

    def run(self, event: Event, said: "ProcedureRun") -> None:
        """The procedure was run at a station."""

    def override(self, event: Event, check: str, reason: str | None) -> None:
        """A check is accepted with a reason; no reason takes that back."""

    def keep(self, event: Event, what: str, said: Payload) -> None:
        """One more of what is kept under that name, with when and by whom."""

    def amend(self, what: str, change: Callable[[Any], Any]) -> None:
        """What was said before, under that name, is as the change leaves it: each of it, where it is kept as a list."""

    def set(self, **fields: Any) -> None:
        """Fields of the state."""


class VisitPayload(Payload):
    """What is said in a visit's stream."""

    stage: ClassVar[str] = "in_work"
    sets_up: ClassVar[bool] = False
    """It is of how things stand now: it changes nothing of a set-up by which the procedure was run already."""

    def apply(self, state: Folding, event: Event) -> None:
        """Do to the state what was said."""
        raise NotImplementedError


class Pinned(Frozen):
    """A catalogue entry as the job uses it: immutable by its content's hash."""

    kind: str
    id: str
    revision: int
    hash: str


class TakenIn(VisitPayload):
    """A vehicle was taken in."""

    code = "taken_in"
    stage = ""

    vin: str
    plate: str
    odometer_km: int | None = None
    customer: str = Field(description="id of the customer, whose name and address lie outside; empty: not given")
    number: str
    reason: str
    bay: str
    pins: list[Pinned] = Field(description="the vehicle's model and, where it was drawn, the bay")

    def apply(self, state: Folding, event: Event) -> None:
        state.set(job=self, taken_in_at=event.at, taken_in_by=event.person)


class BodyBrought(VisitPayload):
    """A body that carries targets takes part in the visit."""

    code = "body_brought"
    stage = ""

    carrier: str = Field(pattern=r"^[a-z][a-z0-9_]*$", description="what it is: frame, stand")
    pins: list[Pinned] = Field(description="a frame's profile")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "bodies", self)


class CalibrationAdded(VisitPayload):
    """A sensor is to be calibrated in this visit, with these bodies."""

    code = "calibration_added"
    stage = ""

    bodies: list[str] = Field(description="ids of the bodies that it uses")
    pins: list[Pinned] = Field(description="the procedure's sheet and its targets")
    sensors: list[str] = Field([], description="ids of the sensors of the vehicle's model that it calibrates")
    because: list[Reason] = Field([], description="why, where it followed from what was done")

    def apply(self, state: Folding, event: Event) -> None:
        state.set(calibration=self)


class RevisionAnswered(VisitPayload):
    """A newer revision of the sheet came out: the calibration goes on by it, or by the one that it began with."""

    code = "revision_answered"

    revision: int = Field(ge=1, description="the newer one")
    pins: list[Pinned] = Field([], description="that sheet and its targets; none: it goes on by the one it began with")

    def apply(self, state: Folding, event: Event) -> None:
        state.set(revision_answered=self.revision)
        if self.pins:
            state.amend("calibration", lambda added: added.model_copy(update={"pins": self.pins}))


class Placed(VisitPayload):
    """Where the vehicle is to stand in its bay, and the bay and survey that this was judged with."""

    code = "placed"
    sets_up = True

    place: Place
    source: Literal["parking", "typed", "job"] = Field(description="chosen by search, typed, or where a job stood")
    from_job: str = Field("", description="number of the job whose place was taken as a first guess")
    pins: list[Pinned] = Field(description="the bay and, where there is one, its survey")

    def apply(self, state: Folding, event: Event) -> None:
        state.disturb(event, Past("placed", PLACED, FLOOR))
        state.set(placed=self)


class Relied(Frozen):
    """An instrument as it then was: how far its stream had come."""

    id: str
    seq: int = Field(0, ge=0, description="of its last event; 0: nothing had happened to it")


class ToolUsed(Relied):
    """The instrument of a reading, with what it contributed at that time."""

    name: str
    contributions: Instrument
    expansion_per_k: Number | None = None
    sag: Sag | None = Field(None, description="of a tape that hangs free")
    scale: Relied | None = Field(None, description="instrument whose scale it was read on, where that is another one")

    @property
    def relied(self) -> tuple[Relied, ...]:
        """All instruments that the reading stands on."""
        return (self, self.scale) if self.scale is not None else (self,)


class ReadingTaken(VisitPayload):
    """A value was read."""

    code = "reading"
    sets_up = True

    slot: str
    typed: str
    understood: str = Field(description="the figure with the unit it was understood in, such as 66.2 cm")
    way: str = Field("", description="code of the axis that says which way it is; empty: a signed figure")
    value: Number = Field(description="mm, degrees or percent")
    tool: ToolUsed
    temperature: Number | None = Field(None, description="of the tape, degrees Celsius")
    hung_free: bool = Field(False, description="the tape hung free between its ends")
    replaces: bool = Field(False, description="withdraws the slot's earlier readings")
    replaces_after: int = Field(0, description="seq after which: what was read of an earlier set-up stays")
    device: str = Field("", max_length=60, description="serial of the device that proposed it; empty: typed")

    @property
    def shown(self) -> Text:
        """What was read, as it is said: in its own unit, with its direction."""
        if not self.way or not self.value:
            return Name(self.understood)
        return said("reading", figure=self.understood, way=Way(self.way, self.value > 0))

    def apply(self, state: Folding, event: Event) -> None:
        state.enter(event, self, self.replaces_after if self.replaces else None)


class Withdrawn(VisitPayload):
    """A person took back an entry of their own."""

    code = "withdrawn"

    entry: int = Field(description="seq of what is withdrawn")

    def apply(self, state: Folding, event: Event) -> None:
        state.withdraw(self.entry)


class Answered(VisitPayload):
    """A question of the sheet was answered: a tick or a choice."""

    code = "answered"
    sets_up = True

    slot: str
    value: str

    def apply(self, state: Folding, event: Event) -> None:
        state.enter(event, self, 0)


class Disturbed(VisitPayload):
    """Something happened that spoils readings: a move, a bump, a mounting, the vehicle."""

    code = "disturbed"
    sets_up = True

    what: str
    source: Source = Field("reported", description="done as it was told, reported, or seen by a device")
    by: dict[str, Number] = Field({}, description="what was told: turns; left, away or up in mm; turns of each foot")

    def apply(self, state: Folding, event: Event) -> None:
        known = HAPPENINGS[self.what]
        state.disturb(event, Past(self.what, known.words, known.spoils(self.by), self.source, self.by))


class Doubted(VisitPayload):
    """An instrument cannot be relied on any more: readings taken with it since its last good check are in doubt."""

    code = "doubted"

    tool: str
    name: str
    why: Literal["dropped", "out", "overdue"]
    since: int = Field(description="seq of its last good check in its stream; 0: it never had one")
    check: str = Field("", description="the self-check that found it out")
    due: date | None = Field(None, description="the day on which its check became too old")

    @property
    def words(self) -> Said:
        """Why, as a past event."""
        check = Noun(f"self_check.{self.check}") if self.why == "out" else None
        due = str(self.due) if self.why == "overdue" else None
        return said(f"doubted.{self.why}", tool=self.name, check=check, due=due)

    def apply(self, state: Folding, event: Event) -> None:
        state.disturb(event, Past("doubted", self.words, frozenset()))
        state.doubt(event, self)


class Photographed(VisitPayload):
    """A photo was kept, re-encoded without what a camera writes beside the picture."""

    code = "photographed"
    files = ("digest",)

    slot: str
    digest: str = Field(description="SHA-256 of the kept JPEG")
    width: int
    height: int
    name: str = Field("", max_length=120, description="of the file that was given")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "photos", self)


class FigureChanged(VisitPayload):
    """A figure of the specification was overridden on the spot."""

    code = "figure_changed"

    path: str = Field(description="such as distance, or check.distance.limits.plus")
    before: Number
    value: Number
    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "changes", self)


class FrameKnown(VisitPayload):
    """What earlier jobs found out about the frame's yaw screw."""

    code = "frame_known"
    stage = ""

    mechanics: Mechanics

    def apply(self, state: Folding, event: Event) -> None:
        state.set(frame_known=self.mechanics)


class LinePlanned(VisitPayload):
    """How the line is to be found on this job: which methods, how often each place is read, and with what."""

    code = "line_planned"
    sets_up = True

    methods: list[str] = Field(min_length=1, description="ids of methods, in the order in which they are read")
    times: int = Field(1, ge=1, le=10, description="readings of each place")
    tools: dict[str, str] = Field({}, description="kind of reading: id of the instrument for it")
    rear_tapes: bool = Field(False, description="tapes from the rear hubs to the beam too")
    rectangle: bool = Field(False, description="the distance is carried past the vehicle by a rectangle")

    def apply(self, state: Folding, event: Event) -> None:
        state.set(line_plan=self)


class SaidThen(Frozen):
    """What a check of the sheet said when a station was run."""

    check: str
    title: Said
    state: str
    said: Said | None


class SetupConfirmed(VisitPayload):
    """Somebody who may sign looked at the set-up as it stands and confirmed it, before the run; or took that back."""

    code = "setup_confirmed"

    taken_back: bool = False

    def apply(self, state: Folding, event: Event) -> None:
        state.confirm(event, self)


class ProcedureRun(VisitPayload):
    """The procedure was run, at one of its stations where it has several, set up as the sheet then said."""

    code = "procedure_run"

    station: str = Field(description="id of the station; empty: the sheet has one place only")
    name: str
    said: list[SaidThen] = Field(description="the checks of what carries the target, as they stood")
    tools: list[Relied] = Field(description="instruments that the set-up relied on")

    def apply(self, state: Folding, event: Event) -> None:
        state.run(event, self)
        if self.station:
            state.disturb(event, Past("run", said("happening.run", name=self.name), AROUND | RESULT))
        else:
            state.disturb(event, Past("run", said("happening.run_whole"), RESULT))


StepSaid = Literal["begun", "done", "again", "skipped", "interrupted"]


class RunStepped(VisitPayload):
    """A step of the conducted run was begun, done or skipped, or the run was interrupted at it."""

    code = "run_stepped"

    step: str = Field(min_length=1, description="id of the sheet's step")
    what: StepSaid
    why: str = Field("", max_length=300, description="reason in words, where it was skipped or interrupted")
    clear: bool = Field(False, description="the field was answered for before the radar transmitted")
    response: Number | None = Field(None, description="what the routine showed to the board's tilt, dB")
    device: str = Field("", max_length=60, description="what saw it; empty: a person said so")
    heights: dict[str, Number] = Field({}, description="of the arches as they were read just then, by corner, mm")
    typed: dict[str, Number] = Field({}, description="what was typed into the routine, by its name, in its unit")
    unit: Side | None = Field(None, description="which of two units was opened")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "steps", self)


class TurnsTold(VisitPayload):
    """The routine told how the sensor's two screws are to be turned."""

    code = "turns_told"

    turns: dict[str, Number] = Field(description="of each screw by its id, clockwise positive")
    device: str = Field("", max_length=60, description="what told them; empty: they were typed")
    unread: str = Field("", max_length=300, description="why the misalignment was not read first; empty: it was")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "turns_told", self)


class Overridden(VisitPayload):
    """A check that does not hold was overridden with a reason."""

    code = "overridden"

    check: str
    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.override(event, self.check, self.reason)


class OverrideWithdrawn(VisitPayload):
    """An override was taken back."""

    code = "override_withdrawn"

    check: str

    def apply(self, state: Folding, event: Event) -> None:
        state.override(event, self.check, None)


class PartHead(Frozen):
    """How far a part of the visit had come."""

    of: Part
    seq: int = Field(description="of its last event")
    hash: str = Field(description="of that event, upon all before it")


class Signed(VisitPayload):
    """A calibration's sheet was signed and its record frozen: the hash of the record's JSON is what was signed."""

    code = "signed"
    stage = "signed"
    files = ("record_json",)

    revision: int
    parts: list[PartHead] = Field(description="what the signer saw: the vehicle's part, the bodies', the calibration's")
    record_json: str = Field(description="SHA-256 of the stored record")
    application: str

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "records", self)
        state.set(signed=self)


class Printed(VisitPayload):
    """A signed record was printed: the PDF that was made from it once, and is kept byte for byte."""

    code = "printed"
    stage = ""
    files = ("record_pdf",)

    revision: int
    record_pdf: str = Field(description="SHA-256 of the stored PDF")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "prints", self)


class Reopened(VisitPayload):
    """A signed sheet was reopened; the signed revision stays."""

    code = "reopened"
    stage = "reopened"

    revision: int = Field(description="the revision that begins")
    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.set(signed=None, reopened=True, revision=self.revision)
