"""Which way is straight ahead: body centreline from symmetrical pairs, thrust line from the rear toe.

Figures of ``symmetry`` and ``lines``. The two are drawn and told side by side; which one is used is the procedure's.
"""

import math
from dataclasses import replace
from typing import Any

from pydantic import Field

from escuadra.core.budget import Contribution, shares
from escuadra.core.job.checks.base import Check, Figure, Judgement
from escuadra.core.job.places import mark_slot, pair_slots, toe_slot
from escuadra.core.job.setup import Setup
from escuadra.core.job.slots import Measured, Slot
from escuadra.core.lines import BodyMarks, LinesInput, LinesResult, Mark, RearToe, lines
from escuadra.core.procedure import Limits, check_kind
from escuadra.core.symmetry import CRITICAL_W
from escuadra.core.wording import amount

SIDE_WORDS = ("left", "right")


def both_lines(setup: Setup) -> LinesResult | None:
    """Thrust line and body centreline at the rear axle, the front axle and the target; ``None`` where neither is."""
    vehicle, marks = setup.plan.vehicle, setup.marks
    parts: dict[str, Any] = {}
    front, rear = marks["front"], marks["rear"]
    if front.y is not None and rear.y is not None:
        parts["body_marks"] = BodyMarks(
            front=Mark(x=vehicle.marks.front_x, y=front.y, u=front.u),
            rear=Mark(x=vehicle.marks.rear_x, y=rear.y, u=rear.u),
        )
    if setup.toe is not None:
        left, right = setup.toe["left"], setup.toe["right"]
        parts["rear_toe"] = RearToe(
            left_deg=left.value,
            right_deg=right.value,
            u_deg=math.hypot(left.figures.u_random, right.figures.u_random) / math.sqrt(2),
            u_common_deg=left.figures.u_offset,
            u_origin=vehicle.u_hub_mm / math.sqrt(2),
        )
    if not parts:
        return None
    stations = [0.0, vehicle.wheelbase, vehicle.wheelbase + setup.plan.procedure.distance]
    return lines(LinesInput(stations=stations, **parts))


@check_kind("body_centreline")
class CentrelineCheck(Check):
    """Centre marks from symmetrical pairs at the front and at the rear; the pairs must agree."""

    pair_agreement: Limits = Field(description="of a pair's middle from the middle of all pairs at that end, mm")

    def make_slots(self, setup: Setup) -> list[Slot]:
        found: list[Slot] = []
        for end in ("front", "rear"):
            begun = setup.pair_count(end)
            for k in range(1, max(begun + 1, 2) + 1):
                left, right = pair_slots(end, k, setup.plan)
                if k > begun:
                    left, right = (replace(s, optional=k > 1) for s in (left, right))
                found += [left, right]
            found.append(mark_slot(end, setup.plan))
        return found

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        end, k = figure.id.split(".")
        left, right = (setup.now(slot) for slot in pair_slots(end, int(k), setup.plan))
        if left is None or right is None:
            return []
        return shares([("left reading", left.figures.u_random), ("right reading", right.figures.u_random)])

    def judge(self, setup: Setup) -> Judgement:
        figures, troubles, notes = [], [], []
        for end, mark in setup.marks.items():
            if mark.pairs is None:
                continue
            residuals = mark.pairs.residuals
            suspect = mark.pairs.suspect
            for k, residual in residuals.items():
                if len(residuals) > 1:
                    figures.append(
                        self.figure(
                            f"{end}.{k}",
                            f"{end.capitalize()}, {mark.names[k]}: middle",
                            residual,
                            mark.u_residual[k],
                            self.pair_agreement,
                            "mm",
                            SIDE_WORDS,
                        )
                    )
            if suspect is not None:
                troubles.append(
                    f"At the {end} the pair {mark.names[suspect]} disagrees with the others: "
                    f"its middle lies {amount(residuals[suspect], 'mm', 0, SIDE_WORDS)}. Read it again or leave it out."
                )
            elif any(abs(w) > CRITICAL_W for w in mark.pairs.w.values()):
                troubles.append(f"At the {end} two pairs disagree. A third pair would tell which is to blame.")
            elif mark.y is None:
                notes.append(
                    f"The {end} middle lies at {amount(mark.pairs.centre, 'mm')} on the tape: plumb the mark there."
                )
        complete = all(mark.y is not None for mark in setup.marks.values())
        found = both_lines(setup)
        summary = ""
        if complete and found is not None and found.body is not None:
            summary = f"± {2 * found.body.at[-1].u:.1f} mm at the target"
        return Judgement(complete, tuple(figures), summary, trouble=" ".join(troubles), note=" ".join(notes))


@check_kind("rear_toe")
class RearToeCheck(Check):
    """The thrust line from the rear toe of a wheel-alignment printout, beside the body centreline."""

    thrust_angle: Limits = Field(description="of the thrust line from the vehicle's axis, degrees")
    separation: Limits = Field(description="of thrust line and body centreline at the target, mm")

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [toe_slot("left"), toe_slot("right")]

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        if setup.toe is None:
            return []
        if figure.id == "thrust_angle":
            return shares(toe_sources(setup.toe))
        return shares(line_sources(setup, setup.plan.vehicle.wheelbase + setup.plan.procedure.distance))

    def judge(self, setup: Setup) -> Judgement:
        found = both_lines(setup)
        if found is None or found.thrust is None:
            return Judgement(False)
        thrust = found.thrust
        figures = [
            self.figure(
                "thrust_angle",
                "Rear axle steers",
                thrust.angle_deg,
                thrust.u_deg,
                self.thrust_angle,
                "°",
                SIDE_WORDS,
            )
        ]
        note = "The body centreline is not measured yet: nothing to compare with."
        if found.separation is not None and found.body is not None:
            apart = found.separation[-1]
            figures.append(
                self.figure(
                    "separation", "Apart at the target", apart.value, apart.u, self.separation, "mm", SIDE_WORDS
                )
            )
            note = said_together(thrust.angle_deg, found.body.angle_deg, apart.value, apart.u, figures)
        return Judgement(True, tuple(figures), summary=amount(thrust.angle_deg, "°", 2, SIDE_WORDS), note=note)


def line_sources(setup: Setup, station: float) -> list[tuple[str, float]]:
    """The (source, u) parts of the distance between both lines at a station, mm."""
    vehicle, marks, toe = setup.plan.vehicle, setup.marks, setup.toe
    t = (station - vehicle.marks.rear_x) / (vehicle.marks.front_x - vehicle.marks.rear_x)
    parts = [("front centre mark", t * marks["front"].u), ("rear centre mark", (1 - t) * marks["rear"].u)]
    if toe is not None:
        parts += [(name, station * math.radians(u)) for name, u in toe_sources(toe)]
        parts.append(("the hubs' places", vehicle.u_hub_mm / math.sqrt(2)))
    return parts


def toe_sources(toe: dict[str, Measured]) -> list[tuple[str, float]]:
    """The (source, u) parts of the thrust angle, degrees."""
    parts = [(f"{side} rear toe", toe[side].figures.u_random / 2) for side in ("left", "right")]
    return [*parts, ("the alignment machine's reference", toe["left"].figures.u_offset)]


def said_together(thrust_deg: float, body_deg: float, apart_mm: float, u_mm: float, figures: list) -> str:
    """Angle and distance of the two lines in words, and what to do where they are too far apart."""
    angle = amount(thrust_deg - body_deg, "°", 2, SIDE_WORDS)
    if abs(apart_mm) <= 2 * u_mm:
        return "Thrust line and centreline agree within what was measured."
    text = f"The thrust line runs {angle} of the centreline; at the target it passes {amount(apart_mm, 'mm', 0)} "
    text += f"to the {SIDE_WORDS[0 if apart_mm > 0 else 1]}."
    if any(f.verdict.state == "out" for f in figures):
        text += " Wheel alignment or body measurement first."
    return text
