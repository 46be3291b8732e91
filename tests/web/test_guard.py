"""The gate: hosts, foreign pages, odd text, names of downloads; no answer is a failure and each has its headers."""

from typing import Any
from urllib.parse import unquote

import pytest
from fastapi.testclient import TestClient

from escuadra.rehearsal.technician import Technician
from escuadra.web.app import create_app
from escuadra.web.downloads import named
from escuadra.web.guard import HEADERS
from tests.conftest import finished, ground_flat
from tests.web.conftest import Visitor
from tests.web.test_pages import FORM

OURS = {"Host": "127.0.0.1"}


@pytest.mark.parametrize(
    "method, headers, status",
    [
        ("GET", {"Host": "127.0.0.1:8300"}, 200),
        ("GET", {"Host": "LOCALHOST"}, 200),
        ("GET", {"Host": "[::1]:8300"}, 200),
        ("GET", {"Host": "tablet.bay:8300"}, 200),
        ("GET", {"Host": "elsewhere.example"}, 421),
        ("GET", {"Host": ""}, 421),
        ("GET", {**OURS, "Sec-Fetch-Site": "cross-site"}, 200),
        ("POST", {**OURS, "Origin": "http://127.0.0.1", "Sec-Fetch-Site": "same-origin"}, 303),
        ("POST", {**OURS, "Sec-Fetch-Site": "none"}, 303),
        ("POST", {**OURS, "Sec-Fetch-Site": "cross-site"}, 403),
        ("POST", {**OURS, "Sec-Fetch-Site": "same-site"}, 403),
        ("POST", {**OURS, "Origin": "http://elsewhere.example"}, 403),
        ("POST", {**OURS, "Origin": "http://127.0.0.1:9999"}, 403),
        ("POST", {**OURS, "Origin": "null"}, 403),
        ("POST", {**OURS, "Content-Type": "application/x-www-form-urlencoded; charset=unicode_escape"}, 415),
    ],
)
def test_who_may_ask_and_who_may_write(teo: Technician, method: str, headers: dict[str, str], status: int) -> None:
    app = create_app(teo.garage, hosts=("tablet.bay",))
    client = TestClient(app, base_url="http://127.0.0.1", follow_redirects=False)
    client.get("/")
    fields = {"token": client.cookies["escuadra_token"], "person": "teo", "back": "/"}
    kept = {"Cookie": f"escuadra_token={fields['token']}"}
    answer = client.request(
        method,
        "/person" if method == "POST" else "/",
        data=fields if method == "POST" else None,
        headers=headers | kept,
    )
    assert answer.status_code == status, answer.text[:300]
    assert {name: answer.headers.get(name) for name in HEADERS} == HEADERS
    assert status < 400 or 'class="paper' in answer.text


def test_a_failure_is_a_page_with_headers_and_is_written_down(
    visitor: Visitor,
    monkeypatch: pytest.MonkeyPatch,
    caplog: pytest.LogCaptureFixture,
) -> None:
    def broken(*_: Any) -> None:
        raise RuntimeError("planted")

    monkeypatch.setattr(visitor.client.app.state.garage, "of_today", broken)  # type: ignore[attr-defined]
    answer = visitor.client.get("/")
    assert (answer.status_code, answer.headers["X-Frame-Options"]) == (500, "DENY")
    assert "planted" not in answer.text
    assert "planted" in caplog.text


@pytest.mark.parametrize(
    "path, fields, status",
    [
        ("/jobs/new", {**FORM, "odometer_km": "²"}, 422),
        ("/jobs/new", {**FORM, "odometer_km": "9" * 5000}, 422),
        ("/jobs/new", {**FORM, "number": "N\r\n7"}, 422),
        ("/jobs/new", {**FORM, "number": "N\x007"}, 422),
        ("/jobs/new", {**FORM, "customer": "a\x1bb"}, 422),
        ("/instruments", {"name": "Tape", "kind": "steel_tape", "check_days": "²", "repeatability": "1"}, 422),
        ("/instruments", {"file": '{"instruments": ' + "[" * 5000 + "]" * 5000 + "}"}, 422),
        ("/instruments", {"file": '{"instruments": [{"tool": "\\ud800"}]}'}, 422),
        ("/instruments", {"file": "instrument,name\n" + "x" * 140_000}, 422),
        ("/instruments", {"file": "instrument,name\r" + "x\ry"}, 422),
        ("/bays", {"name": "New", "length": "9000", "width": "4000", "thing-x-name": "pillar"}, 303),
        ("/bays", {"name": "New", "length": "9000", "width": "4000", "thing-": "pillar"}, 303),
        ("/bays", {"name": "New", "length": "9000", "width": "", "thing-300000-name": "pillar"}, 422),
        ("/garage", {"person": "a\x07b"}, 422),
    ],
)
def test_odd_text_is_refused_or_ignored(
    visitor: Visitor,
    path: str,
    fields: dict[str, str],
    status: int,
) -> None:
    answer = visitor.post(path, {"entry": "odd", **fields})
    assert answer.status_code == status, answer.text[-600:]


def test_an_odd_token_is_no_token(visitor: Visitor) -> None:
    assert visitor.client.post("/person", data={"token": "é", "person": "teo"}).status_code == 409


@pytest.mark.parametrize("name, id", [("!!!", "person"), ("Ω", "person"), ("Ana Prat", "ana-prat"), ("Áæ 2", "a-2")])
def test_every_name_becomes_an_id_and_nobody_enters_nothing(teo: Technician, name: str, id: str) -> None:
    lead = Visitor(teo.garage)
    assert lead.post("/garage", {"person": name, "role": "lead"}).status_code == 303
    assert id in [p["id"] for p in teo.garage.store.people()]
    assert lead.post("/garage", {"person": name.upper(), "role": "lead"}).status_code == 422
    assert lead.post("/person", {"person": id, "back": "/"}).status_code == 303
    nobody = Visitor(teo.garage, person="")
    count = teo.opened.row.count
    nobody.post(f"/jobs/{teo.job}/answers", {"entry": "n", "slot": "tick.doors", "value": "yes"})
    assert teo.opened.row.count == count


def test_downloads_have_names_whatever_the_job_is_called(garage: Any) -> None:
    ground_flat(garage, "Norte")
    worker = Technician(garage, 1_764_072_000_000, "teo")
    worker.take_in(number='Ω "7"/é', reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    finished(worker)
    worker.finish()
    browser = Visitor(garage)
    assert browser.post(f"/jobs/{worker.job}/sign", {"head": worker.opened.row.head, "entry": "s"}).status_code == 303
    for path in ("record/1.pdf", "record/1.json", "lines/marks.csv", "lines/marks.dxf"):
        answer = browser.client.get(f"/jobs/{worker.job}/{path}")
        assert answer.status_code == 200, path
        said = answer.headers["Content-Disposition"]
        assert said.count('"') == 2
        assert "Ω" in unquote(said.rsplit("''", 1)[1])


@pytest.mark.parametrize(
    "name, said",
    [
        ("plain-7", 'attachment; filename="plain-7.pdf"'),
        ('a"b\r\nc/d', 'attachment; filename="a-bc-d.pdf"'),
        ("Ω", "attachment; filename=\"file.pdf\"; filename*=UTF-8''%CE%A9.pdf"),
        ("é", "attachment; filename=\"e.pdf\"; filename*=UTF-8''%C3%A9.pdf"),
        ("..", 'attachment; filename="file.pdf"'),
    ],
)
def test_a_name_is_said_as_the_standards_want(name: str, said: str) -> None:
    assert named(name, "pdf")["Content-Disposition"] == said
