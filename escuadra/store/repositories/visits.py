"""The visits: their rows, and what is asked of their streams."""

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass

from sqlalchemy import Connection, Engine, Select, bindparam, delete, insert, select

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.base.stream import Event
from escuadra.core.house import visit_stream
from escuadra.store import dialect
from escuadra.store.repositories.pins import Pins
from escuadra.store.streams import Streams
from escuadra.store.tables import calibration, entry, listed, residual, stream, summary, uses, visit
from escuadra.store.writers import Writers


@dataclass(frozen=True)
class Row:
    """A visit's row: how many events its stream has, and the hash of the last."""

    id: str
    number: str
    created_at: int
    count: int
    head: str


@dataclass(frozen=True)
class Shown:
    """A figure of a routine's result, by any of its ids, of so much or more either way."""

    figures: tuple[str, ...]
    least: float


@dataclass(frozen=True)
class Residual:
    """What a routine showed before it took that as zero, on a calibration that is signed."""

    visit: str
    number: str
    vin: str
    bay: str
    frame: str
    person: str
    at: int
    value: float


def _showed(shown: Shown) -> Select[str]:
    value, least = residual.c.value, abs(shown.least)
    query = select(residual.c.visit).where(residual.c.figure.in_(shown.figures))
    return query.where((value >= least) | (value <= -least))


_ROW = select(visit.c.id, visit.c.number, visit.c.created_at, stream.c.count, stream.c.head).join(
    stream, stream.c.id == visit.c.stream
)
# What every entry asks is put together once.
_ONE = _ROW.where(visit.c.id == bindparam("visit_id"))


class Log:
    """The visits within one transaction."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self.streams = Streams(connection)
        self.pins = Pins(connection)

    def row(self, visit_id: str) -> Row:
        """A visit's row; raises ``BadInput`` for an unknown visit."""
        found = self.connection.execute(_ONE, {"visit_id": visit_id}).first()
        if found is None:
            raise BadInput("job", visit_id, said("wants.job_garage"))
        return Row(*found)

    def rows(self, limit: int = 1000, offset: int = 0, shown: Shown | None = None) -> list[Row]:
        """Visits, the newest first; ``shown``: only those of which a routine showed that."""
        query = _ROW.order_by(visit.c.created_at.desc(), visit.c.id).limit(limit).offset(offset)
        if shown is not None:
            query = query.where(visit.c.id.in_(_showed(shown)))
        return [Row(*found) for found in self.connection.execute(query)]

    def found(self, words: list[str], limit: int, offset: int = 0, shown: Shown | None = None) -> list[Row]:
        """Visits of which all these words were said, the newest first; where none was, what begins with them.

        ``shown``: only those of which a routine showed that.
        """
        if not words:
            return self.rows(limit, offset, shown)
        among = {id for (id,) in self.connection.execute(_showed(shown))} if shown is not None else None
        rows = dialect.found(self.connection, words, limit, offset, False, among)
        if not rows and not dialect.found(self.connection, words, 1, 0, False, among):
            rows = dialect.found(self.connection, words, limit, offset, True, among)
        return [Row(*row) for row in rows]

    def open_or_since(self, at: int, limit: int) -> list[Row]:
        """Visits that are open, or that were begun since a time (UTC milliseconds); the newest first."""
        is_open = select(summary.c.visit).where(summary.c.open == 1).order_by(summary.c.row.desc()).limit(limit)
        since = select(visit.c.id).where(visit.c.created_at >= at).order_by(visit.c.created_at.desc()).limit(limit)
        ids = [id for query in (is_open, since) for (id,) in self.connection.execute(query)]
        return sorted(self.by_id(dict.fromkeys(ids)), key=lambda row: (-row.created_at, row.id))[:limit]

    def by_id(self, ids: Iterable[str]) -> list[Row]:
        """Visits by their ids, in that order; unknown ones are passed over."""
        order = {id: k for k, id in enumerate(ids)}
        rows = [Row(*found) for found in self.connection.execute(_ROW.where(visit.c.id.in_(list(order))))]
        return sorted(rows, key=lambda row: order[row.id])

    def told(self, rows: Sequence[Row], by: str) -> dict[str, str]:
        """What was kept for lists of visits that are since as they were, by their ids; ``by``: the version at work."""
        query = select(listed.c.visit, listed.c.head, listed.c.text).where(listed.c.made_by == by)
        found = self.connection.execute(query.where(listed.c.visit.in_([row.id for row in rows])))
        heads = {row.id: row.head for row in rows}
        return {id: text for id, head, text in found if heads[id] == head}

    def tell(self, row: Row, by: str, text: str) -> None:
        """Keep what lists tell of a visit, in place of what was kept before."""
        self.connection.execute(delete(listed).where(listed.c.visit == row.id))
        self.connection.execute(insert(listed).values(visit=row.id, head=row.head, made_by=by, text=text))

    def using(self, instrument: str, signed: bool) -> list[Row]:
        """Visits that have a reading with an instrument and a calibration that is signed, or one that is not.

        The newest first.
        """
        own = select(calibration.c.visit).where(calibration.c.visit == visit.c.id)
        own = own.where((calibration.c.stage == "signed") if signed else (calibration.c.stage != "signed"))
        query = _ROW.join(uses, uses.c.visit == visit.c.id).where(uses.c.instrument == instrument, own.exists())
        return [Row(*found) for found in self.connection.execute(query.order_by(visit.c.created_at.desc(), visit.c.id))]

    def hashes(self, visit_id: str, head: str, seqs: Iterable[int]) -> tuple[int | None, dict[int, str]]:
        """The seq of the event with the hash ``head``, none where there is none; and the hashes of the events asked."""
        own = select(entry.c.seq, entry.c.hash).where(entry.c.stream == visit_stream(visit_id))
        seen = self.connection.execute(own.where(entry.c.hash == head)).first()
        found = self.connection.execute(own.where(entry.c.seq.in_(list(seqs))))
        return (seen[0] if seen else None), dict(found.all())

    def signed_last(self, sheet: str, frame: str, but: str) -> tuple[Row, str] | None:
        """The newest other visit with a signed calibration by a sheet and with a frame, and that calibration's id."""
        query = (
            select(summary.c.visit, calibration.c.id)
            .join(calibration, calibration.c.visit == summary.c.visit)
            .where(calibration.c.sheet == sheet, calibration.c.stage == "signed")
            .where(summary.c.frame == frame, summary.c.visit != but)
            .order_by(summary.c.row.desc())
            .limit(1)
        )
        found = self.connection.execute(query).first()
        return (self.row(found[0]), found[1]) if found is not None else None

    def residuals(self, sheet: str, figure: str, limit: int = 1000) -> list[Residual]:
        """What routines showed on signed calibrations by a sheet before they took it as zero, the newest first."""
        query = (
            select(
                residual.c.visit,
                visit.c.number,
                summary.c.vin,
                summary.c.bay,
                summary.c.frame,
                residual.c.person,
                residual.c.at,
                residual.c.value,
            )
            .join(visit, visit.c.id == residual.c.visit)
            .join(summary, summary.c.visit == residual.c.visit)
            .join(
                calibration,
                (calibration.c.visit == residual.c.visit) & (calibration.c.id == residual.c.calibration),
            )
            .where(calibration.c.sheet == sheet, calibration.c.stage == "signed", residual.c.figure == figure)
            .order_by(residual.c.at.desc(), residual.c.seq.desc())
            .limit(limit)
        )
        newest: dict[str, Residual] = {}
        for row in self.connection.execute(query):
            newest.setdefault(row[0], Residual(*row))
        return list(newest.values())

    def events(self, visit_id: str, after: int = 0) -> list[Event]:
        """Events in their order."""
        return self.streams.events(visit_stream(visit_id), after)


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
