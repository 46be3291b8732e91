"""Codes and figures as sentences, in each language: the only place where a sentence is put together.

A language is one file, ``CODE.po``: context is the code of what is said, message the English, then the translation.
``compiled`` makes the JSON that is read at start. See docs/translating.md. ``say`` says it in the language that is
spoken now: the reader's, set once at the edge (a request, a printed record, a command line) with ``speaking``.
"""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar

from escuadra.core.base.said import Said, Sentences, Value
from escuadra.words.language import FALLBACK, Language, language, languages

_SPOKEN: ContextVar[str] = ContextVar("spoken", default=FALLBACK)


def spoken() -> Language:
    """The language that is spoken now."""
    return language(_SPOKEN.get())


@contextmanager
def speaking(code: str) -> Iterator[Language]:
    """Speak a language for a while; raises ``BadInput`` for one that there is not."""
    found = language(code)
    before = _SPOKEN.set(code)
    try:
        yield found
    finally:
        _SPOKEN.reset(before)


def say(what: Said | Sentences | Value | Mapping[str, str] | str | None) -> str:
    """What is said, in the language that is spoken now."""
    return spoken().say(what)


__all__ = ["FALLBACK", "Language", "language", "languages", "say", "speaking", "spoken"]
