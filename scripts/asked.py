"""What can be asked of a garage, from the registry of commands: written into docs/commands.md.

``make rooms`` writes it; a test compares.
"""

import importlib
import pkgutil
import sys
from pathlib import Path

from escuadra import commands
from escuadra.commands.command import VisitCommand, registered
from escuadra.core.house import DUTIES

DOCUMENT = Path(__file__).parent.parent / "docs/commands.md"
BEGIN, END = "<!-- commands: made by make rooms -->", "<!-- end of commands -->"


def table() -> list[str]:
    """A row a command."""
    for found in pkgutil.iter_modules(commands.__path__):
        importlib.import_module(f"{commands.__name__}.{found.name}")
    rows = ["| command | what is asked | who may ask | of | module |", "|---|---|---|---|---|"]
    for name, command in registered().items():
        may = [role for role, duties in DUTIES.items() if command.duty in duties]
        who = "whoever works here" if command.duty is None else f"may *{command.duty}*: {', '.join(may)}"
        of = "a calibration" if issubclass(command, VisitCommand) else ""
        what = (command.__doc__ or "").partition("\n\n")[0].replace("\n", " ").replace("``", "`")
        module = command.__module__.rpartition(".")[2]
        rows.append(f"| `{name}` | {' '.join(what.split())} | {who} | {of} | `{module}` |")
    return rows


def with_commands(text: str) -> str:
    """A document with the table as it now is."""
    before, rest = text.split(BEGIN)
    _, after = rest.split(END)
    return before + "\n".join([BEGIN, "", *table(), "", END]) + after


if __name__ == "__main__":
    DOCUMENT.write_text(with_commands(DOCUMENT.read_text(encoding="utf-8")), encoding="utf-8")
    sys.exit(0)
