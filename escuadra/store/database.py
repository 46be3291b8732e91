"""The database of a garage: opened, migrated after a backup, read and written; small tables are kept in memory."""

from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import Connection, Engine, create_engine, inspect, text
from sqlalchemy.exc import DBAPIError

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import nouns, said
from escuadra.core.base.stream import Event
from escuadra.store import dialect
from escuadra.store.projections import reindex
from escuadra.store.repositories.bays import bays
from escuadra.store.repositories.drafts import DraftRow, drafts
from escuadra.store.repositories.instruments import instruments
from escuadra.store.repositories.people import people
from escuadra.store.repositories.pins import Content, Pins
from escuadra.store.repositories.settings import settings
from escuadra.store.repositories.surveys import SurveyRow, surveys
from escuadra.store.repositories.visits import Log, reading_log, writing_log
from escuadra.store.streams import Streams
from escuadra.store.writers import Writers

MIGRATIONS = Path(__file__).parent / "migrations"
NEWEST, FIRST_KEPT = "1007", "1005"


T = TypeVar("T")
MOST_TEXTS = 64


class Store:
    """One garage's database."""

    def __init__(
        self,
        url: str,
        backups: Path | None = None,
        read_only: bool = False,
    ) -> None:
        """Raises ``BadInput`` for a database that cannot be opened, for one of a newer version, and for one of 0.1.

        ``read_only``: it is read as it is, of whatever earlier version.
        """
        self.engine: Engine = create_engine(dialect.read_only(url) if read_only else url)
        self.writers = Writers(self.engine)
        self._texts: dict[str, str] = {}
        self._kept: dict[Callable[[Connection], Any], Any] = {}
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
                raise BadInput("database", told, said("wants.one_ours_disk_room", url=str(file or url))) from error
            raise

    def _bring_up(self, backups: Path | None, read_only: bool) -> None:
        found = self.version()
        if found is not None and found > NEWEST:
            raise BadInput(
                "database",
                said("store.database.version", found=found),
                said("wants.version_or_older_newer_escuadra", newest=NEWEST),
            )
        if found is not None and found < FIRST_KEPT:
            raise BadInput(
                "database",
                said("store.database.version", found=found),
                said("wants.folder_version_data_0_1"),
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
            if found is not None:
                reindex(connection)

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

    # --- streams

    def forget(self) -> None:
        """What is kept of small tables is read again."""
        self._kept = {}

    def events(self, stream_id: str) -> list[Event]:
        """A stream's events, in their order."""
        with self.engine.connect() as connection:
            return Streams(connection).events(stream_id)

    def count(self, stream_id: str) -> int:
        """How many events a stream has."""
        with self.engine.connect() as connection:
            return Streams(connection).head(stream_id)[0].count

    def reindex(self) -> int:
        """Make all that is projected anew from the streams; how many events there are."""
        with self.writers.writing() as connection:
            count = reindex(connection)
        self.forget()
        return count

    # --- small tables, kept until this process (the only writer) changes one of them

    def _once(self, read: Callable[[Connection], T]) -> T:
        kept = self._kept
        if read not in kept:
            with self.engine.connect() as connection:
                kept[read] = read(connection)
        return kept[read]  # type: ignore[no-any-return]

    def people(self) -> list[dict[str, str]]:
        """Who works here."""
        return self._once(people)

    def bays(self) -> list[str]:
        """The bays' names."""
        return list(self._once(bays))

    def bay_sheet(self, name: str) -> str | None:
        """Hash of a bay's present sheet; raises ``BadInput`` for an unknown bay."""
        known = self._once(bays)
        if name not in known:
            raise BadInput("bay", name, said("wants.one_bays", names=nouns(known, "comma")))
        return known[name]

    def setting(self, key: str, default: str = "") -> str:
        """A setting's value."""
        return self._once(settings).get(key, default)

    def surveys(self) -> list[SurveyRow]:
        """All surveys, the newest first."""
        return self._once(surveys)

    def drafts(self) -> list[DraftRow]:
        """The catalogue entries that are written here, by kind and id."""
        return self._once(drafts)

    def instruments(self) -> dict[str, list[Event]]:
        """The events of every instrument's stream, by its id."""
        return self._once(instruments)

    def pinned(self, hash: str) -> str | None:
        """The canonical text of a pinned entry, or of one that is about to be."""
        text = self._texts.get(hash)
        if text is None:
            with self.engine.connect() as connection:
                text = Pins(connection).text(hash)
        return text

    def expect(self, contents: Sequence[Content]) -> None:
        """Content that is about to be pinned can be read already: what follows from it is worked out before."""
        if contents:
            newest = [*self._texts.items(), *((content.hash, content.text) for content in contents)]
            self._texts = dict(newest[-MOST_TEXTS:])
