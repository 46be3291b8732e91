"""Procedure sheets, vehicle models, targets, frames and instruments: loaded, validated, pinned by content."""

from escuadra.catalogue.library import Catalogue, CatalogueError, Entry, load

__all__ = ["Catalogue", "CatalogueError", "Entry", "load"]
