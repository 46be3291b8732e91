"""What every entry of the catalogue is: its id and revision, where its figures come from, and what nobody knew."""

from typing import Any, Self

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer, model_validator

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Line
from escuadra.core.base.said import said

MOST_SOURCES = 2000
UNSAID = ("sources", "assumed", "years")
"""Not written where nothing is said of them: they came after the first entries."""


class FigureSource(Frozen):
    """Where a figure was read: a document, a page of it, the day it was read."""

    document: Line = Field(min_length=1, max_length=120)
    page: Line = Field("", max_length=40)
    day: Line = Field("", max_length=20)


class CatalogueEntry(Frozen):
    """An entry of the catalogue, whatever it is of."""

    id: str
    revision: int = Field(ge=1)
    sources: dict[str, FigureSource] = Field({}, description="where figures come from, each by the way to it")
    assumed: list[str] = Field([], description="figures that nobody knew: a usual value stands in for them")

    @model_serializer(mode="wrap")
    def _without_nothing(self, plain: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """What nobody said of sources and assumptions is not written: a content has one hash, before and after."""
        data: dict[str, Any] = plain(self)
        return {name: value for name, value in data.items() if value or name not in UNSAID}

    @model_validator(mode="after")
    def _few(self) -> Self:
        if len(self.sources) > MOST_SOURCES:
            raise BadInput("sources", len(self.sources), said("wants.fewer_sources", most=MOST_SOURCES))
        return self
