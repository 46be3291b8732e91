"""The bays of the garage."""

from sqlalchemy import Connection, select

from escuadra.store.tables import bay

_EVERY = select(bay.c.name, bay.c.sheet).order_by(bay.c.name)


def bays(connection: Connection) -> dict[str, str | None]:
    """The hash of each bay's present sheet, by its name; none while nobody has drawn it."""
    return dict(connection.execute(_EVERY).all())
