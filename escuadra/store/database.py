"""The database of a garage: opened, migrated after a backup, and the small tables beside the log."""

from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, Select, create_engine, delete, insert, inspect, select, text

from escuadra.core.errors import BadInput
from escuadra.store import dialect
from escuadra.store.log import Log, reading_log, writing_log
from escuadra.store.tables import bay, catalogue_entry, person, setting

MIGRATIONS = Path(__file__).parent / "migrations"
NEWEST = "0001"


class Store:
    """One garage's database."""

    def __init__(self, url: str, backups: Path | None = None) -> None:
        self.engine: Engine = create_engine(url)
        self._kept: dict[str, list[Any]] = {}
        dialect.prepare(self.engine)
        self._migrate(url, backups)

    def _migrate(self, url: str, backups: Path | None) -> None:
        found = self.version()
        if found == NEWEST:
            return
        if found is not None and backups is not None:
            backups.mkdir(parents=True, exist_ok=True)
            dialect.back_up(self.engine, backups, f"before-{NEWEST}-from-{found}")
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.connect().execution_options(writing=True) as connection, connection.begin():
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def version(self) -> str | None:
        """The schema's version; ``None`` for an empty database."""
        with self.engine.connect() as connection:
            if not inspect(connection).has_table("alembic_version"):
                return None
            found = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
            return str(found) if found else None

    def reading(self) -> AbstractContextManager[Log]:
        """The log for reading."""
        return reading_log(self.engine)

    def writing(self) -> AbstractContextManager[Log]:
        """The log for writing, in one transaction."""
        return writing_log(self.engine)

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()

    # --- people, bays, settings

    def _once(self, key: str, query: Select[Any]) -> list[Any]:
        """Rows of a small table, kept until this process (the only writer) changes one of them."""
        if key not in self._kept:
            with self.engine.connect() as connection:
                self._kept[key] = list(connection.execute(query))
        return self._kept[key]

    def people(self) -> list[dict[str, str]]:
        """Who works here."""
        query = select(person.c.id, person.c.name, person.c.role).order_by(person.c.name)
        return [dict(row._mapping) for row in self._once("people", query)]

    def add_person(self, id: str, name: str, role: str) -> None:
        """A further person; raises ``BadInput`` for a name that is there already."""
        if any(p["id"] == id for p in self.people()):
            raise BadInput("name", name, "a name that nobody here has yet")
        self._write(insert(person).values(id=id, name=name, role=role))

    def bays(self) -> list[str]:
        """The bays' names."""
        return [name for (name,) in self._once("bays", select(bay.c.name).order_by(bay.c.name))]

    def add_bay(self, name: str) -> None:
        """A further bay; one that is there already stays."""
        if name not in self.bays():
            self._write(insert(bay).values(name=name))

    def setting(self, key: str, default: str = "") -> str:
        """A setting's value."""
        rows = self._once("settings", select(setting.c.key, setting.c.value))
        return next((str(value) for name, value in rows if name == key), default)

    def set(self, key: str, value: str) -> None:
        """Set a setting."""
        self._write(delete(setting).where(setting.c.key == key), insert(setting).values(key=key, value=value))

    # --- pinned catalogue entries

    def pin(self, hash: str, kind: str, id: str, revision: int, content: str) -> None:
        """Keep a catalogue entry for good, as some job uses it."""
        if self.pinned(hash) is None:
            self._write(insert(catalogue_entry).values(hash=hash, kind=kind, id=id, revision=revision, text=content))

    def pinned(self, hash: str) -> str | None:
        """The canonical text of a pinned entry."""
        with self.engine.connect() as connection:
            query = select(catalogue_entry.c.text).where(catalogue_entry.c.hash == hash)
            found = connection.execute(query).scalar()
            return None if found is None else str(found)

    def _write(self, *statements: Any) -> None:
        with self.engine.connect().execution_options(writing=True) as connection, connection.begin():
            for statement in statements:
                connection.execute(statement)
        self._kept.clear()
