"""A fixture before the vehicle, tilted by a wheel's own beam: that is proved along the runway in height first.

The beam runs from the wheel along the runway and comes back from the fixture's mirror by twice what that is tilted
against it (``reflection``); what the beam itself rises is taken off. Leaning away from the vehicle positive, degrees.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

from escuadra.core.base.said import Noun, said
from escuadra.core.measure.budget import Parts, in_all, of_reading, scaled
from escuadra.core.run.radar import ReflectionInput, reflection
from escuadra.core.visit.log.disturbances import CLAMPS
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.methods.base import place
from escuadra.core.visit.methods.beams import SPOT
from escuadra.core.visit.plan import Plan, at_wheel
from escuadra.core.visit.slots import Measured, Slot

TILTED = frozenset({"level", "steering"})
MOST_UP = 900.0


@dataclass(frozen=True)
class Lean:
    """How far the fixture leans away from the vehicle, and how far its beam rises along the runway, degrees."""

    value: float
    parts: Parts
    """Of its uncertainty: the beam's heights, and where it comes back."""
    rises: float

    @property
    def u(self) -> float:
        """One sigma."""
        return in_all(self.parts)


def fixture_slots(plan: Plan) -> list[Slot]:
    """The beam's height over the runway near and far, how far apart, to the fixture, and how high it comes back."""
    corner = Noun(f"corner.{plan.procedure.steered}")
    wheel = at_wheel(plan.steered, plan.vehicle)
    own = {slot.id: slot for slot in METHODS["rack"].slots(plan)}
    heights = [
        place(
            f"rack.up_{end}",
            said(f"slot.rack.up_{end}", corner=corner),
            20,
            MOST_UP,
            "height",
            CLAMPS | {"steering"},
            hint=said("fixture.up_hint"),
            at=wheel,
        )
        for end in ("near", "far")
    ]
    back = place(
        "rack.spot_up",
        said("slot.rack.spot_up", corner=corner),
        -SPOT,
        SPOT,
        "beam",
        TILTED,
        "above",
        said("fixture.spot_hint"),
        at=wheel,
    )
    return [own["rack.apart"], *heights, own["rack.distance"], back]


def fixture_lean(plan: Plan, read: Callable[[Slot], Measured | None]) -> Lean | None:
    """How the fixture leans, by what was ``read`` at each place; nothing while it is not told."""
    slots = fixture_slots(plan)
    apart, near, far, distance, back = (read(slot) for slot in slots)
    if apart is None or near is None or far is None or distance is None or back is None:
        return None
    rises = math.degrees(math.atan((far.value - near.value) / apart.value))
    tilt = -reflection(ReflectionInput(left=0.0, up=back.value, distance=distance.value)).pitch_deg
    heights = [(slot.label, one.figures.u_random) for slot, one in zip(slots[1:3], (near, far), strict=True)]
    returned = of_reading(back.figures, back.tool_name)
    parts = scaled(heights, math.degrees(1 / apart.value)), scaled(returned, math.degrees(1 / distance.value) / 2)
    return Lean(tilt - rises, (*parts[0], *parts[1]), rises)
