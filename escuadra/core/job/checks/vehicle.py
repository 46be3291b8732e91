"""The vehicle readied: battery, tank and fluids with ballast, what is aboard, what stands before the sensor.

Source: ``ballast`` (masses at their places), ``verdict``. A condition is answered with a word and may carry photos.
"""

from pydantic import Field

from escuadra.core.ballast import Weight, ballast, carried
from escuadra.core.budget import Contribution, shares
from escuadra.core.errors import BadInput
from escuadra.core.job.checks.base import Check, Figure, Judgement, OneReading
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Measured, Slot, combined, measured, parts_of
from escuadra.core.procedure import Limits, check_kind
from escuadra.core.quantities import Quantity
from escuadra.core.wording import amount, listed, rounded

LOAD = frozenset({"load"})
SOUND, DIRTY, DAMAGED = "clean and sound", "dirty", "damaged"
HOUR_MS = 3_600_000


@check_kind("battery")
class BatteryCheck(Check):
    """The support connected, the voltage now (the newest reading) and its course."""

    volts: Limits = Field(description="at the terminals with the support on, V")

    def make_slots(self, setup: Setup) -> list[Slot]:
        battery = frozenset({"battery"})
        return [
            Slot(id="battery.support", label="Battery support connected?", ask="tick", aspects=battery),
            Slot(
                id="battery.volts",
                label="Battery voltage",
                quantity=Quantity(dimension="voltage", unit="V", low=9, high=16),
                aspects=battery,
                reads="voltage",
                hint="at its terminals; a further reading later shows the course",
            ),
        ]

    def judge(self, setup: Setup) -> Judgement:
        support, volts = self.slots(setup)
        answer, entries = setup.answered(support), setup.current(volts)
        now = measured(entries[-1:])
        figures = (
            ()
            if now is None
            else (self.figure(volts.id, "Battery now", now.value, now.u, self.volts, "V", single=now),)
        )
        wrong = "no battery support" if answer is not None and answer.said.value == "no" else ""
        note = ""
        if len(entries) > 1:
            hours = max((entries[-1].at - entries[0].at) / HOUR_MS, 1 / 60)
            pace = (entries[-1].value - entries[0].value) / hours
            note = f"{'Rising' if pace > 0 else 'Falling'} {amount(abs(pace), 'V')} an hour since the first reading."
            if pace < 0 and now is not None and now.value > self.volts.lower:
                minutes = 60 * (now.value - self.volts.lower) / -pace
                note += f" At its limit in about {minutes:.0f} minutes." if minutes < 600 else ""
        return Judgement(
            answer is not None and now is not None,
            figures,
            summary=amount(now.value, "V") if now is not None else "",
            wrong=wrong,
            note=note,
        )


@check_kind("fuel")
class FuelCheck(Check):
    """How full tank and fluids are, what is aboard, and the ballast that stands in for what is missing."""

    missing: float = Field(gt=0, description="may be missing in all and on either axle, kg")
    aboard: float = Field(gt=0, description="largest load aboard, kg")
    ballast: bool = Field(False, description="whether the procedure lets ballast stand in for fuel")

    def make_slots(self, setup: Setup) -> list[Slot]:
        aboard = _mass("aboard", "Load aboard", "tools, goods and people; 0 where it is as delivered", 1500)
        wanted = {w.name for w in self._proposed(setup)}
        places = [
            _mass(f"ballast.{p.id}", f"Ballast: {p.name}", "", p.most)
            for p in (setup.plan.vehicle.ballast_places if self.ballast else [])
            if p.name in wanted or setup.live(f"ballast.{p.id}")
        ]
        return [*self._filled(setup), aboard, *places]

    def _filled(self, setup: Setup) -> list[Slot]:
        return [
            Slot(
                id=f"filled.{f.id}",
                label=f"How full: {f.name}",
                quantity=Quantity(dimension="share", unit="%", low=0, high=100),
                aspects=LOAD,
                reads="share",
                hint="in percent, or as 5/8 full",
            )
            for f in setup.plan.vehicle.filled
        ]

    def _missing(self, setup: Setup) -> list[Weight] | None:
        """What is missing of tank and fluids; nothing until all were read."""
        found = []
        for slot, f in zip(self._filled(setup), setup.plan.vehicle.filled, strict=True):
            read = setup.now(slot)
            if read is None:
                return None
            kg = f.litres * f.kg_per_litre * (1 - read.value / 100)
            found.append(Weight(name=f.name, kg=kg, x=f.x, y=f.y))
        return found

    def _proposed(self, setup: Setup) -> list[Weight]:
        """The ballast for what is missing, worked out once for a derivation."""
        return setup.once(("ballast", self.id), lambda: self._work_out(setup))

    def _work_out(self, setup: Setup) -> list[Weight]:
        missing, vehicle = self._missing(setup), setup.plan.vehicle
        if not self.ballast or missing is None or sum(w.kg for w in missing) <= self.missing / 2:
            return []
        try:
            return ballast(missing, vehicle.ballast_places, vehicle.wheelbase, vehicle.hub_track_rear)
        except BadInput:
            return []

    def _parts(self, setup: Setup) -> list[tuple[Measured, str, float, float]]:
        """Every reading that counts in what is missing: itself, its label, kg for each unit of it, and its x."""
        found = []
        for slot, f in zip(self._filled(setup), setup.plan.vehicle.filled, strict=True):
            if (read := setup.now(slot)) is not None:
                found.append((read, f.name, -f.litres * f.kg_per_litre / 100, f.x))
        slots = {slot.id: slot for slot in self.slots(setup)}
        for place in setup.plan.vehicle.ballast_places:
            bag = slots.get(f"ballast.{place.id}")
            if bag is not None and (read := setup.now(bag)) is not None:
                found.append((read, f"ballast {place.name}", -1.0, place.x))
        return found

    def _weights(self, setup: Setup, figure: str) -> list[float]:
        """How each of the readings enters a figure, kg for each unit of it."""
        forward = [x / setup.plan.vehicle.wheelbase for _, _, _, x in self._parts(setup)]
        on = {"net": [1.0] * len(forward), "front": forward, "rear": [1 - share for share in forward]}[figure]
        return [kg * share for (_, _, kg, _), share in zip(self._parts(setup), on, strict=True)]

    def judge(self, setup: Setup) -> Judgement:
        slots, vehicle, missing = self.slots(setup), setup.plan.vehicle, self._missing(setup)
        aboard = setup.now(next(s for s in slots if s.id == "aboard"))
        read = sum(setup.now(s) is not None for s in slots)
        if missing is None or aboard is None:
            return Judgement(False, summary=f"{read} of {len(slots)} read")
        bags = [
            Weight(name=place.name, kg=-found.value, x=place.x, y=place.y)
            for place in vehicle.ballast_places
            for slot in slots
            if slot.id == f"ballast.{place.id}" and (found := setup.now(slot)) is not None
        ]
        left = carried([*missing, *bags], vehicle.wheelbase, vehicle.hub_track_rear)
        parts = [part for part, _, _, _ in self._parts(setup)]
        limits, words = Limits(minus=self.missing, plus=self.missing), ("missing", "too much")
        figures = []
        for id, label, value in (
            ("net", "In all" + (", with ballast" if bags else ""), left.kg),
            ("front", "On the front axle", left.front),
            ("rear", "On the rear axle", left.kg - left.front),
        ):
            u = combined(self._weights(setup, id), parts)[1]
            figures.append(self.figure(id, label, value, u, limits, "kg", words))
        most = Limits(minus=0.0, plus=self.aboard)
        figures.append(self.figure("aboard", "Load aboard", aboard.value, aboard.u, most, "kg", open_below=True))
        gone = sum(w.kg for w in missing)
        summary = f"{amount(left.kg, 'kg', 0, words)}" if abs(left.kg) >= 0.5 else "full, nothing aboard"
        return Judgement(read == len(slots), tuple(figures), summary, note=self._advice(setup, gone))

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        if figure.id == "aboard":
            return super().budget(setup, figure)
        parts = self._parts(setup)
        weights = self._weights(setup, figure.id)
        return shares(parts_of(weights, [p for p, _, _, _ in parts], [label for _, label, _, _ in parts]))

    def _advice(self, setup: Setup, gone: float) -> str:
        if gone <= self.missing / 2:
            return ""
        said = f"{rounded(gone, 0)} kg of fuel and fluids are missing."
        if not self.ballast:
            return f"{said} Fill up: this procedure lets no ballast stand in for it."
        proposed = self._proposed(setup)
        if not proposed:
            return f"{said} No ballast place of this vehicle can take that: fill up."
        return f"{said} Ballast that stands in for it: {listed([f'{w.kg:.0f} kg {w.name}' for w in proposed])}."


def _mass(id: str, label: str, hint: str, most: float) -> Slot:
    quantity = Quantity(dimension="mass", unit="kg", low=0, high=most)
    return Slot(id=id, label=label, quantity=quantity, aspects=LOAD, reads="mass", hint=hint)


@check_kind("condition")
class ConditionCheck(Check):
    """What stands before the sensor, looked at place by place; photos where it is not clean and sound."""

    places: list[str] = Field(min_length=1, description="what to look at")
    aspect: str = Field("glass", description="what spoils the answer")

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [
            Slot(
                id=f"condition.{self.id}.{k}",
                label=place[:1].upper() + place[1:],
                ask="choice",
                options=(SOUND, DIRTY, DAMAGED),
                aspects=frozenset({self.aspect}),
                photos=True,
            )
            for k, place in enumerate(self.places, 1)
        ]

    def judge(self, setup: Setup) -> Judgement:
        answers = [(s, e.said.value) for s in self.slots(setup) if (e := setup.answered(s)) is not None]
        bad = [f"{s.label}: {value}" for s, value in answers if value != SOUND]
        damaged = [s for s, value in answers if value == DAMAGED]
        bare = [s.label for s in damaged if not any(p.said.slot == s.id for p in setup.state.photos)]
        return Judgement(
            len(answers) == len(self.slots(setup)),
            summary=SOUND if not bad else "; ".join(bad),
            wrong="; ".join(bad),
            note=f"A photo of it belongs in the record: {listed(bare)}." if bare else "",
        )


@check_kind("bracket")
class BracketCheck(OneReading):
    """The sensor's bracket upright, by a digital level."""

    limits: Limits = Field(description="degrees, top forward positive")

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [
            Slot(
                id="bracket.lean",
                label="Bracket off upright",
                quantity=Quantity(dimension="angle", unit="°", low=-12, high=12),
                aspects=frozenset({"bracket", "ride_height"}),
                reads="bracket",
                words=("top forward", "top back"),
                hint="a level on the face that the sensor sits on, cover off",
            )
        ]
