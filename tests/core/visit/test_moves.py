"""Moves as told: one round of them, what comes after each, and what a frame's screw teaches the next job."""

import pytest

from escuadra.commands import Garage
from escuadra.commands.entries import Happen
from escuadra.commands.signing import Sign
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Turns
from escuadra.core.visit.next_move import retold
from escuadra.core.visit.next_reading import candidates
from escuadra.core.visit.prediction import last_turns, mechanics, predicted, used_travel
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import render_record
from escuadra.words import language
from tests.conftest import minibus
from tests.english import told
from tests.web.conftest import Visitor

say = language().say


def ready(who: Technician) -> Technician:
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    who.target()
    who.level()
    return who


def obey(who: Technician) -> str:
    """The next move, done and told as the sheet's button does."""
    move = who.opened.sheet.next
    assert move.kind == "move", say(move.sentence)
    who.happen(move.happening, move.by)
    return move.happening


def test_yaw_side_and_distance_are_one_round(teo: Technician) -> None:
    ready(teo)
    teo.tapes((34, 21, 1.6))
    assert obey(teo) == "yaw"
    # The rear axle steers 0.01° aside of the centreline, which the laser shows: so much of 7.5 m.
    assert say(teo.opened.sheet.next.then).endswith("Then the floor laser reads 1.3\u202fmm on the beam.")
    assert [obey(teo) for _ in range(2)] == ["slide", "roll"]
    move = teo.opened.sheet.next
    assert move.kind == "read", "only now it is read again"
    there = predicted(teo.opened.sheet.epochs)
    assert there is not None
    goal = there.solution.goal
    assert there.pose.x == pytest.approx(goal.x, abs=1.0)
    assert there.pose.y == pytest.approx(goal.y, abs=1.0)
    assert there.pose.yaw_deg == pytest.approx(goal.yaw_deg, abs=0.02)


def test_a_small_rest_is_left_for_the_next_reading(teo: Technician) -> None:
    ready(teo)
    pose = teo.opened.sheet.plan.frame
    teo.tapes((1.0, 0.5, 0.9))
    assert obey(teo) == "yaw"
    after = predicted(teo.opened.sheet.epochs)
    assert after is not None
    swung = abs(pose.pivot[0]) * 0.016
    assert swung < 1.1, "the pivot is so near that the yaw hardly shifts the middle"
    assert teo.opened.sheet.next.kind == "read"


def test_a_move_in_other_words_predicts_nothing(teo: Technician) -> None:
    ready(teo)
    teo.tapes((34, 21, 1.6))
    teo.happen("yaw")
    assert predicted(teo.opened.sheet.epochs) is None
    assert teo.opened.sheet.next.kind == "read"
    with pytest.raises(BadInput) as refused:
        teo.garage.do(Happen(teo.job, "yaw", "told", {"turns": "many"}), "teo", "k")
    assert "turns" in refused.value.field or "turns" in str(refused.value)


def test_travel_is_counted_from_the_zero_marks(teo: Technician) -> None:
    teo.happen("slide", {"left": 40})
    teo.happen("slide", {"left": -12.5})
    teo.happen("yaw", {"turns": 3})
    used = used_travel(teo.opened.sheet.epochs)
    assert used["slide"] == pytest.approx(27.5)
    assert used["yaw"] == pytest.approx(3 * 0.35)
    assert last_turns(teo.opened.sheet.epochs) == 3


def test_what_a_job_taught_about_the_screw_the_next_one_knows(garage: Garage) -> None:
    teo = ready(minibus(garage))
    teo.tapes((2, 1, 1.2))
    move = teo.opened.sheet.next
    told = move.by["turns"]
    teo.happen("yaw", move.by)
    gain = 0.31
    teo.tapes((2, 1, 1.2 + gain * told))
    known = mechanics(teo.opened.sheet.epochs)
    assert known.moves == 1
    assert known.deg_per_turn == pytest.approx(gain, abs=0.02)
    assert known.deg_per_turn < 0.33
    teo.happen("bump")
    teo.level()
    teo.tapes((0.5, -0.9, 0.0))
    teo.tapes((0.5, -0.9, 0.0), (("LR", "LF_end"), ("RR", "RF_end")))
    teo.around()
    teo.finish()
    assert teo.opened.sheet.can_sign, say(teo.opened.sheet.next.sentence)
    garage.do(Sign(teo.job, teo.opened.row.head, render_record(garage)), "ines", teo.id())
    learned = garage.instruments.one("frame-2").learned
    assert learned is not None
    assert learned.job == "T-1"
    assert learned.mechanics.deg_per_turn == pytest.approx(known.deg_per_turn, abs=0.02)
    amara = Technician(garage, teo.at, "amara")
    amara.take_in(number="T-2", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01")
    state = amara.opened.state
    assert state.frame_known == learned.mechanics
    assert mechanics(amara.opened.sheet.epochs).deg_per_turn == learned.mechanics.deg_per_turn
    page = Visitor(garage).client.get("/instruments/frame-2").text
    assert "the yaw screw turns" in page


def test_a_move_that_went_the_other_way_is_said_at_once_and_teaches_the_screws_sense(garage: Garage) -> None:
    teo = ready(minibus(garage))
    teo.tapes((2, 1, 1.2))
    told, away = teo.opened.sheet.next.by["turns"], 0.36
    teo.happen("yaw", {"turns": told})
    teo.level()
    there = (2.0, 1.0, 1.2 - away * told)
    teo.look("tape.LF.LF_end", there)
    assert told_words(teo).startswith(
        "That went the other way: LF hub to left end read 2\u202f718\u202fmm, should have come to 2\u202f742"
    )
    teo.look("tape.RF.RF_end", there)
    assert told_words(teo).startswith("That went the other way")
    teo.tapes(there, sure=False)
    again = teo.opened.sheet.next
    assert again.happening == "yaw"
    assert again.by["turns"] * told < 0, "the beam is farther off, and the screw turns it the other way"
    assert abs(again.by["turns"]) == pytest.approx((1.2 - away * told) / away, rel=0.1)


def told_words(who: Technician) -> str:
    return told(who.opened.sheet.next.then)


@pytest.mark.parametrize(
    "turns, said",
    [(0.125, "1/8 of a turn"), (0.5, "1/2 of a turn"), (1.0, "1 turn"), (1.25, "1 1/4 turns"), (4.875, "4 7/8 turns")],
)
def test_turns_of_a_foot_are_said_in_eighths(turns: float, said: str) -> None:
    assert say(Turns(turns, eighths=True)) == said


def test_the_button_says_what_was_told(teo: Technician) -> None:
    ready(teo)
    teo.tapes((34, 21, 1.6))
    visitor = Visitor(teo.garage)
    fields = {
        a["name"]: a["value"]
        for a in visitor.page(f"/jobs/{teo.job}").having(type="hidden")
        if a["name"].startswith("by.")
    }
    assert set(fields) == {"by.turns"}
    token = {"what": "yaw", "entry": "e1", "amount": "as told", **fields}
    assert visitor.post(f"/jobs/{teo.job}/happenings", token).status_code == 303
    assert teo.opened.state.disturbances[-1].by == {"turns": float(fields["by.turns"])}


def shifted(who: Technician) -> str:
    """The target shifted, level and laser read again; the slot that is asked for besides."""
    who.happen("shift")
    who.level()
    who.read("crossing", "-0.3", "laser-2")
    epochs = who.opened.sheet.epochs
    watch = epochs.watched(epochs.epoch)
    assert watch.startswith("tape.")
    return watch


def test_after_a_shift_one_tape_watches_for_a_bump(full: Technician) -> None:
    before = full.opened.sheet.slots
    watch = shifted(full)
    move = full.opened.sheet.next
    assert (move.kind, move.slot) == ("read", watch)
    old = before[watch].now[-1].said.typed  # type: ignore[union-attr]
    full.read(watch, old, "tape-4")
    full.assure()
    assert {full.opened.sheet.check(c).state for c in ("square", "centred", "distance")} == {"holds"}  # type: ignore[union-attr]


def test_a_tape_that_was_read_before_a_slide_may_be_read_anew_where_the_frame_stands(full: Technician) -> None:
    def offered() -> set[str]:
        epochs = full.opened.sheet.epochs
        assert epochs.newest is not None
        return {id.place for _, id, _ in candidates(epochs, epochs.newest)}

    views = full.opened.sheet.slots
    read = {slot: views[slot].now[-1].value for slot in views if slot.startswith("tape") and views[slot].now}
    assert read
    assert not read.keys() & offered()
    full.happen("slide")
    full.read("crossing", "-0.3", "laser-2")
    assert read.keys() <= offered()
    full.read(min(read), f"{read[min(read)]:g}", "tape-4")
    assert read.keys() - offered() == {min(read)}


def test_a_bump_during_the_shift_is_noticed_by_it(full: Technician) -> None:
    before = full.opened.sheet.slots
    watch = shifted(full)
    full.read(watch, f"{before[watch].now[-1].value + 9:g}", "tape-4")
    view = full.check("centred")
    assert view is not None
    assert view.state == "undecided"
    assert "it was bumped while the target was shifted" in told(view.judgement.inconsistency)
    full.happen("bump")
    assert full.check("distance").state == "stale"


RETOLD = [
    ("slide", {"left": -12.5}, "Shift the frame 12.5 mm to the right."),
    ("roll", {"left": 28.8}, "Push the whole frame 28.8 mm to the left."),
    ("roll", {"away": -3.0}, "Push the frame 3.0 mm towards the vehicle."),
    ("yaw", {"turns": -0.9}, "Turn the yaw screw at the left end 0.9 of a turn anticlockwise."),
    ("height", {"up": -6.0, "turns": -1.3}, "Lower the target by 1.3 turns of the crank."),
    ("shift", {"hang": 702.0}, "Shift the target 702.0 mm to the left on the beam."),
    ("stand", {"forward": -30.0, "left": 2.0}, "Move the stand 30.0 mm back."),
    ("stand", {"forward": 0.2, "left": -30.0}, "Move the stand 30.0 mm to the right."),
    ("feet", {"LF": 0.25, "RF": -1.5}, "Turn the RF foot 1 1/2 turns anticlockwise."),
    ("mount", {}, "as told"),
]


@pytest.mark.parametrize("what, by, sentence", RETOLD)
def test_what_was_done_as_told_is_told_again_from_what_was_kept(
    teo: Technician, what: str, by: dict[str, float], sentence: str
) -> None:
    frame = teo.opened.sheet.plan.frame
    assert say(retold(what, by, frame)).replace("\u202f", " ") == sentence
