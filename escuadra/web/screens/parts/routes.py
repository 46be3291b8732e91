"""Parts: every interface part in every state on one page, so that the look stays in one place."""

from fastapi import Request
from fastapi.responses import Response

from escuadra.core.base.said import Said, said
from escuadra.core.measure.verdict import VerdictInput, verdict
from escuadra.core.visit.checks import Figure
from escuadra.web.pages import render
from escuadra.web.screens import screen

router = screen("parts", posts=False)


def sample(value: float, u: float, limit: float, unit: str, way: str | None, label: Said) -> Figure:
    """A judged figure for the page."""
    judged = verdict(VerdictInput(value=value, u=u, lower=-limit, upper=limit, rule="guarded"))
    return Figure("sample", label, value, u, -limit, limit, unit, way, judged)


@router.get("/parts")
def show(request: Request) -> Response:
    """Marks, rules, keys, fields, buttons and rows in every state."""
    side = "side"
    figures = [
        sample(0.03, 0.02, 0.25, "°", side, said("routes.parts.holds")),
        sample(-0.21, 0.045, 0.25, "°", side, said("routes.parts.undecided")),
        sample(7.4, 0.9, 4, "mm", side, said("routes.parts.out")),
        sample(31, 0.9, 4, "mm", side, said("routes.parts.beyond_scale")),
        sample(1.0, 2.6, 4, "mm", side, said("routes.parts.too_coarse_decide")),
        sample(4.0, 0.0, 4, "mm", "height", said("routes.parts.no_uncertainty_limit")),
    ]
    return render(request, "parts.html", figures=figures)
