"""A procedure run at several places: what is next, what proves each run, and what a bump found late puts in doubt."""

from dataclasses import replace

import pytest

from escuadra.commands import Garage
from escuadra.commands.entries import Undo
from escuadra.commands.running import RunProcedure
from escuadra.commands.vehicle import ChangeAsked, ChangeFigure
from escuadra.core.base.errors import Conflict
from escuadra.core.visit.carriers import carrier_of
from escuadra.core.visit.floor_marks import floor_marks
from escuadra.core.visit.log.events import Signed
from escuadra.core.visit.log.state import Kept
from escuadra.core.visit.sheet import derive
from escuadra.rehearsal.technician import Technician
from escuadra.words import language
from tests.conftest import NOON, ground_flat
from tests.english import refused, told

say = language().say


def begun(garage: Garage, procedure: str, frame: str = "galga-2", reason: str = "front camera replaced") -> Technician:
    """A job of a sheet with stations, with everything but target and frame done."""
    ground_flat(garage, "Norte")
    who = Technician(garage, NOON, "teo")
    who.take_in(number="T-9", reason=reason, bay="Norte", procedure=procedure, frame=frame)
    who.ready()
    who.stance(1, 2, -1, 0)
    who.line(("0.07", "0.05"))
    return who


def set_up(who: Technician, off: tuple[float, float, float] = (0.5, -0.9, 0.0)) -> None:
    """Target and frame as the station wants them, all read."""
    who.target()
    who.hang()
    who.level()
    who.tapes(off)
    who.around()


def station(who: Technician) -> str:
    plan = who.opened.sheet.plan
    assert plan.station is not None
    return plan.station.id


def proofs(who: Technician) -> list[str | None]:
    return [view.proof for view in who.opened.sheet.stations]


def shifted(who: Technician, wrong: float = 0.0) -> None:
    """The target shifted as told, then what the sheet asks for."""
    move = who.opened.sheet.next
    assert move.happening == "shift", say(move.sentence)
    who.happen("shift", move.by)
    who.shifted(wrong=wrong)
    who.around()


def test_three_places_are_run_in_turn_and_each_is_proven(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    set_up(who)
    move = who.opened.sheet.next
    assert (move.kind, say(move.figure)) == ("run", "1 of 3"), say(move.sentence)
    with refused(Conflict, match="at hand is centre"):
        who.garage.do(RunProcedure(who.job, "left"), who.person, who.id())
    who.run()
    assert proofs(who) == ["awaited", None, None]
    move = who.opened.sheet.next
    assert say(move.sentence) == "Shift the target 702\u202fmm to the left on the beam."
    assert say(move.expect) == "702\u202fmm"
    shifted(who)
    assert proofs(who) == ["proven", None, None]
    assert who.opened.sheet.next.kind == "run", say(who.opened.sheet.next.sentence)
    who.run()
    assert "1\u202f404\u202fmm to the right" in say(who.opened.sheet.next.sentence)
    shifted(who)
    who.run()
    move = who.opened.sheet.next
    assert say(move.sentence).startswith("Read once more: "), "the last run waits for its proof"
    assert not who.opened.sheet.can_sign
    who.tape(move.slot)
    assert proofs(who) == ["proven"] * 3
    who.finish()
    assert who.opened.sheet.next.kind == "sign", say(who.opened.sheet.next.sentence)


def test_a_bump_found_late_puts_every_run_since_the_last_good_check_in_doubt(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    set_up(who)
    who.run()
    shifted(who)
    who.run()
    shifted(who, wrong=9.0)
    assert proofs(who) == ["proven", "contradicted", None]
    assert station(who) == "right", "it may be a misread tape: nothing is undone before anybody says so"
    square = who.check("square")
    assert square is not None
    assert "bumped while the target was shifted" in told(square.judgement.inconsistency)
    who.happen("bump")
    assert proofs(who) == ["proven", "doubt", None]
    assert station(who) == "left"
    view = who.check("stations")
    assert view is not None
    assert view.state == "stale"
    assert "left" in told(view.judgement.remark)
    assert who.opened.sheet.next.happening == "shift", "back to the left place"


def test_a_misread_tape_that_is_replaced_leaves_the_runs_alone(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    set_up(who)
    who.run()
    shifted(who, wrong=9.0)
    assert proofs(who)[0] == "contradicted"
    sheet = who.opened.sheet
    watch = sheet.epochs.watched(sheet.epochs.epoch)
    value = sheet.epochs.live(watch)[-1].value - 9.0
    who.read(watch, f"{value:.0f}", "tape-4", replaces=True)
    assert proofs(who)[0] == "proven"


@pytest.mark.parametrize("later, proof", [("bump", "doubt"), ("roll", "missed"), ("door", "awaited")])
def test_what_happens_after_a_run_says_how_it_stands(garage: Garage, later: str, proof: str) -> None:
    who = begun(garage, "BL-CAM-02")
    set_up(who)
    who.run()
    who.happen(later)
    assert proofs(who)[0] == proof


def test_a_run_that_was_never_proven_is_run_again_where_somebody_says_so(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    set_up(who)
    who.run()
    who.happen("roll")
    who.level()
    who.tapes((0.5, -0.9, 0.0))
    for _ in range(2):
        move = who.opened.sheet.next
        who.happen(move.happening, move.by)
        who.shifted()
        who.around()
        who.run()
    who.tape(who.opened.sheet.next.slot)
    assert proofs(who) == ["missed", "proven", "proven"]
    move = who.opened.sheet.next
    assert (move.happening, say(move.action)) == ("run_again", "Run it again")
    assert not who.opened.sheet.can_sign
    who.happen("run_again")
    assert proofs(who) == ["doubt", "proven", "proven"]
    assert station(who) == "centre"


def test_a_reading_again_in_the_same_place_is_no_mean(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    set_up(who)
    who.run()
    move = who.opened.sheet.next
    epochs = who.opened.sheet.epochs
    watch = epochs.watch(epochs.epoch)
    assert move.slot != watch
    value = epochs.live(watch)[-1].value
    who.read(watch, f"{value + 7:.0f}", "tape-4")
    assert proofs(who)[0] == "contradicted", "averaged with the reading before the run it would have passed"
    who.garage.do(Undo(who.job), who.person, who.id())
    who.garage.do(Undo(who.job), who.person, who.id())
    assert proofs(who)[0] is None, "a run that was said by mistake is taken back like an entry"


def test_far_comes_after_the_near_run_was_proven(garage: Garage) -> None:
    who = begun(garage, "QR-CAM-02")
    set_up(who)
    assert told(who.opened.sheet.slots["hang"].slot.label) == "Target's left edge on the beam's scale"
    who.run()
    move = who.opened.sheet.next
    assert say(move.sentence).startswith("Read once more: "), say(move.sentence)
    who.tape(move.slot, (0.5 - 1054, 0.3, 0.0))
    before, after = who.opened.sheet.plan.whole.at_stations.values()
    changes = carrier_of(after).change(who.opened.sheet.plan, before, after)
    assert tuple(map(told, changes.moves)) == (
        "Push the frame 1\u202f054\u202fmm away from the vehicle.",
        "Raise the target 163\u202fmm.",
    )
    assert {"squareness", "distance", "target height", "level"} <= set(map(told, changes.rechecks))
    move = who.opened.sheet.next
    assert move.happening == "roll", say(move.sentence)


def test_a_plate_is_tilted_by_the_levers_notches(garage: Garage) -> None:
    who = begun(garage, "BL-RAD-02", reason="front radar replaced")
    who.target()
    who.level()
    who.read("hangs.roll", "0.1", "level-1", "plus")
    who.read("hangs.tilt", "0.05", "level-1", "plus")
    who.tapes((0.5, -0.9, 0.0))
    who.around()
    assert who.opened.sheet.next.kind == "run", say(who.opened.sheet.next.sentence)
    who.run()
    move = who.opened.sheet.next
    assert say(move.sentence).startswith("Set the tilt lever to notch 3 of 3: 2.1"), say(move.sentence)
    who.happen(move.happening)
    who.read("hangs.roll", "0.1", "level-1", "plus")
    who.read("hangs.tilt", "2.2", "level-1", "plus")
    who.assure()
    view = who.check("hangs")
    assert view is not None
    assert view.state == "holds"


def at_first_stand(garage: Garage) -> Technician:
    """The frame's place run and proven, the target at the first stand."""
    who = begun(garage, "BL-SUR-01", reason="surround control unit replaced")
    who.target()
    who.level()
    who.tapes((0.5, -0.9, 0.0))
    who.around()
    who.run()
    move = who.opened.sheet.next
    assert move.kind == "read", "the frame is read once more before anything else"
    who.tape(move.slot)
    assert station(who) == "left"
    who.happen("mount")
    who.target()
    return who


def test_stands_are_placed_by_two_tapes_and_a_check(garage: Garage) -> None:
    who = at_first_stand(garage)
    edges = [told(mark.words) for mark in floor_marks(who.opened.sheet.epochs) if "edge" in told(mark.words)]
    assert [edge.partition(":")[0] for edge in edges] == ["left", "left", "right", "right", "rear", "rear"]
    assert {view.check.kind for view in who.opened.sheet.checks}.isdisjoint({"square", "level", "target_height"})
    move = who.opened.sheet.next
    assert told(move.sentence).startswith("Carry the stand to its floor mark, then read: ")
    assert told(move.then).startswith("Floor mark of its middle, on the left: ")
    who.stand(off=(31.0, -18.0), turned_deg=2.0)
    view = who.check("stand")
    assert view is not None
    figures = {f.id: f.value for f in view.judgement.figures}
    assert figures["forward"] == pytest.approx(31, abs=2)
    assert figures["left"] == pytest.approx(-18, abs=2)
    assert figures["facing"] == pytest.approx(2.0, abs=0.2)
    move = who.opened.sheet.next
    assert say(move.sentence).startswith("Move the stand 3"), say(move.sentence)
    assert "back" in say(move.sentence)
    who.happen("stand", move.by)
    who.stand(off=(1.0, -1.0))
    who.around()
    assert who.opened.sheet.next.kind == "run", say(who.opened.sheet.next.sentence)
    who.run()
    assert proofs(who)[:2] == ["proven", "awaited"]
    who.happen("stand_bump")
    assert proofs(who)[1] == "doubt"


@pytest.mark.parametrize("wrong", [100.0, -100.0])
@pytest.mark.parametrize("nth", range(4))
def test_a_misread_tape_of_a_stand_is_told_from_the_others_by_one_more(garage: Garage, nth: int, wrong: float) -> None:
    who = at_first_stand(garage)
    slots = {one.slot.id: one.slot for one in who.check("stand").slots}
    required = [id for id, slot in slots.items() if not slot.optional]
    tapes = [id for id in required if slots[id].reads == "tape"]
    for id in required:
        who.read(id, f"{(slots[id].wanted or 0) + wrong * (id == tapes[nth]):.0f}", "tape-4")
    parting = who.opened.sheet.next
    assert (parting.kind, parting.sentence.code, parting.check) == ("read", "read.tape", "stand")
    assert parting.slot not in tapes
    asked = list[str]()
    while tapes[nth] not in asked:
        move = who.opened.sheet.next
        asked += [move.slot] if move.replaces else []
        who.read(move.slot, f"{slots[move.slot].wanted:.0f}", "tape-4", replaces=move.replaces)
        assert len(asked) <= 2
    assert who.check("stand").state == "holds"


@pytest.mark.parametrize(
    ("hub", "off", "bumped"), [("LR", 60.0, 0.0), ("LF", -40.0, 0.0), ("RR", 25.0, 0.0), ("LR", 60.0, 60.0)]
)
def test_a_hub_that_stands_elsewhere_is_told_by_a_stands_tapes(
    garage: Garage, hub: str, off: float, bumped: float
) -> None:
    who = at_first_stand(garage)
    while (move := who.opened.sheet.next).kind == "read":
        slot = who.opened.sheet.slots[move.slot].slot
        shown = (slot.wanted or 0) + off * move.slot.endswith(hub)
        who.read(move.slot, f"{shown:.0f}", "tape-4", replaces=move.replaces)
    view = who.check("stand")
    assert view.state == "holds", told(move.sentence)
    assert [figure.value for figure in view.judgement.figures] == pytest.approx([0, 0, 0, 0], abs=1)
    assert told(view.judgement.remark).startswith(f"{hub} hub does not stand where it is known to")
    who.around()
    who.run()
    watch = who.opened.sheet.next.slot
    wanted = who.opened.sheet.slots[watch].slot.wanted or 0
    who.read(watch, f"{wanted + off * watch.endswith(hub) + bumped:.0f}", "tape-4")
    assert proofs(who)[1] == ("contradicted" if bumped else "proven")


def test_a_place_past_the_beam_is_said_before_work_starts(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02", frame="galga-3")
    move = who.opened.sheet.next
    assert move.kind == "blocked"
    assert "702\u202fmm left of the beam's middle" in say(move.then)
    assert (move.check, move.slot) == ("target", who.check("target").slots[-1].slot.id)


def test_what_was_read_too_long_ago_is_read_again(garage: Garage) -> None:
    who = begun(garage, "BL-CAM-02")
    clock = garage.clock
    sheet = who.opened.sheet
    view = sheet.check("ride_height")
    assert view is not None
    assert view.state == "holds"
    assert sheet.expires is not None
    late = sheet.expires + 60 * 60_000
    garage.clock = lambda: late
    view = who.check("ride_height")
    assert view is not None
    assert (view.state, told(view.because.words) if view.because else "") == (
        "stale",
        "read more than 170\u202fmin ago",
    )
    last = max(entry.at for shown in view.slots for entry in shown.spoiled)
    assert view.because is not None
    assert view.because.at == last + 170 * 60_000
    assert say(who.opened.sheet.next.then) == "Out of date: read more than 130\u202fmin ago."
    state, plan = who.opened.state, who.opened.sheet.plan
    said = Signed(revision=1, parts=[], record_json="0", application="none")
    newest = Kept(state.seq, sheet.expires - 60_000, who.garage.person("ines"), said)
    signed = replace(state, signed=said, records=(newest,))
    frozen = derive(signed, plan, late)
    assert (frozen.expires, [v.state for v in frozen.checks if v.check.id == "ride_height"]) == (None, ["holds"])
    garage.clock = clock
    # What happened to it counts while it is young enough.
    who.happen("aboard")
    spoiled = who.check("ride_height")
    assert (spoiled.state, spoiled.because and spoiled.because.what) == ("stale", "aboard")


def test_a_figure_of_a_place_is_overridden_where_it_stands(garage: Garage) -> None:
    who = begun(garage, "QR-CAM-02")
    plan = who.opened.sheet.plan.whole
    paths = [figure.path for figure in plan.at_stations["far"].figures]
    assert {"station.far.distance", "station.far.height", "offset"} <= set(paths)
    assert "check.distance.limits.nominal" not in paths, "the place says it"
    asked = ChangeAsked(path="station.far.distance", typed="2761", reason="the newer sheet of the manufacturer")
    who.garage.do(ChangeFigure(who.job, asked), who.person, who.id())
    plan = who.opened.sheet.plan.whole
    assert plan.at_stations["far"].procedure.distance == 2761
    assert plan.at_stations["near"].procedure.distance == 1693
