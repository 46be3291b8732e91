"""Catalogue entries that go from garage to garage: a ZIP of YAML files with their JSON Schema and checksums.

``manifest.json`` names every entry with its file and the SHA-256 of that; ``schema/KIND.json`` says what each kind's
file may hold. Pages of a manufacturer, people and records are never part of it.
"""

import hashlib
import io
import json
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal

import yaml

from escuadra.catalogue.library import Catalogue, CatalogueError, Entry, entry, hold_together, read_text
from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.said import Said, said
from escuadra.core.procedure.entries import KINDS
from escuadra.core.procedure.sheet import Procedure

FORMAT, VERSION = "escuadra catalogue bundle", 1
MANIFEST = "manifest.json"
MOST_BYTES, MOST_FILES, MOST_FILE_BYTES, MOST_UNFOLDED = 20_000_000, 1_000, 1_000_000, 60_000_000
State = Literal["new", "changed", "same", "older", "refused"]


@dataclass(frozen=True)
class Offered:
    """An entry of a bundle, and what taking it in would come to."""

    file: str
    kind: str
    id: str
    state: State
    entry: Entry | None = None
    here: int = 0
    """The revision in use here; 0: none."""
    why: Said | None = None
    """Why it is refused."""


def as_yaml(content: Any) -> str:
    """An entry's content as a catalogue file."""
    data = content.model_dump(mode="json", exclude_none=True)
    return yaml.safe_dump(data, sort_keys=False, allow_unicode=True, width=100)


def with_named(entries: Iterable[Entry], catalogue: Catalogue) -> list[Entry]:
    """Entries with what they name: a procedure's vehicle, targets and stands."""
    found = {(one.kind, one.id): one for one in entries}
    for one in list(found.values()):
        if isinstance(one.content, Procedure):
            found |= {key: known for key in one.content.names if (known := catalogue.entries.get(key)) is not None}
    return [found[key] for key in sorted(found)]


def packed(entries: Iterable[Entry]) -> bytes:
    """A bundle of entries: the same for the same entries."""
    out, told, kinds = io.BytesIO(), [], set()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:

        def put(name: str, text: str) -> None:
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), text, zipfile.ZIP_DEFLATED)

        for one in entries:
            name, text = f"{one.kind}s/{one.id.casefold()}.yaml", as_yaml(one.content)
            kinds.add(one.kind)
            digest = hashlib.sha256(text.encode()).hexdigest()
            told.append({"file": name, "kind": one.kind, "id": one.id, "revision": one.revision, "sha256": digest})
            put(name, text)
        for kind in sorted(kinds):
            put(f"schema/{kind}.json", json.dumps(KINDS[kind].model_json_schema(), indent=1, ensure_ascii=False))
        put(MANIFEST, json.dumps({"format": FORMAT, "version": VERSION, "entries": told}, indent=1, ensure_ascii=False))
    return out.getvalue()


def unpacked(content: bytes, catalogue: Catalogue) -> list[Offered]:
    """What a bundle offers this garage; raises ``BadInput`` for what is none, or is changed since it was packed."""
    texts, told = _texts(content)
    found: list[Offered] = []
    for one in told:
        name, kind, id = (str(one.get(part, "")) for part in ("file", "kind", "id"))
        if kind not in KINDS or name not in texts:
            raise BadInput("file", name or kind, said("wants.bundle_whose_files_are_there"))
        if hashlib.sha256(texts[name].encode()).hexdigest() != one.get("sha256"):
            raise BadInput("file", name, said("wants.bundle_as_it_was_packed"))
        found.append(_offered(name, kind, id, texts[name], catalogue))
    together = {**catalogue.entries, **{(o.kind, o.id): o.entry for o in found if o.entry is not None}}
    return [_held(one, Catalogue(together)) for one in found]


def _texts(content: bytes) -> tuple[dict[str, str], list[dict[str, Any]]]:
    """The files of a bundle, and what its manifest tells of them."""
    if len(content) > MOST_BYTES:
        raise BadInput("file", len(content), said("wants.smaller_bundle"))
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            infos = archive.infolist()
            sizes = [info.file_size for info in infos]
            if len(infos) > MOST_FILES or sum(sizes) > MOST_UNFOLDED or max(sizes, default=0) > MOST_FILE_BYTES:
                raise BadInput("file", len(infos), said("wants.smaller_bundle"))
            texts = {info.filename: archive.read(info).decode("utf-8") for info in infos if not info.is_dir()}
        manifest = json.loads(texts.get(MANIFEST, ""))
        told = manifest["entries"]
        if manifest["format"] != FORMAT or manifest["version"] != VERSION or not isinstance(told, list):
            raise ValueError
        return texts, [one for one in told if isinstance(one, dict)]
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, ValueError, KeyError, TypeError, EOFError) as cause:
        if isinstance(cause, BadInput):
            raise
        raise BadInput("file", "", said("wants.bundle")) from cause


def _offered(name: str, kind: str, id: str, text: str, catalogue: Catalogue) -> Offered:
    known = catalogue.entries.get((kind, id))
    here = known.revision if known is not None else 0
    try:
        found = entry(kind, read_text(text, name, name, KINDS[kind]))
    except CatalogueError as cause:
        return Offered(name, kind, id, "refused", here=here, why=refusal(cause))
    if found.id != id:
        return Offered(name, kind, id, "refused", here=here, why=said("wants.entry_as_the_manifest_names"))
    state: State = "new" if known is None else "same" if known.hash == found.hash else "changed"
    if known is not None and found.revision < known.revision:
        state = "older"
    return Offered(name, kind, id, state, found, here)


def _held(one: Offered, together: Catalogue) -> Offered:
    """Refused where what it names is neither here nor in the bundle, or no sheet follows from it."""
    if one.entry is None or not isinstance(one.entry.content, Procedure):
        return one
    try:
        hold_together(together, one.entry.content, worked_out=True)
    except BadInput as cause:
        return Offered(one.file, one.kind, one.id, "refused", here=one.here, why=refusal(cause))
    return one
