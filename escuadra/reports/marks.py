"""The floor-mark sheet: every mark with its tapes, distances, the floor's height there; as CSV, DXF and PDF.

The DXF is in millimetres and vehicle axes (x forward from the rear axle's middle, y to the left), by layers.
"""

import io
import math
from dataclasses import dataclass
from itertools import combinations

from escuadra.commands import Opened
from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import written
from escuadra.core.base.said import Noun, said
from escuadra.core.base.wording import amount
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.floor_marks import OLD_MARKS, FloorMark, control_name, controls_of, floor_marks
from escuadra.drawing import marks_view
from escuadra.reports.paper import printed, styled
from escuadra.words import say

CROSS_MM = 60.0
"""Half a cross of a mark in the DXF."""


@dataclass(frozen=True)
class Row:
    """A mark with everything that is said about it, mm."""

    number: int
    mark: FloorMark
    hubs: dict[Corner, float]
    left_of_line: float
    floor: float | None
    """How much higher the floor is here than the plane of the tyres; nothing where it is not surveyed."""


def rows_of(epochs: Epochs) -> list[Row]:
    """Every mark to make; raises ``BadInput`` where no line is known yet."""
    solution, standing = epochs.lines, epochs.plan.standing
    marks = floor_marks(epochs)
    if solution is None or not marks:
        raise BadInput("line", said("reports.marks.no_line_yet"), said("wants.line_found_first"))
    angle = math.radians(solution.derived("line_angle").value)
    found = []
    for k, mark in enumerate(marks, 1):
        hubs = {c: math.dist(solution.place(c), (mark.x, mark.y)) for c in CORNERS}
        left = (mark.y - solution.line_at(mark.x).value) * math.cos(angle)
        floor = None
        if standing is not None:
            try:
                floor = standing.above_wheels(mark.x, mark.y).value
            except BadInput:
                floor = None
        found.append(Row(k, mark, hubs, left, floor))
    return found


def diagonals(rows: list[Row]) -> list[tuple[int, int, float]]:
    """Distances between every two marks: what proves them against each other."""
    at = {r.number: (r.mark.x, r.mark.y) for r in rows}
    return [(a, b, math.dist(at[a], at[b])) for a, b in combinations(at, 2)]


def as_csv(epochs: Epochs) -> str:
    """One line a mark, then one a diagonal; lengths in mm."""
    lines: list[list[object]] = [
        [
            *("mark", "what", "x", "y", *(f"from_{c}_hub" for c in CORNERS), "left_of_line"),
            *("first_tape", "second_tape", "check", "u_along", "u_across", "floor_above_tyres"),
        ]
    ]
    rows = rows_of(epochs)
    for r in rows:
        f = r.mark.found
        tapes = [f"{say(control_name(name))} {d:.1f}" for name, d in zip(f.pair, f.distances, strict=True)]
        check = (
            f"{say(control_name(f.check))} {f.check_distance:.1f}" if f.check and f.check_distance is not None else ""
        )
        lines.append(
            [
                *(r.number, say(r.mark.words), f"{r.mark.x:.1f}", f"{r.mark.y:.1f}"),
                *(f"{r.hubs[c]:.1f}" for c in CORNERS),
                *(f"{r.left_of_line:.1f}", *tapes, check, f"{r.mark.u_along:.2f}", f"{r.mark.u_across:.2f}"),
                "" if r.floor is None else f"{r.floor:.1f}",
            ]
        )
    for a, b, d in diagonals(rows):
        lines.append([f"{a}-{b}", "diagonal", "", "", "", "", "", "", "", f"{d:.1f}", "", "", "", "", ""])
    return written(lines)


def as_dxf(epochs: Epochs) -> str:
    """Hubs, line in use, marks with their numbers, tapes; millimetres, vehicle axes."""
    from ezdxf import units
    from ezdxf.filemanagement import new

    solution, rows = epochs.lines, rows_of(epochs)
    assert solution is not None
    drawing = new("R2010")
    drawing.units = units.MM
    for layer, colour in (("VEHICLE", 8), ("LINE", 5), ("MARKS", 1), ("TAPES", 9)):
        drawing.layers.add(layer, color=colour)
    space = drawing.modelspace()
    at, held = {c: solution.place(c) for c in CORNERS}, controls_of(epochs)
    for corner, place in at.items():
        space.add_circle(place, 25, dxfattribs={"layer": "VEHICLE"})
        text = space.add_text(say(control_name(f"hub.{corner}")), height=60, dxfattribs={"layer": "VEHICLE"})
        text.set_placement((place[0] + 40, place[1] + 40))
    far = max(r.mark.x for r in rows) + 300
    start, end = ((x, solution.line_at(x).value) for x in (0.0, far))
    space.add_line(start, end, dxfattribs={"layer": "LINE"})
    for r in rows:
        x, y = r.mark.x, r.mark.y
        for dx, dy in ((CROSS_MM, 0.0), (0.0, CROSS_MM)):
            space.add_line((x - dx, y - dy), (x + dx, y + dy), dxfattribs={"layer": "MARKS"})
        space.add_text(f"{r.number} {say(r.mark.words)}", height=60, dxfattribs={"layer": "MARKS"}).set_placement(
            (x + 70, y + 30)
        )
        for name in r.mark.found.pair:
            control = held[name]
            space.add_line((control.x, control.y), (x, y), dxfattribs={"layer": "TAPES"})
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue()


def as_pdf(opened: Opened, garage: str) -> bytes:
    """The sheet to take to the floor: scaled drawing, tapes, diagonals, heights of the floor."""
    sheet = opened.sheet
    rows = rows_of(sheet.epochs)
    solution = sheet.epochs.lines
    assert solution is not None
    assert solution.line is not None
    return printed(
        "marks.html",
        job=opened.state.job,
        plan=sheet.plan,
        rows=rows,
        diagonals=diagonals(rows),
        line=Noun(f"line.{solution.line}"),
        drawing=styled(marks_view(sheet, [r.mark for r in rows])),
        old_marks=OLD_MARKS,
        garage=garage,
        control=control_name,
        mm=lambda value: amount(value, "mm", 0),
        sided=lambda value: amount(value, "mm", 0, "side"),
    )
