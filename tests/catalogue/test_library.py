"""The catalogue: practice sheets hold together, and a refused file is named with its line and field."""

import re
from pathlib import Path

import pytest

from escuadra.catalogue import Catalogue, CatalogueError, load
from escuadra.catalogue.compiled import compiled
from escuadra.catalogue.library import COMPILED, PRACTICE, entry, hold_together, read, read_file
from escuadra.core.procedure.entries import KINDS
from escuadra.core.procedure.sheet import CheckSpec, Procedure
from escuadra.core.visit.checks.together import BodyCheck
from escuadra.core.visit.checks.tripod import TripodCheck
from tests.english import told

SHEET = (PRACTICE / "procedures" / "bl-cam-01.yaml").read_text()


def test_every_practice_entry_is_marked_and_every_vehicle_has_a_sheet(catalogue: Catalogue) -> None:
    vehicles = {e.id for e in catalogue.all("vehicle")}
    assert {e.content.vehicle for e in catalogue.all("procedure")} == vehicles
    assert len(vehicles) == 5
    assert COMPILED.read_text(encoding="utf-8") == compiled(), "make words"
    assert {key: one.text for key, one in read(PRACTICE)[0].items()} == {
        k: e.text for k, e in catalogue.entries.items()
    }
    for procedure in catalogue.all("procedure"):
        hold_together(catalogue, procedure.content, worked_out=True)
        assert procedure.content.note == "made-up figures: practice only"
        assert procedure.content.cautions
        stand = next((c for c in procedure.content.checks if isinstance(c, TripodCheck)), None)
        if stand is not None:
            assert (stand.distance.plus, stand.left.plus, stand.height.plus, stand.lean.plus) == (12, 14, 7, 0.4)
        bodies = [c for c in procedure.content.checks if isinstance(c, BodyCheck)]
        for one in bodies:
            facing = 0.6 if one.height else 0.3 if one.body == "parallel" else 0.8
            assert (one.place.plus, one.facing and one.facing.plus) == (14, facing)
        if procedure.content.line == "none" or stand is not None or bodies:
            continue
        tolerances = {c.id: c.limits for c in procedure.content.checks if hasattr(c, "limits")}
        assert (tolerances["distance"].plus, tolerances["centred"].plus, tolerances["square"].plus) == (5, 4, 0.25)
        assert tolerances["distance"].nominal == procedure.content.distance
        assert tolerances["target_height"].nominal == procedure.content.height
    for path in PRACTICE.rglob("*.yaml"):
        assert path.read_text().startswith("# Made-up figures: practice only."), path.name


@pytest.mark.parametrize(
    "old, new, anchor, field",
    [
        ("distance: 2640\n", "distance: -5\n", "distance: 2640", "distance"),
        ("revision: 8", "revision: 0", "revision: 8", "revision"),
        ("line: thrust", "line: emblem", "line: thrust", "line"),
        ("height: 1417\n", "", "id: BL-CAM-01", "height"),
        ("kind: level,", "kind: bubble,", "id: level", "kind"),
        ("kind: level, group: frame", "kind: level, group: cellar", "id: level", "group"),
        ("side_difference: 9", "side_difference: none", "side_difference", "side_difference"),
        ("roll: {minus: 0.3, plus: 0.3}, pitch", "pitch", "id: level", "roll"),
        ("id: level,", "id: square,", "  - id: alignment", "checks"),
        ("datum: front_hubs", "datum: [", "distance: 2640", "x.yaml"),
    ],
)
def test_a_refused_file_names_file_line_and_field(tmp_path: Path, old: str, new: str, anchor: str, field: str) -> None:
    line = SHEET[: SHEET.index(anchor)].count("\n") + 1
    path = tmp_path / "x.yaml"
    path.write_text(SHEET.replace(old, new, 1))
    with pytest.raises(CatalogueError) as refused:
        read_file(path, Procedure)
    assert refused.value.field == field
    where = str(refused.value).split(": ")[0]
    assert where.startswith(f"{path}:")
    assert abs(int(where.rsplit(":", 1)[1]) - line) <= 1, str(refused.value)


@pytest.mark.parametrize(
    "change, words",
    [
        ({"vehicle: brezo-lanzadera": "vehicle: nobody"}, "one of the catalogue"),
        ({"vehicle: brezo-lanzadera": "vehicle: bare"}, "states its tyres"),
        ({"kind: body_centreline": "kind: method, method: laser"}, "checks.9.method: given laser; accepted: one of"),
        ({"revision: 8": "revision: [8"}, "well-formed YAML"),
        ({"practice only": "pr\xe1ctica"}, "a YAML file in UTF-8"),
        ({SHEET: "[" * 5000}, "well-formed YAML"),
    ],
)
def test_a_bad_file_is_left_out_and_told(tmp_path: Path, change: dict[str, str], words: str) -> None:
    vehicle = (PRACTICE / "vehicles" / "brezo-lanzadera.yaml").read_text().replace("id: brezo-lanzadera", "id: bare")
    text = SHEET
    for old, new in change.items():
        assert old in text
        text = text.replace(old, new)
    (tmp_path / "procedures").mkdir()
    (tmp_path / "vehicles").mkdir()
    (tmp_path / "vehicles" / "bare.yaml").write_text(re.sub(r"(?m)^tyres:.*\n( .*\n)*", "", vehicle))
    path = tmp_path / "procedures" / "x.yaml"
    path.write_bytes(text.encode("latin-1" if "pr\xe1ctica" in change.values() else "utf-8"))
    (tmp_path / "procedures" / "good.yaml").write_text(SHEET.replace("id: BL-CAM-01", "id: MINE"))
    found = load([PRACTICE, tmp_path])
    assert found.get("procedure", "MINE").content.distance == 2640
    (refused,) = found.refused
    assert str(path) in str(refused)
    assert words in told(refused)


def test_an_entry_is_pinned_by_its_content_and_reads_back_as_itself(catalogue: Catalogue) -> None:
    for found in catalogue.entries.values():
        again = KINDS[found.kind].model_validate_json(found.text)
        assert again == found.content
        assert entry(found.kind, again).hash == found.hash
    sheet = catalogue.get("procedure", "BL-CAM-01").content
    changed = sheet.model_copy(update={"distance": 2641.0})
    assert entry("procedure", changed).hash != catalogue.get("procedure", "BL-CAM-01").hash


def test_every_kind_of_check_is_registered_once_and_used(catalogue: Catalogue) -> None:
    used = {check.kind for e in catalogue.all("procedure") for check in e.content.checks}
    assert used | {"rear_toe", "stations", "run", "result"} == set(CheckSpec.registered), (
        "an earlier name; what every sheet has"
    )
