"""One language: its messages, the forms of its nouns, how it writes figures and which plural a figure takes.

Source: plural rules of the Unicode CLDR (Babel), applied to the figure as it is displayed: ``1.0`` is not ``1``.
"""

import json
import re
from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal
from functools import cache, cached_property, lru_cache
from pathlib import Path
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import (
    Count,
    Directed,
    Figure,
    Name,
    Noun,
    Nouns,
    PlusMinus,
    Probability,
    Said,
    Sentences,
    Signed,
    Turns,
    Value,
    Way,
    nouns,
    said,
)
from escuadra.core.base.wording import MOST_DECIMALS, SPACE, UNITS, rounded

HERE = Path(__file__).parent
FALLBACK = "en"
_PLACE = re.compile(r"\{(\w+)(?::(\w+))?\}")
Message = str | dict[str, str]
MOST_SAID = 1024


class Language:
    """What is said, in one language; a message that it lacks is said in English."""

    def __init__(self, code: str, file: Mapping[str, Any], fallback: "Language | None" = None) -> None:
        self.code, self.fallback = code, fallback
        self.decimal: str = file["decimal"]
        self.plural_rules: dict[str, str] = file["plural"]
        self.messages: Mapping[str, Message] = file["messages"]
        # A page says much of what the one before it said.
        self._formed = lru_cache(MOST_SAID)(self._form)

    def say(self, what: "Said | Sentences | Value | Mapping[str, str] | str | None") -> str:
        """A sentence, sentences, or a value alone; nothing for nothing. Raises ``BadInput`` for an unknown code."""
        if what is None:
            return ""
        if isinstance(what, str):
            return what
        if isinstance(what, Mapping):
            return self._of_catalogue(what)
        if not isinstance(what, Said):
            return self._value(what, "")
        if not what.values:
            message = self._message(what.code)
            if isinstance(message, str) and "{" not in message:
                return message
        return self._formed(what)

    def _form(self, what: Said) -> str:
        message = self._message(what.code)
        if isinstance(message, dict):
            message = message[self._category(next(v for v in what.values.values() if isinstance(v, Count | Turns)))]
        return _PLACE.sub(lambda m: self._value(what.values[m[1]], m[2] or ""), message)

    def starting(self, prefix: str) -> dict[str, str]:
        """All plain messages whose codes start so, by their codes."""
        every = {**(self.fallback.messages if self.fallback else {}), **self.messages}
        return {code: text for code, text in every.items() if code.startswith(prefix) and isinstance(text, str)}

    def figure(self, figure: Figure) -> str:
        """A figure with its unit."""
        if isinstance(figure, Signed):
            return ("+" if figure.value > 0 else "") + self.number(figure.value, figure.decimals or 0)
        places = MOST_DECIMALS[figure.unit] if figure.decimals is None else figure.decimals
        if isinstance(figure, Probability):
            return self.number(100 * figure.value, 1 if figure.decimals is None else figure.decimals) + UNITS["%"]
        return self.number(figure.value, places) + UNITS[figure.unit]

    def number(self, value: float, decimals: int) -> str:
        """A figure with so many decimals, thousands parted by a narrow space, a true minus sign."""
        return rounded(value, decimals).replace(".", self.decimal)

    def _value(self, value: Value, form: str) -> str:
        match value:
            case Figure():
                return self.figure(value)
            case Directed():
                return self._directed(value)
            case Turns():
                return self._turns(value)
            case PlusMinus():
                return f"±{SPACE}{self.figure(value.figure)}"
            case Way():
                return self.direction(value.axis, value.positive)
            case Count():
                return str(value.value)
            case Noun():
                return self._noun(value.code, form)
            case Name():
                return value.text if isinstance(value.text, str) else self._of_catalogue(value.text)
            case Nouns():
                return self._listed([self._value(one, form) for one in value.all], value.by)
            case Said():
                return self.say(value)
            case Sentences():
                return " ".join(text for one in value.said if (text := self.say(one)))
        raise TypeError(f"a value that no language says: {value!r}")

    def _directed(self, directed: Directed) -> str:
        shown = self.figure(replace(directed.figure, value=abs(directed.figure.value)))
        nothing = not any(digit in shown for digit in "123456789")
        if nothing:
            message = self._message("way.tilt.zero") if directed.axis == "tilt" else "{amount}"
        else:
            message = self._message(_way(directed.axis, directed.figure.value > 0))
        assert isinstance(message, str)
        return message.replace("{amount}", shown)

    def direction(self, axis: str, positive: bool) -> str:
        """The word of a direction alone, such as ``toe-in``."""
        message = self._message(_way(axis, positive))
        assert isinstance(message, str)
        return message.replace("{amount}", "").strip(" ,")

    def undirected(self, typed: str, axis: str) -> tuple[str, str]:
        """A typed figure without its direction word, and ``plus`` or ``minus`` of the axis; empty where it has none."""
        for sign in ("plus", "minus"):
            for word in self._directions(axis, sign == "plus"):
                if typed.casefold().rstrip(" .").endswith(word.casefold()):
                    return typed.rstrip(" .")[: -len(word)].strip(" ,"), sign
        return typed, ""

    def _directions(self, axis: str, positive: bool) -> list[str]:
        """The word of a direction here and in English, whole and by its last word, the longest first."""
        own = [self.direction(axis, positive), *([self.fallback.direction(axis, positive)] if self.fallback else [])]
        other = self.direction(axis, not positive).split()
        last = [word.split()[-1] for word in own if word.split()[-1] not in other]
        return sorted({*own, *last}, key=len, reverse=True)

    def language_of(self, texts: Mapping[str, str]) -> str:
        """The language in which a text of the catalogue is said: this one where it has it, else English, else any."""
        return next((code for code in (self.code, FALLBACK, *texts) if texts.get(code)), self.code)

    def _of_catalogue(self, texts: Mapping[str, str]) -> str:
        return texts.get(self.language_of(texts), "")

    def _message(self, code: str) -> Message:
        found = self.messages.get(code)
        if found is None:
            if self.fallback is None:
                raise BadInput("code", code, said("wants.code_with_message"))
            return self.fallback._message(code)
        return found

    def _noun(self, code: str, form: str) -> str:
        own = f"noun.{code}"
        wanted = f"{own}:{form}" if form else own
        found = self.messages.get(wanted, self.messages.get(own))
        if found is None and self.fallback is not None:
            return self.fallback._noun(code, form)
        if not isinstance(found, str):
            raise BadInput("noun", code, said("wants.noun_with_name"))
        return found

    def _turns(self, turns: Turns) -> str:
        if turns.eighths:
            whole, over = divmod(round(turns.value * 8), 8)
            part = Decimal(over) / 8
            fraction = "" if not over else "/".join(str(k) for k in part.as_integer_ratio())
            code = "turns.part" if not whole else "turns.one" if (whole, over) == (1, 0) else "turns.more"
            shown = " ".join(text for text in (str(whole) if whole else "", fraction) if text)
        else:
            shown = self.number(turns.value, 1)
            if turns.value < 0.95:
                code = "turns.part"
            else:
                code = "turns.one" if self._category(turns) == "one" else "turns.more"
        message = self._message(code)
        assert isinstance(message, str)
        return message.replace("{n}", shown)

    def _category(self, value: Value) -> str:
        number = Decimal(str(value.value)) if isinstance(value, Count) else self._shown(value)
        return str(self._plural(number))

    def _shown(self, value: Value) -> Decimal:
        assert isinstance(value, Turns)
        return Decimal(rounded(value.value, 1).replace(SPACE, ""))

    @cached_property
    def _plural(self) -> Any:
        from babel.plural import PluralRule

        return PluralRule(self.plural_rules)

    def _listed(self, words: list[str], by: str) -> str:
        if len(words) < 2 or by == "comma":
            return ", ".join(words)
        message = self._message("listed" if by == "and" else "listed_or")
        assert isinstance(message, str)
        return message.replace("{first}", ", ".join(words[:-1])).replace("{last}", words[-1])


def _way(axis: str, positive: bool) -> str:
    return f"way.{axis}.{'plus' if positive else 'minus'}"


@cache
def languages() -> tuple[str, ...]:
    """The codes of all languages that there are, English first."""
    found = (path.stem for path in HERE.glob("*.json"))
    return tuple(sorted(found, key=lambda code: (code != FALLBACK, code)))


@lru_cache
def language(code: str = FALLBACK) -> Language:
    """A language by its code; raises ``BadInput`` for one that there is not."""
    path = HERE / f"{code}.json"
    if not code.isalpha() or not path.exists():
        raise BadInput("language", code, said("wants.one_of", names=nouns(languages(), "comma")))
    return Language(code, json.loads(path.read_text(encoding="utf-8")), None if code == FALLBACK else language())
