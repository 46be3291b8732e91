"""A self-check of an instrument, step by step, and what its readings say.

A check turns its readings into one figure with its uncertainty, compares it with what is allowed, and, where later
readings can be corrected for it, gives the bias to take off: a constant, or an angle that grows with the distance.
Source: ``check`` for each test; first-order propagation of independent readings (JCGM 100, 5.1.2); ``verdict``.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.quantities import FACTORS, OWN_UNIT, Dimension, Quantity
from escuadra.core.base.said import Noun, Said, said
from escuadra.core.instruments.instrument import Tool, ToolKind
from escuadra.core.instruments.self_checks import CheckInput, check
from escuadra.core.measure.verdict import VerdictInput, verdict

TEN_METRES = 10_000.0
BIAS_FLOOR = 1e-6
"""A smaller u than this is no u: a history needs a positive one."""
Readings = Mapping[str, Sequence[float]]


@dataclass(frozen=True, kw_only=True)
class Step:
    """One thing to do and the figure to read then."""

    field: str
    say: Said
    label: Said
    low: float
    high: float
    dimension: Dimension | None = "length"
    """``None``: a plain number, such as degrees Celsius."""
    u: float | None = None
    """Of the figure; ``None``: what one reading of the instrument itself has."""
    times: int = 1
    way: str | None = None
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
    kinds: frozenset[ToolKind]
    test: str
    figure: str
    """The key of the test's result that decides."""
    steps: tuple[Step, ...]
    need: Said
    unit: str = "mm"
    limit: float | None = None
    """What is allowed where the instrument's sheet says nothing; ``None``: its accuracy's constant."""
    applies: Literal["constant", "angle", "none"] = "none"
    """How later readings are corrected for it."""
    cautions: tuple[Said, ...] = ()
    put_right: Said | None = None
    """What to do where it does not hold, before all is read again."""

    @property
    def title(self) -> Noun:
        """What it is called."""
        return Noun(f"self_check.{self.id}")

    def limit_of(self, tool: Tool) -> float:
        """Largest allowed figure, either way."""
        return tool.limits.get(self.id) or self.limit or tool.contributions.accuracy_constant or BIAS_FLOOR


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
            raise BadInput(
                step.field,
                said("selfcheck.readings", n=n),
                said("wants.readings_of_step", times=step.times, label=step.label),
            )
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
