"""What every kind of check has: its slots, and how it is judged from what they hold.

A kind is one class with its own figures, registered by its name. Source of each verdict: ``verdict`` (JCGM 106).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal

from pydantic import Field

from escuadra.core.base.quantities import OWN_UNIT
from escuadra.core.base.said import NOTHING, Count, Said, Sentences, Text, Value, said, sentences
from escuadra.core.base.wording import amount, with_uncertainty
from escuadra.core.geodesy.state.located import Derived, Located
from escuadra.core.measure.budget import Contribution, of_reading, shares
from escuadra.core.measure.verdict import VerdictInput, VerdictResult, verdict
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.sheet import CheckSpec
from escuadra.core.visit.doubting import Again
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.guarding import SHARED, Guard
from escuadra.core.visit.log.state import Disturbance
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.slots import Measured, Slot
from escuadra.core.visit.solution.solution import EpochSolution


@dataclass(frozen=True)
class Figure:
    """One toleranced value with its verdict, in the terms of the rule drawing."""

    what: str
    """What it is of, by name: its check's quantity, or the slot that it was read in."""
    label: Text
    value: float
    u: float
    lower: float | None
    upper: float | None
    unit: str
    way: str | None
    """Code of the axis that says which way it is; none: a signed figure."""
    verdict: VerdictResult
    nominal: float = 0.0
    closest: bool = False
    """It has to be as close to nominal as can be told, not just within its limits."""
    which: str = ""
    """Of which corner, end or target it is, where its check has several of a kind."""
    slot: str = ""
    """Id of the one slot that it was read in; empty: worked out from several."""

    @property
    def id(self) -> str:
        """Its name among its check's figures."""
        return f"{self.what}.{self.which}" if self.which else self.what

    @property
    def text(self) -> Value:
        """The value as it is said."""
        return with_uncertainty(self.value, self.verdict.U, self.unit, self.way)[0]

    @property
    def most(self) -> float:
        """How far a mistake that nobody notices may move it: from the middle to the nearer limit."""
        limits = [abs(limit - self.nominal) for limit in (self.lower, self.upper) if limit is not None]
        return min(limits, default=math.inf)

    @property
    def half_range(self) -> float:
        """Half of what is allowed; 1 where a limit is open: margins of figures in different units compare by it."""
        if self.lower is None or self.upper is None or self.upper <= self.lower:
            return 1.0
        return (self.upper - self.lower) / 2

    @property
    def plus_minus(self) -> Value:
        """``± U``."""
        return with_uncertainty(self.value, self.verdict.U, self.unit, self.way)[1]

    def said(self, limit: float) -> Value:
        """A limit as it is said."""
        places = 0 if limit == int(limit) else None
        return amount(limit, self.unit, places, self.way)

    @property
    def allowed(self) -> Said:
        """The limits as they are said."""
        return said("allowed.closest", limits=self._limits) if self.closest else self._limits

    @property
    def _limits(self) -> Said:
        if self.lower is not None and self.upper is not None:
            if math.isclose(self.lower, -self.upper):
                places = 0 if self.upper == int(self.upper) else None
                return said("allowed.within", limit=amount(self.upper, self.unit, places))
            return said("allowed.between", lower=self.said(self.lower), upper=self.said(self.upper))
        if self.upper is not None:
            return said("allowed.most", limit=self.said(self.upper))
        return said("allowed.least", limit=self.said(self.lower or 0.0))


AS_CLOSE = {"mm": 1.0, "°": 0.05}
"""What is off by no more is as close as a frame is moved, by the unit."""
Link = Literal["", "printout", "parking", "residuals", "screws"]
"""A page that a screen offers beside a check."""
OnTheRoad = Literal["", "left", "up", "yaw", "pitch"]
"""Along or about which axis a target off its place would show on the road; empty: about none."""


@dataclass(frozen=True)
class Lessening:
    """What one reading more is of, the minutes that it takes, and a figure's u after it."""

    what: Text
    minutes: float
    u: float


@dataclass(frozen=True)
class ToldBy:
    """The solution that tells a figure: what figures of one solution have in common is known from it."""

    figure: str
    located: Located
    found: Derived


@dataclass(frozen=True)
class Judgement:
    """What a check's current entries amount to.

    ``complete``: all that is needed was read and is current. ``mismatch``: an answer that does not match.
    ``inconsistency``: readings that contradict each other, so that nothing can be said.
    """

    complete: bool
    figures: tuple[Figure, ...] = ()
    summary: Value | None = None
    mismatch: Sentences = NOTHING
    inconsistency: Sentences = NOTHING
    remark: Sentences = NOTHING
    because: Disturbance | None = None
    """What made it stale, where no slot of its own tells."""
    photo: Slot | None = None
    """What a photo is wanted of, where the sheet demands one and none was kept."""
    guard: Guard | None = None
    """What it rests on, where a mistake that nobody notices could move it farther than its tolerance is wide."""

    @property
    def to_guard(self) -> Slot | None:
        """The reading that would guard it."""
        return self.guard.look if self.guard is not None else None

    @property
    def worst(self) -> Figure | None:
        """The figure nearest to trouble."""
        order = {"out": 0, "undecided": 1, "holds": 2}
        return min(self.figures, key=lambda f: (order[f.verdict.state], f.verdict.margin / f.half_range), default=None)


def _slots(epochs: Epochs, check: "Check") -> list[Slot]:
    return check.make_slots(epochs)


class Check(CheckSpec):
    """A kind of check: what is to be read, how that is judged, and what puts it right.

    What a kind does not say of itself has a default here: nothing else needs to know of it.
    """

    mended_by_a_move: ClassVar[bool] = False
    """Undecided, it is moved nearer the middle where no reading would settle it."""
    view_of: ClassVar[Literal["", "yaw", "centre", "distance"]] = ""
    """Of which part of the frame's pose it is a view: that is read in full first, then set by one plan of moves."""
    quantity: ClassVar[str] = ""
    """What of the solution that view is."""
    sums_up: ClassVar[bool] = False
    """It judges what the others of its group found: it comes after them."""
    brings: ClassVar[str] = ""
    """A method of finding the line whose readings are its own anyway."""
    placing: ClassVar[bool] = False
    """What it reads is needed to bring a frame to about its place, before anything is levelled."""
    after_pose: ClassVar[bool] = False
    """It is set once the frame stands where it must."""
    newest_counts: ClassVar[bool] = False
    """What it reads changes by itself: an earlier look contradicts nothing."""
    runs: ClassVar[bool] = False
    """It has nothing to read: what it waits for is that the procedure is run."""
    on_the_road: ClassVar[OnTheRoad] = ""
    """Along or about which axis a target off its place would show on the road."""
    road_figure: ClassVar[str] = ""
    """The figure that does; none named: the first."""
    asks_photos: ClassVar[bool] = False
    """Where the sheet demands a photo of it, it says itself of what."""
    link: ClassVar[Link] = ""
    """What a screen offers beside it."""

    def __hash__(self) -> int:
        return hash(self.id)

    @property
    def at_frame(self) -> bool:
        """What it reads is read at the frame: a move of a plan that is under way comes before it is read again."""
        return self.group == "frame"

    @property
    def of_pose(self) -> bool:
        """It is a view of the frame's pose."""
        return bool(self.view_of)

    @property
    def tolerance(self) -> Limits | None:
        """What that view must keep."""
        return None

    @property
    def line_method(self) -> str:
        """The method of finding the line that it reads; empty where it reads none."""
        return ""

    def acts(self, figure: "Figure", figures: Sequence["Figure"]) -> OnTheRoad:
        """What a figure of it does to what the sensor learns, of those that it was judged by; empty: nothing."""
        own = next((one for one in figures if one.id == self.road_figure), figures[0])
        return self.on_the_road if figure is own else ""

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        """The slots, in the order in which they are best read."""
        raise NotImplementedError

    def slots(self, epochs: Epochs) -> list[Slot]:
        """The slots, made once for a derivation."""
        return epochs.once(_slots, self)

    def judge(self, epochs: Epochs) -> Judgement:
        """Judge what is current."""
        raise NotImplementedError

    def told(self, epochs: Epochs) -> list[ToldBy]:
        """Which of its figures a solution tells; the others were read by themselves."""
        return []

    def aspects(self, epochs: Epochs) -> frozenset[str]:
        """What the check's verdict depends on."""
        return frozenset().union(*(slot.aspects for slot in self.slots(epochs)))

    def _read_in(self, epochs: Epochs, figure: Figure) -> tuple[Slot, Measured] | None:
        """The one slot that a figure was read in, and what it amounts to."""
        slot = next((slot for slot in self.slots(epochs) if slot.id == figure.slot), None)
        found = epochs.now(slot) if slot is not None else None
        return (slot, found) if slot is not None and found is not None else None

    @property
    def reason(self) -> str:
        """Code of what blocks where it is out and nothing that is told puts it right."""
        return "other"

    def required(self, epochs: Epochs) -> list[Slot]:
        """What must be read before it is judged."""
        return [slot for slot in self.slots(epochs) if not slot.optional]

    def times(self, slot: Slot) -> int:
        """How often a slot must hold a reading."""
        return slot.times

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        """What to do about it where it is out; nothing where no move mends it."""
        return None

    def ahead(self, epochs: Epochs) -> NextMove | None:
        """Its move as the last of a plan that is under way, before anything is read again."""
        return None

    def at_last(self, epochs: Epochs, judged: Judgement) -> tuple[str, Text] | None:
        """The one further reading that would settle it where nobody could tell otherwise."""
        return None

    def settling(self, epochs: Epochs, judged: Judgement) -> tuple[str, Text] | None:
        """The one further reading that would settle an undecided check, by its slot and what it is called."""
        worst = judged.worst
        if worst is None or not worst.verdict.readings_needed:
            return None
        slots = self.slots(epochs)
        found = next((slot for slot in slots if slot.id == worst.slot), slots[0])
        return found.id, found.label

    def before_reading(self, epochs: Epochs) -> Said | None:
        """What is done before the first reading of what it judges: set out, and carried there."""
        return None

    def contradicted(self, epochs: Epochs) -> EpochSolution | None:
        """The solution in which its readings contradict others."""
        return None

    def doubted(self, epochs: Epochs) -> Again | None:
        """The reading to take again where its readings contradict each other."""
        return None

    def parted_by(self, epochs: Epochs) -> tuple[Slot, int] | None:
        """What to read beside, where its readings contradict each other so that no solution tells it; of how many."""
        return None

    def to_confirm(self, epochs: Epochs, judged: Judgement) -> Again | None:
        """The reading to take again before it is believed that the vehicle is out."""
        return None

    def unknown(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        """What has to be found out where no reading of its own would settle it."""
        return None

    def parting(self, epochs: Epochs) -> Said | None:
        """Which reading would tell apart what contradicts each other."""
        return None

    def helping(self, epochs: Epochs, margin: float) -> Said | None:
        """Which reading would help most, where its verdict is this far from settled."""
        return None

    def near_enough(self, judged: Judgement) -> bool:
        """It holds, and what is left is less than can be read."""
        return False

    def advice(self, epochs: Epochs, state: str, judged: Judgement, read: int) -> Sentences:
        """What would decide an undecided check, or what an open or troubled one waits for.

        ``read``: how often the slot that was read most often was read.
        """
        if judged.inconsistency:
            return judged.inconsistency + sentences(self.parting(epochs))
        if state == "holds" and self.near_enough(judged):
            return sentences(said("looking.stop_here_left_less_than"), judged.remark)
        if state != "undecided":
            return judged.remark
        figure = min(judged.figures, key=lambda f: f.verdict.margin if f.verdict.state == "undecided" else math.inf)
        verdict = figure.verdict
        if not verdict.capable:
            return sentences(said("looking.undecided_instrument_too_coarse_tolerance"))
        if verdict.readings_needed and (more := verdict.readings_needed - read) > 0:
            return sentences(said("looking.undecided_agree_would_settle", more=Count(more)))
        return sentences(self.helping(epochs, verdict.margin) or said("looking.undecided_too_near_limit_can"))

    def budget(self, epochs: Epochs, figure: Figure) -> list[Contribution]:
        """Where a figure's uncertainty comes from, the largest share first."""
        read = self._read_in(epochs, figure)
        return shares(of_reading(read[1].figures, read[1].tool_name)) if read is not None else []

    def lessening(self, epochs: Epochs, figure: Figure) -> "Lessening | None":
        """The one reading that lessens a figure's uncertainty most; nothing where none does."""
        read = self._read_in(epochs, figure)
        if read is None or read[0].reads in SHARED:
            return None
        slot, found = read
        less = found.figures.u_repeat**2 / (found.count + 1)
        return Lessening(slot.label, slot.minutes, math.sqrt(max(0.0, figure.u**2 - less)))

    def figure(
        self,
        what: str,
        label: Text,
        value: float,
        u: float,
        limits: Limits,
        unit: str,
        way: str | None = None,
        single: Measured | None = None,
        about: float | None = None,
        open_below: bool = False,
        which: str = "",
        slot: str = "",
    ) -> Figure:
        """A judged value; ``single`` gives the advice on repeats, ``about`` shifts the zero to a nominal value.

        ``which``: of which corner, end or target. ``slot``: what it was read in, where that is not ``single``'s.
        ``open_below``: the upper limit alone counts.
        """
        shift = about or 0.0
        lower = None if open_below else limits.lower - shift
        judged = verdict(
            VerdictInput(
                value=value - shift,
                u=u,
                lower=lower,
                upper=limits.upper - shift,
                rule=self.rule,
                repeatability=single.contributions.repeatability if single else None,
                u_fixed=math.sqrt(max(0.0, u**2 - single.figures.u_repeat**2)) if single else None,
            )
        )
        lower, left = None if open_below else limits.lower, abs(value - limits.nominal)
        near = max(judged.U, AS_CLOSE.get(unit, 0.0))
        if limits.closest and judged.state == "holds" and left > near:
            # Within its limits, but a move would bring it nearer and a reading would tell so.
            judged = judged.model_copy(update={"state": "out", "margin": near - left})
        own = slot or (single.slot if single is not None else "")
        ends, aims = (lower, limits.upper), (limits.nominal, limits.closest)
        return Figure(what, label, value, u, *ends, unit, way, judged, *aims, which=which, slot=own)


def own_checks(plan: Plan) -> list[Check]:
    """A procedure's checks, as what they are."""
    return [check for check in plan.procedure.checks if isinstance(check, Check)]


class OneReading(Check):
    """A kind that is one figure read in one place, against its limits."""

    limits: Limits = Field(description="in the unit of what is read")

    def judge(self, epochs: Epochs) -> Judgement:
        (slot,) = self.slots(epochs)
        found = epochs.now(slot)
        if found is None or slot.quantity is None:
            return Judgement(False)
        unit = OWN_UNIT[slot.quantity.dimension]
        figure = self.figure(slot.id, self.called, found.value, found.u, self.limits, unit, slot.way, single=found)
        return Judgement(True, (figure,), summary=figure.text)


State = Literal["holds", "out", "undecided", "stale", "open"]
