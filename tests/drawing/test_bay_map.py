"""The bay from above: one scale both ways, what is fixed solid, what is planned dashed, and the section magnified."""

import re
import xml.etree.ElementTree as ET
from typing import Any

import pytest

from escuadra.core.base.stream import Person, made
from escuadra.core.bay.bay import Bay, Place
from escuadra.core.bay.ground import ground
from escuadra.core.bay.relief import plane_of, relief
from escuadra.core.bay.survey import grid
from escuadra.core.bay.survey_log import Begun, PointRead, TakenBack, fold_survey
from escuadra.drawing import bay_view, section_view
from tests.core.bay.test_place import DAY, practice, surveyed, wavy

BAY: dict[str, Any] = {
    "name": "Norte",
    "length": 10_000,
    "width": 4_000,
    "door": {"x1": 10_000, "y1": 500, "x2": 10_000, "y2": 3_500},
    "fixed_points": [{"id": "N1", "x": 50, "y": 50}],
    "things": [
        {
            "id": f"t{k}",
            "kind": kind,
            "name": f"the {kind}",
            "x": 1000 + 1200 * k,
            "y": 2000,
            "length": 400,
            "width": 300,
        }
        for k, kind in enumerate(("pillar", "obstacle", "drain", "metal", "reflective", "window", "lamp"))
    ],
}


def drawn(svg: str) -> ET.Element:
    return ET.fromstring(re.sub(r' xmlns="[^"]+"', "", svg, count=1))


def of(root: ET.Element, cls: str) -> list[ET.Element]:
    return [node for node in root.iter() if cls in node.get("class", "").split()]


def corners(node: ET.Element) -> list[tuple[float, float]]:
    return [tuple(map(float, pair.split(","))) for pair in node.get("points", "").split()]  # type: ignore[misc]


def test_a_bay_is_to_scale_and_everything_in_it_has_a_shape_of_its_own_and_a_name() -> None:
    root = drawn(bay_view(Bay.read(BAY)))
    (wall,) = of(root, "wall")
    xs, ys = zip(*corners(wall), strict=True)
    assert (max(xs) - min(xs)) / (max(ys) - min(ys)) == pytest.approx(10_000 / 4_000, rel=1e-3)
    for cls in ("pillar", "block", "drain", "metal", "mirror", "window", "lamp", "door", "fixed"):
        assert of(root, cls), cls
    words = [node.text for node in root.iter("text")]
    assert {f"the {thing['kind']}" for thing in BAY["things"]} <= set(words)
    assert {"10\u202f000\u202fmm", "4\u202f000\u202fmm", "door", "N1"} <= set(words)
    post = next(node for node in root.iter("g") if node.get("data-thing") == "t0")
    assert float(post.get("data-scale", "0")) == pytest.approx((max(xs) - min(xs)) / 10_000, rel=1e-3)


@pytest.mark.parametrize("x, beyond", [(1500, False), (6000, True)])
def test_a_parked_vehicle_is_drawn_with_its_room_even_where_it_reaches_outside(x: float, beyond: bool) -> None:
    vehicle, procedure = practice("BL-CAM-01")
    root = drawn(bay_view(Bay.read(BAY), parked=(Place(x=x, y=2000), vehicle, [procedure])))
    assert len(of(root, "wheel")) == 4
    assert len(of(root, "room")) == len(procedure.room)
    width = float(root.get("viewBox", "").split()[2])
    target = corners(of(root, "board-place")[0])
    assert all(0 <= px <= width for px, _ in target)
    wall = max(px for px, _ in corners(of(root, "wall")[0]))
    assert (max(px for px, _ in target) > wall) == beyond


def test_the_surveyed_floor_shows_contours_and_its_lowest_place() -> None:
    surface = ground(surveyed(grid(10_000, 4_000, 500), wavy))
    root = drawn(bay_view(Bay.read(BAY), relief=relief(surface, plane_of(surface))))
    assert len(of(root, "contour")) > 4
    assert len(of(root, "level")) >= 1
    assert any((node.text or "").startswith("low −") for node in root.iter("text"))


def test_a_survey_in_the_making_shows_what_is_read_and_the_way_on() -> None:
    points, teo = grid(10_000, 4_000, 2_000), Person(id="teo", name="Teo Marchena")
    begun = Begun.read(
        {**{k: v for k, v in DAY.items() if k != "person"}, "bay": "N", "u": 1, "reads": "staff", "points": points}
    )
    said: list[Any] = [
        begun,
        PointRead(point="A1", typed="1400", value=1400),
        PointRead(point="A2", typed="1", value=1),
    ]
    told = enumerate([*said, TakenBack(entry=3)], 1)
    draft = fold_survey(made("survey/s", k, f"e{k}", k, teo, one) for k, one in told)
    assert draft.next_point is not None
    assert draft.next_point.id == "A2"
    assert [p.id for p in draft.walk[5:8]] == ["A6", "B6", "B5"]
    root = drawn(bay_view(Bay.read(BAY), draft=draft))
    assert len(of(root, "dot")) == 1
    assert len(of(root, "unread-point")) == len(points) - 2
    assert len(of(root, "next-point")) == 1


def test_a_section_is_magnified_and_says_how_much() -> None:
    root = drawn(section_view([(0.0, 0.0), (5_000.0, 4.0), (10_000.0, -2.0)], 0.5))
    (line,) = of(root, "profile")
    (_, left), (_, top), (_, low) = corners(line)
    assert top < left < low
    said = next(node.text for node in root.iter("text") if "drawn" in (node.text or ""))
    factor = float(re.search(r"×(\d+)", said or "")[1])  # type: ignore[index]
    span = corners(line)[2][0] - corners(line)[0][0]
    assert (low - top) / 6.0 / (span / 10_000) == pytest.approx(factor, rel=0.02)
