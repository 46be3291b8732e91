"""What carries targets: the frame's beam, a stand; each registered once with its place, its proof and its moves."""

from escuadra.core.visit.carriers import beam, stand
from escuadra.core.visit.carriers.base import CARRIERS, Carrier, Held, TargetPose, carrier, carrier_of

__all__ = ["CARRIERS", "Carrier", "Held", "TargetPose", "beam", "carrier", "carrier_of", "stand"]
