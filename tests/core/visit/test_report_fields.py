"""What is read in somebody else's report, and what is not."""

import pytest

from escuadra.core.visit.report_fields import Found, found_in

REPORT = """Tester report      Software: Lintel 4.2.1
Vehicle  ZZ9BL09C6RV000917   odometer 184 310 km
Unit camera   VH-C41  stored
U0428-00 pending, driven at 80 km/h
P0A1F
ZZ9BL09C6RV000917 once more"""


@pytest.mark.parametrize(
    ("field", "values"),
    [
        ("software", [("Lintel 4.2.1", "active")]),
        ("vin", [("ZZ9BL09C6RV000917", "active")]),
        ("odometer_km", [("184310", "active")]),
        ("code", [("VH-C41", "stored"), ("U0428-00", "pending"), ("P0A1F", "active")]),
    ],
)
def test_each_field_is_found_once_with_the_line_that_it_stands_in(field: str, values: list[tuple[str, str]]) -> None:
    found = [one for one in found_in(REPORT) if one.field == field]
    assert [(one.value, one.state) for one in found] == values
    assert all(one.line in " ".join(REPORT.split()) for one in found)


@pytest.mark.parametrize(
    "text",
    ["", "ZZ9BL09C6RV00091", "ZZ9BL09C6RVO00917", "12345678901234567", "80 km/h", "P9999", "page 4 of 7", "0x41"],
)
def test_what_only_looks_like_it_is_left_out(text: str) -> None:
    assert found_in(text) == []


def test_a_report_without_end_is_cut() -> None:
    assert len(found_in("\n".join(f"P{k:04d}" for k in range(900)))) == 60
    assert found_in("x" * 400 + " P0123") == []
    assert found_in("P0123 " + "y" * 400) == [Found("code", "P0123", ("P0123 " + "y" * 400)[:200])]
