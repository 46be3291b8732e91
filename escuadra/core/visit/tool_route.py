"""Tools have places: where each stands to be read, the round with the fewest changes, and what is left behind.

A tool stands at one place at a time; carrying it on is a change. Readings are grouped by tool and place, phase by
phase (what comes before the target is mounted, and what comes after; a frame says which readings the hanging target
excludes, and those come before), and the places of a phase are walked the
shortest way from where the tools stand now. Where a tool stands follows from what was read with it last.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import permutations
from typing import Literal

from escuadra.core.base.said import Given, Noun, Said, said
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.slots import ReadAt, Slot
from escuadra.core.visit.views import CheckView

Carried = Literal["tape", "level", "floor_laser", "gauge", "meter", "rule", "clamps", "rig"]
CARRIED: dict[str, Carried] = {
    "tape": "tape",
    "height": "tape",
    "level": "level",
    "slope": "level",
    "bracket": "level",
    "scale": "floor_laser",
    "rule": "rule",
    "beam": "clamps",
    "rig": "rig",
    "pressure": "gauge",
    "tread": "gauge",
    "temperature": "gauge",
    "voltage": "meter",
}
"""What is carried about for each kind of reading; others are read off a paper or the dashboard."""
MOST_EXACT = 7
"""So many places are put in order by trying every order; more by the nearest next."""


@dataclass(frozen=True)
class ToolLocation:
    """A tool at a place, and where that is in vehicle axes, mm."""

    tool: Carried
    place: Said
    x: float
    y: float


@dataclass(frozen=True)
class Stop:
    """One place of the round and everything to read there."""

    location: ToolLocation
    reads: tuple[tuple[str, Slot], ...]
    """Check and slot of each."""


@dataclass(frozen=True)
class Round:
    """The stops in their order, and the changes that they cost; beside them those of the sheet's own order."""

    stops: tuple[Stop, ...]
    changes: int
    down_the_sheet: int


def location_of(slot: Slot, plan: Plan) -> ToolLocation | None:
    """Where a slot's tool is while it is read; ``None`` for what needs no tool at a place."""
    tool = CARRIED.get(slot.reads)
    if tool is None or slot.ask != "number":
        return None
    at = slot.at or ReadAt(said("stands.target"), plan.nominal_goal.x)
    return ToolLocation(tool, at.called, at.x, at.y)


def locations_now(sheet: Sheet) -> dict[Carried, ToolLocation]:
    """Where each tool is: where it was read last."""
    found: dict[Carried, tuple[int, ToolLocation]] = {}
    for id, view in sheet.slots.items():
        seqs = [e.seq for e in sheet.state.entries.get(id, ()) if isinstance(e.said, ReadingTaken)]
        if not seqs:
            continue
        location = location_of(view.slot, sheet.plan)
        if location is not None and found.get(location.tool, (0, location))[0] < seqs[-1]:
            found[location.tool] = (seqs[-1], location)
    return {tool: location for tool, (_, location) in found.items()}


def missing(sheet: Sheet) -> list[tuple[CheckView, Slot]]:
    """Everything that still has to be read with a tool, in the sheet's order, each once."""
    found: dict[str, tuple[CheckView, Slot]] = {}
    for view in sheet.checks:
        if view.check.optional and not view.begun:
            continue
        for slot in view.check.required(sheet.epochs):
            if (
                slot.id not in found
                and not sheet.epochs.excluded(slot)
                and not sheet.epochs.current(slot)
                and location_of(slot, sheet.plan) is not None
            ):
                found[slot.id] = (view, slot)
    return list(found.values())


def the_round(sheet: Sheet) -> Round:
    """The order of what is left to read with the fewest changes of tools."""
    left, now = missing(sheet), locations_now(sheet)
    early = frozenset(sheet.plan.frame.excludes)
    before, after = ([p for p in left if (_late(p[0]) and p[1].reads not in early) is late] for late in (False, True))
    stops: list[Stop] = []
    at = (0.0, 0.0)
    for phase in (before, after):
        groups: dict[ToolLocation, list[tuple[str, Slot]]] = {}
        for view, slot in phase:
            location = location_of(slot, sheet.plan)
            assert location is not None
            groups.setdefault(location, []).append((view.check.id, slot))
        # A tool that stands where it is wanted is read before anything is carried.
        ready = [s for s in groups if now.get(s.tool) == s]
        for location in [*ready, *_walked([s for s in groups if s not in ready], at)]:
            stops.append(Stop(location, tuple(groups[location])))
            at = (location.x, location.y)
    in_order = [location for _, slot in left if (location := location_of(slot, sheet.plan)) is not None]
    return Round(tuple(stops), _changes([s.location for s in stops], now), _changes(in_order, now))


def _late(view: CheckView) -> bool:
    """Read only once the target is mounted."""
    return view.check.group in ("target", "frame", "clear")


def _changes(locations: Iterable[ToolLocation], now: dict[Carried, ToolLocation]) -> int:
    at, changes = dict(now), 0
    for location in locations:
        changes += at.get(location.tool) != location
        at[location.tool] = location
    return changes


def _walked(locations: list[ToolLocation], start: tuple[float, float]) -> list[ToolLocation]:
    """The stands in the shortest way from a start: places first, then what is read there tool by tool."""
    by_place: dict[tuple[float, float], list[ToolLocation]] = {}
    for location in locations:
        by_place.setdefault((location.x, location.y), []).append(location)
    places = list(by_place)
    if len(places) <= MOST_EXACT:
        order = min(permutations(places), key=lambda p: math.fsum(map(math.dist, (start, *p), p)), default=())
    else:
        order, at = (), start
        while places:
            at = min(places, key=lambda p: math.dist(at, p))
            places.remove(at)
            order = (*order, at)
    return [location for place in order for location in by_place[place]]


def left_behind(sheet: Sheet, slot: Slot) -> Said | None:
    """What can only be read where the tool stands now, if it is carried to another slot's place; empty for nothing."""
    wanted = location_of(slot, sheet.plan)
    if wanted is None:
        return None
    now = locations_now(sheet).get(wanted.tool)
    if now is None or now == wanted:
        return None
    homes = [view for view in sheet.checks if any(s.slot.id == slot.id for s in view.slots)]
    late = all(_late(view) for view in homes)
    here = [s.label for view, s in missing(sheet) if location_of(s, sheet.plan) == now and (late or not _late(view))]
    if not here:
        return None
    told: dict[str, Given] = {"tool": Noun(f"tool.{now.tool}"), "place": now.place, "first": here[0]}
    return said("stands.left.one", **told) if len(here) == 1 else said("stands.left.more", **told, more=len(here) - 1)
