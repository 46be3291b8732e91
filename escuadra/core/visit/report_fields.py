"""What can be read in the text of somebody else's report: offered field by field, accepted by a person, never assumed.

A VIN after ISO 3779 (no I, O, Q); fault codes after SAE J2012 and as the practice vehicles write theirs.
"""

import re
from dataclasses import dataclass
from typing import Literal

from escuadra.core.visit.log.codes import CodeState

Field = Literal["vin", "odometer_km", "software", "code"]
VIN = re.compile(r"\b(?=[A-Z0-9]*\d)(?=[A-Z0-9]*[A-Z])[A-HJ-NPR-Z0-9]{17}\b")
CODE = re.compile(r"\b(?:[PBCU][0-3][0-9A-F]{3}(?:-[0-9A-F]{2})?|[A-Z]{2}-[A-Z]\d{2})\b")
ODOMETER = re.compile(r"\b(\d{1,3}(?:[ .\u202f]\d{3})+|\d{1,7}) ?km\b(?!/)", re.IGNORECASE)
SOFTWARE = re.compile(r"\b(?:software|version)\b\s*[:=]?\s*(\S.{0,58}\S)", re.IGNORECASE)
STATES: tuple[CodeState, ...] = ("pending", "stored", "active")
MOST = 60
"""No report names more that a person would accept one by one."""


@dataclass(frozen=True)
class Found:
    """A field with its value, the line that it stands in, and of a code: its state there."""

    field: Field
    value: str
    line: str
    state: CodeState = "active"


def found_in(text: str) -> list[Found]:
    """What stands in a report, each value once, in the order in which it stands there."""
    found: dict[tuple[str, str], Found] = {}
    for raw in text.splitlines():
        line = " ".join(raw.split())[:200]
        lower = line.lower()
        state: CodeState = next((s for s in STATES if s in lower), "active")
        here = [
            *(Found("vin", match[0], line) for match in VIN.finditer(line)),
            *(Found("odometer_km", re.sub(r"\D", "", match[1]), line) for match in ODOMETER.finditer(line)),
            *(Found("software", match[1], line) for match in SOFTWARE.finditer(line)),
            *(Found("code", match[0], line, state) for match in CODE.finditer(line)),
        ]
        for one in here:
            found.setdefault((one.field, one.value), one)
    return list(found.values())[:MOST]
