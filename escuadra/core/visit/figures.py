"""The figures of a procedure sheet that can be overridden on the spot, each by its path, and the sheet with them.

A change never touches the pinned sheet: it is an event with a reason, and the job's plan is the sheet with its changes.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from statistics import fmean
from typing import Any

from escuadra.core.base.corners import CORNERS
from escuadra.core.base.model import CatalogueText
from escuadra.core.base.said import Name, Noun, Said, Text, nouns, said
from escuadra.core.procedure.cases import WHOLE, Circumstances, with_figures
from escuadra.core.procedure.sheet import Procedure, Station
from escuadra.core.visit.log.events import FigureChanged
from escuadra.core.visit.log.state import State


@dataclass(frozen=True)
class SheetFigure:
    """One figure of a sheet: where it stands, what it is, and its value."""

    path: str
    check: str
    label: Text
    value: float


def figures_of(procedure: Procedure, station: Station | None = None) -> list[SheetFigure]:
    """Every figure that can be overridden, those of the whole sheet, or of one of its stations, first."""
    own = {name for name in WHOLE if station is not None and getattr(station, name) is not None}
    found = [
        SheetFigure(
            f"station.{station.id}.{name}" if station is not None and name in own else name,
            "",
            _of_sheet(name, station if name in own else None),
            float(getattr(procedure, name)),
        )
        for name in WHOLE
    ]
    followed = {kind for name, kind in (("distance", "distance"), ("height", "target_height")) if name in own}
    for check in procedure.checks:
        for path, value in _numbers(check.model_dump(mode="json")):
            if path[-1] == "nominal" and check.kind in followed:
                continue
            label = nouns((Noun(f"figure.{part}") for part in path if part != "limits"), "comma")
            named = said("figure.of_check", label=label)
            found.append(SheetFigure(f"check.{check.id}.{'.'.join(path)}", check.id, named, value))
    return found


def _of_sheet(name: str, station: Station | None) -> Text:
    figure = Noun(f"figure.whole.{name}")
    return figure if station is None else said("figure.at_station", figure=figure, name=Name(station.name))


def _numbers(data: Mapping[str, Any], at: tuple[str, ...] = ()) -> list[tuple[tuple[str, ...], float]]:
    found: list[tuple[tuple[str, ...], float]] = []
    for key, value in data.items():
        if isinstance(value, Mapping):
            found += _numbers(value, (*at, key))
        elif isinstance(value, int | float) and not isinstance(value, bool):
            found.append(((*at, key), float(value)))
    return found


def with_changes(procedure: Procedure, changes: Iterable[FigureChanged]) -> Procedure:
    """The sheet with figures overridden, later ones winning; raises ``BadInput`` for an unknown path or figure."""
    figures = {change.path: change.value for change in changes}
    return Procedure.read(with_figures(procedure.model_dump(mode="json"), figures)) if figures else procedure


def circumstances(procedure: Procedure, frame: str, options: Mapping[str, str], state: State) -> Circumstances:
    """What decides which cases of a sheet apply: frame, answers of the vehicle, tyres and sensor as they were read."""
    sizes = [live[-1].said.value for corner in CORNERS if (live := state.live(f"tyre.size.{corner}"))]
    offset = next((entry.value for entry in reversed(state.live("sensor.offset"))), procedure.sensor.y)
    read = [live[-1].value for corner in CORNERS if (live := state.live(f"arch.{corner}"))]
    arch = fmean(read) if len(read) == len(CORNERS) else None
    found = {"answers": dict(options), "sizes": [str(size) for size in sizes], "arch": arch, "offset": offset}
    return Circumstances(frame=frame, **found)


@dataclass(frozen=True)
class Differing:
    """A figure that differs between two revisions of a sheet; nothing where one does not have it."""

    label: Text
    before: float | None
    after: float | None


def differing(before: Procedure, after: Procedure) -> tuple[list[Differing], bool]:
    """The figures that differ, in the order of the newer sheet, and whether anything else does."""
    called = {check.id: check.title for sheet in (before, after) for check in sheet.checks}
    old, new = ({figure.path: figure for figure in figures_of(sheet)} for sheet in (before, after))
    found = [
        Differing(_named(new.get(path) or old[path], called), _value(old.get(path)), _value(new.get(path)))
        for path in dict.fromkeys([*new, *old])
        if _value(old.get(path)) != _value(new.get(path))
    ]
    shared = {path: figure.value for path, figure in new.items() if path in old}
    brought = with_figures(before.model_dump(mode="json"), shared)
    said = after.model_dump(mode="json")
    return found, any(brought[name] != said[name] for name in said if name not in ("revision", "sources"))


def _named(figure: SheetFigure, called: Mapping[str, CatalogueText | Said]) -> Text:
    title = called.get(figure.check)
    if title is None:
        return figure.label
    return said("figure.of_named", check=title if isinstance(title, Said) else Name(title), label=figure.label)


def _value(figure: SheetFigure | None) -> float | None:
    return figure.value if figure is not None else None
