"""The methods of finding a vehicle's line, each a school of the trade, in the order in which they are offered."""

from escuadra.core.job.methods.base import Finds, Method, Sight
from escuadra.core.job.methods.beams import ReturnedBeams, SteeredWheel, WheelPanels, WheelRulers
from escuadra.core.job.methods.hubs import CameraRig, HubDistances
from escuadra.core.job.methods.marks import CentreMarks, LowVehicle, RoofPlane
from escuadra.core.job.methods.wheels import NoLine, OneSide, Printout, StringLines

METHODS: dict[str, Method] = {
    method.id: method
    for method in (
        CentreMarks(),
        LowVehicle(),
        RoofPlane(),
        Printout(),
        StringLines(),
        ReturnedBeams(),
        WheelRulers(),
        CameraRig(),
        SteeredWheel(),
        WheelPanels(),
        HubDistances(),
        OneSide(),
        NoLine(),
    )
}
"""By id."""

__all__ = ["METHODS", "Finds", "Method", "Sight"]
