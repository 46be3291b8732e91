"""From the readings of an epoch, the procedure and the profiles to the network, the pose and the goal.

Every move that changes where the beam stands opens an epoch; only readings of one epoch enter one solution. Where a
move leaves yaw and distance alone (sliding, mounting), what was solved before is carried over as two observations
with their uncertainty. Source: ``network``; lines after ISO 8855.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from escuadra.core.axes import Pose
from escuadra.core.errors import BadInput
from escuadra.core.job.current import Current
from escuadra.core.job.disturbance import POSE
from escuadra.core.job.entering import MIDDLE, Entering
from escuadra.core.job.methods import METHODS
from escuadra.core.job.observed import ObservationId
from escuadra.core.job.places import TAPE_ASPECTS, Plan
from escuadra.core.job.slots import Slot
from escuadra.core.job.solved import Solved, Solving, bump_watch, carried
from escuadra.core.job.state import Entry, State
from escuadra.core.procedure import LineChoice
from escuadra.core.stance import CORNERS
from escuadra.core.state.input import ScalePair, StateInput
from escuadra.core.state.located import Derived, Located, located, planned

FRAME = "frame"
UNFRAMED = -1
"""The epoch of what does not hang on the frame."""
MOST_RECENT = 4
"""Epochs that are looked back on for the vehicle's line: each tells the same, as well as its readings were."""
ANYWHERE_MM, ANY_AXLE_DEG = 1500.0, 1.5
"""Where a frame stands and how far a rear axle steers, before anything was read, one sigma."""


@dataclass(frozen=True)
class Answer:
    """What one method says: its line's direction in degrees, and where that line passes at the target."""

    line: LineChoice
    angle: Derived
    at: Derived


def cold(given: StateInput) -> Located | None:
    """Solve a state, remembering nothing; nothing where its readings do not determine it."""
    try:
        return located(given)
    except BadInput:
        return None


class Setup(Current):
    """What a job's entries amount to, with what was solved of it."""

    def __init__(self, state: State, plan: Plan, at: int | None = None, solving: Solving = cold) -> None:
        """``solving``: how a state is solved; whoever gives it may remember what was solved before."""
        super().__init__(state, plan, at)
        self.stations: tuple[Any, ...] = ()
        self.solving = solving
        self._solved: dict[int, Solved | None] = {}

    def carries(self, epoch: int) -> bool:
        """The epoch began with a move that leaves yaw and distance alone, and what was solved before can be trusted."""
        if epoch == 0 or self.boundaries[epoch - 1].aspects & TAPE_ASPECTS != {"centre"}:
            return False
        before = self.solve(epoch - 1)
        return before is not None and before.trusted

    def entered(self, epoch: int) -> Entering:
        """What was read in an epoch."""
        return self.once(("entered", epoch), lambda: self._entered(epoch))

    def entering(self, epoch: int | None = None, only: str = "") -> Entering:
        """Hubs, and what every method's readings say, or one's ``only``.

        ``None``: without the frame and what hangs on it.
        """

        def entries(slot: Slot) -> Sequence[Entry]:
            if epoch is None or not slot.aspects & POSE:
                return self.current(slot)
            return self.within(slot, epoch)

        vehicle = self.plan.vehicle
        into = Entering(self.plan, entries, self.answer, self.pair_count, FRAME if epoch is not None else "")
        for corner in CORNERS:
            into.known(corner, "hub", corner, vehicle.hub(corner), (vehicle.u_hub_mm, vehicle.u_hub_mm))
        for method in METHODS.values():
            if only in ("", method.id) and not self.begun.isdisjoint(method.prefixes):
                method.enter(into)
        return into

    def answer(self, slot: Slot) -> str:
        """What was answered at a slot; empty while nothing was."""
        entry = self.answered(slot)
        return str(entry.said.value) if entry is not None else ""

    def nothing_entered(self) -> Entering:
        """A state to be made, without a frame and without the vehicle."""
        return Entering(self.plan, self.current, self.answer, self.pair_count, "")

    def _entered(self, epoch: int) -> Entering:
        into = self.entering(epoch)
        self._enter_tapes(into, epoch)
        if self.carries(epoch):
            before = self.solve(epoch - 1)
            assert before is not None
            read = any(id.kind.of_frame for id in into.sources.values())
            stands = read and self.boundaries[epoch - 1].what != "slide"
            carried(before, into, stands)
        if not into.sees_thrust and (known := self._thrust_before(epoch)) is not None:
            angle = known.derived("line_angle", "thrust")
            into.heading = angle.value
            into.put(ObservationId("carried_thrust"), "thrust", angle.value, angle.u)
        return into

    def state_of(self, epoch: int) -> StateInput:
        """What was read in an epoch, as it is solved."""
        return self.entered(epoch).state(self._guess(epoch))

    def _guess(self, epoch: int) -> Pose:
        """About where the frame stands in an epoch."""
        before = self.solve(epoch - 1) if self.carries(epoch) else None
        return before.pose if before is not None else self.plan.nominal_goal

    def _enter_tapes(self, into: Entering, epoch: int) -> None:
        for slot, hub, end, by_tool in self.tapes(epoch):
            for part in by_tool:
                into.reading(slot, part, "tape", "level_distance", from_=hub, to=into.on_frame(end))

    def _thrust_before(self, epoch: int) -> Solved | None:
        """An earlier epoch that found the thrust line at the frame; true until the vehicle's line is spoiled."""
        for k in range(epoch - 1, -1, -1):
            if "line" in self.boundaries[k].aspects:
                return None
            found = self.solve(k)
            if found is not None and found.trusted and "thrust" in found.known:
                return found
        return None

    def solve(self, epoch: int) -> Solved | None:
        """An epoch's solution; ``None`` while its readings do not determine it."""
        if epoch not in self._solved:
            self._solved[epoch] = self._found(self.entered(epoch), self._guess(epoch), epoch)
        return self._solved[epoch]

    def _found(self, into: Entering, guess: Pose, epoch: int) -> Solved | None:
        found = self.solving(into.state(guess))
        return Solved(self.plan, found, into.sources, into.body, epoch) if found is not None else None

    def designed(self) -> Solved | None:
        """The first epoch at its first guesses, whatever its readings say; nothing where it would stay loose."""
        into = self.entered(0)
        try:
            found = planned(into.state(self.plan.nominal_goal))
        except BadInput:
            return None
        return Solved(self.plan, found, into.sources, into.body, 0)

    def turned_only(self, epoch: int) -> Solved | None:
        """An epoch that sees no more than how the frame is turned: what is loose is held where a frame can be at all.

        Nothing but ``square`` may be taken from it.
        """
        return self.once(("turned only", epoch), lambda: self._turned_only(epoch))

    def _turned_only(self, epoch: int) -> Solved | None:
        into, goal = self.entered(epoch).copy(), self.plan.nominal_goal
        if not any(isinstance(o, ScalePair) for o in into.observations):
            return None
        middle = into.on_frame(MIDDLE)
        into.put(ObservationId("prior", "x"), "x", goal.x, ANYWHERE_MM, point=middle)
        into.put(ObservationId("prior", "y"), "y", goal.y, ANYWHERE_MM, point=middle)
        into.put(ObservationId("prior", "thrust"), "thrust", 0.0, ANY_AXLE_DEG)
        return self._found(into, self._guess(epoch), epoch)

    # --- both lines

    @cached_property
    def lines(self) -> Solved | None:
        """The solution that knows the vehicle's lines best: without the frame, or with what was read at it.

        What was read at the frame in an earlier epoch still tells where the vehicle points, until its line is spoiled.
        """
        plain = self.unframed
        found = [plain] if plain is not None and plain.line is not None else []
        found += [s for s in self.recent if s.trusted and s.line is not None]

        def order(solved: Solved) -> tuple[bool, float]:
            assert solved.line is not None
            return solved.line != self.plan.procedure.line, solved.line_at(self.plan.target_x).u

        return min(found, key=order, default=None)

    @cached_property
    def recent(self) -> list[Solved]:
        """The newest solutions since the vehicle's line was spoiled, the newest first: a few, however long the job."""
        found: list[Solved] = []
        for k in range(self.epoch, -1, -1):
            solved = self.solve(k)
            if solved is not None:
                found.append(solved)
            if len(found) == MOST_RECENT or (k and "line" in self.boundaries[k - 1].aspects):
                break
        return found

    def alone(self, method: str) -> Answer | None:
        """What one method says by itself at the target; with the frame's tapes where it is read at the frame."""
        return self.once(("alone", method), lambda: self._alone(method))

    def _alone(self, method: str) -> Answer | None:
        line = METHODS[method].finds
        if line == "none":
            return None
        for epoch in (None, *range(self.epoch, -1, -1)):
            into = self.entering(epoch, method)
            if epoch is not None:
                self._enter_tapes(into, epoch)
            solved = self._found(into, self.plan.nominal_goal, UNFRAMED if epoch is None else epoch)
            if solved is not None and line in solved.known:
                return Answer(line, solved.derived("line_angle", line), solved.line_at(self.plan.target_x, line))
            if epoch and "line" in self.boundaries[epoch - 1].aspects:
                break
        return None

    def without(self, solved: Solved, source: str) -> Solved | None:
        """A solution once more, without one kind of observations; nothing where they are needed."""
        given = solved.located.given
        kept = zip(given.observations, solved.observations, strict=True)
        rest = given.model_copy(update={"observations": tuple(o for o, id in kept if id.source != source)})
        found = self.solving(rest)
        return Solved(self.plan, found, solved.sources, solved.body, solved.epoch) if found is not None else None

    def watched(self, epoch: int) -> str:
        """After a shift of the target: slot of the tape that would notice a bump best; empty otherwise."""
        if not self.carries(epoch) or self.boundaries[epoch - 1].what != "shift":
            return ""
        return self.watch(epoch - 1)

    def watch(self, epoch: int) -> str:
        """Slot of the tape of the last full solution that would notice a bump of the frame best; empty without one."""
        for k in range(epoch, -1, -1):
            solved = self.solve(k)
            watch = bump_watch(solved) if solved is not None else ""
            if watch:
                return watch
        return ""

    def seen_by_rig(self, epoch: int) -> bool:
        """The camera rig saw everything in an epoch: no tape is needed then."""
        if "rig" not in self.begun:
            return False
        rig = METHODS["rig"]
        read = {slot.id for slot in rig.slots(self.plan) if self.within(slot, epoch)}
        instead = dict(rig.either)
        needed = [slot.id for slot in rig.slots(self.plan) if not slot.optional]
        return all(id in read or instead.get(id) in read for id in needed)

    @property
    def times(self) -> int:
        """How often each place of the line is to be read, as planned."""
        return self.state.line_plan.times if self.state.line_plan is not None else 1

    @cached_property
    def unframed(self) -> Solved | None:
        """The vehicle's lines from what does not hang on the frame."""
        if UNFRAMED not in self._solved:
            into = self.entering()
            known = into.sees_thrust or "mark.front" in into.points
            self._solved[UNFRAMED] = self._found(into, self.plan.nominal_goal, UNFRAMED) if known else None
        return self._solved[UNFRAMED]

    @property
    def epoch(self) -> int:
        """The present epoch of the pose."""
        return len(self.boundaries)

    def solved_for(self, aspect: str) -> Solved | None:
        """The newest solution that nothing has spoiled for an aspect."""
        wanted = frozenset({aspect, "line"})
        first = max((k + 1 for k, d in enumerate(self.boundaries) if d.aspects & wanted), default=0)
        for epoch in range(self.epoch, first - 1, -1):
            found = self.solve(epoch)
            if found is None and aspect == "yaw":
                found = self.turned_only(epoch)
            if found is not None:
                return found
        return None

    @cached_property
    def last_solved(self) -> Solved | None:
        """The newest solution of all, spoiled or not: where the frame was last seen."""
        return next((found for k in range(self.epoch, -1, -1) if (found := self.solve(k)) is not None), None)

    @cached_property
    def newest(self) -> Solved | None:
        """The solution that the drawing and the moves stand on: of the present epoch."""
        return self.solve(self.epoch)
