"""The next move of a target and its stand: shifted along the beam, tilted, placed by tapes; and the run at a station.

Before anything that sets the frame anew, and after the last run, the one reading that would notice a bump comes first.
"""

from escuadra.core.base.said import Count, Name, Sentences, Text, nouns, said, sentences
from escuadra.core.visit.carriers import CARRIERS
from escuadra.core.visit.log.disturbances import ATTEMPT, HAPPENINGS
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.plan import TAPE_ASPECTS
from escuadra.core.visit.views import SheetView


def station_move(sheet: SheetView) -> NextMove:
    """What is left once everything at the station holds: prove the last run, then run, then nothing."""
    proof = proof_move(sheet)
    if proof is not None:
        return proof
    views = sheet.stations
    k = next(k for k, view in enumerate(views) if view.station.id == _here(sheet))
    if views[k].done:
        unsure = [Name(view.station.name) for view in views if view.proof in ("missed", "contradicted")]
        again, then = said("move.run_again", places=nouns(unsure)), sentences(said("move.run_again.then"))
        action = said("move.run_again.action")
        return NextMove("move", again, then, action=action, check="stations", happening="run_again")
    place, order = Name(views[k].station.name), {"k": Count(k + 1), "n": Count(len(views))}
    return NextMove(
        "run",
        said("run.aimed" if views[k].station.aims else "run", place=place, **order),
        sentences(said("run.aimed.then" if views[k].station.aims else "run.then")),
        action=said("run.aimed.action" if views[k].station.aims else "run.action", place=place),
        figure=said("of", **order),
        check="stations",
    )


def run_move(sheet: SheetView, check: str) -> NextMove:
    """Everything holds: the procedure is run; where it was, on an instrument that is in doubt now, it is run again."""
    if sheet.state.frozen is not None:
        again, action = said("move.run_again_doubted"), said("move.run_again.action")
        return NextMove("move", again, action=action, check=check, happening=ATTEMPT)
    return NextMove(
        "run", said("run_whole"), sentences(said("run_whole.then")), action=said("run_whole.action"), check=check
    )


def _here(sheet: SheetView) -> str:
    assert sheet.plan.station is not None
    return sheet.plan.station.id


def proof_move(sheet: SheetView) -> NextMove | None:
    """The one reading that would notice a bump since the last run; nothing where no run waits for it."""
    waiting = [view for view in sheet.stations if view.proof == "awaited"]
    if not waiting:
        return None
    places = nouns([Name(view.station.name) for view in waiting])
    why = said("read.proof", places=places, count=Count(len(waiting)))
    station = waiting[-1].station
    watch = CARRIERS[station.carrier].watch(sheet, station)
    return once_more(watch.label, sentences(why), watch.check, watch.slot) if watch is not None else None


def once_more(what: Text, why: Sentences, check: str, slot: str) -> NextMove:
    """A reading that was taken already is taken again."""
    action = said("read.once_more.action", what=what)
    return NextMove("read", said("read.once_more", what=what), why, action=action, check=check, slot=slot)


def comes_first(sheet: SheetView, move: NextMove) -> NextMove:
    """A move, or before it the reading that proves the last run, where the move sets what carries the target anew."""
    known = HAPPENINGS.get(move.happening) if move.kind == "move" else None
    if known is None:
        return move
    own_places = (one.spoils for one in CARRIERS.values() if one.own_place)
    spoils = known.aspects & (TAPE_ASPECTS - {"centre"}).union(*own_places)
    return (proof_move(sheet) or move) if spoils else move
