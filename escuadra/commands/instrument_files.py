"""The register and its histories taken in from a file, all of it or nothing."""

import uuid
from dataclasses import dataclass

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.register_files import from_csv, from_json
from escuadra.core.base.stream import canonical
from escuadra.core.house import instrument_stream
from escuadra.core.instruments.history import Entered, History, InstrumentPayload
from escuadra.core.instruments.instrument import Tool


@dataclass(frozen=True)
class TakeRegister(Command[int]):
    """Instruments and their histories from JSON or CSV; what is here already stays. How many entries came in."""

    text: str

    def stream(self, context: Context) -> str:
        """Nobody's: every instrument may be in it."""
        return instrument_stream("")

    def decide(self, context: Context) -> Decision[int]:
        """The entries that are not here yet; raises ``BadInput`` for what is no such file."""
        every = context.house.instruments.every()
        if self.text.lstrip().startswith("{"):
            read = from_json(self.text)
        else:
            read = from_csv(self.text, lambda id: h.tool if (h := every.get(id)) else None, context.who)
        appends = [one for tool, said in read for one in _missing(context, every.get(tool.id), tool, said)]
        return Decision(appends) if appends else Decision(instead=0)

    def told(self, context: Context, committed: Committed) -> int:
        """How many."""
        return committed.events


def _missing(context: Context, known: History | None, tool: Tool, said: list[InstrumentPayload]) -> list[Append]:
    """What a file says of an instrument and is not here yet; a history begins with its instrument's sheet."""
    stream, count = instrument_stream(tool.id), known.seq if known is not None else 0
    here = {(entry.at, entry.said.code) for entry in known.entries} if known is not None else set()
    new = {_key(one): one for one in said if (one.at, one.code) not in here}
    appends = [Append(stream, count, one, key=key) for key, one in new.items()]
    begins = bool(said) and isinstance(said[0], Entered)
    if count == 0 and not begins and (appends or known is None):
        sheet = Entered(day=context.house.instruments.today(), tool=tool)
        appends.insert(0, Append(stream, 0, sheet, key=f"{tool.id}-sheet"))
    return appends


def _key(said: InstrumentPayload) -> str:
    """The same line is the same entry."""
    line = canonical({"kind": said.code, **said.model_dump(mode="json")})
    return uuid.uuid5(uuid.NAMESPACE_OID, line).hex
