"""How a form is laid out: its sections, what each field shows, what the ways to fields are called."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from escuadra.commands.desk import OnDesk
from escuadra.core.authoring.fields import Asked
from escuadra.core.authoring.life import Typed, Way
from escuadra.core.authoring.writing import Finding, shown, words_of
from escuadra.core.base.said import Noun
from escuadra.core.procedure.assumed import CAN_BE
from escuadra.drawing import limits_rule
from escuadra.words import say
from escuadra.words.pages import tell

FIRST = "first"
"""The section of what stands alone."""
MOST_INLINE = 8
"""A record of so many plain fields has no section of its own."""


@dataclass(frozen=True)
class Section:
    """A part of a form that is shown at once."""

    id: str
    parts: tuple[Asked, ...]
    wrong: int
    """How many things in it are wrong or doubtful."""


def sections(desk: OnDesk) -> list[Section]:
    """The form's sections: what stands alone and small records first, then each list."""
    alone = tuple(part for part in desk.form.parts if not _apart(part))
    apart = [part for part in desk.form.parts if _apart(part)]
    names = {part.name for part in alone}
    own = [one for one in desk.findings if one.way.partition(".")[0] in names or not one.way]
    return [Section(FIRST, alone, len(own)), *(Section(p.name, (p,), len(desk.at(p.name))) for p in apart)]


def section_of(desk: OnDesk, way: Way) -> str:
    """The section that a field is in."""
    name = way.partition(".")[0]
    part = desk.form.part(name)
    return name if part is not None and _apart(part) else FIRST


def _apart(part: Asked) -> bool:
    if part.kind == "records":
        return True
    if part.kind != "record":
        return False
    return len(part.parts) > MOST_INLINE or any(inner.kind in ("record", "records") for inner in part.parts)


def named(desk: OnDesk, way: Way) -> str:
    """A way to a field in words: Checks › level › Roll › Allowed below."""
    asked: Asked | None = desk.form
    words, kind, so_far = [], "", ""
    for step in way.partition("@")[0].split(".") if way else []:
        so_far = f"{so_far}.{step}" if so_far else step
        inner = asked.part(step, kind) if asked is not None else None
        if inner is not None:
            asked, kind = inner, ""
            words.append(tell(f"label.{inner.code}"))
        else:
            kind = desk.fields.texts.get(f"{so_far}.kind", "")
            words.append(item_name(desk, so_far, step))
    return " › ".join(words)


def item_name(desk: OnDesk, way: Way, key: str) -> str:
    """What a record of a list is called: its own name or id, else its key."""
    texts = desk.fields.texts
    own = next((t for n in ("title", "name", "id", "to", "does") if (t := texts.get(f"{way}.{n}", ""))), "")
    return own or (tell("page.write.new_part") if key.startswith("new") else key)


@dataclass(frozen=True)
class Shown:
    """What the template asks of a form's fields."""

    desk: OnDesk

    def text(self, way: Way) -> str:
        """What stands in a field."""
        return self.desk.fields.texts.get(way, "")

    def typed(self, way: Way) -> Typed | None:
        """Who typed it, and from where."""
        return self.desk.draft.fields.get(way)

    def inherited(self, way: Way) -> bool:
        """It stands in the family's own entry and was not typed here."""
        return self.desk.base is not None and way in self.desk.base.texts and way not in self.desk.draft.fields

    def rivals(self, way: Way) -> tuple[Typed, ...]:
        """What others typed meanwhile."""
        return self.desk.draft.rivals.get(way, ())

    def wrong(self, way: Way) -> list[Finding]:
        """What is wrong at this very field."""
        return [one for one in self.desk.findings if one.way == way]

    def below(self, way: Way) -> int:
        """How much is wrong at a field and below it."""
        return len(self.desk.at(way))

    def keys(self, way: Way) -> tuple[str, ...]:
        """Of a list of records."""
        return self.desk.fields.parts.get(way, ())

    def parts(self, asked: Asked, way: Way) -> tuple[Asked, ...]:
        """What a record of a list asks."""
        return (*asked.parts, *asked.by_kind.get(self.text(f"{way}.kind"), ()))

    def name(self, way: Way, key: str) -> str:
        """What a record of a list is called."""
        return item_name(self.desk, way, key)

    def can_be_unknown(self, way: Way) -> bool:
        """A usual value can stand in for it."""
        return way in CAN_BE.get(self.desk.draft.kind, ())

    def unknown(self, way: Way) -> bool:
        """Nobody knows it."""
        return way in self.desk.says.data.get("assumed", ())

    def stands_in(self, asked: Asked) -> str:
        """What holds where nothing is typed, in words."""
        if asked.default in (None, "", [], {}):
            return ""
        if asked.kind == "choice":
            text = str(asked.default)
            return text if "/" in text else say(Noun(f"choice.{text}"))
        if asked.kind == "yes_no":
            return tell("page.write.yes" if asked.default else "page.write.no")
        return shown(asked, asked.default) if asked.kind in ("figure", "whole", "figures") else ""

    def default_of(self, asked: Asked) -> list[str]:
        """Of several choices: those that hold where none is chosen."""
        return list(asked.default or ())

    def rule(self, way: Way) -> str:
        """The limits that stand in a record, as a rule; empty where they are none yet."""
        found = _value(self.desk, way)
        if not isinstance(found, Mapping):
            return ""
        minus, plus = found.get("minus"), found.get("plus")
        nominal = found.get("nominal", 0.0)
        if not isinstance(minus, float) or not isinstance(plus, float) or not isinstance(nominal, float):
            return ""
        return limits_rule(nominal - minus, nominal, nominal + plus)


def _value(desk: OnDesk, way: Way) -> Any:
    """What the data has at a field."""
    loc = next((loc for loc, own in desk.says.ways.items() if own == way), None)
    found: Any = desk.says.data
    for step in loc or ():
        try:
            found = found[step]
        except (KeyError, IndexError, TypeError):
            return None
    return found if loc is not None else None


def changes(desk: OnDesk, before: Mapping[Way, str]) -> Iterator[tuple[str, str, str]]:
    """What differs from the words of an earlier revision: the field in words, before, now."""
    now = desk.fields.texts
    known = set(desk.says.ways.values())
    # A figure typed in another unit is the same figure.
    same = words_of(desk.form, desk.says.data).texts
    for way in sorted({*now, *before}):
        old, new = before.get(way, ""), now.get(way, "")
        if old not in (new, same.get(way)) and (way.partition("@")[0] in known or not new):
            yield named(desk, way), old, new
