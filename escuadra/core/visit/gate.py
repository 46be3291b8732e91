"""The variant gate: is it known which variant this very vehicle is, and does a sheet cover it?

Answers of a person count; what the vehicle identification number tells only contradicts or agrees. Where two sources
contradict each other nothing goes on, whichever is right.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from escuadra.core.base.said import Name, Noun, Said, nouns, said
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.procedure.variants import Question, Variant
from escuadra.core.visit.log.whole import VariantAnswered


@dataclass(frozen=True)
class Known:
    """A question with the newest answer of each source, and what the vehicle's number tells."""

    question: Question
    answers: Mapping[str, VariantAnswered]
    by_vin: str

    @property
    def options(self) -> set[str]:
        """Everything that is told."""
        return {answer.option for answer in self.answers.values()} | ({self.by_vin} if self.by_vin else set())

    @property
    def option(self) -> str:
        """What it is; empty: nobody answered, or the sources contradict each other."""
        return next(iter(self.options)) if self.answers and len(self.options) == 1 else ""

    @property
    def contradiction(self) -> Said | None:
        """Where the sources contradict each other: who says what."""
        if not self.answers or len(self.options) < 2:
            return None
        told = [(source, answer.option) for source, answer in self.answers.items()]
        told += [("vin", self.by_vin)] if self.by_vin else []
        named = [(Noun(f"source.{source}"), _name(self.question, id)) for source, id in told]
        words = nouns((said("gate.says", source=source, option=option) for source, option in named), "comma")
        return said("gate.contradiction", asks=Name(self.question.asks), told=words)


def _name(question: Question, id: str) -> Name:
    option = question.option(id)
    return Name(option.name if option is not None else id)


@dataclass(frozen=True)
class Gate:
    """What is known of the variant."""

    model: VehicleModel
    known: tuple[Known, ...]

    @property
    def variant(self) -> Variant | None:
        """The variant that has these answers; nothing while one is open, or where none has them."""
        found = {known.question.id: known.option for known in self.known}
        fits = (v for v in self.model.variants if all(found.get(q, "") in options for q, options in v.when.items()))
        return next(fits, None)

    @property
    def options(self) -> dict[str, str]:
        """What is known of the questions, by their ids."""
        return {known.question.id: known.option for known in self.known if known.option}

    @property
    def shut(self) -> Said | None:
        """Why no sheet of this model opens: a contradiction, or a variant that is not known here."""
        contradiction = next((known.contradiction for known in self.known if known.contradiction is not None), None)
        if contradiction is not None:
            return contradiction
        if self.model.variants and all(known.option for known in self.known) and self.variant is None:
            return said("gate.no_variant", model=Name(self.model.name), told=self._told)
        return None

    @property
    def _told(self) -> Said:
        names = nouns((_name(known.question, known.option) for known in self.known if known.option), "comma")
        return said("gate.told", names=names)

    def shuts(self, sheet: Procedure) -> Said | None:
        """Why a sheet does not open yet, or not for this vehicle; nothing where it does."""
        if self.shut is not None:
            return self.shut
        by_id = {known.question.id: known for known in self.known}
        for id, covered in sheet.covers.items():
            known = by_id.get(id)
            if known is None:
                continue
            if not known.option:
                return said("gate.open", sheet=sheet.id, asks=Name(known.question.asks))
            if known.option not in covered:
                return said("gate.not_covered", sheet=sheet.id, option=_name(known.question, known.option))
        return None


def gate(model: VehicleModel, answers: Sequence[VariantAnswered], vin: str) -> Gate:
    """What a model's questions come to; a later answer of the same source stands in for an earlier one."""
    return Gate(
        model,
        tuple(
            Known(question, {a.by: a for a in answers if a.question == question.id}, question.told_by(vin))
            for question in model.questions
        ),
    )


def as_it_is(model: VehicleModel, answers: Sequence[VariantAnswered], vin: str) -> VehicleModel:
    """The model as this very vehicle is: with what differs on its variant, where that is known."""
    variant = gate(model, answers, vin).variant
    return model.as_variant(variant) if variant is not None and variant.differs else model
