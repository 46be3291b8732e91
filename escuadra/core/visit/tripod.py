"""A target on a stand before the vehicle: what is read there, and where it then is against where it must be.

How the line comes to the stand is the station's: two marks on the floor or a taped line joined to it, a plane over the
roof from behind the vehicle, or a plane from a laser that is seated on the stand and turned onto the rear emblem, read
beside the front one; that one counts by its lever, and from its seat. Solved as ``tripod``; millimetres and degrees.
"""

import math
from dataclasses import dataclass

from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Noun, said
from escuadra.core.run.tripod import MOST_LEAN_DEG, TripodInput, TripodResult, tripod
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.slots import Measured, Slot

TRIPOD = frozenset({"tripod"})
MOST_OFF = 600.0
"""Nobody sets a stand down farther from its line."""


@dataclass(frozen=True)
class Standing:
    """Where the target is, with its leans as they were read."""

    solution: TripodResult
    away: Measured
    left: Measured


def wanted_distance(plan: Plan) -> float:
    """What a meter at the stand shows to the vehicle's part, where all stands right: that stands in for the datum."""
    return plan.distance + plan.procedure.proxy.forward


def tripod_slots(plan: Plan) -> list[Slot]:
    """What is read at the stand, in the order in which it is best read: level, distance, then the line, the height."""
    station, part, height = plan.station, plan.procedure.datum, plan.target_above_floor - plan.up_to_centre
    assert station is not None
    far = wanted_distance(plan)

    def lean(id: str, way: str) -> Slot:
        return Slot(
            id=id,
            label=said(f"slot.{id}"),
            quantity=Quantity(dimension="angle", unit="°", low=-MOST_LEAN_DEG / 2, high=MOST_LEAN_DEG / 2),
            aspects=TRIPOD,
            reads="level",
            way=way,
            hint=said("tripod.level_hint"),
        )

    return [
        lean("tripod.away", "pitch"),
        lean("tripod.left", "top_left"),
        Slot(
            id="tripod.distance",
            label=said("slot.tripod.distance", part=Noun(f"datum.{part}")),
            quantity=Quantity(dimension="length", unit="mm", low=0.5 * far, high=1.6 * far),
            aspects=TRIPOD | {"line"},
            reads="tape",
            hint=said("tripod.distance_hint"),
        ),
        Slot(
            id="tripod.line",
            label=said(f"slot.tripod.line.{station.line_by}"),
            quantity=Quantity(dimension="length", unit="mm", low=-MOST_OFF, high=MOST_OFF),
            aspects=TRIPOD | {"line"},
            reads="rule",
            way="side",
            hint=said(f"tripod.line_hint.{station.line_by}"),
        ),
        Slot(
            id="tripod.height",
            label=said(f"stations.stands_{plan.procedure.height_to}_above_floor"),
            quantity=Quantity(dimension="length", unit="mm", low=0.5 * height, high=1.6 * height),
            aspects=TRIPOD,
            reads="height",
            hint=said("tripod.height_hint"),
        ),
    ]


def wanted_left(epochs: Epochs) -> tuple[float, float]:
    """Where the target's middle must be, left of the line, and u: the sensor's own place, where that was measured."""
    measured = epochs.current_of("sensor.offset")
    return (measured.value, measured.u) if measured is not None else (epochs.plan.aside, 0.0)


def standing(epochs: Epochs) -> Standing | None:
    """Where the stand's target is; nothing while something of it was not read."""
    plan = epochs.plan
    found = [epochs.now(slot) for slot in tripod_slots(plan)]
    away, left, distance, line, height = found
    if away is None or left is None or distance is None or line is None or height is None:
        return None
    passes, u_line = _line(epochs, line)
    wanted, u_wanted = wanted_left(epochs)
    rise = plan.rise_at_target
    solution = tripod(
        TripodInput(
            distance=distance.value,
            wanted_distance=wanted_distance(plan),
            line=passes,
            wanted_left=wanted,
            height=height.value + plan.up_to_centre,
            wanted_height=plan.target_above_floor,
            lean_away_deg=away.value,
            lean_left_deg=left.value,
            u_distance=distance.u,
            u_line=math.hypot(u_line, u_wanted),
            u_height=math.hypot(height.u, rise.u if rise is not None else 0.0),
            u_lean_deg=max(away.u, left.u),
        )
    )
    return Standing(solution, away, left)


def _line(epochs: Epochs, read: Measured) -> tuple[float, float]:
    """How far left of the target's middle the line passes, and u."""
    plan, station, marks = epochs.plan, epochs.plan.station, epochs.marks
    assert station is not None
    if station.line_by == "marks":
        at = plan.vehicle.marks
        lever = (plan.target_place.x - at.rear_x) / (at.front_x - at.rear_x)
        return read.value, math.hypot(read.u, lever * marks["front"].u, (lever - 1) * marks["rear"].u)
    lever, u_emblems = emblem_lever(plan)
    if station.line_by == "roof":
        return read.value, math.hypot(read.u, u_emblems)
    # The plane leaves the seat, meets the rear emblem and passes the front one at what was read.
    return station.seat - read.value * lever, math.hypot(read.u * lever, u_emblems)


def emblem_lever(plan: Plan) -> tuple[float, float]:
    """How much farther the target is from the rear emblem than the front one, and what both emblems' u is there."""
    scene = Scene.nominal(plan)
    (rear, _), (front, _) = scene.emblem("rear"), scene.emblem("front")
    lever = (plan.target_x - rear) / (front - rear)
    return lever, plan.vehicle.marks.u_emblem_mm * math.hypot(lever, lever - 1)
