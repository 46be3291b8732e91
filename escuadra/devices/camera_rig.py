"""A camera rig on the frame that watches marker boards on the wheels: what it must offer, and a stand-in.

The stand-in looks into a planted scene (vehicle, frame) with noise of its own; its frame is moved from a page.
"""

import math
import random
from dataclasses import dataclass, replace
from typing import Protocol

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.errors import BadInput, NoAnswer
from escuadra.core.base.said import Angle, Length, Plain, exact, said
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.scene import Scene

STEADY_MS = 900
"""After a move the picture must stand still for so long."""
NOISE_MM = 0.15
FARTHEST_MM, WIDEST_DEG = 3000.0, 20.0
"""A single move of the stand-in's frame is no larger."""


@dataclass(frozen=True)
class Look:
    """What a rig sees at a moment: proposed readings by slot, in mm, left positive."""

    at: int
    """UTC milliseconds."""
    readings: dict[str, float]
    steady: bool
    """Nothing moved for a while: the readings may be taken."""


class CameraRig(Protocol):
    """A rig that can be looked through."""

    tool: str
    """Its id in the register."""
    serial: str

    def look(self, at: int) -> Look:
        """What it sees now; raises ``ConnectionError`` where it does not answer."""
        ...


class SimulatedRig:
    """The stand-in: a scene whose frame can be moved, seen with noise."""

    tool, serial = "rig-1", "simulated"

    def __init__(self, scene: Scene, seed: int = 1) -> None:
        self.scene, self.connected = scene, True
        self._noise = random.Random(seed)
        self._moved = 0

    def look(self, at: int) -> Look:
        """The readings of the scene, each with its noise; they shake while the frame moves."""
        if not self.connected:
            raise NoAnswer(said("devices.camera_rig.rig_does_not_answer_look"))
        steady = at - self._moved >= STEADY_MS
        spread = NOISE_MM if steady else 4 * NOISE_MM
        exact = METHODS["rig"].exact(self.scene)
        return Look(at, {slot: value + self._noise.gauss(0, spread) for slot, value in exact.items()}, steady)

    def move(self, at: int, away: float = 0.0, left: float = 0.0, turn_deg: float = 0.0) -> None:
        """Roll, slide or turn the stand-in's frame about its middle: mm and degrees in its own axes."""
        if not all(map(math.isfinite, (away, left, turn_deg))) or math.hypot(away, left) > FARTHEST_MM:
            raise BadInput(
                "move",
                said("devices.camera_rig.text", away=exact(Plain, away), left=exact(Length, left)),
                said("wants.most_once", farthest_mm=exact(Length, FARTHEST_MM)),
            )
        if abs(turn_deg) > WIDEST_DEG:
            raise BadInput("turn", turn_deg, said("wants.most_once_2", widest_deg=exact(Angle, WIDEST_DEG)))
        pose = self.scene.pose
        dx, dy = turned(pose.yaw_deg, away, left)
        moved = Pose(x=pose.x + dx, y=pose.y + dy, yaw_deg=pose.yaw_deg + turn_deg, height=pose.height)
        self.scene, self._moved = replace(self.scene, pose=moved), at
