"""The frame: heights for levelling slanted tapes, level, squareness, centring, distance and height.

Squareness, centring and distance are three views of one least-squares solution (``network``), relative to the line
in use; each stays true until something disturbs it.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from escuadra.core.base.corners import CORNERS
from escuadra.core.base.said import (
    NOTHING,
    Angle,
    Count,
    Directed,
    Length,
    Noun,
    Said,
    Sentences,
    Text,
    Turns,
    Value,
    nouns,
    said,
    sentences,
)
from escuadra.core.base.wording import amount, decimals_for, with_uncertainty
from escuadra.core.bay.ground import Amount
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.measure.budget import Contribution
from escuadra.core.procedure.feet import FeetInput, feet
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.profiles import FrameProfile
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.checks.base import Check, Figure, Judgement, Lessening, OnTheRoad, ToldBy
from escuadra.core.visit.doubting import Again, doubted, to_read_again
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.guarding import WORD, WORTH, Guard, first, guard, word
from escuadra.core.visit.log.disturbances import POSE
from escuadra.core.visit.log.state import Disturbance
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.next_move import NextMove, Step, foot_turned, moved
from escuadra.core.visit.next_reading import most_useful, parting_reading
from escuadra.core.visit.plan import (
    ENDS,
    SIDES,
    Plan,
    beam_height_slot,
    crossing_slot,
    direct_slot,
    height_slot,
    level_slot,
    tape_slot,
    target_height_slot,
    wheelbase_slot,
)
from escuadra.core.visit.prediction import predicted, screw_step, used_travel
from escuadra.core.visit.pushed import pushed
from escuadra.core.visit.reach import past_travel
from escuadra.core.visit.slots import MINUTES, MINUTES_ELSE, Slot
from escuadra.core.visit.solution.network_builder import ORIGIN
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution

FOOT_STEP = 0.125
"""The smallest turn of a foot that is told."""
LEAST_CRANK = 0.05
"""Turns of the crank that are told."""
BEFORE_A_MOVE = 3
"""What the frame is set down elsewhere for, and read again after that, may hang on so many times its tolerance."""
AHEAD = 0.35
"""Share of a tolerance from which a move that is already planned is done before anything is read again."""


@check_kind("heights")
class HeightsCheck(Check):
    """Heights of the hubs and of the beam's ends, so that slanted tapes can be levelled."""

    placing: ClassVar[bool] = True

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [height_slot(what, epochs.plan) for what in (*ENDS, *CORNERS)]

    def required(self, epochs: Epochs) -> list[Slot]:
        """Those on which, unread, too much of where the frame stands would hang."""
        weighty = epochs.once(_heights_that_count)
        return [slot for slot in self.slots(epochs) if slot.id in weighty]

    def judge(self, epochs: Epochs) -> Judgement:
        needed = self.required(epochs)
        read = [slot for slot in needed if epochs.now(slot) is not None]
        if not needed:
            return Judgement(True, summary=said("frame.heights_as_model"))
        return Judgement(len(read) == len(needed), summary=said("frame.read", read=len(read), needed=len(needed)))


def _heights_that_count(epochs: Epochs) -> frozenset[str]:
    """Slots of heights that were read, or that a figure of the frame's place hangs on as the model has them."""
    slots = (height_slot(what, epochs.plan) for what in (*ENDS, *CORNERS))
    found = {slot.id for slot in slots if epochs.now(slot) is not None}
    solution = epochs.newest
    if solution is None:
        # Where tapes are read slanted, the beam's height counts in any case.
        ends = [height_slot(end, epochs.plan).id for end in ENDS]
        return frozenset(found if not epochs.taped or found.intersection(ends) else {*found, ends[0]})
    if solution.line is None:
        return frozenset(found)
    for check in epochs.plan.procedure.checks:
        if isinstance(check, PoseCheck) and solution.tells(check.quantity):
            shares = solution.located.shares(solution.derived(check.quantity).gradient)
            weighty = (solution.sources[name] for name, share in shares if abs(share) * 2 > check.most / WORD)
            found |= {place for id in weighty if (place := id.kind.told_by(id))}
    return frozenset(found)


@check_kind("level")
class LevelCheck(Check):
    """The beam's roll and pitch, against gravity or the tyres' plane as the sheet says; the other is shown."""

    mended_by_a_move: ClassVar[bool] = True
    on_the_road: ClassVar[OnTheRoad] = "pitch"
    road_figure: ClassVar[str] = "level.pitch"

    roll: Limits = Field(description="degrees, left end up positive")
    pitch: Limits = Field(description="degrees, leaning away positive")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [level_slot(way, epochs.plan) for way in ("roll", "pitch")]

    def judge(self, epochs: Epochs) -> Judgement:
        figures, others = [], []
        known, to_tyres = epochs.plan.standing is not None, epochs.plan.procedure.level_to == "tyres"
        for slot, limits in zip(self.slots(epochs), (self.roll, self.pitch), strict=True):
            found, lean = epochs.now(slot), self._lean(epochs, slot, to_tyres)
            if found is None or lean is None:
                continue
            if known and (other := self._lean(epochs, slot, not to_tyres)) is not None:
                others.append(amount(other.value, "°", None, slot.way))
            figures.append(self.figure(slot.id, slot.label, lean.value, lean.u, limits, "°", slot.way, single=found))
        summary, apart = nouns(amount(abs(f.value), "°") for f in figures), epochs.upright
        inconsistency = contradiction(apart) if figures and apart is not None else NOTHING
        remark = self._against(epochs, others)
        rests = self._guard(epochs, figures)
        return Judgement(
            len(figures) == 2, tuple(figures), summary, inconsistency=inconsistency, remark=remark, guard=rests
        )

    def _guard(self, epochs: Epochs, figures: Sequence[Figure]) -> Guard | None:
        """Looked at again only where it would hold: what is out is moved, and read again anyway."""
        if any(figure.verdict.state != "holds" for figure in figures):
            return None
        to_tyres = epochs.plan.procedure.level_to == "tyres"
        found = (
            guarded_by(epochs, lambda solution, way=str(figure.way): solution.lean(way, to_tyres), figure)  # type: ignore[misc]
            for figure in figures
        )
        return first(found)

    def _lean(self, epochs: Epochs, slot: Slot, to_tyres: bool) -> Derived | None:
        found = (solution.lean(str(slot.way), to_tyres) for solution in epochs.postures)
        return next((lean for lean in found if lean is not None), None)

    def told(self, epochs: Epochs) -> list[ToldBy]:
        to_tyres = epochs.plan.procedure.level_to == "tyres"
        for solution in epochs.postures:
            found = {slot.id: solution.lean(str(slot.way), to_tyres) for slot in self.slots(epochs)}
            told = [ToldBy(id, solution.located, lean) for id, lean in found.items() if lean is not None]
            if told:
                return told
        return []

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        way, to_tyres = str(figure.way), epochs.plan.procedure.level_to == "tyres"
        return budget_of(epochs, lambda solution: solution.lean(way, to_tyres))

    def doubted(self, epochs: Epochs) -> Again | None:
        return next(iter(doubted(epochs, epochs.upright)), None) if epochs.upright is not None else None

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        worst = judged.worst
        if worst is None:
            return None
        if epochs.plan.frame.feet:
            return _feet_move(epochs.plan.frame, judged, self.id)
        lean = Directed(Angle(worst.value, decimals_for(worst.verdict.U, "°")), str(worst.way))
        return NextMove(
            "move",
            said("move.level", lean=lean),
            sentences(said("move.level.then")),
            action=said("move.level.action"),
            figure=lean,
            check=self.id,
            happening="feet",
        )

    def _against(self, epochs: Epochs, others: Sequence[Value]) -> Sentences:
        """What the level is counted from, and what it is against the other reference."""
        to_tyres, standing = epochs.plan.procedure.level_to == "tyres", epochs.plan.standing
        if standing is None:
            return sentences(said("frame.level_tyres_plane_unknown") if to_tyres else None)
        plane = "runways" if standing.wheels_on == "runway" else "tyres"
        used, other = (plane, "gravity") if to_tyres else ("gravity", plane)
        told = said(f"frame.against.{other}", others=nouns(others)) if others else None
        return sentences(said(f"frame.level_to.{used}"), told)


def _feet_move(frame: FrameProfile, judged: Judgement, check: str) -> NextMove:
    """Each foot's turns from the level as read, the one that needs most held still where it may be."""
    figures = {f.id: f.value for f in judged.figures}
    roll, pitch = figures.get("level.roll", 0.0), figures.get("level.pitch", 0.0)
    found = feet(
        FeetInput(feet=frame.feet, thread_pitch=frame.thread_pitch, roll_deg=roll, pitch_deg=pitch, step=FOOT_STEP)
    )
    turns = {id: turn for id, turn in found.turns.items() if turn}
    if not turns:
        return NextMove("blocked", said("blocked.level"), sentences(said("blocked.level.then")), check=check)
    steps = [Step("foot", turn, id) for id, turn in sorted(turns.items(), key=lambda item: -abs(item[1]))]
    first, *further = (foot_turned(step, frame.clockwise_raises) for step in steps)
    left = Directed(Angle(found.left_roll_deg, 2), "roll")
    away = Directed(Angle(found.left_pitch_deg, 2), "pitch")
    return NextMove(
        "move",
        first,
        sentences(
            said("foot.raises" if steps[0].amount > 0 else "foot.lowers"),
            *(Said(f"{one.code}.further", one.values) for one in further),
            said("foot.then", roll=left, pitch=away),
        ),
        action=Said(f"{first.code}.action", first.values),
        figure=first.values["amount"],
        expect_label=Noun("both_ways"),
        expect=said("feet.both", roll=left, pitch=away),
        check=check,
        happening="feet",
        steps=tuple(steps),
    )


class PoseCheck(Check):
    """One of the three views of the frame's pose.

    It is complete once everything that the epoch needs was read, so that one misread tape shows itself; the figure
    is shown as soon as the readings determine it.
    """

    limits: Limits
    unit: ClassVar[str] = "mm"
    direction: ClassVar[str | None] = None
    travels: ClassVar[Literal["", "yaw", "slide"]] = ""
    """What of the frame is adjusted for it, within its travel; nothing: the whole frame is rolled."""

    @property
    def tolerance(self) -> Limits | None:
        return self.limits

    @property
    def most(self) -> float:
        """From the middle to the nearer limit."""
        return min(self.limits.minus, self.limits.plus)

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        near = epochs.plan.taped_hubs
        tapes = [tape_slot(hub, end, epochs.plan) for hub in near for end in ENDS]
        others = [tape_slot(hub, end, epochs.plan) for hub in CORNERS if hub not in near for end in ENDS]
        others += [wheelbase_slot(side, epochs.plan) for side in SIDES]
        laser = crossing_slot(epochs.plan)
        return [laser, *tapes, *others] if self.view_of == "centre" else [*tapes, laser, *others]

    def aspects(self, epochs: Epochs) -> frozenset[str]:
        return frozenset({self.view_of, "line"})

    def required(self, epochs: Epochs) -> list[Slot]:
        return self.required_in(epochs, epochs.epoch)

    def times(self, slot: Slot) -> int:
        return 1

    def settling(self, epochs: Epochs, judged: Judgement) -> tuple[str, Text] | None:
        return self._settling(epochs, judged, at_last=False)

    def at_last(self, epochs: Epochs, judged: Judgement) -> tuple[str, Text] | None:
        return self._settling(epochs, judged, at_last=True) if judged.figures else None

    def _settling(self, epochs: Epochs, judged: Judgement, at_last: bool) -> tuple[str, Text] | None:
        solution, (figure,) = epochs.solved_for(self.view_of), judged.figures
        best = most_useful(epochs, solution, self.quantity, at_last) if solution is not None else None
        if best is None:
            return None
        # Where nobody could tell yet, whatever helps; else only what settles it, since a move would spoil it.
        settles = abs(figure.verdict.margin) >= 2 * best[1]
        helps = not figure.verdict.capable and best[1] < (1 - WORTH) * figure.u
        return (best[0].place, best[0].words) if settles or helps else None

    def parting(self, epochs: Epochs) -> Said | None:
        solution = epochs.solved_for(self.view_of)
        best = parting_reading(epochs, solution) if solution is not None else None
        return said("looking.tape_would_part_them", best=best.words) if best is not None else None

    def helping(self, epochs: Epochs, margin: float) -> Said | None:
        solution = epochs.solved_for(self.view_of)
        best = most_useful(epochs, solution, self.quantity) if solution is not None else None
        if solution is None or best is None:
            return None
        again = any(id.place == best[0].place for id in solution.observations)
        settles = abs(margin) >= 2 * best[1]
        code = f"looking.undecided.{'again' if again else 'tape'}.{'settles' if settles else 'helps'}"
        return said(code, what=best[0].words)

    def near_enough(self, judged: Judgement) -> bool:
        return any(abs(figure.value - self.limits.nominal) <= figure.verdict.U for figure in judged.figures)

    def required_in(self, epochs: Epochs, epoch: int) -> list[Slot]:
        """What has to be read in an epoch: the four tapes of an axle and the laser where a centreline is marked.

        After a move that leaves yaw and distance alone, the laser is enough (two tapes where there is no centreline);
        after a shift of the target one tape more, the one that would notice a bump. Elsewhere what is needed to tell
        where the frame stands: what more guards that is asked for then.
        """
        laser = all(mark.y is not None for mark in epochs.marks.values()) and not epochs.excluded(
            crossing_slot(epochs.plan)
        )
        if epochs.seen_by_rig(epoch):
            return []
        carried = epochs.carries(epoch)
        plan = epochs.state.line_plan
        rear = plan is not None and plan.rear_tapes
        watch = epochs.watched(epoch) if carried else ""
        left, right = epochs.plan.taped_hubs
        across = (f"tape.{left}.RF_end", f"tape.{right}.LF_end")
        found = []
        for slot in self.slots(epochs):
            if slot.id == "crossing":
                wanted = laser
            elif carried:
                wanted = slot.id == watch or (not laser and slot.id in across and not self._told(epochs, epoch))
            elif slot.optional:
                wanted = rear
            else:
                wanted = not self._told(epochs, epoch) and not (laser and slot.id in across)
            if wanted:
                found.append(slot)
        return found

    def _told(self, epochs: Epochs, epoch: int) -> bool:
        """What was read tells where the frame stands."""
        solution = epochs.solve(epoch)
        return solution is not None and (solution.line is None or solution.tells(self.quantity))

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        solution = epochs.solved_for(self.view_of)
        if solution is None or solution.line is None:
            return []
        return solution.budget(solution.derived(self.quantity))

    def lessening(self, epochs: Epochs, figure: Figure) -> Lessening | None:
        solution = epochs.solved_for(self.view_of)
        best = (
            most_useful(epochs, solution, self.quantity) if solution is not None and solution.line is not None else None
        )
        if best is None:
            return None
        id, u = best
        return Lessening(id.words, MINUTES["tape"] if id.kind.taped else MINUTES_ELSE, u)

    def judge(self, epochs: Epochs) -> Judgement:
        solution = epochs.solved_for(self.view_of)
        if solution is None and epochs.strays:
            return Judgement(True, inconsistency=_one_of(epochs.strays))
        if solution is None:
            return Judgement(False, remark=sentences(self._missing(epochs)))
        if solution.line is None:
            return Judgement(False, remark=sentences(said("frame.find_line_first_frame_judged")))
        if not solution.tells(self.quantity):
            return Judgement(False, remark=sentences(self._missing(epochs)))
        derived = solution.derived(self.quantity)
        datum = epochs.plan.procedure.datum
        to, about = epochs.plan.procedure.distance_to, said(f"frame.{self.view_of}.{solution.line}")
        if self.view_of == "distance":
            about = said(f"frame.distance.{datum}")
            if to != "face":
                about = said("frame.distance_to", to=Noun(f"distance_to.{to}"), datum=Noun(f"datum.{datum}"))
        figure = self.figure(
            self.view_of,
            about,
            derived.value,
            derived.u,
            self.limits,
            self.unit,
            self.direction,
            about=self.limits.nominal,
        )
        spoiled = self._unlevelled(epochs)
        if spoiled is not None:
            return Judgement(False, (figure,), figure.text, because=spoiled)
        needed = self.required_in(epochs, solution.epoch)
        read = [slot for slot in needed if epochs.within(slot, solution.epoch)]
        if len(read) < len(needed):
            return Judgement(False, (figure,), said("frame.read", read=len(read), needed=len(needed)))
        shifted = bool(epochs.watched(solution.epoch))
        rests = self._guard(epochs, solution, derived, figure)
        unlike = sorted(solution.entered.unlike)
        remark = sentences(*(said_unlike(epochs, solution, corner, "frame") for corner in unlike))
        push, inconsistency = pushed(epochs), contradiction(solution, shifted)
        if push is not None and push.look is None:
            inconsistency = sentences(said("frame.pushed", what=push.changed.label))
        return Judgement(True, (figure,), figure.text, inconsistency=inconsistency, remark=remark, guard=rests)

    def told(self, epochs: Epochs) -> list[ToldBy]:
        solution = epochs.solved_for(self.view_of)
        if solution is None or not solution.tells(self.quantity):
            return []
        return [ToldBy(self.view_of, solution.located, solution.derived(self.quantity))]

    def _guard(self, epochs: Epochs, solution: EpochSolution, derived: Derived, figure: Figure) -> Guard | None:
        push = pushed(epochs)
        if push is not None and push.look is not None:
            return Guard(push.changed.label, 0.0, push.look, True, pushed=True)
        if figure.verdict.state == "holds":
            rests = guard(epochs, solution, derived, figure.most)
            if rests is None or rests.look is None:
                return word(epochs, solution, derived, figure.most) or rests
            return rests
        # What is moved is read anew anyway: a mistake must not hide in what is read after that, not before. But nobody
        # sets a whole frame down elsewhere for what one mistake may have made.
        wanted, used = self.limits.nominal - derived.value, used_travel(epochs)
        if self.travels and past_travel(self.travels, used[self.travels], wanted, epochs.plan):
            return guard(epochs, solution, derived, max(BEFORE_A_MOVE * figure.most, abs(wanted) / 2), POSE)
        return None

    def doubted(self, epochs: Epochs) -> Again | None:
        return next(iter(to_read_again(epochs, epochs.strays)), None)

    def parted_by(self, epochs: Epochs) -> tuple[Slot, int] | None:
        strays, near = epochs.strays, epochs.plan.taped_hubs
        tapes = (tape_slot(hub, end, epochs.plan) for hub in near for end in ENDS)
        unread = next((tape for tape in tapes if epochs.now(tape) is None), None)
        return (unread, len(strays)) if len(strays) > 1 and unread is not None else None

    def _unlevelled(self, epochs: Epochs) -> Disturbance | None:
        """What spoiled the level since it was read: a frame that leans holds its target elsewhere."""
        levels = [level_slot(way, epochs.plan) for way in ("roll", "pitch")]
        if self.view_of == "yaw" or not any(epochs.relied(slot.id) and not epochs.current(slot) for slot in levels):
            return None
        return epochs.state.last_disturbed(levels[0].aspects)

    def _missing(self, epochs: Epochs) -> Said | None:
        tapes = epochs.tapes(epochs.epoch)
        if len(tapes) + (epochs.now(crossing_slot(epochs.plan)) is not None) == 0:
            return None
        return said("frame.read_more_needed_fix_frame", tapes=Count(len(tapes)))


@check_kind("square")
class SquareCheck(PoseCheck):
    """The beam's yaw against the line in use."""

    view_of = "yaw"
    quantity = "square"
    on_the_road: ClassVar[OnTheRoad] = "yaw"
    unit: ClassVar[str] = "°"
    direction: ClassVar[str | None] = "side"
    travels: ClassVar[Literal["", "yaw", "slide"]] = "yaw"

    alone: str = Field("", description="method whose readings alone tell it, without tapes or a floor laser")

    def required_in(self, epochs: Epochs, epoch: int) -> list[Slot]:
        if not self.alone:
            return super().required_in(epochs, epoch)
        return [slot for slot in METHODS[self.alone].slots(epochs.plan) if not slot.optional]

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        # Told alone, it is set alone; else by the plan of moves for the whole pose.
        if not self.alone or judged.worst is None:
            return None
        step = screw_step(epochs, self.limits.nominal - judged.worst.value)
        turns = Turns(abs(step.amount))
        sentence, action = moved("screw", step, end=Noun(f"end.{step.at}"), amount=turns)
        return NextMove(
            "move",
            sentence,
            sentences(said("screw.above")),
            action=action,
            figure=turns,
            check=self.id,
            happening="yaw",
            steps=(step,),
        )


@check_kind("centred")
class CentredCheck(PoseCheck):
    """The target's centre sideways of the line in use."""

    view_of = "centre"
    quantity = "offset"
    on_the_road: ClassVar[OnTheRoad] = "left"
    direction: ClassVar[str | None] = "side"
    travels: ClassVar[Literal["", "yaw", "slide"]] = "slide"


@check_kind("distance")
class DistanceCheck(PoseCheck):
    """From the datum to the target's face, along the line in use."""

    view_of = "distance"
    quantity = "distance"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        own = [direct_slot(epochs.plan)] if epochs.plan.procedure.distance_by == "direct" else []
        return [*own, *super().make_slots(epochs)]

    def required_in(self, epochs: Epochs, epoch: int) -> list[Slot]:
        if epochs.plan.procedure.distance_by == "direct":
            direct = direct_slot(epochs.plan)
            # Moves that leave the distance alone carry it over, where it was read at all.
            if not any(epochs.within(direct, past) for past in epochs.chain(epoch)[:-1]):
                return [direct]
        return super().required_in(epochs, epoch)


@check_kind("target_height")
class TargetHeightCheck(Check):
    """The target's centre, above the floor there or above the plane of the tyres, as the sheet says."""

    mended_by_a_move: ClassVar[bool] = True
    placing: ClassVar[bool] = True
    after_pose: ClassVar[bool] = True
    on_the_road: ClassVar[OnTheRoad] = "up"

    limits: Limits

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        beam = beam_height_slot(epochs.plan)
        return [target_height_slot(epochs.plan), *([beam] if beam is not None else [])]

    def height_of(self, epochs: Epochs) -> Derived | None:
        """What the sheet's height is of, as it counts it: above the floor at the target, or above the tyres' plane."""
        found = (self._counted(epochs, solution) for solution in epochs.postures)
        return next((height for height in found if height is not None), None)

    def _counted(self, epochs: Epochs, solution: EpochSolution) -> Derived | None:
        centre = solution.height(above_floor=not self._from_tyres(epochs))
        return replace(centre, value=centre.value - epochs.plan.up_to_centre) if centre is not None else None

    def judge(self, epochs: Epochs) -> Judgement:
        read = [found for slot in self.slots(epochs) if (found := epochs.now(slot)) is not None]
        height = self.height_of(epochs) if read else None
        if height is None:
            return Judgement(False)
        of = epochs.plan.procedure.height_to
        rise, label, remark = epochs.plan.rise_at_target, said(f"frame.target_{of}_above_floor"), None
        if self._from_tyres(epochs):
            label = said(f"frame.target_{of}_above_tyres_plane")
            remark = (
                said_correction(epochs.plan, rise) if rise is not None else said("frame.counted_tyres_plane_but_bay")
            )
        own, about = self.limits, self.limits.nominal
        slot = "height.target"
        figure = self.figure("height", label, height.value, height.u, own, "mm", None, read[0], about, slot=slot)
        rests, above_floor = None, not self._from_tyres(epochs)
        if figure.verdict.state == "holds":
            rests = guarded_by(epochs, lambda solution: solution.height(above_floor), figure)
        return Judgement(True, (figure,), figure.text, remark=sentences(remark), guard=rests)

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        return self._cranked(epochs, judged.worst.value) if judged.worst is not None else None

    def unknown(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        worst = judged.worst
        floor = next((c for c in epochs.plan.procedure.checks if c.kind == "slope"), self)
        if worst is None or worst.verdict.capable or epochs.plan.standing is not None or not self._from_tyres(epochs):
            return None
        unknown = said("blocked.floor_unknown", check=self.called)
        then, action = sentences(said("blocked.floor_unknown.then")), said("blocked.floor_unknown.action")
        return NextMove("blocked", unknown, then, action=action, check=floor.id, opens="parking")

    def _from_tyres(self, epochs: Epochs) -> bool:
        return epochs.plan.procedure.height_from == "tyres"

    def ahead(self, epochs: Epochs) -> NextMove | None:
        under_way = predicted(epochs)
        if under_way is None:
            return None
        first = under_way.moves[0].seq
        if any(past.what == "height" and past.seq > first for past in epochs.state.disturbances):
            return None
        before = epochs.read_before(self.slots(epochs)[0], first)
        if before is None:
            return None
        rise = epochs.plan.rise_at_target
        value = before.value + (rise.value if rise is not None else 0.0)
        if abs(value - self.limits.nominal) <= AHEAD * (self.limits.minus + self.limits.plus) / 2:
            return None
        return self._cranked(epochs, value)

    def _cranked(self, epochs: Epochs, stands: float) -> NextMove | None:
        """The target raised or lowered from where it stands, by turns of its crank; nothing for less than can be."""
        expect = Length(epochs.plan.target_above_floor - epochs.plan.up_to_centre, 0)
        label = Noun(f"target_{epochs.plan.procedure.height_to}")
        return cranked(epochs, epochs.plan.procedure.height - stands, self.id, label, expect)

    def told(self, epochs: Epochs) -> list[ToldBy]:
        for solution in epochs.postures:
            found = self._counted(epochs, solution)
            if found is not None:
                return [ToldBy("height", solution.located, found)]
        return []

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        above_floor = not self._from_tyres(epochs)
        return budget_of(epochs, lambda solution: solution.height(above_floor))


def cranked(epochs: Epochs, change: float, check: str, label: Text, expect: Value) -> NextMove | None:
    """The target raised (mm, lowered: negative) by turns of its crank; nothing for less than can be told."""
    turns = change / epochs.plan.frame.height_per_turn
    if abs(turns) < LEAST_CRANK:
        return None
    step = Step("up", change)
    sentence, action = moved("height", step, amount=Turns(abs(turns)))
    return NextMove(
        "move",
        sentence,
        sentences(said("height.then", amount=Length(abs(change)), expect=expect)),
        action=action,
        figure=Turns(abs(turns)),
        expect_label=label,
        expect=expect,
        check=check,
        happening="height",
        steps=(step,),
        further={"turns": float(f"{turns:.1f}")},
    )


def budget_of(epochs: Epochs, figure: Callable[[EpochSolution], Derived | None]) -> list[Contribution]:
    """Where the uncertainty of a figure of the frame's posture comes from."""
    for solution in epochs.postures:
        found = figure(solution)
        if found is not None:
            return solution.budget(found)
    return []


def said_unlike(epochs: Epochs, solution: EpochSolution, corner: str, of: Literal["frame", "together"]) -> Said:
    """A hub that does not stand where the model has it, and what that means for what is set by it."""
    x, y = epochs.plan.vehicle.hub(corner)  # type: ignore[arg-type]
    along, aside = solution.ahead_of(corner, ORIGIN), solution.side_of(corner)
    ahead, off = along.value - x, aside.value - y
    way = ("ahead" if ahead > 0 else "back") if abs(ahead) >= abs(off) else ("left" if off > 0 else "right")
    value, u = (ahead, along.u) if abs(ahead) >= abs(off) else (off, aside.u)
    by, spread = with_uncertainty(abs(value), 2 * u, "mm")
    return said(f"{of}.hub_unlike.{way}", corner=Noun(f"corner.{corner}"), off=by, spread=spread)


def guarded_by(epochs: Epochs, figure: Callable[[EpochSolution], Derived | None], judged: Figure) -> Guard | None:
    """What a figure of the frame's posture rests on; nothing where it is guarded."""
    for solution in epochs.postures:
        found = figure(solution)
        if found is not None:
            return guard(epochs, solution, found, judged.most)
    return None


def said_correction(plan: Plan, rise: Amount) -> Said:
    """What the floor's rise at the target does to the height that is set there."""
    higher = "higher" if rise.value > 0 else "lower"
    under = "runways" if plan.standing is not None and plan.standing.wheels_on == "runway" else "wheels"
    by, spread = with_uncertainty(abs(rise.value), 2 * rise.u, "mm")
    set_at = amount(plan.target_above_floor - plan.up_to_centre, "mm", 0)
    return said(f"frame.rise.{higher}.{under}", set_at=set_at, by=by, spread=spread)


def contradiction(solution: EpochSolution, shifted: bool = False) -> Sentences:
    """What to say where the readings of a solution contradict each other; empty where they agree.

    ``shifted``: the target was shifted since the frame was read in full.
    """
    suspects = solution.suspects
    if solution.trusted:
        return NOTHING
    if shifted and any(id.kind.carried for id in suspects):
        return sentences(said("frame.frame_does_not_stand_did"))
    if not suspects:
        return sentences(said("frame.readings_contradict_each_other_more"))
    return _one_of(suspects)


def blamed(suspects: Sequence[ObservationId]) -> Sequence[ObservationId]:
    """Whom to name: what a person read comes before what a model says."""
    return [id for id in suspects if id.kind.read_in(id)] or suspects


def _one_of(suspects: Sequence[ObservationId]) -> Sentences:
    named = blamed(suspects)
    which = "suspect" if len(named) == 1 else "share"
    return sentences(said(f"frame.readings_contradict_each_other_{which}", named=nouns(id.words for id in named)))
