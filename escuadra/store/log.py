"""The event log: appended in one short transaction, hashed as a chain, walked by ``verify``."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from sqlalchemy import Connection, Engine, bindparam, func, insert, select, update

from escuadra.core.errors import BadInput
from escuadra.core.job.events import GENESIS, Event, chained
from escuadra.store.tables import event, job
from escuadra.store.writers import Writers


@dataclass(frozen=True)
class Row:
    """A job's row: how many events its log has, and the hash of the last."""

    id: str
    number: str
    created_at: int
    stage: str
    count: int
    head: str


@dataclass(frozen=True)
class Broken:
    """The first thing that ``verify`` finds wrong with a job's log."""

    job: str
    number: str
    seq: int
    what: str


_ROW = select(job.c.id, job.c.number, job.c.created_at, job.c.stage, job.c.event_count, job.c.head)
# What every entry asks is put together once.
_ONE = _ROW.where(job.c.id == bindparam("job_id"))
_ONE_LOCKED = _ONE.with_for_update()
_KNOWN = select(func.count()).where(event.c.job == bindparam("job_id"), event.c.id == bindparam("event_id"))
_APPEND = insert(event)
_MOVE = update(job).where(job.c.id == bindparam("job_id"))
_MOVE = _MOVE.values(event_count=bindparam("count"), head=bindparam("new_head"), stage=bindparam("new_stage"))


class Log:
    """The log within one transaction."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def row(self, job_id: str, lock: bool = False) -> Row:
        """A job's row; raises ``BadInput`` for an unknown job."""
        found = self.connection.execute(_ONE_LOCKED if lock else _ONE, {"job_id": job_id}).first()
        if found is None:
            raise BadInput("job", job_id, "a job of this garage")
        return Row(*found)

    def rows(self, limit: int = 1000, offset: int = 0) -> list[Row]:
        """Jobs, the newest first."""
        query = _ROW.order_by(job.c.created_at.desc(), job.c.id).limit(limit).offset(offset)
        return [Row(*found) for found in self.connection.execute(query)]

    def create(self, job_id: str, number: str, at: int) -> None:
        """A job's row, its log still empty."""
        self.connection.execute(
            insert(job).values(id=job_id, number=number, created_at=at, stage="taken_in", event_count=0, head=GENESIS)
        )

    def events(self, job_id: str, after: int = 0) -> list[Event]:
        """Events in their order."""
        query = select(event.c.text).where(event.c.job == job_id, event.c.seq > after).order_by(event.c.seq)
        return [Event.model_validate_json(text) for (text,) in self.connection.execute(query)]

    def known(self, job_id: str, event_id: str) -> bool:
        """An event with this client-made id is in the log."""
        return bool(self.connection.execute(_KNOWN, {"job_id": job_id, "event_id": event_id}).scalar_one())

    def append(self, row: Row, new: Event, stage: str) -> Row:
        """Append an event and move the head; the row must be the locked, present one."""
        text = new.text()
        head = chained(row.head, text)
        self.connection.execute(_APPEND, {"job": row.id, "seq": new.seq, "id": new.id, "text": text, "hash": head})
        moved = {"job_id": row.id, "count": new.seq, "new_head": head, "new_stage": stage}
        self.connection.execute(_MOVE, moved)
        return Row(row.id, row.number, row.created_at, stage, new.seq, head)

    def verify(self) -> Iterator[Broken]:
        """The first event of each log that was changed, and events missing at the end."""
        for row in self.rows(limit=1_000_000):
            found = self._verify_one(row)
            if found is not None:
                yield found

    def _verify_one(self, row: Row) -> Broken | None:
        head, expected = GENESIS, 1
        query = select(event.c.seq, event.c.text, event.c.hash).where(event.c.job == row.id).order_by(event.c.seq)
        for seq, text, stored in self.connection.execute(query):
            if seq != expected:
                return Broken(row.id, row.number, expected, "this event is missing")
            if chained(head, text) != stored:
                return Broken(row.id, row.number, seq, "this event was changed")
            head, expected = stored, seq + 1
        if expected - 1 < row.count:
            missing = row.count - expected + 1
            return Broken(
                row.id, row.number, expected, f"{missing} missing at the end: the log should have {row.count}"
            )
        if expected - 1 != row.count or head != row.head:
            return Broken(row.id, row.number, expected - 1, "the head is not the one that was noted")
        return None


@contextmanager
def reading_log(engine: Engine) -> Iterator[Log]:
    """The log for reading."""
    with engine.connect() as connection:
        yield Log(connection)


@contextmanager
def writing_log(writers: Writers) -> Iterator[Log]:
    """The log for writing: the writer's lock is taken at once, and what is left without error is on the disk."""
    with writers.writing() as connection:
        yield Log(connection)
