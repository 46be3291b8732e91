"""What is said, as a code with its values: the core knows no language, ``words`` makes the sentence.

A value is a figure with the decimals that its uncertainty leaves meaningful, a noun by its code, a name as given, or
whole sentences. Unit, separators, plural and the order of words belong to the language.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, Union


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
class Temperature(Figure):
    """Degrees Celsius."""

    unit: ClassVar[str] = "°C"


@dataclass(frozen=True)
class Metres(Figure):
    """Metres: places in a bay, lengths of a beam's way."""

    unit: ClassVar[str] = "m"


@dataclass(frozen=True)
class Centimetres(Figure):
    """Centimetres: what a tape in centimetres shows."""

    unit: ClassVar[str] = "cm"


@dataclass(frozen=True)
class BeamError(Figure):
    """How far a beam leaves its true way: millimetres in ten metres."""

    unit: ClassVar[str] = "mm/10m"


@dataclass(frozen=True)
class Plain(Figure):
    """A figure without a unit."""

    unit: ClassVar[str] = ""


@dataclass(frozen=True)
class Signed(Plain):
    """A figure without a unit, with its sign before it: what is left over of a reading."""


@dataclass(frozen=True)
class PlusMinus:
    """An expanded uncertainty, said as what lies on either side."""

    figure: Figure


@dataclass(frozen=True)
class Way:
    """The direction alone of a signed figure: the code of its axis and its sign."""

    axis: str
    positive: bool


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

    def __hash__(self) -> int:
        return hash(self.text if isinstance(self.text, str) else frozenset(self.text.items()))


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
    """Several things in a row: the language parts them, by "and", by "or", or by commas alone."""

    all: tuple["Value", ...]
    by: Literal["and", "or", "comma"] = "and"

    def __bool__(self) -> bool:
        return bool(self.all)


@dataclass(frozen=True)
class Said:
    """A code with its values."""

    code: str
    values: Mapping[str, "Value"] = field(default_factory=dict)

    def __hash__(self) -> int:
        return hash((self.code, frozenset(self.values.items())))

    @classmethod
    def __get_pydantic_core_schema__(cls, _source: Any, _handler: Any) -> Any:
        from pydantic_core import core_schema

        return core_schema.no_info_plain_validator_function(
            lambda given: given if isinstance(given, Said) else from_data(given),
            serialization=core_schema.plain_serializer_function_ser_schema(as_data),
        )

    @classmethod
    def __get_pydantic_json_schema__(cls, _schema: Any, _handler: Any) -> dict[str, Any]:
        return {"type": "object", "properties": {"code": {"type": "string"}, "values": {"type": "object"}}}


Value = Union[  # noqa: UP007
    Figure, PlusMinus, Way, Directed, Turns, Count, Noun, Name, Nouns, Sentences, Said
]
VALUES = (Figure, PlusMinus, Way, Directed, Turns, Count, Noun, Name, Nouns, Sentences, Said)
"""Every kind of value."""
Given = Value | str | int | Mapping[str, str]
"""A value, a name as it is, or how many."""
Text = Said | Noun | Name
"""What a thing is called."""


def as_value(given: Given) -> Value:
    """A name or a number as a value; what is one already as it is."""
    if isinstance(given, VALUES):
        return given
    return Count(given) if isinstance(given, int) else Name(given)


def said(code: str, /, **values: Given | None) -> Said:
    """What is said, by its code; values that are none are left out."""
    if not values:
        return Said(code)
    return Said(code, {name: as_value(value) for name, value in values.items() if value is not None})


def as_said(what: Value) -> Said:
    """A value alone as what is said."""
    return what if isinstance(what, Said) else said("as_is", text=what)


def sentences(*parts: "Said | Sentences | None") -> Sentences:
    """Whole sentences, those that are none left out."""
    found: list[Said] = []
    for part in parts:
        if part is not None:
            found += [part] if isinstance(part, Said) else part.said
    return Sentences(tuple(found))


def nouns(parts: "Iterable[Value | str]", by: Literal["and", "or", "comma"] = "and") -> Nouns:
    """Several things in a row."""
    return Nouns(tuple(Name(part) if isinstance(part, str) else part for part in parts), by)


def as_told(text: str) -> Sentences:
    """A text as somebody gave it; nothing for an empty one."""
    return sentences(said("as_told", text=Name(text))) if text else Sentences()


def exact(kind: type[Figure], value: float) -> Figure:
    """A figure of a specification, with the decimals that it was given with."""
    shown = f"{value:.6f}".rstrip("0")
    return kind(value, len(shown.split(".")[1]))


NOTHING = Sentences()
FIGURE_OF: dict[str, type[Figure]] = {kind.unit: kind for kind in Figure.__subclasses__()}
"""The kind of figure that a unit says."""
_KINDS: dict[str, Any] = {
    kind.__name__: kind
    for kind in (
        *Figure.__subclasses__(),
        Signed,
        PlusMinus,
        Way,
        Directed,
        Turns,
        Count,
        Noun,
        Name,
        Nouns,
        Sentences,
        Said,
    )
}


def as_data(what: Value) -> dict[str, Any]:
    """A value as JSON has it: its kind, and its fields by their names."""
    found: dict[str, Any] = {} if isinstance(what, Said) else {"kind": type(what).__name__}
    for name, value in vars(what).items():
        if isinstance(value, tuple):
            found[name] = [as_data(one) for one in value]
        elif isinstance(what, Said) and name == "values":
            found[name] = {key: as_data(one) for key, one in value.items()}
        else:
            found[name] = value if isinstance(value, str | int | float | Mapping | None) else as_data(value)
    return found


def from_data(data: Any) -> Any:
    """The value again; raises ``ValueError`` for what is none."""
    if not isinstance(data, Mapping) or data.get("kind", "Said") not in _KINDS:
        raise ValueError(f"no code with its values: {data!r:.120}")
    kind, fields = _KINDS[data.get("kind", "Said")], {k: v for k, v in data.items() if k != "kind"}
    for name, value in fields.items():
        if isinstance(value, list):
            fields[name] = tuple(from_data(one) for one in value)
        elif kind is Said and name == "values":
            fields[name] = {key: from_data(one) for key, one in value.items()}
        elif isinstance(value, Mapping) and kind is not Name:
            fields[name] = from_data(value)
    try:
        return kind(**fields)
    except TypeError:
        raise ValueError(f"no code with its values: {data!r:.120}") from None
