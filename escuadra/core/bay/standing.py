"""What the surveyed floor is where a vehicle stands: slopes, warp, flatness, and how high each target's floor lies.

All figures are linear forms of the survey's heights (``ground``), in vehicle axes: rising forward and rising left
positive. Source: ``floor`` (least-squares planes, height corrections); JCGM 100 for the uncertainties.
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Name, Noun, Text, said
from escuadra.core.bay.bay import Bay, Place
from escuadra.core.bay.ground import Amount, Ground
from escuadra.core.bay.survey import Surface
from escuadra.core.procedure.counted import aside, placed_by_vehicle
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure, TargetPlace, datum_at

LATTICE = (9, 5)
"""How finely the floor from the rear axle to the target is looked at: places along and across."""
BEFORE_TARGET_MM = 1200.0
"""Where the wheels stand on a rack, the floor is looked at from here up to the target."""


def target_places(procedure: Procedure, vehicle: VehicleModel) -> list[TargetPlace]:
    """Where targets stand: as listed, else the one place that distance and offset say."""
    if procedure.places:
        return [placed_by_vehicle(place, vehicle) for place in procedure.places]
    x = datum_at(procedure, vehicle)[0] + procedure.distance
    return [TargetPlace(id="target", x=x, y=aside(procedure, vehicle))]


@dataclass(frozen=True, eq=False)
class Standing:
    """A vehicle's place on a surveyed floor."""

    bay: Bay
    place: Place
    ground: Ground
    vehicle: VehicleModel

    @property
    def wheels_on(self) -> Surface:
        """The surface under the wheels."""
        return "runway" if self.bay.rack is not None else "floor"

    @cached_property
    def contacts(self) -> np.ndarray:
        """(4, 2) the tyres' places in vehicle axes."""
        return np.array([self.vehicle.contact(corner) for corner in CORNERS])

    def _rows(self, places: np.ndarray, surface: Surface) -> np.ndarray:
        return self.ground.rows([self.place.at(float(x), float(y)) for x, y in places], surface)

    @cached_property
    def wheel_rows(self) -> np.ndarray:
        """Weights of the heights under the four tyres; raises ``BadInput`` where one was not surveyed."""
        return self._rows(self.contacts, self.wheels_on)

    @cached_property
    def _wheel_plane(self) -> np.ndarray:
        """(3, 4) from the four heights to the plane's constant and slopes."""
        design = np.column_stack([np.ones(4), self.contacts])
        return np.linalg.pinv(design)

    @cached_property
    def wheel_slopes(self) -> tuple[Amount, Amount]:
        """Percent along and across under the wheels."""
        along, across = (self.ground.form(self.wheel_rows, 100 * self._wheel_plane[k]) for k in (1, 2))
        return along, across

    @cached_property
    def wheel_heights(self) -> dict[str, float]:
        """Each tyre's place above the lowest of the four, mm."""
        heights = self.wheel_rows @ self.ground.z
        return {corner: float(z - heights.min()) for corner, z in zip(CORNERS, heights, strict=True)}

    @cached_property
    def warp(self) -> Amount:
        """Largest distance of a tyre's place from the plane of the four, mm."""
        design = np.column_stack([np.ones(4), self.contacts])
        off = np.eye(4) - design @ self._wheel_plane
        found = [self.ground.form(self.wheel_rows, row) for row in off]
        worst = max(found, key=lambda amount: abs(amount.value))
        return worst.times(-1) if worst.value < 0 else worst

    @property
    def pitch_deg(self) -> Amount:
        """Of the tyres' plane, nose down positive; slopes are small, so the tangent is the angle."""
        return self.wheel_slopes[0].times(-math.degrees(0.01))

    @property
    def roll_deg(self) -> Amount:
        """Of the tyres' plane, left side up positive."""
        return self.wheel_slopes[1].times(math.degrees(0.01))

    def above_wheels(self, x: float, y: float) -> Amount:
        """How much higher the floor is at a place (vehicle axes) than the plane that the tyres stand on, mm."""
        return self.higher(np.array([1.0, x, y]) @ self._wheel_plane, x, y)

    def higher(self, from_wheels: np.ndarray, x: float, y: float) -> Amount:
        """Height of the floor at a place less a combination of the heights under the four tyres."""
        rows = np.vstack([self._rows(np.array([[x, y]]), "floor"), self.wheel_rows])
        return self.ground.form(rows, np.concatenate([[1.0], -from_wheels]))

    def above_contact(self, corner: Corner) -> Amount:
        """How much higher the surface under a tyre is than the plane of all four, mm."""
        off = np.eye(4) - np.column_stack([np.ones(4), self.contacts]) @ self._wheel_plane
        return self.ground.form(self.wheel_rows, off[CORNERS.index(corner)])

    def above_tyre(self, corner: Corner, x: float, y: float) -> Amount:
        """How much higher the floor is at a place than under one tyre, mm."""
        return self.higher(np.eye(4)[CORNERS.index(corner)], x, y)

    def correction(self, target: TargetPlace) -> Amount:
        """Of a target's height: the floor there above the tyres' plane, mm."""
        return self.above_wheels(target.x, target.y)

    def beyond_rack(self, correction: float) -> float:
        """A correction less what the rack raises the vehicle by: what counts against a limit."""
        return correction + (self.bay.rack.height if self.bay.rack is not None else 0.0)

    def lattice(self, target: TargetPlace) -> np.ndarray:
        """Places between rear axle and target, as wide as the wheels; for a rack only the floor before the target."""
        half = max(abs(self.contacts[:, 1]).max(), 1.0)
        start = 0.0
        if self.bay.rack is not None:
            start = target.x - BEFORE_TARGET_MM
        stations = np.linspace(min(start, target.x), max(start, target.x), LATTICE[0])
        return np.array([[x, y] for x in stations for y in np.linspace(-half, half, LATTICE[1])])

    def up_to(self, target: TargetPlace) -> tuple[Amount, Amount]:
        """Percent along and across from the rear axle up to the target."""
        places = self.lattice(target)
        plane = np.linalg.pinv(np.column_stack([np.ones(len(places)), places]))
        rows = self._rows(places, "floor")
        along, across = (self.ground.form(rows, 100 * plane[k]) for k in (1, 2))
        return along, across

    def flatness(self, target: TargetPlace) -> Amount:
        """Largest less smallest distance from the plane, from the rear axle to the target, mm."""
        return self.flatness_over(self.lattice(target))

    def flatness_over(self, places: np.ndarray) -> Amount:
        """The same over any places of the floor, (n, 2) in vehicle axes; raises ``BadInput`` off what was surveyed."""
        rows = self._rows(places, "floor")
        design = np.column_stack([np.ones(len(places)), places])
        off = np.eye(len(places)) - design @ np.linalg.pinv(design)
        residuals = off @ (rows @ self.ground.z)
        return self.ground.form(rows, off[int(residuals.argmax())] - off[int(residuals.argmin())])


def stand(bay: Bay, place: Place, ground: Ground, vehicle: VehicleModel, procedure: Procedure) -> Standing:
    """A standing whose tyres, targets and floor between were surveyed; raises ``BadInput`` naming what was not."""
    found = Standing(bay, place, ground, vehicle)
    for corner, contact in zip(CORNERS, found.contacts, strict=True):
        if not ground.covers([place.at(*map(float, contact))], found.wheels_on):
            where = "runway" if found.wheels_on == "runway" else "floor"
            raise BadInput(
                "place",
                said(f"standing.tyre_off.{where}", corner=Noun(f"wheel.{corner}")),
                said("wants.surveyed_place"),
            )
    for target in target_places(procedure, vehicle):
        if not ground.covers([place.at(target.x, target.y)]):
            raise BadInput(
                "place", said("standing.off_surveyed_floor", target=place_name(target.id)), said("wants.surveyed_place")
            )
    between = found.lattice(target_places(procedure, vehicle)[0])
    if not ground.covers([place.at(float(x), float(y)) for x, y in between]):
        raise BadInput("place", said("standing.floor_before_target_not_surveyed"), said("wants.surveyed_place"))
    return found


def place_name(id: str) -> Text:
    """A target's place by its id: the sheet's one place, or the catalogue's name for it."""
    return Noun("target") if id == "target" else Name(id.replace("_", " "))
