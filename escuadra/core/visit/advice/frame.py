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
from escuadra.core.visit.checks.frame import AHEAD, blamed
from escuadra.core.visit.doubting import LOOKS_APART, Again, doubted
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.state import LATER
from escuadra.core.visit.methods.marks import ENDS_OF_BODY
from escuadra.core.visit.next_move import NextMove, Step, moved
from escuadra.core.visit.next_reading import parting_reading
from escuadra.core.visit.plan import crossing_slot, mark_slot
from escuadra.core.visit.prediction import as_said, predicted, screw_step, used_travel
from escuadra.core.visit.reach import past_travel
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.core.visit.views import CheckView, SheetView, SlotView

LEAST_MM, LEAST_TURN = 0.5, 0.05


def missing_slots(view: CheckView, epochs: Epochs) -> list[SlotView]:
    """The slots that are needed and have nothing current, in the order in which they are best read."""
    needed = {slot.id for slot in view.check.required(epochs)}
    return [s for s in view.slots if s.slot.id in needed and len(s.now) < view.check.times(s.slot)]


def expected(slot: Slot, epochs: Epochs) -> float | None:
    """What a slot should show where everything stands as specified; ``None`` where nothing is specified."""
    plan, specified = epochs.plan, slot.nominal if slot.wanted is None else slot.wanted
    if specified is not None:
        return specified
    if slot.between is not None:
        pose = epochs.newest.goal if epochs.newest and epochs.newest.line else plan.nominal_goal
        return _slanted(epochs, *slot.between, pose)
    end = next((end for end in ENDS_OF_BODY if slot.id == mark_slot(end, plan).id), None)
    pairs = epochs.marks[end].pairs if end is not None else None
    return pairs.centre if pairs is not None else None


def _slanted(epochs: Epochs, hub: str, end: str, pose: Pose) -> float | None:
    """What a tape from a hub to a beam end shows with the beam at a pose, its slope included."""
    c, s = math.cos(math.radians(pose.yaw_deg)), math.sin(math.radians(pose.yaw_deg))
    bx, by = epochs.plan.frame_points[end]
    hx, hy = epochs.plan.vehicle.hub(hub)  # type: ignore[arg-type]
    if epochs.newest is not None:
        hx, hy = epochs.newest.place(hub)
    level = math.hypot(pose.x + c * bx - s * by - hx, pose.y + s * bx + c * by - hy)
    low, high = epochs.height_for(hub, LATER), epochs.height_for(end, LATER)
    if low is None or high is None:
        return None
    return math.hypot(level, epochs.rise_of_tape(hub, end, low, high)[0])  # type: ignore[arg-type]


# --- moves of the frame


def planned_moves(solution: EpochSolution, at: Pose | None = None) -> MovesResult:
    """Yaw, slide and distance to the goal, from the solved pose or from where the frame should stand by now."""
    frame = solution.plan.frame
    pose, goal = at or solution.pose, solution.goal
    return moves(
        MovesInput(
            pose=GoalPose(x=pose.x, y=pose.y, yaw_deg=pose.yaw_deg, height=0),
            goal=GoalPose(x=goal.x, y=goal.y, yaw_deg=goal.yaw_deg, height=0),
            frame=YawScrew(pivot=frame.pivot, yaw_deg_per_turn=frame.yaw_deg_per_turn),
        )
    )


def _off(view: CheckView | None, epochs: Epochs, moves: bool = False) -> bool:
    """A check that a move should mend: beyond its limits, or undecided, off by half its u, and no reading helps.

    ``moves``: what tells it is read anew in any case, after another move: then no further reading is worth its while.
    """
    if view is None or view.settled or view.judgement.inconsistency:
        return False
    if view.state == "undecided" and not view.far_off:
        figure, check = view.judgement.figures[0], view.check
        nominal = check.tolerance.nominal if check.tolerance is not None else 0.0
        off = abs(figure.value - nominal) > figure.u / 2
        return off and (moves or check.settling(epochs, view.judgement) is None)
    return view.far_off


def move_ahead(sheet: SheetView) -> NextMove | None:
    """The next move of a plan that is under way: each goes on from where the last one should have brought the frame."""
    ahead = predicted(sheet.epochs)
    if ahead is None:
        return None
    views = {v.check.view_of: v for v in sheet.checks if v.check.of_pose}
    plan = planned_moves(ahead.solution, ahead.pose)
    done = {past.what for past in ahead.moves}

    def wanted(aspect: Literal["centre", "distance"], what: str, amount_left: float) -> bool:
        view = views.get(aspect)
        limits = view.check.tolerance if view is not None else None
        if view is None or limits is None or what in done or view.settled:
            return False
        return abs(amount_left) > AHEAD * (limits.minus + limits.plus) / 2

    if "slide" not in done and "roll" not in done and wanted("centre", "slide", plan.move_left):
        return _slide_move(sheet, views["centre"], ahead.solution, plan, ahead.pose)
    if wanted("distance", "roll", plan.move_away):
        return _away_move(sheet, views["distance"], ahead.solution, plan)
    return None


def pose_move(sheet: SheetView, view: CheckView) -> NextMove | None:
    solution = sheet.epochs.newest
    if solution is None or solution.line is None:
        return None
    if not solution.trusted:
        return part(sheet, view, solution)
    by_aspect = {v.check.view_of: v for v in sheet.checks if v.check.of_pose}
    plan = planned_moves(solution)
    away = by_aspect.get("distance")
    rolls = away is not None and away.state == "out"
    if _off(by_aspect.get("yaw"), sheet.epochs, rolls) and abs(plan.yaw_turns) >= LEAST_TURN:
        return _yaw_move(sheet, by_aspect["yaw"], solution, plan)
    if _off(by_aspect.get("centre"), sheet.epochs) and abs(plan.move_left) >= LEAST_MM:
        return _slide_move(sheet, by_aspect["centre"], solution, plan, solution.pose)
    if _off(away, sheet.epochs) and abs(plan.move_away) >= LEAST_MM:
        return _away_move(sheet, by_aspect["distance"], solution, plan)
    return None


def moves_in_any_case(sheet: SheetView) -> bool:
    """The frame is out, and its own adjusters reach: a mistake must not hide in what is read after that, not before."""
    solution, epochs = sheet.epochs.newest, sheet.epochs
    if solution is None or solution.line is None or not solution.trusted:
        return False
    if not any(v.check.of_pose and v.far_off for v in sheet.checks):
        return False
    plan, used = planned_moves(solution), used_travel(epochs)
    ways = (("yaw", plan.yaw_change_deg), ("slide", plan.move_left))
    return not any(past_travel(way, used[way], amount, sheet.plan) for way, amount in ways)


def _slide_move(sheet: SheetView, view: CheckView, solution: EpochSolution, plan: MovesResult, pose: Pose) -> NextMove:
    figure, step = Length(abs(plan.move_left)), Step("left", as_said(plan.move_left))
    if past_travel("slide", used_travel(sheet.epochs)["slide"], plan.move_left, sheet.plan):
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
    after = None if sheet.epochs.excluded(slot) else _predict(solution, "crossing", goal)
    expect: Length | Directed | None = Length(after) if after is not None else None
    label: Text = slot.label
    then = said("slide.then", expect=expect) if expect is not None else None
    if expect is None and (seen := _watched(sheet, solution, "slide", goal)) is not None:
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


def _yaw_move(sheet: SheetView, view: CheckView, solution: EpochSolution, plan: MovesResult) -> NextMove:
    frame = sheet.plan.frame
    if past_travel("yaw", used_travel(sheet.epochs)["yaw"], plan.yaw_change_deg, sheet.plan):
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
    step = screw_step(sheet.epochs, plan.yaw_change_deg)
    hub, end = step.at.removesuffix("_end"), Noun(f"end.{step.at}")
    goal = solution.goal
    pose = Pose(x=plan.centre_after_yaw[0], y=plan.centre_after_yaw[1], yaw_deg=goal.yaw_deg)
    bx, by = sheet.plan.frame_points[step.at]

    def end_x(at: Pose) -> float:
        return at.x + math.cos(math.radians(at.yaw_deg)) * bx - math.sin(math.radians(at.yaw_deg)) * by

    shift = end_x(pose) - end_x(solution.pose)
    expect, label, then = _read_then(sheet, solution, "yaw", (hub, step.at), pose)
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


def _away_move(sheet: SheetView, view: CheckView, solution: EpochSolution, plan: MovesResult) -> NextMove:
    step, figure = Step("away", as_said(plan.move_away)), Length(abs(plan.move_away))
    expect, label, then = _read_then(sheet, solution, "roll", ("LF", "LF_end"), solution.goal)
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
    sheet: SheetView, solution: EpochSolution, happening: str, tape: tuple[str, str], pose: Pose
) -> tuple[Length | Directed | None, Text, Said | None]:
    """What will be read with the beam at a pose: the figure, its name, the sentence; none where that is unknown.

    What the person watches while it moves, where there is such; else a tape.
    """
    seen = _watched(sheet, solution, happening, pose)
    if seen is None:
        length = _slanted(sheet.epochs, *tape, pose)
        seen = (Length(length, 0), Noun(f"tape.{tape[0]}.{tape[1]}")) if length is not None else None
    if seen is None:
        return None, Noun(f"tape.{tape[0]}.{tape[1]}"), None
    return *seen, said("read.expect", what=seen[1], expect=seen[0])


WATCHED = {"yaw": ("mirrors", "rack"), "slide": ("ruler_LR", "panel_LR"), "roll": ("hubs_LF",)}
"""What is watched while the frame is moved, where it was read: a spot, a ruler, a distance."""


def _watched(
    sheet: SheetView, solution: EpochSolution, happening: str, pose: Pose
) -> tuple[Length | Directed, Text] | None:
    """What that will show with the beam at a pose: as it was read, and what the move changes it by."""
    for id in reversed(solution.observations):
        slots = [sheet.slots[place].slot for place in id.kind.seen_in(id) if place in sheet.slots]
        if id.source in WATCHED[happening] and slots:
            read = sheet.epochs.measured(slots[0].id, sheet.epochs.within(slots[0], solution.epoch))
            if read is not None:
                change = solution.would_read(id, pose) - solution.would_read(id, solution.pose)
                value = Length(read.value + change / len(slots), 0)
                return (Directed(value, slots[0].way) if slots[0].way else value), slots[0].label
    return None


def _predict(solution: EpochSolution, slot: str, pose: Pose) -> float | None:
    """What a reading of the solution would show with the beam at a pose."""
    found = next((id for id in solution.observations if id.place == slot), None)
    return solution.would_read(found, pose) + solution.plan.frame.scale_zero if found is not None else None


# --- more readings


def _since(epochs: Epochs) -> int:
    """seq of the last run, or of what last changed where the frame stands."""
    runs = [run.seq for run in epochs.state.runs if not run.withdrawn]
    return max([*runs, *(past.seq for past in epochs.boundaries)], default=0)


def confirmed(epochs: Epochs, slot: str) -> bool:
    """A reading that contradicts what was carried over a shift or a run was replaced, and reads the same."""
    entries = epochs.state.entries.get(slot, ())
    runs, since = [run.seq for run in epochs.state.runs if not run.withdrawn], _since(epochs)
    fresh = [e for e in entries if e.seq > since]
    watched = bool(epochs.watched(epochs.epoch)) or bool(runs and since == max(runs))
    return watched and any(e.counts for e in fresh) and any(e.replaced_by is not None for e in fresh)


def _reads_otherwise(epochs: Epochs, solution: EpochSolution) -> ObservationId | None:
    """A tape that was read before a slide and anew since, twice alike, and changed by more than the slide made of it.

    The frame no longer stands where it did: what was read before cannot be read again as it was.
    """
    since, located = _since(epochs), solution.located
    every = zip(solution.observations, located.given.observations, strict=True)
    taped = [(id, o) for id, o in every if isinstance(o, Distance) and id.kind.taped and id.kind.of_frame]
    stays = [stay for epoch in epochs.chain(epochs.epoch) for stay in epochs.stays(epoch)]

    def off(id: ObservationId, o: Distance) -> float:
        body = next(stay.body for stay in stays if stay.start < id.seq < stay.end)
        return o.value - located.would_read(o.id, body, located.pose(body))

    before = {id.place: (id, o) for id, o in taped if stays[0].start < id.seq < since}
    for id, o in taped:
        was = before.get(id.place) if id.seq > since else None
        if was is not None and abs(off(id, o) - off(*was)) > LOOKS_APART * o.u and epochs.read_twice(id.place):
            return id
    return None


def part(sheet: SheetView, view: CheckView, solution: EpochSolution) -> NextMove | None:
    """The suspect to read again, or the extra reading that tells suspects apart."""
    suspects = solution.suspects
    elsewhere = _reads_otherwise(sheet.epochs, solution)
    if elsewhere is not None:
        return bumped(view, said("move.bump.why", what=elsewhere.words))
    own = doubted(sheet.epochs, solution)
    moved = sheet.epochs.stays(sheet.epochs.epoch)[0].body
    if any(id.kind.carried and id.place == moved for id in suspects):
        # What was carried over a move or a run is contradicted: by the reading that was to notice a bump.
        since, watching = _since(sheet.epochs), sheet.epochs.watching
        noticed = [id for id in solution.observations if id.place in watching and id.seq > since]
        newest = _newest(noticed) if noticed else None
        if newest is not None and (confirmed(sheet.epochs, newest.slot) or not sheet.epochs.read_twice(newest.slot)):
            own = [newest]
    if len(own) == 1:
        slot, what = own[0].slot, _called(sheet, own[0])
        if confirmed(sheet.epochs, slot):
            return bumped(view, said("move.bump.why", what=what))
        return read_again(sheet, view, own[0], _others(suspects, own[0]))
    best = parting_reading(sheet.epochs, solution)
    if best is not None:
        named = len(blamed(suspects))
        return parting(view, best.place, best.words, named if named > 1 else len(suspects))
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
