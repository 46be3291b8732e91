"""Sensors of the virtual vehicle: they see the target where it truly stands, so that a bad set-up ends badly.

What a sensor shows is what it looks beside, and what the target misled it by. A radar is turned by two screws that do
other than is stated, lose motion where they are turned back and end; a bent bracket is nothing that they can cure.
Degrees; yaw left, pitch nose down and roll positive as in ISO 8855.
"""

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import nouns, said
from escuadra.core.run.radar import Screw
from escuadra.core.visit.lenses import ABOVE, BELOW, BETWEEN

NOISE_DEG = 0.02
RESPONSE_DB, RESPONSE_NOISE_DB = 74.0, 0.08
FALLS_DB = 1.9
"""By how much a square degree off the board's own direction lessens the response."""
Bent = Literal["", "far", "binds", "springs"]
"""What a bracket is: sound; bent farther than the screws reach; so that a screw binds, or that it springs back."""


@dataclass(frozen=True)
class Misled:
    """What the set-up makes a sensor believe, beside what it should."""

    yaw: float = 0.0
    pitch: float = 0.0
    roll: float = 0.0


class VirtualRadar:
    """A radar on its bracket with two screws."""

    def __init__(self, screws: Sequence[Screw], travel: float, seed: str, bent: Bent = "") -> None:
        """``screws``: as the sheet states them; ``travel``: turns either way."""
        self.chance = random.Random(seed)
        uniform = self.chance.uniform
        self.travel, self.bent = travel, bent
        self.yaw, self.pitch = (self.chance.choice((-1, 1)) * uniform(0.35, 1.5) for _ in range(2))
        self.does: dict[str, tuple[float, float]] = {}
        self.slack: dict[str, float] = {}
        self.at = {screw.id: 0.0 for screw in screws}
        self.taken_up: dict[str, float] = {}
        for screw in screws:
            yaw, pitch, gain, across = screw.yaw_deg_per_turn, screw.pitch_deg_per_turn, uniform(0.75, 1.25), 0.08
            skew = uniform(-across, across)
            self.does[screw.id] = (gain * yaw - skew * pitch, gain * pitch + skew * yaw)
            self.slack[screw.id] = uniform(0.0, 0.1)
            self.taken_up[screw.id] = uniform(0.0, self.slack[screw.id])
        if bent == "far":
            least = travel * max(math.hypot(*does) for does in self.does.values())
            self.pitch = math.copysign(least * uniform(1.25, 2.0), self.pitch)
        if bent == "binds":
            held = self.chance.choice(screws).id
            self.does[held] = tuple(one * uniform(0.02, 0.2) for one in self.does[held])  # type: ignore[assignment]

    def turn(self, turns: Mapping[str, float]) -> None:
        """Turn the screws, clockwise positive, as far as each goes; raises ``BadInput`` for a screw it has not."""
        for screw, asked in turns.items():
            if screw not in self.does:
                raise BadInput("screw", screw, said("wants.one", names=nouns(self.does, "comma")))
            to = min(self.travel, max(-self.travel, self.at[screw] + asked))
            turned, self.at[screw] = to - self.at[screw], to
            # Within its slack the screw turns and nothing moves.
            there = self.taken_up[screw] + turned
            moved = there - min(self.slack[screw], max(0.0, there))
            self.taken_up[screw] = there - moved
            if self.bent == "springs":
                moved *= self.chance.uniform(0.0, 0.25)
            yaw, pitch = self.does[screw]
            self.yaw, self.pitch = self.yaw + yaw * moved, self.pitch + pitch * moved

    def show(self, misled: Misled) -> dict[str, float]:
        """What its routine shows."""
        gauss = self.chance.gauss
        return {
            "yaw": self.yaw + misled.yaw + gauss(0, NOISE_DEG),
            "pitch": self.pitch + misled.pitch + gauss(0, NOISE_DEG),
        }

    def respond(self, tilt: float, misled: Misled) -> float:
        """Its response to a board that leans back by so much, dB."""
        off = tilt - (self.pitch + misled.pitch)
        return RESPONSE_DB - FALLS_DB * off**2 + self.chance.gauss(0, RESPONSE_NOISE_DB)


LINE_DEG = 0.5
"""How far a lens may look up or down before its line leaves its limit lines."""


class VirtualCamera:
    """A camera with one lens or several in one holder."""

    def __init__(self, seed: str, lenses: Sequence[str] = ()) -> None:
        """``lenses``: ids of the lines that it shows, one a lens; none: one lens."""
        self.chance = random.Random(seed)
        gauss = self.chance.gauss
        self.holder = gauss(0, 0.12), gauss(0, 0.12), gauss(0, 0.12)
        self.lenses = {lens: gauss(0, 0.02) for lens in lenses}
        """By how much each looks lower than its holder."""

    def show(self, misled: Misled) -> dict[str, float]:
        """What its routine shows."""
        seen = zip(("yaw", "pitch", "roll"), self.holder, (misled.yaw, misled.pitch, misled.roll), strict=True)
        return {name: own + off + self.chance.gauss(0, NOISE_DEG) for name, own, off in seen}

    def lines(self, misled: Misled) -> dict[str, str]:
        """Where each lens's line stands between its limit lines; a lens that looks down has it above."""
        pitch = self.holder[1] + misled.pitch
        down = {lens: pitch + own + self.chance.gauss(0, NOISE_DEG) for lens, own in self.lenses.items()}
        return {lens: BETWEEN if abs(off) <= LINE_DEG else ABOVE if off > 0 else BELOW for lens, off in down.items()}
