"""What a method looks along and the rectangle that is being built, drawn where they are."""

import math

import pytest

from escuadra.commands.lines import PlanLines
from escuadra.core.visit.log.events import LinePlanned
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.scene import Scene
from escuadra.drawing import lines_view, plan_view
from escuadra.drawing.lines import SIDEWAYS, sights
from escuadra.rehearsal.technician import Technician
from tests.drawing.test_drawing import classed, parsed


def planned(who: Technician, method: str) -> None:
    asked = LinePlanned(methods=[method], rectangle=True)
    who.garage.do(PlanLines(who.job, asked), who.person, who.id())


@pytest.mark.parametrize("method", [m for m in METHODS if m not in ("printout", "none", "marks")])
def test_a_method_at_hand_draws_what_it_looks_along(teo: Technician, method: str) -> None:
    planned(teo, method)
    sheet = teo.opened.sheet
    view = sheet.check(f"method_{method}")
    drawn = classed(parsed(plan_view(sheet, whole=True, check=view)), "sight")
    assert len(drawn) == len(sights(sheet, view)) >= 1
    other = sheet.check("target")
    assert not classed(parsed(plan_view(sheet, whole=True, check=other)), "sight")
    for sight in METHODS[method].sights(Scene.nominal(sheet.plan)):
        assert math.dist(sight.a, sight.b) > 500


def test_a_rectangle_is_drawn_side_by_side_as_it_is_read(teo: Technician) -> None:
    planned(teo, "printout")
    teo.answer("rect.side", "right")
    teo.read("rect.out", "700", "tape-4")
    sheet = teo.opened.sheet
    view = sheet.check("rectangle")
    root = parsed(plan_view(sheet, whole=True, check=view, slot="rect.along"))
    at_hand, unread = classed(root, "tape-at-hand"), classed(root, "unread")
    assert len(at_hand) == 1
    assert len(unread) == 5, "one side was read"
    assert float(at_hand[0].get("y1", "0")) > 300, "the right side of the vehicle is drawn below"
    assert len(classed(parsed(lines_view(sheet)), "unread")) == 5


@pytest.mark.parametrize("toe", [("0.07", "0.05"), ("0.30", "0.05"), ("0.90", "0.05")])
def test_the_magnification_is_the_largest_that_fits(teo: Technician, toe: tuple[str, str]) -> None:
    teo.line(toe)
    root = parsed(lines_view(teo.opened.sheet))
    said = next(t.text for t in root.iter() if (t.text or "").startswith("sideways"))
    by = float((said or "").removeprefix("sideways ×"))
    assert by in SIDEWAYS
    ys = [float(p.split(",")[1]) for p in classed(root, "thrust-band")[0].get("points", "").split()]
    furthest = max(abs(y - 215.0) for y in ys)
    assert furthest <= 0.34 * 400 + 1
    larger = [b for b in SIDEWAYS if b > by]
    assert not larger or furthest * min(larger) / by > 0.34 * 400
