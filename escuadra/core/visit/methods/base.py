"""What every method of finding the line has: its words, its slots, its drawing, and how it enters the network."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import ClassVar, Literal, TypeVar

from escuadra.core.base.quantities import Dimension, Quantity
from escuadra.core.base.said import Said, Text, said
from escuadra.core.visit.log.disturbances import CLAMPS
from escuadra.core.visit.plan import LINE_ASPECTS, Plan
from escuadra.core.visit.scene import Point, Scene
from escuadra.core.visit.slots import ReadAt, Slot
from escuadra.core.visit.solution.network_builder import Entering

Finds = Literal["body", "thrust", "axis", "none"]
YAW_ASPECTS = LINE_ASPECTS | {"yaw"}
"""Of what sees the frame's yaw alone: sliding it leaves such a reading true."""
STRAP = said("method.base.wheel_clamps_their_safety_straps")
CHOCKS = said("method.base.vehicle_stands_own_wheels_chocks")


@dataclass(frozen=True)
class Sight:
    """A line of the method's drawing, in vehicle axes: a beam, a string or a tape."""

    a: Point
    b: Point
    kind: Literal["beam", "string", "tape"] = "beam"


class Method:
    """How a line is found, what it can tell and what it can't."""

    id: ClassVar[str]
    offered: ClassVar[int] = 500
    """Where it stands among the others that are offered, the lowest first."""
    families: ClassVar[tuple[str, ...]]
    """Of what families the places of its own are."""
    title: ClassVar[Said]
    finds: ClassVar[Finds]
    tells: ClassVar[Said]
    cannot: ClassVar[Said]
    materials: ClassVar[tuple[Said, ...]]
    steps: ClassVar[tuple[Said, ...]]
    cautions: ClassVar[tuple[Said, ...]] = ()
    either: ClassVar[tuple[tuple[str, str], ...]] = ()
    """Pairs of slots of which one is enough."""
    needs: ClassVar[tuple[str, ...]] = ()
    """Methods whose readings it stands on."""
    shares_slots: ClassVar[bool] = False
    """Its slots belong to other checks too: what was read there does not mean that it was begun."""
    sees_frame: ClassVar[bool] = False
    """It tells where the frame stands or how it is turned, without tapes to the ends of its beam."""
    one_side_tells: ClassVar[bool] = False
    """One wheel's reading alone may tell about where the frame stands: the other's guards and sharpens it."""

    def slots(self, plan: Plan) -> list[Slot]:
        """What is read, in the best order."""
        raise NotImplementedError

    def enter(self, into: Entering) -> None:
        """Put what was read into a network."""
        raise NotImplementedError

    def exact(self, scene: Scene) -> Mapping[str, float]:
        """What each slot would show in a scene: mm or degrees, left positive."""
        raise NotImplementedError

    def sights(self, scene: Scene) -> list[Sight]:
        """The method's drawing."""
        raise NotImplementedError


def place(
    id: str,
    label: Text,
    low: float,
    high: float,
    reads: str,
    aspects: frozenset[str] = LINE_ASPECTS,
    way: str | None = None,
    hint: Said | None = None,
    optional: bool = False,
    dimension: Dimension = "length",
    unit: str = "mm",
    lever: float = 0.0,
    at: ReadAt | None = None,
) -> Slot:
    """A slot of a method."""
    return Slot(
        id=id,
        label=label,
        quantity=Quantity(dimension=dimension, unit=unit, low=low, high=high),
        aspects=aspects | CLAMPS if reads == "beam" else aspects,
        reads=reads,
        way=way,
        hint=hint,
        optional=optional,
        lever=lever,
        at=at,
    )


def read_at(at: ReadAt, slots: Iterable[Slot]) -> list[Slot]:
    """The slots of a method, each read at a place."""
    return [replace(slot, at=at) for slot in slots]


METHODS: dict[str, Method] = {}
"""By id, in the order in which they are offered."""
M = TypeVar("M", bound=Method)


def method(cls: type[M]) -> type[M]:
    """Register a method."""
    METHODS[cls.id] = cls()
    every = sorted(METHODS.values(), key=lambda one: one.offered)
    METHODS.clear()
    METHODS.update((one.id, one) for one in every)
    return cls
