"""What a list tells of a visit: little, and kept by itself, so that nobody's sheet is worked out again for a list."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from escuadra.commands.forms import Opened, Whole
from escuadra.core.base.model import CatalogueText
from escuadra.core.base.said import Noun, Said
from escuadra.core.bay.bay import Place
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.checks.base import State as CheckState
from escuadra.core.visit.closing import handovers
from escuadra.core.visit.log.state import State
from escuadra.store import Row

Title = CatalogueText | Said | Noun
WORRYING = ("out", "undecided", "stale")


@dataclass(frozen=True)
class Signing:
    """The newest signature: its revision, when, and by whom."""

    revision: int
    at: int
    name: str


@dataclass(frozen=True)
class ListedCalibration:
    """A calibration of a visit in a list."""

    address: str
    sheet: str
    """Id of its procedure's sheet."""
    sensor: CatalogueText
    stage: str
    groups: tuple[tuple[Title, CheckState], ...]
    """Each group of the sheet by its title and the worst state in it."""
    blocked: bool
    next: Said
    blocks: tuple[tuple[Title, CheckState], ...]
    """What holds up signing although it was read."""
    signed: Signing | None
    expires: int | None
    """When the next reading grows too old, UTC milliseconds."""


@dataclass(frozen=True)
class Listed:
    """A visit in a list."""

    row: Row
    number: str
    plate: str
    reason: str
    bay: str
    vehicle: CatalogueText
    taken_in_at: int
    model: str
    """Id of the vehicle's model."""
    place: Place | None
    """Where in the bay it stood, once that was chosen."""
    stage: str
    drive_by: date | None
    """By when an open drive is reported that was handed over."""
    calibrations: tuple[ListedCalibration, ...]
    """In their order."""

    @property
    def expires(self) -> int | None:
        """When the next reading of any of them grows too old."""
        return min((one.expires for one in self.calibrations if one.expires is not None), default=None)


STAGES = ("in_work", "run", "reopened", "taken_in", "signed")


def listed(whole: Whole, model: VehicleModel, calibrations: Sequence[Opened]) -> Listed:
    """What a list tells of a visit whose sheets could be worked out; ``calibrations``: in their order."""
    job, state = whole.job, whole.state
    stages = {opened.state.stage for opened in calibrations}
    found = next((stage for stage in STAGES if stage in stages), "taken_in")
    return Listed(
        row=whole.row,
        number=job.number,
        plate=job.plate,
        reason=job.reason,
        bay=job.bay,
        vehicle=model.name,
        taken_in_at=state.taken_in_at,
        model=model.id,
        place=state.placed.place if state.placed is not None else None,
        stage=_closing(state) or found,
        drive_by=min((one.said.by for one in handovers(state) if one.open), default=None),
        calibrations=tuple(map(_calibration, calibrations)),
    )


def _closing(state: State) -> str:
    """How far the visit as a whole is closed."""
    if state.called_off is not None:
        return "called_off"
    if state.released is not None:
        return "released"
    return "sent_back" if state.sent_back is not None else ""


def _calibration(opened: Opened) -> ListedCalibration:
    sheet, state = opened.sheet, opened.state
    newest = state.records[-1] if state.records else None
    return ListedCalibration(
        address=opened.address,
        sheet=sheet.plan.procedure.id,
        sensor=opened.name,
        stage=state.stage,
        groups=tuple((group.title, group.state) for group in sheet.groups),
        blocked=sheet.next.kind == "blocked",
        next=sheet.next.sentence,
        blocks=tuple((view.check.title, view.state) for view in sheet.unsettled if view.state in WORRYING),
        signed=Signing(newest[0].revision, newest[1], newest[2].name) if newest is not None else None,
        expires=sheet.expires,
    )
