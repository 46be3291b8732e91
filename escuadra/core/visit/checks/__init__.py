"""The registered kinds of check: a module here registers its own, and importing this package finds them all."""

from importlib import import_module
from pkgutil import iter_modules

from escuadra.core.visit.checks.base import Check, Figure, Judgement, own_checks

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["Check", "Figure", "Judgement", "own_checks"]
