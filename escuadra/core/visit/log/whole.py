"""What can be said of a visit as a whole: what was done to the vehicle, what is corrected, left out, called off."""

from typing import Literal

from pydantic import Field

from escuadra.core.base.model import Frozen
from escuadra.core.base.said import Said, said
from escuadra.core.base.stream import Event
from escuadra.core.procedure.variants import Source
from escuadra.core.vehicle.scope import Done, SensorCode
from escuadra.core.visit.log.disturbances import FLOOR
from escuadra.core.visit.log.events import Folding, Past, Pinned, TakenIn, VisitPayload


class Asked(Frozen):
    """A sensor that somebody wants calibrated besides: nothing that was done touches it."""

    sensor: str
    why: Literal["precaution", "complaint"]


class WorkTold(VisitPayload):
    """What was done to the vehicle, its codes that name a sensor, what is asked besides: all of it, as it is now."""

    code = "work_told"
    stage = ""

    done: list[Done] = []
    codes: list[SensorCode] = []
    complaint: str = Field("", max_length=300, description="what the driver noticed")
    asked: list[Asked] = []

    def apply(self, state: Folding, event: Event) -> None:
        state.set(work=self)


class VariantAnswered(VisitPayload):
    """A question that tells variants apart was answered, and how that was verified."""

    code = "variant_answered"
    stage = ""

    question: str
    option: str
    by: Source

    def apply(self, state: Folding, event: Event) -> None:
        state.keep(event, "variant", self)


CorrectedField = Literal["vin", "plate", "odometer_km", "bay"]
CORRECTABLE: tuple[CorrectedField, ...] = ("vin", "plate", "odometer_km", "bay")


class Corrected(VisitPayload):
    """Something that was written down wrongly when the vehicle was taken in."""

    code = "corrected"
    stage = ""

    field: CorrectedField
    before: str
    value: str
    reason: str
    pins: list[Pinned] = Field([], description="the bay, where that is what was wrong")

    @property
    def happened(self) -> Said:
        """As a past event."""
        return said("happening.bay_corrected", bay=self.value)

    def corrected(self, job: TakenIn) -> TakenIn:
        """What was taken in, as it is said now."""
        value = int(self.value) if self.field == "odometer_km" else self.value
        pins = [pin for pin in job.pins if pin.kind != "bay"] + self.pins if self.field == "bay" else job.pins
        return job.model_copy(update={self.field: value, "pins": pins})

    def apply(self, state: Folding, event: Event) -> None:
        state.amend("job", self.corrected)
        if self.field == "bay":
            state.disturb(event, Past("bay_corrected", self.happened, FLOOR))
            state.set(placed=None)
        state.keep(event, "corrections", self)


class BodyCorrected(VisitPayload):
    """It was another frame than the one that was written down: what was read of it counts, judged by that one."""

    code = "body_corrected"
    stage = ""

    before: str
    pins: list[Pinned] = Field(min_length=1, description="the frame's profile")
    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.amend("bodies", lambda brought: brought.model_copy(update={"pins": self.pins}))
        state.keep(event, "corrections", self)


class LeftOut(VisitPayload):
    """A calibration of the visit is not done; what was read for it stays."""

    code = "left_out"
    stage = ""

    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.set(left_out=self)


class TakenUp(VisitPayload):
    """A calibration that was left out, or a visit that was called off, is taken up again."""

    code = "taken_up"
    stage = ""

    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.set(left_out=None, called_off=None)


class Ordered(VisitPayload):
    """In which order the calibrations are done."""

    code = "ordered"
    stage = ""

    order: list[str] = Field(min_length=1, description="ids of the calibrations")
    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.set(order=self)


class CalledOff(VisitPayload):
    """The visit ends without its calibrations: the vehicle leaves as it came."""

    code = "called_off"
    stage = ""

    reason: str

    def apply(self, state: Folding, event: Event) -> None:
        state.set(called_off=self)
