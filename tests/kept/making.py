"""Makes the data folder of the version at hand, with every kind of event in it: ``python -m tests.kept.making``.

Refuses where the folder of that version is there already: what was released stays as it was written.
"""

import json
import sqlite3
import sys
import tempfile
import zipfile
from contextlib import closing
from pathlib import Path
from typing import Any

import escuadra
from escuadra.commands import Garage
from escuadra.commands.closing import DISPLAY, Acknowledge, CloseHandover, HandOver, Release, SendBack
from escuadra.commands.codes import ClearCodes, FreezeCodes
from escuadra.commands.customers import EraseCustomer
from escuadra.commands.entries import Override, Undo
from escuadra.commands.forms import press
from escuadra.commands.instrument_life import Document, Drop, Retire
from escuadra.commands.lines import PlanLines
from escuadra.commands.running import ConfirmSetup
from escuadra.commands.signing import Reopen, Sign
from escuadra.commands.surveys import ReadPoint, StationLevel, TakeBackFigure, on_grid
from escuadra.commands.vehicle import ChangeAsked, ChangeFigure, Photograph
from escuadra.commands.whole import AddCalibration, CallOff, Correct, PhotographVehicle, Reorder, TakeUp
from escuadra.core.base.stream import PAYLOADS
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.core.visit.log.events import LinePlanned
from escuadra.demo.valdehierro import open_demo
from escuadra.rehearsal.technician import Technician
from escuadra.reports.certificate import print_certificate, render_certificate
from escuadra.reports.record import print_record, render_record
from escuadra.store.dialect import FILE_NAME
from tests.conftest import ground_flat
from tests.core.visit.test_floors import MORE, staffs
from tests.core.visit.test_moves import ready
from tests.core.visit.test_vehicle import picture

KEPT = Path(__file__).parent
WHY = "as the customer and the lead agreed"


def make(folder: Path) -> None:
    """The demo, and four visits more, in which all happens that the demo has not."""
    now = [1_782_000_000_000]
    garage = open_demo(folder, lambda: now[0])
    ground_flat(garage, "Patio")
    _corrected(garage, now)
    _driven(garage, now)
    _taught(garage, now)
    _of_instruments(garage)
    garage.close()


def _begun(garage: Garage, now: list[int], number: str, procedure: str, **asked: str) -> Technician:
    now[0] += 86_400_000
    who = Technician(garage, now[0], "teo")
    who.take_in(number=number, reason="windscreen replaced", bay="Patio", procedure=procedure, **asked)
    return who


def _do(who: Technician, command: Any, person: str = "teo") -> Any:
    return who.garage.do(command, person, press())


def _codes(who: Technician, when: str) -> None:
    units = [{"unit": "camera_unit", "codes": [{"code": "VH-C41", "state": "active"}]}]
    _do(who, FreezeCodes(who.job, CodesFrozen.read({"when": when, "source": "typed", "units": units})))


def _sign(who: Technician) -> None:
    _do(who, Sign(who.job, who.opened.row.head, render_record(who.garage)), "amara")


def _corrected(garage: Garage, now: list[int]) -> None:
    """Everything that is corrected, taken back, overridden, left and taken up again, and reopened."""
    who = _begun(garage, now, "VF-0501", "BL-CAM-01", vin="ZZ9BL09C6RV000901", customer="School line 7")
    _codes(who, "before")
    for what, value in (("plate", "VH 0909"), ("frame", "galga-3"), ("frame", "galga-2")):
        _do(who, Correct(who.job, what, value, WHY))
    _do(who, AddCalibration(who.job, "BL-RAD-01"))
    _do(who, Reorder(who.job, ("2", "1"), WHY))
    _do(who, PlanLines(who.job, LinePlanned(methods=["marks"])))
    _do(who, CallOff(who.job, WHY))
    _do(who, TakeUp(who.job, WHY))
    slot = next(s for s in who.opened.sheet.slots if s.startswith("condition."))
    _do(who, Photograph(who.job, slot, "glass.jpg", picture()))
    who.calibration = "1"
    who.read("arch.LF", "700", "tape-7")
    _do(who, Undo(who.job, calibration="1"))
    who.set_up()
    changed = ChangeAsked(path="check.centred.limits.minus", typed="3.5", reason=WHY)
    _do(who, ChangeFigure(who.job, changed, calibration="1"))
    who.happen("door")
    _do(who, Override(who.job, "ride_height", WHY, calibration="1"))
    _do(who, Override(who.job, "ride_height", "", calibration="1"))


def _driven(garage: Garage, now: list[int]) -> None:
    """To the certificate and back, and a drive that is handed over, acknowledged and closed."""
    who = _begun(garage, now, "VF-0502", "QR-CAM-01", vin="ZZ9QR216XRV000001", customer="R. Olmedo")
    _codes(who, "before")
    _do(who, ClearCodes(who.job, ("camera_unit",), WHY))
    who.set_up()
    _do(who, ConfirmSetup(who.job), "amara")
    who.finish()
    _sign(who)
    _do(who, Reopen(who.job, WHY), "amara")
    _sign(who)
    _codes(who, "after")
    _do(who, SendBack(who.job, WHY), "ines")
    told = {"drives": "customer", "conditions": "dry road", "still": "15 km", "shows": "camera lamp"}
    told |= {"without": "lane keeping", "seen_by": "the lamp goes out", "by": "2026-09-15"}
    link = _do(who, HandOver(who.job, **told)).state.handovers[-1].said.link
    _do(who, Acknowledge(who.job, link, "R. Olmedo"))
    _do(who, Release(who.job, who.opened.row.head, "", render_certificate(garage)), "ines")
    print_record(garage, who.job, 1)
    print_certificate(garage, who.job, 1)
    _do(who, PhotographVehicle(who.job, DISPLAY, "display.jpg", picture()))
    _do(who, CloseHandover(who.job, link, "photo", WHY))
    job = who.opened.state.job
    assert job is not None
    _do(who, EraseCustomer(job.customer), "ines")


def _taught(garage: Garage, now: list[int]) -> None:
    """A screw that is learned from a move, and the next visit that knows it, on a floor told by six heights."""
    who = ready(_begun(garage, now, "VF-0503", "BL-CAM-01"))
    who.tapes((2, 1, 1.2))
    move = who.opened.sheet.next
    who.happen("yaw", move.by)
    who.tapes((2, 1, 1.2 + 0.31 * move.by["turns"]))
    who.happen("bump")
    who.level()
    who.tapes((0.5, -0.9, 0.0))
    who.tapes((0.5, -0.9, 0.0), (("LR", "LF_end"), ("RR", "RF_end")))
    who.around()
    who.finish()
    _sign(who)
    staffs(_begun(garage, now, "VF-0504", "BL-CAM-01"), (0.002, -0.001), lifted=3.0)


def _of_instruments(garage: Garage) -> None:
    garage.do(Document("tape-4", "sheet.pdf", b"%PDF-1.7 of a tape"), "teo", press())
    garage.do(Drop("laser-2", "off the bench"), "teo", press())
    garage.do(Retire("level-5"), "ines", press())
    bay = garage.floors.bay("Muelle")[0]
    survey = garage.do(on_grid(bay, 4000, 200, reads="staff", **MORE), "teo", press())
    garage.do(StationLevel(survey, "1", "3000", "2000"), "teo", press())
    for typed in ("1408 mm", "1409 mm"):
        garage.do(ReadPoint(survey, "A1", typed), "teo", press())
    garage.do(TakeBackFigure(survey), "teo", press())


def kinds(folder: Path) -> set[str]:
    """The kinds of event in a folder."""
    with closing(sqlite3.connect(folder / FILE_NAME)) as file:
        return {json.loads(text)["kind"] for (text,) in file.execute("SELECT text FROM entry")}


if __name__ == "__main__":
    kept = KEPT / f"{escuadra.__version__}.zip"
    if kept.exists():
        sys.exit(f"{kept} is there already: what was released stays as it was written")
    with tempfile.TemporaryDirectory() as made, zipfile.ZipFile(kept, "w", zipfile.ZIP_DEFLATED) as packed:
        make(Path(made) / "data")
        if missing := sorted(set(PAYLOADS) - kinds(Path(made) / "data")):
            sys.exit(f"nothing in it is of the kinds {missing}: let it happen first")
        for file in sorted((Path(made) / "data").rglob("*")):
            if file.is_file() and file.name != "lock":
                packed.write(file, file.relative_to(Path(made) / "data"))
