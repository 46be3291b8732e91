"""What is searched and listed of visits: one row each in the order in which they were begun, with the words said of it.

Words are collected as they are said (number, VIN, plate, reason, people, instruments, sheets, codes); the customer's
name lies beside them and goes when it is erased. A full-text index follows the rows by the database's own triggers.
"""

import re
from collections.abc import Callable, Iterable
from typing import Any

from sqlalchemy import Connection, bindparam, func, insert, select, update

from escuadra.core.base.stream import Event
from escuadra.core.house import CustomerErased
from escuadra.core.visit.log.closing import HandedOver, HandoverClosed, Released, SentBack
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.log.events import CalibrationAdded, ReadingTaken, TakenIn
from escuadra.core.visit.log.whole import CalledOff, Corrected, TakenUp
from escuadra.store import dialect
from escuadra.store.tables import customer, summary, visit

# What nearly every event asks is put together once.
_KNOWN = select(summary.c.words).where(summary.c.visit == bindparam("of"))
_TOLD = update(summary).where(summary.c.visit == bindparam("of")).values(words=bindparam("all_words"))


def words_of(text: str) -> list[str]:
    """What can be searched for in a text: its words and numbers, small."""
    return re.findall(r"\w+", text.lower())


def summarise(connection: Connection, event: Event, told: Any) -> None:
    """Bring a visit's row in step with a new event of whichever stream."""
    if event.kind == CustomerErased.code:
        visits = select(visit.c.id).where(visit.c.customer == told.id)
        connection.execute(update(summary).where(summary.c.visit.in_(visits)).values(name=""))
        dialect.search_anew(connection)
        return
    if event.of is None:
        return
    id = event.stream.split("/", 1)[1]
    if event.kind == TakenIn.code:
        _begin(connection, id, told)
    if event.kind == Corrected.code and told.field in ("vin", "bay"):
        connection.execute(update(summary).where(summary.c.visit == id).values({told.field: told.value}))
    said = _SAID.get(event.kind)
    _tell(connection, id, [*(words_of(" ".join(said(told))) if said is not None else ()), *words_of(event.person.name)])
    if event.kind in _ENDING:
        _end(connection, id, event.kind, told, whole=not event.of.id)


def _begin(connection: Connection, id: str, told: TakenIn) -> None:
    newest = connection.execute(select(func.max(summary.c.row))).scalar() or 0
    name = connection.execute(select(customer.c.name).where(customer.c.id == told.customer)).scalar() or ""
    values = {"row": newest + 1, "visit": id, "open": 1, "ended": 0, "released": 0, "handed": "", "words": ""}
    car = {"vin": told.vin, "bay": told.bay, "frame": "", "name": name}
    connection.execute(insert(summary).values(**values, **car))


def _tell(connection: Connection, id: str, words: Iterable[str]) -> None:
    known = connection.execute(_KNOWN, {"of": id}).scalar() or ""
    have = known.split()
    more = [word for word in dict.fromkeys(words) if word not in have]
    if more:
        connection.execute(_TOLD, {"of": id, "all_words": " ".join([*have, *more])})


def _end(connection: Connection, id: str, kind: str, told: Any, whole: bool) -> None:
    """Whether the visit is open still: neither called off nor released, or a drive that was handed over is open."""
    now = summary.c.ended, summary.c.released, summary.c.handed
    ended, released, handed = connection.execute(select(*now).where(summary.c.visit == id)).one()
    links = set(handed.split())
    match kind:
        case CalledOff.code:
            ended = 1
        case TakenUp.code if whole:
            ended = 0
        case Released.code:
            released = 1
        case SentBack.code:
            released = 0
        case HandedOver.code:
            links.add(told.link)
        case HandoverClosed.code:
            links.discard(told.link)
    is_open = int(not ended and (not released or bool(links)))
    values = {"open": is_open, "ended": ended, "released": released, "handed": " ".join(sorted(links))}
    connection.execute(update(summary).where(summary.c.visit == id).values(**values))


def _taken_in(told: TakenIn) -> Iterable[str]:
    return told.number, told.vin, told.plate, told.plate.replace(" ", ""), told.reason, told.bay


def _codes(told: CodesFrozen) -> Iterable[str]:
    return (code.code for unit in told.units for code in unit.codes)


_SAID: dict[str, Callable[[Any], Iterable[str]]] = {
    TakenIn.code: _taken_in,
    Corrected.code: lambda told: (told.value,),
    CalibrationAdded.code: lambda told: (pin.id for pin in told.pins),
    ReadingTaken.code: lambda told: (told.tool.id, told.tool.name),
    CodesFrozen.code: _codes,
}
"""What of an event is searched for, besides who said it."""
_ENDING = frozenset({CalledOff.code, TakenUp.code, Released.code, SentBack.code, HandedOver.code, HandoverClosed.code})
"""After which a visit may be open, or no longer."""
