"""What the link to the vehicle sees of a conducted run: key, voltage, the routine; a person pressed, or it saw it.

It contradicts who pressed too early, and stops a run whose supply sinks below what the sheet allows.
"""

from dataclasses import dataclass

from escuadra.core.base.errors import BadInput, NoAnswer
from escuadra.core.base.said import Said, Voltage, said
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import Key, RunStep
from escuadra.devices.diagnosis import DiagnosticLink, Scan

KEY_ON: dict[Key, bool | None] = {
    "off": False,
    "accessory": None,
    "on": True,
    "on_not_ready": True,
    "ready": True,
    "running": True,
}
"""Whether the control units are awake with it; nothing where one vehicle's are and another's are not."""


@dataclass(frozen=True)
class Watched:
    """What was seen at a step; ``against``: what speaks against it, in words; ``done``: it saw all of it."""

    scan: Scan
    against: Said | None
    done: bool = False


def watched(step: RunStep, link: DiagnosticLink, unit: str, volts: Limits | None) -> Watched:
    """A step as the vehicle shows it now; raises ``NoAnswer`` where it does not answer."""
    scan = link.scan()
    if volts is not None and scan.voltage < volts.lower:
        low = said("watching.low", volts=Voltage(scan.voltage), least=Voltage(volts.lower))
        return Watched(scan, low)
    if step.key is not None and KEY_ON[step.key] not in (None, scan.key):
        return Watched(scan, said("watching.key_on" if scan.key else "watching.key_off"))
    return Watched(scan, None, _done(step, scan, link, unit))


def _done(step: RunStep, scan: Scan, link: DiagnosticLink, unit: str) -> bool:
    if step.link == "key":
        return step.key is not None and KEY_ON[step.key] is scan.key
    if step.link == "answer":
        try:
            return bool(link.results(unit).outcome)
        except (NoAnswer, BadInput):
            return False
    return False
