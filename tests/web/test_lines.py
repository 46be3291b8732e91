"""The lines' screen and the rig's: plans chosen and refused, the drawing, an approach without a script."""

import re

import pytest

from escuadra.rehearsal.technician import Technician
from tests.drawing.test_drawing import classed, parsed
from tests.web.conftest import Visitor


@pytest.fixture
def visitor(teo: Technician) -> Visitor:
    return Visitor(teo.garage)


def test_a_plan_is_chosen_and_shown_as_chosen(teo: Technician, visitor: Visitor) -> None:
    page = visitor.client.get(f"/jobs/{teo.job}/lines").text
    assert "no line found yet" in page
    assert page.count("can decide") + page.count("can&#39;t decide") >= 12
    fields = {"method.rulers": "yes", "method.marks": "yes", "times": "2", "tool.tape": "tape-4", "rectangle": "yes"}
    assert visitor.post(f"/jobs/{teo.job}/lines", fields).headers["location"] == f"/jobs/{teo.job}"
    said = teo.opened.state.line_plan
    assert said is not None
    assert (said.methods, said.times, said.tools, said.rectangle) == (["marks", "rulers"], 2, {"tape": "tape-4"}, True)
    again = visitor.client.get(f"/jobs/{teo.job}/lines").text
    assert re.search(r'name="method.rulers" value="yes" checked', again)
    assert not re.search(r'name="method.printout" value="yes" checked', again)
    sheet = visitor.client.get(f"/jobs/{teo.job}?check=method_rulers").text
    assert "Where the thrust line passes the frame" in sheet
    assert "turn the beam about its middle and the readings stay" in sheet


@pytest.mark.parametrize(
    "fields, said",
    [
        ({"times": "1"}, "at least one method"),
        ({"method.marks": "yes", "times": "often"}, "1 to 5 readings of each place"),
        ({"method.marks": "yes", "tool.tape": "gauges"}, "an instrument on the shelf that reads taped lengths"),
    ],
)
def test_a_refused_plan_says_why(teo: Technician, visitor: Visitor, fields: dict[str, str], said: str) -> None:
    answer = visitor.post(f"/jobs/{teo.job}/lines", fields)
    assert answer.status_code == 422
    assert said in answer.text
    assert teo.opened.state.line_plan is None


def test_both_lines_are_drawn_with_their_bands_and_true_to_scale_where_asked(full: Technician) -> None:
    visitor = Visitor(full.garage)
    large = visitor.client.get(f"/jobs/{full.job}/lines").text
    true = visitor.client.get(f"/jobs/{full.job}/lines?sideways=off").text
    drawings = [parsed(text[(a := text.index("<svg xmlns")) : text.index("</svg>", a) + 6]) for text in (large, true)]
    for drawing in drawings:
        assert len(classed(drawing, "thrust-band")) == len(classed(drawing, "centreline-band")) == 1
        assert len(classed(drawing, "mark")) >= 4
    heights = []
    for drawing in drawings:
        ys = [float(p.split(",")[1]) for p in classed(drawing, "thrust-band")[0].get("points", "").split()]
        heights.append(max(ys) - min(ys))
    assert heights[0] > 10 * heights[1] > 0
    assert "Marks to make" not in large
    assert "marks to make" in large


def test_a_rig_is_followed_moved_lost_and_taken(teo: Technician, visitor: Visitor) -> None:
    visitor.post(f"/jobs/{teo.job}/lines", {"method.rig": "yes", "times": "1"})
    page = f"/jobs/{teo.job}/rig"
    assert "0.6" in re.sub(r"\s+", " ", visitor.client.get(page).text)
    for way, by in (("nearer", "100"), ("turn_right", "10")):
        assert visitor.post(f"{page}/stand-in", {"way": way, "by": by}).status_code == 303
    assert visitor.post(f"{page}/stand-in", {"way": "up", "by": "1"}).status_code == 422
    assert visitor.post(f"{page}/stand-in", {"way": "left", "by": "5000"}).status_code == 422
    visitor.post(f"{page}/stand-in", {"way": "lost"})
    answer = visitor.post(f"{page}/take", {})
    assert answer.status_code == 422
    assert "Nothing was taken" in answer.text
    visitor.post(f"{page}/stand-in", {"way": "found"})
    teo.at += 5_000
    assert visitor.post(f"{page}/take", {}).status_code == 303
    assert {slot for slot in teo.opened.state.entries if slot.startswith("rig.")} == {
        *(f"rig.{c}.{what}" for c in ("LR", "RR") for what in ("away", "side", "skew")),
        "rig.front",
    }
