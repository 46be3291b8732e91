"""Streams within one transaction: read, appended to, each append chained into the journal and projected at once."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from sqlalchemy import Connection, bindparam, insert, select, update

from escuadra.core.base.stream import GENESIS, Event, Payload, Person, chained, made
from escuadra.store.projections import project
from escuadra.store.tables import entry, journal, stream


@dataclass(frozen=True)
class Head:
    """How many events a stream has, and the hash of the last."""

    stream: str
    count: int = 0
    head: str = GENESIS


# What every append asks is put together once.
_KNOWN = select(entry.c.seq).where(entry.c.stream == bindparam("stream_id"), entry.c.id == bindparam("client_id"))
_HEAD = select(stream.c.count, stream.c.head, _KNOWN.scalar_subquery()).where(stream.c.id == bindparam("stream_id"))
_HEAD_LOCKED = _HEAD.with_for_update()
_HEADS = select(stream.c.id, stream.c.count, stream.c.head, _KNOWN.scalar_subquery())
_HEADS = _HEADS.where(stream.c.id.in_(bindparam("names", expanding=True))).order_by(stream.c.id).with_for_update()
_EVENTS = select(entry.c.text).where(entry.c.stream == bindparam("stream_id"), entry.c.seq > bindparam("after"))
_EVENTS = _EVENTS.order_by(entry.c.seq)
_BEGIN = insert(stream)
_ENTER = insert(entry)
_MOVE = update(stream).where(stream.c.id == bindparam("stream_id"))
_MOVE = _MOVE.values(count=bindparam("new_count"), head=bindparam("new_head"))
_LAST = select(journal.c.number, journal.c.hash).order_by(journal.c.number.desc()).limit(1)
_NOTE = insert(journal)


def noted(previous: str, number: int, stream_id: str, seq: int, entry_hash: str) -> str:
    """The hash of a journal's line upon the one before."""
    return chained(previous, f"{number} {stream_id} {seq} {entry_hash}")


class Streams:
    """All streams, in one transaction."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def head(self, stream_id: str, client_id: str = "", lock: bool = False) -> tuple[Head, int | None]:
        """A stream's head (of an empty one, where it is not there), and the seq of a client-made id in it."""
        asked = {"stream_id": stream_id, "client_id": client_id}
        found = self.connection.execute(_HEAD_LOCKED if lock else _HEAD, asked).first()
        return (Head(stream_id, found[0], found[1]), found[2]) if found else (Head(stream_id), None)

    def locked(self, names: Collection[str], own: str, client_id: str) -> tuple[dict[str, Head], bool]:
        """The heads of streams, locked in the order of their ids; whether a client-made id is in one of them, ``own``.

        A stream that is not there yet has an empty one.
        """
        asked = {"names": list(names), "stream_id": own, "client_id": client_id}
        heads = {name: Head(name) for name in names}
        known = False
        for id, count, head, seq in self.connection.execute(_HEADS, asked):
            heads[id], known = Head(id, count, head), known or seq is not None
        return heads, known

    def events(self, stream_id: str, after: int = 0) -> list[Event]:
        """Events in their order."""
        return list(self.each(stream_id, after))

    def each(self, stream_id: str, after: int = 0) -> Iterator[Event]:
        """Events in their order, one by one."""
        for (text,) in self.connection.execute(_EVENTS, {"stream_id": stream_id, "after": after}):
            yield Event.model_validate_json(text)

    def enter(self, stream_id: str, client_id: str, at: int, who: Person, said: Payload) -> bool:
        """A further event of a stream; one with this client-made id is not written twice: then false."""
        head, known = self.head(stream_id, client_id, lock=True)
        if known is None:
            self.append(head, made(stream_id, head.count + 1, client_id, at, who, said), said)
        return known is None

    def append(self, head: Head, new: Event, said: Payload | None = None) -> Head:
        """Append an event upon the locked, present head; journal and projections follow in the same transaction.

        ``said``: its payload, where that is at hand.
        """
        text = new.text()
        after = Head(head.stream, new.seq, chained(head.head, text))
        if head.count == 0:
            self.connection.execute(_BEGIN, {"id": head.stream, "count": new.seq, "head": after.head})
        else:
            moved = {"stream_id": head.stream, "new_count": new.seq, "new_head": after.head}
            self.connection.execute(_MOVE, moved)
        row = {"stream": head.stream, "seq": new.seq, "id": new.id, "text": text, "hash": after.head}
        self.connection.execute(_ENTER, row)
        last = self.connection.execute(_LAST).first()
        number, previous = (last[0] + 1, last[1]) if last else (1, GENESIS)
        line = noted(previous, number, head.stream, new.seq, after.head)
        note = {"number": number, "stream": head.stream, "seq": new.seq, "entry": after.head, "hash": line}
        self.connection.execute(_NOTE, note)
        project(self.connection, new, said)
        return after
