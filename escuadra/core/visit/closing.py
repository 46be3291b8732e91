"""What a visit still needs before it is released, which drives are open, and what was handed over with the vehicle."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from escuadra.core.base.model import CatalogueText
from escuadra.core.base.said import Name, Said, said
from escuadra.core.base.stream import Person
from escuadra.core.procedure.fitted import CarriedSensor
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.codes import after, before
from escuadra.core.visit.driving import met_by_driving
from escuadra.core.visit.log.closing import PROOFS, HandedOver, HandoverAcknowledged, HandoverClosed
from escuadra.core.visit.log.reducer import Visit, calibration
from escuadra.core.visit.log.state import State


@dataclass(frozen=True)
class Handover:
    """An open drive as it was handed over, who acknowledged it, and how it was closed."""

    seq: int
    at: int
    person: Person
    said: HandedOver
    acknowledged: tuple[str, int] | None = None
    """The name that was typed, and when."""
    closed: HandoverClosed | None = None
    closed_at: int = 0
    closed_by: Person | None = None

    @property
    def open(self) -> bool:
        """Somebody still has to ask."""
        return self.closed is None

    @property
    def proved(self) -> bool:
        """It was completed, and something shows that."""
        return self.closed is not None and self.closed.how in PROOFS

    def late(self, today: date) -> bool:
        """The day by which it is reported is past."""
        return self.open and self.said.by < today


def handovers(state: State) -> list[Handover]:
    """What was handed over, in its order."""
    found: dict[str, Handover] = {}
    for one in state.handovers:
        told = one.said
        if isinstance(told, HandedOver):
            found[told.link] = Handover(one.seq, one.at, one.person, told)
        elif isinstance(told, HandoverAcknowledged):
            found[told.link] = replace(found[told.link], acknowledged=(told.customer, one.at))
        elif isinstance(told, HandoverClosed):
            found[told.link] = replace(found[told.link], closed=told, closed_at=one.at, closed_by=one.person)
    return list(found.values())


def sensors_of(model: VehicleModel, sheet: str, told: Sequence[str]) -> list[CarriedSensor]:
    """The sensors of a vehicle that a calibration is of: as it was added, else those that its sheet serves."""
    return [one for one in model.sensors if (one.id in told if told else sheet in one.sheets)]


def named(model: VehicleModel, sheet: Procedure, told: Sequence[str]) -> CatalogueText:
    """What a calibration is called: by its one sensor where it was added for that alone, else as its sheet says."""
    alone = next((one.name for one in model.sensors if [one.id] == list(told)), None)
    return sheet.sensor.name if alone is None else alone


def drives(visit: Visit, model: VehicleModel) -> dict[str, list[CarriedSensor]]:
    """The calibrations that static alone does not complete, each with its sensors that learn on a drive."""
    found = {}
    for id in visit.calibrations:
        own = visit.parts[calibration(id)]
        assert own.calibration is not None
        sheet = next(pin.id for pin in own.calibration.pins if pin.kind == "procedure")
        sensors = sensors_of(model, sheet, own.calibration.sensors)
        learn = [one for one in sensors if one.how != "static"]
        if own.left_out is None and learn:
            found[id] = learn
    return found


def drives_open(visit: Visit, model: VehicleModel) -> list[str]:
    """Those of them that nothing proves to be completed."""
    proved = {id for one in handovers(visit.vehicle) if one.proved for id in one.said.calibrations}
    met, waiting = met_by_driving(visit.vehicle), drives(visit, model)
    driven = {id for id, sensors in waiting.items() if all(one.id in met for one in sensors)}
    return [id for id in waiting if id not in proved | driven]


def holds_up(visit: Visit) -> list[Said]:
    """What stands between a visit and its release, each in words."""
    found: list[Said] = []
    own = [visit.parts[calibration(id)] for id in visit.calibrations]
    waiting = [id for id, s in zip(visit.calibrations, own, strict=True) if s.signed is None and s.left_out is None]
    if waiting:
        found.append(said("closing.not_signed", names=Name(", ".join(waiting)), count=len(waiting)))
    if not any(state.signed is not None for state in own):
        found.append(said("closing.nothing_signed"))
    codes = visit.vehicle.codes
    if before(codes) is None:
        found.append(said("closing.codes_before"))
    elif after(codes) is None:
        found.append(said("closing.codes_after"))
    return found
