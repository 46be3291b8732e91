"""Whether a frame can bring a target to its place at all: said before work starts, with the ways out.

Figures of the frame's profile: how far from the beam's middle a target can hang, the slide's and the screw's travel to
either side of their zero marks, the crank's range.
"""

import math
from dataclasses import dataclass
from typing import Literal

from escuadra.core.base.said import Said, said
from escuadra.core.base.wording import amount
from escuadra.core.visit.plan import Plan

SIDES = ("left", "right")


@dataclass(frozen=True)
class Beyond:
    """A goal past the frame's travel: to the side, or up and down."""

    where: Literal["aside", "height"]
    words: Said
    ways_out: tuple[Said, ...]
    extensions: tuple[str, ...] = ()
    """Names of the pieces that would do."""

    @property
    def said(self) -> tuple[Said, ...]:
        """What it is, and what to do."""
        return (self.words, *self.ways_out)


def beyond(plan: Plan) -> Beyond | None:
    """What the frame cannot reach for this sheet; nothing where it can."""
    frame = plan.frame
    if plan.stand is not None:
        return _too_high(plan.target_above_floor, plan.stand.height_range, plan.stand.name)
    if plan.station is not None and (plan.station.own_place or plan.station.aims):
        return None
    # The beam can be slid to the target's side: its middle then stands off the line by the slide's travel.
    # Where the sheet says its place on the beam, the beam's reach alone counts.
    further = max((hang for check in plan.procedure.checks for hang in check.hangs), key=abs, default=0.0)
    by_beam = plan.hang if abs(plan.hang) >= abs(further) else further
    hangs = by_beam or plan.aside
    needed = abs(hangs)
    most = frame.reach + (0.0 if by_beam else frame.slide_travel)
    if needed > most:
        doing = [e for e in frame.extensions if needed <= most + e.reach]
        side = SIDES[0 if hangs > 0 else 1]
        of = "middle" if by_beam else "line"
        words = said(
            f"reach.aside.{of}.{side}",
            needed=amount(needed, "mm", 0),
            name=frame.name,
            most=amount(most, "mm", 0),
        )
        ways = [said("reach.use", name=doing[0].name)] if doing else []
        ways.append(said("reach.stand_frame_beside_line_measure"))
        return Beyond("aside", words, tuple(ways), tuple(e.name for e in doing))
    return _too_high(plan.target_above_floor, frame.height_range, frame.name)


def _too_high(height: float, within: tuple[float, float], name: str) -> Beyond | None:
    low, high = within
    if low <= height <= high:
        return None
    words = said(
        "reach.targets_centre_must_above_floor",
        height=amount(height, "mm", 0),
        name=name,
        low=amount(low, "mm", 0),
        high=amount(high, "mm", 0),
    )
    return Beyond("height", words, (said("reach.take_another_frame_or_another"),))


def beyond_any(plan: Plan) -> Beyond | None:
    """What the frame cannot reach at the station at hand or at a later one: it is said before work starts."""
    whole = list(plan.whole.at_stations.values())
    return next((found for at in (plan, *whole) if (found := beyond(at)) is not None), None)


def past_travel(what: str, used: float, wanted: float, plan: Plan) -> float:
    """By how much a move of the slide (mm) or the screw (degrees) would go past its travel; 0 where it doesn't."""
    travel = plan.frame.slide_travel if what == "slide" else plan.frame.yaw_travel_deg
    over = abs(used + wanted) - travel
    return math.copysign(over, wanted) if over > 0 and (used + wanted) * wanted > 0 else 0.0
