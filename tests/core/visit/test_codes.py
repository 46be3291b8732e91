"""Fault codes before and after the work: frozen, compared, and nothing cleared out of order."""

from typing import Any

import pytest

from escuadra.commands import Garage
from escuadra.commands.codes import AttachCodes, ClearCodes, FreezeCodes, checked, text_of, typed_codes
from escuadra.commands.forms import press
from escuadra.commands.whole import WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.visit.codes import after, before, compared
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.report_fields import found_in
from escuadra.devices.virtual_vehicle import WAITS, WAS_LOW, VirtualVehicle
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import build
from escuadra.words import say
from tests.english import refused

WHY = "the routine does not start while it stands"


def frozen(when: str, *units: tuple[str, list[tuple[str, str]]], **more: Any) -> CodesFrozen:
    told = [{"unit": unit, "codes": [{"code": code, "state": state} for code, state in codes]} for unit, codes in units]
    return CodesFrozen.read({"when": when, "source": "link", "units": told, **more})


def do(garage: Garage, command: WholeVisitCommand) -> Any:
    return garage.do(command, "teo", press())


def test_nothing_is_cleared_before_the_baseline_and_each_code_says_what_became_of_it(teo: Technician) -> None:
    garage, id = teo.garage, teo.job
    with refused(Conflict, match="nothing is cleared before that"):
        do(garage, ClearCodes(id, ("camera_unit",), WHY))
    with refused(Conflict, match="before the work first"):
        do(garage, FreezeCodes(id, frozen("after")))
    was = frozen(
        "before", ("camera_unit", [("C41", "active"), ("U07", "stored")]), ("surround_unit", [("S01", "active")])
    )
    state = do(garage, FreezeCodes(id, was)).state
    assert [(one.code, one.sensor) for one in state.work.codes] == [("C41", "front_camera"), ("U07", "front_camera")], (
        "a unit that runs one sensor names it; one that runs four does not"
    )
    with refused(Conflict, match="frozen already"):
        do(garage, FreezeCodes(id, frozen("before")))
    none: tuple[str, ...] = ()
    for units, why in ((none, WHY), (("camera_unit",), "no")):
        with refused(BadInput):
            do(garage, ClearCodes(id, units, why))
    do(garage, ClearCodes(id, ("camera_unit",), WHY))
    do(garage, FreezeCodes(id, frozen("after", ("camera_unit", [("C41", "active")]))))
    whole = do(garage, FreezeCodes(id, frozen("after", ("radar_unit", [("R02", "pending")]), ("camera_unit", []))))
    lines = {line.code: say(line.became) for line in compared(whole.state.codes)}
    assert lines == {"C41": "gone", "U07": "gone", "S01": "gone", "R02": "new"}, "the newest reading counts"
    assert [one.said.units for one in whole.state.cleared] == [["camera_unit"]]


def test_an_empty_baseline_counts_and_what_was_not_read_says_why(teo: Technician) -> None:
    garage, id = teo.garage, teo.job
    with refused(BadInput, match="a reason in words"):
        do(garage, FreezeCodes(id, CodesFrozen.read({"when": "before", "source": "not_read", "why": "no"})))
    do(garage, FreezeCodes(id, frozen("before", ("camera_unit", []))))
    digest = garage.files.put(checked("unit;code\nräder;X".encode()))
    with refused(BadInput, match="missing"):
        do(garage, AttachCodes(id, "after", "codes.csv", "0" * 64))
    do(garage, AttachCodes(id, "after", "codes.csv", digest, (("C41", "stored"),), software="Lintel 4"))
    accepted = garage.whole(id).state.codes[-1].said
    assert (accepted.units[0].codes[0].code, accepted.software, accepted.source) == ("C41", "Lintel 4", "file")
    whole = do(garage, FreezeCodes(id, CodesFrozen.read({"when": "after", "source": "not_read", "why": WHY})))
    first, last = before(whole.state.codes), after(whole.state.codes)
    assert first is not None
    assert last is not None
    assert (first.said.units[0].codes, last.said.why) == ([], WHY)
    kept = whole.state.codes[1].said.attached
    assert garage.files.get(kept).decode().endswith("räder;X")


def test_the_record_says_what_was_read_before_and_after_and_why_not(teo: Technician) -> None:
    do(teo.garage, FreezeCodes(teo.job, frozen("before", ("camera_unit", [("C41", "active")]))))
    do(teo.garage, FreezeCodes(teo.job, CodesFrozen.read({"when": "after", "source": "not_read", "why": WHY})))
    record = build(teo.opened, teo.garage.person("ines"), teo.garage.clock(), "")
    assert [(one.when, one.source, one.why) for one in record.codes] == [
        ("before", "link", ""),
        ("after", "not_read", WHY),
    ]
    assert record.codes[0].units[0].codes[0].code == "C41"


@pytest.mark.parametrize("content", [b"MZ\x00\x01\x02", b"%PDF-1.7 cut off", b"\xff\xd8\xff broken", b"a\x00b"])
def test_a_file_that_is_no_document_is_refused(content: bytes) -> None:
    with refused(BadInput):
        checked(content)


def test_the_text_of_a_report_is_read_within_bounds_and_what_cannot_be_read_has_none() -> None:
    from weasyprint import HTML

    page = HTML(string="<p>Software: Lintel 4.2</p><p>VH-C41 stored</p>").write_pdf()
    assert [(one.field, one.value) for one in found_in(text_of(checked(page)))] == [
        ("software", "Lintel 4.2"),
        ("code", "VH-C41"),
    ]
    for content in (b"%PDF-1.7 nothing in it %%EOF", b"\xff\xd8\xff a picture"):
        assert text_of(content) == ""
    assert text_of("räder".encode()) == "räder"


def test_codes_are_typed_a_line_each() -> None:
    units = typed_codes("camera_unit; C41; stored; was low\ncamera_unit; C42\nradar_unit\n\n")
    found = {unit.unit: [(code.code, code.state, code.text) for code in unit.codes] for unit in units}
    assert found == {"camera_unit": [("C41", "stored", "was low"), ("C42", "active", "")], "radar_unit": []}
    with refused(BadInput, match="active, stored or pending"):
        typed_codes("camera_unit; C41; lit")


def test_the_vehicle_on_the_socket_clears_what_is_stored_and_keeps_what_is_still_wrong() -> None:
    car = VirtualVehicle("ZZ9", ["camera_unit", "corner_unit"], {"camera_unit"})

    def asked(**question: Any) -> dict[str, Any]:
        told = car.answer(question)
        return {
            unit["unit"]: [code["code"] for code in unit["codes"]] if unit["answered"] else None
            for unit in told["units"]
        }

    assert asked(ask="scan") == {"camera_unit": [WAITS, WAS_LOW], "corner_unit": None}
    with refused(BadInput, match="a unit that answers"):
        asked(ask="clear", units=["corner_unit"])
    assert asked(ask="key", on=True)["corner_unit"] is None, "on again without having been off wakes nobody"
    assert asked(ask="key", on=False) == {"camera_unit": None, "corner_unit": None}
    with refused(BadInput, match="the ignition on"):
        asked(ask="clear", units=["camera_unit"])
    assert asked(ask="key", on=True)["corner_unit"] == []
    assert asked(ask="clear", units=["camera_unit"])["camera_unit"] == [WAITS], "it comes back: nothing was calibrated"
    assert asked(ask="routine", unit="camera_unit")["camera_unit"] == []
    car.answer({"ask": "set_car", "voltage": 11.2})
    assert asked(ask="scan")["camera_unit"] is None
    with refused(BadInput, match="support the battery"):
        asked(ask="clear", units=["camera_unit"])
    car.answer({"ask": "set_car", "lost": True})
    with refused(BadInput, match="plug and cable"):
        asked(ask="scan")
