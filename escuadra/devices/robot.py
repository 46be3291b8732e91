"""A robot technician in a virtual bay: it only reads what it is asked for and obeys the moves that it is told.

Its instruments are noisy, its frame's knobs have lost motion and another gain than the profile says, and pushing a
frame by hand turns it a little. It works on a log of its own in memory; the sheet that advises it is the product's.
"""

import math
import random
from collections.abc import Mapping
from dataclasses import dataclass, replace

from escuadra.core.axes import Pose, turned
from escuadra.core.job.disturbance import HAPPENINGS
from escuadra.core.job.events import Answered, Disturbed, Person, ReadingTaken, ToolUsed, made
from escuadra.core.job.methods import METHODS
from escuadra.core.job.places import Plan
from escuadra.core.job.scene import Scene
from escuadra.core.job.sheet import Sheet, derive
from escuadra.core.job.slots import Slot
from escuadra.core.job.state import State, fold
from escuadra.core.model import Frozen
from escuadra.core.readings import Instrument
from escuadra.core.stance import CORNERS

ROBOT = Person(id="robot", name="Robot technician", known="itself")
MOST_STEPS = 400
LENGTHS = Instrument(resolution=1, accuracy_constant=0.4, accuracy_ppm=60, repeatability=0.3)
SCALE = Instrument(resolution=0.5, accuracy_constant=0.5, accuracy_ppm=0, repeatability=0.4)
DEGREES = Instrument(resolution=0.01, accuracy_constant=0.02, accuracy_ppm=0, repeatability=0.01)


@dataclass(frozen=True)
class Knobs:
    """What the frame's mechanics really do."""

    yaw_gain: float
    """Degrees a turn."""
    yaw_lost_deg: float
    slide_gain: float
    crank_gain: float


class VirtualBay:
    """The true state of a bay: vehicle, frame, heights, level; what is read there and what a move does."""

    def __init__(self, plan: Plan, start: tuple[float, float, float, float], seed: int) -> None:
        """``start``: how far the frame stands off its goal: away, left (mm), yaw (degrees), height (mm)."""
        self.plan, self.chance = plan, random.Random(seed)
        goal, (away, left, yaw, up) = plan.nominal_goal, start
        pose = Pose(x=goal.x + away, y=goal.y + left, yaw_deg=yaw)
        self.scene = Scene(plan, pose, dict.fromkeys(CORNERS, 0.06))
        self.height = plan.target_above_floor + up
        self.roll, self.pitch = self.chance.uniform(-0.12, 0.12), self.chance.uniform(-0.12, 0.12)
        self.knobs = Knobs(
            plan.frame.yaw_deg_per_turn * self.chance.uniform(0.86, 1.14),
            self.chance.uniform(0.0, 0.08),
            self.chance.uniform(0.99, 1.01),
            self.chance.uniform(0.97, 1.03),
        )
        self._last_turn = 0.0
        shared = {id(LENGTHS): LENGTHS, id(SCALE): SCALE, id(DEGREES): DEGREES}
        self._offset = {k: self.chance.gauss(0, i.accuracy_constant / math.sqrt(3)) for k, i in shared.items()}

    # --- reading

    def tool(self, slot: Slot) -> Instrument:
        """The instrument that a slot is read with."""
        if slot.quantity is not None and slot.quantity.dimension == "angle":
            return DEGREES
        return SCALE if slot.reads == "scale" else LENGTHS

    def read(self, slot: Slot) -> float:
        """A reading of a slot: the truth, what the tool is off by, its noise, and its smallest step."""
        tool = self.tool(slot)
        value = self.true(slot) + self._offset[id(tool)] + self.chance.gauss(0, tool.repeatability)
        return round(value / tool.resolution) * tool.resolution

    def true(self, slot: Slot) -> float:
        """What a perfect eye would read."""
        parts = slot.id.split(".")
        if parts[0] == "tape":
            rise = self._height_of(parts[2]) - self._height_of(parts[1])
            return math.hypot(self._level_tape(parts[1], parts[2]), rise)
        if slot.id == "height.target":
            return self.height
        if parts[0] == "height":
            return self._height_of(parts[1])
        if parts[0] == "level":
            return self.roll if parts[1] == "roll" else self.pitch
        return METHODS["marks"].exact(self.scene)[slot.id]

    def _level_tape(self, hub: str, end: str) -> float:
        there = self.scene.on_frame(*self.plan.frame_points[end])
        return math.dist(self.scene.hub(hub), there)  # type: ignore[arg-type]

    def _height_of(self, what: str) -> float:
        return self.plan.vehicle.hub_height + (207.0 if what.endswith("end") else 0.0)

    # --- moving

    def obey(self, happening: str, by: Mapping[str, float]) -> None:
        """Do what was told, as well as knobs and hands allow."""
        pose, chance = self.scene.pose, self.chance
        if happening == "yaw":
            turns = by["turns"]
            change = self.knobs.yaw_gain * turns
            if self._last_turn and turns * self._last_turn < 0:
                slack = min(self.knobs.yaw_lost_deg, abs(change))
                change -= math.copysign(slack, change)
            self._last_turn = turns
            yaw = pose.yaw_deg + change
            (ax, ay), (bx, by_) = (turned(a, *self.plan.frame.pivot) for a in (pose.yaw_deg, yaw))
            pose = Pose(x=pose.x + ax - bx, y=pose.y + ay - by_, yaw_deg=yaw)
        elif happening == "slide":
            pose = self._pushed(0.0, by["left"] * self.knobs.slide_gain + chance.gauss(0, 0.4), 0.0)
        elif happening == "roll":
            pose = self._pushed(by["away"] + chance.gauss(0, 1.0), chance.gauss(0, 0.7), chance.gauss(0, 0.02))
            self.roll += chance.gauss(0, 0.02)
        elif happening == "height":
            self.height += by["turns"] * self.plan.frame.height_per_turn * self.knobs.crank_gain
        elif happening == "feet":
            self.roll, self.pitch = chance.gauss(0, 0.04), chance.gauss(0, 0.04)
        self.scene = Scene(self.plan, pose, self.scene.toe, self.scene.hub_off)

    def _pushed(self, away: float, left: float, turn: float) -> Pose:
        pose = self.scene.pose
        dx, dy = turned(pose.yaw_deg, away, left)
        return Pose(x=pose.x + dx, y=pose.y + dy, yaw_deg=pose.yaw_deg + turn)

    def off(self) -> dict[str, float]:
        """How far the frame truly is from where it must be: yaw (degrees), centre, distance, height (mm)."""
        pose, goal = self.scene.pose, self.plan.nominal_goal
        face = self.plan.frame.face_offset
        c, s = math.cos(math.radians(pose.yaw_deg)), math.sin(math.radians(pose.yaw_deg))
        return {
            "yaw": pose.yaw_deg,
            "centre": pose.y - s * face - goal.y,
            "distance": pose.x - c * face - (goal.x - face),
            "height": self.height - self.plan.target_above_floor,
        }


def frame_only(plan: Plan) -> Plan:
    """The plan with nothing but the line and the frame to be done: what the robot is there for."""
    kept = [c for c in plan.procedure.checks if c.group == "frame" or c.kind in ("body_centreline", "lines")]
    return replace(plan, procedure=plan.procedure.model_copy(update={"checks": kept}))


class Desk:
    """A job's log in memory, and the sheet that follows from it."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.state, self._seq = plan, State(), 0

    def say(self, payload: Frozen) -> None:
        """Append an event."""
        self._seq += 1
        self.state = fold(self.state, [made("robot", self._seq, f"r{self._seq}", self._seq * 1000, ROBOT, payload)])

    @property
    def sheet(self) -> Sheet:
        """The sheet as it stands."""
        return derive(self.state, self.plan, self._seq * 1000)

    def read(self, slot: str, value: float, tool: Instrument) -> None:
        """Record a reading; a later one replaces what an earlier state of the frame showed."""
        used = ToolUsed(id=f"robot {tool.resolution:g}", name="robot's", contributions=tool)
        self.say(ReadingTaken(slot=slot, typed=f"{value:g}", understood=f"{value:g}", value=value, tool=used))


class Robot:
    """Reads what the sheet asks for, obeys what it tells, and counts the rounds of moves."""

    def __init__(self, bay: VirtualBay) -> None:
        self.bay, self.desk = bay, Desk(bay.plan)
        self.rounds, self.moves = 0, 0
        marks = METHODS["marks"].exact(bay.scene)
        for slot in METHODS["marks"].slots(bay.plan):
            if slot.id != "crossing":
                self.desk.read(slot.id, marks[slot.id], LENGTHS)

    def work(self) -> bool:
        """From start to everything holding; whether it got there."""
        moving = False
        for _ in range(MOST_STEPS):
            sheet = self.desk.sheet
            if not [v for v in sheet.checks if v.check.group == "frame" and not v.settled]:
                return True
            move = self._next(sheet)
            if move is None:
                return False
            happening, by, slot = move
            if happening:
                self.rounds += not moving
                self.moves += 1
                moving = True
                self.bay.obey(happening, by)
                said = HAPPENINGS[happening].words
                self.desk.say(Disturbed(what=happening, words=said, by=dict(by)))
            else:
                moving = False
                self._read(sheet.slots[slot].slot)
        return False

    def _next(self, sheet: Sheet) -> tuple[str, Mapping[str, float], str] | None:
        move = sheet.next
        if move.kind == "move" and move.by:
            return move.happening, move.by, ""
        if move.kind in ("read", "answer") and move.slot:
            return "", {}, move.slot
        return None

    def _read(self, slot: Slot) -> None:
        if slot.ask == "tick":
            self.desk.say(Answered(slot=slot.id, value="yes"))
            return
        self.desk.read(slot.id, self.bay.read(slot), self.bay.tool(slot))


class PlainTechnician(Robot):
    """Reads everything, corrects the worst axis by its nominal amount, reads everything again, and so on."""

    def _next(self, sheet: Sheet) -> tuple[str, Mapping[str, float], str] | None:
        checks = {v.check.kind: v for v in sheet.checks if v.check.group == "frame"}
        order = ("tick", "level", "target_height", "heights", "square", "centred", "distance")
        for kind in order:
            view = checks.get(kind)
            missing = None
            if view is not None:
                required = getattr(view.check, "required", None)
                needed = (
                    {s.id for s in required(sheet.setup, sheet.setup.epoch)}
                    if required is not None
                    else {s.slot.id for s in view.slots if not s.slot.optional}
                )
                missing = next((s.slot.id for s in view.slots if s.slot.id in needed and not s.now), None)
            if missing is not None:
                return "", {}, missing
        solved = sheet.setup.newest
        height = checks["target_height"].judgement.figures
        if solved is None or solved.line is None or not height:
            return None
        errors = {
            "yaw": solved.derived("square").value / 0.25,
            "slide": solved.derived("offset").value / 4,
            "roll": (solved.derived("distance").value - sheet.plan.procedure.distance) / 5,
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
