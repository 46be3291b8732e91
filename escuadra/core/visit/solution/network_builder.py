"""A state in the making: what each method enters, as the reading types that it really is.

Readings of one instrument share its offset and scale; what has no instrument carries its whole u. Everything is in
vehicle axes (ISO 8855), z over the plane that the tyres stand on.
"""

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from escuadra.core.base.axes import Pose
from escuadra.core.base.said import Text, said
from escuadra.core.geodesy.observations import SharedErrors
from escuadra.core.geodesy.state.input import (
    READINGS,
    THRUST_READINGS,
    Angle,
    Body,
    Coordinate,
    Floor,
    Gravity,
    Place,
    Read,
    Shape,
    StateInput,
    StatePoint,
    WantedAt,
)
from escuadra.core.measure.readings import Instrument
from escuadra.core.procedure.sheet import datum_at
from escuadra.core.visit.log.state import Entry
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.readings import ReadingsByEpoch
from escuadra.core.visit.slots import Measured, Slot
from escuadra.core.visit.solution.observed import ObservationId

U_STATION_MM = 5.0
"""How well a mark's place along the vehicle is known; it hardly matters sideways."""
LEAST_U = 1e-3
PARALLAX: tuple[tuple[Text, float], ...] = ((said("source.parallax"), 0.15),)
"""Of a scale that is read where a line or a point stands before it, mm, one sigma."""
ORIGIN, DATUM, SENSOR = "axle", "datum", "sensor"
"""The middle between the rear wheels as the model has it; where the distance is counted from if not from hubs: the part
itself where that is read straight; and the sensor, where it was measured."""
U_PART_MM = (10.0, 3.0)
"""How well the model says where a bumper or an emblem is, along and across, one sigma."""
TARGET, MIDDLE = "target", "middle"
"""Of the frame: the target's face, and the beam's middle."""
ASKED = WantedAt(id="line", type="at", line="axis", through=(ORIGIN,), x=0.0)
"""A state must want something; what else is asked follows from its solution."""


STANDS_ON = "floor"
"""The vehicle as a body: its axes are those of the plane that its tyres stand on."""
LAID = Body(
    x=0.0,
    y=0.0,
    z=0.0,
    yaw_deg=0.0,
    roll_deg=0.0,
    pitch_deg=0.0,
    points=(),
    fixed=("x", "y", "z", "yaw_deg", "roll_deg", "pitch_deg"),
)


@dataclass(frozen=True)
class Hung:
    """Where a target's centre is on the frame: which hanging of it, its place in the frame's axes and its u, mm."""

    shape: str
    place: Place
    u: Place


@dataclass(frozen=True)
class Act:
    """What was read at one slot with one tool, in one place of the frame: one look, or several.

    Source: hypotheses of ``state``.
    """

    slot: Slot
    seq: int
    looks: int
    u_look: float
    """By which one look differs from the next, one sigma, in the slot's unit."""
    cap: float
    """The largest error that would not have been asked about when it was typed."""
    effect: tuple[tuple[str, float], ...]
    """Observations of the state, and what an error of 1 in the mean of the looks changes each by."""
    what: Text | None = None
    """What was done, where it is no reading: nothing is read once more then."""


@dataclass(frozen=True)
class Entered:
    """What was entered of one state; what the names mean, see ``Entering``."""

    plan: Plan
    body: str
    bodies: tuple[str, ...]
    read_from: frozenset[str]
    points: Mapping[str, StatePoint]
    own: tuple[tuple[str, Place], ...]
    hung: Mapping[str, Hung]
    floors: tuple[tuple[str, Floor], ...]
    gravity: Gravity | None
    stands_on: bool
    heading: float
    others: tuple[tuple[str, Body], ...]
    """Bodies that are not the frame, by name."""
    observations: tuple[Read, ...]
    sources: Mapping[str, ObservationId]
    gains: Mapping[str, float]
    beside: Mapping[str, tuple[tuple[Text, float], ...]]
    called: Mapping[str, str]
    """Instruments' names, by their ids."""
    acts: tuple[Act, ...]
    unlike: frozenset[str]
    instruments: Mapping[str, SharedErrors]

    @property
    def sees_thrust(self) -> bool:
        """Something that was entered tells or needs the thrust line."""
        return any(isinstance(o, THRUST_READINGS) for o in self.observations)

    def state(self, guess: Pose, fixed: tuple[Coordinate, ...] = ()) -> StateInput:
        """What was entered; ``guess``: about where the frame stands; ``fixed``: what of that is taken as it is."""
        used = {name for o in self.observations for name, _ in o.instrument}
        laid = ((STANDS_ON, LAID),) if self.stands_on else ()
        by_shape = {
            one.shape: Shape(points=(*self.own, (TARGET, one.place)), u=((TARGET, one.u),))
            for one in self.hung.values()
        }
        stood = Body(
            x=guess.x,
            y=guess.y,
            z=self.plan.frame.beam_height,
            yaw_deg=guess.yaw_deg,
            roll_deg=0.0,
            pitch_deg=0.0,
            shape="",
            fixed=fixed,
        )
        by_name = {shape: stood.model_copy(update={"shape": shape}) for shape in by_shape}
        return StateInput(
            points=tuple(self.points.items()),
            bodies=(*((name, by_name[one.shape]) for name, one in self.hung.items()), *laid, *self.others),
            shapes=tuple(by_shape.items()),
            floors=self.floors,
            gravity=self.gravity,
            thrust=Angle(angle_deg=self.heading) if self.sees_thrust else None,
            instruments=tuple((name, tool) for name, tool in self.instruments.items() if name in used),
            observations=self.observations,
            wanted=(ASKED,),
            partial=True,
        )


class Entering:
    """Points, observations and shared errors of one state.

    ``entries``: a slot's readings that count. Until the frame stands somewhere, what hangs on it is left out; what was
    entered already is not entered again.
    """

    def __init__(self, readings: ReadingsByEpoch) -> None:
        plan = readings.plan
        self.readings, self.plan = readings, plan
        self.entries: Callable[[Slot], Sequence[Entry]] = readings.current
        self.body = ""
        self.bodies: list[str] = []
        self.read_from: set[str] = set()
        """Bodies at which anything was read."""
        self.points: dict[str, StatePoint] = {}
        self.own: dict[str, Place] = {MIDDLE: (0.0, 0.0, 0.0)}
        """Points of the frame, in its own axes."""
        self.hung: dict[str, Hung] = {}
        """Where the target is on the frame, by body."""
        self.others: dict[str, Body] = {}
        """Bodies that are not the frame."""
        self.floors: dict[str, Floor] = {}
        self.gravity: Gravity | None = None
        self.stands_on = False
        """Something was read of the plane that the tyres stand on."""
        self.observations: list[Read] = []
        self.sources: dict[str, ObservationId] = {}
        """What each observation is, and what is known beforehand of an instrument, by its text."""
        self.gains: dict[str, float] = {}
        """What reading it once more tells beside what was read, as a factor of what it tells now, by its text."""
        self.beside: dict[str, tuple[tuple[Text, float], ...]] = {}
        """What else makes an observation uncertain beside what its instrument repeats to: share of its variance."""
        self.unlike: frozenset[str] = frozenset()
        """Hubs that do not stand where the model has them."""
        self.acts: dict[tuple[str, str, int], Act] = {}
        """What was read, by slot, tool and the last look."""
        self.instruments: dict[str, SharedErrors] = {}
        self._known_as: dict[str, list[Instrument]] = {}
        self.called: dict[str, str] = {}
        self.heading = 0.0
        """First guess of the thrust line's direction, degrees."""
        for end, (bx, by) in plan.frame_points.items():
            self.own[end] = (bx, by, 0.0)
        self.exact(ORIGIN, (0.0, 0.0))
        self._count_from(plan)

    def _count_from(self, plan: Plan) -> None:
        at, proxy = datum_at(plan.procedure, plan.vehicle), plan.procedure.proxy
        if plan.procedure.distance_by == "direct":
            part = at[0] - proxy.forward, at[1] - proxy.left
            self.known(DATUM, "part", plan.procedure.datum, part, U_PART_MM)
        else:
            self.exact(DATUM, at)
        if plan.procedure.offset_from == "sensor":
            sensor = plan.procedure.sensor
            self.points[SENSOR] = StatePoint(x=sensor.x, y=sensor.y, z=0.0, fixed=("x", "z"))

    def stand(self, body: str, entries: Callable[[Slot], Sequence[Entry]]) -> None:
        """What follows was read with the frame at one more place; ``entries``: a slot's readings that count there."""
        self.body, self.entries = body, entries
        self.bodies.append(body)

    def read(self, slot: Slot) -> list[Measured]:
        """What a slot's readings amount to, one value a tool."""
        return self.readings.by_tool(slot.id, self.entries(slot))

    def one(self, slot: Slot) -> Measured | None:
        """A slot's value, of all its tools together."""
        return self.readings.measured(slot.id, self.entries(slot))

    def all(self, *slots: Slot) -> list[Measured] | None:
        """The values of all slots, or nothing where one is missing."""
        found = [m for slot in slots if (m := self.one(slot)) is not None]
        return found if len(found) == len(slots) else None

    def on_frame(self, point: str) -> str:
        """A point of the frame by the name that observations have for it."""
        return f"{self.body}:{point}"

    def floor(self, name: str, floor: Floor, id: ObservationId) -> None:
        """What is known of the floor at a place; ``id``: what that is an observation of."""
        self.floors[name] = floor
        self.sources[f"{name}.floor"] = id

    def exact(self, point: str, at: tuple[float, float]) -> None:
        """A point whose place is as given."""
        self.points[point] = StatePoint(x=at[0], y=at[1], z=0.0, fixed=("x", "y", "z"))

    def free(self, point: str, at: tuple[float, float], up: float | None = None) -> None:
        """A point that readings find; about there, in plan alone or in space."""
        x, y = at
        self.points[point] = StatePoint(x=x, y=y, z=up or 0.0, fixed=("z",) if up is None else ())

    def exact_up(self, point: str, at: tuple[float, float], up: float) -> None:
        """A point that readings find in plan, at a height that hardly matters."""
        self.points[point] = StatePoint(x=at[0], y=at[1], z=up, fixed=("z",))

    def known(
        self,
        point: str,
        source: str,
        place: str,
        at: tuple[float, float],
        u: tuple[float, float],
        up: tuple[float, float] | None = None,
        along: str | None = None,
        aside: str | None = None,
    ) -> None:
        """A point whose place is known that well; ``source``: how its coordinates are registered, less the axis.

        ``up``: its height and u, where it is wanted in space; ``along``, ``aside``: what its x and its y have in common
        with others.
        """
        self.free(point, at, up[0] if up is not None else None)
        for axis, value, spread in zip("xy", at, u, strict=True):
            with_others = along if axis == "x" else aside
            common = (with_others,) if with_others is not None else ()
            self.put(ObservationId(f"{source}_{axis}", place), axis, value, spread, common, point=point)
        if up is not None:
            self.put(ObservationId(f"{source}_z", place), "z", *up, point=point)

    def put(
        self,
        id: ObservationId,
        kind: str,
        value: float,
        u: float,
        instruments: tuple[str, ...] = (),
        of: Iterable[tuple[Slot, Measured, float]] = (),
        **more: Any,
    ) -> None:
        """An observation as ``state`` takes it; what needs a frame is left out where there is none.

        ``instruments``: whose shared errors it has; ``of``: the readings that it is made of, each with what an error of
        1 in it changes the value by.
        """
        name = str(id)
        if name in self.sources or (not self.body and more.get("body", STANDS_ON) not in (STANDS_ON, *self.others)):
            return
        self.sources[name] = id
        self.observations.append(
            READINGS[kind](
                type=kind,
                id=name,  # type: ignore[call-arg]
                value=value,
                u=max(u, LEAST_U),
                instrument=tuple((name, 1.0) for name in instruments),
                **more,
            )
        )
        for slot, part, factor in of:
            self.called[part.tool] = part.tool_name
            self._acted(slot, part, name, factor)

    def capped(self, slot: Slot, part: Measured, most: float) -> None:
        """An error of more than that in what was read would not have been taken."""
        key = (slot.id, part.tool, part.seq)
        if key in self.acts:
            self.acts[key] = replace(self.acts[key], cap=min(self.acts[key].cap, most))

    def set_up(self, slot: Slot, what: ObservationId, instrument: str, u: float, most: float) -> None:
        """What is set up once and all readings of a slot share: an error of more than ``most`` would be seen."""
        self.shared(instrument, u, 0.0, what)
        effect = ((f"{instrument}.offset", 1.0),)
        self.acts[(slot.id, instrument, 0)] = Act(slot, 0, 1, u, most, effect, what.words)

    def _acted(self, slot: Slot, part: Measured, name: str, factor: float) -> None:
        key = (slot.id, part.tool, part.seq)
        known, range_ = self.acts.get(key), slot.quantity
        effect = (*(known.effect if known is not None else ()), (name, factor))
        cap = max(range_.high - part.value, part.value - range_.low, 0.0) if range_ is not None else math.inf
        self.acts[key] = Act(slot, part.seq, part.count, part.u_look, cap, effect)

    def shared(self, instrument: str, u_offset: float, u_scale: float, id: ObservationId) -> None:
        """What all readings of an instrument have in common; ``id``: what that is an observation of."""
        if instrument not in self.instruments:
            self.instruments[instrument] = SharedErrors(u_offset=u_offset, u_scale=u_scale)
            for part in ("offset", "scale"):
                self.sources[f"{instrument}.{part}"] = replace(id, place=part) if id.source == "shared" else id

    def _instrument(self, part: Measured) -> str:
        """The instrument by the name that its shared errors have: a check in mid-visit begins another."""
        known = self._known_as.setdefault(part.tool, [])
        if part.contributions not in known:
            known.append(part.contributions)
        nth = known.index(part.contributions)
        return f"{part.tool} {nth + 1}" if nth else part.tool

    def reading(
        self,
        slot: Slot,
        part: Measured,
        source: str,
        kind: str,
        value: float | None = None,
        beside: Sequence[tuple[Text, float]] = (),
        place: str = "",
        also: tuple[str, ...] = (),
        **more: Any,
    ) -> None:
        """A slot's reading by one tool, with what that tool's readings share.

        ``value`` where it is not the slot's; ``beside``: what else makes it uncertain, and its u; ``also``: whose
        shared errors it has beside its instrument's; ``place``: where it is entered again.
        """
        figures, instrument = part.figures, self._instrument(part)
        self.shared(instrument, figures.u_offset, figures.u_scale, ObservationId("shared", "", part.tool))
        id = ObservationId(source, place or slot.id, part.tool, part.seq)
        own = max(math.hypot(figures.u_random, *(u for _, u in beside)), LEAST_U)
        shared = (instrument, *also)
        self.put(id, kind, part.value if value is None else value, own, shared, [(slot, part, 1.0)], **more)
        self.beside[str(id)] = tuple((what, (u / own) ** 2) for what, u in beside)
        # One look more lessens what repeats scatter by, and nothing else.
        less = own**2 - figures.u_repeat**2 / (part.count + 1)
        self.gains[str(id)] = math.sqrt(max(0.0, own**2 / less - 1)) if less > 0 else 0.0

    def done(self) -> "Entered":
        """What was entered, as it stays."""
        return Entered(
            plan=self.plan,
            body=self.body,
            bodies=tuple(self.bodies),
            read_from=frozenset(self.read_from),
            points=self.points,
            own=tuple(self.own.items()),
            hung={name: self.hung[name] for name in self.bodies if name in self.hung},
            floors=tuple(self.floors.items()),
            gravity=self.gravity,
            stands_on=self.stands_on,
            heading=self.heading,
            others=tuple(self.others.items()),
            observations=tuple(self.observations),
            sources=self.sources,
            gains=self.gains,
            beside=self.beside,
            called=self.called,
            acts=tuple(self.acts.values()),
            unlike=self.unlike,
            instruments=self.instruments,
        )
