"""The self-checks of the trade, step by step, and what each says of its instrument.

A check turns its readings into one figure with its uncertainty, compares it with what is allowed, and, where later
readings can be corrected for it, gives the bias to take off: a constant, or an angle that grows with the distance.
Source: ``check`` for each test; first-order propagation of independent readings (JCGM 100, 5.1.2); ``verdict``.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field

from escuadra.core.errors import BadInput
from escuadra.core.instruments import CheckInput, check
from escuadra.core.model import Frozen, Number, Positive
from escuadra.core.quantities import FACTORS, OWN_UNIT, Dimension, Quantity
from escuadra.core.tool import Tool, ToolKind
from escuadra.core.verdict import VerdictInput, verdict
from escuadra.core.wording import BEAM

TEN_METRES = 10_000.0
BIAS_FLOOR = 1e-6
"""A smaller u than this is no u: a history needs a positive one."""
STEEL_TAPE_U = 0.4
"""Of one length on a good steel tape or rule, mm."""
Readings = Mapping[str, Sequence[float]]


@dataclass(frozen=True, kw_only=True)
class Step:
    """One thing to do and the figure to read then."""

    field: str
    say: str
    label: str
    low: float
    high: float
    dimension: Dimension | None = "length"
    """``None``: a plain number, such as degrees Celsius."""
    u: float | None = None
    """Of the figure; ``None``: what one reading of the instrument itself has."""
    times: int = 1
    words: tuple[str, str] | None = None
    optional: bool = False
    near: str = ""
    """Step whose figure this one should come near: what is off by more than a tenth is asked about."""

    def quantity(self, tool: Tool, read: Readings | None = None) -> Quantity:
        """What the field asks for; a reading of the instrument is meant in the instrument's own unit."""
        about = (read or {}).get(self.near)
        low, high = (0.9 * about[0], 1.1 * about[0]) if about else (self.low, self.high)
        dimension = self.dimension or "length"
        unit = tool.unit if self.u is None and tool.unit in FACTORS[dimension] else OWN_UNIT[dimension]
        return Quantity(dimension=dimension, unit=unit, low=low, high=high)


@dataclass(frozen=True, kw_only=True)
class SelfCheck:
    """A self-check: for which kinds of instrument, its steps, and which figure decides."""

    id: str
    title: str
    kinds: frozenset[ToolKind]
    test: str
    figure: str
    """The key of the test's result that decides."""
    steps: tuple[Step, ...]
    need: str
    unit: str = "mm"
    limit: float | None = None
    """What is allowed where the instrument's sheet says nothing; ``None``: its accuracy's constant."""
    applies: Literal["constant", "angle", "none"] = "none"
    """How later readings are corrected for it."""
    cautions: tuple[str, ...] = ()
    put_right: str = ""
    """What to do where it does not hold, before all is read again."""

    def limit_of(self, tool: Tool) -> float:
        """Largest allowed figure, either way."""
        return tool.limits.get(self.id) or self.limit or tool.contributions.accuracy_constant or BIAS_FLOOR


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
            need="A floor with room for two arms of 3 m and 4 m, and a tape.",
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


class Found(Frozen):
    """What a self-check found."""

    check: str
    value: Number = Field(description="the figure that decides, in the check's unit")
    u: Positive
    unit: str
    limit: Positive = Field(description="largest allowed, either way")
    state: Literal["holds", "out", "undecided"]
    bias: Number | None = Field(None, description="constant to take off later readings, reading minus truth")
    tilt: Number | None = Field(None, description="bias of a reading for each mm of distance or height")


def _given(c: SelfCheck, tool: Tool, mean: Mapping[str, float]) -> dict[str, Any]:
    """The test's input at the given figures."""
    if c.id == "beam_straight":
        return {
            "test": "reference",
            "readings": [mean["middle"]],
            "length": (mean["left"] + mean["right"]) / 2,
            "u_length": 0.0,
        }
    if c.test == "reference":
        warm = {"temperature": mean.get("temperature"), "expansion_per_k": tool.expansion_per_k}
        both = all(v is not None for v in warm.values())
        return {"test": c.test, "readings": [mean["readings"]], "length": mean["length"], "u_length": 0.0} | (
            warm if both else {}
        )
    return {"test": c.test, **mean}


def _value(c: SelfCheck, tool: Tool, mean: Mapping[str, float]) -> float:
    result = getattr(check(CheckInput.read(_given(c, tool, mean))), c.figure)
    value = float(result)
    return TEN_METRES * math.tan(math.radians(value)) if c.figure.endswith("_deg") else value


def judged(c: SelfCheck, tool: Tool, readings: Readings) -> Found:
    """What the readings (by step; mm, degrees, kPa or V) say; raises ``BadInput`` naming the step that is missing."""
    for step in c.steps:
        n = len(readings.get(step.field, ()))
        if n < step.times and not step.optional:
            raise BadInput(step.field, f"{n} readings", f"{step.times}: {step.label}")
    mean, own = {}, {}
    for step in c.steps:
        values = list(readings.get(step.field, ()))
        if not values:
            continue
        n = len(values)
        mean[step.field] = math.fsum(values) / n
        if step.u is not None and n == 1:
            own[step.field] = step.u
            continue
        scatter = math.sqrt(math.fsum((v - mean[step.field]) ** 2 for v in values) / (n - 1)) if n > 1 else 0.0
        repeat = max(scatter, tool.contributions.repeatability) / math.sqrt(n)
        own[step.field] = math.hypot(repeat, tool.contributions.resolution / math.sqrt(12))
    value = _value(c, tool, mean)
    variance = 0.0
    for field, u in own.items():
        h = max(abs(mean[field]), 1.0) * 1e-5
        ends = [_value(c, tool, {**mean, field: mean[field] + way * h}) for way in (1, -1)]
        variance += ((ends[0] - ends[1]) / (2 * h) * u) ** 2
    u = max(math.sqrt(variance), BIAS_FLOOR)
    limit = c.limit_of(tool)
    state = verdict(VerdictInput(value=value, u=u, lower=-limit, upper=limit, rule="guarded")).state
    return Found(
        check=c.id,
        value=value,
        u=u,
        unit=tool.unit if c.unit == "own" else c.unit,
        limit=limit,
        state=state,
        bias=value if c.applies == "constant" else None,
        tilt=value / TEN_METRES if c.applies == "angle" else None,
    )
