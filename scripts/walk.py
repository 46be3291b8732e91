"""The walk along one reading, as a trace watched it: written into docs/architecture.md.

A set-up is worked through by the rehearsal's technician, its sheet derived cold, and each module told when it was first
asked: by which other one, for what, what it took and what it gave. ``make rooms`` writes it; a test compares.
"""

import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from escuadra.commands import Garage
from escuadra.commands.bays import AddBay
from escuadra.commands.forms import press
from escuadra.commands.people import AddPerson
from escuadra.commands.trace import Asked, traced
from escuadra.core.base.stream import ITSELF
from escuadra.rehearsal.technician import Technician

DOCUMENT = Path(__file__).parent.parent / "docs/architecture.md"
BEGIN, END = "<!-- walk: made by make rooms -->", "<!-- end of walk -->"
BESIDE = ("base.", "visit.slots", "visit.plan")
"""What everybody asks: values and their names."""
AT = 1_764_072_000_000


def first_asked() -> Iterator[Asked]:
    """Each module's first being asked while the sheet of a whole set-up is derived, in order."""
    with tempfile.TemporaryDirectory() as folder:
        garage = Garage(Path(folder) / "garage", lambda: AT)
        garage.do(AddPerson("teo", "Teo Marchena", "specialist"), ITSELF, press())
        garage.do(AddBay("Norte"), ITSELF, press())
        who = Technician(garage, AT, "teo")
        who.take_in(number="W-1", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
        who.set_up()
        watched = traced(who.opened, AT)
        garage.close()
    known: set[str] = set()
    for one in watched.asked:
        if one.module not in known and not one.module.startswith(BESIDE):
            known.add(one.module)
            yield one


def table() -> list[str]:
    """A row a module."""
    rows = ["| | module | first asked by | for | takes | gives |", "|---|---|---|---|---|---|"]
    for k, one in enumerate(first_asked(), 1):
        module, by = (name.removeprefix("escuadra.").replace(".", "/") for name in (one.module, one.by))
        rows.append(f"| {k} | `{module}` | `{by}` | `{one.function}` | {', '.join(one.took)} | {one.gave} |")
    return rows


def with_walk(text: str) -> str:
    """A document with the walk as it now is."""
    before, rest = text.split(BEGIN)
    _, after = rest.split(END)
    return before + "\n".join([BEGIN, "", *table(), "", END]) + after


if __name__ == "__main__":
    DOCUMENT.write_text(with_walk(DOCUMENT.read_text()))
    sys.exit(0)
