"""What the catalogue says of vehicle models, targets and calibration frames: their profiles.

Lengths in millimetres, angles in degrees; vehicle axes after ISO 8855, frame axes as ``axes`` has them.
"""

import math
from typing import Literal, Self

from pydantic import Field, model_validator

from escuadra.core.base.corners import FRONT, Corner, aside
from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, NotNegative, Number, Positive
from escuadra.core.base.said import nouns, said
from escuadra.core.procedure.feet import Foot
from escuadra.core.procedure.fitted import CHASSIS, PLAN, Area, CarriedSensor, VehiclePart
from escuadra.core.procedure.variants import Question, Variant
from escuadra.core.vehicle.ballast import MOST_PLACES, BallastPlace
from escuadra.core.vehicle.scope import MakersRule, ScopeInput


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
    asked: bool = Field(True, description="it must be looked at; else it counts as anything from empty to full")


class VehicleModel(CatalogueEntry):
    """A vehicle model: hubs, arches, outline, marks."""

    name: str
    variant: str
    years: list[int] = Field([], max_length=2, description="first and last year of build; one alone: still built")
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
    ballast_places: list[BallastPlace] = Field([], max_length=MOST_PLACES)
    sensors: list[CarriedSensor] = Field([], description="driver-assistance sensors, in the order of their calibration")
    parts: list[VehiclePart] = Field([], description="parts that this model has besides ours, or elsewhere")
    rules: list[MakersRule] = Field([], description="what the maker wants calibrated after what was done")
    questions: list[Question] = Field([], description="what has to be known of the very vehicle before a sheet opens")
    variants: list[Variant] = Field([], description="what it can be by the answers, each with what differs")

    @model_validator(mode="after")
    def _sensors_known(self) -> Self:
        ScopeInput(sensors=[sensor.fitted for sensor in self.sensors], rules=self.rules)
        each_once("parts", (part.id for part in self.parts), said("wants.each_parts_id_once"))
        named = [part for sensor in self.sensors for part in sensor.parts] + [rule.part for rule in self.rules]
        stray = next((part for part in named if part not in self.areas), None)
        if stray is not None:
            raise BadInput("parts", stray, said("wants.part_model_names", names=nouns(self.areas, "comma")))
        options = {question.id: {option.id for option in question.options} for question in self.questions}
        for variant in self.variants:
            for id, wanted in variant.when.items():
                lost = next((option for option in wanted if option not in options.get(id, ())), None)
                if lost is not None or id not in options:
                    raise BadInput("when", lost or id, said("wants.option_of_questions", names=nouns(options, "comma")))
            self.as_variant(variant)
        return self

    def as_variant(self, variant: Variant) -> "VehicleModel":
        """The model with what differs on a variant; raises ``BadInput`` for fields that it does not have."""
        plain = self.model_dump(mode="json", exclude={"variants"})
        return VehicleModel.read({**plain, **variant.differs, "variant": variant.name})

    @property
    def areas(self) -> dict[str, Area | None]:
        """Every part that something can have been done to, and where it lies on the plan; sensors are parts too."""
        own = dict.fromkeys(sensor.id for sensor in self.sensors)
        return {**PLAN, **dict.fromkeys(CHASSIS), **own, **{part.id: part.area for part in self.parts}}

    def sensor(self, id: str) -> CarriedSensor:
        """A sensor that it carries; raises ``StopIteration`` for another."""
        return next(sensor for sensor in self.sensors if sensor.id == id)

    def hub(self, corner: Corner) -> tuple[float, float]:
        """x, y of a hub face in vehicle axes."""
        x = self.wheelbase if corner in FRONT else 0.0
        half = (self.hub_track_front if corner in FRONT else self.hub_track_rear) / 2
        return x, aside(corner) * half

    def contact(self, corner: Corner) -> tuple[float, float]:
        """x, y of the middle of a tyre's contact with the floor in vehicle axes."""
        x, y = self.hub(corner)
        return x, y - math.copysign(self.tyre_width / 2, y)


class Target(CatalogueEntry):
    """A target: what is read off it, and what it allows."""

    name: str
    mark: str = Field(description="the identity printed on it")
    sides: list[str] = Field(min_length=1)
    ways_up: list[str] = Field(min_length=1)
    fixings: list[str] = Field(min_length=1)
    width: Positive
    height: Positive
    mass_kg: Positive | None = None
    aims_by: Literal["position", "orientation"] = Field(
        "position", description="what of it the sensor finds: where its centre is, or where a flat board faces"
    )
    drop: Number | None = Field(None, description="of its centre below the beam that carries it, mm")
    behind: dict[Literal["edge", "cross", "apex"], Number] = Field(
        {}, description="how far behind its face its edge, its stand's cross or its reflector's apex lies, mm"
    )


class Extension(Frozen):
    """A piece that carries the target beyond the beam's end."""

    name: str
    reach: Positive = Field(description="further sideways than without it, mm")


class FrameProfile(CatalogueEntry):
    """A calibration frame's mechanics."""

    name: str
    beam_length: Positive = Field(description="between the points where the tapes are held")
    face_offset: NotNegative = Field(description="from the beam towards the vehicle to the target's face")
    plate_offset: Number | None = Field(
        None, description="from the beam towards the vehicle to the slide plate that sheets count to, mm"
    )
    u_face_mm: Positive = Field(0.2, description="of that offset, as a target hangs, one sigma")
    pivot: tuple[Number, Number] = Field(description="of the yaw screw, frame axes")
    screw: tuple[Number, Number] = Field(description="where the yaw screw is, frame axes")
    yaw_deg_per_turn: Number = Field(description="of the beam for a turn clockwise seen from above")
    u_yaw_share: Positive = Field(0.1, description="of yaw_deg_per_turn, as a share of it, one sigma")
    yaw_lost_deg: NotNegative = Field(0.04, description="motion that a reversal of the yaw screw loses, one sigma")
    yaw_travel_deg: Positive = Field(6.0, description="of the screw to either side of its zero mark")
    u_kept_mm: Positive = Field(
        0.2, description="of the beam's distance over a slide or a target's change, mm, one sigma"
    )
    u_kept_deg: Positive = Field(0.005, description="of the yaw over such a move, one sigma")
    u_handled_mm: Positive = Field(
        0.7, description="of the place along the beam when a target is hung or shifted, mm, one sigma"
    )
    slide_travel: Positive = Field(160.0, description="of the beam's slide to either side of its zero mark, mm")
    reach: Positive = Field(900.0, description="how far from the beam's middle a target's centre can hang, mm")
    extensions: list[Extension] = []
    mount_threshold: Positive | None = Field(
        None, description="sensor's offset beyond which the left or the right mount is used, mm; none: one mount"
    )
    sag_per_kg: NotNegative = Field(0.0, description="of the beam's end for a target that hangs there, mm a kilogram")
    tilt_notches_deg: list[Number] = Field([], description="of the tilt lever, the board's top away positive")
    height_per_turn: Positive = Field(description="of the crank, mm")
    height_range: tuple[Positive, Positive] = Field((350.0, 2100.0), description="of a target's centre, mm")
    feet: list[Foot] = Field([], description="the levelling feet, frame axes; none: it is levelled in another way")
    thread_pitch: Positive = Field(2.0, description="of the feet, mm a turn")
    clockwise_raises: bool = Field(True, description="a foot turned clockwise, seen from above, raises its corner")
    transport_wheels: bool = Field(True, description="it is rolled on wheels and set down from them")
    brakes: bool = Field(True, description="its feet or wheels have brakes")
    excludes: list[str] = Field(
        [], description="kinds of reading that cannot be taken while the target hangs, such as scale"
    )
    beam_height: Positive = Field(650.0, description="usual height of its scale above the floor, mm")
    scale_zero: Number = Field(0.0, description="reading of the beam's scale at its centre, increasing to the left")


class StandProfile(CatalogueEntry):
    """A stand that carries a target at a place of its own: how high, by what, and the floor that it takes."""

    name: str
    height_range: tuple[Positive, Positive] = Field(description="of a target's centre above the floor, mm")
    fixings: list[str] = Field(min_length=1, description="by which it holds a target")
    width: Positive = Field(description="of the floor that it takes, along the target's face, mm")
    depth: Positive = Field(description="of that, square to the face, mm")
    cross_behind: Number | None = Field(
        None, description="how far behind the target's face the cross on its foot lies, mm; none: it has none"
    )
