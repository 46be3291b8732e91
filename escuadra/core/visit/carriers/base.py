"""What every carrier of a target has: its place, what proves that it still stood there, what spoils it, its moves.

What a carrier does not say of itself has a default here: nothing else needs to know of it.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, TypeVar

from escuadra.core.base.said import Name, Noun, Text, said, sentences
from escuadra.core.procedure.sheet import CarrierSpec, Station
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import Happening, happens, own_aspects
from escuadra.core.visit.log.events import ReadingTaken
from escuadra.core.visit.log.state import LATER, Entry, Run
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.proof import Change, StationView, Watch, proven_by
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.views import SheetView

AGREES = 3.0
"""A reading that differs from the one before the run by more of its u shows a bump."""


@dataclass(frozen=True)
class TargetPose:
    """Where a carrier holds its target in plan: the face's middle, mm, and where the face looks, degrees."""

    x: float
    y: float
    facing_deg: float


@dataclass(frozen=True)
class StandingPose:
    """One of several bodies for a drawing: where it must be, and where it is as far as that was read."""

    id: str
    name: Text
    number: int
    width: float
    depth: float
    """Of what lies on the floor, mm; 0: it stands."""
    goal: TargetPose
    pose: TargetPose | None
    over: bool = False
    """It lies over another."""
    folded: tuple[float, float] | None = None
    """The corner of a mat that does not fit the others, where it belongs."""


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

    def goal(self, epochs: Epochs) -> TargetPose | None:
        """Where its target must be; nothing while that is not known."""
        place = epochs.plan.target_place
        return TargetPose(place.x, place.y, place.facing_deg)

    def pose(self, epochs: Epochs) -> TargetPose | None:
        """Where its target is by what was read; nothing while that does not tell."""
        return None

    def held(self, epochs: Epochs) -> Sequence[Held]:
        """What is read of its place, as lines of the drawing."""
        return ()

    def standing(self, epochs: Epochs) -> Sequence[StandingPose]:
        """Its bodies, where it is several."""
        return ()

    def proof(self, epochs: Epochs, station: Station, run: Run) -> StationView:
        """How well a run stands."""
        raise NotImplementedError

    def proved_by(self, epochs: Epochs, station: Station, run: Run, slots: Sequence[Slot]) -> StationView:
        """How well a run stands where any reading of its place, taken again, tells a bump."""
        kept = [e for slot in slots for e in epochs.relied(slot.id) if isinstance(e.said, ReadingTaken)]
        # Where the vehicle was rolled away, nothing that is read then proves where it stood.
        past = epochs.state.first_disturbed(self.spoils | {"hubs"}, run.seq)
        ends = past.seq if past is not None else LATER
        seen = [e for e in kept if run.seq < e.seq < ends]
        if seen:
            if any(not _agrees(epochs, run, e) for e in seen):
                words = sentences(said("stations.stand_did_not_read_before"))
                return StationView(station, run, "doubt" if past else "contradicted", words, past)
            return StationView(station, run, "proven", proven_by(seen))
        if past is None:
            return StationView(station, run, "awaited")
        code = "nothing_read_between" if past.what == self.bump else "before_anything_read_again"
        words = sentences(past.words, said(f"stations.{code}"))
        return StationView(station, run, "doubt" if past.what == self.bump else "missed", words, past)

    def watch(self, sheet: SheetView, station: Station) -> Watch | None:
        """The one reading that would notice a bump since a station's run."""
        return None

    def change(self, plan: Plan, before: Plan | None, after: Plan) -> Change:
        """What is moved and read again on the way to a station; ``before``: nothing for the first."""
        where = after.target_place.id.replace("_", " ")
        move = said("stations.place_stand_place", name=Name(after.target.name), where=where)
        return Change((move,), (self.place_words, Noun("spoiled.target"), Noun("spoiled.area")))


def _agrees(epochs: Epochs, run: Run, seen: Entry) -> bool:
    """A reading after the run is what was read at the same place before it."""
    slot = seen.said.slot
    now = epochs.measured(slot, [seen])
    before = epochs.measured(slot, [e for e in epochs.relied(slot) if e.seq < run.seq][-1:])
    if now is None or before is None:
        return True
    return abs(now.value - before.value) <= AGREES * math.hypot(now.u, before.u)


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
