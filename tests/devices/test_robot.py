"""The robot technician arrives by obeying; the plain one takes the worst axis first and needs more rounds."""

import statistics
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import pytest

from escuadra.core.visit.log.events import Disturbed
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.prediction import mechanics, predicted, taught
from escuadra.core.visit.slots import Slot
from escuadra.devices.robot import PlainTechnician, Robot, frame_only
from escuadra.devices.virtual_bay import Knobs, VirtualBay
from escuadra.rehearsal.technician import Technician
from escuadra.words import language

say = language().say

LIMITS = {"yaw": 0.25, "centre": 4.0, "distance": 5.0, "height": 4.0}
STARTS = [(70.0, -64.0, 3.1, -58.0), (-41.0, 22.0, -3.8, 33.0), (12.0, 77.0, 1.4, 71.0), (-80.0, -80.0, 4.0, 80.0)]


@pytest.fixture
def plan(teo: Technician) -> Plan:
    return frame_only(teo.opened.sheet.plan)


@pytest.mark.parametrize("start", STARTS)
def test_a_robot_that_obeys_arrives_in_few_rounds(plan: Plan, start: tuple[float, float, float, float]) -> None:
    bay = VirtualBay(plan, start, seed=11)
    robot = Robot(bay)
    assert robot.work(), say(robot.desk.sheet.next.sentence)
    off = bay.off()
    assert {axis: abs(off[axis]) <= limit for axis, limit in LIMITS.items()} == dict.fromkeys(LIMITS, True)
    assert robot.rounds <= 3
    assert robot.moves > robot.rounds, "several moves make a round"


def test_an_axle_is_called_crooked_once_what_tells_it_was_read_again(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest
    import robots

    k = next(k for k, plan in enumerate(robots.plans()) if plan.procedure.id == "BC-CAM-01")
    plan, start = honest.begun(k)
    bay = honest.UnlikeBay(plan, start, k, by_beams=True)
    bay.scene = replace(bay.scene, toe={"LF": 0.1, "RF": 0.1, "LR": 0.7, "RR": -0.5})
    robot = honest.Person(bay, k, "")
    assert robot.visit().stuck == "blocked blocked.lines thrust"
    again = {slot for slot, looks in robot.desk.state.entries.items() if any(e.replaced_by for e in looks)}
    assert {slot.partition(".")[0] for slot in again} == {"mirror", "hubs"}, "the axle against the front hubs"

    straight = honest.Person(honest.UnlikeBay(plan, start, k, by_beams=True), k, "")
    assert straight.visit().done
    read = straight.desk.state.entries
    assert not [slot for slot in read if slot.startswith("tape")], "the plan promised to do without"
    assert [len(read[f"mirror.{side}.second"]) for side in ("left", "right")] == [1, 1], (
        "half a turn on, once a seating"
    )


def test_what_is_nearly_out_is_turned_in_the_round_of_a_roll(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest
    import robots

    class Told(honest.UnlikeBay):
        """Keeps what it was told to move."""

        def obey(self, happening: str, by: Mapping[str, float]) -> None:
            moves.append(happening)
            super().obey(happening, by)

    moves: list[str] = []
    k = next(k for k, plan in enumerate(robots.plans()) if plan.procedure.id == "BL-RAD-01")
    plan, start = honest.begun(k)
    assert honest.Person(Told(plan, start, k), k, "").visit().done
    assert moves == ["yaw", "slide", "roll", "height"], "a turn after the roll would spoil what was read since"


def test_what_two_looks_showed_alike_is_doubted_after_what_one_did(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest
    import robots

    every = [plan.procedure.id for plan in robots.plans()]
    ended = honest.one((every.index("QE-CAM-01") + len(every) * honest.BLUNDERS.index("10 mm"), True))
    assert ended.blunder == "10 mm: height.LF_end"
    assert ended.asked == ("height.RF_end", "height.LF_end"), "the level between them was read twice"


class Noting(Robot):
    """Keeps the order of what it reads and moves."""

    def begin(self) -> None:
        self.order = list[str]()
        super().begin()

    def _read(self, slot: Slot) -> None:
        self.order.append(slot.id)
        super()._read(slot)

    def _moved(self) -> None:
        self.order.append("move")
        super()._moved()


@pytest.mark.parametrize(
    ("start", "far"),
    [
        ((70.0, -64.0, 1.1, -58.0), True),
        ((29.5, -21.4, 0.4, -20.0), True),  # beyond its limits by its u, and not yet by its U
        ((0.5, 0.5, 0.02, 0.5), False),
    ],
)
def test_a_frame_is_about_in_place_before_it_is_levelled(
    plan: Plan, start: tuple[float, float, float, float], far: bool
) -> None:
    robot = Noting(VirtualBay(plan, start, seed=11))
    assert robot.work()
    order = [one for one in robot.order if one.partition(".")[0] in ("move", "level", "tape", "height")]
    assert order[0].startswith("tape"), order
    assert ("move" in order) == far
    before = order[: order.index("move" if far else "level.roll")]
    assert not [one for one in before if one.startswith("level")]
    assert ("height.target" in before) == far, "it is cranked in the same round"
    assert len(set(before)) == len(before), "what is read anew after a move is not read twice before"
    assert robot.rounds <= (2 if far else 0)


@pytest.mark.parametrize("start", [(27.6, 20.6, -0.3, -19.3), (60.0, 40.0, 0.24, -40.0), (3.0, 40.0, 0.24, -2.0)])
def test_what_a_move_spoils_anyway_is_not_read_twice_before_it(
    plan: Plan, start: tuple[float, float, float, float]
) -> None:
    robot = Noting(VirtualBay(plan, start, seed=12))
    assert robot.work()
    before = [one for one in robot.order[: robot.order.index("move")] if not one.startswith("slope")]
    assert len(set(before)) == len(before)
    assert robot.rounds == 1, "what is nearly out is moved in the same round"


def test_what_a_slide_left_true_is_guarded_where_the_frame_stands_now(plan: Plan) -> None:
    robot = Noting(VirtualBay(plan, (0.5, 30.0, 0.02, 0.5), seed=11))
    assert robot.work()
    last = len(robot.order) - robot.order[::-1].index("move")
    assert len(set(robot.order[: robot.order.index("move")])) == robot.order.index("move"), "nothing twice before it"
    assert [one for one in robot.order[last:] if one.startswith("tape")], "tapes were read once, before the slide"
    sheet = robot.desk.sheet
    tapes = {say(view.slot.label) for id, view in sheet.slots.items() if id.startswith("tape")}
    rests_on = {say(view.judgement.guard.rests_on) for view in sheet.checks if view.judgement.guard is not None}
    assert not tapes & rests_on
    looked_again = robot.order[last:]
    tapes_at = [k for k, one in enumerate(looked_again) if one.startswith("tape")]
    assert max(tapes_at) < len(looked_again) - 1 - looked_again[::-1].index("level.pitch"), (
        "where it stands comes first"
    )
    assert robot.order.count("level.roll") == 1, "the heights of both ends guard it"
    assert robot.order.count("height.RF_end") == 1


def test_the_plain_technician_goes_round_more_often(plan: Plan) -> None:
    obeying: list[int] = []
    plain: list[int] = []
    for k, start in enumerate(STARTS):
        for found, kind in ((obeying, Robot), (plain, PlainTechnician)):
            at_work = kind(VirtualBay(plan, start, seed=20 + k))
            assert at_work.work()
            found.append(at_work.rounds)
    assert statistics.median(obeying) <= 0.5 * statistics.median(plain)


def test_a_robot_of_the_bench_holds_at_every_place_of_the_frame(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest
    import robots

    of_three = next(k for k, plan in enumerate(robots.plans()) if plan.procedure.id == "BL-CAM-02")
    ended = honest.one((of_three, False))
    assert (ended.done, ended.stuck, ended.out) == (True, "", ())
    assert {kind: len(off) for kind, off in ended.off.items()} == dict.fromkeys(honest.QUANTITIES, 3)


MISREAD = (
    ("BL-RAD-03", "height.LF_end", 100.0, True, False),  # it nearly fits: looked at before the body is called bent
    ("BL-RAD-07", "slope.wheels.across", 2.0, False, False),
    ("BL-RAD-07", "crossing", 100.0, False, False),  # before the frame is slid: the distance is read all the same
    ("BC-CAM-01", "mirror.left.first", -100.0, True, True),  # the axle would be crooked, and nothing else tells
    ("BL-RAD-07", "hubs.LF", 100.0, True, True),
    ("BL-RAD-01", "tape.RR.RF_end", 100.0, True, True),  # what the lines make of it is not theirs to doubt
    ("BL-RAD-07", "sensor.offset", 100.0, False, True),
    ("BL-RAD-07", "mirror.right.second", -100.0, False, True),  # a tape that was read twice is not asked for again
    ("BL-RAD-03", "mirror.right.first", -100.0, False, True),  # read anew it is right, and its half turn stays wrong
)


@pytest.mark.parametrize(("sheet", "slot", "by", "moved", "beams"), MISREAD)
def test_a_misread_figure_is_no_dead_end(
    monkeypatch: pytest.MonkeyPatch, sheet: str, slot: str, by: float, moved: bool, beams: bool
) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest
    import robots

    class Misreading(honest.Person):
        """Misreads one slot once; ``moved``: after the first move."""

        def _read(self, read: Slot) -> None:
            if read.id == slot and not self.slip and bool(self.moves) == moved:
                self.planted = (self.count + 1, by)
            super()._read(read)

    k = next(k for k, plan in enumerate(robots.plans()) if plan.procedure.id == sheet)
    plan, start = honest.begun(k)
    ended = Misreading(honest.UnlikeBay(plan, start, k, by_beams=beams), k, "").visit()
    assert (ended.done, ended.stuck, ended.out) == (True, "", ())


@pytest.mark.parametrize(
    ("k", "blunder"),
    [
        (51, "swapped: tape.LF.LF_end"),  # the whole frame would be set down elsewhere for it
        (88, "bump: bump"),  # before a slide: what was read before it cannot be read again as it was
        (195, "bump: bump"),
    ],
)
def test_a_blunder_before_a_move_is_no_dead_end(monkeypatch: pytest.MonkeyPatch, k: int, blunder: str) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest

    ended = honest.one((k, True))
    assert (ended.blunder, ended.done, ended.stuck, ended.out) == (blunder, True, "", ())
    assert ended.named


def test_a_tape_along_one_side_does_without_one_to_the_beam(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest
    import robots

    k = next(k for k, plan in enumerate(robots.plans()) if plan.procedure.id == "BL-RAD-04")
    robot = honest.Person(honest.UnlikeBay(*honest.begun(k), k, by_beams=True), k, "")
    assert robot.visit().done
    read = {slot for slot in robot.desk.state.entries if slot.startswith(("tape.", "height.", "wheelbase."))}
    assert read <= {"wheelbase.L", "wheelbase.R", "height.target"}
    assert [len(looks) for slot, looks in robot.desk.state.entries.items() if slot.startswith("wheelbase.")] == [1, 1]


def test_one_wheels_beam_read_once_more_after_a_slide_counts_with_the_others_before_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.syspath_prepend(Path(__file__).parents[2] / "bench")
    import honest
    import robots

    k = next(k for k, plan in enumerate(robots.plans()) if plan.procedure.id == "BL-RAD-03")
    robot = honest.Person(honest.UnlikeBay(*honest.begun(k), k, by_beams=True), k, "")
    assert robot.visit().done
    desk, slot = robot.desk, robot.desk.sheet.slots["mirror.right.first"].slot
    desk.say(Disturbed(what="slide", source="told", by={"left": 0.5}))
    desk.read(slot.id, robot.bay.read(slot), robot.bay.tool(slot))
    solution = desk.sheet.epochs.solution(desk.sheet.epochs.epoch)
    assert solution is not None
    pairs = [id for id in solution.observations if id.source == "mirrors"]
    assert len({id.place for id in pairs}) == len(pairs), "once at each place"
    assert pairs[-1].place == desk.sheet.epochs.stays(desk.sheet.epochs.epoch)[-1].body
    assert desk.state.seq in {act.seq for act in solution.acts}, "what was read tells of where the frame stands now"


def test_the_screw_is_learned_while_it_is_turned(plan: Plan) -> None:
    bay = VirtualBay(plan, (30.0, 10.0, 3.9, 0.0), seed=5)
    bay.knobs = Knobs(0.40, 0.05, 1.0, 1.0)
    robot = Robot(bay)
    assert robot.work()
    epochs = robot.desk.sheet.epochs
    assert taught(epochs)
    known = mechanics(epochs)
    assert known.moves == len(taught(epochs)) >= 1
    assert known.deg_per_turn == pytest.approx(0.40, abs=max(3 * known.u_deg_per_turn, 0.01))
    assert known.u_deg_per_turn < 0.02


class Bumped(VirtualBay):
    """A bay in which somebody walks into the frame in the middle of a round."""

    def obey(self, happening: str, by: Mapping[str, float]) -> None:
        super().obey(happening, by)
        if happening == "yaw":
            self.scene = type(self.scene)(self.plan, self._pushed(23.0, -17.0, 0.4), self.scene.toe)


def test_after_a_bump_nothing_is_predicted(plan: Plan) -> None:
    bay = VirtualBay(plan, (30.0, 10.0, 2.0, 0.0), seed=5)
    robot = Robot(bay)
    while (move := robot._next(robot.desk.sheet)) is not None and not move[0]:
        robot._read(robot.desk.sheet.slots[move[2]].slot)
    assert move is not None
    robot.desk.say(Disturbed(what="yaw", source="told", by=dict(move[1])))
    assert predicted(robot.desk.sheet.epochs) is not None
    robot.desk.say(Disturbed(what="bump"))
    assert predicted(robot.desk.sheet.epochs) is None
    assert robot.desk.sheet.next.kind == "read"


def test_a_bump_that_nobody_told_costs_a_round_and_is_mended(plan: Plan) -> None:
    bay = Bumped(plan, (40.0, 30.0, 2.4, 20.0), seed=9)
    robot = Robot(bay)
    assert robot.work()
    assert all(abs(bay.off()[axis]) <= limit for axis, limit in LIMITS.items())
