"""The floor of a closed survey: its map and figures, its verdicts, what sank since another, and its files."""

import math
from typing import Any

from fastapi import Request
from fastapi.responses import PlainTextResponse, Response

from escuadra.commands import Garage
from escuadra.commands.floors import Surveyed
from escuadra.core.base.said import Angle, Length, Said, nouns, said
from escuadra.core.bay.ground import Ground
from escuadra.core.bay.relief import compared, plane_of, relief, section
from escuadra.core.bay.standing import stand
from escuadra.core.bay.survey import Surface, Survey, to_csv
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.checks import Figure
from escuadra.core.visit.checks.place import floor_verdict
from escuadra.drawing import bay_view, section_view
from escuadra.reports.floor import floor_pdf
from escuadra.reports.paper import styled
from escuadra.web.downloads import named
from escuadra.web.pages import garage_of, render
from escuadra.web.screens import screen

router = screen("floor_map", within="bays", posts=False)
SECTION = said("routes.floor_map.section_along_middle_bay")
SPREAD_SHOWN = 12
"""How many of the largest residuals or changes are listed."""


def misread_sentences(ground: Ground) -> list[Said]:
    """Which readings to repeat, in sentences."""
    levelled, found = ground.levelled, []
    if levelled.misread:
        found.append(said("routes.floor_map.set_ups_contradict_each_other", names=nouns(levelled.misread, "or")))
    for id in ground.standing_out[:4]:
        off = ground.foretold[next(k for k, p in enumerate(levelled.points) if p.id == id)]
        where = "above" if off > 0 else "below"
        found.append(said(f"routes.floor_map.stands_{where}", point=id, off=Length(abs(off), 0)))
    return found


def _map(garage: Garage, surveyed: Surveyed) -> dict[str, Any]:
    """Everything that is shown of a closed survey's floor."""
    ground = surveyed.ground
    surface: Surface = "floor" if "floor" in ground.meshes else "runway"
    flat = plane_of(ground, surface)
    bay, _ = garage.floors.bay(surveyed.survey.bay)
    xy = ground.xy[ground.meshes[surface].index]
    low, high = xy.min(axis=0), xy.max(axis=0)
    middle = float((low[1] + high[1]) / 2)
    cut = ((float(low[0]), middle), (float(high[0]), middle))
    heights = section(ground, *cut, surface)
    residuals = sorted(flat.residuals.items(), key=lambda pair: -abs(pair[1]))
    return {
        "flat": flat,
        "drawing": bay_view(bay, relief=relief(ground, flat, surface), cut=cut) if bay else "",
        "section": section_view(heights, ground.survey.u, title=said("routes.floor_map.section_along_middle_bay"))
        if heights
        else "",
        "residuals": residuals[:SPREAD_SHOWN],
        "ground": ground,
        "sentences": misread_sentences(ground),
        "runways": plane_of(ground, "runway") if surface == "floor" and "runway" in ground.meshes else None,
        "bearing": bearing_words(flat.slope_long_percent, flat.slope_cross_percent),
    }


ENDS = ("away", "left", "towards", "right")
"""Where the floor rises to, as seen from the bay's closed end, a quarter turn apart."""


def bearing_words(along: float, across: float) -> Said:
    """Which way the floor rises most, as one sees it in the room."""
    angle = math.degrees(math.atan2(across, along))
    first, off = ENDS[round(angle / 90) % 4], abs(angle - 90 * round(angle / 90))
    if off < 5:
        return said(f"routes.floor_map.rising.{first}")
    second = ENDS[(round(angle / 90) + (1 if angle > 90 * round(angle / 90) else -1)) % 4]
    turned = said(f"routes.floor_map.and_to.{second}", off=Angle(off, 0))
    return said(f"routes.floor_map.rising_and.{first}", turned=turned)


def nearest_to_trouble(figures: list[Figure]) -> Figure | None:
    """The figure that uses up most of its limits."""
    order = {"out": 0, "undecided": 1, "holds": 2}
    return min(figures, key=lambda f: (order[f.verdict.state], f.verdict.margin / f.half_range), default=None)


def verdicts(garage: Garage, surveyed: Surveyed) -> list[dict[str, Any]]:
    """For each procedure: what the floor is at the best place for it, or why there is none."""
    found: list[dict[str, Any]] = []
    for entry in garage.catalogue.all("procedure"):
        procedure: Procedure = entry.content
        vehicle = garage.catalogue.get("vehicle", procedure.vehicle).content
        lot, parking = garage.floors.park(surveyed.survey.bay, vehicle, [procedure], surveyed, step=200.0)
        row: dict[str, Any] = {"procedure": procedure, "vehicle": vehicle, "state": "", "worst": None, "why": ""}
        if parking.best:
            place = parking.best[0].place
            state, figures = floor_verdict(procedure, stand(lot.bay, place, surveyed.ground, vehicle, procedure))
            row |= {"state": state, "worst": nearest_to_trouble(figures), "place": place}
        else:
            refusals = [way.refusals[0].text for way in parking.directions if way.refusals]
            row["why"] = refusals[0] if refusals else said("routes.floor_map.no_place_whose_floor_surveyed")
        found.append(row)
    return found


@router.get("/surveys/{id}/verdicts")
def on_this_floor(request: Request, id: str) -> Response:
    """What each procedure's floor is at its best place: a search for each, which the page does not wait for."""
    garage = garage_of(request)
    surveyed = garage.floors.closed(id)
    return render(request, "floor_verdicts.html", name=surveyed.survey.bay, verdicts=verdicts(garage, surveyed))


@router.get("/surveys/{id}.csv")
def as_csv(request: Request, id: str) -> Response:
    """The survey as CSV, closed or not."""
    floors = garage_of(request).floors
    survey = floors.closed(id).survey if floors.row(id).sheet else floors.draft(id).survey()
    return PlainTextResponse(to_csv(survey), headers=_file(survey, "csv"), media_type="text/csv")


@router.get("/surveys/{id}.json")
def as_json(request: Request, id: str) -> Response:
    """The closed survey as the published schema says."""
    survey = garage_of(request).floors.closed(id).survey
    text = survey.model_dump_json(indent=1, exclude_none=True)
    return Response(text, headers=_file(survey, "json"), media_type="application/json")


@router.get("/surveys/{id}.svg")
def as_svg(request: Request, id: str) -> Response:
    """The floor map as a drawing of its own."""
    garage = garage_of(request)
    surveyed = garage.floors.closed(id)
    drawing = styled(str(_map(garage, surveyed)["drawing"]))
    return Response(drawing, headers=_file(surveyed.survey, "svg"), media_type="image/svg+xml")


@router.get("/surveys/{id}.pdf")
def as_pdf(request: Request, id: str) -> Response:
    """The floor map with its figures as PDF."""
    garage = garage_of(request)
    surveyed = garage.floors.closed(id)
    shown = _map(garage, surveyed)
    name = garage.store.setting("name")
    pdf = floor_pdf(surveyed.survey, shown["flat"], shown["ground"], [shown["drawing"], shown["section"]], name)
    return Response(pdf, headers=_file(surveyed.survey, "pdf"), media_type="application/pdf")


def _file(survey: Survey, kind: str) -> dict[str, str]:
    return named(f"floor-{survey.bay}-{survey.taken_on}", kind)


def page(request: Request, id: str, older: str) -> Response:
    """A closed survey's floor; ``older``: the survey it is compared with."""
    garage = garage_of(request)
    row = garage.floors.row(id)
    surveyed = garage.floors.closed(id)
    others = [
        garage.floors.closed(other.id)
        for other in garage.floors.surveys(row.bay)
        if other.sheet is not None and other.id != id
    ]
    before = next((other for other in others if other.row.id == older), None)
    changes = compared(before.ground, surveyed.ground) if before is not None else []
    shown = _map(garage, surveyed)
    if before is not None:
        bay, _ = garage.floors.bay(row.bay)
        points = [(c.id, c.x, c.y, f"{c.change:+.1f}".replace("-", "−")) for c in changes if c.moved]
        shown["drawing"] = bay_view(bay, points=points) if bay else ""
    return render(
        request,
        "floor_map.html",
        name=row.bay,
        id=id,
        surveyed=surveyed,
        survey=surveyed.survey,
        over=surveyed.survey.valid_until.isoformat() < garage.today(),
        others=others,
        before=before,
        changes=changes[:SPREAD_SHOWN],
        moved=sum(change.moved for change in changes),
        **shown,
    )
