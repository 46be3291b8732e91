"""From the readings of an epoch, the procedure and the profiles to the network, the pose and the goal.

Every move that changes where the beam stands opens an epoch; only readings of one epoch enter one solution. Where a
move leaves yaw and distance alone (sliding, mounting), what was solved before is carried over as two observations
with their uncertainty. Source: ``network``; lines after ISO 8855.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

from escuadra.core.adjustment import adjust, layout
from escuadra.core.errors import BadInput
from escuadra.core.job.current import Current
from escuadra.core.job.disturbance import POSE
from escuadra.core.job.entering import Entering
from escuadra.core.job.methods import METHODS
from escuadra.core.job.places import TAPE_ASPECTS, Plan
from escuadra.core.job.slots import Slot
from escuadra.core.job.solved import Derived, Solved, bump_watch, carried
from escuadra.core.job.state import Entry, State
from escuadra.core.observations import FRAME_TYPES, NetworkInput
from escuadra.core.procedure import LineChoice
from escuadra.core.stance import CORNERS

APART = (
    "arch",
    "around",
    "tick",
    "target",
    "condition",
    "filled",
    "tyre",
    "battery",
    "slope",
    "level",
    "hangs",
    "camber",
)
"""How slots begin that neither lines nor frame are solved of."""
MOST_KEPT = 64
_KEPT: dict[tuple[Any, ...], tuple[tuple[Any, ...], dict[int, Solved | None]]] = {}
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


class Setup(Current):
    """What a job's entries amount to, with what was solved of it."""

    def __init__(self, state: State, plan: Plan, at: int | None = None) -> None:
        super().__init__(state, plan, at)
        self.stations: tuple[Any, ...] = ()
        self._solved = self._kept()

    def _kept(self) -> dict[int, Solved | None]:
        """What was solved already of the very same readings: most events leave lines and frame alone.

        Entries never change and a slot's tuple of them stays the same object until something is entered there.
        """
        state = self.state
        read = [kept for slot, kept in state.entries.items() if slot.partition(".")[0] not in APART]
        past = state.disturbances[-1].seq if state.disturbances else 0
        runs = tuple((run.seq, run.withdrawn) for run in state.runs)
        key = (id(self.plan), len(state.disturbances), past, runs, *map(id, read))
        found = _KEPT.get(key)
        if found is None:
            while len(_KEPT) >= MOST_KEPT:
                _KEPT.pop(next(iter(_KEPT)))
            # What the key names is kept with the answer, so that its ids stay theirs.
            found = _KEPT[key] = ((self.plan, *read), {})
        return found[1]

    def carries(self, epoch: int) -> bool:
        """The epoch began with a move that leaves yaw and distance alone, and what was solved before can be trusted."""
        if epoch == 0 or self.boundaries[epoch - 1].aspects & TAPE_ASPECTS != {"centre"}:
            return False
        before = self.solve(epoch - 1)
        return before is not None and before.trusted

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
            read = any(o["type"] in FRAME_TYPES or o.get("to") in into.frame_points for o in into.observations)
            stands = read and self.boundaries[epoch - 1].what != "slide"
            into.observations.extend(carried(before, stands))
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
            network = json.dumps(into.network((0.0, 0.0, 0.0)))
            self._solved[UNFRAMED] = solved_network(network, self.plan, UNFRAMED) if known else None
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
