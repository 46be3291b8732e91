"""Content that is kept for good by its hash, as visits and bays use it; the stream of its entry says so."""

import hashlib
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import Connection, bindparam, select

from escuadra.core.base.model import Frozen
from escuadra.core.base.stream import Person, canonical
from escuadra.core.house import EntryKept, entry_stream
from escuadra.store import dialect
from escuadra.store.streams import Streams
from escuadra.store.tables import pinned

_TEXT = select(pinned.c.text).where(pinned.c.hash == bindparam("digest"))


@dataclass(frozen=True)
class Content:
    """Canonical text of an entry, with the hash by which it is referred to."""

    hash: str
    kind: str
    id: str
    revision: int
    text: str

    @staticmethod
    def of(kind: str, id: str, content: Frozen) -> "Content":
        """A value as it is kept: by the SHA-256 of its canonical JSON."""
        text = canonical(content.model_dump(mode="json"))
        return Content(hashlib.sha256(text.encode()).hexdigest(), kind, id, 1, text)


class Pins:
    """Kept content within one transaction."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def text(self, digest: str) -> str | None:
        """The canonical text behind a hash."""
        found: Any = self.connection.execute(_TEXT, {"digest": digest}).scalar()
        return None if found is None else str(found)

    def put(self, content: Content) -> None:
        """Keep an entry whose stream says so itself."""
        self.connection.execute(dialect.once(self.connection.dialect.name, pinned), asdict(content))

    def keep(self, content: Content, at: int, who: Person) -> None:
        """Keep an entry, once; its stream says when it was first used, and by whom."""
        if self.text(content.hash) is not None:
            return
        self.put(content)
        digest = hashlib.sha256(content.text.encode()).hexdigest()
        said = EntryKept(
            kind=content.kind,
            id=content.id,
            revision=content.revision,
            hash=content.hash,
            content="" if digest == content.hash else digest,
        )
        Streams(self.connection).enter(entry_stream(content.kind, content.id), content.hash, at, who, said)
