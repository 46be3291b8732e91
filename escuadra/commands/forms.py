"""What the commands are asked and what they answer."""

import uuid
from dataclasses import dataclass

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Line
from escuadra.core.base.quantities import Question
from escuadra.core.base.said import Said, said
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
    procedure: str
    frame: str


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
