"""The demo data: one invented garage, five jobs in different states. Made-up figures: practice only.

A frame's true pose is planted and its readings follow from trigonometry, rounded as a person would read them.
"""

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from escuadra.commands import Garage
from escuadra.commands.adjusting import TellTurns, TurnScrews
from escuadra.commands.closing import HandOver, Release
from escuadra.commands.codes import FreezeCodes
from escuadra.commands.forms import press
from escuadra.commands.people import AddPerson
from escuadra.commands.settings import Set
from escuadra.commands.signing import Sign
from escuadra.commands.whole import AddCalibration, LeaveOut, TellWork
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.base.stream import ITSELF
from escuadra.core.visit.aiming import stated
from escuadra.core.visit.attempts import FAILED
from escuadra.core.visit.checks.vehicle import SOUND
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.log.whole import WorkTold
from escuadra.demo import drafts, instruments, past, roads
from escuadra.demo.floors import fill_floors
from escuadra.devices.virtual_sensors import Misled
from escuadra.devices.virtual_vehicle import radar_of
from escuadra.rehearsal.technician import Technician
from escuadra.reports.certificate import render_certificate
from escuadra.reports.record import render_record
from escuadra.store import dialect
from escuadra.store.writers import LOCK

MADE_BY = "demo of valdehierro"
PEOPLE = (
    ("ines", "Inés Robledo", "lead"),
    ("teo", "Teo Marchena", "specialist"),
    ("amara", "Amara Quist", "specialist"),
    ("nuno", "Nuno Salgado", "trainee"),
)
BAYS = ("Norte", "Patio", "Muelle")


def untold(_done: int, _of: int) -> None:
    """Nobody is told how far it is."""


def open_demo(
    data: Path, clock: Callable[[], int], past_visits: int = 0, told: Callable[[int, int], None] = untold
) -> Garage:
    """The demo garage; refuses a folder whose data the demo did not make. A half-filled one is made anew."""
    if data.exists() and any(path.name != LOCK for path in data.iterdir()):
        if not dialect.there(data):
            raise BadInput("data", str(data), said("wants.empty_folder_or_demo_garage"))
        garage = Garage(data, clock)
        made_by, filled = garage.store.setting("made_by"), garage.store.setting("filled")
        if made_by == MADE_BY and filled:
            return garage
        garage.close()
        if made_by != MADE_BY:
            raise BadInput("data", str(data), said("wants.empty_folder_or_demo_garage_garage"))
        for left in data.glob(f"{dialect.FILE_NAME}*"):
            left.unlink()
    garage = Garage(data, clock)
    garage.do(Set("made_by", MADE_BY), ITSELF, press())
    fill(garage, past_visits, told)
    garage.do(Set("filled", "yes"), ITSELF, press())
    return garage


def fill(garage: Garage, past_visits: int = 0, told: Callable[[int, int], None] = untold) -> None:
    """People, bays with their floors, past visits, and those of these days."""
    garage.do(Set("name", "Valdehierro"), ITSELF, press())
    garage.do(Set("time_zone", "Europe/Madrid"), ITSELF, press())
    for person in PEOPLE:
        garage.do(AddPerson(*person), ITSELF, press())
    fill_floors(garage)
    now = garage.clock
    start = int(datetime.fromtimestamp(now() / 1000, UTC).replace(minute=7, second=12).timestamp() * 1000)
    instruments.write(garage, start)
    roads.past_roads(garage, "teo", start)
    past.write(garage, start - 2 * 86_400_000, past_visits, PEOPLE, told)
    try:
        _signed(Technician(garage, start - 26 * 3_600_000, "amara"))
        _drive_open(Technician(garage, start - 22 * 3_600_000, "teo"))
        _contradicting(Technician(garage, start - 3 * 3_600_000, "amara"))
        _at_stations(Technician(garage, start - 65 * 60_000, "amara"))
        _half_way(Technician(garage, start - 2 * 3_600_000, "teo"))
        _taken_in(Technician(garage, start - 1 * 3_600_000, "nuno"))
        drafts.write(Technician(garage, start - 40 * 60_000, "amara"))
        _several(Technician(garage, start - 50 * 60_000, "amara"))
        _turned(Technician(garage, start - 100 * 60_000, "teo"))
    finally:
        garage.clock = now


def _at_stations(who: Technician) -> None:
    """Three places of the target: the first run and proven, the second run, the third still to come."""
    who.take_in(
        number="VF-0418",
        vin="ZZ9BL09C6RV000862",
        plate="VH 0744",
        odometer_km=151902,
        customer="Line 4, hospital minibus",
        reason="front camera replaced",
        bay="Norte",
        procedure="BL-CAM-02",
    )
    who.place(2600, 2500)
    who.ready()
    who.stance(-2, -1, -3, -2)
    who.line(("0.06", "0.06"))
    who.target()
    who.hang()
    who.level()
    who.tapes((0.5, -0.9, 0.0))
    who.around()
    who.run()
    move = who.opened.sheet.next
    who.happen(move.happening, move.by)
    who.shifted()
    who.around()
    who.run()


def _several(who: Technician) -> None:
    """What was done asks for five: one is signed, one left out, the frame is on its way to the next."""
    who.take_in(
        number="VF-0420",
        vin="ZZ9BL09C6RV000801",
        plate="VH 0801",
        odometer_km=97310,
        customer="Line 2, town minibus",
        reason="post struck: windscreen, bumper, mirror",
        bay="Norte",
        vehicle="brezo-lanzadera",
    )
    camera = {"unit": "camera_unit", "codes": [{"code": "VH-C41", "state": "active", "text": "calibration missing"}]}
    silent = {"unit": "corner_unit", "answered": False}
    units = [camera, {"unit": "radar_unit"}, {"unit": "surround_unit"}, silent]
    told = {"when": "before", "source": "typed", "units": units, "voltage": 12.6}
    who.garage.do(FreezeCodes(who.job, CodesFrozen.read(told)), who.person, who.id())
    done = [("replaced", "windscreen"), ("removed", "front_bumper"), ("removed", "left_mirror")]
    more = {
        "done": [{"act": act, "part": part} for act, part in done],
        "asked": [{"sensor": "surround_rear", "why": "precaution"}],
    }
    tell = TellWork(who.job, more=WorkTold.read(more), complaint="a lamp comes and goes")
    who.garage.do(tell, who.person, who.id())
    for sheet in ("BL-CAM-01", "BL-RAD-01"):
        who.garage.do(AddCalibration(who.job, sheet), who.person, who.id())
    for sensor in ("surround_front", "surround_left", "surround_rear"):
        who.garage.do(AddCalibration(who.job, "BL-SUR-01", sensors=(sensor,)), who.person, who.id())
    who.place(2600, 2500)
    who.set_up((-1, -2, 0, 1), ("0.05", "0.06"))
    who.finish()
    who.garage.do(Sign(who.job, who.opened.row.head, render_record(who.garage)), who.person, who.id())
    why = "the customer has this camera calibrated with the bumper, next week"
    who.garage.do(LeaveOut(who.job, "3", why), who.person, who.id())
    who.calibration = "2"
    who.answer("condition.cover.1", SOUND)
    who.read("bracket.lean", "0.2", "level-1", "minus")
    who.calibration = "4"
    who.answer("condition.glass.1", SOUND)


def _turned(who: Technician) -> None:
    """A radar whose routine failed once, was turned, and failed again by less; its tester tells the next turns."""
    who.take_in(
        number="VF-0421",
        vin="ZZ9BL09C6RV000934",
        plate="VH 0934",
        odometer_km=63127,
        customer="Line 7, school minibus",
        reason="front radar replaced",
        bay="Norte",
        procedure="BL-RAD-03",
    )
    who.place(2600, 2500)
    who.set_up((-1, 1, 0, -2), ("0.06", "0.06"))
    procedure = who.opened.sheet.plan.procedure
    given = procedure.adjusting
    assert given is not None
    radar = radar_of("ZZ9BL09C6RV000934", "radar_unit", stated(given), given.travel)
    first = {"side": ("2", "clockwise"), "low": ("1 1/4", "clockwise")}
    second = {"side": ("3/8", "clockwise"), "low": ("1/8", "clockwise")}
    for told in (first, second):
        who.run({s.id: f"{radar.respond(s.tilt_deg, Misled()):.1f}" for s in procedure.steps if s.tilt_deg is not None})
        who.result(FAILED, {name: round(value, 2) for name, value in radar.show(Misled()).items()})
        who.garage.do(TellTurns(who.job, told), who.person, who.id())
        if told is first:
            who.garage.do(TurnScrews(who.job), who.person, who.id())
            radar.turn({"side": 2.0, "low": 1.25})
            who.around()


def _taken_in(who: Technician) -> None:
    who.take_in(
        number="VF-0419",
        vin="ZZ9QE21B1RV004171",
        plate="VH 2207",
        odometer_km=61240,
        customer="Parks department",
        reason="windscreen replaced",
        bay="Patio",
        procedure="QE-CAM-01",
    )


def _half_way(who: Technician) -> None:
    who.take_in(
        number="VF-0417",
        vin="ZZ9BL09C6RV000917",
        plate="VH 0931",
        odometer_km=184310,
        customer="Line 9, school minibus",
        reason="windscreen replaced",
        bay="Norte",
        procedure="BL-CAM-01",
    )
    who.place(2600, 2500)
    who.ready()
    who.stance(-3, -4, -6, -5)
    who.line(("0.12", "0.06"))
    who.target()
    who.level()
    who.tapes((12, 6, 0.42))
    who.happen("yaw")
    who.tapes((9, 5, 0.2))
    who.happen("door")
    who.happen("slide")


def _contradicting(who: Technician) -> None:
    who.take_in(
        number="VF-0416",
        vin="ZZ9HV14A9RV002238",
        plate="VH 1162",
        odometer_km=97755,
        customer="Ambulance service",
        reason="front camera replaced",
        bay="Muelle",
        procedure="HV-CAM-01",
    )
    who.place(3000, 2600)
    who.ready()
    who.stance(2, 1, -2, -3)
    who.line()
    who.target()
    who.level(1)
    who.tapes((2, -1, 0.05), wrong=("tape.LF.RF_end", 18))


def _codes(who: Technician, when: str, *codes: dict[str, str]) -> None:
    """The codes of the camera's unit, typed off the tester."""
    units = [{"unit": "camera_unit", "codes": list(codes)}]
    told = {"when": when, "source": "typed", "units": units, "voltage": 13.1}
    who.garage.do(FreezeCodes(who.job, CodesFrozen.read(told)), who.person, who.id())


def _closed(who: Technician, functions: str) -> None:
    """Signed, the codes read again, and released."""
    _codes(who, "after")
    who.person = "ines"
    who.garage.do(Sign(who.job, who.opened.row.head, render_record(who.garage)), who.person, who.id())
    head = who.opened.row.head
    who.garage.do(Release(who.job, head, functions, render_certificate(who.garage)), who.person, who.id())


def _drive_open(who: Technician) -> None:
    """Everything before the drive is done: the customer drives, and tells."""
    who.take_in(
        number="VF-0411",
        vin="ZZ9QR216XRV003090",
        plate="VH 3090",
        odometer_km=58411,
        customer="Parks department",
        reason="windscreen replaced",
        bay="Norte",
        procedure="QR-CAM-01",
    )
    _codes(who, "before", {"code": "VH-C41", "state": "active", "text": "calibration missing"})
    who.place(2500, 2500)
    who.set_up((1, 0, -1, 1), ("0.05", "0.05"))
    who.finish()
    day = datetime.fromtimestamp(who.at / 1000 + 3 * 86_400, UTC).date().isoformat()
    drive = ("dry road, clear lines on both sides, 60 to 100 km/h as the law allows", "15 to 40 km")
    shows = ('camera lamp on, "learning" in the display', "lane keeping, sign reading")
    told = HandOver(who.job, "customer", *drive, *shows, "the lamp goes out by itself", day)
    who.garage.do(told, who.person, who.id())
    _closed(who, "")
    roads.under_way(who)


def _signed(who: Technician) -> None:
    who.take_in(
        number="VF-0412",
        vin="ZZ9BC33D4RV001552",
        plate="VH 0718",
        odometer_km=120884,
        customer="Street lighting",
        reason="wheel alignment done",
        bay="Norte",
        procedure="BC-CAM-01",
    )
    _codes(who, "before", {"code": "VH-C41", "state": "stored", "text": "calibration missing"})
    who.place(2400, 2500)
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    who.target()
    who.level()
    rear = (("LR", "LF_end"), ("RR", "RF_end"))
    who.tapes((9, 4, 0.3))
    who.happen("yaw")
    who.tapes((0.5, -0.9, 0.0))
    who.tapes((0.5, -0.9, 0.0), rear)
    who.around()
    who.finish()
    _closed(who, "lane keeping seen to steer on the yard's marked lane")
