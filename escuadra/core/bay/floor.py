"""Is the bay flat and level enough, and how much higher is the floor at a target than under the wheels?

Source: least-squares planes; prediction uncertainty of a fitted plane. Heights in millimetres; a staff reading below a
level beam counts the other way round: a larger reading is a lower floor.
"""

import math
from typing import Any, Self

import numpy as np
from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, NotNegative, Number
from escuadra.core.base.said import said
from escuadra.core.base.steps import in_one_line


class FloorPoint(Frozen):
    """A surveyed point: either its height or a staff reading."""

    id: str
    x: Number = Field(description="forward, mm")
    y: Number = Field(description="to the left, mm")
    z: Number | None = Field(None, description="height, mm")
    staff: Number | None = Field(None, description="staff reading below a level beam, mm")


class WheelPoints(Frozen):
    """Which points the tyres stand on."""

    LF: str
    RF: str
    LR: str
    RR: str


class FloorInput(Frozen):
    """A survey, and where wheels and targets stand on it."""

    points: list[FloorPoint]
    wheels: WheelPoints | None = None
    targets: list[str] | None = None
    u: NotNegative | None = Field(None, description="of every height, mm")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if len(self.points) < 3:
            raise BadInput("points", len(self.points), said("wants.3_points_or_more"))
        each_once("points", (point.id for point in self.points), said("wants.each_points_id_once"))
        known = {point.id for point in self.points}
        kinds = {(point.z is None, point.staff is None) for point in self.points}
        if kinds not in ({(False, True)}, {(True, False)}):
            raise BadInput("points", said("floor.mix"), said("wants.either_z_every_point_or"))
        if in_one_line(np.array([[point.x, point.y] for point in self.points])):
            raise BadInput("points", said("floor.points_one_line"), said("wants.points_span_plane"))
        if self.targets is not None and self.wheels is None:
            raise BadInput(
                "targets", said("floor.targets_without_wheels"), said("wants.wheels_too_heights_count_their")
            )
        for field, ids in (("wheels", self.wheel_ids), ("targets", self.targets or [])):
            unknown = next((i for i in ids if i not in known), None)
            if unknown is not None:
                raise BadInput(field, unknown, said("wants.ids_surveyed_points"))
        return self

    @property
    def wheel_ids(self) -> list[str]:
        """The four wheels' points, LF, RF, LR, RR."""
        return [getattr(self.wheels, corner) for corner in CORNERS] if self.wheels else []


class FloorResult(Frozen):
    """Slopes, flatness, and what the floor does to wheels and targets."""

    slope_long_percent: float = Field(description="rising forward positive")
    slope_cross_percent: float = Field(description="rising to the left positive")
    slope_percent: float
    flatness: float = Field(description="largest minus smallest residual, mm")
    rms: float
    residuals: dict[str, float]
    wheel_warp: float | None = None
    wheel_pitch_deg: float | None = None
    wheel_roll_deg: float | None = None
    height_correction: dict[str, float] | None = Field(None, description="floor there minus the wheels' plane, mm")
    u_height_correction: dict[str, float] | None = None


@calculation("floor")
def floor(given: FloorInput) -> FloorResult:
    """Plane and residuals of a survey; the wheels' plane and each target's height above it where asked."""
    rows = np.array([[1.0, point.x, point.y] for point in given.points])
    z = np.array([point.z if point.z is not None else -(point.staff or 0.0) for point in given.points])
    plane = np.linalg.lstsq(rows, z, rcond=None)[0]
    residuals = z - rows @ plane
    extra: dict[str, Any] = {}
    if given.wheels is not None:
        at = {point.id: k for k, point in enumerate(given.points)}
        extra = _on_wheels(given, rows, z, at)
    return FloorResult(
        slope_long_percent=100 * float(plane[1]),
        slope_cross_percent=100 * float(plane[2]),
        slope_percent=100 * math.hypot(plane[1], plane[2]),
        flatness=float(np.ptp(residuals)),
        rms=math.sqrt(float(np.mean(residuals**2))),
        residuals={point.id: float(v) for point, v in zip(given.points, residuals, strict=True)},
        **extra,
    )


def _on_wheels(given: FloorInput, rows: np.ndarray, z: np.ndarray, at: dict[str, int]) -> dict[str, Any]:
    wheels = [at[i] for i in given.wheel_ids]
    stands = rows[wheels]
    if in_one_line(stands[:, 1:]):
        raise BadInput("wheels", said("floor.wheels_one_line"), said("wants.wheels_span_plane"))
    plane = np.linalg.lstsq(stands, z[wheels], rcond=None)[0]
    found: dict[str, Any] = {
        "wheel_warp": float(np.max(np.abs(z[wheels] - stands @ plane))),
        "wheel_pitch_deg": -math.degrees(math.atan(plane[1])),
        "wheel_roll_deg": math.degrees(math.atan(plane[2])),
    }
    if given.targets is None:
        return found
    inverse = np.linalg.inv(stands.T @ stands)
    corrections, spreads = {}, {}
    for target in given.targets:
        k = at[target]
        corrections[target] = float(z[k] - rows[k] @ plane)
        share = float(rows[k] @ inverse @ rows[k])
        spreads[target] = math.sqrt(max(0.0, 1 - share if k in wheels else 1 + share))
    found["height_correction"] = corrections
    if given.u is not None:
        found["u_height_correction"] = {target: given.u * spread for target, spread in spreads.items()}
    return found
