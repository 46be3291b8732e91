"""What a procedure sheet says.

A procedure lists check instances; each kind of check registers its own specification class here, so a new kind is
one class. Lengths in millimetres, angles in degrees, slopes in percent; vehicle axes after ISO 8855.
"""

from collections.abc import Callable, Sequence
from typing import Any, ClassVar, Literal, Self, TypeVar, get_args

from pydantic import Field, SerializeAsAny, field_validator, model_validator

from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import CatalogueText, Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import Name, Plain, Said, Text, exact, nouns, said
from escuadra.core.procedure.adjusting import Adjusting
from escuadra.core.procedure.bodies import MOST_BODIES, StandingBody, sound_bodies
from escuadra.core.procedure.cases import Case, Circumstances, applies, with_case
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.routine import TypedFigure
from escuadra.core.procedure.things import SOLID, ThingKind

Group = Literal["ready", "stance", "line", "frame", "target", "clear", "result"]
GROUPS: tuple[Group, ...] = ("ready", "stance", "line", "target", "frame", "clear", "result")
"""In the order of the sheet: a target is mounted before the frame is judged, since mounting spoils centre and level.

What stands in ``result`` exists only once the procedure was run."""
LineChoice = Literal["thrust", "body", "axis"]
"""``axis``: through the middles of both axles, where neither wheels nor body were looked at."""
Datum = Literal["front_hubs", "rear_hubs", "bumper", "emblem", "plate", "windscreen_camera", "sensor"]
DistanceTo = Literal["face", "beam", "slide_plate", "edge", "cross", "apex"]
OffsetFrom = Literal["line", "sensor", "LF", "RF", "LR", "RR"]
HeightTo = Literal["centre", "bottom_edge", "top_edge"]
T = TypeVar("T", bound="CheckSpec")


class CheckSpec(Frozen):
    """A check instance as the procedure states it; each kind of check adds its own figures."""

    registered: ClassVar[dict[str, type["CheckSpec"]]] = {}

    @property
    def called(self) -> Text:
        """What it is called."""
        return self.title if isinstance(self.title, Said) else Name(self.title)

    @property
    def carried_by(self) -> str:
        """What must carry the target for it to apply: ``frame``, ``stand``; empty: either."""
        return "frame" if self.group == "frame" else ""

    @property
    def mountings(self) -> "list[Mounting]":
        """Targets that it asks for besides the sheet's own."""
        return []

    @property
    def hangs(self) -> list[float]:
        """Where those hang, left of the beam's middle, mm."""
        return []

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    kind: str
    group: Group
    title: CatalogueText | Said = Field(description="what it is called, in one language or by language")
    rule: Literal["guarded", "simple"] = "guarded"
    photo: bool = Field(False, description="a photo belongs to the record, of what it reads")
    optional: bool = Field(False, description="an optional check that was never begun does not hold up signing")
    stations: list[str] = Field([], description="ids of the stations that it belongs to; empty: every one of its kind")


def check_kind(name: str) -> Callable[[type[T]], type[T]]:
    """Register a specification class as the kind ``name`` of check."""

    def register(spec: type[T]) -> type[T]:
        CheckSpec.registered[name] = spec
        return spec

    return register


class Sensor(Frozen):
    """The sensor to be calibrated and where it sits."""

    name: CatalogueText
    x: Number
    y: Number
    z: Positive


class Proxy(Frozen):
    """Where the true datum lies from the part that stands in for it, mm."""

    forward: Number = 0.0
    left: Number = 0.0
    up: Number = 0.0


class Mounting(Frozen):
    """How the target must hang."""

    target: str = Field(description="id of the target in the catalogue")
    side: str = Field(description="which face looks at the vehicle")
    way_up: str
    fixing: str
    spacer: NotNegative = Field(0.0, description="thickness of spacers between its fixing and the target, mm")


class Zone(Frozen):
    """Room that the procedure needs, as a rectangle in vehicle axes."""

    name: str = Field(description="what it is for, as in: sight to the target")
    x_from: Number
    x_to: Number
    y_from: Number
    y_to: Number
    free_of: list[ThingKind] = Field(list(SOLID), description="kinds of things that must not be in it")
    stations: list[str] = Field([], description="that need it; empty: all")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.x_from >= self.x_to:
            raise BadInput("x_to", self.x_to, said("wants.more_than_x", x_from=exact(Plain, self.x_from)))
        if self.y_from >= self.y_to:
            raise BadInput("y_to", self.y_to, said("wants.more_than_y", y_from=exact(Plain, self.y_from)))
        return self


PlaceOrigin = Literal["rear_axle", "front_axle", "LF", "RF", "LR", "RR", "front_bumper", "rear_bumper"]


class TargetPlace(Frozen):
    """A place where a target stands, in vehicle axes, and the floor that its stand takes."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    x: Number
    y: Number
    counted_from: PlaceOrigin = Field("rear_axle", description="which part of the vehicle both count from")
    facing_deg: Number = Field(180.0, description="where its face looks: 180 is backward, at the vehicle")
    width: Positive = Field(1600.0, description="of board or stand, along its face")
    depth: Positive = Field(900.0, description="of the stand, behind its face")
    stations: list[str] = Field([], description="that need it; empty: all")


Reference = Literal["centre", "left_edge", "right_edge", "both_edges"]
"""What of a target is read; left and right as one looks at its face."""


class CarrierSpec:
    """Whatever carries a target, as far as a sheet knows it."""

    registered: ClassVar[dict[str, type["CarrierSpec"]]] = {}
    id: ClassVar[str]
    own_place: ClassVar[bool] = False
    """It stands at a place of its own that the sheet names, not where the frame stands."""
    several: ClassVar[bool] = False
    """It is several bodies that stand together."""


class Station(Frozen):
    """A place at which the procedure is run: what differs there from the sheet's own figures."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: str = Field(description="as it is said: left, near, upper")
    carrier: str = Field("frame", description="the frame carries the target, or a stand of its own")
    distance: Positive | None = Field(None, description="from the datum to the target's face, mm")
    offset: Number | None = Field(None, description="of the target's centre from the line, left positive, mm")
    height: Positive | None = None
    hang: Number = Field(0.0, description="of the target's centre from the beam's middle, left positive, mm")
    tilt_deg: Number | None = Field(None, description="of the board, its top leaning away from the vehicle positive")
    mounting: Mounting | None = Field(None, description="where another target, side or way up is wanted")
    place: str = Field("", description="of a stand: id of the place where it is")
    stand: str = Field("", description="id of the stand in the catalogue that carries it; empty: any that can")
    reference: Reference = Field("centre", description="what of the target is read")
    spacing: Positive | None = Field(None, description="between the middles of a target's two parts, mm")
    line_by: Literal["marks", "roof", "seat"] = Field(
        "marks",
        description="how the line comes to a tripod: joined marks, a plane over the roof, or a laser seated on it",
    )
    seat: Number = Field(0.0, description="of that laser on the tripod, left of the target's middle, mm")
    aims: bool = Field(False, description="the sensor is only turned there, by its mirror: nothing is run")
    bodies: list[StandingBody] = Field([], max_length=MOST_BODIES, description="that stand there together")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.carrier not in CarrierSpec.registered:
            known = ", ".join(sorted(CarrierSpec.registered))
            raise BadInput("carrier", self.carrier, said("wants.carrier", known=known))
        if self.own_place and not self.place:
            raise BadInput("place", "", said("wants.place_stand"))
        if bool(self.bodies) != CarrierSpec.registered[self.carrier].several:
            raise BadInput("bodies", str(len(self.bodies)), said("wants.bodies_of_carrier"))
        sound_bodies(self.bodies)
        if self.stand and not self.own_place:
            raise BadInput("stand", self.stand, said("wants.stand_of_own_place"))
        if not self.own_place and self.reference == "both_edges":
            raise BadInput("reference", "both_edges", said("wants.centre_left_edge_or_right"))
        return self

    @property
    def own_place(self) -> bool:
        """What carries the target there stands at a place of its own."""
        return CarrierSpec.registered[self.carrier].own_place


Ages = Literal["ride_height", "battery", "load", "tyres", "floor", "steering", "level", "area"]
"""What can be too old by the clock alone: what is read for itself, not in one solution with other readings."""


AimWay = Literal["aim_yaw", "aim_pitch", "aim_roll"]
AIM_WAYS: tuple[AimWay, ...] = get_args(AimWay)


class ResultFigure(Frozen):
    """A figure that the routine shows, as it is before the routine takes it as zero."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    way: AimWay = Field(description="about which axis the sensor looks beside where it should")
    limits: Limits = Field(description="degrees")
    lens: CatalogueText | None = Field(None, description="which of several it is of")


class ResultLine(Frozen):
    """A line that the vehicle shows for a lens between two limit lines, without any figure."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    lens: CatalogueText


Side = Literal["left", "right"]


class Unit(Frozen):
    """One of two like units of a vehicle: the side that it sits on, and what the tester calls it."""

    side: Side
    name: CatalogueText


Key = Literal["off", "accessory", "on", "on_not_ready", "ready", "running"]
Keeps = Literal[
    "doors_shut", "lights_not_automatic", "mirrors_unfolded", "tailgate_shut", "people_out", "equipment_away"
]


class Camera(Frozen):
    """One of several cameras that one run calibrates: each has a result of its own."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: CatalogueText
    station: str = Field("", description="id of the station that it is calibrated at; empty: at all of them")


Where = Literal["", "driver_seat", "outside", "out_of_sight", "at_target"]


class RunStep(Frozen):
    """One step of the run: what somebody does, from where, and what must be so while it lasts."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    does: CatalogueText = Field(description="what the person does")
    at: Where = Field("", description="where one stands")
    key: Key | None = Field(None, description="state of the key")
    menu: list[CatalogueText] = Field([], max_length=8, description="path through the menu, from its first page on")
    lever: CatalogueText | None = Field(None, description="where the lever is put")
    switch: CatalogueText | None = Field(None, description="the switch that is pressed or turned, and how")
    buttons: list[CatalogueText] = Field([], max_length=4, description="pressed; where several, held together")
    wait_s: Positive | None = Field(None, le=900, description="to be waited before the next step")
    exactly: bool = Field(False, description="waited exactly so long, not at least")
    keeps: list[Keeps] = Field([], description="what must be so while it lasts")
    forbids: Literal["", "switch_off", "move"] = Field("", description="what must not be done meanwhile")
    protects: bool = Field(False, description="it protects people or the maker prescribes it: never skipped")
    transmits: bool = Field(False, description="the radar transmits: the field is answered for before it")
    stays: bool = Field(False, description="it stays valid where the run is interrupted later")
    tilt_deg: Number | None = Field(
        None,
        description="of the board in that notch, its top away from the vehicle positive: its response is read",
    )
    heights: bool = Field(False, description="the routine asks for the ride heights, measured just then")
    unit: bool = Field(False, description="the routine of one of two units is opened: which one is asked")
    away: Positive | None = Field(None, description="how far everybody stays away while it lasts, mm")
    away_from: Literal["antenna", "vehicle", "target"] = Field("antenna", description="from what")
    others_at: Where = Field("", description="where everybody else is meanwhile; empty: anywhere")
    types: list[TypedFigure] = Field([], max_length=8, description="measured here and typed into the routine")
    until: CatalogueText | None = Field(None, description="what must be so before the next; else it is done once more")
    most: int = Field(
        1, ge=1, le=20, description="how often it is done at most, where it is done until something is so"
    )
    link: Literal["", "key", "start", "answer"] = Field(
        "", description="what the link to the vehicle sees of it: the key turned so, the routine started or ended"
    )


class FloorLimits(Frozen):
    """What the floor must be under wheels and targets; judged where the bay was surveyed."""

    warp: Positive = Field(description="of the four tyres' places off one plane, mm")
    correction: Positive = Field(description="of the floor at a target against the tyres' plane, mm")
    flatness: Positive | None = Field(None, description="of the floor from the rear axle to the target, mm")


class Procedure(CatalogueEntry):
    """A procedure sheet: where the target must stand, and every check on the way there."""

    title: CatalogueText
    note: CatalogueText = Field(description="shown on every screen and record that uses the sheet")
    vehicle: str = Field(description="id of the vehicle model in the catalogue")
    reasons: list[str] = Field(min_length=1, description="reasons for a visit that this sheet serves")
    covers: dict[str, list[str]] = Field({}, description="question of the model: the options that this sheet is for")
    sensor: Sensor
    line: Literal["thrust", "body", "axis", "none"] = Field(
        description="the line that is prescribed; thrust falls back on body until it is known; none: pitch only"
    )
    datum: Datum = Field(description="the part that the distance is counted from")
    datum_side: Literal["mean", "left", "right"] = Field("mean", description="which hub, where the datum is a pair")
    proxy: Proxy = Field(Proxy(), description="of the true datum from that part, where the part stands in for it")
    distance: Positive = Field(description="from the datum to the target's face, along the line, mm")
    distance_to: DistanceTo = Field("face", description="what of target or frame the distance is counted to")
    distance_by: Literal["frame", "direct"] = Field(
        "frame", description="found from where the frame stands, or read straight from the part to the target's face"
    )
    offset: Number = Field(0.0, description="of the target's centre from the line, left positive, mm")
    offset_from: OffsetFrom = Field("line", description="what that counts from: the line, the sensor measured, a hub")
    height: Positive = Field(description="of the target's centre, mm")
    height_to: HeightTo = Field("centre", description="what of the target the height is of")
    height_from: Literal["floor", "tyres"] = Field(
        "floor", description="what the height is counted from: the floor at the target, or the plane of the tyres"
    )
    level_to: Literal["gravity", "tyres"] = Field(
        "gravity", description="what level means: gravity, or the plane that the tyres stand on (floor or runway)"
    )
    mount_threshold: Positive | None = Field(
        None, description="how far off the middle a sensor sits for which a stand's mount at its side is used, mm"
    )
    sees_by: Literal["camera", "radar"] = Field("camera", description="what must be kept out of its sight")
    steered: Literal["LF", "RF", "either"] = Field(
        "LF", description="front wheel that is read against the beam on a rack; either: whichever the clamp is on"
    )
    squared_from: Literal["front_hubs", "rear_hubs"] = Field(
        "front_hubs", description="which axle's hubs the tapes to the beam start from; those of the other are optional"
    )
    side: Side | None = Field(None, description="on which side the sensor sits, where the vehicle has two like it")
    units: list[Unit] = Field([], description="those two, as the tester calls them")
    mounting: Mounting
    room: list[Zone] = Field([], description="kept clear while the procedure runs")
    places: list[TargetPlace] = Field([], description="where targets stand; empty: the one place of the sheet")
    stations: list[Station] = Field([], description="places that it is run at, in their order; empty: one run")
    fresh: dict[Ages, Positive] = Field({}, description="minutes after which what was read must be read again")
    floor: FloorLimits | None = Field(None, description="limits that only a survey can judge")
    checks: list[SerializeAsAny[CheckSpec]] = Field(min_length=1)
    cautions: list[CatalogueText]
    results: list[ResultFigure] = Field([], description="what the routine shows; empty: passed or failed alone")
    lines: list[ResultLine] = Field([], description="what the vehicle shows for each lens between two limit lines")
    cameras: list[Camera] = Field([], description="each of which passes or fails alone; empty: there is one")
    steps: list[RunStep] = Field(
        [], max_length=40, description="of the run, in their order; empty: it is told when done"
    )
    keeps_away: Positive | None = Field(None, description="how far people stay from the vehicle in the whole run, mm")
    most_runs: int = Field(3, ge=1, description="after so many the cause is looked for before another")
    adjusting: Adjusting | None = Field(None, description="how the sensor is turned where the routine fails")

    cases: list[Case] = Field([], max_length=24, description="when it reads otherwise: equipment, tyres, variants")

    @field_validator("checks", mode="before")
    @classmethod
    def _by_kind(cls, checks: Any) -> Any:
        if not isinstance(checks, list):
            return checks
        found = []
        for k, entry in enumerate(checks):
            if isinstance(entry, CheckSpec):
                found.append(entry)
                continue
            kind = entry.get("kind") if isinstance(entry, dict) else entry
            spec = CheckSpec.registered.get(str(kind))
            if spec is None:
                known = ", ".join(sorted(CheckSpec.registered))
                raise BadInput("kind", kind, said("wants.kind_check", known=known), f"checks.{k}.kind")
            try:
                found.append(spec.read(entry))
            except BadInput as cause:
                raise BadInput(cause.field, cause.given, cause.accepted, f"checks.{k}.{cause.where}") from cause
        return found

    @model_validator(mode="after")
    def _unique(self) -> Self:
        each_once("checks", (check.id for check in self.checks), said("wants.each_checks_id_once"))
        if (self.offset_from == "sensor") != any(check.kind == "sensor_place" for check in self.checks):
            raise BadInput("offset_from", self.offset_from, said("wants.sensor_and_its_check"))
        if self.distance_by == "direct" and self.datum in ("front_hubs", "rear_hubs"):
            raise BadInput("distance_by", self.distance_by, said("wants.direct_from_a_part"))
        each_once("results", (figure.id for figure in self.results), said("wants.each_results_id_once"))
        each_once("lines", (one.id for one in self.lines), said("wants.each_lines_id_once"))
        each_once("cameras", (one.id for one in self.cameras), said("wants.each_cameras_id_once"))
        places = [one.id for one in self.stations]
        for camera in self.cameras:
            if camera.station and camera.station not in places:
                raise BadInput("station", camera.station, said("wants.one", names=nouns(places, "comma")))
        each_once("steps", (step.id for step in self.steps), said("wants.each_steps_id_once"))
        told = [check.id for check in self.checks]
        stranger = next((one.of for step in self.steps for one in step.types if one.of not in told), None)
        if stranger is not None:
            raise BadInput("of", stranger, said("wants.one", names=nouns(told, "comma")))
        if any((step.until is None) != (step.most == 1) for step in self.steps):
            raise BadInput("most", "1", said("wants.until_and_most"))
        if any(step.heights for step in self.steps) and not any(getattr(c, "routine", None) for c in self.checks):
            raise BadInput("steps", "heights", said("wants.routine_of_ride_height"))
        if (self.units or any(step.unit for step in self.steps)) and (
            self.side is None or {unit.side for unit in self.units} != set(get_args(Side)) or len(self.units) != 2
        ):
            raise BadInput("units", [unit.side for unit in self.units], said("wants.two_units_and_side"))
        by_mirror = self.adjusting is not None and self.adjusting.mirror is not None
        if by_mirror != any(check.kind == "mirror" for check in self.checks):
            raise BadInput("adjusting", "mirror" if by_mirror else "routine", said("wants.mirror_and_its_check"))
        if (
            self.adjusting is not None
            and not by_mirror
            and not {"aim_yaw", "aim_pitch"} <= {figure.way for figure in self.results}
        ):
            raise BadInput("results", [figure.way for figure in self.results], said("wants.results_yaw_pitch"))
        each_once("stations", (station.id for station in self.stations), said("wants.each_stations_id_once"))
        each_once("cases", (case.id for case in self.cases), said("wants.each_cases_id_once"))
        for k, case in enumerate(self.cases):
            try:
                self.in_case([case])
            except BadInput as cause:
                raise BadInput(cause.field, cause.given, cause.accepted, f"cases.{k}.{cause.where}") from cause
        named = [station.id for station in self.stations]
        known = [place.id for place in self.places]
        lost = next((s.place for s in self.stations if s.own_place and s.place not in known), None)
        if lost is not None:
            raise BadInput("place", lost, said("wants.one_sheets_places", names=nouns(known, "comma")))
        tied = [part.stations for part in self.checks]
        tied += [zone.stations for zone in self.room] + [place.stations for place in self.places]
        stray = next((id for stations in tied for id in stations if id not in named), None)
        if stray is not None:
            raise BadInput("stations", stray, said("wants.stations_sheet", names=nouns(named, "comma")))
        return self

    @property
    def targets(self) -> list[str]:
        """Ids of every target that it hangs or stands, its own first."""
        sheets = [self, *(self.in_case([case]) for case in self.cases if case.differs)]
        own = [sheet.mounting for sheet in sheets]
        own += [station.mounting for sheet in sheets for station in sheet.stations if station.mounting is not None]
        own += [mounting for sheet in sheets for check in sheet.checks for mounting in check.mountings]
        return list(dict.fromkeys(mounting.target for mounting in own))

    @property
    def names(self) -> list[tuple[str, str]]:
        """Kind and id of every entry of the catalogue that it names."""
        own = [("target", id) for id in self.targets] + [("stand", id) for id in self.stands]
        return [("vehicle", self.vehicle), *own]

    @property
    def stands(self) -> list[str]:
        """Ids of every stand that it names."""
        sheets = [self, *(self.in_case([case]) for case in self.cases if case.differs)]
        named = [station.stand for sheet in sheets for station in sheet.stations if station.stand]
        return list(dict.fromkeys(named))

    def in_case(self, cases: Sequence[Case]) -> "Procedure":
        """The sheet as it reads where these cases apply, in their order; raises ``BadInput`` where that is no sheet."""
        if not cases:
            return self
        data = self.model_dump(mode="json", exclude={"cases"})
        for case in cases:
            data = with_case(data, case)
        return Procedure.read(data)

    def reads_by(self, circumstances: Circumstances) -> list[Case]:
        """The cases that apply."""
        return [case for case in self.cases if applies(case, circumstances)]

    def at(self, station: Station) -> "Procedure":
        """The sheet as it reads at one of its stations."""
        given = {"distance": station.distance, "offset": station.offset, "height": station.height}
        figures: dict[str, Any] = {name: value for name, value in given.items() if value is not None}
        if station.aims:
            figures["steps"] = []
        if station.mounting is not None:
            figures["mounting"] = station.mounting
        nominal: dict[str, float] = {"hang": station.hang}
        about = {"distance": station.distance, "target_height": station.height, "spacing": station.spacing}
        nominal |= {kind: value for kind, value in about.items() if value is not None}
        checks = []
        for check in self.checks:
            if check.stations and station.id not in check.stations:
                continue
            if not check.stations and check.carried_by not in ("", station.carrier):
                continue
            limits = getattr(check, "limits", None)
            if check.kind in nominal and isinstance(limits, Limits):
                moved = limits.model_copy(update={"nominal": nominal[check.kind]})
                check = check.model_copy(update={"limits": moved})
            checks.append(check)
        return self.model_copy(update={**figures, "checks": checks})


def datum_at(procedure: Procedure, vehicle: VehicleModel) -> tuple[float, float]:
    """x, y of the true datum in vehicle axes, where everything is where it should be."""
    x, y = {
        "front_hubs": (vehicle.wheelbase, 0.0),
        "rear_hubs": (0.0, 0.0),
        "windscreen_camera": (procedure.sensor.x, procedure.sensor.y),
        "sensor": (procedure.sensor.x, procedure.sensor.y),
    }.get(procedure.datum, (vehicle.wheelbase + vehicle.outline.front_overhang, 0.0))
    return x + procedure.proxy.forward, y + procedure.proxy.left
