"""Surveys of a bay's floor: begun on a grid or from a file, read point by point or as a table, closed as a sheet."""

import uuid
from abc import abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from pydantic import ValidationError

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.floors import Surveyed
from escuadra.core.base.errors import BadInput, Conflict, bad_input
from escuadra.core.base.quantities import Quantity, Question, parse, understand
from escuadra.core.base.said import nouns, said
from escuadra.core.base.stream import Payload, canonical
from escuadra.core.bay.bay import Bay
from escuadra.core.bay.ground import ground, triangles_of
from escuadra.core.bay.survey import Survey, SurveyPoint, SurveyReading, from_csv, grid
from escuadra.core.bay.survey_log import Begun, Closed, Draft, FileRead, PointRead, Stationed, TakenBack
from escuadra.core.house import survey_stream
from escuadra.store import Content

VALID_DAYS = 365
"""How long a survey counts where nobody says otherwise."""
STAFF = Quantity(dimension="length", unit="mm", low=50, high=5000)
HEIGHT = Quantity(dimension="length", unit="mm", low=-1500, high=1500)
WIDE = Quantity(dimension="length", unit="mm", low=-20_000, high=20_000)


# --- begun


@dataclass(frozen=True)
class BeginSurvey(Command[str]):
    """A survey is begun, with the figures that a file may bring; its id."""

    begun: Begun
    figures: Sequence[SurveyReading] = ()

    def id(self, context: Context) -> str:
        """The survey's id, which follows from the press."""
        return uuid.uuid5(uuid.NAMESPACE_OID, context.client_id).hex[:12]

    def stream(self, context: Context) -> str:
        """The new survey's."""
        return survey_stream(self.id(context))

    def decide(self, context: Context) -> Decision[str]:
        """Its beginning and its figures; raises for an unknown bay, or where it would not count a day."""
        begun = self.begun
        context.house.store.bay_sheet(begun.bay)
        if begun.valid_until < begun.taken_on:
            raise BadInput(
                "valid_until", begun.valid_until.isoformat(), said("wants.day", taken_on=begun.taken_on.isoformat())
            )
        told: list[Payload] = [begun]
        if self.figures:
            told.append(FileRead(readings=list(self.figures)))
        keys = ("", "+figures")
        # Worked out here and kept, so that no page has to load what it is worked out with.
        kept, text = f"triangles-{self.id(context)}", canonical(triangles_of(begun.points))
        appends = [Append(self.stream(context), 0, one, key=key) for one, key in zip(told, keys, strict=False)]
        return Decision(appends, keeps=[Content(kept, "triangles", begun.bay, 1, text)])

    def told(self, context: Context, committed: Committed) -> str:
        """Its id."""
        return self.id(context)


def on_grid(bay: Bay | None, step: float, margin: float, **more: Any) -> BeginSurvey:
    """A survey on a grid that fills the bay's length and width; raises ``BadInput`` where those were not typed."""
    if bay is None:
        raise BadInput("bay", said("jobs.surveys.one_not_drawn"), said("wants.bay_whose_length_width_typed"))
    points = [_on_its_surface(point, bay) for point in grid(bay.length, bay.width, step, margin)]
    return BeginSurvey(Begun.read({"bay": bay.name, "points": points, **more}))


def of_csv(text: str, **more: Any) -> BeginSurvey:
    """A survey from a file that names its points, with its figures."""
    points, readings = from_csv(text)
    begun = Begun.read({"points": points, **more, "reads": _reads(readings)})
    _fitting(begun, readings)
    return BeginSurvey(begun, readings)


def of_json(text: str) -> BeginSurvey:
    """A survey from a file of the published schema, with its figures."""
    try:
        survey = Survey.model_validate_json(text)
    except ValidationError as cause:
        wrong = bad_input(cause)
        raise BadInput("json", wrong.given, said("wants.survey_published_schema_says")) from cause
    fields = survey.model_dump(include={"bay", "taken_on", "valid_until", "instrument", "u", "note"})
    begun = Begun.read({**fields, "points": survey.points, "reads": _reads(survey.readings)})
    return BeginSurvey(begun, survey.readings)


def _reads(readings: Sequence[SurveyReading]) -> str:
    return "height" if any(reading.height is not None for reading in readings) else "staff"


def _fitting(begun: Begun, readings: Sequence[SurveyReading]) -> None:
    mixed = next((r.point for r in readings if getattr(r, begun.reads) is None), None)
    if mixed is not None:
        raise BadInput(begun.reads, mixed, said(f"wants.survey_{begun.reads}"))


def _on_its_surface(point: SurveyPoint, bay: Bay) -> SurveyPoint:
    """A grid point, on the runway where it falls on one."""
    rack = bay.rack
    if rack is None or not rack.x_from <= point.x <= rack.x_to:
        return point
    on_one = any(abs(point.y - y) <= rack.width / 2 for y in (rack.left_y, rack.right_y))
    return point.model_copy(update={"surface": "runway"}) if on_one else point


def valid_from(day: date) -> date:
    """Until when a survey of a day counts where nobody says otherwise."""
    return day + timedelta(days=VALID_DAYS)


# --- read


@dataclass(frozen=True)
class SurveyCommand(Command[Any]):
    """Something said in a survey that is in the making."""

    survey: str

    @abstractmethod
    def say(self, context: Context, draft: Draft) -> Sequence[Payload] | Question:
        """What is said, or a question; raises where it is refused."""

    def stream(self, context: Context) -> str:
        """The survey's."""
        return survey_stream(self.survey)

    def decide(self, context: Context) -> Decision[Any]:
        """What is said, upon the survey as it is; raises ``Conflict`` for a closed one."""
        floors = context.house.floors
        if floors.row(self.survey).sheet is not None:
            raise Conflict(said("jobs.surveys.survey_closed_stays_begin_another"))
        draft = floors.draft(self.survey)
        told = self.say(context, draft)
        if isinstance(told, Question):
            return Decision(instead=told)
        stream = self.stream(context)
        return Decision([Append(stream, draft.seq, one, key=f"+{k}" if k else "") for k, one in enumerate(told)])

    def told(self, context: Context, committed: Committed) -> Any:
        """The survey as it is then."""
        return context.house.floors.draft(self.survey)


@dataclass(frozen=True)
class Paste(SurveyCommand):
    """The figures of a file for the points that the survey has."""

    text: str

    def say(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """Its figures; raises for a point that the survey has not."""
        points, readings = from_csv(self.text)
        known = {point.id: point for point in draft.begun.points}
        strange = next((p.id for p in points if p.id not in known), None)
        if strange is not None:
            raise BadInput("point", strange, said("wants.points_survey_begin_another_other"))
        _fitting(draft.begun, readings)
        return [FileRead(readings=readings)]


@dataclass(frozen=True)
class ReadPoint(SurveyCommand):
    """A figure as typed; asked about where it is implausible, unless ``sure``."""

    point: str
    typed: str
    setup: str = "1"
    replaces: bool = False
    sure: bool = False

    def say(self, context: Context, draft: Draft) -> Sequence[Payload] | Question:
        """The figure, and what it replaces."""
        if all(p.id != self.point for p in draft.begun.points):
            raise BadInput("point", self.point, said("wants.point_survey"))
        if not 0 < len(self.setup) <= 20:
            raise BadInput("setup", self.setup, said("wants.name_up_20_characters_level"))
        asked = WIDE if self.sure else (STAFF if draft.begun.reads == "staff" else HEIGHT)
        found = understand(self.typed, asked)
        if isinstance(found, Question):
            return found
        told = PointRead(point=self.point, setup=self.setup, typed=self.typed[:60], value=found.value)
        here = [f for f in draft.at(self.point) if f.reading.setup == self.setup and f.typed != "file"]
        return [told, *(TakenBack(entry=figure.entry) for figure in here if self.replaces)]


@dataclass(frozen=True)
class EnterTable(SurveyCommand):
    """A table of figures, point by point; nothing is entered where one of them is refused or implausible."""

    typed: Mapping[str, str]
    setup: str = "1"

    def say(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """All figures that were typed."""
        reads, readings = draft.begun.reads, []
        for point, text in self.typed.items():
            if not text.strip():
                continue
            try:
                found = understand(text, STAFF if reads == "staff" else HEIGHT)
            except BadInput as cause:
                raise BadInput(point, said("jobs.surveys.at", text=text, point=point), cause.accepted) from cause
            if isinstance(found, Question):
                meant = nouns((choice.text for choice in found.choices), "or")
                raise BadInput(
                    point,
                    said("jobs.surveys.at", text=text, point=point),
                    said("wants.plausible_figure_unit", meant=meant),
                )
            readings.append(SurveyReading.read({"point": point, "setup": self.setup, reads: found.value}))
        known = {p.id for p in draft.begun.points}
        strange = next((r.point for r in readings if r.point not in known), None)
        if strange is not None or not readings:
            raise BadInput("point", strange, said("wants.figures_points_survey"))
        return [FileRead(readings=readings)]


@dataclass(frozen=True)
class StationLevel(SurveyCommand):
    """Where the level stands in a set-up, as typed in bay axes."""

    setup: str
    x: str
    y: str

    def say(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """The level's place."""
        places = []
        for name, text in (("x", self.x), ("y", self.y)):
            meanings = parse(text, "length", "mm")
            if len(meanings) > 1:
                raise BadInput(name, text, said("wants.one_with_unit", meant=nouns((m.text for m in meanings), "or")))
            places.append(meanings[0].value)
        return [Stationed(setup=self.setup.strip() or "1", x=places[0], y=places[1])]


@dataclass(frozen=True)
class TakeBackFigure(SurveyCommand):
    """One's own last figure taken back."""

    def say(self, context: Context, draft: Draft) -> Sequence[Payload]:
        """That it is taken back."""
        own = [figure.entry for figure in draft.figures if figure.person.id == context.who.id]
        if not own:
            raise BadInput("undo", "", said("wants.figure_your_own_still_counts"))
        return [TakenBack(entry=max(own))]


# --- closed


@dataclass(frozen=True)
class CloseSurvey(Command[Surveyed]):
    """What was read becomes a sheet that stays; refused where it spans no area."""

    survey: str

    def stream(self, context: Context) -> str:
        """The survey's."""
        return survey_stream(self.survey)

    def decide(self, context: Context) -> Decision[Surveyed]:
        """The sheet, with the triangles that its surface is made of; nothing where it is closed already."""
        floors = context.house.floors
        if floors.row(self.survey).sheet is not None:
            return Decision()
        draft = floors.draft(self.survey)
        survey = draft.survey()
        surface = ground(survey)
        assert surface.meshes
        sheet = Content.of("survey", survey.bay, survey)
        text = canonical(surface.triangles)
        triangles = Content(f"triangles-{sheet.hash}", "triangles", survey.bay, 1, text)
        closed = Append(self.stream(context), draft.seq, Closed(sheet=sheet.hash), key="closed")
        return Decision([closed], keeps=[sheet, triangles])

    def told(self, context: Context, committed: Committed) -> Surveyed:
        """The closed survey."""
        return context.house.floors.closed(self.survey)
