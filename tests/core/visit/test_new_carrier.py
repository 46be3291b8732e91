"""A further carrier, a method and a screen, as CONTRIBUTING.md makes them: from the sheet to the record, and shown."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from escuadra.catalogue.library import PRACTICE
from escuadra.commands.signing import Sign
from escuadra.core.procedure.sheet import CarrierSpec, CheckSpec
from escuadra.core.visit.carriers import CARRIERS
from escuadra.core.visit.log.disturbances import BODIES, HAPPENINGS
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.solution.observed import OBSERVATIONS, ObservationId
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import Record, render_record
from escuadra.web.app import create_app
from escuadra.web.screens import SCREENS
from escuadra.words import say
from tests.conftest import contributed, on_own_sheet


@pytest.fixture
def trolleyed(tmp_path: Path) -> Iterator[Technician]:
    """A set-up on a sheet whose target stands on the trolley, and whose line the gyro finds too."""
    contributed("a carrier")
    contributed("a method")
    (tmp_path / "trolley.html").write_text("<p>{{ sheet.slots['trolley.off'].now[-1].value }} mm, {{ place_now }}</p>")
    contributed("a screen", FOLDER=tmp_path)
    sheet = (
        (PRACTICE / "procedures" / "bl-sur-01.yaml").read_text(encoding="utf-8").replace("id: BL-SUR-01", "id: TR-1")
    )
    stations, checks = sheet.index("stations:"), sheet.index("floor: {")
    left = "{id: left, name: left, carrier: trolley, place: left, height: 913, mounting: {target: VT-D, side: A,"
    sheet = f"{sheet[:stations]}stations:\n  - {left} way_up: arrow up, fixing: stand}}}}\n{sheet[checks:]}"
    limits = "limits: {nominal: 1500, minus: 9, plus: 9}"
    lines = [line for line in sheet.splitlines() if "kind: staked" not in line]
    at = lines.index(next(line for line in lines if "id: target, kind: target," in line))
    lines.insert(at, "  - {id: gyro, kind: method, group: line, title: Gyro, method: gyro}")
    lines.insert(at + 2, f"  - {{id: parked, kind: trolley_parked, group: target, title: Trolley, {limits}}}")
    with on_own_sheet(tmp_path, "\n".join(lines), "surround camera replaced") as who:
        yield who
    CheckSpec.registered.pop("trolley_parked")
    CarrierSpec.registered.pop("trolley")
    HAPPENINGS.pop("trolley_bump")
    for register, id in ((CARRIERS, "trolley"), (BODIES, "trolley"), (SCREENS, "trolley"), (METHODS, "gyro")):
        register.pop(id)
    OBSERVATIONS.pop("gyro")


def test_a_carrier_a_method_and_a_screen_are_made_in_one_place_each(trolleyed: Technician) -> None:
    who = trolleyed
    assert who.opened.visit.bodies == {"frame": "frame", "trolley": "trolley"}
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    who.read("gyro.heading", "-0.01", "printout", "minus")
    lines = who.opened.sheet.epochs.lines
    assert lines is not None
    assert ObservationId("gyro") in lines.observations
    who.target()
    who.read("trolley.off", "1530", "tape-4")
    assert who.check("parked").state == "out"
    who.read("trolley.off", "1503", "tape-4", replaces=True)
    who.around()
    assert who.opened.sheet.next.kind == "run", say(who.opened.sheet.next.sentence)
    who.run()
    move = who.opened.sheet.next
    assert (move.kind, move.slot) == ("read", "trolley.off"), say(move.sentence)
    who.happen("trolley_bump")
    assert who.opened.sheet.stations[0].proof == "doubt"
    who.read("trolley.off", "1503", "tape-4")
    who.around()
    who.run()
    who.read("trolley.off", "1503", "tape-4")
    assert who.opened.sheet.stations[0].proof == "proven"
    who.finish()
    assert who.opened.sheet.can_sign, say(who.opened.sheet.next.sentence)
    shown = TestClient(create_app(who.garage), base_url="http://127.0.0.1")
    shown.cookies.set("escuadra_person", "teo")
    assert shown.get(f"/jobs/{who.job}/trolley").text == "<p>1503.0 mm, bays</p>"
    page = shown.get(f"/jobs/{who.job}").text
    assert 'value="trolley_bump"' in page
    assert 'value="stand_bump"' not in page, "what can happen to a carrier is offered where it is used"
    who.garage.do(Sign(who.job, who.opened.row.head, render_record(who.garage)), "teo", who.id())
    record = Record.model_validate_json(who.garage.files.get(who.opened.state.records[-1].said.record_json))
    kept = {check.id: [reading.typed for reading in check.readings] for check in record.checks}
    assert kept["gyro"] == ["-0.01"]
    assert kept["parked"][-1] == "1503"
