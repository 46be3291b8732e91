"""Catalogue entries that are written here, a row each."""

from dataclasses import dataclass

from sqlalchemy import Connection, select

from escuadra.store.tables import draft


@dataclass(frozen=True)
class DraftRow:
    """An entry as a list tells it; ``revision`` 0: nothing of it was released."""

    kind: str
    id: str
    title: str
    vehicle: str
    note: str
    words: str
    person: str
    at: int
    revision: int
    hash: str
    withdrawn: int
    changed: int
    again: str
    """The day after which it is looked at again; empty: none."""

    @property
    def in_use(self) -> bool:
        """A revision of it can be chosen."""
        return self.revision > 0 and not self.withdrawn


def drafts(connection: Connection) -> list[DraftRow]:
    """All of them, by kind and id."""
    return [DraftRow(*row) for row in connection.execute(select(draft).order_by(draft.c.kind, draft.c.id))]
