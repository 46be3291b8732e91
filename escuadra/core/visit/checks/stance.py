"""Ride height: floor to arch at four corners, and what it does to the camera. Figures of ``stance``."""

import math
from dataclasses import replace

import numpy as np
from pydantic import Field

from escuadra.core.base.corners import BY_AXLE, CORNERS, Corner
from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.model import Positive
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Length, Name, Noun, Said, Value, exact, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.measure.budget import Contribution, shares
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.routine import Routine
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.vehicle.stance import Arch, Arches, Place, StanceInput, stance
from escuadra.core.visit.checks.base import Check, Figure, Judgement
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import SETTLED
from escuadra.core.visit.plan import Plan, at_wheel, height_slot, of_plan
from escuadra.core.visit.slots import Measured, Slot, combined, parts_of

RAKE = [0.5, 0.5, -0.5, -0.5]
RIDE_HEIGHT = frozenset({"ride_height"})


TELLS: Corner = "LF"
"""The arch that is read again where a door or a person rocked the body."""
SAME_MM = 2.0
"""What it may then differ by, beside what its readings cannot tell."""


def _rests_as_before(epochs: Epochs) -> bool:
    """The arch that tells reads as it did before the body was rocked, or was not read since: the others still count."""
    rocked = epochs.state.last_disturbed(SETTLED)
    if rocked is None:
        return True
    slot = f"arch.{TELLS}"
    anew = epochs.state.last_disturbed(RIDE_HEIGHT)
    kept = [e for e in epochs.relied(slot) if anew is None or e.seq > anew.seq]
    before = epochs.measured(slot, [e for e in kept if e.seq < rocked.seq][-1:])
    after = epochs.measured(slot, [e for e in kept if e.seq > rocked.seq])
    if before is None or after is None:
        return after is None
    return abs(after.value - before.value) <= SAME_MM + 2 * math.hypot(before.u, after.u)


@check_kind("ride_height")
class RideHeightCheck(Check):
    """Deviations, side differences, rake, warp, pitch, roll and the sensor's change of height, each with its limit."""

    minus: float = Field(ge=0, description="allowed below nominal, mm")
    plus: float = Field(ge=0, description="allowed above nominal, mm")
    side_difference: float = Field(gt=0, description="largest allowed difference of left and right, mm")
    pitch: Limits = Field(description="of the body, degrees, nose down positive")
    roll: Limits = Field(description="of the body, degrees, left side up positive")
    sensor_height: Limits = Field(description="change of the sensor's height, mm")
    corners: dict[Corner, Limits] = Field({}, description="where a corner has limits of its own, about its nominal, mm")
    warp: Positive | None = Field(None, description="largest twist of the body off one plane, mm")
    rake: Limits | None = Field(None, description="front less rear deviation, mm, nose high positive")
    corrected: bool = Field(False, description="the vehicle's own routine corrects for its ride height")
    routine: Routine | None = Field(None, description="the values to type into the vehicle's own routine")

    @property
    def reason(self) -> str:
        return self.kind

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        nominal, rests = epochs.plan.vehicle.arches, _rests_as_before(epochs)
        return [
            Slot(
                id=f"arch.{corner}",
                which=corner,
                label=said("stance.arch_above_floor", corner=Noun(f"corner.{corner}")),
                quantity=Quantity(
                    dimension="length",
                    unit="mm",
                    low=getattr(nominal, corner) - 150,
                    high=getattr(nominal, corner) + 150,
                ),
                aspects=RIDE_HEIGHT if rests and corner != TELLS else RIDE_HEIGHT | SETTLED,
                reads="height",
                hint=said("stance.floor_arch_through_wheels_middle"),
                nominal=getattr(nominal, corner),
                at=at_wheel(corner, epochs.plan.vehicle),
            )
            for corner in CORNERS
        ] + [replace(height_slot(corner, epochs.plan), optional=True) for corner in CORNERS]

    def _arches(self, epochs: Epochs) -> list[Slot]:
        return self.slots(epochs)[: len(CORNERS)]

    def _limits(self, corner: Corner) -> Limits:
        return self.corners.get(corner, Limits(minus=self.minus, plus=self.plus))

    def judge(self, epochs: Epochs) -> Judgement:
        vehicle, sensor = epochs.plan.vehicle, epochs.plan.procedure.sensor
        found = zip(CORNERS, self._arches(epochs), strict=True)
        read: dict[Corner, Measured] = {c: m for c, slot in found if (m := epochs.now(slot)) is not None}
        figures = []
        for corner, value in read.items():
            nominal = getattr(vehicle.arches, corner)
            limits = self._limits(corner)
            figures.append(
                self.figure(
                    "deviation",
                    said("stance.from_its", corner=Noun(f"corner.{corner}"), nominal=exact(Length, nominal)),
                    value.value - nominal,
                    value.u,
                    limits,
                    "mm",
                    "height",
                    single=value,
                    which=corner,
                )
            )
        if len(read) < 4:
            rocked = epochs.state.last_disturbed(SETTLED) if [c for c in CORNERS if c not in read] == [TELLS] else None
            tells = said("stance.one_arch_tells", corner=Noun(f"corner.{TELLS}")) if rocked is not None else None
            read_of = said("read_of", read=len(read), needed=4)
            return Judgement(False, tuple(figures), summary=read_of, remark=sentences(tells))
        result = stance(
            StanceInput(
                wheelbase=vehicle.wheelbase,
                track_front=vehicle.hub_track_front,
                track_rear=vehicle.hub_track_rear,
                corners=Arches(
                    **{
                        c: Arch(
                            height=read[c].value,
                            nominal=getattr(vehicle.arches, c),
                            minus=max(0.0, -self._limits(c).lower),
                            plus=max(0.0, self._limits(c).upper),
                        )
                        for c in CORNERS
                    }
                ),
                side_difference_max=self.side_difference,
                sensor=Place(x=sensor.x, y=sensor.y),
            )
        )
        figures += self._body(epochs, read, result.side_difference, result.pitch_deg, result.roll_deg)
        figures += self._twist(epochs, read, result.warp)
        change = result.sensor_height_change or 0.0
        rows = _plane_weights(epochs.plan)
        u = combined(list(rows[0] + rows[1] * sensor.x + rows[2] * sensor.y), list(read.values()))[1]
        label = said("stance.height", name=Name(sensor.name))
        figures.append(self.figure("sensor_height", label, change, u, self.sensor_height, "mm", "height_against"))
        height = amount(change, "mm", 0, "height_against")
        remark = [*self._aim(epochs, height, result.pitch_deg, result.roll_deg), *_hubs(epochs), self._typed_in(read)]
        if any(f.id == "warp" and f.verdict.state != "holds" for f in figures):
            remark.insert(0, _twisted(epochs.plan, read))
        return Judgement(
            True,
            tuple(figures),
            summary=said("stance.sensor", name=Name(sensor.name), height=height),
            remark=sentences(*remark),
        )

    def _twist(self, epochs: Epochs, read: dict[Corner, Measured], warp: float) -> list[Figure]:
        """Warp and rake, where the sheet limits them."""
        parts, found = list(read.values()), []
        if self.warp is not None:
            twist = _twist_weights(epochs.plan)
            u = combined(list(twist * np.max(np.abs(twist))), parts)[1]
            limits = Limits(minus=0.0, plus=self.warp)
            found.append(self.figure("warp", said("stance.warp_body"), warp, u, limits, "mm", open_below=True))
        if self.rake is not None:
            nominal = [getattr(epochs.plan.vehicle.arches, c) for c in read]
            value, u = combined(RAKE, parts)
            value -= math.fsum(w * n for w, n in zip(RAKE, nominal, strict=True))
            found.append(
                self.figure(
                    "rake",
                    said("stance.rake"),
                    value,
                    u,
                    self.rake,
                    "mm",
                    "rake",
                )
            )
        return found

    def _aim(self, epochs: Epochs, height: Value, pitch: float, roll: float) -> tuple[Said, Said]:
        """What the stance does to the sensor, and whether anything corrects for it."""
        looks, leans = amount(pitch, "°", None, "look"), amount(roll, "°", None, "lean")
        name = Name(epochs.plan.procedure.sensor.name)
        corrects = said("stance.vehicles_own_routine_corrects") if self.corrected else said("stance.nothing_corrects")
        return said("stance.looks_leans", name=name, height=height, looks=looks, leans=leans), corrects

    def _typed_in(self, read: dict[Corner, Measured]) -> Said | None:
        """The values for the vehicle's own routine."""
        if self.routine is None:
            return None
        try:
            values = self.routine.to_type({corner: read[corner].value for corner in CORNERS})
        except BadInput as beyond:
            return said("stance.routine_refuses", why=refusal(beyond))
        typed = [said(f"routine.{name}", value=self.routine.shown(value)) for name, value in values.items()]
        return said("stance.type_into_vehicles_routine", typed=nouns(typed))

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        if figure.what == "deviation":
            return super().budget(epochs, figure)
        parts = [m for slot in self._arches(epochs) if (m := epochs.now(slot)) is not None]
        sensor, rows = epochs.plan.procedure.sensor, _plane_weights(epochs.plan)
        weights = {
            "side.front": [1.0, -1.0, 0.0, 0.0],
            "side.rear": [0.0, 0.0, 1.0, -1.0],
            "pitch": list(rows[1]),
            "roll": list(rows[2]),
            "sensor_height": list(rows[0] + rows[1] * sensor.x + rows[2] * sensor.y),
            "warp": list(_twist_weights(epochs.plan) * np.max(np.abs(_twist_weights(epochs.plan)))),
            "rake": RAKE,
        }[figure.id]
        return shares(
            parts_of(weights, parts, [said("stance.arch", corner=Noun(f"corner.{corner}")) for corner in CORNERS])
        )

    def _body(
        self, epochs: Epochs, read: dict[Corner, Measured], sides: dict[str, float], pitch: float, roll: float
    ) -> list[Figure]:
        parts, rows = list(read.values()), _plane_weights(epochs.plan)
        limits = Limits(minus=self.side_difference, plus=self.side_difference)
        figures = []
        for end, weights in (("front", [1.0, -1.0, 0.0, 0.0]), ("rear", [0.0, 0.0, 1.0, -1.0])):
            u = combined(weights, parts)[1]
            label = said(f"stance.sides.{end}")
            figures.append(self.figure(f"side.{end}", label, sides[end], u, limits, "mm", "sides"))
        for name, value, row, allowed in (
            ("pitch", pitch, rows[1], self.pitch),
            ("roll", roll, rows[2], self.roll),
        ):
            u = math.degrees(combined(list(row), parts)[1])
            figures.append(self.figure(name, said(f"stance.body.{name}"), value, u, allowed, "°", f"body_{name}"))
        return figures


@of_plan
def _plane_weights(plan: Plan) -> np.ndarray:
    """Rows that give the plane's height at the rear axle, slope along and slope across from the four heights."""
    places = np.array([[1.0, *plan.vehicle.hub(corner)] for corner in CORNERS])
    return np.linalg.pinv(places)


def _twist_weights(plan: Plan) -> np.ndarray:
    """The one way in which four corners can leave a plane, as a unit vector over them."""
    places = np.array([[1.0, *plan.vehicle.hub(corner)] for corner in CORNERS])
    found: np.ndarray = np.linalg.svd(places.T)[2][-1]
    return found


def _twisted(plan: Plan, read: dict[Corner, Measured]) -> Said:
    """Which corner stands out from the plane of the other three: the one farthest from its nominal height."""
    twist = _twist_weights(plan)
    deviations = np.array([read[c].value - getattr(plan.vehicle.arches, c) for c in CORNERS])
    k = int(np.argmax(np.abs(deviations)))
    off = float(twist @ deviations / twist[k])
    corner, off_by = Noun(f"corner.{CORNERS[k]}"), amount(off, "mm", 0, "height")
    return said("stance.body_twisted_stands_against_plane", corner=corner, off=off_by)


def _hubs(epochs: Epochs) -> list[Said]:
    """Hub heights that differ from side to side: that part is tyres, not springs."""
    found = []
    for end, (left, right) in BY_AXLE.items():
        pair = [epochs.now(height_slot(c, epochs.plan)) for c in (left, right)]
        if pair[0] is None or pair[1] is None:
            continue
        value, u = combined([1.0, -1.0], [pair[0], pair[1]])
        if abs(value) > 2 * u:
            found.append(
                said(
                    f"stance.hubs_differ_tyres_not_springs.{end}",
                    value=amount(value, "mm", 0, "sides"),
                )
            )
    return found
