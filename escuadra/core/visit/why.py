"""Why a result came out as it did: what the set-up, as it was read, explains of it, and what it may have hidden.

Each check's deviation and uncertainty reaches the sensor through its effect: a chart or reflector by its place, a flat
board by its orientation, the body by how it stands, the floor by its slope under it, the line in use by where it leads.
Source: ``aim``, ``explain``.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from escuadra.core.base.corners import FRONT, LEFT
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import NOTHING, Sentences, Text, Value, said, sentences
from escuadra.core.base.wording import amount
from escuadra.core.measure.explain import Cause, ExplainInput, ExplainResult, Shown, explain
from escuadra.core.procedure.sheet import AimWay
from escuadra.core.run.adjusting import SHOWN_U_DEG
from escuadra.core.visit.checks.base import Figure
from escuadra.core.visit.checks.result import ResultCheck
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.views import CheckView

FAR_FETCHED = 4.0
"""An error of more than so many of its u is hardly one that was made here, unless its check allows it."""
NEAR_LIMIT = 1.0
"""A result within so many U of its limit is at the edge of it."""
LINE, STANDS = "line", "stands"


@dataclass(frozen=True)
class Possible:
    """A figure of the set-up that may be wrong: as it was read, off its middle, and what one unit of it does."""

    id: str
    check: str
    label: Text
    off: float
    u: float
    unit: str
    way: str | None
    effect: Mapping[AimWay, float]
    allowed: float = 0.0
    """Half of what its check allows: readings guard it so that no mistake passes unnoticed that is larger."""

    @property
    def believable(self) -> float:
        """How far off it may be without anybody's noticing."""
        return max(self.allowed + 2 * self.u, FAR_FETCHED * self.u)


@dataclass(frozen=True)
class Of:
    """One figure of the result: what of it the set-up as read explains, and what remains."""

    figure: Figure
    way: AimWay
    explained: float
    rest: float
    expected: float
    """What the set-up may hide of it, U."""
    at_the_edge: bool


@dataclass(frozen=True)
class Why:
    """A result beside its set-up."""

    shown: tuple[Of, ...]
    possible: tuple[Possible, ...]
    found: ExplainResult
    passed: bool = False
    """It passed, and every figure is within its limits and not beside one."""

    def cause(self, id: str) -> Possible:
        """A possible cause by its id."""
        return next(one for one in self.possible if one.id == id)

    @property
    def blamed(self) -> Possible | None:
        """What explains most of what remains by itself; nothing where nothing needs explaining."""
        ranked = sorted(self.found.suspects, key=lambda id: -abs(self.found.causes[id].w or 0.0))
        return self.cause(ranked[0]) if ranked else None

    @property
    def far_fetched(self) -> bool:
        """Even the best explanation would be an error that nobody makes: look at the vehicle."""
        one = self.blamed
        if one is None:
            return False
        alone = self.found.causes[one.id].alone or 0.0
        return abs(one.off + alone) > one.believable

    @property
    def ranked(self) -> list[Possible]:
        """The causes by how much each explains alone, most first."""
        return sorted(self.possible, key=lambda one: -abs(self.found.causes[one.id].w or 0.0))


def why(sheet: Sheet) -> Why | None:
    """A sheet's result explained; nothing while none was read, or nothing of the set-up acts on it."""
    view = next((view for view in sheet.checks if isinstance(view.check, ResultCheck)), None)
    if view is None or not view.judgement.figures:
        return None
    ways = {figure.id: figure.way for figure in sheet.plan.procedure.results}
    possible = tuple(_possible(sheet))
    if not possible:
        return None
    shown = []
    for figure in view.judgement.figures:
        way = ways[figure.id]
        read = sum(one.effect.get(way, 0.0) * one.off for one in possible)
        shown.append((figure, way, read))
    given = ExplainInput(
        results=[Shown(id=way, value=f.value - read, u=max(f.u, SHOWN_U_DEG)) for f, way, read in shown],
        causes=[
            Cause(id=one.id, u=one.u, effect={w: e for w, e in one.effect.items() if w in {way for _, way, _ in shown}})
            for one in possible
        ],
    )
    found = explain(given)
    every = tuple(_of(figure, way, read, found) for figure, way, read in shown)
    inside = all(one.figure.verdict.state == "holds" and not one.at_the_edge for one in every)
    return Why(every, possible, found, inside and not view.judgement.mismatch)


def _of(figure: Figure, way: AimWay, read: float, found: ExplainResult) -> Of:
    limits = [limit for limit in (figure.lower, figure.upper) if limit is not None]
    edge = any(abs(figure.value - limit) <= NEAR_LIMIT * figure.verdict.U for limit in limits)
    return Of(figure, way, read, figure.value - read, 2 * found.expected_u[way], edge)


def _possible(sheet: Sheet) -> Iterator[Possible]:
    epochs = sheet.epochs
    oriented = epochs.plan.target.aims_by == "orientation"
    reach = epochs.plan.target_x - epochs.plan.procedure.sensor.x
    per_mm = math.degrees(1 / reach) if reach > 0 else 0.0
    line, rolls = _line_u(epochs), any(shown.way == "aim_roll" for shown in epochs.plan.procedure.results)
    hangs = any(view.check.kind == "target_level" and view.judgement.figures for view in sheet.checks)
    if not rolls and (attitude := _attitude(sheet, oriented)) is not None:
        yield attitude
    for view in sheet.checks:
        for figure in view.judgement.figures:
            effect = _effect(view, figure, oriented, per_mm)
            if hangs and view.check.kind == "level" and oriented:
                # The board's own level was read: what the beam leans is in it.
                effect = {}
            if rolls:
                effect = effect or _of_body(figure, epochs)
            if not effect:
                continue
            u = figure.u
            if view.check.on_the_road == "left" and line:
                # What the line in use adds to it is a cause of its own.
                u = math.sqrt(max(u**2 - (epochs.plan.target_x * math.radians(line)) ** 2, (0.3 * u) ** 2))
            off = figure.value - _middle(figure)
            id = f"{view.check.id}.{figure.id}"
            allowed = figure.half_range if None not in (figure.lower, figure.upper) else 0.0
            way = figure.way or ("height" if figure.unit == "mm" else None)
            yield Possible(id, view.check.id, figure.label, off, u, figure.unit, way, effect, allowed)
    if line:
        lead = 1.0 if oriented else epochs.plan.target_x / reach if reach > 0 else 0.0
        check = next((v.check.id for v in sheet.checks if v.check.group == "line"), "")
        yield Possible(LINE, check, said("why.line"), 0.0, line, "°", "side", {"aim_yaw": lead})


def _middle(figure: Figure) -> float:
    if figure.lower is None or figure.upper is None:
        return figure.nominal
    return (figure.lower + figure.upper) / 2


def _effect(view: CheckView, figure: Figure, oriented: bool, per_mm: float) -> dict[AimWay, float]:
    """What one unit of a target's figure does to the axis that is learned, degrees; nothing where it does not."""
    if figure.id == "level.roll" and not oriented:
        return {"aim_roll": 1.0}
    acts = view.check.acts(figure, view.judgement.figures)
    if not acts:
        return {}
    if acts in ("yaw", "pitch"):
        return {"aim_yaw" if acts == "yaw" else "aim_pitch": 1.0} if oriented else {}
    return {} if oriented else {"aim_yaw": per_mm} if acts == "left" else {"aim_pitch": -per_mm}


def _of_body(figure: Figure, epochs: Epochs) -> dict[AimWay, float]:
    """A corner's ride height: the body nose up finds the target low, its left side up finds it turned the other way."""
    if figure.what != "deviation":
        return {}
    vehicle, corner = epochs.plan.vehicle, figure.which
    front, left = corner in FRONT, corner in LEFT
    track = vehicle.hub_track_front if front else vehicle.hub_track_rear
    pitch, roll = math.degrees(1 / (2 * vehicle.wheelbase)), math.degrees(1 / (2 * track))
    return {"aim_pitch": pitch if front else -pitch, "aim_roll": -roll if left else roll}


def _attitude(sheet: Sheet, oriented: bool) -> Possible | None:
    """How the vehicle is pitched, where nothing that is shown tells its corners apart: by its body and by the floor.

    The floor counts where a board is level by gravity: the vehicle before it is not.
    """
    parts: list[tuple[CheckView, float, float]] = []
    for view in sheet.checks:
        for figure in view.judgement.figures:
            if view.check.kind == "ride_height" and figure.id == "pitch":
                parts.append((view, figure.value, figure.u))
            elif figure.id == "slope.wheels.along" and oriented and sheet.plan.procedure.level_to == "gravity":
                per_cent = math.degrees(math.atan(0.01))
                parts.append((view, -per_cent * figure.value, per_cent * figure.u))
    if not parts:
        return None
    largest = max(parts, key=lambda part: part[2])[0]
    off, u = math.fsum(part[1] for part in parts), math.hypot(*(part[2] for part in parts))
    label = said("why.stands" if len(parts) > 1 else "why.pitched")
    return Possible(STANDS, largest.check.id, label, off, u, "°", "body_pitch", {"aim_pitch": -1.0})


def _line_u(epochs: Epochs) -> float:
    """How well the line in use is known, degrees, one sigma; 0 where it is not told."""
    solution = epochs.newest
    if solution is None:
        return 0.0
    try:
        return solution.derived("line_angle").u
    except BadInput:
        return 0.0


def told(found: Why, one: Of) -> Sentences:
    """What there is to say of one figure, most telling first."""

    def degrees(value: float, way: str | None = one.way) -> Value:
        return amount(value, "°", 2, way)

    how = "within" if found.found.plausible or abs(one.rest) <= one.expected else "beyond"
    edge = said("why.edge") if one.at_the_edge else None
    parts = {"explained": degrees(one.explained), "shown": degrees(one.figure.value), "rest": degrees(one.rest)}
    return sentences(said(f"why.{how}", **parts, unseen=degrees(one.expected, None)), edge)


def advised(found: Why) -> Sentences:
    """What would have to be wrong, and the cheapest thing that would tell; nothing where nothing needs explaining."""
    blamed = found.blamed
    if blamed is None:
        return NOTHING
    if found.passed:
        return sentences(said("why.own"))
    alone = found.found.causes[blamed.id].alone or 0.0
    off = amount(alone, blamed.unit, 2 if blamed.unit == "°" else None, blamed.way)
    what = said("why.alone", what=blamed.label, off=off)
    return sentences(what, said("why.vehicle") if found.far_fetched else said("why.read_again", what=blamed.label))
