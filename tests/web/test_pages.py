"""The screens over HTTP: what they show, refuse, guard, and keep; parsed and asserted on elements."""

import re
from dataclasses import replace
from typing import Any

import pytest

from escuadra.catalogue import CatalogueError
from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage
from escuadra.core.base.said import said
from escuadra.core.calculations import KINDS
from escuadra.core.visit.log.disturbances import HAPPENINGS
from escuadra.rehearsal.technician import Technician
from escuadra.web.guard import LARGEST_BODY
from tests.conftest import BEGUN
from tests.web.conftest import Elements, Visitor


def test_an_empty_garage_says_what_comes_first(tmp_path: Any, catalogue: Any) -> None:
    garage = Garage(tmp_path / "new", lambda: 1_764_072_000_000, catalogue)
    visitor = Visitor(garage, person="")
    answer = visitor.client.get("/")
    assert "add who works here and the bays" in answer.text
    for field, value in (("person", "Ana Prat"), ("bay", "One")):
        assert visitor.post("/garage", {field: value, "role": "lead"}).status_code == 303
    assert [p["id"] for p in garage.store.people()] == ["ana-prat"]
    refused = visitor.post("/garage", {"person": "Ana Prat", "role": "lead"})
    assert refused.status_code == 422
    assert "a name that nobody here has yet" in refused.text
    refused = visitor.post("/garage", {"name": "Ours", "zone": "Mars/Olympus"})
    assert "Europe/Madrid" in refused.text
    assert Elements(refused.text).having(id="zone", value="Mars/Olympus"), "what was typed is kept"
    assert visitor.post("/garage", {"name": "Ours", "zone": "Europe/Madrid"}).status_code == 303
    assert visitor.post("/person", {"person": "ana-prat", "back": "//elsewhere.example"}).headers["location"] == "/"
    assert visitor.post("/person", {"person": "nobody", "back": "/"}).status_code == 422
    garage.close()


FORM = {"number": "N-7", "reason": "windscreen replaced", "procedure": "BL-CAM-01", "bay": "Norte", "frame": "galga-2"}


@pytest.mark.parametrize(
    "change, field, said",
    [
        ({"odometer_km": "far"}, "odometer_km", "whole kilometres"),
        ({"procedure": ""}, "vehicle", "a procedure sheet"),
        ({"number": ""}, "number", "at least 1 character"),
    ],
)
def test_a_refused_new_job_keeps_what_was_typed(
    visitor: Visitor, change: dict[str, str], field: str, said: str
) -> None:
    answer = visitor.post("/jobs/new", {**FORM, "customer": "School line", "entry": "e1", **change})
    assert answer.status_code == 422
    page = Elements(answer.text)
    assert page.having(id=f"error-{field}")
    assert said in answer.text
    assert page.having(id="customer", value="School line")


@pytest.mark.parametrize(
    "vin, said",
    [
        ("", ""),
        ("11111111111111111", "The check digit agrees."),
        ("ZZ9BL09C6RV000917", "The check digit would be"),
        ("SHORT", "5 characters: a VIN has 17"),
    ],
)
def test_the_vin_is_remarked_on_and_never_refused(visitor: Visitor, vin: str, said: str) -> None:
    assert said in visitor.client.get("/jobs/new/vin", params={"vin": vin}).text
    answer = visitor.post("/jobs/new", {**FORM, "vin": vin, "entry": "e2"})
    assert answer.status_code == 303


def test_the_sheet_shows_every_check_with_its_state_and_one_open(full: Technician) -> None:
    page = Visitor(full.garage).page(f"/jobs/{full.job}?check=square")
    states = {a["data-check"]: a["data-state"] for a in page.having() if "data-state" in a}
    assert states["square"] == "holds"
    assert len(page.having(data_open="")) == 1
    assert page.having(class_="run-row"), "settled groups fold into one row"
    assert {a.get("name") for tag, a in page.tags if tag == "input"} >= {"typed", "entry", "token", "station"}
    assert [a for a in page.having(name="typed") if "data-draft" in a]


def test_every_happening_has_a_control_of_its_own(teo: Technician) -> None:
    page = Visitor(teo.garage).page(f"/jobs/{teo.job}")
    offered = {a["value"] for a in page.having(name="what")}
    of_stands = {name for name, one in HAPPENINGS.items() if one.of in ("stand", "tripod", "together")}
    assert offered >= set(HAPPENINGS) - of_stands, "no stand belongs to this sheet"
    assert not offered & of_stands


def test_htmx_gets_the_part_that_changes_and_a_plain_form_is_led_back(teo: Technician) -> None:
    visitor = Visitor(teo.garage)
    fields = {"check": "ride_height", "slot": "arch.LF", "typed": "712", "tool": "tape-4", "entry": "e1"}
    part = visitor.post(f"/jobs/{teo.job}/readings", fields, **{"HX-Request": "true"})
    assert part.status_code == 200
    assert "<html" not in part.text
    assert part.headers["HX-Replace-Url"].endswith("slot=arch.RF")
    plain = visitor.post(f"/jobs/{teo.job}/readings", {**fields, "entry": "e2", "slot": "arch.RF"})
    assert plain.status_code == 303
    assert plain.headers["location"].endswith("check=ride_height&slot=arch.LR")
    assert teo.opened.row.count == BEGUN + 2


@pytest.mark.parametrize(
    "path, fields",
    [
        ("readings", {"slot": "arch.LF", "typed": "712", "tool": "tape-4"}),
        ("answers", {"slot": "tick.tyres", "value": "yes"}),
        ("happenings", {"what": "bump"}),
        ("undo", {}),
        ("overrides", {"check": "tyres", "reason": "for a good enough reason"}),
        ("sign", {"head": "x"}),
        ("reopen", {"reason": "for a good enough reason"}),
    ],
)
def test_a_post_from_elsewhere_is_refused_and_so_is_one_by_nobody(
    teo: Technician, path: str, fields: dict[str, str]
) -> None:
    visitor = Visitor(teo.garage)
    forged = visitor.client.post(f"/jobs/{teo.job}/{path}", data={"entry": "e", **fields})
    assert forged.status_code == 409
    assert "nothing was recorded" in forged.text
    wrong = visitor.client.post(f"/jobs/{teo.job}/{path}", data={"token": "0" * 32, "entry": "e", **fields})
    assert wrong.status_code == 409
    nobody = Visitor(teo.garage, person="")
    answer = nobody.post(f"/jobs/{teo.job}/{path}", {"entry": "e", **fields})
    assert answer.status_code in (409, 422)
    assert teo.opened.row.count == BEGUN


def test_the_policy_forbids_what_is_not_shipped_and_no_page_needs_more(full: Technician) -> None:
    visitor = Visitor(full.garage)
    for path in ("/", "/jobs/new", f"/jobs/{full.job}", "/garage", "/parts", "/api/docs", "/no-such-page"):
        answer = visitor.client.get(path)
        policy = answer.headers["Content-Security-Policy"]
        assert "default-src 'self'" in policy
        assert "unsafe" not in policy
        page = Elements(answer.text)
        assert not [a for _, a in page.tags if "style" in a or any(key.startswith("on") for key in a)]
        assert all(a.get("src") for tag, a in page.tags if tag == "script")
        for _, a in page.tags:
            for key in ("src", "href", "action"):
                assert not re.match(r"(https?:)?//", a.get(key, ""))
    cookie = visitor.client.get("/parts", headers={"Cookie": ""}).headers.get("set-cookie", "samesite=strict httponly")
    assert "samesite=strict" in cookie.lower()


def test_a_body_beyond_the_limit_is_refused_at_the_door(visitor: Visitor) -> None:
    answer = visitor.client.post("/api/compute/vin", content=b" " * (LARGEST_BODY + 1))
    assert answer.status_code == 413
    chunks = visitor.client.post("/api/compute/vin", content=iter([b"{}"]))
    assert chunks.status_code == 413


def test_jobs_are_listed_a_page_at_a_time_with_the_addresses_of_their_records(full: Technician) -> None:
    visitor = Visitor(full.garage)
    for k in range(54):
        full.garage.clock = lambda k=k: 1_764_100_000_000 + k  # type: ignore[misc]
        visitor.post("/jobs/new", {**FORM, "number": f"L-{k}", "entry": f"l{k}"})
    first = visitor.client.get("/api/jobs").json()
    assert len(first["jobs"]) == 50
    assert first["jobs"][0]["number"] == "L-53"
    second = visitor.client.get(first["next"]).json()
    assert second["next"] is None
    assert [job["number"] for job in second["jobs"]] == ["L-3", "L-2", "L-1", "L-0", "T-1"]
    unsigned = second["jobs"][-1]
    assert set(unsigned) == {"id", "number", "state", "calibrations"}
    begun = {"sheet": "BL-CAM-01", "state": "in_work", "record_pdf": None, "record_json": None}
    assert (unsigned["state"], unsigned["calibrations"]) == ("in_work", [begun])
    full.finish()
    head = full.opened.row.head
    signed = visitor.post(f"/jobs/{full.job}/sign", {"head": head, "entry": "s"})
    assert signed.status_code == 303
    listed = visitor.client.get("/api/jobs?page=2").json()["jobs"][-1]
    assert listed["state"] == "signed"
    (record,) = listed["calibrations"]
    assert visitor.client.get(record["record_pdf"]).content.startswith(b"%PDF-")
    assert visitor.client.get(record["record_json"]).json()["number"] == "T-1"
    assert visitor.client.get("/api/jobs?page=0").status_code == 422
    assert visitor.client.get("/api/jobs?page=x").status_code == 422


@pytest.mark.parametrize(
    "path, status",
    [
        ("/jobs/nothing", 404),
        ("/jobs/nothing/record/1.pdf", 404),
        ("/nowhere", 404),
        ("/schemas/procedure.json", 200),
        ("/schemas/check.ride_height.json", 200),
        ("/schemas/record.json", 200),
        ("/schemas/secrets.json", 422),
        ("/healthz", 200),
        ("/openapi.json", 200),
    ],
)
def test_addresses_answer(visitor: Visitor, path: str, status: int) -> None:
    assert visitor.client.get(path).status_code == status


def test_the_openapi_page_documents_every_kind_and_its_schemas_are_there(visitor: Visitor) -> None:
    document = visitor.client.get("/openapi.json").json()
    paths = {path for path in document["paths"] if path.startswith("/api/compute/")}
    assert paths == {f"/api/compute/{kind}" for kind in KINDS}
    for path in paths:
        body = document["paths"][path]["post"]["requestBody"]["content"]["application/json"]["schema"]
        assert visitor.client.get(body["$ref"]).json()["title"]
    assert set(document["paths"]) - paths == {"/api/jobs", "/healthz", "/schemas/{name}.json"}
    unknown = visitor.client.post("/api/compute/sorcery", json={})
    assert (unknown.status_code, unknown.json()["field"]) == (422, "kind")


def test_the_dim_theme_is_kept_and_the_view_too(full: Technician) -> None:
    visitor = Visitor(full.garage)
    assert visitor.page(f"/jobs/{full.job}").having(data_theme="auto"), "the device's own, until one is chosen"
    assert visitor.post("/theme", {"theme": "blue", "back": "/"}).status_code == 422
    assert (
        visitor.post("/theme", {"theme": "dim", "back": f"/jobs/{full.job}"}).headers["location"] == f"/jobs/{full.job}"
    )
    visitor.client.cookies.set("escuadra_theme", "dim")
    visitor.client.cookies.set("escuadra_view", "side")
    page = visitor.page(f"/jobs/{full.job}")
    assert page.having(data_theme="dim")
    assert page.having(aria_label="Side view of vehicle and target")


def test_every_page_has_the_same_places_and_marks_its_own(full: Technician) -> None:
    visitor = Visitor(full.garage)
    for path, place in (
        ("/", "Day"),
        (f"/jobs/{full.job}", "Day"),
        (f"/jobs/{full.job}/round", "Day"),
        ("/visits", "Visits"),
        (f"/visits/{full.job}", "Visits"),
        (f"/visits/{full.job}/codes", "Visits"),
        ("/bays", "Bays"),
        ("/bays/Norte", "Bays"),
        ("/instruments/tape-4", "Instruments"),
        ("/garage", "Garage"),
        ("/catalogue/frame/galga-2", "Catalogue"),
    ):
        page = visitor.page(path)
        links = [a["href"] for a in page.having(class_="bar-button place-link")]
        (here,) = {a["href"] for a in page.having(aria_current="page")}
        assert {*links, here} == {"/", "/visits", "/bays", "/instruments", "/catalogue", "/garage"}, path
        assert here == ("/" if place == "Day" else f"/{place.lower()}")


def test_the_garage_finds_in_its_catalogue_and_tells_what_was_left_out(full: Technician) -> None:
    visitor = Visitor(full.garage)
    assert "BL-CAM-01" in visitor.client.get("/catalogue?q=lanzadera cam").text
    assert "HV-CAM-01" not in visitor.client.get("/catalogue?q=lanzadera cam").text
    assert "Nothing in the catalogue is called so" in visitor.client.get("/catalogue?q=nothing").text
    assert "Ring road" in visitor.client.get("/catalogue?q=ring road").text
    refused = CatalogueError("vehicle", "nobody", said("as_told", text="one of the catalogue"), "sheet.yaml:4: vehicle")
    full.garage._given, full.garage._shelf = replace(full.garage.catalogue, refused=(refused,)), None
    assert "sheet.yaml:4: vehicle: given nobody" in visitor.client.get("/garage").text


def test_older_jobs_are_a_page_away(full: Technician) -> None:
    visitor = Visitor(full.garage)
    for k in range(51):
        full.garage.clock = lambda k=k: 1_764_100_000_000 + k  # type: ignore[misc]
        visitor.post("/jobs/new", {**FORM, "number": f"O-{k}"})
    first = visitor.page("/visits")
    assert [a["href"] for a in first.having(rel="next")] == ["/visits?page=2"]
    second = visitor.client.get("/visits?page=2").text
    assert "T-1" in second
    assert "O-50" not in second
    assert visitor.client.get("/visits?page=0").status_code == 422


def test_a_question_of_yes_or_no_is_answered_at_the_foot(full: Technician) -> None:
    full.happen("door")
    visitor = Visitor(full.garage)
    page = visitor.page(f"/jobs/{full.job}")
    assert len(page.having(class_="yes-no")) == 1
    visitor.post(f"/jobs/{full.job}/answers", {"check": "doors", "slot": "tick.doors", "value": "yes"})
    assert full.opened.state.live("tick.doors")[-1].value == "yes"


SHEETS = sorted(path.stem.upper() for path in (PRACTICE / "procedures").glob("*.yaml"))


@pytest.mark.parametrize("sheet", SHEETS)
def test_every_check_of_every_sheet_opens(visitor: Visitor, garage: Garage, sheet: str) -> None:
    procedure = garage.catalogue.get("procedure", sheet).content
    who = Technician(garage, BEGUN, "teo")
    who.take_in(number="S-1", reason=procedure.reasons[0], bay="Norte", procedure=sheet)
    for check in [view.check.id for view in who.opened.sheet.checks]:
        page = visitor.page(f"/jobs/{who.job}?check={check}")
        assert page.having(**{"data-check": check}), check
    for step in ("/steps", "/screws"):
        visitor.page(f"/jobs/{who.job}{step}")
