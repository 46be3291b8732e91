"""What is said, as a code with its values: the core knows no language, ``words`` makes the sentence.

A value is a figure with the decimals that its uncertainty leaves meaningful, a noun by its code, a name as given, or
whole sentences. Unit, separators, plural and the order of words belong to the language.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import ClassVar, Union


@dataclass(frozen=True)
class Figure:
    """A figure in its own unit, with so many decimals; none: as fine as the trade reads it."""

    value: float
    decimals: int | None = None
    unit: ClassVar[str] = ""


@dataclass(frozen=True)
class Length(Figure):
    """Millimetres."""

    unit: ClassVar[str] = "mm"


@dataclass(frozen=True)
class Angle(Figure):
    """Degrees."""

    unit: ClassVar[str] = "°"


@dataclass(frozen=True)
class Slope(Figure):
    """Percent."""

    unit: ClassVar[str] = "%"


@dataclass(frozen=True)
class Mass(Figure):
    """Kilograms."""

    unit: ClassVar[str] = "kg"


@dataclass(frozen=True)
class Pressure(Figure):
    """Kilopascals."""

    unit: ClassVar[str] = "kPa"


@dataclass(frozen=True)
class Voltage(Figure):
    """Volts."""

    unit: ClassVar[str] = "V"


@dataclass(frozen=True)
class Duration(Figure):
    """Minutes."""

    unit: ClassVar[str] = "min"


@dataclass(frozen=True)
class Probability(Figure):
    """A share of one, said in percent."""

    unit: ClassVar[str] = "p"


@dataclass(frozen=True)
class Directed:
    """A signed figure of which the language says the direction: the code of its axis, such as ``roll``."""

    figure: Figure
    axis: str


@dataclass(frozen=True)
class Turns:
    """Turns of a screw, a foot or a crank: to a tenth, or in eighths as they are counted by hand."""

    value: float
    eighths: bool = False


@dataclass(frozen=True)
class Count:
    """How many."""

    value: int


@dataclass(frozen=True)
class Noun:
    """A thing of the trade by its code; the language has its forms."""

    code: str


@dataclass(frozen=True)
class Name:
    """A name as it was given: of a place, a person, an instrument, or a text of a catalogue by language."""

    text: str | Mapping[str, str]


@dataclass(frozen=True)
class Sentences:
    """Whole sentences, one after the other."""

    said: tuple["Said", ...] = ()

    def __add__(self, other: "Sentences") -> "Sentences":
        return Sentences((*self.said, *other.said))

    def __bool__(self) -> bool:
        return bool(self.said)


@dataclass(frozen=True)
class Nouns:
    """Several things in a row: the language parts them."""

    all: tuple[Noun | Name, ...]


Value = Union[Figure, Directed, Turns, Count, Noun, Name, Nouns, Sentences]  # noqa: UP007


@dataclass(frozen=True)
class Said:
    """A code with its values."""

    code: str
    values: Mapping[str, Value] = field(default_factory=dict)

    def __hash__(self) -> int:
        return hash((self.code, tuple(sorted(self.values))))


def said(code: str, **values: Value | None) -> Said:
    """What is said, by its code; values that are none are left out."""
    return Said(code, {name: value for name, value in values.items() if value is not None})


def sentences(*parts: Said | None) -> Sentences:
    """Whole sentences, those that are none left out."""
    return Sentences(tuple(part for part in parts if part is not None))


def nouns(parts: Sequence[Noun | Name]) -> Nouns:
    """Several things in a row."""
    return Nouns(tuple(parts))


def as_told(text: str) -> Sentences:
    """A text as somebody gave it; nothing for an empty one."""
    return sentences(said("as_told", text=Name(text))) if text else Sentences()


FIGURE_OF: dict[str, type[Figure]] = {
    kind.unit: kind for kind in (Length, Angle, Slope, Mass, Pressure, Voltage, Duration, Probability)
}
"""The kind of figure that a unit says."""
