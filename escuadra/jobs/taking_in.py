"""Taking a job in, and where its vehicle stands."""

import uuid
from typing import Literal

from escuadra.catalogue import Entry
from escuadra.core.bay import Place
from escuadra.core.house import visit_stream
from escuadra.core.job.events import (
    FrameKnown,
    Pinned,
    Placed,
    TakenIn,
)
from escuadra.core.job.state import State, fold
from escuadra.core.stream import made
from escuadra.jobs.forms import Opened, TakeIn, keyed
from escuadra.jobs.garage import Garage
from escuadra.store.customers import Customers


def take_in(garage: Garage, asked: TakeIn, person: str, client_id: str) -> Opened:
    """Take a job in; pins the catalogue entries that it will be judged by."""
    who, key = garage.person(person), keyed(client_id)
    procedure = garage.catalogue.get("procedure", asked.procedure)
    entries = [
        procedure,
        garage.catalogue.get("vehicle", procedure.content.vehicle),
        *(garage.catalogue.get("target", id) for id in procedure.content.targets),
        garage.catalogue.get("frame", asked.frame),
    ]
    for entry in entries:
        garage.store.pin(entry.hash, entry.kind, entry.id, entry.revision, entry.text)
    job = uuid.uuid5(uuid.NAMESPACE_OID, key).hex[:12]
    now = garage.clock()
    named = bool(asked.customer or asked.address)
    payload = TakenIn(
        **asked.model_dump(exclude={"procedure", "frame", "customer", "address"}),
        customer=uuid.uuid5(uuid.NAMESPACE_OID, f"{key}-customer").hex[:10] if named else "",
        pins=[*(_pinned(entry) for entry in entries), *_bay_pins(garage, asked.bay)],
    )
    with garage.store.writing() as log:
        if log.streams.head(visit_stream(job))[0].count == 0:
            new = made(visit_stream(job), 1, key, now, who, payload)
            garage.derived(job, fold(State(), [new]), payload, now)
            if named:
                Customers(log.connection).add(payload.customer, asked.customer, asked.address)
            log.begin(job, new, payload)
    scale = garage.instruments.scale_of(asked.frame)
    if scale is not None and scale.learned is not None:
        known = FrameKnown(mechanics=scale.learned.mechanics)
        garage.append(job, person, f"{key}-frame", lambda _state, _sheet: known)
    return garage.open(job)


def _bay_pins(garage: Garage, bay: str) -> list[Pinned]:
    return [pin for pin in garage.floors.pins(bay) if pin.kind == "bay"] if bay in garage.store.bays() else []


def place(
    garage: Garage,
    job: str,
    place: Place,
    person: str,
    client_id: str,
    source: Literal["parking", "typed", "job"] = "parking",
    from_job: str = "",
) -> Opened:
    """Choose where the vehicle stands in its bay; pins the bay's sheet and its newest survey."""
    state = garage.open(job).state
    assert state.job is not None
    payload = Placed(place=place, source=source, from_job=from_job, pins=garage.floors.pins(state.job.bay))
    return garage.append(job, person, client_id, lambda _state, _sheet: payload)


def _pinned(entry: Entry) -> Pinned:
    return Pinned(kind=entry.kind, id=entry.id, revision=entry.revision, hash=entry.hash)
