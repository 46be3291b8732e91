"""``verify``: every stream, the journal, pins, files and rows held against each other; nothing is written.

One pass over the entries in the order of their streams, one over the journal, one over the pins: memory does not grow
with them. What is compared: each entry's hash upon the one before, its text's own place, the journal's line of it; at a
stream's end its noted head and the rows that follow from it; whatever an event names (files, pins, the head that a
signer saw). What no such comparison can notice is in docs/security.md.
"""

import hashlib
import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, Engine, Result, and_, func, inspect, select

from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.said import Said, said
from escuadra.core.base.stream import GENESIS, PAYLOADS, canonical, chained
from escuadra.core.instruments.history import SAID
from escuadra.store.files import FileStore
from escuadra.store.streams import noted
from escuadra.store.tables import (
    bay,
    calibration,
    customer,
    draft,
    entry,
    journal,
    person,
    pinned,
    setting,
    stream,
    survey,
    uses,
    visit,
)

STEP = 10_000
"""Entries between two words about progress."""
Progress = Callable[[int], None]
_END = '},"id":'
"""Where an event's data ends and what it says of itself begins."""
_OF = '","of":'
"""What stands before the part that an event of a visit is of."""
_CHUNK = 500
_PAYLOADS = PAYLOADS | SAID
_STAGES = {code: payload.stage for code, payload in _PAYLOADS.items()}
_FURTHER = {code for code, stage in _STAGES.items() if stage not in ("", "in_work")}
_TELLING = {code for code, payload in _PAYLOADS.items() if payload.files} | {"taken_in", "calibration_added"}


@dataclass(frozen=True)
class Wrong:
    """Something that is not as it was written."""

    where: str
    what: Said
    seq: int | None = None

    @property
    def said(self) -> Said:
        """Where, and what is wrong there."""
        if self.seq is None:
            return said("store.wrong", where=self.where, what=self.what)
        return said("store.wrong_event", where=self.where, seq=str(self.seq), what=self.what)


@dataclass
class _Seen:
    """A stream that is walked, and what its events say that rows must show."""

    id: str
    own: str = ""
    """What its events' texts say of where they stand."""
    count: int = 0
    head: str = GENESIS
    visit: bool = False
    broken: bool = False
    part: str = ""
    """What the event at hand says of the part that it is of."""
    fresh: bool = False
    """Some calibration was only taken in."""
    facts: dict[str, Any] = field(default_factory=dict)
    tools: set[str] = field(default_factory=set)
    stages: dict[str, str] = field(default_factory=dict)
    """How far each calibration of a visit has come."""
    uses: dict[str, list[str]] = field(default_factory=dict)
    """The bodies of each calibration."""
    parts: dict[str, tuple[int, str]] = field(default_factory=dict)
    """Seq and hash of the last event of each part of a visit, by what an event says of it."""

    def kind(self, text: str, seq: int, id: str) -> str:
        """The kind of an event by the end of its canonical text; empty where that says another place than this.

        The part that it is of is noted on the way.
        """
        begin, start = text.rfind(_END), f'{_END}"{id}","kind":"'
        if not text.startswith(start, begin):
            start = f'{_END}{json.dumps(id, ensure_ascii=False)},"kind":"'
            if not text.startswith(start, begin):
                return ""
        if not text.endswith(f'"seq":{seq},{self.own}1}}') and text.rfind(f'"seq":{seq},{self.own}') < begin:
            return ""
        begin += len(start)
        stop = text.find('"', begin)
        self.part = text[stop + len(_OF) : text.find("}", stop) + 1] if text.startswith(_OF, stop) else ""
        return text[begin:stop]

    def tells(self, kind: str, text: str, known: dict[str, set[str]]) -> bool:
        """Whether more follows from an event than that it is there; a visit's stages are noted here."""
        if self.fresh or kind in _FURTHER:
            stage = _STAGES[kind]
            if stage and (stage != "in_work" or self.fresh):
                self.fresh = False
                self._reached(stage, json.loads(self.part))
        if kind != "reading":
            return kind in _TELLING
        # The same instrument in the same words is read once.
        tool = _tool(text)
        if tool not in known:
            if len(known) >= STEP:
                known.clear()
            used = json.loads(text)["data"]["tool"]
            known[tool] = {used["id"], used["scale"]["id"] if "scale" in used else used["id"]}
        if not known[tool] <= self.tools:
            self.tools |= known[tool]
        return False

    def stood(self, id: str, parts: list[dict[str, Any]]) -> bool:
        """The parts that a signature names are those that its calibration stands on, as far as they had come."""
        own = [_part("vehicle", ""), *(_part("body", body) for body in self.uses[id]), _part("calibration", id)]
        named = {canonical(part["of"]): (part["seq"], part["hash"]) for part in parts}
        return named == {name: self.parts[name] for name in own}

    def _reached(self, stage: str, part: dict[str, str]) -> None:
        """A calibration has come further, or all that were only taken in."""
        for id, was in self.stages.items():
            if part["kind"] == "calibration" and part["id"] != id:
                self.fresh = self.fresh or was == "taken_in"
            elif stage != "in_work" or was == "taken_in":
                self.stages[id] = stage


class _Beside:
    """Rows in the order of the streams, walked beside them."""

    def __init__(self, rows: Iterator[Any]) -> None:
        self.rows = rows
        self.next: Any = next(rows, None)

    def of(self, name: str) -> tuple[list[str], list[Any]]:
        """Streams that were passed over, and a stream's own rows."""
        lost, own = list[str](), list[Any]()
        while self.next is not None and self.next[0] <= name:
            if self.next[0] == name:
                own.append(self.next)
            else:
                lost.append(self.next[0])
            self.next = next(self.rows, None)
        return lost, own

    def rest(self) -> Iterator[tuple[str, Any]]:
        """What is left."""
        while self.next is not None:
            yield self.next[0], self.next
            self.next = next(self.rows, None)


@dataclass(frozen=True)
class _Rows:
    """What is walked beside the streams: their heads, the index of instruments, the calibrations."""

    heads: _Beside
    tools: _Beside
    stages: _Beside


@dataclass
class _House:
    """What the streams of the house itself come to."""

    people: dict[str, tuple[str, str]] = field(default_factory=dict)
    settings: dict[str, str] = field(default_factory=dict)
    bays: dict[str, str | None] = field(default_factory=dict)
    pins: dict[str, str] = field(default_factory=dict)
    erased: dict[str, int] = field(default_factory=dict)
    drafts: dict[str, tuple[int, str, int, str]] = field(default_factory=dict)
    """Of entries written here, by their streams: revision and hash in use, withdrawn, to be looked at again after."""
    counts: dict[str, int] = field(default_factory=dict)


def _part(kind: str, id: str) -> str:
    return canonical({"kind": kind, "id": id})


def _tool(text: str) -> str:
    """The part of a reading's canonical text that says which instrument it was taken with."""
    start = text.find('"tool":{')
    return text[start : text.find('"typed":', start)]


class Verification:
    """One walk through a garage's database."""

    def __init__(self, engine: Engine, files: FileStore, progress: Progress = lambda _: None) -> None:
        self.engine, self.files, self.progress = engine, files, progress
        self.entries = self.streams = self.sum = 0
        self._open: list[Result[Any]] = []

    def wrongs(self, only: str | None = None) -> Iterator[Wrong]:
        """Everything that is wrong, in the order of the streams; ``only``: of one stream alone."""
        served = self.engine.dialect.name == "postgresql"
        level = {"isolation_level": "REPEATABLE READ"} if served else {}
        with self.engine.connect().execution_options(**level) as connection:
            yield from self.within(connection, only)

    def within(self, connection: Connection, only: str | None = None) -> Iterator[Wrong]:
        """The same within a transaction that is there."""
        house = _House()
        try:
            yield from self._walk(connection, house, only)
            if only is not None:
                if self.streams == 0:
                    raise BadInput("stream", only, said("wants.stream_garage_such_visit_id"))
                return
            yield from self._journal(connection)
            yield from self._pins(connection, house)
            yield from self._rows(connection, house)
        finally:
            for rows in self._open:
                rows.close()
            self._open.clear()

    def _each(self, connection: Connection, query: Any) -> Iterator[Any]:
        """Rows a chunk at a time; whatever is not read to its end is let go of with the walk."""
        rows = connection.execute(query.execution_options(yield_per=_CHUNK))
        self._open.append(rows)
        return iter(rows)

    def _in_order(self, connection: Connection, query: Any, by: Any, only: str | None, *then: Any) -> Iterator[Any]:
        """Rows in the order of a stream's name, a chunk at a time."""
        name = by.collate("C") if self.engine.dialect.name == "postgresql" else by
        query = query.where(by == only) if only is not None else query
        return self._each(connection, query.order_by(name, *then))

    def _walk(self, connection: Connection, house: _House, only: str | None) -> Iterator[Wrong]:
        query = select(entry.c.stream, entry.c.seq, entry.c.id, entry.c.text, entry.c.hash)
        heads = select(
            stream.c.id,
            stream.c.count,
            stream.c.head,
            visit.c.number,
            visit.c.created_at,
            visit.c.customer,
        )
        heads = heads.outerjoin(visit, visit.c.stream == stream.c.id)
        used = select(visit.c.stream, uses.c.instrument).join(visit, visit.c.id == uses.c.visit)
        stages = select(visit.c.stream, calibration.c.id, calibration.c.stage)
        stages = stages.join(visit, visit.c.id == calibration.c.visit)
        beside = _Rows(
            _Beside(self._in_order(connection, heads, stream.c.id, only)),
            _Beside(self._in_order(connection, used, visit.c.stream, only)),
            _Beside(self._in_order(connection, stages, visit.c.stream, only)),
        )
        seen, before, known = _Seen(""), GENESIS, dict[str, set[str]]()
        for name, seq, id, text, stored in self._in_order(connection, query, entry.c.stream, only, entry.c.seq):
            if seen.id != name:
                yield from self._end(connection, seen, beside)
                seen, before = _Seen(name, own=f'"stream":{json.dumps(name, ensure_ascii=False)},"version":'), GENESIS
                self.streams += 1
                sort = name.split("/", 1)[0]
                seen.visit = sort == "visit"
                house.counts[sort] = house.counts.get(sort, 0) + 1
            self.entries += 1
            if not self.entries % STEP:
                self.progress(self.entries)
            if seen.broken:
                continue
            if seq != seen.count + 1:
                seen.broken = True
                yield Wrong(self._named(connection, name), said("store.verification.event_missing"), seen.count + 1)
                continue
            kind = seen.kind(text, seq, id)
            if not kind or chained(before, text) != stored:
                seen.broken = True
                yield Wrong(self._named(connection, name), said("store.verification.event_changed"), seq)
                continue
            if kind not in _PAYLOADS:
                yield Wrong(
                    self._named(connection, name), said("store.verification.version_does_not_know", kind=kind), seq
                )
                continue
            seen.count, seen.head = seq, stored
            self.sum += hash(stored)
            if not seen.visit or seen.tells(kind, text, known):
                yield from self._said(connection, house, seen, kind, text)
            seen.parts[seen.part] = (seq, stored)
            before = stored
        yield from self._end(connection, seen, beside)
        for name, _ in beside.heads.rest():
            yield Wrong(self._named(connection, name), said("store.verification.all_events_missing"), 1)

    def _named(self, connection: Connection, name: str) -> str:
        """A stream by its name, a visit by its number too."""
        number = connection.execute(select(visit.c.number).where(visit.c.stream == name)).scalar()
        return f"{number} ({name})" if number else name

    def _end(self, connection: Connection, seen: "_Seen", beside: "_Rows") -> Iterator[Wrong]:
        """At a stream's end: its noted head, and the rows that follow from it."""
        if not seen.id:
            return
        lost, found = beside.heads.of(seen.id)
        for name in lost:
            yield Wrong(self._named(connection, name), said("store.verification.all_events_missing"), 1)
        index = {row[1] for row in beside.tools.of(seen.id)[1]}
        stages = {row[1]: row[2] for row in beside.stages.of(seen.id)[1]}
        if seen.broken:
            return
        if not found:
            yield Wrong(self._named(connection, seen.id), said("store.verification.note_head_missing"))
            return
        _, count, head, *row = found[0]
        if seen.count < count:
            what = said("store.verification.missing_end_there_should", count=count - seen.count, count2=count)
            yield Wrong(self._named(connection, seen.id), what, seen.count + 1)
        elif (seen.count, seen.head) != (count, head):
            yield Wrong(self._named(connection, seen.id), said("store.verification.head_not_one_noted"), seen.count)
        if seen.visit:
            yield from self._compared(connection, seen, row if row[0] is not None else None)
            if index != seen.tools:
                other = ", ".join(sorted(index ^ seen.tools))
                what = said("store.verification.index_instruments_not_readings_say", other=other)
                yield Wrong(self._named(connection, seen.id), what)
            for id in sorted({*stages, *seen.stages}):
                if (told := seen.stages.get(id)) != stages.get(id):
                    what = said(
                        "store.verification.row_says_calibration_events_say",
                        id=id,
                        row=str(stages.get(id)),
                        events=str(told),
                    )
                    yield Wrong(self._named(connection, seen.id), what)
        elif seen.id.startswith("survey/"):
            own = select(survey.c.bay, survey.c.begun_at, survey.c.sheet).where(survey.c.id == seen.id.split("/", 1)[1])
            yield from self._compared(connection, seen, connection.execute(own).first())

    def _compared(self, connection: Connection, seen: "_Seen", row: Any) -> Iterator[Wrong]:
        """A row against what the events say."""
        facts = seen.facts.items()
        wrong = [said("store.verification.row_missing")] if row is None else []
        for (name, told), found in zip(facts, row or [], strict=row is not None):
            if told != found:
                wrong.append(
                    said("store.verification.row_says_events_say", name=name, row=str(found), events=str(told))
                )
        for what in wrong:
            yield Wrong(self._named(connection, seen.id), what)

    def _said(self, connection: Connection, house: _House, seen: "_Seen", kind: str, text: str) -> Iterator[Wrong]:
        """What follows from an event: for its stream, for the house; and whatever it names is there."""
        event, seq = json.loads(text), seen.count
        data = event["data"]
        match kind:
            case "taken_in":
                seen.facts |= {"number": data["number"], "created_at": event["at"], "customer": data["customer"]}
            case "calibration_added":
                seen.stages[event["of"]["id"]], seen.fresh = "taken_in", True
                seen.uses[event["of"]["id"]] = data["bodies"]
            case "signed":
                if not seen.stood(event["of"]["id"], data["parts"]):
                    yield Wrong(
                        self._named(connection, seen.id), said("store.verification.signed_not_stands_before"), seq
                    )
            case "survey_begun":
                seen.facts |= {"bay": data["bay"], "begun_at": event["at"], "sheet": None}
            case "survey_closed":
                seen.facts["sheet"] = data["sheet"]
            case "person_added":
                house.people[data["id"]] = (data["name"], data["role"])
            case "setting_set":
                house.settings[data["key"]] = data["value"]
            case "bay_added":
                house.bays[data["name"]] = None
            case "bay_drawn":
                house.bays[data["name"]] = data["sheet"]
            case "customer_erased":
                house.erased[data["id"]] = event["at"]
            case "entry_kept":
                house.pins[data["hash"]] = data.get("content") or data["hash"]
            case "entry_released" | "entry_taken":
                house.pins[data["hash"]] = data["hash"]
                again = "" if kind == "entry_taken" else house.drafts[seen.id][3]
                house.drafts[seen.id] = (data["revision"], data["hash"], 0, again)
            case "entry_begun":
                house.drafts[seen.id] = (0, "", 0, "")
            case "entry_check_again":
                house.drafts[seen.id] = (*house.drafts[seen.id][:3], data["after"])
            case "entry_withdrawn":
                revision, digest, _, again = house.drafts[seen.id]
                house.drafts[seen.id] = (revision, digest, 1, again)
        for digest in _digests(kind, data):
            try:
                self.files.check(digest)
            except BadInput as error:
                yield Wrong(self._named(connection, seen.id), refusal(error), seq)

    def _journal(self, connection: Connection) -> Iterator[Wrong]:
        """The journal's own chain; and, where its entries do not add up to those of the streams, which they are."""
        query = select(journal.c.number, journal.c.stream, journal.c.seq, journal.c.entry, journal.c.hash)
        previous, expected, total, whole = GENESIS, 1, 0, True
        for number, name, seq, entered, stored in self._each(connection, query.order_by(journal.c.number)):
            if number != expected or noted(previous, number, name, seq, entered) != stored:
                what = (
                    said("store.verification.line_changed")
                    if number == expected
                    else said("store.verification.line_missing")
                )
                yield Wrong("journal", what, expected)
                whole = False
                break
            total += hash(entered)
            previous, expected = stored, number + 1
        if whole and (total, expected - 1) == (self.sum, self.entries):
            return
        same = and_(entry.c.stream == journal.c.stream, entry.c.seq == journal.c.seq)
        both = (
            (journal, entry, said("store.verification.journal_stream_not")),
            (entry, journal, said("store.verification.journal_lacks")),
        )
        for here, there, what in both:
            lost = select(here.c.stream, func.min(here.c.seq)).outerjoin(there, same).where(there.c.seq.is_(None))
            for name, seq in connection.execute(lost.group_by(here.c.stream)):
                yield Wrong(self._named(connection, name), what, seq)
        other = select(entry.c.stream, entry.c.seq).join(journal, same).where(entry.c.hash != journal.c.entry)
        for name, seq in connection.execute(other):
            yield Wrong(self._named(connection, name), said("store.verification.journal_another_one"), seq)

    def _pins(self, connection: Connection, house: _House) -> Iterator[Wrong]:
        """Pinned content by its hash, and pins that a stream names."""
        left = dict(house.pins)
        for name, kind, id, text in connection.execute(
            select(pinned.c.hash, pinned.c.kind, pinned.c.id, pinned.c.text).execution_options(yield_per=50)
        ):
            digest = left.pop(name, None)
            if digest is None:
                yield Wrong(f"{kind} {id}", said("store.verification.no_stream_says_kept", name=name[:12]))
            elif hashlib.sha256(text.encode()).hexdigest() != digest:
                yield Wrong(f"{kind} {id}", said("store.verification.kept_content_changed", name=name[:12]))
        for name in left:
            yield Wrong("pins", said("store.verification.kept_content_missing", name=name[:12]))

    def _rows(self, connection: Connection, house: _House) -> Iterator[Wrong]:
        """People, settings and bays; and rows that no stream stands behind."""
        people = {id: (name, role) for id, name, role in connection.execute(select(person))}
        for id in sorted({*people, *house.people}):
            if people.get(id) != house.people.get(id):
                yield Wrong("people", _unlike(id, people.get(id), house.people.get(id)))
        settings: dict[str, str] = {row.key: row.value for row in connection.execute(select(setting))}
        for key in sorted({*settings, *house.settings}):
            if settings.get(key) != house.settings.get(key):
                yield Wrong("settings", _unlike(key, settings.get(key), house.settings.get(key)))
        # A folder of an earlier version that was not opened by this one yet has no such table, and no such stream.
        told_here = inspect(connection).has_table(draft.name)
        written = select(draft.c.kind, draft.c.id, draft.c.revision, draft.c.hash, draft.c.withdrawn, draft.c.again)
        known = connection.execute(written) if told_here else ()
        drafts = {f"entry/{kind}/{id}": tuple(row) for kind, id, *row in known}
        for name in sorted({*drafts, *house.drafts}):
            if drafts.get(name) != house.drafts.get(name):
                yield Wrong(name, said("store.verification.row_not_stream_says"))
        bays: dict[str, str | None] = {row.name: row.sheet for row in connection.execute(select(bay))}
        for name in sorted({*bays, *house.bays}):
            if name not in bays or name not in house.bays or bays[name] != house.bays[name]:
                yield Wrong(f"bay/{name}", said("store.verification.row_not_stream_says"))
        lost = select(visit.c.number, visit.c.customer).outerjoin(customer, customer.c.id == visit.c.customer)
        for number, id in connection.execute(lost.where(visit.c.customer != "", customer.c.id.is_(None))):
            yield Wrong(
                f"customer {id}",
                said("store.verification.name_refers_gone_nobody_erased", number=number),
            )
        told = select(customer.c.id, customer.c.name, customer.c.address, customer.c.erased_at)
        for id, name, address, erased_at in connection.execute(told):
            if erased_at != house.erased.get(id) or (erased_at is not None and (name or address)):
                yield Wrong(f"customer {id}", said("store.verification.stands_here_not_stream_says"))
        for rows, kind in ((visit, "visit"), (survey, "survey")):
            count = connection.execute(select(func.count()).select_from(rows)).scalar_one()
            if count > house.counts.get(kind, 0):
                yield Wrong(
                    kind,
                    said("store.verification.rows_but_streams_some_no", count=count, streams=house.counts.get(kind, 0)),
                )


def _digests(kind: str, data: Mapping[str, Any]) -> list[str]:
    """Of the files that an event names, one or several in a field."""
    told = [data.get(name) or [] for name in _PAYLOADS[kind].files]
    return [one for named in told for one in ([named] if isinstance(named, str) else named)]


def _unlike(id: str, row: object, events: object) -> Said:
    """A row that is not what its stream says."""
    return said("store.verification.stream_says", id=id, row=str(row), events=str(events))
