"""A goal past the frame's travel is said before work starts, with the ways out; a slide that ends is worked round."""

from dataclasses import replace

import pytest

from escuadra.commands.vehicle import ChangeAsked, ChangeFigure
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.reach import beyond, past_travel
from escuadra.rehearsal.technician import Technician
from escuadra.words import language
from tests.core.visit.test_moves import ready
from tests.english import told

say = language().say


def changed(plan: Plan, **figures: float) -> Plan:
    return replace(plan, procedure=plan.procedure.model_copy(update=figures))


@pytest.mark.parametrize(
    "figures, said, pieces",
    [
        ({}, "", ()),
        ({"offset": 905.0}, "", ()),
        ({"offset": -1100.0}, "1\u202f100\u202fmm right of the line; Galga 2 reaches 919", ("short arm", "long arm")),
        ({"offset": 1400.0}, "1\u202f400\u202fmm left of the line", ("long arm",)),
        ({"offset": 2400.0}, "2\u202f400\u202fmm left of the line", ()),
        ({"height": 2200.0}, "goes from 391\u202fmm to 1\u202f968\u202fmm", ()),
    ],
)
def test_what_a_frame_cannot_reach_is_said(
    teo: Technician, figures: dict[str, float], said: str, pieces: tuple[str, ...]
) -> None:
    found = beyond(changed(teo.opened.sheet.plan, **figures))
    assert (found is None) is (said == "")
    if found is not None:
        assert said in told(found.said)
        assert found.extensions == pieces
        assert found.ways_out


@pytest.mark.parametrize(
    "used, wanted, over",
    [(0, 100, 0), (100, 40, 0), (100, 60, 12), (-140, -20, -12), (-140, 200, 0), (140, -20, 0), (170, -10, 0)],
)
def test_travel_counts_from_zero_to_either_side(teo: Technician, used: float, wanted: float, over: float) -> None:
    assert past_travel("slide", used, wanted, teo.opened.sheet.plan) == pytest.approx(over)


def test_an_offset_past_the_beam_blocks_until_the_extension_is_chosen(teo: Technician) -> None:
    asked = ChangeAsked(path="offset", typed="-1240", reason="the radar of this variant sits far out")
    teo.garage.do(ChangeFigure(teo.job, asked), teo.person, teo.id())
    move = teo.opened.sheet.next
    assert move.kind == "blocked"
    assert say(move.sentence) == "The frame does not reach that far: settle it before anything else."
    assert "Use the long arm." in say(move.then)
    teo.target()
    teo.answer("target.piece", "short arm")
    view = teo.check("target")
    assert view is not None
    assert view.state == "out"
    assert "Extension: short arm" in told(view.judgement.mismatch)
    teo.answer("target.piece", "long arm")
    assert teo.check("target").state == "holds"
    assert teo.opened.sheet.next.kind != "blocked"


def test_where_the_slide_ends_the_whole_frame_is_pushed(teo: Technician) -> None:
    ready(teo)
    teo.happen("slide", {"left": -120})
    teo.tapes((2, 41, 0.1))
    move = teo.opened.sheet.next
    assert (move.happening, move.by) == ("roll", {"left": pytest.approx(-41, abs=2)})
    assert say(move.sentence).startswith("Push the whole frame ")
    assert "The slide ends 148\u202fmm from its zero mark" in say(move.then)
    teo.answer("tick.zero", "yes")
    assert teo.opened.sheet.next.happening == "slide", "set to zero anew it has its travel again"


def test_where_the_screw_ends_the_whole_frame_is_turned(teo: Technician) -> None:
    ready(teo)
    teo.happen("yaw", {"turns": 13})
    teo.tapes((2, 1, -2.4))
    move = teo.opened.sheet.next
    assert (move.kind, move.happening) == ("move", "set_down")
    assert say(move.sentence).startswith("Set the yaw screw to its zero mark and turn the whole frame 2.4° to the left")
