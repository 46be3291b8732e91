"""A few SVG elements as text, coordinates in drawing units, figures rounded to a hundredth."""

import re
from collections.abc import Mapping
from functools import lru_cache
from xml.sax.saxutils import escape, quoteattr

from escuadra.core.base.said import Said, Value
from escuadra.words import say

Point = tuple[float, float]
quoted = lru_cache(2048)(quoteattr)
"""A text as an attribute's value: the same few classes and paths are drawn again and again."""


def n(value: float) -> str:
    """A coordinate as text."""
    text = f"{value:.2f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def element(tag: str, cls: str, body: str = "", **attributes: str | float) -> str:
    """An element with a class and attributes; underscores in names become hyphens."""
    parts = [f"<{tag}"]
    if cls:
        parts.append(f" class={quoted(cls)}")
    for key, value in attributes.items():
        said = f'"{n(value)}"' if isinstance(value, float | int) else quoted(value)
        parts.append(f" {key.replace('_', '-')}={said}")
    return "".join(parts) + (f">{body}</{tag}>" if body else "/>")


def line(cls: str, a: Point, b: Point) -> str:
    """A straight line."""
    return element("line", cls, x1=a[0], y1=a[1], x2=b[0], y2=b[1])


def polyline(cls: str, points: list[Point], closed: bool = False) -> str:
    """A line through points, closed to an area where asked."""
    return element("polygon" if closed else "polyline", cls, points=" ".join(f"{n(x)},{n(y)}" for x, y in points))


def label(cls: str, at: Point, text: Value | Mapping[str, str] | str, anchor: str = "start") -> str:
    """A text, in the language that is spoken now."""
    return element("text", cls, escape(say(text)), x=at[0], y=at[1], text_anchor=anchor)


def arrow_head(cls: str, tip: Point, towards: Point, size: float = 9) -> str:
    """A filled head at ``tip`` pointing along ``towards``."""
    length = (towards[0] ** 2 + towards[1] ** 2) ** 0.5 or 1.0
    ux, uy = towards[0] / length, towards[1] / length
    bx, by = tip[0] - ux * size * 1.5, tip[1] - uy * size * 1.5
    return polyline(
        cls, [tip, (bx - uy * size / 2, by + ux * size / 2), (bx + uy * size / 2, by - ux * size / 2)], True
    )


def document(
    title: Said,
    size: tuple[float, float],
    body: list[str],
    cls: str = "drawing",
    letters: float = 13.0,
    role: str = "img",
) -> str:
    """A drawing with its title for those who cannot see it; ``letters``: their size in the style sheet.

    ``role``: group, where it holds links.
    """
    width, height = n(size[0]), n(size[1])
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="{cls}" viewBox="0 0 {width} {height}" role="{role}" '
        f"aria-label={quoteattr(say(title))}>" + inside("".join(body), size[0], letters * _WIDE) + "</svg>"
    )


_TEXT = re.compile(r'<text class="([^"]*)" x="([^"]*)" y="([^"]*)" text-anchor="([^"]*)">([^<]*)</text>')
_TURNED = re.compile(r"(<g[^>]*transform=.*?</g>)")
_HEIGHT = 13.0
_WIDE = 0.56
"""How wide an average letter is for its size, the bold ones too."""
_ADVANCE = 13 * _WIDE
_SHIFTS = [(dx, dy) for dx in (0.0, -34.0, 34.0, -70.0, 70.0) for dy in (0.0, 15.0, 29.0, -15.0, -29.0, 43.0, -43.0)]
_FIRST = ("dimension", "name", "small", "contour-name")
Box = tuple[float, float, float, float]


def in_rows(cls: str, at: list[Point], texts: list[Value | Said], width: float, row: float) -> tuple[list[str], float]:
    """Texts about places, within a width, each on the first row where it meets no other; how far down the last is."""
    labels: list[str] = []
    taken: list[Box] = []
    lowest = 0.0
    for (x, y), text in zip(at, texts, strict=True):
        down = 0.0
        while True:
            markup = inside(label(cls, (x, y + down), text, "middle"), width, _ADVANCE)
            ((_, box),) = text_boxes(markup)
            if not any(_meet(box, other) for other in taken):
                break
            down += row
        labels.append(markup)
        taken.append(box)
        lowest = max(lowest, down)
    return labels, lowest


def text_boxes(body: str) -> list[tuple[str, Box]]:
    """Every text of a drawing with the room that it takes (left, top, right, bottom); turned ones are left out."""
    return [(m[5], _box(m, 0.0, 0.0)) for part in _TURNED.split(body)[::2] for m in _TEXT.finditer(part)]


def inside(body: str, width: float, advance: float) -> str:
    """The same drawing with every text within its width: a long word goes back from the edge that it would cross."""

    def kept(found: re.Match[str]) -> str:
        left, _, right, _ = _box(found, 0.0, 0.0, advance)
        aside = max(0.0, -left) + min(0.0, max(width - right, -left))
        return found[0].replace(f'x="{found[2]}"', f'x="{n(float(found[2]) + aside)}"', 1) if aside else found[0]

    parts = _TURNED.split(body)
    parts[::2] = (_TEXT.sub(kept, part) for part in parts[::2])
    return "".join(parts)


def _box(found: re.Match[str], dx: float, dy: float, advance: float = _ADVANCE) -> Box:
    x, y, wide = float(found[2]) + dx, float(found[3]) + dy, len(found[5]) * advance
    left = x - {"start": 0.0, "middle": wide / 2, "end": wide}[found[4]]
    return left, y - _HEIGHT + 2, left + wide, y + 2


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def apart(body: list[str], size: tuple[float, float]) -> list[str]:
    """The same drawing with no two texts on each other: those of less weight go aside, a further contour's is left out.

    What cannot be placed free of all others stays where it was drawn.
    """
    markup = "\n".join(body)
    found = [m for m in _TEXT.finditer(markup) if m[5].strip()]
    taken: list[Box] = []
    moved: dict[int, str] = {}
    for m in sorted(found, key=lambda m: (_FIRST.index(m[1]) if m[1] in _FIRST else 0, m.start())):
        boxes = ((dx, dy, _box(m, dx, dy)) for dx, dy in _SHIFTS)
        free = (
            (dx, dy, box)
            for dx, dy, box in boxes
            if box[0] >= 0 and box[1] >= 0 and box[2] <= size[0] and box[3] <= size[1]
            and not any(_meet(box, other) for other in taken)
        )  # fmt: skip
        if m[1] == "contour-name":
            box = _box(m, 0.0, 0.0)
            if any(_meet(box, other) for other in taken):
                moved[m.start()] = ""
            taken.append(box)
            continue
        dx, dy, box = next(free, (0.0, 0.0, _box(m, 0.0, 0.0)))
        taken.append(box)
        if dx or dy:
            said = m[0].replace(f'x="{m[2]}" y="{m[3]}"', f'x="{n(float(m[2]) + dx)}" y="{n(float(m[3]) + dy)}"', 1)
            moved[m.start()] = said
    return _TEXT.sub(lambda m: moved.get(m.start(), m[0]), markup).split("\n")
