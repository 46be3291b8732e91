"""A solved epoch: distance, offset and squareness to either line, each with its uncertainty.

Everything is asked of the state's solution (``state``); axes of ISO 8855, in plan.
"""

import math
from collections.abc import Callable, Hashable, Iterator
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.corners import CORNERS, FRONT, REAR, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Text, said
from escuadra.core.geodesy.state.input import (
    Distance,
    StateInput,
    WantedAhead,
    WantedAngle,
    WantedAt,
    WantedBeside,
    WantedHeight,
    WantedTilt,
    WantedYaw,
)
from escuadra.core.geodesy.state.located import Derived, Located
from escuadra.core.geodesy.state.reach import Reaching, Slip
from escuadra.core.geodesy.state.unknowns import Indices
from escuadra.core.measure.budget import Contribution, shares
from escuadra.core.procedure.sheet import LineChoice
from escuadra.core.visit.plan import ENDS, Plan, tape_slot
from escuadra.core.visit.solution.network_builder import DATUM, MIDDLE, ORIGIN, SENSOR, TARGET, Act, Entered
from escuadra.core.visit.solution.observed import ObservationId, as_part

ONE_DEGREE = math.pi / 180
Solving = Callable[[StateInput], Located | None]
"""How a state is solved: nothing where it cannot be. Whoever gives it may remember."""
OTHER_END = 4
"""So many times nearer to what another end would show, a tape was held there."""
BUMP_MM, BUMP_DEG = 3.0, 0.12
"""A nudge that nobody would see and that matters at the target."""


class EpochSolution:
    """A solved epoch: the state and what follows from it for either line."""

    def __init__(self, plan: Plan, located: Located, entered: Entered, body: str, epoch: int) -> None:
        self.plan, self.located, self.body, self.epoch = plan, located, body, epoch
        self.entered, self.sources = entered, entered.sources
        self._known: dict[Hashable, Any] = {}
        self._points = frozenset(name for name, _ in located.given.points)

    # --- readings

    @cached_property
    def observations(self) -> tuple[ObservationId, ...]:
        """What was read, in the order of the state's observations."""
        return tuple(self.sources[o.id] for o in self.located.given.observations)

    def named(self, id: ObservationId) -> str:
        """An observation's name in the state."""
        return next(name for name, known in self.sources.items() if known == id)

    def without(self, id: ObservationId, found: Derived) -> Derived | None:
        """A quantity as it would be without a reading; nothing where it hangs on that one."""
        return self.located.without([self.named(id)], found)[0]

    @property
    def trusted(self) -> bool:
        """Readings agree."""
        return self.located.trusted

    @cached_property
    def suspects(self) -> tuple[ObservationId, ...]:
        """What is to blame where they do not, as far as that can be told."""
        return tuple(self.sources[name] for name in self.located.solution.suspects)

    @property
    def tests(self) -> Iterator[tuple[ObservationId, float | None]]:
        """Every observation with its test; none where no other checks it."""
        return ((self.sources[one.id], one.w) for one in self.located.solution.observations)

    @property
    def hubs_to_loosen(self) -> list[tuple[Corner, ...]]:
        """Hubs that may stand elsewhere than in the model, fewer before more, the least likely placed first."""
        worst: dict[Corner, float] = dict.fromkeys(CORNERS, 0.0)
        for id, w in self.tests:
            if w is not None and id.source in ("hub_x", "hub_y"):
                corner: Corner = id.place  # type: ignore[assignment]
                worst[corner] = max(worst[corner], abs(w))
        order = sorted(CORNERS, key=lambda corner: -worst[corner])
        return [*((corner,) for corner in order), REAR, FRONT]

    def held_wrong(self, id: ObservationId) -> bool:
        """A tape shows about what it would at the other end of a beam that stands where it should."""
        if id.source != "tape":
            return False
        read = next(o for o in self.located.given.observations if self.sources[o.id] == id)
        assert isinstance(read, Distance)
        (x, y, _), goal = self.located.point(read.from_), self.plan.nominal_goal
        there = {one: turned(goal.yaw_deg, *self.plan.frame_points[one]) for one in ENDS}
        off = {one: abs(read.value - math.hypot(goal.x + bx - x, goal.y + by - y)) for one, (bx, by) in there.items()}
        own = off.pop(next(end for end in ENDS if tape_slot(read.from_, end, self.plan).id == id.place))
        return min(off.values()) < own / OTHER_END

    def budget(self, found: Derived) -> list[Contribution]:
        """Where a quantity's uncertainty comes from."""
        parts, nth = self._parts
        effects = self.located.effects(found.gradient) ** 2
        beside = [(what, share * float(effects[row])) for what, share, row in self._beside]
        for (_, variance), (_, _, row) in zip(beside, self._beside, strict=True):
            effects[row] -= variance
        own = zip(parts, np.bincount(nth, np.maximum(effects, 0.0)), strict=True)
        return shares((part, math.sqrt(variance)) for part, variance in (*own, *beside))

    @cached_property
    def _beside(self) -> list[tuple[Text, float, int]]:
        """What else makes an observation uncertain, its share of the variance, and that observation's row."""
        rows = {name: row for row, name in enumerate(self.located.ids)}
        kept = ((name, parts) for name, parts in self.entered.beside.items() if name in rows)
        return [(what, share, rows[name]) for name, parts in kept for what, share in parts]

    @cached_property
    def _parts(self) -> tuple[tuple[Text, ...], Indices]:
        """Sources of uncertainty, and which of them each observation is of."""
        called = self.entered.called
        ids = (self.sources[name] for name in self.located.ids)
        said = [as_part(replace(id, instrument=called.get(id.instrument, id.instrument))) for id in ids]
        parts = tuple(dict.fromkeys(said))
        nth = {part: k for k, part in enumerate(parts)}
        return parts, np.array([nth[part] for part in said])

    @cached_property
    def acts(self) -> tuple[Act, ...]:
        """What was read, as what a person may have got wrong."""
        known = frozenset(self.located.ids)
        return tuple(act for act in self.entered.acts if any(name in known for name, _ in act.effect))

    @cached_property
    def reaching(self) -> Reaching:
        """How far a mistake in each of the acts reaches."""
        known = frozenset(self.located.ids)
        return Reaching(
            self.located,
            [
                Slip(tuple(one for one in act.effect if one[0] in known), act.looks, act.u_look, act.cap)
                for act in self.acts
            ],
        )

    # --- the lines

    @property
    def line(self) -> LineChoice | None:
        """The line in use: as prescribed, the body's where the thrust line is not known; none while neither is."""
        known = self.known
        wanted = self.plan.procedure.line
        if wanted in known:
            return wanted
        return next((line for line in ("thrust", "body", "axis") if line in known), None)

    @cached_property
    def placed(self) -> bool:
        """The readings tell where the frame stands and how it is turned."""
        return None not in self.located.asked(self._usual["pose", ""])

    def tells(self, what: str) -> bool:
        """The readings tell distance, offset, square or line_angle, for the line in use."""
        line = self.line
        return line is not None and what in self._once(line, lambda: self._asked(line))

    @property
    def tells_line(self) -> bool:
        """The readings tell the line in use."""
        if self.line is None:
            return False
        angle, *_ = self._usual["line", self.line]
        return None not in self.located.asked((angle, *self._usual["at", self.line]))

    @cached_property
    def known(self) -> frozenset[LineChoice]:
        """The lines that something was read of in this solution."""
        found: set[LineChoice] = set()
        if self.located.given.thrust is not None:
            found.add("thrust")
        if self.marks is not None:
            found.add("body")
        if any(id.kind.of_axles for id in self.observations):
            found.add("axis")
        return frozenset(found)

    @cached_property
    def marks(self) -> str | None:
        """What the body's middle is known by, at both ends: centre marks, else emblems."""
        return next((what for what in ("mark", "emblem") if self.knows(f"{what}.front")), None)

    @cached_property
    def _usual(self) -> dict[tuple[str, str], tuple[Any, ...]]:
        """What a sheet asks of every solution, asked at once: it is quicker so, and is kept with the solution."""
        found: dict[tuple[str, str], tuple[Any, ...]] = {}
        if self.body:
            middle = f"{self.body}:{MIDDLE}"
            found["pose", ""] = (
                WantedYaw(id="yaw", type="yaw", body=self.body, to="axis"),
                WantedAhead(id="x", type="ahead", point=middle, from_=(ORIGIN,), line="axis"),
                WantedBeside(id="y", type="beside", point=middle, through=(ORIGIN,), line="axis"),
            )
            found["upright", ""] = self._upright
        if self.knows("mark.front"):
            found["front", ""] = (self._side("mark.front"),)
        plan = self.plan
        stations = (0.0, plan.vehicle.wheelbase, plan.target_x)
        for line in sorted(self.known):
            way, through = self._way(line)
            found["line", line] = self._of_line(line)
            found["at", line] = tuple(WantedAt(id="at", type="at", through=through, x=x, **way) for x in stations)
        self.located.asked([item for items in found.values() for item in items])
        return found

    def _of_line(self, line: LineChoice) -> tuple[Any, ...]:
        """The line's direction, and where frame and target stand to it."""
        way, through = self._way(line)
        angle = WantedAngle(id="line_angle", type="angle", **way)
        if not self.body:
            return (angle,)
        target, (datum, _, _) = f"{self.body}:{TARGET}", self._datum
        turn = {key: value for key, value in way.items() if key != "line"}
        return (
            angle,
            WantedYaw(id="square", type="yaw", body=self.body, to=way["line"], **turn),
            WantedBeside(id="offset", type="beside", point=target, through=self._counts_from or through, **way),
            WantedAhead(id="distance", type="ahead", point=target, from_=datum, **way),
        )

    def _way(self, line: LineChoice) -> tuple[dict[str, Any], tuple[str, ...]]:
        """A line's direction, as ``state`` takes it, and the points whose mean it passes."""
        if line == "thrust":
            return {"line": "thrust"}, REAR
        if line == "body":
            rear, front = (f"{self.marks}.rear",), (f"{self.marks}.front",)
            return {"line": "marks", "marks": (rear, front)}, rear
        return {"line": "marks", "marks": (REAR, FRONT)}, REAR

    def _once(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """What follows from a solution is worked out once, as long as it is looked at."""
        if key not in self._known:
            self._known[key] = make()
        return self._known[key]

    def _chosen(self, line: LineChoice | None) -> LineChoice:
        chosen = line or self.line
        if chosen is None:
            raise BadInput("line", said("solved.no_line"), said("wants.line_found_first"))
        return chosen

    def asked(self, *wanted: Any) -> tuple[Derived, ...]:
        """Quantities of the state; raises ``BadInput`` for what its readings do not tell."""
        found = self.located.asked(wanted)
        for item, told in zip(wanted, found, strict=True):
            if told is None:
                raise BadInput("wanted", item.id, said("wants.line_found_first"))
        return tuple(told for told in found if told is not None)

    def sum(self, value: float, *parts: tuple[float, Derived]) -> Derived:
        """A value and factors times quantities, what they share counted once."""
        return self.located.sum(value, *parts)

    def derived(self, what: str, line: LineChoice | None = None) -> Derived:
        """distance, offset from where the target must hang (mm), square or line_angle (degrees), each with its u."""
        chosen = self._chosen(line)
        known = self._once(chosen, lambda: self._asked(chosen))
        if what not in known:
            raise BadInput("wanted", what, said("wants.line_found_first"))
        found: Derived = known[what]
        return found

    def _asked(self, line: LineChoice) -> dict[str, Derived]:
        """All four at once, for a line; what the readings do not tell is left out."""
        (_, forward, left), plan = self._datum, self.plan
        wanted = self._usual["line", line] if line in self.known else self._of_line(line)
        told = zip((item.id for item in wanted), self.located.asked(wanted), strict=True)
        answers = {what: answer for what, answer in told if answer is not None}
        if "offset" in answers:
            answers["offset"] = self.sum(-plan.procedure.offset, (1.0, answers["offset"]))
        angle = answers.get("line_angle")
        if angle is None:
            # Along a line that itself is not told there is no distance either.
            answers.pop("distance", None)
        elif "distance" in answers:
            a = angle.value * ONE_DEGREE
            ahead = plan.behind_face + answers["distance"].value - forward * math.cos(a) - left * math.sin(a)
            slope = (forward * math.sin(a) - left * math.cos(a)) * ONE_DEGREE
            gradient = answers["distance"].gradient + slope * angle.gradient
            answers["distance"] = Derived(ahead, self.located.spread(gradient), gradient)
        return answers

    @cached_property
    def middle_beside(self) -> Derived:
        """The beam's middle left of what the target's place to the side counts from, mm."""
        way, through = self._way(self._chosen(None))
        middle, through = f"{self.body}:{MIDDLE}", self._counts_from or through
        return self.asked(WantedBeside(id="middle", type="beside", point=middle, through=through, **way))[0]

    @cached_property
    def _counts_from(self) -> tuple[str, ...]:
        """What the target's place to the side counts from, where that is not the line."""
        at = self.plan.procedure.offset_from
        if at == "line":
            return ()
        return (SENSOR,) if at == "sensor" else (at,)

    @cached_property
    def _datum(self) -> tuple[tuple[str, ...], float, float]:
        """Where the distance is counted from: the mean of points as they were found, and how far off that, mm."""
        procedure = self.plan.procedure
        if procedure.datum not in ("front_hubs", "rear_hubs"):
            proxy, straight = procedure.proxy, procedure.distance_by == "direct"
            return (DATUM,), proxy.forward if straight else 0.0, proxy.left if straight else 0.0
        end = procedure.datum[0].upper()
        sides = {"mean": ("L", "R"), "left": ("L",), "right": ("R",)}[procedure.datum_side]
        return tuple(f"{side}{end}" for side in sides), procedure.proxy.forward, procedure.proxy.left

    @cached_property
    def datum(self) -> tuple[float, float]:
        """Where the distance is counted from, as it was found."""
        names, forward, left = self._datum
        at = [self.located.point(name) for name in names]
        return sum(x for x, _, _ in at) / len(at) + forward, sum(y for _, y, _ in at) / len(at) + left

    def line_at(self, x: float, line: LineChoice | None = None) -> Derived:
        """Where a line passes at a station: y in vehicle axes."""
        way, through = self._way(self._chosen(line))
        wanted = WantedAt(id="at", type="at", through=through, x=x, **way)
        found: Derived = self._once(wanted, lambda: self.asked(wanted)[0])
        return found

    def apart_at(self, x: float, first: LineChoice = "thrust", second: LineChoice = "body") -> Derived:
        """How far the first line runs to the left of the second at a station."""
        return self.sum(0.0, (1.0, self.line_at(x, first)), (-1.0, self.line_at(x, second)))

    def stands(self, body: str, point: str) -> tuple[Derived, Derived, Derived] | None:
        """A body that is not the frame: its point ahead of the rear axle along the line in use and left of that, mm.

        And its yaw against that line, degrees; nothing where the readings do not tell them.
        """
        way, through = self._way(self._chosen(None))
        turn = {key: value for key, value in way.items() if key != "line"}
        found = self.located.asked(
            (
                WantedAhead(id="ahead", type="ahead", point=point, from_=REAR, **way),
                WantedBeside(id="left", type="beside", point=point, through=through, **way),
                WantedYaw(id="yaw", type="yaw", body=body, to=way["line"], **turn),
            )
        )
        ahead, left, yaw = found
        return None if ahead is None or left is None or yaw is None else (ahead, left, yaw)

    # --- places

    def ahead_of(self, first: str, second: str) -> Derived:
        """How far a point lies before another along the vehicle."""
        return self.asked(WantedAhead(id="x", type="ahead", point=first, from_=(second,), line="axis"))[0]

    def left_of(self, first: str, second: str) -> Derived:
        """How far a point lies to the left of another, square to the vehicle."""
        return self.asked(WantedBeside(id="y", type="beside", point=first, through=(second,), line="axis"))[0]

    def side_of(self, point: str) -> Derived:
        """A point's y in vehicle axes."""
        return self.asked(self._side(point))[0]

    def _side(self, point: str) -> WantedAt:
        return WantedAt(id="y", type="at", line="axis", through=(point,), x=0.0)

    def lean(self, way: str, to_tyres: bool) -> Derived | None:
        """The beam's roll or pitch against gravity or the tyres' plane, degrees; nothing where that is not told."""
        self.located.asked(self._upright)
        return self.located.asked((self._tilt(way, to_tyres),))[0]

    def _tilt(self, way: str, to_tyres: bool) -> WantedTilt:
        return WantedTilt(id=way, type=way, body=self.body, to="axis" if to_tyres else None)

    def height(self, above_floor: bool) -> Derived | None:
        """The target's centre above the floor below it or above the tyres' plane, mm; nothing where it is not told."""
        return self.located.asked((self._height(above_floor),))[0]

    def _height(self, above_floor: bool) -> WantedHeight:
        floor, point = "target" if above_floor else None, f"{self.body}:{TARGET}"
        return WantedHeight(id="height", type="height", point=point, floor=floor)

    @cached_property
    def _upright(self) -> tuple[Any, ...]:
        """What is asked of how the frame stands, asked at once."""
        tyres = self.plan.procedure.level_to == "tyres"
        to = (tyres, not tyres) if self.plan.standing is not None else (tyres,)
        tilts = (self._tilt(way, each) for each in to for way in ("roll", "pitch"))
        return (*tilts, self._height(self.plan.procedure.height_from == "floor"))

    def knows(self, point: str) -> bool:
        """A point is part of the state."""
        return point in self._points

    def place(self, point: str) -> tuple[float, float]:
        """Where a point is in plan."""
        return self.located.point(point)[:2]

    @cached_property
    def yaw(self) -> Derived:
        """How the beam is turned against the vehicle's own axis, degrees."""
        return self.asked(WantedYaw(id="yaw", type="yaw", body=self.body, to="axis"))[0]

    @cached_property
    def pose(self) -> Pose:
        """Where the beam's centre stands in vehicle axes."""
        return self.located.pose(self.body)

    @cached_property
    def line_point(self) -> tuple[float, float]:
        """A point on the line in use."""
        _, through = self._way(self._chosen(None))
        at = [self.located.point(name) for name in through]
        return sum(x for x, _, _ in at) / len(at), sum(y for _, y, _ in at) / len(at)

    @cached_property
    def goal(self) -> Pose:
        """Where the beam's centre must stand for the line in use."""
        at = self.place(self._counts_from[0]) if self._counts_from else self.line_point
        return self.plan.goal(self.derived("line_angle").value, at, self.datum, self._carries)

    @cached_property
    def _carries(self) -> tuple[float, float]:
        """Where the target's centre is from the beam's middle as it leans: away from the vehicle and left, mm."""
        target, pose = f"{self.body}:{TARGET}", self.pose
        ahead = WantedAhead(id="x", type="ahead", point=target, from_=(ORIGIN,), line="axis")
        beside = WantedBeside(id="y", type="beside", point=target, through=(ORIGIN,), line="axis")
        x, y = map(float, self.located.shown((ahead, beside)))
        return turned(-pose.yaw_deg, x - pose.x, y - pose.y)

    def would_read(self, id: ObservationId, pose: Pose) -> float:
        """What a reading of this solution would show with the beam at a pose."""
        return self.located.would_read(str(id), self.body, pose)


def bump_watch(solution: EpochSolution) -> str:
    """Slot of the one tape of a solution that would notice a nudge of the frame best.

    Noticing power: the changes of the reading for a nudge along x, along y and in yaw together, over its own u.
    """
    power: dict[str, float] = {}
    nudges = [
        (solution.located.column(solution.body, part), nudge)
        for part, nudge in (("x", BUMP_MM), ("y", BUMP_MM), ("yaw", math.radians(BUMP_DEG)))
    ]
    for id in solution.observations:
        if id.source == "tape":
            row = solution.located.sensitivity(str(id))
            noticed = math.hypot(*(float(row[column]) * nudge for column, nudge in nudges))
            power[id.place] = max(power.get(id.place, 0.0), noticed)
    return max(power, key=lambda slot: power[slot], default="")
