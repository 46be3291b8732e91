"""The link to a vehicle's control units: what it must offer, and the stand-in's over the line protocol."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from escuadra.core.procedure.sheet import Procedure
from escuadra.core.road.profile import RoadProfile
from escuadra.core.visit.aiming import stated
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
    turns: dict[str, float]
    """Of the sensor's screws by their ids, clockwise positive; none: the routine tells none."""
    lines: dict[str, str]
    """Where each lens's line stood, by the line's id: between, above or below."""


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

    def respond(self, unit: str, tilt: float) -> float:
        """A radar's response to its board as it is tilted, dB."""

    def drive(self, road: RoadProfile, after: float) -> list[list[float]]:
        """What it recorded of its drive after a moment."""


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
        figures, turns = (
            {str(name): float(value) for name, value in dict(told[what]).items()} for what in ("figures", "turns")
        )
        lines = {str(id): str(where) for id, where in dict(told["lines"]).items()}
        return RoutineResult(str(told["outcome"]), figures, turns, lines)

    def respond(self, unit: str, tilt: float) -> float:
        """A radar's response."""
        return float(self.devices.ask(bay=self.visit, ask="respond", unit=unit, tilt=tilt)["response"])

    def drive(self, road: RoadProfile, after: float) -> list[list[float]]:
        """What it recorded of its drive after a moment: seconds, latitude, longitude, km/h, degrees of each sample."""
        told = self.devices.ask(bay=self.visit, ask="drive", road=road.model_dump(mode="json"), after=after)
        return [[float(value) for value in sample] for sample in told["samples"]]

    def turn(self, unit: str, turns: Mapping[str, float]) -> None:
        """The stand-in's own: somebody turned the screws."""
        self.devices.ask(bay=self.visit, ask="turn", unit=unit, turns=dict(turns))

    def fit(self, unit: str, procedure: Procedure, turned: Sequence[Mapping[str, float]]) -> None:
        """The stand-in's own: what sensor the unit has behind it, as its sheet states it, turned as it was so far."""
        limits = {figure.id: [figure.limits.lower, figure.limits.upper] for figure in procedure.results}
        given = procedure.adjusting
        screws = [one.model_dump() for one in stated(given)] if given is not None else []
        further = {"travel": given.travel, "step": given.step} if given is not None else {}
        by, so_far = procedure.sees_by, [dict(one) for one in turned]
        asked = {"unit": unit, "by": by, "limits": limits, "screws": screws, "turned": so_far, **further}
        asked["lines"] = [one.id for one in procedure.lines]
        self.devices.ask(bay=self.visit, ask="sensor", **asked)

    def set(self, **state: Any) -> None:
        """The stand-in's own: a lost connection, a low battery."""
        self.devices.ask(bay=self.visit, ask="set_car", **state)

    def _asked(self, **question: Any) -> Scan:
        told = self.devices.ask(bay=self.visit, **question)
        units = tuple(UnitRead.read(unit) for unit in told["units"])
        return Scan(str(told["vin"]), float(told["voltage"]), bool(told["key"]), units)
