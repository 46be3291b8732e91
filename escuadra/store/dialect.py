"""Whatever only one database knows: pragmas, how a transaction begins, and the triggers that keep the log as it is."""

from typing import Any

from sqlalchemy import Engine
from sqlalchemy import event as sa_event
from sqlalchemy.engine.interfaces import DBAPIConnection

PRAGMAS = (
    "PRAGMA journal_mode=WAL",
    "PRAGMA synchronous=FULL",
    "PRAGMA foreign_keys=ON",
    "PRAGMA busy_timeout=10000",
)

KEEP_EVENTS = {
    "sqlite": [
        f"""CREATE TRIGGER event_no_{verb.lower()} BEFORE {verb} ON event
        BEGIN SELECT RAISE(ABORT, 'the event log is append-only'); END"""
        for verb in ("UPDATE", "DELETE")
    ],
    "postgresql": [
        """CREATE FUNCTION event_kept() RETURNS trigger AS
        $$ BEGIN RAISE EXCEPTION 'the event log is append-only'; END $$ LANGUAGE plpgsql""",
        "CREATE TRIGGER event_kept BEFORE UPDATE OR DELETE ON event FOR EACH ROW EXECUTE FUNCTION event_kept()",
    ],
}


def prepare(engine: Engine) -> None:
    """Set an engine up so that every acknowledged write is on the disk and writers queue."""
    if engine.dialect.name != "sqlite":
        return

    @sa_event.listens_for(engine, "connect")
    def connected(connection: DBAPIConnection, _record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        for pragma in PRAGMAS:
            cursor.execute(pragma)
        cursor.close()

    @sa_event.listens_for(engine, "begin")
    def begin(connection: Any) -> None:
        mode = "IMMEDIATE" if connection.get_execution_options().get("writing") else "DEFERRED"
        connection.exec_driver_sql(f"BEGIN {mode}")


def back_up(engine: Engine, path: str) -> None:
    """A consistent copy of the whole database beside it, before a migration."""
    if engine.dialect.name == "sqlite":
        with engine.connect() as connection:
            raw = connection.connection.driver_connection
            assert raw is not None
            raw.execute("VACUUM INTO ?", (path,))
