"""The stand-in of a vehicle on the diagnostic socket: units, codes that come and go, one that wants its key cycled.

A unit that waits for its calibration shows that code as active until its routine was run: clearing brings it back. The
last unit stays silent until the ignition was off and on again. Below 11.5 V nothing answers but the voltage.
"""

import random
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import nouns, said

LOW_VOLTS = 11.5
WAITS, WAS_LOW = "VH-C41", "VH-U07"
"""Codes of the stand-in: a calibration is missing; the supply was low."""


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

    def __post_init__(self) -> None:
        if self.units:
            self.silent.add(self.units[-1])
            self.stored[self.units[0]] = [WAS_LOW]

    def answer(self, asked: dict[str, Any]) -> dict[str, Any]:
        """One question answered; raises ``BadInput`` where the vehicle would not answer."""
        what = asked.get("ask")
        if what == "set_car":
            self.voltage = float(asked.get("voltage", self.voltage))
            self.lost = bool(asked.get("lost", self.lost))
            return {"voltage": self.voltage, "lost": self.lost}
        if self.lost:
            raise BadInput("socket", "", said("wants.vehicle_answers"))
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
        if what == "results":
            self._awake()
            (unit,) = self._named([asked.get("unit")])
            return self._results(unit)
        return self._scan()

    def _results(self, unit: str) -> dict[str, Any]:
        """What a unit's last routine said, and what it showed before it took that as zero; alike whenever asked."""
        if not self.runs.get(unit):
            raise BadInput("unit", unit, said("wants.routine_run_first"))
        chance = random.Random(f"{self.vin} {unit} {self.runs[unit]}")
        figures = {name: round(chance.gauss(0, 0.12), 2) for name in ("yaw", "pitch", "roll")}
        return {"outcome": "passed", "figures": figures}

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
            raise BadInput("unit", str(stray), said("wants.unit_that_answers", names=nouns(self.units, "comma")))
        return [str(unit) for unit in units]
