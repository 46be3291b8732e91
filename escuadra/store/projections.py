"""Rows that follow from streams: lists, numbers, people. Written with the event; ``reindex`` makes them anew."""

import json
from collections.abc import Callable
from typing import Any

from sqlalchemy import Connection, bindparam, delete, insert, select, update
from sqlalchemy.exc import IntegrityError

from escuadra.core.authoring.life import CheckAgain, EntryBegun, EntryReleased, EntryTaken, EntryTyped, EntryWithdrawn
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Said, said
from escuadra.core.base.stream import PAYLOADS, Event, Payload
from escuadra.core.bay.survey_log import Begun, Closed
from escuadra.core.house import BayAdded, BayDrawn, CustomerErased, PersonAdded, SettingSet
from escuadra.core.procedure.entries import head_of
from escuadra.core.visit.log.events import BodyBrought, CalibrationAdded, ReadingTaken, TakenIn, Withdrawn
from escuadra.core.visit.log.places import result_place
from escuadra.core.visit.log.whole import BodyCorrected
from escuadra.store import dialect
from escuadra.store.summaries import summarise
from escuadra.store.tables import (
    PROJECTED,
    bay,
    calibration,
    customer,
    draft,
    entry,
    journal,
    person,
    pinned,
    residual,
    setting,
    summary,
    survey,
    uses,
    visit,
)

# What nearly every event asks is put together once.
_ALL_REACH = update(calibration).where(calibration.c.visit == bindparam("of")).values(stage=bindparam("reached"))
_OWN_REACHES = _ALL_REACH.where(calibration.c.id == bindparam("part"))
_ONLY_TAKEN_IN = calibration.c.stage == "taken_in"
_REACHES = {
    (own, first): statement.where(_ONLY_TAKEN_IN) if first else statement
    for own, statement in ((False, _ALL_REACH), (True, _OWN_REACHES))
    for first in (False, True)
}
"""By whether it is of one calibration alone, and of those only that were but taken in."""


def project(connection: Connection, event: Event, said: Payload | None = None) -> None:
    """Bring the rows in step with a new event; raises ``BadInput`` for what must be there once only."""
    write = _ROWS.get(event.kind)
    if write is not None:
        write(connection, event, said or event.payload)
    if event.of is not None:
        _stage(connection, event)
    if event.of is not None or event.kind == CustomerErased.code:
        summarise(connection, event, said or event.payload)


def reindex(connection: Connection) -> int:
    """Make all rows anew from the streams, in constant memory; how many events there were."""
    named = select(customer.c.id, customer.c.visit).where(customer.c.visit.is_not(None))
    acknowledged = connection.execute(named).all()
    # Who acknowledged a handover refers to a row that is made anew: they let go of it meanwhile.
    connection.execute(update(customer).values(visit=None))
    for rows in PROJECTED:
        connection.execute(delete(rows))
    every = select(entry.c.text).join(journal, (journal.c.stream == entry.c.stream) & (journal.c.seq == entry.c.seq))
    count = 0
    for (text,) in connection.execute(every.order_by(journal.c.number).execution_options(yield_per=500)):
        project(connection, Event.model_validate_json(text))
        count += 1
    for id, of in acknowledged:
        connection.execute(update(customer).where(customer.c.id == id).values(visit=of))
    return count


def _of(event: Event) -> str:
    """The id behind a stream's kind."""
    return event.stream.split("/", 1)[1]


def _stage(connection: Connection, event: Event) -> None:
    """How far calibrations have come: the event's own, or all that were only taken in."""
    stage, part = PAYLOADS[event.kind].stage, event.of
    assert part is not None
    if stage == "":
        return
    own = part.kind == "calibration"
    named = {"of": _of(event), "reached": stage, **({"part": part.id} if own else {})}
    connection.execute(_REACHES[own, stage == "in_work"], named)


def _taken_in(connection: Connection, event: Event, told: TakenIn) -> None:
    row = {"id": _of(event), "stream": event.stream, "number": told.number, "created_at": event.at}
    row["customer"] = told.customer
    _once(
        connection, insert(visit).values(**row), "number", told.number, said("store.projections.job_number_not_use_yet")
    )


def _added(connection: Connection, event: Event, told: CalibrationAdded) -> None:
    assert event.of is not None
    sheet = next((pin.id for pin in told.pins if pin.kind == "procedure"), "")
    connection.execute(insert(calibration).values(visit=_of(event), id=event.of.id, stage="taken_in", sheet=sheet))


def _once(connection: Connection, statement: Any, field: str, given: str, accepted: Said) -> None:
    try:
        with connection.begin_nested():
            connection.execute(statement)
    except IntegrityError as error:
        raise BadInput(field, given, accepted) from error


def _read(connection: Connection, event: Event, said: ReadingTaken) -> None:
    for tool in said.tool.relied:
        row = {"instrument": tool.id, "visit": _of(event)}
        connection.execute(dialect.once(connection.dialect.name, uses), row)
    place = result_place(said.slot)
    if place is not None and event.of is not None:
        shown = {"visit": _of(event), "seq": event.seq, "calibration": event.of.id, "at": event.at}
        figure = {"figure": place.id, "value": said.value, "person": event.person.name}
        if said.replaces:
            same = (residual.c.visit == shown["visit"], residual.c.calibration == shown["calibration"])
            older = (residual.c.figure == figure["figure"], residual.c.seq > said.replaces_after)
            connection.execute(delete(residual).where(*same, *older))
        connection.execute(insert(residual).values(**shown, **figure))


def _withdrawn(connection: Connection, event: Event, told: Withdrawn) -> None:
    connection.execute(delete(residual).where(residual.c.visit == _of(event), residual.c.seq == told.entry))


def _brought(connection: Connection, event: Event, told: BodyBrought | BodyCorrected) -> None:
    frame = next((pin.id for pin in told.pins if pin.kind == "frame"), "")
    if frame:
        connection.execute(update(summary).where(summary.c.visit == _of(event)).values(frame=frame))


def _person(connection: Connection, _event: Event, said: PersonAdded) -> None:
    connection.execute(insert(person).values(id=said.id, name=said.name, role=said.role))


def _setting(connection: Connection, _event: Event, said: SettingSet) -> None:
    connection.execute(delete(setting).where(setting.c.key == said.key))
    connection.execute(insert(setting).values(key=said.key, value=said.value))


def _bay(connection: Connection, _event: Event, said: BayAdded) -> None:
    connection.execute(insert(bay).values(name=said.name))


def _erased(connection: Connection, event: Event, said: CustomerErased) -> None:
    gone = {"name": None, "address": None, "erased_at": event.at}
    connection.execute(update(customer).where(customer.c.id == said.id).values(**gone))


def _drawn(connection: Connection, _event: Event, said: BayDrawn) -> None:
    connection.execute(update(bay).where(bay.c.name == said.name).values(sheet=said.sheet))


def _begun(connection: Connection, event: Event, said: Begun) -> None:
    connection.execute(insert(survey).values(id=_of(event), bay=said.bay, begun_at=event.at))


def _closed(connection: Connection, event: Event, said: Closed) -> None:
    connection.execute(update(survey).where(survey.c.id == _of(event)).values(sheet=said.sheet))


def _entry_begun(connection: Connection, event: Event, begun: EntryBegun) -> None:
    row = {
        "kind": begun.kind,
        "id": begun.id,
        "title": _title(begun.fields),
        "vehicle": "",
        "note": "",
        "words": "",
        "again": "",
        "person": event.person.name,
        "at": event.at,
    }
    row |= {"revision": 0, "hash": "", "withdrawn": 0, "changed": 1}
    _once(connection, insert(draft).values(**row), "id", begun.id, said("wants.entry_not_begun_yet"))


def _entry_typed(connection: Connection, event: Event, typed: EntryTyped) -> None:
    told = {"person": event.person.name, "at": event.at, "changed": 1}
    title = _title(typed.fields)
    connection.execute(_own(event).values(**told, **({"title": title} if title else {})))


def _entry_parts(connection: Connection, event: Event, _said: Payload) -> None:
    connection.execute(_own(event).values(person=event.person.name, at=event.at, changed=1))


def _entry_released(connection: Connection, event: Event, released: EntryReleased) -> None:
    told = {"revision": released.revision, "hash": released.hash, "withdrawn": 0, "changed": 0}
    told |= _head(connection, released.hash)
    connection.execute(_own(event).values(**told))


def _entry_taken(connection: Connection, event: Event, taken: EntryTaken) -> None:
    row: dict[str, Any] = {
        "kind": taken.kind,
        "id": taken.id,
        "title": _title(taken.fields),
        "person": event.person.name,
    }
    row |= {"at": event.at, "revision": taken.revision, "hash": taken.hash, "withdrawn": 0, "changed": 0}
    row |= {"again": "", **_head(connection, taken.hash)}
    connection.execute(delete(draft).where(draft.c.kind == taken.kind, draft.c.id == taken.id))
    connection.execute(insert(draft).values(**row))


def _entry_again(connection: Connection, event: Event, again: CheckAgain) -> None:
    connection.execute(_own(event).values(again=again.after))


def _entry_withdrawn(connection: Connection, event: Event, _said: EntryWithdrawn) -> None:
    connection.execute(_own(event).values(withdrawn=1))


def _head(connection: Connection, digest: str) -> dict[str, Any]:
    """What a list tells of kept content."""
    text = connection.execute(select(pinned.c.text).where(pinned.c.hash == digest)).scalar()
    head = head_of(json.loads(text or "{}"))
    return {"title": _one(head.title), "note": _one(head.note), "vehicle": head.vehicle, "words": head.words}


def _one(text: str | dict[str, str]) -> str:
    """A text in one language: English, or what it has."""
    return text if isinstance(text, str) else text.get("en") or next(iter(text.values()), "")


def _own(event: Event) -> Any:
    kind, id = _of(event).split("/", 1)
    return update(draft).where(draft.c.kind == kind, draft.c.id == id)


def _title(fields: dict[str, str]) -> str:
    return fields.get("title") or fields.get("name") or ""


_ROWS: dict[str, Callable[[Connection, Event, Any], None]] = {
    "taken_in": _taken_in,
    "calibration_added": _added,
    "reading": _read,
    "withdrawn": _withdrawn,
    "body_brought": _brought,
    "body_corrected": _brought,
    "person_added": _person,
    "setting_set": _setting,
    "bay_added": _bay,
    "customer_erased": _erased,
    "bay_drawn": _drawn,
    "survey_begun": _begun,
    "survey_closed": _closed,
    "entry_begun": _entry_begun,
    "entry_typed": _entry_typed,
    "entry_parts": _entry_parts,
    "entry_released": _entry_released,
    "entry_withdrawn": _entry_withdrawn,
    "entry_taken": _entry_taken,
    "entry_check_again": _entry_again,
}
