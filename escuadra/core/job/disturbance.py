"""What disturbs what: one table of everything that can happen to a set-up and the aspects that it spoils.

Source: the trade's own rules (a frame's axes are coupled; the body moves on its springs). A reading names the
aspects that it depends on; whatever spoils one of them after it was taken makes it stale.
"""

from typing import Literal

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


class Happening(Frozen):
    """Something that can happen: its words as a past event, what it spoils, and where its button stands."""

    what: str
    words: str
    aspects: frozenset[str]
    side: Literal["frame", "target", "vehicle"]


HAPPENINGS: dict[str, Happening] = {
    h.what: h
    for h in (
        Happening(what="yaw", words="yaw turned", aspects=POSE, side="frame"),
        Happening(what="slide", words="frame slid sideways", aspects=frozenset({"centre"}), side="frame"),
        Happening(what="roll", words="frame rolled", aspects=FRAME, side="frame"),
        Happening(what="height", words="height changed", aspects=frozenset({"height", "level"}), side="frame"),
        Happening(what="feet", words="feet turned", aspects=FRAME, side="frame"),
        Happening(what="brakes", words="brakes touched", aspects=FRAME, side="frame"),
        Happening(what="set_down", words="frame set down from its wheels", aspects=FRAME | {"zero"}, side="frame"),
        Happening(what="bump", words="frame bumped", aspects=FRAME, side="frame"),
        Happening(what="mount", words="target mounted", aspects=frozenset({"centre", "level", *HUNG}), side="target"),
        Happening(
            what="taken_off", words="target taken off", aspects=frozenset({"centre", "level", *HUNG}), side="target"
        ),
        Happening(
            what="swap", words="laser and target swapped", aspects=frozenset({"centre", "level", *HUNG}), side="target"
        ),
        Happening(
            what="shift", words="target shifted", aspects=frozenset({"centre", "level", "hang", "area"}), side="target"
        ),
        Happening(what="tilt", words="tilt lever set", aspects=frozenset({"tilt", "area"}), side="target"),
        Happening(what="stand", words="stand moved", aspects=frozenset({"stand", "area"}), side="target"),
        Happening(what="stand_bump", words="stand bumped", aspects=frozenset({"stand"}), side="target"),
        Happening(what="holder", words="holder removed", aspects=frozenset({"centre", "level"}), side="target"),
        Happening(what="run_again", words="procedure to be run again", aspects=AROUND, side="target"),
        Happening(what="vehicle_rolled", words="vehicle moved", aspects=EVERYTHING | {"area"}, side="vehicle"),
        Happening(what="clamp", words="clamp knocked or taken off", aspects=CLAMPS, side="vehicle"),
        Happening(what="jacked", words="vehicle jacked", aspects=VEHICLE | {"alignment"}, side="vehicle"),
        Happening(what="loaded", words="load changed", aspects=frozenset({"ride_height", "load"}), side="vehicle"),
        Happening(what="door", words="door used", aspects=frozenset({"ride_height", "doors"}), side="vehicle"),
        Happening(what="aboard", words="person aboard", aspects=frozenset({"ride_height", "load"}), side="vehicle"),
        Happening(
            what="tyre", words="tyre filled", aspects=frozenset({"ride_height", "hubs", "tyres"}), side="vehicle"
        ),
    )
}
