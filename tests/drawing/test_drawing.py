"""The drawings: parsed as XML, asserted on elements and their places."""

import math
import re
from xml.etree import ElementTree

import pytest

from escuadra.catalogue import Catalogue
from escuadra.catalogue.library import plan_from
from escuadra.commands import Garage
from escuadra.core.base.said import Length, Name, Turns
from escuadra.core.instruments.guided import CHECKS
from escuadra.core.visit.advice.approach import ToGo
from escuadra.core.visit.log.state import State
from escuadra.core.visit.next_move import WAYS, Axis, NextMove, Step, moved
from escuadra.core.visit.sheet import derive
from escuadra.drawing import approach_view, glyph, level_view, plan_view, rule, self_check_view, side_view
from escuadra.drawing.plan import FOOT
from escuadra.drawing.stations import other_places
from escuadra.drawing.svg import apart, in_rows, inside, label, n, text_boxes
from escuadra.rehearsal.technician import Technician
from escuadra.words import language
from tests.core.visit.test_stations import begun
from tests.golden.drawings import figure

SVG = "{http://www.w3.org/2000/svg}"


def parsed(markup: str) -> ElementTree.Element:
    assert " style=" not in markup
    assert "<script" not in markup
    return ElementTree.fromstring(markup)


def classed(root: ElementTree.Element, cls: str) -> list[ElementTree.Element]:
    return [node for node in root.iter() if cls in node.get("class", "").split()]


def tick(root: ElementTree.Element) -> float:
    points = classed(root, "rule-value")[0].get("points", "")
    return float(points.split(",")[0])


@pytest.mark.parametrize("value, u", [(0.5, 0.4), (-3.5, 0.4), (6.0, 0.4), (0.5, 2.6), (4.0, 0.0)])
def test_the_rule_prints_zero_and_limits_and_puts_the_value_where_it_is(value: float, u: float) -> None:
    root = parsed(rule(figure(value, u)))
    texts = [node.text for node in root.iter(f"{SVG}text")]
    assert texts == ["4\u202fmm right", "0\u202fmm", "4\u202fmm left"]
    limits = sorted(float(node.get("x1", "0")) for node in classed(root, "rule-limit"))
    left, middle, right = limits
    assert middle == pytest.approx((left + right) / 2, abs=0.02)
    # Left is drawn on the left: 4 mm left at the smaller x.
    assert tick(root) == pytest.approx(middle - value / 4 * (right - middle), abs=0.05)
    assert bool(classed(root, "rule-zone")) == (2 * u < 4)
    assert len(classed(root, "rule-guard")) == (2 if u else 0)
    state = "holds" if abs(value) + 2 * u <= 4 else "out" if abs(value) - 2 * u >= 4 else "undecided"
    assert {"holds": "in tolerance", "out": "out of tolerance", "undecided": "undecided"}[state] in root.get(
        "aria-label", ""
    )
    if u:
        assert f"state-{state}" in classed(root, "rule-whisker")[0].get("class", "")


def test_a_value_beyond_the_scale_stands_at_its_end_and_a_plain_rule_is_not_turned() -> None:
    far = parsed(rule(figure(40, 0.4)))
    assert 0 < tick(far) < 20
    plain = parsed(rule(figure(40, 0.4, way=None)))
    assert 360 < tick(plain) < 380


def test_the_plan_draws_what_is_known_and_dashes_what_is_planned(teo: Technician) -> None:
    root = parsed(plan_view(teo.opened.sheet, slot="tape.LF.LF_end"))
    assert not classed(root, "stands")
    assert len(classed(root, "goal")) == 2
    assert "unread" in classed(root, "tape-at-hand")[0].get("class", "")
    assert "line not found yet" in [node.text for node in root.iter(f"{SVG}text")]
    teo.ready()
    teo.stance(0, 0, 0, 0)
    teo.target()
    teo.line(("0.12", "0.06"))
    teo.level()
    teo.tapes((12, 6, 0.42))
    known = parsed(plan_view(teo.opened.sheet))
    assert len(classed(known, "stands")) == 2
    assert len(classed(known, "tape")) == 4
    assert len(classed(known, "thrust")) == 1
    assert len(classed(known, "centreline")) == 1
    assert classed(known, "move"), "the next move is drawn as an arrow"
    texts = {node.text for node in known.iter(f"{SVG}text")}
    assert {"LF", "RF", "left end", "right end", "centreline", "thrust line", "deviations drawn ×20"} <= texts
    teo.happen("bump")
    assert classed(parsed(plan_view(teo.opened.sheet)), "stale")


def test_the_beam_is_drawn_turned_and_off_the_way_it_stands(teo: Technician) -> None:
    teo.line()
    teo.level()
    teo.tapes((12, 6, 0.42))

    def ends(magnify: bool) -> tuple[tuple[float, float], ...]:
        root = parsed(plan_view(teo.opened.sheet, magnify=magnify))
        beam = next(node for node in classed(root, "stands") if "beam" in node.get("class", ""))
        return tuple((float(beam.get(f"x{k}", "0")), float(beam.get(f"y{k}", "0"))) for k in (1, 2))

    (lx, ly), (rx, ry) = ends(magnify=False)
    (mlx, _), (mrx, _) = ends(magnify=True)
    assert ly < ry, "the driver's left is drawn upward"
    assert lx < rx, "a beam turned left has its left end nearer to the vehicle"
    assert (mrx - mlx) > 8 * (rx - lx)


@pytest.mark.parametrize("whole", [True, False])
def test_the_plan_crops_to_the_work_at_hand(full: Technician, whole: bool) -> None:
    root = parsed(plan_view(full.opened.sheet, whole=whole))
    names = {node.text for node in root.iter(f"{SVG}text")}
    assert ({"LR", "RR"} <= names) == whole
    width, height = (float(part) for part in root.get("viewBox", "").split()[2:])
    for node in root.iter(f"{SVG}text"):
        assert 0 <= float(node.get("x", "0")) <= width
        assert 0 <= float(node.get("y", "0")) <= height
    # The end's name stands between the beam and the dimension below it, whose ticks begin below that name.
    name = next(float(node.get("y", "0")) for node in root.iter(f"{SVG}text") if node.text == "right end")
    end = max(float(node.get(y, "0")) for node in classed(root, "goal") for y in ("y1", "y2"))
    ticks = [node for node in classed(root, "thin") if node.get("x1") == node.get("x2")]
    assert end < name < min(float(node.get("y1", "0")) for node in ticks if float(node.get("y1", "0")) > end)
    assert max(float(node.get("y2", "0")) for node in ticks) < height - FOOT, "the title block hides nothing of it"


def test_the_side_view_shows_heights_above_one_floor(full: Technician) -> None:
    root = parsed(side_view(full.opened.sheet))
    assert "1\u202f417\u202fmm" in {node.text for node in root.iter(f"{SVG}text")}
    stands = next(node for node in classed(root, "stands") if node.tag == f"{SVG}circle")
    goal = next(node for node in classed(root, "goal") if node.tag == f"{SVG}circle")
    assert stands.get("cy") == goal.get("cy")


def test_the_level_view_leans_as_the_level_says_and_draws_the_move(teo: Technician) -> None:
    teo.ready()
    teo.stance(0, 0, 0, 0)
    teo.line(("0.06", "0.06"))
    teo.target()
    bare = parsed(level_view(teo.opened.sheet))
    assert not classed(bare, "stands")
    teo.answer("tick.zero", "yes")
    teo.read("level.roll", "0.5", "level-1", "plus")
    teo.read("level.pitch", "0.2", "level-1", "plus")
    root = parsed(level_view(teo.opened.sheet))
    beam = next(n for n in classed(root, "beam") if "stands" in n.get("class", ""))
    left, right = ((float(beam.get(f"x{k}", "0")), float(beam.get(f"y{k}", "0"))) for k in (1, 2))
    assert left[0] < right[0], "the driver's left is on the left"
    assert left[1] < right[1], "the left end is high"
    turned = math.degrees(math.atan((right[1] - left[1]) / (right[0] - left[0])))
    assert turned == pytest.approx(20 * 0.5, abs=0.02)
    plain = parsed(level_view(teo.opened.sheet, magnify=False))
    flat = next(n for n in classed(plain, "beam") if "stands" in n.get("class", ""))
    assert float(flat.get("y2", "0")) - float(flat.get("y1", "0")) < 5
    assert teo.opened.sheet.next.happening == "feet"
    assert len(classed(root, "move")) == len(teo.opened.sheet.next.by)


def test_the_side_view_magnifies_the_gap_and_draws_the_move(teo: Technician) -> None:
    teo.ready()
    teo.stance(0, 0, 0, 0)
    teo.line(("0.06", "0.06"))
    teo.target()
    teo.level(height_off=9.0)
    teo.tapes((0.5, -0.9, 0.0))
    assert teo.opened.sheet.next.happening == "height"

    def gap(magnify: bool) -> float:
        root = parsed(side_view(teo.opened.sheet, magnify=magnify))
        heights = [float(n.get("cy", "0")) for n in classed(root, "board")]
        assert len(classed(root, "move")) == 1
        return heights[0] - heights[1]

    assert gap(True) == pytest.approx(20 * gap(False), rel=0.05)
    assert gap(False) > 0, "too high is drawn above"


@pytest.mark.parametrize("value, text", [(-0.001, "0"), (1.5, "1.5"), (2.0, "2"), (1 / 3, "0.33")])
def test_coordinates_are_short(value: float, text: str) -> None:
    assert n(value) == text
    assert re.fullmatch(r"-?\d+(\.\d{1,2})?", n(value))


UP, DOWN, LEFT, RIGHT = (0, -1), (0, 1), (-1, 0), (1, 0)
Way = tuple[int, int]
ARROWS: list[tuple[str, str, Axis, tuple[str, str], dict[str, tuple[Way, Way]]]] = [
    ("slide", "slide", "left", ("to the left", "to the right"), {"plan": (UP, DOWN), "glyph": (UP, DOWN)}),
    ("push", "roll", "left", ("to the left", "to the right"), {"plan": (UP, DOWN), "glyph": (UP, DOWN)}),
    ("roll", "roll", "away", ("away from the vehicle", "towards the vehicle"),
     {"plan": (RIGHT, LEFT), "glyph": (RIGHT, LEFT), "side": (RIGHT, LEFT)}),
    ("height", "height", "up", ("Raise", "Lower"), {"side": (UP, DOWN), "level": (UP, DOWN)}),
    ("shift", "shift", "hang", ("to the left", "to the right"),
     {"plan": (UP, DOWN), "glyph": (UP, DOWN), "level": (LEFT, RIGHT)}),
    ("turn", "set_down", "yaw", ("to the left", "to the right"), {"plan": (LEFT, RIGHT)}),
]  # fmt: skip
"""What moves, what is told, the axis, its words in the sentence, and the arrow of each view: forward and back.

On the plan left is upward and away from the vehicle to the right; the level view is seen from the driver's seat; a
frame that turns left carries its left end nearer.
"""


@pytest.fixture
def around(garage: Garage) -> Technician:
    """A sheet of which the front is run and the stand at the left is next."""
    who = begun(garage, "BL-SUR-01", reason="surround control unit replaced")
    who.target()
    who.level()
    who.tapes((0.5, -0.9, 0.0))
    who.around()
    who.run()
    who.tape(who.opened.sheet.next.slot)
    who.happen("mount")
    who.target()
    return who


def way_of(root: ElementTree.Element) -> Way | None:
    shafts = [node for node in classed(root, "move") if node.tag in (f"{SVG}line", f"{SVG}path")]
    if not shafts:
        return None
    (shaft,) = shafts
    ends = re.findall(r"[\d.]+", shaft.get("d", "")) or [shaft.get(name, "") for name in ("x1", "y1", "x2", "y2")]
    across, down = float(ends[-2]) - float(ends[0]), float(ends[-1]) - float(ends[1])
    return round(math.copysign(abs(across) > 1, across)), round(math.copysign(abs(down) > 1, down))


@pytest.mark.parametrize("what, happening, axis, words, ways", ARROWS)
@pytest.mark.parametrize("back", [False, True])
def test_an_arrow_goes_where_the_sentence_says(
    full: Technician,
    what: str,
    happening: str,
    axis: Axis,
    words: tuple[str, str],
    ways: dict[str, tuple[Way, Way]],
    back: bool,
) -> None:
    """Pushing the whole frame to the left is no way towards the vehicle."""
    step = Step(axis, -28.8 if back else 28.8)
    sentence, _ = moved(what, step, amount=Turns(1.4) if axis == "up" else Length(28.8))
    move = NextMove("move", sentence, happening=happening, steps=(step,))
    assert words[back] in language().say(move.sentence)
    assert words[not back] not in language().say(move.sentence)
    sheet = full.opened.sheet
    sheet.__dict__["next"] = move
    drawn = {
        "plan": plan_view(sheet, magnify=False),
        "side": side_view(sheet),
        "level": level_view(sheet),
        "glyph": glyph(move),
    }
    found = {view: way_of(parsed(svg)) for view, svg in drawn.items() if svg}
    assert {view: way for view, way in found.items() if way} == {view: pair[back] for view, pair in ways.items()}


@pytest.mark.parametrize("yaw, end, arc", [(0.5, "farther", RIGHT), (-0.5, "nearer", LEFT)])
def test_the_screws_arc_goes_where_its_end_goes(teo: Technician, yaw: float, end: str, arc: Way) -> None:
    """A frame that stands turned to the left has its left end too near: it must go farther."""
    teo.ready()
    teo.stance(0, 0, 0, 0)
    teo.line(("0.06", "0.06"))
    teo.target()
    teo.level()
    teo.tapes((0.0, 0.0, yaw))
    sheet = teo.opened.sheet
    move, screw = sheet.next, sheet.plan.frame
    assert (move.happening, move.steps[0].axis) == ("yaw", "screw")
    way = "clockwise" if (screw.yaw_deg_per_turn > 0) is (yaw < 0) else "anticlockwise"
    text = language().say(move.sentence)
    assert f" {way}" in text
    assert f" {end}" in language().say(move.then)
    assert way_of(parsed(plan_view(sheet, magnify=False))) == arc
    assert len(classed(parsed(glyph(move)), "move-head")) == 1


@pytest.mark.parametrize("roll, pitch", [(0.5, 0.0), (-0.5, 0.0), (0.0, 0.4), (0.0, -0.4), (0.3, -0.3)])
def test_every_foot_has_an_arrow_the_way_it_goes(full: Technician, roll: float, pitch: float) -> None:
    full.happen("shift")
    full.read("level.roll", str(abs(roll)), "level-1", "plus" if roll >= 0 else "minus")
    full.read("level.pitch", str(abs(pitch)), "level-1", "plus" if pitch >= 0 else "minus")
    sheet = full.opened.sheet
    move, frame = sheet.next, sheet.plan.frame
    assert move.happening == "feet"
    shafts = [node for node in classed(parsed(level_view(sheet)), "move") if node.tag == f"{SVG}line"]
    drawn = [float(node.get("y2", "")) < float(node.get("y1", "")) for node in shafts]
    assert drawn == [move.by[foot.id] > 0 for foot in frame.feet if foot.id in move.by]
    first = move.steps[0]
    way = " clockwise" if (first.amount > 0) is frame.clockwise_raises else " anticlockwise"
    assert f"{first.at} foot" in language().say(move.sentence)
    assert way in language().say(move.sentence)
    assert ("raises" if first.amount > 0 else "lowers") in language().say(move.then)
    middle = sum(foot.x for foot in frame.feet) / len(frame.feet)
    left = sum(move.by.get(foot.id, 0.0) * foot.y for foot in frame.feet)
    ahead = sum(move.by.get(foot.id, 0.0) * (foot.x - middle) for foot in frame.feet)
    assert left * roll <= 0, "a left side that is high goes down"
    assert ahead * pitch >= 0, "what leans away from the vehicle is lifted there"


@pytest.mark.parametrize(
    "off, word, arrow",
    [
        ((31.0, 0.0), "back", LEFT),
        ((-31.0, 0.0), "forward", RIGHT),
        ((0.0, 18.0), "right", DOWN),
        ((0.0, -18.0), "left", UP),
    ],
)
def test_a_stand_is_moved_where_the_arrow_goes(
    around: Technician, off: tuple[float, float], word: str, arrow: Way
) -> None:
    around.stand(off=off)
    sheet = around.opened.sheet
    assert sheet.next.happening == "stand"
    assert f" {word}" in language().say(sheet.next.sentence)
    assert way_of(parsed(plan_view(sheet))) == arrow


def test_every_axis_of_a_move_has_its_words_in_every_language() -> None:
    for code in ("en", "es"):
        messages = language(code).messages
        for what, _, axis, _, _ in ARROWS:
            for way in WAYS[axis]:
                for name in (f"move.{what}.{way}", f"move.{what}.{way}.action"):
                    assert name in messages, (code, name)


@pytest.mark.parametrize("turn, left, away", [(0.0, 40.0, 0.0), (0.0, -40.0, 5.0), (0.0, 0.0, -30.0), (1.3, 0.0, 0.0)])
def test_an_approach_is_drawn_from_where_the_frame_stands_to_its_place(turn: float, left: float, away: float) -> None:
    root = parsed(approach_view(ToGo(turn, left, away, 0.01, 1.0, 1.0), 1113.0))
    (goal,), (frame,) = classed(root, "goal"), classed(root, "stands")

    def middle(node: ElementTree.Element) -> tuple[float, float]:
        return tuple(sum(float(node.get(f"{axis}{k}", "")) for k in (1, 2)) / 2 for axis in "xy")  # type: ignore[return-value]

    across, down = (g - f for g, f in zip(middle(goal), middle(frame), strict=True))
    assert across * away > 0 or away == across == 0
    assert down * left < 0 or left == down == 0
    lean = float(frame.get("x1", "")) - float(frame.get("x2", ""))
    assert lean * turn > 0 or lean == turn == 0, "what must turn to the left still has its left end, above, away"


def test_no_other_place_has_its_name_on_the_vehicles_lines(catalogue: Catalogue) -> None:
    frame, named = catalogue.get("frame", "galga-2").content, set()
    for entry in catalogue.all("procedure"):
        sheet = derive(State(), plan_from(catalogue, entry.content, frame), 0)
        for said, (_, top, _, bottom) in text_boxes("".join(other_places(sheet, lambda x, y: (x / 7, -y / 7)))):
            assert not top < 4 < bottom + 8, f"{entry.id}: {said}"
            named.add(entry.id)
    assert {"BL-RAD-06", "BL-CAM-02"} <= named


def test_every_step_of_every_self_check_has_a_picture_that_marks_it() -> None:
    for check in CHECKS.values():
        pictures = set()
        for step in check.steps:
            markup = self_check_view(check.id, step.field)
            root = parsed(markup)
            pictures.add(markup)
            for said, (left, top, right, bottom) in text_boxes(markup):
                within = (left >= 0, top >= 0, right <= 560, bottom <= 246)
                assert all(within), f"{check.id} {step.field}: {said}"
            assert root.get("aria-label")
        assert len(pictures) == len(check.steps), f"{check.id}: steps that look alike"


def test_long_words_stay_within_a_drawing_and_off_each_other() -> None:
    long = "eleven kilograms and more above the specified load"
    plain = label("name", (390, 20), long) + label("name", (2, 40), long, "middle") + label("name", (9, 60), "hub")
    turned = '<g transform="rotate(9)">' + label("name", (390, 20), long) + "</g>"
    kept = inside(plain + turned, 400, 7)
    assert kept.endswith(turned)
    edges = [(left, right) for _, (left, _, right, _) in text_boxes(inside(plain, 400, 7.28))[:2]]
    assert edges == [pytest.approx((36, 400)), pytest.approx((0, 364))]
    assert label("name", (9, 60), "hub") in kept
    places = [(x, 20.0) for x in (60.0, 190.0, 320.0)]
    rows, down = in_rows("rule-text", places, [Name(long), Name("0"), Name(long)], 380, 15)
    tops = [top for row in rows for _, (_, top, _, _) in text_boxes(row)]
    assert (tops, down) == ([9, 24, 39], 30)
    assert in_rows("rule-text", places, [Name("-4"), Name("0"), Name("4")], 380, 15)[1] == 0


def test_no_label_stays_on_another() -> None:
    body = [label("small", (100, 50), "north window", "middle"), label("name", (90, 52), "low −3.0 mm"), "<path/>"]
    body += [label("contour-name", (100, 51), "2", "middle"), label("contour-name", (300, 51), "2", "middle")]
    boxes = text_boxes("".join(apart(body, (400, 200))))
    assert sorted(said for said, _ in boxes) == ["2", "low −3.0 mm", "north window"]
    for k, (said, a) in enumerate(boxes):
        for other, b in boxes[k + 1 :]:
            assert not (a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]), (said, other)
