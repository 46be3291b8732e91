"""What a list tells of a visit: little, and kept by itself, so that nobody's sheet is worked out again for a list."""

import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cache
from threading import Lock
from typing import Annotated, Any

from pydantic import PlainSerializer, PlainValidator, TypeAdapter, ValidationError
from sqlalchemy.exc import SQLAlchemyError

from escuadra import __version__
from escuadra.commands.forms import Opened, Unreadable, Whole
from escuadra.commands.memory import MOST_LISTED, Memory
from escuadra.core.base.errors import Busy
from escuadra.core.base.model import CatalogueText
from escuadra.core.base.said import Name, Noun, Said, as_data, as_value, from_data
from escuadra.core.bay.bay import Place
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.visit.checks.base import State as CheckState
from escuadra.core.visit.closing import handovers
from escuadra.core.visit.log.state import State
from escuadra.core.visit.sheet import Sheet
from escuadra.store import Row, Store
from escuadra.store.repositories.visits import Log

LOG = logging.getLogger("escuadra")


def _title(data: Any) -> Any:
    found = from_data(data)
    return found.text if isinstance(found, Name) else found


Title = Annotated[
    CatalogueText | Said | Noun,
    PlainSerializer(lambda title: as_data(as_value(title))),
    PlainValidator(_title),
]
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


@cache
def _form() -> TypeAdapter[Listed]:
    return TypeAdapter(Listed)


def as_text(listed: Listed) -> str:
    """What a list tells of a visit, as it is kept."""
    return _form().dump_json(listed).decode()


def from_text(text: str) -> Listed | None:
    """The same again; nothing where it is not understood."""
    try:
        return _form().validate_json(text)
    except ValidationError:
        LOG.warning("What was kept of a visit for lists is not understood; it is worked out anew.", exc_info=True)
        return None


class Lists:
    """What lists tell of the visits: looked at last, else kept beside their rows, else worked out and kept there."""

    def __init__(
        self, store: Store, clock: Callable[[], int], worked_out: Callable[[Log, Row], "Listed | Unreadable"]
    ) -> None:
        self._store, self._clock, self._worked_out = store, clock, worked_out
        self._looked_at: Memory[str, Listed] = Memory(MOST_LISTED)
        self._one_at_a_time = Lock()

    def of(self, rows_of: Callable[[Log], list[Row]]) -> list[Listed | Unreadable]:
        """What a list tells of some visits, in their order.

        One list after the other: who waits takes no connection from those who work, and then finds what was made.
        """
        made: list[Listed] = []
        with self._one_at_a_time:
            with self._store.reading() as log:
                rows = rows_of(log)
                known = {row.id: one for row in rows if (one := self._fresh(row, self._looked_at.get(row.id)))}
                kept = log.told([row for row in rows if row.id not in known], __version__)
                found = [known.get(row.id) or self._one(log, row, kept.get(row.id), made) for row in rows]
            if made:
                self._keep(made)
        return found

    def before(self, log: Log, row: Row) -> Listed | None:
        """What lists told of a visit as its row has it; nothing where nobody looked."""
        text = log.told([row], __version__).get(row.id)
        return from_text(text) if text is not None else None

    def write(self, log: Log, listed: Listed) -> None:
        """Keep it beside its visit's row, within the transaction that changes the visit."""
        log.tell(listed.row, __version__, as_text(listed))

    def _fresh(self, row: Row, known: Listed | None) -> Listed | None:
        if known is None or known.row != row or (known.expires is not None and known.expires <= self._clock()):
            return None
        return known

    def _one(self, log: Log, row: Row, text: str | None, made: list[Listed]) -> Listed | Unreadable:
        known = self._fresh(row, from_text(text)) if text is not None else None
        if known is None:
            found = self._worked_out(log, row)
            if isinstance(found, Unreadable):
                return found
            known = found
            made.append(found)
        return self._looked_at.keep(row.id, known)

    def _keep(self, made: Sequence[Listed]) -> None:
        """Beside their rows; a list is shown whether or not others write just then, or there is room for that."""
        try:
            with self._store.writing() as log:
                for listed in made:
                    self.write(log, listed)
        except (Busy, SQLAlchemyError):
            LOG.warning("What lists tell of %d visits could not be kept.", len(made), exc_info=True)


STAGES = ("in_work", "run", "reopened", "taken_in", "signed")


def listed(whole: Whole, model: VehicleModel, calibrations: Sequence[ListedCalibration]) -> Listed:
    """What a list tells of a visit whose sheets could be worked out; ``calibrations``: in their order."""
    job, state = whole.job, whole.state
    stages = {one.stage for one in calibrations}
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
        calibrations=tuple(calibrations),
    )


def listed_after(
    whole: Whole, model: VehicleModel, sheets: Mapping[str, Sheet], before: Listed | None
) -> Listed | None:
    """What a list tells of a visit after a change; ``sheets``: those that follow from it, by calibration.

    The other calibrations are as they were ``before``; nothing where nobody knows how that was.
    """
    then = {one.address: one for one in before.calibrations} if before is not None else {}
    found: list[ListedCalibration] = []
    for id in whole.visit.in_order:
        known = calibration_listed(Opened(whole.row, whole.visit, id, sheets[id])) if id in sheets else None
        known = known or then.get(whole.address(id))
        if known is None:
            return None
        found.append(known)
    return listed(whole, model, found)


def _closing(state: State) -> str:
    """How far the visit as a whole is closed."""
    if state.called_off is not None:
        return "called_off"
    if state.released is not None:
        return "released"
    return "sent_back" if state.sent_back is not None else ""


def calibration_listed(opened: Opened) -> ListedCalibration:
    """What a list tells of a calibration."""
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
        signed=Signing(newest.said.revision, newest.at, newest.person.name) if newest is not None else None,
        expires=sheet.expires,
    )
