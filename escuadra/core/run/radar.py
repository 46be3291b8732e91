"""Aiming a radar: by its mirror, by the turns of its two screws, and by three tilts of a board.

Source: law of reflection (the beam turns twice the mirror's angle); a linear system of two screws; the vertex of a
parabola. Signs of ISO 8855, left and up as seen looking out along the sensor's axis.
"""

import math
from typing import Self

import numpy as np
from pydantic import Field, field_validator, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.said import said
from escuadra.core.base.steps import to_step


class ReflectionInput(Frozen):
    """Where the beam comes back, from where it left."""

    left: Number = Field(description="mm")
    up: Number = Field(description="mm")
    distance: Positive = Field(description="one way, mm")


class ReflectionResult(Frozen):
    """How far the mirror is turned."""

    yaw_deg: float
    pitch_deg: float


@calculation("reflection")
def reflection(given: ReflectionInput) -> ReflectionResult:
    """The mirror's yaw and pitch from its returning spot."""
    return ReflectionResult(
        yaw_deg=math.degrees(math.atan(given.left / given.distance)) / 2,
        pitch_deg=-math.degrees(math.atan(given.up / given.distance)) / 2,
    )


class Screw(Frozen):
    """What a clockwise turn of a screw does."""

    id: str
    yaw_deg_per_turn: Number
    pitch_deg_per_turn: Number


class ScrewsInput(Frozen):
    """The misalignment and the two screws."""

    yaw_deg: Number
    pitch_deg: Number
    screws: list[Screw]
    step: Positive = 0.125

    @field_validator("screws")
    @classmethod
    def _two(cls, screws: list[Screw]) -> list[Screw]:
        if len(screws) != 2 or screws[0].id == screws[1].id:
            raise BadInput("screws", [screw.id for screw in screws], said("wants.two_screws_different_names"))
        return screws


class ScrewsResult(Frozen):
    """Turns, exact and in whole steps, and what those leave."""

    exact: dict[str, float]
    turns: dict[str, float]
    left_yaw_deg: float
    left_pitch_deg: float


@calculation("screws")
def screws(given: ScrewsInput) -> ScrewsResult:
    """Turns of both screws that take a misalignment away."""
    effect = np.array([[s.yaw_deg_per_turn for s in given.screws], [s.pitch_deg_per_turn for s in given.screws]])
    if abs(np.linalg.det(effect)) < 1e-9:
        raise BadInput(
            "screws", said("radar.both_work_one_direction"), said("wants.screws_turn_sensor_different_directions")
        )
    off = np.array([given.yaw_deg, given.pitch_deg])
    exact = np.linalg.solve(effect, -off)
    turns = np.array([to_step(float(t), given.step) for t in exact])
    left = off + effect @ turns
    names = [screw.id for screw in given.screws]
    return ScrewsResult(
        exact={i: float(t) for i, t in zip(names, exact, strict=True)},
        turns={i: float(t) for i, t in zip(names, turns, strict=True)},
        left_yaw_deg=float(left[0]),
        left_pitch_deg=float(left[1]),
    )


class TiltInput(Frozen):
    """Three tilts of the board and the radar's response to each."""

    tilts: tuple[Number, Number, Number]
    responses: tuple[Number, Number, Number]

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if len(set(self.tilts)) < 3:
            raise BadInput("tilts", self.tilts, said("wants.three_different_tilts"))
        return self


class TiltResult(Frozen):
    """Where the response peaks."""

    vertex: float
    peak: float
    inside: bool = Field(description="the vertex lies within the tilts' range")


@calculation("tilt")
def tilt(given: TiltInput) -> TiltResult:
    """The vertex of the parabola through the three responses; refuses one that opens upward or is flat."""
    (x0, x1, x2), (y0, y1, y2) = given.tilts, given.responses
    d1, d2 = (y1 - y0) / (x1 - x0), (y2 - y1) / (x2 - x1)
    curvature = (d2 - d1) / (x2 - x0)
    low, high = min(given.tilts), max(given.tilts)
    if curvature * (high - low) ** 2 > -1e-9 * max(1.0, *(abs(y) for y in given.responses)):
        raise BadInput("responses", given.responses, said("wants.responses_peak_middle_higher_than"))
    vertex = (x0 + x1) / 2 - d1 / (2 * curvature)
    peak = y0 + d1 * (vertex - x0) + curvature * (vertex - x0) * (vertex - x1)
    return TiltResult(vertex=vertex, peak=peak, inside=low <= vertex <= high)
