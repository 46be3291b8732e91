"""Readying the vehicle and the place: ticks with who and when, and the floor's slope as typed."""

from typing import ClassVar

from pydantic import Field

from escuadra.core.job.checks.base import Check, Judgement
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.procedure import Limits, check_kind
from escuadra.core.quantities import Quantity


@check_kind("tick")
class TickCheck(Check):
    """Something that a person looks at and answers for."""

    question: str = Field(description="asked so that yes means it holds")
    aspect: str = Field(description="what spoils the answer: tyres, load, doors, steering, floor, or none")

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [Slot(id=f"tick.{self.id}", label=self.question, ask="tick", aspects=frozenset({self.aspect}))]

    def judge(self, setup: Setup) -> Judgement:
        given = setup.answered(self.slots(setup)[0])
        if given is None:
            return Judgement(False)
        value = given.said.value
        return Judgement(True, summary=str(value), wrong="" if value == "yes" else "answered no")


@check_kind("slope")
class SlopeCheck(Check):
    """The floor's slope, typed: along and across, under the wheels and up to the target."""

    along: Limits = Field(description="percent, rising forward positive")
    across: Limits = Field(description="percent, rising left positive")

    places: ClassVar[dict[str, str]] = {"wheels": "under the wheels", "target": "up to the target"}
    words: ClassVar[dict[str, tuple[str, str]]] = {
        "along": ("rising forward", "falling forward"),
        "across": ("rising left", "rising right"),
    }

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [
            Slot(
                id=f"slope.{place}.{way}",
                label=f"Floor {said}, {way}",
                quantity=Quantity(dimension="slope", unit="%", low=-3, high=3),
                aspects=frozenset({"floor"}),
                reads="slope",
                words=self.words[way],
            )
            for place, said in self.places.items()
            for way in ("along", "across")
        ]

    def judge(self, setup: Setup) -> Judgement:
        figures = []
        for slot in self.slots(setup):
            found = setup.now(slot)
            if found is not None:
                limits = self.along if slot.id.endswith("along") else self.across
                figures.append(
                    self.figure(slot.id, slot.label, found.value, found.u, limits, "%", slot.words, single=found)
                )
        worst = max((abs(f.value) for f in figures), default=0.0)
        return Judgement(
            len(figures) == 4,
            tuple(figures),
            summary=f"{worst:.2f} % at most" if figures else "",
            note="Typed by hand: weaker than a survey of the bay.",
        )
