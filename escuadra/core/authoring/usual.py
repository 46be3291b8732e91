"""Within what a figure of a catalogue entry usually lies: a slip of the unit shows itself before it costs a day.

Our own bounds, wide enough for any car or van with any board of the trade; a bare number outside them is asked about,
one that was typed with its unit is taken as it is and said to be unusual.
"""

import re
from collections.abc import Iterator, Mapping

from escuadra.core.authoring.fields import Asked
from escuadra.core.authoring.life import Way
from escuadra.core.authoring.writing import Finding, Written, asked_at
from escuadra.core.base.quantities import FACTORS
from escuadra.core.base.said import FIGURE_OF, Name, exact, nouns, said

USUAL: dict[str, tuple[float, float]] = {
    "Procedure.distance": (150, 12_000),
    "Procedure.offset": (-2_500, 2_500),
    "Procedure.height": (1, 2_600),
    "Station.distance": (150, 12_000),
    "Station.offset": (-5_000, 5_000),
    "Station.height": (1, 2_600),
    "Sensor.x": (-1_500, 7_000),
    "Sensor.z": (120, 3_200),
    "VehicleModel.wheelbase": (1_700, 5_200),
    "VehicleModel.hub_track_front": (1_150, 2_400),
    "VehicleModel.hub_track_rear": (1_150, 2_400),
    "VehicleModel.hub_height": (200, 600),
    "VehicleModel.tyre_diameter": (420, 1_200),
    "VehicleModel.tyre_width": (120, 420),
    **{f"Arches.{corner}": (400.0, 1_400.0) for corner in ("LF", "RF", "LR", "RR")},
    "Outline.front_overhang": (250, 2_000),
    "Outline.rear_overhang": (250, 2_500),
    "Outline.width": (1_300, 2_800),
    "Outline.height": (1_000, 3_600),
    "Tyres.front_kpa": (120, 900),
    "Tyres.rear_kpa": (120, 900),
    "Target.width": (60, 6_000),
    "Target.height": (60, 4_000),
    "FrameProfile.beam_length": (600, 5_000),
    "FrameProfile.face_offset": (0, 900),
    "FrameProfile.reach": (50, 3_000),
}
"""By the model and its field, in the field's own unit."""
_BARE = re.compile(r"[-+−]?[\d.,\s]+")


def unusual(form: Asked, found: Written, texts: Mapping[Way, str]) -> Iterator[Finding]:
    """Figures outside what is usual, each at its field, with the unit that would bring it there."""
    for asked, way, value in _figures(form, found):
        bounds = USUAL.get(asked.code)
        if bounds is None or bounds[0] <= value <= bounds[1]:
            continue
        shown = FIGURE_OF[asked.unit]
        low, high = exact(shown, bounds[0]), exact(shown, bounds[1])
        bare = _BARE.fullmatch(texts.get(way, "")) is not None
        meant = [unit for unit, by in _others(asked.unit) if bounds[0] <= value * by <= bounds[1]]
        if bare and meant:
            units = nouns([Name(unit) for unit in meant], "or")
            what = said("authoring.other_unit", value=exact(shown, value), units=units, low=low, high=high)
        else:
            what = said("authoring.unusual" if bare else "authoring.unusual_as_typed", low=low, high=high)
        yield Finding(way, what, texts.get(way, ""), doubt=not bare)


def _others(unit: str) -> list[tuple[str, float]]:
    """The other units of a figure's dimension, with how much more each is."""
    factors = next(units for units in FACTORS.values() if units.get(unit) == 1.0)
    return [(other, by) for other, by in factors.items() if by != 1.0]


def _figures(form: Asked, found: Written) -> Iterator[tuple[Asked, Way, float]]:
    """Every figure of an entry that its form knows."""
    for loc, way in found.ways.items():
        asked, value = asked_at(form, found, loc)
        if asked is not None and asked.kind == "figure" and isinstance(value, int | float):
            yield asked, way, float(value)
