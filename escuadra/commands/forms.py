"""What the commands are asked and what they answer."""

import uuid
from dataclasses import dataclass
from typing import Self

from pydantic import Field, model_validator

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import CatalogueText, Frozen, Line
from escuadra.core.base.quantities import Question
from escuadra.core.base.said import Said, said
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.closing import named
from escuadra.core.visit.log.events import TakenIn
from escuadra.core.visit.log.reducer import Visit
from escuadra.core.visit.log.state import State
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.slots import Slot
from escuadra.store import Row


def keyed(client_id: str) -> str:
    """The id that the client made for this press; raises ``BadInput``: without it a second press is a new entry."""
    if not client_id.strip():
        raise BadInput("entry", "", said("wants.forms_own_id_reload_page"))
    return client_id


def press() -> str:
    """A client-made id for what nobody pressed a key for: the demo, the house itself."""
    return uuid.uuid4().hex


class TakeIn(Frozen):
    """What is asked when a job is taken in."""

    number: Line = Field(min_length=1, max_length=40)
    vin: Line = Field("", max_length=40)
    plate: Line = Field("", max_length=20)
    odometer_km: int | None = Field(None, ge=0, le=5_000_000)
    customer: Line = Field("", max_length=120, description="name: kept outside the log, erasable")
    address: Line = Field("", max_length=200)
    reason: Line = Field(min_length=1, max_length=200)
    bay: Line = Field(min_length=1, max_length=60)
    vehicle: str = Field("", description="id of the model; empty: the one of the procedure's sheet")
    procedure: str = Field("", description="a first calibration; empty: what was done decides")
    frame: str

    @model_validator(mode="after")
    def _some(self) -> Self:
        if not self.vehicle and not self.procedure:
            raise BadInput("vehicle", "", said("wants.vehicle_model_or_sheet"))
        return self


@dataclass(frozen=True)
class Whole:
    """A visit as it is, all of it: its row and what was said of its parts; no sheet is worked out."""

    row: Row
    visit: Visit

    @property
    def state(self) -> State:
        """What was said of its vehicle, and of the visit as a whole."""
        return self.visit.vehicle

    @property
    def job(self) -> TakenIn:
        """As it was taken in, and corrected since."""
        assert self.state.job is not None
        return self.state.job

    def part(self, id: str) -> State:
        """What was said of a calibration alone; raises ``BadInput`` for one that the visit does not have."""
        return self.visit.parts[self.visit.stands_on(id)[-1]]

    def address(self, id: str) -> str:
        """How a calibration is found: the visit's id, and which of its calibrations where that is not the first."""
        return self.row.id if id == self.visit.calibrations[0] else f"{self.row.id}.{id}"


@dataclass(frozen=True)
class Tab:
    """A calibration of a visit, as it is found: no more than its name."""

    id: str
    address: str
    sheet: Procedure
    stage: str
    name: CatalogueText
    sensors: tuple[str, ...] = ()
    """Ids of those that it was added for; none: all that its sheet serves."""
    drives: bool = False
    """One of its sensors still learns on the road."""


@dataclass(frozen=True)
class Opened:
    """A visit as it is, at one of its calibrations: its row, what was said of its parts, the sheet."""

    row: Row
    visit: Visit
    calibration: str
    sheet: Sheet

    @property
    def state(self) -> State:
        """What was said of the calibration and of all that it stands on."""
        return self.sheet.state

    @property
    def name(self) -> CatalogueText:
        """What the calibration is called."""
        told = self.state.calibration.sensors if self.state.calibration is not None else []
        return named(self.sheet.plan.vehicle, self.sheet.plan.procedure, told)

    @property
    def whole(self) -> Whole:
        """The visit, all of it."""
        return Whole(self.row, self.visit)

    @property
    def address(self) -> str:
        """How it is found."""
        return self.whole.address(self.calibration)


@dataclass(frozen=True)
class Unreadable:
    """A job whose sheet cannot be worked out, and why: what its log or its pins hold is not understood."""

    row: Row
    why: Said


@dataclass(frozen=True)
class Asked:
    """A text was implausible or ambiguous; nothing was recorded yet."""

    question: Question
    slot: Slot
