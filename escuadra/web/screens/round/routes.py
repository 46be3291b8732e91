"""The round: what is left to read, by tool and place, in the order with the fewest changes."""

from fastapi import Request
from fastapi.responses import Response

from escuadra.core.visit.tool_route import locations_now, the_round
from escuadra.web.pages import Addressed, garage_of, render
from escuadra.web.screens import screen

router = screen("round", "/jobs/{job}", posts=False)


@router.get("/round")
def show(request: Request, job: Addressed) -> Response:
    """The stops of the round, each with a way to its first reading."""
    opened = garage_of(request).open(*job)
    return render(
        request,
        "round.html",
        opened=opened,
        sheet=opened.sheet,
        round=the_round(opened.sheet),
        standing=locations_now(opened.sheet),
    )
