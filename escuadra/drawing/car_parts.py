"""A vehicle from above with its parts, large enough for a glove, and its sensors in the order of their calibration.

The front is to the right, the left side drawn upward. What is chosen is outlined heavily; a sensor that is to be
calibrated is a filled disc with its number, any other an empty one.
"""

import math
from collections.abc import Callable, Collection, Sequence
from xml.sax.saxutils import escape

from escuadra.core.base.said import Value, said
from escuadra.core.procedure.fitted import PLAN, Area, CarriedSensor
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.needed import Scoped, part_name
from escuadra.drawing.svg import Point, document, element, label, polyline
from escuadra.words import say

LENGTH, WIDTH, MARGIN, TOP = 800.0, 250.0, 46.0, 44.0
DISC = 15.0
NEAR_END = 0.9
"""Beyond this share of its length a sensor sits at the vehicle's end."""
LETTER = 6.2
"""Width of a letter of a part's name, about."""


def _at(along: float, left: float) -> Point:
    return MARGIN + along * LENGTH, TOP + (0.5 - left) * WIDTH


def car_parts_view(
    model: VehicleModel, sensors: Sequence[Scoped], chosen: Collection[str], way: Callable[[str], str]
) -> str:
    """The drawing; ``way``: where a part's link leads."""
    size = (LENGTH + 2 * MARGIN, WIDTH + 2 * TOP)
    body = [_outline()]
    body += [_part(id, part_name(model, id), area, id in chosen, way(id)) for id, area in model.areas.items() if area]
    taken: list[Point] = []
    for k, one in enumerate(sensors, 1):
        place = _apart(_place(model, one.sensor), taken)
        taken.append(place)
        body.append(_sensor(str(k) if one.needed else "", one, place))
    return document(said("drawing.car_parts", vehicle=model.name), size, body, "drawing car-parts", role="group")


def _outline() -> str:
    corners = [(0.0, 0.42), (0.03, 0.49), (0.9, 0.49), (0.97, 0.44), (1.0, 0.3)]
    whole = [*corners, *((x, -y) for x, y in reversed(corners))]
    return polyline("body", [_at(x, y) for x, y in whole], closed=True)


def _link(id: str, chosen: bool, href: str, name: str, body: str) -> str:
    inside = element("title", "", escape(name)) + body
    return element("a", "part-link chosen" if chosen else "part-link", inside, href=href, aria_label=name, data_part=id)


def _part(id: str, name: Value, area: Area, chosen: bool, href: str) -> str:
    (x0, y0), (x1, y1) = _at(area.rear, area.left), _at(area.front, area.right)
    said = say(name)
    box = element("rect", "part", x=x0, y=y0, width=x1 - x0, height=y1 - y0, rx=4)
    wide, high = x1 - x0, y1 - y0
    middle, text = ((x0 + x1) / 2, (y0 + y1) / 2 + 4), ""
    if len(said) * LETTER < wide:
        text = label("small", middle, said, "middle")
    elif len(said) * LETTER < high:
        turn = f"rotate(-90 {middle[0]:.1f} {middle[1] - 4:.1f})"
        text = element("g", "", label("small", middle, said, "middle"), transform=turn)
    return _link(id, chosen, href, said, box + text)


def _place(model: VehicleModel, sensor: CarriedSensor) -> Point:
    """Where a sensor's disc hides no part's name: on its bracket, else outside the vehicle, next to where it sits."""
    bracket = model.areas.get(sensor.mounted_on[0]) if sensor.mounted_on else None
    if bracket is not None and bracket.front - bracket.rear < 0.06 and bracket.left - bracket.right < 0.3:
        return _at((bracket.rear + bracket.front) / 2, (bracket.left + bracket.right) / 2)
    length = model.outline.rear_overhang + model.wheelbase + model.outline.front_overhang
    along, left = (sensor.x + model.outline.rear_overhang) / length, sensor.y / model.outline.width
    if along > NEAR_END or along < 1 - NEAR_END:
        x, y = _at(float(along > NEAR_END), left)
        return x + (DISC + 6) * (1 if along > NEAR_END else -1), y
    if abs(left) > 0.45:
        mirror = PLAN["left_mirror"]
        x, y = _at(mirror.front, math.copysign((mirror.left + mirror.right) / 2, left))
        return x + DISC + 6, y
    return _at(along, left)


def _apart(place: Point, taken: Sequence[Point]) -> Point:
    """A place of its own: downward past whoever is there already."""
    x, y = place
    while any(abs(x - tx) < 2 * DISC and abs(y - ty) < 2 * DISC for tx, ty in taken):
        y += 2 * DISC + 2
    return x, y


def _sensor(number: str, one: Scoped, place: Point) -> str:
    disc = element("circle", "sensor needed" if one.needed else "sensor", cx=place[0], cy=place[1], r=DISC)
    return disc + (label("number", (place[0], place[1] + 5), number, "middle") if number else "")
