"""The certificate of a visit: one page for the customer, annexes for whoever answers for it, and the same as data.

It is made once, when the lead releases the visit, and kept: printing it again gives the same bytes. Nothing in it is
called safe: it says what was done, what was seen, and what is open.
"""

from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime
from typing import Literal

from pydantic import Field

from escuadra import __version__
from escuadra.commands import Garage, Opened
from escuadra.commands.closing import certificate_pdf
from escuadra.commands.forms import Whole
from escuadra.core.base.model import CatalogueText, Frozen
from escuadra.core.base.said import Name, Noun, Said, as_said, said
from escuadra.core.base.stream import Person, canonical
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.closing import Handover, drives_open, handovers
from escuadra.core.visit.codes import CodeLine, after, before, compared
from escuadra.core.visit.driving import DriveAttempt, drive_attempts
from escuadra.core.visit.log.codes import CodesFrozen, UnitCode
from escuadra.core.visit.log.driving import Reached
from escuadra.core.visit.log.state import Kept
from escuadra.core.visit.needed import part_name, scoped
from escuadra.reports.paper import kept_for_good
from escuadra.reports.record import Record, clock_of, shown_with
from escuadra.words import say

FORMAT = "escuadra-certificate/1"
NAME = "certificate.json"


class CertifiedOverride(Frozen):
    """What did not hold and was accepted, and why."""

    title: Said
    reason: str
    person: str


class CertifiedCalibration(Frozen):
    """A calibration of the visit: signed with its record, or left out and why."""

    id: str
    sensor: CatalogueText
    procedure: str
    revision: int = Field(description="of its record; 0: left out")
    because: list[Said] = []
    left_out: str = Field("", description="why it was not done")
    outcome: str = Field("", description="of its last run: passed, failed, interrupted")
    figures: list[Said] = Field([], description="what the routine showed before it took that as zero")
    overrides: list[CertifiedOverride] = []
    drive_open: bool = False
    measured_by: list[str] = []
    signed_by: str = ""
    signed: datetime | None = None
    record: Record | None = Field(None, description="as it was signed; the set-up's figures and readings stand there")


class CertifiedCode(Frozen):
    """A code of a unit and what became of it."""

    unit: str
    code: str
    before: UnitCode | None
    after: UnitCode | None
    became: Said


class CertifiedCodes(Frozen):
    """A snapshot of the codes: when, by whom, how it was read; or why it was not."""

    source: Literal["link", "typed", "file", "not_read"]
    why: str
    units: int
    silent: list[str]
    found: int
    attached: str = Field(description="SHA-256 of the file that holds them; empty: none")
    name: str
    at: datetime
    person: str


class CertifiedHandover(Frozen):
    """A drive that was open when the vehicle left, and what became of it."""

    drives: Literal["customer", "specialist"]
    conditions: str
    still: str
    shows: str
    without: str
    seen_by: str
    by: date
    acknowledged_by: str = Field("", description="id: the name is kept apart and can be erased")
    acknowledged: datetime | None = None
    ended: str = Field("", description="photo, codes, reported, lapsed; empty: open")
    words: str = ""


class CertifiedTrace(Frozen):
    """A trace of a drive, as it is kept."""

    name: str
    source: Literal["phone", "link", "file"]
    samples: int
    sha256: str


class CertifiedStretch(Frozen):
    """A stretch of a drive as somebody told it, not measured."""

    what: str
    km: float
    minutes: float


class CertifiedReach(Reached):
    """How far a sensor had come, with what it is called."""

    name: CatalogueText


class CertifiedDrive(Frozen):
    """A drive on the road, and how far each sensor had come when it ended."""

    begun: datetime
    driver: str
    reader: str = Field("", description="empty: nobody read while the vehicle moved")
    road: str
    traces: list[CertifiedTrace]
    told: list[CertifiedStretch]
    ended: datetime | None = None
    bar: float | None = None
    reached: list[CertifiedReach] = []
    functions: str = ""


class Certificate(Frozen):
    """All of it."""

    format: Literal["escuadra-certificate/1"] = "escuadra-certificate/1"
    number: str
    revision: int
    garage: str
    vehicle: str
    variant: str
    vin: str
    plate: str
    odometer_km: int | None
    customer: str = Field(description="id: name and address are kept apart and can be erased")
    reason: str
    done: list[Said] = Field(description="what was done to the vehicle besides")
    complaint: str
    taken_in: datetime
    state: Literal["finished", "drive_open"]
    calibrations: list[CertifiedCalibration]
    not_calibrated: list[Said] = Field(description="sensors that should be, and are not part of the visit")
    codes: list[CertifiedCode]
    codes_before: CertifiedCodes | None
    codes_after: CertifiedCodes | None
    handovers: list[CertifiedHandover]
    drives: list[CertifiedDrive] = []
    functions: str = Field(description="which were seen to work, where and when; empty: none was tried")
    sent_back: list[str] = Field(description="words with which it was sent back before")
    notes: list[CatalogueText] = Field(description="of the sheets that were used, such as: made-up figures")
    released_by: Person
    released: datetime
    alone: bool = Field(description="one person measured, signed and released: nobody else looked")
    application: str


def build(
    garage: Garage, whole: Whole, opened: Sequence[Opened], who: Person, at: int, revision: int, functions: str
) -> Certificate:
    """The certificate of a visit as it is; ``opened``: its calibrations, in their order."""
    job, state, model = whole.job, whole.state, garage.model_of(whole)
    waiting = drives_open(whole.visit, model)
    own = [_calibration(garage, one, one.calibration in waiting) for one in opened]
    served = {pin.id for one in opened for pin in one.state.pins if pin.kind == "procedure"}
    missing = [s for s in scoped(model, state.work) if s.needed and not served.intersection(s.sensor.sheets)]
    people = {name for one in own for name in (*one.measured_by, one.signed_by) if name} | {who.name}
    first, last = before(state.codes), after(state.codes)
    return Certificate(
        number=job.number,
        revision=revision,
        garage=garage.store.setting("name", ""),
        vehicle=model.name,
        variant=model.variant,
        vin=job.vin,
        plate=job.plate,
        odometer_km=job.odometer_km,
        customer=job.customer,
        reason=job.reason,
        done=[
            said("certificate.done", part=part_name(model, one.part), act=Noun(f"act.{one.act}"))
            for one in (state.work.done if state.work is not None else [])
        ],
        complaint=state.work.complaint if state.work is not None else "",
        taken_in=_time(state.taken_in_at),
        state="drive_open" if waiting else "finished",
        calibrations=own,
        not_calibrated=[as_said(part_name(model, one.sensor.id)) for one in missing],
        codes=[_code(garage, whole, line) for line in compared(state.codes)],
        codes_before=_codes(first),
        codes_after=_codes(last),
        handovers=[_handover(one) for one in handovers(state)],
        drives=[_drive(garage, model, one) for one in drive_attempts(state)],
        functions=functions,
        sent_back=[one.said.words for one in state.returns],
        notes=list(dict.fromkeys(one.sheet.plan.procedure.note for one in opened)),
        released_by=who,
        released=_time(at),
        alone=len(people) == 1,
        application=f"Escuadra {__version__}",
    )


def _drive(garage: Garage, model: VehicleModel, one: DriveAttempt) -> CertifiedDrive:
    ended = one.ended
    return CertifiedDrive(
        begun=_time(one.at),
        driver=garage.person(one.begun.driver).name,
        reader=garage.person(one.begun.reader).name if one.begun.reader else "",
        road=one.begun.road,
        traces=[
            CertifiedTrace(name=told.name, source=told.source, samples=told.samples, sha256=told.trace)
            for told in one.traces
        ],
        told=[CertifiedStretch(what=told.what, km=told.km, minutes=told.minutes) for told in one.stretches],
        ended=_time(one.ended_at) if ended is not None else None,
        bar=ended.bar if ended is not None else None,
        reached=[
            CertifiedReach(**dict(got), name=model.sensor(got.sensor).name)
            for got in (ended.reached if ended is not None else [])
        ],
        functions=ended.functions if ended is not None else "",
    )


def _time(at: int) -> datetime:
    return datetime.fromtimestamp(at / 1000, UTC)


def _calibration(garage: Garage, opened: Opened, drive_open: bool) -> CertifiedCalibration:
    procedure, state = opened.sheet.plan.procedure, opened.state
    told = {"id": opened.calibration, "sensor": opened.name, "procedure": procedure.id}
    if state.signed is None:
        why = state.left_out.reason if state.left_out is not None else ""
        return CertifiedCalibration.model_validate({**told, "revision": 0, "left_out": why})
    record = Record.model_validate_json(garage.files.get(state.signed.record_json))
    last = record.attempts[-1] if record.attempts else None
    readings = [r for check in record.checks for r in check.readings if r.stayed == "yes"]
    return CertifiedCalibration(
        id=opened.calibration,
        sensor=opened.name,
        procedure=procedure.id,
        revision=record.revision,
        because=record.because,
        outcome=last.outcome if last is not None else "",
        figures=[said("certificate.figure", label=f.label, value=f.value) for f in last.figures] if last else [],
        overrides=[CertifiedOverride(title=o.title, reason=o.reason, person=o.person) for o in record.overrides],
        drive_open=drive_open,
        measured_by=list(dict.fromkeys(r.person for r in readings)),
        signed_by=record.signed_by.name,
        signed=record.signed,
        record=record,
    )


def _code(garage: Garage, whole: Whole, line: CodeLine) -> CertifiedCode:
    model = garage.model_of(whole)
    unit = say(part_name(model, line.unit)) if line.unit in model.areas else line.unit
    return CertifiedCode(unit=unit, code=line.code, before=line.before, after=line.after, became=line.became)


def _codes(one: Kept[CodesFrozen] | None) -> CertifiedCodes | None:
    if one is None:
        return None
    told = one.said
    return CertifiedCodes(
        source=told.source,
        why=told.why,
        units=len(told.units),
        silent=[unit.unit for unit in told.units if not unit.answered],
        found=sum(len(unit.codes) for unit in told.units),
        attached=told.attached,
        name=told.name,
        at=_time(one.at),
        person=one.person.name,
    )


def _handover(one: Handover) -> CertifiedHandover:
    told = one.said.model_dump(include={"drives", "conditions", "still", "shows", "without", "seen_by", "by"})
    name, at = one.acknowledged or ("", 0)
    return CertifiedHandover(
        **told,
        acknowledged_by=name,
        acknowledged=_time(at) if at else None,
        ended=one.closed.how if one.closed is not None else "",
        words=one.closed.words if one.closed is not None else "",
    )


def as_json(certificate: Certificate) -> bytes:
    """The certificate's bytes: canonical JSON in UTF-8."""
    return (canonical(certificate.model_dump(mode="json")) + "\n").encode()


def render_certificate(garage: Garage) -> Callable[[Whole, Person, int, int, str], bytes]:
    """What ``Release`` asks for: the certificate as JSON."""

    def render(whole: Whole, who: Person, at: int, revision: int, functions: str) -> bytes:
        opened = [garage.open(whole.row.id, id) for id in whole.visit.in_order]
        return as_json(build(garage, whole, opened, who, at, revision, functions))

    return render


def print_certificate(garage: Garage, visit: str, revision: int) -> bytes:
    """The PDF of a released certificate: printed where it was not yet, else the same bytes as ever."""

    def render(content: bytes) -> bytes:
        certificate = Certificate.model_validate_json(content)
        zone = garage.store.setting("time_zone", "UTC")
        return kept_for_good(
            "certificate.html",
            content,
            NAME,
            say(Name(f"{certificate.number}, {certificate.revision}")),
            certificate.released,
            certificate=certificate,
            annexes=[shown_with(*_annex(garage, visit, one), zone, garage.files) for one in _signed(certificate)],
            clock=clock_of(zone),
        )

    return certificate_pdf(garage, visit, revision, render)


def _signed(certificate: Certificate) -> Sequence[CertifiedCalibration]:
    return [one for one in certificate.calibrations if one.record is not None]


def _annex(garage: Garage, visit: str, one: CertifiedCalibration) -> tuple[Record, Opened]:
    assert one.record is not None
    return one.record, garage.signed_sheet(garage.open(visit, one.id), one.revision)
