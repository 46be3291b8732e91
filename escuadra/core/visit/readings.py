"""What a job's entries amount to now: single places, centre marks from pairs, tapes of an epoch that can be levelled.

Every move that changes where the beam stands opens an epoch; a reading counts in an epoch while nothing spoiled what it
depends on. Source: ``symmetry`` for the marks, ``readings`` for a slanted tape's level length.
"""

import math
from bisect import bisect
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import accumulate

from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.said import Text
from escuadra.core.measure.symmetry import Pair, SymmetryInput, SymmetryResult, symmetry
from escuadra.core.visit.derivation import Derivation, worked_out
from escuadra.core.visit.log.disturbances import CLAMPS, UPRIGHT
from escuadra.core.visit.log.places import family
from escuadra.core.visit.log.state import LATER, Disturbance, Entry, State
from escuadra.core.visit.plan import (
    ENDS,
    TAPE_ASPECTS,
    Plan,
    height_slot,
    mark_slot,
    pair_name,
    pair_slots,
    tape_slot,
    toe_slot,
)
from escuadra.core.visit.slots import Measured, Slot, current, measured, measured_by_tool

U_HUB_MM = 5.0
"""Of a hub's height, as the model has it: what tyres and load do."""


ENOUGH_PAIRS = 3
"""Of so many pairs, one that is off shows itself."""
THE_SAME = 3 * math.sqrt(2)
"""Two looks that differ by less than so many u of one of them say the same."""


@dataclass(frozen=True)
class EndMark:
    """The pairs at one end of the vehicle and the mark that was plumbed from them."""

    pairs: SymmetryResult | None
    names: dict[str, Text]
    u_residual: dict[str, float]
    """Of each pair's residual, from its readings alone: what the pairs' agreement is judged with."""
    y: float | None = None
    u: float = 0.0


@dataclass(frozen=True)
class Stay:
    """The frame in one place and one posture: an epoch, or a part of one between moves that leave its place alone."""

    epoch: int
    body: str
    """What it is called in a state."""
    start: int
    end: int
    """seq of what began and what ended it."""


class ReadingsByEpoch(Derivation):
    """A job's state and plan, and what its entries amount to; made once for one derivation."""

    def __init__(
        self, state: State, plan: Plan, at: int | None = None, before: "ReadingsByEpoch | None" = None
    ) -> None:
        same = before is not None and before.plan is plan
        super().__init__(state, at, before if same else None)
        self.plan: Plan = plan

    @worked_out
    def begun(self) -> frozenset[str]:
        """How the slots begin in which something was ever entered."""
        return frozenset(map(family, self.state.entries))

    # --- single slots

    def live(self, slot: str) -> tuple[Entry, ...]:
        """A slot's entries that were not withdrawn or replaced."""
        return self.once(ReadingsByEpoch._live, slot)

    def _live(self, slot: str) -> tuple[Entry, ...]:
        return self.state.live(slot)

    def relied(self, slot: str) -> list[Entry]:
        """Those of them whose instrument is not in doubt."""
        return [e for e in self.live(slot) if e.doubted is None]

    def current(self, slot: Slot) -> tuple[Entry, ...]:
        """Those of them that nothing disturbed since."""
        return self.once(ReadingsByEpoch._current, slot.id, slot.aspects, slot.looked_at_with)

    def _current(self, slot: str, aspects: frozenset[str], looked_at_with: frozenset[str]) -> tuple[Entry, ...]:
        found = current(self.live(slot), self.state, aspects)
        if found and looked_at_with:
            *_, found = map(tuple, self._parted(found, self._spoiled(looked_at_with)).values())
        ends = self._fresh_ms(aspects)
        if ends is None or self.at is None:
            return found
        at = self.at
        return tuple(e for e in found if e.at + ends > at)

    def fresh_ms(self, slot: Slot) -> int | None:
        """How long a slot's entries stay fresh, milliseconds; ``None`` where the sheet sets no term."""
        return self._fresh_ms(slot.aspects)

    def _fresh_ms(self, aspects: frozenset[str]) -> int | None:
        if not self.plan.procedure.fresh:
            return None
        terms = [minutes for aspect, minutes in self.plan.procedure.fresh.items() if aspect in aspects]
        return round(min(terms) * 60_000) if terms else None

    @worked_out
    def target_hangs(self) -> bool:
        """The target was answered for and nothing took it off since."""
        mounted = frozenset({"target"})
        return any(
            current(self.live(slot), self.state, mounted) for slot in self.state.entries if family(slot) == "target"
        )

    def excluded(self, slot: Slot) -> bool:
        """The slot cannot be read now: its tool would stand where the target hangs."""
        return slot.reads in self.plan.frame.excludes and self.target_hangs

    def measured(self, slot: str, entries: Sequence[Entry]) -> Measured | None:
        """Some of a slot's entries as one value, worked out once for this derivation."""
        return self.once(ReadingsByEpoch._measured, slot, *(e.seq for e in entries))

    def _measured(self, slot: str, *seqs: int) -> Measured | None:
        return measured([e for e in self.live(slot) if e.seq in seqs], self.state.warm)

    def by_tool(self, slot: str, entries: Sequence[Entry]) -> list[Measured]:
        """Some of a slot's entries, one value a tool and its conditions."""
        return self.once(ReadingsByEpoch._by_tool, slot, *(e.seq for e in entries))

    def _by_tool(self, slot: str, *seqs: int) -> list[Measured]:
        return measured_by_tool([e for e in self.live(slot) if e.seq in seqs], warm=self.state.warm)

    def now(self, slot: Slot) -> Measured | None:
        """A slot's current value."""
        return self.once(ReadingsByEpoch._now, slot.id, slot.aspects, slot.looked_at_with)

    def _now(self, slot: str, aspects: frozenset[str], looked_at_with: frozenset[str]) -> Measured | None:
        return self.measured(slot, self.once(ReadingsByEpoch._current, slot, aspects, looked_at_with))

    def as_it_was_looked_at(self, slot: Slot) -> bool:
        """A further look at it would be of the same as the newest."""
        newest = max((e.seq for e in self.current(slot)), default=0)
        return not slot.looked_at_with or self.last_spoiled(slot.looked_at_with) < newest

    def current_of(self, id: str) -> Measured | None:
        """What a slot holds that no disturbance but a doubt about its instrument could spoil."""
        return self.measured(id, self.relied(id))

    def read_before(self, slot: Slot, seq: int) -> Measured | None:
        """What a slot showed just before an event, as nothing had spoiled it until then."""
        spoiled = [past.seq for past in self.state.disturbances if past.seq < seq and past.aspects & slot.aspects]
        since = max(spoiled, default=0)
        return measured([e for e in self.relied(slot.id) if since < e.seq < seq], self.state.warm)

    def read_twice(self, slot: str, before: int = LATER) -> bool:
        """What counts in a slot stands in the place of what read the same, since anything last happened.

        ``before``: as it stood before an event.
        """
        found = self._newest(slot, before)
        if found is None:
            return False
        newest, alike, since = found
        entries = self.state.entries.get(slot, ())
        replaced = [e for e in entries if e.replaced_by is not None and since < e.replaced_by <= newest.seq]
        return any(abs(e.value - newest.value) <= alike for e in replaced)

    def looked_at_twice(self, slot: str) -> bool:
        """What counts in a slot was looked at more than once since anything last happened, and read the same."""
        found = self._newest(slot)
        if found is None:
            return False
        newest, alike, since = found
        others = (e for e in self.relied(slot) if since < e.seq < newest.seq)
        return any(abs(e.value - newest.value) <= alike for e in others)

    def as_before(self, slot: str) -> bool:
        """What counts in a slot reads the same as what counted there before something last happened."""
        found = self._newest(slot)
        if found is None:
            return False
        newest, alike, since = found
        entries = (e for e in self.state.entries.get(slot, ()) if e.seq < since)
        before = max(entries, key=lambda e: e.seq, default=None)
        return before is not None and abs(before.value - newest.value) <= alike

    def _newest(self, slot: str, before: int = LATER) -> tuple[Entry, float, int] | None:
        """What was entered last of what counts, how near to it is the same, and when something last happened before."""
        entries = self.state.entries.get(slot, ())
        newest = max((e for e in entries if e.counts and e.seq < before), key=lambda e: e.seq, default=None)
        found = self.measured(slot, [newest]) if newest is not None else None
        if newest is None or found is None:
            return None
        since = max((past.seq for past in self.state.disturbances if past.seq < newest.seq), default=0)
        return newest, THE_SAME * found.figures.u_random, since

    def answered(self, slot: Slot) -> Entry | None:
        """A slot's current answer."""
        entries = self.current(slot)
        return entries[-1] if entries else None

    def answer(self, slot: Slot) -> str:
        """What was answered at a slot; empty while nothing was."""
        entry = self.answered(slot)
        return str(entry.said.value) if entry is not None else ""

    # --- the lines

    def pair_count(self, end: str) -> int:
        """How many pairs were begun at an end."""
        k = 0
        while any(self.live(slot.id) for slot in pair_slots(end, k + 1, self.plan)):
            k += 1
        return k

    @worked_out
    def marks(self) -> dict[str, EndMark]:
        """Centre marks at either end, from the pairs and the plumbed mark."""
        return {end: self._end_mark(end) for end in ("front", "rear")}

    def left_out(self, end: str) -> frozenset[str]:
        """Pairs where the body is off: read again they read the same, and the others agree without them."""
        return self.once(ReadingsByEpoch._left_out, end)

    def _left_out(self, end: str) -> frozenset[str]:
        pairs, out = self._whole_pairs(end), set[str]()
        while len(pairs) >= ENOUGH_PAIRS:
            suspect = symmetry(SymmetryInput(pairs=[pair for pair, _, _ in pairs])).suspect
            if suspect is None or not all(self.read_twice(s.id) for s in pair_slots(end, int(suspect), self.plan)):
                break
            pairs = [one for one in pairs if one[0].id != suspect]
            out.add(suspect)
        return frozenset(out)

    def _whole_pairs(self, end: str) -> list[tuple[Pair, float, str]]:
        """The pairs of an end of which both sides were read, each with u of its readings alone and its tool."""
        found = []
        for k in range(1, self.pair_count(end) + 1):
            slots = pair_slots(end, k, self.plan)
            left, right = self.now(slots[0]), self.now(slots[1])
            if left is None or right is None or left.value <= right.value:
                continue
            own = math.sqrt((left.figures.u_random**2 + right.figures.u_random**2) / 2)
            u = math.sqrt(own**2 + 2 * self.plan.vehicle.marks.u_symmetry_mm**2)
            found.append((Pair(id=str(k), left=left.value, right=right.value, u=u), own, left.tool))
        return found

    def _end_mark(self, end: str) -> EndMark:
        out = self.left_out(end)
        kept = [one for one in self._whole_pairs(end) if one[0].id not in out]
        pairs, tool = [pair for pair, _, _ in kept], kept[-1][2] if kept else None
        names: dict[str, Text] = {pair.id: pair_name(end, int(pair.id), self.plan) for pair in pairs}
        own_u = {pair.id: own / math.sqrt(2) for pair, own, _ in kept}
        if not pairs:
            return EndMark(None, names, {})
        rest = math.sqrt(1 - 1 / len(pairs))
        u_residual = {k: u * rest for k, u in own_u.items()}
        middle = symmetry(SymmetryInput(pairs=pairs))
        mark = self.now(mark_slot(end, self.plan))
        if mark is None:
            return EndMark(middle, names, u_residual)
        # On the same tape its offset cancels between the mark and the pairs' middle.
        u_mark = mark.figures.u_random if mark.tool == tool else mark.u
        return EndMark(middle, names, u_residual, mark.value - middle.centre, math.hypot(middle.u, u_mark))

    @worked_out
    def toe(self) -> dict[str, Measured] | None:
        """Rear toe of both sides, degrees, toe-in positive."""
        left, right = self.now(toe_slot("left")), self.now(toe_slot("right"))
        return {"left": left, "right": right} if left and right else None

    # --- the pose

    @worked_out
    def boundaries(self) -> list[Disturbance]:
        """Everything that opened an epoch of the pose."""
        return [past for past in self.state.disturbances if past.aspects & (TAPE_ASPECTS | CLAMPS)]

    def span(self, epoch: int) -> tuple[int, int]:
        """seq of the events between which an epoch lies."""
        ends = [0, *(past.seq for past in self.boundaries), LATER]
        return ends[epoch], ends[epoch + 1]

    def stays(self, epoch: int) -> list[Stay]:
        """An epoch parted where the frame was levelled or cranked without its place being touched."""
        return self.once(ReadingsByEpoch._stays, epoch)

    def _stays(self, epoch: int) -> list[Stay]:
        first, last = self.span(epoch)
        cuts = [past.seq for past in self.state.disturbances if first < past.seq < last and past.aspects & UPRIGHT]
        ends = [first, *cuts, last]
        names = [*(f"frame@{epoch}.{k}" for k in range(len(cuts))), f"frame@{epoch}"]
        return [Stay(epoch, *stay) for stay in zip(names, ends, ends[1:], strict=False)]

    def stretch(self, aspects: frozenset[str], stay: Stay) -> int:
        """In which stretch between events that spoil some aspects a stay begins."""
        return bisect(self._spoiled(aspects), stay.start)

    def by_stretch(self, slot: Slot, aspects: frozenset[str]) -> dict[int, list[Entry]]:
        """A slot's entries that count, by the stretch between events that spoil some aspects."""
        return self.once(ReadingsByEpoch._by_stretch, slot.id, aspects)

    def _by_stretch(self, slot: str, aspects: frozenset[str]) -> dict[int, list[Entry]]:
        return self._parted(self.relied(slot), self._spoiled(aspects))

    def _spoiled(self, aspects: frozenset[str]) -> list[int]:
        """seq of every event that spoils one of some aspects."""
        return self.once(ReadingsByEpoch._spoiling, aspects)

    def last_spoiled(self, aspects: frozenset[str]) -> int:
        """seq of the newest of them; 0: none."""
        return max(self._spoiled(aspects), default=0)

    def _spoiling(self, aspects: frozenset[str]) -> list[int]:
        return [past.seq for past in self.state.disturbances if past.aspects & aspects]

    def within(self, slot: Slot, epoch: int) -> list[Entry]:
        """A slot's entries of an epoch that count."""
        _, stretch = self.once(ReadingsByEpoch._stretches, slot.aspects)
        return self.once(ReadingsByEpoch._by_boundaries, slot.id, slot.aspects).get(stretch[epoch], [])

    def _by_boundaries(self, slot: str, aspects: frozenset[str]) -> dict[int, list[Entry]]:
        return self._parted(self.relied(slot), self.once(ReadingsByEpoch._stretches, aspects)[0])

    def _stretches(self, aspects: frozenset[str]) -> tuple[list[int], list[int]]:
        """seq of each boundary that spoils an aspect, and in which stretch between them each epoch lies."""
        hits = [bool(past.aspects & aspects) for past in self.boundaries]
        spoiled = [past.seq for past, hit in zip(self.boundaries, hits, strict=True) if hit]
        return spoiled, [0, *accumulate(hits)]

    def taken_with(self, slot: Slot, seq: int) -> list[Entry]:
        """A slot's entries that count where another entry was taken: nothing spoiled the slot between them."""
        return self.by_stretch(slot, slot.aspects).get(bisect(self._spoiled(slot.aspects), seq), [])

    def _parted(self, entries: Iterable[Entry], spoiled: Sequence[int]) -> dict[int, list[Entry]]:
        """Some entries, by the stretch between spoiling events in which they were read."""
        found: dict[int, list[Entry]] = {}
        for entry in entries:
            found.setdefault(bisect(spoiled, entry.seq), []).append(entry)
        return found

    def height_for(self, what: str, seq: int) -> tuple[float, float] | None:
        """Height of a hub or beam end that was valid when the reading ``seq`` was taken, and its u."""
        spoiled, by_stretch = self.once(ReadingsByEpoch._heights, what)
        found = by_stretch.get(bisect(spoiled, seq))
        if found is not None:
            return found.value, found.u
        if what in CORNERS:
            return self.plan.vehicle.hub_height, U_HUB_MM
        return None

    def _heights(self, what: str) -> tuple[list[int], dict[int, Measured | None]]:
        """seq of what spoiled a height, and what it was between."""
        slot = height_slot(what, self.plan)
        by_stretch = self.by_stretch(slot, slot.aspects)
        return self._spoiled(slot.aspects), {k: measured(read, self.state.warm) for k, read in by_stretch.items()}

    def rise_of_tape(
        self, hub: Corner, end: str, low: tuple[float, float], high: tuple[float, float]
    ) -> tuple[float, float]:
        """How much higher a tape's far end is than its hub, and u: heights above the floor and its own rise."""
        rise, u = high[0] - low[0], math.hypot(low[1], high[1])
        floor = self.plan.floor_between(hub, end)
        return (rise, u) if floor is None else (rise + floor.value, math.hypot(u, floor.u))

    def by_runs(self, entries: Sequence[Entry]) -> list[list[Entry]]:
        """Entries parted where the procedure was run between them: what was read after a run proves the set-up anew."""
        runs = [run.seq for run in self.state.runs if not run.withdrawn]
        parted: dict[int, list[Entry]] = {}
        for entry in entries:
            parted.setdefault(sum(seq < entry.seq for seq in runs), []).append(entry)
        return list(parted.values())

    def replaced_after(self, slot: Slot) -> int:
        """seq after which a slot's entries are of the set-up at hand, and of what was read since the last run."""
        groups = self.by_runs(self.current(slot))
        return min(e.seq for e in groups[-1]) - 1 if groups else self.state.seq

    def tapes(self, epoch: int) -> list[tuple[Slot, Corner, str, list[Entry]]]:
        """Tapes of an epoch: slot, hub, beam end, what counts."""
        return self.once(ReadingsByEpoch._tapes, epoch)

    def _tapes(self, epoch: int) -> list[tuple[Slot, Corner, str, list[Entry]]]:
        found: list[tuple[Slot, Corner, str, list[Entry]]] = []
        for hub in CORNERS:
            for end in ENDS:
                slot = tape_slot(hub, end, self.plan)
                entries = self.within(slot, epoch)
                if entries:
                    found.append((slot, hub, end, entries))
        return found
