"""Two years of past visits: each a set-up that was worked through once, said again on another day of another vehicle.

A set-up is made by the commands, in a garage of its own that is thrown away; its events are said again with other
vehicles, days, bays, people and results, each with the record and the certificate that follow from them. What is
planted: one bay makes vehicles look left, all of them move slowly left over the years, one vehicle is unlike the rest.
"""

import random
import tempfile
import uuid
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from escuadra.catalogue import Catalogue
from escuadra.commands import Garage, Opened
from escuadra.commands.bays import AddBay, KeepBay
from escuadra.commands.closing import Release
from escuadra.commands.codes import FreezeCodes
from escuadra.commands.forms import Whole, press
from escuadra.commands.listing import calibration_listed, listed
from escuadra.commands.people import AddPerson
from escuadra.commands.signing import Sign
from escuadra.core.base.stream import ITSELF, Event, Payload, Person, made
from escuadra.core.bay.bay import Bay
from escuadra.core.house import visit_stream
from escuadra.core.visit.log.closing import Released
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.log.events import Answered, PartHead, ReadingTaken, Signed, TakenIn
from escuadra.core.visit.log.places import result_place
from escuadra.core.visit.log.reducer import Visit, fold_visit
from escuadra.core.visit.sheet import Sheet, derive
from escuadra.rehearsal.technician import Technician
from escuadra.reports.certificate import as_json as certificate_json
from escuadra.reports.certificate import build as certificate
from escuadra.reports.certificate import render_certificate
from escuadra.reports.record import as_json, build, render_record
from escuadra.store import Content, Row
from escuadra.store.repositories.visits import Log

DAY_MS, HOUR_MS = 86_400_000, 3_600_000
PAST_VISITS = 200
SPAN_DAYS = 730
AT_ONCE = 20
"""Visits that are written together."""
FLEET = 14
"""Vehicles of each model that come again and again."""
SHEETS = (
    ("BC-CAM-01", "ZZ9BC33D{}RV0{:05d}", "wheel alignment done"),
    ("BL-CAM-01", "ZZ9BL09C{}RV0{:05d}", "windscreen replaced"),
)
SPREAD_DEG, MOST_DEG = 0.12, 0.68
PLATES = {"BC-CAM-01": 4000, "BL-CAM-01": 5000}
BAYS, LEFT_BAY, LEFT_DEG = ("Norte", "Norte", "Patio"), "Patio", 0.16
DRIFT_DEG_A_DAY = 0.0001
ODD_ONE, ODD_DEG = 5, -0.62
"""Which vehicle of each fleet is unlike its sisters, and by how much sideways."""
Told = Callable[[int, int], None]


@dataclass(frozen=True)
class Script:
    """A visit that was worked through once."""

    sheet: str
    vin: str
    events: Sequence[Event]
    pinned: Sequence[Content]
    """What its events refer to by its hash."""


def write(garage: Garage, now: int, count: int, people: Sequence[tuple[str, str, str]], told: Told) -> None:
    """Past visits, the oldest first; ``told``: how many of how many are written."""
    if not count:
        return
    scripts = list(_scripts(garage.catalogue, people))
    for script in scripts:
        with garage.store.writing() as log:
            for kept in script.pinned:
                log.pins.keep(kept, now, ITSELF)
    chance = random.Random(2)
    days = sorted(chance.sample(range(4, SPAN_DAYS), min(count, SPAN_DAYS - 4)), reverse=True)[:count]
    for first in range(0, len(days), AT_ONCE):
        with garage.store.writing() as log:
            for k, ago in enumerate(days[first : first + AT_ONCE], first):
                at = (now // DAY_MS - ago) * DAY_MS + chance.randrange(6, 14) * HOUR_MS
                _Again(garage, log, chance.choice(scripts), k, at, ago, chance).write()
        told(min(first + AT_ONCE, len(days)), len(days))
    garage.store.forget()


def _scripts(catalogue: Catalogue, people: Sequence[tuple[str, str, str]]) -> Iterator[Script]:
    start = int(datetime(2024, 3, 4, 8, 10, tzinfo=UTC).timestamp() * 1000)
    with tempfile.TemporaryDirectory() as folder:
        garage = Garage(Path(folder), lambda: start, catalogue)
        for person in people:
            garage.do(AddPerson(*person), ITSELF, press())
        garage.do(AddBay("Norte"), ITSELF, press())
        flat = Bay(name="Norte", length=24_000, width=12_000, u_rise_mm=0.4, u_place_mm=0.2)
        garage.do(KeepBay(flat, garage.floors.bay("Norte")[1]), "ines", press())
        for k, (sheet, vin, reason) in enumerate(SHEETS):
            who = Technician(garage, start + k * DAY_MS, "teo")
            who.take_in(number=sheet, reason=reason, bay="Norte", procedure=sheet)
            _work(who)
            events = _events(garage, who.job)
            yield Script(sheet, vin, events, _pinned(garage, events))
        garage.close()


def _work(who: Technician) -> None:
    """All of a visit without findings, from the codes before to the release."""
    codes = {"when": "before", "source": "typed", "units": [{"unit": "camera_unit"}], "voltage": 12.9}
    who.garage.do(FreezeCodes(who.job, CodesFrozen.read(codes)), who.person, who.id())
    who.set_up()
    who.finish()
    who.garage.do(FreezeCodes(who.job, CodesFrozen.read({**codes, "when": "after"})), who.person, who.id())
    who.garage.do(Sign(who.job, who.opened.row.head, render_record(who.garage)), "ines", who.id())
    head = who.opened.row.head
    who.garage.do(Release(who.job, head, "", render_certificate(who.garage)), "ines", who.id())


def _events(garage: Garage, visit: str) -> list[Event]:
    with garage.store.reading() as log:
        return log.events(visit)


def _pinned(garage: Garage, events: Sequence[Event]) -> list[Content]:
    pins = {pin.hash: pin for event in events for pin in getattr(event.payload, "pins", [])}
    texts = {hash: garage.store.pinned(hash) for hash in pins}
    return [
        Content(hash, pins[hash].kind, pins[hash].id, pins[hash].revision, text) for hash, text in texts.items() if text
    ]


class _Again:
    """A script said again: another vehicle, another day, another result."""

    def __init__(
        self, garage: Garage, log: Log, script: Script, k: int, at: int, ago: int, chance: random.Random
    ) -> None:
        self.garage, self.log, self.script, self.chance = garage, log, script, chance
        self.number, self.car = f"VF-{k:04d}", chance.randrange(FLEET)
        self.id = uuid.uuid5(uuid.NAMESPACE_OID, f"past-{k}").hex[:12]
        self.bay = chance.choice(BAYS)
        self.shift, self.ago = at - script.events[0].at, ago
        self.reader = chance.choice([Person(id="teo", name="Teo Marchena"), Person(id="amara", name="Amara Quist")])
        self.head, _ = log.streams.head(visit_stream(self.id))
        self.visit, self.hashes = Visit(), dict[int, str]()
        self.sheet: Sheet | None = None

    def write(self) -> None:
        """Every event of it, appended."""
        for event in self.script.events:
            said = self._said(event.payload, event)
            at, who = event.at + self.shift, self._who(event)
            new = made(self.head.stream, event.seq, f"past-{self.number}-{event.seq}", at, who, said, event.of)
            self.head = self.log.streams.append(self.head, new, said)
            self.visit = fold_visit(self.visit, [new])
            self.hashes[new.seq] = self.head.head
        last = self.script.events[-1]
        opened = self._opened(last.seq, last.at)
        whole = Whole(opened.row, self.visit)
        told = listed(whole, self.garage.model_of(whole), [calibration_listed(opened)])
        self.garage.lists.write(self.log, told)

    def _who(self, event: Event) -> Person:
        return self.reader if event.person.id == "teo" else event.person

    def _said(self, said: Payload, event: Event) -> Payload:
        match said:
            case TakenIn():
                vin = self.script.vin.format(self.car % 10, 100 + self.car)
                own = {
                    "number": self.number,
                    "vin": vin,
                    "plate": f"VH {PLATES[self.script.sheet] + self.car * 7}",
                    "bay": self.bay,
                }
                return said.model_copy(update={**own, "odometer_km": 180_000 - 60 * self.ago + 900 * self.car})
            case Answered(slot="printed.day"):
                day = datetime.fromtimestamp((event.at + self.shift) / 1000 - 9 * 86_400, UTC).date()
                return said.model_copy(update={"value": day.isoformat()})
            case ReadingTaken() if (place := result_place(said.slot)) is not None:
                value = round(self._residual(place.id), 2)
                shown = {"typed": f"{abs(value):g}", "understood": f"{abs(value):.2f}°", "value": value}
                return said.model_copy(update=shown)
            case Signed():
                return self._signed(said, event)
            case Released():
                return self._released(said, event)
        return said

    def _residual(self, figure: str) -> float:
        value = self.chance.gauss(0, SPREAD_DEG)
        if figure == "yaw":
            value += ODD_DEG if self.car == ODD_ONE else 0.0
            value += LEFT_DEG if self.bay == LEFT_BAY else 0.0
            value += DRIFT_DEG_A_DAY * (SPAN_DAYS - self.ago)
        return max(min(value, MOST_DEG), -MOST_DEG)

    def _opened(self, seq: int, at: int) -> Opened:
        """As it is after an event."""
        state = self.visit.seen_by("1")
        row = Row(self.id, self.number, self.script.events[0].at + self.shift, seq, self.head.head)
        plan = self.garage.plan_of(self.id, "1", state)
        self.sheet = derive(state, plan, at + self.shift, self.garage.solutions, self.sheet)
        return Opened(row, self.visit, "1", self.sheet)

    def _signed(self, said: Signed, event: Event) -> Signed:
        opened = self._opened(event.seq - 1, event.at)
        record = as_json(build(opened, event.person, event.at + self.shift, "Valdehierro"))
        parts = [PartHead(of=p, seq=seq, hash=self.hashes[seq]) for p, seq in self.visit.heads("1").items()]
        return said.model_copy(update={"parts": parts, "record_json": self.garage.files.put(record)})

    def _released(self, said: Released, event: Event) -> Released:
        opened = self._opened(event.seq - 1, event.at)
        whole = Whole(opened.row, self.visit)
        found = certificate(self.garage, whole, [opened], event.person, event.at + self.shift, 1, said.functions)
        return said.model_copy(update={"certificate_json": self.garage.files.put(certificate_json(found))})
