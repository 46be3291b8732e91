"""Templates that say codes with their values in the language that is spoken: pages and printed sheets alike.

Whatever a template puts out that is no text yet, it says; ``tell`` says a code with its values.
"""

import re
import sys
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from datetime import date
from importlib.util import cache_from_source
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemBytecodeCache, FileSystemLoader, StrictUndefined, Template, select_autoescape
from jinja2 import __version__ as made_by
from jinja2.bccache import Bucket
from jinja2.ext import Extension
from markupsafe import Markup, escape

from escuadra.core.base import said as quantity
from escuadra.core.base.said import VALUES, Given, Plain, Said, Text, exact, said
from escuadra.words import say, spoken

PLAIN = frozenset({str, Markup, int})
"""What is shown as it is: most of what a template puts out, looked up first."""
SAID = (*VALUES, Mapping)


ALONE = re.compile(r'\{\{ tell\("([\w.]+)"\) \}\}')
"""A code alone in a template: most of a page's words."""


class Worded(Extension):
    """Codes that stand alone are said while a template is compiled, once for each language."""

    def preprocess(self, source: str, name: str | None, filename: str | None = None) -> str:
        """The template with their words in their places."""
        return ALONE.sub(self._worded, source)

    def _worded(self, found: re.Match[str]) -> str:
        words = str(escape(say(said(found[1]))))
        return found[0] if re.search(r"[{}#%]", words) else words


class Templates:
    """The templates of a folder, compiled once for each language that is spoken."""

    def __init__(self, folder: Path, filters: Mapping[str, Any] | None = None, **more: Any) -> None:
        self.folders, self.filters, self.more = [folder], filters or {}, more
        self._made: dict[str, Environment] = {}

    def look_in(self, folder: Path) -> None:
        """Take the templates of a further folder too."""
        if folder in self.folders:
            return
        self.folders.append(folder)
        self._made.clear()

    def get_template(self, name: str) -> Template:
        """A template in the language that is spoken now."""
        code = spoken().code
        if code not in self._made:
            made = _environment(self.folders)
            made.filters.update(self.filters)
            made.globals.update(self.more)
            self._made[code] = made
        return self._made[code].get_template(name)


class Compiled(FileSystemBytecodeCache):
    """Templates as they were compiled for a language, kept where Python keeps what it compiled of this module.

    Not where Python keeps nothing. They are compiled anew where their text, its words or this module changed.
    """

    def __init__(self, language: str) -> None:
        super().__init__(str(Path(cache_from_source(__file__)).parent), f"%s.{language}.page")
        self._by = f"{made_by} {Path(__file__).stat().st_mtime_ns}"

    def get_bucket(self, environment: Environment, name: str, filename: str | None, source: str) -> Bucket:
        """What is kept of a template with the words that it has now."""
        worded = f"{self._by}\n{environment.preprocess(source, name, filename)}"
        return super().get_bucket(environment, name, filename, worded)

    def dump_bytecode(self, bucket: Bucket) -> None:
        """Keep it, where that may be written."""
        if not sys.dont_write_bytecode:
            with suppress(OSError):
                super().dump_bytecode(bucket)


def _environment(folders: Sequence[Path]) -> Environment:
    made = Environment(
        extensions=[Worded],
        loader=FileSystemLoader(list(folders)),
        autoescape=select_autoescape(),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=shown,
        bytecode_cache=Compiled(spoken().code),
        # A template is looked for on the disk once: what is changed shows after the next start.
        auto_reload=False,
    )
    made.filters["join"] = joined
    made.filters["text"] = text
    made.globals.update(say=say, said=said, tell=tell, tell_html=tell_html, spoken=spoken, quantity=quantity)
    return made


def shown(value: Any) -> Any:
    """A code or a value as it is said; anything else as it is. Raises ``TypeError`` for what no reader could read."""
    if type(value) in PLAIN:
        return value
    if value is None:
        return ""
    if isinstance(value, tuple | list | set | frozenset):
        raise TypeError(f"several things to be said one by one: {value!r:.200}")
    return say(value) if isinstance(value, SAID) else value


def tell(code: str, /, **values: Given | float | date | None) -> str:
    """A code with its values, said; a plain figure as it is, a day as year-month-day."""
    return say(said(code, **{name: _given(value) for name, value in values.items()}))


def _given(value: Given | float | date | None) -> Given | None:
    if isinstance(value, date):
        return value.isoformat()
    return exact(Plain, value) if isinstance(value, float) else value


def tell_html(code: str, /, **values: Any) -> Markup:
    """A code with its values, said; a value that is markup, such as a link, stays what it is."""
    kept = {f"\ue000{name}\ue001": value for name, value in values.items() if isinstance(value, Markup)}
    plain = {name: f"\ue000{name}\ue001" if isinstance(value, Markup) else value for name, value in values.items()}
    text = str(escape(tell(code, **plain)))
    for token, value in kept.items():
        text = text.replace(token, str(value))
    return Markup(text)


def joined(parts: Iterable[Any], between: str = "") -> str:
    """Several things, said one after the other: a row of a table, not a sentence."""
    made = [shown(part) for part in parts]
    if any(isinstance(part, Markup) for part in made) or isinstance(between, Markup):
        return Markup(escape(between)).join(made)
    return between.join(map(str, made))


def text(value: Text | Mapping[str, str] | str) -> Markup:
    """A text of the catalogue, marked with its own language where it is not in the one that is spoken."""
    return Markup(escape(say(value))) if isinstance(value, Said) else _marked(value)


def _marked(value: Any) -> Markup:
    texts = getattr(value, "text", value)
    plain = escape(say(value))
    if not isinstance(texts, Mapping) or spoken().code in texts:
        return Markup(plain)
    return Markup('<span lang="{}">{}</span>').format(spoken().language_of(texts), plain)
