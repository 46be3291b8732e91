"""Every method of finding the line, read without error in a planted scene: the network finds what was planted."""

import math
from dataclasses import replace

import pytest

from escuadra.core.base.axes import Pose
from escuadra.core.base.corners import CORNERS
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.epochs import Epochs
from escuadra.core.visit.log.events import ToolUsed
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import ENDS, Plan, tape_slot
from escuadra.core.visit.rehearsal import rehearsed
from escuadra.core.visit.scene import Scene
from escuadra.core.visit.solution.observed import ObservationId
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.rehearsal.technician import Technician

NEARLY = Instrument(resolution=0, accuracy_constant=0, accuracy_ppm=0, repeatability=0.05)
TOE = {"LF": 0.05, "RF": 0.11, "LR": 0.31, "RR": 0.07}


@pytest.fixture
def plan(teo: Technician) -> Plan:
    """Of a frame whose beam's scale does not begin at its middle."""
    plan = teo.opened.sheet.plan
    return replace(plan, frame=plan.frame.model_copy(update={"scale_zero": 250.0}))


def planted(plan: Plan) -> Scene:
    """Toe at the rear, a body 4 mm left in front, emblems off the middle; the frame off its goal and turned."""
    goal = plan.nominal_goal
    pose = Pose(x=goal.x + 21, y=goal.y - 13, yaw_deg=0.46)
    return Scene(plan, pose, TOE, mark_off={"front": 4.0, "rear": -2.0}, emblem_off={"front": 5.0, "rear": -3.5})  # type: ignore[arg-type]


def base(scene: Scene) -> dict[str, float]:
    """What is read for every frame: tapes from all hubs to both ends, everything at the hubs' height."""
    found = dict.fromkeys((f"height.{what}" for what in (*CORNERS, *ENDS)), scene.plan.vehicle.hub_height)
    found |= {"level.roll": 0.0, "level.pitch": 0.0, "slope.wheels.along": 0.0, "slope.wheels.across": 0.0}
    for corner in CORNERS:
        for end in ENDS:
            at = scene.on_frame(*scene.plan.frame_points[end])
            found[f"tape.{corner}.{end}"] = math.dist(scene.hub(corner), at)
    return found


def tool(slot: str) -> ToolUsed:
    return ToolUsed(id="t", name="t", contributions=NEARLY)


def read(scene: Scene, *methods: str, but: dict[str, float] | None = None, without: str = "") -> Epochs:
    values = base(scene)
    for method in methods:
        values |= METHODS[method].exact(scene)
    for slot, error in (but or {}).items():
        values[slot] += error
    values.pop(without, None)
    return Epochs(rehearsed(values, tool, 1, {"side.which": "left"}), scene.plan)


FIGURES = ("distance", "offset", "square", "line_angle")
WANTED = {
    "marks": (math.degrees(math.atan(6 / 5470)), -2.0, "body"),
    "low": (math.degrees(math.atan(6 / 5470)), -2.0, "body"),
    "printout": (-0.12, 0.0, "thrust"),
    "strings": (-0.12, 0.0, "thrust"),
    "mirrors": (-0.12, 0.0, "thrust"),
    "rulers": (-0.12, 0.0, "thrust"),
    "rig": (-0.12, 0.0, "thrust"),
    "rack": (-0.12, 0.0, "thrust"),
    "panels": (0.0, 0.0, "axis"),
    "hubs": (0.0, 0.0, "axis"),
    "side": (0.0, 0.0, "axis"),
}


@pytest.mark.parametrize("method", WANTED)
def test_each_method_finds_the_line_that_was_planted(plan: Plan, method: str) -> None:
    angle, rear, line = WANTED[method]
    scene = planted(plan)
    epochs = read(scene, "marks", method) if method == "low" else read(scene, method)
    solution = epochs.newest
    assert solution is not None
    assert line in solution.known
    assert solution.derived("line_angle", line).value == pytest.approx(angle, abs=5e-4)
    assert solution.pose.yaw_deg == pytest.approx(0.46, abs=2e-4)
    assert solution.pose.y == pytest.approx(scene.pose.y, abs=0.02)
    assert solution.derived("square", line).value == pytest.approx(0.46 - angle, abs=5e-4)
    x = plan.vehicle.marks.rear_x if line == "body" else 0.0
    assert solution.line_at(x, line).value == pytest.approx(rear, abs=0.02)
    assert solution.trusted


def test_a_rig_saw_all_once_it_was_read_whole_or_what_may_be_instead(plan: Plan) -> None:
    scene, rig = planted(plan), METHODS["rig"]
    whole = read(scene, "rig")
    assert whole.seen_by_rig(whole.epoch)
    assert not read(scene, "marks").seen_by_rig(0)
    instead = dict(rig.either)
    for slot in (slot.id for slot in rig.slots(plan) if not slot.optional):
        epochs = read(scene, "rig", without=slot)
        assert epochs.seen_by_rig(epochs.epoch) == (instead.get(slot) in rig.exact(scene)), slot


@pytest.mark.parametrize("method", METHODS)
def test_a_place_takes_what_it_shows_when_all_stands_as_it_should(plan: Plan, method: str) -> None:
    scene = Scene.nominal(plan)
    asked = {slot.id: slot for slot in METHODS[method].slots(plan)}
    shown = METHODS[method].exact(scene)
    for id in asked.keys() & shown.keys():
        quantity = asked[id].quantity
        assert quantity is not None
        assert quantity.low <= shown[id] <= quantity.high, id
    for first in (slot for slot in asked.values() if slot.then):
        assert asked[first.then].then == "", f"{first.id}: what is read after it is the other of a pair"
    for corner in CORNERS:
        for end in ENDS:
            range_of = tape_slot(corner, end, plan).quantity
            assert range_of is not None
            assert (range_of.low + range_of.high) / 2 == pytest.approx(base(scene)[f"tape.{corner}.{end}"], abs=0.1)


def test_a_distance_counts_from_the_place_beside_the_hubs_that_the_sheet_names(plan: Plan) -> None:
    datums = []
    for forward, left in ((0.0, 0.0), (120.0, -45.0)):
        proxy = plan.procedure.proxy.model_copy(update={"forward": forward, "left": left})
        found = read(
            planted(replace(plan, procedure=plan.procedure.model_copy(update={"proxy": proxy}))), "marks"
        ).newest
        assert found is not None
        datums.append((found.datum, found.derived("distance").value))
    (at, distance), (moved, as_far) = datums
    assert moved == pytest.approx((at[0] + 120, at[1] - 45), abs=0.01)
    assert as_far == pytest.approx(distance, abs=0.5), "its goal has moved with it"


@pytest.mark.parametrize("method", METHODS)
def test_an_error_of_a_reading_changes_what_follows_as_it_is_said_to(plan: Plan, method: str) -> None:
    """What is entered, and the figures: also where the distance counts from a place aside of the hubs."""
    proxy = plan.procedure.proxy.model_copy(update={"forward": 900.0, "left": -700.0})
    scene = planted(replace(plan, procedure=plan.procedure.model_copy(update={"proxy": proxy})))
    before, tried = read(scene, "marks", method).newest, 0
    assert before is not None
    was = {one.id: one for one in before.located.given.observations}
    known = [(what, line, before.derived(what, line)) for what in FIGURES for line in sorted(before.known)]
    effects = [dict(before.located.shares(derived.gradient)) for _, _, derived in known]
    typed = {*base(scene), *METHODS[method].exact(scene)}
    for act in before.acts:
        if act.slot.id not in typed or act.what is not None:
            continue
        error = 0.1 if act.slot.quantity is not None and act.slot.quantity.unit == "mm" else 0.01
        after = read(scene, "marks", method, but={act.slot.id: error}).newest
        assert after is not None
        now = {one.id: one.value for one in after.located.given.observations}
        for name, factor in act.effect:
            if name in was:
                assert now[name] - was[name].value == pytest.approx(factor * error, rel=2e-3, abs=1e-9), act.slot.id
                tried += 1
        for (what, line, derived), effect in zip(known, effects, strict=True):
            wanted = sum(f * error * effect[name] / was[name].u for name, f in act.effect if name in was)
            change = after.derived(what, line).value - derived.value
            assert change == pytest.approx(wanted, rel=0.02, abs=2e-3 if what in ("distance", "offset") else 1e-5), (
                act.slot.id,
                what,
                line,
            )
    assert tried


def test_the_roof_plane_believes_emblems_only_as_far_as_the_pairs_do(plan: Plan) -> None:
    scene = planted(plan)
    blind = read(scene, "roof").newest
    assert blind is not None
    assert blind.line == "body"
    at = plan.target_x
    assert abs(blind.line_at(at).value) < 2 * blind.line_at(at).u
    assert blind.line_at(at).u > 2
    on_tape = {k: v for k, v in METHODS["marks"].exact(scene).items() if k.startswith(("pair", "emblem"))}
    told = Epochs(rehearsed({**base(scene), **on_tape, **METHODS["roof"].exact(scene)}, tool), plan).newest
    assert told is not None
    assert told.line_at(at).value == pytest.approx(0, abs=0.3)
    assert told.line_at(at).u < 0.6 * blind.line_at(at).u


def test_alone_a_ruler_cannot_square_and_mirrors_cannot_place(plan: Plan) -> None:
    scene = planted(plan)
    turned = replace(scene, pose=scene.pose.model_copy(update={"yaw_deg": 1.2}))
    first, second = (METHODS["rulers"].exact(s) for s in (scene, turned))
    assert max(abs(first[k] - second[k]) for k in first) < 0.5, "turned about its middle, the rulers hardly change"
    values = METHODS["mirrors"].exact(scene)
    epochs = Epochs(rehearsed(values, tool), plan)
    assert epochs.newest is None
    loose = epochs.turned_only(0)
    assert loose is not None
    assert loose.derived("square", "thrust").value == pytest.approx(0.58, abs=1e-3)
    assert loose.derived("square", "thrust").u < 0.05
    assert not loose.tells("distance")


def told_by(scene: Scene, *methods: str, without: tuple[str, ...]) -> EpochSolution | None:
    """What some methods tell without what is left out, by how its slots begin."""
    values = base(scene)
    for method in methods:
        values |= METHODS[method].exact(scene)
    kept = {slot: value for slot, value in values.items() if not slot.startswith(without)}
    return Epochs(rehearsed(kept, tool, 1, {"side.which": "left"}), scene.plan).newest


@pytest.mark.parametrize(("yaw", "by_hub"), [(0.46, True), (2.0, True), (0.46, False), (2.0, False), (0.01, False)])
def test_how_far_a_mirror_is_may_stay_unread(plan: Plan, yaw: float, by_hub: bool) -> None:
    scene = planted(plan)
    scene = replace(scene, pose=scene.pose.model_copy(update={"yaw_deg": yaw}))
    methods, tapes = (("mirrors", "rulers", "hubs"), ("tape",)) if by_hub else (("mirrors",), ())
    whole = told_by(scene, *methods, without=tapes)
    blind = told_by(scene, *methods, without=("mirror.left.distance", "mirror.right.distance", *tapes))
    assert whole is not None
    assert blind is not None
    read, unread = (solution.derived("square", "thrust") for solution in (whole, blind))
    assert read.value == pytest.approx(yaw + 0.12, abs=5e-4)
    assert abs(unread.value - read.value) <= 2 * unread.u
    # The beam is turned by its angle to the thrust line: what a wrong distance does is a share of that.
    share = (10.0 if by_hub else 300.0) / scene.before_beam(scene.hub("LR"))
    assert unread.u == pytest.approx(math.hypot(read.u, (yaw + 0.12) * share), rel=0.1)


def test_one_wheels_ruler_is_enough_where_mirrors_tell_the_toe(plan: Plan) -> None:
    scene = planted(plan)
    beams = ("mirrors", "rulers", "hubs")
    both, one = (told_by(scene, *beams, without=left_out) for left_out in (("tape",), ("tape", "ruler.RR")))
    assert both is not None
    assert one is not None
    of_both, of_one = (solution.derived("offset", "thrust") for solution in (both, one))
    assert of_one.value == pytest.approx(of_both.value, abs=0.1)
    assert of_both.u < of_one.u < 5.0
    assert told_by(scene, "rulers", "hubs", without=("tape", "ruler.RR")) is None, "nothing else tells the toe"


def test_what_two_methods_say_agrees_or_names_the_misread_pair(plan: Plan) -> None:
    scene = planted(plan)
    straight = replace(scene, mark_off={}, emblem_off={})
    agree = read(straight, "marks", "printout", "mirrors")
    assert agree.newest is not None
    assert agree.newest.trusted
    misread = read(straight, "marks", "printout", but={"pair.front.2.left": 18.0})
    assert misread.newest is not None
    assert misread.newest.suspects == (ObservationId("pair_front", "2"),)


@pytest.mark.parametrize("method", [m for m in METHODS if m != "none"])
def test_every_method_says_what_it_needs_and_reads_what_it_draws(plan: Plan, method: str) -> None:
    school = METHODS[method]
    exact = school.exact(Scene.nominal(plan))
    for slot in school.slots(plan):
        if slot.quantity is not None:
            assert slot.quantity.low <= exact[slot.id] <= slot.quantity.high, slot.id
    assert school.tells
    assert school.cannot
    assert school.materials
    assert school.steps
    assert school.sights(Scene.nominal(plan)) or method == "printout"


def test_a_tape_is_one_instrument_at_every_temperature_and_another_after_a_check(plan: Plan) -> None:
    scene = planted(plan)
    state = rehearsed({**base(scene), **METHODS["marks"].exact(scene)}, tool, 1)
    checked = ToolUsed(id="t", name="t", seq=4, contributions=NEARLY.model_copy(update={"bias": 0.4, "u_bias": 0.1}))

    def with_tapes(*slots: str, **change: object) -> set[str]:
        entries = dict(state.entries)
        for slot in slots:
            said = entries[slot][0].said.model_copy(update=change)
            entries[slot] = (replace(entries[slot][0], said=said),)
        solution = Epochs(replace(state, entries=entries), plan).newest
        assert solution is not None
        assert {id.instrument for id in solution.observations if id.source == "tape"} == {"t"}
        return {name for name, _ in solution.located.given.instruments}

    marks = {"mark-front", "mark-rear", "crossing set", "plumbed", "wheelbase", "rear axle"}
    assert with_tapes("tape.LF.LF_end", "tape.RF.LF_end", temperature=9.0) == {"t", "t %", *marks}
    assert with_tapes("tape.LF.LF_end", "tape.RF.LF_end", tool=checked) == {"t", "t 2", "t %", *marks}
