"""The marks to make on the floor, with the tapes that find them: scaled, numbered, its scale bar drawn."""

from escuadra.core.base.corners import CORNERS, REAR
from escuadra.core.base.said import Noun, said
from escuadra.core.base.wording import amount
from escuadra.core.visit.floor_marks import HUBS, FloorMark
from escuadra.core.visit.sheet import Sheet
from escuadra.drawing.lines import HEAD, Strip
from escuadra.drawing.svg import document, element, label, line, polyline

AROUND = 420.0


def marks_view(sheet: Sheet, marks: list[FloorMark], size: tuple[float, float] = (780, 460)) -> str:
    """Vehicle front, line in use and every mark, seen from above; one scale both ways."""
    vehicle, solution = sheet.plan.vehicle, sheet.epochs.lines
    back = (
        min(
            [
                0.0 if any(HUBS.get(c) in REAR for m in marks for c in m.found.pair) else vehicle.wheelbase,
                *(m.x for m in marks),
            ]
        )
        - AROUND
    )
    front = max([vehicle.wheelbase, *(m.x for m in marks)]) + AROUND
    widest = max([vehicle.outline.width / 2, *(abs(m.y) for m in marks)]) + AROUND
    long = max(front - back, 2 * widest * size[0] / (size[1] - HEAD))
    strip = Strip(back, back + long, *size, 1.0)
    nose = vehicle.wheelbase + vehicle.outline.front_overhang
    tail = max(back, -vehicle.outline.rear_overhang)
    (x1, top), (x2, bottom) = strip.at(tail, vehicle.outline.width / 2), strip.at(nose, -vehicle.outline.width / 2)
    body = [element("rect", "body", x=x1, y=top, width=x2 - x1, height=bottom - top, rx=14)]
    for corner in CORNERS:
        hx, hy = vehicle.hub(corner)
        if hx > back:
            x, y = strip.at(hx, hy)
            body += [
                element("circle", "dot", cx=x, cy=y, r=3),
                label("small", (x + 6, y - 5), said("floor_marks.hub", corner=Noun(f"corner.{corner}"))),
            ]
    if solution is not None and solution.line is not None:
        ends = [strip.at(x, solution.line_at(x).value) for x in (max(back, 0.0), front - 120)]
        body.append(line("thrust" if solution.line == "thrust" else "centreline", *ends))
    for mark in marks:
        x, y = strip.at(mark.x, mark.y)
        for name in mark.found.pair:
            at = _control(sheet, name)
            if at is not None:
                body.append(line("tape", strip.at(*at), (x, y)))
    for k, mark in enumerate(marks, 1):
        x, y = strip.at(mark.x, mark.y)
        body += [polyline("mark", [(x - 6, y - 6 * up), (x + 6, y + 6 * up)]) for up in (1, -1)]
        body.append(label("name", (x + 9, y - 8), str(k)))
    metre = 1000 * strip.scale
    y = size[1] - 12
    body += [line("thin", (12, y), (12 + metre, y)), label("small", (18 + metre, y + 4), amount(1, "m", 0))]
    return document(said("drawing.floor_marks.marks_make_floor_seen_above"), size, body)


def _control(sheet: Sheet, name: str) -> tuple[float, float] | None:
    solution = sheet.epochs.lines
    if solution is None:
        return None
    owner = name.removeprefix("hub.")
    return solution.place(owner)
