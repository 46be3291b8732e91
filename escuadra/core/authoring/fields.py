"""What the form of a catalogue entry asks: read off the entry's own model; a new field needs no form of its own.

The unit of a figure stands in its field's name (``u_hub_mm``) or in its description ("of the board, degrees"); limits
take that of the field that holds them; a bare length is in millimetres. Source: the Pydantic models' own fields.
"""

import re
import typing
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from types import UnionType
from typing import Any, Literal

import annotated_types
from pydantic.fields import FieldInfo

from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.model import Frozen
from escuadra.core.procedure.sheet import CheckSpec

Kind = Literal[
    "figure", "whole", "text", "words", "choice", "many", "yes_no", "record", "records", "texts", "figures", "table"
]
"""``words``: a text by language. ``texts``, ``figures``: several, one a line. ``table``: lines of *name: value*."""

_SUFFIXES = {
    "mm": "mm",
    "deg": "°",
    "kg": "kg",
    "kpa": "kPa",
    "km": "km",
    "kmh": "km/h",
    "min": "min",
    "minutes": "min",
    "s": "s",
    "days": "d",
    "litres": "l",
    "share": "",
}
_WORDS = {
    "degrees": "°",
    "percent": "%",
    "mm": "mm",
    "kg": "kg",
    "kPa": "kPa",
    "V": "V",
    "dB": "dB",
    "km/h": "km/h",
    "minutes": "min",
    "mm or degrees": "",
    "in its unit": "",
    "m": "m",
    "s": "s",
    "days": "d",
    "turns": "turns",
    "share": "",
    "shares": "",
    "kelvin": "",
    "newton": "N",
    "million": "",
}
_IN_WORDS = re.compile(rf"(?<![\w/'’])({'|'.join(map(re.escape, sorted(_WORDS, key=len, reverse=True)))})(?![\w/])")
_AXES = {"x": "Ahead (x)", "y": "To the left (y)", "z": "Above the floor (z)"}
_HOLDS: dict[Any, Literal["text", "list"]] = {str: "text", list: "list"}
LEFT_OUT = ("id", "revision", "sources", "assumed")
"""What the house itself says of an entry."""


@dataclass(frozen=True)
class Asked:
    """A field of a form: what it is of, what can be typed, and what stands in for nothing."""

    name: str
    kind: Kind
    owner: str = ""
    """The model that has it, as it is named in code."""
    required: bool = False
    unit: str = ""
    choices: tuple[str, ...] = ()
    default: Any = None
    above: float | None = None
    """Figures are more than this."""
    holds: Literal["text", "figure", "list", "any"] = "text"
    """What a table's lines tell after the colon."""
    parts: tuple["Asked", ...] = ()
    by_kind: dict[str, tuple["Asked", ...]] = field(default_factory=dict, hash=False)
    """Of records that are of several kinds: what each kind asks besides."""

    named: str = ""
    """What its model calls it, where its name alone would not do."""
    meaning: str = ""
    """What it is for, as its model says it; empty: it does not."""

    @property
    def code(self) -> str:
        """What its name and its meaning are found by: ``label.CODE`` and ``field.CODE``."""
        return f"{self.owner}.{self.name}"

    @property
    def label(self) -> str:
        """What it is called in English: as its model says, or its name in code as words, without the unit."""
        if self.named or self.name in _AXES:
            return self.named or _AXES[self.name]
        words = self.name.split("_")
        if len(words) > 1 and words[-1] in _SUFFIXES:
            words.pop()
        if words[0] == "u" and len(words) > 1:
            words = ["uncertainty", "of", *words[1:]]
        text = " ".join(words)
        return text[:1].upper() + text[1:]

    def part(self, name: str, kind: str = "") -> "Asked | None":
        """A field of the record, or of a kind of record."""
        return next((one for one in (*self.parts, *self.by_kind.get(kind, ())) if one.name == name), None)


def unit_of(name: str, description: str, held: str = "") -> str:
    """The unit of a figure by its field's name, what is said of it, and that of the field that holds it."""
    suffix = name.split("_per_")[0].rsplit("_", 1)[-1]
    if suffix in _SUFFIXES and suffix != "min":
        return _SUFFIXES[suffix]
    told: list[str] = _IN_WORDS.findall(description)
    return _WORDS[told[-1]] if told else _SUFFIXES.get(suffix, held or "mm")


def form_of(model: type[CatalogueEntry]) -> Asked:
    """What the form of a kind of entry asks."""
    return Asked(model.__name__, "record", parts=tuple(p for p in _parts(model, "") if p.name not in LEFT_OUT))


def every(asked: Asked) -> Iterator[Asked]:
    """A field with all below it."""
    yield asked
    for part in (*asked.parts, *(one for parts in asked.by_kind.values() for one in parts)):
        yield from every(part)


def _parts(model: type[Frozen], unit: str) -> tuple[Asked, ...]:
    own = getattr(model, "unit", unit)
    held = own if isinstance(own, str) else unit
    return tuple(_asked(model, name, info, held) for name, info in model.model_fields.items())


def _asked(model: type[Frozen], name: str, info: FieldInfo, held: str) -> Asked:
    default = info.get_default(call_default_factory=True) if not info.is_required() else None
    owner = owner_of(model, name)
    first = Asked(
        name, "text", owner, info.is_required(), default=default, named=info.title or "", meaning=info.description or ""
    )
    above = next((m.gt for m in info.metadata if isinstance(m, annotated_types.Gt)), None)
    unit = unit_of(name, info.description or "", held)
    return _typed(first, info.annotation, unit, above if isinstance(above, int | float) else None)


def owner_of(model: type[Frozen], name: str) -> str:
    """The model that states the field first: what several kinds have alike is named once."""
    return next(m.__name__ for m in reversed(model.__mro__) if name in getattr(m, "__annotations__", ()))


def _typed(asked: Asked, kind: Any, unit: str, above: float | None) -> Asked:
    """The field with what its annotation says of it; raises ``TypeError`` for one that no form can ask."""
    origin, args = typing.get_origin(kind), typing.get_args(kind)
    if origin is typing.Annotated:
        bounds = next((m.gt for one in args[1:] for m in _bounds(one) if isinstance(m, annotated_types.Gt)), above)
        return _typed(asked, args[0], unit, bounds if isinstance(bounds, int | float) else above)
    if origin in (typing.Union, UnionType):
        return _either(asked, [one for one in args if one is not type(None)], unit, above)
    if origin is Literal:
        return replace(asked, kind="choice", choices=tuple(str(one) for one in args))
    if origin is dict:
        if _is_figure(args[1]):
            return replace(asked, kind="table", unit=unit, holds="figure")
        return replace(asked, kind="table", holds=_HOLDS.get(typing.get_origin(args[1]) or args[1], "any"))
    if origin in (list, tuple):
        return _several(asked, args, unit, above)
    if isinstance(kind, type) and issubclass(kind, Frozen):
        return replace(asked, kind="record", parts=_parts(kind, unit))
    if kind is bool:
        return replace(asked, kind="yes_no")
    if kind is int:
        return replace(asked, kind="whole", unit=unit if unit != "mm" else "")
    if kind is float:
        return replace(asked, kind="figure", unit=unit, above=above)
    if kind is str:
        return asked
    raise TypeError(f"{asked.code}: {kind}")


def _bounds(one: Any) -> list[Any]:
    return one.metadata if isinstance(one, FieldInfo) else [one]


def _is_figure(kind: Any) -> bool:
    return kind in (float, int) or (typing.get_origin(kind) is typing.Annotated and typing.get_args(kind)[0] is float)


def _either(asked: Asked, kinds: list[Any], unit: str, above: float | None) -> Asked:
    if len(kinds) == 1:
        return _typed(asked, kinds[0], unit, above)
    literal = [str(one) for kind in kinds if typing.get_origin(kind) is Literal for one in typing.get_args(kind)]
    if literal:
        return replace(asked, kind="choice", choices=tuple(literal))
    return replace(asked, kind="words")


def _several(asked: Asked, args: tuple[Any, ...], unit: str, above: float | None) -> Asked:
    one = args[0]
    while typing.get_origin(one) is typing.Annotated:
        one = typing.get_args(one)[0]
    if one is CheckSpec:
        kinds = {
            kind: tuple(p for p in _parts(spec, "") if p.name not in CheckSpec.model_fields)
            for kind, spec in sorted(CheckSpec.registered.items())
        }
        parts = tuple(
            replace(p, kind="choice", choices=tuple(kinds)) if p.name == "kind" else p for p in _parts(CheckSpec, "")
        )
        return replace(asked, kind="records", parts=parts, by_kind=kinds)
    if isinstance(one, type) and issubclass(one, Frozen):
        return replace(asked, kind="records", parts=_parts(one, unit))
    if typing.get_origin(one) is Literal:
        return replace(asked, kind="many", choices=tuple(str(a) for a in typing.get_args(one)))
    if _is_figure(args[0]):
        return replace(asked, kind="figures", unit=unit, above=above)
    return replace(asked, kind="texts")
