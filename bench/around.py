"""Bodies that stand together, set by what is next in a bay that reads with noise: false holds, e ÷ u, rounds.

The truth is the stand-ins' bay, whose forward model is its own: bodies turned, leant and lifted in space, hubs off
their model, a floor that is not flat. ``python bench/around.py [SEEDS]``.
"""

import math
import random
import statistics
import sys
import tempfile
from collections import defaultdict
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from escuadra.commands import Garage
from escuadra.core.instruments.instrument import Tool
from escuadra.core.vehicle.stance import CORNERS
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.together import bodies_of
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock, ground_flat, peopled

SHEETS = ("BL-SUR-02", "BL-SUR-03", "QE-MIR-01")
MOST_STEPS = 200


class Robot:
    """Does what is next and nothing else; reads with each instrument's own noise."""

    def __init__(self, sheet: str, seed: int, folder: Path) -> None:
        chance = random.Random(f"{sheet} {seed}")
        self.garage = peopled(Garage(folder, Clock()))
        ground_flat(self.garage, "Norte")
        self.who = Technician(self.garage, self.garage.clock(), "teo")
        reason = self.garage.catalogue.get("procedure", sheet).content.reasons[0]
        self.who.take_in(number="T-1", reason=reason, bay="Norte", procedure=sheet)
        self.who.ready()
        self.who.stance(0, 0, 0, 0)
        self.bay = VirtualBay(self.who.opened.sheet.plan, (0.0, 0.0, 0.0, 0.0), seed=seed)
        u = self.who.opened.sheet.plan.vehicle.u_hub_mm
        off = {corner: (chance.gauss(0, u), chance.gauss(0, u)) for corner in CORNERS}
        self.chance, self.offsets = chance, dict[str, tuple[float, float]]()
        self.bay.scene = replace(self.bay.scene, hub_off=off)
        self.who.line(("0.06", "0.06"))
        self.entries = self.rounds = 0

    def step(self, move: NextMove) -> None:
        """One thing that is next."""
        who, bay, sheet = self.who, self.bay, self.who.opened.sheet
        bay.go(sheet.plan)
        self.entries += 1
        if move.kind == "move":
            self.rounds += move.happening == "together"
            bay.obey(move.happening, move.by)
            who.happen(move.happening, move.by)
        elif move.slot.startswith("target."):
            who.target()
        elif sheet.slots[move.slot].slot.ask == "tick":
            who.answer(move.slot, "yes")
        else:
            slot = sheet.slots[move.slot].slot
            tools = {tool.id: tool for tool in self.garage.tools(slot)}
            tool = next(
                (tools[id] for id in ("tape-4", "laser-2", "level-1") if id in tools), next(iter(tools.values()))
            )
            value = self.read(tool, bay.true(slot))
            word = "" if slot.way is None else "plus" if value >= 0 else "minus"
            who.read(move.slot, f"{abs(value) if slot.way else value:.2f}", tool.id, word, move.replaces)

    def read(self, tool: Tool, true: float) -> float:
        """What an instrument shows: its own constant and growing errors, its noise, its smallest step."""
        given, uniform = tool.contributions, self.chance.uniform
        constant, growing = self.offsets.setdefault(
            tool.id,
            (
                uniform(-given.accuracy_constant, given.accuracy_constant),
                uniform(-given.accuracy_ppm, given.accuracy_ppm) * 1e-6,
            ),
        )
        shown = true * (1 + growing) + constant + self.chance.gauss(0, given.repeatability)
        return round(shown / given.resolution) * given.resolution

    def to_run(self) -> bool:
        """Until the station may be run; false where it never comes to that."""
        for _ in range(MOST_STEPS):
            move = self.who.opened.sheet.next
            if move.kind in ("run", "blocked"):
                return move.kind == "run"
            self.step(move)
        return False


def sheet_figures(sheet: str, seeds: int) -> dict[str, float]:
    """Of a sheet's first station: false holds, e ÷ u of each quantity, moves a body, entries, how many got there."""
    off: dict[str, list[float]] = defaultdict(list)
    false, judged, moves, entries, reached = 0, 0, list[float](), list[float](), 0
    for seed in range(seeds):
        with tempfile.TemporaryDirectory() as folder:
            robot = Robot(sheet, seed, Path(folder))
            reached += (done := robot.to_run())
            if not done:
                continue
            now = robot.who.opened.sheet
            bodies = bodies_of(now.plan)
            moves.append(robot.rounds / len(bodies))
            entries.append(robot.entries)
            station = now.plan.station
            assert station is not None
            for number, one in enumerate(bodies, 1):
                forward, left, up, turn, *_ = robot.bay.bodies[f"{station.id}.{number}"]
                # As counted from the rear hubs and the thrust line where they truly are.
                rear = [robot.bay.scene.hub_off[corner] for corner in ("LR", "RR")]
                dx, dy = (statistics.fmean(one[k] for one in rear) for k in (0, 1))
                truth = {"forward": forward - dx, "left": left - dy, "height": up, "facing": turn}
                view = next(v for v in now.checks if getattr(v.check, "body", "") == one.id)
                for figure in view.judgement.figures:
                    if figure.id not in truth or (figure.id == "height" and not one.upright):
                        continue
                    off[figure.id].append((figure.value - truth[figure.id]) / figure.verdict.U * 2)
                    judged += 1
                    limit = max(abs(figure.lower or 0.0), abs(figure.upper or 0.0))
                    false += abs(truth[figure.id]) > limit
            robot.garage.close()
    found = {f"e_over_u_{name}": math.sqrt(statistics.fmean(e * e for e in errors)) for name, errors in off.items()}
    return found | {
        "false_holds": false / max(judged, 1),
        "moves": statistics.fmean(moves) if moves else math.nan,
        "entries": statistics.median(entries) if entries else math.nan,
        "reached": reached / seeds,
    }


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    for name in SHEETS:
        print(name, " ".join(f"{what} {value:.3f}" for what, value in sheet_figures(name, count).items()), flush=True)
