"""A sensor aimed by its two screws, pass after pass: what was shown, told and turned, and what to turn next.

What shows the misalignment is the routine after a run, or the sensor's mirror before one, as the sheet has it.

The routine's turns are the ones to make; ours say where they differ, since ours have learned from every pass what the
screws really do. Three tilts of the board tell the misalignment up and down a second time. Source: ``adjusting``,
``tilt``.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from escuadra.core.base.errors import BadInput
from escuadra.core.procedure.adjusting import Adjusting, ByMirror
from escuadra.core.procedure.sheet import AimWay, Procedure
from escuadra.core.run.adjusting import SHOWN_U_DEG, AdjustingInput, AdjustingResult, Misaligned, adjusting
from escuadra.core.run.radar import Screw, TiltInput, TiltResult, tilt
from escuadra.core.visit.attempts import attempts
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.disturbances import MENDED, POSE, SCREWS
from escuadra.core.visit.log.events import ReadingTaken, RunStepped, TurnsTold
from escuadra.core.visit.log.state import LATER, State
from escuadra.core.visit.mirror import spot, spot_slots

NOTCHES = 3
"""So many responses tell one peak."""


@dataclass(frozen=True)
class Pass:
    """A misalignment as it was shown, and what then became of the screws."""

    at: int
    """When it was shown, UTC milliseconds."""
    shown: Misaligned | None
    """Before anything was zeroed; nothing where that was not read."""
    outcome: str = ""
    """What the routine said; empty while nobody told it, or where a mirror shows it."""
    told: TurnsTold | None = None
    """The turns that the routine told."""
    turned: Mapping[str, float] | None = None
    """What was then turned; nothing: the screws were not touched after it."""


@dataclass(frozen=True)
class Aiming:
    """How far the aiming came since what holds the sensor was found sound, or put right."""

    passes: tuple[Pass, ...]
    advised: AdjustingResult | None
    """By our own reckoning; nothing while no misalignment is known."""
    to_turn: Mapping[str, float] | None
    """The turns to make: the routine's where it told them."""
    unlike: tuple[str, ...] = ()
    """Screws whose turns as told differ from ours by more than a step, or in their direction."""

    @property
    def last(self) -> Pass | None:
        """The run that was made last."""
        return self.passes[-1] if self.passes else None

    @property
    def turned(self) -> int:
        """How often the screws were turned."""
        return sum(one.turned is not None for one in self.passes)


def figure_of(procedure: Procedure, way: AimWay) -> str:
    """Id of the result's figure about an axis; raises ``StopIteration`` where the sheet asks for none."""
    return next(figure.id for figure in procedure.results if figure.way == way)


def aiming(epochs: Epochs) -> Aiming | None:
    """The aiming of a calibration; nothing where its sheet turns no screws."""
    procedure = epochs.plan.procedure
    given = procedure.adjusting
    if given is None:
        return None
    passes = mirrored(epochs, given.mirror) if given.mirror is not None else _passes(procedure, epochs.state)
    last = passes[-1] if passes else None
    advised = None
    if last is not None and last.turned is None and (last.outcome == "failed" or given.mirror is not None):
        advised = _advised(procedure, given, passes)
    told = last.told.turns if last is not None and last.told is not None and last.told.turns else None
    if last is None or last.turned is not None:
        to_turn = None
    elif given.asks_turns:
        to_turn = told
    else:
        to_turn = advised.turns if advised is not None else None
    unlike = _unlike(given, told, advised.turns) if told is not None and advised is not None else ()
    return Aiming(passes, advised, to_turn, unlike)


def _passes(procedure: Procedure, state: State) -> tuple[Pass, ...]:
    """The runs since the aiming began anew: what holds the sensor was put right, or it was turned by nobody knows what.

    A turn that nobody told begins it anew with the next run.
    """
    yaw, pitch = figure_of(procedure, "aim_yaw"), figure_of(procedure, "aim_pitch")
    anew = max(
        (past.seq for past in state.disturbances if past.what == MENDED or (past.what == SCREWS and not past.by)),
        default=0,
    )
    found = []
    for attempt in (one for one in attempts(state) if one.run.seq > anew):
        values = {id: e.said.value for id, e in attempt.figures.items() if isinstance(e.said, ReadingTaken)}
        both = yaw in values and pitch in values
        shown = Misaligned(yaw=values[yaw], pitch=values[pitch]) if both else None
        said = attempt.outcome.said if attempt.outcome is not None else None
        outcome = "" if said is None or isinstance(said, ReadingTaken) else said.value
        found.append(Pass(attempt.run.at, shown, outcome, attempt.told, attempt.turned))
    return tuple(found)


def mirrored(epochs: Epochs, given: ByMirror) -> tuple[Pass, ...]:
    """What the mirror showed each time since the frame stands there, or last stood there.

    It begins anew with whatever set the frame anew, put the bracket right, or turned the screws by nobody knows what.
    """
    state, (_, *ways) = epochs.state, spot_slots(epochs.plan)
    every = [e for slot in ways for e in epochs.live(slot.id)]
    if not every:
        return ()
    last = max(e.seq for e in every)
    anew = max(
        (
            past.seq
            for past in state.disturbances
            if past.seq < last
            and (past.what == MENDED or (past.what == SCREWS and not past.by) or past.aspects & (POSE | {"level"}))
        ),
        default=0,
    )
    turns = [past for past in state.disturbances if past.what == SCREWS and past.seq > anew and past.by]
    ends = [anew, *(past.seq for past in turns), LATER]
    found = []
    for k, (since, until) in enumerate(pairwise(ends)):
        seen = spot(epochs, given.u_deg, since, until)
        turned = turns[k].by if k < len(turns) else None
        if seen is not None:
            found.append(Pass(seen.at, Misaligned(yaw=seen.yaw, pitch=seen.pitch), turned=turned))
        elif found and turned is not None:
            before = found[-1].turned or {}
            both = {i: before.get(i, 0.0) + turned.get(i, 0.0) for i in {*before, *turned}}
            found[-1] = replace(found[-1], turned=both)
    return tuple(found)


def _advised(procedure: Procedure, given: Adjusting, passes: Sequence[Pass]) -> AdjustingResult | None:
    """Our own turns; what was turned between two runs that showed something counts as one pass."""
    shown: list[Misaligned] = []
    turned: list[dict[str, float]] = []
    between: dict[str, float] = {}
    for one in passes:
        if one.shown is not None:
            if shown:
                turned.append(between)
            shown.append(one.shown)
            between = {}
        for screw, amount in (one.turned or {}).items():
            between[screw] = between.get(screw, 0.0) + amount
    if not shown or passes[-1].shown is None:
        return None
    limits = [figure.limits for figure in procedure.results if figure.way in ("aim_yaw", "aim_pitch")]
    if given.mirror is not None:
        limits = [given.mirror.yaw, given.mirror.pitch]
    try:
        return adjusting(
            AdjustingInput(
                screws=stated(given),
                shown=shown,
                turned=turned,
                u=SHOWN_U_DEG,
                within=min(min(abs(limit.lower), abs(limit.upper)) for limit in limits) or SHOWN_U_DEG,
                step=given.step,
                travel=given.travel,
                most_passes=given.most_passes,
            )
        )
    except BadInput:
        return None


def stated(given: Adjusting) -> tuple[Screw, Screw]:
    """The screws as the sheet states them."""
    one, other = (
        Screw(id=s.id, yaw_deg_per_turn=s.yaw_deg_per_turn, pitch_deg_per_turn=s.pitch_deg_per_turn)
        for s in given.screws
    )
    return one, other


def _unlike(given: Adjusting, told: Mapping[str, float], ours: Mapping[str, float]) -> tuple[str, ...]:
    return tuple(
        screw.id
        for screw in given.screws
        if abs(told.get(screw.id, 0.0) - ours[screw.id]) > given.step * 1.001
        or told.get(screw.id, 0.0) * ours[screw.id] < 0
    )


@dataclass(frozen=True)
class Tilted:
    """What the board's notches told in one run."""

    tilts: tuple[float, ...]
    responses: tuple[float, ...]
    peaks: tuple[TiltResult, ...] = ()
    u: float = 0.0
    missing: int = 0

    @property
    def pitch(self) -> float | None:
        """How far the sensor looks down, by them, degrees; nothing where they do not tell."""
        return math.fsum(one.vertex for one in self.peaks) / len(self.peaks) if self.peaks else None

    @property
    def refused(self) -> bool:
        """They were all read and have no peak between them."""
        return not self.peaks and not self.missing

    @property
    def inside(self) -> bool:
        """Every peak lies between the notches."""
        return all(one.inside for one in self.peaks)


def tilted(procedure: Procedure, state: State, lean: float, u_response: float) -> Tilted | None:
    """The notches of the last run; nothing where the sheet tilts no board, or it was not run.

    ``lean``: of the board in its middle notch, its top away from the vehicle positive; ``u_response``: dB.
    """
    steps = {step.id: step.tilt_deg for step in procedure.steps if step.tilt_deg is not None}
    every = attempts(state)
    if not steps or not every:
        return None
    told = [one.said for one in every[-1].steps]
    read = {one.step: one.response for one in told if isinstance(one, RunStepped) and one.response is not None}
    kept = [step for step in steps if step in read]
    tilts = tuple((steps[step] or 0.0) + lean for step in kept)
    responses = tuple(read[step] for step in kept)
    missing = len(steps) - len(kept)
    if missing or len(kept) % NOTCHES:
        return Tilted(tilts, responses, missing=missing)
    peaks, us = [], []
    try:
        for k in range(0, len(kept), NOTCHES):
            x0, x1, x2 = tilts[k : k + NOTCHES]
            y0, y1, y2 = responses[k : k + NOTCHES]
            peaks.append(tilt(TiltInput(tilts=(x0, x1, x2), responses=(y0, y1, y2))))
            us.append(_u_vertex((x0, x1, x2), (y0, y1, y2), u_response))
    except BadInput:
        return Tilted(tilts, responses)
    return Tilted(tilts, responses, tuple(peaks), math.hypot(*us) / len(us))


def _u_vertex(tilts: tuple[float, float, float], responses: tuple[float, float, float], u: float) -> float:
    """Of the peak, degrees: each response off by its u, one after the other."""
    middle = tilt(TiltInput(tilts=tilts, responses=responses)).vertex
    moved = []
    for k in range(NOTCHES):
        a, b, c = (y + (u if j == k else 0.0) for j, y in enumerate(responses))
        moved.append(tilt(TiltInput(tilts=tilts, responses=(a, b, c))).vertex - middle)
    return math.hypot(*moved)
