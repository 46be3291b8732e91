"""Which way is straight ahead: every method that is read on a job, and both lines from one network, side by side.

Each method is a check of its own; ``lines`` judges what they say together. Which line is used is the procedure's, else
the thrust line for what aims forward. Source: ``network``, ``symmetry``; limits the procedure's, or a default set.
"""

from dataclasses import replace
from typing import ClassVar

from pydantic import Field, field_validator

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Length, Noun, PlusMinus, Said, Sentences, Text, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.measure.budget import Contribution, shares
from escuadra.core.measure.symmetry import CRITICAL_W
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.both_lines import (
    both_lines,
    contradicting,
    front_off,
    front_off_without,
    front_seen,
    line_contradiction,
    said_alone,
    said_emblem,
    said_line,
    targets,
)
from escuadra.core.visit.checks.base import Check, Figure, Judgement, OneReading, ToldBy
from escuadra.core.visit.doubting import Again, of_its_own, to_read_again
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.next_move import NextMove, Step, moved
from escuadra.core.visit.plan import emblem_slot, mark_slot, pair_name, pair_slots, sensor_slot
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution

DEFAULTS = {
    "thrust_angle": Limits(minus=0.25, plus=0.25),
    "separation": Limits(minus=25, plus=25),
    "front_off": Limits(minus=6, plus=6),
}
"""Where the sheet states none: an angle that shows on the road, its distance 6 m ahead, and less than a bent rail."""
WEIGHTLESS = 0.001
"""Of a figure's u: a reading with no greater share in it says nothing about it."""
MOST_PAIRS = 4
"""More are not asked for where they disagree."""
DEFAULT_NAMES = {
    "thrust_angle": said("line.thrust_angle"),
    "separation": said("line.lines_distance"),
    "front_off": said("line.front_against_rear_pairs"),
}


@check_kind("body_centreline")
class CentrelineCheck(Check):
    """Centre marks from symmetrical pairs at the front and at the rear; the pairs must agree."""

    pair_agreement: Limits = Field(
        Limits(minus=6, plus=6), description="of a pair's middle from the middle of all pairs at that end, mm"
    )
    mark_off: Limits = Field(
        Limits(minus=1, plus=1), description="of a plumbed mark from the middle of the pairs at that end, mm"
    )

    @property
    def reason(self) -> str:
        return self.kind

    @property
    def line_method(self) -> str:
        return "marks"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        found: list[Slot] = []
        for end in ("front", "rear"):
            begun = epochs.pair_count(end)
            for k in range(1, max(begun + 1, 2) + 1):
                left, right = pair_slots(end, k, epochs.plan)
                if k > begun:
                    left, right = (replace(s, optional=k > 1) for s in (left, right))
                found += [left, right]
            found += [mark_slot(end, epochs.plan), emblem_slot(end, epochs.plan)]
        return [replace(slot, times=epochs.times) if not slot.optional else slot for slot in found]

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        end, k = figure.what, figure.which
        if k == "mark":
            return []
        left, right = (epochs.now(slot) for slot in pair_slots(end, int(k), epochs.plan))
        if left is None or right is None:
            return []
        return shares(
            [(said("line.left_reading"), left.figures.u_random), (said("line.right_reading"), right.figures.u_random)]
        )

    def judge(self, epochs: Epochs) -> Judgement:
        figures, inconsistencies, notes = [], [], []
        for end, mark in epochs.marks.items():
            if mark.pairs is None:
                continue
            residuals = mark.pairs.residuals
            suspect = mark.pairs.suspect
            for k, residual in residuals.items():
                if len(residuals) > 1:
                    figures.append(
                        self.figure(
                            end,
                            said(f"line.middle.{end}", k=mark.names[k]),
                            residual,
                            mark.u_residual[k],
                            self.pair_agreement,
                            "mm",
                            "side",
                            which=str(k),
                        )
                    )
            if suspect is not None:
                inconsistencies.append(
                    said(
                        f"line.pair_disagrees_others_middle_lies.{end}",
                        suspect=mark.names[suspect],
                        off=amount(residuals[suspect], "mm", 0, "side"),
                    )
                )
            elif any(abs(w) > CRITICAL_W for w in mark.pairs.w.values()):
                inconsistencies.append(said(f"line.two_pairs_disagree_third_pair.{end}"))
            elif mark.y is not None:
                label = said(f"line.mark_off.{end}")
                off = self.figure(end, label, mark.y, mark.u, self.mark_off, "mm", "side", which="mark")
                # Within its own uncertainty it is as good as it can be told.
                if off.verdict.state != "undecided":
                    figures.append(off)
            else:
                notes.append(said(f"line.middle_lies_tape_plumb_mark.{end}", centre=amount(mark.pairs.centre, "mm")))
        out = [(end, int(k)) for end in epochs.marks for k in sorted(epochs.left_out(end))]
        notes += [said(f"line.pair_left_out.{end}", pair=pair_name(end, k, epochs.plan)) for end, k in out]
        complete = all(mark.y is not None for mark in epochs.marks.values())
        found = both_lines(epochs)
        summary = None
        if complete and found is not None and found.body is not None:
            summary = said("line.target_2", u=PlusMinus(Length(2 * found.body.at[-1].u, 1)))
        emblems = [said_emblem(epochs, end) for end in epochs.marks]
        remark = sentences(*notes, *emblems)
        return Judgement(complete, tuple(figures), summary, inconsistency=sentences(*inconsistencies), remark=remark)

    def to_confirm(self, epochs: Epochs, judged: Judgement) -> Again | None:
        """A mark that seems to be off is looked at again before it is plumbed anew."""
        end = _mark_out(judged)
        return next(iter(to_read_again(epochs, [ObservationId("centre_mark", end)])), None) if end else None

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        """A mark that stands off the pairs' middle is plumbed again: the line would start from it."""
        end, worst = _mark_out(judged), judged.worst
        if not end or worst is None or self.to_confirm(epochs, judged) is not None:
            return None
        sentence, action = moved(f"plumb.{end}", Step("left", -worst.value), amount=Length(abs(worst.value), 1))
        then, by = sentences(said("move.plumb.then")), {"left": -worst.value}
        # No arrow is drawn of it: those are the frame's.
        return NextMove("move", sentence, then, action=action, check=self.id, happening=f"plumb_{end}", further=by)

    def doubted(self, epochs: Epochs) -> Again | None:
        suspects = [
            ObservationId(f"pair_{end}", k)
            for end, mark in epochs.marks.items()
            if mark.pairs is not None
            for k, w in mark.pairs.w.items()
            if (mark.pairs.suspect or k) == k and abs(w) > CRITICAL_W
        ]
        return next(iter(to_read_again(epochs, suspects)), None)

    def parted_by(self, epochs: Epochs) -> tuple[Slot, int] | None:
        """Pairs that disagree, each read twice: one pair more."""
        if self.doubted(epochs) is not None:
            return None
        for end, mark in epochs.marks.items():
            unfit = mark.pairs is not None and any(abs(w) > CRITICAL_W for w in mark.pairs.w.values())
            begun = epochs.pair_count(end)
            sides = [slot for k in range(1, MOST_PAIRS + 1) for slot in pair_slots(end, k, epochs.plan)]
            unread = next((slot for slot in sides if epochs.now(slot) is None), None)
            if unfit and unread is not None:
                return unread, begun
        return None


def _mark_out(judged: Judgement) -> str:
    """The end at which the mark stands off the pairs' middle; empty where it does at neither."""
    worst = judged.worst
    return worst.what if worst is not None and worst.verdict.state == "out" and worst.which == "mark" else ""


@check_kind("method")
class MethodCheck(Check):
    """A method of finding the line, as a check of its own: complete once everything that it needs was read."""

    method: str = Field(description="id of the method")

    @property
    def line_method(self) -> str:
        return self.method

    @property
    def at_frame(self) -> bool:
        return METHODS[self.method].sees_frame

    @field_validator("method")
    @classmethod
    def _known(cls, method: str) -> str:
        if method not in METHODS:
            raise BadInput("method", method, said("wants.one", names=nouns(METHODS, "comma")))
        return method

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        method = METHODS[self.method]
        slots = [replace(slot, times=epochs.times) for slot in method.slots(epochs.plan)]
        read = {slot.id for slot in slots if epochs.current(slot)}
        spared = {first for first, second in method.either if second in read and first not in read}
        return [replace(slot, optional=True) if slot.id in spared else slot for slot in slots]

    def judge(self, epochs: Epochs) -> Judgement:
        needed = [slot for slot in self.slots(epochs) if not slot.optional]
        read = [slot for slot in needed if len(epochs.current(slot)) >= slot.times or slot.ask != "number"]
        read = [slot for slot in read if epochs.current(slot)]
        method = METHODS[self.method]
        if len(read) < len(needed):
            begun = said("read_of", read=len(read), needed=len(needed)) if read else None
            return Judgement(False, summary=begun, remark=sentences(method.tells, method.cannot))
        answer = epochs.alone(self.method)
        if answer is None:
            return Judgement(
                True,
                summary=said("line.is_read"),
                remark=sentences(said("line.alone_settles_no_line_yet"), method.cannot),
            )
        return Judgement(True, summary=amount(answer.angle.value, "°", 2, "side"), remark=sentences(said_alone(answer)))


@check_kind("lines")
class LinesCheck(Check):
    """Thrust line and body centreline together: angle, distance at every target, the front against the rear."""

    sums_up: ClassVar[bool] = True

    thrust_angle: Limits | None = Field(None, description="of the thrust line from the vehicle's axis, degrees")
    separation: Limits | None = Field(None, description="of thrust line and body centreline at a target, mm")
    front_off: Limits | None = Field(
        None, description="of the front pairs' middle from the line that the rear pairs set, mm"
    )

    @property
    def reason(self) -> str:
        return self.kind

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return []

    def aspects(self, epochs: Epochs) -> frozenset[str]:
        return frozenset({"line", "alignment"})

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        solution = epochs.lines
        if solution is None or figure.id == "front_off":
            return []
        if figure.id == "thrust_angle":
            return solution.budget(solution.derived("line_angle", "thrust"))
        found = solution.apart_at(targets(epochs)[int(figure.which or 1) - 1])
        return solution.budget(found)

    def told(self, epochs: Epochs) -> list[ToldBy]:
        solution = epochs.lines
        if solution is None:
            return []
        found: list[ToldBy] = []
        if "thrust" in solution.known:
            found.append(ToldBy("thrust_angle", solution.located, solution.derived("line_angle", "thrust")))
        if {"thrust", "body"} <= solution.known:
            places = targets(epochs)
            names = [f"separation.{k}" for k in range(1, len(places) + 1)] if len(places) > 1 else ["separation"]
            apart = zip(names, map(solution.apart_at, places), strict=True)
            found += [ToldBy(name, solution.located, one) for name, one in apart]
        return found

    def judge(self, epochs: Epochs) -> Judgement:
        solution = epochs.lines
        if solution is None or solution.line is None:
            waits = said("line.nothing_read_tells_line_yet")
            if epochs.turned_only(epochs.epoch) is not None:
                waits = said("line.beams_tell_how_frame_turned")
            return Judgement(False, remark=sentences(waits), inconsistency=line_contradiction(epochs))
        figures = self._figures(epochs, solution)
        summary = self._summary(epochs, solution)
        return Judgement(
            True, figures, summary, inconsistency=line_contradiction(epochs), remark=self._words(epochs, figures)
        )

    def contradicted(self, epochs: Epochs) -> EpochSolution | None:
        return contradicting(epochs)

    def to_confirm(self, epochs: Epochs, judged: Judgement) -> Again | None:
        """What is looked at again before a body is called bent or an axle crooked.

        First the readings without any one of which nothing would be out, the least fitting one first, and those that
        weigh most in it; then laser and marks, which take a minute, and the pairs.
        """
        worst = judged.worst
        if worst is None:
            return None
        alone = self._alone_to_blame(epochs, worst) if worst.verdict.state == "out" else []
        orders = [[id] for id in (*alone, *self._weighty(epochs, worst))]
        if worst.id != "thrust_angle":
            marks = [ObservationId("centre_mark", end) for end in epochs.marks]
            pairs = [ObservationId(f"pair_{end}", k) for end, mark in epochs.marks.items() for k in mark.names]
            orders += [[ObservationId("crossing", "crossing")], marks, pairs]
        return next((again for order in orders for again in to_read_again(epochs, order)), None)

    def _weighty(self, epochs: Epochs, worst: Figure) -> list[ObservationId]:
        """Readings that nothing else checks, and on which a figure hangs: the weightiest first."""
        solution, told = epochs.lines, next((one for one in self.told(epochs) if one.figure == worst.id), None)
        if solution is None or told is None:
            return []
        unchecked = {id for id, w in solution.tests if w is None and id.kind.read_in(id)}
        shares = [(abs(share), solution.sources[name]) for name, share in told.located.shares(told.found.gradient)]
        found = [(share, id) for share, id in shares if id in unchecked and share > WEIGHTLESS * told.found.u]
        return [id for _, id in sorted(found, key=lambda one: -one[0])]

    def _alone_to_blame(self, epochs: Epochs, worst: Figure) -> list[ObservationId]:
        """Readings that others check, without any one of which a figure would not be out: the least fitting first."""
        solution = front_seen(epochs) if worst.id == "front_off" else epochs.lines
        if solution is None:
            return []
        told = next((one for one in self.told(epochs) if one.figure == worst.id), None)
        found: list[tuple[float, ObservationId]] = []
        for id, w in solution.tests:
            if w is not None and id.kind.read_in(id):
                rest = solution.without(id, told.found) if told is not None else front_off_without(epochs, solution, id)
                if rest is None or self._of(worst.what, worst.label, rest, worst.unit).verdict.state != "out":
                    found.append((abs(w), id))
        return [id for _, id in sorted(found, key=lambda one: -one[0])]

    def _figures(self, epochs: Epochs, solution: EpochSolution) -> tuple[Figure, ...]:
        figures = []
        if "thrust" in solution.known:
            angle = solution.derived("line_angle", "thrust")
            figures.append(self._of("thrust_angle", said("line.rear_axle_steers"), angle, "°"))
        if {"thrust", "body"} <= solution.known:
            places = targets(epochs)
            for k, x in enumerate(places, 1):
                several = len(places) > 1
                which, label = (
                    (str(k), said("line.apart_target", k=k)) if several else ("", said("line.apart_target_2"))
                )
                figures.append(self._of("separation", label, solution.apart_at(x), "mm", which))
        off = front_off(epochs)
        if off is not None:
            found = self._of("front_off", said("line.front_off_rear_pairs_line"), off, "mm")
            if self.front_off is not None or self._told_unasked(epochs, found):
                figures.append(found)
        return tuple(figures)

    def _told_unasked(self, epochs: Epochs, found: Figure) -> bool:
        """What nobody asked for is told where it is known, and holds up nothing where it is not.

        Nor where it is out by no more than readings that agree may be, and those that alone would do it read the same.
        """
        if found.verdict.state != "out" or abs(found.value) > CRITICAL_W * found.u:
            return found.verdict.state != "undecided"
        return bool(to_read_again(epochs, self._alone_to_blame(epochs, found)))

    def _of(self, what: str, label: Text, found: Derived, unit: str, which: str = "") -> Figure:
        limits = getattr(self, what) or DEFAULTS[what]
        return self.figure(what, label, found.value, found.u, limits, unit, "side", which=which)

    def _summary(self, epochs: Epochs, solution: EpochSolution) -> Said:
        assert solution.line is not None
        u = solution.line_at(epochs.plan.target_x).u
        return said("line.target", line=Noun(f"line.{solution.line}"), u=PlusMinus(Length(2 * u, 1)))

    def _words(self, epochs: Epochs, figures: tuple[Figure, ...]) -> Sentences:
        notes: list[Said | None] = [said_line(epochs)]
        found = {f.id: f for f in figures}
        thrust, apart = found.get("thrust_angle"), next((f for f in figures if f.what == "separation"), None)
        if thrust is not None and apart is not None:
            if abs(apart.value) <= apart.verdict.U:
                notes.append(said("line.thrust_line_centreline_agree_within"))
            else:
                side = "left" if apart.value > 0 else "right"
                notes.append(
                    said(
                        f"line.rear_axle_steers_target_thrust.{side}",
                        text=thrust.text,
                        value=amount(abs(apart.value), "mm", 0),
                    )
                )
        out = {f.what: f for f in figures if f.verdict.state == "out"}
        if "thrust_angle" in out:
            notes.append(said("line.wheel_alignment_first"))
        elif "separation" in out:
            notes.append(said("line.wheel_alignment_or_body_measurement"))
        if "front_off" in out:
            notes.append(said("line.front_rear_pairs_line_measure", text=out["front_off"].text))
        unstated = sorted({f.what for f in figures if getattr(self, f.what) is None})
        if unstated:
            named = nouns(DEFAULT_NAMES[id] for id in unstated)
            notes.append(said("line.limit", named=named))
        return sentences(*notes)


check_kind("rear_toe")(LinesCheck)
"""The name that earlier sheets have for it."""


@check_kind("sensor_place")
class SensorPlaceCheck(OneReading):
    """The sensor's own place, left of the vehicle's middle: what was measured moves where the target must hang."""

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [sensor_slot(epochs.plan)]

    def to_confirm(self, epochs: Epochs, judged: Judgement) -> Again | None:
        """It is read again before the sensor is called out of its place."""
        worst = judged.worst
        if worst is None or worst.verdict.state != "out":
            return None
        return next(iter(of_its_own(epochs, self.slots(epochs), ())), None)
