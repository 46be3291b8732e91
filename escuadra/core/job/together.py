"""Everything that was read about a vehicle's lines, together: each method's answer beside the others, and what follows.

Setbacks, tracks and wheelbases from the hubs as the network found them; toe of each wheel; what each reading counts.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from escuadra.core.budget import Contribution, of_solution
from escuadra.core.job.both_lines import (
    LINE_WORDS,
    SIDE_WORDS,
    both_lines,
    emblem_off,
    pairs_apart,
    targets,
)
from escuadra.core.job.checks.frame import source_of
from escuadra.core.job.checks.wheels import TOE_WORDS, printed
from escuadra.core.job.methods import METHODS
from escuadra.core.job.methods.beams import SteeredWheel
from escuadra.core.job.methods.wheels import StringLines
from escuadra.core.job.places import toe_slot
from escuadra.core.job.setup import Setup
from escuadra.core.job.solved import Derived, Get, Solved
from escuadra.core.stance import CORNERS
from escuadra.core.standing import target_places
from escuadra.core.wording import amount, with_uncertainty


@dataclass(frozen=True)
class Fact:
    """One thing that the readings say about the vehicle."""

    label: str
    text: str
    plus_minus: str = ""


@dataclass(frozen=True)
class At:
    """Both lines at a place along the vehicle."""

    place: str
    thrust: Fact | None
    body: Fact | None
    apart: Fact | None


def _said(label: str, value: float, u: float, unit: str, words: tuple[str, str] | None = None) -> Fact:
    text, spread = with_uncertainty(value, 2 * u, unit, words)
    return Fact(label, text, spread)


def side_by_side(setup: Setup) -> list[At]:
    """Both lines at both axles and at every target place."""
    places = target_places(setup.plan.procedure, setup.plan.vehicle)
    names = ["the rear axle", "the front axle"]
    names += ["the target" if p.id == "target" else p.id.replace("_", " ") for p in places]
    found = both_lines(setup, [0.0, setup.plan.vehicle.wheelbase, *targets(setup)])
    if found is None:
        return []
    rows = []
    for k, name in enumerate(names):
        lines = [found.thrust, found.body]
        thrust, body = (_said("", ln.at[k].y, ln.at[k].u, "mm", SIDE_WORDS) if ln is not None else None for ln in lines)
        apart = found.separation[k] if found.separation is not None else None
        rows.append(At(name, thrust, body, _said("", apart.value, apart.u, "mm", SIDE_WORDS) if apart else None))
    return rows


def _hub_facts(solved: Solved) -> list[Fact]:
    def fact(label: str, expression: Callable[[Get], Any], words: tuple[str, str] | None = None) -> Fact:
        found: Derived = solved.derive(expression)
        return _said(label, found.value, found.u, "mm", words)

    ahead = ("left hub ahead", "left hub behind")
    longer = ("left longer", "right longer")
    return [
        fact("Front setback", lambda get: get("LF", "x") - get("RF", "x"), ahead),
        fact("Rear setback", lambda get: get("LR", "x") - get("RR", "x"), ahead),
        fact(
            "Wheelbase, left and right",
            lambda get: get("LF", "x") - get("LR", "x") - get("RF", "x") + get("RR", "x"),
            longer,
        ),
        fact(
            "Track, front against rear",
            lambda get: get("LF", "y") - get("RF", "y") - get("LR", "y") + get("RR", "y"),
            ("front wider", "rear wider"),
        ),
    ]


def facts(setup: Setup) -> list[Fact]:
    """Setbacks, tracks, emblems, toe of every wheel, the runway."""
    found = _hub_facts(setup.lines) if setup.lines is not None else []
    for end in ("front", "rear"):
        off = emblem_off(setup, end)
        if off is not None:
            found.append(_said(f"{end.capitalize()} emblem off the pairs' middle", *off, "mm", SIDE_WORDS))
    into = setup.entering(setup.epoch)
    lines = METHODS["strings"]
    by_strings = lines.result(into) if isinstance(lines, StringLines) else None
    for corner in CORNERS:
        if by_strings is not None:
            found.append(_said(f"{corner} toe, by the strings", by_strings.toe_deg[corner], 0.0, "°", TOE_WORDS))
        side = {"LR": "left", "RR": "right"}.get(corner, "")
        read = setup.now(toe_slot(side) if side else printed(f"toe.{corner}", "", TOE_WORDS, 1.5))
        if read is not None:
            found.append(_said(f"{corner} toe, printed", read.value, read.u, "°", TOE_WORDS))
    if by_strings is not None:
        for end, track in by_strings.track.items():
            found.append(Fact(f"Track {end}, by the strings", amount(track, "mm", 0)))
    rack = METHODS["rack"]
    runway = rack.runway_deg(into) if isinstance(rack, SteeredWheel) else None
    if runway is not None:
        found.append(_said("The runway, against the frame's beam", *runway, "°", SIDE_WORDS))
    return found


def contributions(setup: Setup) -> tuple[str, list[Contribution]]:
    """Where the uncertainty of the line in use at the target comes from: the line's name, and every source's share."""
    solved = setup.lines
    if solved is None or solved.line is None:
        return "", []
    at = solved.line_at(setup.plan.target_x)
    return LINE_WORDS[solved.line], of_solution(solved.solution, at.gradient, source_of)


def agreement(setup: Setup) -> str:
    """Whether the methods that were read agree at the target; empty where fewer than two lines of a kind are known."""
    said = []
    for first, second, apart in pairs_apart(setup):
        text, spread = with_uncertainty(abs(apart.value), 2 * apart.u, "mm")
        verb = "agree" if abs(apart.value) <= 2 * apart.u else "do not agree"
        both = f"{first} and {second[:1].lower()}{second[1:]}"
        said.append(f"{both} {verb}: {text} ({spread}) apart at the target.")
    return " ".join(said)
