"""What exists only once the procedure was run: that it was, and what came of it.

Limits of the figures judged by ``verdict`` (JCGM 106). A figure is what the sensor was off before the routine took
that as zero: what is shown afterwards proves that it did, and nothing about where the sensor looks.
"""

from collections.abc import Mapping, Sequence
from typing import ClassVar

from escuadra.core.base.quantities import Quantity
from escuadra.core.base.said import Name, Noun, Said, Text, nouns, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.procedure.sheet import Camera, Procedure, ResultFigure, check_kind
from escuadra.core.visit.attempts import FAILED, OUTCOMES, PASSED, failed_before
from escuadra.core.visit.checks.base import Check, Figure, Judgement, Link
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.lenses import SEEN, SIGNS, UNSEEN, pattern, signs
from escuadra.core.visit.log.disturbances import ATTEMPT, RESULT, SCREWS
from escuadra.core.visit.log.places import OUTCOME, ResultPlace
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.slots import Slot

MOST_DEG = 15.0
"""No routine shows more: a radar or a camera is looked for within less."""


@check_kind("run")
class RunCheck(Check):
    """The procedure was run, once everything before it held."""

    runs: ClassVar[bool] = True

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return []

    def aspects(self, epochs: Epochs) -> frozenset[str]:
        return frozenset({"runs"})

    def judge(self, epochs: Epochs) -> Judgement:
        frozen, runs = epochs.state.frozen, epochs.state.ran
        if frozen is None:
            return Judgement(False, remark=sentences(said("result.run_first")))
        run = runs[-1]
        if run.doubted is not None:
            told = next(past for past in epochs.state.disturbances if past.seq == run.doubted)
            return Judgement(False, remark=sentences(told.words), because=told)
        return Judgement(True, summary=said("result.run", name=run.person.name, count=len(epochs.state.runs)))


@check_kind("result")
class ResultCheck(Check):
    """What the routine said: passed or not, and each figure that it shows before it takes that as zero."""

    newest_counts: ClassVar[bool] = True
    link: ClassVar[Link] = "residuals"

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        if not _run(epochs):
            return []
        outcome = Slot(
            id=OUTCOME, label=said("result.outcome"), ask="choice", options=OUTCOMES, aspects=RESULT, photos=True
        )
        failed = epochs.answer(outcome) == FAILED
        lines = [
            Slot(
                id=ResultPlace("line", one.id).slot,
                which=one.id,
                label=said("result.line", lens=Name(one.lens)),
                ask="choice",
                options=(*SEEN, UNSEEN) if failed else SEEN,
                aspects=RESULT,
                photos=True,
            )
            for one in epochs.plan.procedure.lines
        ]
        cameras = [
            Slot(
                id=ResultPlace("camera", one.id).slot,
                which=one.id,
                label=Name(one.name),
                ask="choice",
                options=(PASSED, FAILED),
                aspects=RESULT,
                optional=not failed,
            )
            for one in _cameras(epochs)
        ]
        return [outcome, *lines, *(_slot(figure) for figure in epochs.plan.procedure.results), *cameras]

    def judge(self, epochs: Epochs) -> Judgement:
        slots = self.slots(epochs)
        outcome = epochs.answered(slots[0]) if slots else None
        if outcome is None:
            return Judgement(False, remark=sentences(said("result.after_run") if not slots else None))
        figures, missing, procedure = [], 0, epochs.plan.procedure
        after = 1 + len(procedure.lines)
        lines, cameras = slots[1:after], slots[after + len(procedure.results) :]
        seen = {slot.which: str(e.said.value) for slot in lines if (e := epochs.answered(slot)) is not None}
        missing += len(lines) - len(seen)
        for figure, slot in zip(procedure.results, slots[after:], strict=False):
            read = epochs.now(slot)
            missing += read is None
            if read is not None:
                figures.append(
                    self.figure(
                        figure.id, _label(figure), read.value, read.u, figure.limits, "°", figure.way, single=read
                    )
                )
        value = outcome.said.value
        together = _together(procedure, seen, figures)
        told = {slot.which: epochs.answer(slot) for slot in cameras}
        bad = nouns(Name(one.name) for one in _cameras(epochs) if told[one.id] == FAILED)
        alone = said("result.cameras_failed", names=bad) if FAILED in told.values() else None
        mismatch = sentences(said(f"result.{value}") if value != PASSED else None, alone, together)
        remark = sentences(said("result.before_zeroing") if missing else None)
        # A run that failed may have shown no figures: it is a result as good as one that passed. What it showed of each
        # camera and lens says what to do next.
        looked = "" not in told.values() and len(seen) == len(lines)
        complete = looked if value == FAILED else not missing or value != PASSED
        return Judgement(complete, tuple(figures), Noun(f"answer.{value}"), mismatch=mismatch, remark=remark)

    def put_right(self, epochs: Epochs, judged: Judgement) -> NextMove | None:
        told = {slot.id: epochs.answer(slot) for slot in self.slots(epochs)}
        seen = {one.id: told.get(ResultPlace("line", one.id).slot, "") for one in epochs.plan.procedure.lines}
        lines = {id: where for id, where in seen.items() if where in SIGNS}
        if pattern({id: SIGNS[where] for id, where in lines.items()}).fault == "holder":
            way = next(iter(lines.values()))
            return NextMove(
                "move",
                said(f"result.holder.{way}"),
                sentences(said("result.holder.then")),
                action=said("result.holder.action"),
                check=self.id,
                happening=SCREWS,
            )
        alone = nouns(
            Name(one.name) for one in _cameras(epochs) if told.get(ResultPlace("camera", one.id).slot) == FAILED
        )
        some = 0 < len(alone.all) < len(epochs.plan.procedure.cameras)
        again = said("result.again.cameras", names=alone) if some else said("result.again")
        return NextMove(
            "move",
            said("result.look_for_cause") if len(epochs.state.runs) > len(epochs.stations or "1") else again,
            sentences(said("result.again.cameras.then" if some else "result.again.then")),
            action=said("move.run_again.action"),
            check=self.id,
            happening=ATTEMPT,
        )


def _together(procedure: Procedure, seen: Mapping[str, str], figures: Sequence[Figure]) -> Said | None:
    """What several lenses tell together: their lines, and their figures up and down."""
    lenses: dict[str, Name] = {one.id: Name(one.lens) for one in procedure.lines}
    off = {id: SIGNS[where] for id, where in seen.items() if where != UNSEEN}
    if not off:
        of_lens = {f.id: Name(f.lens) for f in procedure.results if f.lens is not None and f.way == "aim_pitch"}
        read = [(f.id, f.value, f.lower or 0.0, f.upper or 0.0) for f in figures if f.id in of_lens]
        lenses, off = of_lens, signs(read)
    found = pattern(off)
    if not found.lenses:
        return None
    named = nouns(lenses[id] for id in found.lenses)
    return said(f"result.lenses.{found.fault or 'alone'}", lenses=named)


def _cameras(epochs: Epochs) -> list[Camera]:
    """Those that the run at hand is of: all, or those alone that failed before."""
    cameras, alone = epochs.plan.procedure.cameras, failed_before(epochs.state, epochs.plan.procedure)
    return [one for one in cameras if not alone or one.id in alone]


def _run(epochs: Epochs) -> bool:
    """The procedure was run: everywhere, and shown to have stood there still."""
    if epochs.stations:
        return all(view.done and view.proof != "awaited" for view in epochs.stations)
    return bool(epochs.state.ran)


def _label(figure: ResultFigure) -> Text:
    way = Noun(f"result.{figure.way}")
    return way if figure.lens is None else said("result.of_lens", what=way, lens=Name(figure.lens))


def _slot(figure: ResultFigure) -> Slot:
    return Slot(
        id=ResultPlace("figure", figure.id).slot,
        label=_label(figure),
        quantity=Quantity(dimension="angle", unit="°", low=-MOST_DEG, high=MOST_DEG),
        aspects=RESULT,
        reads="result",
        way=figure.way,
        hint=said(
            "result.hint",
            lower=amount(figure.limits.lower, "°", None, figure.way),
            upper=amount(figure.limits.upper, "°", None, figure.way),
        ),
        photos=True,
    )
