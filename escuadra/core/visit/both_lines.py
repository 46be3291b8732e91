"""Both lines of a vehicle from one network, each method's answer beside the others, and what contradicts what.

Thrust line and body centreline at any station with their uncertainties; the front against the rear pairs' line; the
emblems against the pairs; in words. Source: ``network``, ``symmetry``.
"""

import itertools
import math
from typing import Any

from escuadra.core.base.said import (
    NOTHING,
    Angle,
    Noun,
    Plain,
    PlusMinus,
    Said,
    Sentences,
    Text,
    nouns,
    said,
    sentences,
)
from escuadra.core.base.wording import amount
from escuadra.core.bay.standing import target_places
from escuadra.core.geodesy.state.input import Crossing
from escuadra.core.geodesy.state.located import LOST_MM, Derived
from escuadra.core.measure.symmetry import CRITICAL_W
from escuadra.core.procedure.sheet import LineChoice
from escuadra.core.vehicle.lines import Line, LineAt, LinesResult, Separation
from escuadra.core.visit.doubting import to_read_again
from escuadra.core.visit.epochs import Answer, Epochs
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.methods.base import Method
from escuadra.core.visit.next_reading import AS_LIKELY
from escuadra.core.visit.plan import emblem_slot
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution


def both_lines(epochs: Epochs, stations: list[float] | None = None) -> LinesResult | None:
    """Thrust line and body centreline at stations (the axles and the target where none are named), from one network."""
    if stations is None:
        return epochs.once(_at_the_usual)
    return _both_lines(epochs, stations)


def _at_the_usual(epochs: Epochs) -> LinesResult | None:
    return _both_lines(epochs, [0.0, epochs.plan.vehicle.wheelbase, *targets(epochs)])


def _both_lines(epochs: Epochs, stations: list[float]) -> LinesResult | None:
    solution = epochs.lines
    if solution is None:
        return None
    parts: dict[str, Any] = {}
    lines: tuple[LineChoice, ...] = ("thrust", "body")
    for line in lines:
        if line in solution.known:
            angle = solution.derived("line_angle", line)
            at = [(x, solution.line_at(x, line)) for x in stations]
            passes = [LineAt(x=x, y=found.value, u=found.u) for x, found in at]
            parts[line] = Line(angle_deg=angle.value, u_deg=angle.u, at=passes)
    if len(parts) == 2:
        apart = [(x, solution.apart_at(x)) for x in stations]
        parts["separation"] = [Separation(x=x, value=found.value, u=found.u) for x, found in apart]
    return LinesResult(**parts) if parts else None


def targets(epochs: Epochs) -> list[float]:
    """Where target faces stand along the vehicle."""
    return [place.x for place in target_places(epochs.plan.procedure, epochs.plan.vehicle)]


def emblem_off(epochs: Epochs, end: str) -> tuple[float, float] | None:
    """How far an emblem sits off the pairs' middle, mm to the left, and its u; nothing where it was not read."""
    pairs, read = epochs.marks[end].pairs, epochs.now(emblem_slot(end, epochs.plan))
    if pairs is None or read is None:
        return None
    return read.value - pairs.centre, math.hypot(read.figures.u_random, pairs.u)


def said_emblem(epochs: Epochs, end: str) -> Said | None:
    """What the emblem is worth, checked against the pairs."""
    found = emblem_off(epochs, end)
    if found is None:
        return None
    value, u = found
    expected_accuracy = "middle" if abs(value) <= 2 * u else "off"
    off, spread = amount(value, "mm", 1, "side"), PlusMinus(Plain(2 * u, 1))
    return said(f"both_lines.emblem.{expected_accuracy}.{end}", off=off, spread=spread)


def said_line(epochs: Epochs) -> Said | None:
    """Which line is used, and why."""
    solution, wanted = epochs.lines, epochs.plan.procedure.line
    if solution is None or solution.line is None:
        return None
    name = Noun(f"line.{solution.line}")
    if solution.line == wanted:
        return said("both_lines.used_procedure_prescribes", name=name)
    if wanted != "none":
        return said("both_lines.used_since_not_known_yet", name=name, wanted=Noun(f"line.{wanted}"))
    return said("both_lines.used", name=name)


def said_alone(answer: Answer) -> Said:
    """What one method says by itself."""
    at, spread = amount(answer.at.value, "mm", 1, "side"), PlusMinus(Plain(2 * answer.at.u, 1))
    angle = amount(answer.angle.value, "°", 2, "side")
    return said(
        f"both_lines.alone.{answer.line}",
        angle=angle,
        u=PlusMinus(Angle(2 * answer.angle.u, 2)),
        at=at,
        spread=spread,
    )


def answers(epochs: Epochs) -> list[tuple[Said, Answer]]:
    """What each method that was read says alone: its title and its line at the target."""
    return [(m.title, found) for m in _begun(epochs) if (found := epochs.alone(m.id)) is not None]


def _begun(epochs: Epochs) -> list[Method]:
    return [m for m in METHODS.values() if not epochs.begun.isdisjoint(m.families)]


def pairs_apart(epochs: Epochs) -> list[tuple[Said, Said, Derived]]:
    """Every two methods that find the same kind of line: how far apart their lines pass the target."""
    found = []
    for first, second in itertools.combinations(_begun(epochs), 2):
        if first.finds == second.finds:
            a, b = epochs.alone(first.id), epochs.alone(second.id)
            if a is not None and b is not None:
                apart = Derived(a.at.value - b.at.value, math.hypot(a.at.u, b.at.u), a.at.gradient)
                found.append((first.title, second.title, apart))
    return found


def front_seen(epochs: Epochs) -> EpochSolution | None:
    """The solution that tells the front pairs from the rear ones and the floor laser."""
    seen = [solution for solution in epochs.recent if solution.marks == "mark"]
    # What was carried over a move is known less well than what was read.
    return min(seen, key=lambda solution: epochs.carries(solution.epoch), default=None)


def front_off(epochs: Epochs) -> Derived | None:
    """How far the front pairs' middle lies off the line of the rear pairs and the floor laser; what would find a bend.

    ``None`` where nothing but the front pairs tells where the front is.
    """
    seen = front_seen(epochs)
    return epochs.once(_front_off, seen) if seen is not None else None


def _front_off(epochs: Epochs, solution: EpochSolution) -> Derived | None:
    if not any(isinstance(o, Crossing) and o.to == "mark.front" for o in solution.located.given.observations):
        return None
    elsewhere, agree = _elsewhere(solution)
    if elsewhere is None or not agree or elsewhere.u > LOST_MM or not _of_the_body(epochs, solution):
        return None
    return _off_mark(epochs, elsewhere)


def front_off_without(epochs: Epochs, solution: EpochSolution, id: ObservationId) -> Derived | None:
    """The same without one reading more; nothing where it hangs on that one."""
    elsewhere, _ = _elsewhere(solution, solution.named(id))
    return _off_mark(epochs, elsewhere) if elsewhere is not None else None


def _elsewhere(solution: EpochSolution, *beside: str) -> tuple[Derived | None, bool]:
    """Where the front mark lies by all but the front pairs, and whether that agrees."""
    return solution.located.without([*_front_pairs(solution), *beside], solution.side_of("mark.front"))


def _front_pairs(solution: EpochSolution) -> list[str]:
    return [str(id) for id in solution.observations if id.source == "pair_front"]


def _off_mark(epochs: Epochs, elsewhere: Derived) -> Derived | None:
    mark = epochs.marks["front"]
    if mark.y is None:
        return None
    return Derived(elsewhere.value - mark.y, math.hypot(mark.u, elsewhere.u), elsewhere.gradient)


def _of_the_body(epochs: Epochs, solution: EpochSolution) -> bool:
    """Where the front pairs do not fit, nothing explains that as well: no reading that was not confirmed, no hub."""
    (together,) = solution.located.tested([[(name, 1.0) for name in _front_pairs(solution)]])
    if together is None or together <= CRITICAL_W:
        return True
    single = [(id, abs(w)) for id, w in solution.tests if w is not None and id.source not in PAIRS]
    as_likely = [id for id, w in single if w >= AS_LIKELY * together]
    return not any(id.source in HUBS for id in as_likely) and not to_read_again(epochs, as_likely)


HUBS = ("hub_x", "hub_y")
"""Where the model has a hub."""
PAIRS = {"pair_front": "front", "pair_rear": "rear"}
"""Pairs, and the end that each is of."""


def bent_front(epochs: Epochs) -> bool:
    """All front pairs agree with each other and not with anything else: the body is off there, not a reading."""
    off, pairs = front_off(epochs), epochs.marks["front"].pairs
    if off is None or pairs is None or len(pairs.residuals) < 2:
        return False
    return abs(off.value) > CRITICAL_W * off.u and all(abs(w) < CRITICAL_W for w in pairs.w.values())


def contradicting(epochs: Epochs) -> EpochSolution | None:
    """The solution in which what was read about the lines contradicts itself; nothing where it agrees."""
    newest = epochs.newest
    for solution in (newest, epochs.unframed if newest is None or not newest.trusted else None):
        if solution is not None and not solution.trusted and any(id.kind.of_line for id in solution.suspects):
            return solution
    return None


def line_contradiction(epochs: Epochs) -> Sentences:
    """What was read about the lines contradicts itself: the suspect, or those who share the blame."""
    if bent_front(epochs):
        return NOTHING
    solution = contradicting(epochs)
    if solution is not None:
        suspects = [id for id in solution.suspects if id.kind.of_line]
        named = nouns(spoken(id, epochs) for id in suspects)
        if len(suspects) == 1 and len(solution.suspects) == 1:
            return sentences(said("both_lines.read_about_lines_contradicts_itself_suspect", named=named))
        more = said("both_lines.further_pair_end_would_part") if any(id.source in PAIRS for id in suspects) else None
        return sentences(said("both_lines.read_about_lines_contradicts_itself", named=named), more)
    for first, second, apart in pairs_apart(epochs):
        if abs(apart.value) > CRITICAL_W * apart.u:
            both, off = nouns([first, second]), amount(abs(apart.value), "mm", 0)
            return sentences(said("both_lines.contradict_each_other_target_read", both=both, off=off))
    return NOTHING


def spoken(id: ObservationId, epochs: Epochs) -> Text:
    """An observation in words, a pair by what it was measured between."""
    end = PAIRS.get(id.source)
    if end is not None:
        return said(f"pair.named.{end}", name=epochs.marks[end].names.get(id.place, id.place))
    return id.words
