"""Codes and figures as sentences, in each language: the only place where a sentence is put together.

A language is one file, ``CODE.po``: context is the code of what is said, message the English, then the translation.
``compiled`` makes the JSON that is read at start. See docs/translating.md.
"""

from escuadra.words.language import Language, language

__all__ = ["Language", "language"]
