"""A stand before the vehicle carries the target: levelled, at its distance, on the line; one reading proves it."""

from escuadra.core.procedure.sheet import Station
from escuadra.core.visit.carriers.base import Carrier, TargetPose, carrier
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import Happening
from escuadra.core.visit.log.state import Run
from escuadra.core.visit.proof import StationView, Watch
from escuadra.core.visit.tripod import TRIPOD, standing, tripod_slots
from escuadra.core.visit.views import SheetView

WATCH = "tripod.distance"


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

    def goal(self, epochs: Epochs) -> TargetPose | None:
        place, solution = epochs.plan.target_place, epochs.lines
        if solution is None or solution.line != epochs.plan.procedure.line or not solution.tells_line:
            return TargetPose(place.x, place.y, place.facing_deg)
        angle = solution.derived("line_angle").value
        return TargetPose(place.x, solution.line_at(place.x).value + place.y, place.facing_deg + angle)

    def pose(self, epochs: Epochs) -> TargetPose | None:
        goal, found = self.goal(epochs), standing(epochs)
        if goal is None or found is None:
            return None
        return TargetPose(goal.x + found.solution.away.off, goal.y + found.solution.left.off, goal.facing_deg)

    def proof(self, epochs: Epochs, station: Station, run: Run) -> StationView:
        return self.proved_by(epochs, station, run, tripod_slots(epochs.plan))

    def watch(self, sheet: SheetView, station: Station) -> Watch | None:
        view = next((v for v in sheet.checks if v.check.carried_by == self.id), None)
        if view is None or sheet.plan.station != station:
            return None
        slot = next(slot for slot in tripod_slots(sheet.plan) if slot.id == WATCH)
        return Watch(slot.label, view.check.id, slot.id)
