"""The append-only streams, what is projected from them, pinned content and the file store."""

from escuadra.store.database import Store
from escuadra.store.files import FileStore
from escuadra.store.repositories.pins import Content
from escuadra.store.repositories.visits import Log, Row

__all__ = ["Content", "FileStore", "Log", "Row", "Store"]
