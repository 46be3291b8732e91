"""Who works in the garage."""

from sqlalchemy import Connection, select

from escuadra.store.tables import person

_EVERY = select(person.c.id, person.c.name, person.c.role).order_by(person.c.name)


def people(connection: Connection) -> list[dict[str, str]]:
    """Id, name and role of everybody, by name."""
    return [dict(row._mapping) for row in connection.execute(_EVERY)]
