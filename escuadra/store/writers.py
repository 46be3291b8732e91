"""Writers take turns: first in this process, in the order in which they came, then in the database.

SQLite lets a waiting writer poll, so that with twenty at once some starve; a queue of our own is fair. A second
process on the same folder is kept away by a lock file that names whoever holds it (``flock``: gone with its process).
"""

import fcntl
import os
import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Connection, Engine
from sqlalchemy.exc import OperationalError

from escuadra.core.base.errors import BadInput, Busy
from escuadra.core.base.said import Plain, said
from escuadra.store import dialect

LOCK = "lock"
PATIENCE_S = 15.0
"""How long a writer waits for those before it."""


class Turns:
    """A lock that is handed on in the order in which it was asked for."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._waiting: deque[threading.Event] = deque()
        self._taken = False

    def take(self, patience: float) -> None:
        """Wait for one's turn; raises ``Busy`` once the patience is over."""
        with self._guard:
            if not self._taken:
                self._taken = True
                return
            mine = threading.Event()
            self._waiting.append(mine)
        if mine.wait(patience):
            return
        with self._guard:
            if mine.is_set():
                # It was handed over in this very moment.
                return
            self._waiting.remove(mine)
        raise Busy(said("store.writers.others_writing", seconds=Plain(patience, 0)))

    def give(self) -> None:
        """Hand on to the one that has waited longest."""
        with self._guard:
            if self._waiting:
                self._waiting.popleft().set()
            else:
                self._taken = False


class Queues:
    """A queue for each name: who asks something of the same visit waits for those before, others don't."""

    def __init__(self, patience: float = PATIENCE_S) -> None:
        self._guard, self.patience = threading.Lock(), patience
        self._queues: dict[str, tuple[Turns, int]] = {}

    @contextmanager
    def turn(self, name: str, patience: float | None = None) -> Iterator[None]:
        """Wait for one's turn; raises ``Busy`` once the patience, the queues' own where none is given, is over."""
        with self._guard:
            turns, asking = self._queues.get(name, (Turns(), 0))
            self._queues[name] = (turns, asking + 1)
        try:
            turns.take(self.patience if patience is None else patience)
            try:
                yield
            finally:
                turns.give()
        finally:
            with self._guard:
                turns, asking = self._queues.pop(name)
                if asking > 1:
                    self._queues[name] = (turns, asking - 1)


class Writers:
    """The one way to write to a database."""

    def __init__(self, engine: Engine, patience: float = PATIENCE_S) -> None:
        self.engine, self.patience = engine, patience
        self._turns = Turns() if engine.dialect.name == "sqlite" else None

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """A transaction that holds the write lock from its beginning; raises ``Busy`` where that is not to be had."""
        if self._turns is None:
            with self.engine.begin() as connection:
                dialect.take_turn(connection)
                yield connection
            return
        self._turns.take(self.patience)
        try:
            with self.engine.connect().execution_options(writing=True) as connection, connection.begin():
                yield connection
        except OperationalError as error:
            locked = "locked" in str(error.orig)
            if locked:
                raise Busy(said("store.writers.another_program_holds_database")) from error
            raise Busy(said("store.writers.database_could_not_write", why=str(error.orig))) from error
        finally:
            self._turns.give()


@contextmanager
def folder_lock(folder: Path) -> Iterator[None]:
    """Hold a data folder for this process; raises ``BadInput`` that names the process that holds it."""
    path = folder / LOCK
    with path.open("a+", encoding="ascii") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            file.seek(0)
            holder = file.read().strip() or said("store.writers.another_process")
            raise BadInput(
                "data", str(folder), said("wants.folder_nobody_serves_process_does", holder=holder)
            ) from error
        file.truncate(0)
        file.write(f"{os.getpid()}\n")
        file.flush()
        try:
            yield
        finally:
            path.unlink(missing_ok=True)
