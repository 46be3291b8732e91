"""The stations' page without a script, a run refused and recorded, a printed record of runs; catalogue entries."""

import yaml

from escuadra.catalogue import Catalogue
from escuadra.commands import Garage
from escuadra.core.procedure.entries import KINDS
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import Record, build
from tests.conftest import NOON
from tests.core.visit.test_stations import begun, set_up, shifted
from tests.english import told
from tests.web.conftest import Visitor


def test_a_run_is_refused_until_everything_holds_then_told_and_printed(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    visitor, path = Visitor(garage), f"/jobs/{who.job}/stations"
    refused = visitor.post(f"/jobs/{who.job}/run", {"station": "centre", "entry": "r1"})
    assert refused.status_code == 409
    assert "Not settled yet: Target" in refused.text
    set_up(who)
    page = visitor.page(f"/jobs/{who.job}")
    assert [a for a in page.having() if a.get("data-key") == "r"]
    assert visitor.post(f"/jobs/{who.job}/run", {"station": "centre", "entry": "r2"}).status_code == 303
    assert visitor.post(f"/jobs/{who.job}/run", {"station": "centre", "entry": "r2"}).status_code == 303, (
        "pressed twice: one run"
    )
    assert len(who.opened.state.runs) == 1
    shifted(who)
    text = visitor.client.get(path).text
    assert "run, and read again afterwards" in text
    assert "Shift the target 1\u202f404\u202fmm to the right on the beam." in text
    assert "What the checks said at each run" in text
    record = build(who.opened, garage.person("ines"), NOON, "Valdehierro")
    assert [(run.station, run.proof) for run in record.runs] == [("centre", "proven")]
    assert {told(said.title) for said in record.runs[0].said} >= {
        "Square to the thrust line",
        "Position on the crossbeam",
        "Target",
    }
    assert Record.model_validate_json(record.model_dump_json()) == record


def test_a_sheet_with_one_place_has_no_stations(teo: Technician) -> None:
    answer = Visitor(teo.garage).client.get(f"/jobs/{teo.job}/stations")
    assert answer.status_code == 422
    assert "run at several places" in answer.text


def test_every_catalogue_entry_is_shown_and_can_be_copied(garage: Garage, catalogue: Catalogue) -> None:
    visitor = Visitor(garage)
    for entry in catalogue.entries.values():
        text = visitor.client.get(f"/catalogue/{entry.kind}/{entry.id}").text
        assert f"revision {entry.revision}" in text
        copied = visitor.client.get(f"/catalogue/{entry.kind}/{entry.id}.yaml").text
        assert KINDS[entry.kind].model_validate(yaml.safe_load(copied)) == entry.content
    assert "degrees" in visitor.client.get("/catalogue/frame/galga-2").text
    assert visitor.client.get("/catalogue/frame/none").status_code == 404
    assert visitor.client.get("/catalogue/wheel/none").status_code == 404
