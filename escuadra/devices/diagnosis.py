"""The link to a vehicle's control units: what it must offer, and the stand-in's over the line protocol."""

from dataclasses import dataclass
from typing import Any, Protocol

from escuadra.core.visit.log.codes import UnitRead
from escuadra.devices.link import LoopbackDevices


@dataclass(frozen=True)
class Scan:
    """What the vehicle tells of itself: its number, its voltage, its key, every unit with its codes."""

    vin: str
    voltage: float
    key: bool
    units: tuple[UnitRead, ...]


@dataclass(frozen=True)
class RoutineResult:
    """What a unit's routine said last; ``figures``: degrees, before it took them as zero."""

    outcome: str
    figures: dict[str, float]


class DiagnosticLink(Protocol):
    """A vehicle on its diagnostic socket; every question raises ``NoAnswer`` where it does not answer."""

    def scan(self) -> Scan:
        """Identity, voltage, key state, units and their codes."""

    def key(self, on: bool) -> Scan:
        """Ignition on or off, where the link can do that; else whoever sits there does it."""

    def clear(self, units: list[str]) -> Scan:
        """Codes of some units cleared, and what is there then."""

    def routine(self, unit: str) -> Scan:
        """A unit's calibration routine run to its end, and what is there then."""

    def results(self, unit: str) -> RoutineResult:
        """What the unit's last routine said and showed."""


class LinkedVehicle:
    """The stand-in's vehicle of a visit."""

    def __init__(self, devices: LoopbackDevices, visit: str, vin: str, units: list[str], waiting: list[str]) -> None:
        self.devices, self.visit = devices, visit
        devices.ask(ask="car", bay=visit, vin=vin, units=units, waiting=waiting)

    def scan(self) -> Scan:
        """As it is now."""
        return self._asked(ask="scan")

    def key(self, on: bool) -> Scan:
        """Key on or off."""
        return self._asked(ask="key", on=on)

    def clear(self, units: list[str]) -> Scan:
        """Codes cleared."""
        return self._asked(ask="clear", units=units)

    def routine(self, unit: str) -> Scan:
        """A routine run."""
        return self._asked(ask="routine", unit=unit)

    def results(self, unit: str) -> RoutineResult:
        """What the last routine said."""
        told = self.devices.ask(bay=self.visit, ask="results", unit=unit)
        figures = {str(name): float(value) for name, value in dict(told["figures"]).items()}
        return RoutineResult(str(told["outcome"]), figures)

    def set(self, **state: Any) -> None:
        """The stand-in's own: a lost connection, a low battery."""
        self.devices.ask(bay=self.visit, ask="set_car", **state)

    def _asked(self, **question: Any) -> Scan:
        told = self.devices.ask(bay=self.visit, **question)
        units = tuple(UnitRead.read(unit) for unit in told["units"])
        return Scan(str(told["vin"]), float(told["voltage"]), bool(told["key"]), units)
