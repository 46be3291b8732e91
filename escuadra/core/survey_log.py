"""A survey while it is taken: begun, read point by point or as a file, taken back, closed; nothing is rewritten.

``fold_survey`` gives what the entries amount to; ``at`` is UTC milliseconds and for people only.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from typing import Literal

from pydantic import Field

from escuadra.core.errors import BadInput
from escuadra.core.job.events import Person
from escuadra.core.model import Frozen, Number, Positive
from escuadra.core.survey import MOST_POINTS, Survey, SurveyPoint, SurveyReading
from escuadra.core.wording import BEAM, amount

Reads = Literal["staff", "height"]


class Begun(Frozen):
    """What is settled before the first point is read."""

    kind: Literal["begun"] = "begun"
    bay: str
    taken_on: date
    valid_until: date
    instrument: str = Field(min_length=1, max_length=80)
    u: Positive
    reads: Reads
    points: list[SurveyPoint] = Field(max_length=MOST_POINTS)
    note: str = ""
    tilt: Number = Field(0.0, description="of the level, found at its last check: staff too long for each mm of sight")


class PointRead(Frozen):
    """One figure, as typed and as understood."""

    kind: Literal["read"] = "read"
    point: str
    setup: str = "1"
    typed: str
    value: Number = Field(description="mm")


class FileRead(Frozen):
    """Many figures at once, from a file or pasted."""

    kind: Literal["file"] = "file"
    readings: list[SurveyReading]


class Stationed(Frozen):
    """Where the level stood in a set-up, in bay axes; a later one wins."""

    kind: Literal["stationed"] = "stationed"
    setup: str
    x: Number
    y: Number


class TakenBack(Frozen):
    """A figure that was taken back."""

    kind: Literal["taken_back"] = "taken_back"
    entry: int


class SurveyEntry(Frozen):
    """One entry of a survey's log."""

    at: int
    person: Person
    said: Begun | PointRead | FileRead | Stationed | TakenBack = Field(discriminator="kind")


@dataclass(frozen=True)
class Figure:
    """A reading with the entry that it stands in."""

    entry: int
    person: Person
    typed: str
    reading: SurveyReading


@dataclass(frozen=True)
class Draft:
    """A survey as its entries leave it."""

    begun: Begun
    person: Person
    figures: tuple[Figure, ...] = ()
    setups: tuple[str, ...] = field(default=("1",))
    stations: dict[str, tuple[float, float]] = field(default_factory=dict)

    @cached_property
    def places(self) -> dict[str, tuple[float, float]]:
        """Where each point lies."""
        return {p.id: (p.x, p.y) for p in self.begun.points}

    def levelled(self, reading: SurveyReading) -> SurveyReading:
        """A staff reading less what the level's tilt makes of its distance, where the level's place is known."""
        at = self.stations.get(reading.setup)
        point = self.places.get(reading.point)
        if not self.begun.tilt or at is None or point is None or reading.staff is None:
            return reading
        sight = math.dist(at, point)
        return reading.model_copy(update={"staff": reading.staff - self.begun.tilt * sight})

    @property
    def corrected(self) -> str:
        """What was done about the level's tilt, in words; empty where it has none."""
        if not self.begun.tilt:
            return ""
        said = f"{amount(abs(self.begun.tilt) * 10_000, BEAM)} of the level"
        left = [setup for setup in self.setups if setup not in self.stations]
        return f"{said} taken off by distance" + (f", not in set-up {', '.join(left)}" if left else "")

    @property
    def read(self) -> set[str]:
        """Ids of the points that were read."""
        return {figure.reading.point for figure in self.figures}

    @property
    def next_point(self) -> SurveyPoint | None:
        """The first point, row by row and back again, that was not read."""
        read = self.read
        return next((point for point in self.walk if point.id not in read), None)

    @property
    def walk(self) -> list[SurveyPoint]:
        """The points in the order of a walk: along one row and back along the next."""
        rows: dict[float, list[SurveyPoint]] = {}
        for point in self.begun.points:
            rows.setdefault(point.y, []).append(point)
        ordered = [sorted(row, key=lambda p: p.x) for _, row in sorted(rows.items())]
        return [point for k, row in enumerate(ordered) for point in (row if k % 2 == 0 else row[::-1])]

    def at(self, point: str) -> list[Figure]:
        """The figures of a point."""
        return [figure for figure in self.figures if figure.reading.point == point]

    def survey(self) -> Survey:
        """What it amounts to; raises ``BadInput`` where that is not a survey yet."""
        begun = self.begun
        taken = begun.model_dump(include={"bay", "taken_on", "valid_until", "instrument", "u", "note"})
        readings = [self.levelled(figure.reading) for figure in self.figures]
        taken["note"] = "; ".join(part for part in (begun.note, self.corrected) if part)
        return Survey.read({**taken, "person": self.person.name, "points": begun.points, "readings": readings})


def fold_survey(entries: Iterable[SurveyEntry]) -> Draft:
    """The survey that entries amount to; raises ``BadInput`` where the first is not its beginning."""
    figures: dict[int, list[Figure]] = {}
    stations: dict[str, tuple[float, float]] = {}
    begun: Begun | None = None
    person: Person | None = None
    for seq, entry in enumerate(entries, 1):
        said = entry.said
        if isinstance(said, Begun):
            begun, person = said, entry.person
        elif isinstance(said, Stationed):
            stations[said.setup] = (said.x, said.y)
        elif isinstance(said, TakenBack):
            figures.pop(said.entry, None)
        elif begun is not None and isinstance(said, PointRead):
            reading = SurveyReading.read({"point": said.point, "setup": said.setup, begun.reads: said.value})
            figures[seq] = [Figure(seq, entry.person, said.typed, reading)]
        elif isinstance(said, FileRead):
            figures[seq] = [Figure(seq, entry.person, "file", reading) for reading in said.readings]
    if begun is None or person is None:
        raise BadInput("survey", "nothing", "a survey that was begun")
    kept = tuple(figure for group in figures.values() for figure in group)
    setups = dict.fromkeys(["1", *(figure.reading.setup for figure in kept)])
    return Draft(begun, person, kept, tuple(setups), stations)
