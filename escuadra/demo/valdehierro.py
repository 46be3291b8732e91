"""The demo data: one invented garage, four jobs in different states. Made-up figures: practice only.

A frame's true pose is planted and its readings follow from trigonometry, rounded as a person would read them.
"""

import math
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from pathlib import Path

from escuadra.core.axes import turned
from escuadra.core.bay import Place
from escuadra.core.errors import BadInput
from escuadra.core.job.checks.vehicle import SOUND
from escuadra.core.job.checks.wheels import AlignmentCheck
from escuadra.core.job.events import ReadingTaken
from escuadra.core.stance import CORNERS
from escuadra.demo import instruments
from escuadra.demo.floors import fill_floors
from escuadra.jobs import Garage, Opened, TakeIn
from escuadra.reports.record import render_record
from escuadra.store import dialect

MADE_BY = "demo of valdehierro"
PEOPLE = (
    ("ines", "Inés Robledo", "lead"),
    ("teo", "Teo Marchena", "specialist"),
    ("amara", "Amara Quist", "specialist"),
    ("nuno", "Nuno Salgado", "trainee"),
)
BAYS = ("Norte", "Patio", "Muelle")
FRONT_TAPES = tuple((hub, end) for hub in ("LF", "RF") for end in ("LF_end", "RF_end"))


def open_demo(data: Path, clock: Callable[[], int]) -> Garage:
    """The demo garage; refuses a folder whose data the demo did not make. A half-filled one is made anew."""
    if data.exists() and any(data.iterdir()):
        if not dialect.there(data):
            raise BadInput("data", str(data), "an empty folder or a demo garage: this one holds something else")
        garage = Garage(data, clock)
        made_by, filled = garage.store.setting("made_by"), garage.store.setting("filled")
        if made_by == MADE_BY and filled:
            return garage
        garage.close()
        if made_by != MADE_BY:
            raise BadInput("data", str(data), "an empty folder or a demo garage: this garage is somebody's own")
        for left in data.glob(f"{dialect.FILE_NAME}*"):
            left.unlink()
    garage = Garage(data, clock)
    garage.store.set("made_by", MADE_BY)
    fill(garage)
    garage.store.set("filled", "yes")
    return garage


def fill(garage: Garage) -> None:
    """People, bays with their floors, and the four jobs."""
    garage.store.set("name", "Valdehierro")
    garage.store.set("time_zone", "Europe/Madrid")
    for person in PEOPLE:
        garage.store.add_person(*person)
    fill_floors(garage)
    now = garage.clock
    start = int(datetime.fromtimestamp(now() / 1000, UTC).replace(minute=7, second=12).timestamp() * 1000)
    instruments.write(garage, start)
    try:
        _signed(Technician(garage, start - 26 * 3_600_000, "amara"))
        _contradicting(Technician(garage, start - 3 * 3_600_000, "amara"))
        _half_way(Technician(garage, start - 2 * 3_600_000, "teo"))
        _taken_in(Technician(garage, start - 1 * 3_600_000, "nuno"))
    finally:
        garage.clock = now


class Technician:
    """Writes a job through the garage's commands, a minute or so between entries."""

    def __init__(self, garage: Garage, start: int, person: str) -> None:
        self.garage, self.at, self.person, self.job, self.count = garage, start, person, "", 0
        garage.clock = self.clock

    def clock(self) -> int:
        """The technician's own watch."""
        return self.at

    def id(self) -> str:
        """A key press of its own, a while after the last."""
        self.at += 47_000
        self.count += 1
        return f"demo-{self.job}-{self.count}"

    @property
    def opened(self) -> Opened:
        """The job as it is."""
        return self.garage.open(self.job)

    def take_in(self, **asked: object) -> None:
        """Take a job in."""
        self.job = self.garage.take_in(
            TakeIn.read({"frame": "galga-2", **asked}), self.person, f"demo-{asked['number']}"
        ).row.id

    def read(self, slot: str, typed: str, tool: str, word: str = "", replaces: bool = False) -> None:
        """Record a reading as typed."""
        self.garage.record(self.job, slot, typed, tool, self.person, self.id(), word, replaces, understood=typed)

    def answer(self, slot: str, value: str) -> None:
        """Answer a tick or a choice."""
        self.garage.answer(self.job, slot, value, self.person, self.id())

    def happen(self, what: str, amount: str = "", by: Mapping[str, float] | None = None) -> None:
        """Something was moved or bumped."""
        self.garage.happen(self.job, what, self.person, self.id(), amount, by)

    def ready(self) -> None:
        """Everything of the vehicle as it should be, then the floor."""
        plan = self.opened.sheet.plan
        alignment = next(c for c in plan.procedure.checks if isinstance(c, AlignmentCheck))
        tyres = plan.vehicle.tyres
        assert tyres is not None
        day = datetime.fromtimestamp(self.at / 1000 - 9 * 86_400, UTC).date().isoformat()
        answers = {"printed.day": day, "tyre.state": "cold", "battery.support": "yes", "tick.doors": "yes"}
        figures: dict[str, tuple[str, str, str]] = {
            "toe.left": (f"{alignment.rear_toe.nominal:g}", "printout", "toe-in"),
            "toe.right": (f"{alignment.rear_toe.nominal:g}", "printout", "toe-in"),
            "toe.LF": (f"{alignment.front_toe.nominal:g}", "printout", "toe-in"),
            "toe.RF": (f"{alignment.front_toe.nominal:g}", "printout", "toe-in"),
            "printed.thrust": ("0", "printout", ""),
            "steering.wheel": ("0.3", "level-1", "turned left"),
            "bracket.lean": ("0.2", "level-1", "top back"),
            "battery.volts": ("13.3", "volt-3", ""),
            "aboard": ("0", "scales-1", ""),
        }
        for corner in CORNERS:
            front = corner[1] == "F"
            camber = alignment.front_camber if front else alignment.rear_camber
            answers[f"tyre.size.{corner}"] = tyres.sizes[0]
            figures[f"camber.{corner}"] = (f"{abs(camber.nominal):g}", "printout", "top inward")
            figures[f"tyre.pressure.{corner}"] = (f"{tyres.front_kpa if front else tyres.rear_kpa:g}", "gauge-6", "")
            figures[f"tyre.tread.{corner}"] = ("6.4" if front else "5.9", "tread-2", "")
        for view in self.opened.sheet.groups[0].checks:
            for slot in [s.slot for s in view.slots]:
                if slot.id.startswith("condition."):
                    self.answer(slot.id, SOUND)
                elif slot.id.startswith("filled."):
                    self.read(slot.id, "98", "gauges")
                elif slot.id in answers:
                    self.answer(slot.id, answers[slot.id])
                elif slot.id in figures:
                    self.read(slot.id, *figures[slot.id])
        self.floor()

    def printout(self) -> None:
        """The alignment printout once more, as it was."""
        for slot in ("printed.day", "toe.left", "toe.right", "toe.LF", "toe.RF", "printed.thrust"):
            self._again(slot)
        for corner in CORNERS:
            self._again(f"camber.{corner}")

    def _again(self, slot: str) -> None:
        """What was entered last in a slot, once more."""
        said = self.opened.state.entries[slot][-1].said
        if isinstance(said, ReadingTaken):
            word = said.understood.partition("°")[2].strip()
            self.read(slot, said.typed, said.tool.id, word)
        else:
            self.answer(slot, said.value)

    def floor(self) -> None:
        """The floor: on its marks where a place was chosen, else the slopes as typed."""
        if self.opened.sheet.plan.standing is not None:
            self.answer("floor.marks", "yes")
            return
        for place, along, across in (("wheels", "0.12", "0.08"), ("target", "0.17", "0.05")):
            self.read(f"slope.{place}.along", along, "level-1", "falling forward")
            self.read(f"slope.{place}.across", across, "level-1", "rising left")

    def place(self, x: float, y: float, heading_deg: float = 0.0) -> None:
        """Choose where the vehicle stands."""
        self.garage.place(self.job, Place(x=x, y=y, heading_deg=heading_deg), self.person, self.id())

    def around(self) -> None:
        """Everything that is asked about before the run."""
        for slot in self.opened.sheet.slots:
            if slot.startswith("around."):
                self.answer(slot, "yes")

    def stance(self, *deviations: float) -> None:
        """The four arches, as deviations from nominal."""
        nominal = self.opened.sheet.plan.vehicle.arches
        for corner, deviation in zip(("LF", "RF", "LR", "RR"), deviations, strict=True):
            self.read(f"arch.{corner}", f"{getattr(nominal, corner) + deviation:g}", "tape-4")

    def line(self, toe: tuple[str, str] | None = None) -> None:
        """Two pairs and the mark at either end; rear toe where it is known."""
        half = self.opened.sheet.plan.vehicle.outline.width / 2
        for end, middle in (("front", 1203.0), ("rear", 1188.5)):
            for k, (reach, off) in enumerate(((half - 160, 0.5), (half - 330, -0.5)), 1):
                self.read(f"pair.{end}.{k}.left", f"{middle + reach + off:g}", "tape-4")
                self.read(f"pair.{end}.{k}.right", f"{middle - reach + off:g}", "tape-4")
            self.read(f"mark.{end}", f"{middle:g}", "tape-4")
        if toe is not None:
            self.read("toe.left", toe[0], "printout", "toe-in", replaces=True)
            self.read("toe.right", toe[1], "printout", "toe-in", replaces=True)

    def target(self) -> None:
        """The target that the sheet wants."""
        mounting, target = self.opened.sheet.plan.procedure.mounting, self.opened.sheet.plan.target
        for what, value in (
            ("identity", target.mark),
            ("side", mounting.side),
            ("way_up", mounting.way_up),
            ("fixing", mounting.fixing),
        ):
            self.answer(f"target.{what}", value)

    def level(self, height_off: float = 0.0) -> None:
        """Zero marks, level, target height, and the heights of beam and hubs."""
        if "tick.zero" in self.opened.sheet.slots:
            self.answer("tick.zero", "yes")
        self.read("level.roll", "0.04", "level-1", "LF end high")
        self.read("level.pitch", "0.02", "level-1", "leaning away")
        plan = self.opened.sheet.plan
        self.read("height.target", f"{plan.target_above_floor + height_off:.0f}", "tape-4")
        for what, height in self.heights().items():
            self.read(f"height.{what}", f"{height:g}", "tape-4")

    def heights(self) -> dict[str, float]:
        """True heights of beam ends and hubs."""
        hub = self.opened.sheet.plan.vehicle.hub_height
        return {"LF_end": hub + 212, "RF_end": hub + 213, "LF": hub - 1, "RF": hub + 1, "LR": hub, "RR": hub}

    def tapes(
        self,
        off: tuple[float, float, float],
        tapes: tuple[tuple[str, str], ...] = FRONT_TAPES,
        wrong: tuple[str, float] = ("", 0),
    ) -> None:
        """Tapes to a beam that stands off its goal by (away mm, left mm, yaw degrees), and the floor laser."""
        plan, heights = self.opened.sheet.plan, self.heights()
        away, left, yaw = off
        goal = plan.nominal_goal
        for hub, end in tapes:
            hx, hy = plan.vehicle.hub(hub)  # type: ignore[arg-type]
            bx, by = turned(yaw, *plan.frame_points[end])
            level = math.hypot(goal.x + away + bx - hx, goal.y + left + by - hy)
            floor = plan.floor_between(hub, end)  # type: ignore[arg-type]
            slanted = math.hypot(level, heights[end] - heights[hub] + (floor.value if floor else 0.0))
            slot = f"tape.{hub}.{end}"
            self.read(slot, f"{slanted + (wrong[1] if slot == wrong[0] else 0):.0f}", "tape-4")
        if tapes == FRONT_TAPES:
            self.read("crossing", f"{-(goal.y + left) / math.cos(math.radians(yaw)):.1f}", "laser-2")


def _taken_in(who: Technician) -> None:
    who.take_in(
        number="VF-0419",
        vin="ZZ9QE21B1RV004171",
        plate="VH 2207",
        odometer_km=61240,
        customer="Parks department",
        reason="windscreen replaced",
        bay="Patio",
        procedure="QE-CAM-01",
    )


def _half_way(who: Technician) -> None:
    who.take_in(
        number="VF-0417",
        vin="ZZ9BL09C6RV000917",
        plate="VH 0931",
        odometer_km=184310,
        customer="Line 9, school minibus",
        reason="windscreen replaced",
        bay="Norte",
        procedure="BL-CAM-01",
    )
    who.place(2600, 2500)
    who.ready()
    who.stance(-3, -4, -6, -5)
    who.line(("0.12", "0.06"))
    who.target()
    who.level()
    who.tapes((12, 6, 0.42))
    who.happen("yaw", "Turn the yaw screw at the LF end 1.3 turns anticlockwise.")
    who.tapes((9, 5, 0.2))
    who.happen("door")
    who.happen("slide", "Slide the frame 12 mm to the right.")


def _contradicting(who: Technician) -> None:
    who.take_in(
        number="VF-0416",
        vin="ZZ9HV14A9RV002238",
        plate="VH 1162",
        odometer_km=97755,
        customer="Ambulance service",
        reason="front camera replaced",
        bay="Muelle",
        procedure="HV-CAM-01",
    )
    who.place(3000, 2600)
    who.ready()
    who.stance(2, 1, -2, -3)
    who.line()
    who.target()
    who.level(1)
    who.tapes((2, -1, 0.05), wrong=("tape.LF.RF_end", 18))


def _signed(who: Technician) -> None:
    who.take_in(
        number="VF-0412",
        vin="ZZ9BC33D4RV001552",
        plate="VH 0718",
        odometer_km=120884,
        customer="Street lighting",
        reason="wheel alignment done",
        bay="Norte",
        procedure="BC-CAM-01",
    )
    who.place(2400, 2500)
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    who.target()
    who.level()
    rear = (("LR", "LF_end"), ("RR", "RF_end"))
    who.tapes((9, 4, 0.3))
    who.happen("yaw", "Turn the yaw screw at the LF end 0.9 of a turn anticlockwise.")
    who.tapes((0.5, 0.3, 0.0))
    who.tapes((0.5, 0.3, 0.0), rear)
    who.around()
    who.person = "ines"
    who.garage.sign(who.job, who.opened.row.head, who.person, who.id(), render_record(who.garage))
