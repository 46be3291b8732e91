"""The next move of a target and its stand: shifted along the beam, tilted, placed by tapes; and the run at a station.

Before anything that sets the frame anew, and after the last run, the one reading that would notice a bump comes first.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from escuadra.core.job.checks.frame import PoseCheck
from escuadra.core.job.disturbance import HAPPENINGS
from escuadra.core.job.hung import hung, read_at
from escuadra.core.job.moving import NextMove
from escuadra.core.job.places import TAPE_ASPECTS, words_of
from escuadra.core.job.staked import stand_slots, stood
from escuadra.core.job.stations import said_tilt
from escuadra.core.wording import amount, listed

if TYPE_CHECKING:
    from escuadra.core.job.sheet import CheckView, Sheet


def hang_move(sheet: Sheet, view: CheckView) -> NextMove:
    """Shift the target along the beam."""
    plan, found = sheet.plan, hung(sheet.setup)
    change = plan.hang - (found.value if found is not None else 0.0)
    side = "left" if change > 0 else "right"
    figure = amount(abs(change), "mm", 0 if abs(change) >= 10 else None)
    expect = amount(read_at(plan, plan.hang), "mm", None if read_at(plan, plan.hang) % 1 else 0)
    label = view.slots[0].slot.label
    return NextMove(
        "move",
        f"Shift the target {figure} to the {side} on the beam.",
        f"As from the driver's seat; the frame itself must not move. Then the {_lower(label)} reads {expect}.",
        action=f"Shift the target to the {side} on the beam",
        figure=figure,
        expect_label=label,
        expect=expect,
        check=view.check.id,
        happening="shift",
        by={"hang": round(change, 1)},
    )


def tilt_move(sheet: Sheet, view: CheckView) -> NextMove:
    """Set the tilt lever, or hang the target level on its hooks."""
    station, frame, worst = sheet.plan.station, sheet.plan.frame, view.worst
    tilt = (station.tilt_deg or 0.0) if station is not None else 0.0
    if worst is not None and worst.id == "hangs.roll":
        text = f"Level the target on its hooks: {worst.text}."
        action, then = "Level the target on its hooks", "Then lay the level on the target and read both ways again."
    else:
        notches = sorted(frame.tilt_notches_deg)
        notch = next((k for k, at in enumerate(notches, 1) if math.isclose(at, tilt)), 0)
        by_lever = f"Set the tilt lever to notch {notch} of {len(notches)}" if notch else "Tilt the target"
        text, action = f"{by_lever}: {said_tilt(tilt)}.", by_lever
        then = "Notches are counted from the one that leans furthest towards the vehicle. Then read both ways again."
        then = then if notch else "Then lay the level on the target and read both ways again."
    return NextMove("move", text, then, action=action, figure=said_tilt(tilt), check=view.check.id, happening="tilt")


def stand_move(sheet: Sheet, view: CheckView) -> NextMove | None:
    """Move the stand from where its tapes say that it is; nothing where they don't."""
    found = stood(sheet.setup)
    if found is None or not found.trusted:
        return None
    parts = []
    for off, (over, under) in ((found.forward, ("back", "forward")), (found.left, ("to the right", "to the left"))):
        if abs(off) >= 0.5:
            parts.append((abs(off), f"{amount(abs(off), 'mm')} {over if off > 0 else under}"))
    turn = found.turned or 0.0
    figure = next((f for f in view.judgement.figures if f.id == "facing"), None)
    if figure is not None and figure.verdict.state != "holds":
        side = "right" if turn > 0 else "left"
        parts.append((0.0, f"{amount(abs(turn), '°', 1)} about its middle, its face to the {side}"))
    if not parts:
        return None
    parts.sort(key=lambda part: -part[0])
    said = [words for _, words in parts]
    rest = f"Then {listed(said[1:])}. " if len(said) > 1 else ""
    return NextMove(
        "move",
        f"Move the stand {said[0]}.",
        f"Forward, left and right as from the driver's seat. {rest}Then read its tapes again.",
        action="Move the stand",
        figure=said[0],
        check=view.check.id,
        happening="stand",
        by={"forward": round(-found.forward, 1), "left": round(-found.left, 1)},
    )


def station_move(sheet: Sheet) -> NextMove:
    """What is left once everything at the station holds: prove the last run, then run, then nothing."""
    proof = proof_move(sheet)
    if proof is not None:
        return proof
    views = sheet.stations
    k = next(k for k, view in enumerate(views) if view.station.id == _here(sheet))
    if views[k].done:
        unsure = [view.station.name for view in views if view.proof in ("missed", "contradicted")]
        said = f"Nothing shows that it still stood at the {listed(unsure)} place: run it again."
        then = "Or accept it with a reason."
        return NextMove("move", said, then, action="Run it again", check="stations", happening="run_again")
    name = views[k].station.name
    return NextMove(
        "run",
        f"Run the procedure at the {name} place, {k + 1} of {len(views)}.",
        "Nobody walks through, nothing is bumped. Say when it was run.",
        action=f"Run the procedure: {name}",
        figure=f"{k + 1} of {len(views)}",
        check="stations",
    )


def _here(sheet: Sheet) -> str:
    assert sheet.plan.station is not None
    return sheet.plan.station.id


def proof_move(sheet: Sheet) -> NextMove | None:
    """The one reading that would notice a bump since the last run; nothing where no run waits for it."""
    waiting = [view for view in sheet.stations if view.proof == "awaited"]
    if not waiting:
        return None
    names = listed([view.station.name for view in waiting])
    why = f"It would notice a bump while {names} {'was' if len(waiting) == 1 else 'were'} run."
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
        label, check, slot = "the rig's look", rig.check.id, rig.slots[0].slot.id
    return NextMove("read", f"Read once more: {label}.", why, action=f"Read once more: {label}", check=check, slot=slot)


def comes_first(sheet: Sheet, move: NextMove) -> NextMove:
    """A move, or before it the reading that proves the last run, where the move sets what carries the target anew."""
    known = HAPPENINGS.get(move.happening) if move.kind == "move" else None
    if known is None:
        return move
    spoils = known.aspects & TAPE_ASPECTS - {"centre"} or known.aspects & {"stand"}
    return (proof_move(sheet) or move) if spoils else move


def _lower(text: str) -> str:
    return text[:1].lower() + text[1:]
