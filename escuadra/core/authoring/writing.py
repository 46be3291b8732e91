"""From what was typed to the entry that it says, with every complaint at its field; and from an entry back to words.

A figure is read in the unit that it was typed in; what could mean two things is no figure yet. Limits and models judge
the rest: each complaint is brought back to the field that it is about.
"""

import json
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from escuadra.core.authoring.fields import Asked
from escuadra.core.authoring.life import Draft, Way
from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.errors import BadInput, complaint
from escuadra.core.base.given import figure, readable, whole_number
from escuadra.core.base.model import LARGEST
from escuadra.core.base.quantities import OWN_UNIT, Dimension, parse
from escuadra.core.base.said import Name, Noun, Said, nouns, said
from escuadra.core.procedure.assumed import with_assumed
from escuadra.core.procedure.entries import KINDS
from escuadra.core.procedure.sheet import CheckSpec

MOST_PARTS = 60
_DIMENSIONS: dict[str, Dimension] = {unit: kind for kind, unit in OWN_UNIT.items() if kind not in ("share",)}
_NOTHING = object()
_EMPTY: dict[str, type] = {"record": dict, "records": list, "texts": list, "many": list, "figures": list, "table": dict}
"""What is there where nothing was typed, and something has to be."""
YES, NO = "yes", "no"


@dataclass(frozen=True)
class Finding:
    """What is wrong, or doubtful, at a field."""

    way: Way
    what: Said
    given: str | Said = ""
    doubt: bool = False
    """It may be so: release is not held up by it."""


@dataclass(frozen=True)
class Written:
    """What a draft says: the plain data, the entry where it is one, and what keeps it from being one."""

    data: dict[str, Any]
    content: CatalogueEntry | None
    findings: tuple[Finding, ...] = ()
    ways: Mapping[tuple[Any, ...], Way] = field(default_factory=dict)
    """Of each part of the data, by the way to it: its field on the form."""

    def way(self, loc: Sequence[Any]) -> Way:
        """The field of the deepest part of a place in the data that the form has."""
        for length in range(len(loc), 0, -1):
            if (found := self.ways.get(tuple(loc[:length]))) is not None:
                return found
        return ""


@dataclass(frozen=True)
class Fields:
    """What stands in the fields of a form: words by their way, and the keys of its lists of records."""

    texts: dict[Way, str]
    parts: dict[Way, tuple[str, ...]]

    def over(self, base: "Fields") -> "Fields":
        """These upon those of another: what is said here holds."""
        return Fields({**base.texts, **self.texts}, {**base.parts, **self.parts})


def fields_of(draft: Draft, base: Fields | None = None) -> Fields:
    """What stands in a draft's fields; of one of a family, upon what it differs from."""
    own = Fields({way: typed.text for way, typed in draft.fields.items()}, dict(draft.parts))
    return own.over(base) if base is not None else own


# --- from words to an entry


@dataclass
class _Reading:
    """A form that is read."""

    fields: Fields
    findings: list[Finding] = field(default_factory=list)
    ways: dict[tuple[Any, ...], Way] = field(default_factory=dict)

    def record(self, parts: Sequence[Asked], way: Way, loc: tuple[Any, ...], there: bool) -> dict[str, Any]:
        """The data of a record: what was said of it; ``there``: it is one even where nothing was."""
        data: dict[str, Any] = {}
        for part in parts:
            own = f"{way}.{part.name}" if way else part.name
            self.ways[(*loc, part.name)] = own
            found = self.value(part, own, (*loc, part.name))
            if found is not _NOTHING:
                data[part.name] = found
        if data or there:
            for part in parts:
                if part.required and part.name not in data and part.kind in _EMPTY:
                    own = f"{way}.{part.name}" if way else part.name
                    inner = self.record(part.parts, own, (*loc, part.name), True) if part.kind == "record" else None
                    data[part.name] = _EMPTY[part.kind]() if inner is None else inner
        return data

    def value(self, asked: Asked, way: Way, loc: tuple[Any, ...]) -> Any:
        """What a field says; nothing where nothing was typed."""
        if asked.kind == "record":
            return self.record(asked.parts, way, loc, False) or _NOTHING
        if asked.kind == "records":
            keys = self.fields.parts.get(way, ())
            return [self._one(asked, key, way, (*loc, k)) for k, key in enumerate(keys)] if keys else _NOTHING
        text = self.fields.texts.get(way, "").strip()
        if not text:
            return _NOTHING
        try:
            return read(asked, text, self._languages(way))
        except BadInput as cause:
            self.findings.append(Finding(way, _accepted(cause), text))
            return _NOTHING

    def _one(self, asked: Asked, key: str, way: Way, loc: tuple[Any, ...]) -> dict[str, Any]:
        own = f"{way}.{key}"
        self.ways[loc] = own
        kind = self.fields.texts.get(f"{own}.kind", "") if asked.by_kind else ""
        return self.record((*asked.parts, *asked.by_kind.get(kind, ())), own, loc, True)

    def _languages(self, way: Way) -> dict[str, str]:
        start = f"{way}@"
        told = self.fields.texts.items()
        return {own.removeprefix(start): text.strip() for own, text in told if own.startswith(start) and text.strip()}


def read(asked: Asked, text: str, languages: Mapping[str, str] | None = None) -> Any:
    """What a typed text says in a field; raises ``BadInput`` for what it cannot mean there."""
    text = readable(text, asked.name)
    match asked.kind:
        case "figure":
            return _figure(asked, text)
        case "whole":
            return whole_number(_bare(text, asked.unit), asked.name, said("wants.whole_number_here"))
        case "yes_no":
            return _one_of(asked, text, (YES, NO)) == YES
        case "choice":
            return _choice(asked, _one_of(asked, text, asked.choices))
        case "many":
            return [_one_of(asked, one, asked.choices) for one in _lines(text)]
        case "figures":
            return [_figure(asked, one) for one in _lines(text)]
        case "texts":
            return [_by_language(one) for one in _lines(text)]
        case "table":
            return dict(_row(asked, line) for line in _lines(text))
        case "words":
            return {"en": text, **languages} if languages else text
        case _:
            return text


def _lines(text: str) -> list[str]:
    return [line.strip() for line in text.splitlines() if line.strip()]


def _bare(text: str, unit: str) -> str:
    """A figure without its unit, where that is typed after it."""
    return text.removesuffix(unit).strip() if unit else text


def _figure(asked: Asked, text: str) -> float:
    dimension = _DIMENSIONS.get(asked.unit)
    if dimension is None:
        accepted = said("wants.figure_in", unit=Name(asked.unit)) if asked.unit else said("wants.figure_here")
        return figure(_bare(text, asked.unit), asked.name, accepted, -LARGEST, LARGEST)
    meanings = parse(text, dimension, asked.unit)
    if len(meanings) > 1:
        one, other = (said("as_is", text=meaning.text) for meaning in meanings[:2])
        raise BadInput(asked.name, text, said("wants.one_meaning", one=one, other=other))
    return round(meanings[0].value, 9)


def _one_of(asked: Asked, text: str, choices: Sequence[str]) -> str:
    if text not in choices:
        known = nouns([Name(one) if "/" in one else Noun(f"choice.{one}") for one in choices if one], "comma")
        raise BadInput(asked.name, text, said("wants.one_of_choices", known=known))
    return text


def _choice(asked: Asked, text: str) -> Any:
    """A choice as the model has it: some are figures."""
    return int(text) if text.isdigit() else text


def _by_language(line: str) -> Any:
    """A line of text; ``en: … | es: …`` is one by language."""
    parts = [part.partition(":") for part in line.split(" | ")]
    if all(len(code.strip()) == 2 and found.strip() for code, _, found in parts):
        return {code.strip(): found.strip() for code, _, found in parts}
    return line


def _row(asked: Asked, line: str) -> tuple[str, Any]:
    name, colon, told = line.partition(":")
    name, told = name.strip(), told.strip()
    if not colon or not name or not told:
        raise BadInput(asked.name, line, said("wants.name_colon_value"))
    if asked.holds == "figure":
        return name, _figure(asked, told)
    if asked.holds == "list":
        return name, [one.strip() for one in told.split(",") if one.strip()]
    if asked.holds == "any":
        try:
            return name, json.loads(told)
        except (ValueError, RecursionError):
            return name, told
    return name, told


def written(kind: str, form: Asked, fields: Fields, head: Mapping[str, Any], unknown: Collection[Way] = ()) -> Written:
    """What the fields of a form say of an entry of a kind.

    ``head``: what the house itself says of it, such as its id. ``unknown``: figures that a usual value stands in for.
    """
    model = KINDS[kind]
    reading = _Reading(fields)
    data = {**head, **reading.record(form.parts, "", (), True)}
    try:
        data = with_assumed(kind, data, sorted(unknown))
    except BadInput as cause:
        reading.findings.append(Finding(cause.field, _accepted(cause), cause.given))
    found = Written(data, None, tuple(reading.findings), reading.ways)
    findings = [*reading.findings, *_checks(found)]
    content = None
    try:
        content = model.model_validate(data)
    except ValidationError as error:
        told = {finding.way for finding in findings}
        for detail in error.errors(include_url=False):
            one = _complaint(found, detail)
            if not any(way == one.way or way.startswith(f"{one.way}.") for way in told if one.way):
                findings.append(one)
    return Written(data, None if findings else content, tuple(findings), reading.ways)


def _complaint(found: Written, detail: Any) -> Finding:
    cause = complaint(detail)
    where = tuple(int(part) if part.isdigit() else part for part in str(cause.where).split(".")) if cause.where else ()
    loc = detail["loc"] if detail["type"] != "value_error" else (*detail["loc"], cause.field)
    way = found.way(loc) or found.way(where)
    return Finding(way, _accepted(cause), cause.given)


def _accepted(cause: BadInput) -> Said:
    return said("authoring.accepted", accepted=cause.accepted)


def _checks(found: Written) -> Iterator[Finding]:
    """What is wrong with each check by itself: the sheet as a whole tells only of the first."""
    for k, data in enumerate(found.data.get("checks", [])):
        spec = CheckSpec.registered.get(str(data.get("kind")))
        if spec is None:
            continue
        try:
            spec.model_validate(data)
        except ValidationError as error:
            for detail in error.errors(include_url=False):
                yield _complaint(found, {**detail, "loc": ("checks", k, *detail["loc"])})


def asked_at(form: Asked, found: Written, loc: Sequence[Any]) -> tuple[Asked | None, object]:
    """The field of the form at a place in the data, and what stands there."""
    asked: Asked | None = form
    value: object = found.data
    for part in loc:
        if isinstance(part, int):
            value = value[part] if isinstance(value, list) and part < len(value) else None
            continue
        kind = str(value.get("kind", "")) if isinstance(value, dict) else ""
        asked = asked.part(str(part), kind) if asked is not None else None
        value = value.get(part) if isinstance(value, dict) else None
    return asked, value


# --- from an entry to words


def words_of(form: Asked, data: Mapping[str, Any]) -> Fields:
    """What stands in the fields of a form for an entry's plain data."""
    fields = Fields({}, {})
    _put(fields, form.parts, data, "")
    return fields


def _put(fields: Fields, parts: Sequence[Asked], data: Mapping[str, Any], way: Way) -> None:
    for part in parts:
        found = data.get(part.name)
        if found is None:
            continue
        own = f"{way}.{part.name}" if way else part.name
        if part.kind == "record":
            _put(fields, part.parts, found, own)
        elif part.kind == "records":
            keys = _keys(found)
            fields.parts[own] = keys
            for key, one in zip(keys, found, strict=True):
                _put(fields, (*part.parts, *part.by_kind.get(str(one.get("kind")), ())), one, f"{own}.{key}")
        elif found not in ([], {}, ""):
            _word(fields, part, found, own)


def _keys(records: Sequence[Mapping[str, Any]]) -> tuple[str, ...]:
    """Keys of records: their ids, where they have plain ones that differ."""
    ids = [str(one.get("id", "")) for one in records]
    if len(set(ids)) == len(ids) and all(id.replace("_", "").isalnum() for id in ids):
        return tuple(ids)
    return tuple(f"no{k}" for k in range(1, len(records) + 1))


def _word(fields: Fields, part: Asked, found: Any, way: Way) -> None:
    if part.kind == "words" and isinstance(found, dict):
        first = "en" if "en" in found else next(iter(found))
        fields.texts[way] = found[first]
        fields.texts.update({f"{way}@{code}": text for code, text in found.items() if code != first})
        return
    fields.texts[way] = shown(part, found)


def shown(part: Asked, found: Any) -> str:
    """A value as it would be typed in a field."""
    match part.kind:
        case "figure":
            return _written_figure(part, found)
        case "yes_no":
            return YES if found else NO
        case "many":
            return "\n".join(found)
        case "figures":
            return "\n".join(_written_figure(part, one) for one in found)
        case "texts":
            return "\n".join(
                one if isinstance(one, str) else " | ".join(f"{code}: {text}" for code, text in one.items())
                for one in found
            )
        case "table":
            return "\n".join(f"{name}: {_cell(part, told)}" for name, told in found.items())
        case _:
            return str(found)


def _cell(part: Asked, told: Any) -> str:
    if part.holds == "figure":
        return _written_figure(part, told)
    if part.holds == "list":
        return ", ".join(told)
    return told if isinstance(told, str) else json.dumps(told, ensure_ascii=False)


def _written_figure(part: Asked, value: float) -> str:
    """A figure with its unit: 2733 mm, −0.4°."""
    text = f"{value:.9f}".rstrip("0").rstrip(".")
    return f"{text}{'' if part.unit in ('°', '%') else ' '}{part.unit}" if part.unit else text
