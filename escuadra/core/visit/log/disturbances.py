"""What disturbs what: one table of everything that can happen to a set-up and the aspects that it spoils.

Source: the trade's own rules (a frame's axes are coupled; the body moves on its springs). A reading names the
aspects that it depends on; whatever spoils one of them after it was taken makes it stale.
"""

from collections.abc import Iterable, Mapping
from typing import Literal, cast

from escuadra.core.base.model import Frozen
from escuadra.core.base.said import Said, said

FRAME = frozenset({"level", "yaw", "centre", "distance", "height"})
POSE = frozenset({"yaw", "centre", "distance"})
UPRIGHT = frozenset({"level", "height"})
"""How the frame stands on its place, and how high."""
VEHICLE = frozenset({"ride_height", "hubs", "line", "floor", "steering"})
SETTLED = frozenset({"settled"})
"""That the body came to rest as it was: a door or a person rocks it, and one arch read again tells."""
CLAMPS = frozenset({"clamps"})
MARKS = frozenset({"mark_front", "mark_rear"})
"""Where the centre marks lie on the floor."""
EVERYTHING = FRAME | VEHICLE
HUNG = frozenset({"target", "hang", "tilt"})
"""What a target that is hung anew spoils."""
AROUND = frozenset({"area"})
"""What is asked anew before each run."""
RESULT = frozenset({"result"})
"""What belongs to one run."""
ATTEMPT = "attempt"
"""The set-up opens for a further run of the whole procedure."""
SCREWS, MENDED = "screws", "bracket_mended"
"""The sensor was turned by its screws; what holds it was put right."""
OPENS = (ATTEMPT, SCREWS, MENDED)
"""After any of these the procedure is run anew."""
MIRROR = frozenset({"mirror"})
"""How the sensor itself looks, as its mirror shows it."""
TRIM = frozenset({"trim"})
"""What was taken off to reach the sensor."""
FLOOR = frozenset({"floor", "area"})
"""What a new place in the bay spoils; ``area``: what stands and shines around."""
PLACED = said("happening.placed")
Side = Literal["frame", "target", "vehicle"]
Owner = str
"""Whose an aspect is: the vehicle's, a carrier's by its id, or the calibration's own."""
CALIBRATIONS = HUNG | AROUND | RESULT | MIRROR | {"bracket", "trim"}
VEHICLES = VEHICLE | CLAMPS | MARKS | SETTLED | {"alignment", "battery", "doors", "load", "tyres"}
BODIES: dict[Owner, frozenset[str]] = {}
"""What is each carrier's own; it says so itself."""


def own_aspects(owner: Owner, aspects: frozenset[str]) -> None:
    """A carrier's own aspects."""
    BODIES[owner] = aspects


def owner_of(aspects: frozenset[str]) -> Owner:
    """Whose a reading is that depends on these aspects; what a sheet alone names (glass, cover): the calibration's."""
    if aspects & CALIBRATIONS:
        return "calibration"
    # What is read of several belongs to the carrier: a tape from hub to beam is of the frame.
    of_body = next((owner for owner, own in BODIES.items() if aspects & own), None)
    return of_body or ("vehicle" if aspects & VEHICLES else "calibration")


class Happening(Frozen):
    """Something that can happen: what it spoils, and where its button stands."""

    what: str
    aspects: frozenset[str]
    side: Side
    of: Owner
    told: Said | None = None
    """What happened, where that is no message of its own."""
    each: str = ""
    """How the aspects begin of which one alone is spoiled, where it is told to which of several it happened."""

    def spoils(self, by: Mapping[str, float]) -> frozenset[str]:
        """What it spoils; ``by``: what was told of it, ``which`` of several among that."""
        if not self.each or "which" not in by:
            return self.aspects
        others = (aspect for aspect in self.aspects if not aspect.startswith(f"{self.each}."))
        return frozenset(others) | {f"{self.each}.{round(by['which'])}"}

    @property
    def words(self) -> Said:
        """What happened, as a past event."""
        return self.told or said(f"happening.{self.what}")


HAPPENINGS: dict[str, Happening] = {
    what: Happening(what=what, aspects=frozenset(aspects), side=side, of=of)
    for what, side, of, aspects in cast(
        "tuple[tuple[str, Side, Owner, Iterable[str]], ...]",
        (
            ("yaw", "frame", "frame", POSE),
            ("slide", "frame", "frame", {"centre"}),
            ("roll", "frame", "frame", FRAME),
            ("height", "frame", "frame", {"height", "level"}),
            ("feet", "frame", "frame", FRAME),
            ("brakes", "frame", "frame", FRAME),
            ("set_down", "frame", "frame", FRAME | {"zero"}),
            ("bump", "frame", "frame", FRAME),
            ("mount", "target", "frame", {"centre", "level", *HUNG}),
            ("taken_off", "target", "frame", {"centre", "level", *HUNG}),
            ("swap", "target", "frame", {"centre", "level", *HUNG}),
            ("shift", "target", "frame", {"centre", "level", "hang", "area"}),
            ("tilt", "target", "frame", {"tilt", "area"}),
            ("holder", "target", "frame", {"centre", "level"}),
            ("run_again", "target", "calibration", AROUND),
            (ATTEMPT, "target", "calibration", AROUND | RESULT),
            (SCREWS, "target", "calibration", AROUND | RESULT | TRIM | MIRROR),
            (MENDED, "target", "calibration", AROUND | RESULT | TRIM | MIRROR | {"bracket", "cover"}),
            ("vehicle_rolled", "vehicle", "vehicle", EVERYTHING | MARKS | {"area"}),
            ("clamp", "vehicle", "vehicle", CLAMPS),
            ("wheel_target", "vehicle", "vehicle", CLAMPS | {"alignment"}),
            ("steered", "vehicle", "vehicle", {"steering"}),
            ("plumb_front", "vehicle", "vehicle", {"mark_front"}),
            ("plumb_rear", "vehicle", "vehicle", {"mark_rear"}),
            ("jacked", "vehicle", "vehicle", VEHICLE | {"alignment"}),
            ("loaded", "vehicle", "vehicle", {"ride_height", "load"}),
            ("door", "vehicle", "vehicle", SETTLED | {"doors"}),
            ("aboard", "vehicle", "vehicle", SETTLED | {"load"}),
            ("tyre", "vehicle", "vehicle", {"ride_height", "hubs", "tyres"}),
        ),
    )
}


def happens(happening: Happening) -> None:
    """Register what can happen beside these: a carrier says what can happen to it."""
    HAPPENINGS[happening.what] = happening
