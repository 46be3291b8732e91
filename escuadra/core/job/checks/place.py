"""The place: the floor under wheels and target, from the bay's survey or typed, and what is around before a run.

Source of the floor's figures: ``standing``; a typed slope is weaker than a survey, and the check says so.
"""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import ClassVar

from pydantic import Field

from escuadra.core.bay import Thing
from escuadra.core.budget import Contribution, shares
from escuadra.core.ground import Amount
from escuadra.core.job.checks.base import Check, Figure, Judgement, State
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.procedure import Limits, Procedure, check_kind
from escuadra.core.quantities import Quantity
from escuadra.core.room import covered_things
from escuadra.core.standing import Standing, said_place, target_places
from escuadra.core.wording import amount, listed

ON_MARKS = "floor.marks"
MOST_ASKED = 8
"""Things of the bay that are asked about one by one before a run."""


@dataclass(frozen=True)
class Asked:
    """A figure of the surveyed floor and what it must keep to."""

    id: str
    label: str
    found: Amount
    limits: Limits
    unit: str
    words: tuple[str, str] | None = None


@check_kind("slope")
class FloorCheck(Check):
    """The floor's slope along and across, under the wheels and up to the target; with a survey its flatness too."""

    along: Limits = Field(description="percent, rising forward positive")
    across: Limits = Field(description="percent, rising left positive")

    places: ClassVar[dict[str, str]] = {"wheels": "under the wheels", "target": "up to the target"}
    words: ClassVar[dict[str, tuple[str, str]]] = {
        "along": ("rising forward", "falling forward"),
        "across": ("rising left", "rising right"),
    }

    def make_slots(self, setup: Setup) -> list[Slot]:
        if setup.plan.standing is not None:
            question = "Do the tyres stand on the marks of the chosen place?"
            return [Slot(id=ON_MARKS, label=question, ask="tick", aspects=frozenset({"floor"}))]
        return [
            Slot(
                id=f"slope.{place}.{way}",
                label=f"Floor {said}, {way}",
                quantity=Quantity(dimension="slope", unit="%", low=-3, high=3),
                aspects=frozenset({"floor"}),
                reads="slope",
                words=self.words[way],
            )
            for place, said in self.places.items()
            for way in ("along", "across")
        ]

    def judge(self, setup: Setup) -> Judgement:
        if setup.plan.standing is not None:
            return self._surveyed(setup, setup.plan.standing)
        figures = []
        for slot in self.slots(setup):
            found = setup.now(slot)
            if found is not None:
                limits = self.along if slot.id.endswith("along") else self.across
                figures.append(
                    self.figure(slot.id, slot.label, found.value, found.u, limits, "%", slot.words, single=found)
                )
        worst = max((abs(f.value) for f in figures), default=0.0)
        return Judgement(
            len(figures) == 4,
            tuple(figures),
            summary=f"{worst:.2f} % at most" if figures else "",
            wrong=setup.plan.no_room,
            note=f"Typed by hand: weaker than a survey of the bay. {setup.plan.place_note}".strip(),
        )

    def _surveyed(self, setup: Setup, standing: Standing) -> Judgement:
        figures = tuple(self.floor_figures(setup.plan.procedure, standing))
        said = setup.answered(self.slots(setup)[0])
        survey = standing.ground.survey
        where = f"x {amount(standing.place.x, 'mm', 0)}, y {amount(standing.place.y, 'mm', 0)}"
        note = f"From the survey of {survey.taken_on} by {survey.person}, {survey.instrument}; rear axle at {where}."
        trouble = ""
        if said is not None and datetime.fromtimestamp(said.at / 1000, UTC).date() > survey.valid_until:
            trouble = f"The survey was valid until {survey.valid_until}: survey the bay again, or choose another."
        if standing.ground.levelled.misread:
            trouble = f"The survey contradicts itself at {listed(standing.ground.levelled.misread)}: read that again."
        worst = max((abs(f.value) for f in figures if f.unit == "%"), default=0.0)
        summary = f"{worst:.2f} % at most, by survey"
        wrong = (
            "the tyres are not on the marks" if said is not None and said.said.value != "yes" else setup.plan.no_room
        )
        return Judgement(said is not None, figures, summary, wrong=wrong, trouble=trouble, note=note)

    def floor_figures(self, procedure: Procedure, standing: Standing) -> list[Figure]:
        """Every figure that the survey gives, against this check's limits and the sheet's."""
        return [
            self.figure(asked.id, asked.label, asked.found.value, asked.found.u, asked.limits, asked.unit, asked.words)
            for asked in self._asked(procedure, standing)
        ]

    def _asked(self, procedure: Procedure, standing: Standing) -> list[Asked]:
        floor, targets = procedure.floor, target_places(procedure, standing.vehicle)
        found = []
        for place, pair in (("wheels", standing.wheel_slopes), ("target", standing.up_to(targets[0]))):
            for way, limits, slope in zip(("along", "across"), (self.along, self.across), pair, strict=True):
                label = f"Floor {self.places[place]}, {way}"
                found.append(Asked(f"slope.{place}.{way}", label, slope, limits, "%", self.words[way]))
        if floor is None:
            return found
        found.append(Asked("floor.warp", "Tyres' places off one plane", standing.warp, _upto(floor.warp), "mm"))
        if floor.flatness is not None:
            flat = standing.flatness(targets[0])
            found.append(Asked("floor.flatness", "Flatness up to the target", flat, _upto(floor.flatness), "mm"))
        for target in targets:
            rise = standing.correction(target)
            label = f"Floor at {said_place(target)}, against the wheels"
            limits = _upto(floor.correction, rise.value - standing.beyond_rack(rise.value))
            found.append(Asked(f"floor.{target.id}", label, rise, limits, "mm", ("higher", "lower")))
        return found

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        standing = setup.plan.standing
        if standing is None:
            return super().budget(setup, figure)
        found = next(asked.found for asked in self._asked(setup.plan.procedure, standing) if asked.id == figure.id)
        instrument = standing.ground.survey.instrument
        return shares([(f"readings by {instrument}", found.u_read), ("the floor between the points", found.u_between)])


def _upto(most: float, nominal: float = 0.0) -> Limits:
    return Limits(nominal=nominal, minus=most, plus=most)


@check_kind("surroundings")
class SurroundingsCheck(Check):
    """What is around, asked before each run: from what the sensor sees by, and from what the bay is known to hold."""

    asked: ClassVar[dict[str, tuple[tuple[str, str], ...]]] = {
        "camera": (
            ("alike", "Nothing that looks like a target in the camera's view?"),
            ("light", "No glare, no strong side light, no lamp mirrored in the board?"),
            ("people", "Area clear: nobody between vehicle and target, doors shut, stands and cables away?"),
        ),
        "radar": (
            ("metal", "Nothing metallic in the radar's field but the target?"),
            ("moving", "Nothing that moves in front: doors, fans, people?"),
            ("people", "Area clear: people at the distance from the antenna that the procedure states?"),
        ),
    }

    def make_slots(self, setup: Setup) -> list[Slot]:
        sees_by = setup.plan.procedure.sees_by
        questions = [(f"around.{name}", question) for name, question in self.asked[sees_by]]
        questions += [(f"around.thing.{thing.id}", ask_about(thing, sees_by)) for thing in known_things(setup)]
        return [Slot(id=id, label=said, ask="tick", aspects=frozenset({"area"})) for id, said in questions]

    def judge(self, setup: Setup) -> Judgement:
        if setup.stations and all(view.done for view in setup.stations):
            return Judgement(True, summary="answered before each run")
        answers = {slot.label: setup.answered(slot) for slot in self.slots(setup)}
        given = {label: found for label, found in answers.items() if found is not None}
        refused = [label.rstrip("?") for label, found in given.items() if found.said.value != "yes"]
        wrong = f"answered no: {listed(refused)}" if refused else ""
        return Judgement(len(given) == len(answers), summary=f"{len(given)} of {len(answers)} answered", wrong=wrong)


def known_things(setup: Setup) -> list[Thing]:
    """What the bay holds that this sensor could be misled by; where a place was chosen, only what lies in its room."""
    plan = setup.plan
    if plan.bay is None:
        return []
    kinds = ("metal",) if plan.procedure.sees_by == "radar" else ("window", "lamp", "reflective")
    found = plan.bay.of(*kinds)
    placed = setup.state.placed
    if placed is not None and plan.procedure.sees_by == "radar":
        found = covered_things(found, placed.place, plan.procedure, plan.vehicle)
    return found[:MOST_ASKED]


def ask_about(thing: Thing, sees_by: str) -> str:
    """The question about a known thing, so that yes means it does no harm."""
    if sees_by == "radar":
        return f"Known here: {thing.name}. Out of the radar's field, or covered with absorber?"
    done = {"window": "Shaded", "lamp": "Off, or throws no glare", "reflective": "Covered, or out of the camera's view"}
    return f"Known here: {thing.name}. {done[thing.kind]}?"


def floor_verdict(procedure: Procedure, standing: Standing) -> tuple[State, list[Figure]]:
    """What a surveyed floor is for a procedure at a place, before any job: the worst state, and every figure."""
    check = next((c for c in procedure.checks if isinstance(c, FloorCheck)), None)
    figures = check.floor_figures(procedure, standing) if check is not None else []
    states = {figure.verdict.state for figure in figures}
    found: State = "out" if "out" in states else "undecided" if "undecided" in states else "holds"
    return found, figures
