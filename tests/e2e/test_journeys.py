"""Journeys through what goes wrong: a misread tape, a bump, a killed server, two tablets, wrong units, gloves."""

import re
import time
import urllib.request

import pytest
from playwright.sync_api import Page, Route, expect

from escuadra.rehearsal.technician import FRONT_TAPES
from tests.conftest import BEGUN
from tests.e2e.conftest import Server, Visit, bump, choose_instrument, job_page

NEXT = ".next-sentence"


def record(page: Page, typed: str, replace: bool = False) -> None:
    """Type into the open field, record, and wait for the redrawn sheet."""
    before = page.locator("#sheet").get_attribute("data-count") or ""
    if replace:
        page.locator("input[name=replaces]").check()
    choose_instrument(page)
    page.locator("[data-field]").first.fill(typed)
    page.keyboard.press("Enter")
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)


def state(page: Page, check: str) -> str:
    return page.locator(f"[data-check={check}]").first.get_attribute("data-state") or ""


def unfold(page: Page, server: Server, number: str, check: str, slot: str = "") -> None:
    page.goto(f"{server.url}{job_page(server, number)}?check={check}&slot={slot}")


def test_a_misread_tape_shares_the_blame_until_one_more_tape_names_it(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0416") + "?check=square")
    open_check = page.locator(".check[data-open]")
    expect(open_check).to_contain_text("One of these is wrong")
    expect(open_check).to_contain_text("LF hub to right end")
    assert {state(page, check) for check in ("square", "centred", "distance")} == {"undecided"}
    extra = re.search(r"one more tape: (\w\w) hub to (left|right) end", page.locator(NEXT).inner_text())
    assert extra
    # The ambulance of the demo: 3527 mm wheelbase, hubs 1843/1822 apart, beam 2226 long, 12 mm misread.
    hub, end = extra[1], "LF" if extra[2] == "left" else "RF"
    hx, hy = (3527.0, 921.5) if hub[1] == "F" else (0.0, 911.0)
    dx = 3527 + 2810 + 83.5 + 2 - hx
    dy = -1 + (1113 if end == "LF" else -1113) - (hy if hub[0] == "L" else -hy)
    rise = 212 + (end == "RF") - {"LF": -1, "RF": 1}.get(hub, 0)
    record(page, f"{(dx * dx + dy * dy + rise * rise) ** 0.5:.0f}")

    expect(page.locator(NEXT)).to_have_text("Read again: LF hub to right end, and replace the old reading.")
    unfold(page, demo, "VF-0416", "square", "tape.LF.RF_end")
    wrong = float(page.locator(".slot.chosen .num").inner_text().split()[0])
    record(page, f"{wrong - 18:.0f}", replace=True)
    expect(page.locator(".run")).not_to_contain_text("contradict")
    expect(page.locator(".foot")).not_to_contain_text("contradict")
    unfold(page, demo, "VF-0416", "square", "tape.LF.RF_end")
    assert state(page, "square") in ("holds", "undecided")


def test_a_bump_makes_every_frame_check_stale_until_it_is_read_again(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0417") + "?check=level")
    assert state(page, "level") == "holds"
    bump(page)
    expect(page.locator("[data-check=level]").first).to_have_attribute("data-state", "stale")
    frame = ("level", "target_height", "heights", "square", "centred", "distance")
    unfold(page, demo, "VF-0417", "level")
    assert {check: state(page, check) for check in frame} == dict.fromkeys(frame, "stale")
    expect(page.locator(".check[data-open]")).to_contain_text("Out of date: frame bumped at")
    for typed, word in (("0.05", "left end high"), ("0.02", "leaning away")):
        page.locator(".word", has_text=word).click()
        record(page, typed)
    unfold(page, demo, "VF-0417", "level")
    assert state(page, "level") == "open", "it is looked at once more when the rest of the frame stands"
    expect(page.locator(".check[data-open]")).to_contain_text("once more")
    unfold(page, demo, "VF-0417", "target_height")
    record(page, "1417")
    for end, typed in (("LF_end", "556"), ("RF_end", "557")):
        unfold(page, demo, "VF-0417", "heights", f"height.{end}")
        record(page, typed)
    for (hub, end), typed in zip(FRONT_TAPES, ("2749", "3424", "3428", "2755"), strict=True):
        unfold(page, demo, "VF-0417", "square", f"tape.{hub}.{end}")
        record(page, typed)
    unfold(page, demo, "VF-0417", "centred", "crossing")
    record(page, "-5")
    unfold(page, demo, "VF-0417", "distance")
    assert all(state(page, check) in ("holds", "out", "undecided", "open") for check in frame)


def take_in(page: Page, server: Server, number: str) -> None:
    """A job, taken in without looking at every field."""
    page.goto(server.url + "/jobs/new")
    page.locator("#number").fill(number)
    page.locator("#reason").fill("windscreen replaced")
    page.locator("#procedure").select_option("BL-CAM-01")
    page.get_by_role("button", name="Begin visit").click()
    page.wait_for_url(re.compile(r"/jobs/[0-9a-f]{12}"))


def test_nothing_that_was_acknowledged_is_lost_and_nothing_is_recorded_twice(server: Server, visit: Visit) -> None:
    page = visit(server)
    take_in(page, server, "K-1")
    path = job_page(server, "K-1")
    unfold(page, server, "K-1", "ride_height", "arch.LF")
    record(page, "713.5")
    expect(page.locator(".slot", has_text="LF arch")).to_contain_text("713.5 mm")

    # Half typed, then the server dies and the press finds nobody; what was typed is still there.
    page.locator("[data-field]").fill("71")
    server.kill()
    page.locator("[data-field]").fill("712")
    page.keyboard.press("Enter")
    expect(page.locator(".offline")).to_contain_text("what you typed is kept")
    expect(page.locator("[data-field]")).to_have_value("712")
    server.start()
    page.reload()
    expect(page.locator(".slot", has_text="LF arch")).to_contain_text("713.5 mm")
    expect(page.locator(".entry-label")).to_have_text("RF arch above the floor")
    expect(page.locator("[data-field]")).to_have_value("712")

    # A doubled Enter, and the same form posted twice from behind the screen's back, is one reading.
    form = page.locator("form.entry").evaluate("form => Object.fromEntries(new FormData(form))")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(page.locator(".slot", has_text="RF arch")).to_contain_text("712 mm")
    answer = page.request.post(f"{server.url}{path}/readings", form=form)
    assert answer.ok
    page.goto(f"{server.url}{path}?check=ride_height&slot=arch.RF")
    expect(page.locator(".slot", has_text="RF arch")).not_to_contain_text("readings")
    expect(page.locator(".entry")).to_contain_text("1 reading: a further one repeats")


def test_a_slow_answer_is_not_drawn_over_by_the_place_it_left(server: Server, visit: Visit) -> None:
    page = visit(server)
    take_in(page, server, "K-1")
    page.goto(f"{server.url}{job_page(server, 'K-1')}?check=ride_height&slot=arch.LF")

    def slow(route: Route) -> None:
        answer = route.fetch()
        time.sleep(1.0)
        route.fulfill(response=answer)

    page.route("**/readings", slow)
    record(page, "713.5")
    expect(page.locator(".entry-label")).to_have_text("RF arch above the floor", timeout=5000)


def test_two_tablets_on_one_job_see_each_other_and_sign_only_what_they_saw(server: Server, visit: Visit) -> None:
    first = visit(server)
    take_in(first, server, "P-1")
    path = job_page(server, "P-1")
    first.goto(server.url + path + "?check=ride_height&slot=arch.LF")
    second = visit(server, path + "?check=ride_height&slot=arch.RR", person="amara")
    second.locator("[data-field]").fill("72")
    record(first, "712")
    expect(second.locator(".slot", has_text="LF arch")).to_contain_text("712 mm")
    expect(second.locator("[data-field]")).to_have_value("72")
    # Undo takes back one's own entry only.
    second.locator("[data-field]").fill("")
    second.keyboard.press("z")
    expect(second.locator(".error")).to_contain_text("an entry of your own")
    first.keyboard.press("z")
    expect(second.locator(".slot", has_text="LF arch")).not_to_contain_text("712 mm")


def test_a_touch_is_no_bump_a_held_button_and_a_second_press_are(server: Server, visit: Visit) -> None:
    page = visit(server)
    take_in(page, server, "H-1")
    sheet, button, note = (page.locator(of) for of in ("#sheet", "[data-hold]", "[data-hold-note]"))
    button.click()
    expect(note).to_have_text("hold it half a second")
    page.keyboard.press("b")
    expect(note).to_have_text("press b again")
    page.wait_for_timeout(2300)
    expect(note).to_have_text("hold, or press twice")
    page.keyboard.press("b")
    expect(note).to_have_text("press b again")
    expect(sheet).to_have_attribute("data-count", str(BEGUN + 0))
    page.keyboard.press("b")
    expect(sheet).to_have_attribute("data-count", str(BEGUN + 1))
    button.hover()
    page.mouse.down()
    expect(sheet).to_have_attribute("data-count", str(BEGUN + 2))
    page.mouse.up()


@pytest.mark.parametrize(
    "typed, said, recorded",
    [
        ("66.2", "66.2 cm", "66.2 cm"),
        ("0.713", "0.713 m", "0.713 m"),
        ("28 1/16", "28.0625 in", "28.0625 in"),
        ("six hundred", "six hundred is not accepted here", None),
        ("7e2", "7e2 is not accepted here", None),
        ("-712", "is not accepted here. Wanted: a length such as", None),
        ("", "Still wanted: a length such as", None),
    ],
)
def test_wrong_units_and_nonsense_are_asked_about_and_kept(
    demo: Server, visit: Visit, typed: str, said: str, recorded: str | None
) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=ride_height&slot=arch.LF", person="nuno")
    choose_instrument(page)
    page.locator("[data-field]").fill(typed)
    page.keyboard.press("Enter")
    expect(page.locator("#entry-trouble")).to_contain_text(said.replace("-", "−") if said.startswith("-") else said)
    expect(page.locator("[data-field]")).to_have_value(typed)
    if recorded:
        page.locator(f".question button[value='{recorded}']").click()
        expect(page.locator(".slot", has_text="LF arch")).to_contain_text(recorded)
        page.keyboard.press("z")
        expect(page.locator(".slot", has_text="LF arch")).not_to_contain_text(recorded)


def test_gloves_and_a_phone_use_our_own_keypad(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=ride_height&slot=arch.RR", has_touch=True, is_mobile=True)
    page.set_viewport_size({"width": 390, "height": 844})
    expect(page.locator("[data-keypad]")).to_be_hidden()
    page.locator("[data-field]").tap()
    expect(page.locator("[data-keypad]")).to_be_visible()
    assert page.locator("[data-field]").get_attribute("inputmode") == "none"
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.locator("#tool").select_option("tape-4")
    for key in ("6", "6", ".", "8", "cm"):
        button = page.locator(f"[data-type='{key}']")
        box = button.bounding_box()
        assert box
        assert min(box["width"], box["height"]) >= 64
        button.tap()
    expect(page.locator("[data-field]")).to_have_value("66.8 cm")
    page.locator("[data-type=record]").tap()
    expect(page.locator(".slot", has_text="RR arch")).to_contain_text("66.8 cm")
    page.locator("[data-type=undo]").tap()
    expect(page.locator(".slot", has_text="RR arch")).not_to_contain_text("66.8 cm")


def test_far_mode_says_one_thing_in_large_letters_and_a_digit_brings_the_sheet_back(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=ride_height&slot=arch.LF")
    page.keyboard.press("f")
    far = page.locator(".far")
    expect(far).to_be_visible()
    size = far.locator(".far-action").evaluate("node => parseFloat(getComputedStyle(node).fontSize)")
    assert size >= 72
    page.keyboard.press("7")
    expect(far).to_be_hidden()
    expect(page.locator("[data-field]")).to_have_value("7")


def test_everything_posts_without_javascript(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=ride_height&slot=arch.LR", java_script_enabled=False)
    page.locator("#tool").select_option("tape-4")
    page.locator("[data-field]").fill("668")
    page.locator(".entry-record").click()
    expect(page.locator(".slot", has_text="LR arch")).to_contain_text("668 mm")
    page.goto(demo.url + job_page(demo, "VF-0419") + "?check=doors")
    page.locator("button.answer", has_text="Yes").click()
    expect(page.locator("[data-check=doors]").first).to_have_attribute("data-state", "holds")


def test_a_signed_sheet_refuses_and_says_how_to_reopen(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0412"), person="ines")
    expect(page.locator("[data-field]")).to_have_count(0)
    page.get_by_text("JSON, reopen").click()
    page.locator("#reopen").fill("A second target place was asked for")
    page.get_by_role("button", name="Reopen").click()
    expect(page.locator(".title-block")).to_contain_text("2")
    with urllib.request.urlopen(f"{demo.url}{job_page(demo, 'VF-0412')}/record/1.pdf") as answer:
        assert answer.read(5) == b"%PDF-"


def test_every_key_of_the_card_does_what_it_says(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=ride_height&slot=arch.RF")
    page.keyboard.press("?")
    expect(page.locator(".keys-card")).to_contain_text("the frame was bumped")
    page.keyboard.press("?")
    expect(page.locator(".keys-card")).to_have_count(0)
    page.keyboard.press("v")
    expect(page.locator(".drawing-frame svg")).to_have_attribute("aria-label", re.compile("Side view"))
    page.keyboard.press("v")
    expect(page.locator(".drawing-frame svg")).to_have_attribute("aria-label", re.compile("Level view"))
    page.keyboard.press("v")
    expect(page.locator(".drawing-frame svg")).to_have_attribute("aria-label", re.compile("Plan"))
    page.keyboard.press("g")
    expect(page.locator("[data-command=gaps]")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("d")
    expect(page.locator("html")).to_have_attribute("data-theme", "dim")
    page.keyboard.press("u")
    expect(page.locator(".entry-unit")).to_have_text("cm")
    expect(page.locator(".entry")).to_contain_text("about 66.2")
    page.keyboard.press("ArrowRight")
    expect(page.locator(".slot.chosen")).to_contain_text("LR arch")
    record(page, "66.8")
    expect(page.locator(".slot", has_text="LR arch")).to_contain_text("66.8 cm")
    page.keyboard.press("ArrowDown")
    expect(page.locator(".check[data-open]")).to_have_attribute("data-check", "centreline")
    page.keyboard.press("ArrowUp")
    expect(page.locator(".check[data-open]")).to_have_attribute("data-check", "ride_height")
    # Letters can be switched off; then a letter is only a letter.
    page.keyboard.press("?")
    page.locator(".keys-card input").uncheck()
    page.locator("[data-field]").focus()
    page.keyboard.press("f")
    expect(page.locator(".far")).to_be_hidden()
    expect(page.locator("[data-field]")).to_have_value("f")


def test_an_override_stands_with_its_reason_and_lapses_with_the_next_reading(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "?check=target_height", person="ines")
    page.get_by_text("Override with a reason").click()
    page.locator("#override-reason").fill("too short")
    page.get_by_role("button", name="Override").click()
    expect(page.locator(".check .error")).to_contain_text("a reason in words")
    expect(page.locator("#override-reason")).to_have_value("too short")
    page.locator("#override-reason").fill("held by hand beside the second stand")
    page.get_by_role("button", name="Override").click()
    expect(page.locator(".check")).to_contain_text("Overridden by Inés Robledo")
    page.goto(demo.url + job_page(demo, "VF-0419") + "?check=target_height")
    record(page, "1238")
    page.goto(demo.url + job_page(demo, "VF-0419") + "?check=target_height")
    expect(page.locator(".check")).not_to_contain_text("Overridden by")
