"""What sensors a vehicle model carries, of which parts, and where a part lies when the vehicle is seen from above.

Source: our own general plan of a vehicle; a model states only where it differs. Shares count from the rear end (0) to
the front end (1), and from the middle to the left (positive) in widths; small parts are drawn larger than they are, so
that a gloved finger meets them.
"""

from typing import Literal

from pydantic import Field

from escuadra.core.base.model import CatalogueText, Frozen, NotNegative, Number
from escuadra.core.road.needed import DriveSpec
from escuadra.core.vehicle.scope import FittedSensor

How = Literal["static", "drive", "both"]


class Area(Frozen):
    """Where a part lies on the plan, in shares."""

    rear: Number = Field(description="share of the length, from the rear end")
    front: Number = Field(description="share of the length, from the rear end")
    right: Number = Field(description="share of the width, left of the middle positive")
    left: Number = Field(description="share of the width, left of the middle positive")


def _both(name: str, rear: float, front: float, inner: float, outer: float) -> dict[str, Area]:
    return {
        f"left_{name}": Area(rear=rear, front=front, right=inner, left=outer),
        f"right_{name}": Area(rear=rear, front=front, right=-outer, left=-inner),
    }


PLAN: dict[str, Area] = {
    "front_bumper": Area(rear=0.945, front=1.0, right=-0.48, left=0.48),
    "emblem": Area(rear=0.885, front=0.94, right=-0.09, left=0.09),
    **_both("headlamp", 0.865, 0.94, 0.28, 0.47),
    "bonnet": Area(rear=0.775, front=0.88, right=-0.26, left=0.26),
    **_both("wing", 0.775, 0.86, 0.28, 0.49),
    "windscreen": Area(rear=0.675, front=0.77, right=-0.42, left=0.42),
    "camera_bracket": Area(rear=0.615, front=0.67, right=-0.1, left=0.1),
    **_both("mirror", 0.685, 0.75, 0.5, 0.66),
    "roof": Area(rear=0.22, front=0.61, right=-0.34, left=0.34),
    **_both("door", 0.4, 0.66, 0.36, 0.49),
    **_both("quarter_panel", 0.08, 0.24, 0.36, 0.49),
    "tailgate": Area(rear=0.06, front=0.2, right=-0.34, left=0.34),
    "rear_bumper": Area(rear=0.0, front=0.055, right=-0.48, left=0.48),
}
"""Parts that can be pointed at."""
CHASSIS = ("wheel_alignment", "suspension", "ride_height", "tyre_size", "steering_angle")
"""Figures and parts of the chassis, which lie nowhere in particular."""


class VehiclePart(Frozen):
    """A part that this model has besides, or elsewhere."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: CatalogueText
    area: Area | None = Field(None, description="on the plan; none: it lies nowhere in particular")


class CarriedSensor(FittedSensor):
    """A sensor that a vehicle model carries."""

    name: CatalogueText
    x: Number = Field(description="vehicle axes, mm")
    y: Number = 0.0
    how: How = Field("static", description="calibrated before targets, on a road drive, or both")
    sheets: list[str] = Field([], description="ids of the procedure sheets that calibrate it; none: no sheet is here")
    drive_minutes: NotNegative = Field(0.0, description="that its drive usually takes")
    drive: DriveSpec | None = Field(None, description="what that drive needs; none: the model's entry does not say")
    days: dict[str, NotNegative] = Field({}, description="how old what it depends on may be, such as wheel_alignment")

    @property
    def fitted(self) -> FittedSensor:
        """What decides whether it must be calibrated, alone."""
        return FittedSensor(**{name: getattr(self, name) for name in FittedSensor.model_fields})
