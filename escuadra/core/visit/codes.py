"""What became of the fault codes between the snapshot before the work and the one after it."""

from collections.abc import Sequence
from dataclasses import dataclass

from escuadra.core.base.said import Said, said
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.vehicle.scope import SensorCode
from escuadra.core.visit.log.codes import CodesFrozen, UnitCode
from escuadra.core.visit.log.state import Kept


@dataclass(frozen=True)
class CodeLine:
    """A code of a unit: as it was before, and after; nothing: it was not there."""

    unit: str
    code: str
    before: UnitCode | None
    after: UnitCode | None

    @property
    def became(self) -> Said:
        """What became of it."""
        if self.before is None:
            return said("codes.came")
        return said("codes.gone" if self.after is None else "codes.stayed")


def before(codes: Sequence[Kept[CodesFrozen]]) -> Kept[CodesFrozen] | None:
    """The snapshot before the work: the first one."""
    return next((one for one in codes if one.said.when == "before"), None)


def after(codes: Sequence[Kept[CodesFrozen]]) -> Kept[CodesFrozen] | None:
    """The snapshot after the work: the last one."""
    return next((one for one in reversed(codes) if one.said.when == "after"), None)


def compared(codes: Sequence[Kept[CodesFrozen]]) -> list[CodeLine]:
    """Every code of either snapshot, the units in the order in which they were read."""
    first, last = before(codes), after(codes)
    was, now = _by_unit(first.said if first else None), _by_unit(last.said if last else None)
    return [CodeLine(*key, was.get(key), now.get(key)) for key in dict.fromkeys([*was, *now])]


def _by_unit(told: CodesFrozen | None) -> dict[tuple[str, str], UnitCode]:
    units = told.units if told is not None else []
    return {(unit.unit, code.code): code for unit in units for code in unit.codes}


def naming(model: VehicleModel, told: CodesFrozen) -> list[SensorCode]:
    """Codes that name a sensor: those of a unit that runs one sensor alone."""
    run: dict[str, list[str]] = {}
    for sensor in model.sensors:
        run.setdefault(sensor.control_unit or sensor.id, []).append(sensor.id)
    alone = {unit: sensors[0] for unit, sensors in run.items() if len(sensors) == 1}
    found = [(code.code, alone[unit.unit]) for unit in told.units for code in unit.codes if unit.unit in alone]
    return [SensorCode(code=code, sensor=sensor) for code, sensor in dict.fromkeys(found)]
