"""A garage in one file and back: a tar with its database as of one moment, its files and its own catalogue.

The database is copied first: every file that it names was on the disk before, so a copy made while people work is
whole. A served database (PostgreSQL) has its own backups.
"""

import contextlib
import os
import shutil
import sqlite3
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.store import dialect

BESIDE = ("files", "catalogue", "live")


def back_up(data: Path, to: Path) -> int:
    """Write a backup; how many files are in it beside the database. Raises ``BadInput`` where it cannot be made."""
    database = dialect.file_of(dialect.address(data))
    if database is None:
        raise BadInput("data", dialect.address(data), said("wants.garage_folder_database_server_own"))
    if not database.exists():
        raise BadInput("data", str(data), said("wants.folder_garage"))
    if to.exists():
        raise BadInput("to", str(to), said("wants.name_free_backup_never_writes"))
    to.parent.mkdir(parents=True, exist_ok=True)
    count = 0
    with tempfile.TemporaryDirectory(dir=to.parent) as folder:
        copy, part = Path(folder) / dialect.FILE_NAME, Path(folder) / "part.tar"
        with (
            contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as source,
            contextlib.closing(sqlite3.connect(copy)) as target,
        ):
            source.backup(target)
        with tarfile.open(part, "w") as tar:
            tar.add(copy, dialect.FILE_NAME)
            for path in sorted(p for name in BESIDE for p in (data / name).rglob("*") if p.is_file()):
                tar.add(path, str(path.relative_to(data)))
                count += 1
        with part.open("rb") as file:
            os.fsync(file.fileno())
        part.replace(to)
    return count


def put_back(file: Path, data: Path) -> None:
    """Unpack a backup into a folder that is empty or not there yet; raises ``BadInput`` for what is no backup."""
    if data.exists() and (not data.is_dir() or any(data.iterdir())):
        raise BadInput("data", str(data), said("wants.folder_empty_or_not_there"))
    try:
        with tarfile.open(file) as tar:
            if dialect.FILE_NAME not in tar.getnames():
                raise BadInput("file", str(file), said("wants.backup_tar", file_name=dialect.FILE_NAME))
            here, members = data.resolve(), tar.getmembers()
            odd = [
                one.name for one in members if not (one.isfile() and (here / one.name).resolve().is_relative_to(here))
            ]
            if odd:
                raise tarfile.ReadError(odd[0])
            # File by file: the filter that tarfile has for this is missing in Debian's Python 3.11.2.
            for one in members:
                to = data / one.name
                to.parent.mkdir(parents=True, exist_ok=True)
                with tar.extractfile(one) as source, to.open("wb") as target:  # type: ignore[union-attr]
                    shutil.copyfileobj(source, target)
    except (tarfile.TarError, OSError, EOFError) as error:
        raise BadInput(
            "file", str(file), said("wants.backup_can_read", error=getattr(error, "strerror", None) or str(error))
        ) from error


@contextmanager
def trial_folder() -> Iterator[Path]:
    """A folder that is gone afterwards."""
    with tempfile.TemporaryDirectory() as folder:
        yield Path(folder) / "trial"
