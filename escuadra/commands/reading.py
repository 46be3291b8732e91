"""A reading as it was typed: understood, asked about where it is implausible, recorded once."""

from collections.abc import Sequence
from dataclasses import dataclass

from escuadra.commands.command import Context, Decision, Saying, VisitCommand, of_owner, slot_of
from escuadra.commands.entries import of_result
from escuadra.commands.forms import Asked, Opened
from escuadra.commands.house import House
from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import figure
from escuadra.core.base.quantities import Question, Understood, confirmed, understand
from escuadra.core.base.said import Name, Way, nouns, said
from escuadra.core.house import instrument_stream
from escuadra.core.instruments.history import History
from escuadra.core.instruments.instrument import Tool
from escuadra.core.visit.log.disturbances import owner_of
from escuadra.core.visit.log.events import ReadingTaken, Relied, ToolUsed
from escuadra.core.visit.slots import Slot

SIGNS = ("plus", "minus")
"""Which way a figure is that is read without a sign: codes of ``TakeReading.word``."""


@dataclass(frozen=True)
class TakeReading(VisitCommand):
    """A reading as typed; asked about where it is implausible, unless ``understood`` says what is meant."""

    slot: str
    typed: str
    tool: str
    word: str = ""
    replaces: bool = False
    understood: str = ""
    temperature: str = ""
    hung_free: bool = False
    device: str = ""

    def decide(self, context: Context) -> Decision[Opened | Asked]:
        """The reading; or the question that it raises."""
        try:
            return super().decide(context)
        except Unclear as unclear:
            return Decision(instead=unclear.asked)

    def once_run(self, opened: Opened) -> bool:
        """What came of the run."""
        return of_result(opened, self.slot)

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The reading, of the part that its slot is of; raises ``Unclear`` where it has to be asked about."""
        sheet, house = opened.sheet, context.house
        where = slot_of(sheet, self.slot)
        if where.ask != "number" or where.quantity is None:
            raise BadInput("slot", self.slot, said("wants.slot_takes_figure"))
        instrument = self._instrument(house, where)
        if sheet.epochs.excluded(where):
            raise BadInput("slot", where.label, said("wants.reading_mounted_target_does_not"))
        frame = sheet.plan.frame.id if where.reads == "scale" else ""
        scale = house.instruments.scale_of(frame)
        self._trusted(house, scale)
        text, value = self._understood(where)
        warm = _temperature(self.temperature) if instrument.expansion_per_k is not None else None
        told = ReadingTaken(
            slot=self.slot,
            typed=self.typed[:60],
            understood=text,
            way=where.way or "",
            value=value,
            tool=ToolUsed(
                id=instrument.id,
                seq=house.instruments.one(instrument.id).seq,
                name=instrument.name,
                contributions=house.instruments.contributions(self.tool, where.quantity.dimension, where.lever, frame),
                expansion_per_k=instrument.expansion_per_k,
                sag=instrument.sag,
                scale=Relied(id=scale.tool.id, seq=scale.seq) if scale is not None else None,
            ),
            temperature=warm,
            hung_free=self.hung_free and instrument.sag is not None,
            replaces=self.replaces,
            replaces_after=sheet.epochs.replaced_after(where) if self.replaces else 0,
            device=self.device[:60],
        )
        rests_on = {instrument_stream(relied.id): relied.seq for relied in told.tool.relied}
        return [Saying(told, of_owner(opened, owner_of(where.aspects)), rests_on)]

    def _instrument(self, house: House, where: Slot) -> Tool:
        tools = house.tools(where)
        instrument = next((t for t in tools if t.id == self.tool), None)
        if instrument is None:
            raise BadInput("tool", self.tool, said("wants.instrument_read", names=nouns(Name(t.name) for t in tools)))
        return instrument

    def _trusted(self, house: House, scale: History | None) -> None:
        for used in (self.tool, scale.tool.id if scale is not None else self.tool):
            trusted = house.instruments.trusted(used)
            if not trusted.usable:
                name = house.instruments.one(used).tool.name
                raise BadInput(
                    "tool",
                    said("jobs.reading.untrusted", name=name, why=trusted.words),
                    said("wants.one_can_relied_check_first"),
                )

    def _understood(self, where: Slot) -> tuple[str, float]:
        """The figure in words and as a value with its sign."""
        quantity, way = where.quantity, where.way
        assert quantity is not None
        found: Understood | Question
        if self.understood:
            found = confirmed(self.understood, quantity)
        else:
            found = understand(self.typed, quantity, signless=way is not None)
            if isinstance(found, Question):
                raise Unclear(Asked(found, where))
        if way is None:
            return found.text, found.value
        if found.value and self.word not in SIGNS:
            ways = nouns((Way(way, True), Way(way, False)), "or")
            raise BadInput("word", self.word, said("wants.direction", ways=ways))
        return found.text, -abs(found.value) if self.word == "minus" else abs(found.value)


class Unclear(Exception):
    """What was typed has to be asked about; nothing is recorded yet."""

    def __init__(self, asked: Asked) -> None:
        super().__init__(asked)
        self.asked = asked


def _temperature(text: str) -> float | None:
    """A tape's temperature as typed, degrees Celsius; nothing where nothing was typed."""
    plain = text.strip().removesuffix("°C").removesuffix("C").strip()
    return figure(plain, "temperature", said("wants.degrees_celsius_30_60_such"), -30, 60) if plain else None
