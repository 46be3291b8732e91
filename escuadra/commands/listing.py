"""What a list tells of a visit: little, and kept by itself, so that nobody's sheet is worked out again for a list."""

from dataclasses import dataclass

from escuadra.commands.forms import Opened
from escuadra.core.base.model import CatalogueText
from escuadra.core.base.said import Noun, Said
from escuadra.core.bay.bay import Place
from escuadra.core.visit.checks.base import State as CheckState
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
class Listed:
    """A visit in a list."""

    row: Row
    number: str
    plate: str
    reason: str
    bay: str
    vehicle: CatalogueText
    sensor: CatalogueText
    taken_in_at: int
    model: str
    """Id of the vehicle's model."""
    place: Place | None
    """Where in the bay it stood, once that was chosen."""
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


def listed(opened: Opened) -> Listed:
    """What a list tells of a visit whose sheet could be worked out."""
    sheet, state = opened.sheet, opened.state
    assert state.job is not None
    newest = state.records[-1] if state.records else None
    return Listed(
        row=opened.row,
        number=state.job.number,
        plate=state.job.plate,
        reason=state.job.reason,
        bay=state.job.bay,
        vehicle=sheet.plan.vehicle.name,
        sensor=sheet.plan.procedure.sensor.name,
        taken_in_at=state.taken_in_at,
        model=sheet.plan.vehicle.id,
        place=state.placed.place if state.placed is not None else None,
        stage=state.stage,
        groups=tuple((group.title, group.state) for group in sheet.groups),
        blocked=sheet.next.kind == "blocked",
        next=sheet.next.sentence,
        blocks=tuple((view.check.title, view.state) for view in sheet.unsettled if view.state in WORRYING),
        signed=Signing(newest[0].revision, newest[1], newest[2].name) if newest is not None else None,
        expires=sheet.expires,
    )
