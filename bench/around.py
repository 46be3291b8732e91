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
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from escuadra.commands import Garage
from escuadra.core.instruments.instrument import Tool
from escuadra.core.vehicle.stance import CORNERS
from escuadra.core.visit.checks.base import Figure
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.together import bodies_of
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock, ground_flat, peopled

SHEETS = ("BL-SUR-02", "BL-SUR-03", "QE-MIR-01")
MOST_STEPS = 200


BLUNDERS = (10.0, -10.0, 25.0, -25.0, 100.0, -100.0)
"""What somebody misreads a length of a body by, mm: a thumb's width, another mark, a digit."""


class Robot:
    """Does what is next and nothing else; reads with each instrument's own noise, and once wrongly where it is told to.

    ``blunder``: which of its lengths, counted from the first, and by how much, mm.
    """

    def __init__(self, sheet: str, seed: int, folder: Path, blunder: tuple[int, float] | None = None) -> None:
        chance = random.Random(f"{sheet} {seed}")
        self.blunder, self.lengths, self.slip = blunder, 0, ""
        self.again, self.doubts = list[str](), list[str]()
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
        if self.slip and move.kind == "read" and sheet.setup.current(sheet.slots[move.slot].slot):
            self.again.append(move.slot)
            if any(view.check.id == move.check and view.judgement.trouble for view in sheet.checks):
                self.doubts.append(move.slot)
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
            if move.slot.startswith("together.") and slot.way is None:
                self.lengths += 1
                if self.blunder is not None and self.lengths == self.blunder[0] + 1:
                    self.slip, value = move.slot, value + self.blunder[1]
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

    def told(self) -> Iterator[tuple[Figure, float]]:
        """What is told of every body of the first station, and what of it is true."""
        now = self.who.opened.sheet
        station = now.plan.station
        assert station is not None
        for number, one in enumerate(bodies_of(now.plan), 1):
            forward, left, up, turn, *_ = self.bay.bodies[f"{station.id}.{number}"]
            # As counted from the rear hubs and the thrust line where they truly are.
            rear = [self.bay.scene.hub_off[corner] for corner in ("LR", "RR")]
            dx, dy = (statistics.fmean(one[k] for one in rear) for k in (0, 1))
            truth = {"forward": forward - dx, "left": left - dy, "height": up, "facing": turn}
            view = next(v for v in now.checks if getattr(v.check, "body", "") == one.id)
            for figure in view.judgement.figures:
                if figure.id in truth and (figure.id != "height" or one.upright):
                    yield figure, truth[figure.id]

    def out(self) -> int:
        """How much of what holds is truly out of tolerance."""
        return sum(abs(true) > max(abs(f.lower or 0.0), abs(f.upper or 0.0)) for f, true in self.told())


def blunder_figures(sheet: str, seeds: int) -> dict[str, float]:
    """Of so many set-ups with one length misread: read again, the others silent and out.

    Of those whose readings contradicted each other: among the first two that were asked for again.
    """
    planted = noticed = doubted = named = silent = reached = 0
    for seed in range(seeds):
        chance = random.Random(f"blunder {sheet} {seed}")
        with tempfile.TemporaryDirectory() as folder:
            robot = Robot(sheet, seed, Path(folder), (chance.randrange(24), chance.choice(BLUNDERS)))
            done = robot.to_run()
            if robot.slip:
                planted, reached = planted + 1, reached + done
                noticed += robot.slip in robot.again
                doubted += bool(robot.doubts)
                named += robot.slip in robot.doubts[:2]
                silent += done and robot.slip not in robot.again and robot.out() > 0
            robot.garage.close()
    most = max(planted, 1)
    found = {"noticed": noticed / most, "named": named / max(doubted, 1), "silent_and_out": silent / most}
    return found | {"reached": reached / most, "planted": float(planted)}


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
            moves.append(robot.rounds / len(bodies_of(robot.who.opened.sheet.plan)))
            entries.append(robot.entries)
            for figure, true in robot.told():
                off[figure.id].append((figure.value - true) / figure.verdict.U * 2)
                judged += 1
            false += robot.out()
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
        for figures in (sheet_figures, blunder_figures):
            print(name, " ".join(f"{what} {value:.3f}" for what, value in figures(name, count).items()), flush=True)
