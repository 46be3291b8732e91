"""The vehicle readied: battery, tank and fluids with ballast, what is aboard, what stands before the sensor.

Source: ``ballast`` (masses at their places), ``verdict``. A condition is answered with a word and may carry photos.
"""

import math
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import CatalogueText
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import NOTHING, Duration, Mass, Name, Noun, Said, Sentences, Text, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.measure.budget import Contribution, shares
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.vehicle.ballast import Weight, ballast, carried
from escuadra.core.visit.checks.base import Check, Figure, Judgement, OneReading
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.slots import Measured, ReadAt, Slot, combined, measured, parts_of

LOAD = frozenset({"load"})
SOUND, DIRTY, DAMAGED = "clean_and_sound", "dirty", "damaged"
ANYTHING = 0.5
"""What counts as missing of a fluid that nobody looked at: half of it, and as much to either side."""
HOUR_MS = 3_600_000


@check_kind("battery")
class BatteryCheck(Check):
    """The support connected, the voltage now (the newest reading) and its course."""

    newest_counts: ClassVar[bool] = True

    volts: Limits = Field(description="at the terminals with the support on, V")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        battery = frozenset({"battery"})
        return [
            Slot(
                id="battery.support",
                label=said("vehicle.battery_support_connected"),
                ask="tick",
                aspects=battery,
                specified="yes",
            ),
            Slot(
                id="battery.volts",
                label=said("vehicle.battery_voltage"),
                quantity=Quantity(dimension="voltage", unit="V", low=9, high=16),
                aspects=battery,
                reads="voltage",
                hint=said("vehicle.terminals_further_reading_later_shows"),
                at=ReadAt(said("stands.battery"), epochs.plan.vehicle.wheelbase),
            ),
        ]

    def judge(self, epochs: Epochs) -> Judgement:
        support, volts = self.slots(epochs)
        answer, entries = epochs.answered(support), epochs.current(volts)
        now = measured(entries[-1:])
        figures = (
            ()
            if now is None
            else (self.figure(volts.id, said("vehicle.battery_now"), now.value, now.u, self.volts, "V", single=now),)
        )
        off = answer is not None and answer.said.value == "no"
        mismatch = sentences(said("vehicle.no_battery_support") if off else None)
        remark = NOTHING
        if len(entries) > 1:
            hours = max((entries[-1].at - entries[0].at) / HOUR_MS, 1 / 60)
            pace = (entries[-1].value - entries[0].value) / hours
            way = "rising" if pace > 0 else "falling"
            remark = sentences(said(f"vehicle.battery.{way}", pace=amount(abs(pace), "V")))
            if pace < 0 and now is not None and now.value > self.volts.lower:
                minutes = 60 * (now.value - self.volts.lower) / -pace
                if minutes < 600:
                    remark += sentences(said("vehicle.limit_about_minutes", minutes=Duration(minutes)))
        return Judgement(
            answer is not None and now is not None,
            figures,
            summary=amount(now.value, "V") if now is not None else None,
            mismatch=mismatch,
            remark=remark,
        )


@check_kind("fuel")
class FuelCheck(Check):
    """How full tank and fluids are, what is aboard, and the ballast that stands in for what is missing."""

    missing: float = Field(gt=0, description="may be missing in all and on either axle, kg")
    aboard: float = Field(gt=0, description="largest load aboard, kg")
    ballast: bool = Field(False, description="whether the procedure lets ballast stand in for fuel")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        aboard = _mass("aboard", said("vehicle.load_aboard"), said("vehicle.tools_goods_people_0_delivered"), 1500)
        wanted = {w.name for w in self._proposed(epochs)}
        places = [
            _mass(f"ballast.{p.id}", said("vehicle.ballast", name=Name(p.name)), None, p.most)
            for p in (epochs.plan.vehicle.ballast_places if self.ballast else [])
            if p.name in wanted or epochs.live(f"ballast.{p.id}")
        ]
        return [*self._filled(epochs), aboard, *places]

    def _filled(self, epochs: Epochs) -> list[Slot]:
        return [
            Slot(
                id=f"filled.{f.id}",
                label=said("vehicle.how_full", name=Name(f.name)),
                quantity=Quantity(dimension="share", unit="%", low=0, high=100),
                aspects=LOAD,
                reads="share",
                hint=said("vehicle.percent_or_5_8_full"),
                optional=not f.asked,
                specified="100 %",
            )
            for f in epochs.plan.vehicle.filled
        ]

    def _missing(self, epochs: Epochs) -> list[Weight] | None:
        """What is missing of tank and fluids; nothing until those were read that must be."""
        found = []
        for slot, f in zip(self._filled(epochs), epochs.plan.vehicle.filled, strict=True):
            read = epochs.now(slot)
            if read is None and f.asked:
                return None
            kg = f.litres * f.kg_per_litre * (1 - read.value / 100 if read is not None else ANYTHING)
            found.append(Weight(name=f.name, kg=kg, x=f.x, y=f.y))
        return found

    def _proposed(self, epochs: Epochs) -> list[Weight]:
        """The ballast for what is missing, worked out once for a derivation."""
        return epochs.once(_proposed, self)

    def work_out(self, epochs: Epochs) -> list[Weight]:
        """That ballast, worked out."""
        missing, vehicle = self._missing(epochs), epochs.plan.vehicle
        if not self.ballast or missing is None or sum(w.kg for w in missing) <= self.missing / 2:
            return []
        try:
            return ballast(missing, vehicle.ballast_places, vehicle.wheelbase, vehicle.hub_track_rear)
        except BadInput:
            return []

    def _parts(self, epochs: Epochs) -> list[tuple[Measured, Text, float, float]]:
        """Every reading that counts in what is missing: itself, its label, kg for each unit of it, and its x."""
        found: list[tuple[Measured, Text, float, float]] = []
        for slot, f in zip(self._filled(epochs), epochs.plan.vehicle.filled, strict=True):
            if (read := epochs.now(slot)) is not None:
                found.append((read, Name(f.name), -f.litres * f.kg_per_litre / 100, f.x))
        slots = {slot.id: slot for slot in self.slots(epochs)}
        for place in epochs.plan.vehicle.ballast_places:
            bag = slots.get(f"ballast.{place.id}")
            if bag is not None and (read := epochs.now(bag)) is not None:
                found.append((read, said("vehicle.ballast", name=Name(place.name)), -1.0, place.x))
        return found

    def _weights(self, epochs: Epochs, figure: str) -> list[float]:
        """How each of the readings enters a figure, kg for each unit of it."""
        forward = [x / epochs.plan.vehicle.wheelbase for _, _, _, x in self._parts(epochs)]
        on = {"net": [1.0] * len(forward), "front": forward, "rear": [1 - share for share in forward]}[figure]
        return [kg * share for (_, _, kg, _), share in zip(self._parts(epochs), on, strict=True)]

    def _unread(self, epochs: Epochs, figure: str) -> list[tuple[Text, float]]:
        """What nobody looked at is anything from empty to full: how much that leaves open in a figure, one sigma."""
        found: list[tuple[Text, float]] = []
        for slot, f in zip(self._filled(epochs), epochs.plan.vehicle.filled, strict=True):
            forward = f.x / epochs.plan.vehicle.wheelbase
            on = {"net": 1.0, "front": forward, "rear": 1 - forward}[figure]
            if epochs.now(slot) is None:
                found.append((Name(f.name), abs(on) * f.litres * f.kg_per_litre * ANYTHING / math.sqrt(3)))
        return found

    def judge(self, epochs: Epochs) -> Judgement:
        slots, vehicle, missing = self.slots(epochs), epochs.plan.vehicle, self._missing(epochs)
        aboard = epochs.now(next(s for s in slots if s.id == "aboard"))
        needed = [slot for slot in slots if not slot.optional]
        read = sum(epochs.now(s) is not None for s in needed)
        if missing is None or aboard is None:
            return Judgement(False, summary=said("read_of", read=read, needed=len(needed)))
        bags = [
            Weight(name=place.name, kg=-found.value, x=place.x, y=place.y)
            for place in vehicle.ballast_places
            for slot in slots
            if slot.id == f"ballast.{place.id}" and (found := epochs.now(slot)) is not None
        ]
        left = carried([*missing, *bags], vehicle.wheelbase, vehicle.hub_track_rear)
        parts = [part for part, _, _, _ in self._parts(epochs)]
        limits = Limits(minus=self.missing, plus=self.missing)
        figures = []
        for id, label, value in (
            ("net", said("vehicle.all_with_ballast" if bags else "vehicle.all"), left.kg),
            ("front", said("vehicle.front_axle"), left.front),
            ("rear", said("vehicle.rear_axle"), left.kg - left.front),
        ):
            u = math.hypot(combined(self._weights(epochs, id), parts)[1], *(u for _, u in self._unread(epochs, id)))
            figures.append(self.figure(id, label, value, u, limits, "kg", "load"))
        most = Limits(minus=0.0, plus=self.aboard)
        figures.append(
            self.figure(
                "aboard",
                said("vehicle.load_aboard"),
                aboard.value,
                aboard.u,
                most,
                "kg",
                open_below=True,
                slot="aboard",
            )
        )
        gone = sum(w.kg for w in missing)
        full = said("vehicle.full_nothing_aboard")
        summary = amount(left.kg, "kg", 0, "load") if abs(left.kg) >= 0.5 else full
        return Judgement(read == len(needed), tuple(figures), summary, remark=self._advice(epochs, gone))

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        if figure.id == "aboard":
            return super().budget(epochs, figure)
        parts = self._parts(epochs)
        weights = self._weights(epochs, figure.id)
        known = parts_of(weights, [p for p, _, _, _ in parts], [label for _, label, _, _ in parts])
        return shares([*known, *self._unread(epochs, figure.id)])

    def _advice(self, epochs: Epochs, gone: float) -> Sentences:
        if gone <= self.missing / 2:
            return NOTHING
        short = said("vehicle.kg_fuel_fluids_missing", gone=Mass(gone, 0))
        if not self.ballast:
            return sentences(short, said("vehicle.fill_up_procedure_lets_no"))
        proposed = self._proposed(epochs)
        if not proposed:
            return sentences(short, said("vehicle.no_ballast_place_vehicle_can"))
        bags = nouns(said("vehicle.bag", mass=Mass(w.kg, 0), name=Name(w.name)) for w in proposed)
        return sentences(short, said("vehicle.ballast_stands", bags=bags))


def _proposed(epochs: Epochs, check: FuelCheck) -> list[Weight]:
    return check.work_out(epochs)


def _mass(id: str, label: Said, hint: Said | None, most: float) -> Slot:
    quantity = Quantity(dimension="mass", unit="kg", low=0, high=most)
    return Slot(id=id, label=label, quantity=quantity, aspects=LOAD, reads="mass", hint=hint, specified="0 kg")


@check_kind("condition")
class ConditionCheck(Check):
    """What stands before the sensor, looked at place by place; photos where it is not clean and sound."""

    places: list[CatalogueText] = Field(min_length=1, description="what to look at")
    aspect: str = Field("glass", description="what spoils the answer")
    asks_photos: ClassVar[bool] = True

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [
            Slot(
                id=f"condition.{self.id}.{k}",
                label=Name(place),
                ask="choice",
                options=(SOUND, DIRTY, DAMAGED),
                aspects=frozenset({self.aspect}),
                photos=True,
                specified=SOUND,
            )
            for k, place in enumerate(self.places, 1)
        ]

    def judge(self, epochs: Epochs) -> Judgement:
        answers = [(s, e.said.value) for s in self.slots(epochs) if (e := epochs.answered(s)) is not None]
        bad = [
            said("vehicle.found", place=s.label, value=s.option(str(value))) for s, value in answers if value != SOUND
        ]
        damaged = [s for s, value in answers if value == DAMAGED or self.photo]
        bare = [s.label for s in damaged if not any(p.said.slot == s.id for p in epochs.state.photos)]
        wanting = said("vehicle.photo_belongs_record", names=nouns(bare)) if bare else None
        return Judgement(
            len(answers) == len(self.slots(epochs)),
            summary=Noun(f"answer.{SOUND}") if not bad else nouns(bad, "comma"),
            mismatch=sentences(
                said("vehicle.all_found", bad=nouns(bad, "comma")) if bad else None, wanting if self.photo else None
            ),
            remark=sentences(wanting),
        )


@check_kind("bracket")
class BracketCheck(OneReading):
    """The sensor's bracket upright, by a digital level."""

    limits: Limits = Field(description="degrees, top forward positive")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [
            Slot(
                id="bracket.lean",
                label=said("vehicle.bracket_off_upright"),
                quantity=Quantity(dimension="angle", unit="°", low=-12, high=12),
                aspects=frozenset({"bracket", "ride_height"}),
                reads="bracket",
                way="bracket",
                hint=said("vehicle.level_face_sensor_sits_cover"),
                at=ReadAt(said("stands.sensors_bracket"), epochs.plan.procedure.sensor.x),
            )
        ]
