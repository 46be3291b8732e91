"""The sheet: every check with its state, what made it so, and the next move. ``derive`` is pure; time comes in.

The only place where a check gets its state; screens, records, tests and reprints all read it from here.
"""

from dataclasses import dataclass, replace
from functools import cached_property

from escuadra.core.base.errors import BadInput, refusal
from escuadra.core.base.said import Duration, Metres, Name, Said, nouns, said, sentences
from escuadra.core.base.stream import Person
from escuadra.core.measure.aim import AimInput, aim
from escuadra.core.procedure.sheet import GROUPS
from escuadra.core.visit.advice.what_next import next_move
from escuadra.core.visit.chances import Chance, chance
from escuadra.core.visit.checks import Check, Judgement, own_checks
from escuadra.core.visit.checks.base import State as CheckState
from escuadra.core.visit.checks.distance_transfer import RectangleCheck
from escuadra.core.visit.checks.line import CentrelineCheck, MethodCheck
from escuadra.core.visit.checks.result import ResultCheck, RunCheck
from escuadra.core.visit.checks.stations import StationsCheck
from escuadra.core.visit.doubting import at_odds
from escuadra.core.visit.epochs import Epochs, cold
from escuadra.core.visit.log.places import family
from escuadra.core.visit.log.state import Disturbance, State
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.six_heights import on_six_heights
from escuadra.core.visit.solution.solution import Solving
from escuadra.core.visit.stations import Progress, current, progress
from escuadra.core.visit.views import CheckView, GroupView, SheetView, SlotView

CLOCK = Person(id="clock", name="", known="itself")
ROADS_M = (50.0, 100.0)
"""Where the consequence of a misplaced target is told: near enough to picture, far enough to matter."""
LEAST_ON_THE_ROAD_M = 0.01


@dataclass(frozen=True)
class Sheet(SheetView):
    """Everything that follows from a visit's log at a time."""

    @cached_property
    def _advised(self) -> NextMove | Said:
        """The next move, or why there is none."""
        try:
            return next_move(self)
        except Exception as cause:
            return _cause(cause)

    @cached_property
    def chance(self) -> Chance | None:
        """How likely it is that all of it holds; worked out where it is shown."""
        return chance(self.epochs, self.checks)

    @property
    def all_run(self) -> bool:
        """Nothing is left to be run unless somebody says that it is run again."""
        return self.state.frozen is not None or (bool(self.stations) and all(view.done for view in self.stations))

    @cached_property
    def underivable(self) -> dict[str, Said]:
        """What cannot be worked out from what was entered, and why: checks by their ids, the next move as ``next``."""
        found = {view.check.id: view.broken for view in self.checks if view.broken}
        return found | ({"next": self._advised} if isinstance(self._advised, Said) else {})

    @cached_property
    def next(self) -> NextMove:
        """The one thing to do now; where that cannot be worked out, the entry that stands in the way."""
        first = next((view for view in self.checks if view.broken), None)
        if first is not None:
            entered = [s for s in first.slots if s.now]
            newest = max(entered, key=lambda s: s.now[-1].seq, default=None)
            broken, then = said("next.broken", check=first.check.called), sentences(said("next.broken.then"))
            return NextMove("blocked", broken, then, check=first.check.id, slot=newest.slot.id if newest else "")
        if isinstance(self._advised, Said):
            then = sentences(said("next.unknown.then", why=self._advised))
            return NextMove("blocked", said("next.unknown"), then)
        return self._advised


def derive(state: State, plan: Plan, at: int, solving: Solving = cold, before: Sheet | None = None) -> Sheet:
    """The sheet that follows from a state; ``at``: UTC milliseconds, for what depends on time; ``solving``: how.

    ``before``: the sheet of the same visit that this one follows: what nothing new went into is taken over from it.
    """
    if state.signed is not None:
        # A signed sheet stays as it was signed: nothing grows old in it.
        at = state.records[-1].at
    elif (ran := state.frozen) is not None:
        # Nor does anything in one by which the procedure was run.
        at = ran.at
    plan = on_six_heights(plan, state)
    progressed = Progress((), {})
    if plan.procedure.stations:
        progressed = progress(state, plan, solving, before.epochs.proofs if before is not None else {})
        plan = plan.whole.at_stations[current(progressed.views).id]
    epochs = Epochs(state, plan, at, solving, before.epochs if before is not None else None)
    epochs.at_stations(progressed.views)
    epochs.proofs = progressed.proofs
    views = [_once(check, epochs) for check in checks_of(plan, state)]
    groups = tuple(
        GroupView(group, kept) for group in GROUPS if (kept := tuple(v for v in views if v.check.group == group))
    )
    sheet = Sheet(state, plan, at, groups, epochs, progressed.views)
    _ = sheet.next
    epochs.done()
    return sheet


def checks_of(plan: Plan, state: State) -> list[Check]:
    """The procedure's checks, with the methods of the line that were planned or begun, before both lines' own check."""
    every = own_checks(plan)
    own, after = [c for c in every if c.group != "result"], [c for c in every if c.group == "result"]
    if plan.procedure.stations:
        own.append(StationsCheck(id="stations", kind="stations", group="result", title=said("sheet.stations_run")))
    else:
        own.append(RunCheck(id="run", kind="run", group="result", title=said("sheet.run")))
    # What may be turned after a run comes before what came of it: where both are out, turning is what puts it right.
    own += after
    own.append(ResultCheck(id="result", kind="result", group="result", title=said("sheet.result")))
    named = {check.line_method for check in own} - {"marks"}
    begun = set(map(family, state.entries))
    planned = state.line_plan.methods if state.line_plan is not None else []
    carried = "rect" in begun or (state.line_plan is not None and state.line_plan.rectangle)
    own_slots = {m: begun & {*method.families} for m, method in METHODS.items() if not method.shares_slots}
    wanted = [m for m in METHODS if m not in named and (m in planned or own_slots.get(m))]
    line = [check for check in own if check.group == "line"]
    if not wanted and not planned and not carried:
        return own
    marks = [c for c in line if c.line_method == "marks"]
    if planned and "marks" not in planned and not begun & {"pair", "mark"}:
        line = [c for c in line if c not in marks]
    elif "marks" in planned and not marks:
        line.insert(
            0,
            CentrelineCheck(id="centreline", kind="body_centreline", group="line", title=said("sheet.body_centreline")),
        )
    added = [
        MethodCheck(id=f"method_{m}", kind="method", group="line", title=METHODS[m].title, method=m)
        for m in wanted
        if m != "marks"
    ]
    last: list[Check] = [c for c in line if c.sums_up]
    if carried and not any(c.kind == "rectangle" for c in own):
        title = said("sheet.carried_rectangle")
        last.append(RectangleCheck(id="rectangle", kind="rectangle", group="line", title=title))
    line = [*(c for c in line if c not in last), *added, *last]
    k = next((k for k, c in enumerate(own) if c.group == "line"), len(own))
    rest = [c for c in own if c.group != "line"]
    return [*rest[:k], *line, *rest[k:]]


def _cause(cause: Exception) -> Said:
    """What went wrong: a refusal by what it wants, anything else by its name."""
    if isinstance(cause, BadInput):
        return refusal(cause)
    return said("as_is", text=f"{type(cause).__name__}: {cause}")


def _once(check: Check, epochs: Epochs) -> CheckView:
    return epochs.once(_view, check)


def _view(epochs: Epochs, check: Check) -> CheckView:
    """A check as the sheet shows it; one that cannot be worked out says so and takes nothing else down."""
    slots: list[SlotView] = []
    try:
        _fill(slots, check, epochs)
        return _judged(check, epochs, slots)
    except Exception as cause:
        told = sentences(said("sheet.cannot_worked_out_entered"), _cause(cause))
        broken = Judgement(False, inconsistency=told)
        return CheckView(check, "undecided", broken, tuple(slots), broken=_cause(cause), advice=told)


def _fill(slots: list[SlotView], check: Check, epochs: Epochs) -> None:
    for slot in check.slots(epochs):
        now = epochs.current(slot)
        counted_now = {e.seq for e in now}
        slots.append(SlotView(slot, now, tuple(e for e in epochs.live(slot.id) if e.seq not in counted_now)))


def _judged(check: Check, epochs: Epochs, slots: list[SlotView]) -> CheckView:
    state = epochs.state
    judged = _with_photo(check, _with_looks(check, check.judge(epochs), epochs, slots), epochs, slots)
    aspects = check.aspects(epochs)
    result, because = _state(check, judged, slots, epochs, aspects)
    override = state.overrides.get(check.id)
    if override is not None:
        later = [n for s in slots for e in (*s.now, *s.spoiled) for n in (e.seq, e.doubted or 0)]
        if state.first_disturbed(aspects, override.seq) or any(seq > override.seq for seq in later):
            override = None
    if result == "holds":
        override = None
    view = CheckView(check, result, judged, tuple(slots), because, override)
    return replace(
        view,
        advice=check.advice(epochs, result, judged, max((len(s.now) for s in slots), default=0)),
        consequence=_consequence(check, judged, epochs),
    )


def _with_looks(check: Check, judged: Judgement, epochs: Epochs, slots: list[SlotView]) -> Judgement:
    """Looks at one slot that contradict each other are no mean."""
    odd = next((again for view in slots if (again := at_odds(epochs, view.slot)) is not None), None)
    if odd is None or odd.words is None or judged.inconsistency or check.newest_counts:
        return judged
    return replace(judged, inconsistency=sentences(said("sheet.looks_contradict", what=odd.words)))


def _with_photo(check: Check, judged: Judgement, epochs: Epochs, slots: list[SlotView]) -> Judgement:
    """Where the sheet demands a photo of what a check reads, it is not complete without one."""
    if not check.photo or check.asks_photos or not judged.complete or not slots:
        return judged
    own = {view.slot.id for view in slots}
    if any(photo.said.slot in own for photo in epochs.state.photos):
        return judged
    wanted = slots[0].slot
    remark = judged.remark + sentences(said("vehicle.photo_belongs_record", names=nouns([wanted.label])))
    return replace(judged, complete=False, remark=remark, photo=wanted)


def _state(
    check: Check, judged: Judgement, slots: list[SlotView], epochs: Epochs, aspects: frozenset[str]
) -> tuple[CheckState, Disturbance | None]:
    states = {figure.verdict.state for figure in judged.figures}
    if judged.complete:
        if judged.mismatch or "out" in states:
            # Readings that contradict each other cannot convict either.
            return ("undecided" if judged.inconsistency else "out"), None
        if judged.inconsistency or "undecided" in states:
            return "undecided", None
        return ("open" if judged.to_guard is not None else "holds"), None
    if judged.because is not None:
        return "stale", judged.because
    if not slots and (disturbed := epochs.state.last_disturbed(aspects)) is not None:
        return "stale", disturbed
    spoiled = [e for view in slots for e in view.spoiled]
    needed = [view for view in slots if not view.slot.optional]
    if spoiled and any(view.spoiled for view in needed):
        last = max(spoiled, key=lambda e: e.seq)
        term = epochs.fresh_ms(next(view.slot for view in slots if last in view.spoiled))
        if term is not None and epochs.at is not None and last.at + term <= epochs.at:
            words = said("sheet.read_more_than_minutes_ago", time=Duration(term / 60_000))
            return "stale", Disturbance(last.seq, last.at + term, CLOCK, "time", words, frozenset())
        if last.doubted is not None:
            return "stale", next(past for past in epochs.state.disturbances if past.seq == last.doubted)
        newest = last.seq
        own = frozenset().union(*(view.slot.aspects for view in slots))
        because = epochs.state.first_disturbed(aspects & own or own, newest) or epochs.state.first_disturbed(
            own, newest
        )
        return "stale", because or epochs.state.last_disturbed(own)
    return "open", None


def _consequence(check: Check, judged: Judgement, epochs: Epochs) -> Said | None:
    """What a target off its place does on the road, also when it holds; where the geometry allows to say it."""
    if not judged.complete or not judged.figures or judged.inconsistency or not check.on_the_road:
        return None
    procedure, turned = epochs.plan.procedure, check.on_the_road in ("yaw", "pitch")
    if turned != (epochs.plan.target.aims_by == "orientation"):
        return None
    figure = next((f for f in judged.figures if f.id == check.road_figure), judged.figures[0])
    nominal = ((figure.lower or 0.0) + (figure.upper or 0.0)) / 2
    error = figure.value - nominal
    sideways = check.on_the_road in ("left", "yaw")
    aside, upward = (error, 0.0) if sideways else (0.0, error)
    roads = list(ROADS_M)
    if turned:
        # A board whose top leans away looks up: the axis that is found points down.
        given = AimInput(by="orientation", roads=roads, target_yaw_deg=aside, target_pitch_deg=upward)
    else:
        reach = epochs.plan.target_x - procedure.sensor.x
        given = AimInput(by="position", roads=roads, target_left=aside, target_up=upward, sensor_to_target=reach)
    result = aim(given)
    near, far = (at.left_m if sideways else at.up_m for at in result.at)
    if abs(near) < LEAST_ON_THE_ROAD_M:
        return None
    way = ("left" if near > 0 else "right") if sideways else ("high" if near > 0 else "low")
    off = {"off": Metres(abs(near), 2), "further": Metres(abs(far), 2)}
    ahead, far_ahead = (Metres(road, 0) for road in ROADS_M)
    return said(f"sheet.road.{way}", name=Name(procedure.sensor.name), ahead=ahead, far_ahead=far_ahead, **off)
