"""A station's run, and what proves that the target still stood there."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.core.base.said import NOTHING, Said, Sentences, Text, said, sentences
from escuadra.core.procedure.sheet import Station
from escuadra.core.visit.log.state import Disturbance, Entry, Run, State

Proof = Literal["proven", "awaited", "missed", "contradicted", "doubt"]
"""``missed``: what carries the target was set anew before anybody read it again. ``contradicted``: what was read again
does not agree, and nobody has said yet whether it was misread or bumped."""


@dataclass(frozen=True)
class StationView:
    """A station, its newest run, and how well that stands."""

    station: Station
    run: Run | None
    proof: Proof | None
    words: Sentences = NOTHING
    """What puts the run in doubt, or what proves it."""
    because: Disturbance | None = None

    @property
    def done(self) -> bool:
        """It was run and nothing puts that in doubt."""
        return self.run is not None and self.proof != "doubt"


@dataclass(frozen=True)
class Watch:
    """The one reading that would notice a bump: what it is, its check and its slot."""

    label: Text
    check: str
    slot: str


@dataclass(frozen=True)
class Change:
    """What the way from one station to the next takes: to move, to set, and to read again."""

    moves: tuple[Said, ...]
    rechecks: tuple[Text, ...]


def proven_by(seen: Sequence[Entry]) -> Sentences:
    """Who read again, first of all, what shows that it still stood there."""
    return sentences(said("stations.read_again", name=min(seen, key=lambda e: e.seq).person.name))


def next_run(state: State, seq: int, ends: int) -> int:
    """seq of the first run after an event, at most ``ends``."""
    return min((run.seq for run in state.runs if run.seq > seq and not run.withdrawn), default=ends)
