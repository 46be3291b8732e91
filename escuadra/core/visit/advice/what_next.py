"""The one thing to do now: the next move with its amount, the most useful reading, or what blocks.

Moves in the order yaw, slide, distance, height (``moves``), each with the reading to expect afterwards; where the
readings can't decide, the reading that would (``next``), and where they contradict, the one that tells which is
wrong (``part``). One action a sentence, directions in words.
"""

from collections.abc import Sequence
from dataclasses import replace

from escuadra.core.base.quantities import OWN_UNIT
from escuadra.core.base.said import (
    FIGURE_OF,
    Length,
    Noun,
    Probability,
    Sentences,
    Text,
    said,
    sentences,
)
from escuadra.core.base.wording import amount
from escuadra.core.visit.advice.frame import (
    bumped,
    expected,
    home_of,
    missing_slots,
    move_ahead,
    moves_in_any_case,
    part,
    parting,
    pose_move,
    read_again,
)
from escuadra.core.visit.advice.target import comes_first, once_more, proof_move, run_move, station_move
from escuadra.core.visit.doubting import at_odds
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import UPRIGHT
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.prediction import other_way, predicted
from escuadra.core.visit.pushed import Pushed, pushed
from escuadra.core.visit.reach import beyond_any
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.views import CheckView, SheetView, SlotView


def next_move(sheet: SheetView) -> NextMove:
    """The first thing that is unsettled in the order of the sheet, as one action; what went wrong way is said first."""
    move, mismatch = _first_unsettled(sheet), other_way(sheet.epochs)
    if mismatch is None:
        return move
    figures = {name: Length(value, 0) for name, value in (("was", mismatch.was), ("expected", mismatch.expected))}
    warning = said("told.other_way", what=mismatch.what, shows=Length(mismatch.shows, 0), **figures)
    return replace(move, then=sentences(warning, said("told.other_way.screw") if mismatch.screw else None) + move.then)


def _first_unsettled(sheet: SheetView) -> NextMove:
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
    push, placed = pushed(sheet.epochs), next((view for view in unsettled if view.check.of_pose), None)
    if push is not None and placed is not None:
        return _told_pushed(sheet, placed, push)
    for view in waiting or unsettled:
        view = _before_another_look(view, waiting)
        rough = _roughly_placed(sheet, view) if view.check.at_frame and not view.check.of_pose else None
        move = rough or _for_view(sheet, view)
        if move.kind == "blocked" and view.judgement.inconsistency:
            # What contradicts itself here may hang on a reading that another check knows to doubt.
            elsewhere = (
                _doubted(sheet, other) for other in unsettled if other is not view and other.judgement.inconsistency
            )
            move = next((again for again in elsewhere if again is not None), move)
        return comes_first(sheet, move)
    return NextMove("sign", said("next.sign"), sentences(said("next.sign.then")))


def _before_another_look(view: CheckView, waiting: Sequence[CheckView]) -> CheckView:
    """What would hold is looked at once more when the rest of its group stands, since a move would spoil it.

    Where the frame stands comes first of that: what is read for it may guard how level it is.
    """
    group = [other for other in waiting if other.check.group == view.check.group]
    before = (other for other in group if not other.unguarded)
    placed = (other for other in group if other.check.of_pose)
    return next(before, next(placed, view)) if view.unguarded else view


def _for_view(sheet: SheetView, view: CheckView) -> NextMove:
    epochs = sheet.epochs
    if view.check.runs:
        return station_move(sheet) if sheet.stations else run_move(sheet, view.check.id)
    if (wanted := view.judgement.photo) is not None:
        take = said("next.photo", what=wanted.label)
        return NextMove(
            "answer", take, sentences(said("next.photo.then")), action=take, check=view.check.id, slot=wanted.id
        )
    if view.check.at_frame:
        under_way = [move_ahead(sheet), *(v.check.ahead(epochs) for v in sheet.checks)]
        ahead = next((move for move in under_way if move is not None), None)
        if ahead is not None:
            return ahead
    if view.state in ("open", "stale") or view.check.of_pose:
        missing = missing_slots(view, epochs)
        if missing:
            return _read(view, missing[0], epochs)
    guarding = _guarding(sheet, view)
    if guarding is not None and not view.judgement.inconsistency:
        return guarding
    if view.check.of_pose:
        move = pose_move(sheet, view)
        if move is not None:
            return move
    if view.state == "out":
        return _put_right(sheet, view)
    return _more(sheet, view)


def _told_pushed(sheet: SheetView, view: CheckView, push: Pushed) -> NextMove:
    """The look that tells whether the frame was pushed; where it was, that it is said so."""
    changed = push.changed.label
    if push.look is not None:
        why = sentences(said("read.pushed", what=changed))
        return once_more(push.look.label, why, home_of(sheet, push.look.id, view).check.id, push.look.id)
    return bumped(view, said("move.bump.both", what=changed))


def _roughly_placed(sheet: SheetView, view: CheckView) -> NextMove | None:
    """Where a frame that was set down stands is read first, and it is moved, if that is far off: levels come after.

    A roll would spoil them, and what the other wheel's beam shows: of these one is enough for now. Nothing where
    anything of levels was read, where it stands well, or was moved already.
    """
    epochs = sheet.epochs
    frame = [v for v in sheet.checks if v.check.at_frame]
    pose, places = [v for v in frame if v.check.of_pose], [v for v in frame if v.check.placing]
    after = [v for v in frame if v not in pose and v not in places]
    spoiled = missing_slots(view, epochs) if view.check.line_method else _spoiled_by_a_roll(view, epochs)
    if view not in after or not spoiled or any(_read_here(v, epochs) for v in after):
        return None
    if predicted(epochs) is not None or any(v.judgement.inconsistency for v in pose):
        return None
    methods = [v for v in after if v.check.line_method]
    first = [*pose, *(v for v in places if not v.check.after_pose)]
    if view.check.line_method:
        unread = _first_missing(methods, epochs)
        if unread is not None:
            return _read(*unread, epochs)
        # Before a frame is set to a line, that is told, and no axle crooked.
        crooked = any(v.state == "out" for v in sheet.checks if v.check.group == view.check.group)
        if crooked or not all(v.judgement.figures for v in pose):
            return None
    # How high its target hangs is read for the move of the same round.
    for views in (first, [v for v in places if v.check.after_pose]):
        unread = _first_missing(views, epochs)
        if unread is not None:
            move = _read(*unread, epochs)
            return replace(move, then=sentences(said("read.roughly")) + move.then)
        if not moves_in_any_case(sheet):
            return None
    moves = (pose_move(sheet, v) for v in pose)
    return next((move for move in moves if move is not None and move.kind == "move"), None)


def _first_missing(views: Sequence[CheckView], epochs: Epochs) -> tuple[CheckView, SlotView] | None:
    """The first reading that is missing to tell about where the frame stands."""
    for view in views:
        method = METHODS.get(view.check.line_method)
        begun = method is not None and method.one_side_tells and any(slot.now for slot in view.slots)
        if not begun and (missing := missing_slots(view, epochs)):
            return view, missing[0]
    return None


def _spoiled_by_a_roll(view: CheckView, epochs: Epochs) -> bool:
    """What is missing of it would be."""
    missing = missing_slots(view, epochs)
    return bool(missing) and missing[0].slot.ask == "number" and bool(missing[0].slot.aspects & UPRIGHT)


def _read_here(view: CheckView, epochs: Epochs) -> bool:
    """Anything of it that a roll would spoil was read since the frame was set down."""
    set_down = max((past.seq for past in epochs.boundaries if past.what == "set_down"), default=0)
    entries = (e for s in view.slots if s.slot.aspects & UPRIGHT for e in (*s.now, *s.spoiled))
    return any(entry.seq > set_down for entry in entries)


def _read(view: CheckView, slot_view: SlotView, epochs: Epochs) -> NextMove:
    slot, what = slot_view.slot, slot_view.slot.label
    then = sentences(said("read.stale", why=view.because.words) if view.because else slot.hint)
    if slot.ask == "number":
        code = "read.again" if slot_view.spoiled else "read"
        first = view.check.before_reading(epochs) if code == "read" else None
        if first is not None:
            code, then = "read.set_out", sentences(first, then)
        expect = expected(slot, epochs)
        return NextMove(
            "read",
            said(code, what=what),
            then,
            action=said("read.again.action" if slot_view.spoiled else "read.action", what=what),
            expect_label=Noun("about") if expect is not None else None,
            expect=FIGURE_OF[_unit(slot)](expect) if expect is not None else None,
            check=view.check.id,
            slot=slot.id,
        )
    answer = said("answer", what=what)
    return NextMove("answer", answer, then, action=answer, check=view.check.id, slot=slot.id)


def _guarding(sheet: SheetView, view: CheckView) -> NextMove | None:
    """The reading without which a mistake in one of the others could go unnoticed."""
    guard, worst = view.judgement.guard, view.worst
    if guard is None or guard.look is None or worst is None or (view.check.of_pose and moves_in_any_case(sheet)):
        return None
    what = guard.look.label
    reach, check = amount(guard.reach, guard.unit or worst.unit), view.check.called
    why = said("guard.hangs_why" if guard.modelled else "guard.why", rests_on=guard.rests_on, reach=reach, check=check)
    if guard.again:
        then = sentences(said("guard.other_hand"), why)
        return once_more(what, then, home_of(sheet, guard.look.id, view).check.id, guard.look.id)
    return _one_more(sheet, view, what, sentences(why), guard.look.id)


def _one_more(sheet: SheetView, view: CheckView, what: Text, why: Sentences, slot: str) -> NextMove:
    """What was not read yet."""
    sentence, action = said("read.guard", what=what), said("read.action", what=what)
    return NextMove("read", sentence, why, action=action, check=home_of(sheet, slot, view).check.id, slot=slot)


def settled_by(sheet: SheetView, view: CheckView, found: tuple[str, Text]) -> NextMove:
    """The reading that decides an undecided check, once more or for the first time."""
    slot, what = found
    if not sheet.slots[slot].now:
        return _one_more(sheet, view, what, view.advice, slot)
    return once_more(what, view.advice, home_of(sheet, slot, view).check.id, slot)


def _unit(slot: Slot) -> str:
    return OWN_UNIT[slot.quantity.dimension] if slot.quantity else "mm"


def _put_right(sheet: SheetView, view: CheckView) -> NextMove:
    check, worst = view.check, view.worst
    if check.after_pose and worst is not None and (first := _pose_first(sheet, view)) is not None:
        return first
    move = check.put_right(sheet.epochs, view.judgement)
    if move is not None:
        return move
    again = check.to_confirm(sheet.epochs, view.judgement)
    if again is not None:
        return read_again(sheet, view, again)
    if view.judgement.mismatch:
        blocked = said("blocked.answer", check=check.called)
        then, slot = sentences(said("blocked.answer.then")), view.slots[0].slot.id
        return NextMove("blocked", blocked, then, check=check.id, slot=slot)
    then = Sentences()
    if worst is not None:
        then = sentences(said("figure.allowed", what=worst.label, shown=worst.text, allowed=worst.allowed))
    reason = said(f"blocked.{check.reason}")
    return NextMove("blocked", reason, then, action=reason, check=check.id)


def _doubted(sheet: SheetView, view: CheckView) -> NextMove | None:
    """What to read again where a check's readings contradict each other, or what would part those who may be wrong."""
    epochs = sheet.epochs
    odd = next((again for one in view.slots if (again := at_odds(epochs, one.slot)) is not None), None)
    if odd is not None and not view.check.newest_counts:
        return read_again(sheet, view, odd)
    beside = view.check.parted_by(epochs)
    if beside is not None:
        return parting(home_of(sheet, beside[0].id, view), beside[0].id, beside[0].label, beside[1])
    solution = view.check.contradicted(epochs)
    parted = part(sheet, view, solution) if solution is not None else None
    doubted = view.check.doubted(epochs) if parted is None else None
    return read_again(sheet, view, doubted) if doubted is not None else parted


def _pose_first(sheet: SheetView, view: CheckView) -> NextMove | None:
    """The pose is read and set first, so that all moves make one round: yaw, side, distance, then height."""
    frame = [v for v in sheet.checks if v.check.group == "frame" and v is not view and not v.settled]
    doubted = (_doubted(sheet, v) for v in frame if v.check.of_pose and v.judgement.inconsistency)
    again = next((move for move in doubted if move is not None), None)
    if again is not None:
        return again
    unread = [(v, missing) for v in frame if (missing := missing_slots(v, sheet.epochs))]
    if unread:
        return _read(unread[0][0], unread[0][1][0], sheet.epochs)
    unsure = (v for v in frame if v.check.of_pose and not v.unguarded and not v.judgement.inconsistency)
    guarding = (_guarding(sheet, v) for v in unsure)
    first = next((move for move in guarding if move is not None), None)
    if first is not None:
        return first
    moves = (pose_move(sheet, v) for v in frame if v.check.of_pose)
    return next((move for move in moves if move is not None and move.kind == "move"), None)


def _more(sheet: SheetView, view: CheckView) -> NextMove:
    """An undecided check: the reading that would decide it, else a move nearer the middle, else what blocks."""
    check, title = view.check, view.check.called
    if view.judgement.inconsistency and (doubted := _doubted(sheet, view)) is not None:
        return doubted
    again = check.to_confirm(sheet.epochs, view.judgement)
    if again is not None:
        return read_again(sheet, view, again)
    if not view.slots:
        then = view.judgement.inconsistency or view.advice or view.judgement.remark
        blocked = said(f"blocked.line.{view.state}", check=title)
        return NextMove("blocked", blocked, then, check=check.id, opens="lines")
    first = view.slots[0].slot
    if view.judgement.inconsistency:
        then = view.judgement.inconsistency
        return NextMove("blocked", said("blocked.contradict", check=title), then, check=check.id, slot=first.id)
    found = check.settling(sheet.epochs, view.judgement)
    if found is not None:
        return settled_by(sheet, view, found)
    unknown = check.unknown(sheet.epochs, view.judgement)
    if unknown is not None:
        return unknown
    if check.mended_by_a_move and check.put_right(sheet.epochs, view.judgement) is not None:
        return _put_right(sheet, view)
    found = check.at_last(sheet.epochs, view.judgement)
    if found is not None:
        return settled_by(sheet, view, found)
    return _nobody_can_tell(sheet, view, first)


def _nobody_can_tell(sheet: SheetView, view: CheckView, slot: Slot) -> NextMove:
    """What would tell where no reading at hand does, by what is most unsure, and where it is chosen."""
    most = next(iter(sheet.budget(view)), None)
    of_line = view.check.of_pose
    return NextMove(
        "blocked",
        said("blocked.nobody", check=view.check.called),
        sentences(
            said("blocked.nobody.most", share=Probability(most.share, 0), source=most.source) if most else None,
            said("blocked.nobody.then_line" if of_line else "blocked.nobody.then"),
        ),
        action=said("blocked.nobody.action", check=view.check.called),
        check=view.check.id,
        slot="" if of_line else slot.id,
        opens="lines" if of_line else "",
    )
