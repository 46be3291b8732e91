"""The set-up confirmed, and the procedure run: recorded only where everything that carries the target holds."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from escuadra.commands.command import Context, Saying, VisitCommand, of_owner
from escuadra.commands.entries import Answer, reasoned
from escuadra.commands.forms import Opened
from escuadra.commands.reading import SIGNS, TakeReading
from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import figure
from escuadra.core.base.quantities import Question, understand
from escuadra.core.base.said import Count, Length, Name, Noun, as_said, nouns, said
from escuadra.core.base.wording import amount
from escuadra.core.procedure.sheet import RunStep, Side
from escuadra.core.visit.conductor import Step, conducted, routine_of
from escuadra.core.visit.log.events import (
    ProcedureRun,
    ReadingTaken,
    Relied,
    RunStepped,
    SaidThen,
    SetupConfirmed,
    StepSaid,
)
from escuadra.core.visit.log.places import OUTCOME, ResultPlace
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.views import CheckView

CARRIES = ("target", "frame")
SAME_STANCE_MM = 8.0
"""An arch that is read so much differently stands differently."""
MOST_DB = 300.0
"""No routine shows more of a response."""


@dataclass(frozen=True)
class ConfirmSetup(VisitCommand):
    """Whoever may sign looked at the set-up and confirmed it before the run, or takes that back."""

    duty = "sign"
    taken_back: bool = False

    @property
    def once_confirmed(self) -> bool:
        """It is said of the confirmation itself."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The confirmation, of the calibration; raises ``Conflict`` where the set-up does not hold."""
        sheet = opened.sheet
        if self.taken_back and sheet.confirmed is None:
            raise Conflict(said("jobs.running.not_confirmed"))
        if not self.taken_back:
            if sheet.confirmed is not None:
                raise Conflict(said("jobs.running.confirmed_already"))
            _holds(sheet)
        return [Saying(SetupConfirmed(taken_back=self.taken_back), of_owner(opened, "calibration"))]


@dataclass(frozen=True)
class RunProcedure(VisitCommand):
    """The procedure was run, at a station where the sheet has several."""

    station: str = ""

    @property
    def once_confirmed(self) -> bool:
        """What was confirmed is run."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The run, of the calibration; raises ``Conflict`` where its set-up does not hold or another is at hand."""
        run = conducted(opened.sheet.plan.procedure, opened.state)
        if not run.complete:
            raise Conflict(said("jobs.running.step_by_step", count=len(run.steps)))
        return self.told_of(opened)

    def told_of(self, opened: Opened) -> Sequence[Saying]:
        """The run, once its last step is done."""
        sheet = opened.sheet
        here = sheet.plan.station
        if here is None and self.station:
            raise BadInput("station", self.station, said("wants.sheet_run_several_stations"))
        if here is not None and here.id != self.station:
            raise Conflict(said("jobs.stations.station_hand_look_sheet_again", name=here.name))
        if here is not None and all(view.done for view in sheet.stations):
            raise Conflict(said("jobs.stations.every_station_run_already_run"))
        _holds(sheet)
        kept = [view for view in sheet.checks if view.check.group in CARRIES]
        read = [e.said.tool for v in kept for s in v.slots for e in s.now if isinstance(e.said, ReadingTaken)]
        used = sorted({(relied.id, relied.seq) for tool in read for relied in tool.relied})
        tools = [Relied(id=id, seq=seq) for id, seq in used]
        told = [_then(view) for view in kept]
        name = here.name if here is not None else sheet.plan.procedure.sensor.name
        run = ProcedureRun(station=self.station, name=name, said=told, tools=tools)
        return [Saying(run, of_owner(opened, "calibration"))]


@dataclass(frozen=True)
class TakeStep(VisitCommand):
    """A step of the conducted run: its wait begun, the step done or skipped, or the run interrupted at it."""

    step: str
    what: StepSaid
    why: str = ""
    clear: bool = False
    """The field was answered for, where the radar transmits."""
    response: str = ""
    """What the routine showed to the board's tilt, dB, as typed."""
    heights: Mapping[str, str] = field(default_factory=dict)
    """Of the arches by corner, as they were typed when the routine asked for them."""
    back: Mapping[str, str] = field(default_factory=dict)
    """What the routine shows of them, by its name, as typed."""
    unit: str = ""
    """The side of the unit that was opened, where the step asks for it."""
    device: str = field(default="", kw_only=True)

    @property
    def once_confirmed(self) -> bool:
        """What was confirmed is run."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The step, of the calibration, and the run itself with its last one.

        Raises ``Conflict`` where another step is at hand, its wait is not over or was too long, or the set-up is not
        settled.
        """
        run = conducted(opened.sheet.plan.procedure, opened.state)
        now = run.now
        if now is None or opened.sheet.all_run:
            raise Conflict(said("jobs.running.no_step"))
        if now.step.id != self.step:
            raise Conflict(said("jobs.running.other_step", number=Count(now.number)))
        why = self.why.strip()
        if self.what in ("skipped", "interrupted"):
            reasoned(why)
        if self.what == "interrupted" and not run.begun:
            raise Conflict(said("jobs.running.not_begun"))
        if self.what == "skipped" and now.step.protects:
            raise Conflict(said("jobs.running.protects"))
        if self.what != "interrupted":
            _holds(opened.sheet)
        if self.what == "again" and not now.once_more:
            raise Conflict(said("jobs.running.no_more_repeats", most=Count(now.step.most)))
        if self.what in ("done", "again") and now.step.wait_s is not None:
            _waited(now, context.at)
        if self.what in ("done", "again") and now.step.transmits and not self.clear:
            raise Conflict(said("jobs.running.field_not_clear"))
        own = of_owner(opened, "calibration")
        unit = _opened(opened, self.unit) if self.what == "done" and now.step.unit else None
        if unit is not None and unit != opened.sheet.plan.procedure.side:
            return [Saying(RunStepped(step=self.step, what="interrupted", unit=unit, device=self.device[:60]), own)]
        response = None
        if self.what == "done" and now.step.tilt_deg is not None:
            response = figure(self.response.strip(), "response", said("wants.response_db"), -MOST_DB, MOST_DB)
        heights: dict[Corner, float] = {}
        typed = dict(now.typed)
        if now.step.heights and self.what == "begun":
            heights, typed = _heights(opened, self.heights)
        elif now.step.heights and self.what == "done":
            _read_back(opened, now, context.at, self.back)
        if now.step.types and self.what == "done":
            typed |= to_type(opened.sheet, now.step)
        told = RunStepped(
            heights=dict(heights),
            typed=typed if self.what in ("begun", "done") else {},
            step=self.step,
            what=self.what,
            why=why[:300],
            clear=self.clear,
            response=response,
            unit=unit,
            device=self.device[:60],
        )
        sayings = [Saying(told, own)]
        if self.what in ("done", "skipped") and now.number == len(run.steps):
            station = opened.sheet.plan.station
            last = RunProcedure(self.visit, station.id if station is not None else "", calibration=self.calibration)
            sayings += last.told_of(opened)
        return sayings


def _opened(opened: Opened, side: str) -> Side:
    """The unit that was opened; raises ``BadInput`` where it was not said."""
    units = opened.sheet.plan.procedure.units
    found = next((unit.side for unit in units if unit.side == side), None)
    if found is None:
        raise BadInput(
            "unit", side, said("wants.unit_opened", names=nouns([Name(unit.name) for unit in units], "comma"))
        )
    return found


def _heights(opened: Opened, given: Mapping[str, str]) -> tuple[dict[Corner, float], dict[str, float]]:
    """The arches as they were read just now, and what is typed of them; raises ``BadInput`` by its field.

    ``Conflict`` where one differs from what the set-up was judged by: then the stance is read anew first.
    """
    epochs, read = opened.sheet.epochs, {}
    routine = routine_of(opened.sheet.plan.procedure)
    assert routine is not None
    for corner in CORNERS:
        slot = opened.sheet.slots[f"arch.{corner}"].slot
        assert slot.quantity is not None
        try:
            found = understand(given.get(corner, ""), slot.quantity)
        except BadInput as refused:
            raise BadInput(f"height_{corner}", refused.given, refused.accepted) from refused
        if isinstance(found, Question):
            raise BadInput(f"height_{corner}", found.typed, said("wants.arch_height", nominal=_nominal(opened, corner)))
        before = epochs.now(slot)
        if before is not None and abs(found.value - before.value) > SAME_STANCE_MM:
            off = amount(found.value - before.value, "mm", 0, "height_against")
            raise Conflict(said("jobs.running.stance_changed", corner=Noun(f"corner.{corner}"), off=off))
        read[corner] = found.value
    return read, routine.to_type(read)


def to_type(sheet: Sheet, step: RunStep) -> dict[str, float]:
    """What a step types into the routine of what was measured, by its id and in its unit.

    Raises ``BadInput`` for what the routine does not take, ``Conflict`` where the check tells no figure.
    """
    found = {}
    for one in step.types:
        view = sheet.check(one.of)
        figures = view.judgement.figures if view is not None else ()
        figure = next((f for f in figures if one.figure in ("", f.id)), None)
        if figure is None:
            raise Conflict(said("jobs.running.nothing_to_type", name=Name(one.name)))
        found[one.id] = one.to_type(figure.value)
    return found


def _nominal(opened: Opened, corner: Corner) -> Length:
    return Length(getattr(opened.sheet.plan.vehicle.arches, corner), 0)


def _read_back(opened: Opened, now: Step, at: int, back: Mapping[str, str]) -> None:
    """Raises ``BadInput`` where the routine shows something else than was to be typed, ``Conflict`` for old heights."""
    routine = routine_of(opened.sheet.plan.procedure)
    assert routine is not None
    if now.at is None or not now.typed:
        raise Conflict(said("jobs.running.heights_first"))
    if now.too_old(at):
        raise Conflict(said("jobs.running.heights_old"))
    for name, value in now.typed.items():
        wanted = said("wants.as_typed", value=routine.shown(value))
        shown = figure(back.get(name, "").strip().removesuffix(routine.unit).strip(), f"back_{name}", wanted)
        if abs(shown - value) > routine.finest / 2:
            raise BadInput(f"back_{name}", back[name], wanted)


def _waited(now: Step, at: int) -> None:
    if now.at is None:
        raise Conflict(said("jobs.running.wait_not_begun"))
    if left := now.left_s(at):
        raise Conflict(said("jobs.running.wait_left", seconds=Count(math.ceil(left))))
    if now.late_s(at):
        raise Conflict(said("jobs.running.waited_too_long"))


def _holds(sheet: Sheet) -> None:
    """Raises ``Conflict`` where something before the run is not settled."""
    open_yet = [view.check.called for view in sheet.unsettled if view.of_setup]
    if open_yet:
        raise Conflict(said("jobs.stations.not_settled_yet", names=nouns(open_yet)))


def _then(view: CheckView) -> SaidThen:
    figures = nouns(
        (said("figure", label=f.label, value=f.text, spread=f.plus_minus) for f in view.judgement.figures), "comma"
    )
    shown = figures or view.judgement.summary
    title, told = as_said(view.check.called), as_said(shown) if shown else None
    return SaidThen(check=view.check.id, title=title, state=view.state, said=told)


@dataclass(frozen=True)
class TakeResult(VisitCommand):
    """What the vehicle itself says of the run, accepted by a person: its outcome and the figures, in degrees."""

    outcome: str
    figures: Mapping[str, float] = field(default_factory=dict)
    lines: Mapping[str, str] = field(default_factory=dict)
    """Where each lens's line stood, by its id."""
    device: str = field(default="", kw_only=True)

    def once_run(self, opened: Opened) -> bool:
        """It is what came of the run."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The outcome, and each figure that the sheet asks for as a reading."""
        sheet, at = opened.sheet, opened.calibration
        sayings = list(Answer(self.visit, OUTCOME, self.outcome, calibration=at).say(context, opened))
        for line in sheet.plan.procedure.lines:
            place = ResultPlace("line", line.id).slot
            if line.id in self.lines and place in sheet.slots:
                stood = Answer(self.visit, place, self.lines[line.id], calibration=at)
                sayings += stood.say(context, opened)
        for asked in sheet.plan.procedure.results:
            slot = ResultPlace("figure", asked.id).slot
            if asked.id not in self.figures or slot not in sheet.slots:
                continue
            value = self.figures[asked.id]
            tool = context.house.tools(sheet.slots[slot].slot)[0].id
            typed, word, again = f"{abs(value):g}", SIGNS[value < 0], bool(sheet.slots[slot].now)
            read = TakeReading(self.visit, slot, typed, tool, word, again, typed, device=self.device, calibration=at)
            sayings += read.say(context, opened)
        return sayings
