"""The level view: frame and target from the driver's seat, left on the left, its lean drawn larger than it is.

Beside it the frame from its left side, for what leans towards or away from the vehicle.
"""

import math
from collections.abc import Callable

from escuadra.core.base.said import Noun, Plain, Turns, nouns, said
from escuadra.core.base.wording import amount
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.target_on_beam import hung
from escuadra.drawing.svg import Point, arrow_head, document, element, label, line, polyline

At = Callable[[float, float], Point]
MAGNIFIED = 20.0
MOST_DEG = 14.0
FOOT = 172.0
"""What the title block along the foot takes, drawing units."""


def level_view(sheet: Sheet, size: tuple[float, float] = (780, 552), magnify: bool = True) -> str:
    """The level view of a job; gaps and leans magnified where asked."""
    plan, by = sheet.plan, MAGNIFIED if magnify else 1.0
    half, height = plan.frame.beam_length / 2, plan.target_above_floor
    wide, floor = size[0] * 0.74, size[1] - FOOT
    scale = min(wide / (2 * half + 760), (floor - 70) / (height + plan.target.height / 2 + 160))

    def at(left: float, up: float) -> Point:
        return wide / 2 - left * scale, floor - up * scale

    roll, pitch = _read(sheet, "level.roll"), _read(sheet, "level.pitch")
    stands = _read(sheet, "height.target")
    body = [line("floor", (0, floor), (size[0], floor)), label("small", (8, floor + 18), said("label.floor"))]
    if plan.standing is not None and plan.procedure.level_to == "tyres":
        lean = math.radians(_most(plan.standing.roll_deg.value * by))
        (ax, ay), (bx, by_) = at(half, half * math.tan(lean)), at(-half, -half * math.tan(lean))
        body += [
            line("planned", (ax, ay), (bx, by_)),
            label("small", (bx, by_ - 6), said("drawing.level.tyres_plane"), "end"),
        ]
    body += [line("stand", at(0, 0), at(0, height + plan.target.height / 2 + 60))]
    for foot in plan.frame.feet:
        x, y = at(foot.y, 0)
        body.append(element("rect", "wheel", x=x - 7, y=y - 9, width=14, height=9))
        body.append(label("small", (x, y + 17), foot.id, "middle"))
    body += _hung(sheet, at, 0.0, height, plan.hang, "goal")
    if stands is not None or roll is not None:
        shown = height + max(-260.0, min(260.0, by * ((stands if stands is not None else height) - height)))
        found = hung(sheet.epochs)
        hang = found.value if found is not None else plan.hang
        body += _hung(sheet, at, _most((roll or 0.0) * by), shown, hang, "stands")
    for name, side in ((Noun("end.LF_end"), 1), (Noun("end.RF_end"), -1)):
        x, y = at(side * half, height)
        body.append(label("name", (x, y - 14), name, "start" if side > 0 else "end"))
    x, y = at(-half * 0.62, height / 2)
    body.append(label("dimension", (x, y), said("drawing.level.middle", height=amount(height, "mm", 0)), "middle"))
    body += _moves(sheet, at)
    body += _from_the_side(size, floor, scale, height, pitch, by)
    known = nouns(
        (
            said(f"drawing.level.{way}", lean=amount(value, "°", 2, way))
            for way, value in (("roll", roll), ("pitch", pitch))
            if value is not None
        ),
        "comma",
    )
    body.append(label("dimension", (8, 24), known or said("drawing.level.level_not_read_since_last")))
    if magnify:
        body.append(
            label(
                "small", (8, size[1] - 8), said("drawing.level.leans_deviations_drawn", magnified=Plain(MAGNIFIED, 0))
            )
        )
    return document(said("drawing.level.level_view_frame_target_drivers"), size, body)


def _read(sheet: Sheet, slot: str) -> float | None:
    view = sheet.slots.get(slot)
    found = sheet.epochs.now(view.slot) if view is not None else None
    return found.value if found is not None else None


def _most(degrees: float) -> float:
    return max(-MOST_DEG, min(MOST_DEG, degrees))


def _hung(sheet: Sheet, at: At, roll_deg: float, height: float, hang: float, cls: str) -> list[str]:
    """Beam and board, leaning about the beam's middle: the left end up for a positive roll."""
    plan = sheet.plan
    half, wide, tall = plan.frame.beam_length / 2, plan.target.width / 2, plan.target.height / 2
    c, s = math.cos(math.radians(roll_deg)), math.sin(math.radians(roll_deg))

    def leaned(left: float, up: float) -> Point:
        return at(left * c - up * s, height + left * s + up * c)

    board = [leaned(hang + x, y) for x, y in ((wide, tall), (-wide, tall), (-wide, -tall), (wide, -tall))]
    middle = leaned(hang, 0.0)
    mark = element("circle", f"board {cls}", cx=middle[0], cy=middle[1], r=4)
    outline = polyline(f"face {cls}", board, True)
    return [outline, line(f"beam {cls}", leaned(half, 0.0), leaned(-half, 0.0)), mark]


def _moves(sheet: Sheet, at: At) -> list[str]:
    """The next move as arrows: what goes up or down, and what is shifted along the beam."""
    move, plan = sheet.next, sheet.plan
    if move.kind != "move":
        return []
    parts: list[str] = []
    if move.happening == "feet":
        for foot in plan.frame.feet:
            turns = move.by.get(foot.id, 0.0)
            if not turns:
                continue
            x, y = at(foot.y, 0)
            up = 1.0 if turns > 0 else -1.0
            tip = (x + 16, y - 30 - 24 * up)
            parts += [line("move", (x + 16, y - 30 + 24 * up), tip), arrow_head("move-head", tip, (0, -up))]
            parts.append(label("name", (x + 26, y - 26), Turns(abs(turns), eighths=True)))
    elif move.happening == "height":
        up = 1.0 if move.along("up") > 0 else -1.0
        x, y = at(plan.hang - plan.target.width / 2 - 90, plan.target_above_floor)
        parts += [line("move", (x, y + 34 * up), (x, y - 34 * up)), arrow_head("move-head", (x, y - 34 * up), (0, -up))]
    elif move.happening == "shift":
        up = plan.target_above_floor + plan.target.height / 2 + 70
        a, b = at(plan.hang - move.along("hang"), up), at(plan.hang, up)
        parts += [line("move", a, b), arrow_head("move-head", b, (b[0] - a[0], b[1] - a[1]))]
    return parts


def _from_the_side(
    size: tuple[float, float], floor: float, scale: float, height: float, pitch: float | None, by: float
) -> list[str]:
    """The upright from its left side, the vehicle to the left."""
    x, up = size[0] * 0.87, height * scale
    parts = [line("beam goal", (x, floor), (x, floor - up))]
    parts.append(label("small", (x, floor + 18), said("drawing.level.left_side"), "middle"))
    parts.append(label("small", (x - 14, floor - up - 12), said("label.vehicle"), "end"))
    parts += [line("thin", (x - 14, floor - up - 16), (x, floor - up - 16))]
    if pitch is not None:
        lean = math.radians(_most(pitch * by))
        parts.append(line("beam stands", (x, floor), (x + up * math.sin(lean), floor - up * math.cos(lean))))
    return parts
