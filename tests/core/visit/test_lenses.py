"""Several lenses: what is alike on all is the holder's, what one shows alone is that lens's."""

import pytest

from escuadra.commands import Garage
from escuadra.core.visit.attempts import FAILED, PASSED
from escuadra.core.visit.lenses import Fault, Pattern, pattern, signs
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.places import OUTCOME, ResultPlace
from escuadra.drawing.lens_lines import lens_lines_view
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import build
from tests.conftest import ground_flat
from tests.english import told

OFF: list[tuple[dict[str, int], Fault, tuple[str, ...]]] = [
    ({"wide": 0, "narrow": 0}, "", ()),
    ({"wide": 1, "narrow": 1}, "holder", ("wide", "narrow")),
    ({"wide": -1, "narrow": -1, "far": -1}, "holder", ("wide", "narrow", "far")),
    ({"wide": 0, "narrow": -1}, "lens", ("narrow",)),
    ({"wide": 1, "narrow": -1}, "several", ("wide", "narrow")),
    ({"wide": 1, "narrow": 1, "far": 0}, "several", ("wide", "narrow")),
    ({"wide": 1}, "", ("wide",)),
]


@pytest.mark.parametrize("off, fault, lenses", OFF)
def test_what_the_lenses_tell_together(off: dict[str, int], fault: Fault, lenses: tuple[str, ...]) -> None:
    assert pattern(off) == Pattern(fault, lenses)


def test_a_figure_is_off_beyond_its_limits() -> None:
    read = [("wide", 0.7, -0.5, 0.5), ("narrow", 0.5, -0.5, 0.5), ("far", -0.51, -0.5, 0.5)]
    assert signs(read) == {"wide": 1, "narrow": 0, "far": -1}


def test_a_line_is_asked_for_each_lens_and_both_off_alike_are_the_holder(garage: Garage) -> None:
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", reason="front camera refitted", bay="Norte", procedure="QR-CAM-03")
    who.ready()
    who.stance(1, 0, -1, 0)
    who.answer("line.none", "pitch_only")
    who.target()
    who.answer("tick.zero", "yes")
    for way in ("roll", "pitch"):
        who.read(f"level.{way}", "0.02", "level-1", "plus")
    who.read("height.target", f"{who.opened.sheet.plan.target_above_floor:.0f}", "tape-4")
    who.around()
    while (move := who.opened.sheet.next).kind == "read":
        read = who.opened.state.live(move.slot)[-1].said
        assert isinstance(read, ReadingTaken)
        who.read(move.slot, read.typed, read.tool.id, "plus" if read.way else "")
    assert move.kind == "run", told(move.sentence)
    who.run()
    who.answer(OUTCOME, FAILED)
    assert who.opened.sheet.next.slot == ResultPlace("line", "wide").slot, "what each lens shows says what to do"
    for wide, narrow, said in (
        ("below", "below", "look at the holder"),
        ("above", "above", "look at the holder"),
        ("between", "below", "narrow lens. Look at that lens"),
        ("above", "unseen", "wide lens"),
        ("unseen", "unseen", "did not pass"),
        ("above", "below", "wide lens and narrow lens. Neither"),
    ):
        who.answer(ResultPlace("line", "wide").slot, wide)
        who.answer(ResultPlace("line", "narrow").slot, narrow)
        assert said in told(who.check("result").judgement.mismatch)
        sentence = told(who.opened.sheet.next.sentence)
        of_holder = wide == narrow != "unseen"
        assert (f"All lines stand {wide}" in sentence) == of_holder, "the holder has a screw, a lens has none"
        assert ("Run it again" in sentence) != of_holder
    assert 'class="measured"' in lens_lines_view(who.opened.sheet.plan.procedure.lines, {"wide": "above"})
    who.happen("attempt")
    who.around()
    who.run()
    who.answer(OUTCOME, PASSED)
    assert who.opened.sheet.next.slot == ResultPlace("line", "wide").slot
    who.answer(ResultPlace("line", "wide").slot, "between")
    who.answer(ResultPlace("line", "narrow").slot, "between")
    assert who.opened.sheet.next.kind == "sign"
    record = build(who.opened, garage.person("ines"), garage.clock(), "Valdehierro")
    stood = [[line.stood for line in one.lines] for one in record.attempts]
    assert stood == [["above", "below"], ["between", "between"]]
