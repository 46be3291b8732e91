"""What carries targets: the frame's beam, a stand; each registers itself with its place, its proof and its moves."""

from importlib import import_module
from pkgutil import iter_modules

from escuadra.core.visit.carriers.base import CARRIERS, Carrier, Held, StandingPose, TargetPose, carrier, carrier_of

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["CARRIERS", "Carrier", "Held", "StandingPose", "TargetPose", "carrier", "carrier_of"]
