"""The register and the guided checks over HTTP: what they show in each state, refuse, keep and give away."""

import csv
import io
import re

import pytest

from escuadra.commands import Garage
from escuadra.commands.forms import press
from escuadra.commands.instrument_life import Drop
from tests.core.visit.test_instruments import check, framed
from tests.web.conftest import Elements, Visitor

PLUMB = "/instruments/laser-2/checks/plumb"
DONE = "height=3+m&bottom=0&bottom=0&bottom=0"
ENTERED = {"name": "Level 12", "kind": "digital_level", "unit": "°", "resolution": "0,01", "reads-level": "yes"}
ENTERED |= {"accuracy_constant": "0.03"}


@pytest.fixture
def visitor(garage: Garage) -> Visitor:
    return Visitor(garage)


def marks(visitor: Visitor, path: str) -> list[str]:
    return [a["aria-label"] for a in visitor.page(path).having(role="img") if "mark" in a.get("class", "").split()]


def test_the_register_puts_first_what_cannot_be_relied_on(visitor: Visitor, garage: Garage) -> None:
    assert set(marks(visitor, "/instruments")) == {"to do"}
    check(garage, "crossed-3", "square_corner", 30.0)
    check(garage, "level-1", "end_for_end", 0.02)
    garage.do(Drop("tape-4", "run over"), "teo", press())
    assert marks(visitor, "/instruments")[:2] == ["out of tolerance", "out of date"]
    assert "in tolerance" in marks(visitor, "/instruments")
    assert marks(visitor, "/instruments/level-1")[0] == "in tolerance"
    assert "It takes no readings" in visitor.client.get("/instruments/tape-4").text


def test_an_instrument_is_entered_changed_and_put_away(visitor: Visitor, garage: Garage) -> None:
    wrong = visitor.post("/instruments", {**ENTERED, "repeatability": "some"})
    assert wrong.status_code == 422
    assert 'value="Level 12"' in wrong.text
    bare = {name: text for name, text in ENTERED.items() if name not in ("resolution", "accuracy_constant", "unit")}
    asked = visitor.post("/instruments", bare)
    assert asked.status_code == 422
    assert "no instrument is perfect" in asked.text
    offered = Elements(asked.text)
    assert [offered.having(id=name)[0]["value"] for name in ("resolution", "accuracy_constant")] == ["0.05", "0.1"]
    assert "level-12" not in garage.instruments.every()
    refused = visitor.post("/instruments", {**ENTERED, "accuracy_constant": "0"})
    assert "nothing is perfect" in refused.text
    assert visitor.post("/instruments", ENTERED).headers["location"] == "/instruments/level-12"
    assert visitor.post("/instruments", ENTERED).status_code == 422
    assert visitor.post("/instruments", {**ENTERED, "name": "№"}).headers["location"] == "/instruments/no"
    assert visitor.post("/instruments", {**ENTERED, "name": "++"}).headers["location"] == "/instruments/instrument"
    assert visitor.post("/instruments", {**ENTERED, "name": "--"}).headers["location"] == "/instruments/instrument-2"
    for act, fields in (("give", {"to": "nobody"}), ("sheet", {**ENTERED, "check_days": "soon"}), ("burn", {})):
        assert visitor.post(f"/instruments/level-12/{act}", fields).status_code == 422
    visitor.post("/instruments/level-12/sheet", {**ENTERED, "name": "Level 12 b", "check_days": "60"})
    assert garage.instruments.one("level-12").tool.check_days == 60
    assert visitor.post("/instruments/level-12/retire", {}).status_code == 303
    assert "Level 12 b" not in visitor.client.get("/instruments").text
    assert visitor.client.get("/instruments/nothing").status_code == 404


@pytest.mark.parametrize(
    "query, step, said",
    [
        ("", "Height", ""),
        ("height=3000", "At the bottom, reading 1 of 3", ""),
        ("height=tall", "Height", "a length such as"),
        ("height=3", "Height", "Height: 3?"),
        ("height=3!", "At the bottom, reading 1 of 3", ""),
        (f"{DONE}&top=0.9", "At the top, reading 1 of 3", "beam left of it"),
        (f"{DONE}&top=0.9%7Cplus", "At the top, reading 2 of 3", ""),
    ],
)
def test_a_guided_check_goes_on_from_what_stands_in_its_address(
    visitor: Visitor, query: str, step: str, said: str
) -> None:
    text = visitor.client.get(f"{PLUMB}?{query}").text
    label = re.search(r'<label class="entry-label"\s+for="typed">(.*?)</label>', text)
    assert label is not None
    assert label[1] == step
    assert said in text
    assert ("aria-invalid" in text) == bool(said)


def test_a_reading_far_from_the_reference_is_asked_about(visitor: Visitor) -> None:
    path = "/instruments/tape-4/checks/reference?length=3000.2&readings="
    assert "What the instrument reads: 90 cm?" in visitor.client.get(f"{path}90+cm").text
    assert "reading 2 of 3" in visitor.client.get(f"{path}3001").text
    assert "reading 2 of 3" in visitor.client.get(f"{path}90+cm!").text


def test_a_finding_is_shown_kept_once_and_told_to_the_jobs(visitor: Visitor, garage: Garage) -> None:
    check(garage, "laser-2", "plumb", 0.1)
    who = framed(garage, "VF-1")
    tops = "&".join(["top=30%7Cplus"] * 3)
    page = visitor.page(f"{PLUMB}?{DONE}&{tops}")
    assert [a["aria-label"] for a in page.having(role="img") if "state-out" in a["class"]] == ["out of tolerance"]
    fields = {"height": "3 m", "bottom": "0;0;0", "top": ";".join(["30|plus"] * 3), "entry": "k"}
    assert visitor.post(PLUMB, {**fields, "top": "30"}).status_code == 422
    assert visitor.post(PLUMB, fields).status_code == 303
    assert visitor.post(PLUMB, fields).status_code == 303
    assert len(garage.instruments.one("laser-2").checks()) == 2
    stale = visitor.page(f"/jobs/{who.job}?check=centred").having(data_check="centred")
    assert stale[0]["data-state"] == "stale"
    found = list(csv.DictReader(io.StringIO(visitor.client.get("/instruments/register.csv").text)))
    laser = [row["state"] for row in found if row["instrument"] == "laser-2"]
    assert laser == ["", "holds", "out"]
    assert visitor.client.get("/instruments/laser-2/checks/two_peg").status_code == 404
    assert visitor.client.get("/instruments/register.json").json()["instruments"]
    assert "HV-CAM-01" in visitor.client.get("/instruments/tape-4/decides").text
