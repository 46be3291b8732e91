"""A bay from above: outline, what stands in it, the surveyed floor, and a vehicle with the room it needs.

The bay's length runs to the right, its left side is drawn upward. Walls and fixed things solid, planned room dashed;
contour lines say how far the floor departs from its plane.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from escuadra.core.base.said import Plain, Said, said
from escuadra.core.base.wording import amount, rounded
from escuadra.core.bay.bay import Bay, Place, Thing
from escuadra.core.bay.relief import Relief
from escuadra.core.bay.room import Shape, shapes
from escuadra.core.bay.survey_log import Draft
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.drawing.svg import Point, apart, arrow_head, document, element, label, line, polyline

MARGIN = 34.0
SYMBOL = {"pillar": "pillar", "obstacle": "block", "drain": "drain", "metal": "metal", "reflective": "mirror"}


@dataclass(frozen=True)
class Frame:
    """Which part of the floor is drawn, to what scale; one scale for both ways."""

    x0: float
    y1: float
    scale: float
    width: float
    height: float

    def at(self, x: float, y: float) -> Point:
        """A place in bay axes on the drawing."""
        return MARGIN + (x - self.x0) * self.scale, MARGIN + (self.y1 - y) * self.scale


def frame_of(bay: Bay, width: float, also: list[np.ndarray] | None = None) -> Frame:
    """The frame that shows all of a bay, and whatever reaches beyond it, in a drawing of some width."""
    corners = np.vstack([np.array(bay.corners), *(also or [])])
    low, high = corners.min(axis=0), corners.max(axis=0)
    scale = float((width - 2 * MARGIN) / (high[0] - low[0]))
    return Frame(float(low[0]), float(high[1]), scale, width, float((high[1] - low[1]) * scale + 2 * MARGIN))


def bay_view(
    bay: Bay,
    width: float = 780.0,
    relief: Relief | None = None,
    draft: Draft | None = None,
    parked: tuple[Place, VehicleModel, list[Procedure]] | None = None,
    others: list[tuple[str, Place]] | None = None,
    cut: tuple[Point, Point] | None = None,
    points: list[tuple[str, float, float, str]] | None = None,
    small: bool = False,
) -> str:
    """A bay's drawing. ``points``: id, x, y and what is written there; ``cut``: where the section runs."""
    room = [shape.corners(parked[0]) for shape in shapes(parked[1], parked[2])] if parked is not None else []
    frame = frame_of(bay, width, room)
    body = [polyline("wall", [frame.at(x, y) for x, y in bay.corners], closed=True)]
    body += _door(bay, frame, small)
    if relief is not None:
        body += _contours(relief, frame)
    body += _rack(bay, frame)
    if parked is not None:
        for name, place in others or []:
            body += _other(name, place, parked[1], frame)
        body += _parked(*parked, frame)
    body += [_thing(thing, frame, small) for thing in bay.things]
    if cut is not None:
        (ax, ay), (bx, by) = (frame.at(*end) for end in cut)
        body += [line("planned", (ax, ay), (bx, by)), label("small", (ax + 4, ay - 5), said("label.section"))]
    for id, x, y, text in points or []:
        px, py = frame.at(x, y)
        body += [element("circle", "dot", cx=px, cy=py, r=2), label("small", (px + 4, py - 4), text or id)]
    if draft is not None:
        body += _draft(draft, frame)
    if not small:
        body += _fixed(bay, frame)
        body += _sizes(bay, frame)
    size = (frame.width, frame.height)
    return document(
        said("drawing.bay_map.bay_above", name=bay.name),
        size,
        apart(body, size),
        "drawing bay-drawing",
    )


def _door(bay: Bay, frame: Frame, small: bool) -> list[str]:
    if bay.door is None:
        return []
    a, b = frame.at(bay.door.x1, bay.door.y1), frame.at(bay.door.x2, bay.door.y2)
    at = max(a, b, key=lambda end: end[1])
    corners = np.array(bay.corners)
    right = bay.door.x1 > corners[:, 0].mean()
    name = label("small", (at[0] + (-8 if right else 8), at[1] - 8), said("label.door"), "end" if right else "start")
    return [line("door", a, b), "" if small else name]


def _thing(thing: Thing, frame: Frame, small: bool) -> str:
    corners = [frame.at(x, y) for x, y in thing.corners]
    x, y = frame.at(thing.x, thing.y)
    parts = []
    if thing.kind == "lamp":
        parts += [element("circle", "lamp", cx=x, cy=y, r=6), line("lamp", (x - 9, y), (x + 9, y))]
        parts.append(line("lamp", (x, y - 9), (x, y + 9)))
    elif thing.kind == "window":
        parts.append(polyline("window", corners, closed=True))
    else:
        parts.append(polyline(SYMBOL[thing.kind], corners, closed=True))
        if thing.kind == "drain":
            inner = [((px + x) / 2, (py + y) / 2) for px, py in corners]
            parts.append(polyline("drain", inner, closed=True))
    if not small:
        low = max(py for _, py in corners)
        below = low + 13 if low + 18 < frame.height - MARGIN else min(py for _, py in corners) - 5
        anchor = "end" if x > frame.width - 110 else "start" if x < 110 else "middle"
        parts.append(label("small", (x, below), thing.name, anchor))
    return element("g", "thing", "".join(parts), data_thing=thing.id, data_scale=repr(frame.scale))


def _rack(bay: Bay, frame: Frame) -> list[str]:
    if bay.rack is None:
        return []
    rack, parts = bay.rack, []
    for y in (rack.left_y, rack.right_y):
        x0, top = frame.at(rack.x_from, y + rack.width / 2)
        long, wide = (rack.x_to - rack.x_from) * frame.scale, rack.width * frame.scale
        parts.append(element("rect", "runway", x=x0, y=top, width=long, height=wide))
    return parts


def _fixed(bay: Bay, frame: Frame) -> list[str]:
    parts = []
    for point in bay.fixed_points:
        x, y = frame.at(point.x, point.y)
        parts += [element("circle", "fixed", cx=x, cy=y, r=6), line("fixed", (x - 9, y), (x + 9, y))]
        parts += [line("fixed", (x, y - 9), (x, y + 9)), label("name", (x + 9, y - 8), point.id)]
    return parts


def _sizes(bay: Bay, frame: Frame) -> list[str]:
    corners = np.array(bay.corners)
    (x0, y0), (x1, y1) = corners.min(axis=0), corners.max(axis=0)
    (left, top), (right, bottom) = frame.at(float(x0), float(y1)), frame.at(float(x1), float(y0))
    above, aside = top - 16, left - 16
    middle = (left + right) / 2
    along = label("dimension", (middle, above - 4), amount(float(x1 - x0), "mm", 0), "middle")
    across = label("dimension", (0, 0), amount(float(y1 - y0), "mm", 0), "middle")
    turned = element(
        "g",
        "",
        across,
        transform=f"translate({aside - 4:.1f} {(top + bottom) / 2:.1f}) rotate(-90)",
    )
    arrow = arrow_head("thin-head", (left + 44, bottom + 18), (1, 0), 6)
    return [
        line("thin", (left, above), (right, above)),
        line("thin", (aside, top), (aside, bottom)),
        along,
        turned,
        line("thin", (left, bottom + 18), (left + 38, bottom + 18)),
        arrow,
        label("small", (left + 50, bottom + 22), said("drawing.bay_map.x_along_bay_closed_end")),
    ]


def _contours(relief: Relief, frame: Frame) -> list[str]:
    parts: list[str] = []
    named: list[Point] = []
    decimals = 1 if relief.step < 1 else 0
    for level, found in relief.lines:
        places = [frame.at(x, y) for x, y in found]
        parts.append(polyline("contour level" if abs(level) < 1e-9 else "contour", places))
        length = sum(abs(b[0] - a[0]) + abs(b[1] - a[1]) for a, b in pairwise(places))
        at = places[len(places) // 2]
        if length > 60 and all(abs(at[0] - x) + abs(at[1] - y) > 42 for x, y in named):
            named.append(at)
            parts.append(label("contour-name", (at[0], at[1] + 4), rounded(level, decimals), "middle"))
    for (x, y, value), word in ((relief.low, "low"), (relief.high, "high")):
        px, py = frame.at(x, y)
        parts.append(element("circle", "dot", cx=px, cy=py, r=3.5))
        anchor = "end" if px > frame.width / 2 else "start"
        shown = said(f"drawing.bay_map.{word}", value=amount(value, "mm"))
        below = 18 if py < MARGIN + 24 else -6
        parts.append(label("name", (px + (-7 if anchor == "end" else 7), py + below), shown, anchor))
    return parts


def _parked(place: Place, vehicle: VehicleModel, procedures: list[Procedure], frame: Frame) -> list[str]:
    parts = []
    for shape in shapes(vehicle, procedures):
        corners = [frame.at(float(x), float(y)) for x, y in shape.corners(place)]
        parts.append(polyline(_class_of(shape), corners, closed=True))
    front = vehicle.wheelbase + vehicle.outline.front_overhang
    a, b = frame.at(*place.at(0, 0)), frame.at(*place.at(front - 200, 0))
    parts += [line("centreline", a, b), arrow_head("thrust-head", b, (b[0] - a[0], b[1] - a[1]))]
    return parts


def _other(name: str, place: Place, vehicle: VehicleModel, frame: Frame) -> list[str]:
    """A further possible place: the vehicle's outline and its number at the tail."""
    corners = [frame.at(float(x), float(y)) for x, y in shapes(vehicle, [])[0].corners(place)]
    x, y = frame.at(*place.at(-vehicle.outline.rear_overhang + 260, 0))
    return [polyline("planned-place", corners, closed=True), label("name", (x, y + 4), name, "middle")]


def _class_of(shape: Shape) -> str:
    return {"body": "body clear", "tyre": "wheel", "target": "board-place", "room": "room"}[shape.kind]


def _draft(draft: Draft, frame: Frame) -> list[str]:
    parts, read, following = [], draft.read, draft.next_point
    for point in draft.begun.points:
        x, y = frame.at(point.x, point.y)
        if following is not None and point.id == following.id:
            parts += [element("circle", "next-point", cx=x, cy=y, r=9), label("name", (x + 12, y - 8), point.id)]
        else:
            parts.append(element("circle", "dot" if point.id in read else "unread-point", cx=x, cy=y, r=3.5))
    walk = [frame.at(p.x, p.y) for p in draft.walk if p.id not in read]
    return [polyline("walk", walk[:6]), *parts] if len(walk) > 1 else parts


def section_view(
    heights: list[tuple[float, float]],
    u: float,
    width: float = 780.0,
    height: float = 150.0,
    title: Said | None = None,
) -> str:
    """A section of the floor, heights magnified; ``u``: of each height, drawn as a band."""
    left, right, top, bottom = 52.0, 12.0, 24.0, 26.0
    span = max(s for s, _ in heights) or 1.0
    zs = [z for _, z in heights]
    low, high = min(zs) - 2 * u - 0.5, max(zs) + 2 * u + 0.5
    by_x, by_z = (width - left - right) / span, (height - top - bottom) / (high - low)

    def at(s: float, z: float) -> Point:
        return left + s * by_x, top + (high - z) * by_z

    body = []
    step = next(s for s in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000, 100000) if (high - low) / s <= 4)
    k = int(np.ceil(low / step))
    while k * step <= high:
        y = at(0, k * step)[1]
        body += [
            line("hair", (left, y), (width - right, y)),
            label("small", (left - 6, y + 4), rounded(k * step, 0), "end"),
        ]
        k += 1
    band = [at(s, z + 2 * u) for s, z in heights] + [at(s, z - 2 * u) for s, z in reversed(heights)]
    body += [polyline("band", band, closed=True), polyline("profile", [at(s, z) for s, z in heights])]
    metre = 0
    while metre * 1000 <= span:
        x = at(metre * 1000, low)[0]
        body += [line("thin", (x, height - bottom), (x, height - bottom + 5))]
        body.append(label("small", (x, height - 6), amount(metre, "m", 0), "middle"))
        metre += 1
    body.append(
        label(
            "small",
            (left, 14),
            said(
                "drawing.bay_map.mm_heights_drawn",
                title=title or said("drawing.bay_map.section"),
                by_x=Plain(by_z / by_x, 0),
            ),
        )
    )
    return document(title or said("drawing.bay_map.section"), (width, height), body)
