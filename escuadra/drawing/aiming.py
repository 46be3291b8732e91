"""A sensor's two screws as one sees them, with the turns to make; and the notches' responses with their peak."""

import math
from collections.abc import Mapping

from escuadra.core.base.said import Name, Turns, nouns, said
from escuadra.core.base.wording import amount
from escuadra.core.procedure.adjusting import Adjusting, AdjustingScrew
from escuadra.core.procedure.limits import Limits
from escuadra.core.visit.aiming import Tilted
from escuadra.core.visit.mirror import Spot
from escuadra.drawing.svg import arrow_head, document, element, label, line, n, polyline

WIDTH, HEIGHT = 600.0, 380.0
MIDDLE = (WIDTH / 2, 150.0)
PX_PER_MM = 2.2
BODY = (78.0, 64.0)
"""Half of the sensor as it is drawn, beyond its screws, px."""
HEAD, ARC = 17.0, 38.0
"""Of a screw's head, and of the arrow about it, px."""
SPOT = (600.0, 340.0)
SPOT_PX = 120.0
"""How far from the outlet the spot, or the field for it, is drawn at most."""
TILTS = (720.0, 260.0)
LEFT, RIGHT, TOP, FOOT = 30.0, 60.0, 28.0, 40.0
POINTS = 40


def screws_view(given: Adjusting, turns: Mapping[str, float] | None) -> str:
    """The sensor from the side from which turns are counted: where each screw sits, and its turns once they are known.

    Seen from in front the vehicle's left is on the right.
    """
    mirrored = -1.0 if given.seen_from == "behind" else 1.0
    places = {
        screw.id: (MIDDLE[0] + mirrored * screw.right * PX_PER_MM, MIDDLE[1] - screw.up * PX_PER_MM)
        for screw in given.screws
    }
    across = max(BODY[0], *(abs(x - MIDDLE[0]) + 26 for x, _ in places.values()))
    along = max(BODY[1], *(abs(y - MIDDLE[1]) + 26 for _, y in places.values()))
    corner = (MIDDLE[0] - across, MIDDLE[1] - along)
    body = [element("rect", "housing", x=corner[0], y=corner[1], width=2 * across, height=2 * along, rx=12)]
    for screw in given.screws:
        body += _screw(screw, places[screw.id], None if turns is None else turns.get(screw.id, 0.0))
    ends = ("vehicle_right", "vehicle_left") if mirrored > 0 else ("vehicle_left", "vehicle_right")
    body.append(label("small", (8, HEIGHT - 12), said(f"drawing.aiming.{ends[0]}")))
    body.append(label("small", (WIDTH - 8, HEIGHT - 12), said(f"drawing.aiming.{ends[1]}"), "end"))
    return document(said(f"drawing.aiming.{given.seen_from}"), (WIDTH, HEIGHT), body, letters=16)


def _screw(screw: AdjustingScrew, at: tuple[float, float], turns: float | None) -> list[str]:
    x, y = at
    slot = HEAD * 0.62
    found = [
        element("circle", "fixed", cx=x, cy=y, r=HEAD),
        line("thin", (x - slot, y - slot), (x + slot, y + slot)),
    ]
    if turns:
        # Three quarters of the way about the head, its arrow where the turn ends.
        way = 1 if turns > 0 else -1
        start, end = (math.radians(-90 - way * 130), math.radians(-90 + way * 130))
        a = (x + ARC * math.cos(start), y + ARC * math.sin(start))
        b = (x + ARC * math.cos(end), y + ARC * math.sin(end))
        sweep = 1 if way > 0 else 0
        found.append(element("path", "move", d=f"M{n(a[0])} {n(a[1])} A{ARC} {ARC} 0 1 {sweep} {n(b[0])} {n(b[1])}"))
        found.append(arrow_head("move-head", b, (-way * math.sin(end), way * math.cos(end)), 13))
    right = x >= MIDDLE[0] - 1 and abs(x - MIDDLE[0]) > abs(y - MIDDLE[1])
    aside = abs(x - MIDDLE[0]) > abs(y - MIDDLE[1])
    if aside:
        place, anchor = ((x + ARC + 26, y - 4), "start") if right else ((x - ARC - 26, y - 4), "end")
    else:
        place, anchor = (x, y + (ARC + 44 if y >= MIDDLE[1] else -ARC - 44)), "middle"
    found.append(label("small", (place[0], place[1] - 16), Name(screw.name), anchor))
    if turns is not None:
        words = said("drawing.aiming.stays") if not turns else Turns(abs(turns), eighths=True)
        found.append(label("name", (place[0], place[1] + 8), words, anchor))
        if turns:
            way_of = "clockwise" if turns > 0 else "anticlockwise"
            found.append(label("small", (place[0], place[1] + 28), said(f"drawing.aiming.{way_of}"), anchor))
    return found


def spot_view(found: Spot, yaw: Limits, pitch: Limits) -> str:
    """The outlet as one looks from behind it at the vehicle, where the beam comes back, and the field it may be in.

    The vehicle's left is on the right.
    """
    per_degree = math.radians(2) * found.distance
    low, high = (found.left + (limit - found.yaw) * per_degree for limit in (yaw.lower, yaw.upper))
    least, most = (found.up + (found.pitch - limit) * per_degree for limit in (pitch.upper, pitch.lower))
    reach = max(abs(one) for one in (found.left, found.up, low, high, least, most, 10.0))
    scale = SPOT_PX / reach

    def at(left: float, up: float) -> tuple[float, float]:
        return MIDDLE[0] + left * scale, SPOT[1] / 2 - up * scale

    x, y = at(found.left, found.up)
    (x0, y0), (x1, y1) = at(low, most), at(high, least)
    inside = low <= found.left <= high and least <= found.up <= most
    middle = at(0.0, 0.0)
    body = [
        element("rect", "spot-field", x=x0, y=y0, width=x1 - x0, height=y1 - y0),
        line("thin", (middle[0] - SPOT_PX, middle[1]), (middle[0] + SPOT_PX, middle[1])),
        line("thin", (middle[0], middle[1] - SPOT_PX), (middle[0], middle[1] + SPOT_PX)),
        element("circle", "fixed", cx=middle[0], cy=middle[1], r=8),
        element("circle", "dot" if inside else "spot-out", cx=x, cy=y, r=11),
    ]
    places = nouns((amount(found.left, "mm", 0, "side"), amount(found.up, "mm", 0, "above")), "comma")
    body.append(label("name", (MIDDLE[0], SPOT[1] - 14), places, "middle"))
    body.append(label("small", (8, SPOT[1] - 12), said("drawing.aiming.vehicle_right")))
    body.append(label("small", (WIDTH - 8, SPOT[1] - 12), said("drawing.aiming.vehicle_left"), "end"))
    return document(said("drawing.aiming.spot"), SPOT, body, letters=16)


def tilts_view(found: Tilted) -> str:
    """Responses over the board's tilt, the parabola through them, and where it peaks."""
    xs, ys = list(found.tilts), list(found.responses)
    peak = found.peaks[0] if found.peaks else None
    low, high = min([*xs, *((peak.vertex,) if peak else ())]), max([*xs, *((peak.vertex,) if peak else ())])
    least, most = min(ys), max([*ys, *((peak.peak,) if peak else ())])
    span, rise = max(high - low, 0.1), max(most - least, 0.1)

    def at(x: float, y: float) -> tuple[float, float]:
        return (
            LEFT + (TILTS[0] - LEFT - RIGHT) * (x - low + 0.08 * span) / (1.16 * span),
            TILTS[1] - FOOT - (TILTS[1] - TOP - FOOT) * (y - least + 0.22 * rise) / (1.3 * rise),
        )

    foot = TILTS[1] - FOOT
    body = [line("thin", (LEFT, foot), (TILTS[0] - RIGHT, foot))]
    if peak is not None:
        k = _curve(xs[:3], ys[:3])
        curve = [low + span * i / POINTS for i in range(POINTS + 1)]
        body.append(polyline("response", [at(x, peak.peak + k * (x - peak.vertex) ** 2) for x in curve]))
        top = at(peak.vertex, peak.peak)
        body.append(line("centreline", top, (top[0], foot)))
        body.append(label("small", (top[0], top[1] - 8), amount(peak.vertex, "°", 2, "aim_pitch"), "middle"))
    for x, y in zip(xs, ys, strict=True):
        there = at(x, y)
        body.append(element("circle", "dot", cx=there[0], cy=there[1], r=6))
        body.append(label("small", (there[0], foot + 20), amount(x, "°", 1), "middle"))
        body.append(label("small", (there[0] + 10, there[1] + 18), said("drawing.aiming.response", value=f"{y:.1f}")))
    return document(said("drawing.aiming.tilts"), TILTS, body, letters=14)


def _curve(xs: list[float], ys: list[float]) -> float:
    """How the parabola through three points bends."""
    (x0, x1, x2), (y0, y1, y2) = xs, ys
    return ((y2 - y1) / (x2 - x1) - (y1 - y0) / (x1 - x0)) / (x2 - x0)
