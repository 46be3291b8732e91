"""What a figure rests on: how far one unnoticed mistake could move it, and the reading that lowers that most a minute.

A figure is guarded where no mistake that one act can make carries it farther than its tolerance is wide without being
noticed. Source: hypotheses of ``state``.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial

import numpy as np

from escuadra.core.base.said import Text, said
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.geodesy.state.reach import of_looks
from escuadra.core.geodesy.state.unknowns import Vector
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.next_reading import by_tape, further
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.solution.network_builder import Act
from escuadra.core.visit.solution.solution import EpochSolution

MOST_LOOKS = 3
"""Where so many were taken, a further one is not asked for."""
WORTH = 0.1
"""Of what a mistake could do: a reading that takes off less is not worth taking."""
FOR_OTHERS = 1.2
"""What was not read yet guards other figures too: it is worth so much more than another look."""
WORD = 4
"""Where twice the model's share of a figure's u is more than such a part of its tolerance, it is asked about."""
SHARED = frozenset({"printout", "rig"})
"""Read once more, they tell nothing new: what was wrong is wrong in it again."""


@dataclass(frozen=True)
class Guard:
    """What a figure rests on: the slot where a mistake could move it farthest unnoticed, and how far that is."""

    rests_on: Text
    reach: float
    look: Slot | None
    """The reading that lowers that most a minute; nothing where nothing on the shelf does."""
    again: bool
    """It was read before."""
    modelled: bool = False
    """It is no mistake that might carry it so far, but what only the vehicle's model says."""
    pushed: bool = False
    """It is no mistake either: the frame may have been pushed."""
    unit: str = ""
    """Of the figure that it would move, where that is not the check's worst."""


def word(epochs: Epochs, solution: EpochSolution, found: Derived, most: float) -> Guard | None:
    """What would tell where hubs and axles are, if a figure hangs too much on what the vehicle's model says of that."""
    modelled = np.array([solution.sources[name].kind.modelled for name in solution.located.ids])

    def share(effects: Vector) -> float:
        return 2 * float(np.linalg.norm(effects[modelled]))

    now = share(solution.located.effects(found.gradient))
    if now <= most / WORD:
        return None
    unread = further(epochs, solution)
    rows = solution.located.further([one.reading for one in unread])
    shares = (share(solution.located.effects_with(found.gradient, row)) for row in rows)
    per_minute = [
        ((now - after) / one.minutes, one.slot)
        for one, after in zip(unread, shares, strict=True)
        if after < (1 - WORTH) * now
    ]
    best = max(per_minute, key=lambda one: one[0], default=None)
    return Guard(said("guard.model"), now, best[1], False, modelled=True) if best is not None else None


def guard(
    epochs: Epochs, solution: EpochSolution, found: Derived, most: float, aspects: frozenset[str] = frozenset()
) -> Guard | None:
    """What a figure of a solution rests on; nothing where no mistake carries it farther than ``most``.

    ``aspects``: mistakes are looked for only in what depends on one of them; none named: in everything.
    """
    if not solution.acts:
        return None
    now = solution.reaching.now(found)
    if aspects:
        now = np.where([bool(act.slot.aspects & aspects) for act in solution.acts], now, 0.0)
    worst = int(now.argmax())
    if now[worst] <= most:
        return None
    look, again = _look(epochs, solution, found, now, most)
    act = solution.acts[worst]
    return Guard(act.what or act.slot.label, float(now[worst]), look, again)


def first(guards: Iterable[Guard | None]) -> Guard | None:
    """Of several figures of a check: what a reading would still guard comes before what nothing would."""
    found = [rests for rests in guards if rests is not None]
    return min(found, key=lambda rests: rests.look is None, default=None)


def guard_of_slot(epochs: Epochs, slot: Slot, most: float) -> Guard | None:
    """The same of a figure that one slot tells, and nothing else."""
    read = epochs.now(slot)
    if read is None or slot.quantity is None:
        return None
    cap = max(slot.quantity.high - read.value, read.value - slot.quantity.low)
    reach = of_looks(read.count, read.u_look, cap)
    if reach <= most:
        return None
    more = read.count < MOST_LOOKS and slot.reads not in SHARED
    return Guard(slot.label, reach, slot if more else None, True)


def _look(
    epochs: Epochs, solution: EpochSolution, found: Derived, now: Vector, most: float
) -> tuple[Slot | None, bool]:
    """The reading that takes most off a minute, and whether it was read before."""
    acts, reaching = solution.acts, solution.reaching
    offered: list[tuple[Slot, float, bool, Callable[[], Vector]]] = [
        (acts[k].slot, acts[k].slot.minutes, True, partial(reaching.with_look, found, k))
        for k in map(int, np.flatnonzero(now > most))
        if acts[k].looks < MOST_LOOKS and _at_hand(epochs, acts[k])
    ]
    # Who was to do without tapes to the beam is asked for none to guard what was read: the check says what it rests on.
    unread = further(epochs, solution, by_tape(solution))
    rows = solution.located.further([one.reading for one in unread])
    offered += [
        (one.slot, one.minutes, False, partial(reaching.with_row, found, row))
        for one, row in zip(unread, rows, strict=True)
    ]
    best: tuple[Slot | None, bool] = (None, False)
    gain, over, counts = 0.0, _over(now, most), now > 0
    for slot, minutes, again, ask in offered:
        after = np.where(counts, ask(), 0.0)
        lessened = (over - _over(after, most)) / minutes * (1.0 if again else FOR_OTHERS)
        if lessened > gain and bool(((now > most) & (after < (1 - WORTH) * now)).any()):
            best, gain = (slot, again), lessened
    return best


def _at_hand(epochs: Epochs, act: Act) -> bool:
    """It can be looked at again as it was: nothing spoiled it, nothing new would be wrong in it, nor was it often."""
    slot, entries = act.slot, epochs.current(act.slot)
    here = epochs.stays(epochs.epoch)[-1].start
    counts = any(entry.seq == act.seq for entry in entries)
    if sum(entry.seq > here for entry in entries) >= MOST_LOOKS:
        return False
    same = epochs.as_it_was_looked_at(slot) and slot.reads not in SHARED
    return act.what is None and counts and same and not epochs.excluded(slot)


def _over(reach: Vector, most: float) -> float:
    """How far all of them together carry a figure farther than they may."""
    return float(np.maximum(reach - most, 0.0).sum())
