"""All that a sheet tells, line by line, with codes instead of words: what a golden file of a rehearsal holds."""

import dataclasses
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
from escuadra.core.visit.body_readings import read_line
from escuadra.core.visit.both_lines import pairs_apart
from escuadra.core.visit.floor_marks import floor_marks
from escuadra.core.visit.line_report import facts, side_by_side
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.state import fold
from escuadra.core.visit.sheet import CLOCK, Sheet, derive
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.core.visit.views import CheckView
from escuadra.rehearsal.rehearse import MORNING, begun, run_through
from escuadra.rehearsal.technician import Technician

HERE = Path(__file__).parent / "sheets"
SHEETS = sorted(path.stem.upper() for path in (PRACTICE / "procedures").glob("*.yaml"))
BASE, FRAME = "BL-CAM-01", "galga-2"
"""Files of the other sheets hold what is not told in the first one's."""
SLIPPED = (BASE, "BL-SUR-03", "QE-MIR-01", "BL-RAD-06")
"""Sheets of which it is kept, too, what one reading that is off does."""
SLIPS = {"mm": 14.0, "°": 0.4, "%": 0.6, "kPa": 30.0, "V": 0.6, "kg": 9.0, "°C": 6.0}
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


def of_slips(garage: Garage, opened: Opened) -> Iterator[str]:
    """What is told after a reading that is off, beside those before or in their place: of every slot in turn."""
    sheet, visit = opened.sheet, opened.row.id
    read = [view for view in sheet.slots.values() if view.now and isinstance(view.now[-1].said, ReadingTaken)]
    for k, view in enumerate(read):
        entry = view.now[-1].said
        assert isinstance(entry, ReadingTaken)
        assert view.slot.quantity is not None
        slip = SLIPS[view.slot.quantity.unit] * (-1) ** (k // 2)
        said = entry.model_copy(update={"value": entry.value + slip, "replaces": k % 2 == 0})
        event = made(visit, opened.state.seq + 1, "slip", sheet.at + 1000, CLOCK, said)
        state = fold(opened.state, [event])
        after = derive(state, garage.plan_of(visit, opened.calibration, state), event.at, before=sheet)
        yield f"! {view.slot.id} {slip:g} {said.replaces} > {plain(after.next)}"
        for was, now in zip(sheet.checks, after.checks, strict=True):
            if (was.state, was.judgement, was.advice) != (now.state, now.judgement, now.advice):
                before = {(figure.id, figure.value, figure.u) for figure in was.judgement.figures}
                every = [(figure.id, figure.value, figure.u) for figure in now.judgement.figures]
                figures = {id: (value, u) for id, value, u in every if (id, value, u) not in before}
                told = (now.judgement.inconsistency, now.judgement.guard, now.advice, now.consequence)
                yield f"  {now.check.id} {now.state} {plain(figures)} {plain(told)}"


class Noting(Technician):
    """Notes what is next, and what each check says, whenever the sheet is looked at and it is something else."""

    def __init__(self, garage: Garage) -> None:
        self.noted: list[str] = []
        self.last: dict[str, str] = {}
        self.to_run: Opened | None = None
        super().__init__(garage, MORNING, begun(garage).person)

    @property
    def opened(self) -> Opened:
        found = super().opened
        for view in found.sheet.checks:
            judged = view.judgement
            said = (judged.summary, judged.mismatch, judged.inconsistency, judged.remark, view.advice, view.rests_on)
            self._note(view.check.id, f"{view.state} {plain([part for part in said if part])}")
        self._note(">", plain(found.sheet.next))
        if self.to_run is None and found.sheet.next.kind == "run":
            self.to_run = found
        return found

    def _note(self, what: str, told: str) -> None:
        if self.last.get(what) != told:
            self.last[what] = told
            self.noted.append(f"{what} {told}")


def rehearsed_anew(catalogue: Catalogue, sheet: str, folder: Path) -> list[str]:
    """All that a sheet tells when it is rehearsed, which has to come to its signature."""
    garage = Garage(folder, lambda: MORNING, catalogue)
    who = Noting(garage)
    assert run_through(who, sheet, FRAME).signed, sheet
    lines = [*who.noted, *of_sheet(who.opened.sheet)]
    if sheet in SLIPPED and who.to_run is not None:
        lines += of_slips(garage, who.to_run)
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
    """The lines of a golden file."""
    return file.read_text(encoding="utf-8").splitlines()


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
