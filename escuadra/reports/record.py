"""The record of a signed sheet: every check with readings, instruments, uncertainty, limits, verdict, time and person.

Overrides stand first. The JSON is the record; the PDF shows the same facts with the drawings.
"""

import base64
import json
from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any, Literal
from zoneinfo import ZoneInfo

from pydantic import Field

from escuadra import __version__
from escuadra.commands import Garage, Opened, signing
from escuadra.core.base.model import CatalogueText, Frozen
from escuadra.core.base.said import Given, Name, Said, Temperature, Text, as_said, exact, said
from escuadra.core.base.stream import Person
from escuadra.core.base.wording import amount
from escuadra.core.measure.readings import Instrument
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.attempts import attempts
from escuadra.core.visit.codes import after, before
from escuadra.core.visit.log.codes import CodesFrozen, UnitRead
from escuadra.core.visit.log.events import Doubted, Photographed, Pinned, ReadingTaken, SaidThen, Source
from escuadra.core.visit.log.state import Disturbance, Entry, Kept, State
from escuadra.core.visit.log.whole import BodyCorrected, Corrected, VariantAnswered
from escuadra.core.visit.needed import part_name, reason_words
from escuadra.core.visit.next_move import retold
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.views import CheckView, SlotView
from escuadra.drawing import lines_view, plan_view, rule, side_view
from escuadra.reports.paper import printed, styled
from escuadra.reports.recorded_run import RecordedAim, RecordedAttempt, recorded_aims, recorded_attempt, recorded_time
from escuadra.store import FileStore
from escuadra.words import say
from escuadra.words.moments import moment

FORMAT = "escuadra-record/1"


class RecordedReading(Frozen):
    """One entry as it was typed and understood; one that did not stay says so."""

    slot: str
    label: Said
    typed: str
    understood: Said
    value: float | None = Field(description="mm, degrees or percent; null for an answer")
    instrument: str | None
    contributions: Instrument | None
    conditions: list[Said] = Field(description="temperature of the tape, hung free; empty where neither applies")
    at: datetime
    person: str
    device: str = Field("", description="serial of the device that proposed it; empty: typed")
    seq: int = Field(description="of the event in the log")
    stayed: Literal["yes", "replaced", "withdrawn"] = Field(description="what became of it")


class RecordedFigure(Frozen):
    """One toleranced value with its verdict."""

    label: Said
    value: float
    expanded_uncertainty: float = Field(description="U, coverage factor 2")
    lower: float | None
    upper: float | None
    unit: str
    said: Said
    verdict: str
    probability: float = Field(description="that the true value lies within the limits")


class RecordedOverride(Frozen):
    """Why a check that did not hold was accepted."""

    check: str
    title: Said
    state: str
    reason: str
    person: str
    at: datetime


class RecordedChange(Frozen):
    """A specification figure that was overridden on the spot."""

    path: str
    before: float
    value: float
    reason: str
    person: str
    at: datetime


class RecordedPhoto(Frozen):
    """A photo that was kept, by the hash of its bytes."""

    slot: str
    label: Said
    sha256: str
    person: str
    at: datetime
    reading: Said | None = Field(None, description="what had been read there last when it was kept")
    state: str = Field("", description="of its check, as it was signed")


class RecordedConfirmation(Frozen):
    """The set-up was confirmed as it stood, before the run."""

    person: str
    at: datetime


class RecordedCheck(Frozen):
    """One check of the sheet."""

    id: str
    title: Said
    group: str
    state: str
    said: Said | None
    rests_on: Said | None = Field(description="a mistake in one thing that nothing else would show; null: none")
    rule: str
    figures: list[RecordedFigure]
    readings: list[RecordedReading]


class RecordedRun(Frozen):
    """A run of the procedure at one of its stations, and what shows that nothing was bumped."""

    station: str
    at: datetime
    person: str
    proof: str = Field(description="proven, missed or contradicted")
    words: Said | None
    said: list[SaidThen] = Field(description="the checks of what carried the target, as they stood")


class Happened(Frozen):
    """Something that disturbed the set-up."""

    seq: int
    at: datetime
    code: str
    what: Said
    source: Source = Field(description="done as it was told, reported, or seen by a device")
    by: dict[str, float] = {}
    person: str


class RecordedAnswer(Frozen):
    """What tells variants apart, as it was answered and verified."""

    asks: CatalogueText
    option: CatalogueText
    by: str = Field(description="look, label, code or scan")
    person: str
    at: datetime


class RecordedCodes(Frozen):
    """The fault codes before or after the work as they were frozen; or why they were not read."""

    when: Literal["before", "after"]
    source: Literal["link", "typed", "file", "not_read"]
    why: str
    units: list[UnitRead]
    attached: str = Field(description="SHA-256 of the file that holds them; empty: none")
    person: str
    at: datetime


class RecordedCorrection(Frozen):
    """What was taken in wrongly, and what it really is."""

    field: str
    before: str
    value: str
    reason: str
    person: str
    at: datetime


class Record(Frozen):
    """A signed sheet."""

    format: str = FORMAT
    note: CatalogueText
    number: str
    revision: int
    vin: str
    plate: str
    odometer_km: int | None
    customer: str = Field(description="id: name and address are kept apart and can be erased")
    reason: str
    bay: str
    place: Said | None = Field(None, description="where the vehicle stood in the bay, and the survey of its floor")
    vehicle: str
    variant: str
    answers: list[RecordedAnswer] = Field([], description="what told the variant, every answer in its order")
    because: list[Said] = Field([], description="why the sensor was calibrated, where that followed from what was done")
    corrections: list[RecordedCorrection] = []
    codes: list[RecordedCodes] = Field([], description="before and after the work, as far as they were frozen then")
    procedure: Said
    sensor: CatalogueText
    line: Literal["thrust", "body", "axis", "none"]
    frame: str
    garage: str
    taken_in: datetime
    taken_in_by: Person
    signed: datetime
    signed_by: Person
    overrides: list[RecordedOverride]
    changes: list[RecordedChange] = Field([], description="specification figures overridden on the spot")
    photos: list[RecordedPhoto] = []
    checks: list[RecordedCheck]
    confirmed: RecordedConfirmation | None = Field(None, description="the set-up, before the run")
    aimed: list[RecordedAim] = Field([], description="each time that the sensor's mirror was looked at")
    attempts: list[RecordedAttempt] = Field([], description="every run with what came of it, in their order")
    runs: list[RecordedRun] = Field([], description="where the sheet is run at several places")
    disturbances: list[Happened]
    cautions: list[CatalogueText]
    pins: list[Pinned]
    log_events: int
    log_head: str = Field(description="hash of the last event that the signer saw")
    application: str
    assumed: list[str] = Field([], description="figures of the vehicle that nobody knew: usual values stand for them")
    reads_as: Said | None = Field(None, description="by which of its cases the sheet was read")


def build(opened: Opened, who: Person, at: int, garage: str) -> Record:
    """The record of a sheet as it stands, signed by ``who`` at ``at`` (UTC milliseconds)."""
    sheet, state = opened.sheet, opened.state
    job, plan, solution = state.job, sheet.plan, sheet.epochs.newest
    assert job is not None
    assert state.taken_in_by is not None
    line = solution.line if solution and solution.line else ("thrust" if sheet.epochs.toe else "none")
    return Record(
        note=plan.procedure.note,
        assumed=plan.vehicle.assumed,
        reads_as=plan.reads_as,
        number=job.number,
        revision=state.revision,
        vin=job.vin,
        plate=job.plate,
        odometer_km=job.odometer_km,
        customer=job.customer,
        reason=job.reason,
        bay=job.bay,
        place=_place(opened),
        vehicle=plan.vehicle.name,
        variant=plan.vehicle.variant,
        answers=[_answer(plan.vehicle, one) for one in state.variant],
        because=_because(state, plan.vehicle),
        corrections=[_correction(one) for one in state.corrections],
        codes=[_codes(one) for one in (before(state.codes), after(state.codes)) if one is not None],
        procedure=said(
            "reports.record.revision",
            id=plan.procedure.id,
            revision=str(plan.procedure.revision),
            title=Name(plan.procedure.title),
        ),
        sensor=plan.procedure.sensor.name,
        line=line,
        frame=plan.frame.name,
        garage=garage,
        taken_in=recorded_time(state.taken_in_at),
        taken_in_by=state.taken_in_by,
        signed=recorded_time(at),
        signed_by=who,
        overrides=[
            RecordedOverride(
                check=v.check.id,
                title=as_said(v.check.called),
                state=v.state,
                reason=v.override.reason,
                person=v.override.person.name,
                at=recorded_time(v.override.at),
            )
            for v in sheet.checks
            if v.override is not None
        ],
        changes=[
            RecordedChange(
                path=c.said.path,
                before=c.said.before,
                value=c.said.value,
                reason=c.said.reason,
                person=c.person.name,
                at=recorded_time(c.at),
            )
            for c in state.changes
        ],
        photos=[_photo(p, sheet) for p in state.photos],
        checks=[_check(view, state) for view in sheet.checks],
        confirmed=RecordedConfirmation(person=sheet.confirmed.person.name, at=recorded_time(sheet.confirmed.at))
        if sheet.confirmed is not None
        else None,
        attempts=[recorded_attempt(one, sheet) for one in attempts(state)],
        aimed=recorded_aims(sheet),
        runs=[
            RecordedRun(
                station=view.station.name,
                at=recorded_time(view.run.at),
                person=view.run.person.name,
                proof=view.proof or "",
                words=as_said(view.words) if view.words else None,
                said=view.run.said.said,
            )
            for view in sheet.stations
            if view.run is not None
        ],
        disturbances=[
            Happened(
                seq=past.seq,
                at=recorded_time(past.at),
                code=past.what,
                what=past.words,
                source=past.source,
                by=dict(past.by),
                person=past.person.name,
            )
            for past in _told_once(state.disturbances)
        ],
        cautions=plan.procedure.cautions,
        pins=[*state.pins, *(state.placed.pins if state.placed is not None else [])],
        log_events=opened.row.count,
        log_head=opened.row.head,
        application=f"Escuadra {__version__}",
    )


def _photo(photo: Kept[Photographed], sheet: Sheet) -> RecordedPhoto:
    slot = photo.said.slot
    found = next(((view, s) for view in sheet.checks for s in view.slots if s.slot.id == slot), None)
    read = [e for e in sheet.state.live(slot) if e.seq < photo.seq]
    return RecordedPhoto(
        slot=slot,
        label=as_said(found[1].slot.label if found is not None else Name(slot)),
        sha256=photo.said.digest,
        person=photo.person.name,
        at=recorded_time(photo.at),
        reading=as_said(shown(found[1].slot, read[-1])) if found is not None and read else None,
        state=found[0].state if found is not None else "",
    )


def shown(slot: Slot, entry: Entry) -> Text:
    """An entry as it is said."""
    told = entry.said
    if isinstance(told, ReadingTaken):
        return told.shown
    return slot.option(told.value) if slot.ask != "day" else Name(told.value)


def _answer(vehicle: VehicleModel, one: Kept[VariantAnswered]) -> RecordedAnswer:
    question = next(question for question in vehicle.questions if question.id == one.said.question)
    option = question.option(one.said.option)
    named = option.name if option is not None else one.said.option
    told = {"by": one.said.by, "person": one.person.name, "at": recorded_time(one.at)}
    return RecordedAnswer.read({"asks": question.asks, "option": named, **told})


def _because(state: State, vehicle: VehicleModel) -> list[Said]:
    """The reasons, and for each sensor of the calibration which it is."""
    added, complaint = state.calibration, state.work.complaint if state.work is not None else ""
    return [reason_words(vehicle, reason, complaint) for reason in added.because] if added is not None else []


def _codes(one: Kept[CodesFrozen]) -> RecordedCodes:
    told = one.said.model_dump(mode="json", include={"when", "source", "why", "units", "attached"})
    return RecordedCodes.read({**told, "person": one.person.name, "at": recorded_time(one.at)})


def _correction(one: Kept[Corrected | BodyCorrected]) -> RecordedCorrection:
    told = {
        "reason": one.said.reason,
        "before": one.said.before,
        "person": one.person.name,
        "at": recorded_time(one.at),
    }
    if isinstance(one.said, BodyCorrected):
        return RecordedCorrection.read({"field": "frame", "value": one.said.pins[0].id, **told})
    return RecordedCorrection.read({"field": one.said.field, "value": one.said.value, **told})


def _told_once(past: Sequence[Disturbance]) -> list[Disturbance]:
    """What happened, in its order; an instrument that is doubted at several parts of the visit is one line."""
    lines: dict[object, Disturbance] = {}
    for one in past:
        lines.setdefault((one.at, one.words) if one.what == Doubted.code else one.seq, one)
    return list(lines.values())


def _check(view: CheckView, state: State) -> RecordedCheck:
    shown = view.judgement.mismatch or view.judgement.inconsistency or view.judgement.summary
    return RecordedCheck(
        id=view.check.id,
        title=as_said(view.check.called),
        group=view.check.group,
        state=view.state if view.begun or not view.check.optional else "not_needed",
        said=as_said(shown) if shown else None,
        rests_on=view.rests_on,
        rule=view.check.rule,
        figures=[
            RecordedFigure(
                label=as_said(f.label),
                value=f.value,
                expanded_uncertainty=f.verdict.U,
                lower=f.lower,
                upper=f.upper,
                unit=f.unit,
                said=said("reports.record.allowed", text=f.text, plus_minus=f.plus_minus, allowed=f.allowed),
                verdict=f.verdict.state,
                probability=f.verdict.probability,
            )
            for f in view.judgement.figures
        ],
        readings=[_reading(s.slot, e) for s in view.slots for e in _looks(s, state)],
    )


def _looks(view: SlotView, state: State) -> list[Entry]:
    """What counts in a slot, or did, and what was replaced or withdrawn since anything spoiled it."""
    counted = view.now or view.spoiled
    spoiled = [past.seq for past in state.disturbances if past.aspects & view.slot.aspects]
    since = max((seq for seq in spoiled if not view.now or seq < view.now[0].seq), default=0)
    gone = [e for e in state.entries.get(view.slot.id, ()) if not e.counts and (e.seq > since or not view.now)]
    return sorted((*counted, *gone), key=lambda entry: entry.seq)


def _reading(slot: Slot, entry: Entry) -> RecordedReading:
    taken = entry.said if isinstance(entry.said, ReadingTaken) else None
    answer = "" if taken else str(getattr(entry.said, "value", ""))
    return RecordedReading(
        slot=entry.slot,
        label=as_said(slot.label),
        typed=taken.typed if taken else answer,
        understood=as_said(shown(slot, entry)),
        value=taken.value if taken else None,
        instrument=taken.tool.name if taken else None,
        contributions=taken.tool.contributions if taken else None,
        conditions=_conditions(taken) if taken else [],
        at=recorded_time(entry.at),
        person=entry.person.name,
        device=taken.device if taken else "",
        seq=entry.seq,
        stayed="withdrawn" if entry.withdrawn else "yes" if entry.counts else "replaced",
    )


def _conditions(taken: ReadingTaken) -> list[Said]:
    found = []
    if taken.temperature is not None:
        found.append(said("reports.record.at", temperature=exact(Temperature, taken.temperature)))
    if taken.device:
        found.append(said("reports.record.sent", device=taken.device))
    return [*found, *([said("reports.record.hung_free")] if taken.hung_free else [])]


def as_json(record: Record) -> bytes:
    """The record's bytes: sorted keys, two spaces, UTF-8."""
    data = record.model_dump(mode="json")
    return (json.dumps(data, ensure_ascii=False, indent=2, sort_keys=True) + "\n").encode()


def _place(opened: Opened) -> Said | None:
    """Where the vehicle stood; nothing where no place was chosen."""
    placed, standing = opened.state.placed, opened.sheet.plan.standing
    if placed is None:
        return None
    at: dict[str, Given] = {
        "x": amount(placed.place.x, "mm", 0),
        "y": amount(placed.place.y, "mm", 0),
        "heading": amount(placed.place.heading_deg, "°"),
    }
    if standing is None:
        return said("reports.record.place", **at)
    survey = standing.ground.survey
    by = {"day": survey.taken_on.isoformat(), "person": survey.person, "instrument": survey.instrument}
    return said("reports.record.place_surveyed", **at, **by)


def as_pdf(record: Record, opened: Opened, zone: str, files: FileStore | None = None) -> bytes:
    """The PDF of a record, with the drawings of its sheet and, from ``files``, its photos."""
    return printed("record.html", **shown_with(record, opened, zone, files))


def shown_with(record: Record, opened: Opened, zone: str, files: FileStore | None) -> dict[str, Any]:
    """What a record's page is made of."""
    vehicle = opened.sheet.plan.vehicle
    return {
        "record": record,
        "views": {view.check.id: view for view in opened.sheet.checks},
        "pictures": [] if files is None else [_picture(files, photo) for photo in record.photos],
        "plan": styled(plan_view(opened.sheet, size=(780, 400), magnify=False, whole=True, foot=6)),
        "lines": styled(lines_view(opened.sheet, size=(780, 330))) if opened.sheet.epochs.lines is not None else "",
        "side": styled(side_view(opened.sheet, size=(780, 430))),
        "rule": lambda figure: styled(rule(figure)),
        "unit_name": lambda id: part_name(vehicle, id) if id in vehicle.areas else id,
        "told": lambda past: retold(past.code, past.by, opened.sheet.plan.frame),
        "clock": clock_of(zone),
    }


def clock_of(zone: str) -> Callable[..., str]:
    """How a moment is printed."""
    local = ZoneInfo(zone)
    return lambda at, form="day_time_year": say(moment(at.astimezone(local), form))


def _picture(files: FileStore, photo: RecordedPhoto) -> tuple[RecordedPhoto, str]:
    """A photo with its bytes as an address that a page can hold."""
    return photo, "data:image/jpeg;base64," + base64.b64encode(files.get(photo.sha256)).decode()


def render_record(garage: Garage) -> Callable[[Opened, Person, int], bytes]:
    """What ``Sign`` asks for: the record of the sheet that is being signed, as JSON."""

    def render(opened: Opened, who: Person, at: int) -> bytes:
        return as_json(build(opened, who, at, garage.store.setting("name", "")))

    return render


def print_record(garage: Garage, visit: str, revision: int, calibration: str = "") -> bytes:
    """The PDF of a signed revision: printed where it was not yet, else the same bytes as ever."""

    def render(record: bytes, opened: Opened) -> bytes:
        zone = garage.store.setting("time_zone", "UTC")
        return as_pdf(Record.model_validate_json(record), opened, zone, garage.files)

    return signing.printed(garage, visit, revision, render, calibration)
