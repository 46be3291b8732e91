"""The place: the floor under wheels and target, from the bay's survey or typed, and what is around before a run.

Source of the floor's figures: ``standing``; a typed slope is weaker than a survey, and the check says so.
"""

import math
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.said import Count, Name, Said, Slope, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.bay.bay import Thing
from escuadra.core.bay.ground import Amount
from escuadra.core.bay.room import covered_things
from escuadra.core.bay.standing import Standing, place_name, target_places
from escuadra.core.measure.budget import Contribution, shares
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import Procedure, check_kind
from escuadra.core.visit.checks.base import Check, Figure, Judgement, Link, State, own_checks
from escuadra.core.visit.doubting import Again, of_its_own
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import AROUND, ATTEMPT, HAPPENINGS, SCREWS
from escuadra.core.visit.log.events import Answered
from escuadra.core.visit.plan import slope_slots
from escuadra.core.visit.six_heights import begun, six_slots
from escuadra.core.visit.slots import Slot

ON_MARKS = "floor.marks"
SAME = "around.same"
RUNS = ("run", ATTEMPT, SCREWS, "run_again")
"""What changes nothing of what is around: it is only answered for once more."""
TURN_MINUTES = 9.0
"""What driving out, turning and driving in to marks takes by itself."""
MOST_ASKED = 8
"""Things of the bay that are asked about one by one before a run."""


@dataclass(frozen=True)
class Asked:
    """A figure of the surveyed floor and what it must keep to."""

    id: str
    label: Said
    found: Amount
    limits: Limits
    unit: str
    way: str | None = None


@check_kind("slope")
class FloorCheck(Check):
    """The floor's slope along and across, under the wheels and up to the target; with a survey its flatness too."""

    link: ClassVar[Link] = "parking"

    along: Limits = Field(description="percent, rising forward positive")
    across: Limits = Field(description="percent, rising left positive")

    @property
    def reason(self) -> str:
        return self.kind

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        if epochs.plan.standing is not None:
            if epochs.plan.on_the_spot:
                return self._six(epochs)
            question = said("place.do_tyres_stand_marks_chosen")
            return [Slot(id=ON_MARKS, label=question, ask="tick", aspects=frozenset({"floor"}))]
        slopes = slope_slots(epochs.plan)
        if begun(epochs.plan, epochs.state):
            return self._six(epochs)
        return slopes + ([] if any(epochs.live(slot.id) for slot in slopes) else list(six_slots(epochs.plan)))

    @staticmethod
    def _six(epochs: Epochs) -> list[Slot]:
        return [replace(slot, optional=False) for slot in six_slots(epochs.plan)]

    def judge(self, epochs: Epochs) -> Judgement:
        if epochs.plan.standing is not None:
            return self._surveyed(epochs, epochs.plan.standing)
        if begun(epochs.plan, epochs.state):
            return self._unfinished(epochs)
        figures = []
        for slot in self.slots(epochs):
            found = epochs.now(slot)
            if found is not None:
                limits = self.along if slot.which == "along" else self.across
                figures.append(
                    self.figure(slot.id, slot.label, found.value, found.u, limits, "%", slot.way, single=found)
                )
        worst = max((abs(f.value) for f in figures), default=0.0)
        return Judgement(
            len(figures) == 4,
            tuple(figures),
            summary=said("place.most", worst=Slope(worst, 2)) if figures else None,
            mismatch=sentences(epochs.plan.no_room),
            remark=sentences(
                said("place.typed_hand_weaker_than_survey"),
                said("place.six_heights_instead") if six_slots(epochs.plan) else None,
                epochs.plan.place_note,
                turning_note(epochs),
            ),
        )

    def to_confirm(self, epochs: Epochs, judged: Judgement) -> Again | None:
        """A slope that a level shows is read again before the floor is called too steep."""
        worst = judged.worst
        if worst is None or worst.verdict.state != "out":
            return None
        return next(iter(of_its_own(epochs, (slot for slot in self.slots(epochs) if slot.id == worst.slot), ())), None)

    def _unfinished(self, epochs: Epochs) -> Judgement:
        """Some of the six heights were read; less than all tell nothing of the floor."""
        read = [slot for slot in six_slots(epochs.plan) if epochs.now(slot) is not None]
        return Judgement(False, summary=said("place.six_heights_read", read=len(read)))

    def _surveyed(self, epochs: Epochs, standing: Standing) -> Judgement:
        figures = tuple(self.floor_figures(epochs.plan.part, standing))
        survey = standing.ground.survey
        worst = max((abs(f.value) for f in figures if f.unit == "%"), default=0.0)
        if epochs.plan.on_the_spot:
            by = {"person": survey.person, "instrument": survey.instrument}
            return Judgement(
                True,
                figures,
                said("place.most_six_heights", worst=Slope(worst, 2)),
                mismatch=sentences(epochs.plan.no_room),
                remark=sentences(said("place.six_heights_by", **by)),
            )
        answer = epochs.answered(self.slots(epochs)[0])
        remark = said(
            "place.survey_rear_axle",
            taken_on=survey.taken_on.isoformat(),
            person=survey.person,
            instrument=survey.instrument,
            x=amount(standing.place.x, "mm", 0),
            y=amount(standing.place.y, "mm", 0),
        )
        inconsistency = None
        if answer is not None and datetime.fromtimestamp(answer.at / 1000, UTC).date() > survey.valid_until:
            inconsistency = said("place.survey_valid_until_survey_bay", valid_until=survey.valid_until.isoformat())
        if standing.ground.levelled.misread:
            inconsistency = said(
                "place.survey_contradicts_itself_read_again", names=nouns(standing.ground.levelled.misread)
            )
        summary = said("place.most_survey", worst=Slope(worst, 2))
        mismatch = (
            said("place.tyres_not_marks") if answer is not None and answer.said.value != "yes" else epochs.plan.no_room
        )
        notes = sentences(remark, turning_note(epochs))
        return Judgement(answer is not None, figures, summary, sentences(mismatch), sentences(inconsistency), notes)

    def floor_figures(self, procedure: Procedure, standing: Standing) -> list[Figure]:
        """Every figure that the survey gives, against this check's limits and the sheet's."""
        return [
            self.figure(asked.id, asked.label, asked.found.value, asked.found.u, asked.limits, asked.unit, asked.way)
            for asked in self._asked(procedure, standing)
        ]

    def _asked(self, procedure: Procedure, standing: Standing) -> list[Asked]:
        floor, targets = procedure.floor, target_places(procedure, standing.vehicle)
        found = []
        for place, pair in (("wheels", standing.wheel_slopes), ("target", standing.up_to(targets[0]))):
            for way, limits, slope in zip(("along", "across"), (self.along, self.across), pair, strict=True):
                label = said(f"place.floor.{place}.{way}")
                found.append(Asked(f"slope.{place}.{way}", label, slope, limits, "%", f"rise_{way}"))
        if floor is None:
            return found
        found.append(
            Asked("floor.warp", said("place.tyres_places_off_one_plane"), standing.warp, _upto(floor.warp), "mm")
        )
        if floor.flatness is not None:
            flat = standing.flatness(targets[0])
            found.append(Asked("floor.flatness", said("place.flatness_up_target"), flat, _upto(floor.flatness), "mm"))
        for target in targets:
            rise = standing.correction(target)
            label = said("place.floor_against_wheels", target=place_name(target.id))
            limits = _upto(floor.correction, rise.value - standing.beyond_rack(rise.value))
            found.append(Asked(f"floor.{target.id}", label, rise, limits, "mm", "height_against"))
        return found

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        standing = epochs.plan.standing
        if standing is None:
            return super().budget(epochs, figure)
        found = next(asked.found for asked in self._asked(epochs.plan.part, standing) if asked.id == figure.id)
        instrument = standing.ground.survey.instrument
        return shares(
            [
                (said("place.readings", instrument=instrument), found.u_read),
                (said("place.floor_between_points"), found.u_between),
            ]
        )


def turning_note(epochs: Epochs) -> Said | None:
    """That the vehicle is turned before a later station, and the minutes that this takes with all that it spoils."""
    plan = epochs.plan
    if not plan.turn_before:
        return None
    spoiled = HAPPENINGS["vehicle_rolled"].aspects
    slots = {slot.id: slot for check in own_checks(plan) if check.kind != "slope" for slot in check.slots(epochs)}
    again = [slot for slot in slots.values() if not slot.optional and slot.aspects & spoiled]
    minutes = TURN_MINUTES + math.fsum(slot.minutes * slot.times for slot in again)
    name = next(station.name for station in plan.procedure.stations if station.id == plan.turn_before)
    return said("place.turned", station=Name(name), minutes=Count(math.ceil(minutes)), count=Count(len(again)))


def _upto(most: float, nominal: float = 0.0) -> Limits:
    return Limits(nominal=nominal, minus=most, plus=most)


@check_kind("surroundings")
class SurroundingsCheck(Check):
    """What is around, asked before each run: from what the sensor sees by, and from what the bay is known to hold."""

    asked: ClassVar[dict[str, tuple[tuple[str, Said], ...]]] = {
        "camera": (
            ("alike", said("place.nothing_looks_like_target_cameras")),
            ("light", said("place.no_glare_no_strong_side")),
            ("people", said("place.area_clear_nobody_between_vehicle")),
        ),
        "radar": (
            ("metal", said("place.nothing_metallic_radars_field_but")),
            ("moving", said("place.nothing_moves_front_doors_fans")),
            ("people", said("place.area_clear_people_distance_antenna")),
        ),
    }

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        sees_by = epochs.plan.procedure.sees_by
        questions = [(f"around.{name}", question) for name, question in self.asked[sees_by]]
        questions += [(f"around.thing.{thing.id}", ask_about(thing, sees_by)) for thing in known_things(epochs)]
        full = [Slot(id=id, label=label, ask="tick", aspects=AROUND) for id, label in questions]
        if not self._only_run_since(epochs, full):
            return full
        label = said(f"place.nothing_changed.{sees_by}")
        same = Slot(id=SAME, label=label, ask="tick", aspects=AROUND, specified="yes")
        told = epochs.answered(same)
        if told is not None and told.said.value == "no":
            return full
        return [same, *(replace(slot, optional=True) for slot in full)]

    def _only_run_since(self, epochs: Epochs, full: list[Slot]) -> bool:
        """All was answered for, and since then nothing but runs happened to it."""
        last = [live[-1] for slot in full if (live := epochs.relied(slot.id))]
        if len([e for e in last if isinstance(e.said, Answered) and e.said.value == "yes"]) < len(full):
            return False
        since = min(entry.seq for entry in last)
        happened = [past.what for past in epochs.state.disturbances if past.seq > since and past.aspects & AROUND]
        term = epochs.fresh_ms(full[0])
        old = term is not None and epochs.at is not None and min(entry.at for entry in last) + term <= epochs.at
        return bool(happened) and not old and all(what in RUNS for what in happened)

    def judge(self, epochs: Epochs) -> Judgement:
        if epochs.stations and all(view.done for view in epochs.stations):
            return Judgement(True, summary=said("place.answered_before_each_run"))
        slots = self.slots(epochs)
        if slots[0].id == SAME:
            if epochs.answered(slots[0]) is None:
                return Judgement(False, because=epochs.state.last_disturbed(AROUND))
            return Judgement(True, summary=said("place.unchanged"))
        answers = [(slot.label, epochs.answered(slot)) for slot in slots]
        given = [(label, found) for label, found in answers if found is not None]
        refused = [label for label, found in given if found.said.value != "yes"]
        mismatch = sentences(said("answered_no", names=nouns(refused)) if refused else None)
        return Judgement(
            len(given) == len(answers),
            summary=said("place.answered", given=len(given), answers=len(answers)),
            mismatch=mismatch,
        )


def known_things(epochs: Epochs) -> list[Thing]:
    """What the bay holds that this sensor could be misled by; where a place was chosen, only what lies in its room."""
    plan = epochs.plan
    if plan.bay is None:
        return []
    kinds = ("metal",) if plan.procedure.sees_by == "radar" else ("window", "lamp", "reflective")
    found = plan.bay.of(*kinds)
    placed = epochs.state.placed
    if placed is not None and plan.procedure.sees_by == "radar":
        found = covered_things(found, placed.place, plan.procedure, plan.vehicle)
    return found[:MOST_ASKED]


def ask_about(thing: Thing, sees_by: str) -> Said:
    """The question about a known thing, so that yes means it does no harm."""
    if sees_by == "radar":
        return said("place.known_here_out_radars_field", name=thing.name)
    return said(f"place.known_here.{thing.kind}", name=thing.name)


def floor_verdict(procedure: Procedure, standing: Standing) -> tuple[State, list[Figure]]:
    """What a surveyed floor is for a procedure at a place, before any job: the worst state, and every figure."""
    check = next((c for c in procedure.checks if isinstance(c, FloorCheck)), None)
    figures = check.floor_figures(procedure, standing) if check is not None else []
    states = {figure.verdict.state for figure in figures}
    found: State = "out" if "out" in states else "undecided" if "undecided" in states else "holds"
    return found, figures
