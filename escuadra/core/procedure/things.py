"""Kinds of things that stand, lie or shine in a bay: what a sheet wants a zone to be free of."""

from typing import Literal

ThingKind = Literal["pillar", "obstacle", "drain", "metal", "reflective", "window", "lamp"]
THING_KINDS: tuple[ThingKind, ...] = ("pillar", "obstacle", "drain", "metal", "reflective", "window", "lamp")
SOLID: tuple[ThingKind, ...] = ("pillar", "obstacle", "metal")
"""What nothing can stand in."""
