"""A frame that is moved under the eyes of a device: how far it is from its place, in words, before anything counts.

The proposed readings are laid over the job's own; nothing of them is kept. Moves in the order of ``moves``.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from escuadra.core.base.said import Plain, PlusMinus, Said, Value, Way, said
from escuadra.core.base.wording import MOST_DECIMALS, amount
from escuadra.core.visit.advice.frame import planned_moves
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import HAPPENINGS, POSE
from escuadra.core.visit.log.events import ToolUsed
from escuadra.core.visit.log.state import Disturbance, State
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.rehearsal import NOBODY, rehearsed

SLOW_MM = 20.0
"""From here on slowly."""


@dataclass(frozen=True)
class ToGo:
    """What is left, in the order in which it is done."""

    turn_deg: float
    left: float
    away: float
    u_square: float
    u_offset: float
    u_distance: float

    @property
    def words(self) -> list[tuple[Said, Value, Way, Value]]:
        """In the order of moving: what to do, how much is left, which way, and ± U."""
        rows = (
            (said("approach.turn"), self.turn_deg, "°", "side", self.u_square),
            (said("approach.slide"), self.left, "mm", "side", self.u_offset),
            (said("approach.roll"), self.away, "mm", "nearer", self.u_distance),
        )
        return [
            (
                what,
                amount(abs(value), unit),
                Way(way, value > 0),
                PlusMinus(Plain(2 * u, MOST_DECIMALS[unit])),
            )
            for what, value, unit, way, u in rows
        ]

    @property
    def slowly(self) -> bool:
        """The last millimetres."""
        return abs(self.away) <= SLOW_MM and abs(self.left) <= SLOW_MM

    @property
    def there(self) -> bool:
        """What is left cannot be told from nothing."""
        pairs = ((self.turn_deg, self.u_square), (self.left, self.u_offset), (self.away, self.u_distance))
        return all(abs(value) <= 2 * u for value, u in pairs)


def to_go(state: State, plan: Plan, readings: Mapping[str, float], tool: ToolUsed) -> ToGo | None:
    """From where the device sees the frame to where it must stand; nothing while that is not determined."""
    seen = rehearsed(readings, lambda slot: tool).entries
    later = {slot: tuple(replace(e, seq=state.seq + 2) for e in entries) for slot, entries in seen.items()}
    # It is on its way: whatever was read at the frame before is no longer where it stands; it leans as it did.
    moving = Disturbance(state.seq + 1, 0, NOBODY, "roll", HAPPENINGS["roll"].words, POSE)
    on_its_way = replace(
        state.whole,
        entries={**state.entries, **later},
        disturbances=(*state.disturbances, moving),
        seq=state.seq + 2,
    )
    solution = Epochs(on_its_way, plan).newest
    if solution is None or not all(solution.tells(what) for what in ("square", "offset", "distance")):
        return None
    moves = planned_moves(solution)
    return ToGo(
        moves.yaw_change_deg,
        moves.move_left,
        moves.move_away,
        solution.derived("square").u,
        solution.derived("offset").u,
        solution.derived("distance").u,
    )
