"""The line of a job: planned, read, judged in words; carried onto the floor; and no line where none is needed."""

import math

import pytest

from escuadra.commands import Garage
from escuadra.commands.lines import PlanLines, asked_plan, shelf
from escuadra.commands.rig import TakeLook
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.visit.both_lines import answers
from escuadra.core.visit.checks.frame import PoseCheck
from escuadra.core.visit.floor_marks import control_name, floor_marks
from escuadra.core.visit.line_plan import default_plan, expected_accuracy, offer, offers
from escuadra.core.visit.line_report import agreement, contributions, facts, side_by_side
from escuadra.core.visit.log.events import LinePlanned, ReadingTaken
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.scene import Scene
from escuadra.devices import SimulatedRig
from escuadra.rehearsal.technician import Technician
from tests.english import refused, told

TOOLS = {"tape": "tape-4", "scale": "laser-2", "beam": "clamps-2", "printout": "printout", "rule": "rule-3"}


def read_method(who: Technician, method: str, scene: Scene, but: dict[str, float] | None = None) -> None:
    """Everything that a method reads in a scene, as a person would read it."""
    for slot in METHODS[method].slots(scene.plan):
        if slot.ask != "number" or slot.optional:
            continue
        value = METHODS[method].exact(scene)[slot.id] + (but or {}).get(slot.id, 0.0)
        word = ("plus" if value >= 0 else "minus") if slot.way else ""
        places = 2 if slot.reads == "printout" else 1
        who.read(slot.id, f"{abs(value) if slot.way else value:.{places}f}", TOOLS[slot.reads], word)


def planned(who: Technician, *methods: str, **more: object) -> None:
    who.garage.do(PlanLines(who.job, LinePlanned(methods=list(methods), **more)), who.person, who.id())


def line_checks(who: Technician) -> list[str]:
    return [view.check.id for view in who.opened.sheet.checks if view.check.group == "line"]


def test_a_plan_becomes_the_list_of_readings(teo: Technician) -> None:
    assert line_checks(teo) == ["centreline", "thrust"]
    planned(teo, "mirrors", "strings", times=2, rear_tapes=True, rectangle=True)
    assert line_checks(teo) == ["method_strings", "method_mirrors", "thrust", "rectangle"]
    teo.read("string.span", "426", "rule-3")
    view = teo.check("method_strings")
    assert view is not None
    assert view.state == "open"
    assert view.judgement.summary is None, "two readings of each place were planned"
    teo.read("string.span", "426", "rule-3")
    view = teo.check("method_strings")
    assert view is not None
    assert told(view.judgement.summary) == "1 of 11 read"
    square = teo.check("square").check
    assert isinstance(square, PoseCheck)
    needed = {s.id for s in square.required_in(teo.opened.sheet.epochs, 0)}
    assert "tape.LR.LF_end" in needed
    planned(teo, "marks")
    assert "method_mirrors" not in line_checks(teo)
    assert "method_strings" in line_checks(teo), "what is read counts, planned or not"


@pytest.mark.parametrize(
    "fields, field",
    [
        ({}, "methods"),
        ({"method.marks": "yes", "times": "9"}, "times"),
        ({"method.none": "yes"}, "methods"),
        ({"method.marks": "yes", "tool.tape": "level-1"}, "tools"),
    ],
)
def test_a_plan_that_is_none_is_refused(teo: Technician, fields: dict[str, str], field: str) -> None:
    with pytest.raises(BadInput) as caught:
        teo.garage.do(PlanLines(teo.job, asked_plan(fields)), teo.person, teo.id())
    assert caught.value.field == field


def test_the_budget_is_what_the_readings_then_reach(teo: Technician) -> None:
    plan = teo.opened.sheet.plan
    tools = {"tape": "tape-4", "height": "tape-4"}
    asked = LinePlanned(methods=["marks"], tools=tools)
    promised = expected_accuracy(plan, asked, shelf(teo.garage, plan))
    teo.line()
    teo.level()
    teo.tapes((0, 0, 0), sure=False)
    solution = teo.opened.sheet.epochs.newest
    assert solution is not None
    assert promised.offset == pytest.approx(2 * solution.derived("offset", "body").u, rel=0.05)
    assert promised.square == pytest.approx(2 * solution.derived("square", "body").u, rel=0.05)


def test_what_helps_is_said_and_does_help(teo: Technician) -> None:
    plan, tools = teo.opened.sheet.plan, shelf(teo.garage, teo.opened.sheet.plan)
    coarse = LinePlanned(methods=["mirrors"], tools={"tape": "tape-7"})
    found = offer(plan, tools, coarse)
    assert not found.decides
    assert told(found.helps) == "The finest instruments and tapes to the rear hubs too: then it decides."
    finest = coarse.model_copy(update={"tools": {"tape": "tape-4"}})
    assert not offer(plan, tools, finest).decides, "the rear axle's place hangs on the model"
    assert offer(plan, tools, finest.model_copy(update={"rear_tapes": True})).decides
    every = {o.method: o for o in offers(plan, tools, default_plan(plan))}
    assert set(every) == set(METHODS)
    assert every["printout"].changes == 0 < every["marks"].changes <= every["strings"].changes
    assert every["rulers"].expected_accuracy.offset is not None
    assert every["roof"].expected_accuracy.offset is not None
    assert every["roof"].expected_accuracy.offset > 3 * every["rulers"].expected_accuracy.offset


def test_methods_are_told_side_by_side(teo: Technician) -> None:
    teo.line(("0.12", "0.06"))
    planned(teo, "marks", "printout", "strings")
    scene = Scene(
        teo.opened.sheet.plan,
        teo.opened.sheet.plan.nominal_goal,
        {"LF": 0.07, "RF": 0.07, "LR": 0.12, "RR": 0.06},
    )
    read_method(teo, "strings", scene)
    epochs = teo.opened.sheet.epochs
    assert {told(title) for title, _ in answers(epochs)} >= {"Wheel-alignment printout", "Strings along both sides"}
    assert "These agree: Wheel-alignment printout and Strings along both sides." in told(agreement(epochs))
    rows = side_by_side(epochs)
    assert [told(row.place) for row in rows] == ["the rear axle", "the front axle", "target"]
    assert all(row.thrust and row.body and row.apart for row in rows)
    printed = {told(fact.label): told(fact.text) for fact in facts(epochs)}
    assert printed["LR toe, by the strings"].endswith("toe-in")
    assert printed["LR toe, printed"] == "0.12° toe-in"
    assert "Front setback" in printed
    vehicle = teo.opened.sheet.plan.vehicle
    assert printed["Track front, by the strings"] == f"{vehicle.hub_track_front:,.0f}\u202fmm".replace(",", "\u202f")
    planned(teo, "marks", "rack")
    for slot, typed in (("apart", "2400"), ("near", "310"), ("far", "331")):
        teo.read(f"rack.{slot}", typed, "tape-4")
    turned = {told(fact.label): told(fact.text) for fact in facts(teo.opened.sheet.epochs)}
    assert turned["The runway, against the frame's beam"] == "0.50° left", "its edge falls away from the beam"
    line, shares = contributions(epochs)
    assert told(line) == "thrust line"
    assert math.fsum(c.share for c in shares) == pytest.approx(1)
    assert {"the alignment printout", "the strings along both sides"} <= {told(c.source) for c in shares}


def test_methods_that_contradict_each_other_leave_the_lines_undecided(teo: Technician) -> None:
    teo.line(("0.12", "0.06"))
    planned(teo, "marks", "printout", "strings")
    plan = teo.opened.sheet.plan
    read_method(teo, "strings", Scene(plan, plan.nominal_goal, {"LF": 0.07, "RF": 0.07, "LR": 0.55, "RR": -0.35}))
    view = teo.check("thrust")
    assert view is not None
    assert view.state == "undecided"
    assert "share the blame" in told(view.judgement.inconsistency) or "contradicts itself" in told(
        view.judgement.inconsistency
    )


MOST_SUSPECTS = 20


def confirm(who: Technician, slot: str) -> None:
    """Read again what was read, and it reads the same; or what was not read yet."""
    read = who.opened.state.live(slot)
    if not read:
        who.look(slot, (0, 0, 0))
        return
    said = read[-1].said
    assert isinstance(said, ReadingTaken)
    who.read(slot, said.typed, said.tool.id, ("plus" if said.value >= 0 else "minus") if said.way else "", True)


def test_a_front_that_is_off_is_measured_first_and_an_emblem_is_not_believed(teo: Technician) -> None:
    teo.ready()
    teo.stance(0, 0, 0, 0)
    teo.line()
    teo.read("emblem.front", "1208", "tape-4")
    view = teo.check("centreline")
    assert view is not None
    assert "The front emblem sits 5.0\u202fmm left" in told(view.judgement.remark)
    assert "don't aim by it" in told(view.judgement.remark)
    plan = teo.opened.sheet.plan
    teo.level()
    teo.tapes((0, 0, 0))
    bent = Scene(plan, plan.nominal_goal, dict.fromkeys(("LF", "RF", "LR", "RR"), 0.06), body_off={"front": -11.0})
    teo.read("crossing", f"{METHODS['marks'].exact(bent)['crossing']:.1f}", "laser-2", replaces=True)
    for _ in range(MOST_SUSPECTS):
        lines = teo.check("thrust")
        assert lines is not None
        if lines.state == "out":
            break
        assert "contradict" in told(lines.judgement.inconsistency)
        confirm(teo, teo.opened.sheet.next.slot)
    assert lines.state == "out", "what may be wrong instead was read again, and read the same"
    assert "mm right of the rear pairs' line: measure the body before aiming" in told(lines.judgement.remark)
    assert "The limit for the front against the rear pairs is a cautious default" in told(lines.judgement.remark)


def test_beams_square_before_tapes_place(teo: Technician) -> None:
    plan = teo.opened.sheet.plan
    planned(teo, "mirrors")
    pose = plan.nominal_goal.model_copy(update={"yaw_deg": 0.9})
    read_method(teo, "mirrors", Scene(plan, pose, dict.fromkeys(("LF", "RF", "LR", "RR"), 0.1)))
    sheet = teo.opened.sheet
    assert sheet.check("method_mirrors").state == "holds"  # type: ignore[union-attr]
    assert "the line itself waits for the frame's tapes" in told(sheet.check("thrust").judgement.remark)  # type: ignore[union-attr]
    square = sheet.check("square").judgement.figures[0]  # type: ignore[union-attr]
    assert square.value == pytest.approx(0.9, abs=0.02)
    assert sheet.check("square").state == "open", "the tapes are still needed"  # type: ignore[union-attr]
    teo.happen("slide")
    assert teo.check("method_mirrors").state == "holds"
    teo.happen("yaw")
    assert teo.check("method_mirrors").state == "stale"
    # Half a turn on counts with the first spot beside which it was read: another one is no second look at it.
    turned = plan.nominal_goal.model_copy(update={"yaw_deg": 0.2})
    read_method(teo, "mirrors", Scene(plan, turned, dict.fromkeys(("LF", "RF", "LR", "RR"), 0.1)))
    sheet = teo.opened.sheet
    second = sheet.slots["mirror.left.second"]
    assert [len(second.now), len(second.spoiled)] == [1, 1]
    assert not told(sheet.check("method_mirrors").judgement.inconsistency)  # type: ignore[union-attr]
    assert sheet.check("square").judgement.figures[0].value == pytest.approx(0.2, abs=0.02)  # type: ignore[union-attr]


def test_a_rig_takes_the_place_of_tapes_and_refuses_what_moves(teo: Technician) -> None:
    plan = teo.opened.sheet.plan
    planned(teo, "rig")
    teo.floor()
    teo.level()
    rig = SimulatedRig(Scene.nominal(plan, 0.06), seed=3)
    key = teo.id()
    rig.move(teo.garage.clock(), left=2.0)
    with refused(Conflict, match="still moves"):
        teo.garage.do(TakeLook(teo.job, rig), teo.person, key)
    rig.connected = False
    with pytest.raises(ConnectionError):
        teo.garage.do(TakeLook(teo.job, rig), teo.person, teo.id())
    rig.connected = True
    teo.at += 5000
    teo.garage.do(TakeLook(teo.job, rig), teo.person, teo.id())
    teo.assure()
    sheet = teo.opened.sheet
    for check in ("method_rig", "distance", "square"):
        assert sheet.check(check).state == "holds", check  # type: ignore[union-attr]
    assert sheet.check("centred").judgement.figures[0].value == pytest.approx(2, abs=3.6)  # type: ignore[union-attr]
    assert not [e for slot in sheet.state.entries for e in sheet.state.entries[slot] if slot.startswith("tape")]
    teo.garage.do(TakeLook(teo.job, rig), teo.person, teo.id())
    assert len(teo.opened.sheet.slots["rig.front"].now) == 1, "seen again where it stood: replaced"
    assert not teo.opened.state.disturbances
    rig.move(teo.garage.clock(), away=40.0)
    teo.at += 5000
    teo.garage.do(TakeLook(teo.job, rig), teo.person, teo.id())
    assert [past.what for past in teo.opened.state.disturbances] == ["roll"], "what it sees elsewhere was rolled there"
    assert teo.check("distance").judgement.figures[0].value == pytest.approx(2680, abs=2)


def test_touching_the_bumper_stands_in_for_the_front_marker(teo: Technician) -> None:
    plan = teo.opened.sheet.plan
    planned(teo, "rig")
    teo.floor()
    teo.level()
    exact = METHODS["rig"].exact(Scene.nominal(plan, 0.06))
    slots = [slot for slot in METHODS["rig"].slots(plan) if slot.id != "rig.front"]
    for slot in slots:
        word = ("plus" if exact[slot.id] >= 0 else "minus") if slot.way else ""
        teo.read(slot.id, f"{abs(exact[slot.id]) if word else exact[slot.id]:.1f}", "rig-1", word)
    teo.assure()
    sheet = teo.opened.sheet
    assert sheet.check("method_rig").state == "holds"  # type: ignore[union-attr]
    assert sheet.check("distance").state == "holds"  # type: ignore[union-attr]


def test_marks_on_the_floor_lie_on_the_line_and_are_found_by_tapes(teo: Technician) -> None:
    teo.line(("0.12", "0.06"))
    epochs = teo.opened.sheet.epochs
    marks = {told(m.words): m for m in floor_marks(epochs)}
    middle = marks["the target: middle"]
    assert middle.y == pytest.approx(epochs.lines.line_at(middle.x).value)  # type: ignore[union-attr]
    a, b = (teo.opened.sheet.plan.vehicle.hub(name.removeprefix("hub.")) for name in middle.found.pair)  # type: ignore[arg-type]
    assert middle.found.distances == pytest.approx(
        [math.dist(a, (middle.x, middle.y)), math.dist(b, (middle.x, middle.y))], abs=0.2
    )
    assert 0.5 < middle.u_across < 4
    held = {"hub.RF": "RF hub", "mark.front": "front centre mark", "mark.rear": "rear centre mark"}
    assert {control: told(control_name(control)) for control in held} == held


def test_a_pitch_only_sheet_asks_why_there_is_no_line(garage: Garage) -> None:
    nuno = Technician(garage, garage.clock(), "nuno")
    nuno.take_in(number="T-9", reason="front radar replaced", bay="Norte", procedure="QR-RAD-01")
    assert line_checks(nuno) == ["line"]
    nuno.answer("line.none", "pitch_only")
    view = nuno.check("line")
    assert view is not None
    assert view.state == "holds"
    assert nuno.opened.sheet.next.check != "line"


def test_a_radar_sheet_counts_from_the_emblem_that_stands_in_for_it(garage: Garage) -> None:
    who = Technician(garage, garage.clock(), "amara")
    who.take_in(number="T-8", reason="front radar replaced", bay="Norte", procedure="BL-RAD-01")
    plan = who.opened.sheet.plan
    assert plan.target_x == pytest.approx(3642 + 948 - 120 + 935)
    who.line()
    who.level()
    who.tapes((3, 0, 0))
    figure = who.check("distance").judgement.figures[0]
    assert told(figure.label) == "Distance from the emblem"
    assert figure.value == pytest.approx(935 + 3, abs=1)
    who.answer("rect.side", "left")
    note = who.check("rectangle").judgement.remark
    assert (
        told(note)
        == "The emblem stands in for a datum 120\u202fmm behind, 132\u202fmm right and 41\u202fmm below of it."
    )


def test_a_rectangle_says_where_the_mark_belongs_and_what_does_not_close(garage: Garage) -> None:
    who = Technician(garage, garage.clock(), "amara")
    who.take_in(number="T-8", reason="front radar replaced", bay="Norte", procedure="BL-RAD-01")
    who.answer("rect.side", "left")
    first = "The rectangle does not close: sides and diagonals contradict each other."
    cases: list[tuple[dict[str, float], str, str]] = [
        ({}, "", "The emblem stands in for"),
        ({"diagonal": 12}, f"{first} One of these is wrong; read again in this order: Diagonal", "4.1 mm towards the"),
        ({"diagonal": 6, "cross": -6}, "", "0.8 mm towards the vehicle"),
        ({"back": 9}, f"{first} One of these is wrong", "Move the mark 1.5 mm away from the vehicle"),
    ]
    for off, contradiction, remark in cases:
        slots = who.opened.sheet.slots
        for name in ("out", "along", "back", "diagonal", "cross", "straight"):
            typed = (slots[f"rect.{name}"].slot.wanted or 0) + off.get(name, 0)
            who.read(f"rect.{name}", f"{typed:.0f}", "tape-4", replaces=True)
        judged = who.check("rectangle").judgement
        assert judged.complete
        assert told(judged.inconsistency).startswith(contradiction)
        assert bool(judged.inconsistency) == bool(contradiction)
        assert remark in " ".join(told(judged.remark).split())
        assert ("Move" in told(judged.remark)) == bool(off)


def test_a_distance_straight_from_a_part_is_read_after_a_slide_that_came_first(garage: Garage) -> None:
    who = Technician(garage, garage.clock(), "amara")
    who.take_in(number="T-9", reason="front radar replaced", bay="Norte", procedure="BL-RAD-07")
    who.line()
    who.level()
    who.tapes((3, 0, 0))
    who.happen("slide", {"left": 2.0})
    epochs = who.opened.sheet.epochs
    assert epochs.carries(epochs.epoch)
    required = [slot.id for slot in who.check("distance").check.required(epochs)]
    assert required == ["direct"]


def test_a_pair_where_the_body_is_off_is_left_out_once_it_was_read_again(teo: Technician) -> None:
    teo.ready()
    teo.stance(0, 0, 0, 0)
    teo.line()
    slots = teo.opened.sheet.slots
    typed = {f"pair.rear.2.{side}": slots[f"pair.rear.2.{side}"].now[-1].value + 7 for side in ("left", "right")}
    for slot, value in typed.items():
        teo.read(slot, f"{value:g}", "tape-4", replaces=True)
    middle = (slots["pair.rear.1.left"].now[-1].value + slots["pair.rear.1.right"].now[-1].value) / 2
    for _ in range(MOST_SUSPECTS):
        move = teo.opened.sheet.next
        if not move.slot.startswith("pair."):
            break
        if teo.opened.state.live(move.slot):
            confirm(teo, move.slot)
        else:
            teo.read(move.slot, f"{middle + (400 if move.slot.endswith('left') else -400):g}", "tape-4")
    view = teo.check("centreline")
    assert view is not None
    assert view.state == "holds", told(view.judgement.inconsistency)
    assert "one pair is left out, since the body is off there" in told(view.judgement.remark)
    assert teo.opened.sheet.epochs.marks["rear"].pairs.centre == pytest.approx(middle, abs=0.6)  # type: ignore[union-attr]
