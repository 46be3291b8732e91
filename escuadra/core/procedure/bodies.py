"""Bodies that stand together around a vehicle: panels, boards and mats, where each must be and what is read of it."""

from dataclasses import dataclass
from typing import Literal, Self

from pydantic import Field, model_validator

from escuadra.core.base.corners import CORNERS, REAR
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import CatalogueText, Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import nouns, said

MOST_BODIES = 9
BodyKind = Literal["panel", "board", "mat", "line"]
BodyPoint = Literal["bottom_left", "bottom_right", "top_left", "top_right", "bottom_middle"]
"""Left and right as one looks at its face; of a mat that lies on the floor as one looks at it from its lower edge."""
POINTS: dict[BodyPoint, tuple[float, float]] = {
    "bottom_left": (0.5, 0.0),
    "bottom_right": (-0.5, 0.0),
    "top_left": (0.5, 1.0),
    "top_right": (-0.5, 1.0),
    "bottom_middle": (0.0, 0.0),
}
"""Of each: its place left of the middle as a part of the width, and up from the lower edge as a part of the height."""
ANCHORS: dict[str, tuple[str, ...]] = {
    "hub": CORNERS,
    "mark": ("front", "rear"),
    "bumper": ("front", "rear"),
    "flank": ("left", "right"),
    "beam": REAR,
    "floor": ("",),
    "level": ("across", "along"),
    "square": CORNERS,
    "mark_at": CORNERS,
}
"""What a reading goes to, beside another body's points: hubs, centre marks, the body's front and rear, its sides, the
beam of a wheel's laser, the floor below, and gravity, across the face and along its upright. Of a line along the floor:
a hub square to it, the hub that a mark on it is square to; of a board: ``out`` square to it and ``back`` along it."""

ALONG = ("out", "back")
"""Off a line along the floor: square to it, and along it."""


@dataclass(frozen=True)
class Anchor:
    """What a reading of a body goes to, as a sheet names it: ``hub.LF``, ``floor``, ``left.top_right``."""

    kind: str
    """One of ``ANCHORS``, one of ``ALONG``, or ``body``."""
    which: str
    """Which of those: a corner, an end, a side; of another body what its name does not say."""
    other: str = ""
    """Id of the body that it is read to; empty where that is none."""
    point: BodyPoint = "bottom_middle"
    """Which of that body's points."""


def anchor_of(to: str) -> Anchor:
    """What a name means: the only place where one is taken apart; whether there is such a thing is asked elsewhere."""
    kind, _, which = to.partition(".")
    if kind in ANCHORS:
        return Anchor(kind, which)
    if kind in ALONG:
        body, _, point = which.partition(".")
        return Anchor(kind, which, body, point)  # type: ignore[arg-type]
    return Anchor("body", which, kind if which else "", which)  # type: ignore[arg-type]


class BodyReading(Frozen):
    """One reading of a body: which of its points, and what that is read to."""

    at: BodyPoint = "bottom_middle"
    to: str = Field(
        description="hub.LF, mark.front, bumper.rear, flank.left, beam.LR, floor, level.across, or BODY.POINT"
    )
    height: bool = Field(False, description="of another body's point: how much higher it is, not how far off")

    @property
    def anchor(self) -> str:
        """What sort of thing it is read to: one of ``ANCHORS``, one of ``ALONG``, or ``body``."""
        return anchor_of(self.to).kind

    @property
    def which(self) -> str:
        """Which of those."""
        return anchor_of(self.to).which

    @property
    def other(self) -> str:
        """Id of the body that it is read to; empty where that is none."""
        return anchor_of(self.to).other

    @property
    def point(self) -> BodyPoint:
        """Which of that body's points."""
        return anchor_of(self.to).point


class StandingBody(Frozen):
    """A panel, a board or a mat that stands or lies with others: where, and what is read of it."""

    id: str = Field(pattern=r"^[a-z][a-z0-9]*$")
    name: CatalogueText
    kind: BodyKind
    width: Positive
    height: Positive = Field(description="of its face; of a mat: how deep it lies on the floor")
    x: Number = Field(description="of the middle of its lower edge: ahead of the rear axle along the line, mm")
    y: Number = Field(description="of that, left of the line, mm")
    facing_deg: Number = Field(180.0, description="where its face looks: 180 is backward; a mat's lower edge looks so")
    bottom: NotNegative = Field(0.0, description="of its lower edge above the floor, mm")
    over: str = Field("", description="id of the mat that it lies over")
    reads: list[BodyReading] = Field(min_length=3, max_length=16)

    @model_validator(mode="after")
    def _sound(self) -> Self:
        for read in self.reads:
            if not read.other and read.which not in ANCHORS.get(read.anchor, ()):
                raise BadInput("to", read.to, said("wants.one", names=nouns(ANCHORS.get(read.anchor, ()), "comma")))
        each_once(
            "reads", (f"{read.at} {read.to} {read.height}" for read in self.reads), said("wants.each_reading_once")
        )
        return self

    @property
    def upright(self) -> bool:
        """It stands; a mat and a line lie."""
        return self.kind in ("panel", "board")

    def place(self, point: BodyPoint) -> tuple[float, float, float]:
        """A point's place from the middle of the lower edge, in the body's axes: behind its face, left, up."""
        left, up = POINTS[point]
        rise = up * self.height
        return (0.0, left * self.width, rise) if self.upright else (rise, left * self.width, 0.0)


def sound_bodies(bodies: list[StandingBody]) -> None:
    """Raises ``BadInput`` where one is read to something that is none of them."""
    each_once("bodies", (one.id for one in bodies), said("wants.each_body_once"))
    known = {one.id for one in bodies}
    for one in bodies:
        for read in one.reads:
            if read.other and (read.other not in known or read.point not in POINTS):
                raise BadInput("to", read.to, said("wants.point_of_body", names=nouns(sorted(known), "comma")))
        if one.over and one.over not in known - {one.id}:
            raise BadInput("over", one.over, said("wants.one", names=nouns(sorted(known), "comma")))
