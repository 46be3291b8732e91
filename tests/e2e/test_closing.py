"""Journeys to the certificate: two calibrations from the reason to the release, sent back once, a drive handed over."""

import io
import re
import time
from datetime import date, timedelta

import pytest
from playwright.sync_api import Page, expect
from pypdf import PdfReader

from escuadra.commands import Garage
from escuadra.core.visit.checks.vehicle import SOUND
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.following import follow
from escuadra.rehearsal.technician import Technician
from tests.conftest import finished
from tests.e2e.conftest import Server, Visit
from tests.e2e.test_visit import begin, done

CAMERA, RADAR = "BL-CAM-01", "BL-RAD-01"
FROM_CAMERA = 1415.0
"""How high the board comes to hang on the beam as it stands for the camera, mm above the floor."""


def set_up(server: Server, visit: str, calibration: str) -> None:
    """A set-up worked through while nobody serves it, until it can be run."""
    garage = Garage(server.data, lambda: time.time_ns() // 1_000_000)
    who = Technician(garage, garage.clock(), "teo")
    who.job, who.calibration, who.count = visit, calibration, 1000 * int(calibration)
    if calibration == "1":
        finished(who)
    else:
        for view in who.opened.sheet.groups[0].checks:
            for slot in [s.slot for s in view.slots if not s.now]:
                if slot.id.startswith("condition."):
                    who.answer(slot.id, SOUND)
                elif slot.id == "bracket.lean":
                    who.read(slot.id, "0.2", "level-1", "minus")
        bay = VirtualBay(who.opened.sheet.plan, (877.0, 131.5, 0.0, 0.0), seed=3)
        bay.height = FROM_CAMERA
        follow(who, bay, "run")
    garage.close()


def run_and_sign(page: Page, address: str, figures: int) -> None:
    """The run, what the routine showed, and the signature."""
    page.goto(address)
    page.keyboard.press("r")
    expect(page.locator(".next")).to_contain_text("What did the routine say")
    page.get_by_role("link", name="Go there").click()
    expect(page).to_have_url(re.compile("slot=result.outcome"))
    page.get_by_role("button", name="passed").click()
    for label in ("Sideways", "Up or down", "Rotation")[:figures]:
        expect(page.locator(".next-sentence")).to_contain_text(label)
        expect(page.locator(".entry-label")).to_contain_text(label)
        page.locator("form.entry [name=word]").first.check()
        page.locator("#typed").fill("0.11")
        page.keyboard.press("Enter")
    page.get_by_role("button", name="Sign", exact=True).click()
    expect(page.locator(".next-sentence")).to_have_text("The calibration is signed.")


def freeze(page: Page, address: str, when: str) -> None:
    page.goto(f"{address}/codes")
    part = page.locator("section", has=page.locator(f"#codes-{when}"))
    part.get_by_text("Type them").click()
    part.locator("input[name=none]").check()
    part.get_by_role("button", name="Freeze").first.click()
    expect(page.locator(f"#codes-{when}")).to_have_count(1 if when == "after" else 0)
    expect(page.locator("main")).to_contain_text("No codes.")


@pytest.mark.slow
def test_a_replaced_windscreen_from_the_reason_to_the_certificate(server: Server, visit: Visit) -> None:
    page = visit(server, person="ines")
    address = begin(page, server, "C-1")
    done(page, "replaced", "windscreen")
    done(page, "removed", "front_bumper")
    for sheet in (CAMERA, RADAR):
        page.click(f"button[value='{sheet}']")
    id = address.rpartition("/")[2]
    job = address.replace("/visits/", "/jobs/")
    for calibration, where, figures in (("1", job, 3), ("2", f"{job}.2", 2)):
        server.kill()
        set_up(server, id, calibration)
        server.start()
        run_and_sign(page, where, figures)

    page.goto(f"{address}/certificate")
    expect(page.locator("main")).to_contain_text("the codes before the work are neither read nor said why not")
    for when in ("before", "after"):
        freeze(page, address, when)
    page.goto(f"{address}/certificate")
    expect(page.locator("main")).to_contain_text("static part complete, drive open")
    for name, text in (("conditions", "dry road"), ("without", "cruise control"), ("seen_by", "")):
        page.fill(f"#{name}", text)
    page.get_by_role("button", name="Hand over").click()
    expect(page.locator("p.error")).to_contain_text("how one sees that it is complete")
    expect(page.locator("#conditions")).to_have_value("dry road")
    page.fill("#seen_by", "the lamp goes out")
    page.fill("#by", (date.today() + timedelta(days=3)).isoformat())
    page.get_by_role("button", name="Hand over").click()
    expect(page.locator("[data-handed=open]")).to_contain_text("Not acknowledged yet")
    theirs = page.get_by_role("link", name="Customer's page").get_attribute("href") or ""
    phone = visit(server, theirs, person="")
    expect(phone.locator("main")).to_contain_text("The calibration of front radar is not finished")
    phone.fill("#name", "R. Olmedo")
    phone.get_by_role("button", name="I have read this").click()
    expect(phone.locator("main")).to_contain_text("acknowledged by R. Olmedo")

    page.goto(f"{address}/certificate")
    page.get_by_role("button", name="Release", exact=True).click()
    expect(page.locator("[data-released=yes]")).to_be_visible()
    page.get_by_text("Send back with words").click()
    page.fill("#words", "photo of the emblem is missing")
    page.get_by_role("button", name="Send back", exact=True).click()
    expect(page.locator("[data-sent-back]")).to_contain_text("photo of the emblem is missing")
    server.kill()
    server.start()
    page.goto(f"{address}/certificate")
    expect(page.locator("[data-sent-back]")).to_contain_text("photo of the emblem is missing")
    page.get_by_role("button", name="Release", exact=True).click()
    expect(page.locator("[data-released=yes]")).to_be_visible()
    first = page.request.get(f"{address}/certificate/2.pdf", timeout=120_000).body()
    text = " ".join(PdfReader(io.BytesIO(first)).pages[0].extract_text().split())
    for wanted in (
        "Static part complete, drive open",
        "front camera",
        "front radar",
        "by the customer",
        "sent back once",
    ):
        assert wanted in text, text
    assert "R. Olmedo" not in text, "a name that can be erased is in nothing that is kept for good"
    server.kill()
    server.start()
    assert page.request.get(f"{address}/certificate/2.pdf").body() == first
    page.goto(server.url)
    expect(page.locator("[data-drive-open]")).to_contain_text("drive open: ask by")
