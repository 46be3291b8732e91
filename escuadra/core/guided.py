"""The self-checks of the trade: for which instruments, what is needed, what to do and read, and what is allowed.

Source: the trade's own checks (end for end, two pegs, three points, a known length, a square corner by its diagonal,
upright beside a plumb line, along a straight edge, clamp run-out, a frame's zero mark and straightness).
"""

from escuadra.core.quantities import Dimension
from escuadra.core.selfcheck import SelfCheck, Step
from escuadra.core.tool import Tool
from escuadra.core.wording import BEAM

STEEL_TAPE_U = 0.4
"""Of one length on a good steel tape or rule, mm."""
LASER = "Laser light: wear its glasses, never at eye height or into a mirror at people."
LEVEL_WORDS = ("its right end high", "its right end low")
SIDE_WORDS = ("beam left of it", "beam right of it")


def _level(field: str, say: str) -> Step:
    return Step(
        field=field, say=say, label="What it shows", dimension="angle", low=-5, high=5, words=LEVEL_WORDS, times=1
    )


def _staff(field: str, say: str, label: str) -> Step:
    return Step(field=field, say=say, label=label, low=50, high=5000)


def _way(field: str, say: str, label: str, low: float = 100, u: float | None = 5.0) -> Step:
    """A distance: with any tape where ``u`` is 5 mm, measured well where it is less, else by the instrument itself."""
    return Step(field=field, say=say, label=label, low=low, high=60_000, u=u)


def _beam(field: str, say: str, label: str) -> Step:
    return Step(field=field, say=say, label=label, low=0, high=3000, times=2)


def _against(what: str, dimension: Dimension, low: float, high: float, u: float) -> tuple[Step, ...]:
    return (
        Step(
            field="length",
            say=f"Take {what}, and type what its certificate says.",
            label="The reference",
            dimension=dimension,
            low=low,
            high=high,
            u=u,
        ),
        Step(
            field="readings",
            say="Read it three times with the instrument, set on anew each time.",
            label="What the instrument reads",
            dimension=dimension,
            low=low,
            high=high,
            times=3,
            near="length",
        ),
    )


CHECKS: dict[str, SelfCheck] = {
    c.id: c
    for c in (
        SelfCheck(
            id="end_for_end",
            title="End for end",
            kinds=frozenset({"digital_level", "spirit_level"}),
            test="level_reversal",
            figure="bias",
            unit="°",
            applies="constant",
            need="A firm flat surface, and a pencil mark for the level's two ends.",
            steps=(
                _level("first", "Set the level on the marks and let it settle."),
                _level("second", "Turn it end for end onto the same marks."),
            ),
            put_right="Set its zero as its handbook says.",
        ),
        SelfCheck(
            id="two_peg",
            title="Two pegs",
            kinds=frozenset({"rotating_laser"}),
            test="two_peg",
            figure="per_10_m",
            unit=BEAM,
            limit=3.0,
            applies="angle",
            need="Two firm points A and B about 10 m apart, the staff, and a tape.",
            steps=(
                _staff("mid_a", "Set up midway between A and B. Hold the staff on A.", "Staff on A"),
                _staff("mid_b", "Leave the instrument. Hold the staff on B.", "Staff on B"),
                _way("off_to_a", "Carry the instrument close to one point and tape to A.", "Distance to A", low=200),
                _way("off_to_b", "Tape from the instrument to B.", "Distance to B", low=200),
                _staff("off_a", "Hold the staff on A again.", "Staff on A"),
                _staff("off_b", "Hold the staff on B again.", "Staff on B"),
            ),
            cautions=(LASER,),
            put_right="Set its level as its handbook says.",
        ),
        SelfCheck(
            id="three_point",
            title="Three points in a line",
            kinds=frozenset({"distance_meter"}),
            test="three_point",
            figure="zero_error",
            applies="constant",
            need="Three marks A, B, C in one straight line, some metres apart.",
            steps=(
                _way("ab", "Measure from A to B.", "A to B", u=None),
                _way("bc", "Measure from B to C.", "B to C", u=None),
                _way("ac", "Measure from A to C in one go.", "A to C", u=None),
            ),
            cautions=(LASER,),
        ),
        SelfCheck(
            id="reference",
            title="Against a known length",
            kinds=frozenset({"steel_tape", "glass_tape", "rule", "distance_meter", "camera_rig"}),
            test="reference",
            figure="bias",
            applies="constant",
            need="A reference length with its certificate, near the lengths that are measured here.",
            steps=(
                *_against("the reference length", "length", 200, 60_000, 0.1),
                Step(
                    field="temperature",
                    say="Read the tape's temperature, if it is not near 20 °C.",
                    label="Tape at, °C",
                    dimension=None,
                    low=-30,
                    high=60,
                    u=1.0,
                    optional=True,
                ),
            ),
        ),
        SelfCheck(
            id="known_pressure",
            title="Against a known pressure",
            kinds=frozenset({"tyre_gauge"}),
            test="reference",
            figure="bias",
            unit="kPa",
            applies="constant",
            need="A gauge with a certificate on the same valve.",
            steps=_against("the reference gauge on the same valve", "pressure", 50, 900, 1.5),
        ),
        SelfCheck(
            id="known_voltage",
            title="Against a known voltage",
            kinds=frozenset({"voltmeter"}),
            test="reference",
            figure="bias",
            unit="V",
            applies="constant",
            need="A voltmeter with a certificate on the same terminals.",
            steps=_against("the reference meter on the same terminals", "voltage", 1, 60, 0.01),
            cautions=("High-voltage work follows its own procedure: this is for the 12 V battery alone.",),
        ),
        SelfCheck(
            id="square_corner",
            title="Square corner",
            kinds=frozenset({"crossed_laser"}),
            test="square",
            figure="error_deg",
            unit=BEAM,
            limit=4.0,
            need="A floor with room for two arms of about 3 m and 4 m, and a tape.",
            steps=(
                _way(
                    "a",
                    "Mark the crossing and the end of one line. Measure that arm.",
                    "First arm",
                    low=500,
                    u=STEEL_TAPE_U,
                ),
                _way("b", "Mark the end of the other line. Measure that arm.", "Second arm", low=500, u=STEEL_TAPE_U),
                _way("diagonal", "Measure between the two ends.", "Diagonal", low=500, u=STEEL_TAPE_U),
            ),
            cautions=(LASER,),
        ),
        SelfCheck(
            id="plumb",
            title="Upright beside a plumb line",
            kinds=frozenset({"line_laser", "crossed_laser"}),
            test="plumb",
            figure="tilt_deg",
            unit=BEAM,
            limit=7.0,
            applies="angle",
            need="A plumb line at rest, at least 2 m long, and a rule.",
            steps=(
                _way(
                    "height", "Hang the plumb line near the beam. Measure between the two places to be read.", "Height"
                ),
                Step(
                    field="bottom",
                    say="At the lower place, read from the line to the beam, looking the way the laser shines.",
                    label="At the bottom",
                    low=-300,
                    high=300,
                    words=SIDE_WORDS,
                    times=3,
                ),
                Step(
                    field="top",
                    say="At the upper place, read from the line to the beam, looking the same way.",
                    label="At the top",
                    low=-300,
                    high=300,
                    words=SIDE_WORDS,
                    times=3,
                ),
            ),
            cautions=(LASER,),
        ),
        SelfCheck(
            id="parallel",
            title="Along a straight edge",
            kinds=frozenset({"line_laser", "crossed_laser"}),
            test="parallel",
            figure="angle_deg",
            unit=BEAM,
            limit=3.0,
            need="A straight edge some metres long, and a rule.",
            steps=(
                _way(
                    "near_station", "Choose a place near the laser. How far is it along the edge?", "Near place", low=0
                ),
                _beam("near", "Read from the edge to the beam there.", "Beam from the edge, near"),
                _way(
                    "far_station", "Choose a place near the edge's far end. How far is it along?", "Far place", low=500
                ),
                _beam("far", "Read from the edge to the beam there.", "Beam from the edge, far"),
            ),
            cautions=(LASER,),
            put_right="Set the beam until the far reading equals the near one, then read both again.",
        ),
        SelfCheck(
            id="runout",
            title="Clamp run-out",
            kinds=frozenset({"wheel_clamps"}),
            test="runout",
            figure="runout",
            unit="own",
            applies="constant",
            need="The clamp on its wheel with its safety strap, and room to roll half a turn.",
            steps=(
                Step(
                    field="first",
                    say="Read the clamp where it stands.",
                    label="Before",
                    low=-60,
                    high=60,
                    words=("toe-in", "toe-out"),
                ),
                Step(
                    field="second",
                    say="Leave the clamp untouched. Roll the WHEEL half a turn, then read again.",
                    label="After half a turn",
                    low=-60,
                    high=60,
                    words=("toe-in", "toe-out"),
                ),
            ),
            cautions=("The clamp has its safety strap on. Chocks go back as soon as the wheel stands.",),
            put_right="Seat the clamp anew on the rim.",
        ),
        SelfCheck(
            id="zero_mark",
            title="Frame: zero mark",
            kinds=frozenset({"frame"}),
            test="runout",
            figure="runout",
            limit=1.0,
            applies="constant",
            need="The frame with its slide at zero, and a steel tape.",
            steps=(
                _way(
                    "first",
                    "Set the slide to its zero mark. Measure from the beam's LEFT end to the mark.",
                    "From the left",
                    u=STEEL_TAPE_U,
                ),
                _way("second", "Measure from the beam's RIGHT end to the mark.", "From the right", u=STEEL_TAPE_U),
            ),
            cautions=("Brakes of the stand are on.",),
            put_right="Set the zero mark to the middle and read again.",
        ),
        SelfCheck(
            id="beam_straight",
            title="Frame: beam straight",
            kinds=frozenset({"frame"}),
            test="reference",
            figure="bias",
            limit=2.0,
            need="A level line beside the beam, and a rule.",
            steps=(
                _beam("left", "Read from the level line to the beam at its LEFT end.", "Left"),
                _beam("middle", "Read it in the middle.", "Middle"),
                _beam("right", "Read it at the RIGHT end.", "Right"),
            ),
            cautions=("Brakes of the stand are on.", LASER),
        ),
    )
}


def checks_for(tool: Tool) -> list[SelfCheck]:
    """The self-checks that an instrument can be put through."""
    return [c for c in CHECKS.values() if tool.kind in c.kinds]
