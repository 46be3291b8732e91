"""Stations: what to move, set and read again from one place to the next, how each run stands, and "it was run"."""

from fastapi import Request
from fastapi.responses import Response

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Said, said
from escuadra.core.visit.carriers import carrier_of
from escuadra.core.visit.proof import Change, StationView
from escuadra.core.visit.reach import beyond
from escuadra.core.visit.sheet import Sheet
from escuadra.drawing import stations_view
from escuadra.web.pages import Addressed, garage_of, render
from escuadra.web.screens import screen

router = screen("stations", "/jobs/{job}/stations")
PROOF_WORDS = {
    "proven": said("routes.stations.run_read_again_afterwards"),
    "awaited": said("routes.stations.run_reading_would_notice_bump"),
    "missed": said("routes.stations.run_nothing_shows_still_stood"),
    "contradicted": said("routes.stations.run_read_again_does_not"),
    "doubt": said("routes.stations.doubt_run_again"),
}


@router.get("")
def show(request: Request, job: Addressed) -> Response:
    """Every station with its way there and how its run stands."""
    opened = garage_of(request).open(*job)
    if not opened.sheet.stations:
        raise BadInput("stations", opened.sheet.plan.procedure.id, said("wants.sheet_run_several_places"))
    return render(
        request,
        "stations.html",
        opened=opened,
        rows=rows(opened.sheet),
        proof_words=PROOF_WORDS,
        drawing=stations_view(opened.sheet),
    )


def rows(sheet: Sheet) -> list[tuple[StationView, Change, tuple[Said, ...]]]:
    """Each station, the way to it from the one before, and what the frame can't reach there."""
    found: list[tuple[StationView, Change, tuple[Said, ...]]] = []
    before = None
    for view in sheet.stations:
        at = sheet.plan.whole.at_stations[view.station.id]
        past = beyond(at)
        found.append(
            (
                view,
                carrier_of(at).change(sheet.plan.whole, before, at),
                past.said if past is not None else (),
            )
        )
        before = at
    return found
