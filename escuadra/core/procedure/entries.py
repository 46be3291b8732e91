"""The kinds of entry that a catalogue has, each with its model: what a field is for stands in its description."""

from escuadra.core.base.entry import CatalogueEntry
from escuadra.core.instruments.instrument import Tool
from escuadra.core.procedure.profiles import FrameProfile, Target, VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.road.profile import RoadProfile

KINDS: dict[str, type[CatalogueEntry]] = {
    "procedure": Procedure,
    "vehicle": VehicleModel,
    "target": Target,
    "frame": FrameProfile,
    "tool": Tool,
    "road": RoadProfile,
}
