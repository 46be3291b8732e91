"""The Ready group and the stance through the garage's commands: what each reading makes of the sheet."""

import io
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from escuadra.catalogue.library import PRACTICE
from escuadra.commands.entries import Override
from escuadra.commands.signing import Sign
from escuadra.commands.vehicle import (
    ChangeAsked,
    ChangeFigure,
    Photograph,
    Signs,
    TakePrintout,
)
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Sentences
from escuadra.core.visit.checks.vehicle import DAMAGED, DIRTY, SOUND
from escuadra.core.visit.views import CheckView
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import build
from escuadra.words import say
from tests.conftest import BEGUN, on_own_sheet
from tests.core.visit.test_garage import render
from tests.english import refused, told
from tests.web.conftest import Visitor

SIGNS = Signs("plus", "plus", "minus")
PRINTOUT = """figure;before;after
left front toe;0,31;0,09
right front toe;0.22;0.05
left rear toe;0.41;0.07
right rear toe;-0.12;0.05
left front camber;;-0.4
right front camber;;−0.6
left rear camber;;-1.1
right rear camber;;-0.8
thrust angle;0.27;0.01
"""


def view(who: Technician, check: str) -> CheckView:
    found = who.opened.sheet.check(check)
    assert found is not None
    return found


@pytest.mark.parametrize(
    "change, state, said",
    [
        ({}, "holds", "cold, 373\u202fkPa and 418\u202fkPa"),
        ({"tyre.pressure.LF": "3.73 bar"}, "holds", "cold"),
        ({"tyre.pressure.RR": "51 psi"}, "out", "RR from its 418\u202fkPa"),
        ({"tyre.pressure.LF": "364"}, "undecided", "LF from its 373\u202fkPa"),
        ({"tyre.size.LR": "another_size"}, "out", "Another size at LR"),
        ({"tyre.tread.LF": "9.1"}, "out", "Tread, front"),
        ({"tyre.state": "warm", "heat": "20"}, "holds", "warm, brought to 20"),
        ({"tyre.state": "warm", "heat": "55"}, "out", "brought to 20"),
        ({"tyre.state": "warm", "heat": "-20"}, "out", "brought to 20"),
    ],
)
def test_tyres_against_the_sheet(full: Technician, change: dict[str, str], state: str, said: str) -> None:
    heat = change.pop("heat", "")
    for slot, typed in change.items():
        if slot.split(".")[1] in ("state", "size"):
            full.answer(slot, typed)
        else:
            full.read(slot, typed, "gauge-6" if "pressure" in slot else "tread-2", replaces=True)
    for corner in ("LF", "RF", "LR", "RR") if heat else ():
        full.read(f"tyre.temperature.{corner}", heat, "thermo-1")
    found = view(full, "tyres")
    assert found.state == state
    worst = found.worst
    assert worst is not None
    assert said in told([found.judgement.summary, found.judgement.mismatch, worst.label])
    epochs = full.opened.sheet.epochs
    for figure in found.judgement.figures:
        more = found.check.lessening(epochs, figure)
        assert (figure.slot, more is None) == (f"tyre.pressure.{figure.which}" if more else "", not figure.slot)
    if state == "undecided":
        asked = found.check.settling(epochs, found.judgement)
        assert asked is not None
        assert asked[0] == worst.slot == "tyre.pressure.LF"


def test_a_printout_is_read_from_csv_with_its_signs_in_words(teo: Technician) -> None:
    garage = teo.garage
    with refused(BadInput, match="what a figure without a minus means"):
        garage.do(TakePrintout(teo.job, PRINTOUT, "", Signs("plus", "", "minus")), "teo", "k0")
    for text, said in (("name,value\n", "columns figure"), (PRINTOUT + "left toe;1;1\n", "line 11: left toe")):
        with refused(BadInput, match=said):
            garage.do(TakePrintout(teo.job, text, "", SIGNS), "teo", "k1")
    with refused(BadInput, match=r"line 2: 0\.1\?"):
        garage.do(TakePrintout(teo.job, "figure,before,after\nthrust angle,,0.1?\n", "", SIGNS), "teo", "k2")
    assert teo.opened.row.count == BEGUN
    garage.do(TakePrintout(teo.job, PRINTOUT, "2025-11-20", SIGNS), "teo", "k")
    assert teo.opened.row.count == BEGUN + 1 + 14
    found = view(teo, "alignment")
    assert found.state == "holds"
    assert told(found.judgement.remark) == "Before: 0.27° rear axle steers right; after: 0.01° rear axle steers right."
    assert teo.opened.sheet.epochs.toe is not None
    garage.do(TakePrintout(teo.job, PRINTOUT, "2025-11-20", SIGNS), "teo", "k")
    assert teo.opened.row.count == BEGUN + 15, "sent twice it is read once"


@pytest.mark.parametrize(
    "change, state, said",
    [
        (
            ("toe.right", "0.29", "plus"),
            "undecided",
            "contradicts itself: its rear toes give 0.11° rear axle steers left",
        ),
        (("camber.LF", "1.9", "minus"), "out", "Left front camber"),
        (("printed.day", "2025-08-01"), "out", "Printed 116 days before"),
        (("printed.day", "2026-01-01"), "out", "yet to come"),
    ],
)
def test_a_printout_that_is_wrong_says_how(full: Technician, change: Any, state: str, said: str) -> None:
    if len(change) == 2:
        full.answer(*change)
    else:
        full.read(change[0], change[1], "printout", change[2], replaces=True)
    found = view(full, "alignment")
    assert found.state == state
    worst = found.worst
    assert worst is not None
    assert said in told([found.judgement.mismatch, found.judgement.inconsistency, worst.label])


def test_fuel_that_is_missing_is_said_in_kilograms_and_replaced_by_ballast(full: Technician) -> None:
    full.read("filled.fuel", "1/8 full", "gauges", replaces=True)
    found = view(full, "load")
    assert found.state == "open"
    assert "58\u202fkg of fuel and fluids are missing. Ballast that stands in for it:" in told(found.judgement.remark)
    ballast = {s.slot.id for s in found.slots if s.slot.id.startswith("ballast.")}
    assert ballast <= {"ballast.floor_mid", "ballast.rear_bench"}
    assert ballast
    proposed = {w: kg for kg, w in (p.split("\u202fkg ") for p in _proposed(told(found.judgement.remark)))}
    for place in full.opened.sheet.plan.vehicle.ballast_places:
        if place.name in proposed:
            full.read(f"ballast.{place.id}", proposed[place.name], "scales-1")
    after = view(full, "load")
    assert after.state == "holds"
    assert {f.id for f in after.judgement.figures if f.verdict.state == "holds"} == {"net", "front", "rear", "aboard"}
    full.read("aboard", "63", "scales-1", replaces=True)
    assert view(full, "load").state == "out"
    full.happen("loaded")
    assert view(full, "load").state == "stale"


def _proposed(note: str) -> list[str]:
    return note.partition("stands in for it: ")[2].rstrip(".").replace(" and ", ", ").split(", ")


def test_no_ballast_where_the_procedure_does_not_allow_it(garage: Any) -> None:
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="E-1", reason="windscreen replaced", bay="Norte", procedure="QE-CAM-01")
    for slot, typed in (("filled.fuel", "25"), ("filled.washer", "100")):
        who.read(slot, typed, "gauges")
    who.read("aboard", "0", "scales-1")
    found = view(who, "load")
    assert found.state == "out"
    assert told(found.judgement.remark).endswith("Fill up: the procedure lets no ballast stand in.")


def test_the_battery_shows_its_newest_voltage_and_its_course(full: Technician) -> None:
    full.at += 1_200_000
    full.read("battery.volts", "12.9", "volt-3")
    found = view(full, "battery")
    assert told(found.judgement.summary) == "12.90\u202fV"
    assert told(found.judgement.remark).startswith("Falling 0.41")
    assert "At the limit in about" in told(found.judgement.remark)
    full.read("battery.volts", "11.9", "volt-3")
    assert view(full, "battery").state == "out"
    full.answer("battery.support", "no")
    assert told(view(full, "battery").judgement.mismatch) == "No battery support."


def test_a_corner_14_mm_low_is_a_twist_and_says_what_it_does(full: Technician) -> None:
    full.happen("loaded")
    full.read("aboard", "0", "scales-1")
    full.stance(-14, 0, 0, 0)
    found = view(full, "ride_height")
    states = {f.id: f.verdict.state for f in found.judgement.figures}
    assert found.state == "out"
    assert states["warp"] == "out"
    assert states["side.front"] == "out"
    note = found.judgement.remark
    assert "The body is twisted: LF stands 14\u202fmm low against the plane of the other three." in told(note)
    assert "front camera 7\u202fmm lower, looks 0.11° down, leans 0.22° to the left" in told(note)
    assert "routine corrects for it" in told(note)
    assert "Type into the vehicle's routine: front 705\u202fmm and rear 724\u202fmm." in told(note)


def picture(kind: str = "JPEG", size: tuple[int, int] = (3000, 1500), turned: int = 6) -> bytes:
    """A photo as a phone makes it: lying on its side, with a place and a name beside the picture."""
    exif = Image.Exif()
    exif[0x0112] = turned
    exif[0x013B] = "a person"
    exif.get_ifd(0x8825).update({1: "N", 2: (39.0, 12.0, 0.5), 3: "W", 4: (3.0, 30.0, 0.2)})
    out = io.BytesIO()
    Image.new("RGB", size, (120, 80, 40)).save(out, kind, exif=exif)
    return out.getvalue()


def test_a_photo_is_kept_upright_without_its_place_and_stands_in_the_record(full: Technician) -> None:
    garage, slot = full.garage, "condition.glass.1"
    assert b"a person" in picture()
    full.answer(slot, DAMAGED)
    assert "A photo of it belongs in the record" in told(view(full, "glass").judgement.remark)
    opened = garage.do(Photograph(full.job, slot, "glass.jpg", picture()), "teo", "p")
    kept = opened.state.photos[0].said
    content = garage.files.get(kept.digest)
    with Image.open(io.BytesIO(content)) as plain:
        assert (plain.format, plain.size, dict(plain.getexif())) == ("JPEG", (1000, 2000), {})
        assert "exif" not in plain.info
    assert b"a person" not in content
    assert view(full, "glass").state == "out"
    assert view(full, "glass").judgement.remark == Sentences()
    full.answer(slot, DIRTY)
    assert "dirty" in told(view(full, "glass").judgement.mismatch)
    full.answer(slot, SOUND)
    garage.do(Photograph(full.job, slot, "glass.png", picture("PNG", (40, 30), 1)), "teo", "p2")
    for content, said in (
        (b"%PDF-1.7", "a file that is no picture; accepted: a JPEG, PNG or WebP"),
        (picture()[:300], "a picture that cannot be read"),
        (picture("PNG", (8000, 7000), 1), "8000 × 7000 pixels; accepted: a picture of at most 50 megapixels"),
    ):
        with refused(BadInput, match=said):
            garage.do(Photograph(full.job, slot, "x", content), "teo", "p3")
    with refused(BadInput, match="takes photos"):
        garage.do(Photograph(full.job, "nowhere", "x", picture()), "teo", "p4")
    record = build(full.opened, garage.person("ines"), garage.clock(), "Valdehierro")
    assert [p.sha256 for p in record.photos] == [p.said.digest for p in full.opened.state.photos]


def test_where_nobody_can_tell_it_is_named_what_would(full: Technician) -> None:
    for side in ("plus", "minus"):
        asked = ChangeAsked(path=f"check.centred.limits.{side}", typed="1.2", reason="revised sheet of this spring")
        full.garage.do(ChangeFigure(full.job, asked), "teo", side)
    move = full.opened.sheet.next
    assert (move.kind, move.check, move.opens) == ("blocked", "centred", "lines")
    assert told(move.sentence) == "Centred: nobody can tell with these instruments."
    most = told(full.opened.sheet.budget(view(full, "centred"))[0].source)
    assert most == "the rear axle's place to the side, as the model has it"
    assert most in told(move.then), "by what is most unsure"
    visitor = Visitor(full.garage).client
    assert f'href="/jobs/{full.job}/lines">What would tell<' in visitor.get(f"/jobs/{full.job}").text


def test_a_figure_overridden_on_the_spot_judges_this_job_alone_and_stands_in_the_record(full: Technician) -> None:
    garage = full.garage
    path, reason = "check.centred.limits.plus", "revised sheet of this spring says 0.6"
    for asked in (
        ChangeAsked(path="check.centred.colour", typed="1", reason=reason),
        ChangeAsked(path=path, typed="much", reason=reason),
        ChangeAsked(path=path, typed="0.6", reason="so"),
        ChangeAsked(path="distance", typed="-4", reason=reason),
    ):
        with pytest.raises(BadInput):
            garage.do(ChangeFigure(full.job, asked), "teo", "c")
    assert view(full, "centred").state == "holds"
    garage.do(ChangeFigure(full.job, ChangeAsked(path=path, typed="0,6", reason=reason)), "teo", "c")
    assert view(full, "centred").state != "holds"
    garage.do(ChangeFigure(full.job, ChangeAsked(path=path, typed="5", reason=reason)), "teo", "c2")
    assert view(full, "centred").state == "holds"
    assert garage.catalogue.get("procedure", "BL-CAM-01").content.checks
    record = build(full.opened, garage.person("ines"), garage.clock(), "Valdehierro")
    assert [(c.path, c.before, c.value) for c in record.changes] == [(path, 4.0, 0.6), (path, 0.6, 5.0)]
    full.finish()
    garage.do(Sign(full.job, full.opened.row.head, render), "ines", "s")
    with pytest.raises(Conflict):
        garage.do(ChangeFigure(full.job, ChangeAsked(path=path, typed="4", reason=reason)), "teo", "c3")


def test_a_sheet_may_demand_a_photo_of_whatever_is_read(tmp_path: Path) -> None:
    sheet = (
        (PRACTICE / "procedures" / "bl-cam-01.yaml").read_text(encoding="utf-8").replace("id: BL-CAM-01", "id: OWN-1")
    )
    sheet = sheet.replace("{id: doors, kind: tick,", "{id: doors, kind: tick, photo: true,")
    with on_own_sheet(tmp_path, sheet, "windscreen replaced") as who:
        who.answer("tick.doors", "yes")
        assert view(who, "doors").state == "open"
        assert "A photo of it belongs in the record" in told(view(who, "doors").judgement.remark)
        with refused(Conflict, match="Doors"):
            who.run()
        for check in [v for v in who.opened.sheet.checks if v.check.id != "doors" and v.of_setup]:
            who.garage.do(Override(who.job, check.check.id, "not what is looked at here"), "teo", who.id())
        move = who.opened.sheet.next
        assert (say(move.sentence), move.slot) == ("Take a photo: All doors shut, headlamps off?.", "tick.doors")
        who.garage.do(Photograph(who.job, "tick.doors", "doors.jpg", picture()), "teo", who.id())
        assert view(who, "doors").state == "holds"
        record = build(who.opened, who.garage.person("ines"), who.garage.clock(), "Valdehierro")
        (photo,) = record.photos
        assert (photo.state, told(photo.reading)) == ("holds", "yes")
