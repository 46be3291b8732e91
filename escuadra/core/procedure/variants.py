"""What tells the variants of a vehicle model apart, how one verifies it, and what differs.

The wrong sheet for the right model is worse than none. A variant states only what differs from its model; an option
that belongs to no variant is one that no sheet here covers, and is refused in words.
"""

from typing import Any, Literal

from pydantic import Field

from escuadra.core.base.model import CatalogueText, Frozen

Picture = Literal[
    "one_lens", "two_lenses", "three_lenses", "low_stance", "raised_stance", "no_radar", "radar", "mirror", ""
]
Source = Literal["look", "label", "code", "scan"]
SOURCES: tuple[Source, ...] = ("look", "label", "code", "scan")
"""How an answer was verified: seen by eye, read off a label, from an option code, from the units' own answers."""


class Option(Frozen):
    """One of the answers."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: CatalogueText
    picture: Picture = ""


class VinPlace(Frozen):
    """What a place of the vehicle identification number says of it."""

    place: int = Field(ge=1, le=17)
    means: dict[str, str] = Field(description="character: id of the option")


class Question(Frozen):
    """What has to be known of this very vehicle."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    asks: CatalogueText
    where: CatalogueText = Field(description="where to look, or what to read")
    options: list[Option] = Field(min_length=2)
    vin: VinPlace | None = None

    def told_by(self, vin: str) -> str:
        """The option that the vehicle identification number tells; empty: none."""
        if self.vin is None or len(vin) < self.vin.place:
            return ""
        return self.vin.means.get(vin[self.vin.place - 1].upper(), "")

    def option(self, id: str) -> Option | None:
        """One of its options."""
        return next((option for option in self.options if option.id == id), None)


class Variant(Frozen):
    """A variant of a model, by its answers, and what of the model differs."""

    id: str
    name: str
    when: dict[str, list[str]] = Field(description="question: the options that it has")
    differs: dict[str, Any] = Field({}, description="fields of the model with what they are here")
