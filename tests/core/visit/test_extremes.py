"""Whatever is typed and confirmed: it is refused with words, or every screen and list goes on."""

from functools import cache

import pytest
from fastapi.testclient import TestClient
from hypothesis import given, settings
from hypothesis import strategies as st

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Opened, Unreadable
from escuadra.commands.entries import Undo
from escuadra.core.base.errors import BadInput
from escuadra.core.base.stream import Person, made
from escuadra.core.measure.readings import Instrument
from escuadra.core.visit.log.events import Answered, ReadingTaken, TakenIn, ToolUsed, VisitPayload
from escuadra.core.visit.log.reducer import VEHICLE
from escuadra.core.visit.log.state import State, fold
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.sheet import Sheet, derive
from escuadra.core.visit.slots import Slot
from escuadra.drawing import glyph
from escuadra.rehearsal.technician import Technician
from escuadra.web.app import create_app
from escuadra.web.screens.sheet.routes import drawn
from escuadra.words import language
from tests.conftest import BEGUN, past_commands
from tests.english import refused, told

say = language().say

CATALOGUE = load([PRACTICE])
PROCEDURES = [e.id for e in CATALOGUE.all("procedure")]
EXTREMES = (0.0, -99_999.0, 99_999.0, 999_999_999.0, -1e9, 1e9, 1e-300, -5e-324)
SOMEBODY = Person(id="p", name="P")
TOOL = ToolUsed(
    id="t",
    name="t",
    contributions=Instrument(resolution=1, accuracy_constant=1, accuracy_ppm=10, repeatability=0.5),
)


def said(state: State, payload: VisitPayload) -> State:
    seq = state.seq + 1
    return fold(state, [made("j", seq, f"e{seq}", seq * 1000, SOMEBODY, payload)])


def entered(state: State, slot: Slot, value: float) -> State:
    if slot.ask == "day":
        return said(state, Answered(slot=slot.id, value="2026-03-05"))
    if slot.ask != "number":
        return said(state, Answered(slot=slot.id, value=slot.options[0] if slot.options else "yes"))
    return said(
        state,
        ReadingTaken(slot=slot.id, typed="", understood=f"{value:g} mm", value=value, tool=TOOL, replaces=True),
    )


@cache
def plausible(id: str) -> tuple[Plan, Sheet]:
    """A practice sheet with every place read in the middle of what is plausible."""
    procedure = CATALOGUE.get("procedure", id).content
    targets = {t: CATALOGUE.get("target", t).content for t in procedure.targets}
    vehicle = CATALOGUE.get("vehicle", procedure.vehicle).content
    frame = CATALOGUE.get("frame", "galga-2").content
    plan = Plan(procedure, vehicle, targets[procedure.mounting.target], frame, targets=targets)
    state = said(State(), TakenIn(vin="", plate="", customer="", number="1", reason="r", bay="b", pins=[]))
    for _ in range(2):
        for view in derive(state, plan, state.seq * 1000).slots.values():
            q = view.slot.quantity
            if not view.now:
                state = entered(state, view.slot, (q.low + q.high) / 2 if q is not None else 0.0)
    sheet = derive(state, plan, state.seq * 1000)
    assert not sheet.underivable
    return plan, sheet


@pytest.mark.parametrize("procedure", PROCEDURES)
@settings(max_examples=25, deadline=None, derandomize=True)
@given(data=st.data())
def test_every_place_of_every_sheet_survives_what_cannot_be(procedure: str, data: st.DataObject) -> None:
    plan, sheet = plausible(procedure)
    slots = [view.slot for view in sheet.slots.values() if view.slot.ask == "number"]
    state = sheet.state
    for _ in range(data.draw(st.integers(1, 3))):
        state = entered(state, data.draw(st.sampled_from(slots)), data.draw(st.sampled_from(EXTREMES)))
    found = derive(state, plan, state.seq * 1000, before=sheet)
    for view in found.checks:
        assert not view.broken or (
            view.state == "undecided" and not view.settled and told(view.broken) in told(view.advice)
        )
    assert not found.underivable or found.next.kind == "blocked"
    assert glyph(found.next) is not None
    if not found.underivable:
        for drawing in ("plan", "side", "level"):
            check = found.check(found.next.check) or found.checks[0]
            assert "<svg" in drawn(found, drawing, magnify=True, whole=False, slot=found.next.slot, check=check)


@pytest.mark.parametrize(
    "slot, typed, tool, word",
    [
        ("arch.LF", "0 mm", "tape-4", ""),
        ("arch.LF", "−99999 mm", "tape-4", ""),
        ("height.LF", "999999999 mm", "tape-4", ""),
        ("toe.left", "999999999°", "printout", "plus"),
    ],
)
def test_a_confirmed_impossible_reading_is_refused_with_words_and_nothing_is_lost(
    full: Technician, slot: str, typed: str, tool: str, word: str
) -> None:
    before = full.opened.row
    with refused(BadInput, match=r"worked out|up to") as caught:
        full.read(slot, typed, tool, word, replaces=True)
    assert caught.value.given in (typed, typed.replace("−", "-"))
    assert full.opened.row == before
    assert full.opened.sheet.underivable == {}
    assert all(isinstance(opened, Opened) for opened in full.garage.jobs())


def test_a_height_of_nothing_is_refused_before_its_check_is_complete(teo: Technician) -> None:
    for typed in ("0 mm", "−5 mm"):
        with refused(BadInput, match="more than 0"):
            teo.read("arch.LF", typed, "tape-4")
    assert teo.opened.row.count == BEGUN


def test_what_an_old_log_holds_is_shown_and_can_be_undone(full: Technician) -> None:
    """An entry that only an earlier version let in: written past the commands."""
    garage, opened = full.garage, full.opened
    old = opened.state.live("arch.LF")[-1].said
    assert isinstance(old, ReadingTaken)
    bad = old.model_copy(update={"value": 0.0, "understood": "0 mm", "replaces": True})
    past_commands(garage, full.job, bad, VEHICLE)
    sheet = full.opened.sheet
    assert say(sheet.next.sentence) == "Ride height cannot be worked out from what was entered."
    assert (sheet.next.kind, sheet.next.slot) == ("blocked", "arch.LF")
    assert not sheet.can_sign
    with TestClient(create_app(garage), base_url="http://127.0.0.1") as client:
        for path in ("/", "/api/jobs", f"/jobs/{full.job}?view=plan", f"/jobs/{full.job}?view=side"):
            assert client.get(path).status_code == 200, path
        assert "cannot be worked out" in client.get(f"/jobs/{full.job}?check=stance&slot=arch.LF").text
    assert garage.do(Undo(full.job), "teo", full.id()).sheet.underivable == {}


def test_a_job_that_cannot_be_read_is_one_line_of_the_list(full: Technician) -> None:
    garage = full.garage
    said = Answered(slot="a", value="b")
    past_commands(garage, full.job, said, VEHICLE, version=99)
    (found,) = garage.jobs()
    assert isinstance(found, Unreadable)
    assert "version 99" in told(found.why)
    with refused(BadInput, match="version 99"):
        garage.open(full.job)
