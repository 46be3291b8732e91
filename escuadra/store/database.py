"""The database of a garage: opened, migrated after a backup, and the small tables beside the log."""

from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, Select, create_engine, delete, func, insert, inspect, select, text, update
from sqlalchemy.exc import DBAPIError

from escuadra.core.errors import BadInput
from escuadra.store import dialect
from escuadra.store.log import Log, reading_log, writing_log
from escuadra.store.tables import bay, catalogue_entry, instrument_entry, person, setting, survey, survey_entry
from escuadra.store.writers import Writers

MIGRATIONS = Path(__file__).parent / "migrations"
NEWEST = "0003"


@dataclass(frozen=True)
class SurveyRow:
    """A survey: which bay, when it was begun (UTC milliseconds), and its pinned sheet once it was closed."""

    id: str
    bay: str
    begun_at: int
    sheet: str | None


class Store:
    """One garage's database."""

    def __init__(self, url: str, backups: Path | None = None, read_only: bool = False) -> None:
        """Raises ``BadInput`` for a database that cannot be opened, and for one of a newer version.

        ``read_only``: it is read as it is, of whatever earlier version.
        """
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
        """A further person; raises ``BadInput`` for a name that is there already, or an id that is empty."""
        if not id:
            raise BadInput("id", "nothing", "an id for this person")
        if any(p["id"] == id or p["name"].casefold() == name.casefold() for p in self.people()):
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

    def bay_sheet(self, name: str) -> str | None:
        """Hash of a bay's present sheet; raises ``BadInput`` for an unknown bay."""
        rows = self._once("bay_sheets", select(bay.c.name, bay.c.sheet))
        found = next((row for row in rows if row[0] == name), None)
        if found is None:
            raise BadInput("bay", name, f"one of the bays: {', '.join(self.bays()) or 'none yet'}")
        return found[1]  # type: ignore[no-any-return]

    def keep_bay(self, name: str, sheet: str, base: str | None) -> bool:
        """Make a pinned sheet the bay's present one; false where it is not ``base`` any more."""
        same = bay.c.sheet == base if base else bay.c.sheet.is_(None)
        changed = self._write(update(bay).where(bay.c.name == name, same).values(sheet=sheet))
        return changed == 1

    # --- floor surveys, kept entry by entry

    def surveys(self) -> list[SurveyRow]:
        """All surveys, the newest first."""
        columns = (survey.c.id, survey.c.bay, survey.c.begun_at, survey.c.sheet)
        query = select(*columns).order_by(survey.c.begun_at.desc(), survey.c.id)
        return [SurveyRow(*row) for row in self._once("surveys", query)]

    def begin_survey(self, id: str, bay_name: str, at: int) -> None:
        """A survey without entries; one that is there already stays."""
        if not any(row.id == id for row in self.surveys()):
            self._write(insert(survey).values(id=id, bay=bay_name, begun_at=at))

    def survey_entries(self, id: str) -> list[str]:
        """The texts of a survey's entries, in their order."""
        query = select(survey_entry.c.text).where(survey_entry.c.survey == id).order_by(survey_entry.c.seq)
        with self.engine.connect() as connection:
            return [text for (text,) in connection.execute(query)]

    def append_survey(self, id: str, client_id: str, text: str) -> None:
        """A further entry; one with this client-made id is not written twice."""
        where = survey_entry.c.survey == id
        with self.writers.writing() as connection:
            connection.execute(select(survey.c.id).where(survey.c.id == id).with_for_update())
            known = select(func.count()).where(where, survey_entry.c.id == client_id)
            if not connection.execute(known).scalar_one():
                last = connection.execute(select(func.max(survey_entry.c.seq)).where(where)).scalar()
                connection.execute(insert(survey_entry).values(survey=id, seq=(last or 0) + 1, id=client_id, text=text))

    def close_survey(self, id: str, sheet: str) -> None:
        """Note the pinned survey that the entries came to."""
        self._write(update(survey).where(survey.c.id == id).values(sheet=sheet))

    # --- the instruments' histories

    def instrument_entries(self) -> dict[str, list[str]]:
        """The texts of every instrument's entries, in their order."""
        columns = (instrument_entry.c.instrument, instrument_entry.c.text)
        query = select(*columns).order_by(instrument_entry.c.instrument, instrument_entry.c.seq)
        found: dict[str, list[str]] = {}
        for instrument, entry in self._once("instruments", query):
            found.setdefault(instrument, []).append(entry)
        return found

    def append_instrument(self, id: str, client_id: str, text: str) -> bool:
        """A further entry; one with this client-made id is not written twice: then false."""
        where = instrument_entry.c.instrument == id
        with self.writers.writing() as connection:
            known = select(func.count()).where(where, instrument_entry.c.id == client_id)
            if connection.execute(known).scalar_one():
                return False
            last = connection.execute(select(func.max(instrument_entry.c.seq)).where(where)).scalar()
            row = {"instrument": id, "seq": (last or 0) + 1, "id": client_id, "text": text}
            connection.execute(insert(instrument_entry).values(**row))
        self._kept.clear()
        return True

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

    def _write(self, *statements: Any) -> int:
        """Rows that the last statement touched."""
        touched = 0
        with self.writers.writing() as connection:
            for statement in statements:
                touched = connection.execute(statement).rowcount
        self._kept.clear()
        return touched
