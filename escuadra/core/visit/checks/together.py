"""One of several bodies that stand together: set out, proved by few readings, and put right by one move in words.

Its place, its facing and the height of its lower edge come from the one state of all of them; limits judged by
``verdict`` (JCGM 106).
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.model import Positive
from escuadra.core.base.said import Angle, Length, Name, Noun, Said, Text, Value, nouns, said, sentences
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.measure.budget import Contribution
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.body_readings import (
    SET,
    Goal,
    body_slots,
    floor_under,
    goals,
    measured_lean,
    reads_beside,
    set_out_slot,
)
from escuadra.core.visit.checks.base import Check, Figure, Judgement, ToldBy
from escuadra.core.visit.checks.frame import said_unlike
from escuadra.core.visit.doubting import SOON, Again, doubted, of_its_own
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.guarding import Guard, first, guard, guard_of_slot
from escuadra.core.visit.next_move import Axis, NextMove, Step
from escuadra.core.visit.next_reading import as_read_last, most_parting
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.together import Fold, Together, folded, together

LEAST_MM, LEAST_DEG = 0.5, 0.1
"""Nobody moves a board by less."""


@check_kind("body")
class BodyCheck(Check):
    """A panel, a board or a mat of several that stand together."""

    mended_by_a_move: ClassVar[bool] = True

    body: str = Field(description="id of the station's body")
    place: Limits = Field(description="of its lower edge's middle, along and across the line, mm off")
    facing: Limits | None = Field(None, description="of its face, left positive, degrees off")
    height: Limits | None = Field(None, description="of its lower edge, mm off")
    flat: Positive | None = Field(None, description="of the floor under it, where that was surveyed, mm")
    lean: Limits | None = Field(None, description="across its face and along its upright, degrees")

    @property
    def carried_by(self) -> str:
        return "together"

    def _goal(self, epochs: Epochs) -> Goal | None:
        return goals(epochs).get(self.body)

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        goal = self._goal(epochs)
        if goal is None:
            return []
        found = together(epochs)
        own = found is not None and found.doubts(goal) and found.worst in ("", self.body)
        beside = _beside(epochs, goal, found) if own and found is not None else None
        return [set_out_slot(epochs, goal), *body_slots(epochs, self.body), *([beside] if beside is not None else [])]

    def judge(self, epochs: Epochs) -> Judgement:
        goal, slots = self._goal(epochs), self.slots(epochs)
        if goal is None:
            return Judgement(False)
        needed = [slot for slot in slots if not slot.optional]
        missing = [slot for slot in needed if not epochs.current(slot)]
        summary: Value = said("read_of", read=len(needed) - len(missing), needed=len(needed))
        if slots[0] not in missing and epochs.answer(slots[0]) != "yes":
            return Judgement(
                True, summary=summary, mismatch=sentences(said("together.not_set", body=Name(goal.body.name)))
            )
        found = together(epochs)
        if found is None or epochs.lines is None:
            remark = sentences(said("stations.find_line_first_stands_place")) if epochs.lines is None else None
            return Judgement(False, summary=summary, remark=remark or sentences())
        if (fold := folded(epochs, goal)) is not None:
            return Judgement(not missing, summary=summary, mismatch=sentences(self._folded(goal, fold)))
        figures = self._figures(epochs, goal, found)
        inconsistency = None
        uneven = any(figure.id == "flat" and figure.verdict.state == "out" for figure in figures)
        mismatch = said("together.uneven", body=Name(goal.body.name)) if uneven and not missing else None
        if found.doubts(goal):
            labels: list[Text] = [slot.label for slot in slots if slot.id in found.suspects]
            way = "named" if labels else "plain"
            if found.hubs:
                way, labels = "hubs", [said("floor_marks.hub", corner=Noun(f"corner.{hub}")) for hub in found.hubs]
            inconsistency = said(f"together.contradict.{way}", names=nouns(labels, "or"))
        if figures and not missing:
            parts = [figure.text for figure in figures if figure.verdict.state != "holds"]
            summary = nouns(parts[:2], "comma") if parts else figures[0].text
        complete = not missing and len(figures) > len(measured_lean(epochs, goal))
        rests = self._guard(epochs, goal, found, figures) if complete and found.trusted else None
        unlike = sorted(found.solution.entered.unlike)
        remark = sentences(*(said_unlike(epochs, found.solution, corner, "together") for corner in unlike))
        return Judgement(
            complete, tuple(figures), summary, sentences(mismatch), sentences(inconsistency), remark, guard=rests
        )

    def _guard(self, epochs: Epochs, goal: Goal, found: Together, figures: Sequence[Figure]) -> Guard | None:
        """What a body that holds rests on: a mistake in one act that nothing else shows, or one look at a level."""
        by_id = {figure.id: figure for figure in figures}
        if any(figure.verdict.state != "holds" for figure in figures):
            return None
        told = [(derived, by_id[id]) for id, derived, *_ in self._derived(epochs, goal, found)]
        rests = [(guard(epochs, found.solution, derived, figure.most, SET), figure.unit) for derived, figure in told]
        levels = (slot for slot, _ in measured_lean(epochs, goal) if slot.id in by_id)
        rests += [(guard_of_slot(epochs, slot, by_id[slot.id].most), "°") for slot in levels]
        return first(replace(one, unit=unit) if one is not None else None for one, unit in rests)

    def _folded(self, goal: Goal, fold: Fold) -> Said:
        return said("together.folded", body=Name(goal.body.name), point=Noun(f"together.point.flat.{fold.point}"))

    def _figures(self, epochs: Epochs, goal: Goal, found: Together) -> list[Figure]:
        figures = [
            self.figure(figure, said(f"together.off.{figure}"), derived.value, derived.u, limits, unit, way)
            for figure, derived, limits, unit, way in self._derived(epochs, goal, found)
        ]
        if self.lean is not None:
            figures += [
                self.figure(slot.id, slot.label, now.value, now.u, self.lean, "°", slot.way, now)
                for slot, now in measured_lean(epochs, goal)
            ]
        return figures + self.floor_figures(epochs, goal)

    def floor_figures(self, epochs: Epochs, goal: Goal) -> list[Figure]:
        """Flatness of the floor under it, where the sheet limits that and the survey tells it."""
        under = floor_under(epochs, goal) if self.flat is not None else None
        if under is None or self.flat is None:
            return []
        limits = Limits(minus=self.flat, plus=self.flat, nominal=0.0)
        return [self.figure("flat", said("together.floor_under"), under.value, under.u, limits, "mm")]

    def _derived(self, epochs: Epochs, goal: Goal, found: Together) -> list[tuple[str, Derived, Limits, str, str]]:
        """What the state tells of it: id, how far off, limits, unit, and which way that is."""
        stood = found.stood(goal)
        if stood is None:
            return []
        told = [
            ("forward", stood.forward, self.place, "mm", "too_forward"),
            ("left", stood.left, self.place, "mm", "too_left"),
        ]
        if self.facing is not None:
            told.append(("facing", stood.turned, self.facing, "°", "side"))
        up = found.height(goal, epochs.plan.procedure.height_from == "floor") if self.height is not None else None
        if self.height is not None and up is not None:
            told.append(("height", up, self.height, "mm", "too_high"))
        return told

    def told(self, epochs: Epochs) -> list[ToldBy]:
        goal, found = self._goal(epochs), together(epochs)
        if goal is None or found is None or found.solution.line is None:
            return []
        return [ToldBy(id, found.solution.located, derived) for id, derived, *_ in self._derived(epochs, goal, found)]

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        found = together(epochs)
        own = next((one.found for one in self.told(epochs) if one.figure == figure.id), None)
        return super().budget(epochs, figure) if own is None or found is None else found.solution.budget(own)

    def parted_by(self, epochs: Epochs) -> tuple[Slot, int] | None:
        goal, found = self._goal(epochs), together(epochs)
        if goal is None or found is None or not found.doubts(goal):
            return None
        beside = _beside(epochs, goals(epochs)[found.worst or self.body], found)
        return (beside, len(found.suspects)) if beside is not None else None

    def doubted(self, epochs: Epochs) -> Again | None:
        """What is to blame, at the body of which most is and then elsewhere, the newest first; then others of it."""
        goal, found = self._goal(epochs), together(epochs)
        if goal is None or found is None or not found.doubts(goal):
            return None
        own = of_its_own(epochs, body_slots(epochs, found.worst or self.body), found.suspects)
        to_blame = [one for one in own if one.slot in found.suspects]
        return next(iter([*to_blame, *doubted(epochs, found.solution), *own]), None)

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        goal, found = self._goal(epochs), together(epochs)
        if goal is None:
            return None
        name, which = Name(goal.body.name), {"which": float(goal.number)}
        if found is not None and found.doubts(goal):
            fold = folded(epochs, goal)
            if fold is None:
                return None
            point = Noun(f"together.point.flat.{fold.point}")
            return self._move(said("move.smooth", body=name, point=point), (), which, said("move.smooth.action"))
        if judged.mismatch and not judged.figures:
            return self._move(said("move.set_out", body=name), (), which, said("move.set_out.action"))
        off = {one: (derived, state) for one, derived, state in self._off(epochs, goal, found, judged)}
        leaning = [f for f in judged.figures if f.slot and f.verdict.state != "holds"]
        axes: tuple[tuple[str, Axis, float], ...] = (
            ("forward", "forward", LEAST_MM),
            ("left", "stand_left", LEAST_MM),
            ("height", "stand_up", LEAST_MM),
            ("facing", "stand_turn", LEAST_DEG),
        )
        steps = [
            Step(axis, -off[id][0])
            for id, axis, least in axes
            if id in off and abs(off[id][0]) >= least and (id not in ("facing", "height") or off[id][1] != "holds")
        ]
        parts: list[Said] = [_part(step) for step in steps]
        if leaning:
            parts.append(said("together.plumb", lean=nouns((figure.text for figure in leaning), "comma")))
        if not parts:
            return None
        told = {"forward": "forward", "stand_left": "left", "stand_up": "up"}
        further = which | {told[step.axis]: round(step.amount, 1) for step in steps if step.axis in told}
        if turn := next((step.amount for step in steps if step.axis == "stand_turn"), 0.0):
            further["turned"] = round(turn, 2)
        sentence = said("move.together", body=name, parts=nouns(parts))
        return self._move(
            sentence, tuple(steps), further, said("move.together.action", body=name), nouns(parts, "comma")
        )

    def _off(
        self, epochs: Epochs, goal: Goal, found: Together | None, judged: Judgement
    ) -> Sequence[tuple[str, float, str]]:
        states = {figure.id: figure.verdict.state for figure in judged.figures}
        told = self._derived(epochs, goal, found) if found is not None and found.solution.line is not None else []
        return [(id, derived.value, states.get(id, "holds")) for id, derived, *_ in told]

    def _move(
        self,
        sentence: Said,
        steps: tuple[Step, ...],
        further: dict[str, float],
        action: Said,
        figure: Value | None = None,
    ) -> NextMove:
        then = sentences(said("together.then" if steps else "together.read_again"))
        return NextMove(
            "move",
            sentence,
            then,
            action=action,
            figure=figure,
            check=self.id,
            happening="together",
            steps=steps,
            further=further,
        )


def _beside(epochs: Epochs, goal: Goal, found: Together) -> Slot | None:
    """A tape beside, where more readings of a body are to blame alike than are sooner read again."""
    again = {one.slot for one in of_its_own(epochs, body_slots(epochs, goal.body.id), found.suspects)}
    alike = [id for id in found.solution.suspects if id.place in again]
    if len(alike) <= SOON:
        return None
    solution, own = found.solution, goal.body.id
    unread = [(read, slot, f"{own}:{read.at}") for read, slot in reads_beside(epochs, goal) if not epochs.current(slot)]
    tapes = ((slot, {"from_": read.which, "to": point}) for read, slot, point in unread if read.anchor == "hub")
    floor = f"under {own}"
    heights = ((slot, {"point": point, "floor": floor}) for read, slot, point in unread if read.anchor == "floor")
    counted = any(o.type == "height" and o.floor == floor for o in solution.located.given.observations)
    offered = as_read_last(solution, "level_distance", tapes)
    return most_parting(solution, alike, offered + (as_read_last(solution, "height", heights) if counted else []))


def _part(step: Step) -> Said:
    value = Angle(abs(step.amount), 1) if step.axis == "stand_turn" else Length(abs(step.amount))
    return said(f"together.{step.axis}.{step.way}", amount=value)
