"""Bodies that stand together: set out, proved, moved in one sentence; a fold and a board that lies about its edge."""

import re
from dataclasses import replace
from pathlib import Path

import pytest

from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage
from escuadra.commands.bays import KeepBay
from escuadra.commands.forms import press
from escuadra.core.base.corners import CORNERS, Corner
from escuadra.core.bay.bay import Bay, Place
from escuadra.core.visit.body_readings import bodies_of, floor_under, goals
from escuadra.core.visit.carriers import carrier_of
from escuadra.core.visit.floor_marks import floor_marks
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.together import together
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.following import Stuck, follow, read
from escuadra.rehearsal.technician import Technician
from tests.conftest import GROUND, ground_flat, on_own_sheet
from tests.core.visit.test_floors import keep, survey
from tests.english import told


class Placer:
    """A technician around a minibus whose boards and mats truly stand somewhere."""

    def __init__(self, garage: Garage, sheet: str, seed: int = 5) -> None:
        ground_flat(garage, "Norte")
        self.who = Technician(garage, garage.clock(), "teo")
        reason = garage.catalogue.get("procedure", sheet).content.reasons[0]
        self.who.take_in(number="T-1", reason=reason, bay="Norte", procedure=sheet)
        self.who.ready()
        self.who.stance(1, 2, -1, 0)
        self.who.line(("0.07", "0.05"))
        self.bay = VirtualBay(self.who.opened.sheet.plan, (0.0, 0.0, 0.0, 0.0), seed=seed)

    def until(self, *kinds: str) -> list[NextMove]:
        moves = follow(self.who, self.bay, *kinds)
        self.stations = self.who.opened.sheet.plan.whole.at_stations
        return moves

    def off(self, station: str, number: int) -> list[float]:
        return self.bay.bodies[f"{station}.{number}"]


@pytest.mark.parametrize(
    ("sheet", "station", "bodies"), [("BL-SUR-02", "front", 3), ("BL-SUR-03", "mats", 4), ("QE-MIR-01", "beside", 2)]
)
def test_every_body_is_set_out_proved_and_moved_in_one_sentence(
    garage: Garage, sheet: str, station: str, bodies: int
) -> None:
    placer = Placer(garage, sheet)
    moves = placer.until("run")
    own = [move for move in moves if move.happening == "together"]
    assert 1 <= len(own) <= bodies, "each is moved once, if at all"
    for number, one in enumerate(bodies_of(placer.who.opened.sheet.plan), 1):
        forward, left, up, turn, *_ = placer.off(station, number)
        assert max(abs(forward), abs(left)) < 14
        assert abs(turn) < 0.9
        assert abs(up) < 7 or not one.upright, "what lies has no height of its own"
    marks = [told(mark.words) for mark in floor_marks(placer.who.opened.sheet.epochs)]
    assert sum("corner" in mark or "end" in mark for mark in marks) >= 2 * bodies, "every edge has its mark"
    assert sum("parallel" in mark for mark in marks) in (0, 3), "a line has two ends and a middle"


@pytest.mark.parametrize("method", ["", "printout"])
def test_a_panel_is_read_from_a_centre_mark_whatever_found_the_line(tmp_path: Path, method: str) -> None:
    text = (PRACTICE / "procedures" / "bl-sur-02.yaml").read_text(encoding="utf-8").replace("id: BL-SUR-02", "id: CM-1")
    lines = text.replace("{at: bottom_left, to: hub.LR}", "{at: bottom_left, to: mark.front}", 1).splitlines()
    if method:
        at = next(k for k, line in enumerate(lines) if "id: centreline" in line)
        lines[at : at + 3] = [f"  - {{id: line, kind: method, group: line, title: Line, method: {method}}}"]
    with on_own_sheet(tmp_path, "\n".join(lines), "surround camera replaced") as who:
        who.ready()
        who.stance(1, 2, -1, 0)
        bay = VirtualBay(who.opened.sheet.plan, (0.0, 0.0, 0.0, 0.0), seed=5)
        follow(who, bay, "run")
        epochs = who.opened.sheet.epochs
        found = together(epochs)
        assert found is not None
        stood = found.stood(goals(epochs)["panel"])
        (own,) = (
            id for id, slot in who.opened.sheet.slots.items() if id.endswith("bottom_left.mark_front") and slot.now
        )
        assert own in {id.place for id, w in found.solution.tests if w is not None}, "it is checked by the others"
        assert stood is not None
        for told_, true in zip((stood.forward, stood.left), bay.bodies["front.1"], strict=False):
            assert told_.value == pytest.approx(true, abs=3 * told_.u)
            assert told_.u < 2.0


def test_a_folded_corner_is_named_and_the_others_stand(garage: Garage) -> None:
    placer = Placer(garage, "BL-SUR-03")
    placer.bay.folds["left"] = {"top_left": (70.0, -45.0)}
    moves = placer.until("run")
    smoothed = [move for move in moves if told(move.sentence).startswith("Smooth")]
    assert [told(move.sentence) for move in smoothed] == [
        "Smooth the left mat at its far left corner and read it again."
    ]
    assert not placer.bay.folds
    assert max(abs(value) for value in placer.off("mats", 2)[:2]) < 14


@pytest.mark.parametrize(
    ("corner", "off", "where"),
    [
        ("LR", (-18.0, 0.0), "17.9mm ±2.9 behind"),
        ("LR", (0.0, 14.0), "14.0mm ±2.1 to the left"),
        ("LF", (0.0, 14.0), ""),
    ],
)
def test_a_hub_that_stands_elsewhere_is_told_once_all_was_read_again(
    garage: Garage, corner: Corner, off: tuple[float, float], where: str
) -> None:
    placer = Placer(garage, "BL-SUR-03")
    true: dict[Corner, tuple[float, float]] = dict.fromkeys(CORNERS, (0.0, 0.0))
    true[corner] = off
    placer.bay.scene = replace(placer.bay.scene, hub_off=true)
    if not where:
        with pytest.raises(Stuck) as stuck:
            placer.until("run")
        assert re.search(r"LF hub or .*hub may stand elsewhere", told(stuck.value.move.then))
        return
    smoothed = [move for move in placer.until("run") if told(move.sentence).startswith("Smooth")]
    assert len(smoothed) <= 2, "what was smoothed and reads as before was no fold"
    words = {told(view.judgement.remark) for view in placer.who.opened.sheet.checks if view.judgement.remark}
    assert any(f"The {corner} hub truly stands {where}" in one.replace("\u202f", "") for one in words), words


def test_only_what_was_moved_is_read_again_and_a_bump_after_the_run_shows(garage: Garage) -> None:
    placer = Placer(garage, "BL-SUR-02")
    placer.until("run")
    who = placer.who
    before = {id for id, slot in who.opened.sheet.slots.items() if id.startswith("together.") and slot.now}
    who.happen("together", {"which": 2, "forward": 20.0})
    now = {id for id, slot in who.opened.sheet.slots.items() if id.startswith("together.") and slot.now}
    assert {id.split(".")[2] for id in before - now} == {"left"}
    placer.until("run")
    who.run()
    assert [view.proof for view in who.opened.sheet.stations] == ["awaited", None]
    watch = who.opened.sheet.next.slot
    placer.off("front", 1)[0] += 60
    read(who, placer.bay, watch)
    assert who.opened.sheet.stations[0].proof == "contradicted"
    who.happen("together_bump", {"which": 1})
    assert who.opened.sheet.stations[0].proof == "doubt"


@pytest.mark.parametrize(
    ("sheet", "check", "slot"),
    [
        ("BL-SUR-02", "left_board", "together.front.left.read.bottom_right.hub_LF"),
        ("QE-MIR-01", "board", "together.beside.board.read.bottom_left.out_parallel_bottom_right"),
    ],
)
def test_a_tape_to_the_foot_in_place_of_the_edge_is_told(garage: Garage, sheet: str, check: str, slot: str) -> None:
    placer = Placer(garage, sheet)
    placer.until("run")
    who, shown = placer.who, placer.bay.at(slot)
    who.read(slot, f"{shown - 90:.1f}", "tape-4", replaces=True)
    view = who.check(check)
    assert view.state == "undecided"
    assert told(view.judgement.inconsistency).startswith("Readings contradict each other; most likely")
    beside = who.opened.sheet.next
    assert beside.sentence.code == "read.tape", "nothing is moved while readings contradict each other"
    own = [one.slot.id for one in who.check(beside.check).slots if one.slot.optional]
    assert own == [beside.slot], "it is asked where it is read"
    read(who, placer.bay, beside.slot)
    asked = [who.opened.sheet.next]
    if asked[0].slot != slot:
        read(who, placer.bay, asked[0].slot, replaces=True)
        asked.append(who.opened.sheet.next)
    assert asked[-1].slot == slot
    assert all(move.replaces and move.slot != beside.slot for move in asked)
    assert all(v.state in ("holds", "undecided") for v in who.opened.sheet.checks if v.check.group == "target")


@pytest.mark.parametrize(("ridge", "found", "state"), [(0.0, 0.0, "holds"), (24.0, 24.0, "out")])
def test_the_floor_under_a_mat_is_judged_by_the_survey(garage: Garage, ridge: float, found: float, state: str) -> None:
    keep(garage)
    place = Place(x=5000.0, y=2500.0, heading_deg=0.0)

    def floor(x: float, y: float) -> float:
        # A tilted plane, and a ridge one row of staffs wide, in the middle of the wider front mat.
        return 0.001 * x - 0.002 * y + (ridge if x > 10_000 and abs(y - 2500) < 100 else 0.0)

    survey(garage, floor)
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", reason="surround camera replaced", bay="Norte", procedure="BL-SUR-03")
    who.place(place.x, place.y)
    epochs = who.opened.sheet.epochs
    under = {id: floor_under(epochs, goal) for id, goal in goals(epochs).items()}
    assert under["rear"] is not None
    assert under["rear"].value == pytest.approx(0, abs=0.1)
    assert under["front"] is not None
    assert under["front"].value == pytest.approx(found, abs=0.2)
    assert 0 < under["front"].u < 2
    view = who.check("front_mat")
    flat = next(f for f in view.check.floor_figures(epochs, goals(epochs)["front"]))  # type: ignore[attr-defined]
    assert flat.verdict.state == state


def test_each_camera_has_a_result_of_its_own(garage: Garage) -> None:
    placer = Placer(garage, "BL-SUR-03")
    placer.until("run")
    who = placer.who
    who.run()
    placer.until("result")
    who.answer("result.outcome", "failed")
    assert [s.slot.id for s in who.check("result").slots if not s.slot.optional and not s.now] == [
        f"result.camera.{id}" for id in ("front", "left", "right", "rear")
    ]
    for id in ("front", "left", "right", "rear"):
        who.answer(f"result.camera.{id}", "failed" if id == "rear" else "passed")
    assert "Failed: rear camera" in told(who.check("result").judgement.mismatch)


def test_a_camera_that_failed_is_run_again_alone_and_the_others_stay(garage: Garage) -> None:
    placer = Placer(garage, "BL-SUR-02")
    who = placer.who
    for _ in range(2):
        placer.until("run")
        who.run()
    placer.until("result")
    who.answer("result.outcome", "failed")
    for id in ("front", "left", "right", "rear"):
        who.answer(f"result.camera.{id}", "failed" if id == "rear" else "passed")
    move = who.opened.sheet.next
    assert told(move.sentence) == "Run it again for this alone: rear camera."
    who.happen(move.happening)
    front, rear = who.opened.sheet.stations
    assert (front.done, rear.done) == (True, False), "what passed is not run again"
    placer.until("run")
    assert who.opened.sheet.plan.station == rear.station
    who.run()
    placer.until("result")
    who.answer("result.outcome", "failed")
    asked = [s.slot.id for s in who.check("result").slots if s.slot.id.startswith("result.camera.")]
    assert asked == ["result.camera.rear"], "what passed is not asked again"
    who.answer("result.outcome", "passed")
    assert who.check("result").state == "holds"
    who.happen("screws")
    assert not any(view.done for view in who.opened.sheet.stations), "a holder that was turned learns all of it anew"


@pytest.mark.parametrize(("length", "turned"), [(12_000, ""), (9_000, "rear"), (7_000, None)])
def test_a_bay_too_short_for_both_ends_turns_the_vehicle_and_says_what_that_costs(
    garage: Garage, length: float, turned: str | None
) -> None:
    bay = Bay(**{**GROUND, "name": "Norte", "length": length})
    garage.do(KeepBay(bay, garage.floors.bay("Norte")[1]), "ines", press())
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", reason="surround camera replaced", bay="Norte", procedure="BL-SUR-02")
    plan, floor = who.opened.sheet.plan, who.check("floor").judgement
    assert (plan.no_room is None, plan.turn_before) == (turned is not None, turned or "")
    note = told(floor.remark)
    assert ("before rear the vehicle is turned, about" in note) == bool(turned)
    if turned:
        minutes, again = map(int, re.findall(r"about (\d+) minutes with (\d+) readings", note)[0])
        assert minutes > 9 + again / 2
        views = plan.at_stations
        change = carrier_of(views["rear"]).change(plan, views["front"], views["rear"])
        assert told(change.moves[0]).startswith("Turn the vehicle")
        assert {zone.name for zone in plan.at_stations["rear"].part.room} == {"walking room", "view behind the vehicle"}
