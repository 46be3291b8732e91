"""What happened to the instruments: their streams."""

from sqlalchemy import Connection, select

from escuadra.core.base.stream import Event
from escuadra.core.house import instrument_stream
from escuadra.store.tables import entry

_START = instrument_stream("")
_EVERY = select(entry.c.text).where(entry.c.stream >= _START, entry.c.stream < _START[:-1] + "0")
_EVERY = _EVERY.order_by(entry.c.stream, entry.c.seq)


def instruments(connection: Connection) -> dict[str, list[Event]]:
    """The events of every instrument's stream, by its id."""
    found: dict[str, list[Event]] = {}
    for (line,) in connection.execute(_EVERY):
        event = Event.model_validate_json(line)
        found.setdefault(event.stream.removeprefix(_START), []).append(event)
    return found
