"""What each form asks: one model a form, its fields by their names, read and checked by FastAPI.

A field that was not sent is empty; what a field means, and what is accepted, the commands say. Forms with a row for
each thing (a bay, a table of points, the steps of a self-check) take further fields: ``sent`` gives all of them.
"""

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, ValidationInfo
from starlette.datastructures import UploadFile

from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import readable
from escuadra.core.base.said import said


def _text(value: Any, info: ValidationInfo) -> Any:
    """A file that was given for a text field, as its text."""
    if not isinstance(value, UploadFile):
        return value
    try:
        return value.file.read().decode("utf-8-sig")
    except UnicodeDecodeError as cause:
        raise BadInput(
            info.field_name or "file", said("web.forms.file_not_text"), said("wants.text_file_utf_8")
        ) from cause


Text = Annotated[str, BeforeValidator(_text), AfterValidator(lambda text: readable(text, "text"))]
"""Text as it was typed, or as a file held it; no control characters."""


class Posted(BaseModel):
    """What every form carries: its token, and the id that the client made for this press."""

    model_config = ConfigDict(extra="allow", frozen=True, populate_by_name=True)

    __pydantic_extra__: dict[str, Text]

    token: Text = ""
    entry: Text = ""

    def sent(self) -> dict[str, str]:
        """Everything that was sent, by the names in the form: so that a refusal loses nothing."""
        further = {name: str(value) for name, value in (self.model_extra or {}).items()}
        return {**self.model_dump(by_alias=True, include=self.model_fields_set - set(further)), **further}


class NewBay(Posted):
    """A further bay with its length and width."""

    name: Text = ""


class BaySheet(Posted):
    """Keep a bay's sheet as typed; refused where others changed it since."""

    base: Text = ""


class Printout(Posted):
    """Read an alignment printout from a CSV file; what its signs mean was asked in words."""

    check: Text = ""
    slot: Text = ""
    toe: Text = ""
    camber: Text = ""
    thrust: Text = ""
    file: Text = ""
    day: Text = ""


class FigureHere(Posted):
    """Override a specification figure on the spot, with a reason."""

    check: Text = ""
    slot: Text = ""
    path: Text = ""
    value: Text = ""
    reason: Text = ""


class Pick(Posted):
    """Pick who works on this tablet."""

    person: Text = ""
    back: Text = "/"


class Theme(Posted):
    """Switch between the light and the dim theme."""

    back: Text = "/"
    theme: Text = ""


class Language(Posted):
    """Choose the language of this tablet."""

    back: Text = "/"
    language: Text = ""


class Proposal(Posted):
    """What a device shows for the open place, put into its field; nothing is recorded before Enter."""

    check: Text = ""
    slot: Text = ""
    sender: Text = ""
    typed: Text = ""


class BayState(Posted):
    """Set the true state; what is left empty stays."""

    place: Text = ""
    blunder: Text = ""


class GarageChange(Posted):
    """Add a person or a bay, or set the garage's name and time zone."""

    person: Text = ""
    role: Text = "specialist"
    bay: Text = ""
    name: Text = ""
    zone: Text = ""


class InstrumentSheet(Posted):
    """What an instrument's sheet says; what it reads in further fields, ``reads-tape`` and so on."""

    name: Text = ""
    kind: Text = ""
    serial: Text = ""
    place: Text = ""
    unit: Text = ""
    resolution: Text = ""
    accuracy_constant: Text = ""
    accuracy_ppm: Text = ""
    repeatability: Text = ""
    check_days: Text = ""

    def reads(self, kind: str) -> bool:
        """That kind of reading was ticked."""
        return self.sent().get(f"reads-{kind}") == "yes"


class NewInstrument(InstrumentSheet):
    """Take an instrument into the register, or a file of instruments and histories."""

    file: Text = ""


class InstrumentAct(InstrumentSheet):
    """Something happened to it: dropped, taken or brought back, its sheet changed, put away for good."""

    words: Text = ""
    to: Text = ""


class LinesPlan(Posted):
    """Choose the plan; its readings become the sheet's."""


class NewJob(Posted):
    """Take the job in and open its sheet."""

    number: Text = ""
    vin: Text = ""
    plate: Text = ""
    odometer_km: Text = ""
    customer: Text = ""
    address: Text = ""
    reason: Text = ""
    bay: Text = ""
    other_bay: Text = ""
    vehicle: Text = ""
    procedure: Text = ""
    frame: Text = ""


class Readiness(Posted):
    """All as specified, exceptions only: ``t.PLACE`` as typed, ``w.AXIS`` what a plain figure means, ``i.KIND``."""

    specified: list[Text] = []

    def starting(self, start: str) -> dict[str, str]:
        """The further fields whose names begin so, by the rest of their names."""
        return {name.removeprefix(start): text for name, text in self.sent().items() if name.startswith(start)}


class WorkDone(Posted):
    """An act on one or more parts."""

    act: Text = ""
    part: list[Text] = []


class WorkNoticed(Posted):
    """A code, a complaint, or a wish that a sensor be calibrated; or one of them taken back."""

    code: Text = ""
    sensor: Text = ""
    complaint: Text = ""
    why: Text = ""


class VariantAnswer(Posted):
    """An answer to what tells variants apart, and how it was verified."""

    question: Text = ""
    option: Text = ""
    by: Text = ""


class Codes(Posted):
    """A snapshot of fault codes, or what was cleared."""

    when: Text = ""
    source: Text = ""
    codes: Text = ""
    none: Text = ""
    why: Text = ""
    unit: list[Text] = []


class OnSocket(Posted):
    """What is done at the vehicle on the diagnostic socket."""

    what: Text = ""
    unit: Text = ""
    voltage: Text = ""
    lost: Text = ""


class CalibrationWanted(Posted):
    """A sheet to be worked through."""

    procedure: Text = ""


class VisitChange(Posted):
    """A calibration left out, taken up again or moved, a correction, a visit called off: each with its reason."""

    calibration: Text = ""
    what: Text = ""
    value: Text = ""
    way: Text = ""
    reason: Text = ""


class CustomerErasure(Posted):
    """Erase a customer's name and address for good."""

    customer: Text = ""


class EntryStart(Posted):
    """Begin a catalogue entry: from nothing, as a copy, or as one of a family."""

    kind: Text = ""
    id: Text = ""
    like: Text = ""
    family: Text = ""


class EntryFields(Posted):
    """What a section of an entry's form holds, and what is done with its lists and with others' words."""

    at: Text = ""
    seen: int = 0
    form: Text = ""
    document: Text = ""
    page: Text = ""
    day: Text = ""
    add: Text = ""
    out: Text = ""
    take: Text = ""
    stays: Text = ""


class BundleIn(Posted):
    """Take in a bundle that was looked into, by the SHA-256 of its file."""

    bundle: Text = ""


class PracticeShown(Posted):
    """Practice sheets: shown or hidden."""

    practice: Literal["shown", "hidden"] = "shown"


class TableColumns(Posted):
    """A table that was given, by the SHA-256 of its file, with what its columns are; ``take``: its rows are begun."""

    kind: Text = ""
    like: Text = ""
    file: Text = ""
    name: Text = ""
    take: Text = ""


class EntryLife(Posted):
    """An entry is looked over, released, withdrawn, or looked at again after a day."""

    what: Text = ""
    seen: int = 0
    why: Text = ""
    after: Text = ""


class ParkingChoice(Posted):
    """Take a place for a job, or keep it as the bay's usual one."""

    job: Text = ""
    at: Text = ""
    usual: Text = ""
    typed: Text = ""
    from_job: Text = ""


class RigMove(Posted):
    """Move the stand-in's frame, or pull its cable."""

    way: Text = ""
    by: Text = "1"


class RigTake(Posted):
    """Take what the rig sees as readings."""


class SelfCheckResult(Posted):
    """Keep what was found; where it is out, the jobs that relied on the instrument are told."""


class Reading(Posted):
    """Record a reading; an implausible one is asked about, a refused one stays in the field."""

    check: Text = ""
    slot: Text = ""
    typed: Text = ""
    word: Text = ""
    replaces: Text = ""
    tool: Text = ""
    understood: Text = ""
    temperature: Text = ""
    hung_free: Text = ""
    device: Text = ""
    proposed: Text = ""


class Answer(Posted):
    """Answer a tick or a choice."""

    check: Text = ""
    slot: Text = ""
    value: Text = ""


class Happening(Posted):
    """Something was moved, bumped or mounted, or the vehicle was touched."""

    what: Text = ""
    source: Text = ""
    check: Text = ""


class Undo(Posted):
    """Take back one's own last entry, and open the place where it was."""

    check: Text = ""
    slot: Text = ""


class Override(Posted):
    """Accept a check with a reason, or take that back."""

    check: Text = ""
    reason: Text = ""


class Signing(Posted):
    """Sign what the signer saw; the record is made and frozen."""

    head: Text = ""


class Reopening(Posted):
    """Begin a new revision of a signed sheet."""

    reason: Text = ""


class Run(Posted):
    """The procedure was run, at the station at hand where there are several; over the link, or told."""

    station: Text = ""
    by: Text = ""


class Result(Posted):
    """What the vehicle says of a run, as it was shown."""

    shown: Text = ""


class Stepping(Posted):
    """A step of the conducted run: begun, done, done in vain, skipped or interrupted; why, where that is asked."""

    step: Text
    what: Literal["begun", "done", "again", "skipped", "interrupted"]
    why: Text = ""
    clear: Text = ""
    response: Text = ""
    unit: Text = ""
    by: Literal["", "link"] = ""


class Turning(Posted):
    """The turns of both screws as the routine tells them, each with its direction."""

    first: Text = ""
    first_way: Text = ""
    second: Text = ""
    second_way: Text = ""
    unread: Text = ""
    by: Literal["", "link"] = ""


class Confirming(Posted):
    """The set-up is confirmed as it stands, or that is taken back."""

    taken_back: Text = ""


class Revision(Posted):
    """Whether a calibration goes on by a newer revision of its sheet."""

    revision: int
    take: Text = ""


class NewSurvey(Posted):
    """Begin a survey on a grid, from CSV or from JSON."""

    margin: Text = ""
    step: Text = ""
    note: Text = ""
    valid_until: Text = ""
    taken_on: Text = ""
    as_json: Text = Field("", alias="json")
    instrument: Text = ""
    u: Text = ""
    reads: Text = "staff"
    csv: Text = ""


class PointReading(Posted):
    """Enter one figure; an implausible one is asked about, a refused one stays in its field."""

    understood: Text = ""
    typed: Text = ""
    point: Text = ""
    setup: Text = "1"
    replaces: Text = ""
    far: Text = ""


class PointUndo(Posted):
    """Take back one's own last figure."""

    far: Text = ""


class LevelPlace(Posted):
    """Note where the level stands in a set-up."""

    setup: Text = "1"
    station_x: Text = Field("", alias="station-x")
    station_y: Text = Field("", alias="station-y")


class PointTable(Posted):
    """Enter the figures that were typed in the table of points."""

    setup: Text = "1"


class PointPaste(Posted):
    """Enter the figures of a file or a pasted table."""

    csv: Text = ""


class Closing(Posted):
    """Close the survey: it stays as it is and counts from now on."""


class AcceptedReport(Posted):
    """What a person accepted of a report that was attached."""

    when: Text = ""
    name: Text = ""
    digest: Text = ""
    code: list[Text] = []
    vin: Text = ""
    odometer: Text = ""
    software: Text = ""


class Releasing(Posted):
    """The lead releases a visit as they saw it."""

    head: Text = ""
    functions: Text = ""


class SendingBack(Posted):
    """The lead sends a visit back with words."""

    words: Text = ""


class HandingOver(Posted):
    """A drive that is open when the vehicle leaves."""

    drives: Text = ""
    conditions: Text = ""
    still: Text = ""
    shows: Text = ""
    without: Text = ""
    seen_by: Text = ""
    by: Text = ""


class SettingOut(Posted):
    """Somebody sets out on a drive."""

    driver: Text = ""
    reader: Text = ""
    road: Text = ""
    licensed: Text = ""
    belt: Text = ""
    ignition: Text = ""


class TellingStretch(Posted):
    """A stretch of a drive as somebody tells it."""

    what: Text = ""
    km: Text = ""
    minutes: Text = ""
    after_min: Text = ""


class EndingDrive(Posted):
    """The vehicle is back."""

    key: Text = ""
    bar: Text = ""
    functions: Text = ""


class TakingBack(Posted):
    """What of a drive is taken back."""

    of: Text = ""


class Acknowledging(Posted):
    """A customer's name under what is open."""

    name: Text = ""


class ClosingDrive(Posted):
    """How an open drive came to an end."""

    link: Text = ""
    how: Text = ""
    words: Text = ""
