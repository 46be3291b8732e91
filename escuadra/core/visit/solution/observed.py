"""What is observed on a visit: every kind of observation registered once, with what it tells and how it is said.

An observation is known by ``ObservationId``, a value that is never split; the solver is given its text.
"""

from collections.abc import Callable
from dataclasses import dataclass

from escuadra.core.base.said import Noun, Text, said


@dataclass(frozen=True)
class ObservationId:
    """What was observed: its kind, where (a slot, or what it is of), with which instrument, by which event."""

    source: str
    place: str = ""
    instrument: str = ""
    seq: int = 0

    def __str__(self) -> str:
        return "~".join((self.source, self.place, self.instrument, str(self.seq)))

    @property
    def kind(self) -> "Kind":
        """What is registered for it."""
        return OBSERVATIONS[self.source]

    @property
    def words(self) -> Text:
        """As the trade calls it."""
        return self.kind.words(self)


def _by_source(id: ObservationId) -> Text:
    return Noun(f"seen.{id.source}")


@dataclass(frozen=True)
class Kind:
    """A kind of observation."""

    source: str
    words: Callable[[ObservationId], Text] = _by_source
    as_part: Callable[[ObservationId], Text] | None = None
    """How it is said as a part of an uncertainty, where that is not its own words."""
    of_line: bool = False
    """It tells of the vehicle's lines, not of the frame alone."""
    of_axles: bool = False
    """Its method knows the vehicle by its axles alone."""
    of_frame: bool = False
    """It was read at the frame."""
    taped: bool = False
    """It was read with a tape."""
    again: bool = False
    """It was read at one place, where it can be read again."""
    carried: bool = False
    """It was not read, but carried over a move."""
    slots: Callable[[ObservationId], tuple[str, ...]] | None = None
    """Where it is seen as it is now, if not at its own place."""
    made_of: tuple[str, ...] = ()
    """What else it is worked out from, read before or beside: an error there is found by reading it again."""
    modelled: bool = False
    """It is the vehicle's model's word on where hubs are in plan."""
    told_in: Callable[[ObservationId], str] | None = None
    """Of what the model says, or nobody knows: the slot that tells it."""

    def told_by(self, id: ObservationId) -> str:
        """The slot that tells what the model says here; empty where none does, or where it was read."""
        return self.told_in(id) if self.told_in is not None else ""

    def read_in(self, id: ObservationId) -> tuple[str, ...]:
        """The slots in which it can be read again; none where it was not read."""
        return (*self.seen_in(id), *self.made_of)

    def seen_in(self, id: ObservationId) -> tuple[str, ...]:
        """The slots that show it as it is now; none where it was not read."""
        if self.slots is not None:
            return self.slots(id)
        return (id.place,) if self.again else ()


OBSERVATIONS: dict[str, Kind] = {}


def observed_as(kind: Kind) -> Kind:
    """Register a kind; its source is its own."""
    assert kind.source not in OBSERVATIONS, kind.source
    OBSERVATIONS[kind.source] = kind
    return kind


def as_part(id: ObservationId) -> Text:
    """An observation as a source of uncertainty: hubs together, an instrument's shared errors too."""
    return (id.kind.as_part or id.kind.words)(id)


observed_as(Kind("tape", lambda id: Noun(id.place), of_frame=True, taped=True, again=True))
observed_as(Kind("hub_to_hub", lambda id: Noun(id.place), taped=True, again=True))
for _axis in ("x", "y", "z"):
    observed_as(
        Kind(
            f"hub_{_axis}",
            lambda id, axis=_axis: said(f"places.hub_place.{axis}", corner=Noun(f"corner.{id.place}")),  # type: ignore[misc]
            lambda id: said("frame.hubs_places"),
            modelled=_axis != "z",
            told_in=(lambda id: f"height.{id.place}") if _axis == "z" else None,
        )
    )
observed_as(
    Kind(
        "shared",
        lambda id: said("places.of_instrument", what=Noun(f"shared.{id.place}"), instrument=id.instrument),
        lambda id: said("frame.all_readings_share", of=id.instrument),
    )
)
for _what in ("yaw", "distance", "along", "roll", "pitch", "height"):
    observed_as(Kind(f"carried_{_what}", lambda id, what=_what: Noun(f"carried.{what}"), carried=True))  # type: ignore[misc]
