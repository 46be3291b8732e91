"""What is asked for until a mistake in one thing would be noticed, and no more than that."""

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import pytest

from escuadra.commands.lines import PlanLines
from escuadra.core.base.said import Noun
from escuadra.core.geodesy.state.located import Derived, Located
from escuadra.core.visit.advice.what_next import settled_by
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.guarding import MOST_LOOKS, Guard, first, word
from escuadra.core.visit.log.events import LinePlanned
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.next_reading import further
from escuadra.core.visit.plan import wheelbase_slot
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.following import read
from escuadra.rehearsal.technician import Technician
from escuadra.words import say
from tests.english import told

MOST_STEPS = 90
FRAME = ("level", "target_height", "square", "centred", "distance")


def follow(who: Technician, bay: VirtualBay) -> list[str]:
    """Do what the sheet says until it is to be signed: the slots that were read, and the moves, in their order."""
    done: list[str] = []
    for _ in range(MOST_STEPS):
        sheet = who.opened.sheet
        move = sheet.next
        if move.kind == "run":
            return done
        done.append(move.slot or move.happening)
        if move.kind == "move":
            bay.obey(move.happening, move.by)
            who.happen(move.happening, move.by)
        elif move.slot.startswith("target."):
            who.target()
        elif move.slot.startswith("around."):
            who.around()
        elif sheet.slots[move.slot].slot.ask == "tick":
            who.answer(move.slot, "yes")
        else:
            slot = sheet.slots[move.slot].slot
            value = bay.at(move.slot)
            word = "" if slot.way is None else "plus" if value >= 0 else "minus"
            tool = who.garage.tools(slot)[0].id
            who.read(move.slot, f"{abs(value) if word else value:.2f}", tool, word, move.replaces)
    raise AssertionError(say(who.opened.sheet.next.sentence))


def readied(teo: Technician) -> Technician:
    teo.ready()
    teo.stance(1, 2, -1, 0)
    return teo


def test_mirrors_rulers_and_hub_distances_do_without_a_tape_to_the_beam(teo: Technician) -> None:
    readied(teo)
    plan = LinePlanned(methods=["mirrors", "rulers", "hubs"])
    teo.garage.do(PlanLines(teo.job, plan), "teo", teo.id())
    bay = VirtualBay(teo.opened.sheet.plan, (34.0, -22.0, 1.1, 13.0), seed=5)
    done = follow(teo, bay)
    assert not [slot for slot in done if slot.startswith(("tape.", "height.LF", "height.RF"))]
    moves = [k for k, what in enumerate(done) if "." not in what]
    assert [done[k] for k in moves] == ["yaw", "slide", "roll", "height"], "one round, nothing read in between"
    assert moves[-1] - moves[0] == len(moves) - 1
    assert "ruler.RR" not in done[: moves[0]], "one ruler tells about where the frame stands"
    again = done[moves[-1] + 1 :]
    assert {"mirror.left.first", "ruler.LR", "hubs.LF"} <= {*again}
    assert not [slot for slot in again if slot.endswith((".second", ".distance"))], "a seating runs out as it did"
    off = bay.off()
    assert {
        axis: abs(off[axis]) < most for axis, most in (("yaw", 0.25), ("centre", 4), ("distance", 5))
    } == dict.fromkeys(("yaw", "centre", "distance"), True)
    square = teo.check("square").judgement.figures[0].value
    assert square == pytest.approx(off["yaw"], abs=0.03), "what the clamps run out is taken off the right way round"


def test_a_tape_from_hub_to_hub_tells_of_them_and_no_move_of_the_frame_spoils_it(full: Technician) -> None:
    wheelbase = full.opened.sheet.plan.vehicle.wheelbase
    before = full.opened.sheet.epochs.newest
    assert before is not None
    asked = further(full.opened.sheet.epochs, before)
    assert [one.slot.id for one in asked[:2]] == ["wheelbase.L", "wheelbase.R"]
    full.read("wheelbase.L", f"{wheelbase + 3:.0f}", "tape-4")
    found = full.opened.sheet.epochs.newest
    assert found is not None
    was, now = (one.ahead_of("LF", "LR") for one in (before, found))
    assert wheelbase < was.value + 1 < now.value < wheelbase + 3
    sheet, view = full.opened.sheet, full.check("distance")
    asked_for = [
        say(settled_by(sheet, view, (f"wheelbase.{side}", Noun(f"wheelbase.{side}"))).sentence) for side in "LR"
    ]
    assert asked_for == ["Read once more: LR hub to LF hub.", "Read one more: RR hub to RF hub."]
    assert now.u < 0.8 * was.u
    assert "wheelbase.L" not in {one.slot.id for one in further(full.opened.sheet.epochs, found)}
    full.happen("roll")
    assert full.opened.sheet.epochs.now(wheelbase_slot("L", found.plan)) is not None
    full.happen("vehicle_rolled")
    assert full.opened.sheet.epochs.now(wheelbase_slot("L", found.plan)) is None


def test_what_may_be_wrong_instead_is_never_a_tools_own_error(full: Technician) -> None:
    wheelbase = full.opened.sheet.plan.vehicle.wheelbase
    full.read("wheelbase.L", f"{wheelbase + 113:.0f}", "meter-1")
    move = full.opened.sheet.next
    assert (move.slot, move.replaces) == ("wheelbase.L", True)
    assert told(move.then) == "It contradicts the others. A mean would keep half of the mistake."


def test_the_spot_that_is_watched_is_what_is_foretold(teo: Technician) -> None:
    readied(teo)
    plan = LinePlanned(methods=["mirrors", "rulers", "hubs"])
    teo.garage.do(PlanLines(teo.job, plan), "teo", teo.id())
    bay = VirtualBay(teo.opened.sheet.plan, (0.0, 0.0, 1.1, 0.0), seed=4)
    bay.knobs = type(bay.knobs)(teo.opened.sheet.plan.frame.yaw_deg_per_turn, 0.0, 1.0, 1.0)
    while (move := teo.opened.sheet.next).happening != "yaw":
        sheet = teo.opened.sheet
        slot = sheet.slots[move.slot].slot
        if slot.ask != "number":
            teo.target() if move.slot.startswith("target.") else teo.answer(move.slot, "yes")
            continue
        value = bay.at(move.slot)
        word = "" if slot.way is None else "plus" if value >= 0 else "minus"
        teo.read(move.slot, f"{abs(value) if word else value:.2f}", teo.garage.tools(slot)[0].id, word)
    assert say(move.expect_label) == say(METHODS["mirrors"].slots(teo.opened.sheet.plan)[0].label)
    bay.obey("yaw", move.by)
    assert move.expect is not None
    assert move.expect.figure.value == pytest.approx(bay.at("mirror.left.first"), abs=4.5)  # type: ignore[union-attr]


def test_a_figure_that_rests_on_one_reading_is_open_until_it_was_looked_at_again(teo: Technician) -> None:
    readied(teo)
    teo.line(("0.07", "0.05"))
    teo.target()
    teo.level()
    teo.tapes((0.5, -0.9, 0.0), sure=False)
    view = teo.check("target_height")
    assert view is not None
    assert (view.state, view.unguarded) == ("open", True)
    assert "Still to be read once more: Target centre above the floor" in say(view.rests_on)
    asked = []
    for _ in range(MOST_STEPS):
        waiting = [v for v in teo.opened.sheet.checks if v.check.id in FRAME and v.unguarded]
        if not waiting:
            break
        guard = waiting[0].judgement.guard
        assert guard is not None
        assert guard.look is not None
        assert guard.reach > waiting[0].worst.most  # type: ignore[union-attr]
        asked.append(guard.look.id)
        teo.look(guard.look.id, (0.5, -0.9, 0.0))
    assert {"level.pitch", "height.target"} <= {*asked}
    assert all(asked.count(slot) < MOST_LOOKS for slot in asked), asked
    assert {teo.check(id).state for id in FRAME} == {"holds"}


@pytest.mark.parametrize("tool, apart", [("tape-4", 5), ("meter-1", 12)])
def test_looks_that_contradict_each_other_are_no_mean(full: Technician, tool: str, apart: float) -> None:
    before = full.check("target_height").judgement.figures[0].value
    off = full.opened.sheet.slots["height.target"].now[-1].value + apart
    full.read("height.target", f"{off:g}", tool)
    view = full.check("target_height")
    assert view is not None
    assert view.state == "undecided"
    assert "Two looks contradict each other: Target centre above the floor" in told(view.judgement.inconsistency)
    move = full.opened.sheet.next
    assert (move.kind, move.slot, move.replaces) == ("read", "height.target", True)
    full.read("height.target", f"{before:.0f}", "tape-4", replaces=True)
    assert full.opened.sheet.next.slot == "height.target", "one look alone is not enough"
    full.read("height.target", f"{before:.0f}", "tape-4")
    assert full.opened.sheet.stands, say(full.opened.sheet.next.sentence)


@pytest.mark.parametrize("u_hub, most, asked", [(0.4, 0.3, False), (4.0, 0.3, True), (4.0, 1.5, False)])
def test_what_hangs_on_the_models_word_is_asked_about_where_a_tape_tells(
    teo: Technician, u_hub: float, most: float, asked: bool
) -> None:
    teo.line(("0.07", "0.05"))
    teo.level()
    teo.tapes((0.5, -0.9, 0.0), (("LF", "LF_end"), ("RF", "RF_end")), sure=False)
    teo.read("crossing", "0.9", "laser-2")
    plan = teo.opened.sheet.plan
    unsure = replace(plan, vehicle=plan.vehicle.model_copy(update={"u_hub_mm": u_hub}))
    epochs = Epochs(teo.opened.state, unsure)
    assert epochs.newest is not None
    hangs = word(epochs, epochs.newest, epochs.newest.derived("square"), most)
    assert (hangs is not None) == asked
    if hangs is not None and hangs.look is not None:
        assert hangs.look.id in {"tape.LF.RF_end", "tape.RF.LF_end"}, "the diagonals tell most"
        assert hangs.modelled
        assert told(hangs.rests_on) == "where the vehicle's model has hubs and axles"


def test_the_lasers_setting_over_its_marks_is_a_mistake_of_its_own_that_no_second_look_finds(full: Technician) -> None:
    solution = full.opened.sheet.epochs.newest
    assert solution is not None
    (nth,) = (k for k, act in enumerate(solution.acts) if act.what is not None)
    assert told(solution.acts[nth].what) == "the laser's setting over its marks"
    offset = solution.derived("offset", "body")
    reach, most = solution.reaching.now(offset)[nth], min(solution.acts[nth].cap, solution.reaching.smallest[nth])
    assert 0.5 * most < reach < 1.02 * most, "it moves the centre by itself, less what the tapes hold"
    assert solution.reaching.with_look(offset, nth)[nth] < reach
    marks, goal = solution.plan.vehicle.marks, solution.plan.nominal_goal.x
    beyond, apart = goal - marks.front_x, marks.front_x - marks.rear_x
    assert solution.acts[nth].cap == pytest.approx(2 * math.hypot(1 + beyond / apart, beyond / apart))


def test_along_a_line_that_is_not_told_there_is_no_distance(full: Technician, monkeypatch: pytest.MonkeyPatch) -> None:
    known = full.opened.sheet.epochs.newest
    assert known is not None
    asked = type(known.located).asked

    def all_but_the_angle(located: Located, wanted: Sequence[Any]) -> tuple[Derived | None, ...]:
        found = zip(wanted, asked(located, wanted), strict=True)
        return tuple(None if item.id == "line_angle" else told for item, told in found)

    monkeypatch.setattr(type(known.located), "asked", all_but_the_angle)
    anew = EpochSolution(known.plan, known.located, known.entered, known.body, known.epoch)
    assert not anew.tells("distance")
    assert anew.tells("square")


def test_how_likely_it_is_that_all_of_it_holds_is_told_once_everything_was_read(full: Technician) -> None:
    sheet = full.opened.sheet
    figures = [(f.verdict.probability, v.check) for v in sheet.checks for f in v.judgement.figures]
    least, check = min(figures, key=lambda one: one[0])
    assert sheet.chance is not None
    assert max(0.0, 1 - sum(1 - p for p, _ in figures)) - 1e-3 <= sheet.chance.everything <= least + 1e-3
    assert say(sheet.chance.hangs_on) == say(check.called)
    assert say(sheet.chance.words).startswith("All of it truly holds: over 99 in 100; least sure: Centred")
    before = sheet.chance.everything
    full.read("steering.wheel", "1.69", "level-1", "plus", replaces=True)
    sheet = full.opened.sheet
    by_itself = sheet.check("steering").judgement.figures[0].verdict.probability  # type: ignore[union-attr]
    assert by_itself < least
    assert sheet.chance is not None
    assert sheet.chance.everything == pytest.approx(by_itself * before, abs=2e-3), "read by itself: independent"
    full.happen("slide")
    assert full.opened.sheet.chance is None, "what was spoiled has no chance"


def test_shared_errors_make_two_figures_hold_or_fail_together(full: Technician) -> None:
    full.happen("roll")
    full.level()
    full.tapes((5.4, 3.1, 0.0))
    sheet = full.opened.sheet
    each = {
        f.id: f.verdict.probability
        for v in sheet.checks
        for f in v.judgement.figures
        if v.check.id in ("centred", "distance")
    }
    assert sheet.chance is not None
    assert all(0.3 < p < 0.999 for p in each.values()), each
    assert sheet.chance.everything < min(each.values())
    assert sheet.chance.everything != pytest.approx(each["centre"] * each["distance"], abs=1e-5)


def test_what_only_a_printout_tells_is_said_to_rest_on_it(full: Technician) -> None:
    view = full.check("square")
    assert view is not None
    guard = view.judgement.guard
    if guard is not None:
        assert guard.look is None
        assert "would pass unseen" in say(view.rests_on)
    acts = {act.slot.id: act for act in full.opened.sheet.epochs.newest.entered.acts}  # type: ignore[union-attr]
    assert acts["toe.left"].cap < 0.2, "its own thrust angle would not fit"
    assert math.isclose(acts["toe.left"].cap, acts["toe.right"].cap)


@pytest.mark.parametrize(("back", "seed"), [(-6.0, 2), (-6.0, 7), (6.0, 1), (6.0, 4)])
def test_a_hub_that_truly_stands_elsewhere_is_told_once_everything_was_read_again(
    teo: Technician, back: float, seed: int
) -> None:
    readied(teo)
    teo.line(("0.07", "0.05"))
    bay = VirtualBay(teo.opened.sheet.plan, (14.0, -9.0, 0.6, 8.0), seed=seed)
    bay.scene = replace(bay.scene, hub_off={"LF": (back, 0.0)})
    follow(teo, bay)
    epochs = teo.opened.sheet.epochs
    assert "LF" in epochs.unlike(epochs.epoch)
    replaced = [e for looks in teo.opened.state.entries.values() for e in looks if e.replaced_by is not None]
    assert replaced, "nothing is said of the vehicle before what may be wrong instead was read again"
    off, procedure = bay.off(), teo.opened.sheet.plan.procedure
    assert [abs(off[axis]) < most for axis, most in (("yaw", 0.25), ("centre", 4))] == [True] * 2, off
    found = epochs.newest
    assert found is not None
    setback = found.ahead_of("LF", "RF")
    assert setback.value == pytest.approx(back, abs=3 * setback.u)
    assert found.derived("distance").value == pytest.approx(procedure.distance + off["distance"] - back / 2, abs=3)
    note = told(teo.check("square").judgement.remark)
    assert "The LF hub truly stands" in note
    assert ("ahead of" if back > 0 else "behind") in note

    # Turned on, two tapes and the laser agree with any place of the hub: what is known of it still counts.
    bay.obey("yaw", {"turns": 0.4})
    teo.happen("yaw", {"turns": 0.4})
    for slot in ("tape.LF.LF_end", "tape.RF.RF_end", "crossing"):
        read(teo, bay, slot)
    turned = teo.opened.sheet.epochs.newest
    assert turned is not None
    assert turned.entered.unlike == {"LF"}
    square = turned.derived("square")
    assert square.value == pytest.approx(bay.off()["yaw"], abs=3 * square.u)


def test_what_a_reading_would_still_guard_comes_before_what_nothing_would(full: Technician) -> None:
    slot = full.opened.sheet.slots["level.pitch"].slot
    alone, helped = Guard(slot.label, 9.0, None, False), Guard(slot.label, 1.0, slot, True)
    assert first([None, alone, helped]) is helped
    assert first([None, alone]) is alone
    assert first([None]) is None
