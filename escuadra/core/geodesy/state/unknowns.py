"""The figures that a state is made of, exact and unknown ones, and where each of them lies.

All figures stand in one array, in millimetres and radians; ``column`` says which of them are unknown. What is exact has
the column after the last, which is thrown away, so that no equation has to ask.
"""

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.geodesy.state.input import StateInput

Vector = NDArray[np.float64]
Indices = NDArray[np.intp]
ONE_DEGREE = math.radians(1.0)


@dataclass(frozen=True)
class Held:
    """A pseudo-observation: what is known beforehand of a shared unknown, in the unit of its u."""

    id: str
    index: int
    value: float
    u: float
    per_unit: float
    """The unknown, in its own unit, per unit of the value: 1, or a degree in radians."""


@dataclass
class Unknowns:
    """First guesses, which of them are unknown, and the index at which the figures of each thing begin."""

    points: dict[str, int] = field(default_factory=dict)
    """x, y, z."""
    bodies: dict[str, int] = field(default_factory=dict)
    """x, y, z, yaw, roll, pitch."""
    own: dict[tuple[str, str], int] = field(default_factory=dict)
    """(body, point): the point's x, y, z in the body's axes; those of its origin stand first of all, at 0."""
    shapes: dict[tuple[str, str], int] = field(default_factory=dict)
    headings: dict[str, int] = field(default_factory=dict)
    mountings: dict[str, int] = field(default_factory=dict)
    floors: dict[str, int] = field(default_factory=dict)
    instruments: dict[str, int] = field(default_factory=dict)
    """offset, scale."""
    gravity: int | None = None
    """roll, pitch."""
    thrust: int | None = None
    held: list[Held] = field(default_factory=list)
    start: Vector = field(default_factory=lambda: np.zeros(0))
    column: Indices = field(default_factory=lambda: np.zeros(0, dtype=np.intp))
    """Index of a figure: its column among the unknowns; the number of unknowns where it is exact."""
    free: Indices = field(default_factory=lambda: np.zeros(0, dtype=np.intp))
    """Column: index of its figure."""
    owners: list[tuple[int, str]] = field(default_factory=list)
    """Column: (rank, name) of what is blamed where it is loose: points before bodies before directions."""


POINT, BODY, HEADING, THRUST, SHARED = range(5)


def unknowns_of(given: StateInput) -> Unknowns:
    """Lay out the figures of a state; raises ``BadInput`` where a body's shape is not there."""
    found, start, loose = Unknowns(), list[float](), list[tuple[int, str] | None]()

    def add(values: list[float], owner: tuple[int, str], exact: tuple[bool, ...] = ()) -> int:
        first = len(start)
        start.extend(values)
        loose.extend(None if k < len(exact) and exact[k] else owner for k in range(len(values)))
        return first

    def hold(name: str, value: float, u: float, per_unit: float = 1.0) -> int:
        if u > 0:
            found.held.append(Held(name, len(start), value, u, per_unit))
        return add([value * per_unit], (SHARED, name), (u == 0,))

    add([0.0, 0.0, 0.0], (SHARED, ""), (True, True, True))
    for name, point in given.points:
        exact = tuple(axis in point.fixed for axis in "xyz")
        found.points[name] = add([point.x, point.y, point.z], (POINT, name), exact)
    for name, body in given.bodies:
        angles = [body.yaw_deg, body.roll_deg, body.pitch_deg]
        exact = tuple(axis in body.fixed for axis in ("x", "y", "z", "yaw_deg", "roll_deg", "pitch_deg"))
        pose = [body.x, body.y, body.z, *(angle * ONE_DEGREE for angle in angles)]
        found.bodies[name] = add(pose, (BODY, name), exact)
        for own, place in body.points or ():
            found.own[name, own] = add(list(place), (SHARED, name), (True, True, True))
    for wheel, heading in given.headings:
        found.headings[wheel] = add([heading.angle_deg * ONE_DEGREE], (HEADING, wheel))
    if given.thrust:
        found.thrust = add([given.thrust.angle_deg * ONE_DEGREE], (THRUST, "thrust"))
    for name, tool in given.instruments:
        found.instruments[name] = hold(f"{name}.offset", 0.0, tool.u_offset)
        hold(f"{name}.scale", 0.0, tool.u_scale)
    for name, floor in given.floors:
        found.floors[name] = hold(f"{name}.floor", floor.height, floor.u)
    if given.gravity:
        tilt = given.gravity
        found.gravity = hold("gravity.roll_deg", tilt.roll_deg, tilt.u_deg, ONE_DEGREE)
        hold("gravity.pitch_deg", tilt.pitch_deg, tilt.u_deg, ONE_DEGREE)
    for name, mounting in given.mountings:
        found.mountings[name] = hold(f"{name}.mounting", 0.0, mounting.u_deg, ONE_DEGREE)
    for name, shape in given.shapes:
        spread = dict(shape.u)
        for own, place in shape.points:
            found.shapes[name, own] = len(start)
            for axis, value, u in zip("xyz", place, spread.get(own, (0.0, 0.0, 0.0)), strict=True):
                hold(f"{name}.{own}.{axis}", value, u)
    shapes = dict(given.shapes)
    for name, body in given.bodies:
        if body.shape is not None:
            if body.shape not in shapes:
                raise BadInput("shape", body.shape, said("wants.shape_given_2"))
            found.own.update({(name, point): found.shapes[body.shape, point] for point, _ in shapes[body.shape].points})
    found.start = np.array(start, dtype=float)
    found.free = np.array([k for k, owner in enumerate(loose) if owner is not None], dtype=np.intp)
    found.owners = [owner for owner in loose if owner is not None]
    found.column = np.full(len(start), len(found.free), dtype=np.intp)
    found.column[found.free] = np.arange(len(found.free))
    return found
