"""A target on a stand of its own: which tapes find its place, and where it stands by those that were read.

Two controls cut the place best and a third checks it (``stakeout``); where both edges of the target are read, its
facing follows too. The tapes are held level. Adjusted as ``network``; vehicle axes, millimetres and degrees.
"""

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from escuadra.core.adjustment import Adjustment, adjust
from escuadra.core.axes import turned
from escuadra.core.errors import BadInput
from escuadra.core.job.floor_marks import TAPE, control_name, controls_of
from escuadra.core.job.hung import EDGES
from escuadra.core.job.places import Plan
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Slot, measured_by_tool
from escuadra.core.job.state import Entry
from escuadra.core.network import NetworkResult, result_of
from escuadra.core.observations import NetworkInput
from escuadra.core.procedure import TargetPlace
from escuadra.core.quantities import Quantity
from escuadra.core.said import Noun, said
from escuadra.core.stakeout import StakedMark, StakeoutInput, StakePoint, stakeout

STAND = frozenset({"stand", "hubs", "line"})
U_LEVEL_MM = 12.0
"""How far from level the ends of a tape are held, one sigma."""
U_WIDTH_MM = 0.5


def points_of(plan: Plan) -> dict[str, float]:
    """What of the target is taped: each part's distance left of its centre, as one looks at its face."""
    assert plan.station is not None
    reference, half = plan.station.reference, plan.target.width / 2
    if reference == "both_edges":
        return {part: side * half for part, side in EDGES.items()}
    return {reference: EDGES.get(reference, 0.0) * half}


def part_name(part: str) -> Noun:
    """A part of a target: its middle, an edge."""
    return Noun(f"part.{part}")


@dataclass(frozen=True)
class Staking:
    """Where a stand's target must be, and how each part of it is found."""

    centre: tuple[float, float]
    facing_deg: float
    found: dict[str, StakedMark]
    controls: dict[str, tuple[float, float, float]]
    """Of each control: x, y and u."""


def staking(setup: Setup) -> Staking | None:
    """The way to place the station's stand; nothing while no line is known, or from where no two tapes cut."""
    return setup.once("staking", lambda: _staking(setup))


def _staking(setup: Setup) -> Staking | None:
    solved = setup.lines
    if solved is None or solved.line is None:
        return None
    angle = solved.derived("line_angle").value
    place = setup.plan.target_place
    dx, dy = turned(angle, 0.0, place.y)
    centre = (place.x + dx, solved.line_at(place.x).value + dy)
    facing = place.facing_deg + angle
    controls = controls_of(setup)
    try:
        marks = {
            part: stakeout(StakeoutInput(controls=controls, points=[_point(centre, facing, left)], tape=TAPE)).marks[0]
            for part, left in points_of(setup.plan).items()
        }
    except BadInput:
        return None
    return Staking(centre, facing, marks, {name: (c.x, c.y, c.u) for name, c in controls.items()})


def on_face(centre: tuple[float, float], facing_deg: float, left: float) -> tuple[float, float]:
    """A point beside a target's centre: to the left as one looks at its face."""
    dx, dy = turned(facing_deg + 180.0, 0.0, left)
    return centre[0] + dx, centre[1] + dy


def _point(centre: tuple[float, float], facing_deg: float, left: float) -> StakePoint:
    x, y = on_face(centre, facing_deg, left)
    return StakePoint(id="mark", x=x, y=y)


def tape_id(plan: Plan, part: str, control: str) -> str:
    """A slot of a stand's tape."""
    assert plan.station is not None
    return f"stand.{plan.station.id}.{part}.{control.replace('.', '_')}"


def stand_slots(setup: Setup) -> list[Slot]:
    """The tapes that find the stand's target: the best two and their check, then further ones that may be read."""
    way, plan = staking(setup), setup.plan
    if way is None:
        return []
    needed: list[Slot] = []
    further: list[Slot] = []
    for part, left in points_of(plan).items():
        mark = way.found[part]
        x, y = on_face(way.centre, way.facing_deg, left)
        asked = [*mark.pair, *([mark.check] if mark.check and len(way.found) == 1 else [])]
        for name, (cx, cy, _) in way.controls.items():
            length = math.hypot(x - cx, y - cy)
            if length < 200:
                continue
            slot = Slot(
                id=tape_id(plan, part, name),
                label=said("staked.to", name=control_name(name), part=part_name(part)),
                quantity=Quantity(dimension="length", unit="mm", low=0.5 * length, high=1.5 * length),
                aspects=STAND,
                reads="tape",
                optional=name not in asked,
                hint=said("staked.tape_held_level_plumb_line"),
            )
            (needed if name in asked else further).append(slot)
    return [*needed, *further]


@dataclass(frozen=True)
class Stood:
    """Where a stand's target is by its tapes, against where it must be."""

    result: NetworkResult
    forward: float
    left: float
    u_forward: float
    u_left: float
    turned: float | None
    """Of its face to the left, degrees; nothing where its edges were not read."""
    u_turned: float

    @property
    def trusted(self) -> bool:
        """The tapes agree."""
        return self.result.passes and not self.result.suspects


def stood(setup: Setup, entries: dict[str, Sequence[Entry]] | None = None) -> Stood | None:
    """Where the stand is; nothing while its tapes do not say. ``entries``: other than the current ones."""
    way = staking(setup)
    if way is None:
        return None
    parts, observations, instruments = points_of(setup.plan), [], {}
    points: dict[str, dict[str, Any]] = {}
    for part, left in parts.items():
        x, y = on_face(way.centre, way.facing_deg, left)
        points[part] = {"x": x, "y": y, "fixed": False}
    for slot in stand_slots(setup):
        _, _, part, control = slot.id.split(".")
        name = control.replace("_", ".")
        kept = entries.get(slot.id, ()) if entries is not None else setup.current(slot)
        for run in setup.by_runs(kept):
            for read in measured_by_tool(run, 0.0, U_LEVEL_MM):
                figures = read.figures
                instruments[read.tool] = {"u_offset": figures.u_offset, "u_scale": figures.u_scale}
                if name not in points:
                    cx, cy, u = way.controls[name]
                    points[name] = {"x": cx, "y": cy, "fixed": False}
                    for axis, value in (("x", cx), ("y", cy)):
                        known = {"id": f"{control}.{axis}", "type": axis, "point": name, "value": value, "u": u}
                        observations.append(known)
                observations.append(
                    {"id": f"{slot.id}~{read.tool}~{read.seq}", "type": "distance", "from": name, "to": part}
                    | {"value": read.value, "u": figures.u_random, "instrument": read.tool}
                )
    if len(parts) == 2:
        width = {"id": "width", "type": "distance", "from": "left_edge", "to": "right_edge"}
        observations.append({**width, "value": setup.plan.target.width, "u": U_WIDTH_MM})
    given = json.dumps({"points": points, "observations": observations, "instruments": instruments})
    solved = _solved(given)
    return None if solved is None else _against(solved, way, parts, setup.plan.target_place)


@lru_cache(maxsize=128)
def _solved(given: str) -> tuple[NetworkInput, Adjustment] | None:
    network = NetworkInput.read(json.loads(given))
    try:
        return network, adjust(network)
    except BadInput:
        return None


def _against(
    solved: tuple[NetworkInput, Adjustment], way: Staking, parts: dict[str, float], place: TargetPlace
) -> Stood:
    given, solution = solved
    at, values = solution.unknowns.column, solution.unknowns.values

    def form(weights: dict[tuple[str, str], float]) -> tuple[float, float]:
        gradient = np.zeros(len(values))
        for (part, axis), weight in weights.items():
            gradient[at[part, axis]] += weight
        return float(gradient @ values), solution.spread(gradient)

    angle = way.facing_deg - place.facing_deg
    centre_of = {part: 1 / len(parts) for part in parts}
    shift = math.fsum(parts.values()) / len(parts)
    wanted = on_face(way.centre, way.facing_deg, shift)
    forward, to_left = turned(angle, 1.0, 0.0), turned(angle, 0.0, 1.0)
    off = []
    for ex, ey in (forward, to_left):
        weights = {(p, "x"): ex * share for p, share in centre_of.items()}
        weights |= {(p, "y"): ey * share for p, share in centre_of.items()}
        value, u = form(weights)
        off.append((value - ex * wanted[0] - ey * wanted[1], u))
    face, u_face = None, 0.0
    if len(parts) == 2:
        # Along the face from its right edge to its left one; what stands square to it turns it.
        ax, ay = turned(way.facing_deg + 180.0, 1.0, 0.0)
        span = sum(abs(v) for v in parts.values())
        weights = {("left_edge", "x"): ax, ("left_edge", "y"): ay, ("right_edge", "x"): -ax, ("right_edge", "y"): -ay}
        value, u = form(weights)
        face, u_face = -math.degrees(value / span), math.degrees(u / span)
    return Stood(result_of(given, solution), off[0][0], off[1][0], off[0][1], off[1][1], face, u_face)
