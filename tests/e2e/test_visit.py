"""Journeys through a visit with several calibrations: what was done, their sheets, two tablets, a killed server."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import Server, Visit, choose_instrument


def begin(page: Page, server: Server, number: str, vehicle: str = "brezo-lanzadera") -> str:
    """A visit begun by its vehicle alone; its address."""
    page.goto(f"{server.url}/jobs/new")
    page.fill("#number", number)
    page.fill("#reason", "windscreen replaced, mirror off")
    page.select_option("#vehicle", vehicle)
    page.select_option("#bay", "Norte")
    page.click("form button.primary")
    expect(page).to_have_url(re.compile(r"/visits/[0-9a-f]{12}$"))
    return page.url


def done(page: Page, act: str, *parts: str) -> None:
    """Point at parts, say what was done to them."""
    for part in parts:
        page.click(f"[data-part={part}]")
        expect(page.locator(f"[data-part={part}]").first).to_have_class(re.compile("chosen"))
    page.click(f"button[name=act][value={act}]:not(.bar-button)")
    expect(page.locator(".acts-of")).to_contain_text("No part picked yet")


def needed(page: Page) -> list[str]:
    return [str(row.get_attribute("data-sensor")) for row in page.locator("[data-needed]").all()]


def test_what_was_done_lists_the_sensors_and_their_sheets_share_the_vehicle(server: Server, visit: Visit) -> None:
    page = visit(server)
    address = begin(page, server, "V-1")
    assert needed(page) == []
    done(page, "replaced", "windscreen")
    done(page, "removed", "front_bumper", "left_mirror")
    assert needed(page) == ["front_camera", "front_radar", "surround_left"]
    expect(page.locator("[data-sensor=front_radar]")).to_contain_text("maker's rule BL-R07")
    page.fill("#find", "left fin")
    page.keyboard.press("Enter")
    expect(page.locator("p.error")).to_contain_text("left fin is no part of this model")
    page.click("button[value='BL-CAM-01']")
    page.click("button[value='BL-RAD-01']")
    server.kill()
    server.start()
    page.goto(address)
    page.locator(".tabs").get_by_text("front camera").click()
    page.fill("input[type=date]", "2026-11-02")
    page.keyboard.press("Enter")
    expect(page.locator("#sheet")).to_have_attribute("data-place", re.compile("toe"))
    page.locator(".tabs").get_by_text("front radar").click()
    day = page.locator("[data-slot='printed.day']")
    expect(day).to_contain_text("2026-11-02")
    page.locator(".tabs").get_by_text("Visit", exact=True).click()
    row = page.locator("[data-calibration='2']")
    row.locator("summary").click()
    row.locator("form[action$=left-out] input[name=reason]").fill("no")
    row.locator("form[action$=left-out] button").click()
    expect(page.locator("p.error")).to_contain_text("a reason in words")
    page.locator("[data-calibration='2'] summary").click()
    reason = page.locator("[data-calibration='2'] form[action$=left-out] input[name=reason]")
    expect(reason).to_have_value("no")
    reason.fill("the radar goes to the maker's workshop")
    page.locator("[data-calibration='2'] form[action$=left-out] button").click()
    expect(page.locator("[data-calibration='2']")).to_contain_text("left out")
    page.locator(".tabs").get_by_text("front radar").click()
    page.goto(f"{server.url}/")
    expect(page.locator(".job").first).to_contain_text("2 calibrations")


def test_a_replaced_control_unit_lists_all_four_cameras_in_order(server: Server, visit: Visit) -> None:
    page = visit(server)
    address = begin(page, server, "V-2")
    page.fill("#find", "surround control unit")
    page.keyboard.press("Enter")
    page.click("button[name=act][value=replaced]:not(.bar-button)")
    server.kill()
    server.start()
    page.goto(address)
    assert needed(page) == ["surround_front", "surround_left", "surround_right", "surround_rear"]
    page.locator("button[value='BL-SUR-01']").first.click()
    expect(page.locator("[data-needed] a[href^='/jobs/']"), "one sheet serves them all").to_have_count(4)
    with page.expect_download() as given:
        page.evaluate("location.href = location.pathname + '/scope.json'")
    assert given.value.suggested_filename == "scope-V-2.json"
    assert page.request.get(f"{address}/scope.pdf").body()[:5] == b"%PDF-"


def test_two_tablets_work_on_two_calibrations_and_a_rolled_vehicle_spoils_both(server: Server, visit: Visit) -> None:
    first, second = visit(server), visit(server, person="amara")
    address = begin(first, server, "V-3")
    for sheet in ("BL-CAM-01", "BL-RAD-01"):
        done(first, "replaced", {"BL-CAM-01": "front_camera", "BL-RAD-01": "front_radar"}[sheet])
        first.click(f"button[value='{sheet}']")
    job = address.replace("/visits/", "/jobs/")
    first.goto(f"{job}?check=ride_height&slot=arch.LF")
    second.goto(f"{job}.2?check=ride_height&slot=arch.LF")
    choose_instrument(first)
    first.locator("[data-field]").first.fill("712")
    first.keyboard.press("Enter")
    for page in (first, second):
        expect(page.locator("[data-slot='arch.LF']").first).to_contain_text("712")
    server.kill()
    server.start()
    for page in (first, second):
        page.reload()
        expect(page.locator("[data-slot='arch.LF']").first).to_contain_text("712")
    second.locator(".foot details summary").click()
    second.locator("button[value=vehicle_rolled]").click()
    for page in (first, second):
        expect(page.locator("[data-check=ride_height]").first).to_have_attribute("data-state", "stale")


@pytest.mark.parametrize("what, value, said", [("plate", "VH 0731", "VH 0731"), ("frame", "galga-3", "galga-3")])
def test_a_visit_is_corrected_and_called_off(server: Server, visit: Visit, what: str, value: str, said: str) -> None:
    page = visit(server)
    begin(page, server, f"V-{what}")
    page.get_by_text("Something here is wrong").click()
    page.select_option("#what", what)
    page.fill("#value", value)
    page.fill("#reason-correct", "short")
    page.get_by_role("button", name="Correct", exact=True).click()
    expect(page.locator("p.error")).to_contain_text("a reason in words")
    expect(page.locator("#value")).to_have_value(value)
    page.fill("#reason-correct", "misread off the registration")
    page.get_by_role("button", name="Correct", exact=True).click()
    expect(page.locator(".facts")).to_contain_text(said)
    page.get_by_text("Call the visit off").click()
    page.fill("#reason-off", "the customer comes again on Monday")
    page.get_by_role("button", name="Call off", exact=True).click()
    expect(page.locator(".notice").first).to_contain_text("called off")
    expect(page.locator("button[name=procedure]")).to_have_count(0)


def test_the_short_way_readies_a_vehicle_with_one_exception_in_one_press(server: Server, visit: Visit) -> None:
    page = visit(server)
    address = begin(page, server, "V-4")
    done(page, "replaced", "windscreen")
    page.click("button[value='BL-CAM-01']")
    job = address.replace("/visits/", "/jobs/")
    page.goto(job)
    page.get_by_text("The short way").click()
    page.locator("input[value='tick.doors']").uncheck()
    for axis in ("toe", "thrust", "steering"):
        page.locator(f"input[name='w.{axis}'][value=plus]").check()
    page.fill("[id='t-printed.day']", "2026-11-20")
    for where in ("left", "right", "LF", "RF"):
        page.fill(f"[id='t-toe.{where}']", "0.06")
    page.fill("[id='t-printed.thrust']", "0")
    for corner, kpa in (("LF", "373"), ("RF", "373"), ("LR", "418"), ("RR", "nearly full")):
        page.select_option(f"[id='t-tyre.size.{corner}']", "235/65 R16 C")
        page.fill(f"[id='t-tyre.pressure.{corner}']", kpa)
    page.fill("[id='t-steering.wheel']", "-0.3")
    page.fill("[id='t-battery.volts']", "13.4")
    page.get_by_role("button", name="Save all").click()
    expect(page.locator(".field:has([id='t-tyre.pressure.RR']) .error")).to_contain_text("nearly full")
    expect(page.locator("[id='t-toe.LF']")).to_have_value("0.06")
    expect(page.locator("input[value='tick.doors']")).not_to_be_checked()
    page.fill("[id='t-tyre.pressure.RR']", "418")
    page.get_by_role("button", name="Save all").click()
    expect(page).to_have_url(job)
    for check, state in (("alignment", "holds"), ("tyres", "holds"), ("battery", "holds"), ("doors", "open")):
        expect(page.locator(f"[data-check={check}]").first).to_have_attribute("data-state", state)


def test_a_wrong_generation_is_stopped_at_the_gate(server: Server, visit: Visit) -> None:
    page = visit(server)
    address = begin(page, server, "V-5", "quillon-risco")
    done(page, "replaced", "windscreen")
    page.locator("button[value='QR-CAM-01']").click()
    expect(page.locator("p.error").first).to_contain_text("does not open before this is answered")

    def answer(option: str, by: str) -> None:
        question = page.locator(f".gate-question:has(input[value={option}])")
        question.locator(f"input[value={option}]").check()
        question.locator(f"button[value={by}]").click()
        expect(page.locator("#variant")).to_contain_text("Teo Marchena")

    answer("three_lenses", "look")
    answer("low", "label")
    expect(page.locator("[data-gate=shut]")).to_contain_text("No variant of Quillon Risco")
    server.kill()
    server.start()
    page.goto(address)
    answer("two_lenses", "look")
    expect(page.locator("[data-gate=low_two]")).to_be_visible()
    page.locator("button[value='QR-CAM-01']").click()
    page.locator(".sensors a[href^='/jobs/']").first.click()
    expect(page.locator("#sheet")).to_be_visible()
    page.goto(address)
    answer("one_lens", "scan")
    expect(page.locator("[data-gate=shut]")).to_contain_text("contradict each other")
    page.goto(address.replace("/visits/", "/jobs/"))
    expect(page.locator("#variant")).to_be_visible()


def test_a_report_is_read_and_accepted_field_by_field(server: Server, visit: Visit) -> None:
    page = visit(server)
    address = begin(page, server, "V-9")
    page.goto(f"{address}/codes")
    page.get_by_text("Attach a file").first.click()
    report = b"Software: Lintel 4.2\nodometer 184 310 km\nVH-C41 stored\nVH-U07 pending\n"
    page.set_input_files("#file-before", {"name": "scan.txt", "mimeType": "text/plain", "buffer": report})
    page.locator("form[action$='/codes/file'] button").first.click()
    expect(page.locator("[data-found]")).to_have_count(4)
    expect(page.locator("[data-found] input:checked")).to_have_count(0)
    expect(page.locator(".report-text")).to_contain_text("184 310 km")
    for text in ("VH-C41", "184310", "Lintel 4.2"):
        page.locator("[data-found]", has_text=text).locator("input").check()
    page.get_by_role("button", name="Freeze").click()
    expect(page.locator("main")).to_contain_text("VH-C41")
    expect(page.locator("main")).not_to_contain_text("VH-U07")
    page.goto(address)
    expect(page.locator(".facts")).to_contain_text("184310")
