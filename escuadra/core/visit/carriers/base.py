"""What every carrier of a target has: its place, what proves that it still stood there, what spoils it, its moves.

What a carrier does not say of itself has a default here: nothing else needs to know of it.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, TypeVar

from escuadra.core.base.said import Name, Noun, Text, said
from escuadra.core.procedure.sheet import CarrierSpec, Station
from escuadra.core.visit.epochs import Setup
from escuadra.core.visit.log.disturbances import Happening, happens, own_aspects
from escuadra.core.visit.log.state import Run
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.proof import Change, StationView, Watch
from escuadra.core.visit.views import SheetView


@dataclass(frozen=True)
class TargetPose:
    """Where a carrier holds its target in plan: the face's middle, mm, and where the face looks, degrees."""

    x: float
    y: float
    facing_deg: float


@dataclass(frozen=True)
class Held:
    """A reading's line in plan: the slot that it is read at, and its ends for a target that stands somewhere."""

    slot: str
    start: tuple[float, float]
    left: float
    """The other end: left of the face's middle, as one looks at the face."""


class Carrier(CarrierSpec):
    """Whatever carries a target."""

    spoils: ClassVar[frozenset[str]]
    """The aspects of its place: whatever spoils one sets it anew."""
    bump: ClassVar[str]
    """What happens when somebody walks into it."""
    own_line: ClassVar[bool] = False
    """The sheet's line is brought to where it stands, and read there."""
    own_happenings: ClassVar[tuple[Happening, ...]] = ()
    """What can happen to it alone: offered where a sheet uses it."""

    @property
    def place_words(self) -> Text:
        """Its place, as something that is read again."""
        return Noun(f"spoiled.{self.id}")

    def goal(self, setup: Setup) -> TargetPose | None:
        """Where its target must be; nothing while that is not known."""
        place = setup.plan.target_place
        return TargetPose(place.x, place.y, place.facing_deg)

    def pose(self, setup: Setup) -> TargetPose | None:
        """Where its target is by what was read; nothing while that does not tell."""
        return None

    def held(self, setup: Setup) -> Sequence[Held]:
        """What is read of its place, as lines of the drawing."""
        return ()

    def proof(self, setup: Setup, station: Station, run: Run) -> StationView:
        """How well a run stands."""
        raise NotImplementedError

    def watch(self, sheet: SheetView, station: Station) -> Watch | None:
        """The one reading that would notice a bump since a station's run."""
        return None

    def change(self, plan: Plan, before: Plan | None, after: Plan) -> Change:
        """What is moved and read again on the way to a station; ``before``: nothing for the first."""
        where = after.target_place.id.replace("_", " ")
        move = said("stations.place_stand_place", name=Name(after.target.name), where=where)
        return Change((move,), (self.place_words, Noun("spoiled.target"), Noun("spoiled.area")))


CARRIERS: dict[str, Carrier] = {}
C = TypeVar("C", bound=Carrier)


def carrier(kind: type[C]) -> type[C]:
    """Register a carrier: what can happen to it and what is its own come with it."""
    CarrierSpec.registered[kind.id] = kind
    CARRIERS[kind.id] = kind()
    own_aspects(kind.id, kind.spoils)
    for happening in kind.own_happenings:
        happens(happening)
    return kind


def carrier_of(plan: Plan) -> Carrier:
    """What carries the target where a plan is: the frame, unless the station says otherwise."""
    return CARRIERS[plan.station.carrier if plan.station is not None else "frame"]
