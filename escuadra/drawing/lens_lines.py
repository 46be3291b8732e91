"""What the vehicle showed for each lens: a line between two limit lines, or beyond one of them."""

from collections.abc import Mapping, Sequence

from escuadra.core.base.said import Name, Noun, said
from escuadra.core.procedure.sheet import ResultLine
from escuadra.core.visit.lenses import SIGNS
from escuadra.drawing.svg import document, element, label, line

BOX, GAP, TOP, HEIGHT = 200.0, 28.0, 30.0, 210.0
TALL, LIMIT, BEYOND = 120.0, 28.0, 44.0
"""Of a lens's field, from its middle to a limit line, and to a line beyond one."""


def lens_lines_view(lines: Sequence[ResultLine], stood: Mapping[str, str]) -> str:
    """A field a lens, in their order; ``stood``: between, above or below, by the line's id."""
    body = []
    for k, one in enumerate(lines):
        left = GAP + k * (BOX + GAP)
        middle = TOP + TALL / 2
        body.append(element("rect", "housing", x=left, y=TOP, width=BOX, height=TALL))
        for way in (-1, 1):
            body.append(line("planned", (left, middle + way * LIMIT), (left + BOX, middle + way * LIMIT)))
        where = stood.get(one.id, "")
        if where in SIGNS:
            y = middle - SIGNS[where] * BEYOND
            body.append(line("measured", (left + 14, y), (left + BOX - 14, y)))
        if where:
            body.append(label("small", (left + BOX / 2, TOP + TALL + 44), Noun(f"answer.{where}"), "middle"))
        body.append(label("name", (left + BOX / 2, TOP + TALL + 22), Name(one.lens), "middle"))
    width = GAP + len(lines) * (BOX + GAP)
    return document(said("drawing.lens_lines"), (width, HEIGHT), body, letters=14)
