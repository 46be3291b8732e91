"""The room that a vehicle and its procedures need in a bay, and by how much a place lacks it.

The room is a set of rectangles that turn with the vehicle; a place does where all of them lie within the outline and
off what stands there. Source: separating axes for convex shapes, crossing numbers for points in polygons. All
functions take many places at once, (m, 2) in bay axes, millimetres.
"""

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Length, Name, Noun, Plain, Said, Text, exact, said
from escuadra.core.bay.bay import Bay, Place, Rack, Thing, rectangle
from escuadra.core.bay.standing import place_name, target_places
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.procedure.things import SOLID, ThingKind

SIDES = ("front", "left", "rear", "right")
STEP_MM = 100.0
MOST_PLACES = 25_000
"""With one heading."""
TOUCH_MM = 1e-6


@dataclass(frozen=True)
class Shape:
    """A rectangle that travels with the vehicle: its reach in vehicle axes and what must not be in it."""

    name: Text
    x: float
    y: float
    turn_deg: float
    reach: tuple[float, float, float, float]
    """Ahead, behind, left, right of (x, y), before it is turned."""
    free_of: tuple[ThingKind, ...]
    kind: Literal["body", "tyre", "room", "target"] = "room"

    def corners(self, place: Place) -> np.ndarray:
        """(4, 2) in bay axes."""
        x, y = place.at(self.x, self.y)
        return np.array(rectangle(x, y, place.heading_deg + self.turn_deg, *self.reach))


@dataclass(frozen=True)
class Refusal:
    """Why a place does not do: by how much, and where as from the driver's seat."""

    shape: Text
    what: str
    """The bay's end or side, the runway, or a thing of the bay by its name."""
    short_mm: float

    @property
    def text(self) -> Said:
        """Such as ``410 mm short at the front (sight to the target)``."""
        short = Length(math.ceil(self.short_mm - 1e-6), 0)
        if self.what in (*SIDES, "runway"):
            return said(f"room.short.{self.what}", short=short, shape=self.shape)
        return said("room.inside", what=self.what, short=short, shape=self.shape)


def shapes(vehicle: VehicleModel, procedures: list[Procedure]) -> list[Shape]:
    """Everything that must find room: the vehicle, its tyres' places, every zone and every target with its stand."""
    outline = vehicle.outline
    nose, half = vehicle.wheelbase + outline.front_overhang, outline.width / 2
    found = [Shape(said("room.vehicle"), 0, 0, 0, (nose, outline.rear_overhang, half, half), SOLID, "body")]
    for corner in CORNERS:
        x, y = vehicle.contact(corner)
        wide = vehicle.tyre_width / 2
        found.append(
            Shape(
                said("room.tyre", corner=Noun(f"corner.{corner}")),
                x,
                y,
                0,
                (110, 110, wide, wide),
                (*SOLID, "drain"),
                "tyre",
            )
        )
    for procedure in procedures:
        for zone in procedure.room:
            found.append(
                Shape(
                    Name(zone.name),
                    0,
                    0,
                    0,
                    (zone.x_to, -zone.x_from, zone.y_to, -zone.y_from),
                    tuple(zone.free_of),
                )
            )
        for target in target_places(procedure, vehicle):
            wide = target.width / 2
            found.append(
                Shape(
                    place_name(target.id),
                    target.x,
                    target.y,
                    target.facing_deg,
                    (0.0, target.depth, wide, wide),
                    (*SOLID, "drain"),
                    "target",
                )
            )
    return list(dict.fromkeys(found))


@dataclass(frozen=True)
class Room:
    """A bay, a vehicle and its procedures: what must find room where."""

    bay: Bay
    vehicle: VehicleModel
    procedures: tuple[Procedure, ...]
    step: float = STEP_MM

    @cached_property
    def shapes(self) -> list[Shape]:
        """Everything that must find room."""
        return shapes(self.vehicle, list(self.procedures))

    def grid(self, heading_deg: float) -> np.ndarray:
        """(m, 2) places of the rear axle's middle that are looked at with a heading.

        Every step from the bay's lowest corner and, so that a bay with hardly any room to spare is not refused, where
        the room left over is the same on both sides.
        """
        corners = np.array(self.bay.corners)
        start = Place(x=0, y=0, heading_deg=heading_deg)
        reach = np.vstack([shape.corners(start) for shape in self.shapes])
        axes = []
        for k, (low, high) in enumerate(zip(corners.min(0), corners.max(0), strict=True)):
            middle = (low + high - reach[:, k].min() - reach[:, k].max()) / 2
            axes.append(np.unique(np.append(np.arange(low, high + 1e-9, self.step), np.clip(middle, low, high))))
        if len(axes[0]) * len(axes[1]) > MOST_PLACES:
            raise BadInput(
                "step", self.step, said("wants.wider_step_most_places", most_places=exact(Plain, MOST_PLACES))
            )
        return np.array(np.meshgrid(*axes, indexing="ij")).reshape(2, -1).T

    @cached_property
    def _edges(self) -> tuple[np.ndarray, np.ndarray, np.ndarray, bool]:
        """Starts, ends and inward normals of the outline's sides, and whether it is convex."""
        starts = np.array(self.bay.corners)
        ends = np.roll(starts, -1, axis=0)
        along = ends - starts
        normals = np.column_stack([-along[:, 1], along[:, 0]]) / np.hypot(along[:, 0], along[:, 1])[:, None]
        bends = np.roll(along, -1, axis=0)
        convex = bool((along[:, 0] * bends[:, 1] - along[:, 1] * bends[:, 0] >= -1e-6).all())
        return starts, ends, normals, convex

    @cached_property
    def _things(self) -> list[tuple[ThingKind, np.ndarray, np.ndarray, float]]:
        """What stands in the bay: its kind, corners, middle, and how far they reach from that."""
        found = [(thing.kind, np.array(thing.corners)) for thing in self.bay.things]
        return [(kind, corners, *_round(corners)) for kind, corners in found]

    def _outside(self, offsets: np.ndarray, places: np.ndarray) -> np.ndarray:
        """(m, sides of the outline) how far a shape reaches beyond each; infinite where it lies outside altogether."""
        starts, ends, normals, convex = self._edges
        reach = (offsets @ normals.T).min(axis=0)
        beyond = (starts * normals).sum(axis=1) - places @ normals.T - reach
        beyond = np.where(beyond > TOUCH_MM, beyond, 0.0)
        if convex:
            return beyond
        for k in range(len(starts)):
            crossed = _overlap(offsets, places, np.array([starts[k], ends[k]])) > TOUCH_MM
            beyond[:, k] = np.where(crossed, beyond[:, k], 0.0)
        inside = _within(places + offsets.mean(axis=0), starts, ends)
        beyond[~inside, 0] = np.inf
        return beyond

    def shortage(self, heading_deg: float, places: np.ndarray) -> np.ndarray:
        """(m,) millimetres that are missing in all at each place with a heading; 0 where everything finds room."""
        sides, blocked = self._misses(heading_deg, places)
        return np.asarray(sides.max(axis=0).sum(axis=1) + blocked.max(axis=0))

    def roomy(self, heading_deg: float, places: np.ndarray) -> np.ndarray:
        """(m,) whether everything finds room at each place with a heading.

        Where one shape lacks it no other is looked at any more, the longest first: by how much, ``shortage`` says.
        """
        start = Place(x=0, y=0, heading_deg=heading_deg)
        left = np.arange(len(places))
        for shape in sorted(self.shapes, key=lambda shape: -shape.reach[0] - shape.reach[1]):
            offsets = shape.corners(start)
            left = left[self._outside(offsets, places[left]).max(axis=1) <= 0]
            left = left[self._blocked(shape, offsets, places[left]) <= 0]
            if not left.size:
                break
        found = np.zeros(len(places), dtype=bool)
        found[left] = True
        return found

    def _misses(self, heading_deg: float, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(shapes, m, 4) missing at each side of the vehicle, and (shapes, m) how deep things stand in the shapes."""
        normals = self._edges[2]
        outward = np.degrees(np.arctan2(-normals[:, 1], -normals[:, 0])) - heading_deg
        side_of = np.round(outward / 90).astype(int) % 4
        start = Place(x=0, y=0, heading_deg=heading_deg)
        sides = np.zeros((len(self.shapes), len(places), 4))
        blocked = np.zeros((len(self.shapes), len(places)))
        for s, shape in enumerate(self.shapes):
            offsets = shape.corners(start)
            beyond = self._outside(offsets, places)
            for side in range(4):
                if (side_of == side).any():
                    sides[s, :, side] = beyond[:, side_of == side].max(axis=1)
            blocked[s] = self._blocked(shape, offsets, places)
        return sides, blocked

    def _blocked(self, shape: Shape, offsets: np.ndarray, places: np.ndarray) -> np.ndarray:
        """(m,) how deep things stand in a shape at places, or how far a tyre is off its runway."""
        deepest = np.zeros(len(places))
        if shape.kind == "tyre" and self.bay.rack is not None:
            off = _off_runways(offsets, places, self.bay.rack)
            deepest = np.where(off > TOUCH_MM, off, 0.0)
        middle, reach = _round(offsets)
        for kind, other, there, its_reach in self._things:
            if kind not in shape.free_of:
                continue
            # What lies farther apart than both reach does not overlap.
            near = np.flatnonzero(((places + (middle - there)) ** 2).sum(axis=1) < (reach + its_reach) ** 2)
            if not near.size:
                continue
            deep = _overlap(offsets, places[near], other)
            deepest[near] = np.maximum(deepest[near], np.where(deep > TOUCH_MM, deep, 0.0))
        return deepest

    def refusals(self, place: Place) -> list[Refusal]:
        """Everything that is in the way at a place, the worst first."""
        at = np.array([[place.x, place.y]])
        sides, _ = self._misses(place.heading_deg, at)
        found = []
        for side, name in enumerate(SIDES):
            worst = int(sides[:, 0, side].argmax())
            if sides[worst, 0, side] > 0:
                found.append(Refusal(self.shapes[worst].name, name, float(sides[worst, 0, side])))
        start = Place(x=0, y=0, heading_deg=place.heading_deg)
        for shape in self.shapes:
            if shape.kind == "tyre" and self.bay.rack is not None:
                off = float(_off_runways(shape.corners(start), at, self.bay.rack)[0])
                if off > TOUCH_MM:
                    found.append(Refusal(shape.name, "runway", off))
        for thing in self.bay.things:
            deep = [
                (float(_overlap(shape.corners(start), at, np.array(thing.corners))[0]), k)
                for k, shape in enumerate(self.shapes)
                if thing.kind in shape.free_of
            ]
            if deep and max(deep)[0] > TOUCH_MM:
                found.append(Refusal(self.shapes[max(deep)[1]].name, thing.name, max(deep)[0]))
        return sorted(found, key=lambda refusal: -refusal.short_mm)

    def failing(self, heading_deg: float, most: int = 3) -> tuple[tuple[Said, int], ...]:
        """What stops most of the places with a heading that fail, in words, and how many."""
        grid = self.grid(heading_deg)
        sides, blocked = self._misses(heading_deg, grid)
        amounts = np.column_stack([sides.max(axis=0), blocked.max(axis=0)])
        stopped = amounts.max(axis=1) > 0
        worst = amounts[stopped].argmax(axis=1)
        words = [said(f"room.too_near.{side}") for side in SIDES]
        blocking = said("room.way_stands_there") if self.bay.rack is None else said("room.off_runways")
        counts = [(word, int((worst == k).sum())) for k, word in enumerate([*words, blocking])]
        return tuple(sorted((c for c in counts if c[1]), key=lambda c: -c[1])[:most])

    # --- how good the floor is
    def pushed(self, place: Place) -> Place:
        """The same place, moved so that what is short is short on one side only."""
        sides, _ = self._misses(place.heading_deg, np.array([[place.x, place.y]]))
        _, _, rear, right = (float(amount) for amount in sides.max(axis=0)[0])
        x, y = place.at(rear, right)
        moved = Place(x=x, y=y, heading_deg=place.heading_deg)
        before, after = (self.shortage(place.heading_deg, np.array([[at.x, at.y]]))[0] for at in (place, moved))
        return moved if after <= before + 1 else place


def _round(corners: np.ndarray) -> tuple[np.ndarray, float]:
    """A shape's middle, and how far its corners reach from that."""
    middle = corners.mean(axis=0)
    return middle, float(np.hypot(*(corners - middle).T).max())


def _overlap(offsets: np.ndarray, places: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(m,) depth by which a rectangle at places overlaps a convex shape; 0 or less where they are apart."""
    found = np.full(len(places), np.inf)
    edges = [offsets[1] - offsets[0], offsets[2] - offsets[1]]
    edges += [other[(k + 1) % len(other)] - other[k] for k in range(len(other) if len(other) > 2 else 1)]
    for edge in edges:
        axis = np.array([-edge[1], edge[0]]) / np.hypot(*edge)
        own, its, at = offsets @ axis, other @ axis, places @ axis
        found = np.minimum(found, np.minimum(its.max() - (at + own.min()), at + own.max() - its.min()))
    return found


def _off_runways(offsets: np.ndarray, places: np.ndarray, rack: Rack) -> np.ndarray:
    """(m,) how far a tyre at places reaches beyond the nearer runway."""
    low, high = offsets.min(axis=0), offsets.max(axis=0)
    along = np.maximum(rack.x_from - (places[:, 0] + low[0]), places[:, 0] + high[0] - rack.x_to)
    half = rack.width / 2
    across = np.minimum.reduce(
        [
            np.maximum(y - half - (places[:, 1] + low[1]), places[:, 1] + high[1] - y - half)
            for y in (rack.left_y, rack.right_y)
        ]
    )
    return np.asarray(np.maximum(np.maximum(along, across), 0.0))


def _within(points: np.ndarray, starts: np.ndarray, ends: np.ndarray) -> np.ndarray:
    """(m,) whether points lie inside a polygon (crossing number)."""
    inside = np.zeros(len(points), dtype=bool)
    for (ax, ay), (bx, by) in zip(starts, ends, strict=True):
        if ay != by:
            spans = (ay > points[:, 1]) != (by > points[:, 1])
            inside ^= spans & (points[:, 0] < (bx - ax) * (points[:, 1] - ay) / (by - ay) + ax)
    return inside


def covered_things(things: list[Thing], place: Place, procedure: Procedure, vehicle: VehicleModel) -> list[Thing]:
    """The things that lie, even in part, in the room that a procedure keeps clear at a place."""
    at = np.array([[place.x, place.y]])
    start = Place(x=0, y=0, heading_deg=place.heading_deg)
    zones = [
        shape for shape in shapes(vehicle, [procedure]) if shape.name in {Name(zone.name) for zone in procedure.room}
    ]
    if not zones:
        return list(things)
    return [
        thing
        for thing in things
        if any(_overlap(zone.corners(start), at, np.array(thing.corners))[0] > TOUCH_MM for zone in zones)
    ]
