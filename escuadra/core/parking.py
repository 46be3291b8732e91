"""Where to park: every place and heading of a bay that holds all the room a procedure needs, and the flattest of them.

The room is a set of rectangles that turn with the vehicle; a place is possible where all of them lie within the
outline and off what stands there (separating axes). Among those, the least of max(wheel warp, each height correction,
each slope, every one divided by its limit) is sought: what is quick to work out bounds the rest from below, so that
only promising places are worked out in full (branch and bound); ties go to the smaller turn from the bay's axis.
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from escuadra.core.axes import short_way
from escuadra.core.bay import SOLID, Bay, Place, Rack, Thing, ThingKind, rectangle
from escuadra.core.errors import BadInput
from escuadra.core.ground import Ground
from escuadra.core.procedure import FloorLimits, Limits, Procedure, TargetPlace, VehicleModel
from escuadra.core.stance import CORNERS
from escuadra.core.standing import Standing, said_place, target_places

SIDES = ("front", "left", "rear", "right")
TURNS = (0, -2, 2, -4, 4, -6, 6, -8, 8)
"""Degrees off the bay's axis, nose either way."""
STEP_MM = 100.0
MOST_PLACES = 400_000
TOUCH_MM = 1e-6
APART_MM = 1000.0
CHUNK = 256


@dataclass(frozen=True)
class Shape:
    """A rectangle that travels with the vehicle: its reach in vehicle axes and what must not be in it."""

    name: str
    x: float
    y: float
    turn_deg: float
    reach: tuple[float, float, float, float]
    """Ahead, behind, left, right of (x, y), before it is turned."""
    free_of: tuple[ThingKind, ...]

    def corners(self, place: Place) -> np.ndarray:
        """(4, 2) in bay axes."""
        x, y = place.at(self.x, self.y)
        return np.array(rectangle(x, y, place.heading_deg + self.turn_deg, *self.reach))


@dataclass(frozen=True)
class Refusal:
    """Why a place does not do: by how much, and where as from the driver's seat."""

    shape: str
    what: str
    short_mm: float

    @property
    def text(self) -> str:
        """In one sentence part: ``410 mm short at the front (sight to the target)``."""
        amount = f"{math.ceil(self.short_mm - 1e-6):,}".replace(",", "\u202f")
        if self.what in SIDES:
            on = "at" if self.what in ("front", "rear") else "on"
            return f"{amount}\u202fmm short {on} the {self.what} ({self.shape})"
        if self.what == "runway":
            return f"{self.shape} is {amount}\u202fmm off its runway"
        return f"{self.what} is {amount}\u202fmm inside: {self.shape}"


@dataclass(frozen=True)
class Demand:
    """What one procedure asks of floor and room."""

    procedure: Procedure
    targets: tuple[TargetPlace, ...]
    along: Limits | None
    across: Limits | None
    floor: FloorLimits | None


def demand(procedure: Procedure, vehicle: VehicleModel) -> Demand:
    """What a procedure asks; its slopes stand in its check of the kind ``slope``."""
    check = next((c for c in procedure.checks if c.kind == "slope"), None)
    along, across = getattr(check, "along", None), getattr(check, "across", None)
    return Demand(procedure, tuple(target_places(procedure, vehicle)), along, across, procedure.floor)


def shapes(vehicle: VehicleModel, procedures: list[Procedure]) -> list[Shape]:
    """Everything that must find room: the vehicle, its tyres' places, every zone and every target with its stand."""
    outline = vehicle.outline
    nose, half = vehicle.wheelbase + outline.front_overhang, outline.width / 2
    found = [Shape("the vehicle", 0, 0, 0, (nose, outline.rear_overhang, half, half), SOLID)]
    for corner in CORNERS:
        x, y = vehicle.contact(corner)
        wide = vehicle.tyre_width / 2
        found.append(Shape(f"the {corner} tyre", x, y, 0, (110, 110, wide, wide), (*SOLID, "drain")))
    for procedure in procedures:
        for zone in procedure.room:
            found.append(
                Shape(
                    zone.name,
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
                    said_place(target),
                    target.x,
                    target.y,
                    target.facing_deg,
                    (0.0, target.depth, wide, wide),
                    (*SOLID, "drain"),
                )
            )
    return list(dict.fromkeys(found))


@dataclass(frozen=True)
class Candidate:
    """A place that does, and how good its floor is: the largest share of a limit that is used up."""

    place: Place
    share: float | None
    """``None`` where the bay was not surveyed."""
    turn_deg: float
    """From the bay's axis, either way along it."""


@dataclass(frozen=True)
class Direction:
    """What was found with the nose one way along the bay."""

    heading_deg: float
    possible: int
    nearest: Place | None
    refusals: tuple[Refusal, ...]
    """Of the place that comes nearest to doing, where none does."""
    failing: tuple[tuple[str, int], ...] = ()
    """What stops the places along the bay's axis that fail, the commonest first, and how many each stops most."""


@dataclass(frozen=True)
class Parking:
    """The best few places, and why others fail."""

    best: tuple[Candidate, ...]
    directions: tuple[Direction, ...]
    looked_at: int
    unsurveyed: int
    """Places with room enough whose floor was not surveyed."""


@dataclass(frozen=True)
class Lot:
    """A search over one bay for one vehicle and its procedures."""

    bay: Bay
    vehicle: VehicleModel
    procedures: tuple[Procedure, ...]
    ground: Ground | None = None
    step: float = STEP_MM
    turns: tuple[float, ...] = TURNS

    @cached_property
    def shapes(self) -> list[Shape]:
        """Everything that must find room."""
        return shapes(self.vehicle, list(self.procedures))

    @cached_property
    def demands(self) -> list[Demand]:
        """What the procedures ask of the floor."""
        return [demand(procedure, self.vehicle) for procedure in self.procedures]

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
        if len(axes[0]) * len(axes[1]) * 2 * len(self.turns) > MOST_PLACES:
            raise BadInput("step", self.step, f"a wider step: at most {MOST_PLACES:,} places and headings")
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
            if shape.name.endswith("tyre") and self.bay.rack is not None:
                off = _off_runways(offsets, places, self.bay.rack)
                blocked[s] = np.where(off > TOUCH_MM, off, 0.0)
            for thing in self.bay.of(*shape.free_of):
                deep = _overlap(offsets, places, np.array(thing.corners))
                blocked[s] = np.maximum(blocked[s], np.where(deep > TOUCH_MM, deep, 0.0))
        return sides, blocked

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
            if shape.name.endswith("tyre") and self.bay.rack is not None:
                off = float(_off_runways(shape.corners(start), at, self.bay.rack)[0])
                if off > TOUCH_MM:
                    found.append(Refusal(shape.name, "runway", off))
        for thing in self.bay.things:
            deep = [
                (float(_overlap(shape.corners(start), at, np.array(thing.corners))[0]), shape.name)
                for shape in self.shapes
                if thing.kind in shape.free_of
            ]
            if deep and max(deep)[0] > TOUCH_MM:
                found.append(Refusal(max(deep)[1], thing.name, max(deep)[0]))
        return sorted(found, key=lambda refusal: -refusal.short_mm)

    def failing(self, heading_deg: float, most: int = 3) -> tuple[tuple[str, int], ...]:
        """What stops most of the places with a heading that fail, in words, and how many."""
        grid = self.grid(heading_deg)
        sides, blocked = self._misses(heading_deg, grid)
        amounts = np.column_stack([sides.max(axis=0), blocked.max(axis=0)])
        stopped = amounts.max(axis=1) > 0
        worst = amounts[stopped].argmax(axis=1)
        words = [f"too near the {'end' if s in ('front', 'rear') else 'wall'} at the {s}" for s in SIDES]
        words = [w.replace("at the left", "on the left").replace("at the right", "on the right") for w in words]
        blocking = "in the way of what stands there" if self.bay.rack is None else "off the runways"
        counts = [(word, int((worst == k).sum())) for k, word in enumerate([*words, blocking])]
        return tuple(sorted((c for c in counts if c[1]), key=lambda c: -c[1])[:most])

    # --- how good the floor is

    def shares(self, heading_deg: float, places: np.ndarray, full: bool) -> np.ndarray:
        """(m,) the largest share of a limit; NaN off the survey. Without ``full`` a lower bound of it."""
        assert self.ground is not None
        turn = np.radians(heading_deg)
        rotation = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
        standing = Standing(self.bay, Place(x=0, y=0, heading_deg=heading_deg), self.ground, self.vehicle)

        def heights(in_vehicle: np.ndarray, surface: str) -> np.ndarray:
            mesh = self.ground.meshes.get(surface) if self.ground is not None else None
            if mesh is None:
                return np.full((len(places), len(in_vehicle)), np.nan)
            where = (places[:, None, :] + (in_vehicle @ rotation)[None, :, :]).reshape(-1, 2)
            return mesh.heights(where, self.ground.z).reshape(len(places), -1)  # type: ignore[union-attr]

        contacts = standing.contacts
        design = np.column_stack([np.ones(4), contacts])
        inverse = np.linalg.pinv(design)
        wheels = heights(contacts, standing.wheels_on)
        planes = wheels @ inverse.T
        warp = np.abs(wheels - planes @ design.T).max(axis=1)
        worst = np.zeros(len(places)) + 0 * wheels.sum(axis=1)
        for asked in self.demands:
            parts = [_share(asked.along, 100 * planes[:, 1]), _share(asked.across, 100 * planes[:, 2])]
            if asked.floor is not None:
                spots = np.array([[1.0, t.x, t.y] for t in asked.targets])
                raised = heights(spots[:, 1:], "floor") - planes @ spots.T
                corrections = np.abs(standing.beyond_rack(0.0) + raised).max(axis=1)
                parts += [warp / asked.floor.warp, corrections / asked.floor.correction]
            if full:
                parts += self._full(asked, standing, heights)
            worst = np.maximum(worst, np.max(parts, axis=0))
        return np.asarray(worst)

    def _full(self, asked: Demand, standing: Standing, heights: object) -> list[np.ndarray]:
        """Shares of the slopes and the flatness from the rear axle up to the first target."""
        lattice = standing.lattice(asked.targets[0])
        design = np.column_stack([np.ones(len(lattice)), lattice])
        assert callable(heights)
        z = heights(lattice, "floor")
        planes = z @ np.linalg.pinv(design).T
        parts = [_share(asked.along, 100 * planes[:, 1]), _share(asked.across, 100 * planes[:, 2])]
        if asked.floor is not None and asked.floor.flatness is not None:
            parts.append(np.ptp(z - planes @ design.T, axis=1) / asked.floor.flatness)
        return parts


def _share(limits: Limits | None, values: np.ndarray) -> np.ndarray:
    """The share of the limits that a value uses up."""
    if limits is None:
        return 0 * values
    off = values - limits.nominal
    return np.asarray(np.where(off >= 0, off / max(limits.plus, 1e-9), -off / max(limits.minus, 1e-9)))


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


def axis_turn(heading_deg: float) -> float:
    """Degrees off the bay's axis, whichever way the nose points."""
    return min(abs(short_way(heading_deg)), abs(short_way(heading_deg - 180)))


def park(lot: Lot, keep: int = 3) -> Parking:
    """The best ``keep`` places, well apart from each other, and why the rest fails."""
    directions, found, unsurveyed, looked_at = [], [], 0, 0
    for nose in (0.0, 180.0):
        possible, nearest, least = 0, None, math.inf
        # A rack's runways leave no choice of heading.
        for turn in lot.turns if lot.bay.rack is None else (0.0,):
            heading = short_way(nose + turn)
            grid = lot.grid(heading)
            looked_at += len(grid)
            short = lot.shortage(heading, grid)
            fits = grid[short <= 0]
            possible += len(fits)
            if len(fits) == 0:
                k = int(short.argmin())
                if short[k] < least - 1:
                    least = float(short[k])
                    nearest = Place(x=float(grid[k, 0]), y=float(grid[k, 1]), heading_deg=heading)
                continue
            bound = lot.shares(heading, fits, False) if lot.ground is not None else np.zeros(len(fits))
            known = np.isfinite(bound)
            unsurveyed += int((~known).sum())
            found.append(
                np.column_stack([bound[known], np.full(known.sum(), axis_turn(heading)), fits[known]])
                if lot.ground is not None
                else np.column_stack([_off_middle(lot, fits), np.full(len(fits), axis_turn(heading)), fits])
            )
            found[-1] = np.column_stack([found[-1], np.full(len(found[-1]), heading)])
        nearest = _pushed(lot, nearest) if nearest is not None and possible == 0 else None
        refusals = lot.refusals(nearest) if nearest is not None else []
        directions.append(Direction(nose, possible, nearest, tuple(refusals), lot.failing(nose)))
    rows = np.vstack(found) if found else np.zeros((0, 5))
    best = (
        _best(lot, rows, keep)
        if lot.ground is not None
        else _apart(lot, rows[np.lexsort((rows[:, 0], rows[:, 1]))], keep)
    )
    return Parking(tuple(best), tuple(directions), looked_at, unsurveyed)


def _pushed(lot: Lot, place: Place) -> Place:
    """The same place, moved so that what is short is short on one side only."""
    sides, _ = lot._misses(place.heading_deg, np.array([[place.x, place.y]]))
    _, _, rear, right = (float(amount) for amount in sides.max(axis=0)[0])
    x, y = place.at(rear, right)
    moved = Place(x=x, y=y, heading_deg=place.heading_deg)
    before, after = (lot.shortage(place.heading_deg, np.array([[at.x, at.y]]))[0] for at in (place, moved))
    return moved if after <= before + 1 else place


def _off_middle(lot: Lot, places: np.ndarray) -> np.ndarray:
    corners = np.array(lot.bay.corners)
    middle = (corners.min(0)[1] + corners.max(0)[1]) / 2
    return np.asarray(np.abs(places[:, 1] - middle))


def _apart(lot: Lot, rows: np.ndarray, keep: int) -> list[Candidate]:
    kept: list[Candidate] = []
    for row in rows:
        place = Place(x=float(row[2]), y=float(row[3]), heading_deg=float(row[4]))
        if all(_differs(place, other.place) for other in kept):
            kept.append(Candidate(place, float(row[0]) if lot.ground is not None else None, float(row[1])))
        if len(kept) == keep:
            break
    return kept


def _differs(a: Place, b: Place) -> bool:
    return math.hypot(a.x - b.x, a.y - b.y) >= APART_MM or abs(short_way(a.heading_deg - b.heading_deg)) > 90


def _best(lot: Lot, rows: np.ndarray, keep: int) -> list[Candidate]:
    """The best of the bounded places, worked out in full only as far as a bound can still win."""
    rows = rows[np.lexsort((rows[:, 1], rows[:, 0]))]
    done = np.zeros((0, 5))
    for start in range(0, len(rows), CHUNK):
        chunk = rows[start : start + CHUNK].copy()
        for heading in np.unique(chunk[:, 4]):
            same = chunk[:, 4] == heading
            chunk[same, 0] = lot.shares(float(heading), chunk[same, 2:4], True)
        done = np.vstack([done, chunk[np.isfinite(chunk[:, 0])]])
        done = done[np.lexsort((done[:, 1], np.round(done[:, 0], 9)))]
        kept = _apart(lot, done, keep)
        following = start + CHUNK
        if following >= len(rows):
            break
        if len(kept) == keep and (kept[-1].share or 0.0) <= rows[following, 0]:
            break
    return _apart(lot, done, keep)


def covered_things(things: list[Thing], place: Place, procedure: Procedure, vehicle: VehicleModel) -> list[Thing]:
    """The things that lie, even in part, in the room that a procedure keeps clear at a place."""
    at = np.array([[place.x, place.y]])
    start = Place(x=0, y=0, heading_deg=place.heading_deg)
    zones = [shape for shape in shapes(vehicle, [procedure]) if shape.name in {zone.name for zone in procedure.room}]
    if not zones:
        return list(things)
    return [
        thing
        for thing in things
        if any(_overlap(zone.corners(start), at, np.array(thing.corners))[0] > TOUCH_MM for zone in zones)
    ]
