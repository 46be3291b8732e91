"""The history of a self-check: its figures with ±U, the limits, and, dashed, where they are heading."""

from datetime import date

from escuadra.core.base.said import Plain, Said
from escuadra.core.base.wording import MOST_DECIMALS, UNITS
from escuadra.core.instruments.self_checks import BiasEntry, DriftResult
from escuadra.drawing.svg import Point, document, element, label, line, polyline

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 620.0, 190.0, 72.0, 24.0, 16.0, 30.0
AHEAD_DAYS = 400
"""How far the dashed line is drawn where the limit is not reached sooner."""


def course_view(
    history: list[BiasEntry], states: list[str], limit: float, unit: str, ahead: DriftResult | None, title: Said
) -> str:
    """Figures by day (ordinals) in the check's unit; ``states``: one for each, as it was judged then."""
    first, last = history[0].day, history[-1].day
    end = last + (min(AHEAD_DAYS, (last - first) // 2 + 60) if ahead is not None else 30)
    if ahead is not None and ahead.reaches_day is not None:
        end = max(end, min(ahead.reaches_day, last + AHEAD_DAYS) + 20)
    begin = first - max(20, (end - first) // 20)
    reach = 1.15 * max([limit, *(abs(h.bias) + 2 * h.u for h in history)])

    def at(day: float, value: float) -> Point:
        x = LEFT + (day - begin) / (end - begin) * (WIDTH - LEFT - RIGHT)
        return x, TOP + (reach - value) / (2 * reach) * (HEIGHT - TOP - BOTTOM)

    body = []
    for value, cls in ((limit, "rule-limit"), (-limit, "rule-limit"), (0.0, "hair")):
        y = at(begin, value)[1]
        body.append(line(cls, (LEFT, y), (WIDTH - RIGHT, y)))
        body.append(label("small", (LEFT - 8, y + 4), Plain(value, MOST_DECIMALS[unit]), "end"))
    body.append(label("small", (8, HEIGHT - 8), UNITS[unit].strip()))
    if ahead is not None:
        to = end if ahead.reaches_day is None else min(end, ahead.reaches_day)
        slope = ahead.per_year / 365.25
        body.append(polyline("planned", [at(last, ahead.bias_now), at(to, ahead.bias_now + slope * (to - last))]))
    for entry, state in zip(history, states, strict=True):
        x, y = at(entry.day, entry.bias)
        body.append(
            line(
                f"rule-whisker-line state-{state}",
                at(entry.day, entry.bias - 2 * entry.u),
                at(entry.day, entry.bias + 2 * entry.u),
            )
        )
        body.append(element("circle", f"course-dot state-{state}", cx=x, cy=y, r=4.5))
    for day, anchor in ((first, "start"), (last, "end")) if last > first else ((first, "start"),):
        x = at(day, 0)[0]
        body.append(line("thin", (x, HEIGHT - BOTTOM), (x, HEIGHT - BOTTOM + 5)))
        body.append(label("small", (x, HEIGHT - 8), date.fromordinal(int(day)).isoformat(), anchor))
    if ahead is not None and ahead.reaches_day is not None and ahead.reaches_day <= end:
        x = at(ahead.reaches_day, 0)[0]
        body.append(line("planned", (x, TOP), (x, HEIGHT - BOTTOM)))
        body.append(
            label("small", (x - 6, at(begin, -limit / 2)[1]), date.fromordinal(ahead.reaches_day).isoformat(), "end")
        )
    return document(title, (WIDTH, HEIGHT), body)
