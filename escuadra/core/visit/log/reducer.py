"""A visit as its stream leaves it: what was said of its vehicle, of each body that carries targets, of a calibration.

Every event is of one of these parts and changes that part alone. A calibration sees the vehicle's part, those of its
bodies and its own as one state: what spoils a body spoils every calibration that uses it, and no other.
"""

import heapq
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields
from functools import cached_property
from operator import attrgetter
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import nouns, said
from escuadra.core.base.stream import Event, Part
from escuadra.core.visit.log.disturbances import Owner
from escuadra.core.visit.log.events import Signed
from escuadra.core.visit.log.state import Kept, OfAny, OfCalibration, OfVehicle, State, fold
from escuadra.core.visit.log.whole import BodyCorrected, Corrected

VEHICLE = Part(kind="vehicle")
_SEQ = attrgetter("seq")


def body(id: str) -> Part:
    """A body of a visit, by its id there."""
    return Part(kind="body", id=id)


def calibration(id: str) -> Part:
    """A calibration of a visit, by its id there."""
    return Part(kind="calibration", id=id)


@dataclass(frozen=True)
class Visit:
    """What was said of each part; ``seq`` of the last event of all."""

    seq: int = 0
    parts: Mapping[Part, State] = field(default_factory=dict)

    @cached_property
    def calibrations(self) -> tuple[str, ...]:
        """Ids of the calibrations, in the order in which they were added."""
        return tuple(part.id for part in self.parts if part.kind == "calibration")

    @cached_property
    def in_order(self) -> tuple[str, ...]:
        """Ids of the calibrations, in the order in which they are done; those that are left out stand last."""
        said = self.vehicle.order
        order = [id for id in (said.order if said is not None else ()) if id in self.calibrations]
        order += [id for id in self.calibrations if id not in order]
        return tuple(sorted(order, key=lambda id: self.parts[calibration(id)].left_out is not None))

    @property
    def corrections(self) -> tuple[Kept[Corrected | BodyCorrected], ...]:
        """All that was taken in wrongly, in the order in which it was corrected."""
        said = [one for state in self.parts.values() for one in state.corrections]
        return tuple(sorted(said, key=_SEQ))

    @property
    def vehicle(self) -> State:
        """What was said of its vehicle, and of the visit as a whole."""
        return self.parts.get(VEHICLE, State())

    @cached_property
    def bodies(self) -> dict[str, str]:
        """What each body is, by its id."""
        return {part.id: state.bodies[0].said.carrier for part, state in self.parts.items() if part.kind == "body"}

    def body(self, id: str) -> State:
        """What was said of a body; raises ``BadInput`` for an unknown one."""
        if id not in self.bodies:
            raise BadInput("body", id, said("wants.one_visit", names=nouns(self.bodies, "comma")))
        return self.parts[body(id)]

    def stands_on(self, id: str) -> tuple[Part, ...]:
        """The parts that a calibration stands on: the vehicle's, its bodies', its own. Raises for an unknown one."""
        own = self.parts.get(calibration(id))
        if own is None or own.calibration is None:
            raise BadInput(
                "calibration", id or "nothing", said("wants.one_visit", names=nouns(self.calibrations, "comma"))
            )
        return (VEHICLE, *map(body, own.calibration.bodies), calibration(id))

    def concerned(self, part: Part) -> tuple[str, ...]:
        """Ids of the calibrations that stand on a part."""
        return tuple(id for id in self.calibrations if part in self.stands_on(id))

    def all_signed(self, part: Part) -> bool:
        """Every calibration that stands on a part is signed, or is not done at all."""
        own = [self.parts[calibration(id)] for id in self.concerned(part)]
        return all(state.signed is not None or state.left_out is not None for state in own)

    def outgrown(self, id: str) -> bool:
        """A calibration was run or signed, and more was said since of what it stands on: its sheet is what it was."""
        own = self.parts[calibration(id)]
        if own.frozen is not None:
            seen = dict.fromkeys(self.stands_on(id), own.frozen.seq)
        else:
            seen = {head.of: head.seq for head in (own.signed.parts if own.signed is not None else [])}
        return any(self.parts[part].seq > seq for part, seq in seen.items() if part.kind != "calibration")

    def owning(self, id: str, owner: Owner) -> Part:
        """The part that something belongs to, as a calibration sees it; raises for a body that it does not use."""
        if owner == "vehicle":
            return VEHICLE
        if owner == "calibration":
            return calibration(id)
        known = self.bodies
        found = next((p for p in self.stands_on(id) if p.kind == "body" and known[p.id] == owner), None)
        if found is None:
            raise BadInput("what", owner, said("wants.calibration", owner=owner))
        return found

    def heads(self, id: str) -> dict[Part, int]:
        """seq of the last event of each part that a calibration stands on."""
        return {part: self.parts[part].seq for part in self.stands_on(id)}

    def seen_by(self, id: str) -> State:
        """The state of a calibration and of all that it stands on."""
        return _joined([self.parts[part] for part in self.stands_on(id)])


def fold_visit(visit: Visit, events: Iterable[Event]) -> Visit:
    """The visit after further events; the given one is not touched. Raises ``BadInput`` for an event of no part."""
    told: dict[Part, list[Event]] = {}
    seq = visit.seq
    for event in events:
        if event.of is None:
            raise BadInput("of", event.kind, said("wants.event_says_part_visit"))
        told.setdefault(event.of, []).append(event)
        seq = event.seq
    changed = {part: fold(visit.parts.get(part, State()), own) for part, own in told.items()}
    return Visit(seq, {**visit.parts, **changed})


def as_signed(events: Sequence[Event], id: str, revision: int | None = None) -> Visit:
    """The visit as a calibration's signature found it; without ``revision``: the newest, with that and its own after.

    Raises ``BadInput`` for what was not signed.
    """
    own = calibration(id)
    signed = [e for e in events if e.of == own and e.kind == Signed.code]
    found = [e.seq for e in signed if revision in (None, e.payload.revision)]
    if not found:
        raise BadInput("revision", str(revision or "any"), said("wants.signed_revision"))
    if revision is not None:
        return as_run([e for e in events if e.seq < found[-1]], id)
    return as_run([e for e in events if e.seq <= found[-1] or e.of == own], id)


def as_run(events: Sequence[Event], id: str) -> Visit:
    """The visit with a calibration's set-up as its run found it: what was moved or read since, elsewhere, is not in it.

    All of it where it was not run, or is to be run again.
    """
    visit, own = fold_visit(Visit(), events), calibration(id)
    frozen = visit.parts[own].frozen
    if frozen is None:
        return visit
    return fold_visit(Visit(), (e for e in events if e.seq <= frozen.seq or e.of == own or not e.payload.sets_up))


def as_left(events: Sequence[Event], id: str) -> Visit:
    """The visit as a calibration's signature left it, or its run."""
    signed = fold_visit(Visit(), [e for e in events if e.of == calibration(id)]).parts[calibration(id)].signed
    return as_run(events, id) if signed is None else as_signed(events, id)


def _joined(parts: Sequence[State]) -> State:
    """Several parts' states as one: each value where it was said, each list in the order in which it was said."""

    def listed(name: str) -> Any:
        full = [own for state in parts if (own := getattr(state, name))]
        return tuple(heapq.merge(*full, key=_SEQ)) if len(full) > 1 else full[0] if full else ()

    vehicle, *bodies, own = parts
    newest = max(parts, key=_SEQ)
    entries = [item for state in parts for item in state.entries.items()]
    return State(
        **{name: getattr(vehicle, name) for name in _VEHICLES},
        **{name: getattr(own, name) for name in _OWN},
        **{name: listed(name) for name in _MERGED},
        frame_known=next((b.frame_known for b in bodies if b.frame_known is not None), None),
        begun=any(state.begun for state in parts),
        seq=newest.seq,
        last_person=newest.last_person,
        entries=dict(sorted(entries, key=lambda item: item[1][0].seq)),
        temperatures=tuple(sorted(typed for state in parts for typed in state.temperatures)),
    )


_VEHICLES, _OWN, _MERGED = ([field.name for field in fields(of)] for of in (OfVehicle, OfCalibration, OfAny))
