"""The one thing to do now: the next move with its amount, the most useful reading, or what blocks.

Moves in the order yaw, slide, distance, height (``moves``), each with the reading to expect afterwards; where the
readings can't decide, the reading that would (``next``), and where they contradict, the one that tells which is
wrong (``part``). One action a sentence, directions in words.
"""

from escuadra.core.feet import FeetInput, feet
from escuadra.core.job.checks.frame import PoseCheck, TargetHeightCheck
from escuadra.core.job.moving import (
    AHEAD,
    expected,
    missing_slots,
    move_ahead,
    pose_move,
    settling_reading,
)
from escuadra.core.job.next_move import NextMove, Step, foot_turned, moved
from escuadra.core.job.places import words_of
from escuadra.core.job.placing import comes_first, hang_move, once_more, proof_move, stand_move, station_move, tilt_move
from escuadra.core.job.reach import beyond_any
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot
from escuadra.core.job.told import predicted
from escuadra.core.job.views import CheckView, SheetView, SlotView
from escuadra.core.quantities import OWN_UNIT
from escuadra.core.said import (
    FIGURE_OF,
    Angle,
    Directed,
    Length,
    Name,
    Noun,
    Said,
    Sentences,
    Text,
    Turns,
    said,
    sentences,
)
from escuadra.core.wording import decimals_for

FOOT_STEP = 0.125
"""The smallest turn of a foot that is told."""
REASONS = ("ride_height", "slope", "lines", "rear_toe", "body_centreline")
"""Kinds of check that say themselves what is to be put right."""


def next_move(sheet: SheetView) -> NextMove:
    """The first thing that is unsettled in the order of the sheet, as one action."""
    if sheet.state.stage == "signed":
        return NextMove("signed", said("next.signed"), sentences(said("next.signed.then")))
    unsettled = [view for view in sheet.checks if not view.settled]
    # Both lines together have nothing of their own to read: what they wait for comes first.
    waiting = [view for view in unsettled if view.slots or view.state not in ("open", "stale")]
    past = beyond_any(sheet.plan)
    mounted = sheet.check("target")
    if past is not None and mounted is not None and not mounted.settled and not mounted.begun:
        slot = mounted.slots[-1].slot.id
        return NextMove("blocked", said("next.beyond"), sentences(*past.said), check="target", slot=slot)
    here = next((view for view in sheet.stations if view.station == sheet.plan.station), None)
    if here is not None and here.done and (proof := proof_move(sheet)) is not None:
        return proof
    for view in waiting or unsettled:
        return comes_first(sheet, _for_view(sheet, view))
    return NextMove("sign", said("next.sign"), sentences(said("next.sign.then")))


def _for_view(sheet: SheetView, view: CheckView) -> NextMove:
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
    slot, what = slot_view.slot, slot_view.slot.label
    then = sentences(said("read.stale", why=view.because.words) if view.because else slot.hint)
    if slot.ask == "number":
        code = "read.again" if slot_view.spoiled else "read"
        expect = expected(slot, setup)
        return NextMove(
            "read",
            said(code, what=what),
            then,
            action=said(f"{code}.action", what=what),
            expect_label=Noun("about") if expect is not None else None,
            expect=FIGURE_OF[_unit(slot)](expect) if expect is not None else None,
            check=view.check.id,
            slot=slot.id,
        )
    answer = said("answer", what=what)
    return NextMove("answer", answer, then, action=answer, check=view.check.id, slot=slot.id)


def _unit(slot: Slot) -> str:
    return OWN_UNIT[slot.quantity.dimension] if slot.quantity else "mm"


def _put_right(sheet: SheetView, view: CheckView) -> NextMove:
    check, title = view.check, view.check.called
    worst = view.worst
    if check.kind == "target":
        station = sheet.plan.station
        code = "move.mount_stand" if station is not None and station.carrier == "stand" else "move.mount"
        then, action = view.judgement.wrong, said(f"{code}.action")
        return NextMove("move", said(code), then, action=action, check=check.id, happening="mount")
    if check.kind == "hang":
        return hang_move(sheet, view)
    if check.kind == "target_level":
        return tilt_move(sheet, view)
    if check.kind == "staked" and (moved := stand_move(sheet, view)) is not None:
        return moved
    if check.kind == "level" and worst is not None and sheet.plan.frame.feet:
        return _feet_move(sheet, view)
    if check.kind == "level" and worst is not None:
        lean = Directed(Angle(worst.value, decimals_for(worst.verdict.U, "°")), worst.id.split(".")[-1])
        return NextMove(
            "move",
            said("move.level", lean=lean),
            sentences(said("move.level.then")),
            action=said("move.level.action"),
            figure=lean,
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
        blocked = said("blocked.answer", check=title)
        then, slot = sentences(said("blocked.answer.then")), view.slots[0].slot.id
        return NextMove("blocked", blocked, then, check=check.id, slot=slot)
    then = Sentences()
    if worst is not None:
        then = sentences(said("figure.allowed", what=worst.label, shown=worst.text, allowed=worst.allowed))
    reason = said(f"blocked.{check.kind if check.kind in REASONS else 'other'}")
    return NextMove("blocked", reason, then, action=reason, check=check.id)


def _feet_move(sheet: SheetView, view: CheckView) -> NextMove:
    """Each foot's turns from the level as read, the one that needs most held still where it may be."""
    frame, figures = sheet.plan.frame, {f.id: f.value for f in view.judgement.figures}
    roll, pitch = figures.get("level.roll", 0.0), figures.get("level.pitch", 0.0)
    found = feet(
        FeetInput(feet=frame.feet, thread_pitch=frame.thread_pitch, roll_deg=roll, pitch_deg=pitch, step=FOOT_STEP)
    )
    turns = {id: turn for id, turn in found.turns.items() if turn}
    if not turns:
        return NextMove("blocked", said("blocked.level"), sentences(said("blocked.level.then")), check=view.check.id)
    steps = [Step("foot", turn, id) for id, turn in sorted(turns.items(), key=lambda item: -abs(item[1]))]
    first, *further = (foot_turned(step, frame.clockwise_raises) for step in steps)
    left = Directed(Angle(found.left_roll_deg, 2), "roll")
    away = Directed(Angle(found.left_pitch_deg, 2), "pitch")
    return NextMove(
        "move",
        first,
        sentences(
            said("foot.raises" if steps[0].amount > 0 else "foot.lowers"),
            *(Said(f"{one.code}.further", one.values) for one in further),
            said("foot.then", roll=left, pitch=away),
        ),
        action=Said(f"{first.code}.action", first.values),
        figure=first.values["amount"],
        expect_label=Noun("both_ways"),
        expect=said("feet.both", roll=left, pitch=away),
        check=view.check.id,
        happening="feet",
        steps=tuple(steps),
    )


def height_ahead(sheet: SheetView) -> NextMove | None:
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


def _height_move(sheet: SheetView, view: CheckView, stands: float) -> NextMove:
    change = sheet.plan.procedure.height - stands
    turns = change / sheet.plan.frame.height_per_turn
    expect, step = Length(sheet.plan.target_above_floor, 0), Step("up", change)
    sentence, action = moved("height", step, amount=Turns(abs(turns)))
    return NextMove(
        "move",
        sentence,
        sentences(said("height.then", amount=Length(abs(change)), expect=expect)),
        action=action,
        figure=Turns(abs(turns)),
        expect_label=Noun("target_centre"),
        expect=expect,
        check=view.check.id,
        happening="height",
        steps=(step,),
        further={"turns": float(f"{turns:.1f}")},
    )


def _more(sheet: SheetView, view: CheckView) -> NextMove:
    """An undecided check: the reading that would decide it, else a move nearer the middle, else what blocks."""
    check, worst, title = view.check, view.worst, view.check.called
    if not view.slots:
        then = view.judgement.trouble or view.advice or view.judgement.note
        return NextMove("blocked", said(f"blocked.line.{view.state}", check=title), then, check=check.id)
    first = view.slots[0].slot
    if view.judgement.trouble:
        then = view.judgement.trouble
        return NextMove("blocked", said("blocked.contradict", check=title), then, check=check.id, slot=first.id)
    slot = ""
    label: Text = Name("")
    if isinstance(check, PoseCheck):
        slot = settling_reading(view, sheet.setup)
        label = words_of(slot) if slot else label
    elif worst is not None and worst.verdict.readings_needed:
        found = next((s.slot for s in view.slots if s.slot.id.split(".")[-1] == worst.id.split(".")[-1]), first)
        slot, label = found.id, found.label
    elif check.kind in ("level", "target_height", "hang", "target_level", "staked"):
        return _put_right(sheet, view)
    if slot:
        return once_more(label, view.advice, check.id, slot)
    return NextMove(
        "blocked",
        said("blocked.nobody", check=title),
        sentences(said("blocked.nobody.then")),
        action=said("blocked.nobody.action", check=title),
        check=check.id,
        slot=first.id,
    )
