"""What goes into ``state``: points, bodies by epoch, lines, instruments, floors, gravity, shapes and all that was read.

Vehicle axes (ISO 8855), millimetres and degrees. Everything is a frozen value without a dict in it, so that a solution
can be kept by the content of what it was made from.
"""

from collections.abc import Iterable
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import BeforeValidator, Field, field_validator, model_validator

from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.named import Named
from escuadra.core.base.said import Plain, Said, exact, said
from escuadra.core.geodesy.observations import SharedErrors

MOST_PLACES, MOST_OBSERVATIONS, MOST_WANTED = 400, 3000, 200
"""A long visit has thirty epochs and six hundred readings; beyond this it is a mistake, told before it is slow."""

Place = tuple[Number, Number, Number]
Corner = Literal["x", "y", "z"]
Coordinate = Literal["x", "y", "z", "yaw_deg", "roll_deg", "pitch_deg"]
LineName = Literal["axis", "thrust", "marks"]


def _several(given: Any) -> Any:
    return (given,) if isinstance(given, str) else given


Points = Annotated[tuple[str, ...], Field(min_length=1), BeforeValidator(_several)]
"""One point or several; of several, their mean."""


class StatePoint(Frozen):
    """A point of the vehicle or the floor: first guess, with the coordinates that are exact."""

    x: Number
    y: Number
    z: Number = Field(description="over the plane that the tyres stand on")
    fixed: tuple[Corner, ...] = ()


class Body(Frozen):
    """A frame, stand or mat in one place (an epoch): first guess of its pose, and its own points or its shape."""

    x: Number
    y: Number
    z: Number
    yaw_deg: Number
    roll_deg: Number
    pitch_deg: Number
    points: Named[Place] | None = Field(None, description="id: [bx, by, bz] in the body's axes")
    shape: str | None = Field(None, description="a shape in place of points")
    fixed: tuple[Coordinate, ...] = Field((), description="coordinates that are exact")

    @model_validator(mode="after")
    def _points_or_shape(self) -> Self:
        if self.shape is None and self.points is None:
            raise BadInput("points", "", said("wants.bodys_own_points_or_shape"))
        if self.shape is not None and self.points is not None:
            raise BadInput("shape", self.shape, said("wants.shape_or_points_own_not"))
        return self


class Shape(Frozen):
    """A body's points, shared by every epoch that has this shape; uncertain where u is above 0."""

    points: Named[Place]
    u: Named[tuple[NotNegative, NotNegative, NotNegative]] = ()

    @model_validator(mode="after")
    def _known(self) -> Self:
        _known("point", (name for name, _ in self.u), {name for name, _ in self.points}, said("wants.point_shape"))
        return self


class Angle(Frozen):
    """First guess of a direction."""

    angle_deg: Number


class Floor(Frozen):
    """What is known of a local floor's height; counted above another floor where it lies on one."""

    height: Number
    u: NotNegative
    on: str | None = None


class Gravity(Frozen):
    """How gravity lies to the tyres' plane: up = Ry(pitch)·Rx(roll)·ẑ."""

    roll_deg: Number
    pitch_deg: Number
    u_deg: NotNegative


class Mounting(Frozen):
    """One seating of a clamp on a wheel: what it adds to the wheel's heading."""

    wheel: str
    u_deg: NotNegative


class Read(Frozen):
    """One reading: its value, its own standard uncertainty, and the instruments whose shared errors it has."""

    by_name_alone: ClassVar[bool] = False
    """A length that an instrument of length reads: its instrument may be given by its name, with the factor 1."""

    id: str
    value: Number
    u: Positive
    instrument: Named[Number] = Field((), description="factor by instrument; a length's instrument also by its name")

    @field_validator("instrument", mode="before")
    @classmethod
    def _by_name(cls, given: Any) -> Any:
        if given is None:
            return ()
        if not isinstance(given, str):
            return given
        if not cls.by_name_alone:
            raise BadInput("instrument", given, said("wants.factors_instrument_reading_no_length"))
        return ((given, 1.0),)


class Length(Read):
    """A reading that an instrument of length takes."""

    by_name_alone: ClassVar[bool] = True


class Distance(Length):
    """Between two points, in space or in plan."""

    type: Literal["distance", "level_distance"]
    from_: str = Field(alias="from")
    to: str


class Rise(Length):
    """How much higher a point is than another."""

    type: Literal["rise"]
    from_: str = Field(alias="from")
    to: str


class AtPoint(Length):
    """A coordinate of a point."""

    type: Literal["x", "y", "z"]
    point: str


class Height(Length):
    """A point's height above a local floor."""

    type: Literal["height"]
    point: str
    floor: str | None = None


class OfBody(Read):
    """A level along (roll) or across (pitch) the beam, or the body's yaw; degrees."""

    type: Literal["roll", "pitch", "yaw"]
    body: str


class ThrustRead(Read):
    """The thrust line's direction, degrees."""

    type: Literal["thrust"]


class FromBeam(Length):
    """A point's distance square to the beam, or its place along the beam, in plan."""

    type: Literal["perpendicular", "along"]
    point: str
    body: str


class Crossing(Length):
    """Where the beam's axis lies over (or in the laser's plane of) the line of two marks."""

    type: Literal["crossing"]
    from_: str = Field(alias="from")
    to: str
    body: str


class Ruler(Length):
    """Where a wheel's beam meets the body's beam; without ``toe_deg`` along the wheel's own heading."""

    type: Literal["ruler"]
    wheel: str
    body: str
    toe_deg: Number | None = None
    mounting: str | None = None
    turn: Literal[1, -1] = 1


class Panel(Length):
    """A body's beam read on a panel at a wheel."""

    type: Literal["panel"]
    point: str
    wheel: str
    body: str | None = Field(None, description="left out: the point's own")


class ScalePair(Read):
    """Returned beams: left reading minus right reading."""

    type: Literal["scale_pair"]
    body: str
    left_distance: Positive
    right_distance: Positive
    half_toe_deg: Number


class Same(Read):
    """What a move left as it was, or changed by a known amount: the second body less the first."""

    type: Literal["same"]
    from_: str = Field(alias="from")
    to: str
    what: Literal["yaw", "roll", "pitch", "normal", "sideways", "up"]
    point: str | None = Field(None, description="that point's displacement in place of the origin's")


class Heading(Read):
    """Where a wheel points, degrees."""

    type: Literal["heading"]
    wheel: str
    mounting: str | None = None
    turn: Literal[1, -1] = 1


class Toe(Read):
    """A wheel's toe: −heading on the left, +heading on the right; degrees."""

    type: Literal["toe"]
    wheel: str


class Spot(Read):
    """Where one returned beam comes back, left positive."""

    type: Literal["spot"]
    body: str
    wheel: str
    distance: Positive
    mounting: str | None = None
    turn: Literal[1, -1] = 1


class Own(Read):
    """A coordinate of a shape's point in the body's own axes."""

    type: Literal["own"]
    shape: str
    point: str
    axis: Corner


class Offset(Read):
    """A point's distance from the line of two others in plan, left of the way positive."""

    type: Literal["offset"]
    point: str
    from_: str = Field(alias="from")
    to: str


READINGS: dict[str, type[Read]] = {
    "distance": Distance,
    "level_distance": Distance,
    "rise": Rise,
    **dict.fromkeys(("x", "y", "z"), AtPoint),
    "height": Height,
    **dict.fromkeys(("roll", "pitch", "yaw"), OfBody),
    "thrust": ThrustRead,
    **dict.fromkeys(("perpendicular", "along"), FromBeam),
    "crossing": Crossing,
    "ruler": Ruler,
    "panel": Panel,
    "scale_pair": ScalePair,
    "same": Same,
    "heading": Heading,
    "toe": Toe,
    "spot": Spot,
    "own": Own,
    "offset": Offset,
}
"""Each type of observation and its model."""
THRUST_READINGS = (ThrustRead, Ruler, ScalePair)
"""What tells or needs the thrust line's direction."""

StateObservation = Annotated[
    Distance
    | Rise
    | AtPoint
    | Height
    | OfBody
    | ThrustRead
    | FromBeam
    | Crossing
    | Ruler
    | Panel
    | ScalePair
    | Same
    | Heading
    | Toe
    | Spot
    | Own
    | Offset,
    Field(discriminator="type"),
]


class _Wanted(Frozen):
    id: str


class _OnLine(_Wanted):
    marks: tuple[Points, Points] | None = Field(
        None, description="where the line is 'marks': from the first to the second"
    )

    @property
    def direction(self) -> str:
        """The line's name."""
        raise NotImplementedError


class WantedYaw(_OnLine):
    """A body's yaw against a line, degrees."""

    type: Literal["yaw"]
    body: str
    to: LineName

    @property
    def direction(self) -> str:
        return self.to


class WantedTilt(_Wanted):
    """What a level there would show, degrees."""

    type: Literal["roll", "pitch"]
    body: str
    to: Literal["axis"] | None = Field(None, description="against the tyres' plane, whatever gravity does")


class WantedHeight(_Wanted):
    """A point's height."""

    type: Literal["height"]
    point: str
    floor: str | None = None


class _OnNamedLine(_OnLine):
    line: LineName

    @property
    def direction(self) -> str:
        return self.line


class WantedAhead(_OnNamedLine):
    """A point less the mean of others, along a line."""

    type: Literal["ahead"]
    point: str
    from_: Points = Field(alias="from")


class WantedBeside(_OnNamedLine):
    """A point less the mean of others, to the left of a line."""

    type: Literal["beside"]
    point: str
    through: Points


class WantedAngle(_OnNamedLine):
    """A line's direction, degrees."""

    type: Literal["angle"]


class WantedAt(_OnNamedLine):
    """Where a line through the mean of some points lies at an x."""

    type: Literal["at"]
    through: Points
    x: Number


class WantedHeading(_Wanted):
    """Where a wheel points, degrees."""

    type: Literal["heading"]
    wheel: str


Wanted = Annotated[
    WantedYaw | WantedTilt | WantedHeight | WantedAhead | WantedBeside | WantedAngle | WantedAt | WantedHeading,
    Field(discriminator="type"),
]


class Hypothesis(Frozen):
    """What one act can get wrong at once, and the largest error that would not be asked about."""

    id: str
    effect: Named[Number] = Field(description="observation id: factor")
    cap: Positive


def _known(field: str, names: Iterable[str | None], among: Iterable[str], accepted: Said) -> None:
    for name in names:
        if name is not None and name not in among:
            raise BadInput(field, name, accepted)


class StateInput(Frozen):
    """Everything that was read on a visit, and what is wanted of it."""

    points: Named[StatePoint]
    bodies: Named[Body]
    thrust: Angle | None = None
    headings: Named[Angle] = Field((), description="wheel: where it points, in place of thrust")
    mountings: Named[Mounting] = ()
    instruments: Named[SharedErrors] = ()
    floors: Named[Floor] = ()
    gravity: Gravity | None = None
    shapes: Named[Shape] = ()
    observations: tuple[StateObservation, ...]
    wanted: tuple[Wanted, ...]
    limits: Named[tuple[Number | None, Number | None]] = ()
    hypotheses: tuple[Hypothesis, ...] = ()
    partial: bool = Field(False, description="what cannot be told is null in place of a refusal")
    alpha: float = Field(0.001, gt=0, lt=1, description="level of the global test")

    @field_validator("points", "bodies", "observations", "wanted")
    @classmethod
    def _few(cls, given: tuple[Any, ...], info: Any) -> tuple[Any, ...]:
        most = {"observations": MOST_OBSERVATIONS, "wanted": MOST_WANTED}.get(info.field_name, MOST_PLACES)
        if len(given) > most:
            raise BadInput(info.field_name, str(len(given)), said("wants.most", most=most))
        return given

    @model_validator(mode="after")
    def _checked(self) -> Self:
        if not self.wanted:
            raise BadInput("wanted", "", said("wants.one_or_more_quantities"))
        if self.thrust and self.headings:
            raise BadInput("thrust", f"{self.thrust.angle_deg:g}°", said("wants.thrust_line_or_wheels_headings"))
        each_once("wanted", (w.id for w in self.wanted), said("wants.each_wanted_quantitys_id_once"))
        each_once("hypotheses", (h.id for h in self.hypotheses), said("wants.each_hypothesiss_id_once"))
        each_once("observations", (o.id for o in self.observations), said("wants.each_observations_id_once"))
        for id, (lower, upper) in self.limits:
            _known("limits", [id], {w.id for w in self.wanted}, said("wants.wanted_quantitys_id"))
            if lower is not None and upper is not None and lower > upper:
                raise BadInput(
                    "limits",
                    said("input.to", lower=exact(Plain, lower), upper=exact(Plain, upper)),
                    said("wants.lower_limit_not_above_upper"),
                )
        for hypothesis in self.hypotheses:
            if not any(factor for _, factor in hypothesis.effect):
                raise BadInput("hypotheses", hypothesis.id, said("wants.effect_one_reading_or_more"))
        return self
