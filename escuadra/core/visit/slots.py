"""Slots: the single places where something is read or answered, and what their current entries amount to.

A slot names the aspects that its readings depend on; entries older than the last disturbance of one of them are
stale and enter nothing. Source of the figures: ``readings`` (JCGM 100); several tools on one slot are combined as a
weighted mean.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Name, Noun, Said, Text, Value, said
from escuadra.core.base.wording import amount
from escuadra.core.measure.readings import REFERENCE_TEMPERATURE, Conditions, Figures, Instrument, worked_out
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.state import Entry, State

MINUTES = {"tape": 1.0}
MINUTES_ELSE = 0.5
"""What one reading takes, by what it is read with."""


@dataclass(frozen=True)
class ReadAt:
    """Where one stands to read something: what the place is called, and where that is in vehicle axes, mm."""

    called: Said
    x: float
    y: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Slot:
    """One place where a figure, a tick or a choice is entered."""

    id: str
    label: Text
    aspects: frozenset[str]
    which: str = ""
    """Of which corner, end or part it is, where its check asks several alike."""
    ask: Literal["number", "tick", "choice", "day"] = "number"
    quantity: Quantity | None = None
    reads: str = ""
    way: str | None = None
    """Code of the axis that says which way a figure is; none: it has a sign, or none."""
    options: tuple[str, ...] = ()
    """Codes of what can be answered; a name is its own, see ``named``."""
    named: tuple[str, ...] = ()
    """Those options that are names as the catalogue gives them, such as a tyre's size."""
    optional: bool = False
    times: int = 1
    """How often it is to be read, as planned."""
    hint: Said | None = None
    specified: str = ""
    """What is entered where all is as specified: an answer's code or a figure; empty: it must be looked at or read."""
    watches: bool = False
    """A reading of it can notice a bump of the frame."""
    looked_at_with: frozenset[str] = frozenset()
    """Once any of these was spoiled, a look shows something else: only its newest stretch counts, and none is added."""
    photos: bool = False
    """A photo is likely to be kept with it: what takes one lies open."""
    lever: float = 0.0
    """Distance or height over which an instrument's angle counts here, mm."""
    wanted: float | None = None
    """What it reads where all stands as it should, where that is shown beside the field before anything is read."""
    nominal: float | None = None
    """What it reads where all is as specified, which is not shown before it was read."""
    between: tuple[str, str] | None = None
    """Hub and end of the beam that a tape joins."""
    then: str = ""
    """Id of the slot that is read right after it, by whoever reads it."""
    at: ReadAt | None = None
    """Where one stands to read it; none: at the target."""

    def __hash__(self) -> int:
        return hash(self.id)

    @property
    def minutes(self) -> float:
        """What one reading of it takes."""
        return MINUTES.get(self.reads, MINUTES_ELSE)

    @property
    def as_wanted(self) -> Value | None:
        """That, as it is said."""
        if self.wanted is None or self.quantity is None:
            return None
        return amount(self.wanted, self.quantity.unit, 0, self.way)

    def answer(self, value: str) -> Text:
        """How an answer is said: an option, or what was typed."""
        return self.option(value) if self.ask != "day" else Name(value)

    def option(self, code: str) -> Text:
        """How an option is said."""
        return (
            Name(code) if code in self.named or (self.ask == "choice" and not self.options) else Noun(f"answer.{code}")
        )


U_ANY_WARMTH, U_SAME_ROOM = 5.0, 1.0
"""Of a tape's temperature in a workshop, and where another tape's was typed on the same visit, K, one sigma."""


@dataclass(frozen=True)
class Measured:
    """What a slot's current readings by one tool amount to (or by several, combined)."""

    slot: str
    tool: str
    figures: Figures
    count: int
    contributions: Instrument
    """Of the tool as it then was: a check in between changes it, and what its readings share."""
    seq: int
    tool_name: str

    @property
    def shared(self) -> tuple[str, Instrument]:
        """What its readings have errors in common with: the tool as it then was."""
        return self.tool, self.contributions

    @property
    def value(self) -> float:
        """Corrected mean."""
        return self.figures.value

    @property
    def u(self) -> float:
        """Its standard uncertainty."""
        return self.figures.u

    @property
    def u_look(self) -> float:
        """By which one look differs from the next, one sigma: what the instrument repeats to, and its division."""
        return math.hypot(self.contributions.repeatability, self.figures.u_resolution)


def current(entries: tuple[Entry, ...], state: State, aspects: frozenset[str]) -> tuple[Entry, ...]:
    """The entries that nothing disturbed since: no aspect was spoiled after them, their instrument is not in doubt."""
    if not entries:
        return ()
    last = state.last_disturbed(aspects)
    since = -1 if last is None else last.seq
    return tuple(e for e in entries if e.seq > since and e.doubted is None)


def measured_by_tool(
    entries: Sequence[Entry], rise: float = 0.0, u_rise: float = 0.0, warm: float | None = None
) -> list[Measured]:
    """One ``Measured`` a tool as it then was and its conditions; ``rise``: of a slanted tape's far end, mm.

    ``warm``: the temperature of a tape at which none was typed, degrees Celsius; nothing: as in any workshop.
    """
    found = []
    for by_tool in _by_conditions(entries):
        said = by_tool[-1].said
        assert isinstance(said, ReadingTaken)
        tool, sag = said.tool, said.tool.sag if said.hung_free else None
        how = Conditions(None, None, sag, rise, u_rise)
        if tool.expansion_per_k is not None:
            degrees, u_degrees = _warmth(said.temperature, warm)
            how = Conditions(degrees, tool.expansion_per_k, sag, rise, u_rise, u_degrees)
        figures = worked_out([e.value for e in by_tool], tool.contributions, how)
        last = by_tool[-1]
        found.append(Measured(last.slot, tool.id, figures, len(by_tool), tool.contributions, last.seq, tool.name))
    return found


def _warmth(typed: float | None, about: float | None) -> tuple[float, float]:
    """A tape's temperature and its u."""
    if typed is not None:
        return typed, 0.0
    return (REFERENCE_TEMPERATURE, U_ANY_WARMTH) if about is None else (about, U_SAME_ROOM)


def _by_conditions(entries: Sequence[Entry]) -> Iterable[list[Entry]]:
    """Readings of one tool under the same conditions."""
    found: list[list[Entry]] = []
    for entry in entries:
        alike = next((group for group in found if _alike(group[0], entry)), None)
        if alike is None:
            found.append([entry])
        else:
            alike.append(entry)
    return found


def _alike(first: Entry, second: Entry) -> bool:
    a, b = first.said, second.said
    assert isinstance(a, ReadingTaken)
    assert isinstance(b, ReadingTaken)
    same = a.tool.id == b.tool.id and a.temperature == b.temperature and a.hung_free == b.hung_free
    return same and (a.tool is b.tool or a.tool.contributions == b.tool.contributions)


def measured(entries: Sequence[Entry], warm: float | None = None) -> Measured | None:
    """All current readings of a slot as one value; ``None`` where there is none."""
    parts = measured_by_tool(entries, warm=warm)
    if len(parts) <= 1:
        return parts[0] if parts else None
    weights = [1 / max(p.u, 1e-9) ** 2 for p in parts]
    total = math.fsum(weights)
    shares = [w / total for w in weights]

    def quadrature(values: list[float]) -> float:
        return math.sqrt(math.fsum((s * v) ** 2 for s, v in zip(shares, values, strict=True)))

    figures = Figures(
        value=math.fsum(s * p.value for s, p in zip(shares, parts, strict=True)),
        u=quadrature([p.u for p in parts]),
        u_random=quadrature([p.figures.u_random for p in parts]),
        u_offset=quadrature([p.figures.u_offset for p in parts]),
        u_scale=quadrature([p.figures.u_scale for p in parts]),
        u_resolution=quadrature([p.figures.u_resolution for p in parts]),
        u_repeat=quadrature([p.figures.u_repeat for p in parts]),
    )
    return Measured(
        parts[0].slot,
        parts[-1].tool,
        figures,
        sum(p.count for p in parts),
        parts[-1].contributions,
        max(p.seq for p in parts),
        parts[-1].tool_name,
    )


def parts_of(weights: Sequence[float], parts: Sequence[Measured], words: Sequence[Text]) -> list[tuple[Text, float]]:
    """The (source, u) parts of Σ aᵢ·xᵢ: each reading's own, and what the readings of a tool share."""
    found: list[tuple[Text, float]] = [
        (word, a * p.figures.u_random) for a, p, word in zip(weights, parts, words, strict=True)
    ]
    for tool, constant, growing in _shared(weights, parts):
        found.append((said("source.constant", tool=tool), constant))
        found.append((said("source.growing", tool=tool), growing))
    return found


def _shared(weights: Sequence[float], parts: Sequence[Measured]) -> list[tuple[str, float, float]]:
    """By each tool's name, what its readings share in Σ aᵢ·xᵢ: its constant, and what grows with the length."""
    found = []
    for shared in dict.fromkeys(p.shared for p in parts):
        of = [(a, p) for a, p in zip(weights, parts, strict=True) if p.shared == shared]
        constant = math.fsum(a * p.figures.u_offset for a, p in of)
        found.append((of[0][1].tool_name, constant, math.fsum(a * p.value * p.figures.u_scale for a, p in of)))
    return found


def combined(weights: Sequence[float], parts: Sequence[Measured]) -> tuple[float, float]:
    """Σ aᵢ·xᵢ and its standard uncertainty; what readings of one tool share cancels where the weights do."""
    if len(weights) != len(parts):
        raise BadInput("weights", len(weights), said("wants.so_many", count=len(parts)))
    value = math.fsum(a * p.value for a, p in zip(weights, parts, strict=True))
    own = [a * p.figures.u_random for a, p in zip(weights, parts, strict=True)]
    return value, math.hypot(*own, *(u for _, *both in _shared(weights, parts) for u in both))
