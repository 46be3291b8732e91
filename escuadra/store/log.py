"""The visits' streams: their rows, and appending to one."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Engine, bindparam, select

from escuadra.core.errors import BadInput
from escuadra.core.house import visit_stream
from escuadra.core.stream import GENESIS, Event, Payload
from escuadra.store.streams import Head, Streams
from escuadra.store.tables import entry, stream, uses, visit
from escuadra.store.writers import Writers


@dataclass(frozen=True)
class Row:
    """A visit's row: how many events its stream has, and the hash of the last."""

    id: str
    number: str
    created_at: int
    stage: str
    count: int
    head: str


_ROW = select(visit.c.id, visit.c.number, visit.c.created_at, visit.c.stage, stream.c.count, stream.c.head).join(
    stream, stream.c.id == visit.c.stream
)
# What every entry asks is put together once.
_ONE = _ROW.where(visit.c.id == bindparam("visit_id"))
_THERE = select(entry.c.seq).where(entry.c.stream == visit.c.stream, entry.c.id == bindparam("client_id"))
_ONE_LOCKED = _ONE.add_columns(_THERE.scalar_subquery()).with_for_update(of=(visit, stream))


class Log:
    """The visits within one transaction."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self.streams = Streams(connection)

    def row(self, visit_id: str) -> Row:
        """A visit's row; raises ``BadInput`` for an unknown visit."""
        return self._row(_ONE, {"visit_id": visit_id})[0]

    def locked(self, visit_id: str, client_id: str = "") -> tuple[Row, bool]:
        """A visit's row, locked for this transaction; and whether this client-made id is in its stream."""
        row, seq = self._row(_ONE_LOCKED, {"visit_id": visit_id, "client_id": client_id})
        return row, seq is not None

    def _row(self, query: Any, asked: dict[str, str]) -> tuple[Row, int | None]:
        found = self.connection.execute(query, asked).first()
        if found is None:
            raise BadInput("job", asked["visit_id"], "a job of this garage")
        return Row(*found[:6]), found[6] if len(found) > 6 else None

    def rows(self, limit: int = 1000, offset: int = 0) -> list[Row]:
        """Visits, the newest first."""
        query = _ROW.order_by(visit.c.created_at.desc(), visit.c.id).limit(limit).offset(offset)
        return [Row(*found) for found in self.connection.execute(query)]

    def using(self, instrument: str, signed: bool) -> list[Row]:
        """Visits that have a reading with an instrument, signed ones or those that are not; the newest first."""
        query = _ROW.join(uses, uses.c.visit == visit.c.id).where(uses.c.instrument == instrument)
        query = query.where((visit.c.stage == "signed") if signed else (visit.c.stage != "signed"))
        return [Row(*found) for found in self.connection.execute(query.order_by(visit.c.created_at.desc(), visit.c.id))]

    def events(self, visit_id: str, after: int = 0) -> list[Event]:
        """Events in their order."""
        return self.streams.events(visit_stream(visit_id), after)

    def begin(self, visit_id: str, first: Event, said: Payload) -> None:
        """A visit's first event; raises ``BadInput`` for a number that is in use."""
        self.streams.append(Head(visit_stream(visit_id), 0, GENESIS), first, said)

    def append(self, row: Row, new: Event, stage: str, said: Payload | None = None) -> Row:
        """Append an event; the row must be the locked, present one."""
        after = self.streams.append(Head(visit_stream(row.id), row.count, row.head), new, said)
        return Row(row.id, row.number, row.created_at, stage, after.count, after.head)


@contextmanager
def reading_log(engine: Engine) -> Iterator[Log]:
    """The visits for reading."""
    with engine.connect() as connection:
        yield Log(connection)


@contextmanager
def writing_log(writers: Writers) -> Iterator[Log]:
    """The visits for writing: the writer's lock is taken at once, and what is left without error is on the disk."""
    with writers.writing() as connection:
        yield Log(connection)
