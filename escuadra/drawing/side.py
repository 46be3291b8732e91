"""The side view: vehicle, camera, target and their heights above the floor, the front to the right."""

import math

from escuadra.core.base.said import Plain, said
from escuadra.core.base.wording import amount
from escuadra.core.visit.sheet import Sheet
from escuadra.drawing.plan import said_distance
from escuadra.drawing.svg import Point, arrow_head, document, element, label, line

MAGNIFIED = 20.0
MOST_MM, MOST_DEG = 380.0, 14.0
"""How far a magnified gap or lean is drawn at most."""


def side_view(sheet: Sheet, size: tuple[float, float] = (780, 552), magnify: bool = True) -> str:
    """The side view of a job, cropped like the plan; gaps to where it must stand magnified where asked."""
    vehicle, procedure, goal = sheet.plan.vehicle, sheet.plan.procedure, sheet.plan.nominal_goal
    x0, x1 = vehicle.wheelbase - 1900, goal.x + 620
    scale = min(size[0] / (x1 - x0), (size[1] - 230) / max(vehicle.outline.height, procedure.height + 700))
    floor = size[1] - 215

    def at(x: float, z: float) -> tuple[float, float]:
        return size[0] - (x1 - x) * scale, floor - z * scale

    body = [line("floor", (0, floor), (size[0], floor)), label("small", (8, floor + 18), said("label.floor"))]
    nose, roof = vehicle.wheelbase + vehicle.outline.front_overhang, vehicle.outline.height
    (left, top), (hood_x, _) = at(x0 - 2000, roof), at(procedure.sensor.x - 250, roof)
    (nose_x, bumper), (_, sill) = at(nose, procedure.sensor.z * 0.55), at(0, vehicle.hub_height * 0.6)
    screen_x, screen_y = at(procedure.sensor.x + 350, procedure.sensor.z - 450)
    body.append(
        element(
            "path",
            "body",
            d=f"M{left:.1f} {top:.1f} H{hood_x:.1f} L{screen_x:.1f} {screen_y:.1f} L{nose_x:.1f} {bumper:.1f} "
            f"V{sill:.1f} H{left:.1f} Z",
        )
    )
    for x in (vehicle.wheelbase, 0.0):
        cx, cy = at(x, vehicle.tyre_diameter / 2)
        body.append(element("circle", "wheel", cx=cx, cy=cy, r=vehicle.tyre_diameter / 2 * scale))
    sx, sy = at(procedure.sensor.x, procedure.sensor.z)
    body.append(element("circle", "sensor", cx=sx, cy=sy, r=5))
    body.append(label("name", (sx + 12, sy - 8), procedure.sensor.name))
    face, half = goal.x - sheet.plan.face_ahead, sheet.plan.target.height / 2
    drawn = [("goal", face, sheet.plan.height, 0.0)]
    if (stands := _stands(sheet, MAGNIFIED if magnify else 1.0)) is not None:
        drawn.append(("stands", face + stands[0], sheet.plan.height + stands[1], stands[2]))
    for cls, x, height, lean in drawn:
        dx, dz = half * math.sin(math.radians(lean)), half * math.cos(math.radians(lean))
        body.append(line(f"beam {cls}", at(x + dx, height + dz), at(x - dx, height - dz)))
        mx, my = at(x, height)
        body.append(element("circle", f"board {cls}", cx=mx, cy=my, r=4))
    body.append(line("stand", at(goal.x, 0), at(goal.x, sheet.plan.height)))
    body += _move(sheet, at(drawn[-1][1], drawn[-1][2] + half))
    if magnify and stands is not None:
        body.append(
            label("small", (8, size[1] - 8), said("drawing.side.gaps_leans_drawn", magnified=Plain(MAGNIFIED, 0)))
        )
    (dx, dy), (_, gy) = at(face - 330, procedure.height), at(0, 0)
    body += [line("thin", (dx - 6, dy), (dx + 40, dy)), line("thin", (dx, dy), (dx, gy))]
    body.append(label("dimension", (dx - 8, (dy + gy) / 2), amount(procedure.height, "mm", 0), "end"))
    (hx, _), (fx, _) = at(vehicle.wheelbase, 0), at(face + sheet.plan.behind_face, 0)
    y = floor + 58
    body += [line("thin", (hx, floor + 8), (hx, y + 6)), line("thin", (fx, floor + 8), (fx, y + 6))]
    body.append(line("thin", (hx, y), (fx, y)))
    body.append(label("dimension", ((hx + fx) / 2, y - 7), said_distance(procedure), "middle"))
    return document(said("drawing.side.side_view_vehicle_target"), size, body)


def _stands(sheet: Sheet, by: float) -> tuple[float, float, float] | None:
    """How far the target is away and up of where it must be, mm, and how it leans, degrees; times ``by``."""
    epochs, solution = sheet.epochs, sheet.epochs.newest
    views = [sheet.slots.get(slot) for slot in ("height.target", "level.pitch")]
    height, pitch = (epochs.now(view.slot) if view is not None else None for view in views)
    known = solution is not None and solution.line is not None
    if not known and height is None and pitch is None:
        return None
    told = solution is not None and solution.tells("distance")
    away = solution.derived("distance").value - sheet.plan.procedure.distance if solution is not None and told else 0.0
    up = height.value + sheet.plan.up_to_centre - sheet.plan.target_above_floor if height is not None else 0.0
    lean = pitch.value if pitch is not None else 0.0
    most = [max(-MOST_MM, min(MOST_MM, by * gap)) for gap in (away, up)]
    return most[0], most[1], max(-MOST_DEG, min(MOST_DEG, by * lean))


def _move(sheet: Sheet, top: Point) -> list[str]:
    """The next move as an arrow above the target: away, nearer, up or down."""
    move = sheet.next
    away, up = move.along("away"), move.along("up")
    if move.kind != "move" or move.happening not in ("roll", "height") or not (away or up):
        return []
    way = (math.copysign(1, away), 0.0) if move.happening == "roll" else (0.0, -math.copysign(1, up))
    x, y = top[0] - 26, top[1] - 26
    a, b = (x - 30 * way[0], y - 30 * way[1]), (x + 30 * way[0], y + 30 * way[1])
    return [line("move", a, b), arrow_head("move-head", b, way)]
