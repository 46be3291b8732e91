"""What is searched and listed of visits: one row each in the order in which they were begun, with the words said of it.

Words are collected as they are said (number, VIN, plate, reason, people, instruments, sheets, codes); the customer's
name lies beside them and goes when it is erased. A full-text index follows the rows by the database's own triggers.
"""

import re
from collections.abc import Callable, Iterable
from typing import Any

from sqlalchemy import Connection, func, insert, select, update

from escuadra.core.base.stream import Event
from escuadra.core.house import CustomerErased
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.log.events import CalibrationAdded, ReadingTaken, TakenIn
from escuadra.core.visit.log.whole import Corrected
from escuadra.store import dialect
from escuadra.store.tables import calibration, customer, summary, visit


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
    said = _SAID.get(event.kind)
    _tell(connection, id, [*(words_of(" ".join(said(told))) if said is not None else ()), *words_of(event.person.name)])
    if event.kind in _ENDING:
        _end(connection, id, event.kind, event.of.id)


def _begin(connection: Connection, id: str, told: TakenIn) -> None:
    newest = connection.execute(select(func.max(summary.c.row))).scalar() or 0
    name = connection.execute(select(customer.c.name).where(customer.c.id == told.customer)).scalar() or ""
    values = {"row": newest + 1, "visit": id, "open": 1, "ended": 0, "left_out": "", "words": "", "name": name}
    connection.execute(insert(summary).values(**values))


def _tell(connection: Connection, id: str, words: Iterable[str]) -> None:
    known = connection.execute(select(summary.c.words).where(summary.c.visit == id)).scalar() or ""
    have = known.split()
    more = [word for word in dict.fromkeys(words) if word not in have]
    if more:
        connection.execute(update(summary).where(summary.c.visit == id).values(words=" ".join([*have, *more])))


def _end(connection: Connection, id: str, kind: str, calibration_id: str) -> None:
    """Whether the visit is open still: it was not called off, and something is neither signed nor left out."""
    ended, left_out = connection.execute(select(summary.c.ended, summary.c.left_out).where(summary.c.visit == id)).one()
    left = set(left_out.split())
    if kind == "called_off":
        ended = 1
    elif kind == "left_out":
        left.add(calibration_id)
    elif kind == "taken_up":
        ended, left = (ended, left - {calibration_id}) if calibration_id else (0, left)
    stages = connection.execute(select(calibration.c.id, calibration.c.stage).where(calibration.c.visit == id)).all()
    waiting = [own for own, stage in stages if stage != "signed" and own not in left]
    now = int(not ended and (bool(waiting) or not stages))
    values = {"open": now, "ended": ended, "left_out": " ".join(sorted(left))}
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
_ENDING = frozenset({"calibration_added", "signed", "reopened", "left_out", "taken_up", "called_off"})
"""After which a visit may be open, or no longer."""
