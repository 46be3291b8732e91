"""A robot technician in a virtual bay: it only reads what it is asked for and obeys the moves that it is told.

Its instruments are noisy, its frame's knobs have lost motion and another gain than the profile says, and pushing a
frame by hand turns it a little. It works on a log of its own in memory; the sheet that advises it is the product's.
"""

from collections.abc import Mapping
from dataclasses import replace

from escuadra.core.base.stream import Payload, Person, made
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.log.events import Answered, Disturbed, ReadingTaken, ToolUsed
from escuadra.core.visit.log.state import State, fold
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.sheet import Sheet, derive
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.views import CheckView
from escuadra.devices.virtual_bay import LENGTHS, VirtualBay

ROBOT = Person(id="robot", name="robot", known="itself")
MOST_STEPS = 400
MINUTES_A_MOVE = 1.0


FOR_THE_LINE = frozenset({"slope", "body_centreline", "lines", "sensor_place"})
"""Kinds of checks before the frame's own that the robot does."""

BY_HAND = frozenset({"also_hung"})
"""Kinds of the frame's that say nothing of its place, and ask what only who hangs a target sees."""


def frame_only(plan: Plan) -> Plan:
    """The plan with nothing but the line and the frame to be done: what the robot is there for."""
    done = [c for c in plan.procedure.checks if c.group == "frame" or c.kind in FOR_THE_LINE]
    kept = [c for c in done if c.kind not in BY_HAND]
    return replace(plan, procedure=plan.procedure.model_copy(update={"checks": kept}))


class Desk:
    """A job's log in memory, and the sheet that follows from it."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.state, self._seq = plan, State(), 0
        self._derived: Sheet | None = None

    def say(self, payload: Payload) -> None:
        """Append an event."""
        self._seq += 1
        self.state = fold(self.state, [made("robot", self._seq, f"r{self._seq}", self._seq * 1000, ROBOT, payload)])

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""
        if self._derived is None or self._derived.state is not self.state:
            self._derived = derive(self.state, self.plan, self._seq * 1000, before=self._derived)
        return self._derived

    def read(self, slot: str, value: float, tool: Instrument) -> None:
        """Record a reading; where the sheet doubts what stands there, in its place."""
        again = self.sheet.next.replaces and self.sheet.next.slot == slot
        after = self.sheet.epochs.replaced_after(self.sheet.slots[slot].slot) if again else 0
        used = ToolUsed(id=f"robot-{tool.resolution:g}", name="robot", contributions=tool)
        typed = f"{value:g}"
        figure = {"typed": typed, "understood": typed, "value": value}
        self.say(ReadingTaken(slot=slot, tool=used, replaces=again, replaces_after=after, **figure))


class Robot:
    """Reads what the sheet asks for, obeys what it tells, and counts the rounds of moves."""

    def __init__(self, bay: VirtualBay) -> None:
        self.bay, self.desk = bay, Desk(bay.plan.whole)
        self.rounds, self.moves, self.minutes = 0, 0, 0.0
        self.begin()

    def begin(self) -> None:
        """The body's marks, which the race is not about, without an error."""
        marks = METHODS["marks"].exact(self.bay.leaning)
        for slot in METHODS["marks"].slots(self.bay.plan):
            if slot.id != "crossing":
                self.desk.read(slot.id, marks[slot.id], LENGTHS)

    def work(self) -> bool:
        """From start to everything holding; whether it got there."""
        moving = False
        for _ in range(MOST_STEPS):
            sheet = self.desk.sheet
            if not [v for v in sheet.checks if v.check.group == "frame" and not self._done_with(v)]:
                return True
            move = self._next(sheet)
            if move is None:
                return False
            happening, by, slot = move
            if happening:
                self.rounds += not moving
                self._moved()
                moving = True
                self.bay.obey(happening, by)
                self.desk.say(Disturbed(what=happening, source="told", by=dict(by)))
            else:
                moving = False
                self._read(sheet.slots[slot].slot)
        return False

    def _moved(self) -> None:
        self.moves += 1
        self.minutes += MINUTES_A_MOVE

    def _done_with(self, view: CheckView) -> bool:
        return view.settled

    def _next(self, sheet: Sheet) -> tuple[str, Mapping[str, float], str] | None:
        move = sheet.next
        if move.kind == "move" and (move.by or move.happening in ("tilt", "bump")):
            return move.happening, move.by, ""
        if move.kind in ("read", "answer") and move.slot:
            return "", {}, move.slot
        return None

    def _read(self, slot: Slot) -> None:
        if slot.ask == "tick":
            self.desk.say(Answered(slot=slot.id, value="yes"))
            return
        self.minutes += slot.minutes
        self.desk.read(slot.id, self.bay.read(slot), self.bay.tool(slot))


class PlainTechnician(Robot):
    """Reads everything once, corrects the worst axis by its nominal amount, reads everything again, and so on."""

    def _done_with(self, view: CheckView) -> bool:
        return view.settled or view.unguarded

    def _next(self, sheet: Sheet) -> tuple[str, Mapping[str, float], str] | None:
        checks = {v.check.kind: v for v in sheet.checks}
        order = ("slope", "tick", "level", "target_level", "target_height", "heights", "square", "centred", "distance")
        for kind in order:
            view = checks.get(kind)
            missing = None
            if view is not None:
                needed = {slot.id for slot in view.check.required(sheet.epochs)}
                missing = next((s.slot.id for s in view.slots if s.slot.id in needed and not s.now), None)
            if missing is not None:
                return "", {}, missing
        solution = sheet.epochs.newest
        height = checks["target_height"].judgement.figures
        if solution is None or solution.line is None or not height:
            return None
        errors = {
            "yaw": solution.derived("square").value / 0.25,
            "slide": solution.derived("offset").value / 4,
            "roll": (solution.derived("distance").value - sheet.plan.procedure.distance) / 5,
            "height": (height[0].value - sheet.plan.procedure.height) / 4,
        }
        worst = max(errors, key=lambda axis: abs(errors[axis]))
        frame = sheet.plan.frame
        amount = {
            "yaw": {"turns": -errors["yaw"] * 0.25 / frame.yaw_deg_per_turn},
            "slide": {"left": -errors["slide"] * 4},
            "roll": {"away": -errors["roll"] * 5},
            "height": {"turns": -errors["height"] * 4 / frame.height_per_turn},
        }[worst]
        return worst, {name: round(value, 1) for name, value in amount.items()}, ""
