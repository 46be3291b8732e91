"""A target on a stand before the vehicle: levelled, at its distance, on the line and at its height by one move.

Source of place and move: ``tripod``; limits judged by ``verdict`` (JCGM 106).
"""

from collections.abc import Sequence
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.said import Length, Said, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.run.tripod import Along
from escuadra.core.visit.checks.base import Check, Figure, Judgement, OnTheRoad
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.next_move import Axis, NextMove, Step
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.tripod import standing, tripod_slots

LEAST_MM = 0.5
"""Nobody moves a stand by less."""


@check_kind("tripod")
class TripodCheck(Check):
    """The target's place, level and height on its stand, all told together: they fight where each is set alone."""

    mended_by_a_move: ClassVar[bool] = True

    lean: Limits = Field(description="of the stand, both ways, degrees")
    distance: Limits = Field(description="off the sheet's distance, mm")
    left: Limits = Field(description="of the middle off its place beside the line, mm")
    height: Limits = Field(description="of the middle off its height, mm")

    @property
    def carried_by(self) -> str:
        return "tripod"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return tripod_slots(epochs.plan)

    def judge(self, epochs: Epochs) -> Judgement:
        slots = self.slots(epochs)
        found = standing(epochs)
        if found is None:
            read = sum(epochs.now(slot) is not None for slot in slots)
            remark = sentences(said("tripod.all_then_one_move") if read else None)
            return Judgement(False, summary=said("read_of", read=read, needed=len(slots)), remark=remark)
        away, left, up = found.solution.away, found.solution.left, found.solution.up

        def off(id: str, way: str, along: Along, limits: Limits) -> Figure:
            label, slot = said(f"tripod.off.{id}"), f"tripod.{id}"
            return self.figure(id, label, along.off, along.u, limits, "mm", way, slot=slot)

        figures = (
            self.figure(
                "tripod.away", slots[0].label, found.away.value, found.away.u, self.lean, "°", "pitch", found.away
            ),
            self.figure(
                "tripod.left", slots[1].label, found.left.value, found.left.u, self.lean, "°", "top_left", found.left
            ),
            off("distance", "too_far", away, self.distance),
            off("line", "too_left", left, self.left),
            off("height", "too_high", up, self.height),
        )
        parts = [amount(abs(along.off), "mm") for along in (away, left, up)]
        return Judgement(True, figures, nouns(parts, "comma"))

    def acts(self, figure: Figure, figures: Sequence[Figure]) -> OnTheRoad:
        ways: dict[str, OnTheRoad] = {"line": "left", "height": "up"}
        return ways.get(figure.id, "")

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        found = standing(epochs)
        if found is None:
            return None
        solution = found.solution
        moves: list[tuple[Axis, Along]] = [
            ("forward", solution.away),
            ("stand_left", solution.left),
            ("stand_up", solution.up),
        ]
        steps = [Step(axis, along.move) for axis, along in moves if abs(along.move) >= LEAST_MM]
        leaning = [figure for figure in judged.figures[:2] if figure.verdict.state != "holds"]
        plumb = nouns((amount(f.value, "°", 1, f.way) for f in leaning), "comma")
        parts = [_part(step) for step in steps]
        if not parts and not leaning:
            return None
        first = said("move.tripod", parts=nouns(parts)) if parts else said("move.tripod.plumb", parts=plumb)
        before = said("tripod.plumb_first", parts=plumb) if leaning and parts else None
        return NextMove(
            "move",
            first,
            sentences(before, said("tripod.then")),
            action=said("move.tripod.action"),
            figure=nouns(parts, "comma") if parts else None,
            check=self.id,
            happening="tripod",
            steps=tuple(steps),
            further={"away_deg": -found.away.value, "left_deg": -found.left.value} if leaning else {},
        )


def _part(step: Step) -> Said:
    return said(f"tripod.{step.axis}.{step.way}", amount=Length(abs(step.amount)))
