"""The stand-in of a vehicle on the diagnostic socket: units, codes that come and go, one that wants its key cycled.

A unit that waits for its calibration shows that code as active until its routine was run: clearing brings it back. The
last unit stays silent until the ignition was off and on again. Below 11.5 V nothing answers but the voltage. A unit's
routine shows what its sensor sees of the target, as it truly stands.
"""

import time
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import nouns, said
from escuadra.core.road.profile import RoadProfile
from escuadra.core.run.radar import Screw, ScrewsInput, screws
from escuadra.core.visit.lenses import BETWEEN
from escuadra.devices.virtual_road import SHAPES, VirtualDrive
from escuadra.devices.virtual_sensors import Misled, VirtualCamera, VirtualRadar

LOW_VOLTS = 11.5
WAITS, WAS_LOW = "VH-C41", "VH-U07"
"""Codes of the stand-in: a calibration is missing; the supply was low."""


NOWHERE = Misled()


def radar_of(vin: str, unit: str, screws: Sequence[Screw], travel: float) -> VirtualRadar:
    """The radar of a vehicle, the same whenever it is asked for."""
    return VirtualRadar(screws, travel, f"{vin} {unit}")


@dataclass
class Fitted:
    """A sensor behind a unit; ``limits``: of each figure that its routine judges by, degrees."""

    sees: VirtualCamera | VirtualRadar
    limits: Mapping[str, tuple[float, float]]
    stated: tuple[Screw, ...] = ()
    step: float = 0.125
    shown: dict[str, float] = field(default_factory=dict)
    lines: dict[str, str] = field(default_factory=dict)
    """Where each lens's line stands."""

    @property
    def failed(self) -> bool:
        """A figure was shown beyond its limits, or a line."""
        if any(where != BETWEEN for where in self.lines.values()):
            return True
        return any(not low <= self.shown.get(name, low) <= high for name, (low, high) in self.limits.items())

    @property
    def turns(self) -> dict[str, float]:
        """What the routine tells of the screws: as if they did what is stated."""
        if len(self.stated) != 2 or not self.failed:
            return {}
        yaw, pitch = self.shown["yaw"], self.shown["pitch"]
        return screws(ScrewsInput(yaw_deg=yaw, pitch_deg=pitch, screws=list(self.stated), step=self.step)).turns


@dataclass
class VirtualVehicle:
    """A vehicle with its units; ``waiting``: those whose calibration is missing."""

    vin: str
    units: list[str]
    waiting: set[str]
    voltage: float = 12.7
    key: bool = True
    lost: bool = False
    silent: set[str] = field(default_factory=set)
    stored: dict[str, list[str]] = field(default_factory=dict)
    runs: dict[str, int] = field(default_factory=dict)
    """How often each unit's routine was run."""
    sensors: dict[str, Fitted] = field(default_factory=dict)
    on_road: VirtualDrive | None = None

    def __post_init__(self) -> None:
        if self.units:
            self.silent.add(self.units[-1])
            self.stored[self.units[0]] = [WAS_LOW]

    def fit(self, unit: str, asked: Mapping[str, Any]) -> None:
        """A sensor is there behind a unit from now on, turned as it was turned; one that is there stays as it is."""
        if unit in self.sensors:
            return
        own = tuple(Screw.read(one) for one in asked.get("screws", []))
        limits = {str(name): (float(low), float(high)) for name, (low, high) in dict(asked.get("limits", {})).items()}
        sees: VirtualCamera | VirtualRadar = VirtualCamera(
            f"{self.vin} {unit}", [str(one) for one in asked.get("lines", [])]
        )
        if asked.get("by") == "radar" and own:
            sees = radar_of(self.vin, unit, own, float(asked["travel"]))
            for turns in asked.get("turned", []):
                sees.turn({str(screw): float(amount) for screw, amount in dict(turns).items()})
        self.sensors[unit] = Fitted(sees, limits, own, float(asked.get("step", 0.125)))

    def answer(self, asked: dict[str, Any], misled: Misled = NOWHERE) -> dict[str, Any]:
        """One question answered; raises ``BadInput`` where the vehicle would not answer.

        ``misled``: what its target makes a sensor believe, as it truly stands.
        """
        what = asked.get("ask")
        if what == "set_car":
            self.voltage = float(asked.get("voltage", self.voltage))
            self.lost = bool(asked.get("lost", self.lost))
            return {"voltage": self.voltage, "lost": self.lost}
        if self.lost:
            raise BadInput("socket", "", said("wants.vehicle_answers"))
        if what == "drive":
            return self._drive(asked)
        if what == "key":
            on = bool(asked.get("on"))
            if on and not self.key:
                self.silent.clear()
            self.key = on
        if what == "clear":
            self._awake()
            for unit in self._named(asked.get("units", [])):
                self.stored.pop(unit, None)
        if what == "routine":
            self._awake()
            for unit in self._named([asked.get("unit")]):
                self.waiting.discard(unit)
                self.runs[unit] = self.runs.get(unit, 0) + 1
                fitted = self._fitted(unit)
                fitted.shown = {name: round(value, 2) for name, value in fitted.sees.show(misled).items()}
                if isinstance(fitted.sees, VirtualCamera):
                    fitted.lines = fitted.sees.lines(misled)
                if fitted.failed:
                    self.waiting.add(unit)
        if what == "results":
            self._awake()
            (unit,) = self._named([asked.get("unit")])
            return self._results(unit)
        if what in ("respond", "turn"):
            return self._radar(str(what), asked, misled)
        return self._scan()

    def _drive(self, asked: Mapping[str, Any]) -> dict[str, Any]:
        """What it recorded of the drive that it is on, after a moment."""
        if self.on_road is None:
            road = RoadProfile.read(asked.get("road"))
            if road.id not in SHAPES:
                raise BadInput("road", road.id, said("wants.one", names=nouns(SHAPES, "comma")))
            self.on_road = VirtualDrive(road, zlib.crc32(self.vin.encode()), time.time())
        return {"samples": self.on_road.since(float(asked.get("after", 0.0)), time.time())}

    def _fitted(self, unit: str) -> Fitted:
        if unit not in self.sensors:
            self.fit(unit, {})
        return self.sensors[unit]

    def _radar(self, what: str, asked: dict[str, Any], misled: Misled) -> dict[str, Any]:
        """Its response to the board as it is tilted, or its screws turned."""
        if what == "respond":
            self._awake()
        (unit,) = self._named([asked.get("unit")])
        sees = self._fitted(unit).sees
        if not isinstance(sees, VirtualRadar):
            raise BadInput("unit", unit, said("wants.radar_with_screws"))
        if what == "respond":
            return {"response": round(sees.respond(float(asked["tilt"]), misled), 1)}
        sees.turn({str(screw): float(turns) for screw, turns in dict(asked["turns"]).items()})
        return {"unit": unit}

    def _results(self, unit: str) -> dict[str, Any]:
        """What a unit's last routine said, and what it showed before it took that as zero; alike whenever asked."""
        if not self.runs.get(unit):
            raise BadInput("unit", unit, said("wants.routine_run_first"))
        fitted = self._fitted(unit)
        outcome = "failed" if fitted.failed else "passed"
        return {"outcome": outcome, "figures": dict(fitted.shown), "turns": fitted.turns, "lines": fitted.lines}

    def _scan(self) -> dict[str, Any]:
        awake = self.key and self.voltage >= LOW_VOLTS
        units = []
        for unit in self.units:
            answered = awake and unit not in self.silent
            units.append({"unit": unit, "answered": answered, "codes": self._codes(unit) if answered else []})
        return {"vin": self.vin if awake else "", "voltage": self.voltage, "key": self.key, "units": units}

    def _codes(self, unit: str) -> list[dict[str, str]]:
        active = [{"code": WAITS, "state": "active"}] if unit in self.waiting else []
        return active + [{"code": code, "state": "stored"} for code in self.stored.get(unit, [])]

    def _awake(self) -> None:
        if not self.key:
            raise BadInput("key", "off", said("wants.key_on"))
        if self.voltage < LOW_VOLTS:
            raise BadInput("voltage", self.voltage, said("wants.battery_supported"))

    def _named(self, units: Sequence[Any]) -> list[str]:
        stray = next((unit for unit in units if unit not in self.units or unit in self.silent), None)
        if stray is not None:
            awake = [unit for unit in self.units if unit not in self.silent]
            raise BadInput("unit", str(stray), said("wants.unit_that_answers", names=nouns(awake, "comma")))
        return [str(unit) for unit in units]
