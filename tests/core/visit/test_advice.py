"""The next move in words: one action a sentence, its amount, what to expect, and what blocks."""

import re
from collections.abc import Callable
from dataclasses import replace

import pytest

from escuadra.commands.reading import TakeReading
from escuadra.core.base.said import said
from escuadra.core.visit.advice.frame import expected
from escuadra.core.visit.next_move import NextMove, Step
from escuadra.drawing import glyph
from escuadra.drawing.glyph import PLACES
from escuadra.rehearsal.technician import Technician
from escuadra.words import language

say = language().say

READY = ("alignment", "tyres", "steering", "load", "glass", "battery", "doors")


def spoilt(full: Technician, what: str, *readings: tuple[str, str, str, str]) -> NextMove:
    """The next move after a happening and other readings on an otherwise finished sheet."""
    full.happen(what)
    for slot, typed, tool, word in readings:
        full.read(slot, typed, tool, word)
    return full.opened.sheet.next


def test_a_frame_that_leans_is_levelled_with_its_feet_in_words(full: Technician) -> None:
    move = spoilt(
        full,
        "shift",
        ("level.roll", "0.62", "level-1", "minus"),
        ("level.pitch", "0.05", "level-1", "plus"),
    )
    assert (move.kind, move.happening, move.check) == ("move", "feet", "level")
    assert say(move.sentence) == "Turn the LF foot 4 7/8 turns clockwise."
    assert move.by["LF"] == 4.875
    assert say(move.figure) == "4 7/8 turns"


@pytest.mark.parametrize(
    "typed, sentence, figure",
    [
        ("1404.2", "Raise the target by 2.0 turns of the crank.", "2.0 turns"),
        ("1423.4", "Lower the target by 1.0 turns of the crank.", "1.0 turns"),
    ],
)
def test_a_target_that_hangs_wrong_is_cranked(full: Technician, typed: str, sentence: str, figure: str) -> None:
    full.happen("height")
    full.level()
    full.garage.do(TakeReading(full.job, "height.target", typed, "tape-4", replaces=True), "teo", full.id())
    move = full.opened.sheet.next
    assert (say(move.sentence), say(move.figure), move.happening) == (sentence, figure, "height")
    assert say(move.expect) == "1\u202f417\u202fmm"
    assert "read the level again" in say(move.then)


def sloping(who: Technician, replaces: bool = False) -> None:
    """A floor that falls 1.4 % towards the target."""
    for place in ("wheels", "target"):
        who.read(f"slope.{place}.along", "1.4", "level-1", "minus", replaces)
        who.read(f"slope.{place}.across", "0", "level-1")


def straight(who: Technician) -> None:
    """Printout and steering wheel read again after the jack."""
    who.printout()
    who.read("steering.wheel", "0", "level-1")


def unladen(who: Technician) -> None:
    """Tank and fluids full, nothing aboard."""
    for slot in ("filled.fuel", "filled.additive", "filled.washer"):
        who.read(slot, "100", "gauges")
    who.read("aboard", "0", "scales-1")


@pytest.mark.parametrize(
    "acts, sentence, then",
    [
        ((lambda who: who.answer("tick.doors", "no"),), "Put right: Doors.", "Then answer again"),
        (
            (lambda who: who.happen("jacked"), straight, sloping, lambda who: sloping(who, replaces=True)),
            "The floor is not good enough here: choose another place.",
            "1.40\u202f% falling forward, allowed within 0.50\u202f%",
        ),
        (
            (lambda who: who.happen("loaded"), unladen, lambda who: who.stance(1, 2, -24, -22)),
            "The body stands wrong: find the cause before aiming.",
            "nose high, allowed within 13",
        ),
    ],
)  # fmt: skip
def test_what_cannot_be_mended_at_the_frame_blocks_and_says_why(
    full: Technician, acts: tuple[Callable[[Technician], None], ...], sentence: str, then: str
) -> None:
    for act in acts:
        act(full)
    move = full.opened.sheet.next
    assert move.kind == "blocked"
    assert say(move.sentence) == sentence
    assert then in say(move.then)


@pytest.mark.parametrize("check", ["square", "centred", "distance"])
def test_a_move_is_worth_while_until_what_is_left_cannot_be_read(full: Technician, check: str) -> None:
    view, epochs = full.check(check), full.opened.sheet.epochs
    figure, nominal = view.judgement.figures[0], view.check.tolerance.nominal  # type: ignore[union-attr]
    for share, enough in ((0.9, True), (-0.9, True), (1.1, False), (-1.1, False)):
        left = replace(figure, value=nominal + share * figure.verdict.U)
        judged = replace(view.judgement, figures=(left,))
        assert view.check.near_enough(judged) is enough
        assert ("Stop here" in say(view.check.advice(epochs, "holds", judged, 1))) is enough


def test_the_wrong_target_is_to_be_mounted_right(full: Technician) -> None:
    full.happen("mount")
    for what, value in (("identity", "VT-A 61"), ("side", "B"), ("way_up", "arrow up"), ("fixing", "both hooks")):
        full.answer(f"target.{what}", value)
    move = full.opened.sheet.next
    assert (move.kind, move.happening) == ("move", "mount")
    assert say(move.then) == "Its side: B, the procedure sheet wants A."


def test_a_stale_check_asks_to_read_again_and_says_what_made_it_stale(full: Technician) -> None:
    move = spoilt(full, "brakes")
    assert (move.kind, move.slot) == ("read", "level.roll")
    assert say(move.sentence) == "Read again: Side to side."
    assert say(move.then) == "Out of date: brakes touched."


@pytest.mark.parametrize(
    "off, sentence",
    [
        ((9, 0, 0.5), r"Turn the yaw screw at the left end 1\.[3-6] turns anticlockwise\."),
        ((9, 0, -0.3), r"Turn the yaw screw at the left end 0\.[6-9] of a turn clockwise\."),
        ((0, 9, 0.03), r"Shift the frame (9|8|10)\.\d\u202fmm to the right\."),
        ((0, -9, 0.03), r"Shift the frame (7|8)\.\d\u202fmm to the left\."),
        ((-12, -0.9, 0), r"Push the frame 1[12]\.\d\u202fmm away from the vehicle\."),
        ((12, -0.9, 0), r"Push the frame 1[12]\.\d\u202fmm towards the vehicle\."),
    ],
)
def test_the_frame_is_moved_in_order_with_the_amount_that_is_missing(
    full: Technician, off: tuple[float, float, float], sentence: str
) -> None:
    full.happen("roll")
    full.level()
    full.tapes(off)
    move = full.opened.sheet.next
    assert re.fullmatch(sentence, say(move.sentence)), say(move.sentence)
    assert move.kind == "move"
    assert re.fullmatch(r"−?[\d\u202f.]+\u202fmm", say(move.expect))
    assert "move" in glyph(move)


def test_what_a_reading_should_show_follows_the_sheet_and_the_slope(teo: Technician) -> None:
    sheet = teo.opened.sheet
    assert expected(sheet.slots["arch.LR"].slot, sheet.epochs) == 724
    assert expected(sheet.slots["tape.LF.LF_end"].slot, sheet.epochs) is None, "no heights yet: its slope is not known"
    teo.level()
    sheet = teo.opened.sheet
    # From the hub (3642, 908) to the beam end (3642 + 2640 + 83.5, 1113), 213 mm higher.
    level = (2723.5**2 + 205**2) ** 0.5
    found = expected(sheet.slots["tape.LF.LF_end"].slot, sheet.epochs)
    assert found == pytest.approx((level**2 + 213**2) ** 0.5, abs=0.01)


@pytest.mark.parametrize(
    "move, marked, drawn",
    [
        (NextMove("read", said("read"), slot="tape.LF.RF_end"), ["LF", "RF_end"], "tape-at-hand"),
        (NextMove("read", said("read"), slot="arch.RR"), ["RR"], "move-head"),
        (NextMove("read", said("read"), slot="crossing"), [], "centreline"),
        (NextMove("move", said("move.slide.left"), happening="slide", steps=(Step("left", 3.0),)), [], "move"),
    ],
)
def test_the_small_plan_shows_where(teo: Technician, move: NextMove, marked: list[str], drawn: str) -> None:
    shown = glyph(move, teo.opened.sheet.slots.get(move.slot))
    places = {(str(x), str(y)): name for name, (x, y) in PLACES.items()}
    found = re.findall(r'class="move-head" cx="(\d+)" cy="(\d+)"', shown)
    assert [places[place] for place in found] == marked
    assert f'class="{drawn}"' in shown
    assert glyph(NextMove("answer", said("answer"), slot="tick.tyres")) == ""
