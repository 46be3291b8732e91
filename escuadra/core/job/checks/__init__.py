"""The registered kinds of check; importing this package registers them all."""

from escuadra.core.job.checks import frame, line, place, ready, stance, target, vehicle, wheels
from escuadra.core.job.checks.base import Check, Figure, Judgement

__all__ = ["Check", "Figure", "Judgement", "frame", "line", "place", "ready", "stance", "target", "vehicle", "wheels"]
