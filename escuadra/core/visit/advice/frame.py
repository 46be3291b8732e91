"""The next move of the frame with its amount, and what will be read afterwards.

Order yaw, slide, distance (``moves``), since each disturbs only what comes after it. Directions in words.
"""

import math
from collections.abc import Sequence
from typing import Literal

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.said import Angle, Count, Directed, Length, Noun, Nouns, Said, Text, Turns, said, sentences
from escuadra.core.geodesy.state.input import Distance
from escuadra.core.procedure.moves import GoalPose, MovesInput, MovesResult, YawScrew, moves
from escuadra.core.visit.checks.frame import AHEAD
from escuadra.core.visit.doubting import LOOKS_APART, Again, doubted
from escuadra.core.visit.epochs import Setup
from escuadra.core.visit.log.state import LATER
from escuadra.core.visit.next_move import NextMove, Step, moved
from escuadra.core.visit.next_reading import parting_reading
from escuadra.core.visit.plan import crossing_slot
from escuadra.core.visit.prediction import as_said, predicted, screw_step, used_travel
from escuadra.core.visit.reach import past_travel
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import Solved
from escuadra.core.visit.views import CheckView, SheetView, SlotView

LEAST_MM, LEAST_TURN = 0.5, 0.05


def missing_slots(view: CheckView, setup: Setup) -> list[SlotView]:
    """The slots that are needed and have nothing current, in the order in which they are best read."""
    needed = {slot.id for slot in view.check.required(setup)}
    return [s for s in view.slots if s.slot.id in needed and len(s.now) < view.check.times(s.slot)]


def expected(slot: Slot, setup: Setup) -> float | None:
    """What a slot should show where everything stands as specified; ``None`` where nothing is specified."""
    plan, parts = setup.plan, slot.id.split(".")
    if slot.wanted is not None:
        return slot.wanted
    if parts[0] == "arch":
        return float(getattr(plan.vehicle.arches, parts[1]))
    if slot.id == "height.target":
        return plan.target_above_floor - plan.up_to_centre
    if parts[0] == "mark":
        middle = setup.marks[parts[1]].pairs
        return middle.centre if middle else None
    if parts[0] == "tape":
        pose = setup.newest.goal if setup.newest and setup.newest.line else plan.nominal_goal
        return _slanted(setup, parts[1], parts[2], pose)
    return None


def _slanted(setup: Setup, hub: str, end: str, pose: Pose) -> float | None:
    """What a tape from a hub to a beam end shows with the beam at a pose, its slope included."""
    c, s = math.cos(math.radians(pose.yaw_deg)), math.sin(math.radians(pose.yaw_deg))
    bx, by = setup.plan.frame_points[end]
    hx, hy = setup.plan.vehicle.hub(hub)  # type: ignore[arg-type]
    if setup.newest is not None:
        hx, hy = setup.newest.place(hub)
    level = math.hypot(pose.x + c * bx - s * by - hx, pose.y + s * bx + c * by - hy)
    low, high = setup.height_for(hub, LATER), setup.height_for(end, LATER)
    if low is None or high is None:
        return None
    return math.hypot(level, setup.rise_of_tape(hub, end, low, high)[0])  # type: ignore[arg-type]


# --- moves of the frame


def planned_moves(solved: Solved, at: Pose | None = None) -> MovesResult:
    """Yaw, slide and distance to the goal, from the solved pose or from where the frame should stand by now."""
    frame = solved.plan.frame
    pose, goal = at or solved.pose, solved.goal
    return moves(
        MovesInput(
            pose=GoalPose(x=pose.x, y=pose.y, yaw_deg=pose.yaw_deg, height=0),
            goal=GoalPose(x=goal.x, y=goal.y, yaw_deg=goal.yaw_deg, height=0),
            frame=YawScrew(pivot=frame.pivot, yaw_deg_per_turn=frame.yaw_deg_per_turn),
        )
    )


def _off(view: CheckView | None, setup: Setup, moves: bool = False) -> bool:
    """A check that a move should mend: beyond its limits, or undecided, off by half its u, and no reading helps.

    ``moves``: what tells it is read anew in any case, after another move: then no further reading is worth its while.
    """
    if view is None or view.settled or view.judgement.trouble:
        return False
    if view.state == "undecided" and not view.far_off:
        figure, check = view.judgement.figures[0], view.check
        nominal = check.tolerance.nominal if check.tolerance is not None else 0.0
        off = abs(figure.value - nominal) > figure.u / 2
        return off and (moves or check.settling(setup, view.judgement) is None)
    return view.far_off


def move_ahead(sheet: SheetView) -> NextMove | None:
    """The next move of a plan that is under way: each goes on from where the last one should have brought the frame."""
    ahead = predicted(sheet.setup)
    if ahead is None:
        return None
    views = {v.check.view_of: v for v in sheet.checks if v.check.of_pose}
    plan = planned_moves(ahead.solved, ahead.pose)
    done = {past.what for past in ahead.moves}

    def wanted(aspect: Literal["centre", "distance"], what: str, amount_left: float) -> bool:
        view = views.get(aspect)
        limits = view.check.tolerance if view is not None else None
        if view is None or limits is None or what in done or view.settled:
            return False
        return abs(amount_left) > AHEAD * (limits.minus + limits.plus) / 2

    if "slide" not in done and "roll" not in done and wanted("centre", "slide", plan.move_left):
        return _slide_move(sheet, views["centre"], ahead.solved, plan, ahead.pose)
    if wanted("distance", "roll", plan.move_away):
        return _away_move(sheet, views["distance"], ahead.solved, plan)
    return None


def pose_move(sheet: SheetView, view: CheckView) -> NextMove | None:
    solved = sheet.setup.newest
    if solved is None or solved.line is None:
        return None
    if not solved.trusted:
        return part(sheet, view, solved)
    by_aspect = {v.check.view_of: v for v in sheet.checks if v.check.of_pose}
    plan = planned_moves(solved)
    away = by_aspect.get("distance")
    rolls = away is not None and away.state == "out"
    if _off(by_aspect.get("yaw"), sheet.setup, rolls) and abs(plan.yaw_turns) >= LEAST_TURN:
        return _yaw_move(sheet, by_aspect["yaw"], solved, plan)
    if _off(by_aspect.get("centre"), sheet.setup) and abs(plan.move_left) >= LEAST_MM:
        return _slide_move(sheet, by_aspect["centre"], solved, plan, solved.pose)
    if _off(away, sheet.setup) and abs(plan.move_away) >= LEAST_MM:
        return _away_move(sheet, by_aspect["distance"], solved, plan)
    return None


def moves_in_any_case(sheet: SheetView) -> bool:
    """The frame is out, and its own adjusters reach: a mistake must not hide in what is read after that, not before."""
    solved, setup = sheet.setup.newest, sheet.setup
    if solved is None or solved.line is None or not solved.trusted:
        return False
    if not any(v.check.of_pose and v.far_off for v in sheet.checks):
        return False
    plan, used = planned_moves(solved), used_travel(setup)
    ways = (("yaw", plan.yaw_change_deg), ("slide", plan.move_left))
    return not any(past_travel(way, used[way], amount, sheet.plan) for way, amount in ways)


def _slide_move(sheet: SheetView, view: CheckView, solved: Solved, plan: MovesResult, pose: Pose) -> NextMove:
    figure, step = Length(abs(plan.move_left)), Step("left", as_said(plan.move_left))
    if past_travel("slide", used_travel(sheet.setup)["slide"], plan.move_left, sheet.plan):
        sentence, action = moved("push", step, amount=figure)
        return NextMove(
            "move",
            sentence,
            sentences(said("push.then", travel=Length(sheet.plan.frame.slide_travel, 0))),
            action=action,
            figure=figure,
            check=view.check.id,
            happening="roll",
            steps=(step,),
        )
    dx, dy = turned(pose.yaw_deg, 0.0, plan.move_left)
    goal = pose.model_copy(update={"x": pose.x + dx, "y": pose.y + dy})
    slot = crossing_slot(sheet.plan)
    after = None if sheet.setup.excluded(slot) else _predict(solved, "crossing", goal)
    expect: Length | Directed | None = Length(after) if after is not None else None
    label: Text = slot.label
    then = said("slide.then", expect=expect) if expect is not None else None
    if expect is None and (seen := _watched(sheet, solved, "slide", goal)) is not None:
        expect, label = seen
        then = said("read.expect", what=label, expect=expect)
    sentence, action = moved("slide", step, amount=figure)
    return NextMove(
        "move",
        sentence,
        sentences(said("slide.seat"), then),
        action=action,
        figure=figure,
        expect_label=label if expect is not None else None,
        expect=expect,
        check=view.check.id,
        happening="slide",
        steps=(step,),
    )


def _yaw_move(sheet: SheetView, view: CheckView, solved: Solved, plan: MovesResult) -> NextMove:
    frame = sheet.plan.frame
    if past_travel("yaw", used_travel(sheet.setup)["yaw"], plan.yaw_change_deg, sheet.plan):
        figure, turn = Angle(abs(plan.yaw_change_deg), 1), Step("yaw", plan.yaw_change_deg)
        sentence, action = moved("turn", turn, amount=figure)
        return NextMove(
            "move",
            sentence,
            sentences(said("turn.then", travel=Angle(frame.yaw_travel_deg, 1))),
            action=action,
            figure=figure,
            check=view.check.id,
            happening="set_down",
            steps=(turn,),
        )
    step = screw_step(sheet.setup, plan.yaw_change_deg)
    hub, end = step.at.removesuffix("_end"), Noun(f"end.{step.at}")
    goal = solved.goal
    pose = Pose(x=plan.centre_after_yaw[0], y=plan.centre_after_yaw[1], yaw_deg=goal.yaw_deg)
    bx, by = sheet.plan.frame_points[step.at]

    def end_x(at: Pose) -> float:
        return at.x + math.cos(math.radians(at.yaw_deg)) * bx - math.sin(math.radians(at.yaw_deg)) * by

    shift = end_x(pose) - end_x(solved.pose)
    expect, label, then = _read_then(sheet, solved, "yaw", (hub, step.at), pose)
    sentence, action = moved("screw", step, end=end, amount=Turns(abs(step.amount)))
    return NextMove(
        "move",
        sentence,
        sentences(
            said("screw.above"),
            said("screw.farther" if shift > 0 else "screw.nearer", end=end, amount=Length(abs(shift), 0)),
            then,
        ),
        action=action,
        figure=Turns(abs(step.amount)),
        expect_label=label,
        expect=expect,
        check=view.check.id,
        happening="yaw",
        steps=(step, Step("yaw", plan.yaw_change_deg)),
    )


def _away_move(sheet: SheetView, view: CheckView, solved: Solved, plan: MovesResult) -> NextMove:
    step, figure = Step("away", as_said(plan.move_away)), Length(abs(plan.move_away))
    expect, label, then = _read_then(sheet, solved, "roll", ("LF", "LF_end"), solved.goal)
    sentence, action = moved("roll", step, amount=figure)
    return NextMove(
        "move",
        sentence,
        sentences(said("roll.then"), then),
        action=action,
        figure=figure,
        expect_label=label,
        expect=expect,
        check=view.check.id,
        happening="roll",
        steps=(step,),
    )


def _read_then(
    sheet: SheetView, solved: Solved, happening: str, tape: tuple[str, str], pose: Pose
) -> tuple[Length | Directed | None, Text, Said | None]:
    """What will be read with the beam at a pose: the figure, its name, the sentence; none where that is unknown.

    What the person watches while it moves, where there is such; else a tape.
    """
    seen = _watched(sheet, solved, happening, pose)
    if seen is None:
        length = _slanted(sheet.setup, *tape, pose)
        seen = (Length(length, 0), Noun(f"tape.{tape[0]}.{tape[1]}")) if length is not None else None
    if seen is None:
        return None, Noun(f"tape.{tape[0]}.{tape[1]}"), None
    return *seen, said("read.expect", what=seen[1], expect=seen[0])


WATCHED = {"yaw": ("mirrors", "rack"), "slide": ("ruler_LR", "panel_LR"), "roll": ("hubs_LF",)}
"""What is watched while the frame is moved, where it was read: a spot, a ruler, a distance."""


def _watched(sheet: SheetView, solved: Solved, happening: str, pose: Pose) -> tuple[Length | Directed, Text] | None:
    """What that will show with the beam at a pose: as it was read, and what the move changes it by."""
    for id in reversed(solved.observations):
        slots = [sheet.slots[place].slot for place in id.kind.seen_in(id) if place in sheet.slots]
        if id.source in WATCHED[happening] and slots:
            read = sheet.setup.measured(slots[0].id, sheet.setup.within(slots[0], solved.epoch))
            if read is not None:
                change = solved.would_read(id, pose) - solved.would_read(id, solved.pose)
                value = Length(read.value + change / len(slots), 0)
                return (Directed(value, slots[0].way) if slots[0].way else value), slots[0].label
    return None


def _predict(solved: Solved, slot: str, pose: Pose) -> float | None:
    """What a reading of the solution would show with the beam at a pose."""
    found = next((id for id in solved.observations if id.place == slot), None)
    return solved.would_read(found, pose) + solved.plan.frame.scale_zero if found is not None else None


# --- more readings


def _since(setup: Setup) -> int:
    """seq of the last run, or of what last changed where the frame stands."""
    runs = [run.seq for run in setup.state.runs if not run.withdrawn]
    return max([*runs, *(past.seq for past in setup.boundaries)], default=0)


def confirmed(setup: Setup, slot: str) -> bool:
    """A reading that contradicts what was carried over a shift or a run was replaced, and reads the same."""
    entries = setup.state.entries.get(slot, ())
    runs, since = [run.seq for run in setup.state.runs if not run.withdrawn], _since(setup)
    fresh = [e for e in entries if e.seq > since]
    watched = bool(setup.watched(setup.epoch)) or bool(runs and since == max(runs))
    return watched and any(e.counts for e in fresh) and any(e.replaced_by is not None for e in fresh)


def _reads_otherwise(setup: Setup, solved: Solved) -> ObservationId | None:
    """A tape that was read before a slide and anew since, twice alike, and changed by more than the slide made of it.

    The frame no longer stands where it did: what was read before cannot be read again as it was.
    """
    since, located = _since(setup), solved.located
    every = zip(solved.observations, located.given.observations, strict=True)
    taped = [(id, o) for id, o in every if isinstance(o, Distance) and id.kind.taped and id.kind.of_frame]
    stays = [stay for epoch in setup.chain(setup.epoch) for stay in setup.stays(epoch)]

    def off(id: ObservationId, o: Distance) -> float:
        body = next(stay.body for stay in stays if stay.start < id.seq < stay.end)
        return o.value - located.would_read(o.id, body, located.pose(body))

    before = {id.place: (id, o) for id, o in taped if stays[0].start < id.seq < since}
    for id, o in taped:
        was = before.get(id.place) if id.seq > since else None
        if was is not None and abs(off(id, o) - off(*was)) > LOOKS_APART * o.u and setup.read_twice(id.place):
            return id
    return None


def part(sheet: SheetView, view: CheckView, solved: Solved) -> NextMove | None:
    """The suspect to read again, or the extra reading that tells suspects apart."""
    suspects = solved.suspects
    elsewhere = _reads_otherwise(sheet.setup, solved)
    if elsewhere is not None:
        return bumped(view, said("move.bump.why", what=elsewhere.words))
    own = doubted(sheet.setup, solved)
    moved = sheet.setup.stays(sheet.setup.epoch)[0].body
    if any(id.kind.carried and id.place == moved for id in suspects):
        # What was carried over a move or a run is contradicted: by the reading that was to notice a bump.
        since, watching = _since(sheet.setup), sheet.setup.watching
        noticed = [id for id in solved.observations if id.place in watching and id.seq > since]
        newest = _newest(noticed) if noticed else None
        if newest is not None and (confirmed(sheet.setup, newest.slot) or not sheet.setup.read_twice(newest.slot)):
            own = [newest]
    if len(own) == 1:
        slot, what = own[0].slot, _called(sheet, own[0])
        if confirmed(sheet.setup, slot):
            return bumped(view, said("move.bump.why", what=what))
        return read_again(sheet, view, own[0], _others(suspects, own[0]))
    best = parting_reading(sheet.setup, solved)
    if best is not None:
        return parting(view, best.place, best.words, len(suspects))
    return read_again(sheet, view, own[0], _others(suspects, own[0])) if own else None


def bumped(view: CheckView, why: Said) -> NextMove:
    """What stands elsewhere is said so, and read anew."""
    action = said("move.bump.action")
    return NextMove("move", said("move.bump"), sentences(why), action=action, check=view.check.id, happening="bump")


def parting(view: CheckView, slot: str, words: Text, suspects: int) -> NextMove:
    """The reading that tells apart which of several is wrong."""
    why, action = sentences(said("read.tape.why", count=Count(suspects))), said("read.tape.action", what=words)
    return NextMove("read", said("read.tape", what=words), why, action=action, check=view.check.id, slot=slot)


def _newest(noticed: Sequence[ObservationId]) -> Again:
    id = max(noticed, key=lambda id: id.seq)
    return Again(id.place, id.words, id.seq)


def _others(suspects: Sequence[ObservationId], again: Again) -> list[Text]:
    """What else a person read; what a model says only where nobody read anything else; never a tool's own error."""
    others = [id for id in suspects if again.slot not in id.kind.read_in(id) and id.source != "shared"]
    return [id.words for id in [id for id in others if id.kind.read_in(id)] or others]


def _called(sheet: SheetView, again: Again) -> Text:
    return again.words or sheet.slots[again.slot].slot.label


def home_of(sheet: SheetView, slot: str, view: CheckView) -> CheckView:
    """The check at which a slot is read: the one that is looked at, where it is its own."""
    homes = [v for v in (view, *sheet.checks) if any(s.slot.id == slot for s in v.slots)]
    return homes[0] if homes else view


def read_again(sheet: SheetView, view: CheckView, doubted: Again, others: Sequence[Text] = ()) -> NextMove:
    """A reading that others contradict, taken anew in place of what it was; ``others``: what else may be to blame."""
    what = _called(sheet, doubted)
    return NextMove(
        "read",
        said("read.replace", what=what),
        sentences(
            said("read.replace.why"),
            said("read.replace.or_else", others=Nouns(tuple(others))) if others else None,
        ),
        action=said("read.replace.action", what=what),
        check=home_of(sheet, doubted.slot, view).check.id,
        slot=doubted.slot,
        replaces=True,
    )
