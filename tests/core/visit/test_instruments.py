"""The register through its commands, and what a doubted instrument does to the jobs that relied on it."""

import json
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

import pytest

from escuadra.catalogue import Catalogue
from escuadra.commands import Garage
from escuadra.commands.entries import Override
from escuadra.commands.forms import press
from escuadra.commands.instrument_files import TakeRegister
from escuadra.commands.instrument_life import Document, Drop, EnterInstrument, Give, KeepCheck, Retire, TellOverdue
from escuadra.commands.people import AddPerson
from escuadra.commands.signing import Sign
from escuadra.core.base.errors import BadInput
from escuadra.core.base.stream import ITSELF
from escuadra.core.instruments.instrument import KINDS, Tool
from escuadra.core.instruments.usual_accuracy import USUAL
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock
from tests.core.instruments.test_register import truth
from tests.english import refused, told

DAY_MS = 86_400_000
LASER: dict[str, Any] = {
    "id": "laser-77",
    "name": "Floor laser 77",
    "kind": "line_laser",
    "reads": ["scale"],
    "contributions": {"resolution": 0.1, "accuracy_constant": 0.5, "accuracy_ppm": 0, "repeatability": 0.1},
    "check_days": 30,
}


def check(garage: Garage, tool: str, test: str, error: float, key: str = "") -> list[str]:
    """Keep a self-check of a planted error; numbers of the jobs that were told."""
    readings = truth(test, error)
    typed = {field: [f"{v:g}" for v in values] for field, values in readings.items()}
    return garage.do(KeepCheck(tool, test, typed, readings), "teo", key or press())[1]


def framed(garage: Garage, number: str) -> Technician:
    """A job with everything read, the floor laser among it."""
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number=number, reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    who.ready()
    who.stance(0, 0, 0, 0)
    who.line()
    who.target()
    who.level()
    who.tapes((0.4, 0.3, 0.02))
    return who


def states(garage: Garage, job: str) -> dict[str, str]:
    return {view.check.id: view.state for view in garage.open(job).sheet.checks}


def test_a_drop_puts_in_doubt_what_was_read_since_the_last_good_check_and_nothing_else(
    garage: Garage,
) -> None:
    check(garage, "laser-2", "plumb", 3.0)
    who = framed(garage, "VF-1")
    crossing = next(e for e in who.opened.state.live("crossing"))
    assert crossing.said.tool.contributions.bias == pytest.approx(3.0 / 10_000 * 690, rel=1e-3)  # type: ignore[union-attr]
    before = states(garage, who.job)
    assert before["centred"] == "holds"
    assert garage.do(Drop("laser-2", "off the bench"), "teo", "d") == ["VF-1"]
    assert garage.do(Drop("laser-2", "off the bench"), "teo", "d") == []
    after = states(garage, who.job)
    assert {id for id, state in after.items() if state != before[id]} == {"square", "centred", "distance"}
    view = garage.open(who.job).sheet.check("centred")
    assert view is not None
    assert view.because is not None
    assert told(view.because.words) == "Floor laser 2 on the beam scale was dropped"
    with refused(BadInput, match="check it first"):
        who.read("crossing", "0.1", "laser-2")
    check(garage, "laser-2", "plumb", 0.5)
    assert states(garage, who.job)["centred"] == "stale"
    who.read("crossing", "0.9", "laser-2")
    who.assure()
    assert states(garage, who.job) == before
    assert garage.do(Drop("laser-2", ""), "teo", press()) == ["VF-1"]
    assert states(garage, who.job)["centred"] == "stale"


def test_a_check_that_is_out_and_one_that_is_too_old_are_told_to_open_jobs_alone(garage: Garage) -> None:
    check(garage, "laser-2", "plumb", 0.5)
    first, second = framed(garage, "VF-1"), framed(garage, "VF-2")
    garage.do(Override(second.job, "surroundings", "nothing stands around here"), "teo", "o")
    for view in garage.open(second.job).sheet.unsettled:
        if view.of_setup:
            accepted = Override(second.job, view.check.id, "a practice sheet, not a vehicle")
            garage.do(accepted, "teo", f"o-{view.check.id}")
    second.finish()
    head = garage.open(second.job).row.head
    garage.do(Sign(second.job, head, lambda *_: b"{}"), "teo", "sign")
    assert check(garage, "laser-2", "plumb", 30.0) == ["VF-1"]
    assert states(garage, first.job)["centred"] == "stale"
    assert [row.number for row in garage.relying("laser-2", 0, signed=True)] == ["VF-2"]
    assert garage.relying("laser-2", 0, signed=False) == []
    check(garage, "laser-2", "plumb", 0.4)
    first.at, garage.clock = garage.clock(), first.clock
    first.read("crossing", "-0.3", "laser-2")
    assert garage.do(TellOverdue(), ITSELF, press()) == []
    first.at += 31 * DAY_MS
    assert garage.do(TellOverdue(), ITSELF, press()) == ["VF-1"]
    assert garage.do(TellOverdue(), ITSELF, press()) == []
    view = first.check("centred")
    assert view.because is not None
    assert view.because.person.known == "itself"
    assert "overdue since" in told(view.because.words)


def test_the_register_keeps_who_has_what_and_its_document_and_changes_by_revision(garage: Garage) -> None:
    register = garage.instruments
    own = Tool.read(LASER)
    garage.do(EnterInstrument(own), "ines", "k")
    with refused(BadInput, match="no instrument here has yet"):
        garage.do(EnterInstrument(own), "ines", press())
    garage.do(Give(own.id, "amara"), "ines", press())
    holder = register.one(own.id).holder
    assert holder is not None
    assert holder.name == "Amara Quist"
    garage.do(Give(own.id, ""), "ines", press())
    assert register.one(own.id).holder is None
    with refused(BadInput, match="a PDF, PNG or JPEG"):
        garage.do(Document(own.id, "sheet.txt", b"plain text"), "ines", press())
    garage.do(Document(own.id, "sheet.pdf", b"%PDF-1.7"), "ines", press())
    kept = register.one(own.id).document
    assert kept is not None
    assert garage.files.get(kept.digest) == b"%PDF-1.7"
    repaired = own.model_copy(update={"name": "Floor laser 77, repaired", "revision": 2})
    garage.do(EnterInstrument(repaired, new=False), "ines", press())
    assert register.one(own.id).tool.revision == 2
    garage.do(Retire(own.id), "ines", press())
    assert own.id not in {h.tool.id for h in register.shelf()}
    assert own.id in register.every()


def test_register_and_histories_leave_and_enter_again(garage: Garage, tmp_path: Any) -> None:
    garage.do(EnterInstrument(Tool.read(LASER)), "ines", press())
    check(garage, "laser-77", "plumb", 1.5)
    garage.do(Drop("laser-77", "off the bench"), "teo", press())
    text = garage.instruments.as_json()
    lines = garage.instruments.as_csv().splitlines()
    assert any(line.startswith("laser-77,Floor laser 77,line_laser,") for line in lines)
    assert any(line.startswith("laser-77,") and "checked,,plumb,bottom=1 1 1;height=3000;" in line for line in lines)
    other = Garage(tmp_path / "other", Clock())
    other.do(AddPerson("ines", "Inés Robledo", "lead"), ITSELF, press())
    assert other.do(TakeRegister(text), "ines", press()) == 3
    assert other.do(TakeRegister(text), "ines", press()) == 0
    assert other.instruments.one("laser-77").trusted(date.max) == garage.instruments.one("laser-77").trusted(date.max)
    assert json.loads(other.instruments.as_json()) == json.loads(text)
    rows = "instrument;name;kind;resolution;accuracy_constant;check_days\nrule-8;Rule 8;rule;0,5;0,3;90\n"
    assert other.do(TakeRegister(rows), "ines", press()) == 1
    assert other.instruments.one("rule-8").tool.contributions.resolution == 0.5
    third = Garage(tmp_path / "third", Clock())
    third.do(AddPerson("teo", "Teo Marchena", "specialist"), ITSELF, press())
    assert third.do(TakeRegister("\n".join(lines)), "teo", press()) == 3
    assert third.do(TakeRegister("\n".join(lines)), "teo", press()) == 0
    here, there = garage.instruments.one("laser-77"), third.instruments.one("laser-77")
    assert there.trusted(there.entries[-1].day) == here.trusted(here.entries[-1].day)
    assert there.checks()[0][1].found == here.checks()[0][1].found
    elsewhere = "instrument,at,what,check,value,u\nmeter-1,2025-03-04,checked,reference,0.7,0.2\n"
    assert third.do(TakeRegister(elsewhere), "teo", press()) == 2, (
        "the check, and the sheet that its history begins with"
    )
    assert third.instruments.one("meter-1").contributions("length").bias == 0.7
    other.close()
    third.close()


@pytest.mark.parametrize(
    "text, said",
    [
        ('{"tools": []}', "instruments"),
        ("instrument,name,kind\nx,,rule", "line 2"),
        ("instrument,name,kind\nx,X,wand", "line 2: kind wand"),
        ("instrument,name,kind\nx,X,rule", "usual for its kind: steps of 0.5\u202fmm, accuracy ±\u202f0.4\u202fmm"),
        ("instrument,name,kind,resolution\nx,X,rule,fine", "resolution fine"),
        ("name,kind\nX,rule", "a column 'instrument'"),
        ("instrument,what\nx-1,dropped", "whose sheet stands above"),
        ("instrument,what,at\ntape-4,dropped,soon", "line 2: at soon"),
        ("instrument,what,at\ntape-4,melted,2026-01-01", "what melted"),
        ("instrument,what,at,check\ntape-4,checked,2026-01-01,plumb", "a self-check of Tape 4"),
        ("instrument,what,at,check,readings\ntape-4,checked,2026-01-01,reference,x", "such as height=3000"),
    ],
)
def test_a_file_that_is_not_a_register_is_refused_whole(garage: Garage, text: str, said: str) -> None:
    before = garage.store.instruments()
    with refused(BadInput, match=said):
        garage.do(TakeRegister(text), "ines", press())
    assert garage.store.instruments() == before


def test_a_history_outlives_the_catalogue_and_a_newer_sheet_of_the_catalogue_counts(garage: Garage) -> None:
    check(garage, "laser-2", "plumb", 0.5)
    history, shelf = garage.instruments.one("laser-2"), garage.catalogue.get("tool", "laser-2")
    entries = dict(garage.catalogue.entries)
    newer = shelf.content.model_copy(update={"revision": 99, "name": "Floor laser 2, renewed"})
    entries["tool", "laser-2"] = replace(shelf, holds=newer, revision=99)
    garage.instruments._catalogue = lambda: Catalogue(entries)
    assert garage.instruments.one("laser-2").tool.name == "Floor laser 2, renewed"
    assert garage.instruments.one("laser-2").entries == history.entries
    del entries["tool", "laser-2"]
    garage.instruments._catalogue = lambda: Catalogue(entries)
    assert garage.instruments.one("laser-2") == history


def test_a_frames_zero_mark_counts_in_what_is_read_on_its_scale(garage: Garage) -> None:
    check(garage, "frame-2", "zero_mark", 0.4)
    own = garage.instruments.contributions("laser-2", "length", 690, "galga-2")
    plain = garage.instruments.contributions("laser-2", "length", 690, "")
    assert (own.bias, plain.bias) == (pytest.approx(0.4), None)
    who = framed(garage, "VF-9")
    assert garage.do(Drop("frame-2", "it tipped over"), "teo", press()) == ["VF-9"]
    assert states(garage, who.job)["centred"] == "stale"
    assert states(garage, who.job)["level"] == "holds"
    with refused(BadInput, match="Frame Galga 2, scales and zero marks, dropped"):
        who.read("crossing", "0.1", "laser-2")
    assert own.u_bias == pytest.approx(
        (0.25 / 3 + garage.instruments.one("frame-2").checks()[0][1].found.u ** 2) ** 0.5
    )


def test_a_due_day_is_the_garages_own(garage: Garage) -> None:
    check(garage, "laser-2", "plumb", 0.1)
    good = garage.instruments.one("laser-2").last_good
    assert good is not None
    assert garage.instruments.one("laser-2").due() == good.day + timedelta(days=30)


def test_every_kind_has_what_it_is_usually_worth_and_none_is_perfect() -> None:
    assert set(USUAL) == set(KINDS)
    for kind, (unit, found) in USUAL.items():
        assert min(found.resolution, found.accuracy_constant, found.repeatability) > 0, kind
        made = {"id": "x", "name": "X", "kind": kind, "unit": unit, "reads": ["tape"]}
        assert Tool.read({**made, "contributions": found}).u_single > 0
        with refused(BadInput, match="nothing is perfect"):
            Tool.read({**made, "contributions": found.model_copy(update={"accuracy_constant": 0, "accuracy_ppm": 0})})
