"""A garage: its store, its catalogue, its jobs, and the commands that change a job.

Every command reads the state under the writer's lock, checks its rule, appends one event and returns the job as it
then is. A command repeated with the same client-made id changes nothing.
"""

import logging
import re
import uuid
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import date, datetime
from functools import partial
from pathlib import Path
from typing import Any, Literal
from zoneinfo import ZoneInfo

from escuadra import __version__
from escuadra.catalogue import Catalogue, Entry, load
from escuadra.catalogue.library import KINDS, PRACTICE
from escuadra.core.bay import Place
from escuadra.core.errors import BadInput, Conflict
from escuadra.core.house import instrument_stream, visit_stream
from escuadra.core.job.disturbance import HAPPENINGS
from escuadra.core.job.events import (
    Answered,
    Disturbed,
    Doubted,
    FrameKnown,
    Overridden,
    OverrideWithdrawn,
    Pinned,
    Placed,
    Printed,
    ReadingTaken,
    Relied,
    Reopened,
    Signed,
    TakenIn,
    ToolUsed,
    Withdrawn,
)
from escuadra.core.job.figures import with_changes
from escuadra.core.job.places import Plan
from escuadra.core.job.sheet import Sheet, derive
from escuadra.core.job.slots import Slot
from escuadra.core.job.state import State, fold
from escuadra.core.job.told import mechanics
from escuadra.core.procedure import Procedure
from escuadra.core.profiles import FrameProfile, Target, VehicleModel
from escuadra.core.quantities import Question, Understood, confirmed, understand
from escuadra.core.stream import ITSELF, Payload, Person, made
from escuadra.core.tool import Tool
from escuadra.jobs.floors import Floors
from escuadra.jobs.forms import Asked, Opened, ReadingAsked, Recorded, TakeIn, Unreadable, keyed
from escuadra.jobs.instruments import Instruments
from escuadra.store import FileStore, Row, Store, dialect
from escuadra.store.customers import Customers
from escuadra.store.log import Log

LOG = logging.getLogger("escuadra")


TRIES = 3
"""How often a reading is understood anew where something happens to its instrument meanwhile."""


class Moved(Conflict):
    """An instrument is not as it was when the reading was understood."""


class Garage:
    """One garage on its data folder."""

    def __init__(self, data: Path, clock: Callable[[], int], catalogue: Catalogue | None = None) -> None:
        data.mkdir(parents=True, exist_ok=True)
        self.data, self.clock = data, clock
        self.store = Store(dialect.address(data), data / "backups", clock=lambda: self.clock())
        self.files = FileStore(data / "files")
        self.catalogue = catalogue or load([PRACTICE, data / "catalogue"])
        self.floors = Floors(self.store, lambda: self.clock(), self.person)
        self.instruments = Instruments(
            self.store, self.files, self.catalogue, self.today, self.person, self.doubt, self._announce
        )
        self._states: dict[str, tuple[str, State]] = {}
        self._plans: dict[str, tuple[object, Plan]] = {}
        self._sheets: dict[str, tuple[str, Sheet]] = {}
        self.listeners: list[Callable[[str, int], None]] = []

    def close(self) -> None:
        """Let go of the database."""
        self.store.close()

    # --- looking

    def open(self, job: str) -> Opened:
        """A job as it is now; raises ``BadInput`` for an unknown one."""
        with self.store.reading() as log:
            return self._readable(log, log.row(job))

    def jobs(self, limit: int = 100, offset: int = 0) -> list[Opened | Unreadable]:
        """Jobs, the newest first; one whose sheet cannot be worked out says so and takes no other down."""
        with self.store.reading() as log:
            return [self._opened(log, row) for row in log.rows(limit, offset)]

    def _opened(self, log: Log, row: Row) -> Opened | Unreadable:
        try:
            return Opened(row, self._sheet(log, row))
        except Exception as cause:
            LOG.warning("The sheet of job %s cannot be worked out.", row.number, exc_info=cause)
            return Unreadable(row, str(cause) if isinstance(cause, BadInput) else type(cause).__name__)

    def _readable(self, log: Log, row: Row) -> Opened:
        found = self._opened(log, row)
        if isinstance(found, Unreadable):
            raise BadInput("sheet", row.number, f"a job whose sheet can be worked out; this one's cannot: {found.why}")
        return found

    def _state(self, log: Log, row: Row) -> State:
        head, state = self._states.get(row.id, ("", State()))
        if head != row.head:
            state = fold(state, log.events(row.id, state.seq)) if state.seq < row.count else State()
            if state.seq != row.count:
                state = fold(State(), log.events(row.id))
            self._states[row.id] = (row.head, state)
        return state

    def _sheet(self, log: Log, row: Row) -> Sheet:
        head, sheet = self._sheets.get(row.id, ("", None))
        if sheet is None or head != row.head or (sheet.expires is not None and sheet.expires <= self.clock()):
            state = self._state(log, row)
            sheet = derive(state, self._plan(row.id, state), self.clock())
            self._sheets[row.id] = (row.head, sheet)
        return sheet

    def _plan(self, job: str, state: State) -> Plan:
        known, basis = self._plans.get(job), (state.placed, state.changes)
        if known is None or known[0] != basis:
            assert state.job is not None
            found: dict[str, Any] = {}
            targets: dict[str, Target] = {}
            for pin in state.job.pins:
                if pin.kind not in KINDS:
                    continue
                text = self.store.pinned(pin.hash)
                if text is None:
                    raise BadInput("pin", pin.hash, f"the pinned {pin.kind} {pin.id}; it is missing")
                found[pin.kind] = KINDS[pin.kind].model_validate_json(text)
                if pin.kind == "target":
                    targets[pin.id] = found["target"]
            procedure, vehicle = found["procedure"], found["vehicle"]
            assert isinstance(procedure, Procedure)
            assert isinstance(vehicle, VehicleModel)
            frame, target = found["frame"], targets[procedure.mounting.target]
            assert isinstance(frame, FrameProfile)
            procedure = with_changes(procedure, (change.said for change in state.changes))
            known = (basis, self._placed(state, Plan(procedure, vehicle, target, frame, targets=targets)))
            self._plans[job] = known
        return known[1]

    def _placed(self, state: State, plan: Plan) -> Plan:
        """The plan with the bay and, once a place was chosen, the floor there."""
        assert state.job is not None
        pins = state.placed.pins if state.placed is not None else state.job.pins
        place = state.placed.place if state.placed is not None else Place(x=0, y=0)
        bay, standing, note = self.floors.standing(pins, place, plan.vehicle, plan.procedure)
        chosen = state.placed.place if state.placed is not None else None
        no_room = self.floors.no_room(bay, chosen, plan.vehicle, plan.procedure) if bay is not None else ""
        if chosen is None:
            return replace(plan, bay=bay, no_room=no_room)
        return replace(plan, bay=bay, standing=standing, place_note=note, no_room=no_room)

    def today(self) -> str:
        """The day of the garage's clock in its zone, as ``2026-03-05``."""
        zone = ZoneInfo(self.store.setting("time_zone", "UTC"))
        return datetime.fromtimestamp(self.clock() / 1000, zone).date().isoformat()

    def person(self, id: str) -> Person:
        """One of the garage's people; raises ``BadInput`` for nobody."""
        found = next((p for p in self.store.people() if id and p["id"] == id), None)
        if found is None:
            raise BadInput("person", id or "nobody", "one of the garage's people, picked first")
        return Person(id=found["id"], name=found["name"])

    def tools(self, slot: Slot) -> list[Tool]:
        """Instruments on the shelf that a slot can be read with."""
        return [h.tool for h in self.instruments.shelf() if slot.reads in h.tool.reads]

    def relying(self, tool: str, since: int, signed: bool) -> list[Row]:
        """Signed or open jobs with readings that count and stand on an instrument as it was from an event (seq) on.

        The newest first; sheets are not worked out for it.
        """
        with self.store.reading() as log:
            return [row for row in log.using(tool, signed) if self._relies(log, row, tool, since)]

    def _relies(self, log: Log, row: Row, tool: str, since: int) -> bool:
        try:
            return bool(self._state(log, row).relies_on(tool, since))
        except BadInput:
            return False

    # --- changing

    @contextmanager
    def _changing(self, job: str, client_id: str) -> Iterator[tuple[Log, Row, State, bool]]:
        """The visit, locked; and whether this client-made id is known to it."""
        with self.store.writing() as log:
            row, known = log.locked(job, client_id)
            yield log, row, self._state(log, row), known

    def append(
        self,
        job: str,
        person: str | Person,
        client_id: str,
        make: Callable[[State, Sheet], Payload],
        head: str | None = None,
        when_signed: bool = False,
        standing_on: Sequence[Relied] = (),
    ) -> Opened:
        """Append one event under the writer's lock, made from the state it is appended to.

        ``standing_on``: instruments as they are expected to be still. Raises ``Conflict`` for a signed sheet, or where
        others recorded since ``head``, and ``Moved`` where something happened to an instrument meanwhile.
        """
        who = person if isinstance(person, Person) else self.person(person)
        keyed(client_id)
        with self._changing(job, client_id) as (log, row, state, known):
            before = self._readable(log, row)
            if known:
                return before
            if state.signed is not None and not when_signed:
                raise Conflict("This sheet is signed. To work on it again, reopen it: a new revision begins.")
            if head is not None and head != row.head:
                raise Conflict("Others have recorded since you looked. Look at the sheet again, then sign.")
            for relied in standing_on:
                if log.streams.head(instrument_stream(relied.id))[0].count != relied.seq:
                    raise Moved(f"Something happened to the instrument {relied.id} meanwhile: look at it again.")
            payload = make(state, before.sheet)
            new = made(visit_stream(job), row.count + 1, client_id, self.clock(), who, payload)
            after = fold(state, [new])
            sheet = self._derived(job, after, payload, new.at, before.sheet.underivable)
            row = log.append(row, new, after.stage, payload)
        self._states[job], self._sheets[job] = (row.head, after), (row.head, sheet)
        self._announce(row)
        return Opened(row, sheet)

    def _derived(self, job: str, after: State, payload: Payload, at: int, known: Collection[str] = ()) -> Sheet:
        """The sheet that follows from a payload; raises ``BadInput`` where it loses what could be worked out before.

        ``known``: what could not be worked out before it either.
        """
        accepted = "what the sheet can be worked out from"
        try:
            sheet = derive(after, self._plan(job, after), at)
            lost = {id: why for id, why in sheet.underivable.items() if id not in known}
        except BadInput:
            raise
        except Exception as cause:
            raise BadInput("value", _told(payload), f"{accepted} ({type(cause).__name__})") from cause
        for id, why in lost.items():
            view = sheet.check(id)
            what = view.check.title if view is not None else "the next move"
            raise BadInput("value", _told(payload), f"{accepted}: {what} could not be ({why})")
        return sheet

    def _announce(self, row: Row) -> None:
        for listener in self.listeners:
            listener(row.id, row.count)

    def doubt(self, log: Log, said: Doubted, who: Person, key: str) -> list[Row]:
        """Mark every open job that stands on an instrument that cannot be relied on; in the transaction that says so.

        A mark of the house itself: appended whether or not a sheet follows from it, visits locked in the order of ids.
        """
        marked = []
        for found in sorted(log.using(said.tool, signed=False), key=lambda row: row.id):
            row, known = log.locked(found.id, key)
            if known or row.stage == "signed" or not self._relies(log, row, said.tool, said.since):
                continue
            new = made(visit_stream(row.id), row.count + 1, key, self.clock(), who, said)
            marked.append(log.append(row, new, row.stage, said))
        return marked

    def take_in(self, asked: TakeIn, person: str, client_id: str) -> Opened:
        """Take a job in; pins the catalogue entries that it will be judged by."""
        who, key = self.person(person), keyed(client_id)
        procedure = self.catalogue.get("procedure", asked.procedure)
        entries = [
            procedure,
            self.catalogue.get("vehicle", procedure.content.vehicle),
            *(self.catalogue.get("target", id) for id in procedure.content.targets),
            self.catalogue.get("frame", asked.frame),
        ]
        for entry in entries:
            self.store.pin(entry.hash, entry.kind, entry.id, entry.revision, entry.text)
        job = uuid.uuid5(uuid.NAMESPACE_OID, key).hex[:12]
        now = self.clock()
        named = bool(asked.customer or asked.address)
        payload = TakenIn(
            **asked.model_dump(exclude={"procedure", "frame", "customer", "address"}),
            customer=uuid.uuid5(uuid.NAMESPACE_OID, f"{key}-customer").hex[:10] if named else "",
            pins=[*(_pinned(entry) for entry in entries), *self._bay_pins(asked.bay)],
        )
        with self.store.writing() as log:
            if log.streams.head(visit_stream(job))[0].count == 0:
                new = made(visit_stream(job), 1, key, now, who, payload)
                self._derived(job, fold(State(), [new]), payload, now)
                if named:
                    Customers(log.connection).add(payload.customer, asked.customer, asked.address)
                log.begin(job, new, payload)
        scale = self.instruments.scale_of(asked.frame)
        if scale is not None and scale.learned is not None:
            known = FrameKnown(mechanics=scale.learned.mechanics)
            self.append(job, person, f"{key}-frame", lambda _state, _sheet: known)
        return self.open(job)

    def _bay_pins(self, bay: str) -> list[Pinned]:
        return [pin for pin in self.floors.pins(bay) if pin.kind == "bay"] if bay in self.store.bays() else []

    def place(
        self,
        job: str,
        place: Place,
        person: str,
        client_id: str,
        source: Literal["parking", "typed", "job"] = "parking",
        from_job: str = "",
    ) -> Opened:
        """Choose where the vehicle stands in its bay; pins the bay's sheet and its newest survey."""
        state = self.open(job).state
        assert state.job is not None
        payload = Placed(place=place, source=source, from_job=from_job, pins=self.floors.pins(state.job.bay))
        return self.append(job, person, client_id, lambda _state, _sheet: payload)

    def stood_here(self, bay: str, vehicle: str, besides: str) -> list[tuple[str, Place, int]]:
        """Number, place and time of earlier jobs with this vehicle model in a bay: first guesses, never readings."""
        found = []
        for opened in self.jobs(limit=300):
            if isinstance(opened, Unreadable):
                continue
            state = opened.state
            if opened.row.id == besides or state.job is None or state.placed is None or state.job.bay != bay:
                continue
            if opened.sheet.plan.vehicle.id == vehicle:
                found.append((state.job.number, state.placed.place, opened.row.created_at))
        return found

    def record(
        self,
        job: str,
        slot: str,
        typed: str,
        tool: str,
        person: str,
        client_id: str,
        word: str = "",
        replaces: bool = False,
        understood: str = "",
        temperature: str = "",
        hung_free: bool = False,
        device: str = "",
    ) -> Recorded | Asked:
        """Record a reading as typed; asks where it is implausible, unless ``understood`` says what is meant."""
        asked = ReadingAsked(slot, typed, tool, word, replaces, understood, temperature, hung_free, device)
        for left in reversed(range(TRIES)):
            said = self._reading(job, asked)
            if isinstance(said, Asked):
                return said
            try:
                make = partial(_always, said)
                return Recorded(self.append(job, person, client_id, make, standing_on=said.tool.relied))
            except Moved:
                self.store.forget()
                if not left:
                    raise
        raise AssertionError("tried at least once")

    def _reading(self, job: str, asked: ReadingAsked) -> ReadingTaken | Asked:
        """What is said by a reading as it was typed, or the question that it raises."""
        sheet = self.open(job).sheet
        where = _slot(sheet, asked.slot)
        quantity = where.quantity
        if where.ask != "number" or quantity is None:
            raise BadInput("slot", asked.slot, "a slot that takes a figure")
        instrument = next((t for t in self.tools(where) if t.id == asked.tool), None)
        if instrument is None:
            names = ", ".join(t.name for t in self.tools(where)) or "none is on the shelf"
            raise BadInput("tool", asked.tool or "nothing", f"the instrument that it was read with: {names}")
        if sheet.setup.excluded(where):
            raise BadInput("slot", where.label, "a reading that the mounted target does not stand in the way of")
        frame = sheet.plan.frame.id if where.reads == "scale" else ""
        scale = self.instruments.scale_of(frame)
        for used in (asked.tool, scale.tool.id if scale is not None else asked.tool):
            trusted = self.instruments.trusted(used)
            if not trusted.usable:
                name = self.instruments.one(used).tool.name
                raise BadInput("tool", f"{name}, {trusted.words}", "one that can be relied on: check it first")
        found: Understood | Question
        if asked.understood:
            found = confirmed(asked.understood, quantity)
        else:
            found = understand(asked.typed, quantity, signless=where.words is not None)
            if isinstance(found, Question):
                return Asked(found, where)
        value = found.value
        if where.words is not None:
            if value and asked.word not in where.words:
                raise BadInput("word", asked.word or "no direction", f"a direction: {' or '.join(where.words)}")
            value = -abs(value) if asked.word == where.words[1] else abs(value)
        warm = _temperature(asked.temperature) if instrument.expansion_per_k is not None else None
        return ReadingTaken(
            slot=asked.slot,
            typed=asked.typed[:60],
            understood=f"{found.text} {asked.word}".strip(),
            value=value,
            tool=ToolUsed(
                id=instrument.id,
                seq=self.instruments.one(instrument.id).seq,
                name=instrument.name,
                contributions=self.instruments.contributions(asked.tool, quantity.dimension, where.lever, frame),
                expansion_per_k=instrument.expansion_per_k,
                sag=instrument.sag,
                scale=Relied(id=scale.tool.id, seq=scale.seq) if scale is not None else None,
            ),
            temperature=warm,
            hung_free=asked.hung_free and instrument.sag is not None,
            replaces=asked.replaces,
            replaces_after=sheet.setup.replaced_after(where) if asked.replaces else 0,
            device=asked.device[:60],
        )

    def answer(self, job: str, slot: str, value: str, person: str, client_id: str) -> Opened:
        """Answer a tick or a choice."""

        def make(_state: State, sheet: Sheet) -> Payload:
            where = _slot(sheet, slot)
            options = ("yes", "no") if where.ask == "tick" else where.options
            if where.ask == "number" or not value.strip() or (options and value not in options):
                raise BadInput("value", value or "nothing", " or ".join(options) or "what is printed on it")
            if where.ask == "day":
                _day(value)
            return Answered(slot=slot, value=value.strip()[:80])

        return self.append(job, person, client_id, make)

    def happen(
        self,
        job: str,
        what: str,
        person: str,
        client_id: str,
        amount: str = "",
        by: Mapping[str, float | str] | None = None,
    ) -> Opened:
        """Something moved, was bumped, mounted, or happened to the vehicle; ``by``: what was told, where it was."""
        known = HAPPENINGS.get(what)
        if known is None:
            raise BadInput("what", what, f"one of {', '.join(HAPPENINGS)}")
        payload = Disturbed.read({"what": what, "words": known.words, "amount": amount[:80], "by": dict(by or {})})
        return self.append(job, person, client_id, lambda _state, _sheet: payload)

    def undo(self, job: str, person: str, client_id: str) -> Opened:
        """Take back one's own last reading or answer; it stays in the log as withdrawn."""

        def make(state: State, _sheet: Sheet) -> Payload:
            last = state.last_of(person)
            if last is None:
                raise BadInput("undo", "nothing", "an entry of your own that still counts")
            return Withdrawn(entry=last)

        return self.append(job, person, client_id, make)

    def override(self, job: str, check: str, reason: str, person: str, client_id: str) -> Opened:
        """Accept a check that does not hold, with a reason; an empty reason takes an override back."""

        def make(state: State, sheet: Sheet) -> Payload:
            view = sheet.check(check)
            if view is None:
                raise BadInput("check", check, "a check of this sheet")
            if not reason.strip():
                if check not in state.overrides:
                    raise BadInput("reason", "nothing", "a reason in words, at least ten letters")
                return OverrideWithdrawn(check=check)
            if len(re.findall(r"\w", reason)) < 10:
                raise BadInput("reason", reason, "a reason in words, at least ten letters")
            if view.state == "holds":
                raise BadInput("check", check, "a check that does not hold")
            return Overridden(check=check, reason=reason.strip()[:500])

        return self.append(job, person, client_id, make)

    def sign(
        self,
        job: str,
        head: str,
        person: str,
        client_id: str,
        render: Callable[[Opened, Person, int], bytes],
    ) -> Opened:
        """Sign what the signer saw (``head``): its record is stored and frozen. ``render``: the record as JSON."""
        opened, who = self.open(job), self.person(person)
        if opened.state.signed is None and opened.row.head == head and opened.sheet.can_sign:
            digest = self.files.put(render(opened, who, self.clock()))
        else:
            digest = ""

        def make(state: State, sheet: Sheet) -> Payload:
            if not sheet.can_sign:
                names = ", ".join(view.check.title for view in sheet.unsettled)
                raise Conflict(f"Not settled yet: {names}.")
            return Signed(revision=state.revision, head=head, record_json=digest, application=__version__)

        signed = self.append(job, person, client_id, make, head=head)
        known, before = mechanics(opened.sheet.setup), opened.state.frame_known
        if known.moves > (before.moves if before is not None else 0):
            self.instruments.learn(opened.sheet.plan.frame.id, opened.row.number, known, who)
        return signed

    def print(self, job: str, revision: int, render: Callable[[bytes, Opened], bytes]) -> bytes:
        """The PDF of a signed revision: printed once, from the record and the sheet as they were signed, and kept.

        ``render``: PDF bytes from the record's JSON and the sheet. Raises ``BadInput`` for what is not signed.
        """
        state = self.open(job).state
        signed = next((said for said, _, _ in state.records if said.revision == revision), None)
        if signed is None:
            raise BadInput("revision", str(revision), "a signed revision")
        digest = state.pdf_of(revision)
        if digest is None:
            content = render(self.files.get(signed.record_json), self._as_signed(job, signed))
            said = Printed(revision=revision, record_pdf=self.files.put(content))
            after = self.append(job, ITSELF, f"printed-{revision}", partial(_always, said), when_signed=True)
            # Two at once: the first one's is kept.
            digest = after.state.pdf_of(revision)
        assert digest is not None
        return self.files.get(digest)

    def _as_signed(self, job: str, signed: Signed) -> Opened:
        """The sheet that a signature stands on, worked out anew from the events before it."""
        with self.store.reading() as log:
            row, events = log.row(job), log.events(job)
        at = next(k for k, event in enumerate(events) if event.kind == Signed.code and event.payload == signed)
        state = fold(State(), events[:at])
        return Opened(row, derive(state, self._plan(job, state), events[at].at))

    def reopen(self, job: str, reason: str, person: str, client_id: str) -> Opened:
        """Begin a new revision of a signed sheet; the signed one stays."""

        def make(state: State, _sheet: Sheet) -> Payload:
            if state.signed is None:
                raise Conflict("This sheet is not signed: there is nothing to reopen.")
            if len(re.findall(r"\w", reason)) < 10:
                raise BadInput("reason", reason or "nothing", "a reason in words, at least ten letters")
            return Reopened(revision=state.revision + 1, reason=reason.strip()[:500])

        return self.append(job, person, client_id, make, when_signed=True)


def _always(said: Payload, _state: State, _sheet: Sheet) -> Payload:
    """A payload that does not depend on the state that it is appended to."""
    return said


def _temperature(text: str) -> float | None:
    """A tape's temperature as typed, degrees Celsius; nothing where nothing was typed."""
    plain = text.strip().removesuffix("°C").removesuffix("C").strip().replace(",", ".").replace("−", "-")
    if not plain:
        return None
    if not re.fullmatch(r"-?\d{1,2}(\.\d+)?", plain) or not -30 <= float(plain) <= 60:
        raise BadInput("temperature", text, "degrees Celsius from −30 to 60, such as 17.5, or nothing")
    return float(plain)


def _day(text: str) -> date:
    """A day as a date field gives it or as it is typed, year first; raises ``BadInput``."""
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise BadInput("value", text, "a day as year-month-day, such as 2026-03-05") from error


def _told(payload: Payload) -> str:
    """What was entered, as the one who entered it would say it."""
    for name in ("understood", "value", "amount", "by", "place", "procedure"):
        found = getattr(payload, name, None)
        if found is not None and found != "" and found != {}:
            return f"{found:g}" if isinstance(found, float) else str(found)
    return type(payload).__name__


def _pinned(entry: Entry) -> Pinned:
    return Pinned(kind=entry.kind, id=entry.id, revision=entry.revision, hash=entry.hash)


def _slot(sheet: Sheet, id: str) -> Slot:
    found = sheet.slots.get(id)
    if found is None:
        raise BadInput("slot", id or "nothing", "a place of this sheet that takes an entry")
    return found.slot
