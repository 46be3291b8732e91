"""The small plan beside the next move: which hub, corner or beam end is meant, as seen from above.

Left is upward as from the driver's seat, the front to the right, so that nobody who faces the car mixes the sides up.
"""

import math

from escuadra.core.base.said import said
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.views import SlotView
from escuadra.drawing.svg import Point, arrow_head, document, element, line

SIZE = (104.0, 64.0)
PLACES: dict[str, Point] = {
    "LF": (52, 17),
    "RF": (52, 47),
    "LR": (16, 17),
    "RR": (16, 47),
    "LF_end": (90, 8),
    "RF_end": (90, 56),
}


def glyph(move: NextMove, read: SlotView | None = None) -> str:
    """The small plan of a move, or of where a reading is taken; empty where no place is meant."""
    named: list[str] = []
    if read is not None:
        named += [place for place in read.slot.between or (read.slot.which,) if place in PLACES]
    named += [step.at for step in move.steps if step.axis == "screw"]
    left, away = move.along("left") or move.along("hang"), move.along("away")
    way: Point | None = None
    if left or away:
        way = (math.copysign(1, away), 0) if away else (0, math.copysign(1, -left))
    if not named and way is None and move.slot != "crossing":
        return ""
    body = [
        element("rect", "body", x=4, y=14, width=62, height=36, rx=6),
        line("beam stands", (90, 8), (90, 56)),
    ]
    body += [element("rect", "wheel", x=x - 7, y=y - 3, width=14, height=6) for x, y in list(PLACES.values())[:4]]
    if move.slot == "crossing":
        body.append(line("centreline", (4, 32), (100, 32)))
    if len(named) == 2:
        body.append(line("tape-at-hand", PLACES[named[0]], PLACES[named[1]]))
    body += [element("circle", "move-head", cx=PLACES[name][0], cy=PLACES[name][1], r=5) for name in named]
    if way is not None:
        x, y = 78 if way[1] else 90, 32
        tip = (x + 16 * way[0], y + 18 * way[1])
        body += [line("move", (x - 12 * way[0], y - 14 * way[1]), tip), arrow_head("move-head", tip, way, 8)]
    return document(said("drawing.glyph.where_it_is_meant"), SIZE, body)
