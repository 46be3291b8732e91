"""A few SVG elements as text, coordinates in drawing units, figures rounded to a hundredth."""

from functools import lru_cache
from xml.sax.saxutils import escape, quoteattr

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


def label(cls: str, at: Point, text: str, anchor: str = "start") -> str:
    """A text."""
    return element("text", cls, escape(text), x=at[0], y=at[1], text_anchor=anchor)


def arrow_head(cls: str, tip: Point, towards: Point, size: float = 9) -> str:
    """A filled head at ``tip`` pointing along ``towards``."""
    length = (towards[0] ** 2 + towards[1] ** 2) ** 0.5 or 1.0
    ux, uy = towards[0] / length, towards[1] / length
    bx, by = tip[0] - ux * size * 1.5, tip[1] - uy * size * 1.5
    return polyline(
        cls, [tip, (bx - uy * size / 2, by + ux * size / 2), (bx + uy * size / 2, by - ux * size / 2)], True
    )


def document(title: str, size: tuple[float, float], body: list[str], cls: str = "drawing") -> str:
    """A drawing with its title for those who cannot see it."""
    width, height = n(size[0]), n(size[1])
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="{cls}" viewBox="0 0 {width} {height}" role="img" '
        f"aria-label={quoteattr(title)}>" + "".join(body) + "</svg>"
    )
