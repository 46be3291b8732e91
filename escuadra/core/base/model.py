"""The base of every input and result: frozen, strict about unknown fields, finite numbers only."""

from typing import Annotated, Any, Self, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from escuadra.core.base.errors import bad_input
from escuadra.core.base.given import readable

LARGEST = 1e9
"""Beyond this no length in millimetres, angle or speed of this trade makes sense."""

Number = Annotated[float, Field(ge=-LARGEST, le=LARGEST, strict=False)]
NotNegative = Annotated[float, Field(ge=0, le=LARGEST)]
Positive = Annotated[float, Field(gt=0, le=LARGEST)]

Line = Annotated[str, AfterValidator(lambda text: readable(text, "text", lines=False))]
"""One line of text that somebody typed: no control characters in it."""

CatalogueText = str | dict[str, str]
"""A text of the catalogue, in one language or by language: ``{en: front camera, es: cámara delantera}``."""

M = TypeVar("M", bound=BaseModel)


def read_as(model: type[M], data: Any) -> M:
    """Plain data as a model; raises ``BadInput`` that names the field."""
    try:
        return model.model_validate(data)
    except ValidationError as error:
        raise bad_input(error) from error


class Frozen(BaseModel):
    """A value: never changed after it was made."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        allow_inf_nan=False,
        populate_by_name=True,
        serialize_by_alias=True,
        defer_build=True,
    )

    @classmethod
    def read(cls, data: Any) -> Self:
        """Validate plain data; raises ``BadInput`` that names the field."""
        return read_as(cls, data)

    def plain(self) -> dict[str, Any]:
        """As JSON-ready data, without what was never set."""
        return self.model_dump(mode="json", exclude_unset=True)
