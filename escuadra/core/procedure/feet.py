"""Levelling with the frame's feet: how many turns each, and the attitude that is reached.

Source: plane through the feet; signs of ISO 8855 (roll left side up, pitch nose down). Millimetres, degrees, turns.
"""

import math
from typing import Self

import numpy as np
from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.said import nouns, said
from escuadra.core.base.steps import in_one_line, to_step


class Foot(Frozen):
    """A foot in frame axes."""

    id: str
    x: Number
    y: Number


class FeetInput(Frozen):
    """The feet, the attitude as measured and as wanted."""

    feet: list[Foot]
    thread_pitch: Positive = Field(description="mm a turn")
    roll_deg: float = Field(gt=-89, lt=89)
    pitch_deg: float = Field(gt=-89, lt=89)
    goal_roll_deg: float = Field(0.0, gt=-89, lt=89)
    goal_pitch_deg: float = Field(0.0, gt=-89, lt=89)
    step: Positive = Field(0.125, description="smallest fraction of a turn")
    hold: str | None = Field(None, description="the foot that stays; null to raise only")

    @model_validator(mode="after")
    def _stand(self) -> Self:
        ids = [foot.id for foot in self.feet]
        if len(ids) < 3 or len(set(ids)) < len(ids):
            raise BadInput("feet", ids, said("wants.3_feet_or_more_each"))
        if in_one_line(np.array([[foot.x, foot.y] for foot in self.feet])):
            raise BadInput("feet", said("feet.feet_one_line"), said("wants.feet_span_plane"))
        if self.hold is not None and self.hold not in ids:
            raise BadInput("hold", self.hold, said("wants.one_feet_or_null", names=nouns(ids, "comma")))
        return self


class FeetResult(Frozen):
    """Lifts, turns in whole steps, and the attitude that those turns reach."""

    lift: dict[str, float]
    turns: dict[str, float]
    left_roll_deg: float
    left_pitch_deg: float


@calculation("feet")
def feet(given: FeetInput) -> FeetResult:
    """Turns of each foot from the measured to the wanted attitude."""

    def slope(deg: float) -> float:
        return math.tan(math.radians(deg))

    a = slope(-given.goal_pitch_deg) - slope(-given.pitch_deg)
    b = slope(given.goal_roll_deg) - slope(given.roll_deg)
    raw = {foot.id: a * foot.x + b * foot.y for foot in given.feet}
    k = -(raw[given.hold] if given.hold is not None else min(raw.values()))
    lift = {i: value + k for i, value in raw.items()}
    turns = {i: to_step(value / given.thread_pitch, given.step) for i, value in lift.items()}
    rows = np.array([[1.0, foot.x, foot.y] for foot in given.feet])
    made = np.array([turns[foot.id] * given.thread_pitch for foot in given.feet])
    plane = np.linalg.lstsq(rows, made, rcond=None)[0]
    return FeetResult(
        lift=lift,
        turns=turns,
        left_roll_deg=math.degrees(math.atan(slope(given.roll_deg) + float(plane[2]))),
        left_pitch_deg=-math.degrees(math.atan(slope(-given.pitch_deg) + float(plane[1]))),
    )
