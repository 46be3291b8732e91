"""What goes into a network: points, the frame, the thrust line, instruments and every type of observation.

Vehicle axes (ISO 8855), millimetres; angles in degrees at this boundary.
"""

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import said

MOST_POINTS, MOST_OBSERVATIONS = 300, 3000
"""A set-up has a dozen of either; a network beyond this is a mistake, and would be solved too slowly to say so."""


class NetworkPoint(Frozen):
    """A point on the floor plan; a free point's coordinates are a first guess."""

    x: Number
    y: Number
    fixed: bool


class NetworkFrame(Frozen):
    """The calibration frame: first guess of its pose, and its points in frame axes."""

    x: Number | None = Field(None, description="first guess; left out: found by itself")
    y: Number | None = None
    yaw_deg: Number | None = None
    points: dict[str, tuple[Number, Number]] = Field(description="id: (bx, by)")

    @property
    def guess(self) -> tuple[float, float, float] | None:
        """x, y, yaw in degrees, where all three are given."""
        if self.x is None or self.y is None or self.yaw_deg is None:
            return None
        return self.x, self.y, self.yaw_deg


class NetworkThrust(Frozen):
    """The thrust line's direction as an unknown."""

    angle_deg: Number


class SharedErrors(Frozen):
    """What all readings of an instrument have in common."""

    u_offset: NotNegative = 0.0
    u_scale: NotNegative = Field(0.0, description="a pure number")


class _Observation(Frozen):
    id: str
    value: Number | None = None
    u: Positive


class _ByInstrument(_Observation):
    instrument: str | None = None


class DistanceObservation(_ByInstrument):
    """Level distance between two points."""

    type: Literal["distance"]
    from_: str = Field(alias="from")
    to: str


class CrossingObservation(_ByInstrument):
    """Where the line through two marks meets the beam, along the beam from its centre."""

    type: Literal["crossing"]
    from_: str = Field(alias="from")
    to: str


class PointObservation(_ByInstrument):
    """A coordinate, or a distance square to or along the beam."""

    type: Literal["x", "y", "perpendicular", "along"]
    point: str


class PanelObservation(_ByInstrument):
    """A frame beam read on a panel at a wheel."""

    type: Literal["panel"]
    point: str
    wheel: str


class RulerObservation(_ByInstrument):
    """A wheel's beam read on the frame's ruler."""

    type: Literal["ruler"]
    wheel: str
    toe_deg: Number


class ScalePairObservation(_Observation):
    """Returned beams: left reading minus right reading."""

    type: Literal["scale_pair"]
    left_distance: Positive
    right_distance: Positive
    half_toe_deg: Number


class AngleObservation(_Observation):
    """The frame's yaw or the thrust line's direction, degrees."""

    type: Literal["yaw", "thrust"]


Observation = Annotated[
    DistanceObservation
    | CrossingObservation
    | PointObservation
    | PanelObservation
    | RulerObservation
    | ScalePairObservation
    | AngleObservation,
    Field(discriminator="type"),
]


class NetworkInput(Frozen):
    """Points, frame, line, instruments and everything that was read."""

    points: dict[str, NetworkPoint]
    observations: list[Observation]
    frame: NetworkFrame | None = None
    thrust: NetworkThrust | None = None
    instruments: dict[str, SharedErrors] = {}
    alpha: float = Field(0.001, gt=0, lt=1, description="level of the global test")

    @field_validator("observations")
    @classmethod
    def _unique(cls, observations: list[Any]) -> list[Any]:
        each_once("observations", (one.id for one in observations), said("wants.each_observations_id_once"))
        return observations

    @model_validator(mode="after")
    def _known(self) -> "NetworkInput":
        if len(self.points) > MOST_POINTS or len(self.observations) > MOST_OBSERVATIONS:
            size = said(
                "observations.points_observations", points=len(self.points), observations=len(self.observations)
            )
            raise BadInput(
                "points",
                size,
                said("wants.most_points_observations", most_points=MOST_POINTS, most_observations=MOST_OBSERVATIONS),
            )
        for observation in self.observations:
            self.check(observation)
        return self

    def check(self, observation: Any) -> None:
        """Raise ``BadInput`` where an observation names what is not there."""
        on_frame = self.frame.points if self.frame else {}
        for field in ("from_", "to", "point", "wheel"):
            name = getattr(observation, field, None)
            if name is not None and name not in self.points and name not in on_frame:
                raise BadInput(field.rstrip("_"), name, said("wants.point_or_frame_point_network"))
        tool = getattr(observation, "instrument", None)
        if tool is not None and tool not in self.instruments:
            raise BadInput("instrument", tool, said("wants.instrument_network"))
        kind = observation.type
        if self.frame is None and kind in FRAME_TYPES:
            raise BadInput("frame", "", said("wants.frame_needs", id=observation.id, kind=kind))
        if self.thrust is None and kind in THRUST_TYPES:
            raise BadInput("thrust", "", said("wants.thrust_line_needs", id=observation.id, kind=kind))


FRAME_TYPES = {"perpendicular", "along", "crossing", "panel", "ruler", "scale_pair", "yaw"}


THRUST_TYPES = {"ruler", "scale_pair", "thrust"}
