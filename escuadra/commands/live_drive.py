"""A drive as the vehicle's link sends it: every sample is on the disk before it is shown, until it is taken over."""

import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from escuadra.commands.house import House
from escuadra.core.road.trace import Trace
from escuadra.core.road.trace_files import COLUMNS, of_table

HEADER = "t,lat,lon,speed,heading\n"


def _path(house: House, visit: str, attempt: int) -> Path:
    return house.data / "live" / f"{visit}-{attempt}.csv"


def content_of(house: House, visit: str, attempt: int) -> bytes:
    """What was received and not taken over yet; empty where nothing was. A line that was not written whole is none."""
    path = _path(house, visit, attempt)
    text = path.read_bytes() if path.exists() else b""
    return text[: text.rfind(b"\n") + 1]


def received(house: House, visit: str, attempt: int) -> Trace | None:
    """The same as samples; nothing with fewer than two."""
    content = content_of(house, visit, attempt)
    return of_table(content) if content.count(b"\n") > 2 else None


def receive(house: House, visit: str, attempt: int, samples: Sequence[Sequence[float]]) -> None:
    """Keep what came, in its order; what was there already is not kept twice. On return it is on the disk."""
    known = received(house, visit, attempt)
    last = float(known.t[-1]) if known is not None else -np.inf
    fresh = [one for one in samples if len(one) == len(COLUMNS) and one[0] > last]
    if not fresh:
        return
    path = _path(house, visit, attempt)
    path.parent.mkdir(parents=True, exist_ok=True)
    whole = content_of(house, visit, attempt) or HEADER.encode()
    with path.open("r+b" if path.exists() else "w+b") as file:
        if file.seek(0, os.SEEK_END) != len(whole):
            file.truncate(0)
            file.seek(0)
            file.write(whole)
        file.write("".join(",".join(f"{value:.7f}" for value in one) + "\n" for one in fresh).encode())
        file.flush()
        os.fsync(file.fileno())


def taken_over(house: House, visit: str, attempt: int) -> None:
    """It is a trace of the drive now."""
    _path(house, visit, attempt).unlink(missing_ok=True)
