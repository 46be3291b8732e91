"""Stations: every place run and proven, and a target on a stand of its own found by tapes.

Source of a stand's place: ``stakeout`` and ``network``, see ``staked``; limits judged by ``verdict``.
"""

import math
from typing import ClassVar

from pydantic import Field

from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import NOTHING, Angle, Figure, Length, Name, Said, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.checks.base import Check, Judgement
from escuadra.core.visit.doubting import SOON, Again, of_its_own
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.floor_marks import control_name, set_out
from escuadra.core.visit.next_move import Axis, NextMove, Step
from escuadra.core.visit.next_reading import as_read_last, most_parting
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.target_on_beam import EDGES
from escuadra.core.visit.target_on_stand import STAND, staking, stand_slots, stand_tapes, stood

FORWARD, SIDEWAYS, TURNED = "too_forward", "too_left", "side"


@check_kind("stations")
class StationsCheck(Check):
    """Every station run, and a reading afterwards that shows that nothing was bumped."""

    runs: ClassVar[bool] = True

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return []

    def aspects(self, epochs: Epochs) -> frozenset[str]:
        return frozenset({"runs"})

    def judge(self, epochs: Epochs) -> Judgement:
        views = epochs.stations
        ran = [view for view in views if view.run is not None and view.proof != "doubt"]
        summary = said("stations.run", ran=len(ran), views=len(views))
        doubted = [view for view in views if view.proof == "doubt"]
        if doubted:
            names = nouns(Name(view.station.name) for view in doubted)
            remark = sentences(said("stations.doubt_run_again", names=names), doubted[-1].words)
            because = next((view.because for view in doubted if view.because is not None), None)
            return Judgement(False, summary=summary, remark=remark, because=because)
        if len(ran) < len(views) or any(view.proof == "awaited" for view in views):
            waiting = [Name(view.station.name) for view in views if view.proof == "awaited"]
            remark = sentences(said("stations.run_but_not_yet_read", names=nouns(waiting)) if waiting else None)
            return Judgement(False, summary=summary, remark=remark)
        unsure = [view for view in views if view.proof in ("missed", "contradicted")]
        unproven = [said("stations.named", name=Name(view.station.name), words=view.words) for view in unsure]
        inconsistency = sentences(*([said("stations.nothing_shows_still_stood_run"), *unproven] if unsure else []))
        return Judgement(True, summary=summary, inconsistency=inconsistency)


@check_kind("staked")
class StakedCheck(Check):
    """A target on a stand: its place by two tapes and a check, its facing where both edges are read, its height."""

    mended_by_a_move: ClassVar[bool] = True

    place: Limits = Field(description="of the target's middle, forward and sideways of where it must be, mm")
    facing: Limits | None = Field(None, description="of its face, left positive, degrees; where both edges are read")
    height: Limits | None = Field(None, description="of its middle off the station's height, mm")

    @property
    def carried_by(self) -> str:
        return "stand"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        station, slots = epochs.plan.station, stand_slots(epochs)
        if self.height is not None and station is not None:
            above = epochs.plan.target_above_floor - epochs.plan.up_to_centre
            slots.append(
                Slot(
                    id=f"standheight.{station.id}",
                    label=said(f"stations.stands_{epochs.plan.procedure.height_to}_above_floor"),
                    quantity=Quantity(dimension="length", unit="mm", low=0.5 * above, high=1.6 * above),
                    aspects=STAND,
                    reads="height",
                    wanted=round(above, 1),
                )
            )
        return slots

    def judge(self, epochs: Epochs) -> Judgement:
        way, slots = staking(epochs), self.slots(epochs)
        if way is None:
            return Judgement(False, remark=sentences(said("stations.find_line_first_stands_place")))
        found, figures = stood(epochs), []
        if found is not None:
            figures += [
                self.figure(
                    "forward", said("stations.along_vehicle"), found.forward, found.u_forward, self.place, "mm", FORWARD
                ),
                self.figure("left", said("stations.sideways"), found.left, found.u_left, self.place, "mm", SIDEWAYS),
            ]
            if found.turned is not None and self.facing is not None:
                turned = self.figure(
                    "facing", said("stations.face"), found.turned, found.u_turned, self.facing, "°", TURNED
                )
                figures.append(turned)
        if self.height is not None and slots and (read := epochs.now(slots[-1])) is not None:
            off = read.value + epochs.plan.up_to_centre - epochs.plan.target_above_floor
            rise = epochs.plan.rise_at_target
            u = math.hypot(read.u, rise.u if rise is not None else 0.0)
            label = said("stations.height_middle")
            figures.append(
                self.figure(
                    "height",
                    label,
                    off,
                    u,
                    self.height,
                    "mm",
                    "too_high",
                    single=read,
                )
            )
        missing = [slot for slot in slots if not slot.optional and epochs.now(slot) is None]
        inconsistency = NOTHING
        if found is not None and not found.trusted:
            labels = dict.fromkeys(slot.label for slot in slots if slot.id in found.suspects)
            which = "named" if labels else "plain"
            inconsistency = sentences(said(f"stations.stands_tapes_contradict.{which}", names=nouns(labels)))
        needed = len([slot for slot in slots if not slot.optional])
        summary = said("read_of", read=needed - len(missing), needed=needed)
        if found is not None and not missing:
            summary = said("stations.off_place", left=amount(math.hypot(found.forward, found.left), "mm"))
        parts = nouns(check for p in way.found if p not in EDGES and (check := way.found[p].check))
        unlike = said("stations.elsewhere", name=control_name(found.elsewhere)) if found and found.elsewhere else None
        remark = sentences(unlike, said("stations.tape_checks_other_two", parts=parts) if parts and missing else None)
        return Judgement(
            not missing and bool(figures), tuple(figures), summary, inconsistency=inconsistency, remark=remark
        )

    def before_reading(self, epochs: Epochs) -> Said | None:
        way = staking(epochs)
        if way is None or any(epochs.current(slot) for slot in self.slots(epochs)):
            return None
        return set_out(epochs, way.centre)

    def doubted(self, epochs: Epochs) -> Again | None:
        """One of its tapes: those to blame first, then any; each once."""
        found = stood(epochs)
        if found is None or found.trusted:
            return None
        return next(iter(of_its_own(epochs, stand_slots(epochs), found.suspects)), None)

    def parted_by(self, epochs: Epochs) -> tuple[Slot, int] | None:
        """The tape that tells apart those that contradict each other, where more are alike than are sooner reread."""
        found = stood(epochs)
        if found is None or found.trusted:
            return None
        again = {one.slot for one in of_its_own(epochs, stand_slots(epochs), found.suspects)}
        alike = [id for id in found.solution.suspects if id.place in again]
        if again and len(alike) <= SOON:
            return None
        unread = [tape for tape in stand_tapes(epochs) if epochs.now(tape.slot) is None]
        points = ((tape.slot, {"from_": tape.control, "to": tape.part}) for tape in unread)
        offered = as_read_last(found.solution, "level_distance", points)
        beside = most_parting(found.solution, alike or found.solution.suspects, offered)
        return (beside, len(found.suspects)) if beside is not None else None

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        found = stood(epochs)
        if found is None or not found.trusted:
            return None
        axes: tuple[tuple[Axis, float], ...] = (("forward", -found.forward), ("stand_left", -found.left))
        steps = sorted((Step(axis, off) for axis, off in axes if abs(off) >= 0.5), key=lambda step: -abs(step.amount))
        figure = next((f for f in judged.figures if f.id == "facing"), None)
        if figure is not None and figure.verdict.state != "holds":
            steps.append(Step("stand_turn", -(found.turned or 0.0)))
        if not steps:
            return None
        codes = [f"stand_turn.{s.way}" if s.axis == "stand_turn" else f"stand.{s.way}" for s in steps]
        shown = [_of_stand(step) for step in steps]
        further = [said(f"{code}.further", amount=its) for code, its in zip(codes[1:], shown[1:], strict=True)]
        return NextMove(
            "move",
            said(f"move.{codes[0]}", amount=shown[0]),
            sentences(said("stand.seat"), *further, said("stand.then")),
            action=said("move.stand.action"),
            figure=said(codes[0], amount=shown[0]),
            check=self.id,
            happening="stand",
            steps=tuple(steps),
            further={"forward": round(-found.forward, 1), "left": round(-found.left, 1)},
        )


def _of_stand(step: Step) -> Figure:
    return Angle(abs(step.amount), 1) if step.axis == "stand_turn" else Length(abs(step.amount))
