"""Beginning a visit: its vehicle, the bodies that carry targets, a calibration; and where the vehicle stands."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.catalogue import Entry
from escuadra.commands.command import Append, Command, Committed, Context, Decision, Saying, VisitCommand
from escuadra.commands.forms import Opened, TakeIn
from escuadra.commands.house import House
from escuadra.core.base.stream import Part
from escuadra.core.bay.bay import Place
from escuadra.core.house import visit_stream
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.log.events import (
    BodyBrought,
    CalibrationAdded,
    FrameKnown,
    Pinned,
    Placed,
    TakenIn,
    VisitPayload,
)
from escuadra.core.visit.log.reducer import VEHICLE, body, calibration
from escuadra.store import Content
from escuadra.store.repositories.customers import Customers
from escuadra.store.repositories.visits import Log


@dataclass(frozen=True)
class BeginVisit(Command[Opened]):
    """A vehicle is taken in for a calibration; what it will be judged by is pinned."""

    asked: TakeIn

    def id(self, context: Context) -> str:
        """The visit's id, which follows from the press."""
        return uuid.uuid5(uuid.NAMESPACE_OID, context.client_id).hex[:12]

    def stream(self, context: Context) -> str:
        """The new visit's."""
        return visit_stream(self.id(context))

    def decide(self, context: Context) -> Decision[Opened]:
        """Its vehicle, its frame, its first calibration; the customer's name lies outside the stream."""
        house, asked = context.house, self.asked
        procedure = house.catalogue.get("procedure", asked.procedure)
        vehicle = house.catalogue.get("vehicle", procedure.content.vehicle)
        named = bool(asked.customer or asked.address)
        customer = uuid.uuid5(uuid.NAMESPACE_OID, f"{context.client_id}-customer").hex[:10] if named else ""
        taken_in = TakenIn(
            **asked.model_dump(exclude={"procedure", "frame", "customer", "address"}),
            customer=customer,
            pins=[_pinned(vehicle), *_bay_pins(house, asked.bay)],
        )
        frame, known = _frame(house, asked.frame)
        others = dict.fromkeys(s.carrier for s in procedure.content.stations if s.own_place)
        bodies = [*frame, *((body(one), BodyBrought(carrier=one, pins=[])) for one in others)]
        added, entries = _calibration(house, procedure.content.id, [part.id for part, _ in bodies])
        said: list[tuple[Part, VisitPayload]] = [(VEHICLE, taken_in), *bodies, (calibration("1"), added), *known]
        stream = self.stream(context)

        def beside(log: Log) -> None:
            if named:
                Customers(log.connection).add(customer, asked.customer, asked.address)

        return Decision(
            [Append(stream, 0, one, part, f"+{k}" if k else "") for k, (part, one) in enumerate(said)],
            keeps=[_content(entry) for entry in (vehicle, *entries, house.catalogue.get("frame", asked.frame))],
            beside=beside,
        )

    def told(self, context: Context, committed: Committed) -> Opened:
        """The visit as it is then."""
        return context.house.open(self.id(context))


@dataclass(frozen=True)
class AddCalibration(VisitCommand):
    """A further sensor is to be calibrated in the visit, with the bodies that it uses by their ids there."""

    procedure: str
    bodies: tuple[str, ...]

    def decide(self, context: Context) -> Decision[Opened]:
        """A calibration of the next number."""
        opened = context.house.open(self.visit)
        for id in self.bodies:
            opened.visit.body(id)
        added, entries = _calibration(context.house, self.procedure, list(self.bodies))
        of = calibration(str(len(opened.visit.calibrations) + 1))
        append = Append(self.stream(context), opened.row.count, added, of)
        return Decision([append], keeps=[_content(entry) for entry in entries], seen=opened)

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """Nothing else."""
        return []


def _frame(house: House, id: str) -> tuple[list[tuple[Part, BodyBrought]], list[tuple[Part, FrameKnown]]]:
    """The frame that is brought, and what earlier visits found out about it."""
    part = body("frame")
    brought = BodyBrought(carrier="frame", pins=[_pinned(house.catalogue.get("frame", id))])
    scale = house.instruments.scale_of(id)
    learned = scale.learned if scale is not None else None
    known = [(part, FrameKnown(mechanics=learned.mechanics))] if learned is not None else []
    return [(part, brought)], known


def _calibration(house: House, id: str, bodies: list[str]) -> tuple[CalibrationAdded, list[Entry]]:
    procedure = house.catalogue.get("procedure", id)
    content = procedure.content
    assert isinstance(content, Procedure)
    entries = [procedure, *(house.catalogue.get("target", target) for target in content.targets)]
    return CalibrationAdded(bodies=bodies, pins=[_pinned(entry) for entry in entries]), entries


def _bay_pins(house: House, bay: str) -> list[Pinned]:
    return [pin for pin in house.floors.pins(bay) if pin.kind == "bay"] if bay in house.store.bays() else []


def _pinned(entry: Entry) -> Pinned:
    return Pinned(kind=entry.kind, id=entry.id, revision=entry.revision, hash=entry.hash)


def _content(entry: Entry) -> Content:
    return Content(entry.hash, entry.kind, entry.id, entry.revision, entry.text)


@dataclass(frozen=True)
class ChoosePlace(VisitCommand):
    """Where the vehicle stands in its bay; pins the bay's sheet and its newest survey."""

    place: Place
    source: Literal["parking", "typed", "job"] = "parking"
    from_job: str = ""

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The place, of the vehicle."""
        job = opened.state.job
        assert job is not None
        pins = context.house.floors.pins(job.bay)
        return [Saying(Placed(place=self.place, source=self.source, from_job=self.from_job, pins=pins), VEHICLE)]
