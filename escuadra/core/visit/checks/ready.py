"""Readying the vehicle: ticks with who and when."""

from pydantic import Field

from escuadra.core.base.model import CatalogueText
from escuadra.core.base.said import Name, Noun, said, sentences
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.checks.base import Check, Judgement
from escuadra.core.visit.epochs import Setup
from escuadra.core.visit.slots import Slot


@check_kind("tick")
class TickCheck(Check):
    """Something that a person looks at and answers for."""

    question: CatalogueText = Field(description="asked so that yes means it holds")
    aspect: str = Field(description="what spoils the answer: tyres, load, doors, steering, floor, or none")

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [
            Slot(
                id=f"tick.{self.id}",
                label=Name(self.question),
                ask="tick",
                aspects=frozenset({self.aspect}),
                specified="yes",
            )
        ]

    def judge(self, setup: Setup) -> Judgement:
        given = setup.answered(self.slots(setup)[0])
        if given is None:
            return Judgement(False)
        value = given.said.value
        return Judgement(
            True,
            summary=Noun(f"answer.{value}"),
            wrong=sentences(None if value == "yes" else said("ready.answered_no")),
        )
