"""A language of no people: every message of the English one between marks, with other vowels and 1.4 times as wide.

``escapes`` finds what a page says outside of the marks. ``python -m tests.words.pseudo COMMAND …`` runs the command
line with it.
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

one = sys.modules[language.__module__]
CODE = "qq"
BEGIN, END, GIVEN, TAKEN = "⟦⟧‹›"
PAIRS = {BEGIN: END, GIVEN: TAKEN}
SILENT = ("style", "script", "code", "pre")
"""What is not read, or stands as it is in a file."""
FIGURES = re.compile(r"[-\d. ]+")
"""What a field holds is typed anew as it stands."""
VOWELS = str.maketrans("aeiouAEIOU", "àèìòùÀÈÌÒÙ")
VALUE = re.compile(r"\{\w+(?::\w+)?\}")
WIDER = 0.4


def marked(message: str) -> str:
    """A message between marks, each value within marks of its own, and wider."""
    said = "".join(
        f"{GIVEN}{part}{TAKEN}" if VALUE.fullmatch(part) else part.translate(VOWELS)
        for part in re.split(f"({VALUE.pattern})", message)
    )
    more = math.ceil(WIDER * len(VALUE.sub("", message)))
    return f"{BEGIN}{said}{('~~~~~ ' * more)[:more].rstrip()}{END}"


@contextmanager
def there_is_a_pseudo_language() -> Iterator[str]:
    """For a while, the application knows one language more; gives its code."""
    english = json.loads((one.HERE / "en.json").read_text(encoding="utf-8"))
    messages: dict[str, Any] = {
        code: marked(text) if isinstance(text, str) else {form: marked(said) for form, said in text.items()}
        for code, text in english["messages"].items()
    }
    with TemporaryDirectory() as folder:
        for path in one.HERE.glob("*.json"):
            (Path(folder) / path.name).write_bytes(path.read_bytes())
        made = {**english, "decimal": ",", "messages": messages}
        (Path(folder) / f"{CODE}.json").write_text(json.dumps(made), encoding="utf-8")
        with patch.object(one, "HERE", Path(folder)):
            languages.cache_clear()
            yield CODE
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
    found, piece = list[str](), ""
    for letter in (*text, ""):
        if letter and letter not in PAIRS and letter not in PAIRS.values():
            piece += letter
            continue
        if not within or within[-1] == GIVEN:
            found.append(" ".join(piece.split()))
        piece = ""
        if letter in PAIRS:
            within.append(letter)
        elif letter and within:
            within.pop()
    return [piece for piece in found if piece]


if __name__ == "__main__":
    from escuadra.cli import app

    with there_is_a_pseudo_language():
        app(sys.argv[1:])
