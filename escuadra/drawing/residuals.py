"""Residuals over time: every vehicle a dot, what is usual a band, this vehicle's own joined, this visit's marked."""

from escuadra.core.base.said import Angle, Name, said
from escuadra.core.procedure.limits import Limits
from escuadra.core.visit.residuals import DAY_MS, Compared
from escuadra.drawing.svg import Point, document, element, label, line, polyline

SIZE = (760.0, 260.0)
LEFT, RIGHT, TOP, FOOT = 76.0, 24.0, 18.0, 34.0
LEAST_DAYS = 30.0


def residuals_view(found: Compared, limits: Limits) -> str:
    """The picture of one figure, the newest at the right; degrees upward, limits as lines."""
    every = [*found.history, found.own]
    span = max((found.own.at - min(one.at for one in every)) / DAY_MS, LEAST_DAYS)
    values = [one.value for one in every] + [limits.lower, limits.upper]
    low, high = min(values), max(values)
    room = 0.08 * (high - low)
    low, high = low - room, high + room

    def at(days_ago: float, value: float) -> Point:
        x = LEFT + (SIZE[0] - LEFT - RIGHT) * (1 - days_ago / span)
        return x, TOP + (SIZE[1] - TOP - FOOT) * (high - value) / (high - low)

    def ago(one_at: int) -> float:
        return (found.own.at - one_at) / DAY_MS

    body: list[str] = []
    usual = found.peers
    if usual.lower is not None and usual.upper is not None:
        (x, y), (_, foot) = at(span, min(usual.upper, high)), at(0, max(usual.lower, low))
        body.append(element("rect", "usual", x=x, y=y, width=SIZE[0] - LEFT - RIGHT, height=max(foot - y, 1)))
    for limit in (limits.lower, limits.upper):
        body.append(line("floor", at(span, limit), at(0, limit)))
        body.append(label("small", (LEFT - 8, at(0, limit)[1] + 4), Angle(limit, 2), "end"))
    body.append(line("thin", at(span, 0), at(0, 0)))
    body.append(label("small", (LEFT - 8, at(0, 0)[1] + 4), Angle(0, 0), "end"))
    for one in found.history:
        x, y = at(ago(one.at), one.value)
        own = one.vehicle == found.own.vehicle
        body.append(element("circle", "wheel" if own else "ring", cx=x, cy=y, r=5 if own else 3.5))
    joined = [at(ago(one.at), one.value) for one in (*reversed(found.earlier), found.own)]
    if len(joined) > 1:
        body.append(polyline("fixed", joined))
    x, y = at(0, found.own.value)
    body.append(element("path", "sensor", d=f"M{x:.1f} {y - 8:.1f} l7 14 h-14 z"))
    foot_y = SIZE[1] - 10
    body += [
        label("small", (LEFT, foot_y), said("drawing.residuals.days_ago", days=Name(f"{span:.0f}"))),
        label(
            "small",
            (SIZE[0] - RIGHT, foot_y),
            said("drawing.residuals.this_visit", number=Name(found.own.number)),
            "end",
        ),
    ]
    return document(said("drawing.residuals.title"), SIZE, body, letters=13)
