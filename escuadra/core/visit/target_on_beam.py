"""Where on the beam the target hangs, by what was read of its middle or of an edge, and how far a hung target sags.

Source of the sag: a cantilever with a load at its place, F·a³/3EI (Euler and Bernoulli), from the frame's figure at the
beam's end.
"""

import math
from dataclasses import dataclass

from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Plain, exact, said
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.readings import ReadingsByEpoch
from escuadra.core.visit.slots import Slot

U_SAG_SHARE = 0.2
EDGES = {"left_edge": 1.0, "right_edge": -1.0}
"""On which side of its centre an edge of the target lies, as one looks at its face: left positive."""


@dataclass(frozen=True)
class Hung:
    """Of the target's centre, left of the beam's middle, mm."""

    value: float
    u: float


def read_at(plan: Plan, centre: float) -> float:
    """What the beam's scale shows at the part that is read, for a target whose centre hangs there, mm."""
    reference = plan.station.reference if plan.station is not None else "centre"
    return plan.frame.scale_zero + centre + EDGES.get(reference, 0.0) * plan.target.width / 2


def hang_slot(plan: Plan) -> Slot:
    """The slot of the target's place on the beam."""
    reference = plan.station.reference if plan.station is not None else "centre"
    about, half = read_at(plan, plan.hang), plan.frame.beam_length
    return Slot(
        id="hang",
        label=said(f"hung.on_scale.{reference}"),
        quantity=Quantity(dimension="length", unit="mm", low=min(about, 0.0) - half, high=max(about, 0.0) + half),
        aspects=frozenset({"hang"}),
        reads="rule",
        hint=said("hung.scale_shows_beams_middle_grows", scale_zero=exact(Plain, plan.frame.scale_zero)),
    )


def asks_hang(plan: Plan) -> bool:
    """The sheet asks where on the beam the target hangs."""
    return any(check.kind == "hang" for check in plan.procedure.checks)


def hung(readings: ReadingsByEpoch) -> Hung | None:
    """Where the target's centre hangs; nothing while it was not read, or where the sheet does not ask."""
    plan = readings.plan
    found = readings.now(hang_slot(plan)) if asks_hang(plan) else None
    return None if found is None else Hung(found.value - read_at(plan, 0.0), found.u)


def sag(plan: Plan) -> tuple[float, float]:
    """How far the hung target pulls the beam down where it hangs, and u, mm."""
    end = plan.frame.beam_length / 2
    down = plan.frame.sag_per_kg * (plan.target.mass_kg or 0.0) * (abs(plan.hang) / end) ** 3
    return down, math.fabs(U_SAG_SHARE * down)
