"""What a visit's readings amount to: every epoch solved together, the lines, and what each method says alone.

Every move that changes where the beam stands opens an epoch. All epochs since the vehicle's line was spoiled are solved
as one ``state``; what contradicted itself before a bump is left behind. Lines after ISO 8855.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import islice

from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.geodesy.state.input import Coordinate, StateInput
from escuadra.core.geodesy.state.located import Derived, Located, agree_without, located, planned
from escuadra.core.procedure.sheet import LineChoice
from escuadra.core.visit.derivation import worked_out
from escuadra.core.visit.log.state import LATER, State
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.network_of_epochs import body_of, entered, leaves_yaw, posture, unframed
from escuadra.core.visit.plan import ENDS, Plan, tape_slot
from escuadra.core.visit.readings import ReadingsByEpoch
from escuadra.core.visit.solution.network_builder import Entered
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution, Solving, bump_watch

IN_PLAN: tuple[Coordinate, ...] = ("x", "y", "yaw_deg")
UNFRAMED = -1
"""The epoch of what does not hang on the frame."""
UNFIT = 1.0
"""A test above this may have to do with a contradiction that none of the suspects explains."""
MOST_RECENT = 4
"""Epochs that are looked back on for the vehicle's line: each tells the same, as well as its readings were."""
MOST_EPOCHS = 30
"""A long visit has so many places of the frame; of a longer one, the newest are solved."""


@dataclass(frozen=True)
class Answer:
    """What one method says: its line's direction in degrees, and where that line passes at the target."""

    line: LineChoice
    angle: Derived
    at: Derived


def cold(given: StateInput) -> Located | None:
    """Solve a state, remembering nothing; nothing where it cannot be solved."""
    try:
        return located(given)
    except BadInput:
        return None


class Epochs(ReadingsByEpoch):
    """What a job's entries amount to, with what was solved of it."""

    def __init__(
        self,
        state: State,
        plan: Plan,
        at: int | None = None,
        solving: Solving = cold,
        before: ReadingsByEpoch | None = None,
    ) -> None:
        """``solving``: how a state is solved; whoever gives it may remember what was solved before."""
        super().__init__(state, plan, at, before)
        self.solving = solving
        self.proofs: Mapping[str, Epochs] = {}
        """What the stations were proven from, by their ids."""
        self._pasts: dict[int, Epochs] = {}
        self._earlier_pasts = before._pasts if isinstance(before, Epochs) else {}

    def as_it_was(self, seq: int) -> "Epochs":
        """The visit by readings and happenings up to an event; follows what the derivation before this had of that."""
        found = self._pasts.get(seq)
        if found is None:
            earlier = self._earlier_pasts.get(seq)
            found = self._pasts[seq] = Epochs(self.state.until(seq), self.plan, solving=self.solving, before=earlier)
        return found

    def done(self) -> None:
        """As every derivation; what it had of earlier events is made as well."""
        for past in self._pasts.values():
            past.done()
        self._earlier_pasts = {}
        super().done()

    def forget(self) -> None:
        """As every derivation."""
        self._pasts, self.proofs = {}, {}
        super().forget()

    # --- what is solved

    def carries(self, epoch: int) -> bool:
        """The epoch began with a move that leaves yaw and distance alone, and what was solved before can be trusted."""
        return self.once(Epochs._carries, epoch)

    def _carries(self, epoch: int) -> bool:
        if epoch == 0 or not leaves_yaw(self.boundaries[epoch - 1]):
            return False
        before = self._of(self.chain(epoch - 1), epoch - 1)
        if before is not None and not before.trusted and (unlike := self.unlike(epoch - 1)):
            before = self._of(self.chain(epoch - 1), epoch - 1, unlike)
        return before is not None and before.placed and before.trusted

    def chain(self, epoch: int) -> tuple[int, ...]:
        """The epochs up to one that moves join which left yaw and distance alone."""
        first = epoch
        while self.carries(first):
            first -= 1
        return tuple(range(first, epoch + 1))

    def _since_spoiled(self, epoch: int) -> tuple[int, ...]:
        """The epochs up to one since the vehicle's line was spoiled, the newest of them."""
        first = max((k + 1 for k, past in enumerate(self.boundaries[:epoch]) if "line" in past.aspects), default=0)
        return tuple(range(max(first, epoch + 1 - MOST_EPOCHS), epoch + 1))

    def _last_of_line(self, epoch: int) -> int:
        """The last epoch before the vehicle's line was spoiled, from one on."""
        later = (k for k in range(epoch, self.epoch) if "line" in self.boundaries[k].aspects)
        return next(later, self.epoch)

    def entered(self, epochs: tuple[int, ...], unlike: frozenset[str] = frozenset()) -> Entered:
        """What was read in some epochs, the vehicle as it was in the last of them."""
        return self.once(Epochs._entered, epochs, unlike)

    def _entered(self, epochs: tuple[int, ...], unlike: frozenset[str]) -> Entered:
        joined = {k for k in epochs if k - 1 in epochs and self.carries(k)}
        return entered(self, epochs, joined, self._last_of_line(epochs[-1]) == self.epoch, unlike=unlike)

    def _of(self, epochs: tuple[int, ...], epoch: int, unlike: frozenset[str] = frozenset()) -> EpochSolution | None:
        """One epoch as some of them together tell it; nothing where it is not among what was read."""
        return self.once(Epochs._seen_from, epochs, epoch, unlike)

    def _seen_from(self, epochs: tuple[int, ...], epoch: int, unlike: frozenset[str]) -> EpochSolution | None:
        into, body = self.entered(epochs, unlike), body_of(epoch)
        if body not in into.bodies:
            return None
        return self._view(into, self.once(Epochs._located, epochs, unlike), body, epoch)

    def _located(self, epochs: tuple[int, ...], unlike: frozenset[str]) -> Located | None:
        return self.solving(self.entered(epochs, unlike).state(self.plan.nominal_goal))

    def unlike(self, epoch: int) -> frozenset[str]:
        """Hubs that do not stand where the model has them, as an epoch knows it.

        What was read contradicted the model, all that may be wrong was read again and read the same, and without the
        model's word on them it agrees.
        """
        return self.once(Epochs._unlike, epoch)

    def _unlike(self, epoch: int) -> frozenset[str]:
        for k in self._since_spoiled(epoch):
            found = self._of(self.chain(k), k)
            if found is not None and not found.trusted and self.confirmed(found, self.span(k)[1]):
                corners = frozenset(self._loosened(found, k))
                if corners:
                    return corners
        return frozenset()

    def confirmed(self, found: EpochSolution, before: int = LATER) -> bool:
        """Everything that may be wrong in a solution was read again, and read the same, as it stood before an event."""
        unfit = (id for id, w in found.tests if w is not None and abs(w) > UNFIT)
        slots = [slot for id in unfit for slot in id.kind.read_in(id) if self.relied(slot)]
        return bool(slots) and all(self.read_twice(slot, before) for slot in slots)

    def _loosened(self, found: EpochSolution, epoch: int) -> tuple[Corner, ...]:
        """The fewest hubs without whose places in the model the readings agree, the least likely places first."""
        for corners in found.hubs_to_loosen:
            without = self._of(self.chain(epoch), epoch, frozenset(corners))
            if without is not None and without.trusted:
                return corners
        return ()

    def _view(self, into: Entered, found: Located | None, body: str, epoch: int) -> EpochSolution | None:
        """A solution as an epoch sees it."""
        return EpochSolution(self.plan, found, into, body, epoch) if found is not None else None

    def solution(self, epoch: int) -> EpochSolution | None:
        """An epoch by all that was read on the visit; where that contradicts itself, by what a move joins it to.

        What contradicted itself before the frame was moved or bumped is not carried along.
        """
        last = self._last_of_line(epoch)
        whole = self._of(self._since_spoiled(last), epoch)
        if whole is not None and whole.trusted:
            return whole
        alone = self._of(self.chain(epoch), epoch)
        if alone is None or not (unlike := self.unlike(last)):
            return alone
        # A hub that was found to stand elsewhere does so in every epoch, though one by itself may not tell.
        whole = self._of(self._since_spoiled(last), epoch, unlike)
        return whole if whole is not None and whole.trusted else self._of(self.chain(epoch), epoch, unlike)

    def solve(self, epoch: int) -> EpochSolution | None:
        """An epoch's solution; ``None`` while its readings do not tell where the frame stands."""
        return self.once(Epochs._placed, epoch)

    def _placed(self, epoch: int) -> EpochSolution | None:
        found = self.solution(epoch)
        return found if found is not None and found.placed else None

    @worked_out
    def strays(self) -> tuple[ObservationId, ...]:
        """Where what was read cannot be solved at all: each reading without which the others can, the newest first."""
        epochs = self.chain(self.epoch)
        into = self.entered(epochs)
        if body_of(self.epoch) not in into.bodies or self.once(Epochs._located, epochs, frozenset()) is not None:
            return ()
        given = into.state(self.plan.nominal_goal)
        read_again = [one.id for one in given.observations if into.sources[one.id].kind.again]
        found = [into.sources[name] for name in read_again if agree_without(given, name)]
        return tuple(sorted(found, key=lambda id: -id.seq))

    @worked_out
    def postures(self) -> tuple[EpochSolution, ...]:
        """How the frame stands now: with all that was read where that agrees, then by its levels and heights alone."""
        found = self.solution(self.epoch)
        return (*((found,) if found is not None and found.trusted else ()), *((self.upright,) if self.upright else ()))

    @worked_out
    def upright(self) -> EpochSolution | None:
        """How the frame stands now by its levels and heights alone, as if it were where it should be."""
        into = posture(self, self.epoch)
        found = self.solving(into.state(self.plan.nominal_goal, IN_PLAN))
        return self._view(into, found, into.body, self.epoch)

    def turned_only(self, epoch: int) -> EpochSolution | None:
        """An epoch that sees how the frame is turned, and perhaps no more: nothing else may be taken from it."""
        return self.once(Epochs._turned_only, epoch)

    def _turned_only(self, epoch: int) -> EpochSolution | None:
        found = self.solution(epoch)
        read = found is not None and found.body in self.entered(self.chain(epoch)).read_from
        return found if found is not None and read and found.tells("square") else None

    def designed(self) -> EpochSolution | None:
        """The first epoch at its first guesses, whatever its readings say; nothing where it would stay loose."""
        into = self.entered((0,))
        if not into.bodies:
            return None
        found = planned(into.state(self.plan.nominal_goal))
        solution = EpochSolution(self.plan, found, into, into.body, 0)
        return solution if solution.placed and solution.tells_line else None

    # --- both lines

    @worked_out
    def lines(self) -> EpochSolution | None:
        """The solution that knows the vehicle's lines: all that was read, or what does not hang on the frame.

        What was read at the frame in an earlier epoch still tells where the vehicle points, until its line is spoiled.
        """
        known: list[EpochSolution] = []
        for found in self._lines_from():
            if found.tells_line:
                if found.line == self.plan.procedure.line and found.trusted:
                    return found
                known.append(found)
        return next((found for found in known if found.trusted), known[-1] if known else None)

    def _lines_from(self) -> Iterator[EpochSolution]:
        if self.recent and self.recent[0].trusted:
            yield self.recent[0]
        if self.unframed is not None:
            yield self.unframed

    @worked_out
    def recent(self) -> list[EpochSolution]:
        """The newest epochs in which the frame was read since the vehicle's line was spoiled, the newest first."""
        epochs = reversed(self._since_spoiled(self.epoch))
        return [found for k in islice(epochs, MOST_RECENT) if (found := self.solution(k)) is not None]

    def alone(self, method: str) -> Answer | None:
        """What one method says by itself at the target; with the frame's tapes where it is read at the frame."""
        return self.once(Epochs._alone, method)

    def _alone(self, method: str) -> Answer | None:
        line = METHODS[method].finds
        if line == "none":
            return None
        for epoch in (UNFRAMED, *reversed(self._since_spoiled(self.epoch))):
            into = unframed(self, method) if epoch == UNFRAMED else entered(self, (epoch,), only=method)
            if epoch != UNFRAMED and not into.bodies:
                continue
            solution = self._view(into, self.solving(into.state(self.plan.nominal_goal)), into.body, epoch)
            if solution is not None and line in solution.known and solution.tells_line:
                return Answer(line, solution.derived("line_angle", line), solution.line_at(self.plan.target_x, line))
        return None

    def watched(self, epoch: int) -> str:
        """After a shift of the target: slot of the tape that would notice a bump best; empty otherwise."""
        if not self.carries(epoch) or self.boundaries[epoch - 1].what != "shift":
            return ""
        return self.watch(epoch - 1)

    def watch(self, epoch: int) -> str:
        """Slot of the tape of the last full solution that would notice a bump of the frame best; empty without one."""
        for k in range(epoch, -1, -1):
            solution = self.solve(k)
            watch = bump_watch(solution) if solution is not None else ""
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

    @worked_out
    def taped(self) -> bool:
        """Nothing that was begun tells where the frame stands but tapes to the ends of its beam."""
        return not any(m.sees_frame and not self.begun.isdisjoint(m.families) for m in METHODS.values())

    @worked_out
    def watching(self) -> frozenset[str]:
        """Slots at which a bump of the frame would be noticed."""
        begun = [m for m in METHODS.values() if not self.begun.isdisjoint(m.families)]
        tapes = (tape_slot(hub, end, self.plan) for hub in CORNERS for end in ENDS)
        return frozenset(s.id for s in (*tapes, *(s for m in begun for s in m.slots(self.plan))) if s.watches)

    @property
    def times(self) -> int:
        """How often each place of the line is to be read, as planned."""
        return self.state.line_plan.times if self.state.line_plan is not None else 1

    @worked_out
    def unframed(self) -> EpochSolution | None:
        """The vehicle's lines from what does not hang on the frame."""
        into = unframed(self)
        if not into.sees_thrust and "mark.front" not in into.points:
            return None
        return self._view(into, self.solving(into.state(self.plan.nominal_goal)), "", UNFRAMED)

    @property
    def epoch(self) -> int:
        """The present epoch of the pose."""
        return len(self.boundaries)

    def solved_for(self, aspect: str) -> EpochSolution | None:
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

    @worked_out
    def last_solved(self) -> EpochSolution | None:
        """The newest solution of all, spoiled or not: where the frame was last seen."""
        return next((found for k in range(self.epoch, -1, -1) if (found := self.solve(k)) is not None), None)

    @worked_out
    def newest(self) -> EpochSolution | None:
        """The solution that the drawing and the moves stand on: of the present epoch."""
        return self.solve(self.epoch)
