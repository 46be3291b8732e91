"""What is missing from a full vehicle, and which ballast, where, stands in for it.

Masses act at their places in vehicle axes; ballast should put back the same mass at the same moments, along and across,
so that the springs carry what they carry when the vehicle is full. Source: statics of a beam on two axles; the split
is a least-squares one with no negative mass (Lawson and Hanson), rounded to whole bags: it is
the plain one over the places that bear any, and of these there are few.
"""

import math
from collections.abc import Sequence
from itertools import combinations

import numpy as np
from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.said import Mass, exact, said

MOST_PLACES = 8
"""So many places for ballast have every choice among them tried."""
NEARER = 1e-9
"""What makes a difference, kg."""
TOTAL_FIRST = 300.0
"""So much more the total counts than the moments."""


class Weight(Frozen):
    """A mass at a place."""

    name: str
    kg: Number
    x: Number
    y: Number = 0.0


class BallastPlace(Frozen):
    """Where ballast may lie."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: str
    x: Number
    y: Number = 0.0
    most: Positive = Field(description="largest mass there, kg")


class Carried(Frozen):
    """What a set of masses does: in all, on the front axle, and to the left."""

    kg: float
    front: float = Field(description="on the front axle, kg; the rest on the rear")
    left: float = Field(description="kg on the left wheels less half of all, for the given track")


def carried(weights: Sequence[Weight], wheelbase: float, track: float) -> Carried:
    """Total and axle shares; raises ``BadInput`` for a wheelbase or track that is not positive."""
    if wheelbase <= 0 or track <= 0:
        raise BadInput("wheelbase" if wheelbase <= 0 else "track", min(wheelbase, track), said("wants.more_than_0_mm"))
    return Carried(
        kg=math.fsum(w.kg for w in weights),
        front=math.fsum(w.kg * w.x / wheelbase for w in weights),
        left=math.fsum(w.kg * w.y / track for w in weights),
    )


def ballast(
    missing: Sequence[Weight], places: Sequence[BallastPlace], wheelbase: float, track: float, bag: float = 1.0
) -> list[Weight]:
    """The ballast for what is missing, in whole bags, places without any left out; the total comes first.

    A place's limit is kept; what does not fit goes to the others. Raises ``BadInput`` where there is no place, or where
    all places together cannot take it.
    """
    wanted = carried(missing, wheelbase, track)
    if wanted.kg <= bag / 2:
        return []
    if wanted.kg > math.fsum(p.most for p in places) + bag / 2:
        room = math.fsum(p.most for p in places)
        raise BadInput(
            "ballast",
            said("ballast.text", kg=Mass(wanted.kg, 1)),
            said("wants.most_places_sheet_allows", room=exact(Mass, room)),
        )
    rows = [[TOTAL_FIRST, p.x / wheelbase, p.y / track] for p in places]
    goal = [TOTAL_FIRST * wanted.kg, wanted.front, wanted.left]
    full: dict[int, float] = {}
    while True:
        free = [k for k in range(len(places)) if k not in full]
        left = [g - math.fsum(rows[k][j] * kg for k, kg in full.items()) for j, g in enumerate(goal)]
        found = _no_less_than_nothing([rows[k] for k in free], left)
        over = [k for k, kg in zip(free, found, strict=True) if kg > places[k].most]
        if not over:
            break
        full |= {k: places[k].most for k in over}
    masses = full | {k: float(kg) for k, kg in zip(free, found, strict=True)}
    bags = _whole([masses[k] / bag for k in range(len(places))], [p.most / bag for p in places])
    return [Weight(name=p.name, kg=n * bag, x=p.x, y=p.y) for p, n in zip(places, bags, strict=True) if n]


def _no_less_than_nothing(rows: Sequence[Sequence[float]], goal: Sequence[float]) -> list[float]:
    """A mass for each of the rows, none negative, whose sum comes nearest to the goal."""
    best, least = [0.0] * len(rows), math.hypot(*goal)
    for count in range(1, len(rows) + 1):
        for some in combinations(range(len(rows)), count):
            matrix = np.array([rows[k] for k in some]).T
            found = np.linalg.lstsq(matrix, np.array(goal), rcond=None)[0]
            off = float(np.linalg.norm(matrix @ found - goal))
            if found.min() >= 0 and off < least - NEARER:
                least = off
                best = [float(found[some.index(k)]) if k in some else 0.0 for k in range(len(rows))]
    return best


def _whole(amounts: Sequence[float], most: Sequence[float]) -> list[int]:
    """Amounts as whole numbers of the same total: the largest remainders are rounded up, no place beyond its limit."""
    total = round(math.fsum(amounts))
    down = [math.floor(a + 1e-9) for a in amounts]
    for k in sorted(range(len(amounts)), key=lambda k: down[k] - amounts[k])[: max(0, total - sum(down))]:
        if down[k] + 1 <= most[k]:
            down[k] += 1
    return down
