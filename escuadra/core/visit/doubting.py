"""Whom to doubt where readings contradict each other: in the order in which a person can read them again.

What a person read comes before what a model says. What was read again in its place is believed from then on: the next
suspect is asked for, and nothing is asked without end. Source: w-tests after Baarda, as ``state`` gives them.
"""

import math
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from itertools import combinations

from escuadra.core.base.said import Text
from escuadra.core.measure.symmetry import CRITICAL_W
from escuadra.core.visit.epochs import UNFIT, Epochs
from escuadra.core.visit.next_reading import AS_LIKELY
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution

LOOKS_APART = CRITICAL_W * math.sqrt(2)
"""Two looks with one tool that differ by more of its u contradict each other."""

SOON = 2
"""So many readings are sooner taken again than told apart by one more."""

NEARLY = 0.7
"""Of the largest test: what comes this near and was held to the other end is asked about first."""


@dataclass(frozen=True)
class Again:
    """A slot to read again, by what it is called there: nothing where the slot's own label says it."""

    slot: str
    words: Text | None
    seq: int
    """Of its newest reading that counts."""


def at_odds(epochs: Epochs, slot: Slot) -> Again | None:
    """A slot whose looks differ by more than a tool repeats to, or two tools by more than both err: read anew."""
    if slot.ask != "number":
        return None
    parts = epochs.by_tool(slot.id, epochs.current(slot))
    for read in parts:
        looks = [e.value for e in epochs.current(slot) if e.seq <= read.seq and e.said.tool.id == read.tool]  # type: ignore[union-attr]
        apart = max(looks) - min(looks)
        if len(looks) > 1 and apart > LOOKS_APART * read.u_look:
            return Again(slot.id, slot.label, read.seq)
    for one, other in combinations(parts, 2):
        if abs(one.value - other.value) > CRITICAL_W * math.hypot(one.u, other.u):
            return Again(slot.id, slot.label, max(one.seq, other.seq))
    return None


def to_read_again(epochs: Epochs, suspects: Iterable[ObservationId]) -> list[Again]:
    """Where some suspects can be read again and were not, the newest first: that is soonest at hand.

    What two looks showed alike comes after what one look did: both would have to be wrong.
    """
    found: dict[str, Again] = {}
    for id in suspects:
        slots = id.kind.read_in(id)
        for slot in slots:
            newest = max((e.seq for e in epochs.relied(slot)), default=0)
            if newest and not epochs.read_twice(slot):
                found[slot] = Again(slot, id.words if len(slots) == 1 else None, newest)
    return sorted(found.values(), key=lambda again: (epochs.looked_at_twice(again.slot), -again.seq))


def of_its_own(epochs: Epochs, slots: Iterable[Slot], suspects: Collection[str]) -> list[Again]:
    """What of some slots was read and not yet read again: suspects before others, then the newest first.

    What was read beside, to tell suspects apart, comes after them: they contradicted each other before.
    """
    read = [(slot, entries[-1].seq) for slot in slots if slot.ask == "number" and (entries := epochs.current(slot))]
    read.sort(key=lambda one: (one[0].id not in suspects, one[0].optional, -one[1]))
    return [Again(slot.id, None, seq) for slot, seq in read if not epochs.read_twice(slot.id)]


def doubted(epochs: Epochs, solution: EpochSolution) -> list[Again]:
    """Where the suspects of a solution can be read again: the likeliest first, of those as likely the newest."""
    tests = {id: abs(w) for id, w in solution.tests if w is not None}
    worst = max((tests[id] for id in solution.suspects if id.kind.read_in(id)), default=0.0)
    usual = [id for id in solution.suspects if tests[id] >= NEARLY * worst and solution.held_wrong(id)]
    likely = [id for id in solution.suspects if tests[id] >= AS_LIKELY * worst]
    # A tape that was held to the other end of the beam, where that is one alone, comes before the others.
    usually = to_read_again(epochs, usual) if len(usual) == 1 else []
    first = [*usually, *(one for one in to_read_again(epochs, likely) if one not in usually)]
    found = [*first, *(one for one in to_read_again(epochs, solution.suspects) if one not in first)]
    if found or solution.trusted:
        return found
    # All of them were read twice: whatever else does not fit, the worst first.
    unfit = sorted((id for id, w in tests.items() if w > UNFIT), key=lambda id: -tests[id])
    return [one for id in unfit for one in to_read_again(epochs, (id,))]
