"""The one thing to do now: the next move with its amount, the most useful reading, or what blocks.

Moves in the order yaw, slide, distance, height (``moves``), each with the reading to expect afterwards; where the
readings can't decide, the reading that would (``next``), and where they contradict, the one that tells which is
wrong (``part``). One action a sentence, directions in words.
"""

from __future__ import annotations

import copy
import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from escuadra.core.axes import Pose
from escuadra.core.design import covariance_with, parting
from escuadra.core.errors import BadInput
from escuadra.core.job.checks import Check, Figure, Judgement
from escuadra.core.job.checks.frame import PoseCheck
from escuadra.core.job.setup import ENDS, Setup, Solved, crossing_slot, words_of
from escuadra.core.job.slots import Slot
from escuadra.core.moves import GoalPose, MovesInput, MovesResult, YawScrew, moves
from escuadra.core.network import NetworkInput, observe
from escuadra.core.stance import CORNERS
from escuadra.core.wording import amount, counted, rounded

if TYPE_CHECKING:
    from escuadra.core.job.sheet import CheckView, Sheet, SlotView

LEAST_MM, LEAST_TURN = 0.5, 0.05
"""Moves smaller than this cannot be made by hand."""


@dataclass(frozen=True)
class NextMove:
    """What to do now. ``happening`` names the move that "moved as told" records."""

    kind: Literal["read", "answer", "move", "blocked", "sign", "signed"]
    sentence: str
    then: str = ""
    action: str = ""
    figure: str = ""
    expect_label: str = ""
    expect: str = ""
    check: str = ""
    slot: str = ""
    happening: str = ""


def next_move(sheet: Sheet) -> NextMove:
    """The first thing that is unsettled in the order of the sheet, as one action."""
    if sheet.state.stage == "signed":
        return NextMove("signed", "The sheet is signed.", "Further work needs a new revision: reopen it.")
    for view in sheet.checks:
        if view.settled:
            continue
        return _for_view(sheet, view)
    return NextMove("sign", "Everything is settled: sign the sheet.", "Clear the area, then run the procedure.")


def _for_view(sheet: Sheet, view: CheckView) -> NextMove:
    setup = sheet.setup
    if view.state in ("open", "stale"):
        missing = missing_slot(view, setup)
        if missing is not None:
            return _read(view, missing, setup)
    if isinstance(view.check, PoseCheck):
        move = _pose_move(sheet, view)
        if move is not None:
            return move
    if view.state == "out":
        return _put_right(sheet, view)
    return _more(view, setup)


def missing_slot(view: CheckView, setup: Setup) -> SlotView | None:
    """The slot to fill first: one that is needed and has nothing current."""
    needed = [s for s in view.slots if not s.now and not s.slot.optional]
    if isinstance(view.check, PoseCheck) and not needed:
        needed = [s for s in view.slots if not s.now]
    return needed[0] if needed else None


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
    return {"length": "mm", "angle": "°", "slope": "%"}[slot.quantity.dimension] if slot.quantity else "mm"


def expected(slot: Slot, setup: Setup) -> float | None:
    """What a slot should show where everything stands as specified; ``None`` where nothing is specified."""
    plan, parts = setup.plan, slot.id.split(".")
    if parts[0] == "arch":
        return float(getattr(plan.vehicle.arches, parts[1]))
    if slot.id == "height.target":
        return plan.procedure.height
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
        hx, hy = setup.newest.value(hub, "x"), setup.newest.value(hub, "y")
    level = math.hypot(pose.x + c * bx - s * by - hx, pose.y + s * bx + c * by - hy)
    now = setup.state.seq + 1
    low, high = setup.height_for(hub, now), setup.height_for(end, now)
    if low is None or high is None:
        return None
    return math.hypot(level, high[0] - low[0])


# --- moves of the frame


def planned_moves(solved: Solved) -> MovesResult:
    """Yaw, slide and distance from the solved pose to the goal."""
    frame = solved.plan.frame
    pose, goal = solved.pose, solved.goal
    return moves(
        MovesInput(
            pose=GoalPose(x=pose.x, y=pose.y, yaw_deg=pose.yaw_deg, height=0),
            goal=GoalPose(x=goal.x, y=goal.y, yaw_deg=goal.yaw_deg, height=0),
            frame=YawScrew(pivot=frame.pivot, yaw_deg_per_turn=frame.yaw_deg_per_turn),
        )
    )


def _off(view: CheckView | None) -> bool:
    """A check that a move should mend: out, or undecided and off by more than half its U."""
    if view is None or not view.judgement.figures or view.settled or view.judgement.trouble:
        return False
    figure = view.judgement.figures[0]
    nominal = ((figure.lower or 0.0) + (figure.upper or 0.0)) / 2
    return view.state == "out" or (view.state == "undecided" and abs(figure.value - nominal) > figure.verdict.U / 2)


def _pose_move(sheet: Sheet, view: CheckView) -> NextMove | None:
    solved = sheet.setup.newest
    if solved is None or solved.line is None:
        return None
    if not solved.trusted:
        return _part(sheet, view, solved)
    by_aspect = {v.check.aspect: v for v in sheet.checks if isinstance(v.check, PoseCheck)}
    plan = planned_moves(solved)
    if _off(by_aspect.get("yaw")) and abs(plan.yaw_turns) >= LEAST_TURN:
        return _yaw_move(sheet, by_aspect["yaw"], solved, plan)
    if _off(by_aspect.get("centre")) and abs(plan.move_left) >= LEAST_MM:
        side = "left" if plan.move_left > 0 else "right"
        figure = amount(abs(plan.move_left), "mm")
        goal = solved.pose.model_copy(update={"x": solved.pose.x, "y": solved.pose.y + plan.move_left})
        slot = crossing_slot(sheet.plan)
        after = _predict(solved, "crossing", goal)
        return NextMove(
            "move",
            f"Slide the frame {figure} to the {side}.",
            "Left and right as from the driver's seat."
            + (f" Then the floor laser reads {amount(after, 'mm')} on the beam." if after is not None else ""),
            action=f"Slide the frame to the {side}",
            figure=figure,
            expect_label=slot.label,
            expect=amount(after, "mm") if after is not None else "",
            check=by_aspect["centre"].check.id,
            happening="slide",
        )
    if _off(by_aspect.get("distance")) and abs(plan.move_away) >= LEAST_MM:
        way = "away from the vehicle" if plan.move_away > 0 else "towards the vehicle"
        figure = amount(abs(plan.move_away), "mm")
        return _roll_move(sheet, by_aspect["distance"], solved, way, figure)
    return None


def _yaw_move(sheet: Sheet, view: CheckView, solved: Solved, plan: MovesResult) -> NextMove:
    frame = sheet.plan.frame
    end = "LF" if frame.screw[1] > 0 else "RF"
    way = "clockwise" if plan.yaw_turns > 0 else "anticlockwise"
    turns = rounded(abs(plan.yaw_turns), 1)
    said = f"{turns} of a turn" if float(turns) < 1 else f"{turns} turn" + ("" if float(turns) == 1 else "s")
    goal = solved.goal
    pose = Pose(x=plan.centre_after_yaw[0], y=plan.centre_after_yaw[1], yaw_deg=goal.yaw_deg)
    bx, by = sheet.plan.frame_points[f"{end}_end"]

    def end_x(at: Pose) -> float:
        return at.x + math.cos(math.radians(at.yaw_deg)) * bx - math.sin(math.radians(at.yaw_deg)) * by

    shift = end_x(pose) - end_x(solved.pose)
    travel = f"The {end} end comes {amount(abs(shift), 'mm', 0)} {'farther' if shift > 0 else 'nearer'}."
    tape = _slanted(sheet.setup, end, f"{end}_end", pose)
    label = f"{end} hub to {end} end"
    return NextMove(
        "move",
        f"Turn the yaw screw at the {end} end {said} {way}.",
        f"Seen from above. {travel}" + (f" Then {label} reads {amount(tape, 'mm', 0)}." if tape else ""),
        action=f"Turn the yaw screw at the {end} end {way}",
        figure=said,
        expect_label=label,
        expect=amount(tape, "mm", 0) if tape else "",
        check=view.check.id,
        happening="yaw",
    )


def _roll_move(sheet: Sheet, view: CheckView, solved: Solved, way: str, figure: str) -> NextMove:
    tape = _slanted(sheet.setup, "LF", "LF_end", solved.goal)
    return NextMove(
        "move",
        f"Roll the frame {figure} {way}.",
        "Brakes on again afterwards." + (f" Then LF hub to LF end reads {amount(tape, 'mm', 0)}." if tape else ""),
        action=f"Roll the frame {way}",
        figure=figure,
        expect_label="LF hub to LF end",
        expect=amount(tape, "mm", 0) if tape else "",
        check=view.check.id,
        happening="roll",
    )


def _predict(solved: Solved, slot: str, pose: Pose) -> float | None:
    """What an observation of the network would read with the beam at a pose."""
    found = next((o for o in solved.given.observations if o.id.startswith(slot)), None)
    if found is None:
        return None
    unknowns = copy.copy(solved.solution.unknowns)
    unknowns.values = unknowns.values.copy()
    k = solved.at["frame", "x"]
    unknowns.values[k : k + 3] = (pose.x, pose.y, math.radians(pose.yaw_deg))
    return observe(unknowns, found)[0] + solved.plan.frame.scale_zero


# --- more readings


def candidates(setup: Setup, solved: Solved) -> list[dict[str, Any]]:
    """Tapes that could still be read, with the uncertainty of the tape that was used most."""
    network = setup.network(solved.epoch)
    used = [o for o in network["observations"] if str(o["id"]).startswith("tape.")]
    if not used:
        return []
    tool, u = used[-1]["instrument"], used[-1]["u"]
    taken = {str(o["id"]).split("~")[0] for o in used}
    found = []
    for hub in CORNERS:
        for end in ENDS:
            id = f"tape.{hub}.{end}"
            if id not in taken:
                found.append(
                    {"id": f"{id}~{tool}", "type": "distance", "from": hub, "to": end, "instrument": tool, "u": u}
                )
    return found


def repeats(solved: Solved) -> list[Any]:
    """The readings of the solution as candidates once more."""
    return [
        o.model_copy(update={"id": f"{o.id}~again", "value": None})
        for o in solved.given.observations
        if o.id.startswith(("tape.", "crossing"))
    ]


def most_useful(setup: Setup, solved: Solved, what: str) -> tuple[str, float] | None:
    """Slot of the reading that lessens a quantity's u most, and that u."""
    return setup.once(("useful", solved.epoch, what), lambda: _most_useful(setup, solved, what))


def _most_useful(setup: Setup, solved: Solved, what: str) -> tuple[str, float] | None:
    derived = solved.derived(what)
    given = NetworkInput.read({**setup.network(solved.epoch), "observations": candidates(setup, solved)})
    after: dict[str, float] = {}
    for candidate in [*given.observations, *repeats(solved)]:
        covariance = covariance_with(solved.solution, solved.given, candidate)
        u = math.sqrt(max(0.0, float(derived.gradient @ covariance @ derived.gradient)))
        after[candidate.id.split("~")[0]] = u
    if not after:
        return None
    best = min(after, key=lambda i: after[i])
    return best, after[best]


def _part(sheet: Sheet, view: CheckView, solved: Solved) -> NextMove | None:
    """The suspect to read again, or the extra reading that tells suspects apart."""
    suspects = solved.result.suspects
    own = [i for i in suspects if i.startswith(("tape.", "crossing"))]
    slot_of = {i: i.split("~")[0] for i in own}
    if len(suspects) == 1 and own:
        slot = slot_of[own[0]]
        return NextMove(
            "read",
            f"Read again: {words_of(own[0])}, and replace the old reading.",
            "It contradicts the others. A mean would keep half of the mistake.",
            action=f"Read again, to replace: {words_of(own[0])}",
            check=view.check.id,
            slot=slot,
        )
    best = parting_reading(sheet.setup, solved)
    if best is not None:
        return NextMove(
            "read",
            f"Read one more tape: {words_of(best)}.",
            f"It tells apart which of {counted(len(suspects), 'reading')} is wrong.",
            action=f"Read one more tape: {words_of(best)}",
            check=view.check.id,
            slot=best,
        )
    slot = slot_of[own[0]] if own else "tape.LF.LF_end"
    return NextMove(
        "read",
        f"Read again: {words_of(slot)}.",
        "The readings contradict each other.",
        action=f"Read again {words_of(slot)}",
        check=view.check.id,
        slot=slot,
    )


def parting_reading(setup: Setup, solved: Solved) -> str | None:
    """Slot of the unread tape that best tells the first two suspects apart (``part``)."""
    return setup.once(("parting", solved.epoch), lambda: _parting_reading(setup, solved))


def _parting_reading(setup: Setup, solved: Solved) -> str | None:
    # What a person can misread comes before what is only known from the model.
    suspects = sorted(solved.result.suspects, key=lambda i: not i.startswith(("tape.", "crossing")))
    offered = candidates(setup, solved)
    if len(suspects) < 2 or not offered:
        return None
    given = NetworkInput.read({**setup.network(solved.epoch), "observations": offered})
    try:
        found = parting(solved.solution, solved.given, (suspects[0], suspects[1]), list(given.observations))
    except BadInput:
        return None
    return found.best.split("~")[0]


# --- what is out or undecided


def _put_right(sheet: Sheet, view: CheckView) -> NextMove:
    check, title = view.check, view.check.title
    worst = view.worst
    if check.kind == "target":
        return NextMove(
            "move",
            "Mount the target that the sheet wants.",
            _sentence(view.judgement.wrong),
            action="Mount the target that the sheet wants",
            check=check.id,
            happening="mount",
        )
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
        return _height_move(sheet, view, worst)
    if view.judgement.wrong:
        return NextMove(
            "blocked", f"Put right: {title.lower()}.", "Then answer again.", check=check.id, slot=view.slots[0].slot.id
        )
    said = f"{worst.label} {worst.text}, allowed {worst.allowed}." if worst else ""
    reason = {
        "ride_height": "The body stands wrong: find the cause before aiming.",
        "slope": "The floor is not level enough here: choose another place.",
        "rear_toe": "Wheel alignment or body measurement first.",
        "body_centreline": "The pairs do not agree: measure the body before aiming.",
    }.get(check.kind, "Put it right first.")
    return NextMove("blocked", reason, said, action=reason, check=check.id)


def _height_move(sheet: Sheet, view: CheckView, figure: Figure) -> NextMove:
    change = sheet.plan.procedure.height - figure.value
    turns = rounded(abs(change) / sheet.plan.frame.height_per_turn, 1)
    way = "up" if change > 0 else "down"
    said = f"{turns} turn" + ("" if turns == "1.0" else "s")
    expect = amount(sheet.plan.procedure.height, "mm", 0)
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
    )


def _more(view: CheckView, setup: Setup) -> NextMove:
    """An undecided check: the reading that would decide it."""
    worst = view.worst
    text = view.advice or "Within what can be measured nobody can tell."
    slot = view.slots[0].slot.id
    label = view.check.title
    if isinstance(view.check, PoseCheck):
        solved = setup.solved_for(view.check.aspect)
        best = most_useful(setup, solved, view.check.quantity) if solved else None
        if best is not None:
            slot, label = best[0], words_of(best[0])
    elif worst is not None and not view.judgement.trouble:
        named = next((s.slot for s in view.slots if s.slot.id.endswith(worst.id.split(".")[-1])), view.slots[0].slot)
        slot, label = named.id, named.label
    elif view.judgement.trouble:
        return NextMove(
            "blocked",
            f"{view.check.title}: the readings contradict each other.",
            view.judgement.trouble,
            check=view.check.id,
            slot=slot,
        )
    return NextMove(
        "read", f"Read once more: {label}.", text, action=f"Read once more: {label}", check=view.check.id, slot=slot
    )


def for_check(check: Check, state: str, judged: Judgement, slots: list[SlotView], setup: Setup) -> str:
    """What would decide an undecided check, or what an open or troubled one waits for."""
    if judged.trouble:
        if isinstance(check, PoseCheck):
            solved = setup.solved_for(check.aspect)
            best = parting_reading(setup, solved) if solved else None
            if best is not None:
                return f"{judged.trouble} A tape from {words_of(best)} would part them."
        return judged.trouble
    if state != "undecided":
        return judged.note
    figure = min(judged.figures, key=lambda f: f.verdict.margin if f.verdict.state == "undecided" else math.inf)
    verdict = figure.verdict
    if not verdict.capable:
        return "Undecided: this instrument is too coarse for the tolerance. Choose a better one."
    if verdict.readings_needed:
        more = verdict.readings_needed - max((len(s.now) for s in slots), default=0)
        if more > 0:
            return f"Undecided: {counted(more, 'further reading')} that agree would settle it."
    if isinstance(check, PoseCheck):
        solved = setup.solved_for(check.aspect)
        best_u = most_useful(setup, solved, check.quantity) if solved else None
        if best_u is not None:
            settles = abs(verdict.margin) >= 2 * best_u[1]
            again = bool(solved and any(o.id.startswith(best_u[0]) for o in solved.given.observations))
            what = f"reading {words_of(best_u[0])} again" if again else f"a tape from {words_of(best_u[0])}"
            if settles:
                return f"Undecided: {what} would settle it."
            return f"Undecided: {what} would help most, but may not settle it; moving nearer the middle does."
    return "Undecided: too near the limit for what can be measured. Set it nearer the middle and read again."
