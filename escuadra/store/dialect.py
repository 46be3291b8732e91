"""Whatever only one database knows: pragmas, how a transaction begins, and the triggers that keep the log as it is."""

import os
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import BigInteger, Column, Constraint, Engine, Integer, MetaData, Table, make_url
from sqlalchemy import event as sa_event
from sqlalchemy.engine.interfaces import DBAPIConnection

PRAGMAS = (
    "PRAGMA journal_mode=WAL",
    "PRAGMA synchronous=FULL",
    "PRAGMA foreign_keys=ON",
    "PRAGMA busy_timeout=5000",
)
READ_ONLY = ("PRAGMA query_only=ON", "PRAGMA busy_timeout=5000")

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


FILE_NAME = "escuadra.sqlite"
STRICT: dict[str, Any] = {"sqlite_strict": True}


def address(data: Path) -> str:
    """Where a data folder's database is: ``ESCUADRA_DATABASE_URL``, or the folder's own file."""
    return os.environ.get("ESCUADRA_DATABASE_URL") or f"sqlite:///{data / FILE_NAME}"


def there(data: Path) -> bool:
    """A database is expected at a data folder's address."""
    return "ESCUADRA_DATABASE_URL" in os.environ or (data / FILE_NAME).exists()


def whole(column: str) -> Column[Any]:
    """A column of milliseconds: 64 bits wherever a database parts integers by their width."""
    return Column(column, BigInteger().with_variant(Integer, "sqlite"), nullable=False)


def table(name: str, metadata: MetaData, *parts: Column[Any] | Constraint) -> Table:
    """A table whose columns keep their types."""
    return Table(name, metadata, *parts, **STRICT)


def prepare(engine: Engine, read_only: bool = False) -> None:
    """Set an engine up so that every acknowledged write is on the disk and writers queue."""
    if engine.dialect.name != "sqlite":
        return

    @sa_event.listens_for(engine, "connect")
    def connected(connection: DBAPIConnection, _record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        for pragma in READ_ONLY if read_only else PRAGMAS:
            cursor.execute(pragma)
        cursor.close()

    @sa_event.listens_for(engine, "begin")
    def begin(connection: Any) -> None:
        mode = "IMMEDIATE" if connection.get_execution_options().get("writing") else "DEFERRED"
        connection.exec_driver_sql(f"BEGIN {mode}")


def file_of(url: str) -> Path | None:
    """The file that a database lies in; nothing where it is served."""
    found = make_url(url)
    return Path(found.database) if found.get_backend_name() == "sqlite" and found.database else None


def read_only(url: str) -> str:
    """The address under which nothing can be written."""
    file = file_of(url)
    return f"sqlite:///file:{quote(str(file.absolute()))}?mode=ro&uri=true" if file is not None else url


def back_up(engine: Engine, folder: Path, name: str) -> None:
    """A consistent copy of the whole database under a name that is free; a served database has its own backups."""
    if engine.dialect.name == "sqlite":
        folder.mkdir(parents=True, exist_ok=True)
        path = str(next(p for k in range(1, 10_000) if not (p := folder / f"{name}-{k}.sqlite").exists()))
        with engine.connect() as connection:
            raw = connection.connection.driver_connection
            assert raw is not None
            raw.execute("VACUUM INTO ?", (path,))
