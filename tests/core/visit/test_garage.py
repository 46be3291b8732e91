"""The commands: what they accept, ask, refuse, freeze and undo."""

from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from escuadra.cli import app
from escuadra.commands import Asked, Garage, Opened, TakeIn
from escuadra.commands.command import Command
from escuadra.commands.entries import Answer, Happen, Override, Undo
from escuadra.commands.forms import press
from escuadra.commands.listing import Listed
from escuadra.commands.people import AddPerson
from escuadra.commands.reading import TakeReading
from escuadra.commands.settings import Set
from escuadra.commands.signing import Reopen, Sign
from escuadra.commands.taking_in import BeginVisit
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Name
from escuadra.core.base.stream import ITSELF
from escuadra.core.measure.readings import Figures
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.demo.valdehierro import MADE_BY, open_demo
from escuadra.rehearsal.technician import Technician
from escuadra.reports.certificate import print_certificate
from escuadra.reports.record import Record, build
from escuadra.words import say
from tests.conftest import BEGUN, Clock
from tests.english import refused, told


def render(*_: object) -> bytes:
    return b"{}"


TAKEN = {"number": "T-9", "reason": "windscreen replaced", "bay": "Norte", "procedure": "BL-CAM-01", "frame": "galga-2"}


@pytest.mark.parametrize(
    "change, field",
    [
        ({"number": ""}, "number"),
        ({"reason": ""}, "reason"),
        ({"bay": ""}, "bay"),
        ({"procedure": "XX-1"}, "procedure"),
        ({"frame": "none"}, "frame"),
        ({"odometer_km": -4}, "odometer_km"),
        ({"vin": "Z" * 41}, "vin"),
        ({"number": "T-1"}, "number"),
    ],
)
def test_a_job_that_cannot_be_taken_in_names_the_field(teo: Technician, change: dict[str, object], field: str) -> None:
    with pytest.raises(BadInput) as caught:
        teo.garage.do(BeginVisit(TakeIn.read({**TAKEN, **change})), "teo", "x")
    assert caught.value.field == field


def test_a_doubled_taking_in_is_one_job_and_a_wrong_vin_is_no_obstacle(garage: Garage) -> None:
    asked = TakeIn.read({**TAKEN, "vin": "not a vin"})
    first, second = (garage.do(BeginVisit(asked), "teo", "same press") for _ in range(2))
    assert first.row.id == second.row.id
    assert len(garage.jobs()) == 1
    assert first.state.job is not None
    assert first.state.job.vin == "not a vin"


def test_nobody_records_without_being_picked(teo: Technician) -> None:
    with refused(BadInput, match="people, chosen first"):
        teo.garage.do(TakeReading(teo.job, "arch.LF", "712", "tape-4"), "", "x")
    assert teo.opened.state.taken_in_by is not None
    assert teo.opened.state.taken_in_by.known == "picked"


@pytest.mark.parametrize(
    "slot, typed, tool, word, value, understood",
    [
        ("arch.LF", "71.2 cm", "tape-4", "", 712.0, "71.2 cm"),
        ("arch.LF", "28 1/16 in", "tape-4", "", 712.7875, "28.0625 in"),
        ("toe.left", "0°06'", "printout", "minus", -0.1, "0° 6' toe-out"),
        ("toe.right", "0.1", "printout", "plus", 0.1, "0.1° toe-in"),
        ("slope.wheels.along", "3 mm/m", "level-1", "minus", -0.3, "3 mm/m falling forward"),
        ("level.roll", "0", "level-1", "", 0.0, "0°"),
        ("crossing", "-4.5", "laser-2", "", -4.5, "−4.5 mm"),
    ],
)
def test_what_was_typed_is_kept_beside_what_was_understood(
    teo: Technician, slot: str, typed: str, tool: str, word: str, value: float, understood: str
) -> None:
    result = teo.garage.do(TakeReading(teo.job, slot, typed, tool, word), "teo", "x")
    assert isinstance(result, Opened)
    (entry,) = result.state.live(slot)
    assert entry.value == pytest.approx(value, abs=1e-9)
    said = entry.said
    assert (getattr(said, "typed", ""), told(getattr(said, "shown", ""))) == (typed, understood)
    assert isinstance(said, ReadingTaken)
    assert said.tool.id == tool


def test_a_level_that_reads_degrees_contributes_in_percent_where_a_slope_is_asked(teo: Technician) -> None:
    teo.read("slope.wheels.along", "0.1", "level-1", "plus")
    (entry,) = teo.opened.state.live("slope.wheels.along")
    assert isinstance(entry.said, ReadingTaken)
    assert entry.said.tool.contributions.resolution == pytest.approx(0.01 * 1.7453, rel=1e-3)


@pytest.mark.parametrize(
    "temperature, hung_free, correction",
    [
        ("", False, 0.0),
        ("20", False, 0.0),
        ("36,5 °C", False, 2745 * 11.5e-6 * 16.5),
        ("−4", False, -2745 * 11.5e-6 * 24),
        ("", True, -1000 * 0.14**2 * 2.745**3 / (24 * 50**2)),
    ],
)
def test_a_tape_is_corrected_for_its_warmth_and_its_sag(
    teo: Technician, temperature: str, hung_free: bool, correction: float
) -> None:
    result = teo.garage.do(
        TakeReading(teo.job, "tape.LF.LF_end", "2745", "tape-4", temperature=temperature, hung_free=hung_free),
        "teo",
        "x",
    )
    assert isinstance(result, Opened)
    sheet = result.sheet
    found = sheet.epochs.now(sheet.slots["tape.LF.LF_end"].slot)
    assert found is not None
    assert found.value - 2745 == pytest.approx(correction, abs=1e-6)


def test_a_tape_whose_warmth_was_not_typed_has_that_of_the_visit(
    teo: Technician,
) -> None:
    def read() -> Figures:
        sheet = teo.opened.sheet
        found = sheet.epochs.now(sheet.slots["tape.LF.LF_end"].slot)
        assert found is not None
        return found.figures

    teo.read("tape.LF.LF_end", "2745", "tape-4")
    unknown = read()
    teo.garage.do(TakeReading(teo.job, "tape.RF.RF_end", "2745", "tape-4", temperature="34"), "teo", "x")
    known = read()
    assert known.value - unknown.value == pytest.approx(2745 * 11.5e-6 * 14, rel=0.02)
    assert unknown.u_scale**2 - known.u_scale**2 == pytest.approx((11.5e-6) ** 2 * (5.0**2 - 1.0**2), rel=1e-6)


@pytest.mark.parametrize("temperature", ["warm", "200", "1e1"])
def test_a_temperature_that_no_tape_has_is_refused(teo: Technician, temperature: str) -> None:
    with refused(BadInput, match="degrees Celsius from") as caught:
        teo.garage.do(TakeReading(teo.job, "arch.LF", "712", "tape-4", temperature=temperature), "teo", "x")
    assert caught.value.field == "temperature"


def test_readings_at_different_warmth_are_corrected_apart_and_joined(teo: Technician) -> None:
    for k, temperature in enumerate(("10", "30")):
        teo.garage.do(TakeReading(teo.job, "tape.LF.LF_end", "2745", "tape-4", temperature=temperature), "teo", f"t{k}")
    sheet = teo.opened.sheet
    found = sheet.epochs.now(sheet.slots["tape.LF.LF_end"].slot)
    assert found is not None
    assert found.value == pytest.approx(2745, abs=1e-3)
    assert found.count == 2


@pytest.mark.parametrize(
    "slot, typed, tool, word, field",
    [
        ("arch.XX", "712", "tape-4", "", "slot"),
        ("tick.doors", "712", "tape-4", "", "slot"),
        ("arch.LF", "much", "tape-4", "", "value"),
        ("arch.LF", "712", "level-1", "", "tool"),
        ("arch.LF", "712", "", "", "tool"),
        ("toe.left", "0.1", "printout", "", "word"),
        ("toe.left", "-0.1", "printout", "plus", "value"),
        ("toe.left", "0.1", "printout", "sideways", "word"),
    ],
)
def test_a_refused_reading_names_the_field_and_changes_nothing(
    teo: Technician, slot: str, typed: str, tool: str, word: str, field: str
) -> None:
    with pytest.raises(BadInput) as caught:
        teo.garage.do(TakeReading(teo.job, slot, typed, tool, word), "teo", "x")
    assert caught.value.field == field
    assert teo.opened.row.count == BEGUN


def test_an_implausible_reading_is_asked_about_and_may_still_be_recorded(teo: Technician) -> None:
    asked = teo.garage.do(TakeReading(teo.job, "arch.LF", "66.2", "tape-4"), "teo", "x")
    assert isinstance(asked, Asked)
    assert teo.opened.row.count == BEGUN
    meant = asked.question.choices[0].text
    result = teo.garage.do(TakeReading(teo.job, "arch.LF", "66.2", "tape-4", understood=meant), "teo", "y")
    assert isinstance(result, Opened)
    assert result.state.live("arch.LF")[0].value == 662
    for option in ("maybe", ""):
        with refused(BadInput, match="yes or no"):
            teo.garage.do(Answer(teo.job, "tick.doors", option), "teo", "z")
    with refused(BadInput, match="one of yaw"):
        teo.garage.do(Happen(teo.job, "earthquake"), "teo", "z")


def test_undo_takes_back_ones_own_last_entry_and_keeps_it_in_the_log(teo: Technician) -> None:
    garage = teo.garage
    teo.read("arch.LF", "712", "tape-4")
    garage.do(TakeReading(teo.job, "arch.RF", "713", "tape-4"), "amara", "a")
    garage.do(Undo(teo.job), "teo", "u1")
    state = teo.opened.state
    assert not state.live("arch.LF")
    assert state.entries["arch.LF"][0].withdrawn
    assert state.live("arch.RF")
    with refused(BadInput, match="an entry of your own"):
        garage.do(Undo(teo.job), "teo", "u2")
    garage.do(Undo(teo.job), "amara", "u3")
    assert not teo.opened.state.live("arch.RF")


def test_an_override_needs_a_reason_and_lapses_when_the_check_changes(full: Technician) -> None:
    garage = full.garage
    full.happen("door")
    with refused(Conflict, match="Not settled yet: Doors, Ride height"):
        garage.do(Sign(full.job, full.opened.row.head, render), "teo", "s")
    for reason in ("", "  ", "ok", "..........."):
        with pytest.raises(BadInput):
            garage.do(Override(full.job, "ride_height", reason), "teo", full.id())
    with refused(BadInput, match="a check that does not hold"):
        garage.do(Override(full.job, "tyres", "for no reason at all"), "teo", full.id())
    garage.do(Override(full.job, "ride_height", "read a minute ago, the door only"), "teo", full.id())
    view = full.check("ride_height")
    assert view is not None
    assert view.settled
    assert view.state == "stale"
    full.answer("tick.doors", "yes")
    assert full.opened.sheet.stands
    full.happen("loaded")
    lapsed = full.check("ride_height")
    assert lapsed is not None
    assert lapsed.override is None
    garage.do(Override(full.job, "ride_height", "weighed, nothing to speak of"), "teo", full.id())
    garage.do(Override(full.job, "ride_height", ""), "teo", full.id())
    withdrawn = full.check("ride_height")
    assert withdrawn is not None
    assert not withdrawn.settled


def test_a_signed_sheet_is_frozen_until_it_is_reopened(full: Technician) -> None:
    garage = full.garage
    with refused(Conflict, match="not signed"):
        garage.do(Reopen(full.job, "for no good reason"), "teo", "r0")
    full.finish()
    signed = garage.do(Sign(full.job, full.opened.row.head, render), "ines", "s1")
    assert signed.state.stage == "signed"
    again = garage.do(Sign(full.job, full.opened.row.head, render), "ines", "s1")
    assert again.row.count == signed.row.count, "a doubled press signs once"
    late: tuple[Command[Any], ...] = (
        TakeReading(full.job, "arch.LF", "712", "tape-4"),
        Happen(full.job, "bump"),
        Answer(full.job, "tick.doors", "no"),
        Undo(full.job),
        Sign(full.job, full.opened.row.head, render),
    )
    for nth, command in enumerate(late):
        with refused(Conflict, match="reopen it: a new revision begins"):
            garage.do(command, "ines", f"n{nth}")
    with refused(BadInput, match="a reason in words"):
        garage.do(Reopen(full.job, "no"), "ines", "r1")
    reopened = garage.do(Reopen(full.job, "a second target place was asked for"), "ines", "r2")
    assert (reopened.state.stage, reopened.state.revision) == ("reopened", 2)
    second = garage.do(Sign(full.job, full.opened.row.head, render), "ines", "s2")
    assert [record.said.revision for record in second.state.records] == [1, 2]


def test_a_job_is_judged_by_what_it_pinned_even_when_the_catalogue_moves_on(full: Technician, tmp_path: Path) -> None:
    own = full.garage.data / "catalogue" / "procedures"
    own.mkdir(parents=True)
    practice = Path(__file__).parents[3] / "escuadra/catalogue/practice/procedures/bl-cam-01.yaml"
    pinned = full.opened.sheet.plan.procedure.revision
    moved = (
        practice.read_text()
        .replace(f"revision: {pinned}", f"revision: {pinned + 1}")
        .replace("height: 1417", "height: 1502")
    )
    (own / "bl-cam-01.yaml").write_text(moved.replace("nominal: 1417", "nominal: 1502"))
    later = Garage(full.garage.data, Clock())
    assert later.catalogue.get("procedure", "BL-CAM-01").revision == pinned + 1
    assert later.open(full.job).sheet.plan.procedure.revision == pinned
    assert later.open(full.job).sheet.stands
    new = later.do(BeginVisit(TakeIn.read({**TAKEN, "number": "T-10"})), "teo", "new")
    assert later.open(new.row.id).sheet.plan.procedure.height == 1502
    later.close()


def test_a_demo_left_half_filled_is_made_anew_and_its_past_visits_follow_from_their_events(tmp_path: Path) -> None:
    half = Garage(tmp_path / "demo", Clock())
    half.do(Set("made_by", MADE_BY), ITSELF, press())
    half.do(AddPerson("teo", "Teo Marchena", "specialist"), ITSELF, press())
    half.close()
    told: list[tuple[int, int]] = []
    demo = open_demo(tmp_path / "demo", Clock(), 5, lambda done, of: told.append((done, of)))
    assert len(demo.jobs()) == 17, "the past ones come before those of these days"
    assert told == [(5, 5)]
    listed = [row for row in demo.listed() if isinstance(row, Listed)]
    assert [row.number for row in listed[-5:]] == [f"VF-{k:04d}" for k in reversed(range(5))]
    assert {row.stage for row in listed[-5:]} == {"released"}
    with demo.store.reading() as log:
        kept = [one for sheet in ("BC-CAM-01", "BL-CAM-01") for one in log.residuals(sheet, "yaw")]
    assert len(kept) == 7, "the past ones, and two that were signed these days"
    last = listed[-1].row.id
    (record,) = demo.open(last).state.records
    kept_json = Record.model_validate_json(demo.files.get(record.said.record_json))
    anew = build(demo.signed_sheet(demo.open(last), 1), record.person, record.at, "Valdehierro")
    seen = {"log_events": kept_json.log_events, "log_head": kept_json.log_head}
    assert anew.model_copy(update=seen) == kept_json, "as if the commands had signed it"
    assert print_certificate(demo, last, 1).startswith(b"%PDF-")
    demo.close()
    verified = CliRunner().invoke(app, ["verify", "--data", str(tmp_path / "demo")])
    assert verified.exit_code == 0, verified.output


def test_the_demo_makes_eight_visits_and_never_touches_what_it_did_not_make(demo_then: Path, tmp_path: Path) -> None:
    demo = open_demo(demo_then, Clock())
    jobs = [opened for opened in demo.jobs() if isinstance(opened, Opened)]
    stages = {opened.row.number: opened.state.stage for opened in jobs}
    assert stages == {"VF-0419": "taken_in", "VF-0418": "in_work", "VF-0417": "in_work", "VF-0411": "signed"} | {
        "VF-0416": "in_work",
        "VF-0412": "signed",
        "VF-0420": "left_out",
        "VF-0421": "run",
    }, "of several, the one that stands last"
    several = {say(Name(opened.name)): opened.state.stage for opened in jobs if opened.row.number == "VF-0420"}
    assert several == {
        "front camera": "signed",
        "front radar": "in_work",
        "front surround camera": "left_out",
        "left surround camera": "in_work",
        "rear surround camera": "in_work",
    }
    half_way = next(opened for opened in jobs if opened.row.number == "VF-0417")
    assert {"undecided", "stale", "out", "holds"} <= {view.state for view in half_way.sheet.checks}
    demo.close()
    again = open_demo(demo_then, Clock())
    assert len(again.jobs()) == 12
    again.close()
    own = Garage(tmp_path / "own", Clock())
    own.do(AddPerson("ana", "Ana", "lead"), ITSELF, press())
    own.close()
    Garage(tmp_path / "empty", Clock()).close()
    (tmp_path / "photos").mkdir()
    (tmp_path / "photos" / "holiday.txt").write_text("mine")
    for folder in ("own", "empty", "photos"):
        with refused(BadInput, match="an empty folder or a demo garage"):
            open_demo(tmp_path / folder, Clock())
    assert [path.name for path in (tmp_path / "photos").iterdir()] == ["holiday.txt"]
    mine = Garage(tmp_path / "own", Clock())
    assert [person["name"] for person in mine.store.people()] == ["Ana"]
    assert mine.jobs() == []
    mine.close()
