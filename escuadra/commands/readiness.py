"""Readying the vehicle the short way: all as specified but for exceptions, and every figure of it in one form."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from escuadra.commands.command import Context, Decision, Saying, VisitCommand, imagined
from escuadra.commands.entries import Answer
from escuadra.commands.forms import Opened
from escuadra.commands.reading import SIGNS, TakeReading, Unclear
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Name, Way, nouns, said
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.views import SlotView

GROUP = "ready"


class Refused(BadInput):
    """A refusal of what was typed in one field of the form; ``slot``: which."""

    def __init__(self, slot: str, cause: BadInput) -> None:
        super().__init__(cause.field, cause.given, cause.accepted)
        self.slot = slot


def asked(sheet: Sheet) -> list[SlotView]:
    """The places of readiness that hold nothing yet, or nothing that still counts, in the order of the sheet."""
    views = (view for check in sheet.checks if check.check.group == GROUP and not check.broken for view in check.slots)
    return [view for view in {view.slot.id: view for view in views}.values() if not view.now]


@dataclass(frozen=True)
class MakeReady(VisitCommand):
    """What is as specified, and what was read or answered, all of it or nothing.

    ``as_specified``: ids of places; ``typed``: place and text; ``words``: what a figure without a minus means, ``plus``
    or ``minus`` of its axis; ``tools``: kind of reading and instrument.
    """

    as_specified: Collection[str] = ()
    typed: Mapping[str, str] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)
    tools: Mapping[str, str] = field(default_factory=dict)

    def decide(self, context: Context) -> Decision[Any]:
        """All of it; raises ``Refused`` for the first place that is refused, ``BadInput`` where nothing was given."""
        decision = super().decide(context)
        if not decision.appends:
            raise BadInput("typed", "", said("wants.something_ready"))
        return decision

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The answers first: what is answered says what is to be read."""
        answers = [one for view in self._given(opened, False) for one in self._one(context, opened, view)]
        after = imagined(context, opened, answers) if answers else opened
        figures = [one for view in self._given(after, True) for one in self._one(context, after, view)]
        unknown = next((id for id in self._wanted if id not in after.sheet.slots), None)
        if unknown is not None:
            raise BadInput("slot", unknown, said("wants.place_sheet_takes_entry"))
        return [*answers, *figures]

    @property
    def _wanted(self) -> list[str]:
        return [id for id, text in self.typed.items() if text.strip()] + list(self.as_specified)

    def _given(self, opened: Opened, figures: bool) -> Iterator[SlotView]:
        wanted = (view for view in asked(opened.sheet) if view.slot.id in self._wanted)
        return (view for view in wanted if (view.slot.ask == "number") == figures)

    def _one(self, context: Context, opened: Opened, view: SlotView) -> Sequence[Saying]:
        slot = view.slot
        text = self.typed.get(slot.id, "").strip() or slot.specified
        try:
            if not text:
                raise BadInput("value", slot.id, said("wants.looked_at_or_read"))
            if slot.ask != "number":
                return Answer(self.visit, slot.id, text, calibration=self.calibration).say(context, opened)
            word = self._word(slot.way, text[0] in "-−") if slot.way else ""
            figure = text.lstrip("-−").strip() if slot.way else text
            tool = self.tools.get(slot.reads) or next((tool.id for tool in context.house.tools(slot)), "")
            reading = TakeReading(self.visit, slot.id, figure, tool, word, calibration=self.calibration)
            return reading.say(context, opened)
        except Unclear as unclear:
            meant = nouns((Name(one.text) for one in unclear.asked.question.choices), "or")
            raise Refused(slot.id, BadInput("value", text, said("wants.meant", meant=meant))) from unclear
        except BadInput as cause:
            raise Refused(slot.id, cause) from cause

    def _word(self, way: str, negative: bool) -> str:
        meant = self.words.get(way, "")
        if meant not in SIGNS:
            ways = nouns((Way(way, True), Way(way, False)), "or")
            raise BadInput(way, meant, said("wants.figure_without_minus_means", ways=ways))
        return SIGNS[1 - SIGNS.index(meant)] if negative else meant
