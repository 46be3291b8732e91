"""The side view: vehicle, camera, target and their heights above the floor, the front to the right."""

from escuadra.core.job.sheet import Sheet
from escuadra.core.wording import amount
from escuadra.drawing.svg import document, element, label, line


def side_view(sheet: Sheet, size: tuple[float, float] = (780, 590)) -> str:
    """The side view of a job, cropped like the plan."""
    vehicle, procedure, goal = sheet.plan.vehicle, sheet.plan.procedure, sheet.plan.nominal_goal
    x0, x1 = vehicle.wheelbase - 1900, goal.x + 620
    scale = min(size[0] / (x1 - x0), (size[1] - 230) / max(vehicle.outline.height, procedure.height + 700))
    floor = size[1] - 215

    def at(x: float, z: float) -> tuple[float, float]:
        return size[0] - (x1 - x) * scale, floor - z * scale

    body = [line("floor", (0, floor), (size[0], floor)), label("small", (8, floor + 18), "floor")]
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
    face, half = goal.x - sheet.plan.frame.face_offset, sheet.plan.target.height / 2
    for cls, height in (("goal", procedure.height), ("stands", _height(sheet))):
        if height is not None:
            (ax, ay), (bx, by) = at(face, height + half), at(face, height - half)
            body.append(line(f"beam {cls}", (ax, ay), (bx, by)))
            mx, my = at(face, height)
            body.append(element("circle", f"board {cls}", cx=mx, cy=my, r=4))
    body.append(line("stand", at(goal.x, 0), at(goal.x, procedure.height)))
    (dx, dy), (_, gy) = at(face - 330, procedure.height), at(0, 0)
    body += [line("thin", (dx - 6, dy), (dx + 40, dy)), line("thin", (dx, dy), (dx, gy))]
    body.append(label("dimension", (dx - 8, (dy + gy) / 2), amount(procedure.height, "mm", 0), "end"))
    (hx, _), (fx, _) = at(vehicle.wheelbase, 0), at(face, 0)
    y = floor + 58
    body += [line("thin", (hx, floor + 8), (hx, y + 6)), line("thin", (fx, floor + 8), (fx, y + 6))]
    body.append(line("thin", (hx, y), (fx, y)))
    said = f"{amount(procedure.distance, 'mm', 0)} from the front hubs"
    body.append(label("dimension", ((hx + fx) / 2, y - 7), said, "middle"))
    return document("Side view of vehicle and target", size, body)


def _height(sheet: Sheet) -> float | None:
    view = sheet.slots.get("height.target")
    found = sheet.setup.now(view.slot) if view else None
    return found.value if found else None
