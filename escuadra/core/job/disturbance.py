"""What disturbs what: one table of everything that can happen to a set-up and the aspects that it spoils.

Source: the trade's own rules (a frame's axes are coupled; the body moves on its springs). A reading names the
aspects that it depends on; whatever spoils one of them after it was taken makes it stale.
"""

from collections.abc import Iterable
from typing import Literal, cast

from escuadra.core.model import Frozen

FRAME = frozenset({"level", "yaw", "centre", "distance", "height"})
POSE = frozenset({"yaw", "centre", "distance"})
VEHICLE = frozenset({"ride_height", "hubs", "line", "floor", "steering"})
CLAMPS = frozenset({"clamps"})
EVERYTHING = FRAME | VEHICLE
HUNG = frozenset({"target", "hang", "tilt"})
"""What a target that is hung anew spoils."""
AROUND = frozenset({"area"})
"""What is asked anew before each run."""
FLOOR = frozenset({"floor", "area"})
"""What a new place in the bay spoils; ``area``: what stands and shines around."""
PLACED = "another place chosen"
Side = Literal["frame", "target", "vehicle"]
Owner = Literal["vehicle", "frame", "stand", "calibration"]
"""Whose an aspect is: the vehicle's, a body's (frame or stand), or the calibration's own."""
OWNERS: tuple[tuple[Owner, frozenset[str]], ...] = (
    ("calibration", HUNG | AROUND | {"bracket"}),
    ("stand", frozenset({"stand"})),
    ("frame", FRAME | {"zero"}),
    ("vehicle", VEHICLE | CLAMPS | {"alignment", "battery", "doors", "load", "tyres"}),
)
"""What is read of several belongs to the first of them here: a tape from hub to beam is of the frame."""


def owner_of(aspects: frozenset[str]) -> Owner:
    """Whose a reading is that depends on these aspects; what a sheet alone names (glass, cover): the calibration's."""
    return next((owner for owner, own in OWNERS if aspects & own), "calibration")


class Happening(Frozen):
    """Something that can happen: its words as a past event, what it spoils, and where its button stands."""

    what: str
    words: str
    aspects: frozenset[str]
    side: Side
    of: Owner


HAPPENINGS: dict[str, Happening] = {
    what: Happening(what=what, words=words, aspects=frozenset(aspects), side=side, of=of)
    for what, words, side, of, aspects in cast(
        "tuple[tuple[str, str, Side, Owner, Iterable[str]], ...]",
        (
            ("yaw", "yaw turned", "frame", "frame", POSE),
            ("slide", "frame shifted sideways", "frame", "frame", {"centre"}),
            ("roll", "frame pushed", "frame", "frame", FRAME),
            ("height", "height changed", "frame", "frame", {"height", "level"}),
            ("feet", "feet turned", "frame", "frame", FRAME),
            ("brakes", "brakes touched", "frame", "frame", FRAME),
            ("set_down", "frame set down from its wheels", "frame", "frame", FRAME | {"zero"}),
            ("bump", "frame bumped", "frame", "frame", FRAME),
            ("mount", "target mounted", "target", "frame", {"centre", "level", *HUNG}),
            ("taken_off", "target taken off", "target", "frame", {"centre", "level", *HUNG}),
            ("swap", "laser and target swapped", "target", "frame", {"centre", "level", *HUNG}),
            ("shift", "target shifted", "target", "frame", {"centre", "level", "hang", "area"}),
            ("tilt", "tilt lever set", "target", "frame", {"tilt", "area"}),
            ("stand", "stand moved", "target", "stand", {"stand", "area"}),
            ("stand_bump", "stand bumped", "target", "stand", {"stand"}),
            ("holder", "holder removed", "target", "frame", {"centre", "level"}),
            ("run_again", "procedure to be run again", "target", "calibration", AROUND),
            ("vehicle_rolled", "vehicle moved", "vehicle", "vehicle", EVERYTHING | {"area"}),
            ("clamp", "clamp knocked or taken off", "vehicle", "vehicle", CLAMPS),
            ("jacked", "vehicle jacked", "vehicle", "vehicle", VEHICLE | {"alignment"}),
            ("loaded", "load changed", "vehicle", "vehicle", {"ride_height", "load"}),
            ("door", "door used", "vehicle", "vehicle", {"ride_height", "doors"}),
            ("aboard", "person aboard", "vehicle", "vehicle", {"ride_height", "load"}),
            ("tyre", "tyre filled", "vehicle", "vehicle", {"ride_height", "hubs", "tyres"}),
        ),
    )
}
