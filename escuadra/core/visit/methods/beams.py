"""Beams between the frame and clamps on the wheels: mirrors, panels, rulers, and the steered front wheel on a rack.

A returned beam sees yaw alone and sees toe; a panel mixes offset and yaw; a ruler tells where a wheel's heading passes.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from escuadra.core.base.cautions import LASER
from escuadra.core.base.corners import Corner
from escuadra.core.base.said import Noun, said
from escuadra.core.visit.methods.base import (
    CHOCKS,
    METHODS,
    STRAP,
    YAW_ASPECTS,
    Method,
    Sight,
    method,
    place,
    read_at,
)
from escuadra.core.visit.plan import AT_REAR_WHEELS, LINE_ASPECTS, TAPE_ASPECTS, Plan, at_wheel
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.slots import Measured, Slot
from escuadra.core.visit.solution.network_builder import PARALLAX, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as

REAR: tuple[tuple[str, Corner], ...] = (("left", "LR"), ("right", "RR"))
BEFORE: dict[Corner, Corner] = {"LR": "LF", "RR": "RF"}
"""The front hub before each rear wheel."""
SPOT = 400.0
"""A spot farther from where its beam left is off the scale, mm."""
U_SEAT_DEG, MOST_SEAT_DEG = 0.005, 0.15
"""How much less square a clamp sits than its data sheet says, one sigma; one that sits worse is seen to."""

U_BY_HUB_MM, U_BY_SHEET_MM = 10.0, 300.0
"""Of how far a mirror is from the beam where that was not read: by its front hub's distance, by where it should be."""


def half_toe(left_deg: float, right_deg: float) -> float:
    """Half of both rear wheels' toe-in together, from their headings: it is in the readings themselves."""
    return (right_deg - left_deg) / 2


for _, _corner in REAR:
    for _what in ("panel", "ruler"):
        observed_as(
            Kind(
                f"{_what}_{_corner}",
                lambda id, what=_what, corner=_corner: said(f"places.seen.{what}", corner=Noun(f"corner.{corner}")),  # type: ignore[misc]
                of_line=True,
                of_frame=True,
                of_axles=_what == "panel",
                again=True,
            )
        )
observed_as(Kind("clamp_seat", lambda id: said("places.seen.clamp_seat", corner=Noun(f"corner.{id.place}"))))
observed_as(
    Kind(
        "mirrors",
        of_line=True,
        of_frame=True,
        slots=lambda id: tuple(f"mirror.{side}.first" for side, _ in REAR),
        made_of=tuple(f"mirror.{side}.{what}" for side, _ in REAR for what in ("second", "distance")),
    )
)
observed_as(Kind("rack", of_line=True, of_frame=True, slots=lambda id: ("rack.spot",)))


@dataclass(frozen=True)
class Spot:
    """Where a wheel's beam comes back, left of where it left, mm; its own and its scale's shared u."""

    value: float
    own: float
    shared: float
    distance: float
    unsure: float
    """u of the distance, as a share of it: nothing where it was read."""
    of: tuple[tuple[Slot, Measured, float], ...]
    """The readings that it is made of, and what an error of 1 in each changes it by."""

    @property
    def toe_deg(self) -> float:
        """The wheel's heading: the beam is turned by twice as much."""
        return math.degrees(math.atan(self.value / self.distance)) / 2


@method
class ReturnedBeams(Method):
    """Rear-wheel mirrors and returned beams."""

    id = "mirrors"
    sees_frame = True
    offered = 60
    families = ("mirror",)
    title = said("method.beams.mirrors_rear_wheels")
    finds = "thrust"
    tells = said("method.beams.whether_frame_square_mean_heading")
    cannot = said("method.beams.sees_neither_offset_nor_distance")
    materials = (
        said("method.beams.two_wheel_clamps_mirrors"),
        said("method.beams.frames_side_beams_scales"),
        said("method.beams.tape_both_distances"),
    )
    steps = (
        said("method.beams.clamp_mirror_each_rear_wheel"),
        said("method.beams.read_each_beam_comes_back"),
        said("method.beams.roll_vehicle_half_wheels_turn"),
    )
    cautions = (LASER, STRAP, CHOCKS)

    def _slots(self, plan: Plan, side: str) -> list[Slot]:
        reach = plan.nominal_goal.x
        first, second = (
            place(
                f"mirror.{side}.{turn}",
                said(f"method.beams.mirror.{turn}.{side}"),
                -SPOT,
                SPOT,
                "beam",
                aspects,
                "side",
                said("method.beams.left"),
            )
            for turn, aspects in (("first", YAW_ASPECTS), ("second", LINE_ASPECTS))
        )
        # How far a clamp runs out belongs to its seating: half a turn on, it is read once, where the first was.
        second = replace(second, looked_at_with=YAW_ASPECTS)
        label, tape = said(f"method.beams.scale_mirror.{side}"), "tape"
        away = place(f"mirror.{side}.distance", label, 0.5 * reach, 1.5 * reach, tape, optional=True)
        away = replace(away, looked_at_with=YAW_ASPECTS | {"distance"})
        return read_at(AT_REAR_WHEELS, (away, first, second))

    def slots(self, plan: Plan) -> list[Slot]:
        left, right = (self._slots(plan, side) for side, _ in REAR)
        return [left[1], right[1], left[2], right[2], left[0], right[0]]

    def spots(self, into: Entering) -> "tuple[Spot, Spot] | None":
        """Where both wheels' beams come back; nothing where one was not read."""
        pairs = [self._slots(into.plan, side) for side, _ in REAR]
        newest = max((m.seq for _, first, _ in pairs if (m := into.one(first)) is not None), default=0)
        left, right = (self._spot(into, slots, corner, newest) for slots, (_, corner) in zip(pairs, REAR, strict=True))
        return (left, right) if left is not None and right is not None else None

    def enter(self, into: Entering) -> None:
        spots = self.spots(into)
        if spots is None:
            return
        left, right = spots
        unsure = left.value * left.unsure + right.value * right.unsure
        # Scales that count outward read left − right; with both as left positive that is their sum.
        into.put(
            ObservationId("mirrors", into.body),
            "scale_pair",
            left.value + right.value,
            math.hypot(left.own, right.own, left.shared * math.sqrt(2), unsure),
            body=into.body,
            left_distance=left.distance,
            right_distance=right.distance,
            half_toe_deg=half_toe(left.toe_deg, right.toe_deg),
            of=[*left.of, *right.of],
        )

    def _distance(self, into: Entering, slot: Slot, corner: Corner) -> tuple[float, float]:
        """From the beam to a wheel's mirror, mm, and its u as a share of it.

        Where it was not read, it follows from the front hub's own, or from where the frame should stand: for a beam
        that comes back near its outlet it hardly counts.
        """
        read = into.one(slot)
        if read is not None:
            return read.value, 0.0
        plan = into.plan
        hub = into.one(dict(zip(BEFORE, METHODS["hubs"].slots(plan), strict=True))[corner])
        ahead = plan.vehicle.hub(BEFORE[corner])[0] if hub is not None else plan.nominal_goal.x
        reach = (hub.value if hub is not None else 0.0) + ahead - plan.vehicle.hub(corner)[0]
        return reach, (U_BY_HUB_MM if hub is not None else U_BY_SHEET_MM) / reach

    def _spot(self, into: Entering, slots: list[Slot], corner: Corner, newest: int) -> "Spot | None":
        """Where a wheel's beam comes back, its clamp's run-out taken off.

        ``newest``: the last that was read of either wheel at this place; what slid the frame there left the other true.
        """
        distance, first, second = slots
        before = [e for e in into.readings.taken_with(first, newest) if e.seq < newest]
        now = into.one(first) or into.readings.measured(first.id, before)
        turned = into.one(second)
        if turned is None or now is None or not newest:
            return None
        away, unsure = self._distance(into, distance, corner)
        began = into.readings.measured(first.id, into.readings.taken_with(first, turned.seq))
        if began is None or began.seq == now.seq:
            own = math.hypot(now.figures.u_random, turned.figures.u_random) / 2
            of = [(first, now, 0.5), (second, turned, 0.5)]
            return Spot((now.value + turned.value) / 2, own, now.figures.u_offset, away, unsure, tuple(of))
        own = math.hypot(now.figures.u_random, began.figures.u_random / 2, turned.figures.u_random / 2)
        of = [(first, now, 1.0), (first, began, -0.5), (second, turned, 0.5)]
        value = now.value - (began.value - turned.value) / 2
        return Spot(value, own, now.figures.u_offset, away, unsure, tuple(of))

    def exact(self, scene: Scene) -> Mapping[str, float]:
        found = {}
        for side, corner in REAR:
            distance = scene.before_beam(scene.hub(corner))
            found[f"mirror.{side}.distance"] = distance
            for turn in ("first", "second"):
                found[f"mirror.{side}.{turn}"] = scene.returned(corner, distance)
        return found

    def sights(self, scene: Scene) -> list[Sight]:
        found = []
        for side, corner in REAR:
            _, left = scene.in_frame(scene.hub(corner))
            out = scene.on_frame(0, left)
            back = scene.on_frame(0, left + self.exact(scene)[f"mirror.{side}.first"])
            found += [Sight(out, scene.hub(corner)), Sight(scene.hub(corner), back)]
        return found


@method
class WheelPanels(Method):
    """The frame's side beams read on panels at the rear wheels."""

    id = "panels"
    sees_frame = True
    offered = 100
    families = ("panel",)
    title = said("method.beams.frame_beams_wheel_panels")
    finds = "axis"
    tells = said("method.beams.rear_wheels_stand_across_frames")
    cannot = said("method.beams.one_reading_mixes_sideways_offset")
    materials = (said("method.beams.two_wheel_clamps_panels_square"), said("method.beams.frames_side_beams"))
    steps = (
        said("method.beams.clamp_panel_each_rear_wheel"),
        said("method.beams.let_frames_side_beams_fall"),
    )
    cautions = (LASER, STRAP)

    def _side_beam(self, plan: Plan, corner: Corner) -> float:
        """Where a side beam leaves the frame: straight before the hub's nominal place."""
        return plan.vehicle.hub(corner)[1]

    def slots(self, plan: Plan) -> list[Slot]:
        return [
            place(
                f"panel.{corner}",
                said(f"method.beams.beam_panel.{side}", corner=Noun(f"corner.{corner}")),
                -SPOT,
                SPOT,
                "beam",
                TAPE_ASPECTS,
                "side",
                said("method.beams.hubs_mark"),
                at=AT_REAR_WHEELS,
            )
            for side, corner in REAR
        ]

    def enter(self, into: Entering) -> None:
        for (_, corner), slot in zip(REAR, self.slots(into.plan), strict=True):
            beam = f"beam_{corner}"
            into.own[beam] = (0.0, self._side_beam(into.plan, corner), 0.0)
            for part in into.read(slot):
                into.reading(
                    slot, part, f"panel_{corner}", "panel", point=into.on_frame(beam), wheel=corner, body=into.body
                )

    def exact(self, scene: Scene) -> Mapping[str, float]:
        found = {}
        for _, corner in REAR:
            (px, py), (wx, wy) = scene.on_frame(0, self._side_beam(scene.plan, corner)), scene.hub(corner)
            found[f"panel.{corner}"] = py - (px - wx) * math.tan(math.radians(scene.pose.yaw_deg)) - wy
        return found

    def sights(self, scene: Scene) -> list[Sight]:
        return [
            Sight(scene.on_frame(0, self._side_beam(scene.plan, corner)), (x, y + self.exact(scene)[f"panel.{corner}"]))
            for _, corner in REAR
            for x, y in [scene.hub(corner)]
        ]


def _seated(into: Entering, slot: Slot, corner: Corner) -> str:
    """What all readings of one clamp's laser share: how square the clamp sits, which no second look at them tells."""
    reach = into.plan.nominal_goal.x - into.plan.vehicle.hub(corner)[0]
    seat, name = ObservationId("clamp_seat", corner), f"clamp {corner}"
    u, most = (reach * math.tan(math.radians(degrees)) for degrees in (U_SEAT_DEG, MOST_SEAT_DEG))
    into.set_up(slot, seat, name, u, most)
    return name


@method
class WheelRulers(Method):
    """Lasers on the rear wheels, read on the frame's rulers."""

    id = "rulers"
    sees_frame = True
    one_side_tells = True
    offered = 70
    families = ("ruler",)
    title = said("method.beams.wheel_beams_frames_rulers")
    finds = "thrust"
    tells = said("method.beams.thrust_line_passes_frame_both")
    cannot = said("method.beams.not_whether_frame_square_turn")
    materials = (said("method.beams.two_wheel_clamps_lasers_along"), said("method.beams.frames_rulers"))
    steps = (
        said("method.beams.clamp_laser_each_rear_wheel"),
        said("method.beams.read_each_falls_frames_ruler"),
    )
    cautions = (LASER, STRAP)

    def slots(self, plan: Plan) -> list[Slot]:
        half = plan.frame.beam_length
        return [
            place(
                f"ruler.{corner}",
                said("method.beams.wheels_beam_ruler", corner=Noun(f"corner.{corner}")),
                -half,
                half,
                "beam",
                TAPE_ASPECTS,
                "side",
                said("method.beams.beams_middle"),
                at=AT_REAR_WHEELS,
            )
            for _, corner in REAR
        ]

    def enter(self, into: Entering) -> None:
        half = self._half_toe(into)
        if half is None:
            return
        for (side, corner), slot in zip(REAR, self.slots(into.plan), strict=True):
            for part in into.read(slot):
                also, toe = (_seated(into, slot, corner),), -half if side == "left" else half
                into.reading(
                    slot,
                    part,
                    f"ruler_{corner}",
                    "ruler",
                    beside=PARALLAX,
                    also=also,
                    wheel=corner,
                    toe_deg=toe,
                    body=into.body,
                )

    def _half_toe(self, into: Entering) -> float | None:
        """From both beams themselves; where only one was read, from the mirrors on the same wheels."""
        found = into.all(*self.slots(into.plan))
        if found is None:
            spots = ReturnedBeams().spots(into)
            return half_toe(*(spot.toe_deg for spot in spots)) if spots is not None else None
        reach = into.plan.nominal_goal.x
        headings = (
            math.degrees(math.atan((m.value - into.plan.vehicle.hub(corner)[1]) / reach))
            for m, (_, corner) in zip(found, REAR, strict=True)
        )
        return half_toe(*headings)

    def exact(self, scene: Scene) -> Mapping[str, float]:
        return {f"ruler.{c}": scene.meets_beam(scene.hub(c), scene.heading(c)) for _, c in REAR}

    def sights(self, scene: Scene) -> list[Sight]:
        return [Sight(scene.hub(c), scene.on_frame(0, self.exact(scene)[f"ruler.{c}"])) for _, c in REAR]


@method
class SteeredWheel(Method):
    """On the rack: front wheels steered to the aligner's zero, a mirror on one of them, the beam along the runway."""

    id = "rack"
    sees_frame = True
    offered = 90
    families = ("rack",)
    title = said("method.beams.front_wheels_dead_ahead_rack")
    finds = "thrust"
    tells = said("method.beams.frames_yaw_against_front_wheel")
    cannot = said("method.beams.good_aligners_zero_steering_lock")
    materials = (
        said("method.beams.alignment_rack_locks_engaged"),
        said("method.beams.mirror_fixture_one_front_wheel"),
        said("method.beams.laser_along_runway"),
    )
    steps = (
        said("method.beams.set_frames_beam_parallel_runway"),
        said("method.beams.steer_aligners_zero_lock_wheel"),
        said("method.beams.square_mirror_fixture_front"),
    )
    cautions = (LASER, STRAP, said("method.beams.rack_locks_engaged_nobody_steers"))

    def slots(self, plan: Plan) -> list[Slot]:
        reach = plan.nominal_goal.x
        near = place(
            "rack.near",
            said("method.beams.runways_edge_beam_near"),
            20,
            2500,
            "tape",
            YAW_ASPECTS,
            hint=said("method.beams.square_edge"),
        )
        far = place(
            "rack.far",
            said("method.beams.runways_edge_beam_far"),
            20,
            2500,
            "tape",
            YAW_ASPECTS,
            hint=said("method.beams.square_edge"),
        )
        every = [
            place("rack.apart", said("method.beams.how_far_apart_near_far"), 800, 1.5 * reach, "tape"),
            near,
            far,
            place(
                "rack.wheel",
                said("method.beams.front_wheel_aligner", corner=Noun(f"corner.{plan.procedure.steered}")),
                -3,
                3,
                "printout",
                LINE_ASPECTS | {"steering"},
                "side",
                said("method.beams.left_zero"),
                dimension="angle",
                unit="°",
            ),
            place("rack.distance", said("method.beams.scale_wheels_mirror"), 300, reach, "tape", TAPE_ASPECTS),
            place(
                "rack.spot",
                said("method.beams.beam_comes_back"),
                -SPOT,
                SPOT,
                "beam",
                YAW_ASPECTS | {"steering"},
                "side",
                said("method.beams.left"),
            ),
        ]
        return read_at(at_wheel(plan.steered, plan.vehicle), every)

    def enter(self, into: Entering) -> None:
        _, _, _, wheel, distance, spot = self.slots(into.plan)
        found = into.all(wheel, distance, spot)
        if found is None:
            return
        steered, away, back = found
        d = away.value
        value = d * math.tan(math.atan(back.value / d) - math.radians(2 * steered.value))
        u = math.hypot(back.u, 2 * d * math.radians(steered.u))
        # One mirror at the distance d reads as two at half of it.
        id, half = ObservationId("rack", into.body), d / 2
        of = [(spot, back, 1.0), (wheel, steered, -2 * math.radians(d))]
        into.put(
            id,
            "scale_pair",
            value,
            u,
            of=of,
            body=into.body,
            left_distance=half,
            right_distance=half,
            half_toe_deg=0.0,
        )

    def runway_deg(self, into: Entering) -> tuple[float, float] | None:
        """The runway's direction against the frame's beam, degrees, and its u."""
        found = into.all(*self.slots(into.plan)[:3])
        if found is None:
            return None
        apart, near, far = found
        # The beam runs from the frame along the runway; farther from the edge at the far end: the edge falls away.
        angle = math.degrees(math.atan((far.value - near.value) / apart.value))
        u = math.degrees(math.hypot(near.figures.u_random, far.figures.u_random) / apart.value)
        return angle, u

    def exact(self, scene: Scene) -> Mapping[str, float]:
        wheel = scene.hub(scene.plan.steered)
        distance = scene.before_beam(wheel)
        turn = math.radians(2 * (scene.thrust_deg - scene.pose.yaw_deg))
        return {
            "rack.apart": 2400.0,
            "rack.near": 310.0,
            "rack.far": 310.0,
            "rack.wheel": 0.0,
            "rack.distance": distance,
            "rack.spot": distance * math.tan(turn),
        }

    def sights(self, scene: Scene) -> list[Sight]:
        x, y = scene.hub(scene.plan.steered)
        _, left = scene.in_frame((x, y))
        back = scene.on_frame(0, left + self.exact(scene)["rack.spot"])
        edge = math.copysign(scene.plan.vehicle.outline.width / 2 + 310, y)
        return [
            Sight(scene.on_frame(0, left), (x, y)),
            Sight((x, y), back),
            Sight((x - 2400, edge), (x, edge), "string"),
        ]
