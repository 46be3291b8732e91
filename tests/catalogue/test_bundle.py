"""Entries go out as a bundle and come in again, all or nothing; files are watched, a bad one stops nothing."""

import io
import json
import zipfile
from pathlib import Path

import pytest

from escuadra.catalogue import Catalogue, Shelf
from escuadra.catalogue.bundle import MANIFEST, as_yaml, packed, unpacked, with_named
from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage
from escuadra.commands.bundles import TakeBundle
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.store.verification import Verification
from tests.english import refused, told


def altered(bundle: bytes, name: str, old: str, new: str, manifest: bool = True) -> bytes:
    """A bundle with one file changed; ``manifest``: its checksum follows."""
    import hashlib

    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(bundle)) as before, zipfile.ZipFile(out, "w") as after:
        texts = {info.filename: before.read(info).decode() for info in before.infolist()}
        assert old in texts[name]
        texts[name] = texts[name].replace(old, new, 1)
        told_of = json.loads(texts[MANIFEST])
        for one in told_of["entries"]:
            if one["file"] == name and manifest:
                one["sha256"] = hashlib.sha256(texts[name].encode()).hexdigest()
                one["id"] = one["id"] if "id:" not in old else new.split()[1]
        texts[MANIFEST] = json.dumps(told_of)
        for file, text in texts.items():
            after.writestr(file, text)
    return out.getvalue()


SHEET = "procedures/qr-cam-01.yaml"


@pytest.fixture
def bundle(catalogue: Catalogue) -> bytes:
    return packed(with_named([catalogue.get("procedure", "QR-CAM-01")], catalogue))


def test_a_bundle_holds_what_its_sheets_name_with_schema_and_is_the_same_twice(
    catalogue: Catalogue, bundle: bytes
) -> None:
    with zipfile.ZipFile(io.BytesIO(bundle)) as archive:
        names = set(archive.namelist())
    assert {SHEET, "vehicles/quillon-risco.yaml", "targets/vt-b.yaml", "schema/procedure.json", MANIFEST} <= names
    assert packed(with_named([catalogue.get("procedure", "QR-CAM-01")], catalogue)) == bundle
    assert {one.state for one in unpacked(bundle, catalogue)} == {"same"}
    assert {one.state for one in unpacked(bundle, Catalogue({}))} == {"new"}


@pytest.mark.parametrize(
    ("old", "new", "state", "why"),
    [
        ("distance: 2130.0", "distance: 2131.0", "changed", ""),
        ("revision: 7", "revision: 6", "older", ""),
        ("distance: 2130.0", "distance: far", "refused", "qr-cam-01.yaml:"),
        ("vehicle: quillon-risco", "vehicle: nobody", "refused", "nobody"),
        ("id: QR-CAM-01", "id: QR-CAM-91", "new", ""),
    ],
)
def test_what_taking_in_would_come_to_is_told_before(
    catalogue: Catalogue, bundle: bytes, old: str, new: str, state: str, why: str
) -> None:
    offered = {one.file: one for one in unpacked(altered(bundle, SHEET, old, new), catalogue)}
    assert offered[SHEET].state == state
    assert why in (told(offered[SHEET].why) if offered[SHEET].why else "")
    assert offered["targets/vt-b.yaml"].state == "same"


def test_a_bundle_that_was_changed_on_its_way_is_refused(catalogue: Catalogue, bundle: bytes) -> None:
    with refused(BadInput, "as it was packed"):
        unpacked(altered(bundle, SHEET, "distance: 2130.0", "distance: 2131.0", manifest=False), catalogue)
    for broken in (b"", b"PK\x03\x04 no", bundle[:400], b"x" * 30):
        with refused(BadInput, "a bundle"):
            unpacked(broken, catalogue)


def test_a_bundle_is_taken_whole_or_not_at_all(garage: Garage, bundle: bytes) -> None:
    bad = altered(
        altered(bundle, SHEET, "distance: 2130.0", "distance: 2131.0"), "targets/vt-b.yaml", "width:", "wide:"
    )
    before = garage.catalogue.get("procedure", "QR-CAM-01").hash
    with refused(Conflict):
        garage.do(TakeBundle(bad), "teo", "bad")
    with refused(Conflict):
        garage.do(TakeBundle(bundle), "teo", "nothing-new")
    assert garage.catalogue.get("procedure", "QR-CAM-01").hash == before
    good = altered(bundle, SHEET, "distance: 2130.0", "distance: 2131.0")
    with refused(Conflict, "trainee"):
        garage.do(TakeBundle(good), "nuno", "trainee")
    for _ in range(2):
        garage.do(TakeBundle(good), "teo", "good")
    assert garage.catalogue.get("procedure", "QR-CAM-01").content.distance == 2131
    assert [row.id for row in garage.store.drafts()] == ["QR-CAM-01"]
    assert list(Verification(garage.store.engine, garage.files).wrongs()) == []


def test_files_are_seen_as_they_change_and_a_bad_one_stops_nothing(tmp_path: Path, catalogue: Catalogue) -> None:
    shelf = Shelf([PRACTICE, tmp_path])
    shelf.look_every_s = 0
    first = shelf.now()
    assert shelf.now() is first, "nothing changed: nothing is read again"
    folder = tmp_path / "targets"
    folder.mkdir()
    own = catalogue.get("target", "RP-1").content.model_copy(update={"id": "RP-9"})
    (folder / "rp-9.yaml").write_text(as_yaml(own))
    (folder / "rp-8.yaml").write_text("id: RP-8\nwidth: wide\n")
    assert shelf.now().get("target", "RP-9").content == own
    assert [str(one.where).partition(":")[2][:2] for one in shelf.now().refused] != []
    (folder / "rp-8.yaml").unlink()
    (folder / "rp-9.yaml").unlink()
    assert shelf.now().entries.keys() == first.entries.keys()
    assert shelf.now().refused == ()
