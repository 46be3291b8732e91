"""All that a sheet tells, line by line, with codes instead of words: what a golden file of a rehearsal holds."""

import dataclasses
import itertools
import sys
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from pydantic import BaseModel

from escuadra.catalogue import Catalogue, load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands.forms import Opened
from escuadra.commands.garage import Garage
from escuadra.core.base.said import Noun, Said, Sentences
from escuadra.core.base.stream import made
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.visit.attempts import FAILED
from escuadra.core.visit.body_readings import read_line
from escuadra.core.visit.both_lines import pairs_apart
from escuadra.core.visit.floor_marks import floor_marks
from escuadra.core.visit.line_report import facts, side_by_side
from escuadra.core.visit.log.disturbances import HAPPENINGS
from escuadra.core.visit.log.events import Answered, Disturbed, ReadingTaken, VisitPayload, Withdrawn
from escuadra.core.visit.log.state import fold
from escuadra.core.visit.sheet import CLOCK, Sheet, derive
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.core.visit.tool_route import left_behind
from escuadra.core.visit.views import CheckView
from escuadra.core.visit.why import why
from escuadra.rehearsal.rehearse import MORNING, START, begun, run_through
from escuadra.rehearsal.technician import Technician

HERE = Path(__file__).parent / "sheets"
SHEETS = sorted(path.stem.upper() for path in (PRACTICE / "procedures").glob("*.yaml"))
BASE, FRAME = "BL-CAM-01", "galga-2"
"""Files of the other sheets hold what is not told in the first one's."""
SLIPPED = (BASE, "BL-SUR-03", "QE-MIR-01", "BL-RAD-06")
SOMETIMES, SELDOM = 2, 7
"""Of what may be otherwise than it should all is tried on the first of those sheets, one in two on the others, and on
any further sheet one in seven."""
FAR = (38.0, -27.0, 0.9, -12.0)
"""Where the frame of those stands to begin with."""
HAPPEN = tuple(HAPPENINGS)
"""All that can happen to the practice sheets' set-ups."""
SLIPS = {"mm": 14.0, "°": 0.4, "%": 0.6, "kPa": 30.0, "V": 0.6, "kg": 9.0, "°C": 6.0}
IN_A_ROW, HAPPENS_AT, STRIDE, LAST_READ = 4, 1, 7, 9
"""So many things go wrong one after the other at a moment, that one a happening, picked so far apart from moment to
moment; the places are among so many last read."""
PLACES, LEAST_SHARE = 3, 0.001


def plain(what: Any) -> str:
    """A value in a line: what is as it is by default is left out, figures to three places."""
    match what:
        case float():
            return f"{round(what, PLACES) + 0.0:g}"
        case str() | int() | None:
            return str(what)
        case Said():
            return what.code + (plain(what.values) if what.values else "")
        case Derived():
            return f"{plain(what.value)}±{plain(what.u)}"
        case Noun():
            return what.code
        case Sentences():
            return plain(what.said)
        case frozenset():
            return "{" + " ".join(sorted(map(plain, what))) + "}"
        case Mapping():
            return "{" + " ".join(f"{key}={plain(value)}" for key, value in sorted(what.items())) + "}"
        case list() | tuple():
            return "(" + " ".join(map(plain, what)) + ")"
        case BaseModel():
            return type(what).__name__ + plain(
                {k: v for k in type(what).model_fields if (v := getattr(what, k)) is not None}
            )
    assert dataclasses.is_dataclass(what), f"{type(what).__name__}: how is it told?"
    fields = [(f, getattr(what, f.name)) for f in dataclasses.fields(what)]
    told = [f"{f.name}={plain(value)}" for f, value in fields if value != f.default]
    return f"{type(what).__name__}({' '.join(told)})"


def shares(parts: Mapping[str, float]) -> str:
    """What a figure's uncertainty comes from, by name: which of two equal shares comes first is chance."""
    return plain({source: share for source, share in parts.items() if share >= LEAST_SHARE})


def of_check(sheet: Sheet, view: CheckView) -> Iterator[str]:
    """A check: its state, its figures with what they come from, its slots with what counts in them."""
    judged = view.judgement
    told = (judged.summary, judged.mismatch, judged.inconsistency, judged.remark, judged.guard, judged.photo)
    yield f"- {view.check.id} {view.state} {plain([*told, view.advice, view.consequence, view.rests_on])}"
    for figure in judged.figures:
        yield f"  = {plain(figure)}"
        parts = {plain(part.source): part.share for part in view.check.budget(sheet.epochs, figure)}
        yield f"    {shares(parts)} {plain(view.check.lessening(sheet.epochs, figure))}"
    for one in view.slots:
        now = [(entry.value, entry.counts) for entry in one.now]
        yield f"  . {plain(one.slot)} x{view.check.times(one.slot)} {plain(now)}"
        if (line := read_line(sheet.epochs, one.slot.id)) is not None:
            yield f"    {plain(line)}"


def of_solution(solution: EpochSolution) -> Iterator[str]:
    """What goes into a solution: every observation as it enters, and what its readings share."""
    for id, observation in zip(solution.observations, solution.located.given.observations, strict=True):
        entered = {name: value for name, value in observation if name not in ("id", "type") and value is not None}
        yield f"+ {observation.type} {plain(id)} {plain(entered)}"
    for name, instrument in solution.located.given.instruments:
        yield f"% {name} {plain(instrument)}"


def of_sheet(sheet: Sheet) -> Iterator[str]:
    """A sheet as it is at a time."""
    for view in sheet.checks:
        yield from of_check(sheet, view)
    if sheet.epochs.newest is not None:
        yield from of_solution(sheet.epochs.newest)
    yield f"chance {plain(sheet.chance)}"
    yield f"marks {plain(floor_marks(sheet.epochs))}"
    for fact in (*facts(sheet.epochs), *side_by_side(sheet.epochs), *pairs_apart(sheet.epochs)):
        yield f"line {plain(fact)}"


def slips(sheet: Sheet, last: int = 0) -> Iterator[VisitPayload]:
    """What could come next and is not as it was, of every place in turn.

    ``last``: of so many places only, those last read; 0: of all.
    """
    read = [view for view in sheet.slots.values() if view.now]
    for k, view in enumerate(sorted(read, key=lambda view: -view.now[-1].seq)[:last] if last else read):
        newest, slot = view.now[-1], view.slot
        if isinstance(newest.said, ReadingTaken):
            assert slot.quantity is not None
            off = SLIPS[slot.quantity.unit] * (-1) ** (k // 2)
            slip = newest.said.model_copy(update={"value": newest.said.value + off, "replaces": k % 2 == 0})
            yield slip
            if k % 2:
                other = newest.said.tool.model_copy(update={"id": "other"})
                yield slip.model_copy(update={"tool": other, "value": newest.said.value + off / 4})
        elif slot.options:
            others = [option for option in slot.options if option != str(newest.value)]
            yield Answered(slot=slot.id, value=others[-1])
        yield Withdrawn(entry=newest.seq)


def entered(garage: Garage, opened: Opened, *said: VisitPayload) -> Sheet:
    """The sheet after more was entered."""
    sheet, visit, state = opened.sheet, opened.row.id, opened.state
    at = sheet.at + 1000
    for one in said:
        state = fold(state, [made(visit, state.seq + 1, f"slip-{state.seq}", at, CLOCK, one)])
    return derive(state, garage.plan_of(visit, opened.calibration, state), at, before=sheet)


def brief(said: VisitPayload) -> dict[str, object]:
    """What somebody said, in short."""
    return {name: value for name, value in said if name in ("slot", "value", "replaces", "entry", "what")}


def of_slips(garage: Garage, opened: Opened, every: int) -> Iterator[str]:
    """What is told after one of those, each by itself; ``every``: so many are there to one that is tried."""
    sheet = opened.sheet
    happening = (Disturbed(what=what) for what in HAPPEN)
    for said in itertools.islice(itertools.chain(slips(sheet), happening), len(sheet.slots) % every, None, every):
        after = entered(garage, opened, said)
        yield f"! {plain(brief(said))} > {plain(after.next)}"
        yield from changed(sheet, after)


def changed(before: Sheet, after: Sheet) -> Iterator[str]:
    """What each check says that says something else than before."""
    for was, now in zip(before.checks, after.checks, strict=False):
        if (was.state, was.judgement, was.advice) != (now.state, now.judgement, now.advice):
            known = {(figure.id, figure.value, figure.u) for figure in was.judgement.figures}
            every_one = [(figure.id, figure.value, figure.u) for figure in now.judgement.figures]
            figures = {id: (value, u) for id, value, u in every_one if (id, value, u) not in known}
            judged = now.judgement
            words = (judged.inconsistency, judged.mismatch, judged.guard, judged.remark, now.advice, now.consequence)
            yield f"  {now.check.id} {now.state} {plain(figures)} {plain(words)}"


def of_trouble(garage: Garage, moments: Sequence[Opened], every: int) -> Iterator[str]:
    """What is told when from one of those moments several things in a row are not as they should; ``every``: one in."""
    for k, opened in list(enumerate(moments))[::every]:
        sheet, said = opened.sheet, list[VisitPayload]()
        for depth in range(IN_A_ROW):
            could = list(slips(sheet, LAST_READ))
            if depth == HAPPENS_AT or not could:
                said.append(Disturbed(what=HAPPEN[STRIDE * k % len(HAPPEN)]))
            else:
                said.append(could[(STRIDE * k + depth * len(could) // IN_A_ROW) % len(could)])
            before, sheet = sheet, entered(garage, opened, *said)
            yield f"~ {k} {plain(brief(said[-1]))} > {plain(sheet.next)}"
            yield from changed(before, sheet)


def of_failure(garage: Garage, opened: Opened) -> Iterator[str]:
    """Why a routine may have failed that showed figures far off."""
    said: list[VisitPayload] = []
    read = [view.now[-1].said for view in opened.sheet.slots.values() if view.now]
    tool = next(one for one in read if isinstance(one, ReadingTaken))
    result = opened.sheet.check("result")
    assert result is not None
    for k, view in enumerate(result.slots):
        if view.slot.ask == "number":
            shown = {"slot": view.slot.id, "value": 1.1 + 0.3 * k, "replaces": False}
            said.append(tool.model_copy(update=shown))
        elif FAILED in view.slot.options:
            said.append(Answered(slot=view.slot.id, value=FAILED))
    sheet = entered(garage, opened, *said)
    yield f"failed > {plain(sheet.next)} {plain(why(sheet))}"


def moment_of(sheet: Sheet) -> tuple[str, str, str]:
    """What tells a moment of a set-up from others: what is next there, without its words and figures."""
    move = sheet.next
    return move.kind, move.check, move.sentence.code if isinstance(move.sentence, Said) else ""


class Noting(Technician):
    """Notes what is next, and what each check says, whenever the sheet is looked at and it is something else."""

    def __init__(self, garage: Garage) -> None:
        self.noted: list[str] = []
        self.last: dict[str, str] = {}
        self.moments: dict[tuple[str, str, str], Opened] = {}
        """When something of another kind, or of another check, was next for the first time."""
        self.to_run: Opened | None = None
        self.to_result: Opened | None = None
        super().__init__(garage, MORNING, begun(garage).person)

    @property
    def opened(self) -> Opened:
        found = super().opened
        for view in found.sheet.checks:
            judged = view.judgement
            said = (judged.summary, judged.mismatch, judged.inconsistency, judged.remark, view.advice, view.rests_on)
            self._note(view.check.id, f"{view.state} {plain([part for part in said if part])}")
        self._note(">", plain(found.sheet.next))
        self.moments.setdefault(moment_of(found.sheet), found)
        self._note("groups", plain({group.group: group.state for group in found.sheet.groups}))
        slot = found.sheet.slots.get(found.sheet.next.slot)
        self._note("behind", plain(left_behind(found.sheet, slot.slot) if slot is not None else None))
        if self.to_run is None and found.sheet.next.kind == "run":
            self.to_run = found
        if self.to_result is None and found.sheet.next.check == "result":
            self.to_result = found
        return found

    def _note(self, what: str, told: str) -> None:
        if self.last.get(what) != told:
            self.last[what] = told
            self.noted.append(f"{what} {told}")


def rehearsed_anew(catalogue: Catalogue, sheet: str, folder: Path) -> list[str]:
    """All that a sheet tells when it is rehearsed, which has to come to its signature."""
    garage = Garage(folder, lambda: MORNING, catalogue)
    who = Noting(garage)
    assert run_through(who, sheet, FRAME, FAR if sheet in SLIPPED else START).signed, sheet
    lines = [*who.noted, *of_sheet(who.opened.sheet)]
    assert who.to_run is not None
    lines += of_slips(garage, who.to_run, 1 if sheet == BASE else SOMETIMES if sheet in SLIPPED else SELDOM)
    lines += of_trouble(garage, list(who.moments.values()), 1 if sheet in SLIPPED else SOMETIMES)
    if who.to_result is not None:
        lines += of_failure(garage, who.to_result)
    garage.close()
    return lines


def file_of(sheet: str) -> Path:
    """Where it is kept what a sheet told."""
    return HERE / f"{sheet}.txt"


def told_apart(catalogue: Catalogue, sheet: str, folder: Path, base: Sequence[str]) -> list[str]:
    """What a sheet's file holds."""
    lines, known = rehearsed_anew(catalogue, sheet, folder), {*base} if sheet != BASE else set[str]()
    return [line for line in lines if line not in known]


def kept(file: Path) -> list[str]:
    """The lines of a golden file; none where it was not made yet."""
    return file.read_text(encoding="utf-8").splitlines() if file.exists() else []


def write() -> None:
    """Keep what every sheet tells now, the first one before those that leave out what it tells."""
    catalogue = load([PRACTICE])
    for sheet in sorted(SHEETS, key=lambda sheet: sheet != BASE):
        with TemporaryDirectory() as folder:
            lines = told_apart(catalogue, sheet, Path(folder), [] if sheet == BASE else kept(file_of(BASE)))
        file_of(sheet).write_text("\n".join(lines) + "\n", encoding="utf-8")
        print(f"{file_of(sheet).name}: {len(lines)} lines", file=sys.stderr)


if __name__ == "__main__":
    write()
