"""Onto the floor: the distance carried past the vehicle by a rectangle, its diagonals asked for and used.

From a hub, the bumper, the emblem or another part on the datum's list; what stands in for the sensor carries its stated
offset. Left and right hub are told apart, not averaged in silence. Source: ``rectangle``.
"""

import math

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Positive
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import NOTHING, Angle, Noun, Sentences, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.geodesy.rectangle import SIDES, RectangleInput, RectangleResult, Side, rectangle
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.checks.base import Check, Judgement
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.plan import LINE_ASPECTS, Plan
from escuadra.core.visit.slots import ReadAt, Slot

USUAL_OUT = 650.0
"""How far outside the vehicle a parallel line is usually laid, mm."""
WORDS = {
    "out": said("carrying.out_datum_parallel_line"),
    "along": said("carrying.along_parallel_line"),
    "back": said("carrying.back_there_onto_line"),
    "diagonal": said("carrying.diagonal_datum_far_corner"),
    "cross": said("carrying.diagonal_near_corner_mark"),
    "straight": said("carrying.straight_datum_mark"),
}


def on_hub(plan: Plan) -> bool:
    """The distance is counted from a pair of hubs."""
    return plan.procedure.datum in ("front_hubs", "rear_hubs")


@check_kind("rectangle")
class RectangleCheck(Check):
    """The mark for the target's face, carried by a rectangle on one side."""

    limits: Limits = Field(Limits(minus=5, plus=5), description="of the mark along the line, mm")
    sighting_deg: Positive | None = Field(
        None, description="where a square at both ends replaces the diagonals: its sighting error, one sigma, degrees"
    )

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        side = Slot(
            id="rect.side",
            label=said("carrying.side_drivers_seat", datum=Noun(f"datum.{epochs.plan.procedure.datum}")),
            ask="choice",
            options=("left", "right"),
            aspects=LINE_ASPECTS,
        )
        expected = self.expected(epochs)
        if self.sighting_deg is not None:
            expected = {name: expected[name] for name in ("out", "along", "back")}
        return [
            side,
            *(
                Slot(
                    id=f"rect.{name}",
                    which=name,
                    label=WORDS[name],
                    quantity=Quantity(dimension="length", unit="mm", low=0.5 * about, high=1.6 * about),
                    aspects=LINE_ASPECTS,
                    reads="tape",
                    hint=said("carrying.floor_level"),
                    wanted=round(about, 1),
                    at=ReadAt(said("stands.beside_vehicle"), epochs.plan.vehicle.wheelbase),
                )
                for name, about in expected.items()
            ),
        ]

    def side(self, epochs: Epochs) -> str:
        """The side that was chosen; left until one was."""
        answer = next((e for e in reversed(epochs.live("rect.side"))), None)
        return str(answer.said.value) if answer is not None else "left"

    def start(self, epochs: Epochs) -> tuple[float, float]:
        """Where the datum's mark on the floor stands, as it was found: x and y in vehicle axes."""
        plan, solution = epochs.plan, epochs.lines
        if not on_hub(plan):
            x = plan.datum_x - plan.procedure.proxy.forward
            return x, plan.procedure.sensor.y if plan.procedure.datum in ("sensor", "windscreen_camera") else 0.0
        corner = f"{self.side(epochs)[0].upper()}{plan.procedure.datum[0].upper()}"
        if solution is not None:
            return solution.place(corner)
        return plan.vehicle.hub(corner)  # type: ignore[arg-type]

    def needed(self, epochs: Epochs) -> tuple[float, float, float]:
        """How far along the line the mark must stand, how far inward the line lies, and u of that, mm."""
        plan, solution = epochs.plan, epochs.lines
        x, y = self.start(epochs)
        datum_x = solution.datum[0] if solution is not None else plan.datum_x
        along, line_y, u = datum_x + plan.distance - x, 0.0, 2.0
        if solution is not None and solution.line is not None:
            found = solution.line_at(plan.target_x)
            line_y, u = found.value, found.u
        sign = 1.0 if self.side(epochs) == "left" else -1.0
        return along, sign * (y - line_y - plan.procedure.offset), max(u, 0.1)

    def expected(self, epochs: Epochs) -> dict[str, float]:
        """What each reading should be where the parallel line is laid as usual."""
        along, inward, _ = self.needed(epochs)
        read = epochs.live("rect.out")
        out = read[-1].value if read else USUAL_OUT
        return {
            "out": out,
            "along": along,
            "back": out + inward,
            "diagonal": math.hypot(along, out),
            "cross": math.hypot(along, out + inward),
            "straight": math.hypot(along, inward),
        }

    def solution(self, epochs: Epochs) -> RectangleResult | None:
        """The corners as they were read; nothing while a reading is missing."""
        return epochs.once(_solved, self)

    def work_out(self, epochs: Epochs) -> RectangleResult | None:
        """The corners, worked out."""
        sides = {}
        shared = (0.0, 0.0)
        for slot in self.slots(epochs)[1:]:
            found = epochs.now(slot)
            if found is not None:
                sides[slot.which] = Side(value=found.value, u=max(found.figures.u_random, 1e-3))
                shared = (found.figures.u_offset, found.figures.u_scale)
        along, inward, u = self.needed(epochs)
        given = RectangleInput(
            along=along,
            inward=inward,
            u_inward=u,
            sides=sides,
            u_offset=shared[0],
            u_scale=shared[1],
            sighting_deg=self.sighting_deg,
        )
        try:
            return rectangle(given)
        except BadInput:
            return None

    def judge(self, epochs: Epochs) -> Judgement:
        slots = self.slots(epochs)
        read = sum(bool(epochs.current(slot)) for slot in slots)
        found, remark = self.solution(epochs), self._start_words(epochs)
        if found is None:
            return Judgement(
                False, summary=said("carrying.read", read=read, slots=len(slots)) if read else None, remark=remark
            )
        if self.sighting_deg is not None:
            remark = sentences(said("carrying.by_square", sighting=Angle(self.sighting_deg, 2))) + remark
        label, slot = said("carrying.mark_stands"), "rect.along"
        figure = self.figure("mark", label, found.off, found.u_off, self.limits, "mm", "carried", slot=slot)
        if abs(found.off) > found.u_off:
            way = "towards" if found.off > 0 else "away"
            remark = sentences(said(f"carrying.move.{way}", off=amount(abs(found.off), "mm"))) + remark
        inconsistency = NOTHING
        if not found.passes or found.suspects:
            named = nouns(WORDS[i] for i in found.suspects)
            blame = said("carrying.suspect_read_again_replace", named=named) if len(found.suspects) == 1 else None
            if len(found.suspects) > 1:
                blame = said("carrying.share_blame_read_first_again", named=named)
            inconsistency = sentences(said("carrying.rectangle_does_not_close_sides"), blame)
        complete = read == len(slots)
        return Judgement(complete, (figure,), figure.text, inconsistency=inconsistency, remark=remark)

    def _start_words(self, epochs: Epochs) -> Sentences:
        """The part that is started from, its setback and what it stands in for."""
        plan, found = epochs.plan, []
        if on_hub(plan) and epochs.lines is not None:
            end = plan.procedure.datum[0].upper()
            ahead = epochs.lines.place(f"L{end}")[0] - epochs.lines.place(f"R{end}")[0]
            if abs(ahead) >= 0.5:
                which = "ahead" if ahead > 0 else "behind"
                off, counts = amount(abs(ahead), "mm"), Noun(f"counts.{plan.procedure.datum_side}")
                found.append(said(f"carrying.left_hub.{which}", off=off, counts=counts))
        proxy = plan.procedure.proxy
        if any((proxy.forward, proxy.left, proxy.up)):
            offs = [
                amount(value, "mm", 0, way)
                for value, way in ((proxy.forward, "ahead"), (proxy.left, "side"), (proxy.up, "above"))
                if value
            ]
            datum = Noun(f"datum.{plan.procedure.datum}")
            found.append(said("carrying.stands_datum", datum=datum, names=nouns(offs)))
        return sentences(*found)


__all__ = ["SIDES", "RectangleCheck"]


def _solved(epochs: Epochs, check: RectangleCheck) -> RectangleResult | None:
    return check.work_out(epochs)
