"""Radars with unlike screws, lash and bent brackets, aimed pass by pass as the application advises."""

import random
import statistics

from escuadra.core.run.adjusting import AdjustingInput, Misaligned, adjusting
from escuadra.core.run.radar import Screw
from escuadra.devices.virtual_sensors import NOISE_DEG, Bent, Misled, VirtualRadar

RUNS = 200
WITHIN_DEG = 0.1
MOST = 5
TRAVEL = 4.0
SCREWS = (
    Screw(id="left", yaw_deg_per_turn=0.62, pitch_deg_per_turn=0.08),
    Screw(id="low", yaw_deg_per_turn=-0.05, pitch_deg_per_turn=0.7),
)


def aimed(radar: VirtualRadar) -> tuple[int, str, bool]:
    """Passes until it shows no more than 0.1°, or why the cause was to be looked for; whether it truly is within."""
    shown, turned = [Misaligned(**radar.show(Misled()))], list[dict[str, float]]()
    while True:
        given = AdjustingInput(
            screws=SCREWS, shown=shown, turned=turned, u=NOISE_DEG, within=WITHIN_DEG, travel=TRAVEL, most_passes=MOST
        )
        if max(abs(shown[-1].yaw), abs(shown[-1].pitch)) <= WITHIN_DEG:
            return len(turned), "", max(abs(radar.yaw), abs(radar.pitch)) <= WITHIN_DEG
        told = adjusting(given)
        if told.bracket:
            return len(turned), told.bracket, False
        radar.turn(told.turns)
        turned.append(told.turns)
        shown.append(Misaligned(**radar.show(Misled())))


def figures(runs: int = RUNS) -> tuple[float, float, float, float]:
    """``radar_passes`` (median), the share aimed at all, ``bent_brackets_named``, and sound ones that were named."""
    sound = [aimed(VirtualRadar(SCREWS, TRAVEL, f"sound {k}")) for k in range(runs)]
    chance = random.Random(7)
    kinds: tuple[Bent, ...] = ("far", "binds", "springs")
    bent = [aimed(VirtualRadar(SCREWS, TRAVEL, f"bent {k}", chance.choice(kinds))) for k in range(runs)]
    passes = statistics.median(n for n, why, truly in sound if truly)
    named = sum(bool(why) for _, why, _ in bent) / runs
    return passes, sum(truly for _, _, truly in sound) / runs, named, sum(bool(why) for _, why, _ in sound) / runs


if __name__ == "__main__":
    print("radar_passes {:.1f}  aimed {:.3f}  bent_brackets_named {:.3f}  sound_named {:.3f}".format(*figures()))
