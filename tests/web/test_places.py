"""The screens of bays, surveys and parking over HTTP: what they show, refuse and keep, and what leaves as a file."""

import io
import json
import re
from typing import Any

import pytest
from pypdf import PdfReader

from escuadra.commands import Garage
from escuadra.commands.forms import press
from escuadra.commands.instrument_life import Drop
from escuadra.core.bay.relief import plane_of
from escuadra.core.bay.survey import Survey
from escuadra.rehearsal.technician import Technician
from tests.core.visit.test_floors import keep, placed, slope, survey
from tests.core.visit.test_instruments import check
from tests.english import told
from tests.web.conftest import Visitor

SHEET = {"length": "12 m", "width": "5000"}
ROW = {
    "thing-0-name": "post",
    "thing-0-kind": "pillar",
    "thing-0-x": "4 m",
    "thing-0-y": "2500",
    "thing-0-length": "30 cm",
}


@pytest.fixture
def visitor(garage: Garage) -> Visitor:
    return Visitor(garage)


def test_a_bay_is_added_drawn_and_changed(visitor: Visitor, garage: Garage) -> None:
    assert "its slopes are typed" in visitor.client.get("/bays").text
    refused = visitor.post("/bays", {"name": "Sur", **SHEET, "width": "wide"})
    assert refused.status_code == 422
    assert 'value="12 m"' in refused.text
    assert visitor.post("/bays", {"name": "Sur", **SHEET}).headers["location"] == "/bays/Sur"
    base = garage.floors.bay("Sur")[1] or ""
    row = {**SHEET, **ROW, "thing-0-width": "300", "base": base}
    more = {"fixed-0-id": "S1", "fixed-0-x": "60", "fixed-0-y": "60", "fixed-0-u": "1"}
    assert visitor.post("/bays/Sur", {**row, **more, "door-x1": "0", "door-y1": "0"}).status_code == 422
    assert visitor.post("/bays/Sur", {**row, **more, "u_rise_mm": "2.5"}).status_code == 303
    assert visitor.client.get("/bays/Sur.json").json()["u_rise_mm"] == 2.5
    assert re.search(r'name="u_rise_mm"\s+value="2.5"', visitor.client.get("/bays/Sur").text)
    drawn = visitor.page("/bays/Sur")
    assert drawn.having(class_="thing", data_thing="post")
    assert visitor.client.get("/bays/Sur.json").json()["things"][0]["x"] == 4000
    stale = visitor.post("/bays/Sur", {**row, "thing-0-x": "1"})
    assert stale.status_code == 409
    assert "changed by others" in stale.text
    base = garage.floors.bay("Sur")[1] or ""
    assert visitor.post("/bays/Sur", {**row, "base": base, "thing-0-remove": "yes"}).status_code == 303
    assert visitor.client.get("/bays/Sur.json").json()["things"] == []


@pytest.mark.parametrize(
    "change, said",
    [
        ({"thing-0-width": ""}, "nothing for width of post"),
        ({"thing-0-x": "1,350"}, "typed with its unit"),
        ({"outline": "0 0\n5"}, "two figures a line"),
        ({"outline": "0 0\n5 5\n9 9"}, "an area of 1 m²"),
    ],
)
def test_a_refused_bay_keeps_what_was_typed(visitor: Visitor, change: dict[str, str], said: str) -> None:
    answer = visitor.post("/bays/Norte", {**SHEET, **ROW, "thing-0-width": "300", **change})
    assert answer.status_code == 422
    assert said in answer.text
    assert 'value="post"' in answer.text


def test_a_survey_leaves_as_csv_json_svg_and_pdf_and_enters_again(visitor: Visitor, garage: Garage) -> None:
    keep(garage)
    id = survey(garage)
    again = visitor.client.get(f"/surveys/{id}.csv").text
    text = visitor.client.get(f"/surveys/{id}.json").text
    assert Survey.model_validate_json(text) == garage.floors.closed(id).survey
    svg = visitor.client.get(f"/surveys/{id}.svg")
    assert svg.headers["content-type"].startswith("image/svg+xml")
    assert "contour" in svg.text
    pdf = PdfReader(io.BytesIO(visitor.client.get(f"/surveys/{id}.pdf").content))
    told = "".join(page.extract_text() for page in pdf.pages)
    assert "Floor of bay Norte" in told
    assert "P6_15" in told
    schema = visitor.client.get("/schemas/survey.json").json()
    assert set(json.loads(text)) <= set(schema["properties"])
    for field, content in (("csv", again), ("json", text)):
        fields = {
            "entry": field,
            "instrument": "Level 9",
            "u": "0.3",
            "taken_on": "2025-11-02",
            "valid_until": "2026-11-02",
        }
        token = visitor.client.cookies.get("escuadra_token") or ""
        files = {field: (f"s.{field}", content.encode(), "text/plain")}
        answer = visitor.client.post("/bays/Norte/surveys/new", data={"token": token, **fields}, files=files)
        assert answer.status_code == 303, answer.text
        new = answer.headers["location"].removeprefix("/surveys/")
        assert len(garage.floors.draft(new).figures) == 112


def test_what_is_no_text_or_no_survey_is_refused_in_words(visitor: Visitor, garage: Garage) -> None:
    keep(garage)
    token = visitor.client.cookies.get("escuadra_token") or ""
    for field, content, said in (
        ("csv", b"\xff\xfe\x00", "not text"),
        ("json", b'{"bay": 1}', "published schema"),
        ("csv", b"point,x,y,staff\nA,0,0,wet", "line 2, value"),
    ):
        files = {field: ("f", content, "text/plain")}
        data = {"token": token, "instrument": "L", "u": "0.3", "taken_on": "2026-01-01", "valid_until": "2026-02-01"}
        answer = visitor.client.post("/bays/Norte/surveys/new", data=data, files=files)
        assert answer.status_code == 422
        assert said in answer.text


def test_a_survey_says_what_the_floor_is_for_each_procedure(visitor: Visitor, garage: Garage) -> None:
    keep(garage, length=8_000)
    page = f"/surveys/{survey(garage, lambda x, y: 0.006 * x)}"
    assert "rising away from the closed end" in visitor.client.get(page).text
    text = visitor.client.get(f"{page}/verdicts").text
    assert "No place: 613\u202fmm short at the front" in text
    assert "0.60\u202f% rising forward" in text or "0.60\u202f% falling forward" in text


def test_two_surveys_are_compared(visitor: Visitor, garage: Garage) -> None:
    keep(garage)
    older = survey(garage, slope, "older", taken_on="2024-11-01")
    newer = survey(garage, lambda x, y: slope(x, y) - (7 if x > 9000 and y < 900 else 0), "newer")
    text = visitor.client.get(f"/surveys/{newer}?older={older}").text
    assert "8 of the points moved" in text
    assert "7.0\u202fmm down" in text


PARKING = "/bays/Norte/parking?vehicle=brezo-lanzadera&procedure=BL-CAM-01"


def test_parking_without_a_sheet_without_a_survey_and_without_room(visitor: Visitor, garage: Garage) -> None:
    assert "has no length and width yet" in visitor.client.get(PARKING).text
    keep(garage)
    bare = visitor.client.get(PARKING)
    assert "This bay has no survey." in bare.text
    assert "Type two or more fixed points" in bare.text
    points = [{"id": "N1", "x": 60, "y": 60}, {"id": "N2", "x": 60, "y": 4940}, {"id": "N3", "x": 11_900, "y": 400}]
    keep(garage, fixed_points=points)
    survey(garage)
    found = visitor.page(PARKING)
    assert len(found.having(class_="place")) + len(found.having(class_="place chosen")) >= 2
    assert "N3" in visitor.client.get(PARKING).text
    keep(garage, length=7_600)
    assert "1\u202f013\u202fmm short at the front (target)" in visitor.client.get(PARKING).text
    assert visitor.client.get("/bays/Nowhere/parking").status_code == 404


def test_a_place_is_taken_for_a_job_and_offered_to_the_next(teo: Technician) -> None:
    keep(teo.garage)
    survey(teo.garage, lambda _x, _y: 0.0)
    visitor = Visitor(teo.garage)
    fields: dict[str, Any] = {"job": teo.job, "at": "1600 2500 0", "entry": "p"}
    assert visitor.post("/bays/Norte/parking", {**fields, "at": "1600 2500"}).status_code == 422
    answer = visitor.post("/bays/Norte/parking", fields)
    assert answer.headers["location"] == f"/jobs/{teo.job}?check=floor"
    assert "From the survey of 2025-11-01" in visitor.client.get(answer.headers["location"]).text
    later = Technician(teo.garage, teo.at, "teo")
    later.take_in(number="T-2", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    offered = visitor.client.get(f"/bays/Norte/parking?job={later.job}").text
    assert "As T-1: x 1\u202f600\u202fmm" in offered
    visitor.post("/bays/Norte/parking", {**fields, "job": later.job, "from_job": "T-1", "entry": "q"})
    first_guess = later.opened.state.placed
    assert first_guess is not None
    assert (first_guess.source, first_guess.from_job) == ("job", "T-1")
    assert later.check("floor").state == "open"
    assert visitor.post("/bays/Norte/parking", {"usual": "yes", "at": "1700 2400 0"}).status_code == 303
    assert teo.garage.floors.bay("Norte")[0].usual.x == 1700  # type: ignore[union-attr]


def test_the_record_says_where_the_vehicle_stood(teo: Technician) -> None:
    from escuadra.reports.record import build

    keep(teo.garage)
    survey(teo.garage)
    placed(teo)
    record = build(teo.opened, teo.garage.person("teo"), teo.at, "V")
    assert told(record.place).startswith(
        "rear axle at x 1\u202f600\u202fmm, y 2\u202f500\u202fmm, heading 0.00°; floor surveyed"
    )
    assert {"bay", "survey"} <= {pin.kind for pin in record.pins}


def test_a_levels_tilt_is_taken_off_by_distance_and_a_doubted_level_begins_no_survey(
    visitor: Visitor, garage: Garage
) -> None:
    keep(garage)
    check(garage, "level-9", "two_peg", 3.0)
    level, at, points = garage.instruments.one("level-9").tool.name, (900.0, 700.0), []
    for row in range(4):
        for k in range(6):
            x, y = 100 + k * 2300.0, 150 + row * 1500.0
            staff = 1400 - 0.001 * x + 0.0003 * ((x - at[0]) ** 2 + (y - at[1]) ** 2) ** 0.5
            points.append(f"P{row}{k};{x};{y};{staff:.4f}")
    begun = {"instrument": level, "u": "0.5", "reads": "staff", "csv": "\n".join(["point;x;y;staff", *points])}
    begun |= {"taken_on": "2025-11-20", "valid_until": "2026-11-20"}
    path = visitor.post("/bays/Norte/surveys/new", {**begun, "entry": "k"}).headers["location"]
    assert "Not in set-up 1" in visitor.client.get(path).text
    assert visitor.post(f"{path}/station", {"setup": "1", "station-x": "900", "station-y": "here"}).status_code == 422
    assert visitor.post(f"{path}/station", {"setup": "1", "station-x": "90 cm", "station-y": "700"}).status_code == 303
    visitor.post(f"{path}/close", {})
    closed = garage.floors.closed(path.split("/")[-1])
    flat = plane_of(closed.ground)
    assert flat.flatness == pytest.approx(0, abs=0.01)
    assert flat.slope_percent == pytest.approx(0.1, abs=1e-4)
    assert "3.0\u202fmm/10\u202fm of the level taken off by distance" in told(closed.survey.corrected)
    garage.do(Drop("level-9", ""), "teo", press())
    refused = visitor.post("/bays/Norte/surveys/new", {**begun, "entry": "k2"})
    assert refused.status_code == 422
    assert "check it first" in refused.text
