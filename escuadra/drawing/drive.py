"""A drive: its speed over the way with the window, and where it went; what counted strong, what was lost thin.

No map lies below it: the line of the vehicle's own positions, north up, with a scale.
"""

import math

import numpy as np

from escuadra.core.base.said import Noun, Plain, said
from escuadra.core.road.drive import Judged
from escuadra.core.road.needed import PER_DISPLAY, DriveSpec
from escuadra.core.visit.driving import ALL_LOSSES, Course
from escuadra.drawing.svg import Point, document, element, label, line, polyline

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 760.0, 250.0, 52.0, 16.0, 26.0, 34.0
MAP = (760.0, 330.0)
MOST_POINTS = 900
"""Of a line: finer than the paper shows nothing more."""


def stretches(lost: np.ndarray) -> list[tuple[int, int, int]]:
    """Runs of intervals alike: what they were lost to (-1: they count), first sample, last sample."""
    edges = np.flatnonzero(np.diff(lost)) + 1
    first = [0, *edges.tolist()]
    last = [*edges.tolist(), len(lost)]
    return [(int(lost[a]), a, b) for a, b in zip(first, last, strict=True)]


def speed_view(course: Course, judged: Judged, spec: DriveSpec) -> str:
    """Speed over the way as the vehicle's display shows both, the window between its limits."""
    per = PER_DISPLAY[spec.display]
    _, speed, _ = course.fine(spec.gap_max)
    gone = np.concatenate([[0.0], np.cumsum(np.where(judged.lost == 0, 0.0, judged.metres))]) / 1000 / per
    shown = speed / per
    far, high = max(float(gone[-1]), 0.1), max(float(shown.max()), spec.speed_max / per) * 1.08

    def at(x: float, y: float) -> Point:
        return LEFT + x / far * (WIDTH - LEFT - RIGHT), TOP + (1 - y / high) * (HEIGHT - TOP - BOTTOM)

    (x0, y0), (x1, y1) = at(0, spec.speed_max / per), at(far, spec.speed_min / per)
    body = [element("rect", "drive-window", x=x0, y=y0, width=x1 - x0, height=y1 - y0)]
    for value in (spec.speed_min, spec.speed_max):
        y = at(0, value / per)[1]
        body.append(line("rule-limit", (LEFT, y), (WIDTH - RIGHT, y)))
        body.append(label("small", (LEFT - 8, y + 4), Plain(value / per, 0), "end"))
    for lost, first, last in stretches(judged.lost):
        ends = (at(float(gone[first]), 0)[0], at(float(gone[last]), 0)[0])
        if lost >= 0 and ends[1] - ends[0] > 0.4:
            body.append(
                element("rect", "drive-lost", x=ends[0], y=TOP, width=ends[1] - ends[0], height=HEIGHT - TOP - BOTTOM)
            )
            if ends[1] - ends[0] > 34:
                body.append(label("small", (sum(ends) / 2, TOP - 8), Noun(f"drive_lost.{ALL_LOSSES[lost]}"), "middle"))
    body.append(polyline("drive-speed", [at(float(gone[k]), float(shown[k])) for k in _sparse(gone, shown)]))
    for k in range(6):
        value = far * k / 5
        x, y = at(value, 0)
        body += [line("hair", (x, y), (x, y + 5)), label("small", (x, y + 20), Plain(value, 1), "middle")]
    body.append(label("small", (4, 14), said(f"drive.axes.{'mph' if spec.display == 'mph' else 'kmh'}")))
    return document(said("drawing.drive.speed"), (WIDTH, HEIGHT), body)


def _sparse(x: np.ndarray, y: np.ndarray) -> list[int]:
    """Indices that draw the same line: of each bit of the way the first sample, the slowest and the fastest."""
    if len(x) <= MOST_POINTS:
        return list(range(len(x)))
    bits = np.array_split(np.arange(len(x)), MOST_POINTS // 3)
    return sorted({int(k) for bit in bits for k in (bit[0], bit[y[bit].argmin()], bit[y[bit].argmax()])})


def way_view(course: Course, judged: Judged, gap_s: float) -> str:
    """Where it went, what counted strong; empty without positions."""
    east, north = course.trace.places
    told = np.isfinite(east)
    if told.sum() < 2:
        return ""
    t = course.fine(gap_s)[0]
    x, y = (np.interp(t, course.trace.t[told], one[told]) for one in (east, north))
    wide, high = max(float(np.ptp(x)), 50.0), max(float(np.ptp(y)), 50.0)
    scale = min((MAP[0] - 120) / wide, (MAP[1] - 80) / high)
    middle = ((float(x.max()) + float(x.min())) / 2, (float(y.max()) + float(y.min())) / 2)

    def at(e: float, n: float) -> Point:
        return MAP[0] / 2 + (e - middle[0]) * scale, MAP[1] / 2 - (n - middle[1]) * scale

    body = []
    for lost, first, last in stretches(judged.lost):
        step = max(1, (last - first) * 4 // MOST_POINTS)
        picked = [*range(first, last, step), last]
        cls = "way-counts" if lost < 0 else "way-gap" if lost == 0 else "way-lost"
        body.append(polyline(cls, [at(float(x[k]), float(y[k])) for k in picked]))
    start = at(float(x[0]), float(y[0]))
    body.append(element("circle", "dot", cx=start[0], cy=start[1], r=6))
    # On the side that the way does not take.
    near = np.hypot(x - x[0], y - y[0]) * scale < 70
    aside, anchor = (-10, "end") if float(x[near].mean()) > x[0] else (10, "start")
    body.append(label("name", (start[0] + aside, start[1] + 5), Noun("way.start"), anchor))
    length = 10 ** math.floor(math.log10(160 / scale))
    length *= 5 if length * 5 * scale < 180 else 2 if length * 2 * scale < 180 else 1
    y0 = MAP[1] - 16
    body.append(line("rule-limit", (16, y0), (16 + length * scale, y0)))
    body.append(label("small", (16, y0 - 8), said("drive.scale", metres=Plain(length, 0))))
    edge = MAP[0] - 24
    body += [line("rule-limit", (edge, 44), (edge, 16)), label("small", (edge, 60), Noun("way.north"), "middle")]
    body.append(polyline("move-head", [(edge, 8), (edge - 5, 20), (edge + 5, 20)], True))
    return document(said("drawing.drive.way"), MAP, body)
