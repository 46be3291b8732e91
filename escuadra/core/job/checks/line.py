"""Which way is straight ahead: every method that is read on a job, and both lines from one network, side by side.

Each method is a check of its own; ``lines`` judges what they say together. Which line is used is the procedure's, else
the thrust line for what aims forward. Source: ``network``, ``symmetry``; limits the procedure's, or a default set.
"""

import math
from dataclasses import replace
from typing import Any

from pydantic import Field

from escuadra.core.budget import Contribution, of_solution, shares
from escuadra.core.job.checks.base import Check, Figure, Judgement
from escuadra.core.job.checks.frame import source_of
from escuadra.core.job.methods import METHODS
from escuadra.core.job.places import emblem_slot, mark_slot, pair_slots, words_of
from escuadra.core.job.setup import Answer, Setup
from escuadra.core.job.slots import Slot
from escuadra.core.job.solved import Derived, Solved
from escuadra.core.lines import Line, LineAt, LinesResult, Separation
from escuadra.core.procedure import Limits, LineChoice, check_kind
from escuadra.core.standing import target_places
from escuadra.core.symmetry import CRITICAL_W
from escuadra.core.wording import amount, listed

SIDE_WORDS = ("left", "right")
LINE_WORDS: dict[str, str] = {"thrust": "thrust line", "body": "centreline", "axis": "line through both axles"}
DEFAULT_SET = "a cautious default set of Escuadra's own; the manufacturer's figures come first"
DEFAULTS = {
    "thrust_angle": Limits(minus=0.25, plus=0.25),
    "separation": Limits(minus=25, plus=25),
    "front_off": Limits(minus=6, plus=6),
}
"""Where the sheet states none: an angle that shows on the road, its distance 6 m ahead, and less than a bent rail."""
DEFAULT_NAMES = {
    "thrust_angle": "the thrust angle",
    "separation": "the lines' distance",
    "front_off": "the front against the rear pairs",
}


def both_lines(setup: Setup, stations: list[float] | None = None) -> LinesResult | None:
    """Thrust line and body centreline at stations (the axles and the target where none are named), from one network."""
    if stations is None:
        return setup.once(
            "both lines", lambda: _both_lines(setup, [0.0, setup.plan.vehicle.wheelbase, *targets(setup)])
        )
    return _both_lines(setup, stations)


def _both_lines(setup: Setup, stations: list[float]) -> LinesResult | None:
    solved = setup.lines
    if solved is None:
        return None
    parts: dict[str, Any] = {}
    lines: tuple[LineChoice, ...] = ("thrust", "body")
    for line in lines:
        if line in solved.known:
            angle = solved.derived("line_angle", line)
            at = [(x, solved.line_at(x, line)) for x in stations]
            passes = [LineAt(x=x, y=found.value, u=found.u) for x, found in at]
            parts[line] = Line(angle_deg=angle.value, u_deg=angle.u, at=passes)
    if len(parts) == 2:
        apart = [(x, solved.apart_at(x)) for x in stations]
        parts["separation"] = [Separation(x=x, value=found.value, u=found.u) for x, found in apart]
    return LinesResult(**parts) if parts else None


def targets(setup: Setup) -> list[float]:
    """Where target faces stand along the vehicle."""
    return [place.x for place in target_places(setup.plan.procedure, setup.plan.vehicle)]


@check_kind("body_centreline")
class CentrelineCheck(Check):
    """Centre marks from symmetrical pairs at the front and at the rear; the pairs must agree."""

    pair_agreement: Limits = Field(
        Limits(minus=6, plus=6), description="of a pair's middle from the middle of all pairs at that end, mm"
    )

    def make_slots(self, setup: Setup) -> list[Slot]:
        found: list[Slot] = []
        for end in ("front", "rear"):
            begun = setup.pair_count(end)
            for k in range(1, max(begun + 1, 2) + 1):
                left, right = pair_slots(end, k, setup.plan)
                if k > begun:
                    left, right = (replace(s, optional=k > 1) for s in (left, right))
                found += [left, right]
            found += [mark_slot(end, setup.plan), emblem_slot(end, setup.plan)]
        return [replace(slot, times=setup.times) if not slot.optional else slot for slot in found]

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        end, k = figure.id.split(".")
        left, right = (setup.now(slot) for slot in pair_slots(end, int(k), setup.plan))
        if left is None or right is None:
            return []
        return shares([("left reading", left.figures.u_random), ("right reading", right.figures.u_random)])

    def judge(self, setup: Setup) -> Judgement:
        figures, troubles, notes = [], [], []
        for end, mark in setup.marks.items():
            if mark.pairs is None:
                continue
            residuals = mark.pairs.residuals
            suspect = mark.pairs.suspect
            for k, residual in residuals.items():
                if len(residuals) > 1:
                    figures.append(
                        self.figure(
                            f"{end}.{k}",
                            f"{end.capitalize()}, {mark.names[k]}: middle",
                            residual,
                            mark.u_residual[k],
                            self.pair_agreement,
                            "mm",
                            SIDE_WORDS,
                        )
                    )
            if suspect is not None:
                troubles.append(
                    f"At the {end} the pair {mark.names[suspect]} disagrees with the others: "
                    f"its middle lies {amount(residuals[suspect], 'mm', 0, SIDE_WORDS)}. Read it again or leave it out."
                )
            elif any(abs(w) > CRITICAL_W for w in mark.pairs.w.values()):
                troubles.append(f"At the {end} two pairs disagree. A third pair would tell which is to blame.")
            elif mark.y is not None and abs(mark.y) > max(1.0, 2 * mark.u):
                said = amount(mark.y, "mm", 1, SIDE_WORDS)
                notes.append(f"The {end} mark stands {said} of the pairs' middle: plumb it again.")
            elif mark.y is None:
                notes.append(
                    f"The {end} middle lies at {amount(mark.pairs.centre, 'mm')} on the tape: plumb the mark there."
                )
        complete = all(mark.y is not None for mark in setup.marks.values())
        found = both_lines(setup)
        summary = ""
        if complete and found is not None and found.body is not None:
            summary = f"± {2 * found.body.at[-1].u:.1f} mm at the target"
        notes += [said for end in setup.marks if (said := said_emblem(setup, end))]
        return Judgement(complete, tuple(figures), summary, trouble=" ".join(troubles), note=" ".join(notes))


@check_kind("method")
class MethodCheck(Check):
    """A method of finding the line, as a check of its own: complete once everything that it needs was read."""

    method: str = Field(description="id of the method")

    def make_slots(self, setup: Setup) -> list[Slot]:
        return [replace(slot, times=setup.times) for slot in METHODS[self.method].slots(setup.plan)]

    def judge(self, setup: Setup) -> Judgement:
        needed = [slot for slot in self.slots(setup) if not slot.optional]
        read = [slot for slot in needed if len(setup.current(slot)) >= slot.times or slot.ask != "number"]
        read = [slot for slot in read if setup.current(slot)]
        method = METHODS[self.method]
        if len(read) < len(needed):
            said = f"{len(read)} of {len(needed)} read" if read else ""
            return Judgement(False, summary=said, note=f"{method.tells} {method.cannot}")
        answer = setup.alone(self.method)
        if answer is None:
            return Judgement(True, summary="read", note=f"Alone it settles no line yet. {method.cannot}")
        return Judgement(True, summary=amount(answer.angle.value, "°", 2, SIDE_WORDS), note=f"{said_alone(answer)}")


@check_kind("lines")
class LinesCheck(Check):
    """Thrust line and body centreline together: angle, distance at every target, the front against the rear."""

    thrust_angle: Limits | None = Field(None, description="of the thrust line from the vehicle's axis, degrees")
    separation: Limits | None = Field(None, description="of thrust line and body centreline at a target, mm")
    front_off: Limits | None = Field(
        None, description="of the front pairs' middle from the line that the rear pairs set, mm"
    )

    def make_slots(self, setup: Setup) -> list[Slot]:
        return []

    def aspects(self, setup: Setup) -> frozenset[str]:
        return frozenset({"line", "alignment"})

    def budget(self, setup: Setup, figure: Figure) -> list[Contribution]:
        solved = setup.lines
        if solved is None or figure.id == "front_off":
            return []
        if figure.id == "thrust_angle":
            return of_solution(solved.solution, solved.derived("line_angle", "thrust").gradient, source_of)
        found = solved.apart_at(targets(setup)[int(figure.id.partition(".")[2] or 1) - 1])
        return of_solution(solved.solution, found.gradient, source_of)

    def judge(self, setup: Setup) -> Judgement:
        solved = setup.lines
        if solved is None or solved.line is None:
            waits = "Nothing that was read tells a line yet."
            if setup.turned_only(setup.epoch) is not None:
                waits = "The beams tell how the frame is turned; the line itself waits for the frame's tapes."
            return Judgement(False, note=waits, trouble=line_contradiction(setup))
        figures = self._figures(setup, solved)
        summary = self._summary(setup, solved)
        return Judgement(True, figures, summary, trouble=line_contradiction(setup), note=self._words(setup, figures))

    def _figures(self, setup: Setup, solved: Solved) -> tuple[Figure, ...]:
        figures = []
        if "thrust" in solved.known:
            angle = solved.derived("line_angle", "thrust")
            figures.append(self._of("thrust_angle", "Rear axle steers", angle, "°"))
        if {"thrust", "body"} <= solved.known:
            places = targets(setup)
            for k, x in enumerate(places, 1):
                several = len(places) > 1
                id, label = (
                    (f"separation.{k}", f"Apart at target {k}") if several else ("separation", "Apart at the target")
                )
                figures.append(self._of(id, label, solved.apart_at(x), "mm"))
        off = front_off(setup)
        if off is not None:
            figures.append(self._of("front_off", "Front off the rear pairs' line", off, "mm"))
        return tuple(figures)

    def _of(self, id: str, label: str, found: Derived, unit: str) -> Figure:
        name = id.partition(".")[0]
        limits = getattr(self, name) or DEFAULTS[name]
        return self.figure(id, label, found.value, found.u, limits, unit, SIDE_WORDS)

    def _summary(self, setup: Setup, solved: Solved) -> str:
        assert solved.line is not None
        u = solved.line_at(setup.plan.target_x).u
        return f"{LINE_WORDS[solved.line]}, ±\u202f{2 * u:.1f} mm at the target"

    def _words(self, setup: Setup, figures: tuple[Figure, ...]) -> str:
        said = [said_line(setup)]
        found = {f.id: f for f in figures}
        thrust, apart = found.get("thrust_angle"), next((f for f in figures if f.id.startswith("separation")), None)
        if thrust is not None and apart is not None:
            if abs(apart.value) <= apart.verdict.U:
                said.append("Thrust line and centreline agree within what was measured.")
            else:
                side = SIDE_WORDS[0 if apart.value > 0 else 1]
                said.append(
                    f"The rear axle steers {thrust.text}: at this target the thrust line passes "
                    f"{amount(abs(apart.value), 'mm', 0)} {side} of the centreline."
                )
        out = {f.id.partition(".")[0] for f in figures if f.verdict.state == "out"}
        if "thrust_angle" in out:
            said.append("Wheel alignment first.")
        elif "separation" in out:
            said.append("Wheel alignment or body measurement first.")
        if "front_off" in out:
            said.append(
                f"The front is {found['front_off'].text} of the rear pairs' line: measure the body before aiming."
            )
        unstated = sorted({f.id.partition(".")[0] for f in figures if getattr(self, f.id.partition(".")[0]) is None})
        if unstated:
            named = listed([DEFAULT_NAMES[id] for id in unstated])
            said.append(f"The limit for {named} is of {DEFAULT_SET}.")
        return " ".join(said)


check_kind("rear_toe")(LinesCheck)
"""The name that earlier sheets have for it."""


def emblem_off(setup: Setup, end: str) -> tuple[float, float] | None:
    """How far an emblem sits off the pairs' middle, mm to the left, and its u; nothing where it was not read."""
    pairs, read = setup.marks[end].pairs, setup.now(emblem_slot(end, setup.plan))
    if pairs is None or read is None:
        return None
    return read.value - pairs.centre, math.hypot(read.figures.u_random, pairs.u)


def said_emblem(setup: Setup, end: str) -> str:
    """What the emblem is worth, checked against the pairs."""
    found = emblem_off(setup, end)
    if found is None:
        return ""
    value, u = found
    said = f"The {end} emblem sits {amount(value, 'mm', 1, SIDE_WORDS)} (±\u202f{2 * u:.1f}) of the pairs' middle"
    return f"{said}: it is in the middle as far as can be told." if abs(value) <= 2 * u else f"{said}: don't aim by it."


def said_line(setup: Setup) -> str:
    """Which line is used, and why."""
    solved, wanted = setup.lines, setup.plan.procedure.line
    if solved is None or solved.line is None:
        return ""
    name = LINE_WORDS[solved.line]
    if solved.line == wanted:
        return f"Used: the {name}, as the procedure prescribes."
    if wanted in LINE_WORDS:
        return f"Used: the {name}, since the {LINE_WORDS[wanted]} is not known yet."
    return f"Used: the {name}."


def said_alone(answer: Answer) -> str:
    """What one method says by itself."""
    name = {"thrust": "the rear axle steers", "body": "the centreline runs", "axis": "the axles' line runs"}[
        answer.line
    ]
    at, spread = amount(answer.at.value, "mm", 1, SIDE_WORDS), f"±\u202f{2 * answer.at.u:.1f}"
    angle = amount(answer.angle.value, "°", 2, SIDE_WORDS)
    return f"Alone it says: {name} {angle} (±\u202f{2 * answer.angle.u:.2f}°), at the target {at} ({spread})."


def answers(setup: Setup) -> list[tuple[str, Answer]]:
    """What each method that was read says alone: its title and its line at the target."""
    begun = [m for m in METHODS.values() if not setup.begun.isdisjoint(m.prefixes)]
    return [(m.title, found) for m in begun if (found := setup.alone(m.id)) is not None]


def pairs_apart(setup: Setup) -> list[tuple[str, str, Derived]]:
    """Every two methods that find the same kind of line: how far apart their lines pass the target."""
    begun = [m.finds for m in METHODS.values() if not setup.begun.isdisjoint(m.prefixes)]
    if len(begun) == len(set(begun)):
        return []
    known = answers(setup)
    found = []
    for k, (first, a) in enumerate(known):
        for second, b in known[k + 1 :]:
            if a.line == b.line:
                apart = Derived(a.at.value - b.at.value, math.hypot(a.at.u, b.at.u), a.at.gradient)
                found.append((first, second, apart))
    return found


def front_off(setup: Setup) -> Derived | None:
    """How far the front pairs' middle lies off the line of the rear pairs and the floor laser; what would find a bend.

    ``None`` where nothing but the front pairs tells where the front is.
    """
    seen = [s for k in range(setup.epoch, -1, -1) if (s := setup.solve(k)) is not None and ("mark.front", "y") in s.at]
    return setup.once("front off", lambda: _front_off(setup, seen[0])) if seen else None


def _front_off(setup: Setup, solved: Solved) -> Derived | None:
    kept = [o for o in solved.given.observations if not o.id.startswith("pair.front")]
    if not any(o.type == "crossing" and o.to == "mark.front" for o in kept):
        return None
    rest = setup.without(solved, "pair.front")
    if rest is None or not rest.trusted:
        return None
    mark = setup.marks["front"]
    if mark.y is None:
        return None
    elsewhere = rest.derive(lambda get: get("mark.front", "y"))
    return Derived(elsewhere.value - mark.y, math.hypot(mark.u, elsewhere.u), elsewhere.gradient)


OF_THE_LINE = (
    "pair.",
    "mark-",
    "thrust",
    "strings",
    "mirrors",
    "rack",
    "rig",
    "panel",
    "ruler",
    "roof",
    "low",
    "emblem",
)
"""How an observation begins that tells of the vehicle's lines and not of the frame alone."""


def bent_front(setup: Setup) -> bool:
    """All front pairs agree with each other and not with anything else: the body is off there, not a reading."""
    off, pairs = front_off(setup), setup.marks["front"].pairs
    if off is None or pairs is None or len(pairs.residuals) < 2:
        return False
    return abs(off.value) > CRITICAL_W * off.u and all(abs(w) < CRITICAL_W for w in pairs.w.values())


def line_contradiction(setup: Setup) -> str:
    """What was read about the lines contradicts itself: the suspect, or those who share the blame."""
    if bent_front(setup):
        return ""
    for solved in (setup.newest, setup.unframed):
        if solved is None or solved.trusted:
            continue
        suspects = [i for i in solved.result.suspects if i.startswith(OF_THE_LINE)]
        if not suspects:
            continue
        named = listed([spoken(i, setup) for i in suspects])
        if len(suspects) == 1 and len(solved.result.suspects) == 1:
            return f"What was read about the lines contradicts itself. The suspect: {named}. Read it again."
        more = " A further pair at that end would part them." if any(i.startswith("pair.") for i in suspects) else ""
        return f"What was read about the lines contradicts itself: {named} share the blame beyond telling apart.{more}"
    for first, second, apart in pairs_apart(setup):
        if abs(apart.value) > CRITICAL_W * apart.u:
            both = f"{first} and {second[:1].lower()}{second[1:]}"
            said = amount(abs(apart.value), "mm", 0)
            return f"{both} contradict each other by {said} at the target: read one of them again, or a third method."
    return ""


def spoken(observation: str, setup: Setup) -> str:
    """An observation in words, a pair by what it was measured between."""
    parts = observation.split(".")
    if parts[0] == "pair":
        return f"the pair {setup.marks[parts[1]].names.get(parts[2], parts[2])} at the {parts[1]}"
    return words_of(observation)
