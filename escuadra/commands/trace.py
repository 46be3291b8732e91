"""The trace of one derivation: which module of the core was asked for what, what it took and what it gave.

It is watched, not told: whatever crosses from one module of the core to another while a sheet is worked out cold.
"""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from types import FrameType
from typing import Any

from escuadra.commands.forms import Opened
from escuadra.core.visit.sheet import derive

CORE = "escuadra.core."


@dataclass
class Asked:
    """A function of a module that another module asked: the types of what it took and gave, and how often."""

    by: str
    module: str
    function: str
    took: tuple[str, ...]
    depth: int
    gave: str = ""
    times: int = 1


@dataclass
class Watched:
    """What was asked, in the order in which it was asked first; ``calls``: of all functions of the core."""

    asked: list[Asked] = field(default_factory=list)
    calls: int = 0

    @property
    def modules(self) -> list[str]:
        """Those that were asked, in their order."""
        return list(dict.fromkeys(one.module for one in self.asked))


def traced(opened: Opened, at: int) -> Watched:
    """The sheet of a visit worked out anew, and its next move; ``at``: UTC milliseconds."""
    with _watching() as watched:
        _ = derive(opened.state, opened.sheet.plan, at).next
    return watched


def _asker(frame: FrameType) -> str:
    """The module that called, past what the standard library has between."""
    back = frame.f_back
    while back is not None and back.f_globals.get("__name__") == "functools":
        back = back.f_back
    return str(back.f_globals.get("__name__", "")) if back is not None else ""


@contextmanager
def _watching() -> Iterator[Watched]:
    watched = Watched()
    known: dict[tuple[str, str, str], Asked] = {}
    open_calls: list[tuple[FrameType, Asked | None]] = []

    def seen(frame: FrameType, event: str, given: Any) -> None:
        module = frame.f_globals.get("__name__", "")
        if not module.startswith(CORE):
            return
        if event == "call":
            watched.calls += 1
            open_calls.append((frame, _crossing(frame, module)))
        elif event == "return" and open_calls and open_calls[-1][0] is frame:
            one = open_calls.pop()[1]
            if one is not None and not one.gave:
                one.gave = type(given).__name__

    def _crossing(frame: FrameType, module: str) -> Asked | None:
        by = _asker(frame)
        name = frame.f_code.co_qualname
        if by == module or "<" in name or name.rpartition(".")[2].startswith("_"):
            return None
        key = (by, module, name)
        if key in known:
            known[key].times += 1
            return None
        count = frame.f_code.co_argcount + frame.f_code.co_kwonlyargcount
        took = tuple(type(frame.f_locals[arg]).__name__ for arg in frame.f_code.co_varnames[:count])
        depth = sum(1 for _, one in open_calls if one is not None)
        known[key] = Asked(by.removeprefix(CORE), module.removeprefix(CORE), name, took, depth)
        watched.asked.append(known[key])
        return known[key]

    before = sys.getprofile()
    sys.setprofile(seen)
    try:
        yield watched
    finally:
        sys.setprofile(before)
