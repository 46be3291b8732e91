"""Searching 100,000 visits for words that every one of them has, newest first, beside a page read by primary key."""

import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import insert

from escuadra.store import Store
from escuadra.store.tables import stream, summary, visit

VISITS, PAGE, TIMES = 100_000, 50, 41
PEOPLE = ("teo marchena", "amara quist", "nuno salgado")


def filled(folder: str) -> Store:
    """A database with rows for so many visits, written in bulk: nothing stands behind them but what is searched."""
    store = Store(f"sqlite:///{folder}/g.sqlite")
    chance = random.Random(7)
    streams, visits, summaries = [], [], []
    for k in range(VISITS):
        id, at = f"{k:012x}", 1_700_000_000_000 + k * 600_000
        words = f"vf {k} zz9bl09c{chance.randrange(10**9):09d} vh {k % 3000:04d} norte {PEOPLE[k % 3]} bl cam 01 tape 4"
        streams.append({"id": f"visit/{id}", "count": 0, "head": ""})
        visits.append({"id": id, "stream": f"visit/{id}", "number": f"VF-{k}", "created_at": at, "customer": ""})
        row = {
            "row": k + 1,
            "visit": id,
            "open": int(k % 400 == 0),
            "ended": 0,
            "released": 1,
            "handed": "",
            "words": words,
        }
        car = {"vin": f"ZZ9BL09C{k:09d}", "bay": "Norte", "frame": "frame-2"}
        summaries.append({**row, **car, "name": f"school line {k % 700}"})
    with store.writers.writing() as connection:
        for rows, values in ((stream, streams), (visit, visits), (summary, summaries)):
            connection.execute(insert(rows), values)
    return store


def _least(work: Callable[[], object]) -> float:
    def once() -> float:
        start = time.perf_counter()
        work()
        return time.perf_counter() - start

    return sorted(once() for _ in range(TIMES))[TIMES // 2]


def search_ratio() -> float:
    """The slowest of several searches ÷ as many rows read by their primary key."""
    with tempfile.TemporaryDirectory() as folder:
        store = filled(folder)
        with store.reading() as log:
            ids = [row.id for row in log.found(["teo"], PAGE)]
            assert len(ids) == PAGE
            by_key = _least(lambda: log.by_id(ids))
            searches = (["teo"], ["vf", "norte"], ["amara", "norte", "0931"], ["school", "line", "13"], ["vh", "0931"])
            took = max(_least(lambda words=words: log.found(words, PAGE)) for words in searches)  # type: ignore[misc]
        store.close()
        assert Path(folder).exists()
    return took / by_key


if __name__ == "__main__":
    print(f"search_ratio {search_ratio():.3g}")
