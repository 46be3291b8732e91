"""Which tolerances an instrument can decide: the sheet of a procedure, read as it should be, with this instrument.

Every place that the instrument can read is read with it at the specified value, all others by a perfect one; the
sheet itself then says how sure each figure is. An instrument decides a tolerance where its guard bands leave room
between the limits (``capable`` of ``verdict``, JCGM 106), perhaps only with repeated readings.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from escuadra.core.base.said import Said, Text, Value, said
from escuadra.core.bay.bay import Bay
from escuadra.core.instruments.instrument import Tool
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.advice.frame import expected
from escuadra.core.visit.checks import Figure
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.events import ToolUsed
from escuadra.core.visit.log.state import State
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.rehearsal import PERFECT, rehearsed
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.sheet import Sheet, derive
from escuadra.core.visit.slots import Slot

REPEATS = (1, 3, 10)
"""So many readings are tried; more than ten of one thing nobody takes."""
MATTERS = 1.02
"""An instrument has a part in a figure where its U is that much more than a perfect one's."""


KNOWN = Bay(name="known", length=24_000, width=12_000, u_rise_mm=1e-3, u_place_mm=1e-3)
"""A floor that is known: what an instrument decides is asked, not what the floor does."""


@dataclass(frozen=True)
class Decides:
    """One tolerance of a procedure, and what it takes to decide it."""

    procedure: str
    check: str
    label: Text
    allowed: Said
    said: Value
    """± U with one reading of everything."""
    readings: int | None
    """How often everything must be read; ``None``: never."""
    tolerances: int
    """How many tolerances of the check it has a part in; the hardest is shown."""

    @property
    def answer(self) -> Said:
        """Whether, and how."""
        if self.readings is None:
            return said("capability.never")
        return (
            said("capability.once") if self.readings == 1 else said("capability.readings_each", readings=self.readings)
        )


def _value(slot: Slot, epochs: Epochs, exact: Mapping[str, float]) -> float | None:
    """What a slot should show, or ``None`` while that hangs on others; the middle of what is plausible elsewhere.

    ``exact``: what the marks' slots show where all stands as specified; ``None`` where that cannot be read.
    """
    known, quantity = expected(slot, epochs), slot.quantity
    if known is not None or slot.between is not None:
        return known
    assert quantity is not None
    if (shows := exact.get(slot.id)) is not None:
        return shows if quantity.low <= shows <= quantity.high else None
    if quantity.low > 0:
        return (quantity.low + quantity.high) / 2
    return max(quantity.low, min(quantity.high, 0.0))


def _values(plan: Plan) -> dict[str, tuple[Slot, float]]:
    """A value for every slot of a fresh sheet, in the order in which values depend on each other."""
    found: dict[str, tuple[Slot, float]] = {}
    exact = METHODS["marks"].exact(Scene.nominal(plan))
    slots = [v.slot for v in derive(State(), plan, 0).slots.values() if v.slot.ask == "number"]
    for _ in range(3):
        epochs = Epochs(_state(found, {}, 1), plan)
        for slot in slots:
            if slot.id not in found and (value := _value(slot, epochs, exact)) is not None:
                found[slot.id] = (slot, value)
    return found


def _state(values: Mapping[str, tuple[Slot, float]], figures: dict[str, Instrument], times: int) -> State:
    """A log's state with every slot read so many times, by a perfect instrument where ``figures`` names none."""

    def tool(id: str) -> ToolUsed:
        return ToolUsed(id="own" if id in figures else "other", name="", contributions=figures.get(id, PERFECT))

    return rehearsed({id: value for id, (_, value) in values.items()}, tool, times)


def _figures(sheet: Sheet) -> dict[tuple[str, str], Figure]:
    return {(v.check.id, f.id): f for v in sheet.checks for f in v.judgement.figures}


@dataclass(frozen=True, eq=False)
class AsSpecified:
    """A procedure on a known floor, each of its places with what it should read, and what perfect instruments tell."""

    plan: Plan
    values: Mapping[str, tuple[Slot, float]]
    figures: Mapping[tuple[str, str], Figure]
    """By the check and the figure's id."""


def as_specified(plan: Plan) -> AsSpecified:
    """A procedure with everything read as it should be."""
    plan = replace(plan, bay=KNOWN)
    values = _values(plan)
    return AsSpecified(plan, values, _figures(derive(_state(values, {}, 1), plan, 0)))


def undecidable(plan: Plan, tools: Sequence[Tool]) -> list[tuple[str, Said]]:
    """Tolerances that cannot be decided here: check and what is allowed, each read with the best instrument for it."""
    read = as_specified(plan)
    plan, values, perfect = read.plan, read.values, read.figures
    own = {id: best for id, (slot, _) in values.items() if (best := _best(slot, tools)) is not None}
    left = {key: figure for key, figure in perfect.items() if figure.lower is not None and figure.upper is not None}
    for n in REPEATS:
        figures = _figures(derive(_state(values, own, n), plan, 0))
        shown = {check for check, _ in figures}
        # A check that does not even come to a figure decides nothing.
        left = {
            key: figure
            for key, figure in left.items()
            if key[0] not in shown or ((ours := figures.get(key)) is not None and not ours.verdict.capable)
        }
        if not left:
            break
    return [(check, figure.allowed) for (check, _), figure in left.items()]


def _best(slot: Slot, tools: Sequence[Tool]) -> Instrument | None:
    """What the most accurate instrument for a slot contributes."""
    if slot.quantity is None:
        return None
    dimension = slot.quantity.dimension
    found = [tool.contributions_in(dimension) for tool in tools if slot.reads in tool.reads]
    return min(found, key=lambda one: math.hypot(one.accuracy_constant, one.resolution), default=None)


def decides(read: AsSpecified, tool: Tool) -> list[Decides]:
    """Every check of a procedure in which the instrument has a part, by its hardest tolerance; the floor is known."""
    plan, values, best = read.plan, read.values, read.figures
    own = {
        id: tool.contributions_in(slot.quantity.dimension)
        for id, (slot, _) in values.items()
        if slot.reads in tool.reads and slot.quantity is not None
    }
    if not own:
        return []
    sheets: dict[int, Sheet] = {}

    def with_readings(n: int) -> Sheet:
        if n not in sheets:
            sheets[n] = derive(_state(values, own, n), plan, 0)
        return sheets[n]

    found = []
    for view in with_readings(1).checks:
        parts = [
            f
            for f in view.judgement.figures
            if f.lower is not None
            and f.upper is not None
            and (plain := best.get((view.check.id, f.id))) is not None
            and f.verdict.U > MATTERS * plain.verdict.U
        ]
        if not parts:
            continue
        hardest = max(parts, key=lambda f: f.verdict.U / f.half_range)
        key = (view.check.id, hardest.id)
        needed = next((n for n in REPEATS if _figures(with_readings(n))[key].verdict.capable), None)
        title = view.check.called
        alone = len(view.judgement.figures) == 1
        label = title if alone else said("capability.figure", check=title, figure=hardest.label)
        found.append(
            Decides(plan.procedure.id, view.check.id, label, hardest.allowed, hardest.plus_minus, needed, len(parts))
        )
    return found
