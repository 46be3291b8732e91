"""Beginning a visit: its vehicle, the bodies that carry targets, a calibration; and where the vehicle stands."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.commands.command import Append, Command, Committed, Context, Decision, Saying, VisitCommand
from escuadra.commands.forms import Opened, TakeIn, Whole
from escuadra.commands.house import House
from escuadra.commands.whole import bay_pins, calibrated, carriers, content, entries_of, pinned
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.base.stream import Part
from escuadra.core.bay.bay import Place
from escuadra.core.house import visit_stream
from escuadra.core.visit.log.events import (
    BodyBrought,
    FrameKnown,
    Placed,
    TakenIn,
    VisitPayload,
)
from escuadra.core.visit.log.reducer import VEHICLE, body, calibration
from escuadra.store.repositories.customers import Customers
from escuadra.store.repositories.visits import Log


@dataclass(frozen=True)
class BeginVisit(Command[Whole]):
    """A vehicle is taken in for a calibration; what it will be judged by is pinned."""

    asked: TakeIn

    def id(self, context: Context) -> str:
        """The visit's id, which follows from the press."""
        return uuid.uuid5(uuid.NAMESPACE_OID, context.client_id).hex[:12]

    def stream(self, context: Context) -> str:
        """The new visit's."""
        return visit_stream(self.id(context))

    def decide(self, context: Context) -> Decision[Whole]:
        """Its vehicle, its frame and, where a sheet was chosen, a calibration; the customer's name lies outside."""
        house, asked = context.house, self.asked
        sheets = entries_of(house, asked.procedure) if asked.procedure else []
        vehicle = house.catalogue.get("vehicle", asked.vehicle or sheets[0].content.vehicle)
        if sheets and sheets[0].content.vehicle != vehicle.id:
            raise BadInput("procedure", asked.procedure, said("wants.sheet_of_vehicle", vehicle=vehicle.content.name))
        named = bool(asked.customer or asked.address)
        customer = uuid.uuid5(uuid.NAMESPACE_OID, f"{context.client_id}-customer").hex[:10] if named else ""
        taken_in = TakenIn(
            **asked.model_dump(exclude={"vehicle", "procedure", "frame", "customer", "address"}),
            customer=customer,
            pins=[pinned(vehicle), *bay_pins(house, asked.bay)],
        )
        frame, known = _frame(house, asked.frame)
        begun: list[tuple[Part, VisitPayload]] = [(VEHICLE, taken_in), *frame]
        if sheets:
            others = carriers(sheets[0].content)
            begun += [(body(one), BodyBrought(carrier=one, pins=[])) for one in others]
            begun.append((calibration("1"), calibrated(house, asked.procedure, ["frame", *others])))
        begun += known
        stream = self.stream(context)

        def beside(log: Log) -> None:
            if named:
                Customers(log.connection).add(customer, asked.customer, asked.address)

        return Decision(
            [Append(stream, 0, one, part, f"+{k}" if k else "") for k, (part, one) in enumerate(begun)],
            keeps=[content(entry) for entry in (vehicle, *sheets, house.catalogue.get("frame", asked.frame))],
            beside=beside,
        )

    def told(self, context: Context, committed: Committed) -> Whole:
        """The visit as it is then."""
        return context.house.whole(self.id(context))


def _frame(house: House, id: str) -> tuple[list[tuple[Part, BodyBrought]], list[tuple[Part, FrameKnown]]]:
    """The frame that is brought, and what earlier visits found out about it."""
    part = body("frame")
    brought = BodyBrought(carrier="frame", pins=[pinned(house.catalogue.get("frame", id))])
    scale = house.instruments.scale_of(id)
    learned = scale.learned if scale is not None else None
    known = [(part, FrameKnown(mechanics=learned.mechanics))] if learned is not None else []
    return [(part, brought)], known


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
