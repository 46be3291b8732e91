"""Stations: every place run and proven, and a target on a stand of its own found by tapes.

Source of a stand's place: ``stakeout`` and ``network``, see ``staked``; limits judged by ``verdict``.
"""

import math

from pydantic import Field

from escuadra.core.job.checks.base import Check, Judgement
from escuadra.core.job.hung import EDGES
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.job.staked import STAND, staking, stand_slots, stood
from escuadra.core.procedure import Limits, check_kind
from escuadra.core.quantities import Quantity
from escuadra.core.wording import amount, listed

FORWARD, SIDEWAYS, TURNED = ("too far forward", "too far back"), ("too far left", "too far right"), ("left", "right")


@check_kind("stations")
class StationsCheck(Check):
    """Every station run, and a reading afterwards that shows that nothing was bumped."""

    def make_slots(self, setup: Setup) -> list[Slot]:
        return []

    def aspects(self, setup: Setup) -> frozenset[str]:
        return frozenset({"runs"})

    def judge(self, setup: Setup) -> Judgement:
        views = setup.stations
        ran = [view for view in views if view.run is not None and view.proof != "doubt"]
        summary = f"{len(ran)} of {len(views)} run"
        doubted = [view for view in views if view.proof == "doubt"]
        if doubted:
            names = listed([view.station.name for view in doubted])
            note = f"In doubt, to be run again: {names}; {doubted[-1].words}."
            because = next((view.because for view in doubted if view.because is not None), None)
            return Judgement(False, summary=summary, note=note, because=because)
        if len(ran) < len(views) or any(view.proof == "awaited" for view in views):
            waiting = [view.station.name for view in views if view.proof == "awaited"]
            note = f"Run, but not yet read again: {listed(waiting)}." if waiting else ""
            return Judgement(False, summary=summary, note=note)
        unsure = [view for view in views if view.proof in ("missed", "contradicted")]
        trouble = "; ".join(f"{view.station.name}: {view.words}" for view in unsure)
        trouble = (
            f"Nothing shows that it still stood: {trouble}. Run it again, or accept it with a reason." if unsure else ""
        )
        return Judgement(True, summary=summary, trouble=trouble)


@check_kind("staked")
class StakedCheck(Check):
    """A target on a stand: its place by two tapes and a check, its facing where both edges are read, its height."""

    place: Limits = Field(description="of the target's middle, forward and sideways of where it must be, mm")
    facing: Limits | None = Field(None, description="of its face, left positive, degrees; where both edges are read")
    height: Limits | None = Field(None, description="of its middle off the station's height, mm")

    @property
    def carried_by(self) -> str:
        return "stand"

    def make_slots(self, setup: Setup) -> list[Slot]:
        station, slots = setup.plan.station, stand_slots(setup)
        if self.height is not None and station is not None:
            above = setup.plan.target_above_floor
            slots.append(
                Slot(
                    id=f"standheight.{station.id}",
                    label="Middle of the stand's target above the floor",
                    quantity=Quantity(dimension="length", unit="mm", low=0.5 * above, high=1.6 * above),
                    aspects=STAND,
                    reads="height",
                )
            )
        return slots

    def judge(self, setup: Setup) -> Judgement:
        way, slots = staking(setup), self.slots(setup)
        if way is None:
            return Judgement(False, note="Find the line first: the stand's place hangs on it.")
        found, figures = stood(setup), []
        if found is not None:
            figures += [
                self.figure("forward", "Along the vehicle", found.forward, found.u_forward, self.place, "mm", FORWARD),
                self.figure("left", "Sideways", found.left, found.u_left, self.place, "mm", SIDEWAYS),
            ]
            if found.turned is not None and self.facing is not None:
                turned = self.figure("facing", "Its face", found.turned, found.u_turned, self.facing, "°", TURNED)
                figures.append(turned)
        if self.height is not None and slots and (read := setup.now(slots[-1])) is not None:
            off = read.value - setup.plan.target_above_floor
            rise = setup.plan.rise_at_target
            u = math.hypot(read.u, rise.u if rise is not None else 0.0)
            label = "Height of its middle"
            figures.append(
                self.figure("height", label, off, u, self.height, "mm", ("too high", "too low"), single=read)
            )
        missing = [slot for slot in slots if not slot.optional and setup.now(slot) is None]
        trouble = ""
        if found is not None and not found.trusted:
            named = [i.split("~")[0] for i in found.result.suspects if i.startswith("stand.")]
            labels = dict.fromkeys(slot.label for slot in slots if slot.id in named)
            trouble = f"The stand's tapes contradict each other{': ' + listed(list(labels)) if labels else ''}."
        needed = len([slot for slot in slots if not slot.optional])
        summary = f"{needed - len(missing)} of {needed} read"
        if found is not None and not missing:
            summary = f"{amount(math.hypot(found.forward, found.left), 'mm')} off its place"
        parts = " and ".join(way.found[p].check or "" for p in way.found if p not in EDGES)
        note = f"The tape from the {parts} checks the other two." if parts and missing else ""
        return Judgement(not missing and bool(figures), tuple(figures), summary, trouble=trouble, note=note)
