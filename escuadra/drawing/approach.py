"""A frame on its way, from above: where it stands, where it must stand, and the move between them, drawn larger.

The vehicle is on the left, its left side upward. Lengths that are still to go are true to the scale that is drawn;
the beam itself is not, so that the last millimetres can be seen from across the bay.
"""

import math

from escuadra.core.base.said import said
from escuadra.core.base.wording import amount
from escuadra.core.visit.advice.approach import ToGo
from escuadra.drawing.svg import Point, arrow_head, document, element, label, line, polyline

SIZE = (620.0, 372.0)
GOAL: Point = (350.0, 172.0)
HALF = 74.0
"""Half of the beam as drawn."""
FARTHEST = (190.0, 84.0)
LARGEST_SCALE = 8.0
"""Drawing units a millimetre, at most."""
BARS_MM = (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000)


def approach_view(left: ToGo, half_beam_mm: float) -> str:
    """What is left to go; ``half_beam_mm``: from the beam's middle to its end."""
    end = half_beam_mm * math.sin(math.radians(left.turn_deg))
    along = max(abs(left.away + end), abs(left.away - end), 1e-9)
    scale = min(FARTHEST[0] / along, FARTHEST[1] / max(abs(left.left), 1e-9), LARGEST_SCALE)
    x, y = GOAL[0] - left.away * scale, GOAL[1] + left.left * scale
    shift = end * scale
    body = [
        polyline("body", [(10, 96), (70, 96), (112, 130), (112, 214), (70, 248), (10, 248)], True),
        label("small", (20, 176), said("label.vehicle")),
        line("centreline", (112, GOAL[1]), (SIZE[0] - 20, GOAL[1])),
        line("beam goal", (GOAL[0], GOAL[1] - HALF), (GOAL[0], GOAL[1] + HALF)),
        label("small", (GOAL[0], GOAL[1] - HALF - 12), said("drawing.approach.place"), "middle"),
        # A turn to the left brings the left end, above, nearer to the vehicle: the frame still stands the other way.
        line("beam stands", (x + shift, y - HALF), (x - shift, y + HALF)),
        label("name", (x, y + HALF + 22), said("label.frame"), "middle"),
    ]
    if math.hypot(x - GOAL[0], y - GOAL[1]) > 14:
        body += [line("move", (x, y), GOAL), arrow_head("move-head", GOAL, (GOAL[0] - x, GOAL[1] - y), 12)]
    if abs(shift) > 3:
        tip = (x, y - HALF)
        body += [
            element("path", "move", d=f"M{x + shift:.1f} {y - HALF - 8:.1f} L{tip[0]:.1f} {tip[1] - 8:.1f}"),
            arrow_head("move-head", (tip[0], tip[1] - 8), (-shift, 0), 9),
        ]
    bar = max((mm for mm in BARS_MM if mm * scale <= 160), default=BARS_MM[0])
    start, foot = 12.0, SIZE[1] - 44
    stop = start + bar * scale
    body += [line("thin", (start, foot), (stop, foot))]
    body += [line("thin", (at, foot - 6), (at, foot + 6)) for at in (start, stop)]
    body.append(label("small", (start, foot + 24), said("drawing.approach.left", bar=amount(bar, "mm", 0))))
    return document(said("drawing.approach.frame_place_above"), SIZE, body, letters=17)
