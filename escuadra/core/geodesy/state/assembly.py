"""From what was read and what is wanted to equations: every name found, or refused with the field that holds it."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from escuadra.core.base.corners import REAR, aside
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.geodesy.state import input as given_as
from escuadra.core.geodesy.state.equations import (
    Bearings,
    Crossings,
    Distances,
    Offsets,
    Projections,
    Returns,
    Rulers,
    Scene,
    Slants,
    Sums,
    System,
    Tilts,
    Weighted,
)
from escuadra.core.geodesy.state.input import StateInput
from escuadra.core.geodesy.state.unknowns import ONE_DEGREE, Indices, Unknowns, Vector, unknowns_of

WRAPPED = ("yaw", "thrust", "heading", "toe")
QUARTER, HALF = np.pi / 2, np.pi
AXES = {"x": 0, "y": 1, "z": 2}


@dataclass
class _Rows:
    """The equations of some rows, sort by sort, before their arrays are made."""

    distances: list[tuple[int, int, int, bool]] = field(default_factory=list)
    along_axes: list[tuple[int, Sequence[Weighted], int]] = field(default_factory=list)
    along_lines: list[tuple[int, Sequence[Weighted], int]] = field(default_factory=list)
    tilts: list[tuple[int, int, bool, bool]] = field(default_factory=list)
    crossings: list[tuple[int, str, int, int, int]] = field(default_factory=list)
    rulers: list[tuple[int, str, int, int, int]] = field(default_factory=list)
    slants: list[tuple[int, Sequence[Weighted], float, int]] = field(default_factory=list)
    returns: list[tuple[int, float, int]] = field(default_factory=list)
    offsets: list[tuple[int, int, int, int]] = field(default_factory=list)
    bearings: list[tuple[int, float, int]] = field(default_factory=list)
    sums: list[tuple[int, int, float]] = field(default_factory=list)

    def system(self, scene: Scene, count: int) -> System:
        made = (
            (self.distances, lambda: Distances(scene, self.distances)),
            (self.along_axes, lambda: Projections(scene, self.along_axes, axes=True)),
            (self.along_lines, lambda: Projections(scene, self.along_lines, axes=False)),
            (self.tilts, lambda: Tilts(scene, self.tilts)),
            (self.crossings, lambda: Crossings(scene, self.crossings)),
            (self.rulers, lambda: Rulers(scene, self.rulers)),
            (self.slants, lambda: Slants(scene, self.slants)),
            (self.returns, lambda: Returns(scene, self.returns)),
            (self.offsets, lambda: Offsets(scene, self.offsets)),
            (self.bearings, lambda: Bearings(scene, self.bearings)),
        )
        return System.of_sorts(scene, count, [make() for rows, make in made if rows], Sums(scene, self.sums))


@dataclass(frozen=True)
class Assembled:
    """The equations of a state: what was read, and what is wanted."""

    given: StateInput
    unknowns: Unknowns
    ids: tuple[str, ...]
    """Observations, then pseudo-observations."""
    read: System
    wanted: System
    value: Vector
    u: Vector
    wrapped: Vector
    """True where a difference of readings is taken the short way round."""
    factors: Vector
    """Rows × instruments."""
    tools: Indices
    """Instruments × 2: the indices of offset and scale."""


class _Assembly:
    """Finds every name, and files each equation with its sort."""

    def __init__(self, given: StateInput, unknowns: Unknowns) -> None:
        self.given, self.unknowns = given, unknowns
        self.scene = Scene(self.unknowns)
        self.named = {name: ("", name) for name in self.unknowns.points}
        self.named |= {f"{body}:{point}": (body, point) for body, point in self.unknowns.own}
        self.mountings = dict(given.mountings)
        self.floors: dict[str, list[int]] = {}
        floors = dict(given.floors)
        for name in floors:
            under, lowest = [name], floors[name].on
            while lowest is not None:
                if lowest not in floors:
                    raise BadInput("on", lowest, said("wants.under_floor_given", under=under[-1]))
                if lowest in under:
                    raise BadInput("on", lowest, said("wants.floors_do_not_lie_each"))
                under.append(lowest)
                lowest = floors[lowest].on
            self.floors[name] = [self.unknowns.floors[each] for each in under]
        for name, mounting in given.mountings:
            if mounting.wheel not in self.unknowns.headings and mounting.wheel not in self.named:
                raise BadInput("wheel", mounting.wheel, said("wants.mounting_wheel_given", name=name))

    def place(self, item: Any, field: str, name: str) -> int:
        if name not in self.named:
            raise BadInput(field, name, said("wants.point_or_body_point_given", id=item.id))
        return self.scene.place(*self.named[name])

    def mean(self, item: Any, field: str, names: Sequence[str], factor: float = 1.0) -> list[Weighted]:
        return [(self.place(item, field, name), factor / len(names)) for name in names]

    def body(self, item: Any, name: str, field: str = "body") -> int:
        if name not in self.unknowns.bodies:
            raise BadInput(field, name, said("wants.body_given", id=item.id))
        return self.scene.body[name]

    def origin(self, item: Any, name: str, field: str = "body") -> int:
        self.body(item, name, field)
        return self.scene.place(name, "")

    def yaw(self, item: Any, name: str) -> int:
        self.body(item, name)
        return self.unknowns.bodies[name] + 3

    def thrust(self, item: Any, factor: float = 1.0) -> list[Weighted]:
        if self.unknowns.thrust is not None:
            return [(self.unknowns.thrust, factor)]
        if not {*REAR} <= self.unknowns.headings.keys():
            raise BadInput("thrust", "", said("wants.thrust_line_or_headings_lr", id=item.id))
        return [(self.unknowns.headings[wheel], factor / 2) for wheel in REAR]

    def heading(self, item: Any) -> list[Weighted]:
        if item.wheel not in self.unknowns.headings:
            raise BadInput("wheel", item.wheel, said("wants.wheel_among_headings", id=item.id))
        return [(self.unknowns.headings[item.wheel], 1.0)]

    def mounted(self, item: Any) -> list[Weighted]:
        """What the clamp adds to the heading."""
        if item.mounting is None:
            return []
        if item.mounting not in self.mountings or self.mountings[item.mounting].wheel != item.wheel:
            raise BadInput("mounting", item.mounting, said("wants.mounting", id=item.id, wheel=item.wheel))
        return [(self.unknowns.mountings[item.mounting], float(item.turn))]

    def line(self, item: Any, constant: float = 0.0) -> int:
        """The direction of a wanted quantity's line."""
        if item.direction == "marks":
            if item.marks is None:
                raise BadInput("marks", "", said("wants.two_points_or_two_lists", id=item.id))
            first, second = item.marks
            ways = self.mean(item, "marks", first, -1.0) + self.mean(item, "marks", second)
            return self.scene.add_direction(constant, bearing=ways)
        return self.scene.add_direction(constant, self.thrust(item) if item.direction == "thrust" else ())

    def under(self, item: Any) -> list[int]:
        if item.floor is None:
            return []
        if item.floor not in self.floors:
            raise BadInput("floor", item.floor, said("wants.floor_given", id=item.id))
        return self.floors[item.floor]

    def height(self, rows: _Rows, row: int, item: Any) -> None:
        rows.along_axes.append((row, [(self.place(item, "point", item.point), 1.0)], 2))
        rows.sums += [(row, index, -1.0) for index in self.under(item)]

    def tilt(self, rows: _Rows, row: int, item: Any) -> None:
        felt = getattr(item, "to", None) is None
        rows.tilts.append((row, self.body(item, item.body), item.type == "pitch", felt))

    def read(self, rows: _Rows, row: int, item: Any) -> None:
        """File one observation."""
        kind = item.type
        if kind in ("distance", "level_distance"):
            ends = self.place(item, "from", item.from_), self.place(item, "to", item.to)
            rows.distances.append((row, *ends, kind == "level_distance"))
        elif kind == "rise":
            apart = [(self.place(item, "to", item.to), 1.0), (self.place(item, "from", item.from_), -1.0)]
            rows.along_axes.append((row, apart, AXES["z"]))
        elif kind in AXES:
            rows.along_axes.append((row, [(self.place(item, "point", item.point), 1.0)], AXES[kind]))
        elif kind == "height":
            self.height(rows, row, item)
        elif kind == "yaw":
            rows.sums.append((row, self.yaw(item, item.body), 1 / ONE_DEGREE))
        elif kind in ("roll", "pitch"):
            self.tilt(rows, row, item)
        elif kind == "thrust":
            rows.sums += [(row, index, factor / ONE_DEGREE) for index, factor in self.thrust(item)]
        elif kind in ("perpendicular", "along"):
            way = [(self.place(item, "point", item.point), 1.0), (self.origin(item, item.body), -1.0)]
            turn = HALF if kind == "perpendicular" else QUARTER
            rows.along_lines.append((row, way, self.scene.add_direction(turn, [(self.yaw(item, item.body), 1.0)])))
        elif kind == "crossing":
            ends = self.place(item, "from", item.from_), self.place(item, "to", item.to)
            rows.crossings.append((row, item.id, *ends, self.body(item, item.body)))
        elif kind == "ruler":
            self.ruler(rows, row, item)
        elif kind == "panel":
            ends = self.place(item, "point", item.point), self.place(item, "wheel", item.wheel)
            body = item.body if item.body is not None else self.named[item.point][0]
            if not body:
                raise BadInput("body", "", said("wants.body_whose_beam_read", id=item.id))
            turn = self.scene.add_direction(0.0, [(self.yaw(item, body), 1.0)])
            rows.slants.append((row, [(ends[0], 1.0), (ends[1], -1.0)], 0.0, turn))
        elif kind == "scale_pair":
            psi = (self.yaw(item, item.body), -1.0)
            for distance, half in ((item.left_distance, -1.0), (item.right_distance, 1.0)):
                turn = self.scene.add_direction(half * item.half_toe_deg * ONE_DEGREE, [*self.thrust(item), psi])
                rows.returns.append((row, distance, turn))
        elif kind == "spot":
            psi = (self.yaw(item, item.body), -1.0)
            turn = self.scene.add_direction(0.0, [*self.heading(item), *self.mounted(item), psi])
            rows.returns.append((row, item.distance, turn))
        elif kind == "heading":
            figures = self.heading(item) + self.mounted(item)
            rows.sums += [(row, index, factor / ONE_DEGREE) for index, factor in figures]
        elif kind == "toe":
            turn_in = -aside(item.wheel) / ONE_DEGREE
            rows.sums += [(row, index, turn_in * factor) for index, factor in self.heading(item)]
        elif kind == "same":
            self.same(rows, row, item)
        elif kind == "own":
            self.own(rows, row, item)
        else:
            places = (self.place(item, f, n) for f, n in (("point", item.point), ("from", item.from_), ("to", item.to)))
            rows.offsets.append((row, *places))  # type: ignore[arg-type]

    def ruler(self, rows: _Rows, row: int, item: given_as.Ruler) -> None:
        wheel = self.place(item, "wheel", item.wheel)
        if item.toe_deg is not None:
            turn, figures = item.toe_deg * ONE_DEGREE, self.thrust(item)
        elif self.unknowns.headings:
            turn, figures = 0.0, self.heading(item)
        else:
            raise BadInput("toe_deg", "", said("wants.wheels_toe_or_wheels_headings", id=item.id))
        heading = self.scene.add_direction(turn, figures + self.mounted(item))
        rows.rulers.append((row, item.id, wheel, heading, self.body(item, item.body)))

    def same(self, rows: _Rows, row: int, item: given_as.Same) -> None:
        ends = []
        for name, body in (("from", item.from_), ("to", item.to)):
            origin = self.origin(item, body, name)
            if item.point is not None and (body, item.point) not in self.unknowns.own:
                raise BadInput("point", item.point, said("wants.point_both_bodies", id=item.id))
            ends.append(origin if item.point is None else self.scene.place(body, item.point))
        way = [(ends[1], 1.0), (ends[0], -1.0)]
        first, second = self.unknowns.bodies[item.from_], self.unknowns.bodies[item.to]
        if item.what == "up":
            rows.along_axes.append((row, way, 2))
        elif item.what in ("normal", "sideways"):
            turn = 0.0 if item.what == "normal" else QUARTER
            rows.along_lines.append((row, way, self.scene.add_direction(turn, [(first + 3, 1.0)])))
        else:
            angle = {"yaw": 3, "roll": 4, "pitch": 5}[item.what]
            rows.sums += [(row, second + angle, 1 / ONE_DEGREE), (row, first + angle, -1 / ONE_DEGREE)]

    def own(self, rows: _Rows, row: int, item: given_as.Own) -> None:
        if item.shape not in {name for name, _ in self.given.shapes}:
            raise BadInput("shape", item.shape, said("wants.shape_given", id=item.id))
        if (item.shape, item.point) not in self.unknowns.shapes:
            raise BadInput("point", item.point, said("wants.point_of_shape", id=item.id))
        rows.sums.append((row, self.unknowns.shapes[item.shape, item.point] + AXES[item.axis], 1.0))

    def want(self, rows: _Rows, row: int, item: Any) -> None:
        """File one wanted quantity."""
        if item.type == "height":
            self.height(rows, row, item)
        elif item.type in ("roll", "pitch"):
            self.tilt(rows, row, item)
        elif item.type == "heading":
            rows.sums += [(row, index, factor / ONE_DEGREE) for index, factor in self.heading(item)]
        elif item.type == "angle":
            rows.bearings.append((row, 1.0, self.line(item)))
        elif item.type == "yaw":
            rows.sums.append((row, self.yaw(item, item.body), 1 / ONE_DEGREE))
            rows.bearings.append((row, -1.0, self.line(item)))
        elif item.type == "at":
            # y of the line at x: the mean's y less (its x − x)·tan.
            rows.slants.append((row, self.mean(item, "through", item.through), item.x, self.line(item)))
        else:
            field, names, turn = (
                ("from", item.from_, 0.0) if item.type == "ahead" else ("through", item.through, QUARTER)
            )
            way = [(self.place(item, "point", item.point), 1.0), *self.mean(item, field, names, -1.0)]
            rows.along_lines.append((row, way, self.line(item, turn)))

    def factors(self, items: Sequence[Any], count: int) -> Vector:
        tools = {name: k for k, name in enumerate(self.unknowns.instruments)}
        found = np.zeros((count, len(tools)))
        for row, item in enumerate(items):
            for name, factor in item.instrument:
                if name not in tools:
                    raise BadInput("instrument", name, said("wants.instrument_given", id=item.id))
                found[row, tools[name]] = factor
        return found


def assembled(given: StateInput) -> Assembled:
    """The equations of a state; raises ``BadInput`` where a name is not known or something needed is not given."""
    work = _Assembly(given, unknowns_of(given))
    held = work.unknowns.held
    ids = (*(o.id for o in given.observations), *(h.id for h in held))
    _once(ids, given.observations)
    read, wanted = _Rows(), _Rows()
    _filed(work.read, read, given.observations)
    _filed(work.want, wanted, given.wanted)
    shared = enumerate(held, len(given.observations))
    read.sums += [(row, each.index, 1 / each.per_unit) for row, each in shared]
    work.scene.close()
    return Assembled(
        given=given,
        unknowns=work.unknowns,
        ids=ids,
        read=read.system(work.scene, len(ids)),
        wanted=wanted.system(work.scene, len(given.wanted)),
        value=np.array([*(o.value for o in given.observations), *(h.value for h in held)], dtype=float),
        u=np.array([*(o.u for o in given.observations), *(h.u for h in held)], dtype=float),
        wrapped=np.array([_short_way(o) for o in given.observations] + [False] * len(held), dtype=bool),
        factors=work.factors(given.observations, len(ids)),
        tools=np.array(list(work.unknowns.instruments.values()), dtype=np.intp)[:, None] + np.arange(2),
    )


def wanted_of(equations: Assembled, items: Sequence[Any]) -> System:
    """The equations of further wanted quantities over the same unknowns; raises ``BadInput`` for an unknown name."""
    work, rows = _Assembly(equations.given, equations.unknowns), _Rows()
    _filed(work.want, rows, items)
    work.scene.close()
    return rows.system(work.scene, len(items))


def read_of(equations: Assembled, items: Sequence[Any]) -> tuple[System, Vector]:
    """The equations of further readings over the same unknowns, and their factors (rows × instruments)."""
    work, rows = _Assembly(equations.given, equations.unknowns), _Rows()
    _filed(work.read, rows, items)
    work.scene.close()
    return rows.system(work.scene, len(items)), work.factors(items, len(items))


def _short_way(item: Any) -> bool:
    return item.type in WRAPPED or (item.type == "same" and item.what == "yaw")


def _filed(file: Callable[[_Rows, int, Any], None], rows: _Rows, items: Iterable[Any]) -> None:
    for row, item in enumerate(items):
        file(rows, row, item)


def _once(ids: tuple[str, ...], observations: Sequence[Any]) -> None:
    if len(set(ids)) < len(ids):
        shared = set(ids[len(observations) :])
        twice = next(name for name in ids if name in shared and ids.count(name) > 1)
        raise BadInput("observations", twice, said("wants.another_id_shared_observed_under"))
