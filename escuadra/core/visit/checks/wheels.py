"""Wheels and steering: tyres against the sheet, the alignment printout, the steering wheel.

Source: ``tyres`` (pressure brought to 20 °C), ``verdict``; toe-in and top outward are positive, directions in words.
"""

from datetime import UTC, date, datetime
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.corners import BY_AXLE, CORNERS, FRONT, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import NOTHING, Given, Noun, Pressure, Said, Sentences, exact, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.measure.budget import Contribution, of_reading, shares
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.vehicle.tyres import REFERENCE_C, cold_pressure, pressure_slopes
from escuadra.core.visit.checks.base import Check, Figure, Judgement, Link, OneReading
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.methods.wheels import against_own_thrust
from escuadra.core.visit.plan import Plan, at_wheel, thrust_slot, toe_slot
from escuadra.core.visit.slots import Measured, ReadAt, Slot, combined, parts_of

TYRES = frozenset({"tyres"})
ALIGNMENT = frozenset({"alignment"})
OTHER_SIZE = "another_size"
ASKED_OF_A_TYRE = {
    "temperature": "wheels.tyres_temperature_2",
    "pressure": "wheels.tyre_pressure",
    "tread": "wheels.tread_depth",
}


@check_kind("tyres")
class TyresCheck(Check):
    """Size, pressure (cold, or warm with the tyre's temperature) and tread of each wheel."""

    pressure: Limits = Field(description="about the vehicle's cold pressure, kPa")
    tread_difference: float = Field(gt=0, description="largest difference across an axle, mm")
    tread: bool = Field(False, description="the treads must be read; else they are judged where they were")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        plan, tyres = epochs.plan, epochs.plan.vehicle.tyres
        if tyres is None:
            raise BadInput("tyres", plan.vehicle.id, said("wants.vehicle_model_states_tyres"))
        slots = [
            Slot(
                id="tyre.state",
                label=said("wheels.tyres_cold_or_warm_driving"),
                ask="choice",
                options=("cold", "warm"),
                aspects=TYRES,
                specified="cold",
            )
        ]
        state = epochs.answered(slots[0])
        warm = state is not None and state.said.value == "warm"
        for corner in CORNERS:
            nominal = tyres.front_kpa if corner in FRONT else tyres.rear_kpa
            slots.append(
                Slot(
                    id=f"tyre.size.{corner}",
                    which=corner,
                    label=said("wheels.tyre_size", corner=Noun(f"corner.{corner}")),
                    ask="choice",
                    options=(*tyres.sizes, OTHER_SIZE),
                    named=tuple(tyres.sizes),
                    aspects=TYRES,
                    specified=tyres.sizes[0] if len(tyres.sizes) == 1 else "",
                )
            )
            if warm:
                slots.append(_number("temperature", corner, plan, -30, 90))
            slots.append(_number("pressure", corner, plan, 0.5 * nominal, 1.6 * nominal))
            slots.append(_number("tread", corner, plan, 0.5, 12, optional=not self.tread))
        return slots

    def judge(self, epochs: Epochs) -> Judgement:
        slots = self.slots(epochs)
        tyres = epochs.plan.vehicle.tyres
        assert tyres is not None
        answers = {s.id: e.said.value for s in slots if s.ask == "choice" and (e := epochs.answered(s)) is not None}
        found = {s.id: m for s in slots if s.ask == "number" and (m := epochs.now(s)) is not None}
        figures = []
        warm = answers.get("tyre.state") == "warm"
        for corner in CORNERS:
            read, heat = found.get(f"tyre.pressure.{corner}"), found.get(f"tyre.temperature.{corner}")
            if read is None or (warm and heat is None):
                continue
            tyre_c, u_c = (heat.value, heat.u) if warm and heat is not None else (REFERENCE_C, 0.0)
            value, u = cold_pressure(read.value, read.u, tyre_c, u_c)
            nominal = tyres.front_kpa if corner in FRONT else tyres.rear_kpa
            asked: dict[str, Given] = {"corner": Noun(f"corner.{corner}"), "nominal": exact(Pressure, nominal)}
            label = said("wheels.from_its.warm" if warm else "wheels.from_its", **asked)
            figures.append(
                self.figure(
                    "pressure", label, value - nominal, u, self.pressure, "kPa", "pressure", single=read, which=corner
                )
            )
        figures += self._treads(found)
        mismatch = [Noun(f"corner.{c}") for c in CORNERS if answers.get(f"tyre.size.{c}") == OTHER_SIZE]
        needed = [slot.id for slot in slots if not slot.optional]
        entered = sum(id in answers or id in found for id in needed)
        complete = entered == len(needed)
        nominal_at: dict[str, Given] = {
            "front": exact(Pressure, tyres.front_kpa),
            "rear": exact(Pressure, tyres.rear_kpa),
        }
        done = said("wheels.done.warm" if warm else "wheels.done.cold", **nominal_at)
        return Judgement(
            complete,
            tuple(figures),
            summary=done if complete else said("entered_of", entered=entered, needed=len(needed)),
            mismatch=sentences(said("wheels.another_size", names=nouns(mismatch)) if mismatch else None),
        )

    def _treads(self, found: dict[str, Measured]) -> list[Figure]:
        figures = []
        limits = Limits(minus=self.tread_difference, plus=self.tread_difference)
        for end, pair in BY_AXLE.items():
            left, right = (found.get(f"tyre.tread.{c}") for c in pair)
            if left is not None and right is not None:
                value, u = combined([1.0, -1.0], [left, right])
                label = said(f"wheels.tread.{end}")
                figures.append(self.figure("tread", label, value, u, limits, "mm", "tread", which=end))
        return figures

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        where = figure.which
        now = {
            slot.id: m for slot in self.slots(epochs) if slot.ask == "number" and (m := epochs.now(slot)) is not None
        }
        if figure.what == "tread":
            pair = [f"{side}{where[0].upper()}" for side in "LR"]
            parts = [now[f"tyre.tread.{corner}"] for corner in pair]
            return shares(
                parts_of([1.0, -1.0], parts, [said("wheels.tread", corner=Noun(f"corner.{corner}")) for corner in pair])
            )
        read, heat = now[f"tyre.pressure.{where}"], now.get(f"tyre.temperature.{where}")
        found = of_reading(read.figures, read.tool_name)
        if heat is not None:
            factor, by_heat = pressure_slopes(read.value, heat.value)
            found = [
                *((source, factor * u) for source, u in found),
                (said("wheels.tyres_temperature"), by_heat * heat.u),
            ]
        return shares(found)


def _number(reads: str, corner: Corner, plan: Plan, low: float, high: float, optional: bool = False) -> Slot:
    dimension = {"tread": "length"}.get(reads, reads)
    unit = {"tread": "mm", "pressure": "kPa", "temperature": "°C"}[reads]
    quantity = Quantity(dimension=dimension, unit=unit, low=low, high=high)  # type: ignore[arg-type]
    return Slot(
        id=f"tyre.{reads}.{corner}",
        which=corner,
        label=said(ASKED_OF_A_TYRE[reads], corner=Noun(f"corner.{corner}")),
        quantity=quantity,
        aspects=TYRES,
        reads=reads,
        optional=optional,
        at=at_wheel(corner, plan.vehicle),
    )


def printed(id: str, label: Said, way: str, most: float, optional: bool = False) -> Slot:
    """A figure of the alignment printout."""
    return Slot(
        id=id,
        label=label,
        quantity=Quantity(dimension="angle", unit="°", low=-most, high=most),
        aspects=ALIGNMENT,
        reads="printout",
        way=way,
        optional=optional,
    )


@check_kind("alignment")
class AlignmentCheck(Check):
    """The printout after adjustment against its limits; before adjustment for the record."""

    link: ClassVar[Link] = "printout"
    brings: ClassVar[str] = "printout"

    front_toe: Limits = Field(description="of each front wheel, degrees, toe-in positive")
    rear_toe: Limits = Field(description="of each rear wheel, degrees, toe-in positive")
    front_camber: Limits = Field(description="degrees, top outward positive")
    rear_camber: Limits = Field(description="degrees, top outward positive")
    thrust_angle: Limits = Field(description="degrees, to the left positive")
    camber: bool = Field(False, description="the cambers must be read; else they are judged where they were")
    age_days: int = Field(ge=0, description="how old the printout may be when the job is taken in")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        slots = [
            Slot(
                id="printed.day",
                label=said("wheels.day_printout"),
                ask="day",
                aspects=ALIGNMENT,
                hint=said("wheels.after_adjustment_if_there_one"),
            ),
            toe_slot("left"),
            toe_slot("right"),
            printed("toe.LF", said("wheels.left_front_toe_printout"), "toe", 1.5),
            printed("toe.RF", said("wheels.right_front_toe_printout"), "toe", 1.5),
        ]
        slots += [printed(f"camber.{c}", said(f"wheels.camber.{c}"), "camber", 4, not self.camber) for c in CORNERS]
        slots.append(thrust_slot())
        before = [(f"before.toe.{c}", said(f"wheels.before_toe.{c}"), "toe") for c in CORNERS]
        before.append(("before.thrust", said("wheels.before_thrust_angle"), "thrust"))
        return slots + [printed(id, label, words, 3, True) for id, label, words in before]

    def judge(self, epochs: Epochs) -> Judgement:
        slots = self.slots(epochs)
        day = epochs.answered(slots[0])
        found = {s.id: m for s in slots[1:] if (m := epochs.now(s)) is not None}
        wanted: list[tuple[str, Said, Limits, str]] = [
            ("toe.left", said("wheels.left_rear_toe"), self.rear_toe, "toe"),
            ("toe.right", said("wheels.right_rear_toe"), self.rear_toe, "toe"),
            ("toe.LF", said("wheels.left_front_toe"), self.front_toe, "toe"),
            ("toe.RF", said("wheels.right_front_toe"), self.front_toe, "toe"),
            *(
                (f"camber.{c}", said(f"wheels.camber.{c}"), limits, "camber")
                for c in CORNERS
                for limits in [self.front_camber if c in FRONT else self.rear_camber]
            ),
            ("printed.thrust", said("wheels.thrust_angle"), self.thrust_angle, "thrust"),
        ]
        figures = [
            self.figure(id, label, m.value, m.u, limits, "°", words, single=m)
            for id, label, limits, words in wanted
            if (m := found.get(id)) is not None
        ]
        needed = [slot.id for slot in slots[1:] if not slot.optional]
        read = sum(id in found for id in needed)
        complete = day is not None and read == len(needed)
        old = self._too_old(str(day.said.value), epochs) if day is not None else NOTHING
        summary = (
            said("wheels.printed", value=str(day.said.value))
            if day is not None and complete
            else said("read_of", read=read, needed=len(needed))
        )
        return Judgement(complete, tuple(figures), summary, old, _contradiction(found), _gained(found))

    def _too_old(self, typed: str, epochs: Epochs) -> Sentences:
        printed_on = date.fromisoformat(typed.strip())
        taken_in = datetime.fromtimestamp(epochs.state.taken_in_at / 1000, UTC).date()
        days = (taken_in - printed_on).days
        if days > self.age_days:
            return sentences(said("wheels.printed_days_before", days=days, allowed=str(self.age_days)))
        return sentences(said("wheels.printed_yet_come", typed=typed) if days < -1 else None)


def _contradiction(found: dict[str, Measured]) -> Sentences:
    """The printout's own thrust angle must be that of its rear toes."""
    left, right, own = found.get("toe.left"), found.get("toe.right"), found.get("printed.thrust")
    if left is None or right is None or own is None:
        return NOTHING
    value, most = against_own_thrust(left, right, own)
    if abs(value) <= most:
        return NOTHING
    from_toes = amount((right.value - left.value) / 2, "°", None, "thrust")
    printed_as = amount(own.value, "°", None, "thrust")
    return sentences(said("wheels.printout_contradicts_itself_rear_toes", from_toes=from_toes, printed=printed_as))


def _gained(found: dict[str, Measured]) -> Sentences:
    """What the adjustment changed at the rear axle."""
    before, after = found.get("before.thrust"), found.get("printed.thrust")
    if before is None or after is None:
        return NOTHING
    was, now = (amount(m.value, "°", None, "thrust") for m in (before, after))
    return sentences(said("wheels.before_after", was=was, now=now))


@check_kind("steering_wheel")
class SteeringWheelCheck(OneReading):
    """The steering wheel straight, by a level on its spokes."""

    limits: Limits = Field(description="degrees, turned to the left positive")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [
            Slot(
                id="steering.wheel",
                label=said("wheels.steering_wheel_off_straight"),
                quantity=Quantity(dimension="angle", unit="°", low=-40, high=40),
                aspects=frozenset({"steering"}),
                reads="bracket",
                way="steering",
                hint=said("wheels.level_across_spokes_rolling_straight"),
                at=ReadAt(said("stands.steering_wheel"), 0.7 * epochs.plan.vehicle.wheelbase),
            )
        ]
