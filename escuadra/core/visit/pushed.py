"""Whether the frame was pushed without anybody having said so.

What was read again and reads otherwise was misread, or the frame no longer stands where it did. One more look at
something else that was read before it tells which: it reads the same, or otherwise too. Source: the change that a push
is expected to make to a reading, after what another one showed of it, by the law of propagation.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from escuadra.core.geodesy.state.unknowns import Vector
from escuadra.core.measure.symmetry import CRITICAL_W
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import POSE
from escuadra.core.visit.slots import Measured, Slot, measured_by_tool
from escuadra.core.visit.solution.network_builder import LEAST_U
from escuadra.core.visit.solution.solution import EpochSolution

U_PUSHED_MM, U_PUSHED_DEG = 5.0, 0.2
"""How far a frame is pushed along, aside and round that nobody notices, one sigma."""
LIKELY = 3.0
"""So many sigma of that: what changed by more was misread."""
TELLING = 0.5
"""What a push would less likely change than so is not worth a look."""
ROOT_2 = math.sqrt(2)


@dataclass(frozen=True)
class Pushed:
    """What was read otherwise when it was read again, as a push of the frame would make it.

    ``look``: what tells whether it was one; nothing where another reading has told that already.
    """

    changed: Slot
    look: Slot | None


@dataclass(frozen=True)
class _Looks:
    """The first and the last look at a slot while the frame should have stood still."""

    slot: Slot
    first: Measured
    same: Measured
    """The newest that reads as the first did."""
    last: Measured
    u: float
    """Of the difference of both, if nothing moved."""
    row: Vector
    """What a push of one sigma along, aside and round changes it by."""

    @property
    def change(self) -> float:
        return self.last.value - self.first.value

    @property
    def changed(self) -> bool:
        return abs(self.change) > CRITICAL_W * self.u


def pushed(epochs: Epochs) -> Pushed | None:
    """What looks as if the frame had been pushed; nothing where all reads as it did, or something else did so."""
    return epochs.once(_pushed)


def _since(epochs: Epochs) -> int:
    """Since when the frame should have stood still."""
    return max(epochs.last_spoiled(POSE), *(run.seq for run in epochs.state.runs), 0)


def _read_anew(epochs: Epochs) -> bool:
    """Something was typed anew since then."""
    since = epochs.once(_since)
    return any(e.seq > since and e.replaced_by for entries in epochs.state.entries.values() for e in entries)


def _pushed(epochs: Epochs) -> Pushed | None:
    since = epochs.once(_since)
    solution = epochs.solution(epochs.epoch) if epochs.once(_read_anew) else None
    if solution is None:
        return None
    every = (_looks(epochs, slot, row, since) for slot, row in _rows(epochs, solution).items())
    looks = [one for one in every if one is not None]
    changed = [one for one in looks if one.changed and not any(_misread(one, other) for other in looks)]
    if not changed or not _likely(changed):
        return None
    newest = max(changed, key=lambda one: one.last.seq)
    if len(changed) > 1:
        return Pushed(newest.slot, None)
    before = [one for one in looks if one is not newest and _tells(newest, one) and not epochs.excluded(one.slot)]
    surely = [one for one in before if one.first.seq < newest.same.seq]
    asked = max(surely or before, key=lambda one: _noticing(newest, one), default=None)
    return Pushed(newest.slot, asked.slot) if asked is not None else None


def _tells(changed: _Looks, other: _Looks) -> bool:
    """It was read before something else changed, and would likely read otherwise too if that was a push."""
    return other.first.seq < changed.last.seq and _noticing(changed, other) > TELLING


def _misread(changed: _Looks, other: _Looks) -> bool:
    """What tells of a push was looked at since, and read as before: the first had been misread."""
    return other.same.seq > changed.last.seq and _tells(changed, other)


def _rows(epochs: Epochs, solution: EpochSolution) -> Mapping[Slot, Vector]:
    """What can be read of where the frame stands, and what a push of one sigma changes each reading by."""
    slots = {act.slot.id: act.slot for act in solution.acts if act.slot.aspects & POSE and act.what is None}
    bodies = [stay.body for stay in epochs.stays(epochs.epoch) if stay.body in solution.entered.bodies]
    columns = [[solution.located.column(body, part) for part in ("x", "y", "yaw")] for body in bodies]
    sigma = (U_PUSHED_MM, U_PUSHED_MM, math.radians(U_PUSHED_DEG))
    found: dict[Slot, Vector] = {}
    for id in solution.observations:
        seen_in = [slot for slot in id.kind.seen_in(id) if slot in slots]
        if seen_in:
            # What was read before the frame was levelled or cranked is of that body alone.
            row = solution.located.slopes(str(id))[columns].sum(axis=0) * sigma / len(seen_in)
            found |= {slots[slot]: row for slot in seen_in if row.any()}
    return found


def _looks(epochs: Epochs, slot: Slot, row: Vector, since: int) -> _Looks | None:
    """What was typed anew at once was a slip of the fingers, and no look."""
    since = max(since, epochs.last_spoiled(slot.aspects))
    entries = [e for e in epochs.state.entries.get(slot.id, ()) if e.seq > since and not e.withdrawn]
    counting = [e.seq for e in entries if e.counts and e.doubted is None]
    if not counting:
        return None
    taken = [e for e in entries if e.replaced_by != e.seq + 1 and e.seq <= counting[-1]]
    looks = [measured_by_tool([entry], warm=epochs.state.warm)[0] for entry in taken]
    first, last = looks[0], looks[-1]
    u = max(math.sqrt(2) * last.u_look if first.tool == last.tool else math.hypot(first.u, last.u), LEAST_U)
    same = next(one for one in reversed(looks) if abs(one.value - first.value) <= CRITICAL_W * u)
    return _Looks(slot, first, same, last, u, row)


def _likely(changed: Sequence[_Looks]) -> bool:
    """A push could have changed them so."""
    rows = np.array([one.row for one in changed])
    spread = rows @ rows.T + np.diag([one.u**2 for one in changed])
    changes = np.array([one.change for one in changed])
    return float(changes @ np.linalg.solve(spread, changes)) <= LIKELY**2 * len(changed)


def _noticing(known: _Looks, other: _Looks) -> float:
    """How likely another reading has changed by more than looks repeat to, if a push changed one as it did."""
    gain = known.row / (float(known.row @ known.row) + known.u**2)
    mean = float(other.row @ gain) * known.change
    left = float(other.row @ other.row) - float(other.row @ gain) * float(known.row @ other.row)
    spread, most = math.sqrt(max(left, 0.0) + other.u**2), CRITICAL_W * other.u
    return 1.0 - (math.erf((most - mean) / spread / ROOT_2) + math.erf((most + mean) / spread / ROOT_2)) / 2
