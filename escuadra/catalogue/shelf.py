"""The catalogue as it is now: files, read again when one of them changes, and what is released here upon them.

A file that is refused is left out and told; it stops neither the start nor any other file. Of two entries with one id
the later revision holds, and of one revision what was released here.
"""

import os
import time
from collections.abc import Iterable, Sequence
from pathlib import Path
from threading import RLock

from escuadra.catalogue.library import PRACTICE, Catalogue, Entry, load
from escuadra.core.procedure.entries import KINDS

LOOK_EVERY_S = 2.0
"""So often the folders are looked at, when somebody asks."""
Mark = tuple[tuple[str, int, int], ...]
HIDDEN = ("procedure", "vehicle")
"""Kinds of practice entries that can be hidden; a garage's own sheet may still use a practice target."""


class Shelf:
    """Folders of catalogue files, as they are now."""

    def __init__(self, folders: Sequence[Path]) -> None:
        self.folders, self.look_every_s = folders, LOOK_EVERY_S
        self._lock = RLock()
        self._mark: Mark = self._marked()
        self._looked = time.monotonic()
        self._known = load(folders)

    def now(self) -> Catalogue:
        """What the folders hold: the same value for as long as no file changed."""
        with self._lock:
            if time.monotonic() - self._looked >= self.look_every_s:
                self._looked = time.monotonic()
                mark = self._marked()
                if mark != self._mark:
                    self._mark, self._known = mark, load(self.folders)
            return self._known

    def _marked(self) -> Mark:
        """Name, time and size of every file that could be one of the catalogue; what ships does not change."""
        found: list[tuple[str, int, int]] = []
        for folder in self.folders:
            for kind in () if folder == PRACTICE else KINDS:
                try:
                    with os.scandir(folder / f"{kind}s") as files:
                        stats = [(one.path, one.stat()) for one in files if one.name.endswith(".yaml")]
                except OSError:
                    continue
                found += [(path, stat.st_mtime_ns, stat.st_size) for path, stat in stats]
        return tuple(sorted(found))


def upon(files: Catalogue, released: Iterable[Entry], without_practice: bool = False) -> Catalogue:
    """A catalogue with the entries that were released here, and perhaps without those for practice."""
    entries = dict(files.entries)
    for one in released:
        known = entries.get((one.kind, one.id))
        if known is None or known.revision <= one.revision:
            entries[one.kind, one.id] = one
    if without_practice:
        own = {e.head.vehicle for e in entries.values() if e.kind == "procedure" and not e.practice}
        entries = {
            key: e
            for key, e in entries.items()
            if not e.practice or e.kind not in HIDDEN or (e.kind == "vehicle" and e.id in own)
        }
    return Catalogue(entries, files.refused)
