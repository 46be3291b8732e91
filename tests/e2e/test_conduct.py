"""A journey through a conducted run: keys of a remote, a wait that a reload does not shorten, a killed server."""

import re
import time

import pytest
from playwright.sync_api import expect

from escuadra.commands import Garage
from escuadra.commands.whole import AddCalibration
from escuadra.core.base.corners import CORNERS
from escuadra.core.visit.checks.vehicle import SOUND
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.rehearsal.following import follow
from escuadra.rehearsal.technician import Technician
from tests.conftest import finished, ground_flat
from tests.e2e.conftest import Server, Visit, choose_instrument


@pytest.mark.slow
def test_a_run_is_taken_step_by_step_with_a_remote_and_outlives_a_killed_server(server: Server, visit: Visit) -> None:
    garage = Garage(server.data, lambda: time.time_ns() // 1_000_000)
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock() - 7_200_000, "teo")
    who.take_in(number="R-1", reason="windscreen replaced", bay="Norte", procedure="HV-CAM-01")
    job = finished(who).job
    garage.close()
    page = visit(server, f"/jobs/{job}", person="teo")
    page.keyboard.press("r")
    expect(page.locator("[data-overview]")).to_contain_text("6 steps, about 4 minutes")
    page.get_by_role("button", name="I have read the cautions").click()

    def at(step: str) -> None:
        expect(page.locator(f"[data-step={step}]")).to_be_visible()
        page.wait_for_load_state()

    at("support")
    for key, step in (("PageDown", "lights"), ("ArrowRight", "people"), ("n", "key_on")):
        page.keyboard.press(key)
        at(step)
    page.get_by_text("It was interrupted").click()
    page.fill("#why-interrupted", "somebody opened the door")
    page.get_by_role("button", name="Note the interruption").click()
    expect(page.locator("[data-step=people]")).to_contain_text("somebody opened the door")
    server.kill()
    server.start()
    page.reload()
    page.keyboard.press(" ")
    expect(page.locator("[data-step=key_on] [data-running=no]")).to_have_text("10 s")
    page.get_by_role("button", name="Begin the wait").click()
    expect(page.locator("[data-wait]")).to_have_text(re.compile("[4-7] s"))
    page.reload()
    page.wait_for_load_state()
    expect(page.locator("[data-wait]")).not_to_have_text("10 s")
    page.keyboard.press("n")
    expect(page.get_by_role("alert")).to_contain_text("Wait another")
    expect(page.locator("[data-over=yes]")).to_be_visible()
    for step in ("start", "answer"):
        page.keyboard.press("PageDown")
        at(step)
    page.keyboard.press("PageDown")
    expect(page.locator(".next-sentence")).to_contain_text("What did the routine say")


@pytest.mark.slow
def test_a_door_that_was_opened_in_the_run_is_made_good_before_it_goes_on(server: Server, visit: Visit) -> None:
    garage = Garage(server.data, lambda: time.time_ns() // 1_000_000)
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock() - 7_200_000, "teo")
    who.take_in(number="R-2", reason="windscreen replaced", bay="Norte", procedure="HV-CAM-01")
    job = finished(who).job
    arches = who.opened.sheet.plan.vehicle.arches
    garage.close()
    page = visit(server, f"/jobs/{job}/steps", person="teo")
    page.get_by_role("button", name="I have read the cautions").click()
    for step in ("support", "lights"):
        expect(page.locator(f"[data-step={step}]")).to_be_visible()
        page.get_by_role("button", name="Done, next").click()
    expect(page.locator("[data-step=people]")).to_be_visible()
    page.goto(f"{server.url}/jobs/{job}")
    page.get_by_text("What else happened").click()
    page.get_by_role("button", name="door used").click()
    expect(page.locator("[data-check=doors][data-state=stale]")).to_have_count(1)
    page.goto(f"{server.url}/jobs/{job}/steps")
    page.get_by_role("button", name="Done, next").click()
    expect(page.get_by_role("alert")).to_contain_text("Not settled yet")
    page.goto(f"{server.url}/jobs/{job}?check=doors")
    before = page.locator("#sheet").get_attribute("data-count") or ""
    page.locator(".check[data-open]").get_by_role("button", name="Yes").click()
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)
    page.goto(f"{server.url}/jobs/{job}?check=ride_height&slot=arch.LF")
    choose_instrument(page)
    before = page.locator("#sheet").get_attribute("data-count") or ""
    page.fill("#typed", f"{arches.LF + 1:g}")
    page.locator("#typed").press("Enter")
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)
    page.goto(f"{server.url}/jobs/{job}/steps")
    expect(page.locator("[data-step=people]")).to_be_visible()
    page.get_by_role("button", name="Done, next").click()
    expect(page.locator("[data-step=key_on]")).to_be_visible()


def stands(server: Server, job: str, frame: tuple[float, float, float, float]) -> None:
    """The radar at the right set up while nobody serves it: what is its own answered, the frame pushed across."""
    garage = Garage(server.data, lambda: time.time_ns() // 1_000_000)
    who = Technician(garage, garage.clock(), "teo")
    who.job, who.calibration, who.count = job, "2", 2000
    for view in who.opened.sheet.groups[0].checks:
        for slot in [one.slot.id for one in view.slots if not one.now]:
            if slot.startswith("condition."):
                who.answer(slot, SOUND)
            elif slot == "bracket.lean":
                who.read(slot, "0.2", "level-1", "minus")
            elif slot.startswith("stored."):
                who.read(slot, "0.3", "tester", "plus")
    bay = VirtualBay(who.opened.sheet.plan, frame, seed=3)
    bay.height = who.opened.sheet.plan.procedure.height
    follow(who, bay, "run")
    garage.close()


@pytest.mark.slow
def test_two_radars_one_side_through_and_then_the_other(server: Server, visit: Visit) -> None:
    garage = Garage(server.data, lambda: time.time_ns() // 1_000_000)
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock() - 7_200_000, "teo")
    who.take_in(number="R-3", reason="radar control unit replaced", bay="Norte", procedure="HV-RAD-01")
    who.set_up()
    garage.do(AddCalibration(who.job, "HV-RAD-02"), "teo", who.id())
    arches = {corner: f"{getattr(who.opened.sheet.plan.vehicle.arches, corner):g}" for corner in CORNERS}
    garage.close()
    page = visit(server, f"/jobs/{who.job}/steps", person="teo")
    for address, own, other in ((f"/jobs/{who.job}", "1", "2"), (f"/jobs/{who.job}.2", "2", "1")):
        if own == "2":
            server.kill()
            stands(server, who.job, (0.5, 853.0, 0.0, 0.0))
            server.start()
        page.goto(f"{server.url}{address}/steps")
        expect(page.locator("[data-overview]")).to_contain_text(f"in the tester: Distance radar {own}")
        page.get_by_role("button", name="I have read the cautions").click()
        for id in ("key_on", "supported", "cleared"):
            expect(page.locator(f"[data-step={id}]")).to_be_visible()
            page.get_by_role("button", name="Done, next").click()
        page.get_by_label(f"Distance radar {other}").check()
        page.get_by_role("button", name="Done, next").click()
        expect(page.locator("[data-other-unit]")).to_contain_text(f"Distance radar {other} was opened")
        page.get_by_label(f"Distance radar {own}").check()
        page.get_by_role("button", name="Done, next").click()
        for corner, typed in arches.items():
            page.fill(f"[name=height_{corner}]", typed)
        page.get_by_role("button", name="These were read").click()
        for corner, typed in arches.items():
            page.fill(f"[name=back_{corner}]", typed)
        page.get_by_role("button", name="Done, next").click()
        for id, response in (("middle", "71"), ("back", "68"), ("forward", "68")):
            expect(page.locator(f"[data-step={id}]")).to_contain_text("Nobody nearer to the antenna than 1.5 m")
            page.get_by_role("button", name="Begin the wait").click()
            expect(page.locator("[data-over=yes]")).to_be_visible(timeout=15_000)
            page.locator("[name=clear]").check()
            page.fill("[name=response]", response)
            page.get_by_role("button", name="Done, next").click()
        expect(page.locator("[data-step=answer]")).to_be_visible()
        page.get_by_role("button", name="Done, next").click()
        page.locator(".check[data-open]").get_by_role("button", name="passed", exact=True).click()
        for label in ("Sideways", "Up or down"):
            expect(page.locator(".entry-label")).to_contain_text(label)
            page.locator("form.entry [name=word]").first.check()
            page.locator("#typed").fill("0.11")
            page.keyboard.press("Enter")
        page.get_by_role("button", name="Sign", exact=True).click()
        expect(page.locator(".next-sentence")).to_have_text("The calibration is signed.")
