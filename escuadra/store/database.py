"""The database of a garage: opened, migrated after a backup, and the small tables beside the log."""

import hashlib
import time
import uuid
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, Select, create_engine, inspect, select, text
from sqlalchemy.exc import DBAPIError

from escuadra.core.errors import BadInput
from escuadra.core.house import (
    PEOPLE,
    SETTINGS,
    BayAdded,
    BayDrawn,
    EntryKept,
    PersonAdded,
    SettingSet,
    bay_stream,
    entry_stream,
    instrument_stream,
)
from escuadra.core.stream import ITSELF, Event, Payload, Person, made
from escuadra.store import dialect
from escuadra.store.log import Log, reading_log, writing_log
from escuadra.store.projections import reindex
from escuadra.store.streams import Streams
from escuadra.store.tables import bay, entry, person, pinned, setting, survey
from escuadra.store.writers import Writers

MIGRATIONS = Path(__file__).parent / "migrations"
NEWEST, FIRST_KEPT = "1001", "1001"


@dataclass(frozen=True)
class SurveyRow:
    """A survey: which bay, when it was begun (UTC milliseconds), and its pinned sheet once it was closed."""

    id: str
    bay: str
    begun_at: int
    sheet: str | None


class Store:
    """One garage's database."""

    def __init__(
        self,
        url: str,
        backups: Path | None = None,
        read_only: bool = False,
        clock: Callable[[], int] = lambda: time.time_ns() // 1_000_000,
    ) -> None:
        """Raises ``BadInput`` for a database that cannot be opened, for one of a newer version, and for one of 0.1.

        ``read_only``: it is read as it is, of whatever earlier version. ``clock``: UTC milliseconds.
        """
        self.clock = clock
        self.engine: Engine = create_engine(dialect.read_only(url) if read_only else url)
        self.writers = Writers(self.engine)
        self._kept: dict[str, list[Any]] = {}
        dialect.prepare(self.engine, read_only)
        file = dialect.file_of(url)
        fresh = file is not None and not file.exists()
        try:
            self._bring_up(backups, read_only)
        except BaseException as error:
            self.engine.dispose()
            if file is not None and fresh:
                for part in ("", "-wal", "-shm"):
                    file.with_name(file.name + part).unlink(missing_ok=True)
            if isinstance(error, DBAPIError):
                told = str(error.orig).splitlines()[0]
                raise BadInput("database", told, f"one of ours, on a disk with room, at {file or url}") from error
            raise

    def _bring_up(self, backups: Path | None, read_only: bool) -> None:
        found = self.version()
        if found is not None and found > NEWEST:
            raise BadInput(
                "database", f"version {found}", f"version {NEWEST} or older: a newer Escuadra wrote this one"
            )
        if found is not None and found < FIRST_KEPT:
            raise BadInput(
                "database",
                f"version {found}",
                "a folder of this version: data of 0.1 is not carried along; begin a new one",
            )
        if found == NEWEST or read_only:
            return
        if found is not None and backups is not None:
            dialect.back_up(self.engine, backups, f"before-{NEWEST}-from-{found}")
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.writers.writing() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, NEWEST)

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
        return writing_log(self.writers)

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()

    # --- streams beside the visits

    def append(self, stream_id: str, client_id: str, said: Payload, who: Person = ITSELF) -> bool:
        """A further event of a stream; one with this client-made id is not written twice: then false."""
        with self.writers.writing() as connection:
            added = Streams(connection).enter(stream_id, client_id, self.clock(), who, said)
        self.forget()
        return added

    def forget(self) -> None:
        """What is kept of small tables is read again."""
        self._kept = {}

    def events(self, stream_id: str) -> list[Event]:
        """A stream's events, in their order."""
        with self.engine.connect() as connection:
            return Streams(connection).events(stream_id)

    def reindex(self) -> int:
        """Make all that is projected anew from the streams; how many events there are."""
        with self.writers.writing() as connection:
            count = reindex(connection)
        self.forget()
        return count

    # --- people, bays, settings

    def _once(self, key: str, query: Select[Any]) -> list[Any]:
        """Rows of a small table, kept until this process (the only writer) changes one of them."""
        found = self._kept.get(key)
        if found is None:
            kept = self._kept
            with self.engine.connect() as connection:
                found = kept[key] = list(connection.execute(query))
        return found

    def people(self) -> list[dict[str, str]]:
        """Who works here."""
        query = select(person.c.id, person.c.name, person.c.role).order_by(person.c.name)
        return [dict(row._mapping) for row in self._once("people", query)]

    def add_person(self, id: str, name: str, role: str, who: Person = ITSELF) -> None:
        """A further person; raises ``BadInput`` for a name that is there already, or an id that is empty."""
        if not id:
            raise BadInput("id", "nothing", "an id for this person")
        if any(p["id"] == id or p["name"].casefold() == name.casefold() for p in self.people()):
            raise BadInput("name", name, "a name that nobody here has yet")
        self.append(PEOPLE, f"person-{id}", PersonAdded(id=id, name=name, role=role), who)

    def bays(self) -> list[str]:
        """The bays' names."""
        return [name for (name,) in self._once("bays", select(bay.c.name).order_by(bay.c.name))]

    def add_bay(self, name: str, who: Person = ITSELF) -> None:
        """A further bay; one that is there already stays."""
        self.append(bay_stream(name), "added", BayAdded(name=name), who)

    def setting(self, key: str, default: str = "") -> str:
        """A setting's value."""
        rows = self._once("settings", select(setting.c.key, setting.c.value))
        return next((str(value) for name, value in rows if name == key), default)

    def set(self, key: str, value: str, who: Person = ITSELF) -> None:
        """Set a setting."""
        if self.setting(key, "\0") != value:
            self.append(SETTINGS, uuid.uuid4().hex, SettingSet(key=key, value=value), who)

    def bay_sheet(self, name: str) -> str | None:
        """Hash of a bay's present sheet; raises ``BadInput`` for an unknown bay."""
        rows = self._once("bay_sheets", select(bay.c.name, bay.c.sheet))
        found = next((row for row in rows if row[0] == name), None)
        if found is None:
            raise BadInput("bay", name, f"one of the bays: {', '.join(self.bays()) or 'none yet'}")
        return found[1]  # type: ignore[no-any-return]

    def keep_bay(self, name: str, sheet: str, base: str | None, who: Person = ITSELF) -> bool:
        """Make a pinned sheet the bay's present one; false where it is not ``base`` any more."""
        with self.writers.writing() as connection:
            streams = Streams(connection)
            head, _ = streams.head(bay_stream(name), lock=True)
            present = connection.execute(select(bay.c.sheet).where(bay.c.name == name)).scalar()
            if present != base:
                return False
            said = BayDrawn(name=name, sheet=sheet)
            new = made(head.stream, head.count + 1, uuid.uuid4().hex, self.clock(), who, said)
            streams.append(head, new, said)
        self.forget()
        return True

    # --- floor surveys and instruments

    def surveys(self) -> list[SurveyRow]:
        """All surveys, the newest first."""
        columns = (survey.c.id, survey.c.bay, survey.c.begun_at, survey.c.sheet)
        query = select(*columns).order_by(survey.c.begun_at.desc(), survey.c.id)
        return [SurveyRow(*row) for row in self._once("surveys", query)]

    def instruments(self) -> dict[str, list[Event]]:
        """The events of every instrument's stream, by its id."""
        start = instrument_stream("")
        query = select(entry.c.text).where(entry.c.stream >= start, entry.c.stream < start[:-1] + "0")
        found: dict[str, list[Event]] = {}
        for (line,) in self._once("instruments", query.order_by(entry.c.stream, entry.c.seq)):
            event = Event.model_validate_json(line)
            found.setdefault(event.stream.removeprefix(start), []).append(event)
        return found

    # --- pinned content

    def pin(self, hash: str, kind: str, id: str, revision: int, content: str, who: Person = ITSELF) -> None:
        """Keep a catalogue entry for good, as some job uses it; its stream says so."""
        if self.pinned(hash) is not None:
            return
        with self.writers.writing() as connection:
            row = {"hash": hash, "kind": kind, "id": id, "revision": revision, "text": content}
            connection.execute(dialect.once(self.engine.dialect.name, pinned), row)
            digest = hashlib.sha256(content.encode()).hexdigest()
            own = "" if digest == hash else digest
            said = EntryKept(kind=kind, id=id, revision=revision, hash=hash, content=own)
            Streams(connection).enter(entry_stream(kind, id), hash, self.clock(), who, said)

    def pinned(self, hash: str) -> str | None:
        """The canonical text of a pinned entry."""
        with self.engine.connect() as connection:
            found = connection.execute(select(pinned.c.text).where(pinned.c.hash == hash)).scalar()
            return None if found is None else str(found)
