"""What a sheet counts its figures from and to, where that is not the target's face or its centre.

Source: our own reading of how sheets are worded. A distance to the beam or to a reflector's apex is turned into one to
the target's face by what the frame's and the target's profiles state, a height of an edge into one of the centre by the
board's height; what is shown and judged stays in the sheet's own terms.
"""

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Noun, said
from escuadra.core.procedure.profiles import FrameProfile, StandProfile, Target, VehicleModel
from escuadra.core.procedure.sheet import Mounting, Procedure, TargetPlace

EDGES = {"centre": 0.0, "bottom_edge": 0.5, "top_edge": -0.5}
"""How far up the centre is from what a height is of, as a share of the board's height."""


def face_ahead(frame: FrameProfile, mounting: Mounting) -> float:
    """From the beam towards the vehicle to the target's face, with its spacers, mm."""
    return frame.face_offset + mounting.spacer


def behind_face(procedure: Procedure, target: Target, frame: FrameProfile, stand: StandProfile | None = None) -> float:
    """How far behind the target's face what the distance is counted to lies, mm; raises ``BadInput`` where unknown."""
    to = procedure.distance_to
    if to == "face":
        return 0.0
    ahead = face_ahead(frame, procedure.mounting)
    if to == "beam":
        return ahead
    found = target.behind.get(to) if to != "slide_plate" else frame.plate_offset
    if to == "cross" and stand is not None:
        found = stand.cross_behind
    if found is None:
        raise BadInput("distance_to", Noun(f"distance_to.{to}"), said("wants.profile_that_states_it"))
    return ahead - found if to == "slide_plate" else found


def up_to_centre(procedure: Procedure, target: Target) -> float:
    """How far the target's centre is above what the height is of, mm."""
    return EDGES[procedure.height_to] * target.height


def placed_by_vehicle(place: TargetPlace, vehicle: VehicleModel) -> TargetPlace:
    """A place in vehicle axes, whatever its figures count from."""
    x, y = {
        "rear_axle": (0.0, 0.0),
        "front_axle": (vehicle.wheelbase, 0.0),
        "front_bumper": (vehicle.wheelbase + vehicle.outline.front_overhang, 0.0),
        "rear_bumper": (-vehicle.outline.rear_overhang, 0.0),
    }.get(place.counted_from) or vehicle.hub(place.counted_from)  # type: ignore[arg-type]
    return place.model_copy(update={"x": x + place.x, "y": y + place.y, "counted_from": "rear_axle"})


def aside(procedure: Procedure, vehicle: VehicleModel) -> float:
    """Where the target's centre is wanted left of the vehicle's middle, mm, where everything is where it should be."""
    at = procedure.offset_from
    if at == "line":
        return procedure.offset
    return procedure.offset + (procedure.sensor.y if at == "sensor" else vehicle.hub(at)[1])
