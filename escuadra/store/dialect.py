"""Whatever only one database knows: pragmas, how a transaction begins, and the triggers that keep the log as it is."""

import os
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import (
    REAL,
    BigInteger,
    Column,
    Connection,
    Constraint,
    Double,
    Engine,
    Integer,
    MetaData,
    Table,
    make_url,
)
from sqlalchemy import event as sa_event
from sqlalchemy.engine.interfaces import DBAPIConnection

PRAGMAS = (
    "PRAGMA journal_mode=WAL",
    "PRAGMA synchronous=FULL",
    "PRAGMA foreign_keys=ON",
    "PRAGMA busy_timeout=5000",
    "PRAGMA secure_delete=ON",
)
READ_ONLY = ("PRAGMA query_only=ON", "PRAGMA busy_timeout=5000")

KEPT = {"entry": ("stream, seq", "stream, id"), "journal": ("number", "stream, seq"), "pinned": ("hash",)}
"""Tables that are only ever added to, with the keys by which nothing may be put in another's place."""


def keep(dialect: str) -> list[str]:
    """The statements that make a database itself refuse to change, delete or replace what was appended."""
    return [statement for name, keys in KEPT.items() for statement in _keeping(dialect, name, keys)]


def _keeping(dialect: str, name: str, keys: tuple[str, ...]) -> list[str]:
    told = f"{name} is append-only"
    if dialect == "postgresql":
        return [
            f"""CREATE FUNCTION {name}_kept() RETURNS trigger AS
            $$ BEGIN RAISE EXCEPTION '{told}'; END $$ LANGUAGE plpgsql""",
            f"CREATE TRIGGER {name}_kept BEFORE UPDATE OR DELETE ON {name} FOR EACH ROW EXECUTE FUNCTION {name}_kept()",
            f"CREATE TRIGGER {name}_whole BEFORE TRUNCATE ON {name} EXECUTE FUNCTION {name}_kept()",
        ]
    found = [
        f"CREATE TRIGGER {name}_no_{verb.lower()} BEFORE {verb} ON {name} BEGIN SELECT RAISE(ABORT, '{told}'); END"
        for verb in ("UPDATE", "DELETE")
    ]
    # INSERT OR REPLACE deletes what was there without a trigger's knowing: it is refused before.
    same = [" AND ".join(f"{c} = NEW.{c}" for c in key.split(", ")) for key in keys]
    there = " OR ".join(f"EXISTS (SELECT 1 FROM {name} WHERE {condition})" for condition in same)
    refuse = f"BEGIN SELECT RAISE(ABORT, '{told}'); END"
    return [*found, f"CREATE TRIGGER {name}_no_replace BEFORE INSERT ON {name} WHEN {there} {refuse}"]


@lru_cache
def once(dialect: str, rows: Table) -> Any:
    """An insert that does nothing where the row is there already; put together once."""
    # Each alone: all the drivers of the other would be imported with it.
    if dialect == "postgresql":
        from sqlalchemy.dialects import postgresql

        return postgresql.insert(rows).on_conflict_do_nothing()
    from sqlalchemy.dialects import sqlite

    return sqlite.insert(rows).on_conflict_do_nothing()


def searching(dialect: str) -> list[str]:
    """The statements that make the full-text index of the visits' rows, which follows them by itself."""
    if dialect == "postgresql":
        return ["CREATE INDEX summary_words ON summary USING gin (to_tsvector('simple', words || ' ' || name))"]
    old = "INSERT INTO search(search, rowid, words, name) VALUES ('delete', old.row, old.words, old.name);"
    new = "INSERT INTO search(rowid, words, name) VALUES (new.row, new.words, new.name);"
    return [
        "CREATE VIRTUAL TABLE search USING fts5(words, name, content='summary', content_rowid='row')",
        # Small leaves: words that many visits share are skipped through faster than they are read.
        "INSERT INTO search(search, rank) VALUES ('pgsz', 500)",
        f"CREATE TRIGGER summary_in AFTER INSERT ON summary BEGIN {new} END",
        f"CREATE TRIGGER summary_out AFTER DELETE ON summary BEGIN {old} END",
        f"CREATE TRIGGER summary_changed AFTER UPDATE OF words, name ON summary BEGIN {old} {new} END",
    ]


def search_anew(connection: Connection) -> None:
    """The index made anew from its rows: what was erased from a row is gone from the index too."""
    if connection.dialect.name == "sqlite":
        connection.exec_driver_sql("INSERT INTO search(search) VALUES ('rebuild')")


_ROW = "visit.id, visit.number, visit.created_at, stream.count, stream.head"
_JOINED = "JOIN visit ON visit.id = summary.visit JOIN stream ON stream.id = visit.stream"


def found(
    connection: Connection, words: list[str], limit: int, offset: int, beginnings: bool, among: set[str] | None = None
) -> list[tuple[Any, ...]]:
    """Rows of the visits of which all these words were said, or what begins with them; the newest first.

    ``among``: only of these visits.
    """
    if among is not None:
        every = found(connection, words, -1 if connection.dialect.name == "sqlite" else 10**9, 0, beginnings)
        return [row for row in every if row[0] in among][offset : offset + limit]
    if connection.dialect.name == "sqlite":
        wanted = " ".join(f'"{word}"*' if beginnings else f'"{word}"' for word in words)
        query = f"""SELECT {_ROW} FROM search JOIN summary ON summary.row = search.rowid {_JOINED}
            WHERE search MATCH ? ORDER BY search.rowid DESC LIMIT ? OFFSET ?"""
    else:
        wanted = " & ".join(f"{word}:*" if beginnings else word for word in words)
        query = f"""SELECT {_ROW} FROM summary {_JOINED}
            WHERE to_tsvector('simple', words || ' ' || name) @@ to_tsquery('simple', %s)
            ORDER BY summary.row DESC LIMIT %s OFFSET %s"""
    return [tuple(row) for row in connection.exec_driver_sql(query, (wanted, limit, offset))]


FILE_NAME = "escuadra.sqlite"
STRICT: dict[str, Any] = {"sqlite_strict": True}
CLUSTERED: dict[str, Any] = {**STRICT, "sqlite_with_rowid": False}
"""Rows lie in the order of their key: a stream is read from one place of the file."""


def address(data: Path) -> str:
    """Where a data folder's database is: ``ESCUADRA_DATABASE_URL``, or the folder's own file."""
    return os.environ.get("ESCUADRA_DATABASE_URL") or f"sqlite:///{data / FILE_NAME}"


def there(data: Path) -> bool:
    """A database is expected at a data folder's address."""
    return "ESCUADRA_DATABASE_URL" in os.environ or (data / FILE_NAME).exists()


def whole(column: str, nullable: bool = False) -> Column[Any]:
    """A column of milliseconds: 64 bits wherever a database parts integers by their width."""
    return Column(column, BigInteger().with_variant(Integer, "sqlite"), nullable=nullable)


def real(column: str) -> Column[Any]:
    """A column of figures: 64 bits."""
    return Column(column, Double().with_variant(REAL, "sqlite"), nullable=False)


def table(name: str, metadata: MetaData, *parts: Column[Any] | Constraint, clustered: bool = False) -> Table:
    """A table whose columns keep their types; its rows in the order of their key where ``clustered``."""
    return Table(name, metadata, *parts, **(CLUSTERED if clustered else STRICT))


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


def take_turn(connection: Connection) -> None:
    """Wait for other writers on a served database: the journal is one chain, so that appends follow each other."""
    connection.exec_driver_sql("SELECT pg_advisory_xact_lock(hashtext(current_schema()))")


def scrub(engine: Engine) -> None:
    """What was erased is gone from the file: nothing of it stays in the log of writes."""
    if engine.dialect.name == "sqlite":
        with engine.connect() as connection:
            raw = connection.connection.driver_connection
            assert raw is not None
            raw.commit()
            raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")


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
