"""Someone who works in the garage: takes a job in and reads what there is to be read, for the demo and for tests.

A frame's true pose is planted and its readings follow from trigonometry, rounded as a person would read them.
"""

import math
from collections.abc import Mapping
from datetime import UTC, datetime
from types import MappingProxyType

from escuadra.commands import Garage, Opened, TakeIn
from escuadra.commands.entries import Answer, Happen
from escuadra.commands.reading import SIGNS, TakeReading
from escuadra.commands.running import RunProcedure, TakeStep
from escuadra.commands.taking_in import BeginVisit, ChoosePlace
from escuadra.commands.whole import AnswerVariant
from escuadra.core.base.axes import turned
from escuadra.core.base.corners import CORNERS, FRONT
from escuadra.core.bay.bay import Place
from escuadra.core.visit.attempts import PASSED
from escuadra.core.visit.checks.also_hung import AlsoHungCheck, wanted
from escuadra.core.visit.checks.target import mount_for
from escuadra.core.visit.checks.vehicle import SOUND
from escuadra.core.visit.checks.wheels import AlignmentCheck
from escuadra.core.visit.conductor import conducted
from escuadra.core.visit.lenses import BETWEEN
from escuadra.core.visit.log.events import ReadingTaken, StepSaid
from escuadra.core.visit.log.places import OUTCOME, ResultPlace, family
from escuadra.core.visit.methods.marks import PAIR_MIDDLE, pair_half
from escuadra.core.visit.plan import slope_slot, slope_slots
from escuadra.core.visit.target_on_beam import read_at
from escuadra.core.visit.target_on_stand import on_face, points_of, staking, stand_tapes
from escuadra.core.visit.views import CheckView
from escuadra.devices.virtual_bay import SLOPES

PRESS_MS = 47_000
"""From one press to the next."""
NO_FIGURES: Mapping[str, float] = MappingProxyType({})
NO_RESPONSES: Mapping[str, str] = MappingProxyType({})
MOST_LOOKS = 12
"""More are never asked for, to be sure of what was read."""
FRONT_TAPES = tuple((hub, end) for hub in FRONT for end in ("LF_end", "RF_end"))


class Technician:
    """Writes a job through the garage's commands, a minute or so between entries."""

    roll = 0.04
    """What the level on the beam shows, degrees."""

    def __init__(self, garage: Garage, start: int, person: str) -> None:
        self.garage, self.at, self.person, self.job, self.count = garage, start, person, "", 0
        self.calibration = ""
        """Which calibration of the visit is worked at; empty: the first."""
        garage.clock = self.clock

    def clock(self) -> int:
        """The technician's own watch."""
        return self.at

    def id(self) -> str:
        """A key press of its own, a while after the last."""
        self.at += PRESS_MS
        self.count += 1
        return f"demo-{self.job}-{self.count}"

    @property
    def opened(self) -> Opened:
        """The job as it is."""
        return self.garage.open(self.job, self.calibration)

    def take_in(self, **asked: object) -> None:
        """Take a job in."""
        job = TakeIn.read({"frame": "galga-2", **asked})
        begun = self.garage.do(BeginVisit(job), self.person, f"demo-{asked['number']}")
        self.job = begun.row.id
        sheet = str(asked.get("procedure", ""))
        covers = self.garage.catalogue.get("procedure", sheet).content.covers if sheet else {}
        for known in self.garage.gate(begun).known:
            option = known.by_vin or covers.get(known.question.id, [known.question.options[0].id])[0]
            self.garage.do(AnswerVariant(self.job, known.question.id, option, "look"), self.person, self.id())

    def check(self, id: str) -> CheckView:
        """One of the sheet's checks."""
        found = self.opened.sheet.check(id)
        assert found is not None, id
        return found

    def read(self, slot: str, typed: str, tool: str, word: str = "", replaces: bool = False) -> None:
        """Record a reading as typed."""
        self.garage.do(
            TakeReading(self.job, slot, typed, tool, word, replaces, typed, calibration=self.calibration),
            self.person,
            self.id(),
        )

    def answer(self, slot: str, value: str) -> None:
        """Answer a tick or a choice."""
        self.garage.do(Answer(self.job, slot, value, calibration=self.calibration), self.person, self.id())

    def happen(self, what: str, by: Mapping[str, float | str] | None = None) -> None:
        """Something was moved, as told where it is said by how much, or bumped."""
        told = Happen(self.job, what, "told" if by else "reported", by or {}, calibration=self.calibration)
        self.garage.do(told, self.person, self.id())

    def ready(self) -> None:
        """Everything of the vehicle as it should be, then the floor."""
        plan = self.opened.sheet.plan
        alignment = next(c for c in plan.procedure.checks if isinstance(c, AlignmentCheck))
        tyres = plan.vehicle.tyres
        assert tyres is not None
        day = datetime.fromtimestamp(self.at / 1000 - 9 * 86_400, UTC).date().isoformat()
        answers = {"printed.day": day, "tyre.state": "cold", "battery.support": "yes", "tick.doors": "yes"}
        figures: dict[str, tuple[str, str, str]] = {
            "toe.left": (f"{alignment.rear_toe.nominal:g}", "printout", "plus"),
            "toe.right": (f"{alignment.rear_toe.nominal:g}", "printout", "plus"),
            "toe.LF": (f"{alignment.front_toe.nominal:g}", "printout", "plus"),
            "toe.RF": (f"{alignment.front_toe.nominal:g}", "printout", "plus"),
            "printed.thrust": ("0", "printout", ""),
            "steering.wheel": ("0.3", "level-1", "plus"),
            "bracket.lean": ("0.2", "level-1", "minus"),
            "battery.volts": ("13.3", "volt-3", ""),
            "aboard": ("0", "scales-1", ""),
        }
        for corner in CORNERS:
            front = corner in FRONT
            camber = alignment.front_camber if front else alignment.rear_camber
            answers[f"tyre.size.{corner}"] = tyres.sizes[0]
            figures[f"camber.{corner}"] = (f"{abs(camber.nominal):g}", "printout", "minus")
            figures[f"tyre.pressure.{corner}"] = (f"{tyres.front_kpa if front else tyres.rear_kpa:g}", "gauge-6", "")
            figures[f"tyre.tread.{corner}"] = ("6.4" if front else "5.9", "tread-2", "")
        for view in self.opened.sheet.groups[0].checks:
            for slot in [s.slot for s in view.slots]:
                if family(slot.id) == "condition":
                    self.answer(slot.id, SOUND)
                elif family(slot.id) == "stored" and slot.ask == "choice":
                    self.answer(slot.id, BETWEEN)
                elif family(slot.id) == "stored":
                    self.read(slot.id, "0.4", "tester", "minus")
                elif family(slot.id) == "filled":
                    self.read(slot.id, "98", "gauges")
                elif slot.id in answers:
                    self.answer(slot.id, answers[slot.id])
                elif slot.id in figures:
                    self.read(slot.id, *figures[slot.id])
        self.floor()

    def set_up(self, deviations: tuple[float, ...] = (1, 2, -1, 0), toe: tuple[str, str] = ("0.07", "0.05")) -> None:
        """All that comes before the run, of a vehicle and a frame that stand as they should."""
        self.ready()
        self.stance(*deviations)
        self.line(toe)
        self.target()
        self.level()
        self.tapes((0.5, -0.9, 0.0))
        self.tapes((0.5, -0.9, 0.0), (("LR", "LF_end"), ("RR", "RF_end")))
        self.around()

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
            word = SIGNS[said.value < 0] if said.way else ""
            self.read(slot, said.typed, said.tool.id, word)
        else:
            self.answer(slot, said.value)

    def floor(self) -> None:
        """The floor: on its marks where a place was chosen, else the slopes as typed."""
        if self.opened.sheet.plan.standing is not None:
            self.answer("floor.marks", "yes")
            return
        under = f"{-SLOPES['along']:g}", f"{SLOPES['across']:g}"
        typed = dict(zip(("along", "across"), zip(under, ("0.17", "0.05"), strict=True), strict=True))
        plan = self.opened.sheet.plan
        under_wheels = [slope_slot("wheels", way, plan) for way in typed]
        for slot in slope_slots(plan):
            way, elsewhere = slot.which, slot not in under_wheels
            self.read(slot.id, typed[way][elsewhere], "level-1", "minus" if way == "along" else "plus")

    def place(self, x: float, y: float, heading_deg: float = 0.0) -> None:
        """Choose where the vehicle stands."""
        self.garage.do(ChoosePlace(self.job, Place(x=x, y=y, heading_deg=heading_deg)), self.person, self.id())

    def around(self) -> None:
        """Everything that is asked about before the run."""
        for slot in self.opened.sheet.slots:
            if family(slot) == "around" or slot == "tick.trim":
                self.answer(slot, "yes")

    def stance(self, *deviations: float) -> None:
        """The four arches, as deviations from nominal."""
        nominal = self.opened.sheet.plan.vehicle.arches
        for corner, deviation in zip(("LF", "RF", "LR", "RR"), deviations, strict=True):
            self.read(f"arch.{corner}", f"{getattr(nominal, corner) + deviation:g}", "tape-4")

    def line(self, toe: tuple[str, str] | None = None) -> None:
        """Two pairs and the mark at either end; rear toe where it is known."""
        plan = self.opened.sheet.plan
        for end, middle in PAIR_MIDDLE.items():
            for k, off in ((1, 0.5), (2, -0.5)):
                reach = pair_half(plan, k)
                self.read(f"pair.{end}.{k}.left", f"{middle + reach + off:g}", "tape-4")
                self.read(f"pair.{end}.{k}.right", f"{middle - reach + off:g}", "tape-4")
            self.read(f"mark.{end}", f"{middle:g}", "tape-4")
        if toe is not None:
            self.read("toe.left", toe[0], "printout", "plus", replaces=True)
            self.read("toe.right", toe[1], "printout", "plus", replaces=True)

    def target_beside(self, slot: str) -> None:
        """What of a further target on the beam is asked, as the sheet wants it."""
        plan, (_, id, what) = self.opened.sheet.plan, slot.split(".")
        checks = (check for check in plan.procedure.checks if isinstance(check, AlsoHungCheck))
        one = next(one for check in checks for one in check.targets if one.id == id)
        self.answer(slot, wanted(plan, one)[what])

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
        if "target.mount" in self.opened.sheet.slots:
            self.answer("target.mount", mount_for(self.opened.sheet.epochs))

    def hang(self, off: float = 0.0) -> None:
        """Where on the beam the target hangs, off where it should, and what else of it is read."""
        plan, slots = self.opened.sheet.plan, self.opened.sheet.slots
        self.read("hang", f"{read_at(plan, plan.hang) + off:g}", "rule-3")
        if "spacing" in slots and not slots["spacing"].now and plan.station is not None:
            self.read("spacing", f"{plan.station.spacing:g}", "rule-3")

    def shifted(self, off: tuple[float, float, float] = (0.5, -0.9, 0.0), wrong: float = 0.0) -> None:
        """What the sheet asks for after the target was shifted; the tape that notices a bump misread by ``wrong``."""
        self.hang()
        self.read("level.roll", "0.03", "level-1", "plus")
        self.read("level.pitch", "0.02", "level-1", "plus")
        epochs = self.opened.sheet.epochs
        self.tape(epochs.watched(epochs.epoch), off, wrong)
        self.read("crossing", f"{-off[1]:g}", "laser-2")
        for _ in range(0 if wrong else MOST_LOOKS):
            move = self.opened.sheet.next
            if move.kind != "read" or family(move.slot) == "around":
                return
            self.look(move.slot, off)

    def tape(self, slot: str, off: tuple[float, float, float] = (0.5, -0.9, 0.0), wrong: float = 0.0) -> None:
        """One tape more, to a frame that stands off the station's goal."""
        joins = self.opened.sheet.slots[slot].slot.between
        assert joins is not None
        self.tapes(off, (joins,), (slot, wrong))

    def stand(self, off: tuple[float, float] = (0.0, 0.0), turned_deg: float = 0.0) -> None:
        """The stand's tapes and its height, from a place that far forward and left of where it must be."""
        epochs = self.opened.sheet.epochs
        way, plan = staking(epochs), epochs.plan
        assert way is not None
        centre = (way.centre[0] + off[0], way.centre[1] + off[1])
        for tape in stand_tapes(epochs):
            if tape.slot.optional:
                continue
            x, y = on_face(centre, way.facing_deg + turned_deg, points_of(plan)[tape.part])
            cx, cy, _ = way.controls[tape.control]
            self.read(tape.slot.id, f"{math.hypot(x - cx, y - cy):.0f}", "tape-4")
        assert plan.station is not None
        self.read(f"standheight.{plan.station.id}", f"{plan.target_above_floor - plan.up_to_centre:.0f}", "tape-4")

    def run(self, responses: Mapping[str, str] = NO_RESPONSES) -> None:
        """The procedure run, at the station at hand where there are several; what a radar responds, by the step."""
        station = self.opened.sheet.plan.station
        here = station.id if station is not None else ""
        if steps := self.opened.sheet.plan.procedure.steps:
            for step in steps:
                if step.heights:
                    self.heights_for_routine(step.id)
                else:
                    self.step(step.id, step.wait_s, response=responses.get(step.id, ""), clear=step.transmits)
            return
        self.garage.do(RunProcedure(self.job, here, calibration=self.calibration), self.person, self.id())

    def step(
        self,
        id: str,
        wait_s: float | None = None,
        what: StepSaid = "done",
        why: str = "",
        response: str = "",
        unit: str = "",
        clear: bool = False,
    ) -> None:
        """A step of a conducted run, its wait sat out; ``unit``: opened in the tester, the sheet's own unless said."""
        if wait_s is not None and what == "done":
            self.garage.do(TakeStep(self.job, id, "begun", calibration=self.calibration), self.person, self.id())
            # Each press takes a while of its own; an exact wait leaves no more than it is long.
            self.at += round(wait_s * 1000) - PRESS_MS
        opened = unit or self.opened.sheet.plan.procedure.side or ""
        said = TakeStep(
            self.job, id, what, why, clear or bool(response), response, unit=opened, calibration=self.calibration
        )
        self.garage.do(said, self.person, self.id())

    def heights_for_routine(self, id: str) -> None:
        """The arches read once more, typed into the routine as it wants them, and read back."""
        slots = self.opened.sheet.slots
        typed: dict[str, str] = {}
        for corner in CORNERS:
            read = slots[f"arch.{corner}"].now[-1].said
            assert isinstance(read, ReadingTaken)
            typed[corner] = f"{read.value:g} mm"
        begun = TakeStep(self.job, id, "begun", heights=typed, calibration=self.calibration)
        self.garage.do(begun, self.person, self.id())
        now = conducted(self.opened.sheet.plan.procedure, self.opened.state).now
        back = {name: f"{value:g}" for name, value in now.typed.items()} if now is not None else {}
        self.garage.do(TakeStep(self.job, id, "done", back=back, calibration=self.calibration), self.person, self.id())

    def result(self, outcome: str = PASSED, off: Mapping[str, float] = NO_FIGURES) -> None:
        """What came of the run: passed, with all that the routine shows; ``off``: degrees, by figure."""
        self.answer(OUTCOME, outcome)
        for figure in self.opened.sheet.plan.procedure.results:
            value = off.get(figure.id, 0.12)
            self.read(ResultPlace("figure", figure.id).slot, f"{abs(value):g}", "tester", SIGNS[value < 0])

    def finish(self) -> None:
        """Run, where that is left, and passed: what is left then is to sign."""
        if self.opened.sheet.next.kind == "run":
            self.run()
        self.result()

    def level(self, height_off: float = 0.0) -> None:
        """Zero marks, level, target height, and the heights of beam and hubs."""
        if "tick.zero" in self.opened.sheet.slots:
            self.answer("tick.zero", "yes")
        self.read("level.roll", f"{abs(self.roll):g}", "level-1", SIGNS[self.roll < 0])
        self.read("level.pitch", "0.02", "level-1", "plus")
        if "hangs.roll" in self.opened.sheet.slots and not self.opened.sheet.plan.procedure.stations:
            self.read("hangs.roll", f"{abs(self.roll):g}", "level-1", SIGNS[self.roll < 0])
            self.read("hangs.tilt", "0.02", "level-1", "plus")
        plan = self.opened.sheet.plan
        self.read("height.target", f"{plan.target_above_floor - plan.up_to_centre + height_off:.0f}", "tape-4")
        for what, height in self.heights().items():
            self.read(f"height.{what}", f"{height:g}", "tape-4")

    def heights(self) -> dict[str, float]:
        """True heights of beam ends and hubs above the floor there: the beam is as level as its level shows."""
        plan = self.opened.sheet.plan
        hub, floors = plan.vehicle.hub_height, dict(plan.floors)
        tilt = (
            plan.standing.roll_deg.value
            if plan.standing is not None
            else math.degrees(math.atan(SLOPES["across"] / 100))
        )
        rise = math.tan(math.radians(self.roll - tilt)) * plan.frame.beam_length / 2
        left, right = hub + 212 + rise - floors["LF_end"].height, hub + 212 - rise - floors["RF_end"].height
        return {"LF_end": round(left), "RF_end": round(right), "LF": hub - 1, "RF": hub + 1, "LR": hub, "RR": hub}

    def tapes(
        self,
        off: tuple[float, float, float],
        tapes: tuple[tuple[str, str], ...] = FRONT_TAPES,
        wrong: tuple[str, float] = ("", 0),
        sure: bool = True,
    ) -> None:
        """Tapes to a beam that stands off its goal by (away mm, left mm, yaw degrees), and the floor laser.

        ``sure``: and what the sheet then asks to be read besides, so that no mistake goes unnoticed.
        """
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
            if sure and not wrong[0]:
                self.assure(off)

    def assure(self, off: tuple[float, float, float] = (0.5, -0.9, 0.0)) -> None:
        """What the sheet asks to be read beside or once more, so that no mistake goes unnoticed."""
        for _ in range(MOST_LOOKS):
            looks = (view.judgement.to_guard for view in self.opened.sheet.checks if view.unguarded)
            slot = next((slot for slot in looks if slot is not None), None)
            if slot is None:
                return
            self.look(slot.id, off)

    def look(self, slot: str, off: tuple[float, float, float] = (0.5, -0.9, 0.0)) -> None:
        """One slot read as it is, or as it was read last."""
        kind, what = family(slot), self.opened.sheet.slots[slot].slot.which
        if kind == "tape":
            self.tape(slot, off)
        elif kind == "wheelbase":
            self.read(slot, f"{self.opened.sheet.plan.vehicle.wheelbase:.0f}", "tape-4")
        elif kind == "height" and what in self.heights():
            self.read(slot, f"{self.heights()[what]:g}", "tape-4")
        else:
            self._again(slot)
