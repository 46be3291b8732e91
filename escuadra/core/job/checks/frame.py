"""The frame: heights for levelling slanted tapes, level, squareness, centring, distance and height.

Squareness, centring and distance are three views of one least-squares solution (``network``), relative to the line
in use; each stays true until something disturbs it.
"""

import math
from typing import ClassVar, Literal

from pydantic import Field

from escuadra.core.budget import Contribution, of_reading, of_solution, shares
from escuadra.core.ground import Amount
from escuadra.core.job.checks.base import Check, Figure, Judgement, Words
from escuadra.core.job.hung import hung, sag
from escuadra.core.job.places import ENDS, Plan, crossing_slot, height_slot, tape_slot, words_of
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Measured, Slot
from escuadra.core.job.solved import Solved
from escuadra.core.procedure import DATUM_WORDS, Limits, check_kind
from escuadra.core.quantities import Quantity
from escuadra.core.stance import CORNERS
from escuadra.core.wording import amount, counted, listed, with_uncertainty

Aspect = Literal["yaw", "centre", "distance"]
U_DROP_MM = 0.5
"""Of a target's centre below the beam, one sigma."""


@check_kind("heights")
class HeightsCheck(Check):
    """Heights of the hubs and of the beam's ends, so that slanted tapes can be levelled."""

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [height_slot(what, setup.plan) for what in (*ENDS, *CORNERS)]

    def judge(self, setup: Setup) -> Judgement:
        needed = [slot for slot in self.slots(setup) if not slot.optional]
        read = [slot for slot in needed if setup.now(slot) is not None]
        return Judgement(len(read) == len(needed), summary=f"{len(read)} of {len(needed)} read")


@check_kind("level")
class LevelCheck(Check):
    """The beam's roll and pitch, against gravity or the tyres' plane as the sheet says; the other is shown."""

    roll: Limits = Field(description="degrees, left end up positive")
    pitch: Limits = Field(description="degrees, leaning away positive")

    words: ClassVar[dict[str, Words]] = {
        "roll": ("left end high", "right end high"),
        "pitch": ("leaning away", "leaning towards"),
    }
    labels: ClassVar[dict[str, str]] = {"roll": "Along the beam", "pitch": "Square to the beam"}

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [
            Slot(
                id=f"level.{way}",
                label=self.labels[way],
                quantity=Quantity(dimension="angle", unit="°", low=-4, high=4),
                aspects=frozenset({"level"}),
                reads="level",
                words=self.words[way],
                hint="away from and towards the vehicle" if way == "pitch" else "ends as from the driver's seat",
            )
            for way in ("roll", "pitch")
        ]

    def judge(self, setup: Setup) -> Judgement:
        figures, others = [], []
        standing, to_tyres = setup.plan.standing, setup.plan.procedure.level_to == "tyres"
        for slot, limits in zip(self.slots(setup), (self.roll, self.pitch), strict=True):
            found = setup.now(slot)
            if found is None:
                continue
            value, u, other = found.value, found.u, ""
            if standing is not None:
                lean = standing.roll_deg if slot.id == "level.roll" else standing.pitch_deg
                to_plane = found.value - lean.value
                other = amount(found.value if to_tyres else to_plane, "°", None, slot.words)
                if to_tyres:
                    value, u = to_plane, math.hypot(found.u, lean.u)
            others.append(other)
            figures.append(self.figure(slot.id, slot.label, value, u, limits, "°", slot.words, single=found))
        summary = listed([amount(abs(f.value), "°") for f in figures])
        return Judgement(len(figures) == 2, tuple(figures), summary, note=self._against(setup, others))

    def _against(self, setup: Setup, others: list[str]) -> str:
        """What the level is counted from, and what it is against the other reference."""
        to_tyres, standing = setup.plan.procedure.level_to == "tyres", setup.plan.standing
        if standing is None:
            said = "the tyres' plane is not known here: no survey, so gravity stands in for it"
            return f"Level to the tyres' plane is prescribed; {said}." if to_tyres else ""
        plane = "the runways' plane" if standing.wheels_on == "runway" else "the tyres' plane"
        used, other = (plane, "gravity") if to_tyres else ("gravity", plane)
        told = f" Against {other}: {listed(others)}." if others else ""
        return f"Level to {used}, as prescribed.{told}"


class PoseCheck(Check):
    """One of the three views of the frame's pose.

    It is complete once everything that the epoch needs was read, so that one misread tape shows itself; the figure
    is shown as soon as the readings determine it.
    """

    limits: Limits
    aspect: ClassVar[Aspect]
    quantity: ClassVar[str]
    unit: ClassVar[str] = "mm"
    direction: ClassVar[Words | None] = None

    def make_slots(self, setup: Setup) -> list[Slot]:
        tapes = [tape_slot(hub, end, setup.plan) for hub in ("LF", "RF") for end in ENDS]
        rear = [tape_slot(hub, end, setup.plan) for hub in ("LR", "RR") for end in ENDS]
        laser = crossing_slot(setup.plan)
        return [laser, *tapes, *rear] if self.aspect == "centre" else [*tapes, laser, *rear]

    def aspects(self, setup: Setup) -> frozenset[str]:
        return frozenset({self.aspect, "line"})

    def required(self, setup: Setup, epoch: int) -> list[Slot]:
        """What has to be read in an epoch: the four front tapes and the laser where a centreline is marked.

        After a move that leaves yaw and distance alone, the laser is enough (two tapes where there is no centreline);
        after a shift of the target one tape more, the one that would notice a bump.
        """
        laser = all(mark.y is not None for mark in setup.marks.values()) and not setup.excluded(
            crossing_slot(setup.plan)
        )
        if setup.seen_by_rig(epoch):
            return []
        carried = setup.carries(epoch)
        plan = setup.state.line_plan
        rear = plan is not None and plan.rear_tapes
        watch = setup.watched(epoch) if carried else ""
        found = []
        for slot in self.slots(setup):
            if slot.id == "crossing":
                wanted = laser
            elif carried:
                wanted = slot.id == watch or (not laser and slot.id in ("tape.LF.RF_end", "tape.RF.LF_end"))
            else:
                wanted = not slot.optional or rear
            if wanted:
                found.append(slot)
        return found

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        solved = setup.solved_for(self.aspect)
        if solved is None or solved.line is None:
            return []
        return of_solution(solved.solution, solved.derived(self.quantity).gradient, source_of)

    def judge(self, setup: Setup) -> Judgement:
        solved = setup.solved_for(self.aspect)
        if solved is None:
            return Judgement(False, note=self._missing(setup))
        if solved.line is None:
            return Judgement(False, note="Find the line first: the frame is judged against it.")
        value, u = self.found(setup, solved)
        label = {"yaw": "Square", "centre": "Off centre", "distance": "Distance"}[self.aspect]
        line = {"thrust": "thrust line", "body": "centreline", "axis": "axles"}[solved.line]
        figure = self.figure(
            self.aspect,
            f"{label}, to the {line}"
            if self.aspect != "distance"
            else f"{label} from the {DATUM_WORDS[setup.plan.procedure.datum]}",
            value,
            u,
            self.limits,
            self.unit,
            self.direction,
            about=self.limits.nominal,
        )
        needed = self.required(setup, solved.epoch)
        read = [slot for slot in needed if setup.within(slot, solved.epoch)]
        if len(read) < len(needed):
            return Judgement(False, (figure,), f"{len(read)} of {len(needed)} read")
        shifted = bool(setup.watched(solved.epoch))
        return Judgement(True, (figure,), figure.text, trouble=contradiction(solved, shifted))

    def found(self, setup: Setup, solved: Solved) -> tuple[float, float]:
        """The value and its u from a solution."""
        derived = solved.derived(self.quantity)
        return derived.value, derived.u

    def _missing(self, setup: Setup) -> str:
        tapes = setup.tapes(setup.epoch)
        read = [s for s in self.slots(setup) if s.id.startswith("tape") and setup.now(s) is not None]
        if len(read) > len(tapes):
            return "Tapes were read, but they run on a slope: read the heights of hubs and beam ends too."
        if len(tapes) + (setup.now(crossing_slot(setup.plan)) is not None) == 0:
            return ""
        return f"{counted(len(tapes), 'tape')} read: more are needed to fix the frame."


@check_kind("square")
class SquareCheck(PoseCheck):
    """The beam's yaw against the line in use."""

    aspect: ClassVar[Aspect] = "yaw"
    quantity: ClassVar[str] = "square"
    unit: ClassVar[str] = "°"
    direction: ClassVar[Words | None] = ("left", "right")


@check_kind("centred")
class CentredCheck(PoseCheck):
    """The target's centre sideways of the line in use."""

    aspect: ClassVar[Aspect] = "centre"
    quantity: ClassVar[str] = "offset"
    direction: ClassVar[Words | None] = ("left", "right")

    def found(self, setup: Setup, solved: Solved) -> tuple[float, float]:
        value, u = super().found(setup, solved)
        hangs = hung(setup)
        return (value, u) if hangs is None else (value + hangs.value - setup.plan.hang, math.hypot(u, hangs.u))


@check_kind("distance")
class DistanceCheck(PoseCheck):
    """From the datum to the target's face, along the line in use."""

    aspect: ClassVar[Aspect] = "distance"
    quantity: ClassVar[str] = "distance"


@check_kind("target_height")
class TargetHeightCheck(Check):
    """The target's centre, above the floor there or above the plane of the tyres, as the sheet says."""

    limits: Limits

    def make_slots(self, setup: Setup) -> list[Slot]:
        above = setup.plan.target_above_floor
        return [
            Slot(
                id="height.target",
                label="Target centre above the floor",
                quantity=Quantity(dimension="length", unit="mm", low=0.6 * above, high=1.5 * above),
                aspects=frozenset({"height"}),
                reads="height",
                hint="to the target's own centre mark, not to the stand",
            ),
            *([self._beam(setup.plan, above)] if setup.plan.target.drop is not None else []),
        ]

    def _beam(self, plan: Plan, above: float) -> Slot:
        beam = above + (plan.target.drop or 0.0)
        return Slot(
            id="height.beam",
            label="Beam above the floor, by height laser",
            quantity=Quantity(dimension="length", unit="mm", low=0.6 * beam, high=1.5 * beam),
            aspects=frozenset({"height"}),
            reads="height",
            optional=True,
            hint="where the target's own mark cannot be reached: its drop and the beam's sag are taken off",
        )

    def centre(self, setup: Setup) -> tuple[Measured, float, float] | None:
        """What was read, and the centre's height above the floor with its u: at the target, else from the beam."""
        direct, *beam = (setup.now(slot) for slot in self.slots(setup))
        if direct is not None:
            return direct, direct.value, direct.u
        if not beam or beam[0] is None:
            return None
        down, u = sag(setup.plan)
        return beam[0], beam[0].value - (setup.plan.target.drop or 0.0) - down, math.hypot(beam[0].u, u, U_DROP_MM)

    def judge(self, setup: Setup) -> Judgement:
        read = self.centre(setup)
        if read is None:
            return Judgement(False)
        rise, label = setup.plan.rise_at_target, "Target centre above the floor"
        (found, value, u), note = read, ""
        if rise is not None:
            value, u, label = value + rise.value, math.hypot(u, rise.u), "Target centre above the tyres' plane"
            note = said_correction(setup.plan, rise)
        elif setup.plan.procedure.height_from == "tyres":
            note = "Counted from the tyres' plane, but the bay is not surveyed here: the floor's rise is not known."
        nominal = self.limits.nominal
        figure = self.figure("height", label, value, u, self.limits, "mm", single=found, about=nominal)
        return Judgement(True, (figure,), figure.text, note=note)

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        read, rise = self.centre(setup), setup.plan.rise_at_target
        if read is None:
            return []
        parts = of_reading(read[0].figures, read[0].tool_name)
        if read[0].slot == "height.beam":
            parts += [("the target's drop", U_DROP_MM), ("the beam's sag", sag(setup.plan)[1])]
        return shares([*parts, *([("the survey of the floor", rise.u)] if rise is not None else [])])


def said_correction(plan: Plan, rise: Amount) -> str:
    """What the floor's rise at the target does to the height that is set there."""
    higher = "higher" if rise.value > 0 else "lower"
    where = "runways" if plan.standing is not None and plan.standing.wheels_on == "runway" else "wheels"
    by, spread = with_uncertainty(abs(rise.value), 2 * rise.u, "mm")
    set_at = amount(plan.target_above_floor, "mm", 0)
    return f"Set {set_at} above this floor: it is {by} ({spread}) {higher} here than under the {where}."


def source_of(observation: str) -> str:
    """An observation of the network as a source of uncertainty; hubs together, an instrument's shared errors too."""
    parts = observation.split("~")[0].split(".")
    if parts[0] == "hub":
        return "the hubs' places"
    if parts[0] == "mark":
        return f"{parts[1]} centre mark"
    if parts[-1] in ("offset", "scale"):
        return f"what all readings by {parts[0]} share"
    return words_of(observation)


def contradiction(solved: Solved, shifted: bool = False) -> str:
    """What to say where the readings of a solution contradict each other; empty where they agree.

    ``shifted``: the target was shifted since the frame was read in full.
    """
    result = solved.result
    if solved.trusted:
        return ""
    if shifted and any(i.startswith("carried") for i in result.suspects):
        return "The frame does not stand where it did: it was bumped while the target was shifted. Read anew."
    if not result.suspects:
        return "The readings contradict each other more than their uncertainty allows."
    named = listed([words_of(i) for i in result.suspects])
    if result.suspect is not None:
        return f"The readings contradict each other. The suspect: {named}."
    return f"The readings contradict each other. {named[0].upper()}{named[1:]} share the blame beyond telling apart."
