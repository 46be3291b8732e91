"""Setting the frame in the browser, doing only what the sheet says next: by live devices, by tape, at three places.

The hands of the journeys type or take what a virtual bay shows and move its frame as they are told, knobs and all.
"""

import re
import shutil
import signal
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from playwright.sync_api import Page, TimeoutError, expect

from escuadra.commands import Garage
from escuadra.commands.lines import PlanLines
from escuadra.core.base.axes import Pose
from escuadra.core.visit.log.events import LinePlanned
from escuadra.core.visit.methods import METHODS
from escuadra.demo.valdehierro import open_demo
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.following import follow
from escuadra.rehearsal.technician import Technician
from escuadra.words import language
from tests.conftest import ground_flat
from tests.e2e.conftest import Server, Visit, choose_instrument, job_page

say = language().say

MOST_STEPS = 160


@pytest.fixture(scope="session")
def jobs(demo_once: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Server, dict[str, VirtualBay]]]:
    """The demo with its devices and four jobs more, each with the vehicle readied."""
    folder = tmp_path_factory.mktemp("setting") / "data"
    shutil.copytree(demo_once, folder)
    garage = open_demo(folder, lambda: time.time_ns() // 1_000_000)
    bays = {
        "J-1": prepared(garage, "J-1", "BL-CAM-01", line=["rig"]),
        "J-2": prepared(garage, "J-2", "BL-CAM-01"),
        "J-3": prepared(garage, "J-3", "BL-CAM-02", until="run"),
        "J-4": prepared(garage, "J-4", "BL-CAM-02", frame="galga-3"),
        "J-5": prepared(garage, "J-5", "BL-CAM-01", line=["mirrors", "rulers", "hubs"]),
        "J-6": prepared(garage, "J-6", "BL-CAM-01", until="run"),
        "J-7": prepared(garage, "J-7", "BL-CAM-01", until="run", hub_off=(-12.0, 0.0)),
    }
    bays["J-2"].roll, bays["J-2"].pitch = 0.24, -0.22
    garage.close()
    running = Server(folder, "demo", devices=True)
    yield running, bays
    running.kill(signal.SIGTERM)


def prepared(
    garage: Garage,
    number: str,
    procedure: str,
    line: list[str] | None = None,
    frame: str = "galga-2",
    until: str = "",
    hub_off: tuple[float, float] = (0.0, 0.0),
) -> VirtualBay:
    ground_flat(garage, "Muelle")
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number=number, reason="front camera replaced", bay="Muelle", procedure=procedure, frame=frame)
    who.ready()
    if line is None:
        who.stance(1, 2, -1, 0)
        who.line(("0.06", "0.06"))
        # As this bay's own tape shows them, so that what is read there again is what it was.
        scale = VirtualBay(who.opened.sheet.plan, (0.0, 0.0, 0.0, 0.0), seed=0)
        for slot in METHODS["marks"].slots(who.opened.sheet.plan):
            if slot.id != "crossing":
                who.read(slot.id, f"{scale.at(slot.id):g}", "tape-4", replaces=True)
    else:
        garage.do(PlanLines(who.job, LinePlanned(methods=line)), "teo", who.id())
    bay = VirtualBay(who.opened.sheet.plan, (34.0, -22.0, 1.1, 13.0), seed=int(number[-1]))
    bay.scene = replace(bay.scene, hub_off={"LF": hub_off})
    if until:
        follow(who, bay, until)
    return bay


class Hands:
    """Does what the sheet says next, and nothing else."""

    def __init__(self, page: Page, read: Callable[[str], str | None], bay: VirtualBay | None) -> None:
        self.page, self.read, self.bay = page, read, bay
        self.moves: list[str] = []
        self.heard: list[str] = []
        """What the sheet said, step by step."""

    @property
    def says(self) -> str:
        return self.page.locator(".next-sentence").inner_text()

    def until(self, wanted: str) -> None:
        """Step by step, until the sheet says something of this kind."""
        for _ in range(MOST_STEPS):
            if re.search(wanted, self.says):
                return
            self.step()
        raise AssertionError(f"never came to {wanted!r}; it says {self.says!r}")

    def step(self) -> None:
        page = self.page
        self.heard.append(self.says)
        count = page.locator("#sheet").get_attribute("data-count") or ""
        moved = page.locator("[data-key=m]")
        if moved.count():
            self._move()
        elif page.locator("[data-key=r]").count():
            page.keyboard.press("r")
        elif page.locator(".foot .yes-no").count():
            page.locator(".foot .yes-no button", has_text="Yes").click()
        elif page.get_by_role("link", name="Go there").count():
            there = page.get_by_role("link", name="Go there")
            slot = (there.get_attribute("href") or "").rpartition("slot=")[2]
            if page.locator(f"form.entry [name=slot][value='{slot}']").count():
                page.locator("[data-field]").first.focus()
            else:
                there.click()
                page.wait_for_selector(f"form.entry [name=slot][value='{slot}']", state="attached")
            self._enter(slot)
        else:
            raise AssertionError(f"nothing to do: {self.says}")
        still = "".join(f":not(.htmx-{state})" for state in ("request", "swapping", "settling", "added"))
        changed = f"#sheet:not([data-count='{count}']){still}"
        for _ in range(3 if self.bay is None else 0):
            try:
                page.wait_for_selector(changed, timeout=8000)
                return
            except TimeoutError:
                # A device is read: as whoever pressed before it showed anything, again.
                page.locator("[data-field]").first.focus()
                page.keyboard.press("Enter")
        page.wait_for_selector(changed)

    def _move(self) -> None:
        page = self.page
        what = page.locator("form:has([data-key=m]) [name=what]").get_attribute("value") or ""
        by = {
            (field.get_attribute("name") or "")[3:]: float(field.get_attribute("value") or "0")
            for field in page.locator("form:has([data-key=m]) [name^='by.']").all()
        }
        self.moves.append(what)
        if self.bay is not None:
            self.bay.obey(what, by)
        page.keyboard.press("m")

    def _enter(self, slot: str) -> None:
        page = self.page
        if page.locator("form.entry button.answer").count():
            page.locator("form.entry button.answer", has_text=re.compile(ANSWERS.get(slot, "^Yes$"))).click()
            return
        if slot == "target.identity":
            page.keyboard.type("VT-A 61")
            page.keyboard.press("Enter")
            return
        tick = page.get_by_label("replace")
        if "replace" in self.says and tick.count():
            tick.check()
            page.locator("#typed").focus()
        typed = self.read(slot)
        if typed is None:
            expect(page.locator("[data-device] [data-device-value]"), f"{slot}: {self.says}").not_to_be_empty()
        else:
            words = page.locator("form.entry [name=word]")
            if words.count():
                words.nth(1 if typed.startswith("-") else 0).check()
                page.locator("#typed").focus()
                typed = typed.lstrip("-")
            choose_instrument(page)
            page.keyboard.type(typed)
        page.keyboard.press("Enter")


RUN = r"^Run the procedure\."
ANSWERS = {
    "result.outcome": "^passed$",
    "target.side": "^A$",
    "target.way_up": "^arrow up$",
    "target.fixing": "^both hooks$",
}


def typed_from(bay: VirtualBay) -> Callable[[str], str | None]:
    """What a person would type of what there is to be read."""

    def read(slot: str) -> str | None:
        value = bay.at(slot) + bay.chance.gauss(0, 0.01 if slot.split(".")[0] in ("level", "hangs", "slope") else 0.1)
        return f"{value:.2f}" if slot.startswith(("level", "slope")) else f"{value:.1f}"

    return read


def opened(visit: Visit, server: Server, number: str) -> Page:
    page = visit(server)
    page.goto(server.url + job_page(server, number))
    return page


def test_a_whole_set_up_by_live_devices(jobs: tuple[Server, dict[str, VirtualBay]], visit: Visit) -> None:
    server, _ = jobs
    page = opened(visit, server, "J-1")
    hands = Hands(page, lambda slot: None, None)
    hands.until(RUN)
    assert {"yaw", "slide", "roll"} & {*hands.moves}, "the stand-ins' frame stood off and followed what was told"
    page.get_by_role("button", name="Start it over the link").click()
    expect(page.locator(".next")).to_contain_text("What did the routine say")
    page.goto(f"{server.url}{job_page(server, 'J-1')}?check=result")
    expect(page.locator(".offered")).to_contain_text("The vehicle says: passed; Sideways")
    page.get_by_role("button", name="Accept this result").click()
    expect(page.locator(".next")).to_contain_text("settled: sign")
    page.get_by_role("button", name="Sign", exact=True).click()
    expect(page.get_by_role("link", name="Record PDF")).to_be_visible()
    path = job_page(server, "J-1")
    record = page.request.get(f"{server.url}{path}/record/1.json").json()
    taken = [r for c in record["checks"] for r in c["readings"] if r["slot"].startswith(("rig.", "level.", "height."))]
    assert len(taken) > 6
    shown = [r for c in record["checks"] for r in c["readings"] if r["slot"].startswith("result.") and r["instrument"]]
    assert {r["device"] for r in shown} == {"diagnostic link"}
    assert {r["device"] for r in taken} == {"stand-in rig-1", "stand-in level-1", "stand-in meter-1"}


def test_a_whole_set_up_by_tape_with_a_frame_that_leans(
    jobs: tuple[Server, dict[str, VirtualBay]], visit: Visit
) -> None:
    server, bays = jobs
    page = opened(visit, server, "J-2")
    hands = Hands(page, typed_from(bays["J-2"]), bays["J-2"])
    hands.until(RUN)
    off = bays["J-2"].off()
    assert abs(off["yaw"]) < 0.25
    assert abs(off["centre"]) < 4
    assert abs(off["distance"]) < 5
    assert abs(off["height"]) < 4


def test_mirrors_rulers_and_hub_distances_need_no_tape_to_the_beam(
    jobs: tuple[Server, dict[str, VirtualBay]], visit: Visit
) -> None:
    server, bays = jobs
    page = opened(visit, server, "J-5")
    hands = Hands(page, typed_from(bays["J-5"]), bays["J-5"])
    hands.until(RUN)
    assert not [said for said in hands.heard if "hub to" in said], hands.heard
    assert len([said for said in hands.heard if "half a turn" in said]) <= 2, "half a turn on, once a seating"
    off = bays["J-5"].off()
    assert abs(off["yaw"]) < 0.25
    assert abs(off["centre"]) < 4
    assert abs(off["distance"]) < 5
    expect(page.locator("[data-chance]")).to_contain_text("in 100")
    # What the model says of the hubs can be read beside the vehicle, and is drawn there.
    page.goto(page.url.partition("?")[0] + "?check=distance&slot=wheelbase.L")
    expect(page.locator("line.tape-at-hand.unread")).to_have_count(1)
    choose_instrument(page)
    page.locator("#typed").fill(f"{bays['J-5'].at('wheelbase.L'):.0f}")
    page.keyboard.press("Enter")
    expect(page.locator("line.unread")).to_have_count(0)
    expect(page.locator(".next-sentence")).to_have_text(re.compile(RUN))


def test_a_misread_laser_is_found_and_cured(jobs: tuple[Server, dict[str, VirtualBay]], visit: Visit) -> None:
    server, bays = jobs
    page, bay = opened(visit, server, "J-6"), bays["J-6"]
    page.goto(page.url + "?check=centred&slot=crossing")
    choose_instrument(page)
    page.get_by_label("replace").check()
    page.locator("#typed").fill(f"{bay.at('crossing') + 14:.1f}")
    page.keyboard.press("Enter")
    expect(page.locator("[data-check=centred]").first).to_have_attribute("data-state", "undecided")
    hands = Hands(page, typed_from(bay), bay)
    hands.until(RUN)
    assert [said for said in hands.heard if "floor laser" in said.lower() and "replace" in said], hands.heard
    assert not hands.moves, "nothing was moved for a reading that was wrong"


def test_a_hub_that_truly_stands_back_is_told_so(jobs: tuple[Server, dict[str, VirtualBay]], visit: Visit) -> None:
    server, _ = jobs
    page = opened(visit, server, "J-7")
    expect(page.locator(".next")).to_contain_text("Run the procedure.")
    page.goto(page.url + "?check=square")
    expect(page.locator(".check[data-open]")).to_contain_text("The LF hub truly stands")
    expect(page.locator(".check[data-open]")).to_contain_text("behind where the model has it")
    page.goto(server.url + job_page(server, "J-7") + "/lines")
    expect(page.locator("main")).to_contain_text("left hub behind")


def test_three_places_with_a_bump_between_the_second_and_the_third(
    jobs: tuple[Server, dict[str, VirtualBay]], visit: Visit
) -> None:
    server, bays = jobs
    page, bay = opened(visit, server, "J-3"), bays["J-3"]
    hands = Hands(page, typed_from(bay), bay)
    station = page.locator("[data-station]")
    hands.until("Run the procedure at the left place, 2 of 3")
    expect(station.nth(0)).to_have_attribute("data-proof", "proven")
    hands.step()
    pose = bay.scene.pose
    bay.nudge(Pose(x=pose.x + 9.0, y=pose.y + 5.0, yaw_deg=pose.yaw_deg + 0.1))
    hands.until("to replace|replace the old|contradict")
    expect(station.nth(1)).to_have_attribute("data-proof", "contradicted")
    hands.until("The frame was bumped: say so")
    expect(station.nth(1)).to_have_attribute("data-proof", "contradicted")
    hands.step()
    expect(station.nth(1)).to_have_attribute("data-proof", "doubt")
    expect(station.nth(0)).to_have_attribute("data-proof", "proven")
    expect(page.locator(".next")).to_contain_text("left, position 2 of 3")
    hands.until("What did the routine say")
    for k in range(3):
        expect(station.nth(k)).to_have_attribute("data-proof", "proven")
    page.locator(".stations").click()
    expect(page.locator("[data-proof=proven]")).to_have_count(3)
    expect(page.locator("tbody tr").nth(2)).to_contain_text("mm to the right on the beam")


def test_a_goal_past_the_beam_is_said_before_work_starts(
    jobs: tuple[Server, dict[str, VirtualBay]], visit: Visit
) -> None:
    server, _ = jobs
    page = opened(visit, server, "J-4")
    expect(page.locator(".next")).to_contain_text("does not reach that far")
    expect(page.locator(".next")).to_contain_text("702\u202fmm left of the beam's middle; Galga 3")
    expect(page.locator(".next")).to_contain_text("take another frame")
    page.locator(".stations").click()
    expect(page.locator("tbody tr").nth(1)).to_contain_text("reaches 688")
