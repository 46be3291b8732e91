"""What must be calibrated after what was done to a vehicle, why, and in which order.

Source: the trade's own rules (what a sensor hangs on, looks through, is run by and depends on); where the maker rules
on an act and a part, that rule stands alone. No code does not mean no calibration: a code only adds.
"""

from collections.abc import Iterable
from typing import Literal, Self, get_args

from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput, each_once
from escuadra.core.base.model import Frozen, NotNegative
from escuadra.core.base.said import nouns, said

ActName = Literal["removed", "replaced", "repaired", "struck", "adjusted", "painted", "programmed"]
ACTS: tuple[ActName, ...] = get_args(ActName)
MOUNTED: frozenset[str] = frozenset(ACTS) - {"painted", "programmed"}
"""Acts on what a sensor is or hangs on that touch it."""
SEEN_THROUGH: frozenset[str] = frozenset(ACTS) - {"adjusted", "programmed"}
CONTROLLED = frozenset({"replaced", "programmed"})


class FittedSensor(Frozen):
    """A sensor of a vehicle model: what it hangs on, looks through, is run by and depends on."""

    id: str
    mounted_on: list[str] = Field([], description="parts that hold it")
    looks_through: list[str] = Field([], description="parts before it, such as the windscreen or an emblem")
    control_unit: str | None = Field(None, description="part that it is run by")
    depends_on: list[str] = Field([], description="parts and chassis figures, such as wheel_alignment")
    requires: list[str] = Field([], description="sensors that must be calibrated whenever this one is")
    after: list[str] = Field([], description="sensors that are calibrated before this one, where both are")
    minutes: NotNegative = Field(description="that calibrating it usually takes")

    @property
    def parts(self) -> list[str]:
        """All that something can be done to so that it is touched, but for itself."""
        unit = [self.control_unit] if self.control_unit is not None else []
        return [*self.mounted_on, *self.looks_through, *unit, *self.depends_on]

    def touched_by(self, act: str, part: str) -> bool:
        """An act on a part touches it, by our general rule."""
        return (
            (act in MOUNTED and part in (self.id, *self.mounted_on))
            or (act in SEEN_THROUGH and part in self.looks_through)
            or (act in CONTROLLED and part == self.control_unit)
            or part in self.depends_on
        )


class Done(Frozen):
    """Something that was done to a part of the vehicle."""

    act: ActName
    part: str


class SensorCode(Frozen):
    """A fault code that names a sensor."""

    code: str
    sensor: str


class MakersRule(Frozen):
    """What the maker wants calibrated after an act on a part: that and nothing else."""

    id: str
    act: ActName | Literal["any"]
    part: str
    calibrate: list[str] = Field(description="ids of sensors; none: the act excuses")
    why: str = ""

    def matches(self, done: Done) -> bool:
        """It rules on this act and part."""
        return self.part == done.part and self.act in ("any", done.act)


class ScopeInput(Frozen):
    """The sensors that are fitted to this very variant, what was done to the vehicle, its codes, the maker's rules."""

    sensors: list[FittedSensor]
    done: list[Done] = []
    codes: list[SensorCode] = []
    rules: list[MakersRule] = []

    @model_validator(mode="after")
    def _sound(self) -> Self:
        each_once("sensors", (sensor.id for sensor in self.sensors), said("wants.each_sensors_id_once"))
        known = [sensor.id for sensor in self.sensors]
        named = [("after", id) for sensor in self.sensors for id in sensor.after]
        named += [("requires", id) for sensor in self.sensors for id in sensor.requires]
        named += [("calibrate", id) for rule in self.rules for id in rule.calibrate]
        named += [("sensor", code.sensor) for code in self.codes]
        stray = next(((field, id) for field, id in named if id not in known), None)
        if stray is not None:
            raise BadInput(*stray, said("wants.one_fitted_sensors", names=nouns(known, "comma")))
        in_order(self.sensors)
        return self


class Needed(Frozen):
    """A sensor that is to be calibrated, and every reason once, sorted."""

    sensor: str
    because: list[str]


class ScopeResult(Frozen):
    """What is to be calibrated, in its order; what is not; minutes altogether."""

    calibrations: list[Needed]
    not_needed: list[str]
    minutes: float


def in_order(sensors: list[FittedSensor]) -> list[FittedSensor]:
    """Each after those that it waits for, else as they are given; raises ``BadInput`` where some wait in a circle."""
    left, ordered = list(sensors), list[FittedSensor]()
    while left:
        waiting = {sensor.id for sensor in left}
        first = next((sensor for sensor in left if waiting.isdisjoint(sensor.after)), None)
        if first is None:
            raise BadInput("after", ", ".join(sensor.id for sensor in left), said("wants.order_without_circle"))
        ordered.append(first)
        left.remove(first)
    return ordered


class Reason(Frozen):
    """Why a sensor is to be calibrated."""

    kind: Literal["done", "rule", "code", "required", "precaution", "complaint"]
    what: str = Field("", description="the part, the rule, the code or the sensor that requires it")
    act: str = Field("", description="what was done to the part")

    @property
    def text(self) -> str:
        """As the result has it."""
        match self.kind:
            case "done":
                return f"{self.what} {self.act}"
            case "required":
                return f"required by {self.what}"
        return f"{self.kind} {self.what}".strip()


def reasons(given: ScopeInput) -> dict[str, set[Reason]]:
    """Every sensor with all that asks for its calibration; none where nothing touches it."""
    found: dict[str, set[Reason]] = {sensor.id: set() for sensor in given.sensors}
    for done in given.done:
        rules = [rule for rule in given.rules if rule.matches(done)]
        for rule in rules:
            for id in rule.calibrate:
                found[id].add(Reason(kind="rule", what=rule.id))
        if not rules:
            for sensor in given.sensors:
                if sensor.touched_by(done.act, done.part):
                    found[sensor.id].add(Reason(kind="done", what=done.part, act=done.act))
    for code in given.codes:
        found[code.sensor].add(Reason(kind="code", what=code.code))
    return required(given.sensors, found)


def required(sensors: Iterable[FittedSensor], found: dict[str, set[Reason]]) -> dict[str, set[Reason]]:
    """The same, with what calibrating each of them requires, and so on."""
    by_id = {sensor.id: sensor for sensor in sensors}
    whole = {id: set(because) for id, because in found.items()}
    asking = [id for id, because in whole.items() if because]
    while asking:
        id = asking.pop()
        for other in by_id[id].requires:
            if not whole[other]:
                asking.append(other)
            whole[other].add(Reason(kind="required", what=id))
    return whole


@calculation("scope")
def scope(given: ScopeInput) -> ScopeResult:
    """Which sensors must be calibrated, why and in which order; raises ``BadInput`` (unknown sensors, a circle)."""
    because = reasons(given)
    needed = in_order([sensor for sensor in given.sensors if because[sensor.id]])
    return ScopeResult(
        calibrations=[
            Needed(sensor=sensor.id, because=sorted(reason.text for reason in because[sensor.id])) for sensor in needed
        ],
        not_needed=[sensor.id for sensor in given.sensors if not because[sensor.id]],
        minutes=sum(sensor.minutes for sensor in needed),
    )
