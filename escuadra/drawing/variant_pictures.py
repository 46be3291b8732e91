"""What tells variants apart, as one sees it: small pictures of our own, each of one thing to look for."""

from collections.abc import Callable

from escuadra.core.base.said import Noun, said
from escuadra.core.procedure.variants import Picture
from escuadra.drawing.svg import Point, document, element, line, polyline

SIZE = (150.0, 90.0)


def variant_picture(picture: Picture) -> str:
    """The picture; empty for none."""
    make = _PICTURES.get(picture)
    if make is None:
        return ""
    return document(said("drawing.variant", what=Noun(f"picture.{picture}")), SIZE, make(), "drawing variant-picture")


def _lenses(count: int) -> list[str]:
    """A housing behind the glass, seen from outside, with its lenses."""
    glass = polyline("body", [(8, 84), (32, 10), (118, 10), (142, 84)])
    housing = element("rect", "part", x=42, y=30, width=66, height=34, rx=6)
    xs = {1: (75.0,), 2: (62.0, 88.0), 3: (54.0, 75.0, 96.0)}[count]
    return [glass, housing, *(_ring((x, 47)) for x in xs)]


def _ring(at: Point) -> str:
    return element("circle", "sensor", cx=at[0], cy=at[1], r=8) + element(
        "circle", "sensor needed", cx=at[0], cy=at[1], r=3
    )


def _stance(gap: float) -> list[str]:
    """A wheel under its arch, with the gap between them."""
    arch = element("path", "body", d=f"M20 {84 - gap:g} A55 46 0 0 1 130 {84 - gap:g}")
    wheel = element("circle", "part", cx=75, cy=62, r=24)
    return [arch, wheel, element("circle", "sensor", cx=75, cy=62, r=7), line("planned", (6, 86), (144, 86))]


def _front(inside: list[str]) -> list[str]:
    """A bumper's middle from the front."""
    return [polyline("body", [(8, 20), (142, 20), (132, 76), (18, 76)], closed=True), *inside]


_BOX = element("rect", "part", x=55, y=34, width=40, height=28, rx=3)
_PICTURES: dict[str, Callable[[], list[str]]] = {
    "one_lens": lambda: _lenses(1),
    "two_lenses": lambda: _lenses(2),
    "three_lenses": lambda: _lenses(3),
    "low_stance": lambda: _stance(14),
    "raised_stance": lambda: _stance(30),
    "bare": lambda: _front([]),
    "radar": lambda: _front([_BOX]),
    "mirror": lambda: _front([_BOX, element("circle", "sensor", cx=84, cy=43, r=6)]),
}
