"""Stand-in devices in the browser: proposals accepted by a key, a lost connection, a blunder that shows itself."""

import re
import shutil
import signal
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import Server, Visit, bump, choose_instrument, job_page

OPEN = ".check[data-open]"
JOB = "VF-0417"
PLACES = {
    "level": ("level.roll", "level.pitch"),
    "heights": ("height.LF_end", "height.RF_end", "height.LF", "height.RF"),
    "square": tuple(f"tape.{hub}.{end}" for hub in ("LF", "RF") for end in ("LF_end", "RF_end")),
}


@pytest.fixture(scope="module")
def live(demo_once: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The demo with its stand-in devices beside it."""
    folder = tmp_path_factory.mktemp("live") / "data"
    shutil.copytree(demo_once, folder)
    running = Server(folder, "demo", devices=True)
    yield running
    running.kill(signal.SIGTERM)


def at(page: Page, server: Server, check: str, slot: str) -> None:
    page.goto(f"{server.url}{job_page(server, JOB)}?check={check}&slot={slot}")


def take(page: Page, server: Server, check: str, slot: str) -> str:
    """Let the device propose, accept by Enter; what was recorded."""
    at(page, server, check, slot)
    page.get_by_role("button", name="Read from").first.click()
    expect(page.locator("[data-proposed]")).to_contain_text("Enter records it")
    typed = page.locator("#typed").input_value()
    before = page.locator("#sheet").get_attribute("data-count") or ""
    page.locator("#typed").press("Enter")
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)
    return typed


def set_bay(page: Page, server: Server, **fields: str) -> None:
    page.goto(f"{server.url}{job_page(server, JOB)}/devices")
    for label, value in fields.items():
        page.locator(f"[name='{label.replace('_', '.')}']").fill(value)
    page.get_by_role("button", name="Set the bay").click()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_set_up_is_read_by_devices_and_a_blunder_shows_itself(live: Server, visit: Visit) -> None:
    page = visit(live)
    set_bay(page, live, away="3", left="0", yaw="0.1", height="0", roll="0.05", pitch="0.02")
    page.goto(f"{live.url}{job_page(live, JOB)}")
    bump(page)
    expect(page.locator("[data-check=level][data-state=stale]")).to_have_count(1)
    for check, slots in PLACES.items():
        for slot in slots:
            assert take(page, live, check, slot)
    at(page, live, "square", "tape.LF.LF_end")
    expect(page.locator(".slot", has_text="LF hub to left end")).to_contain_text("mm")
    page.goto(f"{live.url}{job_page(live, JOB)}/devices")
    page.locator("[name=place]").fill("tape.LF.RF_end")
    page.locator("[name=blunder]").fill("25")
    page.get_by_role("button", name="Set the bay").click()
    at(page, live, "square", "tape.LF.RF_end")
    page.get_by_role("button", name="Read from").first.click()
    expect(page.locator("[data-proposed]")).to_contain_text("Enter records it")
    page.get_by_label("replace").check()
    before = page.locator("#sheet").get_attribute("data-count") or ""
    page.locator("#typed").press("Enter")
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)
    at(page, live, "square", "crossing")
    choose_instrument(page)
    page.locator("#typed").fill("0")
    page.locator("#typed").press("Enter")
    expect(page.locator("[data-check=square]").first).to_have_attribute("data-state", "undecided")


def test_a_connection_lost_loses_nothing_that_was_typed(live: Server, visit: Visit) -> None:
    page = visit(live)
    page.goto(f"{live.url}{job_page(live, JOB)}/devices")
    page.locator("[name='lost.meter-1']").check()
    page.get_by_role("button", name="Set the bay").click()
    at(page, live, "square", "tape.RF.RF_end")
    count = page.locator("#sheet").get_attribute("data-count") or ""
    page.locator("#typed").fill("2740")
    page.get_by_role("button", name="Read from").first.click()
    expect(page.locator("#entry-trouble")).to_contain_text("Nothing was read")
    expect(page.locator("#typed")).to_have_value("2740")
    expect(page.locator("#sheet")).to_have_attribute("data-count", count)
    page.goto(f"{live.url}{job_page(live, JOB)}/devices")
    page.locator("[name='lost.meter-1']").uncheck()
    page.locator("[name='battery.meter-1']").fill("6")
    page.get_by_role("button", name="Set the bay").click()
    at(page, live, "square", "tape.RF.RF_end")
    page.get_by_role("button", name="Read from").first.click()
    expect(page.locator("#entry-trouble")).to_contain_text("battery is low")
    expect(page.locator("[data-proposed]")).to_contain_text("stand-in meter-1")


def test_a_unit_is_silent_until_the_key_was_cycled_and_codes_are_frozen_before_and_after(
    live: Server, visit: Visit
) -> None:
    page = visit(live, "/jobs/new")
    page.fill("#number", "D-1")
    page.fill("#vin", "ZZ9BL09C6RV000862")
    page.fill("#reason", "windscreen replaced")
    page.select_option("#vehicle", "brezo-lanzadera")
    page.click("form button.primary")
    page.click("[data-part=windscreen]")
    page.click("button[name=act][value=replaced]:not(.bar-button)")
    page.locator(".tabs").get_by_text("Fault codes").click()
    silent = page.locator("[data-unit=corner_unit]")
    expect(silent).to_contain_text("does not answer")
    expect(page.get_by_role("button", name="Clear the ticked units")).to_have_count(0)
    page.click("button[value=key_off]")
    expect(page.locator("[data-key=off]")).to_be_visible()
    page.click("button[value=key_on]")
    expect(silent).to_contain_text("no codes")
    page.get_by_role("button", name="freeze as before").click()
    expect(page.locator("[data-snapshot=before]")).to_contain_text("Teo Marchena")
    page.check("input[value=camera_unit]")
    page.fill("#why-clear", "no")
    page.get_by_role("button", name="Clear the ticked units").click()
    expect(page.locator("p.error")).to_contain_text("a reason in words")
    expect(page.locator("[data-unit=camera_unit]")).to_contain_text("VH-U07")
    page.check("input[value=camera_unit]")
    page.fill("#why-clear", "the stored code blocks the routine")
    page.get_by_role("button", name="Clear the ticked units").click()
    live.kill()
    live.start()
    page.reload()
    page.get_by_role("button", name="freeze as after").click()
    row = page.locator("tr", has_text="VH-C41")
    expect(row).to_contain_text("still there")
    expect(page.locator("tr", has_text="VH-U07")).to_contain_text("camera control unit")


def test_a_drive_comes_live_and_a_lost_connection_loses_nothing(live: Server, visit: Visit) -> None:
    base = job_page(live, "VF-0411").replace("/jobs/", "/visits/")
    page = visit(live, f"{base}/drive")
    page.get_by_role("link", name="Live from the vehicle's link").click()
    shown = page.locator("[data-live] [data-samples]")
    expect(shown).to_have_attribute("data-samples", re.compile(r"\d{3}"))
    expect(page.locator("[data-live] .recorder-needs")).to_contain_text("km counts")
    road = page.url
    page.goto(f"{live.url}{base}/codes")
    page.locator("details", has=page.locator("[name=lost]")).locator("summary").click()
    page.check("[name=lost]")
    page.locator("form", has=page.locator("[name=lost]")).get_by_role("button").click()
    page.wait_for_load_state()
    page.goto(road)
    expect(page.get_by_role("alert")).to_contain_text("What came before is kept")
    before = int(shown.get_attribute("data-samples") or 0)
    live.kill()
    live.start()
    page.reload()
    expect(shown).to_have_attribute("data-samples", re.compile(r"\d+"))
    assert int(shown.get_attribute("data-samples") or 0) >= before
    expect(page.get_by_role("alert")).to_have_count(0)
    page.goto(f"{live.url}{base}/drive")
    page.check("[name=key]")
    page.get_by_role("button", name="The drive is over").click()
    expect(page.get_by_role("alert")).to_contain_text("Take over first")
    page.get_by_role("button", name="Take over what the link sent").click()
    expect(page.locator("[data-drive=open] ul.plain")).to_contain_text("vehicle's link")
    expect(page.get_by_role("button", name="Take over what the link sent")).to_have_count(0)
