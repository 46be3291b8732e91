"""Fault codes before the work and after it: snapshots that are frozen as they were read, and what was cleared between.

An empty snapshot counts: it is the baseline. Nothing is cleared before the one before the work is frozen.
"""

from typing import Literal

from pydantic import Field

from escuadra.core.base.model import Frozen, Line, Number
from escuadra.core.base.stream import Event
from escuadra.core.visit.log.events import Folding, VisitPayload

CodeState = Literal["active", "stored", "pending"]
When = Literal["before", "after"]


class UnitCode(Frozen):
    """A fault code of a control unit."""

    code: Line = Field(min_length=1, max_length=40)
    state: CodeState
    text: Line = Field("", max_length=200)


class UnitRead(Frozen):
    """A control unit as it answered, or that it did not."""

    unit: Line = Field(min_length=1, max_length=60, description="id of the part in the vehicle's model, or its name")
    answered: bool = True
    codes: list[UnitCode] = []


class CodesFrozen(VisitPayload):
    """The codes of every unit as they were read, typed or attached; frozen."""

    code = "codes_frozen"
    stage = ""
    files = ("attached",)

    when: When
    source: Literal["link", "typed", "file", "not_read"]
    units: list[UnitRead] = []
    voltage: Number | None = Field(None, description="at the diagnostic socket, V")
    vin: str = Field("", description="as the vehicle tells it")
    why: str = Field("", description="why they were not read")
    attached: str = Field("", description="SHA-256 of the file that holds them")
    name: str = Field("", max_length=120, description="of that file, as it was given")
    software: str = Field("", max_length=80, description="of the tester, as its report names it")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "codes", self)


class CodesCleared(VisitPayload):
    """Codes were cleared, in which units, and why."""

    code = "codes_cleared"
    stage = ""

    units: list[str]
    why: str

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "cleared", self)
