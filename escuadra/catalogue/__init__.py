"""Procedure sheets, vehicle models, targets, frames, stands and instruments: loaded, validated, pinned by content."""

from escuadra.catalogue.library import Catalogue, CatalogueError, Entry, load
from escuadra.catalogue.shelf import Shelf, upon

__all__ = ["Catalogue", "CatalogueError", "Entry", "Shelf", "load", "upon"]
