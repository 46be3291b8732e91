"""Ride height: floor to arch at four corners, and what it does to the camera. Figures of ``stance``."""

import math
from functools import lru_cache

import numpy as np
from pydantic import Field

from escuadra.core.budget import Contribution, shares
from escuadra.core.job.checks.base import Check, Figure, Judgement
from escuadra.core.job.places import Plan
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Measured, Slot, combined, parts_of
from escuadra.core.procedure import Limits, check_kind
from escuadra.core.quantities import Quantity
from escuadra.core.stance import CORNERS, Arch, Arches, Corner, Place, StanceInput, stance
from escuadra.core.wording import amount

RIDE_HEIGHT = frozenset({"ride_height"})


@check_kind("ride_height")
class RideHeightCheck(Check):
    """Deviations, side differences, pitch, roll and the camera's change of height, each against its limit."""

    minus: float = Field(ge=0, description="allowed below nominal, mm")
    plus: float = Field(ge=0, description="allowed above nominal, mm")
    side_difference: float = Field(gt=0, description="largest allowed difference of left and right, mm")
    pitch: Limits = Field(description="of the body, degrees, nose down positive")
    roll: Limits = Field(description="of the body, degrees, left side up positive")
    sensor_height: Limits = Field(description="change of the sensor's height, mm")

    def make_slots(self, setup: Setup) -> list[Slot]:
        nominal = setup.plan.vehicle.arches
        return [
            Slot(
                id=f"arch.{corner}",
                label=f"{corner} arch above the floor",
                quantity=Quantity(
                    dimension="length",
                    unit="mm",
                    low=getattr(nominal, corner) - 150,
                    high=getattr(nominal, corner) + 150,
                ),
                aspects=RIDE_HEIGHT,
                reads="height",
                hint="from the floor to the arch, through the wheel's middle",
            )
            for corner in CORNERS
        ]

    def judge(self, setup: Setup) -> Judgement:
        vehicle, sensor = setup.plan.vehicle, setup.plan.procedure.sensor
        found = {slot.id[-2:]: setup.now(slot) for slot in self.slots(setup)}
        read: dict[Corner, Measured] = {c: m for c in CORNERS if (m := found[c]) is not None}
        figures = []
        for corner, value in read.items():
            nominal = getattr(vehicle.arches, corner)
            limits = Limits(minus=self.minus, plus=self.plus)
            figures.append(
                self.figure(
                    f"deviation.{corner}",
                    f"{corner} from its {nominal:g} mm",
                    value.value - nominal,
                    value.u,
                    limits,
                    "mm",
                    ("high", "low"),
                    single=value,
                )
            )
        if len(read) < 4:
            return Judgement(False, tuple(figures), summary=f"{len(read)} of 4 read")
        result = stance(
            StanceInput(
                wheelbase=vehicle.wheelbase,
                track_front=vehicle.hub_track_front,
                track_rear=vehicle.hub_track_rear,
                corners=Arches(
                    **{
                        c: Arch(
                            height=read[c].value, nominal=getattr(vehicle.arches, c), minus=self.minus, plus=self.plus
                        )
                        for c in CORNERS
                    }
                ),
                side_difference_max=self.side_difference,
                sensor=Place(x=sensor.x, y=sensor.y),
            )
        )
        figures += self._body(setup, read, result.side_difference, result.pitch_deg, result.roll_deg)
        change = result.sensor_height_change or 0.0
        rows = _plane_weights(setup.plan)
        u = combined(list(rows[0] + rows[1] * sensor.x + rows[2] * sensor.y), list(read.values()))[1]
        words = ("higher", "lower")
        figures.append(
            self.figure("sensor_height", f"{sensor.name}: height", change, u, self.sensor_height, "mm", words)
        )
        said = f"{sensor.name} {amount(change, 'mm', 0, words)}"
        return Judgement(True, tuple(figures), summary=said)

    def source_slot(self, figure: Figure) -> str:
        return figure.id.replace("deviation", "arch")

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        if figure.id.startswith("deviation"):
            return super().budget(setup, figure)
        parts = [m for slot in self.slots(setup) if (m := setup.now(slot)) is not None]
        sensor, rows = setup.plan.procedure.sensor, _plane_weights(setup.plan)
        weights = {
            "side.front": [1.0, -1.0, 0.0, 0.0],
            "side.rear": [0.0, 0.0, 1.0, -1.0],
            "pitch": list(rows[1]),
            "roll": list(rows[2]),
            "sensor_height": list(rows[0] + rows[1] * sensor.x + rows[2] * sensor.y),
        }[figure.id]
        return shares(parts_of(weights, parts, [f"{corner} arch" for corner in CORNERS]))

    def _body(
        self, setup: Setup, read: dict[Corner, Measured], sides: dict[str, float], pitch: float, roll: float
    ) -> list[Figure]:
        parts, rows = list(read.values()), _plane_weights(setup.plan)
        limits = Limits(minus=self.side_difference, plus=self.side_difference)
        figures = []
        for end, weights in (("front", [1.0, -1.0, 0.0, 0.0]), ("rear", [0.0, 0.0, 1.0, -1.0])):
            u = combined(weights, parts)[1]
            words = ("left high", "right high")
            figures.append(self.figure(f"side.{end}", f"Sides, {end}", sides[end], u, limits, "mm", words))
        for name, value, row, allowed, words in (
            ("pitch", pitch, rows[1], self.pitch, ("nose down", "nose up")),
            ("roll", roll, rows[2], self.roll, ("left side up", "right side up")),
        ):
            u = math.degrees(combined(list(row), parts)[1])
            figures.append(self.figure(name, f"Body {name}", value, u, allowed, "°", words))
        return figures


@lru_cache(maxsize=64)
def _plane_weights(plan: Plan) -> np.ndarray:
    """Rows that give the plane's height at the rear axle, slope along and slope across from the four heights."""
    places = np.array([[1.0, *plan.vehicle.hub(corner)] for corner in CORNERS])
    return np.linalg.pinv(places)
