"""Two adjusting screws, turned pass after pass: what they really do is learned, and where they cannot help is said.

Source: linear least squares with a prior (Gauss-Markov): each screw's effect about what the sheet states, the motion
that is lost where it is turned back, and every misalignment that was shown, with its u. Clockwise turns positive.
"""

import math
from typing import Literal, Self

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.said import said
from escuadra.core.base.steps import to_step
from escuadra.core.run.radar import Screw, ScrewsInput, screws

SHOWN_U_DEG = 0.02
"""How well a routine tells a misalignment, at best, one sigma."""
U_ALONG, U_ACROSS = 0.25, 0.08
"""Of a screw's effect, as a share of what is stated: along its own direction and across it, one sigma."""
LOST_TURNS, U_LOST_TURNS = 0.04, 0.05
"""What a screw loses where it is turned back, as far as is known before it was."""
DEAD = 0.5
"""A screw that surely does less than this share of what is stated does not move the sensor."""
STAYS_OUT = 0.7
"""A pass that leaves more than this share of what was out did not help."""
Why = Literal["", "travel", "passes", "dead", "stays_out"]
Array = npt.NDArray[np.float64]


class Misaligned(Frozen):
    """A misalignment as the routine showed it, degrees."""

    yaw: Number
    pitch: Number


class AdjustingInput(Frozen):
    """The screws as the sheet states them, and everything that was shown and turned so far."""

    screws: tuple[Screw, Screw]
    shown: list[Misaligned] = Field(min_length=1, description="before the first pass, and after each")
    turned: list[dict[str, Number]] = Field([], description="of each pass, by the screw's id")
    u: Positive = Field(description="of one figure shown, degrees, one sigma")
    within: Positive = Field(description="what may be left of either figure, degrees")
    step: Positive = Field(0.125, description="of a turn")
    travel: Positive = Field(description="of each screw from where it was first found, either way, turns")
    most_passes: int = Field(3, ge=1)

    @model_validator(mode="after")
    def _each_shown(self) -> Self:
        if len(self.shown) != len(self.turned) + 1:
            raise BadInput("shown", len(self.shown), said("wants.shown_before_after_each_pass"))
        known = [screw.id for screw in self.screws]
        stray = next((i for one in self.turned for i in one if i not in known), None)
        if stray is not None:
            raise BadInput("turned", stray, said("wants.one", names=", ".join(known)))
        return self


class Learned(Frozen):
    """What a clockwise turn of a screw really does, and what it loses where it is turned back."""

    yaw: float
    pitch: float
    u: float = Field(description="of its effect along its own direction, degrees a turn, one sigma")
    lost: float = Field(description="turns")


class AdjustingResult(Frozen):
    """The next turns; ``bracket``: why turning on does not help, empty where it does."""

    gains: dict[str, Learned]
    exact: dict[str, float]
    turns: dict[str, float]
    left_yaw_deg: float
    left_pitch_deg: float
    bracket: Why


@calculation("adjusting")
def adjusting(given: AdjustingInput) -> AdjustingResult:
    """The next turns of both screws, by what each pass so far has shown of them.

    Raises ``BadInput`` where both screws work in one direction.
    """
    learned = _learned(given)
    now, names = given.shown[-1], [screw.id for screw in given.screws]
    as_learned = [Screw(id=i, yaw_deg_per_turn=learned[i].yaw, pitch_deg_per_turn=learned[i].pitch) for i in names]
    solution = screws(ScrewsInput(yaw_deg=now.yaw, pitch_deg=now.pitch, screws=as_learned, step=given.step))
    exact, turns, before = {}, {}, _last_way(given)
    yaw, pitch = now.yaw, now.pitch
    for i in names:
        back = before[i] * solution.exact[i] < 0
        lost = math.copysign(learned[i].lost, solution.exact[i]) if back else 0.0
        exact[i] = solution.exact[i] + lost
        turns[i] = to_step(exact[i], given.step)
        moved = turns[i] - lost if turns[i] else 0.0
        yaw += learned[i].yaw * moved
        pitch += learned[i].pitch * moved
    return AdjustingResult(
        gains=learned,
        exact=exact,
        turns=turns,
        left_yaw_deg=yaw,
        left_pitch_deg=pitch,
        bracket=_bracket(given, learned, exact),
    )


def _last_way(given: AdjustingInput) -> dict[str, float]:
    """Which way each screw was turned last; 0 where it was not."""
    ways = {screw.id: 0.0 for screw in given.screws}
    for turned in given.turned:
        ways |= {i: math.copysign(1.0, turns) for i, turns in turned.items() if turns}
    return ways


def _learned(given: AdjustingInput) -> dict[str, Learned]:
    """The screws after every pass.

    Unknown are both effects (two axes each), what each screw loses where it is turned back, what it lost in its very
    first turn, and the misalignment that was there at first; known is what was shown after each pass.
    """
    stated = np.array([[s.yaw_deg_per_turn, s.pitch_deg_per_turn] for s in given.screws])
    mean = np.concatenate([stated.ravel(), np.full(2, LOST_TURNS), np.full(2, LOST_TURNS / 2), np.zeros(2)])
    weight = np.zeros((10, 10))
    for k, effect in enumerate(stated):
        weight[2 * k : 2 * k + 2, 2 * k : 2 * k + 2] = _weight_of(effect)
    weight[4:8, 4:8] = np.eye(4) / U_LOST_TURNS**2
    row, right = np.zeros((2, 10)), weight @ mean
    row[:, 8:] = np.eye(2)
    last = [0.0, 0.0]
    for k, shown in enumerate(given.shown):
        if k:
            for s, screw in enumerate(given.screws):
                turns = given.turned[k - 1].get(screw.id, 0.0)
                row[0, 2 * s] += turns
                row[1, 2 * s + 1] += turns
                if turns and turns * last[s] <= 0:
                    row[:, (4 if last[s] else 6) + s] -= math.copysign(1.0, turns) * stated[s]
                last[s] = turns or last[s]
        weight = weight + row.T @ row / given.u**2
        right = right + row.T @ np.array([shown.yaw, shown.pitch]) / given.u**2
    found, spread = np.linalg.solve(weight, right), np.linalg.inv(weight)
    learned = {}
    for s, screw in enumerate(given.screws):
        at, along = slice(2 * s, 2 * s + 2), stated[s] / np.linalg.norm(stated[s])
        u = math.sqrt(float(along @ spread[at, at] @ along))
        yaw, pitch = found[at]
        learned[screw.id] = Learned(yaw=float(yaw), pitch=float(pitch), u=u, lost=max(0.0, float(found[4 + s])))
    return learned


def _weight_of(effect: Array) -> Array:
    """How sure the sheet is of a screw's effect: little along its direction, more across it."""
    size = float(np.linalg.norm(effect))
    if not size:
        raise BadInput("screws", 0, said("wants.screws_turn_sensor_different_directions"))
    along, across = effect / size, np.array([-effect[1], effect[0]]) / size
    return np.outer(along, along) / (U_ALONG * size) ** 2 + np.outer(across, across) / (U_ACROSS * size) ** 2


def _bracket(given: AdjustingInput, learned: dict[str, Learned], exact: dict[str, float]) -> Why:
    """Why the cause is to be looked for instead of turning on."""
    now = given.shown[-1]
    if max(abs(now.yaw), abs(now.pitch)) <= given.within:
        return ""
    for screw in given.screws:
        stated = np.array([screw.yaw_deg_per_turn, screw.pitch_deg_per_turn])
        size, one = float(np.linalg.norm(stated)), learned[screw.id]
        if float(np.array([one.yaw, one.pitch]) @ stated) / size + 2 * one.u < DEAD * size:
            return "dead"
    for screw in given.screws:
        so_far = sum(turned.get(screw.id, 0.0) for turned in given.turned)
        if abs(so_far + exact[screw.id]) > given.travel:
            return "travel"
    # A run that was only repeated turned nothing.
    turned = [any(one.values()) for one in given.turned]
    if sum(turned) >= given.most_passes:
        return "passes"
    sizes = [math.hypot(one.yaw, one.pitch) for one in given.shown]
    if sum(turned) > 1 and turned[-1] and sizes[-1] > STAYS_OUT * sizes[-2]:
        return "stays_out"
    return ""
