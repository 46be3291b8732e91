"""A garage: its store, its catalogue, its jobs, and the commands that change a job.

Every command reads the state under the writer's lock, checks its rule, appends one event and returns the job as it
then is. A command repeated with the same client-made id changes nothing.
"""

import logging
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from escuadra.catalogue import Catalogue, load
from escuadra.catalogue.library import KINDS, PRACTICE
from escuadra.core.bay import Place
from escuadra.core.errors import BadInput, Conflict
from escuadra.core.house import instrument_stream, visit_stream
from escuadra.core.job.events import (
    Doubted,
    Relied,
)
from escuadra.core.job.figures import with_changes
from escuadra.core.job.places import Plan
from escuadra.core.job.sheet import Sheet, derive
from escuadra.core.job.slots import Slot
from escuadra.core.job.state import State, fold
from escuadra.core.procedure import Procedure
from escuadra.core.profiles import FrameProfile, Target, VehicleModel
from escuadra.core.stream import Payload, Person, made
from escuadra.core.tool import Tool
from escuadra.jobs.floors import Floors
from escuadra.jobs.forms import Opened, Unreadable, keyed
from escuadra.jobs.instruments import Instruments
from escuadra.store import FileStore, Row, Store, dialect
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
            sheet = derive(state, self.plan_of(row.id, state), self.clock())
            self._sheets[row.id] = (row.head, sheet)
        return sheet

    def plan_of(self, job: str, state: State) -> Plan:
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
            sheet = self.derived(job, after, payload, new.at, before.sheet.underivable)
            row = log.append(row, new, after.stage, payload)
        self._states[job], self._sheets[job] = (row.head, after), (row.head, sheet)
        self._announce(row)
        return Opened(row, sheet)

    def derived(self, job: str, after: State, payload: Payload, at: int, known: Collection[str] = ()) -> Sheet:
        """The sheet that follows from a payload; raises ``BadInput`` where it loses what could be worked out before.

        ``known``: what could not be worked out before it either.
        """
        accepted = "what the sheet can be worked out from"
        try:
            sheet = derive(after, self.plan_of(job, after), at)
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


def always(said: Payload, _state: State, _sheet: Sheet) -> Payload:
    """A payload that does not depend on the state that it is appended to."""
    return said


def _told(payload: Payload) -> str:
    """What was entered, as the one who entered it would say it."""
    for name in ("understood", "value", "amount", "by", "place", "procedure"):
        found = getattr(payload, name, None)
        if found is not None and found != "" and found != {}:
            return f"{found:g}" if isinstance(found, float) else str(found)
    return type(payload).__name__


def slot_of(sheet: Sheet, id: str) -> Slot:
    found = sheet.slots.get(id)
    if found is None:
        raise BadInput("slot", id or "nothing", "a place of this sheet that takes an entry")
    return found.slot
