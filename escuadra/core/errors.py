"""The one family of errors that the core raises for input it can't use.

Every message says which field is to blame, what was given and what is accepted; the three doors
(Python, command line, HTTP) and the screens render the same words.
"""

from pydantic import ValidationError
from pydantic_core import ErrorDetails


class BadInput(ValueError):
    """Input that is refused.

    ``field``: the leaf that is to blame, or its container where no single figure is;
    ``given``: what was given, as text; ``accepted``: what would have been accepted.
    """

    def __init__(self, field: str, given: object, accepted: str, where: str = "") -> None:
        self.field, self.accepted, self.where = field, accepted, where or field
        shown = given if isinstance(given, str) else repr(given)
        self.given = shown if len(shown) <= 120 else shown[:117] + "..."
        super().__init__(f"{self.where}: given {self.given or 'nothing'}; accepted: {accepted}")


class NotDetermined(BadInput):
    """The readings do not determine everything that is asked; ``field`` is what is loose."""


class Conflict(Exception):
    """What is asked does not fit the state that the job is in; the text says what would."""


class Busy(Conflict):
    """What is asked would fit, but not now: others are at work. Nothing was changed."""


def _accepted(detail: ErrorDetails) -> str:
    if detail["type"] == "missing":
        return "a value; it is missing"
    if detail["type"] == "extra_forbidden":
        return "no such field"
    if detail["type"].startswith("union_tag"):
        ctx = detail.get("ctx", {})
        return f"one of {ctx.get('expected_tags', 'the known types')}"
    text = detail["msg"]
    for start in ("Input should be ", "Value error, "):
        text = text.removeprefix(start)
    return text


def bad_input(error: ValidationError) -> BadInput:
    """The first complaint of a Pydantic validation as ``BadInput``: names the leaf and the way to it."""
    detail = error.errors(include_url=False)[0]
    words = [str(part) for part in detail["loc"]]
    names = [part for part in detail["loc"] if isinstance(part, str) and part]
    cause = detail.get("ctx", {}).get("error")
    field = names[-1] if names else "input"
    if isinstance(cause, BadInput):
        return cause if cause.field != "text" else BadInput(field, cause.given, cause.accepted, ".".join(words))
    if detail["type"].startswith("union_tag"):
        field = str(detail.get("ctx", {}).get("discriminator", "type")).strip("'")
        words.append(field)
    given = "nothing" if detail["type"] == "missing" else detail["input"]
    return BadInput(field, given, _accepted(detail), ".".join(words))
