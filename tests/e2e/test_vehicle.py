"""The Ready group in the browser: a low corner, ballast, a photo with its place in it, a printout, a changed figure."""

import io
import urllib.request
from pathlib import Path

from PIL import Image
from playwright.sync_api import Page, expect

from tests.core.visit.test_vehicle import PRINTOUT, picture
from tests.e2e.conftest import Server, Visit, choose_instrument, job_page

OPEN = ".check[data-open]"


def enter(page: Page, server: Server, slot: str, typed: str, check: str, replace: bool = False) -> None:
    """Type a figure into a place of VF-0417 and wait until it is recorded."""
    page.goto(f"{server.url}{job_page(server, 'VF-0417')}?check={check}&slot={slot}")
    before = page.locator("#sheet").get_attribute("data-count") or ""
    if replace:
        page.get_by_label("replace").check()
    choose_instrument(page)
    page.locator("#typed").fill(typed)
    page.keyboard.press("Enter")
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)


def test_a_vehicle_14_mm_low_at_one_corner(demo: Server, visit: Visit) -> None:
    page = visit(demo)
    enter(page, demo, "arch.LF", "698", "ride_height")
    for corner, height in (("RF", "712"), ("LR", "724"), ("RR", "72.4 cm")):
        enter(page, demo, f"arch.{corner}", height, "ride_height")
    check = page.locator(OPEN)
    expect(check).to_have_attribute("data-state", "out")
    expect(check).to_contain_text("The body is twisted: LF stands 14\u202fmm low against the plane of the other three")
    expect(check).to_contain_text("looks 0.11° down")
    expect(check).to_contain_text("Type into the vehicle's routine: front 705\u202fmm and rear 724\u202fmm.")
    warped = check.locator("tr", has_text="Warp of the body").locator(".mark")
    expect(warped).to_have_attribute("aria-label", "out of tolerance")


def test_a_tank_that_is_an_eighth_full_is_made_up_by_ballast(demo: Server, visit: Visit) -> None:
    page = visit(demo)
    enter(page, demo, "filled.fuel", "1/8 full", "load", replace=True)
    check = page.locator(OPEN)
    page.goto(f"{demo.url}{job_page(demo, 'VF-0417')}?check=load")
    expect(check).to_contain_text("58 kg of fuel and fluids are missing. Ballast that stands in for it:")
    said = check.locator(".check-note").first.inner_text().partition("for it: ")[2].rstrip(".").split(" and ")
    wanted = {name: kg for kg, name in (place.split("\u202fkg ") for place in said)}
    for slot in ("ballast.floor_mid", "ballast.rear_bench"):
        row = check.locator(f"[data-slot='{slot}']")
        if row.count():
            name = row.inner_text().split("\n")[0].removeprefix("Ballast: ")
            enter(page, demo, slot, wanted[name], "load")
    page.goto(f"{demo.url}{job_page(demo, 'VF-0417')}?check=load")
    expect(page.locator("[data-check=load]").first).to_have_attribute("data-state", "holds")
    expect(page.locator(OPEN)).to_contain_text("In all, with ballast")


def test_a_photo_loses_its_place_and_its_writer(demo: Server, visit: Visit, tmp_path: Path) -> None:
    page = visit(demo, job_page(demo, "VF-0417") + "?check=glass&slot=condition.glass.2")
    file = tmp_path / "cover.jpg"
    file.write_bytes(picture())
    page.get_by_role("button", name="damaged").click()
    expect(page.locator(OPEN)).to_contain_text("A photo of it belongs in the record")
    page.goto(f"{demo.url}{job_page(demo, 'VF-0417')}?check=glass&slot=condition.glass.2")
    page.get_by_label("A photo of it").set_input_files(file)
    page.get_by_role("button", name="Save photo").click()
    shown = page.locator("img.photo")
    expect(shown).to_be_visible()
    for side, pixels in (("naturalWidth", 1000), ("naturalHeight", 2000)):
        expect(shown).to_have_js_property(side, pixels)
    with urllib.request.urlopen(demo.url + (shown.get_attribute("src") or "")) as answer:
        kept = answer.read()
    with Image.open(io.BytesIO(kept)) as plain:
        assert dict(plain.getexif()) == {}
    assert b"a person" not in kept
    file.write_text("no picture")
    page.get_by_label("A photo of it").set_input_files(file)
    page.get_by_role("button", name="Save photo").click()
    expect(page.get_by_role("alert")).to_contain_text("a JPEG, PNG or WebP picture")


def test_the_round_leads_from_stop_to_stop_and_a_tool_is_kept_where_something_is_missing(
    demo: Server, visit: Visit
) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=centreline&slot=pair.front.1.left")
    page.locator("#tool").select_option("tape-4")
    page.locator("#typed").fill("1905")
    page.keyboard.press("Enter")
    expect(page.locator(".slot", has_text="Front, headlamp corners: left")).to_contain_text("1905 mm")
    page.goto(f"{demo.url}{job_page(demo, 'VF-0419')}?check=ride_height&slot=arch.RF")
    said = "Before the tape leaves across the front: Front, headlamp corners: right"
    expect(page.locator(".entry")).to_contain_text(said)
    page.get_by_role("link", name="Round with the fewest changes").click()
    first = page.locator("ol .slot").first
    expect(first).to_contain_text("1 · Tape, across the front")
    expect(page.locator("tr", has_text="Tape")).to_contain_text("across the front")
    first.click()
    expect(page.locator(".entry-label")).to_have_text("Front, headlamp corners: right")


def test_a_printout_comes_from_a_file_and_a_figure_is_overridden(demo: Server, visit: Visit, tmp_path: Path) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=alignment")
    file = tmp_path / "printout.csv"
    file.write_text(PRINTOUT)
    page.get_by_text("Read the printout from a file").click()
    page.get_by_label("File").set_input_files(file)
    page.locator("#printout-day").fill("2026-11-20")
    page.get_by_role("button", name="Take the file in").click()
    expect(page.get_by_role("alert").or_(page.locator(".error")).first).to_contain_text("toe-in or toe-out")
    page.get_by_label("File").set_input_files(file)
    for word in ("toe-in", "top outward", "rear axle steers right"):
        page.locator(".override").get_by_label(word).check()
    page.get_by_role("button", name="Take the file in").click()
    expect(page.locator("[data-slot='before.thrust']")).to_contain_text("0.27°")
    page.goto(f"{demo.url}{job_page(demo, 'VF-0419')}?check=centred")
    page.get_by_text("A figure of the procedure sheet is another one here").click()
    page.get_by_label("Which").select_option("check.centred.limits.plus")
    page.get_by_label("Is here").fill("6")
    page.get_by_label("Where does it come from?").fill("short")
    page.get_by_role("button", name="Override the figure").click()
    expect(page.locator(".error").first).to_contain_text("at least ten letters")
    expect(page.get_by_label("Is here")).to_have_value("6")
    page.get_by_label("Where does it come from?").fill("revised sheet of this spring")
    page.get_by_role("button", name="Override the figure").click()
    page.get_by_text("A figure of the procedure sheet is another one here").click()
    expect(page.locator("option[value='check.centred.limits.plus']")).to_contain_text(", 6")
