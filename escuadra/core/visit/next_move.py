"""What to do now, as data: what, along which axis, which way and how much, where, and what will be read afterwards.

The sentence, the arrows of plan, side and level view, the glyph, the large view, the robot and "moved as told" all come
from it. Axes are those of ``axes`` (ISO 8855): left and up positive, away from the vehicle positive,
turns of the screw clockwise positive, seen from above, turns of a foot where they raise it.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from escuadra.core.base.said import NOTHING, Figure, Length, Name, Noun, Said, Sentences, Text, Turns, Value, said
from escuadra.core.procedure.profiles import FrameProfile

Kind = Literal["read", "answer", "move", "run", "blocked", "sign", "signed"]
Axis = Literal["left", "away", "up", "yaw", "screw", "foot", "hang", "forward", "stand_left", "stand_turn", "stand_up"]
WAYS: dict[Axis, tuple[str, str]] = {
    "left": ("left", "right"),
    "away": ("away", "nearer"),
    "up": ("up", "down"),
    "yaw": ("left", "right"),
    "screw": ("clockwise", "anticlockwise"),
    "foot": ("up", "down"),
    "hang": ("left", "right"),
    "forward": ("forward", "back"),
    "stand_left": ("left", "right"),
    "stand_turn": ("left", "right"),
    "stand_up": ("up", "down"),
}
"""Which way an amount goes: positive, negative."""
SHOWN = ("yaw", "stand_turn")
"""Axes that are drawn and said, and not told: what turns a frame is told in turns of its screw."""
TOLD: dict[Axis, str] = {"screw": "turns", "stand_left": "left", "stand_up": "up"}
"""By what name "moved as told" has an axis, where that is another one."""


@dataclass(frozen=True)
class Step:
    """One motion along one axis."""

    axis: Axis
    amount: float
    """Signed, as it is said: millimetres, degrees or turns."""
    at: str = ""
    """The beam's end, or the foot."""

    @property
    def way(self) -> str:
        """Which way it goes, as a code."""
        return WAYS[self.axis][self.amount < 0]


@dataclass(frozen=True)
class NextMove:
    """What to do now. ``happening`` names what "moved as told" records; ``steps``: first the one that is told."""

    kind: Kind
    sentence: Said
    then: Sentences = NOTHING
    action: Said | None = None
    """For the large view; none: the sentence itself."""
    figure: Value | Said | None = None
    expect_label: Text | None = None
    expect: Value | Said | None = None
    check: str = ""
    slot: str = ""
    replaces: bool = False
    """What is read stands in the place of what was read there."""
    opens: Literal["", "lines", "parking", "screws"] = ""
    """The page on which what would tell is chosen; none: it is read on the sheet."""
    happening: str = ""
    steps: tuple[Step, ...] = ()
    further: Mapping[str, float] | None = None
    """What else "moved as told" records."""

    @cached_property
    def by(self) -> dict[str, float]:
        """What "moved as told" records: turns; left, away, up or hang in mm; turns of each foot by its id."""
        told = [step for step in self.steps if step.axis not in SHOWN]
        named = {step.at if step.axis == "foot" else TOLD.get(step.axis, step.axis): step.amount for step in told}
        return named | dict(self.further or {})

    def along(self, axis: Axis) -> float:
        """How far it goes along an axis; 0: not at all."""
        return next((step.amount for step in self.steps if step.axis == axis), 0.0)


def moved(what: str, step: Step, **values: Value | None) -> tuple[Said, Said]:
    """The sentence and the action of a motion: their codes follow from what moves and which way."""
    code = f"move.{what}.{step.way}"
    return said(code, **values), said(f"{code}.action", **{k: v for k, v in values.items() if not _is_figure(v)})


def retold(what: str, by: Mapping[str, float], frame: FrameProfile) -> Said:
    """What was done as told, in the sentence that told it, from what was kept of it."""
    aside = abs(by.get("left", 0.0)) > abs(by.get("forward", 0.0))
    steps: dict[str, tuple[str, Axis, type[Length | Turns]]] = {
        "slide": ("slide", "left", Length),
        "shift": ("shift", "hang", Length),
        "roll": ("push", "left", Length) if by.get("left") else ("roll", "away", Length),
        "height": ("height", "up", Turns),
        "plumb_front": ("plumb.front", "left", Length),
        "plumb_rear": ("plumb.rear", "left", Length),
        "yaw": ("screw", "screw", Turns),
        "stand": ("stand", "stand_left" if aside else "forward", Length),
    }
    if what == "feet" and by:
        foot = max(by, key=lambda id: abs(by[id]))
        return foot_turned(Step("foot", by[foot], foot), frame.clockwise_raises)
    if what not in steps or not by:
        return said("source.told")
    code, axis, kind = steps[what]
    amount = by.get("turns" if kind is Turns else TOLD.get(axis, axis), 0.0)
    end = Noun("end.LF_end" if frame.screw[1] > 0 else "end.RF_end") if what == "yaw" else None
    return moved(code, Step(axis, amount), amount=kind(abs(amount)), end=end)[0]


def foot_turned(step: Step, clockwise_raises: bool) -> Said:
    """A foot turned so that it goes the step's way."""
    way = "clockwise" if (step.amount > 0) is clockwise_raises else "anticlockwise"
    return said(f"move.foot.{way}", foot=Name(step.at), amount=Turns(abs(step.amount), eighths=True))


def _is_figure(value: Value | None) -> bool:
    return isinstance(value, Figure | Turns)
