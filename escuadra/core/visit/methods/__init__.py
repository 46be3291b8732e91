"""The methods of finding a vehicle's line, each a school of the trade, in the order in which they are offered."""

from escuadra.core.visit.methods import beams, hubs, marks, wheels
from escuadra.core.visit.methods.base import METHODS, Finds, Method, Sight, method

__all__ = ["METHODS", "Finds", "Method", "Sight", "beams", "hubs", "marks", "method", "wheels"]
