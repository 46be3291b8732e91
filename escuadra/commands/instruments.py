"""The garage's instruments as their histories say that they are, and what a reading gets from them.

An instrument of the catalogue is on the shelf until its own history says otherwise.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date

from escuadra.catalogue import Catalogue
from escuadra.commands.register_files import to_csv, to_json
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.quantities import Dimension
from escuadra.core.base.said import nouns, said
from escuadra.core.base.stream import Event
from escuadra.core.instruments.check_figures import Found, judged
from escuadra.core.instruments.guided import CHECKS
from escuadra.core.instruments.history import (
    Entered,
    History,
    Trusted,
    fold_history,
)
from escuadra.core.measure.readings import Instrument
from escuadra.store import Store


class Instruments:
    """The register on a store."""

    def __init__(self, store: Store, catalogue: Callable[[], Catalogue], today: Callable[[], str]) -> None:
        self.store, self._catalogue = store, catalogue
        self._today = today
        self._kept: tuple[object, dict[str, int], dict[str, History]] = (None, {}, {})

    def today(self) -> date:
        """The garage's day."""
        return date.fromisoformat(self._today())

    # --- looking

    def every(self) -> dict[str, History]:
        """All instruments by id: those of the catalogue and those entered here."""
        told = self.store.instruments()
        catalogue = self._catalogue()
        counts = {id: len(events) for id, events in told.items()}
        if self._kept[0] is not catalogue or self._kept[1] != counts:
            found = {e.id: History(e.content) for e in catalogue.all("tool")}
            for id, events in told.items():
                shelf = found.get(id)
                history = fold_history(shelf or _first_sheet(id, events), events)
                if shelf is not None and shelf.tool.revision > history.tool.revision:
                    history = replace(history, tool=shelf.tool)
                found[id] = history
            self._kept = (catalogue, counts, dict(sorted(found.items())))
        return self._kept[2]

    def shelf(self) -> list[History]:
        """Those in use."""
        return [h for h in self.every().values() if not h.retired]

    def one(self, id: str) -> History:
        """An instrument; raises ``BadInput`` for an unknown one."""
        found = self.every().get(id)
        if found is None:
            raise BadInput("instrument", id, said("wants.one", names=nouns(self.every(), "comma")))
        return found

    def trusted(self, id: str) -> Trusted:
        """Whether an instrument can be relied on today."""
        return self.one(id).trusted(self.today())

    def level_tilt(self, name: str) -> float:
        """Tilt of the level of that name, 0 where the register has none; raises ``BadInput`` for a doubted one."""
        found = next((h for h in self.shelf() if h.tool.name == name.strip()), None)
        if found is None:
            return 0.0
        trusted = found.trusted(self.today())
        if not trusted.usable:
            raise BadInput(
                "instrument",
                said("jobs.reading.untrusted", name=name, why=trusted.words),
                said("wants.one_can_relied_check_first"),
            )
        return found.tilt

    def scale_of(self, frame: str) -> History | None:
        """The instrument that a frame profile's scale and zero marks are."""
        return next((h for h in self.shelf() if frame and h.tool.frame == frame), None)

    def contributions(self, id: str, dimension: Dimension, lever: float, frame: str) -> Instrument:
        """What a reading gets from an instrument now; on a frame's scale (``frame``) its zero mark's error too."""
        own = self.one(id).contributions(dimension, lever)
        scale = self.scale_of(frame)
        zero = scale.contributions(dimension) if scale is not None else None
        if zero is None or zero.bias is None or zero.u_bias is None:
            return own
        u = own.u_bias if own.u_bias is not None else own.accuracy_constant / math.sqrt(3)
        return own.model_copy(update={"bias": (own.bias or 0.0) + zero.bias, "u_bias": math.hypot(u, zero.u_bias)})

    def found(self, id: str, check: str, readings: Mapping[str, list[float]]) -> Found:
        """What readings of a self-check say; nothing is kept. Raises ``BadInput`` for a check that it does not have."""
        tool, asked = self.one(id).tool, CHECKS.get(check)
        if asked is None or tool.kind not in asked.kinds:
            known = ", ".join(c for c in CHECKS if tool.kind in CHECKS[c].kinds)
            raise BadInput("check", check, said("wants.one_2", known=known))
        return judged(asked, tool, readings)

    # --- files

    def as_json(self) -> str:
        """Every instrument with its whole history."""
        return to_json(self.every().values())

    def as_csv(self) -> str:
        """One line a sheet and one an entry of every history."""
        return to_csv(self.every().values())


def _first_sheet(id: str, events: list[Event]) -> History:
    """An instrument that was never in the catalogue begins with the sheet it was entered with."""
    sheet = next((told.tool for event in events if isinstance(told := event.payload, Entered)), None)
    if sheet is None:
        raise Conflict(said("jobs.instruments.instrument_history_but_no_sheet", id=id))
    return History(sheet)
