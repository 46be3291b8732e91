"""The stations of a procedure: which were run, whether a later reading shows that nothing was bumped, what is next.

A run is proven by the first good reading of what carries the target taken after it, with nothing in between that set it
anew. Where a bump is found late, every run since the last good check is in doubt.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.core.job.disturbance import HAPPENINGS
from escuadra.core.job.places import TAPE_ASPECTS, Plan
from escuadra.core.job.setup import Setup
from escuadra.core.job.staked import STAND, stand_slots, stood
from escuadra.core.job.state import Disturbance, Entry, Run, State
from escuadra.core.procedure import Station
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
    words: str = ""
    """What puts the run in doubt, or what proves it."""
    because: Disturbance | None = None

    @property
    def done(self) -> bool:
        """It was run and nothing puts that in doubt."""
        return self.run is not None and self.proof != "doubt"


def progress(state: State, plan: Plan) -> tuple[StationView, ...]:
    """Every station of the whole sheet, in its order."""
    return tuple(_station(state, at) for at in plan.whole.at_stations.values())


def current(views: Sequence[StationView]) -> Station:
    """The station at hand: the first that was not run or is in doubt, else the last one run.

    Where something else carries the target there, it is the last one run until that is proven.
    """
    last = max(views, key=lambda view: view.run.seq if view.run else 0)
    waiting = next((view.station for view in views if not view.done), None)
    if waiting is None or (last.proof == "awaited" and "stand" in (last.station.carrier, waiting.carrier)):
        return last.station
    return waiting


def _station(state: State, plan: Plan) -> StationView:
    station = plan.station
    assert station is not None
    runs = [run for run in state.runs if run.said.station == station.id and not run.withdrawn]
    if not runs:
        return StationView(station, None, None)
    run = runs[-1]
    if run.doubted is not None:
        told = next(past for past in state.disturbances if past.seq == run.doubted)
        return StationView(station, run, "doubt", f"{told.words}, and it was relied on here", told)
    setup = Setup(state, plan)
    found = _stand(setup, station, run) if station.carrier == "stand" else _frame(setup, station, run)
    again = next((past for past in state.disturbances if past.what == "run_again" and past.seq > run.seq), None)
    if again is not None and found.proof in ("missed", "contradicted"):
        return StationView(station, run, "doubt", again.words, again)
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
            solved = Setup(setup.state.until(upto - 1), setup.plan).solve(epoch)
            if solved is not None:
                if solved.trusted:
                    return StationView(station, run, "proven", _proven(setup, seen))
                told = setup.boundaries[epoch] if epoch < setup.epoch else None
                words = "the frame did not read as before when it was read again"
                return StationView(station, run, "doubt" if told else "contradicted", words, told)
        if epoch == setup.epoch:
            break
        past = setup.boundaries[epoch]
        if past.what == "bump":
            return StationView(station, run, "doubt", f"{past.words}, and nothing was read in between", past)
        if past.aspects & TAPE_ASPECTS != {"centre"} and past.aspects & TAPE_ASPECTS:
            return StationView(station, run, "missed", f"{past.words} before anything was read again", past)
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
            words = "the stand did not read as before when it was read again"
            return StationView(station, run, "doubt" if past else "contradicted", words, past)
        return StationView(station, run, "proven", _proven(setup, seen))
    if past is None:
        return StationView(station, run, "awaited")
    if past.what == "stand_bump":
        return StationView(station, run, "doubt", f"{past.words}, and nothing was read in between", past)
    return StationView(station, run, "missed", f"{past.words} before anything was read again", past)


def _next_run(state: State, seq: int, ends: int) -> int:
    """seq of the first run after an event, at most ``ends``."""
    return min((run.seq for run in state.runs if run.seq > seq and not run.withdrawn), default=ends)


def _proven(setup: Setup, seen: Sequence[Entry]) -> str:
    return f"read again by {min(seen, key=lambda e: e.seq).person.name}"


# --- from one station to the next


@dataclass(frozen=True)
class Change:
    """What the way from one station to the next takes: to move, to set, and to read again."""

    moves: tuple[str, ...]
    rechecks: tuple[str, ...]


SPOILED = {
    "level": "level",
    "centre": "centring",
    "yaw": "squareness",
    "distance": "distance",
    "height": "target height",
    "target": "the target's identity, side and way up",
    "hang": "its place on the beam",
    "tilt": "its tilt",
    "stand": "the stand's tapes",
    "area": "surroundings",
}


def change(plan: Plan, before: Plan | None, after: Plan) -> Change:
    """What has to be moved and read again; ``before``: nothing for the first station."""
    assert after.station is not None
    now, moves, what = after.procedure, [], []
    if after.station.carrier == "stand":
        where = after.target_place.id.replace("_", " ")
        moves.append(f"Place the stand with {after.target.name} at the {where} place.")
        return Change(tuple(moves), tuple(SPOILED[a] for a in ("stand", "target", "area")))
    first = before is None or before.station is None or before.station.carrier == "stand"
    then = plan.procedure if before is None or first else before.procedure
    if first or now.mounting != then.mounting:
        face = f"{now.mounting.side}, {now.mounting.way_up}"
        moves.append(f"Hang {after.target.name}, side {face}, on {now.mounting.fixing}.")
        what.append("mount")
    hung = 0.0 if first or before is None else before.hang
    if after.hang != hung:
        side = "left" if after.hang > hung else "right"
        moves.append(f"Shift the target {amount(abs(after.hang - hung), 'mm', 0)} to the {side} on the beam.")
        what.append("shift")
    away = now.distance - then.distance
    if not first and away:
        way = "away from the vehicle" if away > 0 else "towards the vehicle"
        moves.append(f"Push the frame {amount(abs(away), 'mm', 0)} {way}.")
        what.append("roll")
    beam, was = now.offset - after.hang, (then.offset - hung)
    if not first and beam != was:
        side = "left" if beam > was else "right"
        moves.append(f"Move the frame {amount(abs(beam - was), 'mm', 0)} to the {side}.")
        what.append("roll")
    if not first and now.height != then.height:
        way = "Raise" if now.height > then.height else "Lower"
        moves.append(f"{way} the target {amount(abs(now.height - then.height), 'mm', 0)}.")
        what.append("height")
    tilt = 0.0 if first or before is None or before.station is None else before.station.tilt_deg or 0.0
    if (after.station.tilt_deg or 0.0) != tilt:
        moves.append(f"Set the tilt lever to {said_tilt(after.station.tilt_deg or 0.0)}.")
        what.append("tilt")
    spoiled = {aspect for w in what for aspect in HAPPENINGS[w].aspects}
    return Change(tuple(moves), tuple(words for aspect, words in SPOILED.items() if aspect in spoiled))


def said_tilt(degrees: float) -> str:
    """A board's tilt in words."""
    if not degrees:
        return "upright"
    return f"{amount(abs(degrees), '°', 1)}, its top {'away from' if degrees > 0 else 'towards'} the vehicle"
