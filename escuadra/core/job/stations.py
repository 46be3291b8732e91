"""The stations of a procedure: which were run, whether a later reading shows that nothing was bumped, what is next.

A run is proven by the first good reading of what carries the target taken after it, with nothing in between that set it
anew. Where a bump is found late, every run since the last good check is in doubt.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.core.job.disturbance import HAPPENINGS
from escuadra.core.job.places import TAPE_ASPECTS, Plan
from escuadra.core.job.setup import Setup, cold
from escuadra.core.job.solved import Solving
from escuadra.core.job.staked import STAND, stand_slots, stood
from escuadra.core.job.state import Disturbance, Entry, Run, State
from escuadra.core.procedure import Station
from escuadra.core.said import NOTHING, Angle, Directed, Name, Noun, Said, Sentences, nouns, said, sentences
from escuadra.core.wording import amount

WATCHING = ("tape.", "rig.")
"""Readings that can notice a bump of the frame."""
Proof = Literal["proven", "awaited", "missed", "contradicted", "doubt"]
"""``missed``: what carries the target was set anew before anybody read it again. ``contradicted``: what was read again
does not agree, and nobody has said yet whether it was misread or bumped."""


@dataclass(frozen=True)
class StationView:
    """A station, its newest run, and how well that stands."""

    station: Station
    run: Run | None
    proof: Proof | None
    words: Sentences = NOTHING
    """What puts the run in doubt, or what proves it."""
    because: Disturbance | None = None

    @property
    def done(self) -> bool:
        """It was run and nothing puts that in doubt."""
        return self.run is not None and self.proof != "doubt"


def progress(state: State, plan: Plan, solving: Solving = cold) -> tuple[StationView, ...]:
    """Every station of the whole sheet, in its order."""
    return tuple(_station(state, at, solving) for at in plan.whole.at_stations.values())


def current(views: Sequence[StationView]) -> Station:
    """The station at hand: the first that was not run or is in doubt, else the last one run.

    Where something else carries the target there, it is the last one run until that is proven.
    """
    last = max(views, key=lambda view: view.run.seq if view.run else 0)
    waiting = next((view.station for view in views if not view.done), None)
    if waiting is None or (last.proof == "awaited" and "stand" in (last.station.carrier, waiting.carrier)):
        return last.station
    return waiting


def _station(state: State, plan: Plan, solving: Solving) -> StationView:
    station = plan.station
    assert station is not None
    runs = [run for run in state.runs if run.said.station == station.id and not run.withdrawn]
    if not runs:
        return StationView(station, None, None)
    run = runs[-1]
    if run.doubted is not None:
        told = next(past for past in state.disturbances if past.seq == run.doubted)
        return StationView(station, run, "doubt", sentences(told.words, said("stations.relied_here")), told)
    setup = Setup(state, plan, solving=solving)
    found = _stand(setup, station, run) if station.carrier == "stand" else _frame(setup, station, run)
    again = next((past for past in state.disturbances if past.what == "run_again" and past.seq > run.seq), None)
    if again is not None and found.proof in ("missed", "contradicted"):
        return StationView(station, run, "doubt", sentences(again.words), again)
    return found


def _frame(setup: Setup, station: Station, run: Run) -> StationView:
    slots = [slot for slot in setup.state.entries if slot.startswith(WATCHING)]
    first = sum(past.seq < run.seq for past in setup.boundaries)
    for epoch in range(first, setup.epoch + 1):
        start = max(run.seq, setup.boundaries[epoch - 1].seq if epoch else 0)
        ends = setup.boundaries[epoch].seq if epoch < setup.epoch else setup.state.seq + 1
        seen = [e for slot in slots for e in setup.relied(slot) if start < e.seq < ends]
        if seen:
            upto = _next_run(setup.state, min(e.seq for e in seen), ends)
            solved = Setup(setup.state.until(upto - 1), setup.plan, solving=setup.solving).solve(epoch)
            if solved is not None:
                if solved.trusted:
                    return StationView(station, run, "proven", _proven(setup, seen))
                told = setup.boundaries[epoch] if epoch < setup.epoch else None
                words = sentences(said("stations.frame_did_not_read_before"))
                return StationView(station, run, "doubt" if told else "contradicted", words, told)
        if epoch == setup.epoch:
            break
        past = setup.boundaries[epoch]
        if past.what == "bump":
            return StationView(
                station, run, "doubt", sentences(past.words, said("stations.nothing_read_between")), past
            )
        if past.aspects & TAPE_ASPECTS != {"centre"} and past.aspects & TAPE_ASPECTS:
            return StationView(
                station, run, "missed", sentences(past.words, said("stations.before_anything_read_again")), past
            )
    return StationView(station, run, "awaited" if setup.watch(setup.epoch) or setup.seen_by_rig(first) else "proven")


def _stand(setup: Setup, station: Station, run: Run) -> StationView:
    slots = stand_slots(setup)
    kept = {slot.id: setup.relied(slot.id) for slot in slots}
    past = setup.state.first_disturbed(frozenset({"stand"}), run.seq)
    ends = past.seq if past is not None else setup.state.seq + 1
    since = max((p.seq for p in setup.state.disturbances if p.seq < run.seq and p.aspects & STAND), default=0)
    seen = [e for entries in kept.values() for e in entries if run.seq < e.seq < ends]
    if seen:
        upto = _next_run(setup.state, min(e.seq for e in seen), ends)
        before: dict[str, Sequence[Entry]] = {
            id: [e for e in entries if since < e.seq < upto] for id, entries in kept.items()
        }
        found = stood(setup, before)
        if found is not None and not found.trusted:
            words = sentences(said("stations.stand_did_not_read_before"))
            return StationView(station, run, "doubt" if past else "contradicted", words, past)
        return StationView(station, run, "proven", _proven(setup, seen))
    if past is None:
        return StationView(station, run, "awaited")
    if past.what == "stand_bump":
        return StationView(station, run, "doubt", sentences(past.words, said("stations.nothing_read_between")), past)
    return StationView(station, run, "missed", sentences(past.words, said("stations.before_anything_read_again")), past)


def _next_run(state: State, seq: int, ends: int) -> int:
    """seq of the first run after an event, at most ``ends``."""
    return min((run.seq for run in state.runs if run.seq > seq and not run.withdrawn), default=ends)


def _proven(setup: Setup, seen: Sequence[Entry]) -> Sentences:
    return sentences(said("stations.read_again", name=min(seen, key=lambda e: e.seq).person.name))


# --- from one station to the next


@dataclass(frozen=True)
class Change:
    """What the way from one station to the next takes: to move, to set, and to read again."""

    moves: tuple[Said, ...]
    rechecks: tuple[Noun, ...]


SPOILED = ("level", "centre", "yaw", "distance", "height", "target", "hang", "tilt", "stand", "area")
"""What may have to be read again, in the order in which it is said."""


def change(plan: Plan, before: Plan | None, after: Plan) -> Change:
    """What has to be moved and read again; ``before``: nothing for the first station."""
    assert after.station is not None
    now, what = after.procedure, []
    moves: list[Said] = []
    if after.station.carrier == "stand":
        where = after.target_place.id.replace("_", " ")
        moves.append(said("stations.place_stand_place", name=Name(after.target.name), where=where))
        return Change(tuple(moves), tuple(Noun(f"spoiled.{a}") for a in ("stand", "target", "area")))
    first = before is None or before.station is None or before.station.carrier == "stand"
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
        moves.append(said("stations.set_tilt_lever", tilt=Directed(Angle(after.station.tilt_deg or 0.0, 1), "tilt")))
        what.append("tilt")
    spoiled = {aspect for w in what for aspect in HAPPENINGS[w].aspects}
    return Change(tuple(moves), tuple(Noun(f"spoiled.{aspect}") for aspect in SPOILED if aspect in spoiled))
