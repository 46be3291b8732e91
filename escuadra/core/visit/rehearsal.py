"""A set-up that nobody has read yet: a log's state with the figures that would be read, by the instruments chosen.

What a plan or an instrument is worth is then judged by the very sheet that judges the real readings.
"""

from collections.abc import Callable, Mapping

from escuadra.core.base.stream import Person
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.log.events import Answered, ReadingTaken, ToolUsed
from escuadra.core.visit.log.state import Entry, State

NOBODY = Person(id="-", name="-")
PERFECT = Instrument(resolution=0, accuracy_constant=0, accuracy_ppm=0, repeatability=1e-5)


def rehearsed(
    values: Mapping[str, float],
    tool: Callable[[str], ToolUsed],
    times: int = 1,
    answers: Mapping[str, str] | None = None,
) -> State:
    """Every slot read so many times at its value by its ``tool``, and every answer given."""
    entries: dict[str, tuple[Entry, ...]] = {}
    seq = 0
    for slot, answer in (answers or {}).items():
        seq += 1
        entries[slot] = (Entry(seq, 0, NOBODY, slot, Answered(slot=slot, value=answer)),)
    for slot, value in values.items():
        said = ReadingTaken(slot=slot, typed="", understood="", value=value, tool=tool(slot))
        entries[slot] = tuple(Entry(seq + k, 0, NOBODY, slot, said) for k in range(1, times + 1))
        seq += times
    return State(seq=seq, entries=entries)
