"""What a step of a self-check looks like: where the instrument stands, what is read, and which way counts as plus.

One scene a check, the part that the present step reads drawn strong, the others thin; not to scale.
"""

from collections.abc import Callable

from escuadra.core.base.said import Said, said
from escuadra.drawing.svg import Point, arrow_head, document, element, label, line, polyline

SIZE = (560.0, 240.0)
Scene = Callable[[str], list[str]]


def self_check_view(check: str, step: str) -> str:
    """The picture of a step; ``step``: its field, empty for all of it. Empty where a check has no scene."""
    scene = SCENES.get(check)
    return (
        document(said("drawing.self_check.how_step_read"), SIZE, scene(step), letters=15) if scene is not None else ""
    )


def _cls(on: bool) -> str:
    return "tape-at-hand" if on else "tape"


def _span(a: Point, b: Point, what: Said | None, on: bool, above: float = -8) -> list[str]:
    """A length with both its ends marked and what it is called."""
    flat = abs(a[1] - b[1]) < abs(a[0] - b[0])
    ends = [line(_cls(on), (x, y - 6) if flat else (x - 6, y), (x, y + 6) if flat else (x + 6, y)) for x, y in (a, b)]
    at = ((a[0] + b[0]) / 2 + (0 if flat else 10), (a[1] + b[1]) / 2 + (above if flat else 4))
    named = [label("name" if on else "small", at, what, "middle" if flat else "start")] if what else []
    return [line(_cls(on), a, b), *ends, *named]


def _plus(at: Point, way: Point, what: Said | None = None) -> list[str]:
    """Which way counts as plus."""
    tip = (at[0] + 34 * way[0], at[1] + 34 * way[1])
    anchor = "start" if way[0] >= 0 else "end"
    text = (tip[0] + (8 if way[0] >= 0 else -8), tip[1] + (14 if way[1] > 0 else 4))
    return [
        line("move", at, tip),
        arrow_head("move-head", tip, way, 8),
        *([label("small", text, said("drawing.self_check.plus", what=what), anchor)] if what else []),
    ]


def _box(x: float, y: float, wide: float, tall: float, what: Said | None = None) -> list[str]:
    named = [label("small", (x + wide / 2, y + tall / 2 + 4), what, "middle")] if what else []
    return [element("rect", "body", x=x, y=y, width=wide, height=tall, rx=4), *named]


def _laser(x: float, y: float) -> list[str]:
    legs = [line("thin", (x, y + 13), (x + side * 14, y + 46)) for side in (-1, 1)]
    return [*_box(x - 17, y - 13, 34, 26), *legs, label("small", (x, y - 19), said("label.laser"), "middle")]


def _end_for_end(step: str) -> list[str]:
    left, right = ("2", "1") if step == "second" else ("1", "2")
    turned = [element("path", "move", d="M330 66 A70 30 0 1 0 230 66"), arrow_head("move-head", (330, 66), (1, 1), 9)]
    return [
        line("floor", (60, 160), (500, 160)),
        *_box(150, 118, 260, 40),
        element("rect", "sensor", x=262, y=126, width=36, height=14, rx=7),
        label("name", (166, 144), left),
        label("name", (386, 144), right),
        label("small", (150, 178), said("label.mark"), "middle"),
        label("small", (410, 178), said("label.mark"), "middle"),
        *(turned if step == "second" else []),
        *_plus((424, 116), (0, -1)),
        label("small", (412, 96), said("drawing.self_check.plus_right_end_high"), "end"),
        label(
            "small",
            (280, 206),
            said("drawing.self_check.turned_end_end_onto_same") if step == "second" else "",
            "middle",
        ),
    ]


def _two_peg(step: str) -> list[str]:
    close = step.startswith("off")
    at = 150.0 if close else 280.0
    body = [line("floor", (30, 196), (530, 196)), *_laser(at, 120)]
    for name, x in (("a", 80.0), ("b", 480.0)):
        on = step in (f"mid_{name}", f"off_{name}")
        body += [
            line("measured" if on else "thin", (x, 196), (x, 40)),
            label("name", (x, 214), name.upper(), "middle"),
            line(_cls(on), (at, 120), (x, 120)),
        ]
        if on:
            body.append(label("name", (x, 30), said("drawing.self_check.read_here"), "middle"))
        if close:
            body += _span(
                (at, 176), (x, 176), said("drawing.self_check.to_2", point=name.upper()), step == f"off_to_{name}"
            )
    return [*body, *_plus((522, 90), (0, -1)), label("small", (530, 50), said("label.up"), "end")]


def _three_point(step: str) -> list[str]:
    at = {"a": 60.0, "b": 250.0, "c": 500.0}
    body = [line("thin", (40, 120), (520, 120))]
    for name, x in at.items():
        body += [element("circle", "dot", cx=x, cy=120, r=5), label("name", (x, 106), name.upper(), "middle")]
    for pair, y in (("ab", 150.0), ("bc", 150.0), ("ac", 190.0)):
        body += _span(
            (at[pair[0]], y),
            (at[pair[1]], y),
            said("drawing.self_check.to", a=pair[0].upper(), b=pair[1].upper()),
            step == pair,
        )
    return body


def _reference(step: str) -> list[str]:
    on = step == "length"
    return [
        *_span((70, 80), (470, 80), said("drawing.self_check.reference_certificate_says"), on),
        *_span((70, 150), (478, 150), said("drawing.self_check.instrument_reads"), step == "readings"),
        line("planned", (70, 66), (70, 168)),
        *_plus((290, 190), (1, 0), said("drawing.self_check.reads_long")),
        *([label("name", (70, 206), said("drawing.self_check.temperature_c"))] if step == "temperature" else []),
    ]


def _square_corner(step: str) -> list[str]:
    corner, a, b = (110.0, 186.0), (110.0, 46.0), (400.0, 186.0)
    return [
        line("centreline", corner, (110, 20)),
        line("centreline", corner, (470, 186)),
        *_box(93, 176, 34, 26),
        label("small", (80, 214), said("drawing.self_check.crossed_laser")),
        *_span(corner, a, said("drawing.self_check.first_arm"), step == "a"),
        *_span(corner, b, said("drawing.self_check.second_arm"), step == "b", above=20),
        line(_cls(step == "diagonal"), a, b),
        label("name" if step == "diagonal" else "small", (262, 104), said("label.diagonal")),
    ]


def _plumb(step: str) -> list[str]:
    def read(y: float, x: float, what: Said, on: bool) -> list[str]:
        named = label("name" if on else "small", (x + 10, y + 4), what)
        return [line(_cls(on), (240, y), (x, y)), named]

    return [
        line("measured", (240, 20), (240, 186)),
        polyline("wheel", [(232, 186), (248, 186), (240, 206)], True),
        label("small", (228, 32), said("drawing.self_check.plumb_line"), "end"),
        line("centreline", (262, 206), (284, 14)),
        label("small", (292, 26), said("drawing.self_check.lasers_beam")),
        *read(170, 266, said("drawing.self_check.bottom"), step == "bottom"),
        *read(50, 280, said("drawing.self_check.top"), step == "top"),
        *_span((130, 170), (130, 50), said("label.height"), step == "height"),
        *_plus((40, 226), (-1, 0)),
        label("small", (46, 230), said("drawing.self_check.plus_beam_left_laser_shines")),
    ]


def _parallel(step: str) -> list[str]:
    near, far = 170.0, 460.0
    body = [
        line("measured", (90, 176), (530, 176)),
        label("small", (530, 196), said("drawing.self_check.straight_edge"), "end"),
        *_laser(56, 116),
        line("centreline", (74, 116), (530, 96)),
        *_span((90, 212), (near, 212), said("drawing.self_check.near_place"), step == "near_station"),
        *_span((90, 226), (far, 226), None, step == "far_station"),
        *([label("name", (300, 218), said("drawing.self_check.far_place"), "middle")] if step == "far_station" else []),
    ]
    for name, x, y in (("near", near, 112.0), ("far", far, 99.0)):
        body += _span((x, 176), (x, y), said(f"drawing.self_check.{name}"), step == name)
    return [*body, *_plus((226, 164), (0, -1), said("drawing.self_check.away_edge"))]


def _runout(step: str) -> list[str]:
    after = step == "second"
    turn = [element("path", "move", d="M196 50 A86 86 0 0 1 324 50"), arrow_head("move-head", (324, 50), (1, 1), 10)]
    return [
        element("circle", "body", cx=260, cy=118, r=92),
        element("circle", "sensor", cx=260, cy=118, r=10),
        line("measured", (260, 118), (260, 190 if after else 46)),
        label("name", (276, 180 if after else 66), said("label.clamp")),
        line("floor", (60, 212), (500, 212)),
        *(turn if after else []),
        label(
            "small",
            (376, 60),
            said("drawing.self_check.rolled_half_turn") if after else said("drawing.self_check.stands"),
        ),
        *_plus((376, 118), (1, 0), said("label.toe_in")),
    ]


def _zero_mark(step: str) -> list[str]:
    return [
        line("measured", (50, 96), (510, 96)),
        label("name", (50, 80), said("drawing.self_check.left_end")),
        label("name", (510, 80), said("drawing.self_check.right_end"), "end"),
        line("floor", (284, 84), (284, 112)),
        label("small", (284, 74), said("drawing.self_check.zero_mark"), "middle"),
        *_span((50, 144), (284, 144), said("drawing.self_check.left"), step == "first"),
        *_span((284, 176), (510, 176), said("drawing.self_check.right"), step == "second"),
    ]


def _beam_straight(step: str) -> list[str]:
    body = [
        line("centreline", (40, 170), (520, 170)),
        label("small", (520, 190), said("drawing.self_check.level_line"), "end"),
        element("path", "measured open-line", d="M60 92 Q280 112 500 92"),
        *_plus((540, 160), (0, -1)),
        label("small", (552, 74), said("drawing.self_check.plus_away_line"), "end"),
    ]
    for name, x, y in (("left", 70.0, 93.0), ("middle", 280.0, 102.0), ("right", 480.0, 94.0)):
        body += _span((x, 170), (x, y), said(f"drawing.self_check.beam.{name}"), step == name)
    return body


SCENES: dict[str, Scene] = {
    "end_for_end": _end_for_end,
    "two_peg": _two_peg,
    "three_point": _three_point,
    "reference": _reference,
    "known_pressure": _reference,
    "known_voltage": _reference,
    "square_corner": _square_corner,
    "plumb": _plumb,
    "parallel": _parallel,
    "runout": _runout,
    "zero_mark": _zero_mark,
    "beam_straight": _beam_straight,
}
"""By the self-check's id; a test holds that every check has one."""
