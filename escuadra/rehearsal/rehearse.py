"""A sheet's rehearsal: with exact figures, from the floor to the signature, in a garage of its own that is then gone.

Nobody has to stand in a bay to find out that a sheet asks for what cannot be read or reached. Where it does not come to
a signature, what was next then is told.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory

from escuadra.catalogue import Catalogue
from escuadra.commands.bays import AddBay, KeepBay
from escuadra.commands.garage import Garage
from escuadra.commands.people import AddPerson
from escuadra.commands.signing import Sign
from escuadra.core.base.errors import BadInput, Conflict, refusal
from escuadra.core.base.said import Said, Sentences, said, sentences
from escuadra.core.base.stream import ITSELF
from escuadra.core.bay.bay import Bay
from escuadra.core.visit.aiming import stated
from escuadra.core.visit.log.places import ResultPlace
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.devices.virtual_sensors import Misled, VirtualRadar
from escuadra.rehearsal.following import Stuck, follow
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import render_record

BAY, WHO = "Rehearsal", "rehearser"
LARGE = Bay(name=BAY, length=24_000, width=12_000, u_rise_mm=0.4, u_place_mm=0.2)
"""Room for anything, its floor ground flat: what a sheet asks is rehearsed, not what a bay allows."""
START = (4.0, -3.0, 0.05, 2.0)
"""Where the frame stands to begin with: near, as somebody who rolled it there by eye."""
MORNING = 1_764_072_000_000
MOST_RUNS = 12


@dataclass(frozen=True)
class Rehearsed:
    """How far a sheet came."""

    signed: bool
    entries: int
    """Of the visit: readings, answers, moves."""
    why: Said | Sentences | None = None
    """What kept it from its signature."""
    check: str = ""
    """Id of the check that it stopped at; empty: at none."""
    off: Mapping[str, float] = field(default_factory=dict)
    """How far the frame truly stood from where it must be when it was signed: yaw (degrees), the rest mm."""


def rehearse(catalogue: Catalogue, procedure: str, frame: str) -> Rehearsed:
    """Follow a procedure from the floor to its signature, with a frame of the catalogue."""
    with TemporaryDirectory(prefix="escuadra-rehearsal-") as folder:
        garage = Garage(Path(folder), lambda: MORNING, catalogue)
        try:
            return _through(garage, procedure, frame)
        finally:
            garage.close()


def begun(garage: Garage) -> Technician:
    """Somebody in a garage that nobody was in so far, with room for anything."""
    garage.do(AddPerson(WHO, "Rehearser", "lead"), ITSELF, "begin-person")
    garage.do(AddBay(BAY), WHO, "begin-bay")
    garage.do(KeepBay(LARGE, garage.floors.bay(BAY)[1]), WHO, "begin-floor")
    return Technician(garage, MORNING, WHO)


def _through(garage: Garage, procedure: str, frame: str) -> Rehearsed:
    who = begun(garage)
    try:
        done = run_through(who, procedure, frame)
    except Stuck as stuck:
        return Rehearsed(False, _entries(who), sentences(stuck.move.sentence, stuck.move.then), stuck.move.check)
    except BadInput as cause:
        return Rehearsed(False, _entries(who), refusal(cause))
    except Conflict as cause:
        return Rehearsed(False, _entries(who), cause.said)
    except (AssertionError, StopIteration, IndexError, KeyError) as cause:
        return Rehearsed(False, _entries(who), said("rehearsal.asks_unknown", what=type(cause).__name__))
    return done


def run_through(
    who: Technician, procedure: str, frame: str, start: tuple[float, float, float, float] = START
) -> Rehearsed:
    """What is next, until the set-up is signed; raises ``Stuck`` and what the commands refuse.

    ``start``: how far the frame stands off its goal to begin with: away, left (mm), yaw (degrees), height (mm).
    """
    reason = who.garage.catalogue.get("procedure", procedure).content.reasons[0]
    who.take_in(number="R-1", reason=reason, bay=BAY, procedure=procedure, frame=frame)
    who.ready()
    who.stance(0, 0, 0, 0)
    if "mark.front" in who.opened.sheet.slots:
        who.line(("0.07", "0.05"))
    bay = VirtualBay(who.opened.sheet.plan, start, seed=3)
    for _ in range(MOST_RUNS):
        move = follow(who, bay, "run", "result", "sign")[-1]
        if move.kind == "sign":
            break
        if move.check == "result" and move.kind != "run":
            who.result()
            for line in who.opened.sheet.plan.procedure.lines:
                who.answer(ResultPlace("line", line.id).slot, "between")
        else:
            who.run(_responses(who))
    if who.opened.sheet.next.kind != "sign":
        raise Stuck(who.opened.sheet.next, ("sign",))
    who.garage.do(Sign(who.job, who.opened.row.head, render_record(who.garage)), WHO, who.id())
    return Rehearsed(who.opened.state.stage == "signed", _entries(who), off=bay.target_off())


def _responses(who: Technician) -> dict[str, str]:
    """What a radar that looks where it should answers to each notch."""
    procedure = who.opened.sheet.plan.procedure
    if procedure.adjusting is None:
        return {}
    radar = VirtualRadar(stated(procedure.adjusting), procedure.adjusting.travel, "a radar")
    radar.yaw = radar.pitch = 0.0
    notches = ((step.id, step.tilt_deg) for step in procedure.steps if step.tilt_deg is not None)
    return {id: f"{radar.respond(tilt, Misled()):.2f}" for id, tilt in notches}


def _entries(who: Technician) -> int:
    return who.opened.row.count if who.job else 0
