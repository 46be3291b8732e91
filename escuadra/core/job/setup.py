"""From the readings of an epoch, the procedure and the profiles to the network, the pose and the goal.

Every move that changes where the beam stands opens an epoch; only readings of one epoch enter one solution. Where a
move leaves yaw and distance alone (sliding, mounting), what was solved before is carried over as two observations
with their uncertainty. Source: ``network``; lines after ISO 8855.
"""

import json
import math
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any, TypeVar

from escuadra.core.adjustment import adjust, layout
from escuadra.core.errors import BadInput
from escuadra.core.job.disturbance import POSE
from escuadra.core.job.entering import Entering
from escuadra.core.job.methods import METHODS
from escuadra.core.job.places import (
    ENDS,
    TAPE_ASPECTS,
    Plan,
    height_slot,
    mark_slot,
    pair_name,
    pair_slots,
    tape_slot,
    toe_slot,
)
from escuadra.core.job.slots import Measured, Slot, current, measured, measured_by_tool
from escuadra.core.job.solved import Derived, Solved, bump_watch, carried
from escuadra.core.job.state import Disturbance, Entry, State
from escuadra.core.observations import NetworkInput
from escuadra.core.procedure import LineChoice
from escuadra.core.stance import CORNERS, Corner
from escuadra.core.symmetry import Pair, SymmetryInput, SymmetryResult, symmetry

ANYWHERE_MM, ANY_AXLE_DEG = 1500.0, 1.5
"""Where a frame stands and how far a rear axle steers, before anything was read, one sigma."""
T = TypeVar("T")


@dataclass(frozen=True)
class EndMark:
    """The pairs at one end of the vehicle and the mark that was plumbed from them."""

    pairs: SymmetryResult | None
    names: dict[str, str]
    u_residual: dict[str, float]
    """Of each pair's residual, from its readings alone: what the pairs' agreement is judged with."""
    y: float | None = None
    u: float = 0.0


@dataclass(frozen=True)
class Answer:
    """What one method says: its line's direction in degrees, and where that line passes at the target."""

    line: LineChoice
    angle: Derived
    at: Derived


@lru_cache(maxsize=128)
def solved_network(network: str, plan: Plan, epoch: int) -> Solved | None:
    """The solution of a network given as JSON text, kept while the same readings are looked at again."""
    given = NetworkInput.read(json.loads(network))
    try:
        return Solved(plan, given, adjust(given), epoch)
    except BadInput:
        return None


@lru_cache(maxsize=256)
def designed(network: str, plan: Plan) -> Solved | None:
    """A network at its first guesses, whatever its readings say (``design``); nothing where it would stay loose."""
    given = NetworkInput.read(json.loads(network))
    try:
        return Solved(plan, given, layout(given), -1)
    except BadInput:
        return None


class Setup:
    """A job's state and plan, with what was solved of it; made once for one derivation."""

    def __init__(self, state: State, plan: Plan) -> None:
        self.state, self.plan = state, plan
        self._solved: dict[int, Solved | None] = {}
        self._known: dict[Hashable, Any] = {}

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """A result that is worked out once for this derivation."""
        if key not in self._known:
            self._known[key] = make()
        found: T = self._known[key]
        return found

    @cached_property
    def begun(self) -> frozenset[str]:
        """How the slots begin in which something was ever entered."""
        return frozenset(slot.partition(".")[0] for slot in self.state.entries)

    # --- single slots

    def live(self, slot: str) -> tuple[Entry, ...]:
        """A slot's entries that were not withdrawn or replaced."""
        return self.once(("live", slot), lambda: self.state.live(slot))

    def relied(self, slot: str) -> list[Entry]:
        """Those of them whose instrument is not in doubt."""
        return [e for e in self.live(slot) if e.doubted is None]

    def current(self, slot: Slot) -> tuple[Entry, ...]:
        """Those of them that nothing disturbed since."""
        return self.once(("current", slot.id), lambda: current(self.live(slot.id), self.state, slot.aspects))

    @cached_property
    def target_hangs(self) -> bool:
        """The target was answered for and nothing took it off since."""
        mounted = frozenset({"target"})
        return any(
            current(self.live(slot), self.state, mounted) for slot in self.state.entries if slot.startswith("target.")
        )

    def excluded(self, slot: Slot) -> bool:
        """The slot cannot be read now: its tool would stand where the target hangs."""
        return slot.reads in self.plan.frame.excludes and self.target_hangs

    def now(self, slot: Slot) -> Measured | None:
        """A slot's current value."""
        return self.once(("now", slot.id), lambda: measured(self.current(slot)))

    def read_before(self, slot: Slot, seq: int) -> Measured | None:
        """What a slot showed just before an event, as nothing had spoiled it until then."""
        spoiled = [past.seq for past in self.state.disturbances if past.seq < seq and past.aspects & slot.aspects]
        since = max(spoiled, default=0)
        return measured([e for e in self.relied(slot.id) if since < e.seq < seq])

    def answered(self, slot: Slot) -> Entry | None:
        """A slot's current answer."""
        entries = self.current(slot)
        return entries[-1] if entries else None

    # --- the lines

    def pair_count(self, end: str) -> int:
        """How many pairs were begun at an end."""
        k = 0
        while any(self.live(slot.id) for slot in pair_slots(end, k + 1, self.plan)):
            k += 1
        return k

    @cached_property
    def marks(self) -> dict[str, EndMark]:
        """Centre marks at either end, from the pairs and the plumbed mark."""
        return {end: self._end_mark(end) for end in ("front", "rear")}

    def _end_mark(self, end: str) -> EndMark:
        pairs, names, tool = [], {}, None
        own_u: dict[str, float] = {}
        for k in range(1, self.pair_count(end) + 1):
            slots = pair_slots(end, k, self.plan)
            left, right = self.now(slots[0]), self.now(slots[1])
            if left is None or right is None or left.value <= right.value:
                continue
            own = math.sqrt((left.figures.u_random**2 + right.figures.u_random**2) / 2)
            u = math.sqrt(own**2 + 2 * self.plan.vehicle.marks.u_symmetry_mm**2)
            own_u[str(k)] = own / math.sqrt(2)
            pairs.append(Pair(id=str(k), left=left.value, right=right.value, u=u))
            names[str(k)] = pair_name(end, k, self.plan)
            tool = left.tool
        if not pairs:
            return EndMark(None, names, {})
        rest = math.sqrt(1 - 1 / len(pairs))
        u_residual = {k: u * rest for k, u in own_u.items()}
        middle = symmetry(SymmetryInput(pairs=pairs))
        mark = self.now(mark_slot(end, self.plan))
        if mark is None:
            return EndMark(middle, names, u_residual)
        # On the same tape its offset cancels between the mark and the pairs' middle.
        u_mark = mark.figures.u_random if mark.tool == tool else mark.u
        return EndMark(middle, names, u_residual, mark.value - middle.centre, math.hypot(middle.u, u_mark))

    @cached_property
    def toe(self) -> dict[str, Measured] | None:
        """Rear toe of both sides, degrees, toe-in positive."""
        left, right = self.now(toe_slot("left")), self.now(toe_slot("right"))
        return {"left": left, "right": right} if left and right else None

    # --- the pose

    @cached_property
    def boundaries(self) -> list[Disturbance]:
        """Everything that opened an epoch of the pose."""
        return [past for past in self.state.disturbances if past.aspects & TAPE_ASPECTS]

    def carries(self, epoch: int) -> bool:
        """The epoch began with a move that leaves yaw and distance alone, and what was solved before can be trusted."""
        if epoch == 0 or self.boundaries[epoch - 1].aspects & TAPE_ASPECTS != {"centre"}:
            return False
        before = self.solve(epoch - 1)
        return before is not None and before.trusted

    def within(self, slot: Slot, epoch: int) -> list[Entry]:
        """A slot's entries of an epoch that count."""
        spoiling = [past.aspects & slot.aspects for past in self.boundaries]
        start = max((b.seq for b, hit in zip(self.boundaries[:epoch], spoiling, strict=False) if hit), default=0)
        later = (b.seq for b, hit in zip(self.boundaries[epoch:], spoiling[epoch:], strict=True) if hit)
        end = next(later, math.inf)
        return [e for e in self.relied(slot.id) if start < e.seq < end]

    def height_for(self, what: str, seq: int) -> tuple[float, float] | None:
        """Height of a hub or beam end that was valid when the reading ``seq`` was taken, and its u."""
        slot = height_slot(what, self.plan)
        spoiled = [past.seq for past in self.state.disturbances if past.aspects & slot.aspects]
        start = max((s for s in spoiled if s < seq), default=0)
        end = min((s for s in spoiled if s > seq), default=math.inf)
        found = measured([e for e in self.relied(slot.id) if start < e.seq < end])
        if found is not None:
            return found.value, found.u
        if what in ("LR", "RR"):
            return self.plan.vehicle.hub_height, 5.0
        return None

    def rise_of_tape(
        self, hub: Corner, end: str, low: tuple[float, float], high: tuple[float, float]
    ) -> tuple[float, float]:
        """How much higher a tape's far end is than its hub, and u: heights above the floor and its own rise."""
        rise, u = high[0] - low[0], math.hypot(low[1], high[1])
        floor = self.once(("floor", hub, end), lambda: self.plan.floor_between(hub, end))
        return (rise, u) if floor is None else (rise + floor.value, math.hypot(u, floor.u))

    def tapes(self, epoch: int) -> list[tuple[Slot, str, list[Measured]]]:
        """Tapes of an epoch that can be levelled: slot, beam end, one value a tool."""
        return self.once(("tapes", epoch), lambda: self._tapes(epoch))

    def _tapes(self, epoch: int) -> list[tuple[Slot, str, list[Measured]]]:
        found = []
        for hub in CORNERS:
            for end in ENDS:
                slot = tape_slot(hub, end, self.plan)
                entries = self.within(slot, epoch)
                if not entries:
                    continue
                low, high = self.height_for(hub, entries[-1].seq), self.height_for(end, entries[-1].seq)
                if low is None or high is None:
                    continue
                rise, u_rise = self.rise_of_tape(hub, end, low, high)
                try:
                    parts = measured_by_tool(entries, rise, u_rise)
                except BadInput:
                    continue
                found.append((slot, end, parts))
        return found

    def network(self, epoch: int) -> dict[str, Any]:
        """The network of an epoch as plain data, ready for ``network``."""
        return self.once(("network", epoch), lambda: self._network(epoch))

    def entering(self, epoch: int | None = None, only: str = "") -> Entering:
        """Hubs, and what every method's readings say, or one's ``only``.

        ``None``: without the frame and what hangs on it.
        """

        def entries(slot: Slot) -> Sequence[Entry]:
            if epoch is None or not slot.aspects & POSE:
                return self.current(slot)
            return self.within(slot, epoch)

        def answered(slot: Slot) -> str:
            entry = self.answered(slot)
            return str(entry.said.value) if entry is not None else ""

        vehicle = self.plan.vehicle
        into = Entering(self.plan, entries, answered, self.pair_count, epoch is not None)
        for corner in CORNERS:
            into.known(corner, f"hub.{corner}", vehicle.hub(corner), vehicle.u_hub_mm, vehicle.u_hub_mm)
        for method in METHODS.values():
            if only in ("", method.id) and not self.begun.isdisjoint(method.prefixes):
                method.enter(into)
        return into

    def _network(self, epoch: int) -> dict[str, Any]:
        into, goal = self.entering(epoch), self.plan.nominal_goal
        self._enter_tapes(into, epoch)
        if self.carries(epoch):
            before = self.solve(epoch - 1)
            assert before is not None
            goal = before.pose
            into.points["axle"] = {"x": 0.0, "y": 0.0, "fixed": True}
            into.observations.extend(carried(before))
        if not into.sees_thrust and (known := self._thrust_before(epoch)) is not None:
            angle = known.derived("line_angle", "thrust")
            into.heading = angle.value
            into.worked_out("carried.thrust", "thrust", angle.value, angle.u)
        return into.network((goal.x, goal.y, goal.yaw_deg))

    def _enter_tapes(self, into: Entering, epoch: int) -> None:
        for slot, end, by_tool in self.tapes(epoch):
            for part in by_tool:
                into.reading(slot, part, None, type="distance", **{"from": slot.id.split(".")[1]}, to=end)

    def _thrust_before(self, epoch: int) -> Solved | None:
        """An earlier epoch that found the thrust line at the frame; true until the vehicle's line is spoiled."""
        for k in range(epoch - 1, -1, -1):
            if "line" in self.boundaries[k].aspects:
                return None
            found = self.solve(k)
            if found is not None and found.trusted and ("thrust", "angle") in found.at:
                return found
        return None

    def solve(self, epoch: int) -> Solved | None:
        """An epoch's solution; ``None`` while its readings do not determine it."""
        if epoch not in self._solved:
            self._solved[epoch] = solved_network(json.dumps(self.network(epoch)), self.plan, epoch)
        return self._solved[epoch]

    def turned_only(self, epoch: int) -> Solved | None:
        """An epoch that sees no more than how the frame is turned: what is loose is held where a frame can be at all.

        Nothing but ``square`` may be taken from it.
        """
        network = self.network(epoch)
        if not any(o["type"] == "scale_pair" for o in network["observations"]):
            return None
        frame = {**network["frame"], "points": {**network["frame"]["points"], "beam": (0.0, 0.0)}}
        goal = self.plan.nominal_goal
        held = [
            {"id": "prior.x", "type": "x", "point": "beam", "value": goal.x, "u": ANYWHERE_MM},
            {"id": "prior.y", "type": "y", "point": "beam", "value": goal.y, "u": ANYWHERE_MM},
            {"id": "prior.thrust", "type": "thrust", "value": 0.0, "u": ANY_AXLE_DEG},
        ]
        given = {**network, "frame": frame, "observations": [*network["observations"], *held]}
        return solved_network(json.dumps(given), self.plan, epoch)

    # --- both lines

    @cached_property
    def lines(self) -> Solved | None:
        """The solution that knows the vehicle's lines best: without the frame, or with what was read at it.

        What was read at the frame in an earlier epoch still tells where the vehicle points, until its line is spoiled.
        """
        plain = self.unframed
        found = [plain] if plain is not None and plain.line is not None else []
        for k in range(self.epoch, -1, -1):
            solved = self.solve(k)
            if solved is not None and solved.trusted and solved.line is not None:
                found.append(solved)
            if k and "line" in self.boundaries[k - 1].aspects:
                break

        def order(solved: Solved) -> tuple[bool, float]:
            assert solved.line is not None
            return solved.line != self.plan.procedure.line, solved.line_at(self.plan.target_x).u

        return min(found, key=order, default=None)

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
            goal = self.plan.nominal_goal
            given = into.network((goal.x, goal.y, goal.yaw_deg))
            solved = solved_network(json.dumps(given), self.plan, -1 if epoch is None else epoch)
            if solved is not None and line in solved.known:
                return Answer(line, solved.derived("line_angle", line), solved.line_at(self.plan.target_x, line))
            if epoch and "line" in self.boundaries[epoch - 1].aspects:
                break
        return None

    def without(self, solved: Solved, start: str) -> Solved | None:
        """A solution once more, without the observations whose name begins so; nothing where they are needed."""
        data = solved.given.model_dump(mode="json", by_alias=True, exclude_none=True)
        data["observations"] = [o for o in data["observations"] if not o["id"].startswith(start)]
        return solved_network(json.dumps(data), self.plan, solved.epoch)

    def watched(self, epoch: int) -> str:
        """After a shift of the target: slot of the tape that would notice a bump best; empty otherwise."""
        if not self.carries(epoch) or self.boundaries[epoch - 1].what != "shift":
            return ""
        for k in range(epoch - 1, -1, -1):
            solved = self.solve(k)
            watch = bump_watch(solved) if solved is not None else ""
            if watch:
                return watch
        return ""

    def seen_by_rig(self, epoch: int) -> bool:
        """The camera rig saw everything in an epoch: no tape is needed then."""
        slots = [slot for slot in METHODS["rig"].slots(self.plan) if not slot.optional]
        return slots[0].id in self.state.entries and all(self.within(slot, epoch) for slot in slots)

    @property
    def times(self) -> int:
        """How often each place of the line is to be read, as planned."""
        return self.state.line_plan.times if self.state.line_plan is not None else 1

    @cached_property
    def unframed(self) -> Solved | None:
        """The vehicle's lines from what does not hang on the frame."""
        into = self.entering()
        if not into.sees_thrust and "mark.front" not in into.points:
            return None
        return solved_network(json.dumps(into.network((0.0, 0.0, 0.0))), self.plan, -1)

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
