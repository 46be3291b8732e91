"""How the target hangs on the beam: where along it, how far its two parts are apart, and its own level and tilt."""

import math
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.model import CatalogueText
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Angle, Count, Directed, Length, Name, Said, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.checks.base import Check, Judgement, OneReading, OnTheRoad
from escuadra.core.visit.checks.frame import cranked
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.guarding import Guard, first, guard_of_slot
from escuadra.core.visit.next_move import NextMove, Step, moved
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.target_on_beam import hang_slot, hung, read_at


@check_kind("hang")
class HangCheck(Check):
    """Where along the beam the target's centre hangs, read at its middle or at an edge on the beam's scale."""

    mended_by_a_move: ClassVar[bool] = True

    limits: Limits = Field(description="left of the beam's middle, mm; a station says its own nominal")

    @property
    def carried_by(self) -> str:
        return "frame"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [hang_slot(epochs.plan)]

    def judge(self, epochs: Epochs) -> Judgement:
        found, (slot,) = hung(epochs), self.slots(epochs)
        if found is None:
            return Judgement(False)
        way = "side"
        single, about = epochs.now(slot), self.limits.nominal
        label = said("hanging.targets_centre_beam")
        figure = self.figure(slot.id, label, found.value, found.u, self.limits, "mm", way, single, about, slot=slot.id)
        rests = guard_of_slot(epochs, slot, figure.most) if figure.verdict.state == "holds" else None
        return Judgement(True, (figure,), figure.text, guard=rests)

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        plan, found = epochs.plan, hung(epochs)
        change = plan.hang - (found.value if found is not None else 0.0)
        step, figure = Step("hang", round(change, 1)), Length(abs(change), 0 if abs(change) >= 10 else None)
        reads = read_at(plan, plan.hang)
        expect, label = Length(reads, None if reads % 1 else 0), self.slots(epochs)[0].label
        sentence, action = moved("shift", step, amount=figure)
        return NextMove(
            "move",
            sentence,
            sentences(said("shift.then", what=label, expect=expect)),
            action=action,
            figure=figure,
            expect_label=label,
            expect=expect,
            check=self.id,
            happening="shift",
            steps=(step,),
        )


MOST_BESIDE = 300.0
"""How far off the part the laser can be read, mm."""


@check_kind("spacing")
class SpacingCheck(OneReading):
    """How far the two parts of a target are apart."""

    @property
    def carried_by(self) -> str:
        return "frame"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
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


@check_kind("laser_on_part")
class LaserOnPartCheck(OneReading):
    """A level laser from the target's middle, and how far above a part of the vehicle it meets it."""

    mended_by_a_move: ClassVar[bool] = True
    after_pose: ClassVar[bool] = True
    on_the_road: ClassVar[OnTheRoad] = "up"

    part: CatalogueText = Field(description="of the vehicle, whose middle the laser has to meet")

    @property
    def carried_by(self) -> str:
        return "frame"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        plan = epochs.plan
        return [
            Slot(
                id="laser.part",
                label=said("hanging.laser_meets", part=Name(self.part)),
                quantity=Quantity(dimension="length", unit="mm", low=-MOST_BESIDE, high=MOST_BESIDE),
                aspects=frozenset({"height", "hubs"}),
                reads="scale",
                way="above",
                lever=abs(plan.target_x - plan.datum_x),
                hint=said("hanging.laser_level_from_the_targets_middle"),
            )
        ]

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        if judged.worst is None:
            return None
        change = self.limits.nominal - judged.worst.value
        return cranked(epochs, change, self.id, said("laser.part"), amount(self.limits.nominal, "mm", 0, "above"))


@check_kind("target_level")
class TargetLevelCheck(Check):
    """The level laid on the target itself: upright, or tilted as the station says."""

    mended_by_a_move: ClassVar[bool] = True
    on_the_road: ClassVar[OnTheRoad] = "pitch"
    road_figure: ClassVar[str] = "hangs.tilt"

    roll: Limits = Field(description="degrees, its left side up positive")
    tilt: Limits = Field(description="degrees off the station's tilt, its top away from the vehicle positive")

    ways: ClassVar[dict[str, str]] = {"roll": "target_roll", "tilt": "target_tilt"}
    labels: ClassVar[dict[str, Said]] = {"roll": said("hanging.along_target"), "tilt": said("hanging.targets_face")}

    def make_slots(self, epochs: Epochs) -> list[Slot]:
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

    def judge(self, epochs: Epochs) -> Judgement:
        station, figures = epochs.plan.station, []
        rests: list[Guard | None] = []
        tilt = (station.tilt_deg or 0.0) if station is not None else 0.0
        for slot, limits, about in zip(self.slots(epochs), (self.roll, self.tilt), (0.0, tilt), strict=True):
            found = epochs.now(slot)
            if found is not None:
                around = limits.model_copy(update={"nominal": about})
                figures.append(
                    self.figure(slot.id, slot.label, found.value, found.u, around, "°", slot.way, found, about)
                )
                if figures[-1].verdict.state == "holds":
                    rests.append(guard_of_slot(epochs, slot, figures[-1].most))
        return Judgement(
            len(figures) == 2, tuple(figures), nouns((f.text for f in figures), "comma"), guard=first(rests)
        )

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        station, frame, worst = epochs.plan.station, epochs.plan.frame, judged.worst
        tilt = (station.tilt_deg or 0.0) if station is not None else 0.0
        lean, then = Directed(Angle(tilt, 1), "tilt"), said("tilt.then")
        if worst is not None and worst.id == "hangs.roll":
            sentence, action = said("move.hooks", lean=worst.text), said("move.hooks.action")
        else:
            notches = sorted(frame.tilt_notches_deg)
            notch = next((k for k, at in enumerate(notches, 1) if math.isclose(at, tilt)), 0)
            code = "move.notch" if notch else "move.tilt"
            counted = {"notch": Count(notch), "count": Count(len(notches))} if notch else {}
            sentence, action = said(code, **counted, tilt=lean), said(f"{code}.action", **counted)
            then = said("notch.then") if notch else then
        check = self.id
        return NextMove("move", sentence, sentences(then), action=action, figure=lean, check=check, happening="tilt")
