"""Several bodies that stand together, each at its place; one reading of any of them taken again proves a run."""

from collections.abc import Sequence

from escuadra.core.base.axes import turned
from escuadra.core.base.said import Name, Noun, said
from escuadra.core.procedure.sheet import Station
from escuadra.core.visit.body_readings import SET, Goal, body_slots, goals
from escuadra.core.visit.carriers.base import Carrier, StandingPose, TargetPose, carrier
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import Happening
from escuadra.core.visit.log.state import Run
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.proof import Change, StationView, Watch
from escuadra.core.visit.together import Stood, folded, together, without
from escuadra.core.visit.views import SheetView


@carrier
class Bodies(Carrier):
    """Panels, boards and mats at one station."""

    id = "together"
    own_place = True
    several = True
    spoils = SET
    bump = "together_bump"
    own_happenings = (
        Happening(what="together", aspects=SET | {"area"}, side="target", of="together", each="together"),
        Happening(what="together_bump", aspects=SET, side="target", of="together", each="together"),
    )

    def standing(self, epochs: Epochs) -> Sequence[StandingPose]:
        return [_standing(epochs, goal) for goal in goals(epochs).values()]

    def proof(self, epochs: Epochs, station: Station, run: Run) -> StationView:
        slots = [slot for body in goals(epochs) for slot in body_slots(epochs, body)]
        return self.proved_by(epochs, station, run, slots)

    def watch(self, sheet: SheetView, station: Station) -> Watch | None:
        view = next((v for v in sheet.checks if v.check.carried_by == self.id), None)
        if view is None or sheet.plan.station != station:
            return None
        lengths = [one.slot for one in view.slots if one.slot.reads == "tape"]
        return Watch(lengths[0].label, view.check.id, lengths[0].id) if lengths else None

    def change(self, plan: Plan, before: Plan | None, after: Plan) -> Change:
        assert after.station is not None
        turn = [said("stations.turn_vehicle")] if after.station.id == plan.turn_before else []
        moves = turn + [said("stations.stand_bodies", name=Name(one.name)) for one in after.station.bodies]
        return Change(tuple(moves), (self.place_words, Noun("spoiled.target"), Noun("spoiled.area")))


def _standing(epochs: Epochs, goal: Goal) -> StandingPose:
    fold = folded(epochs, goal)
    found = together(epochs) if fold is None else without(epochs, fold.slots)
    return StandingPose(
        goal.body.id,
        Name(goal.body.name),
        goal.number,
        goal.body.width,
        0.0 if goal.body.upright else goal.body.height,
        TargetPose(goal.x, goal.y, goal.facing_deg),
        _pose(goal, found.stood(goal) if found is not None else None),
        bool(goal.body.over),
        goal.point(fold.point)[:2] if fold is not None else None,
    )


def _pose(goal: Goal, stood: Stood | None) -> TargetPose | None:
    """Where a body is by what was read of it."""
    if stood is None:
        return None
    line = goal.facing_deg - goal.body.facing_deg
    dx, dy = turned(line, stood.forward.value, stood.left.value)
    return TargetPose(goal.x + dx, goal.y + dy, goal.facing_deg + stood.turned.value)
