"""A stand before the vehicle carries the target: levelled, at its distance, on the line; one reading proves it."""

import math

from escuadra.core.base.said import said, sentences
from escuadra.core.procedure.sheet import Station
from escuadra.core.visit.carriers.base import Carrier, TargetPose, carrier
from escuadra.core.visit.epochs import Setup
from escuadra.core.visit.log.disturbances import Happening
from escuadra.core.visit.log.state import LATER, Entry, Run
from escuadra.core.visit.proof import StationView, Watch, proven_by
from escuadra.core.visit.tripod import TRIPOD, standing, tripod_slots
from escuadra.core.visit.views import SheetView

WATCH = "tripod.distance"
AGREES = 3.0
"""A reading that differs from the one before the run by more of its u shows a bump."""


@carrier
class Tripod(Carrier):
    """A stand of its own before the vehicle, at a distance that is read there."""

    id = "tripod"
    own_place = True
    own_line = True
    spoils = TRIPOD
    bump = "tripod_bump"
    own_happenings = (
        Happening(what="tripod", aspects=TRIPOD | {"area"}, side="target", of="tripod"),
        Happening(what="tripod_bump", aspects=TRIPOD, side="target", of="tripod"),
    )

    def goal(self, setup: Setup) -> TargetPose | None:
        place, solved = setup.plan.target_place, setup.lines
        if solved is None or solved.line != setup.plan.procedure.line or not solved.tells_line:
            return TargetPose(place.x, place.y, place.facing_deg)
        angle = solved.derived("line_angle").value
        return TargetPose(place.x, solved.line_at(place.x).value + place.y, place.facing_deg + angle)

    def pose(self, setup: Setup) -> TargetPose | None:
        goal, found = self.goal(setup), standing(setup)
        if goal is None or found is None:
            return None
        return TargetPose(goal.x + found.solved.away.off, goal.y + found.solved.left.off, goal.facing_deg)

    def proof(self, setup: Setup, station: Station, run: Run) -> StationView:
        kept = [e for slot in tripod_slots(setup.plan) for e in setup.relied(slot.id)]
        past = setup.state.first_disturbed(self.spoils, run.seq)
        ends = past.seq if past is not None else LATER
        seen = [e for e in kept if run.seq < e.seq < ends]
        if seen:
            if any(not self._agrees(setup, run, e) for e in seen):
                words = sentences(said("stations.stand_did_not_read_before"))
                return StationView(station, run, "doubt" if past else "contradicted", words, past)
            return StationView(station, run, "proven", proven_by(seen))
        if past is None:
            return StationView(station, run, "awaited")
        code = "nothing_read_between" if past.what == self.bump else "before_anything_read_again"
        words = sentences(past.words, said(f"stations.{code}"))
        return StationView(station, run, "doubt" if past.what == self.bump else "missed", words, past)

    def _agrees(self, setup: Setup, run: Run, seen: Entry) -> bool:
        """A reading after the run is what was read at the same place before it."""
        slot = seen.said.slot
        now = setup.measured(slot, [seen])
        before = setup.measured(slot, [e for e in setup.relied(slot) if e.seq < run.seq][-1:])
        if now is None or before is None:
            return True
        return abs(now.value - before.value) <= AGREES * math.hypot(now.u, before.u)

    def watch(self, sheet: SheetView, station: Station) -> Watch | None:
        view = next((v for v in sheet.checks if v.check.carried_by == self.id), None)
        if view is None or sheet.plan.station != station:
            return None
        slot = next(slot for slot in tripod_slots(sheet.plan) if slot.id == WATCH)
        return Watch(slot.label, view.check.id, slot.id)
