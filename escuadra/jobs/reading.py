"""A reading as it was typed: understood, asked about where it is implausible, recorded once."""

import re
from functools import partial

from escuadra.core.errors import BadInput
from escuadra.core.job.events import (
    ReadingTaken,
    Relied,
    ToolUsed,
)
from escuadra.core.quantities import Question, Understood, confirmed, understand
from escuadra.jobs.forms import Asked, ReadingAsked, Recorded
from escuadra.jobs.garage import TRIES, Garage, Moved, always, slot_of


def record(
    garage: Garage,
    job: str,
    slot: str,
    typed: str,
    tool: str,
    person: str,
    client_id: str,
    word: str = "",
    replaces: bool = False,
    understood: str = "",
    temperature: str = "",
    hung_free: bool = False,
    device: str = "",
) -> Recorded | Asked:
    """Record a reading as typed; asks where it is implausible, unless ``understood`` says what is meant."""
    asked = ReadingAsked(slot, typed, tool, word, replaces, understood, temperature, hung_free, device)
    for left in reversed(range(TRIES)):
        said = _said(garage, job, asked)
        if isinstance(said, Asked):
            return said
        try:
            make = partial(always, said)
            return Recorded(garage.append(job, person, client_id, make, standing_on=said.tool.relied))
        except Moved:
            garage.store.forget()
            if not left:
                raise
    raise AssertionError("tried at least once")


def _said(garage: Garage, job: str, asked: ReadingAsked) -> ReadingTaken | Asked:
    """What is said by a reading as it was typed, or the question that it raises."""
    sheet = garage.open(job).sheet
    where = slot_of(sheet, asked.slot)
    quantity = where.quantity
    if where.ask != "number" or quantity is None:
        raise BadInput("slot", asked.slot, "a slot that takes a figure")
    instrument = next((t for t in garage.tools(where) if t.id == asked.tool), None)
    if instrument is None:
        names = ", ".join(t.name for t in garage.tools(where)) or "none is on the shelf"
        raise BadInput("tool", asked.tool or "nothing", f"the instrument that it was read with: {names}")
    if sheet.setup.excluded(where):
        raise BadInput("slot", where.label, "a reading that the mounted target does not stand in the way of")
    frame = sheet.plan.frame.id if where.reads == "scale" else ""
    scale = garage.instruments.scale_of(frame)
    for used in (asked.tool, scale.tool.id if scale is not None else asked.tool):
        trusted = garage.instruments.trusted(used)
        if not trusted.usable:
            name = garage.instruments.one(used).tool.name
            raise BadInput("tool", f"{name}, {trusted.words}", "one that can be relied on: check it first")
    found: Understood | Question
    if asked.understood:
        found = confirmed(asked.understood, quantity)
    else:
        found = understand(asked.typed, quantity, signless=where.words is not None)
        if isinstance(found, Question):
            return Asked(found, where)
    value = found.value
    if where.words is not None:
        if value and asked.word not in where.words:
            raise BadInput("word", asked.word or "no direction", f"a direction: {' or '.join(where.words)}")
        value = -abs(value) if asked.word == where.words[1] else abs(value)
    warm = _temperature(asked.temperature) if instrument.expansion_per_k is not None else None
    return ReadingTaken(
        slot=asked.slot,
        typed=asked.typed[:60],
        understood=f"{found.text} {asked.word}".strip(),
        value=value,
        tool=ToolUsed(
            id=instrument.id,
            seq=garage.instruments.one(instrument.id).seq,
            name=instrument.name,
            contributions=garage.instruments.contributions(asked.tool, quantity.dimension, where.lever, frame),
            expansion_per_k=instrument.expansion_per_k,
            sag=instrument.sag,
            scale=Relied(id=scale.tool.id, seq=scale.seq) if scale is not None else None,
        ),
        temperature=warm,
        hung_free=asked.hung_free and instrument.sag is not None,
        replaces=asked.replaces,
        replaces_after=sheet.setup.replaced_after(where) if asked.replaces else 0,
        device=asked.device[:60],
    )


def _temperature(text: str) -> float | None:
    """A tape's temperature as typed, degrees Celsius; nothing where nothing was typed."""
    plain = text.strip().removesuffix("°C").removesuffix("C").strip().replace(",", ".").replace("−", "-")
    if not plain:
        return None
    if not re.fullmatch(r"-?\d{1,2}(\.\d+)?", plain) or not -30 <= float(plain) <= 60:
        raise BadInput("temperature", text, "degrees Celsius from −30 to 60, such as 17.5, or nothing")
    return float(plain)
