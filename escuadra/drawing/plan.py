"""The plan: vehicle, lines, frame and tapes seen from above, the front to the right and the driver's left upward.

Centreline dash-dot, thrust line solid with an arrow, planned outline dashed, measured solid. Cropped to the work at
hand; the gap between where the frame stands and where it must may be drawn magnified.
"""

import math
from dataclasses import dataclass

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.said import Name, Noun, Plain, Said, said
from escuadra.core.base.wording import amount
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.vehicle.lines import Line, LinesResult
from escuadra.core.visit.body_readings import bodies_of
from escuadra.core.visit.both_lines import both_lines
from escuadra.core.visit.plan import ENDS, tape_slot, wheelbase_slot
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.target_on_beam import hung
from escuadra.core.visit.views import CheckView
from escuadra.drawing.lines import drawn_rectangle, drawn_sights
from escuadra.drawing.stations import board, other_places, own_place
from escuadra.drawing.svg import Point, arrow_head, document, element, label, line, polyline

MAGNIFIED = 20.0
HEAD, FOOT = 26.0, 140.0
"""What the scale along the top and the title block along the foot take, drawing units."""


@dataclass(frozen=True)
class Window:
    """Which part of the floor is drawn, and to what scale."""

    x0: float
    x1: float
    width: float
    height: float
    foot: float

    @property
    def scale(self) -> float:
        """Drawing units a millimetre."""
        return self.width / (self.x1 - self.x0)

    def at(self, x: float, y: float) -> Point:
        """A place in vehicle axes on the drawing; its foot is left to the title block."""
        return (x - self.x0) * self.scale, (self.height - self.foot + HEAD) / 2 - y * self.scale


def plan_view(
    sheet: Sheet,
    size: tuple[float, float] = (780, 552),
    magnify: bool = True,
    whole: bool = False,
    slot: str = "",
    foot: float = FOOT,
    check: CheckView | None = None,
) -> str:
    """The plan of a job.

    ``whole``: the vehicle in full, else cropped to the front; ``slot``: the tape at hand; ``foot``: what is left free
    below for a title block, drawing units; ``check``: the open one, whose method or rectangle is drawn.
    """
    vehicle, goal = sheet.plan.vehicle, sheet.plan.nominal_goal
    stand = sheet.plan.station is not None and sheet.plan.station.own_place
    whole, front = whole or stand, goal.x + 620
    back = -vehicle.outline.rear_overhang - 300 if whole else vehicle.wheelbase - 1500
    if stand:
        places = [at.target_place.x for at in sheet.plan.whole.at_stations.values()]
        back, front = min(back, *(x - 760 for x in places)), max(front, *(x + 1150 for x in places))
    tall = sheet.plan.frame.beam_length + 700
    bodies = [one for at in sheet.plan.whole.at_stations.values() for one in bodies_of(at)] if stand else []
    if bodies:
        deep = [(0.0 if one.upright else one.height) + 420 for one in bodies]
        back = min(back, *(one.x - far for one, far in zip(bodies, deep, strict=True)))
        front = max(front, *(one.x + far for one, far in zip(bodies, deep, strict=True)))
        tall = max(tall, *(2 * (abs(one.y) + far - 120) for one, far in zip(bodies, deep, strict=True)))
    room = size[1] - HEAD - foot
    least = size[0] * max(tall / room, _widest(sheet) / (room - 2 * (BELOW + 8)))
    if front - back < least:
        # What stands on all sides is drawn in the middle, what stands before the vehicle at the right.
        front += (least - (front - back)) / 2 if bodies else 0.0
        back = front - least
    window = Window(back, front, *size, foot)
    body = [_body(sheet, window), _scale(window), *_lines(sheet, window), *_tapes(sheet, window, slot)]
    if stand:
        body += [*_kept_clear(sheet, window), *own_place(sheet, window.at, slot, MAGNIFIED if magnify else 1.0)]
        if magnify:
            body.append(
                label(
                    "small",
                    (8, window.height - 8),
                    said("drawing.plan.deviations_drawn", magnified=Plain(MAGNIFIED, 0)),
                )
            )
        return document(said("drawing.plan.plan_vehicle_lines_stand_seen"), size, body)
    body += [*other_places(sheet, window.at), *_frame(sheet, window, magnify)]
    body += [*drawn_sights(sheet, check, window.at), *drawn_rectangle(sheet, check, slot, window.at)]
    return document(said("drawing.plan.plan_vehicle_lines_frame_seen"), size, body)


def stations_view(sheet: Sheet, size: tuple[float, float] = (1180, 430)) -> str:
    """Every position of the target around the vehicle, numbered in their order; what was run is solid."""
    plan = sheet.plan.whole
    places = [(view, plan.at_stations[view.station.id]) for view in sheet.stations]
    at_x = [there.target_place.x for _, there in places]
    at_y = [abs(there.target_place.y) + 500 for _, there in places]
    back = min(-plan.vehicle.outline.rear_overhang, *at_x) - 700
    front = max(plan.vehicle.wheelbase + plan.vehicle.outline.front_overhang, *at_x) + 1500
    tall = 2 * max(plan.vehicle.outline.width / 2 + 300, *at_y)
    wide = max(front - back, tall * size[0] / (size[1] - HEAD - 10))
    window = Window((front + back - wide) / 2, (front + back + wide) / 2, *size, 10)
    body = [_body(sheet, window), _scale(window), line("centreline", window.at(back, 0), window.at(front, 0))]
    beside: dict[tuple[float, float], int] = {}
    for k, (view, there) in enumerate(places, 1):
        place = there.target_place
        hang = view.station.offset if view.station.offset is not None else view.station.hang
        x, y = place.x, place.y if view.station.own_place else hang
        body.append(board(window.at, (x, y), place.facing_deg, there.target.width, "stands" if view.run else "goal"))
        stacked = beside[x, y] = beside.get((x, y), -1) + 1
        px, py = window.at(x, y)
        which = "at_hand" if view.station == sheet.plan.station else "other"
        named = said(f"drawing.plan.station.{which}", number=k, name=Name(view.station.name))
        body.append(label("name", (px + 14, py - 10 + 18 * stacked), named))
    return document(said("drawing.plan.all_positions_target_seen_above"), size, body)


def _kept_clear(sheet: Sheet, window: Window) -> list[str]:
    """A radar's field that must be free of metal, the room around several bodies, as far as the drawing reaches."""
    parts, plan = [], sheet.plan
    for zone in plan.procedure.room:
        if (plan.procedure.sees_by == "radar" and "reflective" in zone.free_of) or bodies_of(plan):
            (x0, top), (x1, foot) = window.at(zone.x_from, zone.y_to), window.at(zone.x_to, zone.y_from)
            x1 = min(x1, window.width - 2)
            parts.append(
                element(
                    "rect",
                    "clear-zone around" if bodies_of(plan) else "clear-zone",
                    x=x0,
                    y=top,
                    width=x1 - x0,
                    height=foot - top,
                )
            )
            if not bodies_of(plan):
                parts.append(label("small", (x0 + 8, top + 16), Name(zone.name)))
    return parts


def _scale(window: Window) -> str:
    parts = [line("thin", (0, 18), (window.width, 18))]
    metre = math.ceil(window.x0 / 1000)
    while metre * 1000 < window.x1 - 150:
        x, _ = window.at(metre * 1000, 0)
        if x > 20:
            parts += [line("thin", (x, 18), (x, 25)), label("small", (x, 12), amount(metre, "m", 0), "middle")]
        metre += 1
    return "".join(parts)


def _body(sheet: Sheet, window: Window) -> str:
    vehicle = sheet.plan.vehicle
    half, nose = vehicle.outline.width / 2, vehicle.wheelbase + vehicle.outline.front_overhang
    tail = max(-vehicle.outline.rear_overhang, window.x0 + 60)
    cut = tail > -vehicle.outline.rear_overhang
    (x1, top), (x2, bottom) = window.at(tail, half), window.at(nose, -half)
    bend = min(70.0, (x2 - x1) / 4)
    back = f"L{x1 - 8:.1f} {bottom - 60:.1f} L{x1 + 8:.1f} {top + 60:.1f} Z" if cut else "Z"
    path = (
        f"M{x1:.1f} {top:.1f} H{x2 - bend:.1f} Q{x2:.1f} {top:.1f} {x2:.1f} {top + bend:.1f} V{bottom - bend:.1f} "
        f"Q{x2:.1f} {bottom:.1f} {x2 - bend:.1f} {bottom:.1f} H{x1:.1f} {back}"
    )
    parts = [element("path", "body", d=path)]
    radius, wide = vehicle.tyre_diameter / 2, 215.0
    for corner in CORNERS:
        hx, hy = vehicle.hub(corner)
        if hx < window.x0 + 60:
            continue
        outer = hy if hy > 0 else hy + wide
        x, y = window.at(hx - radius, outer)
        parts.append(
            element("rect", "wheel", x=x, y=y, width=2 * radius * window.scale, height=wide * window.scale, rx=3)
        )
        lx, ly = window.at(hx, hy + (-wide if hy > 0 else wide))
        parts.append(label("name", (lx, ly + (17 if hy > 0 else -8)), Noun(f"corner.{corner}"), "middle"))
    sx, sy = window.at(sheet.plan.procedure.sensor.x, sheet.plan.procedure.sensor.y)
    parts.append(element("circle", "sensor", cx=sx, cy=sy, r=5))
    return "".join(parts)


def _lines(sheet: Sheet, window: Window) -> list[str]:
    found = both_lines(sheet.epochs)
    if found is None:
        x, y = window.at(sheet.plan.nominal_goal.x - sheet.plan.face_ahead - 90, 0)
        axis = line("planned", window.at(window.x0, 0), window.at(window.x1 - 60, 0))
        return [axis, label("small", (x, y - 10), said("drawing.plan.line_not_found_yet"), "end")]
    face = sheet.plan.nominal_goal.x - sheet.plan.face_ahead - 90
    return [*_thrust_line(found, window, face), *_centreline(sheet, found, window, face)]


def _thrust_line(found: LinesResult, window: Window, label_at: float) -> list[str]:
    if found.thrust is None:
        return []
    end, slope = window.x1 - 60, math.tan(math.radians(found.thrust.angle_deg))
    start = max(0.0, window.x0)
    a, b = window.at(start, slope * start), window.at(end, slope * end)
    return [
        _band(found.thrust, window, "thrust-band"),
        line("thrust", a, b),
        arrow_head("thrust-head", b, (b[0] - a[0], b[1] - a[1])),
        label(
            "name",
            (window.at(label_at, 0)[0], window.at(0, slope * label_at)[1] + 20),
            said("drawing.plan.thrust_line"),
            "end",
        ),
    ]


def _band(found: Line, window: Window, cls: str) -> str:
    """± U of a line over the part that is drawn, from its stations."""
    at = [p for p in found.at if p.x >= window.x0]
    upper = [window.at(p.x, p.y + 2 * p.u) for p in at]
    return polyline(f"band {cls}", [*upper, *(window.at(p.x, p.y - 2 * p.u) for p in reversed(at))], True)


def _centreline(sheet: Sheet, found: LinesResult, window: Window, label_at: float) -> list[str]:
    end = window.x1 - 60
    if found.body is None:
        return [line("planned", window.at(window.x0, 0), window.at(end, 0))]
    slope, y0 = math.tan(math.radians(found.body.angle_deg)), found.body.at[0].y
    parts = [_band(found.body, window, "centreline-band")]
    parts += [line("centreline", window.at(window.x0, y0 + slope * window.x0), window.at(end, y0 + slope * end))]
    marks = sheet.plan.vehicle.marks
    for x in (marks.front_x, marks.rear_x):
        if x > window.x0 + 40:
            mx, my = window.at(x, y0 + slope * x)
            parts.append(polyline("mark", [(mx - 5, my - 5), (mx + 5, my + 5)]))
            parts.append(polyline("mark", [(mx - 5, my + 5), (mx + 5, my - 5)]))
    x, y = window.at(label_at, y0 + slope * label_at)
    parts.append(label("small", (x, y - 9), said("label.centreline"), "end"))
    return parts


def _shown_pose(sheet: Sheet, magnify: bool) -> tuple[Pose, Pose | None]:
    """Goal, and the pose as drawn (its gap to the goal magnified where asked)."""
    solution = sheet.epochs.newest
    if solution is None or solution.line is None:
        return sheet.plan.nominal_goal, None
    goal, pose = solution.goal, solution.pose
    by = MAGNIFIED if magnify else 1.0
    largest = max(abs(pose.x - goal.x), abs(pose.y - goal.y), 1e-9)
    by = min(by, max(1.0, 420 / largest))
    return goal, Pose(
        x=goal.x + by * (pose.x - goal.x),
        y=goal.y + by * (pose.y - goal.y),
        yaw_deg=goal.yaw_deg + max(-18, min(18, by * (pose.yaw_deg - goal.yaw_deg))),
    )


def _on_beam(pose: Pose, bx: float, by: float) -> tuple[float, float]:
    x, y = turned(pose.yaw_deg, bx, by)
    return pose.x + x, pose.y + y


def _tapes(sheet: Sheet, window: Window, at_hand: str) -> list[str]:
    goal, shown = _shown_pose(sheet, magnify=True)
    pose, hub = shown or goal, sheet.plan.vehicle.hub
    ends = {end: window.at(*_on_beam(pose, *sheet.plan.frame_points[end])) for end in ENDS}
    tapes = [(tape_slot(corner, end, sheet.plan), corner, at) for corner in CORNERS for end, at in ends.items()]
    tapes += [
        (wheelbase_slot("L", sheet.plan), "LR", window.at(*hub("LF"))),
        (wheelbase_slot("R", sheet.plan), "RR", window.at(*hub("RF"))),
    ]
    parts = []
    for slot, corner, to in tapes:
        read, wanted = sheet.epochs.now(slot) is not None, slot.id == at_hand
        if read or wanted:
            cls = ("tape-at-hand" if wanted else "tape") + ("" if read else " unread")
            parts.append(line(cls, window.at(*hub(corner)), to))
    return parts


def _beam(pose: Pose, sheet: Sheet, window: Window, cls: str) -> list[str]:
    half, target, hang = sheet.plan.frame.beam_length / 2, sheet.plan.target.width / 2, sheet.plan.hang
    if cls != "goal" and (found := hung(sheet.epochs)) is not None:
        hang = found.value
    face = sheet.plan.face_ahead
    ends = [window.at(*_on_beam(pose, 0, half)), window.at(*_on_beam(pose, 0, -half))]
    hung_at = [(hang, target)]
    for check in sheet.plan.procedure.checks:
        wide = (sheet.plan.targets[mounting.target].width / 2 for mounting in check.mountings)
        hung_at += zip(check.hangs, wide, strict=True)
    boards = [
        [
            window.at(*_on_beam(pose, x, at + y * half_wide))
            for x, y in ((-face, 1), (-face, -1), (-face + 45, -1), (-face + 45, 1))
        ]
        for at, half_wide in hung_at
    ]
    return [line(f"beam {cls}", *ends), *(polyline(f"board {cls}", board, True) for board in boards)]


def _frame(sheet: Sheet, window: Window, magnify: bool) -> list[str]:
    goal, shown = _shown_pose(sheet, magnify)
    parts = _beam(goal, sheet, window, "goal")
    last = sheet.epochs.last_solved
    if shown is not None:
        parts += _beam(shown, sheet, window, "stands")
    elif last is not None:
        parts += _beam(last.pose, sheet, window, "stale")
        parts.append(label("stale-name", (window.width - 8, HEAD + 20), said("drawing.plan.frame_read_before"), "end"))
    pose = shown or goal
    half = sheet.plan.frame.beam_length / 2
    for name, side in ((Noun("end.LF_end"), 1), (Noun("end.RF_end"), -1)):
        x, y = window.at(*_on_beam(pose, 0, side * half))
        parts.append(label("name", (x + 10, y + (-4 if side > 0 else 14)), name))
    parts += _dimension(sheet, window, goal)
    parts += _move(sheet, window, pose)
    if magnify and shown is not None:
        parts.append(
            label("small", (8, window.height - 8), said("drawing.plan.deviations_drawn", magnified=Plain(MAGNIFIED, 0)))
        )
    return parts


BELOW = 36.0
"""How far below the beam's end its dimension stands, so that the end's name has room between them."""
WORDS_PX, MORE_WORDS_PX = 230, 330
"""About as wide as a dimension with what it counts from, and with what it counts to besides."""


def _widest(sheet: Sheet) -> float:
    return max(sheet.plan.vehicle.outline.width, sheet.plan.frame.beam_length)


def _dimension(sheet: Sheet, window: Window, goal: Pose) -> list[str]:
    procedure = sheet.plan.procedure
    datum_x = sheet.plan.datum_x
    low = -_widest(sheet) / 2
    (x1, side), (x2, _) = (
        window.at(x, low) for x in (datum_x, goal.x - sheet.plan.face_ahead + sheet.plan.behind_face)
    )
    y = side + BELOW
    # Between ends that are near each other there is no room for words: they stand before them.
    narrow = x2 - x1 < (WORDS_PX if procedure.distance_to == "face" else MORE_WORDS_PX)
    at, anchor = ((x1 - 10, y - 4), "end") if narrow else (((x1 + x2) / 2, y - 7), "middle")
    return [
        line("thin", (x1, y - 14), (x1, y + 6)),
        line("thin", (x2, y - 14), (x2, y + 6)),
        line("thin", (x1, y), (x2, y)),
        label("dimension", at, said_distance(procedure), anchor),
    ]


def said_distance(procedure: Procedure) -> Said:
    """The sheet's distance, what it counts from, and what to where that is not the target's face."""
    distance, datum = amount(procedure.distance, "mm", 0), Noun(f"datum.{procedure.datum}")
    if procedure.distance_to == "face":
        return said("drawing.from_datum", distance=distance, datum=datum)
    to = Noun(f"distance_to.{procedure.distance_to}")
    return said("drawing.from_datum_to", distance=distance, datum=datum, to=to)


def _move(sheet: Sheet, window: Window, pose: Pose) -> list[str]:
    """The next move as an arrow at the beam."""
    move = sheet.next
    if move.kind != "move":
        return []
    if move.along("hang"):
        face, hang = -sheet.plan.face_ahead - 150, sheet.plan.hang
        a, b = (window.at(*_on_beam(pose, face, at)) for at in (hang - move.along("hang"), hang))
        return [line("move", a, b), arrow_head("move-head", b, (b[0] - a[0], b[1] - a[1]))]
    half = sheet.plan.frame.beam_length / 2
    if move.along("yaw"):
        side = 1 if sheet.plan.frame.screw[1] > 0 else -1
        x, y = window.at(*_on_beam(pose, 0, side * (half + 130)))
        # A beam that turns left carries its left end nearer to the vehicle: to the left of the sheet.
        reach = (-1 if move.along("yaw") > 0 else 1) * side * 26
        path = f"M{x - reach:.1f} {y:.1f} Q{x:.1f} {y - 12 * side:.1f} {x + reach:.1f} {y:.1f}"
        head = arrow_head("move-head", (x + reach * 1.3, y + 4 * side), (reach, 6 * side))
        return [element("path", "move", d=path), head]
    left, away = move.along("left"), move.along("away")
    if move.happening not in ("slide", "roll") or not (left or away):
        return []
    if left:
        a, b = window.at(pose.x + 200, pose.y), window.at(pose.x + 200, pose.y + math.copysign(330, left))
    else:
        a = window.at(pose.x + 120, pose.y + 260)
        b = window.at(pose.x + 120 + math.copysign(330, away), pose.y + 260)
    return [line("move", a, b), arrow_head("move-head", b, (b[0] - a[0], b[1] - a[1]))]
