"""A newer revision of a sheet is told in its visits, with what differs, and followed only where somebody says so."""

from pathlib import Path

from escuadra.catalogue import Catalogue
from escuadra.commands import Garage
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock
from tests.core.visit.test_worded_otherwise import otherwise
from tests.web.conftest import Visitor

SHEET = "BL-CAM-01"


def newer(folder: Path, catalogue: Catalogue, revision: int, distance: float) -> tuple[Garage, Visitor]:
    says = {"revision": revision, "distance": distance, "most_runs": 4}
    garage = Garage(folder, Clock(), otherwise(catalogue, SHEET, says, {}))
    return garage, Visitor(garage)


def answer(visitor: Visitor, who: Technician, revision: int, take: str) -> tuple[int, str]:
    found = visitor.post(f"/jobs/{who.job}/revision", {"revision": str(revision), "take": take})
    return found.status_code, found.text


def test_a_visit_goes_on_as_somebody_says(full: Technician, tmp_path: Path, catalogue: Catalogue) -> None:
    full.garage.close()
    garage, visitor = newer(tmp_path / "data", catalogue, 20, 2652)
    page = visitor.client.get(f"/jobs/{full.job}").text
    assert "Revision 20 of BL-CAM-01 is out." in page
    assert "2640 → 2652" in page
    assert "Other things than figures differ too." in page
    assert answer(visitor, full, 19, "yes")[0] == 409, "another is the newest"
    assert answer(visitor, full, 20, "")[0] == 303
    opened = garage.open(full.job)
    assert (opened.sheet.plan.procedure.distance, opened.sheet.next.kind) == (2640, "run")
    assert "data-newer" not in visitor.client.get(f"/jobs/{full.job}").text
    garage.close()

    garage, visitor = newer(tmp_path / "data", catalogue, 21, 2652)
    assert "Revision 21" in visitor.client.get(f"/jobs/{full.job}").text, "asked again of a newer one"
    assert answer(visitor, full, 21, "yes")[0] == 303
    opened = garage.open(full.job)
    assert opened.sheet.plan.procedure.distance == 2652
    view = opened.sheet.check("distance")
    assert view is not None
    assert view.state != "holds", "what was read is judged by the newer sheet"
    assert next(pin.revision for pin in opened.state.pins if pin.kind == "procedure") == 21
    garage.close()

    plain = Garage(tmp_path / "data", Clock(), catalogue)
    assert plain.open(full.job).sheet.plan.procedure.distance == 2652, "it was kept with the answer"
    plain.close()


def test_nothing_is_taken_once_it_was_run(full: Technician, tmp_path: Path, catalogue: Catalogue) -> None:
    full.run()
    full.garage.close()
    garage, visitor = newer(tmp_path / "data", catalogue, 20, 2652)
    status, text = answer(visitor, full, 20, "yes")
    assert (status, "Run again" in text) == (409, True)
    assert answer(visitor, full, 20, "")[0] == 303
    assert garage.open(full.job).sheet.plan.procedure.distance == 2640
    garage.close()
