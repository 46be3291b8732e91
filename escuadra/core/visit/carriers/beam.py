"""The frame's beam carries the target: proven by a tape or the rig, read again after a run."""

from escuadra.core.base.said import Angle, Directed, Name, Noun, Said, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.procedure.sheet import Station
from escuadra.core.visit.carriers.base import Carrier, carrier
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import FRAME, HAPPENINGS
from escuadra.core.visit.log.state import LATER, Run
from escuadra.core.visit.plan import TAPE_ASPECTS, Plan
from escuadra.core.visit.proof import Change, StationView, Watch, next_run, proven_by
from escuadra.core.visit.views import SheetView

SPOILED = ("level", "centre", "yaw", "distance", "height", "target", "hang", "tilt", "area")
"""What may have to be read again, in the order in which it is said."""


@carrier
class Beam(Carrier):
    """The calibration frame."""

    id = "frame"
    spoils = FRAME | {"zero"}
    bump = "bump"

    def proof(self, epochs: Epochs, station: Station, run: Run) -> StationView:
        slots = [id for id in epochs.state.entries if id in epochs.watching]
        first = sum(past.seq < run.seq for past in epochs.boundaries)
        for epoch in range(first, epochs.epoch + 1):
            start = max(run.seq, epochs.boundaries[epoch - 1].seq if epoch else 0)
            ends = epochs.boundaries[epoch].seq if epoch < epochs.epoch else LATER
            seen = [e for slot in slots for e in epochs.relied(slot) if start < e.seq < ends]
            if seen:
                upto = next_run(epochs.state, min(e.seq for e in seen), ends)
                solution = epochs.as_it_was(upto - 1).solve(epoch)
                if solution is not None:
                    if solution.trusted:
                        return StationView(station, run, "proven", proven_by(seen))
                    told = epochs.boundaries[epoch] if epoch < epochs.epoch else None
                    words = sentences(said("stations.frame_did_not_read_before"))
                    return StationView(station, run, "doubt" if told else "contradicted", words, told)
            if epoch == epochs.epoch:
                break
            past = epochs.boundaries[epoch]
            if past.what == self.bump:
                return StationView(
                    station, run, "doubt", sentences(past.words, said("stations.nothing_read_between")), past
                )
            if past.aspects & TAPE_ASPECTS != {"centre"} and past.aspects & TAPE_ASPECTS:
                return StationView(
                    station, run, "missed", sentences(past.words, said("stations.before_anything_read_again")), past
                )
        return StationView(
            station, run, "awaited" if epochs.watch(epochs.epoch) or epochs.seen_by_rig(first) else "proven"
        )

    def watch(self, sheet: SheetView, station: Station) -> Watch | None:
        epochs = sheet.epochs
        slot = epochs.watch(epochs.epoch)
        if slot:
            home = next((v for v in sheet.checks if v.check.of_pose), None)
            return Watch(sheet.slots[slot].slot.label, home.check.id if home is not None else "", slot)
        for view in sheet.checks:
            if not view.check.of_pose and any(s.slot.watches for s in view.slots):
                return Watch(said("placing.rigs_look"), view.check.id, view.slots[0].slot.id)
        return None

    def change(self, plan: Plan, before: Plan | None, after: Plan) -> Change:
        """What has to be moved and read again; ``before``: nothing for the first station."""
        assert after.station is not None
        now, what = after.procedure, []
        moves: list[Said] = []
        first = before is None or before.station is None or before.station.carrier != self.id
        then = plan.procedure if before is None or first else before.procedure
        if first or now.mounting != then.mounting:
            face = nouns([Name(now.mounting.side), Name(now.mounting.way_up)], "comma")
            fixing = Name(now.mounting.fixing)
            moves.append(said("stations.hang_side", name=Name(after.target.name), face=face, fixing=fixing))
            what.append("mount")
        hung = 0.0 if first or before is None else before.hang
        if after.hang != hung:
            side = "left" if after.hang > hung else "right"
            moves.append(said(f"stations.shift_target_beam.{side}", by=amount(abs(after.hang - hung), "mm", 0)))
            what.append("shift")
        away = now.distance - then.distance
        if not first and away:
            way = "away" if away > 0 else "nearer"
            moves.append(said(f"stations.push.{way}", by=amount(abs(away), "mm", 0)))
            what.append("roll")
        beam, was = now.offset - after.hang, (then.offset - hung)
        if not first and beam != was:
            side = "left" if beam > was else "right"
            moves.append(said(f"stations.move_frame.{side}", by=amount(abs(beam - was), "mm", 0)))
            what.append("roll")
        if not first and now.height != then.height:
            way = "up" if now.height > then.height else "down"
            moves.append(said(f"stations.height.{way}", by=amount(abs(now.height - then.height), "mm", 0)))
            what.append("height")
        tilt = 0.0 if first or before is None or before.station is None else before.station.tilt_deg or 0.0
        if (after.station.tilt_deg or 0.0) != tilt:
            moves.append(
                said("stations.set_tilt_lever", tilt=Directed(Angle(after.station.tilt_deg or 0.0, 1), "tilt"))
            )
            what.append("tilt")
        spoiled = {aspect for w in what for aspect in HAPPENINGS[w].aspects}
        return Change(tuple(moves), tuple(Noun(f"spoiled.{aspect}") for aspect in SPOILED if aspect in spoiled))
