"""What the product says, in English: refusals and answers are codes until they are told to somebody."""

import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest

from escuadra.core.base.errors import BadInput, refusal
from escuadra.words import say


def told(what: Any) -> str:
    """What is said, or why something was refused; texts as they are, several by a line each."""
    if isinstance(what, list | tuple | frozenset):
        return "\n".join(map(told, what))
    if isinstance(what, BadInput):
        return say(refusal(what))
    if isinstance(what, Exception):
        return say(what.said) if hasattr(what, "said") else str(what)
    return say(what)


@contextmanager
def refused(kind: type[Exception] = BadInput, match: str = "") -> Iterator[pytest.ExceptionInfo[Any]]:
    """What is done here is refused, in a sentence that ``match`` is found in."""
    with pytest.raises(kind) as caught:
        yield caught
    text = told(caught.value)
    assert re.search(match, text), text
