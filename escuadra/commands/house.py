"""What can be seen of a garage: its visits and their sheets, its people, its day. Nothing is changed here."""

import logging
from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from escuadra.catalogue import Catalogue, Entry, Shelf, upon
from escuadra.catalogue.library import PRACTICE, Later, plan_from
from escuadra.commands.floors import Floors, part_at_hand
from escuadra.commands.forms import Opened, Tab, Unreadable, Whole
from escuadra.commands.instruments import Instruments
from escuadra.commands.listing import Listed, Lists, calibration_listed, listed
from escuadra.commands.memory import MOST_ENTRIES, MOST_PAGES, MOST_VISITS, Memory, Sheets, Solutions
from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.said import said
from escuadra.core.base.stream import ITSELF, Event, Part, Payload, Person
from escuadra.core.bay.bay import Place
from escuadra.core.instruments.instrument import Tool
from escuadra.core.procedure.cases import Case
from escuadra.core.procedure.entries import KINDS, Head
from escuadra.core.procedure.profiles import FrameProfile, StandProfile, Target, VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.capability import AsSpecified, as_specified
from escuadra.core.visit.closing import named, sensors_of
from escuadra.core.visit.figures import circumstances, with_changes
from escuadra.core.visit.gate import Gate, as_it_is, gate
from escuadra.core.visit.log.events import Pinned, Signed, TakenIn
from escuadra.core.visit.log.reducer import Visit, as_left, as_signed, fold_visit
from escuadra.core.visit.log.state import State
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.sheet import Sheet, derive
from escuadra.core.visit.slots import Slot
from escuadra.store import FileStore, Row, Store, dialect
from escuadra.store.repositories.drafts import DraftRow
from escuadra.store.repositories.visits import Log, Shown
from escuadra.store.summaries import words_of

LOG = logging.getLogger("escuadra")


class House:
    """One garage on its data folder, as it is."""

    def __init__(
        self, data: Path, clock: Callable[[], int], catalogue: Catalogue | None = None, store: Store | None = None
    ) -> None:
        data.mkdir(parents=True, exist_ok=True)
        self.data, self.clock = data, clock
        self.store = store or Store(dialect.address(data), data / "backups")
        self.files = FileStore(data / "files")
        self._given = catalogue
        self._shelf = Shelf([PRACTICE, data / "catalogue"]) if catalogue is None else None
        self._stocked: tuple[tuple[object, ...], Catalogue] | None = None
        self._specified: tuple[Catalogue, list[AsSpecified]] | None = None
        self.floors = Floors(self.store)
        self.instruments = Instruments(self.store, lambda: self.catalogue, self.today)
        self.solutions = Solutions()
        self._visits: Memory[str, tuple[str, Visit]] = Memory(MOST_VISITS)
        self._plans: Memory[tuple[str, str], tuple[object, Plan]] = Memory(MOST_VISITS)
        self._sheets = Sheets()
        self._made: Memory[tuple[str, ...], Plan] = Memory(MOST_VISITS)
        self._entries: Memory[tuple[str, str], Any] = Memory(MOST_ENTRIES)
        self.page_texts: Memory[str, str] = Memory(MOST_PAGES)
        self.lists = Lists(self.store, clock, self._as_listed)

    def close(self) -> None:
        """Let go of the database."""
        self.store.close()

    @property
    def catalogue(self) -> Catalogue:
        """What can be chosen now: files, and what was released here; the same value while nothing of it changes."""
        files = self._shelf.now() if self._shelf is not None else self._given
        assert files is not None
        rows, hidden = self.store.drafts(), self.store.setting("practice") == "hidden"
        stocked = self._stocked
        if stocked is None or stocked[0][0] is not files or stocked[0][1:] != (rows, hidden):
            own = [self._released(row) for row in rows if row.in_use]
            stocked = self._stocked = ((files, rows, hidden), upon(files, own, hidden))
        return stocked[1]

    @property
    def as_specified(self) -> list[AsSpecified]:
        """Every procedure that can be chosen now, with the first frame and all of it read as it should be."""
        catalogue, known = self.catalogue, self._specified
        if known is None or known[0] is not catalogue:
            frames = catalogue.all("frame")
            sheets = catalogue.all("procedure") if frames else []
            read = [as_specified(plan_from(catalogue, one.content, frames[0].content)) for one in sheets]
            known = self._specified = (catalogue, read)
        return known[1]

    def _released(self, row: DraftRow) -> Entry:
        """An entry that was released here: its content is read when somebody asks for it."""
        pin = Pinned(kind=row.kind, id=row.id, revision=row.revision, hash=row.hash)
        head = Head(row.title, row.vehicle, row.note, row.words)
        return Entry(row.kind, row.id, row.revision, row.hash, Later(lambda: self._entry(pin)), told=head)

    # --- visits

    def open(self, visit: str, calibration: str = "") -> Opened:
        """A visit as it is now, at a calibration (empty: its first); raises ``BadInput`` for an unknown one."""
        with self.store.reading() as log:
            return self.readable(log, log.row(visit), calibration)

    def whole(self, visit: str) -> Whole:
        """A visit as it is now, all of it; raises ``BadInput`` for an unknown one."""
        with self.store.reading() as log:
            row = log.row(visit)
            return Whole(row, self.visit_of(log, row))

    def model_of(self, whole: Whole) -> VehicleModel:
        """The visit's vehicle model, as it was pinned, with what differs on this very vehicle's variant."""
        return self._vehicle(whole.state)

    def gate(self, whole: Whole) -> Gate:
        """What is known of the vehicle's variant."""
        return gate(self._model(whole.job), whole.state.variant_answers, whole.job.vin)

    def _model(self, job: TakenIn) -> VehicleModel:
        found = self._entry(next(pin for pin in job.pins if pin.kind == "vehicle"))
        assert isinstance(found, VehicleModel)
        return found

    def sheet_of(self, whole: Whole, calibration: str) -> Procedure:
        """The procedure sheet of a visit's calibration, as it was pinned; raises ``BadInput`` for an unknown one."""
        added = whole.part(calibration).calibration
        assert added is not None
        found = self._entry(next(pin for pin in added.pins if pin.kind == "procedure"))
        assert isinstance(found, Procedure)
        return found

    def newer_sheet(self, opened: Opened) -> Entry | None:
        """A newer revision of a calibration's sheet, where nobody said yet whether it goes on by that."""
        pin = next(pin for pin in opened.state.pins if pin.kind == "procedure")
        newest = self.catalogue.entries.get(("procedure", pin.id))
        answered = max(pin.revision, opened.state.revision_answered)
        over = opened.state.stage in ("signed", "left_out", "called_off")
        return newest if newest is not None and newest.revision > answered and not over else None

    def tabs(self, whole: Whole) -> list[Tab]:
        """A visit's calibrations in their order; no sheet is worked out for it."""
        model, found = self.model_of(whole), []
        for id in whole.visit.in_order:
            own, sheet = whole.part(id), self.sheet_of(whole, id)
            told = own.calibration.sensors if own.calibration is not None else []
            learns = any(one.how != "static" for one in sensors_of(model, sheet.id, told))
            name = named(model, sheet, told)
            found.append(Tab(id, whole.address(id), sheet, own.stage, name, tuple(told), learns))
        return found

    def jobs(self, limit: int = 100, offset: int = 0) -> list[Opened | Unreadable]:
        """Calibrations of visits, the newest visit first.

        One whose sheet cannot be worked out says so and takes no other down.
        """
        with self.store.reading() as log:
            return [one for row in log.rows(limit, offset) for one in self._calibrations(log, row)]

    def _calibrations(self, log: Log, row: Row) -> list[Opened | Unreadable]:
        try:
            order = self.visit_of(log, row).in_order
        except Exception as cause:
            return [_unreadable(row, cause)]
        return [self.opened(log, row, calibration) for calibration in order]

    def listed(self, limit: int = 100, offset: int = 0) -> list[Listed | Unreadable]:
        """What a list tells of visits, the newest first; of one whose sheet cannot be worked out, why."""
        return self.lists.of(lambda log: log.rows(limit, offset))

    def found(
        self, text: str, limit: int, offset: int = 0, way: str = "", least: float = 0.0
    ) -> list[Listed | Unreadable]:
        """What a list tells of the visits of which all words of a text were said, the newest first; all for none.

        ``way``: only those whose routine showed ``least`` degrees or more about that axis, either way, before zeroing.
        """
        procedures: list[Procedure] = [e.content for e in self.catalogue.all("procedure")] if way else []
        ids = {figure.id for procedure in procedures for figure in procedure.results if figure.way == way}
        shown = Shown(tuple(sorted(ids)), least) if way else None
        return self.lists.of(lambda log: log.found(words_of(text), limit, offset, shown))

    def of_today(self, limit: int) -> list[Listed | Unreadable]:
        """What a list tells of the visits that are open or were begun today, the newest first."""
        zone = ZoneInfo(self.store.setting("time_zone", "UTC"))
        midnight = datetime.fromtimestamp(self.clock() / 1000, zone).replace(hour=0, minute=0, second=0, microsecond=0)
        return self.lists.of(lambda log: log.open_or_since(int(midnight.timestamp() * 1000), limit))

    def _as_listed(self, log: Log, row: Row) -> Listed | Unreadable:
        found = self._calibrations(log, row)
        unreadable = next((one for one in found if isinstance(one, Unreadable)), None)
        if unreadable is not None:
            return unreadable
        whole = Whole(row, self.visit_of(log, row))
        opened = [one for one in found if isinstance(one, Opened)]
        try:
            return listed(whole, self.model_of(whole), [calibration_listed(one) for one in opened])
        except Exception as cause:
            return _unreadable(row, cause)

    def opened(self, log: Log, row: Row, calibration: str = "") -> Opened | Unreadable:
        """A visit as its row says that it is, or why that cannot be worked out."""
        try:
            visit = self.visit_of(log, row)
            calibration = calibration or next(iter(visit.calibrations), "")
            return Opened(row, visit, calibration, self._sheet(log, row, visit, calibration))
        except Exception as cause:
            return _unreadable(row, cause)

    def readable(self, log: Log, row: Row, calibration: str = "") -> Opened:
        """A visit as its row says that it is; raises ``BadInput`` where that cannot be worked out."""
        found = self.opened(log, row, calibration)
        if isinstance(found, Unreadable):
            raise BadInput("sheet", row.number, said("wants.job_whose_sheet_can_worked", why=found.why))
        return found

    def visit_of(self, log: Log, row: Row) -> Visit:
        """What a visit's stream amounts to."""
        head, visit = self._visits.get(row.id) or ("", Visit())
        if head != row.head:
            visit = fold_visit(visit, log.events(row.id, visit.seq)) if visit.seq < row.count else Visit()
            if visit.seq != row.count:
                visit = fold_visit(Visit(), log.events(row.id))
            self._visits.keep(row.id, (row.head, visit))
        return visit

    def _sheet(self, log: Log, row: Row, visit: Visit, calibration: str) -> Sheet:
        head, sheet = self._sheets.get(row.id, calibration)
        if sheet is None or head != row.head or (sheet.expires is not None and sheet.expires <= self.clock()):
            if visit.outgrown(calibration):
                visit = as_left(log.events(row.id), calibration)
            state = visit.seen_by(calibration)
            sheet = derive(state, self.plan_of(row.id, calibration, state), self.clock(), self.solutions, sheet)
            self._sheets.keep(row.id, calibration, row.head, sheet)
        return sheet

    def keep(self, row: Row, visit: Visit, sheets: dict[str, Sheet]) -> None:
        """What was worked out of a visit as its row now says that it is."""
        self._visits.keep(row.id, (row.head, visit))
        for calibration, sheet in sheets.items():
            self._sheets.keep(row.id, calibration, row.head, sheet)

    def left(self, visit_id: str, visit: Visit, calibration: str, fresh: Sequence[Event]) -> Visit:
        """The visit as a calibration sees it, which may have been run before others went on.

        ``fresh``: events that are not written yet.
        """
        if not visit.outgrown(calibration):
            return visit
        with self.store.reading() as log:
            return as_left([*log.events(visit_id), *fresh], calibration)

    def derived(
        self,
        visit_id: str,
        calibration: str,
        after: Visit,
        payloads: Sequence[Payload],
        at: int,
        known: Collection[str],
    ) -> Sheet:
        """The sheet that follows from what is said; raises ``BadInput`` where it loses what could be worked out before.

        ``known``: what could not be worked out before it either.
        """
        entered = _entered(payloads)
        try:
            state = after.seen_by(calibration)
            plan = self.plan_of(visit_id, calibration, state)
            if any(isinstance(said, Signed) for said in payloads):
                sheet = derive(state, plan, at)
            else:
                _, before = self._sheets.get(visit_id, calibration)
                sheet = derive(state, plan, at, self.solutions, before)
            lost = {id: why for id, why in sheet.underivable.items() if id not in known}
        except BadInput:
            raise
        except Exception as cause:
            why = said("as_is", text=type(cause).__name__)
            raise BadInput("value", entered, said("wants.sheet_that_works_out", why=why)) from cause
        for id, why in lost.items():
            view = sheet.check(id)
            what = view.check.called if view is not None else said("jobs.house.next_move")
            raise BadInput("value", entered, said("wants.check_that_works_out", what=what, why=why))
        return sheet

    def plan_of(self, visit_id: str, calibration: str, state: State) -> Plan:
        """What a calibration is judged by: its pinned entries, what was changed of them, the bay, the floor there."""
        known = self._plans.get((visit_id, calibration))
        vin = state.job.vin if state.job is not None else ""
        cases = self._cases(state)
        hashes, reads = tuple(pin.hash for pin in state.pins), tuple(case.id for case in cases)
        basis = (state.placed, state.changes, hashes, state.variant, vin, reads)
        if known is None or known[0] != basis:
            known = self._plans.keep((visit_id, calibration), (basis, self._plan(state, cases)))
        return known[1]

    def _plan(self, state: State, cases: list[Case]) -> Plan:
        """The one plan of all calibrations that pin the same at the same place, with the same figures changed."""
        placed = state.placed.model_dump_json() if state.placed is not None else ""
        told = [one.said.model_dump_json() for one in state.changes]
        assert state.job is not None
        variant = gate(self._model(state.job), state.variant_answers, state.job.vin).variant
        reads = ",".join(case.id for case in cases)
        content = (placed, variant.id if variant is not None else "", reads, *(pin.hash for pin in state.pins), *told)
        return self._made.get(content) or self._made.keep(content, self._new_plan(state, cases))

    def _new_plan(self, state: State, cases: list[Case]) -> Plan:
        found: dict[str, Any] = {}
        targets: dict[str, Target] = {}
        stands: dict[str, StandProfile] = {}
        for pin in state.pins:
            if pin.kind not in KINDS:
                continue
            found[pin.kind] = self._entry(pin)
            if pin.kind == "target":
                targets[pin.id] = found["target"]
            if pin.kind == "stand":
                stands[pin.id] = found["stand"]
        procedure, vehicle = found["procedure"], self._vehicle(state)
        assert isinstance(procedure, Procedure)
        procedure = with_changes(procedure.in_case(cases), (change.said for change in state.changes))
        frame, target = found["frame"], targets[procedure.mounting.target]
        assert isinstance(frame, FrameProfile)
        plan = Plan(procedure, vehicle, target, frame, targets=targets, stands=stands, cases=tuple(cases))
        return self._placed(state, plan)

    def _cases(self, state: State) -> list[Case]:
        """The cases of a pinned sheet that it reads by now."""
        pins = {pin.kind: pin for pin in state.pins}
        procedure = self._entry(pins["procedure"])
        assert isinstance(procedure, Procedure)
        if not procedure.cases or state.job is None:
            return []
        options = gate(self._model(state.job), state.variant_answers, state.job.vin).options
        return procedure.reads_by(circumstances(procedure, pins["frame"].id, options, state))

    def _vehicle(self, state: State) -> VehicleModel:
        """The vehicle's model with what differs on its variant."""
        assert state.job is not None
        return as_it_is(self._model(state.job), state.variant_answers, state.job.vin)

    def _entry(self, pin: Pinned) -> Any:
        """A catalogue entry as it was pinned: the same for all visits that pin it."""
        key = (pin.kind, pin.hash)
        known = self._entries.get(key)
        if known is not None:
            return known
        text = self.store.pinned(pin.hash)
        if text is None:
            raise BadInput("pin", pin.hash, said("wants.pinned_missing", kind=pin.kind, id=pin.id))
        return self._entries.keep(key, KINDS[pin.kind].model_validate_json(text))

    def _placed(self, state: State, plan: Plan) -> Plan:
        """The plan with the bay and, once a place was chosen, the floor there."""
        pins = state.placed.pins if state.placed is not None else state.pins
        place = state.placed.place if state.placed is not None else Place(x=0, y=0)
        bay = self.floors.pinned_bay(pins)
        turn = self.floors.turn_before(bay, plan.vehicle, plan.procedure) if bay is not None else ""
        part = part_at_hand(plan.procedure, turn, state)
        bay, standing, note = self.floors.standing(pins, place, plan.vehicle, part)
        chosen = state.placed.place if state.placed is not None else None
        no_room = self.floors.no_room(bay, chosen, plan.vehicle, part) if bay is not None else None
        if chosen is None:
            return replace(plan, bay=bay, no_room=no_room, turn_before=turn)
        return replace(plan, bay=bay, standing=standing, place_note=note, no_room=no_room, turn_before=turn)

    def signed_sheet(self, opened: Opened, revision: int) -> Opened:
        """The sheet that a signature stands on, worked out anew from the events before it."""
        with self.store.reading() as log:
            visit = as_signed(log.events(opened.row.id), opened.calibration, revision)
        state = visit.seen_by(opened.calibration)
        at = next(one.at for one in opened.state.records if one.said.revision == revision)
        sheet = derive(state, self.plan_of(opened.row.id, opened.calibration, state), at)
        return Opened(opened.row, visit, opened.calibration, sheet)

    # --- people, days, instruments

    def today(self) -> str:
        """The day of the garage's clock in its zone, as ``2026-03-05``."""
        zone = ZoneInfo(self.store.setting("time_zone", "UTC"))
        return datetime.fromtimestamp(self.clock() / 1000, zone).date().isoformat()

    def person(self, id: str) -> Person:
        """One of the garage's people; raises ``BadInput`` for nobody."""
        return self.known(id)[0]

    def known(self, who: str | Person) -> tuple[Person, str]:
        """Somebody, and their role; raises ``BadInput`` for nobody."""
        if isinstance(who, Person):
            return who, who.known if who == ITSELF else self._role(who.id)
        if not who or not self._role(who):
            raise BadInput("person", who, said("wants.one_garages_people_picked_first"))
        found = next(p for p in self.store.people() if p["id"] == who)
        return Person(id=found["id"], name=found["name"]), found["role"]

    def _role(self, id: str) -> str:
        return next((p["role"] for p in self.store.people() if p["id"] == id), "")

    def tools(self, slot: Slot) -> list[Tool]:
        """Instruments on the shelf that a slot can be read with."""
        return [h.tool for h in self.instruments.shelf() if slot.reads in h.tool.reads]

    def relying(self, tool: str, since: int, signed: bool) -> list[Row]:
        """Visits, signed or open ones, with readings that count and stand on an instrument as it was from a seq on.

        The newest first; sheets are not worked out for it.
        """
        with self.store.reading() as log:
            return [row for row in log.using(tool, signed) if self.relied(log, row, tool, since)]

    def relied(self, log: Log, row: Row, tool: str, since: int) -> list[Part]:
        """The parts of a visit with readings that stand on an instrument as it was from a seq on.

        None of a visit that cannot be read.
        """
        try:
            parts = self.visit_of(log, row).parts
            return [part for part, state in parts.items() if state.relies_on(tool, since)]
        except BadInput:
            return []

    def stood_here(self, bay: str, vehicle: str, besides: str) -> list[tuple[str, Place, int]]:
        """Number, place and time of earlier jobs with this vehicle model in a bay: first guesses, never readings."""
        visits = [visit for visit in self.listed(limit=300) if isinstance(visit, Listed)]
        return [
            (visit.number, visit.place, visit.row.created_at)
            for visit in visits
            if visit.place is not None and visit.row.id != besides and (visit.bay, visit.model) == (bay, vehicle)
        ]


def _unreadable(row: Row, cause: Exception) -> Unreadable:
    LOG.warning("The sheet of job %s cannot be worked out.", row.number, exc_info=cause)
    return Unreadable(row, refusal(cause) if isinstance(cause, BadInput) else said("as_is", text=type(cause).__name__))


def _entered(said: Sequence[Payload]) -> str:
    """What was entered, as the one who entered it would say it."""
    for payload in said:
        for name in ("understood", "value", "amount", "by", "place", "procedure"):
            found = getattr(payload, name, None)
            if found is not None and found != "" and found != {}:
                return f"{found:g}" if isinstance(found, float) else str(found)
    return type(said[0]).__name__
