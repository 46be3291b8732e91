"""An instrument: what it is, what it reads, and what it contributes to the uncertainty of a reading.

Lengths in millimetres, angles in degrees, pressures in kilopascal, voltages in volt. Source of the contributions:
the maker's data sheet or a calibration certificate (JCGM 100, type B).
"""

import math
from typing import Literal, Self, get_args

from pydantic import Field, model_validator

from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import whole_number
from escuadra.core.base.model import Line, Number, Positive
from escuadra.core.base.quantities import Dimension
from escuadra.core.base.said import said
from escuadra.core.measure.readings import Instrument, Sag

ToolKind = Literal[
    "steel_tape",
    "glass_tape",
    "rule",
    "distance_meter",
    "digital_level",
    "spirit_level",
    "line_laser",
    "crossed_laser",
    "rotating_laser",
    "plumb_line",
    "wheel_clamps",
    "frame",
    "reflector",
    "camera_rig",
    "tyre_gauge",
    "tread_gauge",
    "voltmeter",
    "thermometer",
    "gauge",
    "scales",
    "printout",
    "tester",
]
KINDS: tuple[ToolKind, ...] = get_args(ToolKind)
READS = (
    "tape",
    "height",
    "level",
    "slope",
    "scale",
    "rule",
    "beam",
    "rig",
    "staff",
    "printout",
    "result",
    "pressure",
    "tread",
    "voltage",
    "bracket",
    "temperature",
    "share",
    "mass",
)
"""Kinds of reading, in words."""


class Tool(CatalogueEntry):
    """An instrument on the shelf."""

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")
    revision: int = Field(1, ge=1)
    name: Line = Field(min_length=1, max_length=80)
    kind: ToolKind
    serial: Line = Field("", max_length=60, description="what is printed on it")
    reads: list[str] = Field([], description=f"kinds of reading it is for: {', '.join(READS)}; none: only checked")
    unit: str = Field("mm", description="meant where none is typed: mm, °, kPa, V, °C, % or kg")
    contributions: Instrument
    expansion_per_k: Number | None = Field(None, description="of a tape, per kelvin; its temperature is then asked")
    sag: Sag | None = Field(None, description="of a tape that may hang free: its weight and the usual pull")
    check_days: int | None = Field(None, ge=1, le=3660, description="days that a good self-check lasts; null: no limit")
    limits: dict[str, Positive] = Field({}, description="largest allowed result of a self-check, by its id")
    frame: str = Field("", description="id of the frame profile whose scale and zero marks these are")
    place: Line = Field("", max_length=80, description="where it hangs when nobody has it")

    @model_validator(mode="after")
    def _not_perfect(self) -> Self:
        own = self.contributions
        if self.reads and not own.resolution:
            raise BadInput("resolution", "0", said("wants.smallest_step_shows_more_than"))
        if self.reads and not (own.accuracy_constant or own.accuracy_ppm):
            raise BadInput("accuracy_constant", "0", said("wants.accuracy_data_sheet_more_than"))
        return self

    def contributions_in(self, dimension: Dimension) -> Instrument:
        """The contributions in the slot's own unit: a level that reads degrees may be asked for percent."""
        own = self.contributions
        if dimension != "slope" or self.unit != "°":
            return own
        factor = 100 * math.radians(1)
        scaled = {
            "resolution": own.resolution * factor,
            "accuracy_constant": own.accuracy_constant * factor,
            "repeatability": own.repeatability * factor,
        }
        if own.bias is not None and own.u_bias is not None:
            scaled |= {"bias": own.bias * factor, "u_bias": own.u_bias * factor}
        return own.model_copy(update=scaled)

    @property
    def u_single(self) -> float:
        """Standard uncertainty of one reading's own part: resolution and repeatability."""
        return math.hypot(self.contributions.resolution / math.sqrt(12), self.contributions.repeatability)


def check_days(text: str) -> int | None:
    """How long a self-check lasts, as typed; nothing: no limit."""
    return whole_number(text, "check_days", said("tool.whole_days_such_90_or"), most=3660) if text.strip() else None
