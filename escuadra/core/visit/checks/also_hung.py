"""Several targets at once: those that hang on the beam beside the one that it is set by.

The beam's place is known from the one solution of all readings; where each hangs on it is read on its scale. Sideways
its place is the beam's middle, turned with the beam: −f·sin ψ + h·cos ψ; a beam that is not square brings a target that
hangs h farther left h·sin ψ nearer. f: from the beam to the face, h: along the beam, ψ: from square.
"""

import math
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.errors import each_once
from escuadra.core.base.model import CatalogueText, Frozen, Number
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Length, Name, Plain, Said, exact, said, sentences
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.procedure.counted import face_ahead
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import Mounting, check_kind
from escuadra.core.visit.checks.base import Check, Figure, Judgement
from escuadra.core.visit.checks.hanging import MOST_BESIDE
from escuadra.core.visit.checks.target import TargetCheck, alike
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.core.visit.target_on_beam import hung

ONE_DEGREE = math.radians(1)
HUNG = frozenset({"hang", "target"})


class AlsoHung(Frozen):
    """A target that hangs on the same beam."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: CatalogueText
    mounting: Mounting
    hang: Number = Field(description="of its centre from the beam's middle, left positive, mm")
    edge_above: Number | None = Field(
        None, description="of its lower edge above the upper edge of the board that the sheet sets, mm; none: not read"
    )


@check_kind("also_hung")
class AlsoHungCheck(Check):
    """Further targets on the beam: each the right one, hung as it must be, and where it must be."""

    after_pose: ClassVar[bool] = True

    targets: list[AlsoHung] = Field(min_length=1, max_length=4)
    aside: Limits = Field(description="of each off its place, left positive, mm")
    distance: Limits = Field(description="of each off the sheet's distance, mm")
    edges: Limits = Field(Limits(minus=3, plus=3), description="of each off its edge's height over the other, mm")

    @property
    def mountings(self) -> list[Mounting]:
        return [one.mounting for one in self.targets]

    @property
    def hangs(self) -> list[float]:
        return [one.hang for one in self.targets]

    @property
    def carried_by(self) -> str:
        return "frame"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        each_once("targets", (one.id for one in self.targets), said("wants.each_targets_id_once"))
        plan = epochs.plan
        return [slot for one in self.targets for slot in (*_asked(plan, one), _scale(plan, one), *_edge(one))]

    def judge(self, epochs: Epochs) -> Judgement:
        slots, mismatch, given = self.slots(epochs), [], 0
        figures: list[Figure] = []
        solution = epochs.solved_for("centre")
        known = solution if solution is not None and solution.line is not None and solution.tells("offset") else None
        for one in self.targets:
            for slot in _asked(epochs.plan, one):
                answer, want = epochs.answered(slot), wanted(epochs.plan, one)[slot.which]
                given += answer is not None
                if answer is not None and not alike(str(answer.said.value), want):
                    told = said("also_hung.other", what=slot.label, given=Name(str(answer.said.value)), want=Name(want))
                    mismatch.append(told)
            for slot in _edge(one):
                height = epochs.now(slot)
                given += height is not None
                if height is not None and one.edge_above is not None:
                    off, label = height.value - one.edge_above, said("also_hung.up", name=Name(one.name))
                    figures.append(self.figure(slot.id, label, off, height.u, self.edges, "mm", "above", height))
            slot = _scale(epochs.plan, one)
            read = epochs.now(slot)
            given += read is not None
            if read is None or known is None or not known.tells("distance"):
                continue
            hangs = read.value - epochs.plan.frame.scale_zero
            aside, ahead = placed(epochs, known, one, hangs)
            name, own, u = Name(one.name), slot.id, math.hypot(aside.u, read.u)
            label, far = said("also_hung.aside", name=name), said("also_hung.far", name=name)
            figures += [
                self.figure(own, label, aside.value, u, self.aside, "mm", "side", slot=own),
                self.figure(own, far, ahead.value, ahead.u, self.distance, "mm", which="distance", slot=own),
            ]
        wanted_of = [2 if one.edge_above is None else 3 for one in self.targets]
        complete = given == len(slots) and len(figures) == sum(wanted_of)
        summary: Said = said("read_of", read=given, needed=len(slots))
        return Judgement(complete, tuple(figures), summary, mismatch=sentences(*mismatch))

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        """Shifted along the beam and read anew; what a turned beam puts too near or too far is the beam's move."""
        worst = next((f for f in judged.figures if f.verdict.state != "holds" and f.which != "distance"), None)
        if worst is None:
            return None
        own = {slot.id: (one, slot) for one in self.targets for slot in (_scale(epochs.plan, one), *_edge(one))}
        one, slot = own[worst.slot]
        up = slot != _scale(epochs.plan, one)
        ways = ("down", "up") if up else ("right", "left")
        by, way = Length(abs(worst.value), 0), ways[0 if worst.value > 0 else 1]
        sentence = said(f"also_hung.shift.{way}", name=Name(one.name), by=by)
        then = sentences(said("also_hung.read_anew"))
        return NextMove("read", sentence, then, figure=by, check=self.id, slot=slot.id, replaces=True)


def placed(epochs: Epochs, solution: EpochSolution, one: AlsoHung, hangs: float) -> tuple[Derived, Derived]:
    """How far a target that hangs there is left of its place and farther than the sheet's distance, mm."""
    plan, square = epochs.plan, solution.derived("square")
    turn, face = square.value * ONE_DEGREE, face_ahead(plan.frame, one.mounting)
    place = plan.procedure.offset - plan.hang + one.hang
    left = hangs * math.cos(turn) - face * math.sin(turn) - place
    slope = -(hangs * math.sin(turn) + face * math.cos(turn)) * ONE_DEGREE
    aside = solution.sum(left - slope * square.value, (1.0, solution.middle_beside), (slope, square))
    main = hung(epochs)
    farther = hangs - (main.value if main is not None else plan.hang)
    nearer, rate = -farther * math.sin(turn), -farther * math.cos(turn) * ONE_DEGREE
    off = nearer - rate * square.value - plan.procedure.distance
    return aside, solution.sum(off, (1.0, solution.derived("distance")), (rate, square))


def wanted(plan: Plan, one: AlsoHung) -> dict[str, str]:
    """What a target's mark, side, way up and fixing must be."""
    mounting = one.mounting
    told = {"side": mounting.side, "way_up": mounting.way_up, "fixing": mounting.fixing}
    return {"identity": plan.targets[mounting.target].mark, **told}


def _asked(plan: Plan, one: AlsoHung) -> list[Slot]:
    target = plan.targets[one.mounting.target]
    options = {"side": target.sides, "way_up": target.ways_up, "fixing": target.fixings, "identity": []}
    return [
        Slot(
            id=f"beside.{one.id}.{what}",
            label=said("also_hung.of", name=Name(one.name), what=label),
            which=what,
            ask="choice",
            aspects=frozenset({"target"}),
            options=tuple(options[what]),
            named=tuple(options[what]),
        )
        for what, label in TargetCheck.labels.items()
    ]


def _edge(one: AlsoHung) -> list[Slot]:
    """Where its lower edge is read against the upper edge of the board that the sheet sets; empty where it is not."""
    if one.edge_above is None:
        return []
    far = abs(one.edge_above) + MOST_BESIDE
    return [
        Slot(
            id=f"beside.{one.id}.edge",
            label=said("also_hung.edge", name=Name(one.name)),
            quantity=Quantity(dimension="length", unit="mm", low=-far, high=far),
            aspects=HUNG,
            reads="rule",
            hint=said("also_hung.edge_hint"),
        )
    ]


def _scale(plan: Plan, one: AlsoHung) -> Slot:
    half, zero = plan.frame.beam_length, plan.frame.scale_zero
    return Slot(
        id=f"beside.{one.id}.scale",
        label=said("also_hung.scale", name=Name(one.name)),
        quantity=Quantity(dimension="length", unit="mm", low=zero + one.hang - half, high=zero + one.hang + half),
        aspects=HUNG,
        reads="rule",
        hint=said("hung.scale_shows_beams_middle_grows", scale_zero=exact(Plain, zero)),
    )
