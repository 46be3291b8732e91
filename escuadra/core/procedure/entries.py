"""The kinds of entry that a catalogue has, each with its model, and what a list tells of one without reading it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.said import Noun, nouns
from escuadra.core.instruments.instrument import Tool
from escuadra.core.procedure.profiles import FrameProfile, StandProfile, Target, VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.road.profile import RoadProfile

KINDS: dict[str, type[CatalogueEntry]] = {
    "procedure": Procedure,
    "vehicle": VehicleModel,
    "target": Target,
    "frame": FrameProfile,
    "stand": StandProfile,
    "tool": Tool,
    "road": RoadProfile,
}
KNOWN_KINDS = nouns([Noun(f"kind_of_entry.{kind}") for kind in KINDS], "comma")
"""Their names, as a refusal tells them."""
FOUND_BY = ("id", "title", "name", "variant", "vehicle", "reasons", "sensor", "mounting", "years", "sensors", "kind")
"""Fields of which the texts are searched."""
DEEPER = {"sensor": ("name",), "mounting": ("target",), "sensors": ("id", "name", "sheets")}
"""Of what lies in these, only that."""


@dataclass(frozen=True)
class Head:
    """What a list tells of an entry."""

    title: str | dict[str, str]
    vehicle: str
    """Id of the vehicle that a procedure is for; of another kind empty."""
    note: str | dict[str, str]
    """What stands beside the title: a sheet's note, a model's variant."""
    words: str
    """All that it is found by, in small letters."""


def head_of(data: Mapping[str, Any]) -> Head:
    """What a list tells of an entry, from its plain data."""
    title = data.get("title") or data.get("name") or str(data.get("id", ""))
    words = " ".join(word for name in FOUND_BY for word in _texts(data.get(name), DEEPER.get(name)))
    note = data.get("note") or data.get("variant") or ""
    return Head(title, str(data.get("vehicle") or ""), note, words.casefold())


def _texts(found: Any, only: tuple[str, ...] | None) -> Iterator[str]:
    if isinstance(found, Mapping):
        for name, one in found.items():
            if only is None or name in only:
                yield from _texts(one, None)
    elif isinstance(found, list):
        for one in found:
            yield from _texts(one, only)
    elif found is not None and found != "":
        yield str(found)
