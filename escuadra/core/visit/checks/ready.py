"""Readying the vehicle: ticks with who and when."""

from pydantic import Field

from escuadra.core.base.model import CatalogueText, Frozen
from escuadra.core.base.said import Name, Noun, nouns, said, sentences
from escuadra.core.procedure.sheet import check_kind
from escuadra.core.visit.checks.base import Check, Judgement
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.slots import Slot


@check_kind("tick")
class TickCheck(Check):
    """Something that a person looks at and answers for."""

    question: CatalogueText = Field(description="asked so that yes means it holds")
    aspect: str = Field(description="what spoils the answer: tyres, load, doors, steering, floor, or none")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [
            Slot(
                id=f"tick.{self.id}",
                label=Name(self.question),
                ask="tick",
                aspects=frozenset({self.aspect}),
                specified="yes",
            )
        ]

    def judge(self, epochs: Epochs) -> Judgement:
        given = epochs.answered(self.slots(epochs)[0])
        if given is None:
            return Judgement(False)
        value = given.said.value
        return Judgement(
            True,
            summary=Noun(f"answer.{value}"),
            mismatch=sentences(None if value == "yes" else said("ready.answered_no")),
        )


class GaugeTry(Frozen):
    """A gauge or a notch that is tried, and what it does."""

    does: CatalogueText = Field(description="what is tried: the end that goes, the end that must not, the notch")
    right: list[str] = Field(min_length=1, description="answers by which it holds, such as: goes in; notch 2")
    other: list[str] = Field(min_length=1, description="answers by which it does not")


@check_kind("gauge")
class GaugeCheck(Check):
    """A go and no-go gauge, or a notch: what it does is the answer, there is no figure."""

    tries: list[GaugeTry] = Field(min_length=1, max_length=8)
    aspect: str = Field("none", description="what spoils the answer")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        return [
            Slot(
                id=f"gauge.{self.id}.{k}",
                label=Name(one.does),
                ask="choice",
                options=(*one.right, *one.other),
                named=(*one.right, *one.other),
                aspects=frozenset({self.aspect}),
            )
            for k, one in enumerate(self.tries, 1)
        ]

    def judge(self, epochs: Epochs) -> Judgement:
        slots, mismatch, given = self.slots(epochs), [], 0
        for slot, one in zip(slots, self.tries, strict=True):
            answer = epochs.answered(slot)
            given += answer is not None
            if answer is not None and answer.said.value not in one.right:
                want = nouns([Name(right) for right in one.right], "or")
                mismatch.append(said("ready.gauge", does=slot.label, given=Name(str(answer.said.value)), want=want))
        summary = said("read_of", read=given, needed=len(slots))
        return Judgement(given == len(slots), summary=summary, mismatch=sentences(*mismatch))


@check_kind("aboard")
class AboardCheck(Check):
    """What must stay in the vehicle, and what must not be in it, item by item."""

    stays: list[CatalogueText] = Field([], description="what must be in the vehicle, such as the spare wheel")
    goes: list[CatalogueText] = Field([], description="what must not be in it, such as tools or a roof box")

    def make_slots(self, epochs: Epochs) -> list[Slot]:
        asked = [("stays", name) for name in self.stays] + [("goes", name) for name in self.goes]
        return [
            Slot(
                id=f"aboard.{self.id}.{k}",
                label=said(f"ready.{way}_aboard", name=Name(name)),
                ask="tick",
                aspects=frozenset({"load"}),
                specified="yes",
            )
            for k, (way, name) in enumerate(asked, 1)
        ]

    def judge(self, epochs: Epochs) -> Judgement:
        slots = self.slots(epochs)
        answers = [(slot, found.said.value) for slot in slots if (found := epochs.answered(slot)) is not None]
        mismatch = [slot.label for slot, value in answers if value != "yes"]
        return Judgement(
            len(answers) == len(slots),
            summary=said("read_of", read=len(answers), needed=len(slots)),
            mismatch=sentences(said("ready.not_so", names=nouns(mismatch, "comma")) if mismatch else None),
        )
