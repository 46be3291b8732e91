"""Before anything is measured: what each method, or several together, will be worth at the target (``design``).

Every reading of a plan is rehearsed at its exact figure with the instrument chosen for it; the covariance of the
network is what the real readings will reach, whatever they say. Source: ``design``; ``verdict`` for what a
tolerance needs.
"""

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import permutations

from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Count, Length, Noun, PlusMinus, Said, said
from escuadra.core.procedure.limits import Limits
from escuadra.core.visit.checks import own_checks
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.events import LinePlanned, ToolUsed
from escuadra.core.visit.methods import METHODS, Finds
from escuadra.core.visit.plan import ENDS, Plan, height_slot, level_slot, slope_slot, tape_slot
from escuadra.core.visit.rehearsal import rehearsed
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.slots import Slot
from escuadra.core.visit.tool_route import ToolLocation, location_of

Shelf = Callable[[Slot], list[ToolUsed]]
"""The instruments that can be relied on for a slot, with what they contribute there; the usual one first."""
COVERAGE = 2.0
MOST_TIMES = 5


@dataclass(frozen=True)
class ExpectedAccuracy:
    """What a plan reaches: expanded uncertainties of squareness (degrees) and of the target's offset (mm)."""

    square: float | None
    offset: float | None
    line: Finds

    def decides(self, plan: Plan) -> dict[str, bool]:
        """Which tolerances of the sheet leave room between the guard bands: by check id."""
        found = {}
        expected_accuracy = {"square": self.square, "offset": self.offset}
        for check in own_checks(plan):
            if check.quantity in expected_accuracy and check.tolerance is not None:
                found[check.id] = _fits(check.tolerance, expected_accuracy[check.quantity], check.rule)
        return found


@dataclass(frozen=True)
class Offer:
    """A method as it is offered before measuring."""

    method: str
    expected_accuracy: ExpectedAccuracy
    decides: bool
    changes: int
    """How often a tool is set up or carried on for it, at least."""
    readings: int
    helps: Said | None
    """What would make it decide, or help most where nothing would; nothing where it decides."""


def _fits(limits: Limits, expanded: float | None, rule: str) -> bool:
    if expanded is None:
        return False
    return (limits.minus + limits.plus) / 2 >= (expanded if rule == "guarded" else 0.0)


def default_plan(plan: Plan) -> LinePlanned:
    """What a sheet asks for where nobody planned otherwise."""
    checks = own_checks(plan)
    methods = [check.line_method for check in checks if check.line_method]
    own = [*(m for m in methods if m == "marks"), *(m for m in methods if m != "marks")]
    own += [check.brings for check in checks if check.brings]
    return LinePlanned(methods=own or ["none" if plan.procedure.line == "none" else "marks"])


def slots_of(plan: Plan, asked: LinePlanned) -> list[Slot]:
    """Everything that a plan reads, each once: its methods' slots, and the frame's tapes where they are wanted."""
    methods = [n for m in asked.methods for n in (*METHODS[m].needs, m)]
    found = {s.id: s for m in methods for s in METHODS[m].slots(plan) if s.ask == "number" and not s.optional}
    return list(found.values())


def _tapes(plan: Plan, rear: bool) -> list[Slot]:
    """The frame's own tapes and heights, which every set-up reads."""
    corners = CORNERS if rear else plan.taped_hubs
    return [
        *(height_slot(what, plan) for what in (*ENDS, *corners)),
        *(tape_slot(hub, end, plan) for hub in corners for end in ENDS),
    ]


def _levels(plan: Plan) -> list[Slot]:
    """How the frame leans, and the floor where it was not surveyed."""
    slopes = [slope_slot("wheels", way, plan) for way in ("along", "across")] if plan.standing is None else []
    return [*slopes, *(level_slot(way, plan) for way in ("roll", "pitch"))]


def _exact_tapes(scene: Scene, slots: Iterable[Slot]) -> dict[str, float]:
    found = {}
    for slot in slots:
        if slot.between is None:
            found[slot.id] = scene.plan.vehicle.hub_height if slot.reads == "height" else 0.0
            continue
        hub, end = slot.between
        floor = scene.plan.floor_between(hub, end)  # type: ignore[arg-type]
        level = math.dist(scene.hub(hub), scene.on_frame(*scene.plan.frame_points[end]))  # type: ignore[arg-type]
        found[slot.id] = math.hypot(level, floor.value if floor is not None else 0.0)
    return found


def _chosen(slot: Slot, shelf: Shelf, tools: Mapping[str, str]) -> ToolUsed:
    offered = shelf(slot)
    wanted = tools.get(slot.reads, "")
    found = next((t for t in offered if t.id == wanted), offered[0] if offered else None)
    if found is None:
        raise BadInput(
            "instrument",
            "nothing",
            said("wants.instrument_shelf_reads", reads=Noun(f"reads.{slot.reads}"), label=slot.label),
        )
    return found


def rehearsal(plan: Plan, asked: LinePlanned, shelf: Shelf, scene: Scene | None = None) -> Epochs:
    """The set-up that a plan's readings would make; raises ``BadInput`` where no instrument reads a place."""
    here = scene or Scene.nominal(plan)
    slots, tapes = slots_of(plan, asked), [*_tapes(plan, asked.rear_tapes), *_levels(plan)]
    values = _exact_tapes(here, tapes)
    for method in asked.methods:
        for needed in (*METHODS[method].needs, method):
            values |= METHODS[needed].exact(here)
    tools = {slot.id: _chosen(slot, shelf, asked.tools) for slot in (*slots, *tapes)}
    kept = {id: value for id, value in values.items() if id in tools}
    return Epochs(rehearsed(kept, tools.__getitem__, asked.times, {"side.which": "left"}), plan)


def expected_accuracy(plan: Plan, asked: LinePlanned, shelf: Shelf) -> ExpectedAccuracy:
    """What a plan will reach at the target, for the line that it finds."""
    finds = [METHODS[m].finds for m in asked.methods]
    line: Finds = next((known for known in ("thrust", "body", "axis") if known in finds), "none")
    if line == "none":
        return ExpectedAccuracy(None, None, line)
    epochs = rehearsal(plan, asked, shelf)
    found = epochs.designed()
    if found is None or line not in found.known:
        return ExpectedAccuracy(None, None, line)
    return ExpectedAccuracy(
        COVERAGE * found.derived("square", line).u,
        COVERAGE * found.derived("offset", line).u,
        line,
    )


def offers(plan: Plan, shelf: Shelf, asked: LinePlanned) -> list[Offer]:
    """Every method by itself with the instruments and the number of readings asked for."""
    found = []
    for method in METHODS:
        single = asked.model_copy(update={"methods": [method]})
        try:
            found.append(offer(plan, shelf, single))
        except BadInput as refused:
            none = ExpectedAccuracy(None, None, METHODS[method].finds)
            slots = len(slots_of(plan, single))
            found.append(Offer(method, none, False, 0, slots, said("line_plan.needs", accepted=refused.accepted)))
    return found


def offer(plan: Plan, shelf: Shelf, asked: LinePlanned) -> Offer:
    """What a plan reaches and costs, and what would help it."""
    reached = expected_accuracy(plan, asked, shelf)
    decided = reached.decides(plan)
    slots = slots_of(plan, asked)
    good = all(decided.values()) if decided else reached.line == "none"
    helps = None if good or reached.line == "none" else _helps(plan, shelf, asked, reached)
    return Offer(asked.methods[0], reached, good, fewest_changes(slots, plan), len(slots) * asked.times, helps)


def _helps(plan: Plan, shelf: Shelf, asked: LinePlanned, now: ExpectedAccuracy) -> Said:
    """The first of what people can do that makes the plan decide; else what helps most."""
    tried: list[tuple[Said, ExpectedAccuracy, bool]] = []
    for words, better, there in _betterments(plan, shelf, asked):
        reached = expected_accuracy(there, better, shelf)
        tried.append((words, reached, all(reached.decides(there).values())))
        if tried[-1][2]:
            return said("line_plan.then_decides", words=words)
    best = min(tried, key=lambda t: t[1].offset or math.inf, default=None)
    if best is None or best[1].offset is None or now.offset is None or best[1].offset > 0.97 * now.offset:
        return said("line_plan.nothing_shelf_helps_another_method")
    return said("line_plan.helps_most_not_enough", best=best[0], offset=PlusMinus(Length(best[1].offset, 1)))


def _betterments(plan: Plan, shelf: Shelf, asked: LinePlanned) -> Iterable[tuple[Said, LinePlanned, Plan]]:
    """In the order of effort: another tool, another reading, rear tapes, marks further apart, several of it."""
    best = {}
    for slot in (*slots_of(plan, asked), *_tapes(plan, True)):
        offered = shelf(slot)
        if offered:
            finest = min(offered, key=lambda t: _coarse(t, slot))
            if finest.id != _chosen(slot, shelf, asked.tools).id:
                best[slot.reads] = finest
    for kind, tool in best.items():
        yield (
            said("line_plan.another_instrument", name=tool.name),
            _update(asked, tools={**asked.tools, kind: tool.id}),
            plan,
        )
    if asked.times < MOST_TIMES:
        again = asked.times + 1
        yield said("line_plan.readings_everything", again=Count(again)), _update(asked, times=again), plan
    if not asked.rear_tapes:
        yield said("line_plan.tapes_rear_hubs_too"), _update(asked, rear_tapes=True), plan
    if {"marks", "low"} & set(asked.methods):
        marks = plan.vehicle.marks
        apart = marks.model_copy(update={"front_x": marks.front_x + 300, "rear_x": marks.rear_x - 300})
        vehicle = plan.vehicle.model_copy(update={"marks": apart})
        yield said("line_plan.marks_600_mm_further_apart"), asked, replace(plan, vehicle=vehicle)
    finest_tools = {**asked.tools, **{kind: tool.id for kind, tool in best.items()}}
    if best:
        yield (
            said("line_plan.finest_instruments_rear_hubs"),
            _update(asked, rear_tapes=True, tools=finest_tools),
            plan,
        )
    yield (
        said("line_plan.finest_instruments_three_readings_everything")
        if best
        else said("line_plan.three_readings_everything"),
        _update(asked, times=max(3, asked.times), rear_tapes=True, tools=finest_tools),
        plan,
    )


def _update(asked: LinePlanned, **changes: object) -> LinePlanned:
    return asked.model_copy(update=changes)


def _coarse(tool: ToolUsed, slot: Slot) -> float:
    """u of one reading of a slot with a tool, for choosing the finest."""
    own = tool.contributions
    assert slot.quantity is not None
    offset = own.u_bias if own.u_bias is not None else own.accuracy_constant / math.sqrt(3)
    scale = own.accuracy_ppm * 1e-6 / math.sqrt(3) * slot.quantity.high
    return math.hypot(own.resolution / math.sqrt(12), own.repeatability, offset, scale)


def fewest_changes(slots: Iterable[Slot], plan: Plan) -> int:
    """How often a tool must be set up or carried on, in the best order of the places."""
    stands = list(dict.fromkeys(s for slot in slots if (s := location_of(slot, plan)) is not None))

    def cost(order: Iterable[ToolLocation]) -> int:
        at: dict[str, ToolLocation] = {}
        changes = 0
        for location in order:
            changes += at.get(location.tool) != location
            at[location.tool] = location
        return changes

    return min((cost(order) for order in permutations(stands)), default=0) if len(stands) <= 6 else len(stands)
