"""A self-check, guided: one step at a time. What was read so far stands in the address, so nothing is lost."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated
from urllib.parse import urlencode

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands.instrument_life import KeepCheck
from escuadra.commands.reading import SIGNS
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import figure
from escuadra.core.base.quantities import Question, confirmed, understand
from escuadra.core.base.said import Said, Way, nouns, said
from escuadra.core.instruments.check_figures import Found, Readings, SelfCheck, Step
from escuadra.core.instruments.guided import CHECKS, checks_for
from escuadra.core.instruments.instrument import Tool
from escuadra.core.measure.verdict import VerdictInput, verdict
from escuadra.core.visit.checks import Figure
from escuadra.drawing import rule, self_check_view
from escuadra.web import forms
from escuadra.web.pages import garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("self_check", "/instruments/{id}/checks", within="instruments")
SURE = "!"
"""Behind a typed text: it is meant so, however implausible."""
SKIPPED = "skip"
STAYS = ("near_station", "far_station", "height", "length", "off_to_a", "off_to_b")
"""What need not be read anew when a check is repeated."""


@dataclass(frozen=True)
class Progress:
    """What was typed and understood so far, and where that ends."""

    typed: dict[str, list[str]]
    values: dict[str, list[float]]
    step: Step | None
    error: Said | None = None
    question: Question | None = None
    last: str = ""

    @property
    def pairs(self) -> list[tuple[str, str]]:
        """What is kept in the address."""
        return [(field, text) for field, texts in self.typed.items() for text in texts]


def value_of(step: Step, tool: Tool, typed: str, read: Readings) -> float | Question:
    """A step's text as a figure; ``0.9 mm|plus`` carries its direction; raises ``BadInput``."""
    text, _, word = typed.partition("|")
    sure = text.endswith(SURE)
    text = text.removesuffix(SURE).strip()
    if step.dimension is None:
        return figure(text, step.field, said("wants.figure_such_17_5"), -999.0, 999.0)
    quantity = step.quantity(tool, read)
    if sure:
        value = confirmed(text, quantity).value
    else:
        found = understand(text, quantity, signless=step.way is not None)
        if isinstance(found, Question):
            return found
        value = found.value
    if step.way is None:
        return value
    if value and word not in SIGNS:
        ways = nouns((Way(step.way, True), Way(step.way, False)), "or")
        raise BadInput(step.field, word, said("wants.direction", ways=ways))
    return -abs(value) if word == "minus" else abs(value)


def progress_of(check: SelfCheck, tool: Tool, pairs: Sequence[tuple[str, str]]) -> Progress:
    """How far a check has come; it ends at the first text that is refused or asked about."""
    typed: dict[str, list[str]] = {}
    values: dict[str, list[float]] = {}
    for step in check.steps:
        for text in [t for field, t in pairs if field == step.field]:
            if step.optional and text == SKIPPED:
                typed.setdefault(step.field, []).append(text)
                continue
            try:
                found = value_of(step, tool, text, values)
            except BadInput as error:
                return Progress(typed, values, step, told(error), None, text.partition("|")[0])
            if isinstance(found, Question):
                return Progress(typed, values, step, None, found, text.partition("|")[0])
            typed.setdefault(step.field, []).append(text)
            values.setdefault(step.field, []).append(found)
        if len(typed.get(step.field, ())) < step.times:
            return Progress(typed, values, step)
    return Progress(typed, values, None)


def figure_of(check: SelfCheck, found: Found) -> Figure:
    """A finding in the terms of the rule drawing."""
    judged = verdict(VerdictInput(value=found.value, u=found.u, lower=-found.limit, upper=found.limit, rule="guarded"))
    return Figure(check.id, check.title, found.value, found.u, -found.limit, found.limit, found.unit, None, judged)


def _show(
    request: Request, id: str, check: str, pairs: list[tuple[str, str]], status: int = 200, error: Said | None = None
) -> Response:
    garage = garage_of(request)
    history = garage.instruments.one(id)
    known = CHECKS.get(check)
    if known is None or known not in checks_for(history.tool):
        raise BadInput("instrument", check, said("wants.self_check", name=history.tool.name))
    progress = progress_of(known, history.tool, pairs)
    found = None
    if progress.step is None:
        try:
            found = garage.instruments.found(id, check, progress.values)
        except BadInput as refused:
            error = told(refused)
    figure = figure_of(known, found) if found is not None else None
    here = f"/instruments/{id}/checks/{check}"
    return render(
        request,
        "self_check.html",
        status=status,
        tool=history.tool,
        check=known,
        progress=progress,
        done=[(s, progress.typed[s.field]) for s in known.steps if s.field in progress.typed],
        number=known.steps.index(progress.step) + 1 if progress.step else 0,
        found=found,
        figure=figure,
        drawing=rule(figure) if figure else "",
        picture=self_check_view(check, progress.step.field) if progress.step else "",
        error=error or progress.error,
        back=f"{here}?{urlencode(progress.pairs[:-1])}",
        again=f"{here}?{urlencode([p for p in progress.pairs if p[0] in STAYS])}",
        unit_of=lambda step: step.quantity(history.tool).unit if step.dimension else "",
    )


@router.get("/{check}")
def show(request: Request, id: str, check: str) -> Response:
    """The next step, or what was found."""
    pairs = [(k, t) for k, t in request.query_params.multi_items() if k not in ("word", "typed", "step") and t]
    typed, step = request.query_params.get("typed", "").strip(), request.query_params.get("step", "")
    if step:
        said = (step, f"{typed}|{word}" if (word := request.query_params.get("word", "")) else typed or " ")
        return RedirectResponse(f"/instruments/{id}/checks/{check}?{urlencode([*pairs, said])}", 303)
    return _show(request, id, check, pairs)


@router.post("/{check}")
def keep(request: Request, id: str, check: str, form: Annotated[forms.SelfCheckResult, Form()]) -> Response:
    """Keep what was found; where it is out, the jobs that relied on the instrument are told."""
    garage, known = garage_of(request), CHECKS.get(check)
    if known is None:
        raise BadInput("instrument", check, said("wants.self_check_2"))
    pairs = [(s.field, t) for s in known.steps for t in form.sent().get(s.field, "").split(";") if t]
    progress = progress_of(known, garage.instruments.one(id).tool, pairs)
    if progress.step is not None:
        return _show(request, id, check, pairs, 422, said("routes.self_check.something_missing_go_here"))
    try:
        garage.do(KeepCheck(id, check, progress.typed, progress.values), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return _show(request, id, check, pairs, status_of(error), told(error))
    return RedirectResponse(f"/instruments/{id}", 303)
