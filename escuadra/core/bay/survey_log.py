"""A survey's stream: begun, read point by point or as a file, taken back, closed; nothing is rewritten.

``fold_survey`` gives what the events amount to.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property
from typing import Literal

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Number, Positive
from escuadra.core.base.said import Sentences, said
from escuadra.core.base.stream import Event, Payload, Person
from escuadra.core.bay.survey import MOST_POINTS, Survey, SurveyPoint, SurveyReading, tilt_told

Reads = Literal["staff", "height"]


class Begun(Payload):
    """What is settled before the first point is read."""

    code = "survey_begun"

    bay: str
    taken_on: date
    valid_until: date
    instrument: str = Field(min_length=1, max_length=80)
    u: Positive
    reads: Reads
    points: list[SurveyPoint] = Field(max_length=MOST_POINTS)
    note: str = ""
    tilt: Number = Field(0.0, description="of the level, found at its last check: staff too long for each mm of sight")

    def apply(self, state: "Draft | None", event: Event) -> "Draft":
        """The draft begins."""
        return Draft(self, event.person)


class _Further(Payload):
    """What is said of a survey that was begun."""

    def apply(self, state: "Draft | None", event: Event) -> "Draft":
        """The draft with this; raises ``BadInput`` where none was begun."""
        if state is None:
            raise BadInput("survey", "", said("wants.survey_begun"))
        return self.put(state, event)

    def put(self, draft: "Draft", event: Event) -> "Draft":
        """The draft with this."""
        raise NotImplementedError


class PointRead(_Further):
    """One figure, as typed and as understood."""

    code = "point_read"

    point: str
    setup: str = "1"
    typed: str
    value: Number = Field(description="mm")

    def put(self, draft: "Draft", event: Event) -> "Draft":
        """One figure more."""
        reading = SurveyReading.read({"point": self.point, "setup": self.setup, draft.begun.reads: self.value})
        return draft.with_figures([Figure(event.seq, event.person, self.typed, reading)])


class FileRead(_Further):
    """Many figures at once, from a file or pasted."""

    code = "file_read"

    readings: list[SurveyReading]

    def put(self, draft: "Draft", event: Event) -> "Draft":
        """Its figures more."""
        return draft.with_figures([Figure(event.seq, event.person, "file", reading) for reading in self.readings])


class Stationed(_Further):
    """Where the level stood in a set-up, in bay axes; a later one wins."""

    code = "level_stationed"

    setup: str
    x: Number
    y: Number

    def put(self, draft: "Draft", event: Event) -> "Draft":
        """The level's place."""
        return replace(draft, stations={**draft.stations, self.setup: (self.x, self.y)})


class TakenBack(_Further):
    """A figure that was taken back."""

    code = "taken_back"

    entry: int

    def put(self, draft: "Draft", event: Event) -> "Draft":
        """Without that entry's figures."""
        return replace(draft, figures=tuple(f for f in draft.figures if f.entry != self.entry))


class Closed(_Further):
    """What was read became a sheet that stays."""

    code = "survey_closed"

    sheet: str = Field(description="hash of the survey as it is pinned")

    def put(self, draft: "Draft", event: Event) -> "Draft":
        """Nothing more is read."""
        return replace(draft, sheet=self.sheet)


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
    stations: dict[str, tuple[float, float]] = field(default_factory=dict)
    sheet: str | None = None
    """Hash of the survey that it was closed as."""
    seq: int = 0
    """Of its last event."""

    def with_figures(self, figures: list[Figure]) -> "Draft":
        """With further figures."""
        return replace(self, figures=(*self.figures, *figures))

    @property
    def setups(self) -> tuple[str, ...]:
        """Where the level stood, by name."""
        return tuple(dict.fromkeys(["1", *(figure.reading.setup for figure in self.figures)]))

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
    def untilted(self) -> list[str]:
        """Set-ups whose place is not known: there the level's tilt cannot be taken off."""
        return [setup for setup in self.setups if setup not in self.stations] if self.begun.tilt else []

    @property
    def corrected(self) -> Sentences:
        """What was done about the level's tilt; empty where it has none."""
        return tilt_told(self.begun.tilt, self.untilted)

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
        taken |= {"tilt": begun.tilt, "tilt_left": self.untilted}
        return Survey.read({**taken, "person": self.person.name, "points": begun.points, "readings": readings})


def fold_survey(events: Iterable[Event]) -> Draft:
    """The survey that events amount to; raises ``BadInput`` where the first is not its beginning."""
    draft: Draft | None = None
    for event in events:
        draft = replace(event.payload.apply(draft, event), seq=event.seq)
    if draft is None:
        raise BadInput("survey", "", said("wants.survey_begun"))
    return draft
