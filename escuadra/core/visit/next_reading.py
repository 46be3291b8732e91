"""Which further reading helps: the one that decides an undecided check, or tells suspects apart.

Figures of ``next`` and ``part``, on the epoch's solution.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import TypeVar

import numpy as np

from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput
from escuadra.core.geodesy.state.input import Distance, Height, Read
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.plan import ENDS, SIDES, height_slot, tape_slot, wheelbase_slot
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution

T = TypeVar("T")

AS_LIKELY = 0.9
"""Of the largest test: what comes this near cannot be told from it."""


def _last_tape(epochs: Epochs, solution: EpochSolution) -> tuple[str, Read] | None:
    """The tape that was used last, and what it read: a further one is as good; none for a frame moved since."""
    read = zip(solution.observations, solution.located.given.observations, strict=True)
    known = [(id.instrument, o) for id, o in read if id.kind.taped]
    return known[-1] if known and solution.epoch == epochs.epoch else None


def _distance(id: ObservationId, like: Read, from_: str, to: str) -> Distance:
    """What a tape would read, as unsure as another reading is."""
    u, shared = like.u, like.instrument
    return Distance(type="level_distance", id=str(id), value=0.0, u=u, instrument=shared, from_=from_, to=to)


Unread = tuple[Slot, ObservationId, Read]
"""What was not read yet: where it is entered, what it is, and what it would be."""


def candidates(epochs: Epochs, solution: EpochSolution) -> list[Unread]:
    """Tapes to the beam that could still be read."""
    if (last_tape := _last_tape(epochs, solution)) is None:
        return []
    (tool, newest), known = last_tape, [id for id in solution.observations if id.kind.taped]
    first, last = epochs.span(solution.epoch)
    # What was read before a slide says as much, and can be read anew where the frame stands now.
    taken = {id.place for id in known if first < id.seq < last}
    found: list[Unread] = []
    for hub in CORNERS:
        for end in ENDS:
            slot = tape_slot(hub, end, epochs.plan)
            if slot.id not in taken:
                id = ObservationId("tape", slot.id, tool)
                found.append((slot, id, _distance(id, newest, hub, f"{solution.body}:{end}")))
    return found


def hub_to_hub(epochs: Epochs, solution: EpochSolution) -> list[Unread]:
    """Tapes along the vehicle's sides that were not read: no beam is needed for them, nor does its move spoil them."""
    if (last_tape := _last_tape(epochs, solution)) is None:
        return []
    tool, like = last_tape
    found: list[Unread] = []
    for side in SIDES:
        slot = wheelbase_slot(side, epochs.plan)
        if epochs.now(slot) is None:
            id = ObservationId("hub_to_hub", slot.id, tool)
            found.append((slot, id, _distance(id, like, f"{side}R", f"{side}F")))
    return found


@dataclass(frozen=True)
class Further:
    """What was not read yet and would tell more of where the frame stands."""

    slot: Slot
    reading: Read
    minutes: float
    """What it takes, with the height without which it would tell nothing."""


def further(epochs: Epochs, solution: EpochSolution, to_beam: bool = True) -> list[Further]:
    """Tapes and heights of their ends; ``to_beam``: tapes to the beam are among them, not only from hub to hub."""
    found = [Further(slot, reading, slot.minutes) for slot, _, reading in hub_to_hub(epochs, solution)]
    if not to_beam:
        return found
    heights = _heights(epochs, solution)
    unread = {slot.id: slot.minutes for slot, _ in heights}
    of_beam = min(unread.get(height_slot(end, epochs.plan).id, 0.0) for end in ENDS)
    for slot, _, reading in candidates(epochs, solution):
        found.append(Further(slot, reading, slot.minutes + of_beam))
    return [*found, *(Further(slot, reading, slot.minutes) for slot, reading in heights)]


def _heights(epochs: Epochs, solution: EpochSolution) -> list[tuple[Slot, Read]]:
    """Heights that were not read, as well as those that were."""
    read = list(zip(solution.observations, solution.located.given.observations, strict=True))
    # Where no height was read yet, one is taken to be as good as a tape is.
    known = [(id, o) for id, o in read if id.source == "height"] or [(id, o) for id, o in read if id.kind.taped]
    if not known or solution.epoch != epochs.epoch:
        return []
    tool, like = known[-1][0].instrument, known[-1][1]
    found: list[tuple[Slot, Read]] = []
    for what in (*ENDS, *CORNERS):
        slot = height_slot(what, epochs.plan)
        if epochs.now(slot) is None:
            point = what if what in CORNERS else f"{solution.body}:{what}"
            id = str(ObservationId("height", slot.id, tool))
            reading = Height(
                type="height", id=id, value=0.0, u=like.u, instrument=like.instrument, point=point, floor=what
            )
            found.append((slot, reading))
    return found


def repeats(epochs: Epochs, solution: EpochSolution) -> list[ObservationId]:
    """What was read in the epoch, as candidates once more."""
    first, last = epochs.span(solution.epoch)
    return [id for id in solution.observations if id.kind.again and first < id.seq < last]


def by_tape(solution: EpochSolution) -> bool:
    """Ends of the beam were taped: who was to do without that is asked for it at last.

    What is taped from the other axle only tells where the hubs are.
    """
    near = {tape_slot(hub, end, solution.plan).id for hub in solution.plan.taped_hubs for end in ENDS}
    return any(id.kind.taped and id.place in near for id in solution.observations)


def most_useful(
    epochs: Epochs, solution: EpochSolution, what: str, at_last: bool = False
) -> tuple[ObservationId, float] | None:
    """The reading that lessens a quantity's u most, and that u; ``at_last``: where nothing else would do."""
    return epochs.once(_most_useful, solution, what, at_last or by_tape(solution))


def _most_useful(epochs: Epochs, solution: EpochSolution, what: str, taped: bool) -> tuple[ObservationId, float] | None:
    located, gradient = solution.located, solution.derived(what).gradient
    to_beam = candidates(epochs, solution) if taped else []
    offered, again = [*hub_to_hub(epochs, solution), *to_beam], repeats(epochs, solution)
    ids = [*(id for _, id, _ in offered), *again]
    if not ids:
        return None
    gains = solution.entered.gains
    once_more = (located.sensitivity(str(id))[None] * gains.get(str(id), 0.0) for id in again)
    rows = [located.further([reading for _, _, reading in offered]), *once_more]
    after = located.spread_with(gradient, np.concatenate(rows))
    best = int(after.argmin())
    return ids[best], float(after[best])


def parting_reading(epochs: Epochs, solution: EpochSolution) -> ObservationId | None:
    """The unread tape that best tells the first two suspects apart; nothing where none would."""
    return epochs.once(_parting_reading, solution)


def _parting_reading(epochs: Epochs, solution: EpochSolution) -> ObservationId | None:
    # What a person can misread comes before what is only known from the model.
    suspects = sorted(solution.suspects, key=lambda id: not id.kind.again)
    offered = [(id, reading) for _, id, reading in candidates(epochs, solution)]
    if len(suspects) < 2 or not offered:
        return None
    return most_parting(solution, suspects[:2], offered)


def most_parting(
    solution: EpochSolution, suspects: Sequence[ObservationId], offered: Sequence[tuple[T, Read]]
) -> T | None:
    """What of several further readings best tells suspects apart, by every two of them; nothing where none would."""
    pairs = list(combinations([solution.named(id) for id in suspects], 2))
    if not pairs or not offered:
        return None
    try:
        rows = solution.located.further([reading for _, reading in offered])
        after = [[solution.located.alike(*pair, row) for pair in pairs] for row in rows]
    except BadInput:
        return None
    alike, (best, _) = min(zip(after, offered, strict=True), key=lambda found: sum(found[0]))
    return best if min(alike) < AS_LIKELY else None


def as_read_last(
    solution: EpochSolution, sort: str, offered: Iterable[tuple[T, Mapping[str, str]]]
) -> list[tuple[T, Read]]:
    """Further readings of a sort, each between points of its own, as the last of that sort was read."""
    read = [o for o in solution.located.given.observations if o.type == sort and o.instrument]
    return [
        (what, read[-1].model_copy(update={"id": f"beside {sort} {k}", "value": 0.0, **points}))
        for k, (what, points) in enumerate(offered)
        if read
    ]
