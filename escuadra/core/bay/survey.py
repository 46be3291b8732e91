"""A floor survey: its points and readings, the heights they give, and the staff that was misread.

Heights or staff readings, from one set-up of the level or several joined through common points (``levelling``).
Only height differences matter: the first point is the datum. Source: adjustment with w-tests (Baarda); the published
schema of a survey is this model.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal, Self

import numpy as np
from pydantic import Field, model_validator

from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.given import table, written
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.quantities import parse
from escuadra.core.base.said import NOTHING, Name, Plain, Said, Sentences, Text, exact, nouns, said, sentences
from escuadra.core.base.wording import BEAM, amount
from escuadra.core.geodesy.levelling import LevellingInput, StaffReading, levelling
from escuadra.core.measure.symmetry import CRITICAL_W

Surface = Literal["floor", "runway"]
MOST_POINTS = 1200
CSV_COLUMNS = ("point", "x", "y", "staff", "height", "setup", "surface")


class SurveyPoint(Frozen):
    """A place that is read, in bay axes."""

    id: str = Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]{0,20}$")
    x: Number
    y: Number
    surface: Surface = "floor"


class SurveyReading(Frozen):
    """One figure that was read at a point: a staff below the beam, or a height."""

    point: str
    setup: str = Field("1", min_length=1, max_length=20, description="of the level")
    staff: Number | None = Field(None, description="mm; a larger reading is a lower floor")
    height: Number | None = Field(None, description="mm")

    @model_validator(mode="after")
    def _one(self) -> Self:
        if (self.staff is None) == (self.height is None):
            raise BadInput("staff", self.point, said("wants.either_staff_reading_or_height"))
        return self


def tilt_told(tilt: float, left: Sequence[str]) -> Sentences:
    """That a level's tilt was taken off by distance, and the set-ups where it could not be; empty for no tilt."""
    if not tilt:
        return NOTHING
    rest = said("survey.tilt_left", setups=nouns(left)) if left else None
    return sentences(said("survey.tilt_taken_off", tilt=amount(abs(tilt) * 10_000, BEAM)), rest)


class Survey(Frozen):
    """A survey as it was taken."""

    bay: str
    taken_on: date
    valid_until: date
    person: str = Field(min_length=1, max_length=80)
    instrument: str = Field(min_length=1, max_length=80)
    u: Positive = Field(description="of every single reading, one sigma, mm")
    points: list[SurveyPoint] = Field(max_length=MOST_POINTS)
    readings: list[SurveyReading] = Field(max_length=2 * MOST_POINTS)
    note: str = Field("", max_length=300)
    tilt: Number = Field(0.0, description="of the level, taken off by distance: staff too long for each mm of sight")
    tilt_left: list[str] = Field([], description="set-ups whose place is not known: there it was not taken off")

    @property
    def corrected(self) -> Sentences:
        """What was done about the level's tilt; empty where it has none."""
        return tilt_told(self.tilt, self.tilt_left)

    @model_validator(mode="after")
    def _sound(self) -> Self:
        each_once("points", (point.id for point in self.points), said("wants.each_points_id_once"))
        ids = {point.id for point in self.points}
        unknown = next((r.point for r in self.readings if r.point not in ids), None)
        if unknown is not None:
            raise BadInput("point", unknown, said("wants.point_survey"))
        if len({reading.staff is None for reading in self.readings}) > 1:
            raise BadInput("readings", said("survey.mix"), said("wants.either_staff_every_point_or"))
        if self.valid_until < self.taken_on:
            raise BadInput(
                "valid_until", self.valid_until.isoformat(), said("wants.day", taken_on=self.taken_on.isoformat())
            )
        return self


@dataclass(frozen=True, eq=False)
class Levelled:
    """Heights above the first point, with all that is known about how they hang together."""

    points: list[SurveyPoint]
    z: np.ndarray
    covariance: np.ndarray
    """(n, n), mm²; what all heights share is left out, so it serves height differences only."""
    residuals: list[float]
    """Computed minus read, in the order of the readings."""
    misread: list[Text]
    """What to read again; empty where the readings agree."""
    s0: float | None


def levelled(survey: Survey) -> Levelled:
    """Heights of every point that was read; raises ``BadInput`` where set-ups are not joined or points too few."""
    read = {reading.point for reading in survey.readings}
    points = [point for point in survey.points if point.id in read]
    if len(points) < 3:
        raise BadInput("readings", said("survey.points_read", points=len(points)), said("wants.3_points_or_more"))
    if survey.readings[0].height is not None:
        return _from_heights(survey, points)
    datum = points[0].id
    # ``staff`` is never None here: the model refuses a mix.
    given = [StaffReading(setup=r.setup, point=r.point, staff=r.staff or 0.0) for r in survey.readings]
    found = levelling(LevellingInput(readings=given, u=survey.u, datum=datum))
    z = np.array([0.0 if p.id == datum else found.heights[p.id].z for p in points])
    misread = [_suspect(given[k], given) for k in found.suspects]
    return Levelled(
        points, z, _covariance(survey, points), list(found.residuals), list(dict.fromkeys(misread)), found.s0
    )


def _suspect(reading: StaffReading, given: list[StaffReading]) -> Said:
    setups = list(dict.fromkeys(r.setup for r in given if r.point == reading.point))
    others = nouns((said("survey.set_up", setup=setup) for setup in setups), "or")
    return said("survey.suspect", point=reading.point, setups=others)


def _from_heights(survey: Survey, points: list[SurveyPoint]) -> Levelled:
    at: dict[str, list[float]] = {point.id: [] for point in points}
    for reading in survey.readings:
        at[reading.point].append(reading.height or 0.0)
    means = {i: math.fsum(values) / len(values) for i, values in at.items()}
    z = np.array([means[point.id] for point in points])
    counts = np.array([len(at[point.id]) for point in points])
    residuals = [means[r.point] - (r.height or 0.0) for r in survey.readings]
    dof = len(survey.readings) - len(points)
    s0 = math.sqrt(math.fsum(v * v for v in residuals) / survey.u**2 / dof) if dof else None
    far = [
        r.point
        for r, v in zip(survey.readings, residuals, strict=True)
        if _w(v, survey.u, len(at[r.point])) > CRITICAL_W
    ]
    return Levelled(
        points, z, np.diag(survey.u**2 / counts), residuals, [Name(point) for point in dict.fromkeys(far)], s0
    )


def _w(residual: float, u: float, count: int) -> float:
    return abs(residual) / (u * math.sqrt(1 - 1 / count)) if count > 1 else 0.0


def _covariance(survey: Survey, points: list[SurveyPoint]) -> np.ndarray:
    """Of the points' heights, from the normal equations with the first point held."""
    setups = list(dict.fromkeys(reading.setup for reading in survey.readings))
    column = {("setup", s): k for k, s in enumerate(setups)}
    column |= {("point", p.id): len(setups) + k for k, p in enumerate(points[1:])}
    rows = np.zeros((len(survey.readings), len(column)))
    for i, reading in enumerate(survey.readings):
        rows[i, column["setup", reading.setup]] = 1
        if reading.point != points[0].id:
            rows[i, column["point", reading.point]] = -1
    full = survey.u**2 * np.linalg.inv(rows.T @ rows)
    found = np.zeros((len(points), len(points)))
    found[1:, 1:] = full[len(setups) :, len(setups) :]
    return found


# --- grids and CSV


def grid(length: float, width: float, step: float, margin: float = 0.0) -> list[SurveyPoint]:
    """Points on a grid that fills a rectangle, rows A, B, … across and columns 1, 2, … along."""
    if not 0 < step <= 20_000:
        raise BadInput("step", step, said("wants.distance_between_points_1_20"))
    along, across = (max(1, round((reach - 2 * margin) / step)) for reach in (length, width))
    if (along + 1) * (across + 1) > MOST_POINTS:
        raise BadInput("step", step, said("wants.wider_grid_most_points", most_points=MOST_POINTS))
    if length <= 2 * margin or width <= 2 * margin:
        raise BadInput("margin", margin, said("wants.less_than_half_bay"))
    return [
        SurveyPoint(
            id=f"{_letters(row)}{column + 1}",
            x=round(margin + column * (length - 2 * margin) / along, 1),
            y=round(margin + row * (width - 2 * margin) / across, 1),
        )
        for row in range(across + 1)
        for column in range(along + 1)
    ]


def _letters(k: int) -> str:
    return chr(65 + k % 26) if k < 26 else chr(64 + k // 26) + chr(65 + k % 26)


def to_csv(survey: Survey) -> str:
    """Points and readings as CSV, a line a reading; points not read yet have no figure."""
    rows: list[Sequence[object]] = [CSV_COLUMNS]
    at = {point.id: point for point in survey.points}
    for reading in survey.readings:
        figures = [_cell(reading.staff), _cell(reading.height), reading.setup]
        rows.append(_line(at[reading.point], figures))
    read = {reading.point for reading in survey.readings}
    rows.extend(_line(point, ["", "", ""]) for point in survey.points if point.id not in read)
    return written(rows)


def _line(point: SurveyPoint, figures: list[str]) -> list[str]:
    return [point.id, f"{point.x:g}", f"{point.y:g}", *figures, point.surface]


def _cell(value: float | None) -> str:
    return "" if value is None else repr(float(value)).removesuffix(".0")


def from_csv(text: str) -> tuple[list[SurveyPoint], list[SurveyReading]]:
    """Points and readings of a CSV with a heading line; comma, semicolon or tab; raises ``BadInput`` with the line."""
    lines = table(text, "csv")
    if not lines:
        raise BadInput("csv", "", said("wants.heading_line_line_reading", names=nouns(CSV_COLUMNS[:4], "comma")))
    heading = [name.strip().casefold() for name in lines[0][1]]
    missing = [name for name in ("point", "x", "y") if name not in heading]
    if missing or not {"staff", "height"} & set(heading):
        wanted = said("survey.columns_point_x_y_staff")
        raise BadInput("csv", ", ".join(heading), wanted, said("survey.line", number=1, field="csv"))
    points: dict[str, SurveyPoint] = {}
    readings: list[SurveyReading] = []
    for number, cells in lines[1:]:
        row = dict(zip(heading, (cell.strip() for cell in cells), strict=False))
        try:
            point, reading = _row(row)
            known = points.setdefault(point.id, point)
            if (known.x, known.y) != (point.x, point.y):
                raise BadInput(
                    "point",
                    point.id,
                    said("wants.place_had_before_x_y", x=exact(Plain, known.x), y=exact(Plain, known.y)),
                )
        except BadInput as cause:
            raise BadInput(
                cause.field, cause.given, cause.accepted, said("survey.line", number=number, field=cause.field)
            ) from cause
        if reading is not None:
            readings.append(reading)
    return list(points.values()), readings


def _row(row: dict[str, str]) -> tuple[SurveyPoint, SurveyReading | None]:
    figures: dict[str, float | None] = {}
    for name in ("x", "y", "staff", "height"):
        typed = row.get(name, "")
        meanings = parse(typed, "length", "mm") if typed else []
        if len(meanings) > 1:
            raise BadInput(name, typed, said("wants.figure_means_one_thing_such"))
        figures[name] = meanings[0].value if meanings else None
        if typed == "" and name in ("x", "y"):
            raise BadInput(name, "", said("wants.length_such_1250_or_1"))
    point = SurveyPoint.read(
        {"id": row.get("point", ""), "x": figures["x"], "y": figures["y"], "surface": row.get("surface") or "floor"}
    )
    if figures["staff"] is None and figures["height"] is None:
        return point, None
    given = {
        "point": point.id,
        "setup": row.get("setup") or "1",
        "staff": figures["staff"],
        "height": figures["height"],
    }
    return point, SurveyReading.read(given)
