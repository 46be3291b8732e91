"""Loading the catalogue from YAML folders, with errors that name file, line and field.

A folder a kind (procedures, vehicles, targets, frames, tools), a file an entry. Later folders win over earlier ones,
so that a garage's own sheet stands before a practice sheet of the same id. An entry is immutable: its hash is that of
its canonical content.
"""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

import escuadra.core.job.checks  # noqa: F401  (registers the kinds of check that a procedure may list)
from escuadra.core.errors import BadInput, bad_input
from escuadra.core.job.events import canonical
from escuadra.core.model import Frozen
from escuadra.core.procedure import Procedure
from escuadra.core.profiles import FrameProfile, Target, VehicleModel
from escuadra.core.tool import Tool

Loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
"""The safe loader, in C where the library was built with it."""
PRACTICE = Path(__file__).parent / "practice"
KINDS: dict[str, type[Frozen]] = {
    "procedure": Procedure,
    "vehicle": VehicleModel,
    "target": Target,
    "frame": FrameProfile,
    "tool": Tool,
}


class CatalogueError(BadInput):
    """A catalogue file that is refused: names file, line and field."""


@dataclass(frozen=True)
class Entry:
    """A catalogue entry as it was loaded."""

    kind: str
    id: str
    revision: int
    hash: str
    content: Any

    @property
    def text(self) -> str:
        """Canonical JSON of its content."""
        return canonical(self.content.model_dump(mode="json"))


def entry(kind: str, content: Any) -> Entry:
    """An entry of a validated content."""
    text = canonical(content.model_dump(mode="json"))
    return Entry(kind, content.id, content.revision, hashlib.sha256(text.encode()).hexdigest(), content)


@dataclass(frozen=True)
class Catalogue:
    """Everything that can be chosen for a new job."""

    entries: dict[tuple[str, str], Entry]

    def all(self, kind: str) -> list[Entry]:
        """All entries of a kind, by id."""
        return sorted((e for (k, _), e in self.entries.items() if k == kind), key=lambda e: e.id)

    def get(self, kind: str, id: str) -> Entry:
        """An entry; raises ``BadInput`` for an unknown one."""
        if kind not in KINDS:
            raise BadInput("kind", kind, f"one of {', '.join(KINDS)}")
        found = self.entries.get((kind, id))
        if found is None:
            known = ", ".join(e.id for e in self.all(kind)) or "nothing yet"
            raise BadInput(kind, id, f"one of the catalogue: {known}")
        return found


def load(folders: Iterable[Path]) -> Catalogue:
    """Load folders in order; raises ``CatalogueError`` for the first file that is refused."""
    entries: dict[tuple[str, str], Entry] = {}
    for folder in folders:
        for kind, model in KINDS.items():
            for path in sorted((folder / f"{kind}s").glob("*.yaml")):
                found = entry(kind, read_file(path, model))
                entries[kind, found.id] = found
    catalogue = Catalogue(entries)
    for procedure in catalogue.all("procedure"):
        catalogue.get("vehicle", procedure.content.vehicle)
        for target in procedure.content.targets:
            catalogue.get("target", target)
    return catalogue


def read_file(path: Path, model: type[Frozen]) -> Frozen:
    """One validated entry; raises ``CatalogueError`` with file, line and field."""
    text = path.read_text(encoding="utf-8")
    try:
        data = yaml.load(text, Loader=Loader)
    except yaml.MarkedYAMLError as error:
        line = error.problem_mark.line + 1 if error.problem_mark else 1
        raise CatalogueError(path.name, str(error.problem), "well-formed YAML", f"{path}:{line}") from error
    try:
        return model.model_validate(data)
    except ValidationError as error:
        detail = error.errors(include_url=False)[0]
        cause = bad_input(error)
        loc = cause.where.split(".") if detail["type"] == "value_error" else detail["loc"]
        where = f"{path}:{_line(yaml.compose(text, Loader=Loader), loc)}: {cause.where}"
        raise CatalogueError(cause.field, cause.given, cause.accepted, where) from error


def _line(node: Any, loc: Iterable[Any]) -> int:
    """The line of the deepest part of ``loc`` that the document has."""
    for part in loc:
        if isinstance(node, yaml.MappingNode):
            child = next((v for k, v in node.value if k.value == str(part)), None)
        elif isinstance(node, yaml.SequenceNode) and str(part).isdigit() and int(part) < len(node.value):
            child = node.value[int(part)]
        else:
            child = None
        if child is None:
            break
        node = child
    return int(node.start_mark.line) + 1 if node is not None else 1
