"""The history of a self-check: limits where they are, whiskers of ±2u, where it is heading; and the way of a drive."""

import re
import xml.etree.ElementTree as ET

import numpy as np
import pytest

from escuadra.core.base.said import said
from escuadra.core.instruments.self_checks import BiasEntry, DriftInput, drift
from escuadra.core.road.needed import DriveSpec
from escuadra.core.road.trace import Trace
from escuadra.core.visit.driving import course, driven
from escuadra.drawing import course_view, way_view

HISTORY = [BiasEntry(day=739_000 + 180 * k, bias=0.3 + 0.25 * k, u=0.2) for k in range(4)]


NAME = said("as_told", text="a course")


@pytest.mark.parametrize("limit, reached", [(2.0, True), (50.0, False)])
def test_a_course_is_to_scale_and_points_ahead(limit: float, reached: bool) -> None:
    ahead = drift(DriftInput(history=HISTORY, limit=limit, horizon_days=1500))
    svg = course_view(
        HISTORY, ["holds", "holds", "undecided", "out"], limit, "mm", ahead, said("as_told", text="a course")
    )
    root = ET.fromstring(re.sub(r' xmlns="[^"]+"', "", svg, count=1))
    dots = [n for n in root.iter("circle") if "course-dot" in n.get("class", "")]
    assert [n.get("class", "").split("-")[-1] for n in dots] == ["holds", "holds", "undecided", "out"]
    limits = sorted(float(n.get("y1", "")) for n in root.iter("line") if n.get("class") == "rule-limit")
    a_mm = (limits[1] - limits[0]) / (2 * limit)
    ys = [float(n.get("cy", "")) for n in dots]
    assert (ys[0] - ys[3]) / a_mm == pytest.approx(0.75, abs=0.02 / a_mm)
    whisker = next(n for n in root.iter("line") if "whisker" in n.get("class", ""))
    assert abs(float(whisker.get("y1", "")) - float(whisker.get("y2", ""))) / a_mm == pytest.approx(
        0.8, abs=0.03 / a_mm
    )
    assert sum(n.get("class") == "planned" for n in root.iter()) == (2 if reached else 1)
    single = course_view(HISTORY[:1], ["holds"], limit, "mm", None, NAME)
    assert "planned" not in single


@pytest.mark.parametrize(("east", "anchor"), [(1.0, "end"), (-1.0, "start")])
def test_the_start_is_named_on_the_side_that_the_way_does_not_take(east: float, anchor: str) -> None:
    t = np.arange(200.0)
    straight = Trace(t, np.full(200, 41.0), -2.0 + east * t * 2e-4, np.full(200, 60.0), np.full(200, 90.0 * east))
    found, spec = course([straight]), DriveSpec(distance_km=5, speed_min=40, speed_max=90)
    judged = driven(found, [], spec).judged
    assert judged is not None
    root = ET.fromstring(re.sub(r' xmlns="[^"]+"', "", way_view(found, judged, spec.gap_max), count=1))
    dot, name = next(root.iter("circle")), next(n for n in root.iter("text") if n.get("class") == "name")
    assert name.get("text-anchor", "start") == anchor
    assert (float(name.get("x", "")) - float(dot.get("cx", ""))) * east == -10.0
