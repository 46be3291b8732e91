"""Two languages of no people, made of English: every message between marks, and every message 1.4 times as wide.

``Outside`` finds what a page says outside of the marks. ``python -m tests.words.pseudo COMMAND …`` runs the command
line with both.
"""

import json
import math
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from html.parser import HTMLParser
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest.mock import patch

from escuadra.words.language import language, languages
from tests.golden.dump import SPOKEN

module = sys.modules[language.__module__]
CODE, WIDE = "qq", "qw"
BEGIN, END, GIVEN, TAKEN = "⟦⟧‹›"
PAIRS = {BEGIN: END, GIVEN: TAKEN}
MARKS = re.compile(f"([{BEGIN}{END}{GIVEN}{TAKEN}])")
SILENT = ("style", "script", "code", "pre")
"""What is not read, or stands as it is in a file."""
FIGURES = re.compile(r"[-\d. ]+")
"""What a field holds is typed anew as it stands."""
VALUE = re.compile(r"\{\w+(?::\w+)?\}")
WIDER = 0.4


def marked(message: str) -> str:
    """A message between marks, each value within marks of its own."""
    return BEGIN + VALUE.sub(lambda value: f"{GIVEN}{value[0]}{TAKEN}", message) + END


def widened(message: str) -> str:
    """A message 1.4 times as wide, in words of a usual length."""
    more = math.ceil(WIDER * len(VALUE.sub("", message)))
    return message + ("òxòxò" + " òxòxò" * more)[:more].rstrip()


@contextmanager
def there_is_a_pseudo_language() -> Iterator[None]:
    """For a while, the application knows two languages more."""
    english = json.loads((module.HERE / "en.json").read_text(encoding="utf-8"))
    with TemporaryDirectory() as folder:
        for path in module.HERE.glob("*.json"):
            (Path(folder) / path.name).write_bytes(path.read_bytes())
        for code, change in ((CODE, marked), (WIDE, widened)):
            messages: dict[str, Any] = {
                of: change(text) if isinstance(text, str) else {form: change(one) for form, one in text.items()}
                for of, text in english["messages"].items()
            }
            messages["language.name"] = english["messages"]["language.name"]
            made = {**english, "decimal": ",", "messages": messages}
            (Path(folder) / f"{code}.json").write_text(json.dumps(made), encoding="utf-8")
        with patch.object(module, "HERE", Path(folder)):
            languages.cache_clear()
            yield
    languages.cache_clear()
    language.cache_clear()


class Outside(HTMLParser):
    """What a page says outside of all marks, and within the marks of a value without being a message itself."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: list[str] = []
        self.within: list[str] = []
        self.silent = 0
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.silent += tag in SILENT
        given = dict(attrs)
        names = [*SPOKEN] if tag != "meta" else []
        if tag == "input" and given.get("type", "text") in ("text", "search", "submit"):
            names += [] if FIGURES.fullmatch(given.get("value") or "") else ["value"]
        self.found += [piece for name in names for piece in outside(given.get(name) or "", [])]

    def handle_endtag(self, tag: str) -> None:
        self.silent -= tag in SILENT

    def handle_data(self, data: str) -> None:
        if not self.silent:
            self.found += outside(data, self.within)


def outside(text: str, within: list[str]) -> list[str]:
    """The pieces of a text that are in no message; ``within``: the marks that are open before, and then after it."""
    found = list[str]()
    for k, part in enumerate(MARKS.split(text)):
        if k % 2 == 0 and (not within or within[-1] == GIVEN):
            found.append(" ".join(part.split()))
        elif part in PAIRS:
            within.append(part)
        elif k % 2 and within:
            within.pop()
    return [piece for piece in found if piece]


if __name__ == "__main__":
    from escuadra.cli import app

    with there_is_a_pseudo_language():
        app(sys.argv[1:])
