"""A stand of its own carries the target: placed by tapes, proven by one of them read again after a run."""

from collections.abc import Mapping, Sequence

from escuadra.core.base.axes import turned
from escuadra.core.base.said import said, sentences
from escuadra.core.procedure.sheet import Station
from escuadra.core.visit.carriers.base import Carrier, Held, TargetPose, carrier
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import Happening
from escuadra.core.visit.log.state import LATER, Entry, Run
from escuadra.core.visit.proof import StationView, Watch, next_run, proven_by
from escuadra.core.visit.target_on_stand import STAND, points_of, staking, stand_slots, stand_tapes, stood, stood_where
from escuadra.core.visit.views import SheetView

OWN = frozenset({"stand"})


@carrier
class Stand(Carrier):
    """A stand beside the frame, at a place that the sheet names."""

    id = "stand"
    own_place = True
    spoils = OWN
    bump = "stand_bump"
    own_happenings = (
        Happening(what="stand", aspects=OWN | {"area"}, side="target", of="stand"),
        Happening(what="stand_bump", aspects=OWN, side="target", of="stand"),
    )

    def goal(self, epochs: Epochs) -> TargetPose | None:
        way = staking(epochs)
        return TargetPose(*way.centre, way.facing_deg) if way is not None else None

    def pose(self, epochs: Epochs) -> TargetPose | None:
        way, found = staking(epochs), stood(epochs)
        if way is None or found is None:
            return None
        dx, dy = turned(way.facing_deg - epochs.plan.target_place.facing_deg, found.forward, found.left)
        return TargetPose(way.centre[0] + dx, way.centre[1] + dy, way.facing_deg + (found.turned or 0.0))

    def held(self, epochs: Epochs) -> Sequence[Held]:
        way, parts = staking(epochs), points_of(epochs.plan)
        if way is None:
            return ()
        return [Held(t.slot.id, way.controls[t.control][:2], parts[t.part]) for t in stand_tapes(epochs)]

    def proof(self, epochs: Epochs, station: Station, run: Run) -> StationView:
        slots = stand_slots(epochs)
        kept = {slot.id: epochs.relied(slot.id) for slot in slots}
        past = epochs.state.first_disturbed(self.spoils, run.seq)
        ends = past.seq if past is not None else LATER
        since = max((p.seq for p in epochs.state.disturbances if p.seq < run.seq and p.aspects & STAND), default=0)
        seen = [e for entries in kept.values() for e in entries if run.seq < e.seq < ends]
        if seen:
            upto = next_run(epochs.state, min(e.seq for e in seen), ends)
            # A hub that stood elsewhere when it was run does so afterwards; what was read since says nothing of that.
            ran = stood(epochs, _between(kept, since, run.seq), run.seq)
            found = stood_where(epochs, _between(kept, since, upto), ran.elsewhere if ran is not None else "")
            if found is not None and not found.trusted:
                words = sentences(said("stations.stand_did_not_read_before"))
                return StationView(station, run, "doubt" if past else "contradicted", words, past)
            return StationView(station, run, "proven", proven_by(seen))
        if past is None:
            return StationView(station, run, "awaited")
        if past.what == self.bump:
            return StationView(
                station, run, "doubt", sentences(past.words, said("stations.nothing_read_between")), past
            )
        return StationView(
            station, run, "missed", sentences(past.words, said("stations.before_anything_read_again")), past
        )

    def watch(self, sheet: SheetView, station: Station) -> Watch | None:
        view = next((v for v in sheet.checks if v.check.carried_by == self.id), None)
        stand = [slot for slot in stand_slots(sheet.epochs) if not slot.optional]
        if view is None or not stand or sheet.plan.station != station:
            return None
        return Watch(stand[-1].label, view.check.id, stand[-1].id)


def _between(kept: Mapping[str, Sequence[Entry]], since: int, until: int) -> dict[str, Sequence[Entry]]:
    """What was read after one event and before another."""
    return {id: [entry for entry in entries if since < entry.seq < until] for id, entries in kept.items()}
