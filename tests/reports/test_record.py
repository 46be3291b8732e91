"""The record: everything that was read, overrides first, the same bytes for ever, in two open forms."""

import hashlib
import io
import json

import pytest
from pypdf import PdfReader

from escuadra.commands.entries import Override
from escuadra.commands.signing import Reopen, Sign
from escuadra.core.base.errors import BadInput
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import FORMAT, Record, print_record, render_record
from tests.english import refused, told


@pytest.fixture
def signed(full: Technician) -> Technician:
    full.happen("door")
    full.answer("tick.doors", "yes")
    full.garage.do(Override(full.job, "ride_height", "read a minute before the door was used"), "ines", full.id())
    full.finish()
    full.garage.do(Sign(full.job, full.opened.row.head, render_record(full.garage)), "ines", full.id())
    return full


def test_json_and_pdf_say_the_same_and_name_every_reading(signed: Technician) -> None:
    stored = signed.opened.state.records[-1].said
    text = signed.garage.files.get(stored.record_json)
    record = Record.model_validate_json(text)
    assert record.format == FORMAT
    assert (record.number, record.revision, record.line) == ("T-1", 1, "thrust")
    assert record.signed_by.name == "Inés Robledo"
    assert record.signed_by.known == "picked"
    assert [(one.outcome, len(one.figures)) for one in record.attempts] == [("passed", 3)]
    assert [(o.check, o.state) for o in record.overrides] == [("ride_height", "stale")]
    assert record.log_events == stored_events(signed) - 1
    assert [check.id for check in record.checks] == [view.check.id for view in signed.opened.sheet.checks]
    for check in record.checks:
        assert check.readings or check.id in ("thrust", "run"), "both lines are worked out from the others' readings"
        for reading in check.readings:
            assert reading.person
            assert (reading.instrument is None) == (reading.value is None)
    square = next(check for check in record.checks if check.id == "square")
    assert {reading.slot for reading in square.readings} >= {"tape.LF.LF_end", "tape.RR.RF_end", "crossing"}
    assert square.figures[0].expanded_uncertainty > 0
    assert square.figures[0].verdict == "holds"
    assert [past.what.code for past in record.disturbances[-2:]] == ["happening.door", "happening.run_whole"]

    pdf = PdfReader(io.BytesIO(print_record(signed.garage, signed.job, 1)))
    first, second = (" ".join(page.extract_text().split()) for page in pdf.pages[:2])
    for check in record.checks:
        assert told(check.title) in first, "the first page is the verdicts, all of them"
    assert first.count("Details") == first.count("Details on the following pages") == 1
    assert second.startswith("Details")
    words = " ".join("".join(page.extract_text() for page in pdf.pages).split())
    assert words.index("Overridden") < words.index("Checks")
    for wanted in (
        *("T-1", "Brezo Lanzadera", "Inés Robledo", "name chosen, not signed in", "made-up figures: practice only"),
        *("Square to the thrust line", "Tape 4, steel", "door used", "never a promise that the vehicle is safe"),
    ):
        assert wanted in words
    assert record.log_head in words.replace(" ", "")
    assert pdf.metadata is not None
    assert "Record T-1" in str(pdf.metadata.title)


def test_a_record_is_printed_once_from_the_sheet_as_it_was_signed(signed: Technician) -> None:
    """Reopened and read again before anybody asked for the PDF: it shows what was signed, and is kept."""
    garage, job = signed.garage, signed.job
    assert signed.opened.state.pdf_of(1) is None
    garage.do(Reopen(job, "the ride height was asked for again"), "ines", signed.id())
    signed.happen("attempt")
    signed.stance(3, 3, 3, 3)
    count = signed.opened.row.count
    first = print_record(garage, job, 1)
    assert print_record(garage, job, 1) == first
    opened = signed.opened
    assert opened.row.count == count + 1
    assert opened.state.pdf_of(1) == hashlib.sha256(first).hexdigest()
    words = "".join(page.extract_text() for page in PdfReader(io.BytesIO(first)).pages)
    assert "read a minute before the door was used" in words
    with refused(BadInput, match="a signed revision"):
        print_record(garage, job, 2)


def stored_events(who: Technician) -> int:
    return who.opened.row.count


def test_the_schema_admits_the_record_and_nothing_less(signed: Technician) -> None:
    stored = signed.opened.state.records[-1].said
    data = json.loads(signed.garage.files.get(stored.record_json))
    schema = Record.model_json_schema()
    assert set(schema["properties"]) == set(data)
    for key in ("number", "checks", "overrides", "log_head"):
        less = {name: value for name, value in data.items() if name != key}
        with pytest.raises(ValueError, match=key):
            Record.model_validate(less)


def test_signing_again_after_reopening_keeps_the_first_record(signed: Technician) -> None:
    before = print_record(signed.garage, signed.job, 1)
    signed.garage.do(Reopen(signed.job, "the ride height was asked for again"), "ines", signed.id())
    signed.happen("attempt")
    signed.stance(0, 1, 0, 1)
    signed.around()
    assert signed.opened.sheet.next.kind == "run", signed.opened.sheet.next
    signed.finish()
    signed.garage.do(Sign(signed.job, signed.opened.row.head, render_record(signed.garage)), "teo", signed.id())
    records = signed.opened.state.records
    assert [record.said.revision for record in records] == [1, 2]
    assert print_record(signed.garage, signed.job, 1) == before
    second = Record.model_validate_json(signed.garage.files.get(records[1].said.record_json))
    assert second.overrides == []
    assert second.revision == 2
