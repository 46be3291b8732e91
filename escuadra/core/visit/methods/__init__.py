"""The methods of finding a vehicle's line; a module here registers its own."""

from importlib import import_module
from pkgutil import iter_modules

from escuadra.core.visit.methods.base import METHODS, Finds, Method, Sight, method

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["METHODS", "Finds", "Method", "Sight", "method"]
