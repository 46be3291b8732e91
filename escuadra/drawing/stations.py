"""Targets on stands of their own, and the other places of a sheet that is run at several, on the plan."""

import math
from collections.abc import Callable, Sequence

from escuadra.core.base.axes import turned
from escuadra.core.base.said import Name, Noun, said
from escuadra.core.procedure.bodies import POINTS
from escuadra.core.procedure.sheet import TargetPlace
from escuadra.core.visit.body_readings import read_line, read_of
from escuadra.core.visit.carriers import StandingPose, carrier_of
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.target_on_stand import on_face
from escuadra.drawing.svg import Point, arrow_head, document, element, label, line, polyline

At = Callable[[float, float], Point]
DEPTH = 45.0
FACE, ASIDE = (132.0, 72.0), 62.0
"""Room for a body's face in the picture of its corners, and beside it."""
MOST_DRAWN, MOST_OF_SEVERAL = 700.0, 350.0


def board(at: At, centre: tuple[float, float], facing_deg: float, width: float, cls: str) -> str:
    """A target from above: its face, and a little of its back."""
    left, right = (on_face(centre, facing_deg, side * width / 2) for side in (1, -1))
    bx, by = turned(facing_deg, -DEPTH, 0.0)
    back = [(right[0] + bx, right[1] + by), (left[0] + bx, left[1] + by)]
    return polyline(f"board {cls}", [at(*p) for p in (left, right, *back)], True)


def other_places(sheet: Sheet, at: At) -> list[str]:
    """The places that are not at hand, dashed as planned."""
    plan, parts = sheet.plan, []
    for view in sheet.stations:
        there = plan.whole.at_stations[view.station.id]
        if view.station == plan.station or (plan.station and there.target_place == plan.target_place):
            continue
        place = there.target_place
        parts.append(board(at, (place.x, place.y), place.facing_deg, there.target.width, "goal"))
        parts.append(_named("small", at, place, view.station.name))
    return parts


def corner_picture(epochs: Epochs, slot: str) -> str:
    """From where a body is read: its face, or a mat from above over its lower edge, with the point circled.

    Empty where no point of a body is read.
    """
    found = read_of(epochs, slot)
    if found is None:
        return ""
    goal, read = found
    width, height = goal.body.width, goal.body.height
    scale = min(FACE[0] / width, FACE[1] / max(height, 1.0))
    half, top = width * scale / 2, 8.0
    middle, base = FACE[0] / 2 + ASIDE, top + height * scale
    corners = [(middle - half, base), (middle + half, base), (middle + half, top), (middle - half, top)]
    left, up = POINTS[read.at]
    x, y = middle - 2 * half * left, base - height * scale * up
    parts = [
        polyline("mat stands", corners, True),
        element("circle", "point-at-hand", cx=x, cy=y, r=7),
        label("small", (middle - half - 9, (top + base) / 2 + 4), Noun("corner_picture.left"), "end"),
        label("small", (middle + half + 9, (top + base) / 2 + 4), Noun("corner_picture.right"), "start"),
    ]
    if goal.body.upright:
        parts.append(line("floor", (4, base + 6), (FACE[0] + 2 * ASIDE - 4, base + 6)))
    seen = Noun("corner_picture.face" if goal.body.upright else "corner_picture.above")
    parts.append(label("small", (middle, base + 22), seen, "middle"))
    return document(said("drawing.corner.title", body=Name(goal.body.name)), (FACE[0] + 2 * ASIDE, base + 28), parts)


def _named(cls: str, at: At, place: TargetPlace, name: str) -> str:
    """A place's name behind its target, clear of board and beam."""
    ahead, left = turned(place.facing_deg, 1.0, 0.0)
    x, y = at(place.x, place.y)
    if abs(ahead) > abs(left):
        # Near the vehicle's lines it goes away from them.
        aside = 5 if abs(place.y) >= 300 else 20 if place.y < 60 else -16
        return label(cls, (x - math.copysign(30, ahead), y + aside), name, "start" if ahead < 0 else "end")
    return label(cls, (x, y + math.copysign(16, left) + 5), name, "middle")


def several(sheet: Sheet, standing: Sequence[StandingPose], at: At, slot: str, magnify: float) -> list[str]:
    """Everything that stands or lies together: planned dashed, as it is solid, what is next marked."""
    parts, move = [], sheet.next
    checks = {getattr(view.check, "body", ""): view for view in sheet.checks if view.check.carried_by == "together"}
    # What lies over another is drawn over it.
    for one in sorted(standing, key=lambda one: one.over):
        view = checks.get(one.id)
        at_hand = view is not None and move.check == view.check.id
        goal, centre, facing = one.goal, (one.goal.x, one.goal.y), one.goal.facing_deg
        parts.append(_outline(at, centre, facing, one, "goal at-hand" if at_hand else "goal"))
        if one.pose is not None:
            off = [(one.pose.x - goal.x) * magnify, (one.pose.y - goal.y) * magnify]
            off = [way * min(1.0, MOST_OF_SEVERAL / (math.hypot(*off) or 1.0)) for way in off]
            centre = (goal.x + off[0], goal.y + off[1])
            facing += max(-18.0, min(18.0, (one.pose.facing_deg - goal.facing_deg) * min(magnify, 6.0)))
            settled = view is not None and view.settled
            parts.append(_outline(at, centre, facing, one, "stands settled" if settled else "stands"))
            if one.folded is not None:
                x, y = at(*one.folded)
                parts.append(element("circle", "fold", cx=x, cy=y, r=16))
            elif at_hand and move.kind == "move":
                a, b = at(*centre), at(goal.x, goal.y)
                parts += [line("move", a, b), arrow_head("move-head", b, (b[0] - a[0], b[1] - a[1]))]
        x, y = at(*_name_at(one))
        parts.append(label("name" if at_hand else "small", (x, y + 5), one.name, "middle"))
    held = read_line(sheet.epochs, slot)
    if held is not None:
        cls = "tape-at-hand" + ("" if sheet.slots[slot].now else " unread")
        parts.append(line(cls, at(*held[0]), at(*held[1])))
        x, y = at(*held[1])
        parts.append(element("circle", "point-at-hand", cx=x, cy=y, r=6))
    return parts


def _name_at(one: StandingPose) -> tuple[float, float]:
    """Where a body's name is clear of the line: on a mat, behind a board at the side, beside one before or behind."""
    facing = one.goal.facing_deg
    if abs(turned(facing, 1.0, 0.0)[0]) < 0.7:
        bx, by = turned(facing, -one.depth / 2 if one.depth else -190.0, 0.0)
        return one.goal.x + bx, one.goal.y + by
    bx, _ = turned(facing, -one.depth / 2, 0.0)
    return one.goal.x + bx, one.goal.y + (360.0 if one.depth else one.width / 2 + 170.0)


def _outline(at: At, centre: tuple[float, float], facing_deg: float, one: StandingPose, cls: str) -> str:
    """A board from above, or a mat as it lies."""
    if not one.depth:
        return board(at, centre, facing_deg, one.width, cls)
    left, right = (on_face(centre, facing_deg, side * one.width / 2) for side in (1, -1))
    bx, by = turned(facing_deg, -one.depth, 0.0)
    far = [(right[0] + bx, right[1] + by), (left[0] + bx, left[1] + by)]
    return polyline(f"mat {cls}{' over' if one.over else ''}", [at(*p) for p in (left, right, *far)], True)


def own_place(sheet: Sheet, at: At, slot: str, magnify: float) -> list[str]:
    """A carrier at a place of its own: where its target must be dashed, where it is, and what was read of it."""
    epochs, plan = sheet.epochs, sheet.plan
    carrier = carrier_of(plan)
    if standing := carrier.standing(epochs):
        return [*other_places(sheet, at), *several(sheet, standing, at, slot, magnify)]
    goal, pose = carrier.goal(epochs), carrier.pose(epochs)
    if goal is None:
        return []
    centre, facing = (goal.x, goal.y), goal.facing_deg
    parts = [board(at, centre, facing, plan.target.width, "goal"), *other_places(sheet, at)]
    if pose is not None:
        off = [(pose.x - goal.x) * magnify, (pose.y - goal.y) * magnify]
        # Far off it is drawn in its direction, still within the drawing.
        off = [way * min(1.0, MOST_DRAWN / (math.hypot(*off) or 1.0)) for way in off]
        centre = (goal.x + off[0], goal.y + off[1])
        facing += max(-18.0, min(18.0, (pose.facing_deg - goal.facing_deg) * min(magnify, 6.0)))
        parts.append(board(at, centre, facing, plan.target.width, "stands"))
        if sheet.next.kind == "move" and sheet.next.happening in {own.what for own in carrier.own_happenings}:
            a, b = at(*centre), at(goal.x, goal.y)
            parts += [line("move", a, b), arrow_head("move-head", b, (b[0] - a[0], b[1] - a[1]))]
    for held in carrier.held(epochs):
        read, wanted = bool(epochs.live(held.slot)) and sheet.slots[held.slot].now, held.slot == slot
        if read or wanted:
            cls = ("tape-at-hand" if wanted else "tape") + ("" if read else " unread")
            parts.append(line(cls, at(*held.start), at(*on_face(centre, facing, held.left))))
    parts.append(_named("name", at, plan.target_place, plan.station.name if plan.station else ""))
    return parts
