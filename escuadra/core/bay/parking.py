"""Where to park: every place and heading of a bay that holds all the room a procedure needs, and the flattest of them.

Among the places that have room (``room``) the least of max(wheel warp, each height correction, each slope, every one
divided by its limit) is sought: what is quick to work out bounds the rest from below, so that only promising places
are worked out in full (branch and bound); ties go to the smaller turn from the bay's axis.
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from escuadra.core.base.axes import short_way
from escuadra.core.base.said import Said
from escuadra.core.bay.bay import Place
from escuadra.core.bay.ground import Ground
from escuadra.core.bay.room import Refusal, Room
from escuadra.core.bay.standing import Standing, target_places
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import FloorLimits, Procedure, TargetPlace

TURNS = (0, -2, 2, -4, 4, -6, 6, -8, 8)
"""Degrees off the bay's axis, nose either way."""
NOSES = (0.0, 180.0)
APART_MM = 1000.0
CHUNK = 256


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
    failing: tuple[tuple[Said, int], ...] = ()
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
class Lot(Room):
    """A search over one bay for one vehicle and its procedures, on its surveyed floor where there is one."""

    ground: Ground | None = None
    turns: tuple[float, ...] = TURNS

    @cached_property
    def demands(self) -> list[Demand]:
        """What the procedures ask of the floor."""
        return [demand(procedure, self.vehicle) for procedure in self.procedures]

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


def axis_turn(heading_deg: float) -> float:
    """Degrees off the bay's axis, whichever way the nose points."""
    return min(abs(short_way(heading_deg)), abs(short_way(heading_deg - 180)))


def headings(lot: Lot) -> list[float]:
    """Every heading that is looked at, the smallest turn first."""
    return sorted((heading for nose in NOSES for heading in _along(lot, nose)), key=axis_turn)


def _along(lot: Lot, nose: float) -> list[float]:
    """The headings with the nose one way along the bay; a rack's runways leave no choice."""
    return [short_way(nose + turn) for turn in (lot.turns if lot.bay.rack is None else (0.0,))]


def fits(lot: Lot) -> bool:
    """Whether there is any place at all: the first one found answers."""
    return any(lot.roomy(heading, lot.grid(heading)).any() for heading in headings(lot))


def lacking(lot: Lot) -> Refusal | None:
    """What is most in the way at the place that comes nearest to doing; asked where no place does."""
    places = [place for nose in NOSES if (place := _nearest(lot, nose)) is not None]
    worst = [refusal for place in places for refusal in lot.refusals(place)[:1]]
    return min(worst, key=lambda refusal: refusal.short_mm, default=None)


def park(lot: Lot, keep: int = 3) -> Parking:
    """The best ``keep`` places, well apart from each other, and why the rest fails."""
    directions, found, unsurveyed, looked_at = [], [], 0, 0
    for nose in NOSES:
        possible = 0
        for heading in _along(lot, nose):
            grid = lot.grid(heading)
            looked_at += len(grid)
            roomy = grid[lot.roomy(heading, grid)]
            possible += len(roomy)
            if len(roomy) == 0:
                continue
            bound = lot.shares(heading, roomy, False) if lot.ground is not None else np.zeros(len(roomy))
            known = np.isfinite(bound)
            unsurveyed += int((~known).sum())
            found.append(
                np.column_stack([bound[known], np.full(known.sum(), axis_turn(heading)), roomy[known]])
                if lot.ground is not None
                else np.column_stack([_off_middle(lot, roomy), np.full(len(roomy), axis_turn(heading)), roomy])
            )
            found[-1] = np.column_stack([found[-1], np.full(len(found[-1]), heading)])
        nearest = _nearest(lot, nose) if possible == 0 else None
        refusals = lot.refusals(nearest) if nearest is not None else []
        directions.append(Direction(nose, possible, nearest, tuple(refusals), lot.failing(nose)))
    rows = np.vstack(found) if found else np.zeros((0, 5))
    best = (
        _best(lot, rows, keep)
        if lot.ground is not None
        else _apart(lot, rows[np.lexsort((rows[:, 0], rows[:, 1]))], keep)
    )
    return Parking(tuple(best), tuple(directions), looked_at, unsurveyed)


def _nearest(lot: Lot, nose: float) -> Place | None:
    """With the nose one way along the bay, where no place has room, the one that lacks least of it."""
    nearest, least = None, math.inf
    for heading in _along(lot, nose):
        grid = lot.grid(heading)
        short = lot.shortage(heading, grid)
        k = int(short.argmin())
        if short[k] < least - 1:
            least = float(short[k])
            nearest = Place(x=float(grid[k, 0]), y=float(grid[k, 1]), heading_deg=heading)
    return lot.pushed(nearest) if nearest is not None else None


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
