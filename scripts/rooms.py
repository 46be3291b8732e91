"""The rooms of the house as their own imports and first lines tell them: written into docs/architecture.md.

``make rooms`` writes it; a test compares.
"""

import ast
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
PACKAGE, DOCUMENT = ROOT / "escuadra", ROOT / "docs/architecture.md"
BEGIN, END = "<!-- rooms: made by make rooms -->", "<!-- end of rooms -->"


def rooms_under(folder: Path) -> list[Path]:
    """Folders that hold modules, and modules that stand alone."""
    found = [path for path in folder.iterdir() if path.is_dir() and (path / "__init__.py").exists()]
    return sorted([*found, *(path for path in folder.glob("*.py") if path.stem != "__init__")])


def modules(room: Path) -> list[Path]:
    """All modules of a room."""
    return sorted(room.rglob("*.py")) if room.is_dir() else [room]


def purpose(room: Path) -> str:
    """What a room says it is for."""
    opening = room / "__init__.py" if room.is_dir() else room
    return (
        (ast.get_docstring(ast.parse(opening.read_text())) or "").split("\n\n")[0].replace("\n", " ").replace("``", "`")
    )


def imported(path: Path) -> set[str]:
    """Every module of the package that a module imports anywhere, types included, and what it takes from there."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(PACKAGE.name):
            found |= {f"{node.module}.{name.name}" for name in node.names}
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
    return found


def table(folder: Path) -> list[str]:
    """A row a room: its name, what it is for, how large it is, and which of its neighbours it stands on."""
    rooms = rooms_under(folder)
    dotted = {room: ".".join(room.relative_to(ROOT).with_suffix("").parts) for room in rooms}
    on = {
        room: {
            other
            for path in modules(room)
            for name in imported(path)
            for other in rooms
            if other != room and f"{name}.".startswith(f"{dotted[other]}.")
        }
        for room in rooms
    }
    # The lowest first: whatever a room stands on comes before it.
    depth: dict[Path, int] = {}

    def floor(room: Path) -> int:
        if room not in depth:
            depth[room] = 1 + max((floor(other) for other in on[room]), default=0)
        return depth[room]

    rows = ["| room | what it is for | modules | stands on |", "|---|---|---|---|"]
    for room in sorted(rooms, key=lambda room: (floor(room), room.name)):
        below = sorted(on[room], key=lambda other: (floor(other), other.name))
        name = room.name + ("/" if room.is_dir() else "")
        named = ", ".join(f"`{other.stem}`" for other in below) or "nothing"
        rows.append(f"| `{name}` | {purpose(room)} | {len(modules(room))} | {named} |")
    return rows


def written() -> str:
    """The whole part of the document."""
    whole = ["**The house, from the ground up**", "", *table(PACKAGE)]
    core = ["", "**The core's rooms, from the ground up**", "", *table(PACKAGE / "core")]
    return "\n".join([BEGIN, "", *whole, *core, "", END])


def with_rooms(text: str) -> str:
    """A document with that part as it now is."""
    before, rest = text.split(BEGIN)
    _, after = rest.split(END)
    return before + written() + after


if __name__ == "__main__":
    DOCUMENT.write_text(with_rooms(DOCUMENT.read_text()))
    sys.exit(0)
