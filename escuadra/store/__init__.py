"""The append-only event log, the catalogue's pins, the garage's people and the file store."""

from escuadra.store.database import Store
from escuadra.store.files import FileStore
from escuadra.store.log import Row

__all__ = ["FileStore", "Row", "Store"]
