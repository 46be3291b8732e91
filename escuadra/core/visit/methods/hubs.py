"""From the hubs: equal distances to the beam, and a camera rig that watches boards on the wheels.

Equal distances square the beam to an axle, not to the wheels' heading; a hub that stands back turns it.
"""

import math
from collections.abc import Mapping
from dataclasses import replace

from escuadra.core.base.cautions import LASER
from escuadra.core.base.corners import FRONT, REAR, Corner
from escuadra.core.base.said import Length, Noun, exact, said
from escuadra.core.visit.methods.base import STRAP, Method, Sight, method, place, read_at
from escuadra.core.visit.methods.beams import half_toe
from escuadra.core.visit.plan import TAPE_ASPECTS, Plan, at_wheel, on_frame
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.slots import Measured, Slot
from escuadra.core.visit.solution.network_builder import U_STATION_MM, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as

BOARD_SPAN = 412.0
"""Between the outer marks of a wheel's board, mm."""
HEADING_ARM = 1000.0
"""Arm at which a heading seen by the rig is written as a pair of scales, mm."""
TOUCH_U = 3.0
"""How well a bumper's nose is known from the model, mm, one sigma."""


for _corner in FRONT:
    observed_as(
        Kind(
            f"hubs_{_corner}",
            lambda id, corner=_corner: said("places.seen.hubs", corner=Noun(f"corner.{corner}")),  # type: ignore[misc]
            of_frame=True,
            of_axles=True,
            taped=True,
            again=True,
        )
    )
observed_as(Kind("rig", of_line=True, of_frame=True))
for _axis in ("x", "y"):
    observed_as(Kind(f"bumper_{_axis}", lambda id: Noun("seen.bumper")))


@method
class HubDistances(Method):
    """Equal distances from the hubs of one axle, square to the beam."""

    id = "hubs"
    sees_frame = True
    offered = 110
    families = ("hubs",)
    title = said("method.hubs.equal_hub_distances")
    finds = "axis"
    tells = said("method.hubs.whether_beam_parallel_front_axle")
    cannot = said("method.hubs.not_wheels_heading_squares_axle")
    materials = (said("method.hubs.steel_tape"), said("method.hubs.square_beam"))
    steps = (
        said("method.hubs.each_front_hub_measure_beam"),
        said("method.hubs.both_same_beam_parallel_axle"),
    )

    def slots(self, plan: Plan) -> list[Slot]:
        reach = plan.nominal_goal.x - plan.vehicle.wheelbase
        return [
            place(
                f"hubs.{corner}",
                said("method.hubs.hub_square_beam", corner=Noun(f"corner.{corner}")),
                0.55 * reach,
                1.45 * reach,
                "tape",
                TAPE_ASPECTS - {"centre"},
                hint=said("method.hubs.square_beam_level"),
                at=at_wheel(corner, plan.vehicle),
            )
            for corner in FRONT
        ]

    def enter(self, into: Entering) -> None:
        for corner, slot in zip(FRONT, self.slots(into.plan), strict=True):
            for part in into.read(slot):
                into.reading(slot, part, f"hubs_{corner}", "perpendicular", point=corner, body=into.body)

    def exact(self, scene: Scene) -> Mapping[str, float]:
        return {f"hubs.{corner}": scene.before_beam(scene.hub(corner)) for corner in FRONT}

    def sights(self, scene: Scene) -> list[Sight]:
        return [
            Sight(scene.hub(corner), scene.on_frame(0, scene.in_frame(scene.hub(corner))[1]), "tape")
            for corner in FRONT
        ]


@method
class CameraRig(Method):
    """Cameras on the frame watch marker boards on the rear wheels, and one distance at the front."""

    id = "rig"
    sees_frame = True
    offered = 80
    families = ("rig",)
    either = (("rig.front", "rig.bumper"),)
    title = said("method.hubs.camera_rig_marker_boards")
    finds = "thrust"
    tells = said("method.hubs.frames_whole_pose_against_rear")
    cannot = said("method.hubs.sees_no_body_board_sits")
    materials = (
        said("method.hubs.camera_rig_frame"),
        said("method.hubs.marker_boards_both_rear_wheels"),
        said("method.hubs.marker_front_wheel"),
    )
    steps = (
        said("method.hubs.clamp_board_each_rear_wheel"),
        said("method.hubs.wait_until_values_stand_still"),
    )
    cautions = (STRAP, LASER, said("method.hubs.last_millimetres_go_slowly_nobody"))

    def _board(self, plan: Plan, corner: Corner) -> list[Slot]:
        x, side = plan.nominal_goal.x, plan.vehicle.outline.width
        return [
            place(
                f"rig.{corner}.away",
                said("method.hubs.board_before_beam", corner=Noun(f"corner.{corner}")),
                0.4 * x,
                1.6 * x,
                "rig",
                TAPE_ASPECTS,
            ),
            place(
                f"rig.{corner}.side",
                said("method.hubs.board_beside_beams_middle", corner=Noun(f"corner.{corner}")),
                -side,
                side,
                "rig",
                TAPE_ASPECTS,
                "side",
            ),
            place(
                f"rig.{corner}.skew",
                said("method.hubs.boards_front_edge_off_rear", corner=Noun(f"corner.{corner}")),
                -60,
                60,
                "rig",
                TAPE_ASPECTS,
                "side",
                said("method.hubs.over", board_span=exact(Length, BOARD_SPAN)),
            ),
        ]

    def slots(self, plan: Plan) -> list[Slot]:
        reach = plan.nominal_goal.x - plan.vehicle.wheelbase
        boards = [slot for corner in REAR for slot in self._board(plan, corner)]
        front = place(
            "rig.front", said("method.hubs.lf_marker_before_beam"), 0.3 * reach, 1.7 * reach, "rig", TAPE_ASPECTS
        )
        nose = reach - plan.vehicle.outline.front_overhang
        bumper = place(
            "rig.bumper",
            said("method.hubs.drawn_back_touching_bumper"),
            0.3 * nose,
            1.7 * nose,
            "rig",
            TAPE_ASPECTS,
            optional=True,
            hint=said("method.hubs.instead_marker_or_beside"),
        )
        return read_at(on_frame("frame", plan), (replace(slot, watches=True) for slot in (*boards, front, bumper)))

    def enter(self, into: Entering) -> None:
        slots = {slot.id: slot for slot in self.slots(into.plan)}
        for corner in REAR:
            for what, kind in (("away", "perpendicular"), ("side", "along")):
                slot = slots[f"rig.{corner}.{what}"]
                for part in into.read(slot):
                    into.reading(slot, part, "rig", kind, point=corner, body=into.body)
        for part in into.read(slots["rig.front"]):
            into.reading(slots["rig.front"], part, "rig", "perpendicular", point="LF", body=into.body)
        touched = into.read(slots["rig.bumper"])
        if touched:
            nose = into.plan.vehicle.wheelbase + into.plan.vehicle.outline.front_overhang
            into.known("bumper", "bumper", "", (nose, 0.0), (TOUCH_U, U_STATION_MM))
            for part in touched:
                into.reading(slots["rig.bumper"], part, "rig", "perpendicular", point="bumper", body=into.body)
        skews = into.all(*(slots[f"rig.{corner}.skew"] for corner in REAR))
        if skews is not None:
            value = math.fsum(HEADING_ARM * math.tan(2 * math.atan(s.value / BOARD_SPAN)) for s in skews)
            slope = 2 * HEADING_ARM / BOARD_SPAN
            into.put(
                ObservationId("rig", into.body),
                "scale_pair",
                value,
                slope * self._u_skews(skews),
                body=into.body,
                left_distance=HEADING_ARM,
                right_distance=HEADING_ARM,
                half_toe_deg=half_toe(*(math.degrees(math.atan(s.value / BOARD_SPAN)) for s in skews)),
                of=[(slots[f"rig.{corner}.skew"], s, slope) for corner, s in zip(REAR, skews, strict=True)],
            )

    def _u_skews(self, skews: list[Measured]) -> float:
        """Of the sum of both boards' skews: an edge off an edge, so that what the rig's readings share cancels."""
        return math.hypot(*(s.figures.u_random for s in skews))

    def exact(self, scene: Scene) -> Mapping[str, float]:
        found: dict[str, float] = {}
        for corner in REAR:
            away, left = scene.in_frame(scene.hub(corner))
            turn = math.radians(scene.heading(corner) - scene.pose.yaw_deg)
            found |= {
                f"rig.{corner}.away": -away,
                f"rig.{corner}.side": left,
                f"rig.{corner}.skew": BOARD_SPAN * math.tan(turn),
            }
        nose = scene.plan.vehicle.wheelbase + scene.plan.vehicle.outline.front_overhang
        return {**found, "rig.front": scene.before_beam(scene.hub("LF")), "rig.bumper": scene.before_beam((nose, 0.0))}

    def sights(self, scene: Scene) -> list[Sight]:
        half = scene.plan.frame.beam_length / 2
        eyes = {"L": scene.on_frame(0, half - 150), "R": scene.on_frame(0, 150 - half)}
        return [Sight(eyes[corner[0]], scene.hub(corner)) for corner in (*REAR, "LF")]
