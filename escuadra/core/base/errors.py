"""The one family of errors that the core raises for input it can't use.

Every one says which field is to blame, what was given and what is accepted, as codes with values; the three doors
(Python, command line, HTTP) and the screens render the same words (``words.refusals``).
"""

from collections.abc import Iterable

from pydantic import ValidationError
from pydantic_core import ErrorDetails

from escuadra.core.base.said import Given, Name, Plain, Said, exact, nouns, said


class BadInput(ValueError):
    """Input that is refused.

    ``field``: the leaf that is to blame, or its container where no single figure is;
    ``given``: what was given, as text, or what was found in its place; empty: nothing;
    ``accepted``: what would have been accepted.
    """

    def __init__(self, field: str, given: object, accepted: Said, where: str | Said = "") -> None:
        self.field, self.accepted, self.where = field, accepted, where or field
        shown = given if isinstance(given, str | Said) else repr(given)
        self.given = shown if isinstance(shown, Said) or len(shown) <= 120 else shown[:117] + "..."
        super().__init__(f"{_code(self.where)}: given {_code(self.given) or 'nothing'}; accepted: {_code(accepted)}")


def refusal(error: BadInput) -> Said:
    """A refusal as one sentence."""
    return said("refused", field=error.where, given=error.given or said("nothing"), accepted=error.accepted)


class NotDetermined(BadInput):
    """The readings do not determine everything that is asked; ``field`` is what is loose."""


class Conflict(Exception):
    """What is asked does not fit the state that the job is in; ``said`` says what would."""

    def __init__(self, what: Said) -> None:
        self.said = what
        super().__init__(_code(what))


class NoAnswer(ConnectionError):
    """A device does not answer; ``said`` says what to look at."""

    def __init__(self, what: Said) -> None:
        self.said = what
        super().__init__(_code(what))


class Busy(Conflict):
    """What is asked would fit, but not now: others are at work. Nothing was changed."""


def _code(what: Said | str) -> str:
    """A code with its values, for a log: no language is known here."""
    if isinstance(what, str):
        return what
    values = ", ".join(f"{name}={value}" for name, value in what.values.items())
    return f"{what.code}({values})" if values else what.code


def _accepted(detail: ErrorDetails) -> Said:
    """What Pydantic would have accepted, by its own code of what was wrong."""
    kind, context = detail["type"], detail.get("ctx", {})
    if kind.startswith("union_tag"):
        known = str(context.get("expected_tags", "")).replace("'", "").split(", ")
        return said("wants.one_of", names=nouns(known, "comma"))
    values: dict[str, Given] = {}
    for name, value in context.items():
        if isinstance(value, int | float) and not isinstance(value, bool):
            values[name] = exact(Plain, value)
        elif isinstance(value, str):
            values[name] = Name(value.replace("'", ""))
    return said(f"wants.{kind}", **values)


def bad_input(error: ValidationError) -> BadInput:
    """The first complaint of a Pydantic validation as ``BadInput``: names the leaf and the way to it."""
    return complaint(error.errors(include_url=False)[0])


def complaint(detail: ErrorDetails) -> BadInput:
    """One complaint of a Pydantic validation as ``BadInput``."""
    words = [str(part) for part in detail["loc"]]
    names = [part for part in detail["loc"] if isinstance(part, str) and part]
    cause = detail.get("ctx", {}).get("error")
    field = names[-1] if names else "input"
    if isinstance(cause, BadInput):
        return cause if cause.field != "text" else BadInput(field, cause.given, cause.accepted, ".".join(words))
    if detail["type"].startswith("union_tag"):
        field = str(detail.get("ctx", {}).get("discriminator", "type")).strip("'")
        words.append(field)
    given = "" if detail["type"] == "missing" else detail["input"]
    return BadInput(field, given, _accepted(detail), ".".join(words))


def each_once(field: str, ids: Iterable[str], accepted: Said) -> None:
    """Raises ``BadInput`` for the first id that comes twice."""
    seen: set[str] = set()
    for name in ids:
        if name in seen:
            raise BadInput(field, name, accepted)
        seen.add(name)
