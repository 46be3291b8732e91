"""Everything that was read about a vehicle's lines, together: each method's answer beside the others, and what follows.

Setbacks, tracks and wheelbases from the hubs as the network found them; toe of each wheel; what each reading counts.
"""

from dataclasses import dataclass

from escuadra.core.base.corners import CORNERS, FRONT, REAR
from escuadra.core.base.said import Noun, Said, Sentences, Text, Value, nouns, said, sentences
from escuadra.core.base.wording import amount, with_uncertainty
from escuadra.core.bay.standing import place_name, target_places
from escuadra.core.measure.budget import Contribution
from escuadra.core.visit.both_lines import (
    both_lines,
    emblem_off,
    pairs_apart,
    targets,
)
from escuadra.core.visit.checks.wheels import printed
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.methods.beams import SteeredWheel
from escuadra.core.visit.methods.wheels import StringLines
from escuadra.core.visit.plan import toe_slot
from escuadra.core.visit.solution.network_builder import Entering
from escuadra.core.visit.solution.solution import EpochSolution


@dataclass(frozen=True)
class Fact:
    """One thing that the readings say about the vehicle."""

    label: Said | None
    text: Value
    plus_minus: Value | None = None


@dataclass(frozen=True)
class At:
    """Both lines at a place along the vehicle."""

    place: Text
    thrust: Fact | None
    body: Fact | None
    apart: Fact | None


def _fact(label: Said | None, value: float, u: float, unit: str, way: str | None = None) -> Fact:
    text, spread = with_uncertainty(value, 2 * u, unit, way)
    return Fact(label, text, spread)


def side_by_side(epochs: Epochs) -> list[At]:
    """Both lines at both axles and at every target place."""
    places = target_places(epochs.plan.procedure, epochs.plan.vehicle)
    names: list[Text] = [said("together.rear_axle"), said("together.front_axle")]
    names += [place_name(p.id) for p in places]
    found = both_lines(epochs, [0.0, epochs.plan.vehicle.wheelbase, *targets(epochs)])
    if found is None:
        return []
    rows = []
    for k, name in enumerate(names):
        lines = [found.thrust, found.body]
        thrust, body = (_fact(None, ln.at[k].y, ln.at[k].u, "mm", "side") if ln is not None else None for ln in lines)
        apart = found.separation[k] if found.separation is not None else None
        rows.append(At(name, thrust, body, _fact(None, apart.value, apart.u, "mm", "side") if apart else None))
    return rows


def _hub_facts(solution: EpochSolution) -> list[Fact]:
    (lf, rf), (lr, rr) = FRONT, REAR
    left, right = solution.ahead_of(lf, lr), solution.ahead_of(rf, rr)
    front, rear = solution.left_of(lf, rf), solution.left_of(lr, rr)
    found = (
        (said("together.front_setback"), solution.ahead_of(lf, rf), "left_hub"),
        (said("together.rear_setback"), solution.ahead_of(lr, rr), "left_hub"),
        (said("together.wheelbase_left_right"), solution.sum(0.0, (1.0, left), (-1.0, right)), "longer"),
        (said("together.track_front_against_rear"), solution.sum(0.0, (1.0, front), (-1.0, rear)), "wider"),
    )
    return [_fact(label, fact.value, fact.u, "mm", way) for label, fact, way in found]


def facts(epochs: Epochs) -> list[Fact]:
    """Setbacks, tracks, emblems, toe of every wheel, the runway."""
    found = _hub_facts(epochs.lines) if epochs.lines is not None else []
    for end in ("front", "rear"):
        off = emblem_off(epochs, end)
        if off is not None:
            found.append(_fact(said(f"together.emblem_off_pairs_middle.{end}"), *off, "mm", "side"))
    into = Entering(epochs)
    lines = METHODS["strings"]
    by_strings = lines.result(into) if isinstance(lines, StringLines) else None
    for corner in CORNERS:
        if by_strings is not None:
            found.append(
                _fact(
                    said("together.toe_strings", corner=Noun(f"corner.{corner}")),
                    by_strings.toe_deg[corner],
                    0.0,
                    "°",
                    "toe",
                )
            )
        side = {"LR": "left", "RR": "right"}.get(corner, "")
        read = epochs.now(
            toe_slot(side) if side else printed(f"toe.{corner}", said(f"wheels.before_toe.{corner}"), "toe", 1.5)
        )
        if read is not None:
            found.append(
                _fact(said("together.toe_printed", corner=Noun(f"corner.{corner}")), read.value, read.u, "°", "toe")
            )
    if by_strings is not None:
        for end, track in by_strings.track.items():
            found.append(Fact(said(f"together.track_strings.{end}"), amount(track, "mm", 0)))
    rack = METHODS["rack"]
    runway = rack.runway_deg(into) if isinstance(rack, SteeredWheel) else None
    if runway is not None:
        found.append(_fact(said("together.runway_against_frames_beam"), *runway, "°", "side"))
    return found


def contributions(epochs: Epochs) -> tuple[Noun | None, list[Contribution]]:
    """Where the uncertainty of the line in use at the target comes from: the line's name, and every source's share."""
    solution = epochs.lines
    if solution is None or solution.line is None:
        return None, []
    at = solution.line_at(epochs.plan.target_x)
    return Noun(f"line.{solution.line}"), solution.budget(at)


def agreement(epochs: Epochs) -> Sentences:
    """Whether the methods that were read agree at the target; empty where fewer than two lines of a kind are known."""
    found = []
    for first, second, apart in pairs_apart(epochs):
        off, spread = with_uncertainty(abs(apart.value), 2 * apart.u, "mm")
        verdict = "agree" if abs(apart.value) <= 2 * apart.u else "differ"
        found.append(said(f"together.{verdict}", both=nouns([first, second]), off=off, spread=spread))
    return sentences(*found)
