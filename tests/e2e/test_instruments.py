"""Instruments in the browser: a laser that is checked, corrected for, dropped; and what its jobs say then."""

from pathlib import Path

from playwright.sync_api import Page, expect

from tests.e2e.conftest import Server, Visit, job_page


def step(page: Page, typed: str, word: str = "") -> None:
    """One step of a self-check, as typed."""
    before = page.url
    page.locator("#typed").fill(typed)
    if word:
        page.get_by_label(word).check()
    page.get_by_role("button", name="Next").click()
    page.wait_for_function("before => location.href !== before", arg=before)
    page.wait_for_load_state("load")


def test_a_laser_3_mm_in_10_m_off_is_corrected_for_then_dropped_and_its_job_goes_stale(
    demo: Server, visit: Visit
) -> None:
    page = visit(demo, "/instruments")
    first = page.locator(".shelf-row").first
    expect(first).to_contain_text("Square corner: out on")
    page.get_by_role("link", name="Floor laser 2 on the beam scale").click()
    page.locator("section", has_text="Upright beside a plumb line").get_by_role("link", name="Check again").click()
    step(page, "3 m")
    step(page, "0")
    page.reload()
    expect(page.locator(".entry-label")).to_have_text("At the bottom, reading 2 of 3")
    step(page, "0")
    step(page, "0")
    step(page, "0.9")
    expect(page.get_by_role("alert")).to_contain_text("beam left of it or beam right of it")
    expect(page.locator("#typed")).to_have_value("0.9")
    step(page, "0.9", "beam left of it")
    step(page, "90 cm", "beam left of it")
    expect(page.locator(".question")).to_contain_text("At the top: 90 cm?")
    for _ in range(2):
        page.locator("#typed").fill("0.9")
        step(page, "0.9", "beam left of it")
    expect(page.locator(".finding")).to_contain_text("3\u202fmm/10\u202fm")
    expect(page.locator(".finding .mark")).to_have_attribute("aria-label", "in tolerance")
    page.get_by_role("button", name="Save this result").click()
    expect(page.locator("tr", has_text="Taken off its readings")).to_contain_text("3.0\u202fmm/10\u202fm")

    job = job_page(demo, "VF-0417")
    page.goto(f"{demo.url}{job}?check=centred&slot=crossing")
    expect(page.locator(".entry")).to_contain_text("0.4\u202fmm is taken off: found at its last check")
    page.locator("#typed").fill("0.4")
    page.keyboard.press("Enter")
    row = page.locator("[data-check=centred]").first
    expect(page.locator(".slot", has_text="Floor laser")).to_contain_text("0.4")
    assert row.get_attribute("data-state") != "stale"

    other = visit(demo, "/instruments/laser-2", person="nuno")
    expect(other.get_by_role("link", name="VF-0417")).to_be_visible()
    other.get_by_label("What happened to it").fill("off the trolley")
    other.get_by_role("button", name="It was dropped").click()
    expect(other.locator(".day-head").first).to_contain_text("not checked since")
    expect(row).to_have_attribute("data-state", "stale")
    page.goto(f"{demo.url}{job}?check=centred&slot=crossing")
    expect(page.locator(".check[data-open]")).to_contain_text(
        "Out of date: Floor laser 2 on the beam scale was dropped"
    )
    expect(page.locator("#tool option[disabled]")).to_contain_text("dropped on")
    expect(page.locator("#tool")).to_have_value("rule-3")


def test_an_instrument_is_entered_documented_and_carried_over_as_a_file(
    server: Server, visit: Visit, tmp_path: Path
) -> None:
    page = visit(server, "/instruments")
    page.get_by_label("Name", exact=True).fill("Tape 9, steel")
    page.get_by_label("What it is").select_option("steel tape")
    page.get_by_label("Smallest step").fill("half")
    page.get_by_role("button", name="Add").click()
    expect(page.get_by_role("alert")).to_contain_text("a plain figure")
    expect(page.get_by_label("Name", exact=True)).to_have_value("Tape 9, steel")
    page.get_by_label("Smallest step").fill("0.5")
    page.get_by_label("Accuracy ±").fill("0.4")
    page.get_by_label("taped lengths").check()
    page.get_by_label("heights").check()
    page.get_by_role("button", name="Add").click()
    expect(page.locator("h1")).to_have_text("Tape 9, steel")
    expect(page.locator("#decides")).to_contain_text("BL-CAM-01")
    paper = tmp_path / "certificate.pdf"
    paper.write_bytes(b"%PDF-1.7 made up")
    page.get_by_label("Data sheet or certificate").set_input_files(paper)
    page.get_by_label("Data sheet or certificate").locator("xpath=ancestor::form").get_by_role(
        "button", name="Save"
    ).click()
    expect(page.get_by_role("link", name="certificate.pdf")).to_be_visible()
    page.get_by_label("Who has it").select_option("Amara Quist")
    page.get_by_label("Who has it").locator("xpath=ancestor::form").get_by_role("button", name="Save").click()
    page.goto(f"{server.url}/instruments")
    expect(page.locator(".shelf-row", has_text="Tape 9")).to_contain_text("Amara Quist")
    with page.expect_download() as kept:
        page.get_by_role("link", name="JSON").click()
    page.get_by_label("JSON as this page writes it").set_input_files(kept.value.path())
    page.get_by_role("button", name="Take the file in").click()
    expect(page.locator(".notice")).to_have_text("Nothing new was in the file.")
