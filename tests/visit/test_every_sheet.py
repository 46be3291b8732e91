"""Every practice sheet comes to its signature: what it says next is done, in a bay where things truly stand."""

import pytest

from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage
from escuadra.commands.signing import Sign
from escuadra.core.visit.aiming import stated
from escuadra.core.visit.log.state import LINES
from escuadra.demo.technician import Technician
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.devices.virtual_sensors import Misled, VirtualRadar
from escuadra.reports.record import render_record
from tests.conftest import ground_flat
from tests.english import told
from tests.following import follow

SHEETS = sorted(path.stem.upper() for path in (PRACTICE / "procedures").glob("*.yaml"))


def responses(who: Technician) -> dict[str, str]:
    """What a radar that looks where it should answers to each notch."""
    procedure = who.opened.sheet.plan.procedure
    if procedure.adjusting is None:
        return {}
    radar = VirtualRadar(stated(procedure.adjusting), procedure.adjusting.travel, "a radar")
    radar.yaw = radar.pitch = 0.0
    notches = ((step.id, step.tilt_deg) for step in procedure.steps if step.tilt_deg is not None)
    return {id: f"{radar.respond(tilt, Misled()):.2f}" for id, tilt in notches}


@pytest.mark.parametrize("sheet", SHEETS)
def test_what_is_next_leads_to_a_signature(garage: Garage, sheet: str) -> None:
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    reason = garage.catalogue.get("procedure", sheet).content.reasons[0]
    who.take_in(number="T-1", reason=reason, bay="Norte", procedure=sheet)
    who.ready()
    who.stance(0, 0, 0, 0)
    if "mark.front" in who.opened.sheet.slots:
        who.line(("0.07", "0.05"))
    bay = VirtualBay(who.opened.sheet.plan, (4.0, -3.0, 0.05, 2.0), seed=3)
    for _ in range(12):
        move = follow(who, bay, "run", "result", "sign")[-1]
        if move.kind == "sign":
            break
        if move.check == "result" and move.kind != "run":
            who.result()
            for line in who.opened.sheet.plan.procedure.lines:
                who.answer(f"{LINES}{line.id}", "between")
        else:
            who.run(responses(who))
    assert who.opened.sheet.next.kind == "sign", told(who.opened.sheet.next.sentence)
    who.garage.do(Sign(who.job, who.opened.row.head, render_record(who.garage)), "teo", who.id())
    assert who.opened.state.stage == "signed"
