"""The plan that a job is judged by, and the places on vehicle and frame where something is read.

Each place is a slot: its label, its plausible range and the aspects that its readings depend on.
"""

import math
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, wraps
from typing import Any, TypeVar, TypeVarTuple

from escuadra.core.base.axes import Pose, turned
from escuadra.core.base.corners import CORNERS, FRONT, REAR, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Name, Noun, Plain, Said, Text, exact, nouns, said
from escuadra.core.bay.bay import Bay
from escuadra.core.bay.ground import Amount
from escuadra.core.bay.standing import Standing, target_places
from escuadra.core.bay.turning import lots, part_of
from escuadra.core.geodesy.state.input import Floor
from escuadra.core.procedure.cases import Case
from escuadra.core.procedure.counted import aside, behind_face, face_ahead, up_to_centre
from escuadra.core.procedure.profiles import FrameProfile, StandProfile, Target, VehicleModel
from escuadra.core.procedure.sheet import Procedure, Station, TargetPlace, datum_at
from escuadra.core.visit.figures import SheetFigure, figures_of
from escuadra.core.visit.log.disturbances import MARKS, POSE
from escuadra.core.visit.slots import ReadAt, Slot

Words = TypeVarTuple("Words")
Made = TypeVar("Made")
ENDS = ("LF_end", "RF_end")
"""The beam's ends, as from the driver's seat."""


LEAST_FLOOR_MM = 1e-3
ANY_BAY = Bay(name="any", length=9000, width=5000)
"""A bay of which nothing is known."""


SIDES = ("L", "R")
"""Of the vehicle, as its hubs are named."""
LINE_ASPECTS = frozenset({"line"})


TAPE_ASPECTS = POSE | {"line"}


@dataclass(frozen=True, eq=False)
class Plan:
    """What a job is judged by: the pinned catalogue entries."""

    procedure: Procedure
    vehicle: VehicleModel
    target: Target
    frame: FrameProfile
    bay: Bay | None = None
    standing: Standing | None = None
    """The place on a surveyed floor, where there is one."""
    on_the_spot: bool = False
    """The floor was surveyed for this place alone, on this visit."""
    targets: Mapping[str, Target] = field(default_factory=dict)
    """Targets of stations that want another one, by their ids."""
    stands: Mapping[str, StandProfile] = field(default_factory=dict)
    """Stands that the sheet names, by their ids."""
    place_note: Said | None = None
    """Why a chosen place has no standing: not surveyed, or not where tyres and target are."""
    base: "Plan | None" = None
    """The plan of the whole sheet, where this is one station's."""
    station: Station | None = None
    """The station that it is the plan of, where the sheet is run at several."""
    turn_before: str = ""
    """The station before which the vehicle is turned, where the bay has not the room for all of them at once."""
    cases: tuple[Case, ...] = ()
    """Those that the sheet reads by."""
    no_room: Said | None = None
    """Why the bay cannot take the procedure, or the chosen place does not do; empty where it does or is not known."""

    made: dict[Hashable, Any] = field(default_factory=dict, init=False, repr=False)
    """What was made of it (``of_plan``): it lasts as long as this plan, and a changed one begins anew."""

    @property
    def assumed(self) -> Said | None:
        """What nobody knew of the vehicle, for which a usual value with a wider uncertainty stands."""
        unknown = [Noun(f"assumed.{name.rpartition('.')[2]}") for name in self.vehicle.assumed]
        return said("plan.assumed", names=nouns(unknown)) if unknown else None

    @property
    def reads_as(self) -> Said | None:
        """By which cases of the sheet its figures are what they are."""
        return said("plan.reads_as", names=nouns([Name(case.name) for case in self.cases])) if self.cases else None

    @cached_property
    def part(self) -> Procedure:
        """What of the sheet needs room at the station at hand: all of it, or the lot before or after the turn."""
        if not self.turn_before or self.station is None:
            return self.procedure
        lot = next(lot for lot in lots(self.procedure, self.turn_before) if self.station.id in lot)
        return part_of(self.procedure, lot)

    @cached_property
    def at_stations(self) -> dict[str, "Plan"]:
        """The plan at each of the sheet's stations, in their order; a target of its own stays to be looked up."""
        return {
            station.id: replace(
                self,
                procedure=self.procedure.at(station),
                station=station,
                base=self,
                target=self.targets.get((station.mounting or self.procedure.mounting).target, self.target),
            )
            for station in self.procedure.stations
        }

    @property
    def whole(self) -> "Plan":
        """The plan of the whole sheet."""
        return self.base or self

    @property
    def hang(self) -> float:
        """Where on the beam the target's centre hangs, left of its middle, mm."""
        return self.station.hang if self.station is not None else 0.0

    @cached_property
    def figures(self) -> list[SheetFigure]:
        """Every figure of the sheet that can be overridden on the spot."""
        return figures_of(self.procedure, self.station)

    @cached_property
    def frame_points(self) -> dict[str, tuple[float, float]]:
        """Beam ends in frame axes."""
        half = self.frame.beam_length / 2
        return {"LF_end": (0.0, half), "RF_end": (0.0, -half)}

    @cached_property
    def rise_at_target(self) -> Amount | None:
        """The floor at the target above the tyres' plane, where heights count from that plane and it is surveyed."""
        if self.standing is None or self.procedure.height_from != "tyres":
            return None
        return self.standing.correction(self.target_place)

    @cached_property
    def target_place(self) -> TargetPlace:
        """Where the target stands: its station's, else the first of the sheet."""
        places, station = target_places(self.procedure, self.vehicle), self.station
        if station is not None and station.own_place:
            return next(place for place in places if place.id == station.place)
        if station is not None:
            return TargetPlace(id="target", x=self.target_x, y=self.aside)
        return places[0]

    @property
    def stand(self) -> StandProfile | None:
        """What carries the target at the station at hand, where the sheet names a stand."""
        return self.stands.get(self.station.stand) if self.station is not None else None

    @property
    def taped_hubs(self) -> tuple[Corner, Corner]:
        """The hubs that tapes to the beam start from."""
        return FRONT if self.procedure.squared_from == "front_hubs" else REAR

    @property
    def steered(self) -> Corner:
        """The front wheel that is read against the beam; drawn on the left where the sheet lets either be."""
        return "LF" if self.procedure.steered == "either" else self.procedure.steered

    @cached_property
    def face_ahead(self) -> float:
        """From the beam towards the vehicle to the target's face, mm."""
        return face_ahead(self.frame, self.procedure.mounting)

    @cached_property
    def behind_face(self) -> float:
        """How far behind the target's face what the distance is counted to lies, mm."""
        return behind_face(self.procedure, self.target, self.frame, self.stand)

    @property
    def distance(self) -> float:
        """From the datum to the target's face, mm, whatever the sheet counts to."""
        return self.procedure.distance - self.behind_face

    @cached_property
    def up_to_centre(self) -> float:
        """How far the target's centre is above what the sheet's height is of, mm."""
        return up_to_centre(self.procedure, self.target)

    @property
    def height(self) -> float:
        """Of the target's centre, mm, whatever of it the sheet's height is of."""
        return self.procedure.height + self.up_to_centre

    @cached_property
    def aside(self) -> float:
        """Where the target's centre is wanted left of the vehicle's middle, where everything is where it should be."""
        return aside(self.procedure, self.vehicle)

    @property
    def target_above_floor(self) -> float:
        """What a tape from the floor at the target to its centre should show, mm."""
        rise = self.rise_at_target
        return self.height - (rise.value if rise is not None else 0.0)

    @cached_property
    def floors(self) -> tuple[tuple[str, Floor], ...]:
        """The floor under each tyre, the beam's ends and the target, above the plane that the tyres stand on.

        As surveyed; where it was not, as uncertain as a floor is that nobody has looked at.
        """
        goal = self.nominal_goal
        below: dict[str, tuple[float, float]] = {
            end: (goal.x + bx, goal.y + by) for end, (bx, by) in self.frame_points.items()
        }
        below["target"] = (self.target_place.x, self.target_place.y)
        for body in self.station.bodies if self.station is not None else []:
            below[f"under {body.id}"] = (body.x, body.y)
        bay = self.bay or ANY_BAY
        raised = bay.rack.height if bay.rack is not None else 0.0
        found: list[tuple[str, Floor]] = [("bay", Floor(height=-raised, u=bay.u_rise_mm))]
        tyres: dict[str, tuple[float, float]] = {corner: self.vehicle.contact(corner) for corner in CORNERS}
        for name, at in (below | tyres).items():
            amount = self._surveyed(name, at)
            if amount is not None:
                found.append((name, Floor(height=amount.value, u=max(amount.u, LEAST_FLOOR_MM))))
            else:
                found.append((name, Floor(height=0.0, u=bay.u_place_mm, on="bay" if name in below else None)))
        return tuple(found if any(floor.on for _, floor in found) else found[1:])

    def _surveyed(self, name: str, at: tuple[float, float]) -> Amount | None:
        """The floor at a place above the tyres' plane, where both were surveyed."""
        if self.standing is None:
            return None
        try:
            return self.standing.above_contact(name) if name in CORNERS else self.standing.above_wheels(*at)
        except BadInput:
            return None

    def floor_between(self, hub: Corner, end: str) -> Amount | None:
        """How much higher the floor is below a beam end than below a hub, where both were surveyed."""
        if self.standing is None:
            return None
        goal, (bx, by) = self.nominal_goal, self.frame_points[end]
        try:
            return self.standing.above_tyre(hub, goal.x + bx, goal.y + by)
        except BadInput:
            return None

    def goal(
        self,
        line_angle_deg: float,
        line_at: tuple[float, float],
        datum: tuple[float, float],
        carries: tuple[float, float] | None = None,
    ) -> Pose:
        """Where the beam must stand for a distance counted from ``datum`` and an offset from ``line_at``.

        ``carries``: where the target's centre is from the beam's middle, in plan, away and to the left of it, mm.
        """
        away, left = carries if carries is not None else (-self.face_ahead, self.hang)
        tx, ty = turned(line_angle_deg, 1, 0)
        qx, qy = datum[0] - line_at[0], datum[1] - line_at[1]
        along = qx * tx + qy * ty + self.distance - away
        x, y = turned(line_angle_deg, along, self.procedure.offset - left)
        return Pose(x=line_at[0] + x, y=line_at[1] + y, yaw_deg=line_angle_deg, height=self.height)

    @cached_property
    def nominal_goal(self) -> Pose:
        """The goal while no line is known: along the vehicle's own axis."""
        from_ = (0.0, self.aside - self.procedure.offset)
        return self.goal(0.0, from_, datum_at(self.procedure, self.vehicle))

    @cached_property
    def target_x(self) -> float:
        """Where the target's face must stand along the vehicle, mm ahead of the rear axle."""
        return self.datum_x + self.distance

    @cached_property
    def datum_x(self) -> float:
        """Where the datum is along the vehicle, mm ahead of the rear axle, where everything is where it should be."""
        return datum_at(self.procedure, self.vehicle)[0]


def of_plan(make: Callable[[*Words, Plan], Made]) -> Callable[[*Words, Plan], Made]:
    """What a function makes of a plan, its last argument, and of words: made once, and kept in the plan."""

    @wraps(make)
    def made(*given: *tuple[*Words, Plan]) -> Made:
        plan = given[-1]
        key = (make, *given[:-1])
        found = plan.made.get(key)
        if found is None:
            found = plan.made[key] = (make(*given),)
        value: Made = found[0]
        return value

    return made


def at_wheel(corner: Corner, vehicle: VehicleModel) -> ReadAt:
    """At a wheel."""
    return ReadAt(said("stands.wheel", corner=Noun(f"corner.{corner}")), *vehicle.hub(corner))


def on_frame(what: str, plan: Plan, left: float = 0.0) -> ReadAt:
    """At the frame: ``frame``, ``beam``, ``before_beam`` or one of the beam's ends."""
    return ReadAt(said(f"stands.{what}"), plan.nominal_goal.x, left)


def across(end: str, vehicle: VehicleModel) -> ReadAt:
    """Across the vehicle, where its marks at an end are."""
    return ReadAt(said(f"stands.across.{end}"), getattr(vehicle.marks, f"{end}_x"))


AT_REAR_WHEELS = ReadAt(said("stands.rear_wheels"), 0.0)


@of_plan
def tape_slot(hub: str, end: str, plan: Plan) -> Slot:
    """The slot of a tape from a hub to a beam end."""
    goal, (bx, by) = plan.nominal_goal, plan.frame_points[end]
    hx, hy = plan.vehicle.hub(hub)  # type: ignore[arg-type]
    length = math.hypot(goal.x + bx - hx, goal.y + by - hy)
    return Slot(
        id=f"tape.{hub}.{end}",
        label=Noun(f"tape.{hub}.{end}"),
        quantity=Quantity(dimension="length", unit="mm", low=0.55 * length, high=1.45 * length),
        aspects=TAPE_ASPECTS,
        reads="tape",
        optional=hub not in plan.taped_hubs,
        watches=True,
        between=(hub, end),
        at=at_wheel(hub, plan.vehicle),  # type: ignore[arg-type]
    )


@of_plan
def wheelbase_slot(side: str, plan: Plan) -> Slot:
    """The slot of a tape along one side of the vehicle, from hub to hub; nothing that the frame does spoils it."""
    wheelbase = plan.vehicle.wheelbase
    return Slot(
        id=f"wheelbase.{side}",
        label=Noun(f"wheelbase.{side}"),
        quantity=Quantity(dimension="length", unit="mm", low=0.9 * wheelbase, high=1.1 * wheelbase),
        aspects=LINE_ASPECTS,
        reads="tape",
        optional=True,
        wanted=wheelbase,
        at=at_wheel("LF" if side == "L" else "RF", plan.vehicle),
    )


@of_plan
def direct_slot(plan: Plan) -> Slot:
    """The slot of one reading straight from the vehicle's part to the target's face, held level."""
    part, far = Noun(f"datum.{plan.procedure.datum}"), plan.distance + plan.procedure.proxy.forward
    return Slot(
        id="direct",
        label=said("places.direct", part=part),
        quantity=Quantity(dimension="length", unit="mm", low=0.5 * far, high=1.6 * far),
        aspects=TAPE_ASPECTS,
        reads="tape",
        hint=said("places.direct_held_level"),
    )


@of_plan
def sensor_slot(plan: Plan) -> Slot:
    """The slot of the sensor's own place, left of the vehicle's middle."""
    half = plan.vehicle.outline.width / 2
    return Slot(
        id="sensor.offset",
        label=said("target.sensor_off_vehicles_middle_measured"),
        quantity=Quantity(dimension="length", unit="mm", low=-half, high=half),
        aspects=LINE_ASPECTS,
        reads="tape",
        way="side",
        at=ReadAt(said("stands.sensor"), plan.procedure.sensor.x),
    )


@of_plan
def height_slot(what: str, plan: Plan) -> Slot:
    """The slot of a hub's or a beam end's height above the floor."""
    hub = what in CORNERS
    around, half = plan.vehicle.hub_height, plan.frame.beam_length / 2
    end = on_frame(what, plan, half if what == "LF_end" else -half)
    return Slot(
        id=f"height.{what}",
        which=what,
        label=Noun(f"height.{what}"),
        quantity=Quantity(dimension="length", unit="mm", low=0.5 * around, high=(1.6 if hub else 3.0) * around),
        aspects=frozenset({"hubs"} if hub else {"height"}),
        reads="height",
        optional=hub and what not in plan.taped_hubs,
        hint=said("places.point_tape_held"),
        at=at_wheel(what, plan.vehicle) if hub else end,  # type: ignore[arg-type]
    )


@of_plan
def level_slot(way: str, plan: Plan) -> Slot:
    """The slot of the level along (``roll``) or across (``pitch``) the beam."""
    return Slot(
        id=f"level.{way}",
        label=said("frame.along_beam" if way == "roll" else "frame.square_beam"),
        quantity=Quantity(dimension="angle", unit="°", low=-4, high=4),
        aspects=frozenset({"level"}),
        reads="level",
        way=way,
        hint=said("frame.away_towards_vehicle") if way == "pitch" else said("frame.ends_drivers_seat"),
        at=on_frame("beam", plan),
    )


@of_plan
def target_height_slot(plan: Plan) -> Slot:
    """The slot of the target's own centre above the floor."""
    above = plan.target_above_floor - plan.up_to_centre
    return Slot(
        id="height.target",
        label=said(f"frame.target_{plan.procedure.height_to}_above_floor"),
        quantity=Quantity(dimension="length", unit="mm", low=0.6 * above, high=1.5 * above),
        aspects=frozenset({"height"}),
        reads="height",
        hint=said(f"frame.to_{plan.procedure.height_to}"),
        nominal=above,
    )


@of_plan
def beam_height_slot(plan: Plan) -> Slot | None:
    """The slot of the beam that carries the target above the floor; none where the target's drop is not known."""
    if plan.target.drop is None:
        return None
    beam = plan.target_above_floor + plan.target.drop
    return Slot(
        id="height.beam",
        label=said("frame.beam_above_floor_height_laser"),
        quantity=Quantity(dimension="length", unit="mm", low=0.6 * beam, high=1.5 * beam),
        aspects=frozenset({"height"}),
        reads="height",
        optional=True,
        hint=said("frame.targets_own_mark_cannot_reached"),
    )


SLOPES = tuple((place, way) for place in ("wheels", "target", "behind") for way in ("along", "across"))
"""Where a floor's slope is typed, and which way."""


def slope_slots(plan: Plan) -> list[Slot]:
    """The slopes that a sheet asks for: under the wheels, and up to its target, ahead or behind the vehicle."""
    behind = target_places(plan.procedure, plan.vehicle)[0].x < 0
    return [slope_slot(*each, plan) for each in SLOPES if each[0] != ("target" if behind else "behind")]


@of_plan
def slope_slot(place: str, way: str, plan: Plan) -> Slot:
    """The slot of a slope that is typed where the floor was not surveyed: under the wheels, or up to the target."""
    return Slot(
        id=f"slope.{place}.{way}",
        which=way,
        label=said(f"place.floor.{place}.{way}"),
        quantity=Quantity(dimension="slope", unit="%", low=-3, high=3),
        aspects=frozenset({"floor"}),
        reads="slope",
        way=f"rise_{way}",
        at=ReadAt(said("stands.floor"), plan.nominal_goal.x / 2),
    )


@of_plan
def crossing_slot(plan: Plan) -> Slot:
    """The slot of the floor laser's reading on the beam."""
    half = plan.frame.beam_length / 2
    zero = plan.frame.scale_zero
    return Slot(
        id="crossing",
        label=said("places.floor_laser_beams_scale_2"),
        quantity=Quantity(dimension="length", unit="mm", low=zero - half, high=zero + half),
        aspects=TAPE_ASPECTS | MARKS,
        reads="scale",
        lever=plan.frame.beam_height,
        hint=said("places.scale_shows_beams_middle_grows", zero=exact(Plain, zero)),
        at=ReadAt(said("stands.over_rear_centre_mark"), plan.vehicle.marks.rear_x),
    )


def toe_slot(side: str) -> Slot:
    """The slot of a rear wheel's toe."""
    return Slot(
        id=f"toe.{side}",
        label=said(f"places.rear_toe_printout.{side}"),
        quantity=Quantity(dimension="angle", unit="°", low=-1.5, high=1.5),
        aspects=frozenset({"alignment"}),
        reads="printout",
        way="toe",
    )


def thrust_slot() -> Slot:
    """The slot of a printout's thrust angle."""
    return Slot(
        id="printed.thrust",
        label=said("places.thrust_angle_printout"),
        quantity=Quantity(dimension="angle", unit="°", low=-1.5, high=1.5),
        aspects=frozenset({"alignment"}),
        reads="printout",
        way="thrust",
    )


def pair_name(end: str, k: int, plan: Plan) -> Text:
    """What a pair is measured between."""
    names = plan.vehicle.marks.front_pairs if end == "front" else plan.vehicle.marks.rear_pairs
    return Name(names[k - 1]) if k <= len(names) else said("places.another_pair", number=k)


@of_plan
def pair_slots(end: str, k: int, plan: Plan) -> tuple[Slot, Slot]:
    """Left and right reading of a symmetrical pair on the scale across the vehicle."""
    name = pair_name(end, k, plan)
    ids, made = {side: f"pair.{end}.{k}.{side}" for side in ("left", "right")}, []
    for side, id in ids.items():
        made.append(
            Slot(
                id=id,
                then=ids["right"] if side == "left" else "",
                label=said(f"places.pair_reading.{end}.{side}", name=name),
                quantity=Quantity(dimension="length", unit="mm", low=0, high=plan.vehicle.outline.width + 1500),
                aspects=LINE_ASPECTS,
                reads="tape",
                optional=k > 1,
                hint=said("places.one_straight_tape_across_vehicle"),
                at=across(end, plan.vehicle),
            )
        )
    return made[0], made[1]


@of_plan
def mark_slot(end: str, plan: Plan) -> Slot:
    """Where the plumbed centre mark stands on the same scale."""
    return Slot(
        id=f"mark.{end}",
        label=said(f"places.centre_mark_same_tape.{end}"),
        quantity=Quantity(dimension="length", unit="mm", low=0, high=plan.vehicle.outline.width + 1500),
        aspects=LINE_ASPECTS | {f"mark_{end}"},
        reads="tape",
        hint=said("places.plumb_mark_pairs_middle_then"),
        at=across(end, plan.vehicle),
    )


@of_plan
def emblem_slot(end: str, plan: Plan) -> Slot:
    """Where the emblem's middle stands on the same tape."""
    return Slot(
        id=f"emblem.{end}",
        label=said(f"places.emblems_middle_same_tape.{end}"),
        quantity=Quantity(dimension="length", unit="mm", low=0, high=plan.vehicle.outline.width + 1500),
        aspects=LINE_ASPECTS,
        reads="tape",
        optional=True,
        hint=said("places.checked_against_pairs_never_believed"),
        at=across(end, plan.vehicle),
    )
