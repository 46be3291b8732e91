"""Bays, surveys and parking in the browser, as the person with the staff and the one with the tablet work."""

import re
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.conftest import BEGUN
from tests.e2e.conftest import Server, Visit, job_page


def floor(x: float, y: float) -> float:
    """A floor that falls to a corner."""
    return 0.0016 * x - 0.0009 * y


def add_bay(page: Page, name: str, length: str, width: str) -> None:
    page.get_by_label("Name").fill(name)
    page.get_by_label("Length").fill(length)
    page.get_by_label("Width").fill(width)
    page.get_by_role("button", name="Add bay").click()
    expect(page.locator("h1")).to_have_text(f"Bay {name}")


def begin(page: Page, step: str) -> None:
    page.get_by_role("link", name="New survey").click()
    page.get_by_label("Instrument").fill("Rotating laser 9 with staff")
    page.get_by_label("Between points").fill(step)
    page.get_by_role("button", name="Begin on a grid").click()
    page.wait_for_url("**/surveys/*")
    page.wait_for_load_state("load")


def place_of(page: Page) -> tuple[str, float, float]:
    """The point that is asked for: its id and where it is."""
    id = page.locator(".point-name").inner_text()
    where = page.locator(".survey-entry form .small", has_text=re.compile(r"x \d"))
    text = where.first.inner_text().replace("\u202f", "")
    found = re.search(r"x (\d+)mm, y (\d+)mm", text)
    assert found, text
    return id, float(found[1]), float(found[2])


def test_a_survey_is_called_out_point_by_point_and_judged(server: Server, visit: Visit) -> None:
    page = visit(server, "/bays")
    add_bay(page, "Sur", "9 m", "4.2 m")
    begin(page, "2 m")
    page.keyboard.press("f")
    expect(page.locator(".survey-map")).to_be_hidden()
    size = page.locator(".point-name").evaluate("node => parseFloat(getComputedStyle(node).fontSize)")
    assert size >= 120
    asked: list[str] = []
    while page.locator("[data-once] #typed").count():
        id, x, y = place_of(page)
        if id == "A2" and not asked.count("A2?"):
            asked.append("A2?")
            page.keyboard.type("14.1")
            page.keyboard.press("Enter")
            expect(page.locator(".question")).to_contain_text("A2: 14.1?")
            expect(page.locator("#typed")).to_have_value("14.1")
            page.locator("#typed").fill("")
        asked.append(id)
        page.locator("#typed").fill(f"{1412 - floor(x, y):.1f}")
        page.keyboard.press("Enter")
        expect(page.locator(".last-read")).to_contain_text(f"last: {id} ")
    assert len(asked) == len(set(asked))
    page.reload()
    page.keyboard.press("f")
    page.get_by_role("button", name="Close the survey").click()
    expect(page.locator("h1")).to_contain_text("Floor of bay Sur")
    figures = page.locator(".figures").first
    expect(figures).to_contain_text("0.16 %")
    expect(figures).to_contain_text("rising from the closed end")
    expect(page.locator("tr", has_text="QE-CAM-01")).to_contain_text("in tolerance")
    expect(page.locator("tr", has_text="BL-SUR-01")).to_contain_text("short")


def test_a_csv_of_400_points_is_taken_in(server: Server, visit: Visit, tmp_path: Path) -> None:
    page = visit(server, "/bays")
    add_bay(page, "Sur", "12000", "5000")
    lines = ["point;x;y;staff"]
    for k in range(400):
        x, y = 50 + 626 * (k % 20), 50 + 257 * (k // 20)
        lines.append(f"P{k};{x};{y};{1400 - floor(x, y):.1f}".replace(".", ","))
    file = tmp_path / "floor.csv"
    file.write_text("\n".join(lines))
    page.get_by_role("link", name="New survey").click()
    page.get_by_label("Instrument").fill("Level 9")
    page.get_by_label("or a CSV file").set_input_files(file)
    page.get_by_role("button", name="Take the file in").click()
    expect(page.locator(".day-head")).to_contain_text("400 of 400 points read")
    page.get_by_role("button", name="Close the survey").click()
    expect(page.locator(".figures").first).to_contain_text("0.16 %")
    with page.expect_download() as kept:
        page.get_by_role("link", name="CSV").click()
    assert len(Path(kept.value.path()).read_text().splitlines()) == 401


def test_a_misread_staff_between_two_set_ups_is_named_and_read_again(server: Server, visit: Visit) -> None:
    page = visit(server, "/bays")
    add_bay(page, "Sur", "6000", "4000")
    begin(page, "1900")
    page.locator("summary", has_text="Type the points").click()
    for id, x, y in [(f"{r}{c + 1}", 100 + c * 1933, 100 + k * 1900) for k, r in enumerate("ABC") for c in range(4)]:
        page.locator(f"#at-{id}").fill(f"{1412 - floor(x, y):.1f}")
    page.get_by_role("button", name="Add the table").click()
    expect(page.locator(".point-name")).to_have_text("All read")
    for id, x, y, off in (("A1", 100, 100, 0), ("A4", 5899, 100, 0), ("C1", 100, 3900, 11), ("C4", 5899, 3900, 0)):
        page.goto(re.sub(r"\?.*", "", page.url) + f"?point={id}&setup=2")
        page.locator("#typed").fill(f"{1655 - floor(x, y) + off:.1f}")
        page.keyboard.press("Enter")
        expect(page.locator(".last-read")).to_contain_text(f"last: {id} ")
    expect(page.locator(".check-note")).to_contain_text("Read again: C1 (set-up 1 or set-up 2)")
    page.goto(re.sub(r"\?.*", "", page.url) + "?point=C1&setup=2")
    page.get_by_label("replace").check()
    page.locator("#typed").fill(f"{1655 - floor(100, 3900):.1f}")
    page.keyboard.press("Enter")
    expect(page.locator(".check-note")).to_have_count(0)


def test_a_bay_too_short_says_by_how_much_before_anything_is_unpacked(demo: Server, visit: Visit) -> None:
    page = visit(demo, "/jobs/new")
    page.get_by_label("Bay", exact=True).select_option("Patio")
    page.locator("#procedure").select_option("BL-CAM-01")
    short = "1\u202f013\u202fmm short at the front (target)"
    expect(page.locator("#room-remark")).to_have_text(f"No room in this bay: {short}.")
    page.goto(f"{demo.url}/bays/Patio/parking")
    page.get_by_label("Vehicle").select_option("brezo-lanzadera")
    expect(page.get_by_label("QE-CAM-01")).to_be_hidden()
    page.get_by_label("BL-CAM-01").check()
    page.get_by_role("button", name="Look for places").click()
    expect(page.locator(".state-out").first).to_contain_text("No place in this bay.")
    expect(page.locator("main")).to_contain_text(short)


def test_a_job_takes_the_best_place_and_uses_the_floors_rise_there(demo: Server, visit: Visit) -> None:
    page = visit(demo, "/jobs/new")
    page.get_by_label("Visit number").fill("VF-0431")
    page.get_by_label("Reason").fill("windscreen replaced")
    page.locator("#procedure").select_option("BL-CAM-01")
    page.get_by_label("Bay", exact=True).select_option("Norte")
    expect(page.locator("#room-remark")).to_have_text("Norte has room for BL-CAM-01.")
    page.get_by_role("button", name="Begin visit").click()
    page.locator(".run-row", has_text="Floor").click()
    page.get_by_role("link", name="Find where to park").click()
    expect(page.locator("table", has_text="first tape")).to_contain_text("N3")
    page.get_by_label("Rear axle x, y, and heading").fill("2600 2500 0")
    page.get_by_role("button", name="Look at it").click()
    page.get_by_role("button", name="Use for visit VF-0431").click()
    expect(page.locator(".check[data-open]")).to_contain_text("From the survey of")
    page.get_by_role("button", name="Yes").click()
    expect(page.locator("#sheet")).to_have_attribute("data-count", str(BEGUN + 2))
    page.goto(demo.url + job_page(demo, "VF-0431") + "?check=target_height")
    page.locator("#tool").select_option("tape-4")
    page.locator("#typed").fill("1411.5")
    page.keyboard.press("Enter")
    expect(page.locator("#sheet")).to_have_attribute("data-count", str(BEGUN + 3))
    page.goto(demo.url + job_page(demo, "VF-0431") + "?check=target_height")
    open_check = page.locator(".check[data-open]", has_text="Target height")
    expect(open_check).to_contain_text(re.compile("Set 1.41[12].mm above this floor: it is 5.* higher here"))
    expect(open_check).to_contain_text("higher here than under the wheels")
    expect(open_check.locator(".check-figure")).to_contain_text("1\u202f416.9")


def test_a_thing_is_dragged_in_the_drawing_and_kept_only_with_the_form(server: Server, visit: Visit) -> None:
    page = visit(server, "/bays")
    add_bay(page, "Sur", "12000", "5000")
    for name, value in {"name": "post", "x": "4000", "y": "2500", "length": "600", "width": "600"}.items():
        page.locator(f"[name=thing-0-{name}]").fill(value)
    page.get_by_role("button", name="Save").click()
    thing = page.locator(".thing.movable")
    box = thing.locator("polygon").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 60, box["y"] + box["height"] / 2 - 30, steps=4)
    page.mouse.up()
    x, y = (float(page.locator(f"[name=thing-0-{name}]").input_value()) for name in "xy")
    assert 4800 < x < 5400
    assert 2900 < y < 3300
    with urllib.request.urlopen(f"{server.url}/bays/Sur.json") as answer:
        assert b'"x":4000' in answer.read()
    page.get_by_role("button", name="Save").click()
    expect(page.locator("[name=thing-0-x]")).to_have_value(f"{x:g}")
