"""Entries of the catalogue made in the browser: what is found before a release, and two people at one draft."""

from playwright.sync_api import APIResponse, Page, Route, expect

from tests.e2e.conftest import Server, Visit


def to(page: Page, id: str) -> None:
    """Press Tab until a field has the focus."""
    for _ in range(400):
        if page.evaluate("() => document.activeElement && document.activeElement.id") == id:
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab never comes to {id}")


def write(page: Page, **words: str) -> None:
    """Type into fields, each reached by Tab; ``__``: a step further in, a ``_`` behind: of no entry's field."""
    for name, text in words.items():
        to(page, name[:-1] if name.endswith("_") else f"in-{name.replace('__', '.')}")
        page.keyboard.press("Control+a")
        page.keyboard.type(text)


def press_on(page: Page, text: str) -> None:
    """Press Enter on what is called so, reached by Tab."""
    for _ in range(400):
        if page.evaluate("() => document.activeElement.innerText") == text:
            with page.expect_navigation():
                page.keyboard.press("Enter")
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab never comes to {text}")


def section(page: Page, name: str) -> None:
    page.goto(f"{page.url.partition('?')[0].partition('#')[0]}?at={name}")


def begin(page: Page, id: str, like: str) -> None:
    """Begin a procedure sheet as a copy of another."""
    write(page, id_=id, like_=like)
    press_on(page, "Begin an entry")
    expect(page).to_have_url(f"{page.url.partition('/write')[0]}/write/procedure/{id}")


def test_a_wrong_unit_a_missing_datum_and_an_unreachable_height_are_found_before_release(
    demo: Server, visit: Visit
) -> None:
    page = visit(demo, "/write")
    begin(page, "QR-CAM-22", "QR-CAM-01")
    page.select_option("[id='in-datum']", "")
    write(page, distance="21.3", height="2450 mm", mounting__side="C")
    press_on(page, "Save")
    side = page.locator("#entry-side")
    for told in ("Datum", "21.3\u202fmm is unusual here", "Was it cm, in or ft?"):
        expect(side).to_contain_text(told)
    expect(page.locator("[id='mounting.side']")).to_contain_text("has not got that")
    page.select_option("[id='in-datum']", "front_hubs")
    write(page, distance="21.3 in", mounting__side="B")
    press_on(page, "Save")
    expect(side).to_contain_text("its body ends 893")
    write(page, distance="213 cm")
    press_on(page, "Save")
    expect(side).to_contain_text("nobody can meet both")
    press_on(page, "Check and release")
    press_on(page, "Check the whole")
    expect(page.locator(".wrong-list")).to_contain_text("2\u202f450")
    expect(page.locator("[data-refused='0']")).to_have_count(0)
    look = visit(demo, "/write/procedure/QR-CAM-22/check", person="ines")
    press_on(look, "I looked over all of it")
    press_on(look, "Release")
    expect(look.locator("[role=alert]")).to_contain_text("missing or wrong")


def test_a_save_before_the_form_heard_what_it_kept_loses_no_words(demo: Server, visit: Visit) -> None:
    page = visit(demo, "/write")
    begin(page, "QR-CAM-24", "QR-CAM-01")
    held: list[tuple[Route, APIResponse]] = []
    form = f"{demo.url}/write/procedure/QR-CAM-24"
    page.route(form, lambda r: held.append((r, r.fetch())) if r.request.headers.get("hx-request") else r.continue_())
    write(page, offset="3 mm")
    page.keyboard.press("Tab")
    while not held:
        page.wait_for_timeout(50)
    write(page, offset="7 mm", height="1330 mm")
    page.keyboard.press("Enter")
    assert len(held) == 1
    with page.expect_navigation():
        held[0][0].fulfill(response=held[0][1])
    expect(page.locator("[id='in-offset']")).to_have_value("7 mm")
    expect(page.locator("[id='in-height']")).to_have_value("1330 mm")
    expect(page.locator(".rival")).to_have_count(0)


def test_two_people_at_one_draft_lose_no_words(demo: Server, visit: Visit) -> None:
    page = visit(demo, "/write")
    begin(page, "QR-CAM-23", "QR-CAM-01")
    other = visit(demo, "/write/procedure/QR-CAM-23", person="ines")
    write(page, distance="2141 mm", offset="3 mm")
    press_on(page, "Save")
    write(other, distance="2144 mm", height="1327 mm")
    press_on(other, "Save")
    expect(other.locator("[id='in-distance']")).to_have_value("2141 mm")
    expect(other.locator("[id='in-height']")).to_have_value("1327 mm")
    expect(other.locator("[id='in-offset']")).to_have_value("3 mm")
    expect(other.locator(".rival")).to_contain_text("2144 mm")
    page.reload()
    expect(page.locator(".rival")).to_contain_text("Inés")
    page.get_by_role("button", name="Take these words").click()
    page.wait_for_load_state()
    expect(page.locator("[id='in-distance']")).to_have_value("2144 mm")
    expect(page.locator(".rival")).to_have_count(0)
    demo.kill()
    demo.start()
    page.reload()
    expect(page.locator("[id='in-distance']")).to_have_value("2144 mm")
