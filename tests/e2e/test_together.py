"""Bodies around the vehicle in a browser: a folded mat, a board's foot in place of its edge, a bay too short behind."""

import re
import signal
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from escuadra.commands import Garage
from escuadra.commands.bays import AddBay, KeepBay
from escuadra.commands.forms import press
from escuadra.commands.people import AddPerson
from escuadra.core.base.said import Name
from escuadra.core.base.stream import ITSELF
from escuadra.core.bay.bay import Bay
from escuadra.core.visit.body_readings import bodies_of
from escuadra.demo.valdehierro import BAYS, PEOPLE
from tests.conftest import GROUND, Clock
from tests.core.visit.test_together import Placer
from tests.e2e.conftest import Server, Visit
from tests.english import told

MOST_STEPS = 90
Prepare = Callable[[str, str], tuple[Server, Placer]]


@pytest.fixture
def prepared(tmp_path: Path) -> Iterator[Prepare]:
    """A server on a visit that was brought to one of its checks; what is then to be read is known from the bay."""
    running: list[Server] = []

    def bring(sheet: str, check: str) -> tuple[Server, Placer]:
        garage = Garage(tmp_path / "data", Clock())
        for person in PEOPLE:
            garage.do(AddPerson(*person), ITSELF, press())
        for bay in BAYS:
            garage.do(AddBay(bay), ITSELF, press())
        short = Bay(**{**GROUND, "name": "Patio", "length": 9_000})
        garage.do(KeepBay(short, garage.floors.bay("Patio")[1]), "ines", press())
        placer = Placer(garage, sheet)
        if sheet == "BL-SUR-03":
            placer.bay.folds["rear"] = {"top_right": (-60.0, 40.0)}
        placer.until(check)
        garage.close()
        running.append(Server(tmp_path / "data"))
        return running[0], placer

    yield bring
    for server in running:
        server.kill(signal.SIGTERM)


def changed(page: Page, act: Callable[[], None]) -> None:
    count = page.get_attribute("#sheet", "data-count")
    act()
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", str(count))
    page.wait_for_load_state()


def server_of(page: Page) -> str:
    return "/".join(page.url.split("/")[:3])


def sentence(page: Page) -> str:
    return page.locator(".next-sentence").inner_text()


def typed(page: Page, value: float) -> None:
    """A reading as the field takes it, its instrument and its direction chosen."""
    if page.locator("#tool").input_value() == "":
        page.locator("#tool").select_option(index=1)
    words = page.locator("form.entry [name=word]")
    if words.count():
        words.nth(0 if value >= 0 else 1).check()
        value = abs(value)
    page.fill("#typed", f"{value:.1f}")
    changed(page, lambda: page.keyboard.press("Enter"))


def follow(page: Page, placer: Placer, until: str, at: str = "") -> list[str]:
    """What stands in the next move, done as one would in front of it, until it says so."""
    said: list[str] = []
    for _ in range(MOST_STEPS):
        now = sentence(page)
        if re.search(until, now):
            return said
        go = page.locator("footer").get_by_role("link", name="Go there")
        if page.locator("footer").get_by_role("button", name="Yes").count():
            changed(page, lambda: page.locator("footer").get_by_role("button", name="Yes").click())
        elif page.locator("footer").get_by_role("button", name="moved").count():
            said.append(now)
            id, plan = next((id, one) for id, one in placer.stations.items() if at in (id, ""))
            for number, one in enumerate(bodies_of(plan), 1):
                if f"{told(Name(one.name))} " in now and not now.startswith("Stand"):
                    placer.bay.folds.clear()
                    placer.off(id, number)[:] = [0.0] * 6
            changed(page, lambda: page.locator("footer").get_by_role("button", name="moved").click())
        else:
            if "check=result" in (go.get_attribute("href") or "") if go.count() else False:
                return said
            if go.count():
                page.goto(server_of(page) + str(go.get_attribute("href")))
            slot = re.search(r"slot=([\w.]+)", page.url)
            assert slot is not None, page.url
            typed(page, placer.bay.at(slot[1]))
    raise AssertionError(sentence(page))


def test_four_mats_one_of_them_folded_and_a_camera_that_failed_alone(prepared: Prepare, visit: Visit) -> None:
    server, placer = prepared("BL-SUR-03", "rear_mat")
    page = visit(server, f"/jobs/{placer.who.job}?check=rear_mat")
    expect(page.locator(".slot").nth(1)).to_contain_text("wanted")
    assert follow(page, placer, "Smooth") == []
    assert "Smooth the rear mat at its far right corner" in sentence(page)
    expect(page.locator(".fold")).to_be_visible()
    server.kill()
    server.start()
    page.reload()
    assert len(follow(page, placer, "Run the procedure")) == 1
    changed(page, lambda: page.get_by_role("button", name="it was run").click())
    follow(page, placer, "nothing: until its result is asked")
    page.goto(f"{server.url}/jobs/{placer.who.job}?check=result&slot=result.outcome")
    changed(page, lambda: page.locator("#sheet").get_by_role("button", name="failed").click())
    for camera in ("front", "left", "right", "rear"):
        page.goto(f"{server.url}/jobs/{placer.who.job}?check=result&slot=result.camera.{camera}")
        said = "failed" if camera == "rear" else "passed"
        changed(page, lambda said=said: page.locator("#sheet").get_by_role("button", name=said).click())  # type: ignore[misc]
    expect(page.locator("#sheet")).to_contain_text("Failed: rear camera. Run that alone once more.")
    assert sentence(page) == "Run it again for this alone: rear camera."
    changed(page, lambda: page.locator("footer").get_by_role("button", name="Run it again").click())
    assert follow(page, placer, "Run the procedure") == [], "nothing has moved: no mat is laid again"
    changed(page, lambda: page.get_by_role("button", name="it was run").click())
    follow(page, placer, "nothing: until its result is asked")
    page.goto(f"{server.url}/jobs/{placer.who.job}?check=result&slot=result.outcome")
    changed(page, lambda: page.locator("#sheet").get_by_role("button", name="passed").click())
    expect(page.locator("#sheet [data-check=result][data-open]")).to_have_attribute("data-state", "holds")
    expect(page.locator("#sheet")).not_to_contain_text("left camera")


def test_four_cameras_by_a_panel_and_boards_at_both_ends(prepared: Prepare, visit: Visit) -> None:
    server, placer = prepared("BL-SUR-02", "run")
    page = visit(server, f"/jobs/{placer.who.job}")
    expect(page.locator(".station")).to_have_count(2)
    page.locator("summary", has_text="What else happened").click()
    changed(page, lambda: page.get_by_role("button", name="bumped: left side board").click())
    expect(page.locator("[data-check=left_board]")).to_have_attribute("data-state", "stale")
    expect(page.locator("[data-check=panel_front]")).not_to_have_attribute("data-state", "stale")
    assert follow(page, placer, "Run the procedure", "front") == [], "it stood as it was: read anew, not moved"
    changed(page, lambda: page.get_by_role("button", name="it was run").click())
    follow(page, placer, "panel.*mark|mark.*panel")
    assert "position 2 of 2" in page.locator(".next").inner_text(), "one tape showed that nothing was bumped"
    placer.bay.go(placer.stations["rear"])
    moves = follow(page, placer, "Run the procedure", "rear")
    assert [one.split()[0] for one in moves] == ["Move"], moves
    changed(page, lambda: page.get_by_role("button", name="it was run").click())
    follow(page, placer, "nothing: until its result is asked")
    expect(page.locator("[data-proof=proven]")).to_have_count(2)


def test_a_foot_read_in_place_of_the_boards_edge_is_found_by_the_check(prepared: Prepare, visit: Visit) -> None:
    server, placer = prepared("QE-MIR-01", "board")
    page = visit(server, f"/jobs/{placer.who.job}?check=board")
    follow(page, placer, "out from the parallel")
    slot = "together.beside.board.read.bottom_left.out_parallel_bottom_right"
    page.goto(f"{server.url}/jobs/{placer.who.job}?check=board&slot={slot}")
    typed(page, placer.bay.at(slot) - 60)
    follow(page, placer, "Read again|Read anew|Move")
    expect(page.locator(".check.open, .check")).to_contain_text("contradict")


def test_a_bay_too_short_behind_is_told_before_work_begins(prepared: Prepare, visit: Visit) -> None:
    server, _ = prepared("BL-SUR-02", "panel_front")
    page = visit(server, "/jobs/new")
    page.select_option("[name=procedure]", "BL-SUR-02")
    page.select_option("[name=bay]", "Patio")
    expect(page.locator("#room-remark")).to_contain_text("before rear the vehicle is turned")
