"""What was worked out already and is worth keeping: bounded, locked, at the edge. The core remembers nothing.

A sheet is kept for its visit's head, which names everything that it depends on (pins and doubts are events of the
visit), until the next reading grows old. A solution is kept by the content of what it was made from.
"""

from collections.abc import Hashable
from threading import RLock
from typing import Generic, TypeVar

from cachetools import LRUCache

from escuadra.core.geodesy.state.input import StateInput
from escuadra.core.geodesy.state.located import Located
from escuadra.core.visit.epochs import cold
from escuadra.core.visit.sheet import Sheet

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")
MOST_SOLUTIONS, MOST_VISITS, MOST_ENTRIES, MOST_LISTED, MOST_PAGES = 16, 16, 128, 512, 16
MOST_FOLLOWED = 8
"""Of the sheets that are kept, so many with all that they were worked out from: the next of the visit follows them."""


class Memory(Generic[K, V]):
    """The values that were looked at last, by their keys."""

    def __init__(self, most: int) -> None:
        self._kept: LRUCache[K, V] = LRUCache(most)
        self._lock = RLock()

    def get(self, key: K) -> V | None:
        """What is kept under a key."""
        with self._lock:
            return self._kept.get(key)

    def keep(self, key: K, value: V) -> V:
        """Keep a value; it is given back."""
        with self._lock:
            self._kept[key] = value
        return value


class Sheets:
    """The sheets that were looked at last, each for the head of its visit, by visit and calibration."""

    def __init__(self) -> None:
        self._kept: Memory[tuple[str, str], tuple[str, Sheet]] = Memory(MOST_VISITS)
        self._whole = _Whole(MOST_FOLLOWED)
        self._lock = RLock()

    def get(self, visit: str, calibration: str) -> tuple[str, Sheet | None]:
        """The head that a sheet was derived for, and the sheet; nothing where none is kept."""
        head, sheet = self._kept.get((visit, calibration)) or ("", None)
        if sheet is not None:
            self._look(visit, calibration, sheet)
        return head, sheet

    def keep(self, visit: str, calibration: str, head: str, sheet: Sheet) -> None:
        """Keep a sheet."""
        self._kept.keep((visit, calibration), (head, sheet))
        self._look(visit, calibration, sheet)

    def _look(self, visit: str, calibration: str, sheet: Sheet) -> None:
        with self._lock:
            self._whole[visit, calibration] = sheet


class _Whole(LRUCache[tuple[str, str], Sheet]):
    """Sheets with all that they were worked out from; one that is put off lets go of that."""

    def popitem(self) -> tuple[tuple[str, str], Sheet]:
        key, sheet = super().popitem()
        sheet.epochs.forget()
        return key, sheet


class _Content:
    """A state as a key: its hash worked out once."""

    def __init__(self, given: StateInput) -> None:
        self.given, self._hash = given, hash(given)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Content) and self.given == other.given


class Solutions:
    """Solves a state, or finds it solved: the same readings are looked at again and again."""

    def __init__(self, most: int = MOST_SOLUTIONS) -> None:
        self._kept: Memory[_Content, tuple[Located | None]] = Memory(most)

    def __call__(self, given: StateInput) -> Located | None:
        """The solution of a state; nothing where it cannot be solved."""
        content = _Content(given)
        found = self._kept.get(content)
        return (found or self._kept.keep(content, (cold(given),)))[0]
