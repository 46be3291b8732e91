"""The rule: a toleranced value on a small steel-rule scale, with zero, limits and their figures printed.

Tolerance zone solid, guard bands lighter, the value a tick with its ±U whisker. One drawing for all of them.
"""

from escuadra.core.base.said import Noun, said
from escuadra.core.visit.checks import Figure
from escuadra.drawing.svg import document, element, in_rows, line, polyline

WIDTH, HEIGHT, EDGE, BASE = 380.0, 58.0, 12.0, 28.0
ROW = 15.0
"""What one more row of figures takes, where they are too long for one."""
SPAN = 1.55
"""Half the scale in tolerances."""
LEFTWARD = ("side",)
"""Axes whose positive side is drawn on the left, as one sees it."""


def rule(figure: Figure) -> str:
    """The rule of one figure; a value beyond the scale is drawn at its end with a pointing tick."""
    lower = figure.lower if figure.lower is not None else -abs(figure.upper or 1.0)
    upper = figure.upper if figure.upper is not None else abs(lower) or 1.0
    middle, half = (lower + upper) / 2, (upper - lower) / 2 or 1.0
    flip = figure.way in LEFTWARD

    def x(value: float) -> float:
        share = max(-SPAN, min(SPAN, (value - middle) / half)) / SPAN
        return WIDTH / 2 + (-share if flip else share) * (WIDTH / 2 - EDGE)

    def bar(cls: str, a: float, b: float, y: float, height: float) -> str:
        left, right = sorted((x(a), x(b)))
        return element("rect", cls, x=left, y=y, width=right - left, height=height)

    guard, body = figure.verdict.guard, []
    if guard > 0:
        body += [bar("rule-guard", limit - guard, limit + guard, BASE - 9, 9) for limit in (lower, upper)]
    if half > guard:
        body.append(bar("rule-zone", lower + guard, upper - guard, BASE - 9, 9))
    body.append(line("rule-line", (EDGE, BASE), (WIDTH - EDGE, BASE)))
    for k in range(-15, 16):
        at = x(middle + k * half / 10)
        body.append(line("rule-tick", (at, BASE), (at, BASE + (6 if k % 5 == 0 else 4))))
    printed = (lower, middle, upper)
    body += [line("rule-limit", (x(value), BASE - 13), (x(value), BASE + 7)) for value in printed]
    places = [(x(value), HEIGHT - 8) for value in printed]
    labels, more = in_rows("rule-text", places, [figure.said(value) for value in printed], WIDTH, ROW)
    body += labels
    state, U = figure.verdict.state, figure.verdict.U
    at, beyond = x(figure.value), abs(figure.value - middle) / half > SPAN
    if U > 0:
        body.append(bar(f"rule-whisker state-{state}", figure.value - U, figure.value + U, 5, 3))
    if beyond:
        way = 1 if at > WIDTH / 2 else -1
        tick = [(at, BASE - 12), (at - 9 * way, BASE - 18), (at - 9 * way, BASE - 6)]
    else:
        tick = [(at, BASE - 2), (at - 6, BASE - 17), (at + 6, BASE - 17)]
    body.append(polyline("rule-value", tick, True))
    named = said(
        "drawing.rule.allowed",
        label=figure.label,
        text=figure.text,
        plus_minus=figure.plus_minus,
        allowed=figure.allowed,
        state=Noun(f"verdict.{state}"),
    )
    return document(named, (WIDTH, HEIGHT + more), body, "rule")
