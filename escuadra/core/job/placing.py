"""The next move of a target and its stand: shifted along the beam, tilted, placed by tapes; and the run at a station.

Before anything that sets the frame anew, and after the last run, the one reading that would notice a bump comes first.
"""

import math

from escuadra.core.job.checks.frame import PoseCheck
from escuadra.core.job.disturbance import HAPPENINGS
from escuadra.core.job.hung import hung, read_at
from escuadra.core.job.next_move import Axis, NextMove, Step, moved
from escuadra.core.job.places import TAPE_ASPECTS, words_of
from escuadra.core.job.staked import stand_slots, stood
from escuadra.core.job.views import CheckView, SheetView
from escuadra.core.said import Angle, Count, Directed, Figure, Length, Name, Sentences, Text, nouns, said, sentences


def hang_move(sheet: SheetView, view: CheckView) -> NextMove:
    """Shift the target along the beam."""
    plan, found = sheet.plan, hung(sheet.setup)
    change = plan.hang - (found.value if found is not None else 0.0)
    step, figure = Step("hang", round(change, 1)), Length(abs(change), 0 if abs(change) >= 10 else None)
    reads = read_at(plan, plan.hang)
    expect, label = Length(reads, None if reads % 1 else 0), view.slots[0].slot.label
    sentence, action = moved("shift", step, amount=figure)
    return NextMove(
        "move",
        sentence,
        sentences(said("shift.then", what=label, expect=expect)),
        action=action,
        figure=figure,
        expect_label=label,
        expect=expect,
        check=view.check.id,
        happening="shift",
        steps=(step,),
    )


def tilt_move(sheet: SheetView, view: CheckView) -> NextMove:
    """Set the tilt lever, or hang the target level on its hooks."""
    station, frame, worst = sheet.plan.station, sheet.plan.frame, view.worst
    tilt = (station.tilt_deg or 0.0) if station is not None else 0.0
    lean, then = Directed(Angle(tilt, 1), "tilt"), said("tilt.then")
    if worst is not None and worst.id == "hangs.roll":
        sentence, action = said("move.hooks", lean=worst.text), said("move.hooks.action")
    else:
        notches = sorted(frame.tilt_notches_deg)
        notch = next((k for k, at in enumerate(notches, 1) if math.isclose(at, tilt)), 0)
        code = "move.notch" if notch else "move.tilt"
        counted = {"notch": Count(notch), "count": Count(len(notches))} if notch else {}
        sentence, action = said(code, **counted, tilt=lean), said(f"{code}.action", **counted)
        then = said("notch.then") if notch else then
    check = view.check.id
    return NextMove("move", sentence, sentences(then), action=action, figure=lean, check=check, happening="tilt")


def stand_move(sheet: SheetView, view: CheckView) -> NextMove | None:
    """Move the stand from where its tapes say that it is; nothing where they don't."""
    found = stood(sheet.setup)
    if found is None or not found.trusted:
        return None
    axes: tuple[tuple[Axis, float], ...] = (("forward", -found.forward), ("stand_left", -found.left))
    steps = sorted((Step(axis, off) for axis, off in axes if abs(off) >= 0.5), key=lambda step: -abs(step.amount))
    figure = next((f for f in view.judgement.figures if f.id == "facing"), None)
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
        check=view.check.id,
        happening="stand",
        steps=tuple(steps),
        further={"forward": round(-found.forward, 1), "left": round(-found.left, 1)},
    )


def _of_stand(step: Step) -> Figure:
    return Angle(abs(step.amount), 1) if step.axis == "stand_turn" else Length(abs(step.amount))


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
        said("run", place=place, **order),
        sentences(said("run.then")),
        action=said("run.action", place=place),
        figure=said("of", **order),
        check="stations",
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
    setup = sheet.setup
    slot = setup.watch(setup.epoch)
    if waiting[-1].station.carrier == "stand":
        view = next((v for v in sheet.checks if v.check.kind == "staked"), None)
        stand = [s for s in stand_slots(setup) if not s.optional]
        if view is None or not stand or sheet.plan.station != waiting[-1].station:
            return None
        label, check, slot = stand[-1].label, view.check.id, stand[-1].id
    elif slot:
        home = next((v for v in sheet.checks if isinstance(v.check, PoseCheck)), None)
        label, check = words_of(slot), home.check.id if home is not None else ""
    else:
        rig = next((v for v in sheet.checks for s in v.slots if s.slot.id.startswith("rig.")), None)
        if rig is None:
            return None
        label, check, slot = said("placing.rigs_look"), rig.check.id, rig.slots[0].slot.id
    return once_more(label, sentences(why), check, slot)


def once_more(what: Text, why: Sentences, check: str, slot: str) -> NextMove:
    """A reading that was taken already is taken again."""
    action = said("read.once_more.action", what=what)
    return NextMove("read", said("read.once_more", what=what), why, action=action, check=check, slot=slot)


def comes_first(sheet: SheetView, move: NextMove) -> NextMove:
    """A move, or before it the reading that proves the last run, where the move sets what carries the target anew."""
    known = HAPPENINGS.get(move.happening) if move.kind == "move" else None
    if known is None:
        return move
    spoils = known.aspects & TAPE_ASPECTS - {"centre"} or known.aspects & {"stand"}
    return (proof_move(sheet) or move) if spoils else move


def _lower(text: str) -> str:
    return text[:1].lower() + text[1:]
