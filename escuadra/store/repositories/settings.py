"""What is set in the garage."""

from sqlalchemy import Connection, select

from escuadra.store.tables import setting

_EVERY = select(setting.c.key, setting.c.value)


def settings(connection: Connection) -> dict[str, str]:
    """Every setting by its key."""
    return dict(connection.execute(_EVERY).all())
