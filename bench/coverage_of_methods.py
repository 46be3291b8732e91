"""Monte Carlo over synthetic vehicles, each method read with its noise: how often the truth lies within the stated U.

Toe, hubs, pairs, emblems and the frame are drawn anew for every run; a reading's own error and what its
instrument's readings share are drawn as the sheet assumes, normal or rectangular. The observation equations make no
reading: all come from plane trigonometry (``scene``).
"""

import math
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.core.base.axes import Pose
from escuadra.core.base.corners import CORNERS
from escuadra.core.bay.bay import Bay
from escuadra.core.instruments.instrument import Tool
from escuadra.core.measure.readings import Instrument
from escuadra.core.procedure.sheet import LineChoice
from escuadra.core.visit.both_lines import front_off
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.events import ToolUsed
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.methods.base import Finds
from escuadra.core.visit.plan import ENDS, Plan, pair_slots
from escuadra.core.visit.rehearsal import rehearsed
from escuadra.core.visit.scene import Scene

RUNS = 5_000
BENT_RUNS = 1_000
BENT_MM = (3.0, 15.0)
"""A corner or a front is bent by so much, evenly drawn."""
BY = {"tape": "tape-4", "height": "tape-4", "scale": "laser-2", "rule": "rule-3", "printout": "printout"}
BY |= {"beam": "clamps-2", "rig": "rig-1"}
Draw = Callable[[float], float]
"""One error of a standard deviation."""


def plan_of() -> tuple[Plan, dict[str, Tool]]:
    """The minibus and its camera sheet, and the practice tools by kind of reading."""
    catalogue = load([PRACTICE])
    procedure = catalogue.get("procedure", "BL-CAM-01").content
    plan = Plan(
        procedure,
        catalogue.get("vehicle", procedure.vehicle).content,
        catalogue.get("target", procedure.mounting.target).content,
        catalogue.get("frame", "galga-2").content,
        # A ground floor, as its bay's record says: what is not known of a floor is not what is raced here.
        Bay(name="ground", length=9000, width=5000, u_rise_mm=0.4, u_place_mm=0.2),
    )
    return plan, {kind: catalogue.get("tool", id).content for kind, id in BY.items()}


def drawn(plan: Plan, draw: Draw) -> Scene:
    """A vehicle as they come: toe, hubs where the model has them within its u, emblems not in the middle."""
    goal, vehicle = plan.nominal_goal, plan.vehicle
    return Scene(
        plan,
        Pose(x=goal.x + draw(15), y=goal.y + draw(8), yaw_deg=draw(0.4)),
        {corner: 0.07 + draw(0.08) for corner in CORNERS},
        hub_off={corner: (draw(vehicle.u_hub_mm), draw(vehicle.u_hub_mm)) for corner in CORNERS},
        mark_off={end: draw(0.6) for end in ("front", "rear")},
        emblem_off={end: draw(vehicle.marks.u_emblem_mm) for end in ("front", "rear")},
    )


def exact(scene: Scene, method: str) -> dict[str, float]:
    """The frame's tapes and heights, and everything that the method reads."""
    plan = scene.plan
    found = dict.fromkeys((f"height.{what}" for what in (*ENDS, "LF", "RF")), plan.vehicle.hub_height)
    for hub in ("LF", "RF"):
        for end in ENDS:
            found[f"tape.{hub}.{end}"] = math.dist(scene.hub(hub), scene.on_frame(*plan.frame_points[end]))
    for needed in (*METHODS[method].needs, method):
        found |= METHODS[needed].exact(scene)
    if method not in ("marks", "low"):
        found = {slot: value for slot, value in found.items() if not slot.startswith("emblem.")}
    return {slot: value for slot, value in found.items() if not slot.startswith(("printed.", "rig.bumper"))}


def noisy(values: dict[str, float], kinds: dict[str, str], tools: dict[str, Tool], plan: Plan, draw: Draw) -> None:
    """Each reading's own error, what its instrument's readings share, and how symmetrical the body is."""
    shared: dict[str, tuple[float, float]] = {}
    for slot in values:
        tool, own = tools[kinds[slot]], tools[kinds[slot]].contributions
        # Each clamp with its mirror has a constant error of its own; the printout's turns both wheels alike.
        key = f"{tool.id} {slot.split('.')[1]}" if slot.startswith("mirror") and tool.id == BY["beam"] else tool.id
        if key not in shared:
            shared[key] = draw(own.accuracy_constant / math.sqrt(3)), draw(own.accuracy_ppm * 1e-6 / math.sqrt(3))
        offset, scale = shared[key]
        sign = -1.0 if slot == "toe.left" else 1.0
        # What a skew is off by at both edges of a board cancels.
        common = 0.0 if slot.endswith(".skew") else sign * offset
        values[slot] += draw(tool.u_single) + common + scale * values[slot]
    for end in ("front", "rear"):
        for k in (1, 2, 3):
            left, right = pair_slots(end, k, plan)
            if left.id in values:
                off = draw(plan.vehicle.marks.u_symmetry_mm)
                values[left.id] += off
                values[right.id] += off


def kinds_of(plan: Plan, method: str, values: dict[str, float]) -> dict[str, str]:
    """Which kind of reading each slot is."""
    slots = {s.id: s.reads for m in (*METHODS[method].needs, method) for s in METHODS[m].slots(plan)}
    guessed = {"height": "height", "pair": "tape", "emblem": "tape"}
    return {slot: slots.get(slot) or guessed.get(slot.split(".")[0], "tape") for slot in values}


def tool_used(tools: dict[str, Tool], kinds: dict[str, str]) -> Callable[[str], ToolUsed]:
    def used(slot: str) -> ToolUsed:
        tool = tools[kinds[slot]]
        figures: Instrument = tool.contributions
        return ToolUsed(id=tool.id, name=tool.name, contributions=figures)

    return used


def true_line(scene: Scene, line: LineChoice) -> tuple[tuple[float, float], float]:
    """A point of the true line and its direction in radians."""
    middle = {
        end: tuple(sum(c) / 2 for c in zip(scene.hub(f"L{end}"), scene.hub(f"R{end}"), strict=True))  # type: ignore[arg-type]
        for end in ("F", "R")
    }
    if line == "thrust":
        return middle["R"], math.radians(scene.thrust_deg)  # type: ignore[return-value]
    a, b = (scene.mark("rear"), scene.mark("front")) if line == "body" else (middle["R"], middle["F"])
    if line == "body" and scene.body_off:
        (xa, ya), (xb, yb) = scene.emblem("rear"), scene.emblem("front")
        a, b = (xa, ya - scene.emblem_off["rear"]), (xb, yb - scene.emblem_off["front"])
    return a, math.atan2(b[1] - a[1], b[0] - a[0])  # type: ignore[return-value]


def within(method: str, rectangular: bool, runs: int = RUNS) -> float:
    """Share of runs in which both squareness and the target's offset lie within their U; the less of the two."""
    noise = np.random.default_rng([sorted(METHODS).index(method), int(rectangular)])

    def draw(sd: float) -> float:
        half = math.sqrt(3) * sd
        return float(noise.uniform(-half, half) if rectangular else noise.normal(0, sd))

    plan, tools = plan_of()
    line: Finds = METHODS[method].finds
    hits = np.zeros(2)
    for _ in range(runs):
        scene = drawn(plan, draw)
        if method == "roof":
            # As uncertain as an emblem is where the body's middle lies over the axles.
            body = {end: draw(plan.vehicle.marks.u_emblem_mm) for end in ("front", "rear")}
            scene = Scene(plan, scene.pose, scene.toe, scene.hub_off, body, emblem_off=scene.emblem_off)
        values = exact(scene, method)
        kinds = kinds_of(plan, method, values)
        noisy(values, kinds, tools, plan, draw)
        epochs = Epochs(rehearsed(values, tool_used(tools, kinds), 1, {"side.which": "left"}), plan)
        solution = epochs.solve(0)
        assert solution is not None
        assert line != "none"
        (ox, oy), angle = true_line(scene, line)
        psi = math.radians(scene.pose.yaw_deg)
        tx = scene.pose.x - math.cos(psi) * plan.frame.face_offset
        ty = scene.pose.y - math.sin(psi) * plan.frame.face_offset
        offset = -(tx - ox) * math.sin(angle) + (ty - oy) * math.cos(angle)
        for k, (what, truth) in enumerate((("offset", offset), ("square", math.degrees(psi - angle)))):
            found = solution.derived(what, line)
            hits[k] += abs(found.value - truth) <= 2 * found.u
    shares = hits / runs
    return float(shares[np.argmax(np.abs(shares - 0.955))])


def coverage(methods: list[str], runs: int = RUNS) -> dict[str, tuple[float, float]]:
    """Normal and rectangular coverage of each method, two at a time."""
    with ProcessPoolExecutor(2) as pool:
        asked = {m: [pool.submit(within, m, rectangular, runs) for rectangular in (False, True)] for m in methods}
        return {m: (normal.result(), rectangular.result()) for m, (normal, rectangular) in asked.items()}


def bent_named(runs: int = BENT_RUNS) -> float:
    """Share of bodies with a corner bent by 3 to 15 mm in which that very pair is named; three pairs at either end."""
    noise = np.random.default_rng(77)

    def draw(sd: float) -> float:
        return float(noise.normal(0, sd))

    plan, tools = plan_of()
    named = 0
    for run in range(runs):
        values = exact(drawn(plan, draw), "marks")
        kinds = kinds_of(plan, "marks", values)
        noisy(values, kinds, tools, plan, draw)
        end, k = ("front", "rear")[run % 2], 1 + run % 3
        values[pair_slots(end, k, plan)[run // 6 % 2].id] += float(noise.uniform(*BENT_MM)) * (1 if run % 2 else -1)
        epochs = Epochs(rehearsed(values, tool_used(tools, kinds)), plan)
        pairs = epochs.marks[end].pairs
        named += pairs is not None and pairs.suspect == str(k)
    return named / runs


def shifted_front_found(runs: int = BENT_RUNS // 2) -> float:
    """Share of bodies whose whole front is 3 to 15 mm off in which it is told off the rear pairs' line (reported)."""
    noise = np.random.default_rng(78)

    def draw(sd: float) -> float:
        return float(noise.normal(0, sd))

    plan, tools = plan_of()
    found = 0
    for _ in range(runs):
        scene = drawn(plan, draw)
        bent = Scene(
            plan, scene.pose, scene.toe, scene.hub_off, {"front": float(noise.uniform(*BENT_MM))}, scene.mark_off
        )
        values = exact(bent, "marks")
        kinds = kinds_of(plan, "marks", values)
        noisy(values, kinds, tools, plan, draw)
        off = front_off(Epochs(rehearsed(values, tool_used(tools, kinds)), plan))
        found += off is not None and abs(off.value) > 2 * off.u
    return found / runs


if __name__ == "__main__":
    import sys
    import time

    chosen = sys.argv[1:] or [m for m in METHODS if m != "none"]
    start = time.time()
    for name, pair in coverage(chosen, 400).items():
        print(name, pair)
    print(bent_named(300), shifted_front_found(200), f"{time.time() - start:.0f} s", Path(__file__).name)
