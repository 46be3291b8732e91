"""What a procedure sheet, a vehicle model, a target and a frame profile say.

A procedure lists check instances; each kind of check registers its own specification class here, so a new kind is
one class. Lengths in millimetres, angles in degrees, slopes in percent; vehicle axes after ISO 8855.
"""

import math
from collections.abc import Callable
from typing import Any, ClassVar, Literal, Self, TypeVar

from pydantic import Field, SerializeAsAny, field_validator, model_validator

from escuadra.core.ballast import BallastPlace
from escuadra.core.bay import SOLID, ThingKind
from escuadra.core.errors import BadInput
from escuadra.core.feet import Foot
from escuadra.core.model import Frozen, NotNegative, Number, Positive
from escuadra.core.stance import Corner

Group = Literal["ready", "stance", "line", "frame", "target", "clear"]
GROUPS: dict[Group, str] = {
    "ready": "Ready",
    "stance": "Ride height",
    "line": "Line",
    "target": "Target",
    "frame": "Frame",
    "clear": "Surroundings",
}
"""In the order of the sheet: a target is mounted before the frame is judged, since mounting spoils centre and level."""
LineChoice = Literal["thrust", "body", "axis"]
"""``axis``: through the middles of both axles, where neither wheels nor body were looked at."""
Datum = Literal["front_hubs", "rear_hubs", "bumper", "emblem", "plate", "windscreen_camera", "sensor"]
DATUM_WORDS: dict[Datum, str] = {
    "front_hubs": "front hubs",
    "rear_hubs": "rear hubs",
    "bumper": "bumper",
    "emblem": "emblem",
    "plate": "number plate",
    "windscreen_camera": "windscreen camera",
    "sensor": "sensor",
}
T = TypeVar("T", bound="CheckSpec")


class Limits(Frozen):
    """Allowed from nominal − minus to nominal + plus."""

    nominal: Number = 0.0
    minus: NotNegative
    plus: NotNegative

    @property
    def lower(self) -> float:
        """Lower limit."""
        return self.nominal - self.minus

    @property
    def upper(self) -> float:
        """Upper limit."""
        return self.nominal + self.plus


class CheckSpec(Frozen):
    """A check instance as the procedure states it; each kind of check adds its own figures."""

    registered: ClassVar[dict[str, type["CheckSpec"]]] = {}

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    kind: str
    group: Group
    title: str
    rule: Literal["guarded", "simple"] = "guarded"
    optional: bool = Field(False, description="an optional check that was never begun does not hold up signing")


def check_kind(name: str) -> Callable[[type[T]], type[T]]:
    """Register a specification class as the kind ``name`` of check."""

    def register(spec: type[T]) -> type[T]:
        CheckSpec.registered[name] = spec
        return spec

    return register


class Sensor(Frozen):
    """The sensor to be calibrated and where it sits."""

    name: str
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


class Zone(Frozen):
    """Room that the procedure needs, as a rectangle in vehicle axes."""

    name: str = Field(description="what it is for, as in: sight to the target")
    x_from: Number
    x_to: Number
    y_from: Number
    y_to: Number
    free_of: list[ThingKind] = Field(list(SOLID), description="kinds of things that must not be in it")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.x_from >= self.x_to:
            raise BadInput("x_to", self.x_to, f"more than x_from, {self.x_from:g}")
        if self.y_from >= self.y_to:
            raise BadInput("y_to", self.y_to, f"more than y_from, {self.y_from:g}")
        return self


class TargetPlace(Frozen):
    """A place where a target stands, in vehicle axes, and the floor that its stand takes."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    x: Number
    y: Number
    facing_deg: Number = Field(180.0, description="where its face looks: 180 is backward, at the vehicle")
    width: Positive = Field(1600.0, description="of board or stand, along its face")
    depth: Positive = Field(900.0, description="of the stand, behind its face")


class FloorLimits(Frozen):
    """What the floor must be under wheels and targets; judged where the bay was surveyed."""

    warp: Positive = Field(description="of the four tyres' places off one plane, mm")
    correction: Positive = Field(description="of the floor at a target against the tyres' plane, mm")
    flatness: Positive | None = Field(None, description="of the floor from the rear axle to the target, mm")


class Procedure(Frozen):
    """A procedure sheet: where the target must stand, and every check on the way there."""

    id: str
    revision: int = Field(ge=1)
    title: str
    note: str = Field(description="shown on every screen and record that uses the sheet")
    vehicle: str = Field(description="id of the vehicle model in the catalogue")
    reasons: list[str] = Field(min_length=1, description="reasons for a visit that this sheet serves")
    sensor: Sensor
    line: Literal["thrust", "body", "axis", "none"] = Field(
        description="the line that is prescribed; thrust falls back on body until it is known; none: pitch only"
    )
    datum: Datum = Field(description="the part that the distance is counted from")
    datum_side: Literal["mean", "left", "right"] = Field("mean", description="which hub, where the datum is a pair")
    proxy: Proxy = Field(Proxy(), description="of the true datum from that part, where the part stands in for it")
    distance: Positive = Field(description="from the datum to the target's face, along the line, mm")
    offset: Number = Field(0.0, description="of the target's centre from the line, left positive, mm")
    height: Positive = Field(description="of the target's centre, mm")
    height_from: Literal["floor", "tyres"] = Field(
        "floor", description="what the height is counted from: the floor at the target, or the plane of the tyres"
    )
    level_to: Literal["gravity", "tyres"] = Field(
        "gravity", description="what level means: gravity, or the plane that the tyres stand on (floor or runway)"
    )
    sees_by: Literal["camera", "radar"] = Field("camera", description="what must be kept out of its sight")
    mounting: Mounting
    room: list[Zone] = Field([], description="kept clear while the procedure runs")
    places: list[TargetPlace] = Field([], description="where targets stand; empty: the one place of the sheet")
    floor: FloorLimits | None = Field(None, description="limits that only a survey can judge")
    checks: list[SerializeAsAny[CheckSpec]] = Field(min_length=1)
    cautions: list[str]

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
                raise BadInput("kind", kind, f"a kind of check: {known}", f"checks.{k}.kind")
            try:
                found.append(spec.read(entry))
            except BadInput as cause:
                raise BadInput(cause.field, cause.given, cause.accepted, f"checks.{k}.{cause.where}") from cause
        return found

    @model_validator(mode="after")
    def _unique(self) -> Self:
        ids = [check.id for check in self.checks]
        twice = next((i for i in ids if ids.count(i) > 1), None)
        if twice is not None:
            raise BadInput("checks", twice, "each check's id once")
        return self


class Outline(Frozen):
    """The body's outline for the drawing."""

    front_overhang: Positive = Field(description="from the front axle to the bumper")
    rear_overhang: Positive
    width: Positive
    height: Positive


class CentreMarks(Frozen):
    """Where centre marks are plumbed from symmetrical pairs, and how symmetrical the body is."""

    front_x: Number
    rear_x: Number
    u_symmetry_mm: Positive = Field(description="of a pair's middle about the vehicle's, one sigma")
    u_emblem_mm: Positive = Field(3.0, description="of an emblem about the vehicle's middle, one sigma")
    front_pairs: list[str] = Field(min_length=1, description="what to measure between")
    rear_pairs: list[str] = Field(min_length=1)


class Arches(Frozen):
    """Nominal floor-to-arch heights."""

    LF: Positive
    RF: Positive
    LR: Positive
    RR: Positive


class Tyres(Frozen):
    """What a vehicle stands on: the allowed sizes and the pressures of cold tyres."""

    sizes: list[str] = Field(min_length=1)
    front_kpa: Positive
    rear_kpa: Positive


class Filled(Frozen):
    """A tank or a fluid that counts in the vehicle's mass."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: str
    litres: Positive = Field(description="where it is full")
    kg_per_litre: Positive
    x: Number
    y: Number = 0.0


class VehicleModel(Frozen):
    """A vehicle model: hubs, arches, outline, marks."""

    id: str
    revision: int = Field(ge=1)
    name: str
    variant: str
    wheelbase: Positive
    hub_track_front: Positive = Field(description="between the hub faces, where the tape is held")
    hub_track_rear: Positive
    u_hub_mm: Positive = Field(description="of a hub face's place, one sigma")
    hub_height: Positive
    tyre_diameter: Positive
    tyre_width: Positive = 215.0
    arches: Arches
    outline: Outline
    marks: CentreMarks
    tyres: Tyres | None = None
    filled: list[Filled] = Field([], description="tank and fluids")
    ballast_places: list[BallastPlace] = []

    def hub(self, corner: Corner) -> tuple[float, float]:
        """x, y of a hub face in vehicle axes."""
        x = self.wheelbase if corner[1] == "F" else 0.0
        half = (self.hub_track_front if corner[1] == "F" else self.hub_track_rear) / 2
        return x, half if corner[0] == "L" else -half

    def contact(self, corner: Corner) -> tuple[float, float]:
        """x, y of the middle of a tyre's contact with the floor in vehicle axes."""
        x, y = self.hub(corner)
        return x, y - math.copysign(self.tyre_width / 2, y)


class Target(Frozen):
    """A target: what is read off it, and what it allows."""

    id: str
    revision: int = Field(ge=1)
    name: str
    mark: str = Field(description="the identity printed on it")
    sides: list[str] = Field(min_length=1)
    ways_up: list[str] = Field(min_length=1)
    fixings: list[str] = Field(min_length=1)
    width: Positive
    height: Positive


class Extension(Frozen):
    """A piece that carries the target beyond the beam's end."""

    name: str
    reach: Positive = Field(description="further sideways than without it, mm")


class FrameProfile(Frozen):
    """A calibration frame's mechanics."""

    id: str
    revision: int = Field(ge=1)
    name: str
    beam_length: Positive = Field(description="between the points where the tapes are held")
    face_offset: NotNegative = Field(description="from the beam towards the vehicle to the target's face")
    pivot: tuple[Number, Number] = Field(description="of the yaw screw, frame axes")
    screw: tuple[Number, Number] = Field(description="where the yaw screw is, frame axes")
    yaw_deg_per_turn: Number = Field(description="of the beam for a turn clockwise seen from above")
    u_yaw_share: Positive = Field(0.1, description="of yaw_deg_per_turn, as a share of it, one sigma")
    yaw_lost_deg: NotNegative = Field(0.04, description="motion that a reversal of the yaw screw loses, one sigma")
    yaw_travel_deg: Positive = Field(6.0, description="of the screw to either side of its zero mark")
    slide_travel: Positive = Field(160.0, description="of the beam's slide to either side of its zero mark, mm")
    reach: Positive = Field(900.0, description="how far from the beam's middle a target's centre can hang, mm")
    extensions: list[Extension] = []
    height_per_turn: Positive = Field(description="of the crank, mm")
    height_range: tuple[Positive, Positive] = Field((350.0, 2100.0), description="of a target's centre, mm")
    feet: list[Foot] = Field([], description="the levelling feet, frame axes; none: it is levelled in another way")
    thread_pitch: Positive = Field(2.0, description="of the feet, mm a turn")
    clockwise_raises: bool = Field(True, description="a foot turned clockwise, seen from above, raises its corner")
    transport_wheels: bool = True
    excludes: list[str] = Field(
        [], description="kinds of reading that cannot be taken while the target hangs, such as scale"
    )
    beam_height: Positive = Field(650.0, description="usual height of its scale above the floor, mm")
    scale_zero: Number = Field(0.0, description="reading of the beam's scale at its centre, increasing to the left")


def datum_at(procedure: Procedure, vehicle: VehicleModel) -> tuple[float, float]:
    """x, y of the true datum in vehicle axes, where everything is where it should be."""
    x, y = {
        "front_hubs": (vehicle.wheelbase, 0.0),
        "rear_hubs": (0.0, 0.0),
        "windscreen_camera": (procedure.sensor.x, procedure.sensor.y),
        "sensor": (procedure.sensor.x, procedure.sensor.y),
    }.get(procedure.datum, (vehicle.wheelbase + vehicle.outline.front_overhang, 0.0))
    return x + procedure.proxy.forward, y + procedure.proxy.left
