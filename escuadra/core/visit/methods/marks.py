"""The body's middle: centre marks from symmetrical pairs, laser and reflector exchanged, the roof plane.

Each pair is an observation of its end's centre mark; the mark's own reading on the tape is what the pairs of an end
share. Trusts that the body is symmetrical. An emblem is checked against the pairs, never believed.
"""

import math
from collections.abc import Mapping
from dataclasses import replace

from escuadra.core.base.cautions import LASER
from escuadra.core.base.said import Noun, said
from escuadra.core.visit.log.disturbances import MARKS
from escuadra.core.visit.methods.base import Method, Sight, method
from escuadra.core.visit.plan import (
    Plan,
    crossing_slot,
    emblem_slot,
    mark_slot,
    on_frame,
    pair_slots,
)
from escuadra.core.visit.scene import EMBLEM_UP_MM, PAIRS_UP_MM, U_PAIRS_UP_MM, Scene
from escuadra.core.visit.slots import Measured, ReadAt, Slot
from escuadra.core.visit.solution.network_builder import PARALLAX, U_STATION_MM, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as

ENDS_OF_BODY = ("front", "rear")
U_SET_MM, U_PLUMB_MM = 0.2, 0.1
"""How well a laser is set over a mark on the floor, and a mark below its place on the body, one sigma."""
MOST_OFF_MARK_MM = 2.0
"""Farther off its mark, a laser is seen to be."""
PAIR_MIDDLE = {"front": 1203.0, "rear": 1188.5}
"""Where the body's middle stands on a tape across either end in an example: anywhere that fits."""
PAIRS_IN_MM, PAIRS_APART_MM = 160.0, 170.0
"""How far inside the body's edge an example's first pair stands, and how far inside it each further one."""


def whole_pairs(into: Entering, end: str) -> list[tuple[str, Slot, Measured, Measured]]:
    """The pairs of an end of which both sides were read: id, left slot, left and right."""
    found = []
    for k in range(1, into.readings.pair_count(end) + 1):
        left_slot, right_slot = pair_slots(end, k, into.plan)
        left, right = into.one(left_slot), into.one(right_slot)
        whole = left is not None and right is not None and left.value > right.value
        if left is not None and right is not None and whole and str(k) not in into.readings.left_out(end):
            found.append((str(k), left_slot, left, right))
    return found


def own_of_pair(left: Measured, right: Measured) -> float:
    """u of a pair's middle from its two readings alone, mm."""
    return math.hypot(left.figures.u_random, right.figures.u_random) / 2


def _enter_marks(into: Entering) -> bool:
    """Both centre marks from their pairs; whether both are there."""
    if "mark.front" in into.points:
        return True
    marks = into.plan.vehicle.marks
    ends = {}
    for end in ENDS_OF_BODY:
        pairs, mark = whole_pairs(into, end), into.one(mark_slot(end, into.plan))
        if not pairs or mark is None:
            return False
        ends[end] = (pairs, mark)
    for end, (pairs, mark) in ends.items():
        x, shared = (marks.front_x if end == "front" else marks.rear_x), f"mark-{end}"
        middles = {k: (left.value + right.value) / 2 for k, _, left, right in pairs}
        y = mark.value - math.fsum(middles.values()) / len(middles)
        # The mark on the floor and its place at the pairs' height hang on one plumb line: the laser's plane holds both.
        into.free(f"mark.{end}", (x, y), PAIRS_UP_MM)
        into.put(ObservationId("mark_x", end), "x", x, U_STATION_MM, point=f"mark.{end}")
        into.put(ObservationId("mark_z", end), "z", PAIRS_UP_MM, U_PAIRS_UP_MM, point=f"mark.{end}")
        # On one tape its offset cancels between a pair's middle and the mark.
        own = mark.figures.u_random if mark.tool == pairs[0][2].tool else mark.u
        into.shared(shared, own, 0.0, ObservationId("centre_mark", end))
        for k, _, left, right in pairs:
            u = math.hypot(own_of_pair(left, right), marks.u_symmetry_mm)
            id = ObservationId(f"pair_{end}", k)
            read = zip(pair_slots(end, int(k), into.plan), (left, right), strict=True)
            of = [(mark_slot(end, into.plan), mark, 1.0), *((slot, part, -0.5) for slot, part in read)]
            into.put(id, "y", mark.value - middles[k], u, (shared,), of, point=f"mark.{end}")
    return True


def _over_marks(into: Entering, slot: Slot, laser: str) -> tuple[str, ...]:
    """What all readings of one laser over both marks share at the beam: its setting, and how the marks were plumbed."""
    marks, goal = into.plan.vehicle.marks, into.plan.nominal_goal.x
    beyond = (goal - marks.front_x) / (marks.front_x - marks.rear_x)
    lever = math.hypot(1 + beyond, beyond)
    set_over = ObservationId("laser_set", laser)
    into.set_up(slot, set_over, f"{laser} set", U_SET_MM * lever, MOST_OFF_MARK_MM * lever)
    into.shared("plumbed", U_PLUMB_MM * lever, 0.0, ObservationId("plumbed"))
    return f"{laser} set", "plumbed"


def _enter_crossing(into: Entering, slot: Slot, source: str) -> None:
    """Where the laser over both marks falls on the beam's scale."""
    line = {"from_": "mark.rear", "to": "mark.front", "body": into.body}
    for part in into.read(slot):
        value = part.value - into.plan.frame.scale_zero
        also = _over_marks(into, slot, source)
        into.reading(slot, part, source, "crossing", value, PARALLAX, also=also, **line)


def pair_half(plan: Plan, k: int) -> float:
    """How far from the body's middle an example's so manieth pair stands."""
    return plan.vehicle.outline.width / 2 - PAIRS_IN_MM - PAIRS_APART_MM * (k - 1)


def _tape_figures(scene: Scene) -> dict[str, float]:
    """What a tape across either end shows: pairs about the body's middle, the mark, the emblem."""
    found = {}
    for end in ENDS_OF_BODY:
        for k in (1, 2, 3, 4):
            left, right = pair_slots(end, k, scene.plan)
            half = pair_half(scene.plan, k)
            found[left.id], found[right.id] = PAIR_MIDDLE[end] + half, PAIR_MIDDLE[end] - half
        found[f"mark.{end}"] = PAIR_MIDDLE[end] + scene.mark_off.get(end, 0.0)
        found[f"emblem.{end}"] = PAIR_MIDDLE[end] + scene.emblem_off.get(end, 0.0)
    return found


def _emblem_off(into: Entering, end: str) -> tuple[float, float]:
    """How far an emblem sits off the body's middle, mm, and its u: as read against the pairs, else what is usual."""
    marks, pairs, read = into.plan.vehicle.marks, whole_pairs(into, end), into.one(emblem_slot(end, into.plan))
    if not pairs or read is None:
        return 0.0, marks.u_emblem_mm
    off = read.value - math.fsum((left.value + right.value) / 2 for _, _, left, right in pairs) / len(pairs)
    own = math.hypot(*(own_of_pair(left, right) for _, _, left, right in pairs)) / len(pairs)
    return off, math.hypot(read.figures.u_random, own, marks.u_symmetry_mm / math.sqrt(len(pairs)))


for _end in ENDS_OF_BODY:
    observed_as(
        Kind(
            f"pair_{_end}",
            lambda id, end=_end: said(f"places.pair.{end}", number=id.place),  # type: ignore[misc]
            of_line=True,
            slots=lambda id, end=_end: tuple(f"pair.{end}.{id.place}.{side}" for side in ("left", "right")),  # type: ignore[misc]
        )
    )
    for _axis in ("x", "y", "z"):
        observed_as(
            Kind(f"emblem_{_end}_{_axis}", lambda id, end=_end: said(f"places.emblem.{end}"), of_line=True)  # type: ignore[misc]
        )
for _axis in ("x", "z"):
    observed_as(
        Kind(
            f"mark_{_axis}",
            lambda id, axis=_axis: said(f"places.mark_place.{axis}.{id.place}"),  # type: ignore[misc]
            lambda id: said(f"places.centre_mark.{id.place}"),
        )
    )
observed_as(
    Kind(
        "centre_mark",
        lambda id: said(f"places.centre_mark.{id.place}"),
        of_line=True,
        slots=lambda id: (f"mark.{id.place}",),
    )
)
observed_as(Kind("crossing", of_frame=True, again=True))
observed_as(Kind("laser_set", lambda id: Noun("seen.laser_set")))
observed_as(Kind("plumbed"))
observed_as(Kind("low", of_line=True, of_frame=True))
observed_as(Kind("roof", of_line=True, of_frame=True))


@method
class CentreMarks(Method):
    """Centre marks plumbed from symmetrical pairs and joined by a floor laser."""

    id = "marks"
    offered = 10
    shares_slots = True
    families = ("pair", "mark")
    title = said("method.marks.centre_marks_pairs")
    finds = "body"
    tells = said("method.marks.bodys_middle_both_ends_carried")
    cannot = said("method.marks.sees_no_axle_wheels_point")
    materials = (
        said("method.marks.steel_tape_across_vehicle"),
        said("method.marks.plumb_line"),
        said("method.marks.floor_laser"),
        said("method.marks.tape_marks"),
    )
    steps = (
        said("method.marks.hold_one_straight_tape_across"),
        said("method.marks.plumb_pairs_middle_floor_mark"),
        said("method.marks.do_same_other_end_then"),
    )
    cautions = (LASER,)

    def slots(self, plan: Plan) -> list[Slot]:
        pairs = [s for end in ENDS_OF_BODY for k in (1, 2) for s in pair_slots(end, k, plan)]
        return [*pairs, *(mark_slot(end, plan) for end in ENDS_OF_BODY), crossing_slot(plan)]

    def enter(self, into: Entering) -> None:
        if _enter_marks(into):
            _enter_crossing(into, crossing_slot(into.plan), "crossing")

    def exact(self, scene: Scene) -> Mapping[str, float]:
        on_beam = scene.joined_on_beam(scene.mark("rear"), scene.mark("front"))
        return {**_tape_figures(scene), "crossing": on_beam + scene.plan.frame.scale_zero}

    def sights(self, scene: Scene) -> list[Sight]:
        rear, front = scene.mark("rear"), scene.mark("front")
        half = scene.plan.vehicle.outline.width / 2
        across = [Sight((x, half), (x, -half), "tape") for x, _ in (front, rear)]
        return [*across, Sight(rear, scene.on_frame(0, scene.joined_on_beam(rear, front)))]


@method
class LowVehicle(Method):
    """Laser and reflector exchanged: the laser stands at the frame and shines under the vehicle."""

    id = "low"
    offered = 20
    needs = ("marks",)
    families = ("low",)
    title = said("method.marks.low_vehicle_laser_frame")
    finds = "body"
    tells = said("method.marks.centre_marks_do_laser_cannot")
    cannot = CentreMarks.cannot
    materials = (
        said("method.marks.centre_marks_pairs_2"),
        said("method.marks.floor_laser_beams_foot"),
        said("method.marks.reflector_rear_mark"),
    )
    steps = (
        said("method.marks.plumb_both_centre_marks_their"),
        said("method.marks.stand_reflector_rear_mark_laser"),
        said("method.marks.read_beams_scale_laser_stands"),
    )
    cautions = (LASER,)

    def _slot(self, plan: Plan) -> Slot:
        return replace(
            crossing_slot(plan),
            id="low.crossing",
            label=said("method.marks.lasers_place_beams_scale"),
            lever=0.0,
            at=on_frame("before_beam", plan),
        )

    def slots(self, plan: Plan) -> list[Slot]:
        return [self._slot(plan)]

    def enter(self, into: Entering) -> None:
        slot = self._slot(into.plan)
        if into.read(slot) and _enter_marks(into):
            _enter_crossing(into, slot, "low")

    def exact(self, scene: Scene) -> Mapping[str, float]:
        on_beam = scene.joined_on_beam(scene.mark("rear"), scene.mark("front"))
        return {"low.crossing": on_beam + scene.plan.frame.scale_zero}

    def sights(self, scene: Scene) -> list[Sight]:
        rear, front = scene.mark("rear"), scene.mark("front")
        return [Sight(scene.on_frame(0, scene.joined_on_beam(rear, front)), rear)]


@method
class RoofPlane(Method):
    """A vertical laser plane over the roof, through both emblems."""

    id = "roof"
    offered = 30
    families = ("roof",)
    title = said("method.marks.laser_plane_over_roof")
    finds = "body"
    tells = said("method.marks.line_through_both_emblems_carried")
    cannot = said("method.marks.believes_emblems_read_them_tape")
    materials = (
        said("method.marks.laser_vertical_plane_behind_vehicle"),
        said("method.marks.tailgate_raised_clears_view"),
    )
    steps = (
        said("method.marks.stand_laser_behind_vehicle_level"),
        said("method.marks.read_beams_scale_plane_falls"),
    )
    cautions = (LASER,)

    def _slot(self, plan: Plan) -> Slot:
        slot = crossing_slot(plan)
        label = said("method.marks.roof_plane_beams_scale")
        at = ReadAt(said("stands.behind_vehicle"), -plan.vehicle.outline.rear_overhang - 1500)
        return replace(slot, id="roof.crossing", label=label, aspects=slot.aspects - MARKS, at=at)

    def slots(self, plan: Plan) -> list[Slot]:
        return [self._slot(plan)]

    def enter(self, into: Entering) -> None:
        slot = self._slot(into.plan)
        parts = into.read(slot)
        if not parts:
            return
        nominal = Scene.nominal(into.plan)
        (x_rear, _), (x_front, _) = nominal.emblem("rear"), nominal.emblem("front")
        lever = (into.plan.nominal_goal.x - x_rear) / (x_front - x_rear)
        shift, spread = 0.0, 0.0
        for end, weight in (("front", lever), ("rear", 1 - lever)):
            # The point is the body's middle at the emblem; the emblem's own offset is taken off the reading.
            at, (off, u) = nominal.emblem(end), _emblem_off(into, end)
            u_emblem = into.plan.vehicle.marks.u_emblem_mm
            up = (EMBLEM_UP_MM, U_PAIRS_UP_MM)
            into.known(f"emblem.{end}", f"emblem_{end}", "", at, (U_STATION_MM, u_emblem), up)
            shift, spread = shift + weight * off, math.hypot(spread, weight * u)
        for part in parts:
            into.put(
                ObservationId("roof", slot.id, part.tool, part.seq),
                "crossing",
                part.value - into.plan.frame.scale_zero - shift,
                math.hypot(part.u, spread),
                of=[(slot, part, 1.0)],
                from_="emblem.rear",
                to="emblem.front",
                body=into.body,
            )

    def exact(self, scene: Scene) -> Mapping[str, float]:
        on_beam = scene.joined_on_beam(scene.emblem("rear"), scene.emblem("front"), EMBLEM_UP_MM)
        return {"roof.crossing": on_beam + scene.plan.frame.scale_zero}

    def sights(self, scene: Scene) -> list[Sight]:
        rear, front = scene.emblem("rear"), scene.emblem("front")
        return [Sight(rear, scene.on_frame(0, scene.joined_on_beam(rear, front)))]
