"""How the target hangs on the beam: where along it, how far its two parts are apart, and its own level and tilt."""

from typing import ClassVar

from pydantic import Field

from escuadra.core.job.checks.base import Check, Judgement, OneReading
from escuadra.core.job.hung import hang_slot, hung
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.procedure import Limits, check_kind
from escuadra.core.quantities import Quantity
from escuadra.core.said import Said, nouns, said


@check_kind("hang")
class HangCheck(Check):
    """Where along the beam the target's centre hangs, read at its middle or at an edge on the beam's scale."""

    limits: Limits = Field(description="left of the beam's middle, mm; a station says its own nominal")

    @property
    def carried_by(self) -> str:
        return "frame"

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [hang_slot(setup.plan)]

    def judge(self, setup: Setup) -> Judgement:
        found, (slot,) = hung(setup), self.slots(setup)
        if found is None:
            return Judgement(False)
        way = "side"
        single, about = setup.now(slot), self.limits.nominal
        label = said("hanging.targets_centre_beam")
        figure = self.figure(slot.id, label, found.value, found.u, self.limits, "mm", way, single=single, about=about)
        return Judgement(True, (figure,), figure.text)


@check_kind("spacing")
class SpacingCheck(OneReading):
    """How far the two parts of a target are apart."""

    @property
    def carried_by(self) -> str:
        return "frame"

    def make_slots(self, setup: Setup) -> list[Slot]:
        around = self.limits.nominal
        return [
            Slot(
                id="spacing",
                label=said("hanging.between_middles_targets_two_parts"),
                quantity=Quantity(dimension="length", unit="mm", low=0.5 * around, high=1.6 * around),
                aspects=frozenset({"target"}),
                reads="rule",
                hint=said("hanging.mark_mark_not_edge_edge"),
            )
        ]


@check_kind("target_level")
class TargetLevelCheck(Check):
    """The level laid on the target itself: upright, or tilted as the station says."""

    roll: Limits = Field(description="degrees, its left side up positive")
    tilt: Limits = Field(description="degrees off the station's tilt, its top away from the vehicle positive")

    ways: ClassVar[dict[str, str]] = {"roll": "target_roll", "tilt": "target_tilt"}
    labels: ClassVar[dict[str, Said]] = {"roll": said("hanging.along_target"), "tilt": said("hanging.targets_face")}

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [
            Slot(
                id=f"hangs.{way}",
                label=self.labels[way],
                quantity=Quantity(dimension="angle", unit="°", low=-9, high=9),
                aspects=frozenset({"level", "tilt"}),
                reads="level",
                way=self.ways[way],
                hint=said("hanging.sides_drivers_seat") if way == "roll" else said("hanging.top_against_vehicle"),
            )
            for way in ("roll", "tilt")
        ]

    def judge(self, setup: Setup) -> Judgement:
        station, figures = setup.plan.station, []
        tilt = (station.tilt_deg or 0.0) if station is not None else 0.0
        for slot, limits, about in zip(self.slots(setup), (self.roll, self.tilt), (0.0, tilt), strict=True):
            found = setup.now(slot)
            if found is not None:
                around = limits.model_copy(update={"nominal": about})
                figures.append(
                    self.figure(slot.id, slot.label, found.value, found.u, around, "°", slot.way, found, about)
                )
        return Judgement(len(figures) == 2, tuple(figures), nouns((f.text for f in figures), "comma"))
