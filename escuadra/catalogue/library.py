"""Loading the catalogue from YAML folders, with errors that name file, line and field.

A folder a kind (procedures, vehicles, targets, frames, tools), a file an entry. Later folders win over earlier ones,
so that a garage's own sheet stands before a practice sheet of the same id. An entry is immutable: its hash is that of
its canonical content.
"""

import hashlib
import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cache, cached_property, partial
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

import escuadra.core.visit.checks  # noqa: F401  (registers the kinds of check that a procedure may list)
from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.errors import BadInput, bad_input
from escuadra.core.base.said import said
from escuadra.core.base.stream import canonical
from escuadra.core.procedure.entries import KINDS, KNOWN_KINDS, Head, head_of
from escuadra.core.procedure.profiles import FrameProfile
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.log.state import State
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.sheet import derive

Loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
"""The safe loader, in C where the library was built with it."""
PRACTICE = Path(__file__).parent / "practice"
COMPILED = PRACTICE.with_suffix(".json")
"""What ships there as it is read at start."""


class CatalogueError(BadInput):
    """A catalogue file that is refused: names file, line and field."""


@dataclass(frozen=True)
class Later:
    """Content that is read when somebody asks."""

    read: Callable[[], Any]


@dataclass(frozen=True)
class Entry:
    """A catalogue entry as it was loaded."""

    kind: str
    id: str
    revision: int
    hash: str
    holds: Any = field(repr=False)
    """Its content, or ``Later``: what reads it."""
    practice: bool = False
    """It ships with made-up figures."""
    told: Head | None = field(default=None, repr=False, compare=False)
    """What a list tells of it, where that is known without its content."""
    path: Path | None = field(default=None, repr=False, compare=False)
    """Its file, where it was read from one."""

    @property
    def content(self) -> Any:
        """What it says."""
        return self.holds.read() if isinstance(self.holds, Later) else self.holds

    @cached_property
    def head(self) -> Head:
        """What a list tells of it."""
        return self.told or head_of(self.content.model_dump(mode="json"))

    @property
    def text(self) -> str:
        """Canonical JSON of its content."""
        return canonical(self.content.model_dump(mode="json"))


def entry(kind: str, content: Any, practice: bool = False, path: Path | None = None) -> Entry:
    """An entry of a validated content."""
    text = canonical(content.model_dump(mode="json"))
    digest = hashlib.sha256(text.encode()).hexdigest()
    return Entry(kind, content.id, content.revision, digest, content, practice, path=path)


@dataclass(frozen=True)
class Catalogue:
    """Everything that can be chosen for a new job."""

    entries: dict[tuple[str, str], Entry]
    refused: tuple[CatalogueError, ...] = ()
    """Files that were left out, and why."""

    def all(self, kind: str) -> list[Entry]:
        """All entries of a kind, by id."""
        return list(self.by_kind.get(kind, []))

    @cached_property
    def by_kind(self) -> dict[str, list[Entry]]:
        """The entries of each kind, by id."""
        found: dict[str, list[Entry]] = {}
        for entry in sorted(self.entries.values(), key=lambda e: e.id):
            found.setdefault(entry.kind, []).append(entry)
        return found

    @cached_property
    def searched(self) -> dict[str, list[tuple[str, Entry]]]:
        """Of each kind the words that each entry is found by; a procedure by its vehicle's words too."""
        models = {entry.id: entry.head.words for entry in self.by_kind.get("vehicle", [])}
        return {
            kind: [(f"{entry.head.words} {models.get(entry.head.vehicle, '')}", entry) for entry in entries]
            for kind, entries in self.by_kind.items()
        }

    def found(self, kind: str, asked: str) -> list[Entry]:
        """Entries of a kind of which all words of a text are told, by id."""
        found = self.searched.get(kind, [])
        for word in asked.casefold().split():
            found = [pair for pair in found if word in pair[0]]
        return [entry for _, entry in found]

    def sheets_of(self, vehicle: str) -> list[Entry]:
        """The procedures of a vehicle, by id."""
        return [entry for entry in self.by_kind.get("procedure", []) if entry.head.vehicle == vehicle]

    def get(self, kind: str, id: str) -> Entry:
        """An entry; raises ``BadInput`` for an unknown one."""
        if kind not in KINDS:
            raise BadInput("kind", kind, said("wants.one", names=KNOWN_KINDS))
        found = self.entries.get((kind, id))
        if found is None:
            known = ", ".join(e.id for e in self.all(kind)) or said("catalogue.library.nothing_yet")
            raise BadInput(kind, id, said("wants.one_catalogue", known=known))
        return found


def load(folders: Iterable[Path]) -> Catalogue:
    """Load folders in order; a file that is refused is left out and told in ``refused``.

    What ships is held together by the tests; a garage's own sheet is worked out once without a reading, so that one
    that no job could follow is refused here and not on the day.
    """
    entries: dict[tuple[str, str], Entry] = {}
    refused: list[CatalogueError] = []
    for folder in folders:
        found, wrong = (practised(), []) if folder == PRACTICE else read(folder)
        entries.update(found)
        refused += wrong
    for key, one in list(entries.items()):
        if one.kind != "procedure" or one.practice:
            continue
        try:
            hold_together(Catalogue(entries), one.content, worked_out=True)
        except BadInput as error:
            del entries[key]
            refused.append(CatalogueError(error.field, error.given, error.accepted, f"{one.path}: {error.where}"))
    return Catalogue(entries, tuple(refused))


def read(folder: Path) -> tuple[dict[tuple[str, str], Entry], list[CatalogueError]]:
    """The entries of a folder's files, and the files that were refused."""
    entries: dict[tuple[str, str], Entry] = {}
    refused: list[CatalogueError] = []
    for kind, model in KINDS.items():
        for path in sorted((folder / f"{kind}s").glob("*.yaml")):
            try:
                found = entry(kind, read_file(path, model), folder == PRACTICE, path)
            except CatalogueError as error:
                refused.append(error)
                continue
            entries[kind, found.id] = found
    return entries, refused


@cache
def practised() -> dict[tuple[str, str], Entry]:
    """The practice entries as they were compiled: the content of each is made when somebody first asks for it."""
    found = {}
    for one in json.loads(COMPILED.read_text(encoding="utf-8")):
        later = Later(cache(partial(KINDS[one["kind"]].model_validate_json, json.dumps(one["content"]))))
        told = Head(**one["told"])
        found[one["kind"], one["id"]] = Entry(one["kind"], one["id"], one["revision"], one["hash"], later, True, told)
    return found


def hold_together(catalogue: Catalogue, procedure: Procedure, worked_out: bool) -> None:
    """A procedure finds what it names and, where ``worked_out``, a sheet follows from it; raises ``BadInput``."""
    for kind, id in procedure.names:
        catalogue.get(kind, id)
    frame = next((e.content for e in catalogue.all("frame")), None)
    if not worked_out or frame is None:
        return
    plan = plan_from(catalogue, procedure, frame)
    for id, why in derive(State(), plan, 0).underivable.items():
        raise BadInput(f"checks.{id}", procedure.id, said("wants.check_can_judged", id=plan.vehicle.id, why=why))


def plan_from(catalogue: Catalogue, procedure: Procedure, frame: FrameProfile) -> Plan:
    """What a procedure is judged by with a frame; raises ``BadInput`` for what the catalogue has not."""
    targets = {id: catalogue.get("target", id).content for id in procedure.targets}
    stands = {id: catalogue.get("stand", id).content for id in procedure.stands}
    vehicle, target = catalogue.get("vehicle", procedure.vehicle).content, targets[procedure.mounting.target]
    return Plan(procedure, vehicle, target, frame, targets=targets, stands=stands)


def read_file(path: Path, model: type[CatalogueEntry]) -> CatalogueEntry:
    """One validated entry; raises ``CatalogueError`` with file, line and field."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        given = getattr(error, "strerror", None) or said("catalogue.library.bytes_no_utf_8")
        raise CatalogueError(path.name, given, said("catalogue.library.yaml_file_utf_8"), str(path)) from error
    return read_text(text, str(path), path.name, model)


def read_text(text: str, path: str, name: str, model: type[CatalogueEntry]) -> CatalogueEntry:
    """One validated entry of a file's text; raises ``CatalogueError`` with file, line and field."""
    try:
        data = yaml.load(text, Loader=Loader)
    except (yaml.YAMLError, RecursionError, ValueError) as error:
        mark = getattr(error, "problem_mark", None)
        problem = str(getattr(error, "problem", "") or error or said("catalogue.library.nested_too_deep"))
        raise CatalogueError(
            name, problem, said("catalogue.library.well_formed_yaml"), f"{path}:{mark.line + 1 if mark else 1}"
        ) from error
    try:
        return model.model_validate(data)
    except ValidationError as error:
        detail = error.errors(include_url=False)[0]
        cause = bad_input(error)
        loc = str(cause.where).split(".") if detail["type"] == "value_error" else detail["loc"]
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
