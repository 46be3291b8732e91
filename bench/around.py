"""All that stands around the vehicle, set by what is next in a bay that reads with noise: false holds, e ÷ u, rounds.

Bodies that stand together, targets on stands of their own, a board that only has to be level and as high as the lenses
want it. The truth is the stand-ins' bay, whose forward model is its own: bodies turned, leant and lifted in space, hubs
off their model, a floor that is not flat. ``python bench/around.py [SEEDS]``.
"""

import math
import random
import statistics
import sys
import tempfile
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import ClassVar

sys.path.insert(0, str(Path(__file__).parent.parent))

from escuadra.commands import Garage
from escuadra.core.base.corners import CORNERS
from escuadra.core.instruments.instrument import Tool
from escuadra.core.visit.body_readings import bodies_of
from escuadra.core.visit.checks.base import Figure
from escuadra.core.visit.next_move import NextMove
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock, ground_flat, peopled

MOST_STEPS = 200
LEANS_DEG = 0.6
"""How far a frame that only has to be level leans at first, either way."""
BLUNDERS = (10.0, -10.0, 25.0, -25.0, 100.0, -100.0)
"""What somebody misreads a length of a body by, mm: a thumb's width, another mark, a digit."""


class Robot:
    """Does what is next and nothing else; reads with each instrument's own noise, and once wrongly where it is told to.

    ``blunder``: which of its lengths, counted from the first, and by how much, mm.
    """

    lengths_of: ClassVar[tuple[str, ...]] = ("together.",)
    """What the lengths that may be misread are called."""
    most_lengths: ClassVar[int] = 24
    """One of so many is."""
    moved_by: ClassVar[str] = "together"

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
        self.bay = VirtualBay(self.who.opened.sheet.plan, self.start(chance), seed=seed)
        u = self.who.opened.sheet.plan.vehicle.u_hub_mm
        off = {corner: (chance.gauss(0, u), chance.gauss(0, u)) for corner in CORNERS}
        self.chance, self.offsets = chance, dict[str, tuple[float, float]]()
        self.bay.scene = replace(self.bay.scene, hub_off=off)
        if "pair.front.1.left" in self.who.opened.sheet.slots:
            self.who.line(("0.06", "0.06"))
        self.set_up, self.entries, self.rounds = len(bodies_of(self.who.opened.sheet.plan)), 0, 0
        """How many things stand there, each by moves of its own; what was entered and moved."""

    def start(self, chance: random.Random) -> tuple[float, float, float, float]:
        """Where a frame stands at first: away, left (mm), yaw (degrees), height (mm); there is none here."""
        return 0.0, 0.0, 0.0, 0.0

    def step(self, move: NextMove) -> None:
        """One thing that is next."""
        who, bay, sheet = self.who, self.bay, self.who.opened.sheet
        bay.go(sheet.plan)
        self.entries += 1
        if self.slip and move.kind == "read" and sheet.epochs.current(sheet.slots[move.slot].slot):
            self.again.append(move.slot)
            if any(view.check.id == move.check and view.judgement.inconsistency for view in sheet.checks):
                self.doubts.append(move.slot)
        if move.kind == "move":
            self.rounds += move.happening == self.moved_by
            bay.obey(move.happening, move.by)
            who.happen(move.happening, move.by)
        elif move.slot.startswith("target."):
            who.target()
        elif sheet.slots[move.slot].slot.ask == "tick":
            who.answer(move.slot, "yes")
            _, station, name, *what = f"{move.slot}...".split(".")
            if any("mark_at" in part for part in what):
                bay.marked(station, name)
        elif (options := sheet.slots[move.slot].slot.options) and move.kind == "answer":
            who.answer(move.slot, options[0])
        else:
            slot = sheet.slots[move.slot].slot
            tools = {tool.id: tool for tool in self.garage.tools(slot)}
            tool = next(
                (tools[id] for id in ("tape-4", "laser-2", "level-1") if id in tools), next(iter(tools.values()))
            )
            value = self.read(tool, bay.true(slot))
            if move.slot.startswith(self.lengths_of) and slot.way is None:
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
            dx, dy = self.beside
            truth = {"forward": forward - dx, "left": left - dy, "height": up, "facing": turn}
            view = next(v for v in now.checks if getattr(v.check, "body", "") == one.id)
            for figure in view.judgement.figures:
                if figure.id in truth and (figure.id != "height" or one.upright):
                    yield figure, truth[figure.id]

    @property
    def beside(self) -> tuple[float, float]:
        """Where the middle between the rear hubs truly is, which the thrust line starts from: forward and left, mm."""
        rear = [self.bay.scene.hub_off[corner] for corner in ("LR", "RR")]
        return statistics.fmean(dx for dx, _ in rear), statistics.fmean(dy for _, dy in rear)

    def out(self) -> int:
        """How much of what holds is truly out of tolerance."""
        return sum(
            not (-math.inf if f.lower is None else f.lower) <= true <= (math.inf if f.upper is None else f.upper)
            for f, true in self.told()
        )


class OfLenses(Robot):
    """A board that has no line: its frame stands askew and 40 mm too high or low, and has to be level and right."""

    lengths_of, most_lengths, moved_by = ("height.",), 3, "height"

    def __init__(self, sheet: str, seed: int, folder: Path, blunder: tuple[int, float] | None = None) -> None:
        super().__init__(sheet, seed, folder, blunder)
        self.set_up = 1
        self.bay.roll, self.bay.pitch = (self.chance.uniform(-LEANS_DEG, LEANS_DEG) for _ in range(2))

    def start(self, chance: random.Random) -> tuple[float, float, float, float]:
        return 0.0, 0.0, 0.0, chance.uniform(-40, 40)

    def told(self) -> Iterator[tuple[Figure, float]]:
        bay = self.bay
        truth = {"height": bay.centre[2], "level.roll": bay.roll, "level.pitch": bay.pitch}
        for view in self.who.opened.sheet.checks:
            if view.check.kind in ("target_height", "level"):
                yield from ((figure, truth[figure.id]) for figure in view.judgement.figures)


class OfStands(Robot):
    """The frame's station run as its robots of their own do it; then a target on a stand at each further place."""

    lengths_of, moved_by = ("stand.",), "stand"

    def __init__(self, sheet: str, seed: int, folder: Path, blunder: tuple[int, float] | None = None) -> None:
        super().__init__(sheet, seed, folder, blunder)
        self.found, self.at, self.stations = (
            list[tuple[Figure, float]](),
            "",
            len(self.who.opened.sheet.plan.whole.at_stations),
        )

    def start(self, chance: random.Random) -> tuple[float, float, float, float]:
        return chance.uniform(-40, 40), chance.uniform(-40, 40), chance.uniform(-2, 2), chance.uniform(-40, 40)

    def step(self, move: NextMove) -> None:
        station = self.who.opened.sheet.plan.station
        if station is not None and station.id != self.at:
            # Only where the next begins: what proves the last is read of it as it stands.
            self.at, spread = station.id, self.chance.uniform
            self.bay.stand = spread(-40, 40), spread(-40, 40), spread(-2, 2)
        super().step(move)

    def to_run(self) -> bool:
        for _ in range(2 * self.stations):
            if not super().to_run():
                return False
            sheet = self.who.opened.sheet
            stood = list(self._stood())
            self.set_up += bool(stood)
            self.found += stood
            if sheet.plan.station is not None and sheet.plan.station.id == list(sheet.plan.whole.at_stations)[-1]:
                return True
            self.who.run()
        return False

    def _stood(self) -> Iterator[tuple[Figure, float]]:
        (dx, dy), (forward, left, turned) = self.beside, self.bay.stand
        truth = {"forward": forward - dx, "left": left - dy, "facing": turned}
        for view in self.who.opened.sheet.checks:
            if view.check.kind == "staked":
                yield from ((one, truth[one.id]) for one in view.judgement.figures if one.id in truth)

    def told(self) -> Iterator[tuple[Figure, float]]:
        yield from self.found


SHEETS: Mapping[str, type[Robot]] = {
    "BL-SUR-01": OfStands,
    "BL-SUR-02": Robot,
    "BL-SUR-03": Robot,
    "QE-MIR-01": Robot,
    "QR-CAM-03": OfLenses,
    "QR-CAM-04": OfLenses,
}
"""Every practice sheet of what stands around the vehicle or has no line, and who sets it up."""


def blunder_figures(sheet: str, seeds: int) -> dict[str, float]:
    """Of so many set-ups with one length misread: read again, the others silent and out.

    Of those whose readings contradicted each other: among the first two that were asked for again.
    """
    by = SHEETS[sheet]
    planted = noticed = doubted = named = silent = reached = 0
    for seed in range(seeds):
        chance = random.Random(f"blunder {sheet} {seed}")
        with tempfile.TemporaryDirectory() as folder:
            robot = by(sheet, seed, Path(folder), (chance.randrange(by.most_lengths), chance.choice(BLUNDERS)))
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
    return found | {"reached": reached / most, "planted": float(planted), "doubted": float(doubted)}


def sheet_figures(sheet: str, seeds: int) -> dict[str, float]:
    """Of a sheet's first station: false holds, e ÷ u of each quantity, moves a body, entries, how many got there."""
    off: dict[str, list[float]] = defaultdict(list)
    false, judged, moves, entries, reached = 0, 0, list[float](), list[float](), 0
    for seed in range(seeds):
        with tempfile.TemporaryDirectory() as folder:
            robot = SHEETS[sheet](sheet, seed, Path(folder))
            reached += (done := robot.to_run())
            if not done:
                continue
            moves.append(robot.rounds / max(robot.set_up, 1))
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
        "judged": float(judged),
    }


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    for name in SHEETS:
        for figures in (sheet_figures, blunder_figures):
            print(name, " ".join(f"{what} {value:.3f}" for what, value in figures(name, count).items()), flush=True)
