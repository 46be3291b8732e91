"""From the wheels alone: the alignment printout, strings along both sides, a line along one side; no line."""

import math
from collections.abc import Mapping

from escuadra.core.base.cautions import LASER
from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Noun, said
from escuadra.core.vehicle.strings import (
    Strings,
    StringsInput,
    StringsResult,
    StringWheel,
    StringWheels,
    strings,
    thrust_by_reading,
)
from escuadra.core.visit.methods.base import Method, Sight, method, place, read_at
from escuadra.core.visit.plan import LINE_ASPECTS, TAPE_ASPECTS, Plan, at_wheel, thrust_slot, toe_slot
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.slots import Measured, ReadAt, Slot, combined
from escuadra.core.visit.solution.network_builder import PARALLAX, Entering
from escuadra.core.visit.solution.observed import Kind, ObservationId, observed_as

RIM_SPAN = 0.62
"""A rim's edges stand so far apart, as a share of the tyre's diameter; the real one is measured."""
U_BESIDE_MM = 2.0
"""How well a point of a line beside a hub is square to it, mm, one sigma."""
LEAST_PRINTED_DEG = 0.01
"""A printout's last digit."""
STRING_OFF = 210.0
"""How far a string usually runs outside a wheel, mm."""


observed_as(Kind("thrust", of_line=True))
observed_as(Kind("strings", of_line=True))
observed_as(Kind("side", of_frame=True, of_axles=True))


def against_own_thrust(left: Measured, right: Measured, own: Measured) -> tuple[float, float]:
    """How far a printout's rear toes are from the thrust angle that it prints, and how far they may be, degrees."""
    value, u = combined([-0.5, 0.5, -1.0], [left, right, own])
    return value, 3 * max(u, LEAST_PRINTED_DEG)


@method
class Printout(Method):
    """Rear toe or thrust angle from a wheel-alignment printout."""

    id = "printout"
    offered = 40
    shares_slots = True
    families = ("toe", "printed")
    title = said("method.wheels.wheel_alignment_printout")
    finds = "thrust"
    tells = said("method.wheels.thrust_lines_direction_alignment_machine")
    cannot = said("method.wheels.old_printout_printouts_differ_sign")
    materials = (said("method.wheels.printout_after_adjustment"),)
    steps = (said("method.wheels.type_each_rear_wheels_toe"),)

    def slots(self, plan: Plan) -> list[Slot]:
        return [toe_slot("left"), toe_slot("right")]

    def enter(self, into: Entering) -> None:
        toes = into.all(*self.slots(into.plan))
        of: list[tuple[Slot, Measured, float]] = []
        if toes is not None:
            left, right = toes
            of = list(zip(self.slots(into.plan), toes, (-0.5, 0.5), strict=True))
            own = math.hypot(left.figures.u_random, right.figures.u_random) / 2
            value, u = (right.value - left.value) / 2, math.hypot(own, left.figures.u_offset)
        elif (printed := into.one(thrust_slot())) is not None:
            value, u = printed.value, printed.u
            of = [(thrust_slot(), printed, 1.0)]
        else:
            return
        into.heading = value
        into.put(ObservationId("thrust"), "thrust", value, u, of=of)
        beside = into.one(thrust_slot())
        if toes is not None and beside is not None:
            # A toe that is misread no longer fits the thrust angle that is printed beside it.
            for slot, part in zip(self.slots(into.plan), toes, strict=True):
                into.capped(slot, part, 2 * against_own_thrust(toes[0], toes[1], beside)[1])

    def exact(self, scene: Scene) -> Mapping[str, float]:
        return {"toe.left": scene.toe["LR"], "toe.right": scene.toe["RR"], "printed.thrust": scene.thrust_deg}

    def sights(self, scene: Scene) -> list[Sight]:
        return []


@method
class StringLines(Method):
    """Strings or laser lines along both sides."""

    id = "strings"
    offered = 50
    families = ("string",)
    title = said("method.wheels.strings_along_both_sides")
    finds = "thrust"
    tells = said("method.wheels.toe_track_all_four_wheels")
    cannot = said("method.wheels.rim_wobbles_reads_toe_read")
    materials = (
        said("method.wheels.two_strings_or_laser_lines"),
        said("method.wheels.steel_rule"),
        said("method.wheels.tape_between_strings"),
    )
    steps = (
        said("method.wheels.stretch_string_along_each_side"),
        said("method.wheels.each_wheel_read_string_rims"),
    )
    cautions = (LASER, said("method.wheels.strings_across_walkway_marked_nobody"))

    def slots(self, plan: Plan) -> list[Slot]:
        wide = plan.vehicle.outline.width
        span = RIM_SPAN * plan.vehicle.tyre_diameter
        found = [
            place("string.span", said("method.wheels.between_rims_front_rear_edge"), 0.5 * span, 1.8 * span, "rule"),
            *(
                place(
                    f"string.{end}", said(f"method.wheels.between_strings_axle.{end}"), 0.8 * wide, wide + 1800, "tape"
                )
                for end in ("front", "rear")
            ),
        ]
        found = read_at(ReadAt(said("stands.between_strings"), plan.vehicle.wheelbase / 2), found)
        for corner in CORNERS:
            found += [
                place(
                    f"string.{corner}.{edge}",
                    said(f"method.wheels.string.{edge}", corner=Noun(f"corner.{corner}")),
                    15,
                    900,
                    "rule",
                    at=at_wheel(corner, plan.vehicle),
                )
                for edge in ("front", "rear")
            ]
        return found

    def _input(self, into: Entering) -> tuple[StringsInput, list[Measured]] | None:
        found = into.all(*self.slots(into.plan))
        if found is None:
            return None
        span, front, rear, *edges = found
        wheels = {
            c: StringWheel(front=edges[2 * k].value, rear=edges[2 * k + 1].value, span=span.value)
            for k, c in enumerate(CORNERS)
        }
        base = into.plan.vehicle.wheelbase
        u = math.sqrt(math.fsum(m.figures.u_random**2 for m in edges) / len(edges))
        given = StringsInput(
            wheelbase=base,
            strings=Strings(front=front.value, rear=rear.value, spacing=base),
            wheels=StringWheels(**wheels),
            u=u,
        )
        return given, found

    def result(self, into: Entering) -> StringsResult | None:
        """Toe and track of all four wheels, where everything was read."""
        given = self._input(into)
        if given is None:
            return None
        try:
            return strings(given[0])
        except BadInput:
            return None

    def enter(self, into: Entering) -> None:
        found, given = self.result(into), self._input(into)
        if found is None or given is None:
            return
        into.heading = found.thrust_deg
        by = thrust_by_reading(given[0])
        read = zip(self.slots(into.plan), given[1], strict=True)
        of = [(slot, part, by[name]) for slot, part in read if (name := slot.id.removeprefix("string.")) in by]
        into.put(ObservationId("strings"), "thrust", found.thrust_deg, found.u_thrust_deg, of=of)

    def exact(self, scene: Scene) -> Mapping[str, float]:
        span = RIM_SPAN * scene.plan.vehicle.tyre_diameter
        out = max(abs(scene.hub(c)[1]) for c in CORNERS) + STRING_OFF
        found = {"string.span": span, "string.front": 2 * out, "string.rear": 2 * out}
        for corner in CORNERS:
            _, y = scene.hub(corner)
            edge = span / 2 * math.sin(math.radians(scene.toe[corner]))
            found[f"string.{corner}.front"] = out - abs(y) + edge
            found[f"string.{corner}.rear"] = out - abs(y) - edge
        return found

    def sights(self, scene: Scene) -> list[Sight]:
        out = max(abs(scene.hub(c)[1]) for c in CORNERS) + STRING_OFF
        ahead = scene.plan.vehicle.wheelbase + 700
        return [Sight((-700, y), (ahead, y), "string") for y in (out, -out)]


@method
class OneSide(Method):
    """A line at equal distance from the front and the rear wheel on one side."""

    id = "side"
    offered = 120
    families = ("side",)
    title = said("method.wheels.line_along_one_side")
    finds = "axis"
    tells = said("method.wheels.vehicles_axis_one_side_unequal")
    cannot = said("method.wheels.knows_tracks_model_alone_sees")
    materials = (said("method.wheels.laser_line_or_string_beside"), said("method.wheels.steel_tape"))
    steps = (
        said("method.wheels.lay_line_along_one_side"),
        said("method.wheels.read_each_hubs_face_line"),
    )
    cautions = (LASER,)

    def slots(self, plan: Plan) -> list[Slot]:
        half = plan.frame.beam_length
        which = Slot(
            id="side.which",
            label=said("method.wheels.side_does_line_run"),
            ask="choice",
            options=("left", "right"),
            aspects=LINE_ASPECTS,
            hint=said("method.wheels.drivers_seat"),
        )
        read = [
            place("side.front", said("method.wheels.front_hub_line"), 5, 1500, "tape"),
            place("side.rear", said("method.wheels.rear_hub_line"), 5, 1500, "tape"),
            place(
                "side.crossing",
                said("method.wheels.line_beams_scale_or_beyond"),
                -2 * half,
                2 * half,
                "scale",
                TAPE_ASPECTS,
                hint=said("method.wheels.beams_middle_left_positive"),
            ),
        ]
        return [which, *read_at(ReadAt(said("stands.along_one_side"), plan.vehicle.wheelbase / 2), read)]

    def enter(self, into: Entering) -> None:
        which, *figures = self.slots(into.plan)
        side, found = into.readings.answer(which), into.all(*figures)
        if side not in ("left", "right") or found is None:
            return
        front, rear, _ = found
        sign = 1.0 if side == "left" else -1.0
        for end, slot, part in (("F", figures[0], front), ("R", figures[1], rear)):
            # Read from the hub's face: where the hub stands off its place, the line's point stands off with it.
            corner: Corner = f"{side[0].upper()}{end}"  # type: ignore[assignment]
            x, y = into.plan.vehicle.hub(corner)
            beside = f"side.{end}"
            into.exact_up(beside, (x, y + sign * part.value), into.plan.vehicle.hub_height)
            into.put(ObservationId("side", f"{end} x"), "x", x, U_BESIDE_MM, point=beside)
            into.reading(slot, part, "side", "level_distance", from_=corner, to=beside)
        for part in into.read(figures[2]):
            value = part.value - into.plan.frame.scale_zero
            into.reading(
                figures[2], part, "side", "crossing", value, PARALLAX, from_="side.R", to="side.F", body=into.body
            )

    def exact(self, scene: Scene) -> Mapping[str, float]:
        out = 300.0
        front, rear = scene.hub("LF"), scene.hub("LR")
        line = ((rear[0], max(front[1], rear[1]) + out), (front[0], max(front[1], rear[1]) + out))
        return {
            "side.front": line[1][1] - front[1],
            "side.rear": line[0][1] - rear[1],
            "side.crossing": scene.joined_on_beam(*line) + scene.plan.frame.scale_zero,
        }

    def sights(self, scene: Scene) -> list[Sight]:
        y = max(scene.hub("LF")[1], scene.hub("LR")[1]) + 300
        return [Sight((-600, y), (scene.pose.x, y), "string")]


@method
class NoLine(Method):
    """Pitch-only procedures: the board stands near the bumper and only its height matters."""

    id = "none"
    offered = 1000
    families = ("line",)
    title = said("method.wheels.no_line")
    finds = "none"
    tells = said("method.wheels.nothing_about_line_procedures_only")
    cannot = said("method.wheels.can_stand_no_other_method")
    materials = ()
    steps = (said("method.wheels.state_why_no_line_needed"),)
    reasons = ("pitch_only", "learns_on_the_road")

    def slots(self, plan: Plan) -> list[Slot]:
        return [
            Slot(
                id="line.none",
                label=said("method.wheels.why_no_line_needed"),
                ask="choice",
                options=self.reasons,
                aspects=LINE_ASPECTS,
                hint=said("method.wheels.procedure_says"),
            )
        ]

    def enter(self, into: Entering) -> None:
        return

    def exact(self, scene: Scene) -> Mapping[str, float]:
        return {}

    def sights(self, scene: Scene) -> list[Sight]:
        return []
