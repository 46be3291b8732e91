"""Where to park: the search of the core beside a plain one that looks at the same places one after the other."""

import math
import time
from datetime import date
from typing import Any

import numpy as np
from scipy.interpolate import LinearNDInterpolator

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.core.bay.bay import Bay, Place, Thing
from escuadra.core.bay.ground import Ground, ground
from escuadra.core.bay.parking import Lot, axis_turn, demand, park
from escuadra.core.bay.room import shapes
from escuadra.core.bay.standing import Standing
from escuadra.core.bay.survey import Survey, SurveyPoint, SurveyReading

PROCEDURES = ("BL-CAM-01", "BL-RAD-01", "BL-SUR-01")
STEP = 200.0


def surveyed() -> Ground:
    """200 points of a floor 12 m by 5 m, sunk in one corner."""
    rng = np.random.default_rng(20)
    points, readings = [], []
    for k in range(200):
        x, y = 20 + 11_960 * (k % 20) / 19, 20 + 4_960 * (k // 20) / 9
        z = 0.0009 * x - 0.0005 * y - 12 * math.exp(-((x - 10_500) ** 2 + (y - 700) ** 2) / 2e6) + rng.normal(0, 0.4)
        points.append(SurveyPoint(id=f"P{k}", x=x, y=y))
        readings.append(SurveyReading(point=f"P{k}", staff=1400 - z))
    day = date(2026, 3, 5)
    return ground(
        Survey(
            bay="B", taken_on=day, valid_until=day, person="P", instrument="L", u=0.4, points=points, readings=readings
        )
    )


def lot() -> Lot:
    """The bay, its floor and three procedures."""
    catalogue = load([PRACTICE])
    things = [
        Thing(id="a", kind="pillar", name="pillar", x=5000, y=150, length=300, width=300),
        Thing(id="b", kind="drain", name="drain", x=10_500, y=700, length=400, width=400),
    ]
    bay = Bay(name="B", length=12_000, width=5_000, things=things)
    wanted = tuple(catalogue.get("procedure", id).content for id in PROCEDURES)
    return Lot(bay, catalogue.get("vehicle", wanted[0].vehicle).content, wanted, STEP, surveyed())


def plain(given: Lot) -> tuple[float, float]:
    """(share, turn) of the best place, each looked at by itself."""
    surface = given.ground
    assert surface is not None
    height = LinearNDInterpolator(surface.xy, surface.z)
    asked = [demand(procedure, given.vehicle) for procedure in given.procedures]
    needed = shapes(given.vehicle, list(given.procedures))
    best = (math.inf, math.inf)
    for nose in (0.0, 180.0):
        for turn in given.turns:
            heading = nose + turn if nose + turn <= 180 else nose + turn - 360
            for x, y in given.grid(heading):
                place = Place(x=float(x), y=float(y), heading_deg=heading)
                if all(_free(shape.corners(place), shape.free_of, given.bay) for shape in needed):
                    best = min(best, (_share(given, surface, height, asked, place), axis_turn(heading)))
    return best


def _free(corners: np.ndarray, kinds: tuple[str, ...], bay: Bay) -> bool:
    if corners.min() < -1e-6 or corners[:, 0].max() > bay.length + 1e-6 or corners[:, 1].max() > bay.width + 1e-6:
        return False
    return not any(_overlap(corners, np.array(thing.corners)) for thing in bay.things if thing.kind in kinds)


def _overlap(a: np.ndarray, b: np.ndarray) -> bool:
    for edge in (a[1] - a[0], a[2] - a[1], b[1] - b[0], b[2] - b[1]):
        axis = np.array([-edge[1], edge[0]]) / np.hypot(*edge)
        if (a @ axis).max() <= (b @ axis).min() + 1e-6 or (b @ axis).max() <= (a @ axis).min() + 1e-6:
            return False
    return True


def _share(given: Lot, surface: Ground, height: LinearNDInterpolator, asked: list[Any], place: Place) -> float:
    standing = Standing(given.bay, place, surface, given.vehicle)

    def z(places: np.ndarray) -> np.ndarray:
        return np.asarray(height(np.array([place.at(float(px), float(py)) for px, py in places])))

    design = np.column_stack([np.ones(4), standing.contacts])
    wheels = z(standing.contacts)
    plane = np.linalg.lstsq(design, wheels, rcond=None)[0]
    warp = np.abs(wheels - design @ plane).max()
    worst = 0.0
    for one in asked:
        spots = np.array([[t.x, t.y] for t in one.targets])
        raised = z(spots) - np.column_stack([np.ones(len(spots)), spots]) @ plane
        lattice = standing.lattice(one.targets[0])
        rows = np.column_stack([np.ones(len(lattice)), lattice])
        floor = z(lattice)
        fitted = np.linalg.lstsq(rows, floor, rcond=None)[0]
        shares = [abs(100 * p[1]) / one.along.plus for p in (plane, fitted)]
        shares += [abs(100 * p[2]) / one.across.plus for p in (plane, fitted)]
        shares += [warp / one.floor.warp, np.abs(raised).max() / one.floor.correction]
        shares.append(np.ptp(floor - rows @ fitted) / one.floor.flatness)
        worst = max(worst, *shares)
    return math.inf if math.isnan(worst) else worst


def parking_ratio() -> float:
    """Time ÷ the plain search's at the same resolution; infinite where the place found is worse than its."""
    given = lot()
    assert given.ground is not None
    assert given.ground.meshes
    begin = time.perf_counter()
    found = park(given, keep=1).best[0]
    between = time.perf_counter()
    share, turn = plain(given)
    end = time.perf_counter()
    assert found.share is not None
    worse = found.share > share + 1e-9 or (abs(found.share - share) <= 1e-9 and found.turn_deg > turn)
    print(f"  found {found.share:.6f} at {found.turn_deg:g}°, plain {share:.6f} at {turn:g}°, {end - between:.1f} s")
    return math.inf if worse else (between - begin) / (end - between)
