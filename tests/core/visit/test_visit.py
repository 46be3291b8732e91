"""A visit with several calibrations: each sees what it stands on, and what was signed stays as it was signed."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from escuadra.commands import Opened
from escuadra.commands.entries import Answer, Happen, Undo
from escuadra.commands.forms import press
from escuadra.commands.instrument_life import Drop
from escuadra.commands.reading import TakeReading
from escuadra.commands.signing import Reopen, Sign
from escuadra.commands.whole import AddCalibration
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.stream import Event, Part, Payload, Person, made
from escuadra.core.visit.log.events import (
    Answered,
    BodyBrought,
    CalibrationAdded,
    Disturbed,
    Signed,
    TakenIn,
    Withdrawn,
)
from escuadra.core.visit.log.reducer import VEHICLE, Visit, as_signed, body, calibration, fold_visit
from escuadra.core.visit.log.state import State, fold
from escuadra.core.visit.log.whole import LeftOut
from escuadra.core.visit.views import CheckView
from escuadra.rehearsal.technician import Technician
from tests.english import refused
from tests.store.test_log import wrongs

SOMEBODY = Person(id="a", name="A")
FRAME, STAND, FIRST, SECOND = body("frame"), body("stand"), calibration("1"), calibration("2")
BEGINNING: list[tuple[Part, Payload]] = [
    (VEHICLE, TakenIn(vin="", plate="", customer="", number="N", reason="r", bay="B", pins=[])),
    (FRAME, BodyBrought(carrier="frame", pins=[])),
    (STAND, BodyBrought(carrier="stand", pins=[])),
    (FIRST, CalibrationAdded(bodies=["frame"], pins=[])),
    (SECOND, CalibrationAdded(bodies=["stand"], pins=[])),
]


def said(parts: list[tuple[Part, Payload]]) -> list[Event]:
    return [made("visit/v", seq, f"e{seq}", seq, SOMEBODY, one, part) for seq, (part, one) in enumerate(parts, 1)]


def happened(what: str) -> Disturbed:
    return Disturbed(what=what)


ENTRY = st.sampled_from(
    [
        (VEHICLE, Answered(slot="tick.doors", value="yes")),
        (VEHICLE, happened("door")),
        (FRAME, Answered(slot="tick.zero", value="yes")),
        (FRAME, happened("bump")),
        (STAND, happened("stand_bump")),
        (FIRST, Answered(slot="around.a", value="yes")),
        (SECOND, Answered(slot="around.b", value="yes")),
        (FIRST, Withdrawn(entry=6)),
    ]
)


@settings(max_examples=120, deadline=None, derandomize=True)
@given(st.lists(ENTRY, max_size=25), st.integers(0, 30))
def test_a_visit_is_folded_in_halves_as_at_once_and_a_calibration_sees_its_own(
    more: list[tuple[Part, Payload]], at: int
) -> None:
    events = said([*BEGINNING, (FIRST, Answered(slot="around.a", value="no")), *more])
    whole = fold_visit(Visit(), events)
    assert fold_visit(fold_visit(Visit(), events[:at]), events[at:]) == whole
    for id, seen in (("1", {VEHICLE, FRAME, FIRST}), ("2", {VEHICLE, STAND, SECOND})):
        alone = fold(State(), [event for event in events if event.of in seen])
        assert whole.seen_by(id) == alone
        assert set(whole.stands_on(id)) == seen


def test_what_is_left_out_holds_nothing_open() -> None:
    signed = Signed(revision=1, parts=[], record_json="", application="")
    visit = fold_visit(Visit(), said([*BEGINNING, (FIRST, signed)]))
    assert (visit.all_signed(FRAME), visit.all_signed(VEHICLE)) == (True, False)
    left = fold_visit(visit, said([*BEGINNING, (FIRST, signed), (SECOND, LeftOut(reason="the customer waits"))])[-1:])
    assert left.all_signed(VEHICLE)
    assert left.in_order == ("1", "2")


def test_a_part_that_is_not_there_is_named() -> None:
    visit = fold_visit(Visit(), said(BEGINNING))
    assert visit.concerned(FRAME) == ("1",)
    assert visit.concerned(VEHICLE) == ("1", "2")
    with refused(BadInput, match="one of this visit: 1, 2"):
        visit.seen_by("3")
    with refused(BadInput, match="a calibration with a stand"):
        visit.owning("1", "stand")
    with refused(BadInput, match="which part of the visit"):
        fold_visit(visit, [made("visit/v", 6, "e6", 6, SOMEBODY, happened("bump"))])
    with refused(BadInput, match="a signed revision"):
        as_signed(said(BEGINNING), "1")


@pytest.fixture
def two(full: Technician) -> Technician:
    """A visit ready to be signed at its first calibration, with a second one on the same frame."""
    full.garage.do(AddCalibration(full.job, "BL-CAM-01", ("frame",)), "teo", "second")
    return full


def at(who: Technician, calibration: str) -> Opened:
    return who.garage.open(who.job, calibration)


def check(who: Technician, calibration: str, id: str) -> CheckView:
    found = at(who, calibration).sheet.check(id)
    assert found is not None
    return found


def signed(who: Technician, head: str) -> Opened:
    opened: Opened = who.garage.do(Sign(who.job, head, lambda *_: b"{}"), "ines", "sign")
    return opened


def test_what_is_read_of_vehicle_and_frame_serves_both_and_a_bump_spoils_both(two: Technician) -> None:
    garage, second = two.garage, at(two, "2").sheet
    assert {view.check.id for view in second.unsettled if view.of_setup} == {"glass", "target", "surroundings"}
    two.happen("bump")
    for id in ("1", "2"):
        level = check(two, id, "level")
        assert level.because is not None
        assert (level.state, level.because.what) == ("stale", "bump")
    own = next(slot for slot in second.slots if slot.startswith("around."))
    garage.do(Answer(two.job, own, "yes", calibration="2"), "amara", press())
    assert [e.person.id for e in at(two, "2").state.live(own)] == ["amara"]
    assert [e.person.id for e in at(two, "1").state.live(own)] == ["teo"]
    garage.do(Undo(two.job, calibration="2"), "amara", press())
    assert at(two, "2").state.live(own) == ()


def test_a_signature_names_its_parts_and_only_they_conflict(two: Technician) -> None:
    two.finish()
    head, garage = two.opened.row.head, two.garage
    own = next(slot for slot in at(two, "2").sheet.slots if slot.startswith("condition."))
    garage.do(Answer(two.job, own, "clean_and_sound", calibration="2"), "amara", press())
    opened = signed(two, head)
    parts = opened.state.records[-1].said.parts
    assert [str(part.of) for part in parts] == ["vehicle", "body frame", "calibration 1"]
    assert {part.of: part.seq for part in parts} | {FIRST: opened.row.count} == opened.visit.heads("1")
    frozen = [(view.check.id, view.state) for view in opened.sheet.checks]
    garage.do(Happen(two.job, "vehicle_rolled", calibration="2"), "amara", press())
    garage.do(TakeReading(two.job, "arch.LF", "731", "tape-4", calibration="2"), "amara", press())
    assert [(view.check.id, view.state) for view in at(two, "1").sheet.checks] == frozen
    assert check(two, "2", "ride_height").state == "stale"
    with refused(Conflict, match="This calibration is signed"):
        two.happen("bump")
    garage.do(Reopen(two.job, "to be looked at again"), "ines", "reopen")
    assert check(two, "1", "ride_height").state == "holds", "it was run by the set-up as it then stood"
    two.happen("attempt")
    assert check(two, "1", "ride_height").state == "stale", "a further run sees what happened meanwhile"
    assert wrongs(garage) == []


def test_a_dropped_instrument_is_marked_at_the_parts_that_stand_on_it_and_at_no_signed_one(two: Technician) -> None:
    garage = two.garage
    two.finish()
    signed(two, two.opened.row.head)
    frozen = [(view.check.id, view.state) for view in at(two, "1").sheet.checks]
    assert garage.do(Drop("level-1", "fell"), "teo", "drop") == ["T-1"]
    assert [(view.check.id, view.state) for view in at(two, "1").sheet.checks] == frozen
    second = at(two, "2")
    assert all(entry.doubted is not None for entry in second.state.live("level.roll"))
    happened = {str(part): {past.what for past in state.disturbances} for part, state in second.visit.parts.items()}
    assert [name for name, whats in happened.items() if "doubted" in whats] == ["vehicle", "body frame"]
    assert garage.do(Drop("level-1", "fell"), "teo", "drop") == [], "the same press is one drop"
    assert wrongs(garage) == []
