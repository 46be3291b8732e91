"""Whether a procedure sheet can be worked by, before it is released: each doubt at the field that it comes from.

What it names exists on that target; the vehicle states what its checks ask; every figure that is to be read has an
instrument that reads it; a frame reaches where the target hangs; an instrument can decide each tolerance.
"""

from collections.abc import Container, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

from escuadra.core.authoring.writing import Finding, Written
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Length, Name, Said, exact, nouns, said
from escuadra.core.instruments.instrument import Tool
from escuadra.core.procedure.cases import Case, Circumstances
from escuadra.core.procedure.counted import aside
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.profiles import FrameProfile, StandProfile, Target, VehicleModel
from escuadra.core.procedure.sheet import Procedure, datum_at
from escuadra.core.visit.capability import undecidable
from escuadra.core.visit.log.state import State
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.reach import Beyond, beyond
from escuadra.core.visit.sheet import derive


@dataclass(frozen=True)
class Shelf:
    """What a sheet can be worked with here."""

    vehicles: dict[str, VehicleModel]
    targets: dict[str, Target]
    frames: Sequence[FrameProfile]
    tools: Sequence[Tool]
    stands: dict[str, StandProfile] = field(default_factory=dict)


def plan_with(procedure: Procedure, shelf: Shelf, frame: FrameProfile) -> Plan | None:
    """The plan with a frame; none where the sheet names what is not there."""
    vehicle = shelf.vehicles.get(procedure.vehicle)
    known: dict[str, Container[str]] = {"vehicle": shelf.vehicles, "target": shelf.targets, "stand": shelf.stands}
    if vehicle is None or any(id not in known[kind] for kind, id in procedure.names):
        return None
    stands = {id: shelf.stands[id] for id in procedure.stands}
    targets = {id: shelf.targets[id] for id in procedure.targets}
    around = Circumstances(frame=frame.id, offset=procedure.sensor.y)
    procedure = procedure.in_case(procedure.reads_by(around))
    return Plan(procedure, vehicle, targets[procedure.mounting.target], frame, targets=targets, stands=stands)


def strangers(says: Written, shelf: Shelf) -> Iterator[Finding]:
    """What a sheet names that is not there: its vehicle, a target, a side of it; seen while it is typed."""
    vehicle = says.data.get("vehicle")
    if vehicle and vehicle not in shelf.vehicles:
        yield Finding("vehicle", _one_of(shelf.vehicles), str(vehicle))
    yield from _mounting(says, ("mounting",), shelf)
    for k, station in enumerate(says.data.get("stations", [])):
        yield from _mounting(says, ("stations", k, "mounting"), shelf)
        yield from _stand(says, k, station, shelf)


def at_odds(procedure: Procedure) -> Iterator[Finding]:
    """Checks whose nominal is not the sheet's own figure: nobody could meet both."""
    own = {"distance": procedure.distance, "target_height": procedure.height}
    for check in procedure.checks:
        limits = getattr(check, "limits", None)
        if procedure.stations or check.kind not in own or not isinstance(limits, Limits):
            continue
        if limits.nominal != own[check.kind]:
            what = said("authoring.at_odds", here=exact(Length, limits.nominal), sheet=exact(Length, own[check.kind]))
            yield Finding(f"checks.{check.id}.limits.nominal", what)


def in_the_way(procedure: Procedure, shelf: Shelf) -> Iterator[Finding]:
    """A target that would stand within the vehicle: the distance, its unit or what it is counted from is wrong."""
    vehicle = shelf.vehicles.get(procedure.vehicle)
    if vehicle is None or procedure.stations:
        return
    x, y = datum_at(procedure, vehicle)
    ahead, left = x + procedure.distance, y + aside(procedure, vehicle)
    front = vehicle.wheelbase + vehicle.outline.front_overhang
    if -vehicle.outline.rear_overhang < ahead < front and abs(left) < vehicle.outline.width / 2:
        yield Finding("distance", said("authoring.in_the_vehicle", least=exact(Length, front - x)))


def doubts(procedure: Procedure, shelf: Shelf) -> Iterator[Finding]:
    """What would keep somebody from working by it, as far as can be seen without a step done."""
    vehicle = shelf.vehicles.get(procedure.vehicle)
    if vehicle is not None and not any(procedure.id in sensor.sheets for sensor in vehicle.sensors):
        yield Finding("vehicle", said("authoring.not_listed", name=vehicle.name), doubt=True)
    yield from never(procedure, shelf)
    plans = [plan for frame in shelf.frames if (plan := plan_with(procedure, shelf, frame)) is not None]
    if not plans:
        return
    try:
        _ = plans[0].behind_face
    except BadInput as cause:
        yield Finding("distance_to", said("authoring.accepted", accepted=cause.accepted))
        return
    yield from _overlapping(plans[0])
    yield from _reached(plans)
    yield from _read(plans[0], shelf.tools)
    for case in procedure.cases:
        yield from _in_case(case, procedure, shelf)


def _in_case(case: Case, procedure: Procedure, shelf: Shelf) -> Iterator[Finding]:
    """What is in the way, or out of reach, where a case applies alone."""
    sheet = procedure.in_case([case])
    frames = [frame for frame in shelf.frames if not case.frames or frame.id in case.frames]
    plans = [plan for frame in frames if (plan := plan_with(sheet, shelf, frame)) is not None]
    for found in (*in_the_way(sheet, shelf), *_reached(plans)):
        yield replace(found, way=f"cases.{case.id}.figures")


def never(procedure: Procedure, shelf: Shelf) -> Iterator[Finding]:
    """Cases that can never apply: what they ask is no question of the vehicle, no frame here, none of its tyres."""
    vehicle = shelf.vehicles.get(procedure.vehicle)
    if vehicle is None:
        return
    options = {question.id: {option.id for option in question.options} for question in vehicle.questions}
    frames = {frame.id for frame in shelf.frames}
    for case in procedure.cases:
        for question, wanted in case.answers.items():
            lost = next((one for one in wanted if one not in options.get(question, ())), None)
            if lost is not None:
                known = options.get(question) or set(options)
                yield Finding(f"cases.{case.id}.answers", _one_of(known), lost if options.get(question) else question)
        for name, here in (("frames", frames), ("sizes", {*vehicle.tyres.sizes} if vehicle.tyres else set())):
            lost = next((one for one in getattr(case, name) if one not in here), None)
            if lost is not None:
                yield Finding(f"cases.{case.id}.{name}", _one_of(here), lost)


def undecided(procedure: Procedure, shelf: Shelf) -> Iterator[Finding]:
    """Tolerances that no instrument here can decide, however often it is read: not wrong, but it will be a dispute."""
    plan = next((plan for frame in shelf.frames if (plan := plan_with(procedure, shelf, frame)) is not None), None)
    if plan is None:
        return
    for check, allowed in dict(undecidable(plan, shelf.tools)).items():
        yield Finding(f"checks.{check}", said("authoring.undecidable", allowed=allowed), doubt=True)


def _mounting(says: Written, loc: tuple[str | int, ...], shelf: Shelf) -> Iterator[Finding]:
    mounting: Any = says.data
    for step in loc:
        mounting = mounting.get(step) or {} if isinstance(mounting, dict) else mounting[step]
    if not mounting.get("target"):
        return
    target = shelf.targets.get(mounting["target"])
    if target is None:
        yield Finding(says.way((*loc, "target")), _one_of(shelf.targets), mounting["target"])
        return
    for name, has in (("side", target.sides), ("way_up", target.ways_up), ("fixing", target.fixings)):
        given = mounting.get(name)
        if given and given not in has:
            what = said("authoring.not_on_target", target=target.name, has=nouns([Name(one) for one in has], "comma"))
            yield Finding(says.way((*loc, name)), what, given)


def _stand(says: Written, k: int, station: Any, shelf: Shelf) -> Iterator[Finding]:
    """A stand that is not there, or that does not hold the target by its fixing."""
    named = station.get("stand") if isinstance(station, dict) else None
    if not named:
        return
    way, stand = says.way(("stations", k, "stand")), shelf.stands.get(named)
    if stand is None:
        yield Finding(way, _one_of(shelf.stands), named)
        return
    mounting = station.get("mounting") or says.data.get("mounting") or {}
    fixing = mounting.get("fixing") if isinstance(mounting, dict) else None
    if fixing and fixing not in stand.fixings:
        has = nouns([Name(one) for one in stand.fixings], "comma")
        yield Finding(way, said("authoring.not_on_target", target=stand.name, has=has), fixing)


def _overlapping(plan: Plan) -> Iterator[Finding]:
    """Targets that would hang on one another."""
    for check in plan.procedure.checks:
        hung = [(plan.hang, plan.target.width)]
        hung += [(at, plan.targets[m.target].width) for m, at in zip(check.mountings, check.hangs, strict=True)]
        hung.sort()
        for (left, wide), (right, other) in pairwise(hung):
            if right - left < (wide + other) / 2:
                least = exact(Length, (wide + other) / 2)
                yield Finding(f"checks.{check.id}.targets", said("authoring.overlapping", least=least))


def _reached(plans: Sequence[Plan]) -> Iterator[Finding]:
    """A frame that reaches is enough; those that do not are said."""
    short = [found for plan in plans if (found := _beyond(plan)) is not None]
    for found in short:
        yield Finding("offset" if found.where == "aside" else "height", found.words, doubt=len(short) < len(plans))


def _beyond(plan: Plan) -> Beyond | None:
    """What its frame cannot reach at any place where the frame carries the target."""
    at = plan.at_stations.values() or [plan]
    return next((found for one in at if (found := beyond(one)) is not None), None)


def _read(plan: Plan, tools: Sequence[Tool]) -> Iterator[Finding]:
    """Checks that cannot be worked out for this vehicle, and readings for which there is no instrument."""
    for station in plan.at_stations.values() or [plan]:
        sheet = derive(State(), station, 0)
        for id, why in sheet.underivable.items():
            yield Finding(f"checks.{id}", said("authoring.cannot_follow", why=why))
        for view in sheet.checks:
            wanted = [s.slot for s in view.slots if s.slot.quantity is not None and s.slot.reads]
            bare = next((slot for slot in wanted if not any(slot.reads in tool.reads for tool in tools)), None)
            if bare is not None:
                yield Finding(f"checks.{view.check.id}", said("authoring.no_instrument", what=bare.label))


def _one_of(known: Iterable[str]) -> Said:
    return said("authoring.accepted", accepted=said("wants.one", names=nouns(sorted(known), "comma")))
