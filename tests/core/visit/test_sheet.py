"""The sheet: what each reading makes of each check, what disturbs what, and where the moves lead."""

import math
import re
from dataclasses import replace

import pytest

from escuadra.commands import Garage
from escuadra.commands.entries import Override, Undo
from escuadra.commands.reading import TakeReading
from escuadra.core.base.errors import BadInput
from escuadra.core.geodesy.state.located import Located, located
from escuadra.core.measure.budget import of_reading, the_largest
from escuadra.core.visit.log.disturbances import HAPPENINGS
from escuadra.core.visit.log.state import State, fold
from escuadra.core.visit.sheet import derive
from escuadra.core.visit.solution.solution import EpochSolution
from escuadra.rehearsal.technician import FRONT_TAPES, Technician
from escuadra.words import language
from tests.conftest import NOON
from tests.english import refused, told

say = language().say


def states(who: Technician) -> dict[str, str]:
    return {view.check.id: view.state for view in who.opened.sheet.checks}


def test_a_new_job_is_open_everywhere_and_asks_for_the_first_answer(teo: Technician) -> None:
    assert set(states(teo).values()) == {"open"}
    move = teo.opened.sheet.next
    assert (move.kind, move.check, move.slot) == ("answer", "alignment", "printed.day")
    assert not teo.opened.sheet.can_sign


def test_everything_read_and_right_holds_and_can_be_signed(full: Technician) -> None:
    assert {view.state for view in full.opened.sheet.checks if view.of_setup} == {"holds"}
    assert full.opened.sheet.stands
    assert full.opened.sheet.next.kind == "run"
    full.finish()
    assert full.opened.sheet.can_sign
    assert full.opened.sheet.next.kind == "sign"


# What each happening makes stale on a finished sheet (the trade's table; ticks spoiled by the vehicle included).
POSE, FRAME = {"square", "centred", "distance"}, {"square", "centred", "distance", "level", "target_height", "heights"}
VEHICLE = {"steering", "floor", "ride_height", "centreline"}
SPOILS = {
    "yaw": POSE,
    "slide": {"centred"},
    "roll": FRAME,
    "height": {"target_height", "level", "centred", "distance"},
    "feet": FRAME,
    "brakes": FRAME,
    "set_down": FRAME | {"zero"},
    "bump": FRAME,
    "mount": {"centred", "level", "target", "distance"},
    "taken_off": {"centred", "level", "target", "distance"},
    "swap": {"centred", "level", "target", "distance"},
    "tilt": {"surroundings"},
    "stand": {"surroundings"},
    "stand_bump": set(),
    "wheel_target": {"alignment"},
    "steered": {"steering"},
    "tripod": {"surroundings"},
    "tripod_bump": set(),
    "clamp": set(),
    "plumb_front": {"centreline"},
    "plumb_rear": {"centreline"},
    "shift": {"centred", "level", "surroundings", "distance"},
    "run_again": {"surroundings"},
    "attempt": {"surroundings"},
    "screws": {"surroundings"},
    "bracket_mended": {"surroundings"},
    "holder": {"centred", "level", "distance"},
    "vehicle_rolled": FRAME | VEHICLE | {"surroundings"},
    "jacked": VEHICLE | POSE | {"alignment", "thrust"},
    "loaded": {"ride_height", "load"},
    "door": {"ride_height", "doors"},
    "aboard": {"ride_height", "load"},
    "tyre": {"ride_height", "tyres"},
}


@pytest.mark.parametrize("what", HAPPENINGS)
def test_what_disturbs_what(full: Technician, what: str) -> None:
    if (of := HAPPENINGS[what].of) in ("stand", "tripod", "together"):
        with refused(BadInput, match=f"a calibration with a {of}"):
            full.happen(what)
        return
    full.happen(what)
    sheet = full.opened.sheet
    stale = {view.check.id for view in sheet.checks if view.state == "stale"}
    assert stale == SPOILS[what]
    for view in sheet.checks:
        if view.state == "stale":
            assert view.because is not None
            assert view.because.what == what
        else:
            assert view.state == "holds" or (view.unguarded and stale) or not view.of_setup, "its guard may be stale"
    assert sheet.stands is (not stale)


STANCES = [
    ((1, 2, -1, 0), "holds", {}),
    ((12, 11, 12, 11), "undecided", {"deviation.LF": "undecided"}),
    ((-18, -3, -2, -2), "out", {"deviation.LF": "out", "side.front": "out"}),
    ((-9, 8, 0, 0), "out", {"deviation.LF": "holds", "warp": "out"}),
    ((-11, 0, 0, 0), "out", {"deviation.LF": "holds", "warp": "undecided", "side.front": "out"}),
    ((11, 11, -13, -13), "out", {"pitch": "out"}),
    ((6, -6, 6, -6), "out", {"side.front": "out"}),
    ((11.0, 11.0, 11.0, 11.0), "undecided", {"sensor_height": "undecided"}),
]


@pytest.mark.parametrize("deviations, state, figures", STANCES)
def test_ride_height(teo: Technician, deviations: tuple[float, ...], state: str, figures: dict[str, str]) -> None:
    teo.stance(*deviations)
    view = teo.check("ride_height")
    assert view is not None
    assert view.state == state
    found = {figure.id: figure.verdict.state for figure in view.judgement.figures}
    assert {name: found[name] for name in figures} == figures
    assert len(found) == 11


def test_three_arches_are_not_enough(teo: Technician) -> None:
    for corner in ("LF", "RF", "LR"):
        teo.read(f"arch.{corner}", "712", "tape-4")
    assert states(teo)["ride_height"] == "open"


PAIRS = [
    ([0.0, 0.0], "holds", ""),
    ([0.0, 9.0], "undecided", "A third pair would tell"),
    ([0.0, 0.4, 14.0], "undecided", "towing-eye covers disagrees with the others"),
]


@pytest.mark.parametrize("offs, state, said", PAIRS)
def test_symmetrical_pairs(teo: Technician, offs: list[float], state: str, said: str) -> None:
    for end in ("front", "rear"):
        for k, off in enumerate(offs if end == "front" else [0.0], 1):
            teo.read(f"pair.{end}.{k}.left", f"{2000 - 100 * k + off:g}", "tape-4")
            teo.read(f"pair.{end}.{k}.right", f"{400 + 100 * k + off:g}", "tape-4")
        view = teo.check("centreline")
        assert view is not None
        if len(offs) == 2 and not any(offs):
            assert "plumb the mark there" in told(view.advice)
        teo.read(f"mark.{end}", "1200", "tape-4")
    view = teo.check("centreline")
    assert view is not None
    assert view.state == state
    assert said in told(view.advice)


@pytest.mark.parametrize(
    "toe, said, state",
    [
        ((("0.12", "plus"), ("0.12", "plus")), "agree within what was measured", "holds"),
        ((("0.22", "plus"), ("0.06", "plus")), "right of the centreline", "holds"),
        ((("0.40", "minus"), ("0.40", "plus")), "Wheel alignment first.", "out"),
    ],
)
def test_both_lines_are_told_side_by_side_in_words(
    teo: Technician, toe: tuple[tuple[str, str], ...], said: str, state: str
) -> None:
    teo.line()
    for side, (typed, word) in zip(("left", "right"), toe, strict=True):
        teo.read(f"toe.{side}", typed, "printout", word)
    view = teo.check("thrust")
    assert view is not None
    assert said in told(view.judgement.remark)
    assert view.state == state
    assert view.judgement.figures[0].id == "thrust_angle"


def test_the_line_in_use_is_the_thrust_line_once_it_is_known(full: Technician) -> None:
    solution = full.opened.sheet.epochs.newest
    assert solution is not None
    assert solution.line == "thrust"
    thrust, body = solution.derived("offset", "thrust"), solution.derived("offset", "body")
    assert thrust.value != pytest.approx(body.value, abs=0.2)
    assert 0 < body.u < thrust.u < 3


POSED = ("distance", "offset", "square", "line_angle")


def test_what_a_reading_shares_in_a_quantity_is_what_it_does_to_it(full: Technician) -> None:
    own = full.opened.sheet.epochs.newest
    assert own is not None
    # The same as it would be counted from a place well before the front hubs and to their right.
    proxy = own.plan.procedure.proxy.model_copy(update={"forward": 300, "left": -180})
    aside = replace(own.plan, procedure=own.plan.procedure.model_copy(update={"proxy": proxy}))

    def counted(found: Located) -> list[EpochSolution]:
        return [EpochSolution(plan, found, own.entered, own.body, own.epoch) for plan in (own.plan, aside)]

    given, wanted = own.located.given, [(w, ln) for w in POSED for ln in ("thrust", "body")]
    shares = [
        {w: dict(one.located.shares(one.derived(*w).gradient)) for w in wanted}  # type: ignore[arg-type]
        for one in counted(own.located)
    ]
    for k, reading in enumerate(given.observations):
        if reading.u > 50:
            continue  # Known so badly that it moves nothing in a straight line.
        # Leans and heights act together with those of the marks and the floor: a little less in a straight line.
        off = 3e-3 if reading.type in ("roll", "height") else 1e-3
        h = 0.05 * reading.u
        sides = []
        for step in (h, -h):
            changed = reading.model_copy(update={"value": reading.value + step})
            observations = (*given.observations[:k], changed, *given.observations[k + 1 :])
            sides.append(counted(located(given.model_copy(update={"observations": observations}))))
        for one, (above, below) in zip(shares, zip(*sides, strict=True), strict=True):
            for w in wanted:
                up, down = (side.derived(*w).value for side in (above, below))
                assert (up - down) / (2 * h) * reading.u == pytest.approx(one[w][reading.id], rel=1e-2, abs=off)


def test_slanted_tapes_are_levelled_with_the_heights_of_their_own_time(full: Technician) -> None:
    before = full.opened.sheet.epochs.newest
    full.happen("height")
    after = full.opened.sheet.epochs.newest
    assert before is not None
    assert after is not None
    assert after.derived("distance").value == pytest.approx(before.derived("distance").value, abs=0.3)
    assert after.derived("distance").u > 3 * before.derived("distance").u, "nobody knows how it leans now"
    full.read("tape.LF.LF_end", "2745", "tape-4")
    assert full.opened.sheet.epochs.newest is not None, "a tape without the new height stays out, the others count"


def test_sliding_keeps_squareness_and_distance_and_the_laser_alone_settles_the_centre(full: Technician) -> None:
    before = {v.check.id: v.judgement.figures[0].value for v in full.opened.sheet.checks if v.check.id in POSE}
    full.happen("slide")
    full.read("crossing", "-2.1", "laser-2")
    sheet = full.opened.sheet
    assert states(full)["centred"] == "undecided"
    after = {v.check.id: v.judgement.figures[0].value for v in sheet.checks if v.check.id in POSE}
    assert after["centred"] - before["centred"] == pytest.approx(3, abs=0.5)
    assert after["square"] == pytest.approx(before["square"], abs=0.01)
    assert after["distance"] == pytest.approx(before["distance"], abs=0.1)


@pytest.mark.parametrize("start", [(14, 9, 0.6), (-11, -8, -0.7), (4, -12, 0.35), (-20, 15, -1.2)])
def test_a_technician_who_obeys_reaches_every_tolerance(teo: Technician, start: tuple[float, float, float]) -> None:
    teo.ready()
    teo.stance(1, 2, -1, 0)
    teo.line(("0.07", "0.05"))
    teo.target()
    teo.level()
    teo.around()
    away, left, yaw = start
    screw, moves = teo.opened.sheet.plan.frame.yaw_deg_per_turn, 0
    for _ in range(40):
        move = teo.opened.sheet.next
        if move.kind == "run":
            break
        if move.kind == "move":
            moves += 1
            figure = float(re.sub(r"[^\d.].*", "", say(move.figure)))
            if move.happening == "yaw":
                yaw += figure * screw * (-1 if "anticlockwise" in say(move.sentence) else 1)
            elif move.happening == "slide":
                left += figure * (1 if "left" in say(move.sentence) else -1)
            else:
                away += figure * (1 if "away" in say(move.sentence) else -1)
            teo.happen(move.happening)
        elif move.slot == "crossing":
            teo.read("crossing", f"{-left / math.cos(math.radians(yaw)):.1f}", "laser-2")
        else:
            teo.look(move.slot, (away, left, yaw))
    assert teo.opened.sheet.stands, f"{moves} moves, then: {say(teo.opened.sheet.next.sentence)}"
    assert moves <= 6
    assert abs(yaw) < 0.25
    assert abs(left) < 4
    assert abs(away) < 5


def test_undecided_says_what_would_decide_it(teo: Technician) -> None:
    teo.line()
    teo.level()
    teo.tapes((1, 1, 0.22))
    view = teo.check("square")
    assert view is not None
    assert view.state == "undecided"
    assert re.search(r"would (settle it|help most)", told(view.advice))
    teo.read("arch.LF", f"{712 + 11.6}", "tape-4")
    near = teo.check("ride_height")
    assert near is not None
    assert near.judgement.figures[0].verdict.readings_needed is not None or near.state == "open"


def test_a_coarse_instrument_is_told_apart_from_a_bad_value(teo: Technician) -> None:
    teo.read("level.roll", "0.1", "level-5", "plus")
    teo.read("level.pitch", "0.25", "level-5", "plus")
    view = teo.check("level")
    assert view is not None
    assert [f.verdict.state for f in view.judgement.figures] == ["holds", "undecided"]


def test_a_misplaced_target_says_what_it_does_on_the_road(teo: Technician) -> None:
    teo.read("height.target", "1431", "tape-4")
    view = teo.check("target_height")
    assert view is not None
    assert view.state == "out"
    # 14 mm over 3642 + 2640 − 3720 mm, carried to 50 m.
    assert f"{50 * 14 / 2562:.2f}\u202fm too high at 50\u202fm" in told(view.consequence)


@pytest.mark.parametrize(
    "leans, turned, level, square",
    [
        (0.25, 0.2, f"{50 * math.tan(math.radians(0.25)):.2f}\u202fm too low", "left"),
        (-0.25, -0.2, f"{50 * math.tan(math.radians(0.25)):.2f}\u202fm too high", "right"),
    ],
)
def test_a_flat_board_aims_by_where_it_faces_and_not_by_where_it_stands(
    garage: Garage, leans: float, turned: float, level: str, square: str
) -> None:
    who = Technician(garage, NOON, "teo")
    who.take_in(number="T-1", reason="radar replaced", bay="Norte", procedure="BL-RAD-01")
    who.line(("0.06", "0.06"))
    who.level()
    who.read("level.pitch", f"{abs(leans):g}", "level-1", "plus" if leans > 0 else "minus", replaces=True)
    who.tapes((0.5, 8.0, turned), sure=False)
    said = {v.check.id: told(v.consequence) if v.consequence else "" for v in who.opened.sheet.checks}
    assert level in said["level"]
    stands = who.check("square").judgement.figures[0].value
    assert stands == pytest.approx(turned, abs=0.02)
    assert f"{50 * math.tan(math.radians(abs(stands))):.2f}\u202fm too far {square}" in said["square"]
    assert said["centred"] == said["target_height"] == ""


def test_the_target_must_be_the_one_on_the_sheet(full: Technician) -> None:
    full.happen("mount")
    full.answer("target.identity", "VT-B 47")
    for what, value in (("side", "A"), ("way_up", "arrow down"), ("fixing", "both hooks")):
        full.answer(f"target.{what}", value)
    view = full.check("target")
    assert view is not None
    assert view.state == "out"
    assert "Its mark: VT-B 47, the procedure sheet wants VT-A 61" in told(view.judgement.mismatch)
    assert "Its orientation: arrow down" in told(view.judgement.mismatch)


def test_the_contributions_behind_every_figure_add_up_to_its_uncertainty(full: Technician) -> None:
    epochs, seen = full.opened.sheet.epochs, set()
    for view in full.opened.sheet.checks:
        for figure in view.judgement.figures:
            parts = view.check.budget(epochs, figure)
            if not parts:
                continue
            seen.add(view.check.id)
            assert math.fsum(part.share for part in parts) == pytest.approx(1)
            shares = [round(part.share, 9) for part in parts]
            assert shares == sorted(shares, reverse=True)
            shown = the_largest(parts)
            assert len(shown) <= 6
            assert math.fsum(part.share for part in shown) == pytest.approx(1)
    ready = {"alignment", "tyres", "steering", "load", "battery"}
    judged = {"floor", "ride_height", "centreline", "thrust", "level", "target_height", "square", "centred", "distance"}
    assert seen - ready == judged
    for what in ("distance", "offset", "square"):
        solution = epochs.newest
        assert solution is not None
        derived = solution.derived(what)
        effects = [share for _, share in solution.located.shares(derived.gradient)]
        assert math.hypot(*effects) == pytest.approx(derived.u, rel=1e-9)
    arch = epochs.now(full.opened.sheet.slots["arch.LF"].slot)
    assert arch is not None
    assert math.hypot(*(u for _, u in of_reading(arch.figures, "tape"))) == pytest.approx(arch.u)


def test_parallax_and_the_targets_face_have_their_own_part(full: Technician) -> None:
    solution = full.opened.sheet.epochs.newest
    assert solution is not None
    found = solution.derived("distance")
    parts = {told(part.source): part.share * found.u**2 for part in solution.budget(found)}
    assert parts["where the target's face hangs before the beam"] == pytest.approx(0.2**2, rel=0.01)
    u = {o.id: o.u for o in solution.located.given.observations}
    read = [(name, share) for name, share in solution.located.shares(found.gradient) if name in u]
    seen = [(u[name], share) for name, share in read if solution.sources[name].source in ("tape", "crossing")]
    assert parts["parallax at the scale"] == pytest.approx(sum((share * 0.15 / own) ** 2 for own, share in seen))


def test_an_undecided_check_says_where_its_uncertainty_comes_from_and_what_lessens_it(teo: Technician) -> None:
    teo.line(("0.12", "0.06"))
    teo.level()
    teo.tapes((1, 1, 0.22))
    view = teo.check("square")
    assert view is not None
    assert view.state == "undecided"
    assert {"the hubs' places", "front centre mark"} <= {told(part.source) for part in teo.opened.sheet.budget(view)}
    for check, slot in (("square", "tape.RF.RF_end"), ("level", "level.roll")):
        sheet = teo.opened.sheet
        view = teo.check(check)
        (figure, *_) = view.judgement.figures
        promised = view.check.lessening(sheet.epochs, figure)
        assert promised is not None
        assert say(promised.what) == say(sheet.slots[slot].slot.label)
        assert promised.u < figure.u
        teo.look(slot, (1, 1, 0.22))
        (after, *_) = teo.opened.sheet.check(check).judgement.figures  # type: ignore[union-attr]
        assert after.u == pytest.approx(promised.u, rel=0.02), "what was promised"


def test_folding_in_two_halves_equals_folding_at_once(full: Technician) -> None:
    full.happen("bump")
    full.read("level.roll", "0.1", "level-1", "plus")
    full.garage.do(Undo(full.job), "teo", full.id())
    full.garage.do(Override(full.job, "level", "seen with the second level beside it"), "teo", full.id())
    with full.garage.store.reading() as log:
        events = log.events(full.job)
    whole = fold(State(), events)
    plan = full.opened.sheet.plan
    for cut in range(0, len(events) + 1, 7):
        first = fold(State(), events[:cut])
        kept = repr(first)
        assert fold(first, events[cut:]) == whole
        assert repr(first) == kept, "the first state was not touched"
    assert derive(whole, plan, 0).next == full.opened.sheet.next


def test_repeat_means_and_replace_withdraws(teo: Technician) -> None:
    slot = "tape.LF.LF_end"
    for typed in ("2745", "2747"):
        teo.read(slot, typed, "tape-4")
    view = teo.opened.sheet.slots[slot]
    now = teo.opened.sheet.epochs.now(view.slot)
    assert now is not None
    assert (now.value, now.count) == (2746, 2)
    teo.garage.do(TakeReading(teo.job, slot, "2750", "tape-4", replaces=True), "teo", teo.id())
    now = teo.opened.sheet.epochs.now(view.slot)
    assert now is not None
    assert (now.value, now.count) == (2750, 1)
    teo.garage.do(Undo(teo.job), "teo", teo.id())
    assert len(teo.opened.state.live(slot)) == 2, "undoing a replacement brings back what it replaced"
    assert len(FRONT_TAPES) == 4
