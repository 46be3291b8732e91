"""A sensor seen by its mirror: where the frame's laser comes back, and how far the sensor then looks aside.

The mirror's own turn is half of the beam's (``reflection``); the frame's yaw against the line in use, and its lean,
are added, since the beam leaves square to the frame. Degrees; yaw left and pitch nose down positive as in ISO 8855.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import said
from escuadra.core.measure.budget import Parts, in_all, of_reading, scaled
from escuadra.core.run.radar import ReflectionInput, reflection
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.fixture import Lean, fixture_lean
from escuadra.core.visit.log.disturbances import MIRROR, POSE
from escuadra.core.visit.log.state import LATER, Entry
from escuadra.core.visit.plan import Plan, level_slot
from escuadra.core.visit.slots import Measured, Slot

SPOT_MM = 400.0
"""Nobody looks for the spot farther from the outlet."""


@dataclass(frozen=True)
class Spot:
    """Where the beam came back, and what that says of the sensor."""

    at: int
    distance: float
    left: float
    up: float
    yaw: float
    pitch: float
    yaw_parts: Parts
    """Of the yaw's uncertainty: the frame's yaw, the spot, the mirror on its sensor."""
    pitch_parts: Parts

    @property
    def u_yaw(self) -> float:
        """One sigma."""
        return in_all(self.yaw_parts)

    @property
    def u_pitch(self) -> float:
        """One sigma."""
        return in_all(self.pitch_parts)


def spot_slots(plan: Plan) -> tuple[Slot, Slot, Slot]:
    """How far the mirror is, and where the beam comes back: left and up of where it left."""
    reach = plan.nominal_goal.x - plan.procedure.sensor.x
    here = POSE | {"level"} | MIRROR

    def spot_slot(id: str, way: str) -> Slot:
        return Slot(
            id=id,
            label=said(f"slot.{id}"),
            quantity=Quantity(dimension="length", unit="mm", low=-SPOT_MM, high=SPOT_MM),
            aspects=here,
            reads="rule",
            way=way,
            hint=said("mirror.hint"),
        )

    distance = Slot(
        id="spot.distance",
        label=said("slot.spot.distance"),
        quantity=Quantity(dimension="length", unit="mm", low=0.3 * reach, high=2.5 * reach),
        aspects=POSE,
        reads="tape",
        hint=said("mirror.distance_hint"),
    )
    return distance, spot_slot("spot.left", "side"), spot_slot("spot.up", "above")


def spot_now(epochs: Epochs) -> Spot | None:
    """The spot as it comes back now; nothing while it was not read since the sensor was turned last."""
    given = epochs.plan.procedure.adjusting
    if given is None or given.mirror is None or any(epochs.now(slot) is None for slot in spot_slots(epochs.plan)):
        return None
    since = max((past.seq for past in epochs.state.disturbances if past.aspects & MIRROR), default=0)
    return spot(epochs, given.mirror.u_deg, since, LATER)


def spot(epochs: Epochs, u_mirror: float, since: int, until: int) -> Spot | None:
    """What was read of the spot between two seqs; nothing while it is not told, or the frame's yaw is not known."""
    away, *ways = spot_slots(epochs.plan)
    left, up = (_last(epochs, slot, since, until) for slot in ways)
    distance = _last(epochs, away, 0, until)
    if left is None or up is None or distance is None:
        return None
    seq, at = max((e.seq, e.at) for slot in ways for e in epochs.live(slot.id) if since < e.seq < until)
    epoch = max(k for k in range(epochs.epoch + 1) if epochs.span(k)[0] < seq)
    solution = epochs.solve(epoch) or epochs.turned_only(epoch)
    lean: Measured | Lean | None = _last(epochs, level_slot("pitch", epochs.plan), 0, seq)
    if lean is None:
        lean = fixture_lean(epochs.plan, lambda slot: _last(epochs, slot, 0, seq))
    if solution is None or solution.line is None or not solution.tells("square") or lean is None:
        return None
    square = solution.derived("square")
    found = reflection(ReflectionInput(left=left.value, up=up.value, distance=distance.value))
    half = math.degrees(1 / distance.value) / 2
    turned = [(one.source, math.sqrt(one.share) * square.u) for one in solution.budget(square)]
    leaning = lean.parts if isinstance(lean, Lean) else tuple(of_reading(lean.figures, lean.tool_name))
    own = (said("source.mirror"), u_mirror)
    return Spot(
        at=at,
        distance=distance.value,
        left=left.value,
        up=up.value,
        yaw=square.value + found.yaw_deg,
        pitch=lean.value + found.pitch_deg,
        yaw_parts=(*turned, *(scaled(of_reading(left.figures, left.tool_name), half)), own),
        pitch_parts=(*leaning, *(scaled(of_reading(up.figures, up.tool_name), half)), own),
    )


def _last(epochs: Epochs, slot: Slot, since: int, until: int) -> Measured | None:
    """What was read at a place between two seqs, after whatever disturbed it there; the sensor's own turns apart."""
    kept: Sequence[Entry] = [e for e in epochs.relied(slot.id) if since < e.seq < until]
    if not kept:
        return None
    aspects = slot.aspects - MIRROR
    own = [past.seq for past in epochs.state.disturbances if past.aspects & aspects and past.seq < kept[-1].seq]
    return epochs.measured(slot.id, [e for e in kept if e.seq > max(own, default=0)])
