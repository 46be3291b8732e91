"""What of a catalogue entry was typed so far, to scale: it grows with every figure, and a slip of the unit shows.

Each figure that is there is drawn and said; what is not there yet is drawn thin where something has to stand for it.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from escuadra.core.base.said import Length, Name, Value, exact, said
from escuadra.drawing.svg import Point, document, element, label, line, polyline

WIDTH, HEIGHT, MARGIN = 420.0, 300.0, 46.0
STANDS_FOR: dict[str, float] = {
    "wheelbase": 2700,
    "hub_track_front": 1600,
    "hub_track_rear": 1600,
    "tyre_diameter": 650,
    "tyre_width": 215,
    "front_overhang": 850,
    "rear_overhang": 850,
    "width": 1850,
}
"""What is drawn for a vehicle of which that is not typed yet, mm."""


@dataclass
class _Paper:
    """Marks in the drawing's own millimetres, put to scale when all are there: x to the right, y up."""

    marks: list[tuple[str, str, list[Point]]] = field(default_factory=list)
    words: list[tuple[Point, Value | str, str, Point]] = field(default_factory=list)

    def path(self, cls: str, points: Iterable[Point], closed: bool = False) -> None:
        """A line, or an area."""
        self.marks.append((cls, "area" if closed else "line", list(points)))

    def box(self, cls: str, x0: float, y0: float, x1: float, y1: float) -> None:
        """A rectangle."""
        self.path(cls, [(x0, y0), (x1, y0), (x1, y1), (x0, y1)], True)

    def dot(self, cls: str, at: Point) -> None:
        """A place."""
        self.marks.append((cls, "dot", [at]))

    def say(self, at: Point, text: Value | str, anchor: str = "middle", off: Point = (0.0, 0.0)) -> None:
        """A word; ``off``: so far from its place on paper."""
        self.words.append((at, text, anchor, off))

    def across(self, a: Point, b: Point, value: float, off: Point = (0.0, 0.0)) -> None:
        """A length between two places."""
        self.path("dim-line", [a, b])
        for end in (a, b):
            self.dot("dim-end", end)
        self.say(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), exact(Length, value), "middle", off)

    def drawn(self) -> list[str]:
        """All of it, as large as the paper allows."""
        points = [point for _, _, places in self.marks for point in places] + [at for at, *_ in self.words]
        if not points:
            return []
        x0, x1 = min(x for x, _ in points), max(x for x, _ in points)
        y0, y1 = min(y for _, y in points), max(y for _, y in points)
        scale = min((WIDTH - 2 * MARGIN) / max(x1 - x0, 1.0), (HEIGHT - 2 * MARGIN) / max(y1 - y0, 1.0))
        left, top = (WIDTH - (x1 - x0) * scale) / 2, (HEIGHT - (y1 - y0) * scale) / 2

        def at(point: Point) -> Point:
            return left + (point[0] - x0) * scale, top + (y1 - point[1]) * scale

        body = []
        for cls, kind, places in self.marks:
            if kind == "dot":
                (x, y) = at(places[0])
                body.append(element("circle", cls, cx=x, cy=y, r=2.6))
            else:
                body.append(polyline(cls, [at(place) for place in places], kind == "area"))
        for place, text, anchor, off in self.words:
            x, y = at(place)
            body.append(label("small", (x + off[0], y + off[1]), text, anchor))
        return body


def growing(kind: str, data: Mapping[str, Any], vehicle: Mapping[str, Any] | None = None) -> str:
    """The drawing of an entry that is being typed; empty for a kind that there is nothing to draw of.

    ``vehicle``: plain data of the vehicle that a procedure names, where it is known.
    """
    draw = _KINDS.get(kind)
    if draw is None:
        return ""
    paper = _Paper()
    draw(paper, data, vehicle or {})
    return document(said(f"drawing.drafting.{kind}"), (WIDTH, HEIGHT), paper.drawn(), "drawing drafting", letters=12)


def _figure(data: Mapping[str, Any], name: str) -> float | None:
    found = data.get(name)
    return float(found) if isinstance(found, int | float) and not isinstance(found, bool) else None


def _inner(data: Mapping[str, Any], name: str) -> Mapping[str, Any]:
    found = data.get(name)
    return found if isinstance(found, Mapping) else {}


def _records(data: Mapping[str, Any], name: str) -> list[Mapping[str, Any]]:
    found = data.get(name)
    return [one for one in found if isinstance(one, Mapping)] if isinstance(found, list) else []


def _vehicle(paper: _Paper, data: Mapping[str, Any], _: Mapping[str, Any]) -> None:
    """Seen from above, its front to the right: x ahead of the rear axle, y to the left."""
    told = {**data, **_inner(data, "outline")}
    size = {name: _figure(told, name) or usual for name, usual in STANDS_FOR.items()}
    half, front = size["width"] / 2, size["wheelbase"] + size["front_overhang"]
    known = all(_figure(told, name) is not None for name in ("wheelbase", "front_overhang", "rear_overhang", "width"))
    paper.box("body" if known else "planned-place", -size["rear_overhang"], -half, front, half)
    for x, track in ((0.0, "hub_track_rear"), (size["wheelbase"], "hub_track_front")):
        for side in (1, -1):
            y = side * size[track] / 2
            inner = y - side * size["tyre_width"]
            paper.box("wheel", x - size["tyre_diameter"] / 2, inner, x + size["tyre_diameter"] / 2, y)
        if (value := _figure(data, track)) is not None:
            paper.across((x, -value / 2), (x, value / 2), value, (24.0, -5.0))
    if (value := _figure(data, "wheelbase")) is not None:
        paper.across((0.0, 0.0), (value, 0.0), value, (0.0, -5.0))
    for name, a in (("rear_overhang", 0.0), ("front_overhang", size["wheelbase"])):
        if (value := _figure(told, name)) is not None:
            end = -value if name == "rear_overhang" else a + value
            paper.across((a, half * 1.12), (end, half * 1.12), value, (0.0, -5.0))
    marks = _inner(data, "marks")
    for name in ("rear_x", "front_x"):
        if (x_of := _figure(marks, name)) is not None:
            paper.path("mark", [(x_of, -90), (x_of, 90)])
    for sensor in _records(data, "sensors"):
        if (x_of := _figure(sensor, "x")) is not None:
            at = (x_of, _figure(sensor, "y") or 0.0)
            paper.dot("sensor-dot", at)
            paper.say(at, Name(str(sensor.get("id", ""))), off=(0.0, 14.0))


def _procedure(paper: _Paper, data: Mapping[str, Any], vehicle: Mapping[str, Any]) -> None:
    """Seen from above, the vehicle with its target, the front to the right."""
    _vehicle_outline(paper, vehicle)
    for zone in _records(data, "room"):
        sides = [_figure(zone, name) for name in ("x_from", "y_from", "x_to", "y_to")]
        if None not in sides:
            x0, y0, x1, y1 = (side or 0.0 for side in sides)
            paper.box("room", x0, y0, x1, y1)
    sensor = _inner(data, "sensor")
    if (x := _figure(sensor, "x")) is not None:
        paper.dot("sensor-dot", (x, _figure(sensor, "y") or 0.0))
    start = _datum(data, vehicle)
    distance, offset = _figure(data, "distance"), _figure(data, "offset") or 0.0
    if distance is not None:
        paper.across((start, offset), (start + distance, offset), distance, (0.0, -6.0))
        paper.path("target-line", [(start + distance, offset - 500), (start + distance, offset + 500)])
    for place in _records(data, "places"):
        if (x := _figure(place, "x")) is not None and (y := _figure(place, "y")) is not None:
            paper.box("board-place", x - 60, y - 400, x + 60, y + 400)
    for station in _records(data, "stations"):
        for body in _records(station, "bodies"):
            if (x := _figure(body, "x")) is not None and (y := _figure(body, "y")) is not None:
                half = (_figure(body, "width") or 800.0) / 2
                paper.box("board-place", x - 60, y - half, x + 60, y + half)
    height = _figure(data, "height")
    if height is not None:
        paper.say((start + (distance or 0.0), offset + 500), exact(Length, height), off=(0.0, -8.0))


def _vehicle_outline(paper: _Paper, vehicle: Mapping[str, Any]) -> None:
    told = {**vehicle, **_inner(vehicle, "outline")}
    size = {name: _figure(told, name) or usual for name, usual in STANDS_FOR.items()}
    half = size["width"] / 2
    cls = "body" if vehicle else "planned-place"
    paper.box(cls, -size["rear_overhang"], -half, size["wheelbase"] + size["front_overhang"], half)
    paper.path("centreline", [(-size["rear_overhang"], 0.0), (size["wheelbase"] + size["front_overhang"], 0.0)])


def _datum(data: Mapping[str, Any], vehicle: Mapping[str, Any]) -> float:
    """How far ahead of the rear axle the distance is counted from."""
    told = {**vehicle, **_inner(vehicle, "outline")}
    size = {name: _figure(told, name) or usual for name, usual in STANDS_FOR.items()}
    at = _figure(_inner(data, "sensor"), "x")
    front = size["wheelbase"] + size["front_overhang"]
    own = {"front_hubs": size["wheelbase"], "rear_hubs": 0.0, "windscreen_camera": at, "sensor": at}
    found = own.get(str(data.get("datum", "")), front)
    return (front if found is None else found) + (_figure(_inner(data, "proxy"), "forward") or 0.0)


def _target(paper: _Paper, data: Mapping[str, Any], _: Mapping[str, Any]) -> None:
    """Its face, as one looks at it."""
    width, height = _figure(data, "width"), _figure(data, "height")
    w, h = width or 800.0, height or 600.0
    paper.box("body" if width and height else "planned-place", -w / 2, -h / 2, w / 2, h / 2)
    paper.path("mark", [(-w / 12, 0.0), (w / 12, 0.0)])
    paper.path("mark", [(0.0, -w / 12), (0.0, w / 12)])
    if width is not None:
        paper.across((-w / 2, -h / 2 * 1.14), (w / 2, -h / 2 * 1.14), width, (0.0, 14.0))
    if height is not None:
        paper.across((w / 2 * 1.1, -h / 2), (w / 2 * 1.1, h / 2), height, (26.0, 4.0))
    if (drop := _figure(data, "drop")) is not None:
        paper.path("beam", [(-w / 2, drop), (w / 2, drop)])
        paper.across((-w / 4, 0.0), (-w / 4, drop), drop, (-26.0, 4.0))


def _frame(paper: _Paper, data: Mapping[str, Any], _: Mapping[str, Any]) -> None:
    """Seen from above: away from the vehicle up, as its axes have it."""
    length = _figure(data, "beam_length")
    half = (length or 2400.0) / 2
    paper.path("beam" if length else "planned-place", [(-half, 0.0), (half, 0.0)])
    if length is not None:
        paper.across((-half, -120.0), (half, -120.0), length, (0.0, 14.0))
    if (reach := _figure(data, "reach")) is not None:
        paper.path("guide", [(-reach, 60.0), (reach, 60.0)])
    for name in ("pivot", "screw"):
        at = data.get(name)
        if isinstance(at, list | tuple) and len(at) == 2 and all(isinstance(v, int | float) for v in at):
            place = (-float(at[1]), float(at[0]))
            paper.dot("sensor-dot", place)
            paper.say(place, said(f"drawing.drafting.{name}"), off=(0.0, -9.0))
    for foot in _records(data, "feet"):
        if (x := _figure(foot, "x")) is not None and (y := _figure(foot, "y")) is not None:
            paper.dot("dim-end", (-y, x))
            paper.say((-y, x), Name(str(foot.get("id", ""))), off=(0.0, 14.0))


def _stand(paper: _Paper, data: Mapping[str, Any], _: Mapping[str, Any]) -> None:
    """Seen from above: the floor that it takes, the target's face before it, the cross on its foot."""
    width, depth = _figure(data, "width"), _figure(data, "depth")
    half, deep = (width or 600.0) / 2, depth or 600.0
    paper.box("body" if width and depth else "planned-place", -half, 0.0, half, deep)
    if width is not None:
        paper.across((-half, -90.0), (half, -90.0), width, (0.0, 14.0))
    if (cross := _figure(data, "cross_behind")) is not None:
        paper.dot("sensor-dot", (0.0, cross))
        paper.say((0.0, cross), said("drawing.drafting.cross"), off=(0.0, -9.0))


_KINDS = {"vehicle": _vehicle, "procedure": _procedure, "target": _target, "frame": _frame, "stand": _stand}


def limits_rule(lower: float, nominal: float, upper: float) -> str:
    """What is allowed of a figure, as a small rule: its nominal in the middle, the limits where they stand."""
    width, base, span = 220.0, 16.0, max(upper - nominal, nominal - lower, 1e-9) * 1.25

    def x(value: float) -> float:
        return width / 2 + (value - nominal) / span * (width / 2 - 8)

    body = [element("rect", "rule-zone", x=x(lower), y=base - 8, width=max(x(upper) - x(lower), 0.5), height=8)]
    body.append(line("rule-line", (4, base), (width - 4, base)))
    body += [line("rule-limit", (x(value), base - 11), (x(value), base + 6)) for value in (lower, nominal, upper)]
    return document(said("drawing.drafting.limits"), (width, 26.0), body, "rule small-rule")
