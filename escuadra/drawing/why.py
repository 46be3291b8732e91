"""What a result is made of: what was shown, what of it the set-up explains as it was read, and what it cannot see."""

from collections.abc import Sequence

from escuadra.core.base.said import said
from escuadra.core.base.wording import amount
from escuadra.core.visit.why import Of
from escuadra.drawing.svg import document, element, label, line

ROW, TOP, FOOT, NAME, RIGHT = 62.0, 30.0, 8.0, 190.0, 70.0
WIDTH = 760.0


def why_view(shown: Sequence[Of]) -> str:
    """A row a figure, zero in the middle, positive ones to the left: the bar is what was shown."""
    size = (WIDTH, TOP + ROW * len(shown) + FOOT)
    most = max([0.1, *(abs(v) for one in shown for v in (one.figure.value, one.explained, one.expected))]) * 1.12
    middle, half = (NAME + WIDTH - RIGHT) / 2, (WIDTH - RIGHT - NAME) / 2

    def at(degrees: float) -> float:
        # Left is positive, and is drawn to the left.
        return middle - half * degrees / most

    body = [line("thin", (at(0), TOP - 8), (at(0), size[1] - FOOT))]
    for k, one in enumerate(shown):
        y = TOP + ROW * k
        body.append(label("small", (8, y + 24), one.figure.label))
        low, high = sorted((at(-one.expected), at(one.expected)))
        body.append(element("rect", "usual", x=low, y=y, width=max(high - low, 1), height=42))
        for cls, value, top, tall in (("dot", one.figure.value, 4, 16), ("fixed", one.explained, 24, 12)):
            left, right = sorted((at(0), at(value)))
            body.append(element("rect", cls, x=left, y=y + top, width=max(right - left, 1.5), height=tall))
        body.append(label("small", (at(one.figure.value), y - 2), amount(one.figure.value, "°", 2, one.way), "middle"))
    return document(said("drawing.why.title"), size, body, letters=13)
