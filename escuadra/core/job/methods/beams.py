"""Beams between the frame and clamps on the wheels: mirrors, panels, rulers, and the steered front wheel on a rack.

A returned beam sees yaw alone and sees toe; a panel mixes offset and yaw; a ruler tells where a wheel's heading passes.
"""

import math
from collections.abc import Mapping

from escuadra.core.job.entering import Entering
from escuadra.core.job.methods.base import (
    CHOCKS,
    LASER,
    SIDE_WORDS,
    STRAP,
    YAW_ASPECTS,
    Method,
    Sight,
    place,
)
from escuadra.core.job.places import LINE_ASPECTS, TAPE_ASPECTS, Plan
from escuadra.core.job.scene import Scene
from escuadra.core.job.slots import Slot
from escuadra.core.stance import Corner

REAR: tuple[tuple[str, Corner], ...] = (("left", "LR"), ("right", "RR"))
SPOT = 400.0
"""A spot farther from where its beam left is off the scale, mm."""


def half_toe(left_deg: float, right_deg: float) -> float:
    """Half of both rear wheels' toe-in together, from their headings: it is in the readings themselves."""
    return (right_deg - left_deg) / 2


class ReturnedBeams(Method):
    """Rear-wheel mirrors and returned beams."""

    id = "mirrors"
    prefixes = ("mirror",)
    title = "Mirrors on the rear wheels"
    finds = "thrust"
    tells = "Whether the frame is square to the mean heading of the rear wheels, whatever their toe."
    cannot = "It sees neither offset nor distance, and no damage of the body."
    materials = ("two wheel clamps with mirrors", "the frame's side beams and scales", "tape for both distances")
    steps = (
        "Clamp a mirror to each rear wheel and measure from scale to mirror.",
        "Read where each beam comes back, left or right of where it left.",
        "Roll the vehicle half a wheel's turn, clamps untouched, back into the frame's reach, and read both again: "
        "what the clamps wobble cancels. Do this before the tapes, since rolling moves the vehicle.",
    )
    cautions = (LASER, STRAP, CHOCKS)

    def _slots(self, plan: Plan, side: str) -> list[Slot]:
        reach = plan.nominal_goal.x
        return [
            place(
                f"mirror.{side}.distance",
                f"{side.capitalize()} scale to mirror",
                0.5 * reach,
                1.5 * reach,
                "tape",
                LINE_ASPECTS | {"distance"},
            ),
            *(
                place(
                    f"mirror.{side}.{turn}",
                    f"{side.capitalize()} beam comes back{words}",
                    -SPOT,
                    SPOT,
                    "beam",
                    YAW_ASPECTS,
                    SIDE_WORDS,
                    "of where it left",
                )
                for turn, words in (("first", ""), ("second", ", after half a turn"))
            ),
        ]

    def slots(self, plan: Plan) -> list[Slot]:
        left, right = (self._slots(plan, side) for side, _ in REAR)
        return [left[0], right[0], left[1], right[1], left[2], right[2]]

    def enter(self, into: Entering) -> None:
        found = into.all(*self.slots(into.plan))
        if found is None:
            return
        d_left, d_right, first_left, first_right, second_left, second_right = found
        mean_left, mean_right = (
            (a.value + b.value) / 2 for a, b in ((first_left, second_left), (first_right, second_right))
        )
        spots = (first_left, first_right, second_left, second_right)
        # Scales that count outward read left − right; with both as left positive that is their sum.
        own = math.hypot(*(m.figures.u_random for m in spots)) / 2
        u = math.hypot(own, first_left.figures.u_offset * math.sqrt(2))
        into.worked_out(
            "mirrors",
            "scale_pair",
            mean_left + mean_right,
            u,
            left_distance=d_left.value,
            right_distance=d_right.value,
            half_toe_deg=half_toe(
                math.degrees(math.atan(mean_left / d_left.value)) / 2,
                math.degrees(math.atan(mean_right / d_right.value)) / 2,
            ),
        )

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


class WheelPanels(Method):
    """The frame's side beams read on panels at the rear wheels."""

    id = "panels"
    prefixes = ("panel",)
    title = "Frame beams on wheel panels"
    finds = "axis"
    tells = "Where the rear wheels stand across the frame's beams."
    cannot = "One reading mixes sideways offset and yaw: alone it settles neither. It sees no heading of a wheel."
    materials = ("two wheel clamps with panels square to the vehicle", "the frame's side beams")
    steps = (
        "Clamp a panel to each rear wheel.",
        "Let the frame's side beams fall on them; read from the hub's mark, left or right.",
    )
    cautions = (LASER, STRAP)

    def _side_beam(self, plan: Plan, corner: Corner) -> float:
        """Where a side beam leaves the frame: straight before the hub's nominal place."""
        return plan.vehicle.hub(corner)[1]

    def slots(self, plan: Plan) -> list[Slot]:
        return [
            place(
                f"panel.{corner}",
                f"{side.capitalize()} beam on the {corner} panel",
                -SPOT,
                SPOT,
                "beam",
                TAPE_ASPECTS,
                SIDE_WORDS,
                "of the hub's mark",
            )
            for side, corner in REAR
        ]

    def enter(self, into: Entering) -> None:
        for (_, corner), slot in zip(REAR, self.slots(into.plan), strict=True):
            into.frame_points[f"beam.{corner}"] = (0.0, self._side_beam(into.plan, corner))
            for part in into.read(slot):
                into.reading(slot, part, type="panel", point=f"beam.{corner}", wheel=corner)

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


class WheelRulers(Method):
    """Lasers on the rear wheels, read on the frame's rulers."""

    id = "rulers"
    prefixes = ("ruler",)
    title = "Wheel beams on the frame's rulers"
    finds = "thrust"
    tells = "Where the thrust line passes the frame: both wheels' headings, carried forward."
    cannot = "Not whether the frame is square to it: turn the beam about its middle and the readings stay."
    materials = ("two wheel clamps with lasers along the wheel", "the frame's rulers")
    steps = (
        "Clamp a laser to each rear wheel, along its heading.",
        "Read where each falls on the frame's ruler, left or right of the beam's middle.",
    )
    cautions = (LASER, STRAP)

    def slots(self, plan: Plan) -> list[Slot]:
        half = plan.frame.beam_length
        return [
            place(
                f"ruler.{corner}",
                f"{corner} wheel's beam on the ruler",
                -half,
                half,
                "beam",
                TAPE_ASPECTS,
                SIDE_WORDS,
                "of the beam's middle",
            )
            for _, corner in REAR
        ]

    def enter(self, into: Entering) -> None:
        found = into.all(*self.slots(into.plan))
        if found is None:
            return
        reach = into.plan.nominal_goal.x
        headings = [
            math.degrees(math.atan((m.value - into.plan.vehicle.hub(corner)[1]) / reach))
            for m, (_, corner) in zip(found, REAR, strict=True)
        ]
        half = half_toe(*headings)
        for (side, corner), slot in zip(REAR, self.slots(into.plan), strict=True):
            for part in into.read(slot):
                toe = -half if side == "left" else half
                into.reading(slot, part, type="ruler", wheel=corner, toe_deg=toe)

    def exact(self, scene: Scene) -> Mapping[str, float]:
        return {f"ruler.{c}": scene.meets_beam(scene.hub(c), scene.heading(c)) for _, c in REAR}

    def sights(self, scene: Scene) -> list[Sight]:
        return [Sight(scene.hub(c), scene.on_frame(0, self.exact(scene)[f"ruler.{c}"])) for _, c in REAR]


class SteeredWheel(Method):
    """On the rack: front wheels steered to the aligner's zero, a mirror on one of them, the beam along the runway."""

    id = "rack"
    prefixes = ("rack",)
    title = "Front wheels dead ahead on the rack"
    finds = "thrust"
    tells = "The frame's yaw against a front wheel that the aligner holds straight to the thrust line."
    cannot = "It is as good as the aligner's zero and the steering lock. It sees no offset. The floor is the runway."
    materials = ("alignment rack, its locks engaged", "mirror fixture on one front wheel", "laser along the runway")
    steps = (
        "Set the frame's beam parallel to the runway: read from the edge near and far, and turn until they agree.",
        "Steer to the aligner's zero, lock the wheel, and note what the aligner still shows for the left wheel.",
        "Square the mirror fixture on the left front wheel, and read where the beam comes back.",
    )
    cautions = (LASER, STRAP, "On a rack its locks are engaged, and nobody steers while it is read.")

    def slots(self, plan: Plan) -> list[Slot]:
        reach = plan.nominal_goal.x
        near = place(
            "rack.near", "Runway's edge to the beam, near", 20, 2500, "tape", YAW_ASPECTS, hint="square to the edge"
        )
        far = place(
            "rack.far", "Runway's edge to the beam, far", 20, 2500, "tape", YAW_ASPECTS, hint="square to the edge"
        )
        return [
            place("rack.apart", "How far apart near and far are", 800, 1.5 * reach, "tape"),
            near,
            far,
            place(
                "rack.wheel",
                "Left front wheel on the aligner",
                -3,
                3,
                "printout",
                LINE_ASPECTS | {"steering"},
                ("steered left", "steered right"),
                "what is left of zero",
                dimension="angle",
                unit="°",
            ),
            place("rack.distance", "Scale to the wheel's mirror", 300, reach, "tape", TAPE_ASPECTS),
            place(
                "rack.spot",
                "Beam comes back",
                -SPOT,
                SPOT,
                "beam",
                YAW_ASPECTS | {"steering"},
                SIDE_WORDS,
                "of where it left",
            ),
        ]

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
        into.worked_out("rack", "scale_pair", value, u, left_distance=d / 2, right_distance=d / 2, half_toe_deg=0.0)

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
        wheel = scene.hub("LF")
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
        x, y = scene.hub("LF")
        _, left = scene.in_frame((x, y))
        back = scene.on_frame(0, left + self.exact(scene)["rack.spot"])
        edge = scene.plan.vehicle.outline.width / 2 + 310
        return [
            Sight(scene.on_frame(0, left), (x, y)),
            Sight((x, y), back),
            Sight((x - 2400, edge), (x, edge), "string"),
        ]
