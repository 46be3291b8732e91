"""A further carrier, a method and a screen are one class or module each: from the sheet to the record, and shown."""

from collections.abc import Iterator, Mapping
from pathlib import Path

import pytest
from fastapi import Request
from fastapi.responses import HTMLResponse
from fastapi.testclient import TestClient

from escuadra.catalogue.library import PRACTICE
from escuadra.commands.signing import Sign
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Name, Text, said
from escuadra.core.procedure.sheet import CarrierSpec, CheckSpec, Station, check_kind
from escuadra.core.visit.carriers import CARRIERS, Carrier, carrier
from escuadra.core.visit.checks.base import OneReading
from escuadra.core.visit.entering import Entering
from escuadra.core.visit.log.disturbances import BODIES, HAPPENINGS, Happening
from escuadra.core.visit.log.state import Run
from escuadra.core.visit.methods import METHODS, Method, method
from escuadra.core.visit.methods.base import Sight, place
from escuadra.core.visit.observed import OBSERVATIONS, Kind, ObservationId, observed_as
from escuadra.core.visit.places import Plan
from escuadra.core.visit.proof import StationView, Watch, proven_by
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.setup import Setup
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.views import SheetView
from escuadra.demo.technician import Technician
from escuadra.reports.record import Record, render_record
from escuadra.web.app import create_app
from escuadra.web.pages import garage_of, render
from escuadra.web.screens import SCREENS, screen
from escuadra.words import say
from tests.conftest import on_own_sheet

TROLLEY = frozenset({"trolley"})
BUMPED = Happening(what="trolley_bump", aspects=TROLLEY, side="target", of="trolley", told=said("as_told", text="hit"))


def new_carrier() -> None:
    """A trolley that is parked by one tape, which proves it too."""

    @check_kind("trolley_parked")
    class Parked(OneReading):
        @property
        def carried_by(self) -> str:
            return "trolley"

        def make_slots(self, setup: Setup) -> list[Slot]:
            length = Quantity(dimension="length", unit="mm", low=0, high=9000)
            label = Name("Trolley off the sill")
            return [Slot(id="trolley.off", label=label, aspects=TROLLEY, quantity=length, reads="tape")]

    @carrier
    class Trolley(Carrier):
        id = "trolley"
        own_place = True
        spoils = TROLLEY
        bump = "trolley_bump"
        own_happenings = (BUMPED,)

        @property
        def place_words(self) -> Text:
            return Name("trolley")

        def proof(self, setup: Setup, station: Station, run: Run) -> StationView:
            after = [entry for entry in setup.relied("trolley.off") if entry.seq > run.seq]
            hit = setup.state.first_disturbed(TROLLEY, run.seq)
            if hit is not None and (not after or hit.seq < after[0].seq):
                return StationView(station, run, "doubt", because=hit)
            return (
                StationView(station, run, "proven", proven_by(after)) if after else StationView(station, run, "awaited")
            )

        def watch(self, sheet: SheetView, station: Station) -> Watch | None:
            return Watch(Name("Trolley off the sill"), "parked", "trolley.off")


def new_method() -> None:
    """A gyro that tells the thrust line's direction."""
    observed_as(Kind("gyro", lambda id: Name("gyro"), of_line=True))

    @method
    class Gyro(Method):
        id = "gyro"
        prefixes = ("gyro",)
        title = said("as_told", text="Gyro")
        finds = "thrust"
        tells = cannot = title
        materials = steps = (title,)

        def slots(self, plan: Plan) -> list[Slot]:
            label = Name("Gyro along the axle")
            return [place("gyro.heading", label, -2, 2, "printout", way="thrust", dimension="angle", unit="°")]

        def enter(self, into: Entering) -> None:
            read = into.one(self.slots(into.plan)[0])
            if read is not None:
                into.put(ObservationId("gyro"), "thrust", read.value, read.u)

        def exact(self, scene: Scene) -> Mapping[str, float]:
            return {"gyro.heading": scene.thrust_deg}

        def sights(self, scene: Scene) -> list[Sight]:
            return []


def new_screen(folder: Path) -> None:
    """A page of its own about the trolley."""
    (folder / "trolley.html").write_text("<p>{{ sheet.slots['trolley.off'].now[-1].value }} mm, {{ place_now }}</p>")
    router = screen("trolley", "/jobs/{job}/trolley", within="bays", templates=folder)

    @router.get("")
    def look(request: Request, job: str) -> HTMLResponse:
        return render(request, "trolley.html", sheet=garage_of(request).open(job).sheet)


@pytest.fixture
def trolleyed(tmp_path: Path) -> Iterator[Technician]:
    """A set-up on a sheet whose target stands on the trolley, and whose line the gyro finds too."""
    new_carrier()
    new_method()
    new_screen(tmp_path)
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
    HAPPENINGS.pop(BUMPED.what)
    for register, id in ((CARRIERS, "trolley"), (BODIES, "trolley"), (SCREENS, "trolley"), (METHODS, "gyro")):
        register.pop(id)  # type: ignore[attr-defined]
    OBSERVATIONS.pop("gyro")


def test_a_carrier_a_method_and_a_screen_are_made_in_one_place_each(trolleyed: Technician) -> None:
    who = trolleyed
    assert who.opened.visit.bodies == {"frame": "frame", "trolley": "trolley"}
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    who.read("gyro.heading", "-0.01", "printout", "minus")
    lines = who.opened.sheet.setup.lines
    assert lines is not None
    assert ObservationId("gyro") in lines.observations
    who.target()
    who.read("trolley.off", "1530", "tape-4")
    assert who.opened.sheet.check("parked").state == "out"  # type: ignore[union-attr]
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
    assert who.opened.sheet.can_sign, say(who.opened.sheet.next.sentence)
    shown = TestClient(create_app(who.garage), base_url="http://127.0.0.1")
    shown.cookies.set("escuadra_person", "teo")
    assert shown.get(f"/jobs/{who.job}/trolley").text == "<p>1503.0 mm, bays</p>"
    page = shown.get(f"/jobs/{who.job}").text
    assert 'value="trolley_bump"' in page
    assert 'value="stand_bump"' not in page, "what can happen to a carrier is offered where it is used"
    who.garage.do(Sign(who.job, who.opened.row.head, render_record(who.garage)), "teo", who.id())
    record = Record.model_validate_json(who.garage.files.get(who.opened.state.records[-1][0].record_json))
    kept = {check.id: [reading.typed for reading in check.readings] for check in record.checks}
    assert kept["gyro"] == ["-0.01"]
    assert kept["parked"][-1] == "1503"
