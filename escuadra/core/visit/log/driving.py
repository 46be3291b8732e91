"""What is said of a drive on the road: an attempt begun, its traces, what was told by hand, and how it ended.

A trace is kept as a file of its samples; what of it counts is worked out anew. Only how far each sensor had come when
an attempt ended is said, as it was shown.
"""

from typing import Literal

from pydantic import Field

from escuadra.core.base.model import Frozen, Line, NotNegative
from escuadra.core.base.stream import Event
from escuadra.core.visit.log.events import Folding, VisitPayload

TraceSource = Literal["phone", "link", "file"]
ToldLoss = Literal["lines", "rain", "traffic", "other"]
Told = Literal["counted", "lines", "rain", "traffic", "other"]
TOLD: tuple[Told, ...] = ("counted", "lines", "rain", "traffic", "other")


class DriveBegun(VisitPayload):
    """An attempt at the drive begins."""

    code = "drive_begun"
    stage = ""

    driver: str = Field(min_length=1, description="id of the person who drives and is licensed for it")
    reader: str = Field("", description="id of the passenger who reads; empty: nobody does while the vehicle moves")
    road: str = Field("", description="id of the garage's road; empty: another")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "driving", self)


class DriveTraced(VisitPayload):
    """A trace of an attempt."""

    code = "drive_traced"
    stage = ""
    files = ("trace",)

    attempt: int = Field(description="seq of its beginning")
    source: TraceSource
    name: Line = Field(max_length=120, description="of the file, or of what recorded it")
    trace: str = Field(description="SHA-256 of the kept table of its samples")
    samples: int = Field(ge=1)

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "driving", self)


class DriveTold(VisitPayload):
    """A stretch as somebody tells it: counted without a trace, or lost to what no receiver sees."""

    code = "drive_told"
    stage = ""

    attempt: int
    what: Told
    km: NotNegative = 0.0
    minutes: NotNegative = 0.0
    after_min: NotNegative | None = Field(None, description="since the trace began; null: nowhere in particular")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "driving", self)


class Reached(Frozen):
    """How far a sensor had come, all its attempts together."""

    sensor: str
    counted_km: NotNegative
    counted_s: NotNegative
    share: float | None
    met: bool


class DriveEnded(VisitPayload):
    """An attempt ended: the key was turned off and on, and this is what was reached."""

    code = "drive_ended"
    stage = ""

    attempt: int
    bar: float | None = Field(None, ge=0, le=100, description="that the vehicle's own bar showed, percent")
    functions: str = Field("", max_length=500, description="seen to work, where and how; empty: none tried")
    reached: list[Reached]

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "driving", self)


class DriveTakenBack(VisitPayload):
    """A trace or a told stretch of an attempt that goes on was taken back."""

    code = "drive_taken_back"
    stage = ""

    of: int = Field(description="seq of what is taken back")

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "driving", self)
