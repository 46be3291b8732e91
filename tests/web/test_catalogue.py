"""The catalogue without a script: found in, taken out and in as a bundle; sheets made here, told and withdrawn."""

import io
import re
import zipfile
from pathlib import Path
from typing import Any

import pytest

from escuadra.catalogue import Catalogue
from escuadra.catalogue.library import entry
from escuadra.catalogue.spreadsheet import read_table
from escuadra.commands import Garage
from escuadra.commands.desk import on_desk
from escuadra.commands.writing import BeginEntry, LookOver, ReleaseEntry, TypeFields
from escuadra.core.base.errors import BadInput
from escuadra.rehearsal import Technician, rehearse
from tests.english import refused
from tests.web.conftest import Visitor


def released(garage: Garage, id: str, like: str, **typed: str) -> None:
    """A sheet made like another, typed by Teo, looked over and released by Inés."""
    garage.do(BeginEntry("procedure", id, like), "teo", f"{id}-begin")
    garage.do(TypeFields("procedure", id, 1, typed), "teo", f"{id}-type")
    garage.do(LookOver("procedure", id, 2), "ines", f"{id}-look")
    garage.do(ReleaseEntry("procedure", id, 3, rehearse), "ines", f"{id}-release")


def test_a_sheet_goes_from_one_garage_to_another(garage: Garage, tmp_path: Path) -> None:
    released(garage, "QR-CAM-31", "QR-CAM-01", title="Camera at the harbour")
    visitor = Visitor(garage)
    assert "QR-CAM-31" in visitor.client.get("/catalogue?q=harbour+risco").text, "found by its vehicle's words too"
    bundle = visitor.client.get("/catalogue/bundle.zip?q=harbour").content
    with zipfile.ZipFile(io.BytesIO(bundle)) as archive:
        assert "vehicles/quillon-risco.yaml" in archive.namelist()
    other = Garage(tmp_path / "other", garage.clock)
    there = Visitor(other, "")
    there.post("/garage", {"person": "Nela", "role": "specialist"})
    there.client.cookies.set("escuadra_person", "nela")
    token = there.client.cookies.get("escuadra_token") or ""
    looked = there.client.post("/catalogue/bundle", data={"token": token}, files={"file": ("b.zip", bundle)})
    states = re.findall(r'data-state="(\w+)"', looked.text)
    assert (states.count("new"), states.count("refused")) == (1, 0)
    digest = re.findall(r'name="bundle" value="(\w+)"', looked.text)[0]
    assert there.post("/catalogue/bundle/take", {"bundle": digest}).status_code == 303
    assert "nobody here has looked" not in there.client.get("/catalogue?q=harbour").text
    assert "QR-CAM-31" in there.client.get("/jobs/new").text
    assert "nobody here looked it over" in there.client.get("/write/procedure/QR-CAM-31/check").text
    there.post("/write/procedure/QR-CAM-31/life", {"what": "withdraw", "why": "the maker has a newer one"})
    assert "QR-CAM-31" not in there.client.get("/jobs/new").text
    broken = there.client.post("/catalogue/bundle", data={"token": token}, files={"file": ("b.zip", bundle[:300])})
    assert broken.status_code == 422
    other.close()


def test_practice_sheets_can_be_hidden(garage: Garage) -> None:
    released(garage, "QR-CAM-32", "QR-CAM-01", title="Our own")
    visitor = Visitor(garage)
    visitor.post("/catalogue/practice", {"practice": "hidden"})
    text = visitor.client.get("/jobs/new").text
    assert "QR-CAM-32" in text
    assert "Quillon Risco" in text, "the model that our own sheet is for"
    assert "BL-CAM-01" not in text
    assert "Brezo" not in text
    visitor.post("/catalogue/practice", {"practice": "shown"})
    assert "BL-CAM-01" in visitor.client.get("/jobs/new").text


def test_of_many_sheets_those_are_offered_that_are_searched_for(garage: Garage, catalogue: Catalogue) -> None:
    model = catalogue.get("vehicle", "quillon-risco")
    sheet = catalogue.get("procedure", "QR-CAM-01")
    many = dict(catalogue.entries)
    for k in range(80):
        own = model.content.model_copy(update={"id": f"m-{k}", "name": f"Quillon {k}", "years": [2000 + k % 20]})
        many["vehicle", own.id] = entry("vehicle", own)
        made = sheet.content.model_copy(update={"id": f"M-{k}", "vehicle": own.id})
        many["procedure", made.id] = entry("procedure", made)
    garage._given = Catalogue(many)
    visitor = Visitor(garage)
    assert "M-7" not in visitor.client.get("/jobs/new").text, "too many to be listed"
    found = visitor.client.get("/jobs/new/choices?find=quillon+2007").text
    assert re.findall(r'<option value="(M-\d+)"', found) == ["M-27", "M-47", "M-67", "M-7"]
    kept = visitor.client.get("/jobs/new/choices?find=lanzadera&procedure=M-7").text
    assert 'value="M-7" selected' in kept, "what was chosen stays"
    assert 'value="BL-CAM-01"' in kept


def test_a_visit_goes_on_with_the_sheet_that_it_began_with(full: Technician) -> None:
    garage = full.garage
    before = full.opened.sheet.plan.procedure
    id = before.id
    garage.do(BeginEntry("procedure", id), "teo", "again-begin")
    garage.do(TypeFields("procedure", id, garage.store.count(f"entry/procedure/{id}"), {"title": "Newer"}), "teo", "t")
    seen = garage.store.count(f"entry/procedure/{id}")
    garage.do(LookOver("procedure", id, seen), "ines", "look")
    garage.do(ReleaseEntry("procedure", id, seen + 1, rehearse), "ines", "release")
    assert garage.catalogue.get("procedure", id).revision == before.revision + 1
    assert full.opened.sheet.plan.procedure == before
    number = full.opened.state.job.number  # type: ignore[union-attr]
    assert number in Visitor(garage).client.get(f"/write/procedure/{id}/check").text


def book(rows: list[list[Any]]) -> bytes:
    """A workbook with one sheet."""
    import openpyxl

    made, out = openpyxl.Workbook(), io.BytesIO()
    for row in rows:
        made.active.append(row)  # type: ignore[union-attr]
    made.save(out)
    return out.getvalue()


ROWS: list[list[Any]] = [
    ["Sheet", "Distance (cm)", "Square", "Remark"],
    ["QR-CAM-41", 213.5, "15'", "a"],
    ["QR-CAM-42", 214, "0.2°", "b"],
]
CSV = "\n".join(";".join(str(cell).replace(".", ",") for cell in row) for row in ROWS).encode()


@pytest.mark.parametrize(("name", "content"), [("t.xlsx", book(ROWS)), ("t.csv", CSV)])
def test_a_table_of_figures_becomes_drafts_all_or_none(garage: Garage, name: str, content: bytes) -> None:
    visitor = Visitor(garage)
    token = visitor.client.cookies.get("escuadra_token") or ""
    asked = {"token": token, "entry": "e", "kind": "procedure", "like": "QR-CAM-01"}
    text = visitor.client.post("/write-table", data=asked, files={"file": (name, content)}).text
    given = {**asked, "file": re.findall(r'name="file" value="(\w+)"', text)[0], "name": name}
    columns = {"column.0": "id", "column.1": "distance", "column.2": "checks.square.limits.plus"}
    missing = visitor.post("/write-table/rows", given)
    assert missing.status_code == 422
    assert "one column that is the entries" in missing.text
    wrong = visitor.post("/write-table/rows", {**given, **columns, "column.3": "height", "take": "yes"})
    assert wrong.status_code == 409
    assert garage.store.drafts() == []
    looked = visitor.post("/write-table/rows", {**given, **columns}).text
    assert 'data-rows="2"' in looked
    assert visitor.post("/write-table/rows", {**given, **columns, "take": "yes"}).status_code == 303
    desk = on_desk(garage, "procedure", "QR-CAM-41")
    square = next(check for check in desk.says.data["checks"] if check["id"] == "square")
    assert (desk.says.data["distance"], square["limits"]["plus"]) == (2135, 0.25)
    source = desk.draft.fields["distance"].source
    assert (source.document, source.page) == (name, "2")  # type: ignore[union-attr]
    again = visitor.client.post("/write-table", data=asked, files={"file": (name, content)}).text
    assert '<option value="distance" selected>' in again, "how columns were mapped is kept"


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"a;b\n",
        b"a;a\n1;2\n",
        b"\xff\xfe\x00",
        b"PK\x03\x04",
        book([list(range(101))] * 2),
        CSV + b"\nx;1" * 500,
    ],
)
def test_what_is_no_table_is_refused_in_words(content: bytes) -> None:
    with refused(BadInput):
        read_table("t", content)


def test_a_refused_file_is_told_in_the_garage_in_words(garage: Garage, tmp_path: Path) -> None:
    folder = tmp_path / "own" / "catalogue" / "procedures"
    folder.mkdir(parents=True)
    (folder / "zz.yaml").write_text("id: ZZ-1\nrevision: 1\ntitle: x\n")
    own = Garage(tmp_path / "own", garage.clock)
    text = Visitor(own).client.get("/garage").text
    assert "zz.yaml:1: note: given nothing; accepted: a value; it is missing" in text
    own.close()
