"""Both lines along the whole vehicle and on to the targets, with their bands, the marks and the pairs behind them.

The body is drawn to scale; how far a line runs off the vehicle's axis may be drawn magnified sideways. Also what a
method looks along, and the rectangle while it is being built. Left as from the driver's seat is up.
"""

from collections.abc import Callable
from dataclasses import dataclass

from escuadra.core.base.axes import turned
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.said import Noun, Plain, Said, said
from escuadra.core.base.wording import amount
from escuadra.core.bay.standing import target_places
from escuadra.core.geodesy.rectangle import SIDES
from escuadra.core.vehicle.lines import Line, LinesResult
from escuadra.core.visit.both_lines import both_lines
from escuadra.core.visit.checks.distance_transfer import RectangleCheck
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.methods import METHODS, Sight
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.views import CheckView
from escuadra.drawing.svg import Point, arrow_head, document, element, label, line, polyline

SIDEWAYS = (100.0, 50.0, 20.0, 10.0, 5.0, 1.0)
"""How many times the distance from the axis may be drawn; the largest that fits."""
HEAD = 30.0


@dataclass(frozen=True)
class Strip:
    """The floor along the vehicle: scales along, across, and across for what is magnified."""

    x0: float
    x1: float
    width: float
    height: float
    by: float

    @property
    def scale(self) -> float:
        """Drawing units a millimetre."""
        return self.width / (self.x1 - self.x0)

    def at(self, x: float, y: float) -> Point:
        """A place to scale."""
        return (x - self.x0) * self.scale, (self.height + HEAD) / 2 - y * self.scale

    def off(self, x: float, y: float) -> Point:
        """A place whose distance from the axis is magnified, kept inside the drawing."""
        middle = (self.height + HEAD) / 2
        return self.at(x, 0)[0], max(HEAD + 4, min(self.height - 4, middle - y * self.scale * self.by))


def lines_view(sheet: Sheet, size: tuple[float, float] = (1180, 400), magnify: bool = True) -> str:
    """Both lines of a job from the rear to the farthest target."""
    plan = sheet.plan
    targets = target_places(plan.procedure, plan.vehicle)
    front = max(plan.nominal_goal.x, *(p.x for p in targets)) + 520
    back = -plan.vehicle.outline.rear_overhang - 250
    stations = [back + 40 + k * (front - back - 200) / 24 for k in range(25)]
    found = both_lines(sheet.epochs, stations)
    strip = Strip(back, front, *size, _sideways(found, size, front - back) if magnify else 1.0)
    body = [_vehicle(sheet, strip), _metres(strip)]
    body.append(line("thin", strip.at(strip.x0, 0), strip.at(strip.x1, 0)))
    carried = next((view for view in sheet.checks if isinstance(view.check, RectangleCheck) and view.begun), None)
    body += drawn_rectangle(sheet, carried, "", strip.at)
    for place in targets:
        body.append(line("thin", strip.at(place.x, 700), strip.at(place.x, -700)))
        name = "target" if place.id == "target" else place.id.replace("_", " ")
        body.append(label("small", (strip.at(place.x, 0)[0], strip.height - 8), name, "middle"))
    if strip.by > 1:
        body.append(label("small", (8, strip.height - 8), said("drawing.lines.sideways", by=Plain(strip.by, 0))))
    if found is None:
        body.append(label("name", (strip.width - 12, HEAD + 24), said("drawing.lines.no_line_found_yet"), "end"))
        return document(said("drawing.lines.vehicles_lines_seen_above"), size, body)
    if found.body is not None:
        body += _band(found.body, strip, "centreline", said("label.centreline"))
        body += _marks(sheet.epochs, strip)
    if found.thrust is not None:
        body += _band(found.thrust, strip, "thrust", said("drawing.lines.thrust_line"), -1)
    return document(said("drawing.lines.vehicles_lines_seen_above"), size, body)


def _sideways(found: LinesResult | None, size: tuple[float, float], long: float) -> float:
    """The largest magnification at which both bands stay within the middle third of the drawing."""
    lines = [ln for ln in (found.thrust, found.body) if ln is not None] if found is not None else []
    most = max((abs(p.y) + 2 * p.u for ln in lines for p in ln.at), default=1.0)
    room = 0.34 * size[1] * long / size[0]
    return next((by for by in SIDEWAYS if by * most <= room), 1.0)


def _metres(strip: Strip) -> str:
    parts = [line("thin", (0, 20), (strip.width, 20))]
    for metre in range(int(strip.x0 // 1000) + 1, int(strip.x1 // 1000) + 1):
        x, _ = strip.at(metre * 1000, 0)
        if 20 < x < strip.width - 30:
            parts += [line("thin", (x, 20), (x, 27)), label("small", (x, 14), amount(metre, "m", 0), "middle")]
    return "".join(parts)


def _vehicle(sheet: Sheet, strip: Strip) -> str:
    vehicle = sheet.plan.vehicle
    (x1, top), (x2, bottom) = (
        strip.at(-vehicle.outline.rear_overhang, vehicle.outline.width / 2),
        strip.at(vehicle.wheelbase + vehicle.outline.front_overhang, -vehicle.outline.width / 2),
    )
    parts = [element("rect", "body", x=x1, y=top, width=x2 - x1, height=bottom - top, rx=18)]
    for corner in CORNERS:
        hx, hy = vehicle.hub(corner)
        outer = hy if hy > 0 else hy + vehicle.tyre_width
        x, y = strip.at(hx - vehicle.tyre_diameter / 2, outer)
        long, wide = vehicle.tyre_diameter * strip.scale, vehicle.tyre_width * strip.scale
        parts.append(element("rect", "wheel", x=x, y=y, rx=3, width=long, height=wide))
        lx, ly = strip.at(hx, hy - (vehicle.tyre_width + 40 if hy > 0 else -vehicle.tyre_width - 40))
        parts.append(label("small", (lx, ly + (11 if hy > 0 else 0)), Noun(f"corner.{corner}"), "middle"))
    return "".join(parts)


def _band(found: Line, strip: Strip, cls: str, name: Said, side: int = 1) -> list[str]:
    upper = [strip.off(p.x, p.y + 2 * p.u) for p in found.at]
    lower = [strip.off(p.x, p.y - 2 * p.u) for p in reversed(found.at)]
    middle = [strip.off(p.x, p.y) for p in found.at]
    parts = [
        polyline(f"band {cls}-band", [*upper, *lower], True),
        polyline(f"{cls} open-line", middle),
    ]
    end = middle[-1]
    if cls == "thrust":
        parts.append(arrow_head("thrust-head", end, (end[0] - middle[-2][0], end[1] - middle[-2][1])))
    parts.append(label("name", (end[0] - 14, end[1] - 9 if side > 0 else end[1] + 20), name, "end"))
    return parts


def _marks(epochs: Epochs, strip: Strip) -> list[str]:
    """Each centre mark as a cross, each pair's own middle as a tick beside it."""
    parts = []
    places = epochs.plan.vehicle.marks
    for end, mark in epochs.marks.items():
        if mark.y is None or mark.pairs is None:
            continue
        x = places.front_x if end == "front" else places.rear_x
        cx, cy = strip.off(x, mark.y)
        parts += [polyline("mark", [(cx - 6, cy - 6), (cx + 6, cy + 6)])]
        parts += [polyline("mark", [(cx - 6, cy + 6), (cx + 6, cy - 6)])]
        for k, residual in enumerate(mark.pairs.residuals.values()):
            # The mark stands where all pairs say; a pair's own middle lies off by its residual.
            tx, ty = strip.off(x, mark.y + residual)
            parts.append(line("mark", (tx + 12 + 6 * k, ty - 5), (tx + 12 + 6 * k, ty + 5)))
    return parts


def sights(sheet: Sheet, view: CheckView | None) -> list[Sight]:
    """What the method at hand looks along, the frame where it must stand."""
    if view is None:
        return []
    method = METHODS.get(view.check.line_method)
    return method.sights(Scene.nominal(sheet.plan)) if method is not None else []


def drawn_sights(sheet: Sheet, view: CheckView | None, at: Callable[[float, float], Point]) -> list[str]:
    """The beams, strings and tapes of the method at hand."""
    return [line(f"sight {sight.kind}-sight", at(*sight.a), at(*sight.b)) for sight in sights(sheet, view)]


def drawn_rectangle(sheet: Sheet, view: CheckView | None, slot: str, at: Callable[[float, float], Point]) -> list[str]:
    """The rectangle while it is built: read sides solid, the side at hand in blue, the others dashed."""
    if view is None or not isinstance(view.check, RectangleCheck):
        return []
    check, epochs = view.check, sheet.epochs
    sign = 1.0 if check.side(epochs) == "left" else -1.0
    (x, y), expected = check.start(epochs), check.expected(epochs)
    along, inward, _ = check.needed(epochs)
    solution = epochs.lines
    angle = solution.derived("line_angle").value if solution is not None and solution.line is not None else 0.0
    corners = {
        "datum": (0.0, 0.0),
        "abeam": (0.0, expected["out"]),
        "corner": (along, expected["out"]),
        "mark": (along, -inward),
    }

    def place(name: str) -> Point:
        px, py = turned(angle, corners[name][0], sign * corners[name][1])
        return at(x + px, y + py)

    parts = []
    for name, (a, b) in SIDES.items():
        read = any(s.slot.id == f"rect.{name}" and s.now for s in view.slots)
        at_hand = slot == f"rect.{name}"
        parts.append(
            line(
                ("tape-at-hand" if at_hand else "tape") + ("" if read else " unread"),
                place(a),
                place(b),
            )
        )
    cx, cy = place("mark")
    parts += [
        polyline("mark", [(cx - 7, cy - 7), (cx + 7, cy + 7)]),
        polyline("mark", [(cx - 7, cy + 7), (cx + 7, cy - 7)]),
    ]
    return parts
