"""The visit closed: what its release needs, who may, what the certificate says, and how an open drive ends."""

import io
import json
from datetime import date
from typing import Any

import pytest
from pypdf import PdfReader

from escuadra.commands import Garage
from escuadra.commands.closing import DISPLAY, Acknowledge, CloseHandover, HandOver, Release, SendBack
from escuadra.commands.codes import FreezeCodes
from escuadra.commands.customers import EraseCustomer, name_of
from escuadra.commands.forms import press
from escuadra.commands.listing import Listed
from escuadra.commands.signing import Reopen, Sign
from escuadra.commands.whole import AddCalibration, LeaveOut, PhotographVehicle, TellWork, WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.visit.closing import drives_open, handovers
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.log.whole import WorkTold
from escuadra.rehearsal.technician import Technician
from escuadra.reports.certificate import Certificate, print_certificate, render_certificate
from escuadra.reports.record import render_record
from tests.conftest import finished, ground_flat, minibus
from tests.core.visit.test_vehicle import picture
from tests.english import refused

WHY = "for a reason that says enough"


def do(who: Technician, command: WholeVisitCommand, person: str = "ines") -> Any:
    return who.garage.do(command, person, press())


def codes(who: Technician, when: str, **told: Any) -> None:
    do(who, FreezeCodes(who.job, CodesFrozen.read({"when": when, "source": "typed", **told})), "teo")


def sign(who: Technician, calibration: str = "", person: str = "teo") -> None:
    head = who.opened.row.head
    who.garage.do(Sign(who.job, head, render_record(who.garage), calibration=calibration), person, press())


def release(who: Technician, functions: str = "", person: str = "ines") -> Certificate:
    who.at += 60_000
    command = Release(who.job, who.opened.row.head, functions, render_certificate(who.garage))
    kept = do(who, command, person).state.releases[-1].said.certificate_json
    return Certificate.model_validate_json(who.garage.files.get(kept))


@pytest.fixture
def signed(full: Technician) -> Technician:
    """One calibration, run, passed and signed; the codes read before and after."""
    unit = {"unit": "camera_unit", "codes": [{"code": "VH-C41", "state": "active"}]}
    codes(full, "before", units=[unit])
    full.finish()
    sign(full)
    codes(full, "after", units=[{"unit": "camera_unit"}])
    return full


def test_a_release_needs_every_signature_both_snapshots_and_the_lead(full: Technician) -> None:
    garage = full.garage
    do(full, AddCalibration(full.job, "BL-RAD-01"))
    render = render_certificate(garage)

    def asked(person: str = "ines") -> None:
        do(full, Release(full.job, full.opened.row.head, "", render), person)

    with refused(Conflict, match="no calibration is signed"):
        asked()
    full.finish()
    sign(full)
    with refused(Conflict, match="calibration 2 is neither signed nor left out; the codes before|codes before"):
        asked()
    do(full, LeaveOut(full.job, "2", WHY))
    codes(full, "before", source="not_read", why="the socket of this vehicle is burnt")
    with refused(Conflict, match="codes after the work"):
        asked()
    codes(full, "after", source="not_read", why="the socket of this vehicle is burnt")
    with refused(Conflict, match="Teo Marchena works here as specialist: the lead releases"):
        asked("teo")
    seen = full.opened.row.head
    do(full, TellWork(full.job, complaint="a lamp comes and goes"))
    with refused(Conflict, match="Others have recorded since you looked"):
        do(full, Release(full.job, seen, "", render))
    asked()
    with refused(Conflict, match="released already"):
        asked()
    with refused(Conflict, match="This visit is released"):
        do(full, TellWork(full.job, complaint="none"))


def test_the_certificate_says_what_was_done_what_it_came_to_and_who(signed: Technician) -> None:
    do(signed, TellWork(signed.job, more=WorkTold.read({"done": [{"act": "removed", "part": "front_bumper"}]})))
    said = release(signed, "lane keeping on the yard's marked lane")
    (one,) = said.calibrations
    assert (said.state, one.outcome, len(one.figures), one.signed_by) == ("finished", "passed", 3, "Teo Marchena")
    assert one.record is not None
    assert one.record.attempts
    assert [(line.code, line.before is not None, line.after) for line in said.codes] == [("VH-C41", True, None)]
    assert said.not_calibrated, "a bumper was off, and its radar is no part of the visit"
    assert (said.released_by.name, said.alone) == ("Inés Robledo", False)
    pdf = print_certificate(signed.garage, signed.job, 1)
    assert print_certificate(signed.garage, signed.job, 1) == pdf
    read = PdfReader(io.BytesIO(pdf))
    first = " ".join(read.pages[0].extract_text().split())
    for wanted in ("All calibrations listed here are complete", "Passed.", "front radar", "lane keeping", "gone"):
        assert (wanted in first) is (wanted != "gone"), wanted
    root: Any = read.trailer["/Root"]
    assert root["/OutputIntents"][0]["/S"] == "/GTS_PDFA1"
    xmp = read.xmp_metadata
    assert xmp is not None
    assert 'part="3"' in xmp.rdf_root.toxml()
    (inside,) = read.attachments["certificate.json"]
    assert Certificate.model_validate_json(inside) == said
    assert root["/AF"], "the data is associated with the page"
    schema = Certificate.model_json_schema()
    assert set(schema["properties"]) == set(json.loads(inside))


def test_one_person_who_does_it_all_is_said_to_be_alone(full: Technician) -> None:
    who = Technician(full.garage, full.at, "ines")
    who.job = minibus(full.garage, number="T-7").job
    codes(who, "before", source="not_read", why="no link in this bay today")
    finished(who)
    who.finish()
    sign(who, person="ines")
    codes(who, "after", source="not_read", why="no link in this bay today")
    assert release(who).alone


def test_it_is_sent_back_with_words_reopened_signed_and_released(signed: Technician) -> None:
    garage = signed.garage
    release(signed)
    with refused(Conflict, match="This visit is released"):
        garage.do(Reopen(signed.job, WHY), "teo", press())
    with refused(BadInput, match="a reason in words"):
        do(signed, SendBack(signed.job, "no"))
    with refused(Conflict, match="the lead releases"):
        do(signed, SendBack(signed.job, WHY), "teo")
    do(signed, SendBack(signed.job, "the outcome was typed for another car"))
    (row,) = garage.of_today(5)
    assert isinstance(row, Listed)
    assert row.stage == "sent_back"
    garage.do(Reopen(signed.job, WHY), "teo", press())
    sign(signed)
    said = release(signed)
    assert (said.revision, said.sent_back) == (2, ["the outcome was typed for another car"])
    assert said.calibrations[0].revision == 2
    assert b"%PDF" in print_certificate(garage, signed.job, 1)[:8], "what was released first is printed still"


def handed(who: Technician, **other: str) -> HandOver:
    told = {"drives": "customer", "conditions": "dry road, 60 to 100 km/h", "still": "15 km", "shows": "camera lamp"}
    told |= {"without": "lane keeping", "seen_by": "the lamp goes out", "by": "2027-01-15", **other}
    return HandOver(who.job, **told)


@pytest.fixture
def driving(garage: Garage) -> Technician:
    """A camera that has to learn on the road after its static part; that is run, passed and signed."""
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    asked = {"reason": "windscreen replaced", "bay": "Norte", "procedure": "QR-CAM-01"}
    who.take_in(number="T-1", vin="ZZ9QR216XRV000001", **asked)
    codes(who, "before", source="not_read", why="no link in this bay today")
    finished(who)
    who.finish()
    sign(who)
    codes(who, "after", source="not_read", why="no link in this bay today")
    return who


@pytest.mark.parametrize(
    ("how", "before", "proved"),
    [("reported", "", False), ("lapsed", "", False), ("photo", "photo", True), ("codes", "codes", True)],
)
def test_a_drive_is_open_until_something_proves_it(driving: Technician, how: str, before: str, proved: bool) -> None:
    garage, id = driving.garage, driving.job
    model = garage.model_of(garage.whole(id))
    assert drives_open(garage.whole(id).visit, model) == ["1"]
    for field, match in (("conditions", "which road"), ("seen_by", "how one sees"), ("by", "year-month-day|day")):
        with refused(BadInput, match=match):
            do(driving, handed(driving, **{field: ""}))
    with refused(BadInput, match="today or a later day"):
        do(driving, handed(driving, by="2019-01-01"))
    do(driving, handed(driving))
    with refused(Conflict, match="No drive is open"):
        do(driving, handed(driving))
    (one,) = handovers(garage.whole(id).state)
    link = one.said.link
    with refused(BadInput, match="the address of an open drive"):
        do(driving, Acknowledge(id, "x" * 16, "A. Customer"))
    with refused(BadInput, match="your name"):
        do(driving, Acknowledge(id, link, " "))
    do(driving, Acknowledge(id, link, "A.  Customer"))
    with refused(Conflict, match="acknowledged already"):
        do(driving, Acknowledge(id, link, "Beatriz"))
    if before:
        with pytest.raises(BadInput):
            do(driving, CloseHandover(id, link, how, WHY))
    if before == "photo":
        do(driving, PhotographVehicle(id, DISPLAY, "display.jpg", picture()))
    if before == "codes":
        codes(driving, "after", units=[{"unit": "radar_unit"}])
    do(driving, CloseHandover(id, link, how, WHY))
    (one,) = handovers(garage.whole(id).state)
    id_of, _ = one.acknowledged or ("", 0)
    assert name_of(garage, id_of) == "A. Customer"
    garage.do(EraseCustomer(id_of), "ines", driving.id())
    assert name_of(garage, id_of) is None, "the typed name lies outside the log"
    assert b"A. Customer" not in b"".join(file.read_bytes() for file in garage.data.glob("*.sqlite*"))
    assert (one.proved, drives_open(garage.whole(id).visit, model)) == (proved, [] if proved else ["1"])


def test_an_open_drive_never_says_finished_and_stays_on_the_day(driving: Technician) -> None:
    garage, id = driving.garage, driving.job

    def today() -> list[tuple[str, date | None]]:
        garage.store.forget()
        return [(row.stage, row.drive_by) for row in garage.of_today(5) if isinstance(row, Listed)]

    do(driving, handed(driving))
    said = release(driving)
    assert (said.state, said.calibrations[0].drive_open, said.handovers[0].ended) == ("drive_open", True, "")
    driving.at += 3 * 86_400_000
    assert today() == [("released", date(2027, 1, 15))]
    first = " ".join(PdfReader(io.BytesIO(print_certificate(garage, id, 1))).pages[0].extract_text().split())
    assert "Static part complete, drive open" in first
    assert "complete, drive" in first
    assert "All calibrations listed here are complete" not in first
    codes(driving, "after", units=[{"unit": "camera_unit"}])
    link = handovers(garage.whole(id).state)[0].said.link
    do(driving, CloseHandover(id, link, "codes", "no code is left after 22 km"))
    assert today() == []
    again = release(driving)
    assert (again.revision, again.state, again.handovers[0].ended) == (2, "finished", "codes")
    garage.store.reindex()
    assert today() == []
