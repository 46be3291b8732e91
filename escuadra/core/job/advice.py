"""The one thing to do now: the next move with its amount, the most useful reading, or what blocks.

Moves in the order yaw, slide, distance, height (``moves``), each with the reading to expect afterwards; where the
readings can't decide, the reading that would (``next``), and where they contradict, the one that tells which is
wrong (``part``). One action a sentence, directions in words.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from escuadra.core.feet import FeetInput, feet
from escuadra.core.job.checks.frame import LevelCheck, PoseCheck, TargetHeightCheck
from escuadra.core.job.moving import (
    AHEAD,
    NextMove,
    expected,
    missing_slots,
    move_ahead,
    pose_move,
    settling_reading,
)
from escuadra.core.job.places import words_of
from escuadra.core.job.placing import comes_first, hang_move, proof_move, stand_move, station_move, tilt_move
from escuadra.core.job.reach import beyond_any
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.job.told import predicted
from escuadra.core.quantities import OWN_UNIT
from escuadra.core.wording import amount, listed, rounded

if TYPE_CHECKING:
    from escuadra.core.job.sheet import CheckView, Sheet, SlotView


FOOT_STEP = 0.125
"""The smallest turn of a foot that is told."""
LINE_BLOCKS = {
    "open": "no line is known yet",
    "stale": "what they stand on was spoiled",
    "undecided": "nobody can tell with what was read",
}
"""Why both lines hold up the sheet."""


def next_move(sheet: Sheet) -> NextMove:
    """The first thing that is unsettled in the order of the sheet, as one action."""
    if sheet.state.stage == "signed":
        return NextMove("signed", "The sheet is signed.", "Further work needs a new revision: reopen it.")
    unsettled = [view for view in sheet.checks if not view.settled]
    # Both lines together have nothing of their own to read: what they wait for comes first.
    waiting = [view for view in unsettled if view.slots or view.state not in ("open", "stale")]
    past = beyond_any(sheet.plan)
    mounted = sheet.check("target")
    if past is not None and mounted is not None and not mounted.settled and not mounted.begun:
        said = "The frame does not reach that far: settle it before anything else."
        return NextMove("blocked", said, past.said, check="target", slot=mounted.slots[-1].slot.id)
    here = next((view for view in sheet.stations if view.station == sheet.plan.station), None)
    if here is not None and here.done and (proof := proof_move(sheet)) is not None:
        return proof
    for view in waiting or unsettled:
        return comes_first(sheet, _for_view(sheet, view))
    return NextMove("sign", "Everything is settled: sign the sheet.", "Clear the area, then run the procedure.")


def _for_view(sheet: Sheet, view: CheckView) -> NextMove:
    setup = sheet.setup
    if view.check.kind == "stations":
        return station_move(sheet)
    if view.check.group == "frame" and (ahead := move_ahead(sheet)) is not None:
        return ahead
    if view.check.group == "frame" and (height := height_ahead(sheet)) is not None:
        return height
    if view.state in ("open", "stale") or isinstance(view.check, PoseCheck):
        missing = missing_slots(view, setup)
        if missing:
            return _read(view, missing[0], setup)
    if isinstance(view.check, PoseCheck):
        move = pose_move(sheet, view)
        if move is not None:
            return move
    if view.state == "out":
        return _put_right(sheet, view)
    return _more(sheet, view)


def _read(view: CheckView, slot_view: SlotView, setup: Setup) -> NextMove:
    slot = slot_view.slot
    again = " again" if slot_view.spoiled else ""
    why = f"stale: {view.because.words}." if view.because else slot.hint
    if slot.ask == "number":
        expect = expected(slot, setup)
        said = amount(expect, _unit(slot)) if expect is not None else ""
        return NextMove(
            "read",
            f"Read{again}: {slot.label}.",
            _sentence(why),
            action=f"Read{again} {slot.label}",
            expect_label="about" if said else "",
            expect=said,
            check=view.check.id,
            slot=slot.id,
        )
    return NextMove("answer", slot.label, _sentence(why), action=slot.label, check=view.check.id, slot=slot.id)


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + ("" if not text or text.endswith(".") else ".")


def _unit(slot: Slot) -> str:
    return OWN_UNIT[slot.quantity.dimension] if slot.quantity else "mm"


def _put_right(sheet: Sheet, view: CheckView) -> NextMove:
    check, title = view.check, view.check.title
    worst = view.worst
    if check.kind == "target":
        station = sheet.plan.station
        hang = "Put on the stand" if station is not None and station.carrier == "stand" else "Mount"
        return NextMove(
            "move",
            f"{hang} the target that the sheet wants.",
            _sentence(view.judgement.wrong),
            action=f"{hang} the target that the sheet wants",
            check=check.id,
            happening="mount",
        )
    if check.kind == "hang":
        return hang_move(sheet, view)
    if check.kind == "target_level":
        return tilt_move(sheet, view)
    if check.kind == "staked" and (moved := stand_move(sheet, view)) is not None:
        return moved
    if check.kind == "level" and worst is not None and sheet.plan.frame.feet:
        return _feet_move(sheet, view)
    if check.kind == "level" and worst is not None:
        way = "Turn the feet until it is level"
        return NextMove(
            "move",
            f"{way}: {worst.text.lower() if worst.words else worst.text}.".replace("lf end", "LF end").replace(
                "rf end", "RF end"
            ),
            "Then read both ways again.",
            action=way,
            figure=worst.text.replace(" leaning", ",\u202fleaning"),
            check=check.id,
            happening="feet",
        )
    if check.kind == "target_height" and worst is not None:
        # The pose is read first, so that all moves make one round: yaw, side, distance, then height.
        frame = [v for v in sheet.checks if v.check.group == "frame" and v is not view and not v.settled]
        unread = [(v, missing) for v in frame if (missing := missing_slots(v, sheet.setup))]
        if unread:
            return _read(unread[0][0], unread[0][1][0], sheet.setup)
        for other in [v for v in frame if isinstance(v.check, PoseCheck)]:
            move = pose_move(sheet, other)
            if move is not None and move.kind == "move":
                return move
        return _height_move(sheet, view, worst.value)
    if view.judgement.wrong:
        return NextMove(
            "blocked", f"Put right: {title.lower()}.", "Then answer again.", check=check.id, slot=view.slots[0].slot.id
        )
    said = f"{worst.label} {worst.text}, allowed {worst.allowed}." if worst else ""
    reason = {
        "ride_height": "The body stands wrong: find the cause before aiming.",
        "slope": "The floor is not good enough here: choose another place.",
        "lines": "Wheel alignment or body measurement first.",
        "rear_toe": "Wheel alignment or body measurement first.",
        "body_centreline": "The pairs do not agree: measure the body before aiming.",
    }.get(check.kind, "Put it right first.")
    return NextMove("blocked", reason, said, action=reason, check=check.id)


def _feet_move(sheet: Sheet, view: CheckView) -> NextMove:
    """Each foot's turns from the level as read, the one that needs most held still where it may be."""
    frame, figures = sheet.plan.frame, {f.id: f.value for f in view.judgement.figures}
    roll, pitch = figures.get("level.roll", 0.0), figures.get("level.pitch", 0.0)
    found = feet(
        FeetInput(feet=frame.feet, thread_pitch=frame.thread_pitch, roll_deg=roll, pitch_deg=pitch, step=FOOT_STEP)
    )
    turns = {id: turn for id, turn in found.turns.items() if turn}
    if not turns:
        tiny = "Level: what is left is less than the feet's smallest turn."
        return NextMove("blocked", tiny, "Read with a finer level, or override with a reason.", check=view.check.id)
    said: list[str] = []
    for id, turn in sorted(turns.items(), key=lambda item: -abs(item[1])):
        way = "clockwise" if (turn > 0) is frame.clockwise_raises else "anticlockwise"
        said.append(f"the {id} foot {eighths(abs(turn))} {way}")
    rest = f"Then {listed(said[1:])}. " if len(said) > 1 else ""
    left = f"{amount(found.left_roll_deg, '°', 2, LevelCheck.words['roll'])} and "
    left += amount(found.left_pitch_deg, "°", 2, LevelCheck.words["pitch"])
    return NextMove(
        "move",
        f"Turn {said[0]}.",
        f"Seen from above; that {'raises' if turns[max(turns, key=lambda i: abs(turns[i]))] > 0 else 'lowers'} it. "
        f"{rest}Then both ways read {left}.",
        action=f"Turn {said[0]}",
        figure=f"{eighths(max(abs(turn) for turn in turns.values()))}",
        expect_label="Along and square to the beam",
        expect=left,
        check=view.check.id,
        happening="feet",
        by=turns,
    )


def eighths(turns: float) -> str:
    """A number of turns to the nearest eighth, in words and figures: ``5/8 of a turn``, ``1 1/4 turns``."""
    whole, over = divmod(round(turns * 8), 8)
    shared = math.gcd(over, 8)
    fraction = f"{over // shared}/{8 // shared}" if over else ""
    if not whole:
        return f"{fraction} of a turn"
    return f"{whole} {fraction}".strip() + (" turn" if whole == 1 and not over else " turns")


def height_ahead(sheet: Sheet) -> NextMove | None:
    """The height as the last move of a plan that is under way, from what was read before the first."""
    under_way = predicted(sheet.setup)
    view = next((v for v in sheet.checks if v.check.kind == "target_height"), None)
    if under_way is None or view is None or not isinstance(view.check, TargetHeightCheck):
        return None
    first = under_way.moves[0].seq
    if any(past.what == "height" and past.seq > first for past in sheet.setup.state.disturbances):
        return None
    before = sheet.setup.read_before(view.check.slots(sheet.setup)[0], first)
    if before is None:
        return None
    rise = sheet.plan.rise_at_target
    value = before.value + (rise.value if rise is not None else 0.0)
    limits = view.check.limits
    if abs(value - limits.nominal) <= AHEAD * (limits.minus + limits.plus) / 2:
        return None
    return _height_move(sheet, view, value)


def _height_move(sheet: Sheet, view: CheckView, stands: float) -> NextMove:
    change = sheet.plan.procedure.height - stands
    asked = change / sheet.plan.frame.height_per_turn
    above_floor = sheet.plan.target_above_floor
    turns = rounded(abs(change) / sheet.plan.frame.height_per_turn, 1)
    way = "up" if change > 0 else "down"
    said = f"{turns} turn" + ("" if turns == "1.0" else "s")
    expect = amount(above_floor, "mm", 0)
    return NextMove(
        "move",
        f"Crank the target {said} {way}.",
        f"That is {amount(abs(change), 'mm')}. Then its centre reads {expect}; read the level again too.",
        action=f"Crank the target {way}",
        figure=said,
        expect_label="Target centre above the floor",
        expect=expect,
        check=view.check.id,
        happening="height",
        by={"up": change, "turns": float(f"{asked:.1f}")},
    )


def _more(sheet: Sheet, view: CheckView) -> NextMove:
    """An undecided check: the reading that would decide it, else a move nearer the middle, else what blocks."""
    check, worst = view.check, view.worst
    if not view.slots:
        said = view.judgement.trouble or view.advice or view.judgement.note
        return NextMove("blocked", f"{check.title}: {LINE_BLOCKS[view.state]}.", said, check=check.id)
    first = view.slots[0].slot
    if view.judgement.trouble:
        said = f"{check.title}: the readings contradict each other."
        return NextMove("blocked", said, view.judgement.trouble, check=check.id, slot=first.id)
    slot, label = "", ""
    if isinstance(check, PoseCheck):
        slot = settling_reading(view, sheet.setup)
        label = words_of(slot) if slot else ""
    elif worst is not None and worst.verdict.readings_needed:
        found = next((s.slot for s in view.slots if s.slot.id.split(".")[-1] == worst.id.split(".")[-1]), first)
        slot, label = found.id, found.label
    elif check.kind in ("level", "target_height", "hang", "target_level", "staked"):
        return _put_right(sheet, view)
    if slot:
        said = f"Read once more: {label}."
        return NextMove("read", said, view.advice, action=said.rstrip("."), check=check.id, slot=slot)
    said = f"{check.title}: nobody can tell with these instruments."
    then = "Use a better one, or override with a reason."
    return NextMove("blocked", said, then, action=said.rstrip("."), check=check.id, slot=first.id)
