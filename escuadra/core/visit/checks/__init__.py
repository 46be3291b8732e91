"""The registered kinds of check; importing this package registers them all."""

from escuadra.core.visit.checks import (
    carrying,
    frame,
    hanging,
    line,
    place,
    ready,
    stance,
    stations,
    target,
    vehicle,
    wheels,
)
from escuadra.core.visit.checks.base import Check, Figure, Judgement, own_checks

__all__ = [
    "Check",
    "Figure",
    "Judgement",
    "carrying",
    "frame",
    "hanging",
    "line",
    "own_checks",
    "place",
    "ready",
    "stance",
    "stations",
    "target",
    "vehicle",
    "wheels",
]
