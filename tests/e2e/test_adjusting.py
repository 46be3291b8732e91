"""A radar from failing to passing on the link: notches, a lost connection, a reading that was forgotten, its screws."""

import re
import shutil
import signal
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import Server, Visit, job_page

JOB = "VF-0421"
ARCHES = {"LF": "711", "RF": "713 mm", "LR": "724", "RR": "72.2 cm"}
SHOWN = {"front": "71.0", "rear": "72.5"}
MOST_RUNS = 5


@pytest.fixture
def live(demo_once: Path, tmp_path: Path) -> Iterator[Server]:
    """The demo with its stand-in devices beside it."""
    shutil.copytree(demo_once, tmp_path / "live")
    running = Server(tmp_path / "live", "demo", devices=True)
    yield running
    running.kill(signal.SIGTERM)


def vehicle(page: Page, server: Server, job: str, voltage: str, lost: bool = False) -> None:
    """What is wrong with the stand-in's vehicle."""
    page.goto(f"{server.url}{job.replace('/jobs/', '/visits/')}/codes")
    page.get_by_text("The stand-in").first.click()
    page.fill("#voltage", voltage)
    page.locator("[name=lost]").set_checked(lost)
    page.get_by_role("button", name="Set", exact=True).click()
    page.wait_for_load_state()


def step(page: Page, id: str) -> None:
    expect(page.locator(f"[data-step={id}]")).to_be_visible()
    page.wait_for_load_state()


def notch(page: Page, id: str) -> None:
    """The lever in a notch: the wait sat out, the field clear, the response taken from the vehicle."""
    step(page, id)
    page.get_by_role("button", name="Begin the wait").click()
    expect(page.locator("[data-over=yes]")).to_be_visible(timeout=15_000)
    page.locator("[name=clear]").check()
    page.get_by_role("button", name="Take it from the vehicle").click()


def ride_heights(page: Page) -> None:
    """The arches read for the routine, and what it shows of them typed back: once wrongly."""
    step(page, "ride")
    for corner, typed in ARCHES.items():
        page.fill(f"[name=height_{corner}]", typed)
    page.get_by_role("button", name="These were read").click()
    expect(page.locator("[name=back_front]")).to_be_visible()
    for shown in ({**SHOWN, "rear": "75.2"}, SHOWN):
        for name, typed in shown.items():
            page.fill(f"[name=back_{name}]", typed)
        page.get_by_role("button", name="Done").click()
        if shown is not SHOWN:
            expect(page.get_by_role("alert")).to_contain_text("what was to be typed: 72.5")
            expect(page.locator("[name=back_rear]")).to_have_value("75.2")


def before_run(page: Page, server: Server, job: str) -> None:
    """What is asked anew before each run, until it may be run."""
    page.goto(f"{server.url}{job}")
    run = page.get_by_role("link", name="Run it step by step")
    for _ in range(15):
        if run.count():
            break
        before = page.locator("#sheet").get_attribute("data-count") or ""
        page.locator("footer").get_by_role("button", name="Yes").click()
        expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)
    run.click()
    page.get_by_role("button", name="I have read the cautions").click()


def test_a_radar_is_turned_until_its_routine_passes(live: Server, visit: Visit) -> None:
    job = job_page(live, JOB)
    page = visit(live, job)
    expect(page.locator(".next-sentence")).to_contain_text("side screw 3/8 of a turn clockwise")
    page.get_by_role("link", name="Turn the screws").first.click()
    page.get_by_role("button", name="Turned so").click()
    before_run(page, live, job)
    step(page, "supported")
    expect(page.locator(".conduct-list li").first).to_contain_text("seen by the link")
    vehicle(page, live, job, "11.9")
    page.goto(f"{live.url}{job}/steps")
    expect(page.locator("[data-against]")).to_contain_text("wants 12.3")
    page.get_by_role("button", name="Done").click()
    expect(page.get_by_role("alert")).to_contain_text("put the battery support right")
    vehicle(page, live, job, "13.1")
    page.goto(f"{live.url}{job}/steps")
    for id in ("supported", "cleared", "opened"):
        step(page, id)
        page.get_by_role("button", name="Done").click()
    ride_heights(page)
    notch(page, "middle")
    step(page, "back")
    page.get_by_role("button", name="Begin the wait").click()
    vehicle(page, live, job, "13.1", lost=True)
    page.goto(f"{live.url}{job}/steps")
    expect(page.get_by_role("button", name="Take it from the vehicle")).to_have_count(0)
    expect(page.locator("[data-over=yes]")).to_be_visible(timeout=15_000)
    page.locator("[name=clear]").check()
    page.fill("[name=response]", "strong")
    page.get_by_role("button", name="Done").click()
    expect(page.get_by_role("alert")).to_contain_text("such as 71.4")
    expect(page.locator("[name=response]")).to_have_value("strong")
    page.get_by_text("It was interrupted").click()
    page.fill("#why-interrupted", "connection lost at the second notch")
    page.get_by_role("button", name="Note the interruption").click()
    step(page, "opened")
    vehicle(page, live, job, "13.1")
    for k in range(MOST_RUNS):
        page.goto(f"{live.url}{job}/steps")
        if k:
            before_run(page, live, job)
            for id in ("supported", "cleared"):
                step(page, id)
                page.get_by_role("button", name="Done").click()
        step(page, "opened")
        page.get_by_role("button", name="Done").click()
        ride_heights(page)
        for id in ("middle", "back", "forward"):
            notch(page, id)
        expect(page).to_have_url(re.compile("check=result"), timeout=20_000)
        for forgotten in (True, False):
            before = page.locator("#sheet").get_attribute("data-count") or ""
            told = page.locator(".check[data-open]").get_by_role("button", name="passed", exact=True)
            (told if forgotten else page.get_by_role("button", name="Accept this result")).click()
            expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)
            page.wait_for_load_state()
            if forgotten:
                expect(page.locator(".next-sentence")).to_contain_text("Sideways, before zeroing")
                page.goto(f"{live.url}{job}?check=result")
        page.wait_for_load_state()
        if "settled: sign" in page.locator(".next-sentence").inner_text():
            break
        page.goto(f"{live.url}{job}/screws")
        page.get_by_role("button", name="Take these turns").click()
        page.get_by_role("button", name="Turned so").click()
        expect(page.locator(".next-sentence")).to_be_visible()
    expect(page.locator(".next-sentence")).to_contain_text("Everything is settled: sign the calibration")
    page.goto(f"{live.url}{job}/screws")
    expect(page.locator("table").first).to_contain_text("passed")
