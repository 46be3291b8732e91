"""What the log calls the places of a sheet where something is read: such a name is made and taken apart here alone."""

from dataclasses import dataclass
from typing import Literal

ResultOf = Literal["outcome", "line", "camera", "figure"]
_BEGINNINGS: dict[ResultOf, str] = {"outcome": "outcome", "line": "line.", "camera": "camera.", "figure": ""}
"""Of what comes of a run, behind the family: the narrower ones first."""
RESULT_FAMILY = "result"


def family(slot: str) -> str:
    """What its name begins with, and all places of its kind with it."""
    return slot.partition(".")[0]


@dataclass(frozen=True)
class ResultPlace:
    """A place for what came of a run: its outcome, where a lens's line stood, a camera's own, or a figure."""

    shown: ResultOf
    id: str = ""
    """Of the sheet's line, camera or figure."""

    @property
    def slot(self) -> str:
        """What the log calls it."""
        return f"{RESULT_FAMILY}.{_BEGINNINGS[self.shown]}{self.id}"


OUTCOME = ResultPlace("outcome").slot


def result_place(slot: str) -> ResultPlace | None:
    """What of a run a place is for; nothing for a place of another family."""
    kind, _, rest = slot.partition(".")
    if kind != RESULT_FAMILY:
        return None
    shown = next(shown for shown, begins in _BEGINNINGS.items() if rest.startswith(begins))
    return ResultPlace(shown, rest.removeprefix(_BEGINNINGS[shown]))
