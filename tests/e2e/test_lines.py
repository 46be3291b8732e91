"""The vehicle's lines in the browser: methods that agree or don't, a plan improved, a rectangle, a rig's approach."""

import math
import re
import shutil
import signal
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands.lines import PlanLines
from escuadra.core.visit.log.events import LinePlanned
from escuadra.core.visit.methods import METHODS
from escuadra.core.visit.plan import Plan
from escuadra.core.visit.scene import Scene
from escuadra.demo.valdehierro import open_demo
from escuadra.rehearsal.technician import Technician
from tests.e2e.conftest import Server, Visit, choose_instrument, job_page

OPEN = ".check[data-open]"
JOB = "VF-0417"
LAST_STRING = "string.RR.rear"
ALONG, OUT, INWARD = 2640.0, 650.0, 908.0
SIDES = {"out": OUT, "along": ALONG, "back": OUT + INWARD, "diagonal": math.hypot(ALONG, OUT)}
SIDES |= {"cross": math.hypot(ALONG, OUT + INWARD), "straight": math.hypot(ALONG, INWARD)}


def plan() -> Plan:
    """What the minibus' job is judged by."""
    catalogue = load([PRACTICE])
    procedure = catalogue.get("procedure", "BL-CAM-01").content
    kinds = (("vehicle", procedure.vehicle), ("target", procedure.mounting.target), ("frame", "galga-2"))
    return Plan(procedure, *(catalogue.get(kind, id).content for kind, id in kinds))


@pytest.fixture(scope="module")
def demo(demo_once: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The demo with a plan for VF-0417 and most of its readings taken: what is left is done in the browser."""
    folder = tmp_path_factory.mktemp("lines") / "data"
    shutil.copytree(demo_once, folder)
    garage = open_demo(folder, lambda: time.time_ns() // 1_000_000)
    teo = Technician(garage, time.time_ns() // 1_000_000, "teo")
    teo.count, teo.job = 700, next(o.row.id for o in garage.jobs() if o.row.number == JOB)
    asked = LinePlanned(methods=["marks", "printout", "strings"], rectangle=True)
    garage.do(PlanLines(teo.job, asked), teo.person, teo.id())
    straight = Scene(plan(), plan().nominal_goal, {"LF": 0.07, "RF": 0.07, "LR": 0.12, "RR": 0.06})
    for slot, value in METHODS["strings"].exact(straight).items():
        if slot != LAST_STRING:
            teo.read(slot, f"{value:.1f}", "tape-4" if slot in ("string.front", "string.rear") else "rule-3")
    teo.answer("rect.side", "left")
    for name, value in SIDES.items():
        if name != "diagonal":
            teo.read(f"rect.{name}", f"{value:.1f}", "tape-4")
    garage.close()
    running = Server(folder, "demo")
    yield running
    running.kill(signal.SIGTERM)


def type_in(page: Page, server: Server, check: str, slot: str, value: float, replace: bool = False) -> None:
    """Type a figure into a place, with its direction where one is asked."""
    page.goto(f"{server.url}{job_page(server, JOB)}?check={check}&slot={slot}")
    before = page.locator("#sheet").get_attribute("data-count") or ""
    words = page.locator(".words input[name=word]")
    if words.count():
        words.nth(0 if value >= 0 else 1).check()
        value = abs(value)
    if replace:
        page.get_by_label("replace").check()
    choose_instrument(page)
    page.locator("#typed").fill(f"{value:.1f}")
    page.keyboard.press("Enter")
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before)


def choose(page: Page, server: Server, *titles: str) -> None:
    """Choose methods beside those that are chosen already, and go on to the sheet."""
    page.goto(f"{server.url}{job_page(server, JOB)}/lines")
    for title in titles:
        page.get_by_label(title).check()
    page.get_by_role("button", name="Choose this plan").click()
    expect(page.locator("#sheet")).to_be_visible()


def test_two_methods_agree(demo: Server, visit: Visit) -> None:
    page = visit(demo)
    straight = Scene(plan(), plan().nominal_goal, {"LF": 0.07, "RF": 0.07, "LR": 0.12, "RR": 0.06})
    type_in(page, demo, "method_strings", LAST_STRING, METHODS["strings"].exact(straight)[LAST_STRING])
    check = page.locator(OPEN)
    page.goto(f"{demo.url}{job_page(demo, JOB)}?check=method_strings")
    expect(check).to_have_attribute("data-state", "holds")
    expect(check).to_contain_text("Alone it says: the rear axle steers")
    page.goto(f"{demo.url}{job_page(demo, JOB)}/lines")
    expect(page.get_by_text(re.compile("These agree: .*printout and Strings along both sides"))).to_be_visible()
    expect(page.locator("tr", has_text="RF toe, by the strings")).to_contain_text("toe-in")


def test_a_misread_pair_is_found_and_replaced(demo: Server, visit: Visit) -> None:
    page = visit(demo)
    type_in(page, demo, "centreline", "pair.front.3.left", 1843.0)
    type_in(page, demo, "centreline", "pair.front.3.right", 600.0)
    page.goto(f"{demo.url}{job_page(demo, JOB)}?check=centreline")
    expect(page.locator(OPEN)).to_have_attribute("data-state", "undecided")
    expect(page.locator(OPEN)).to_contain_text("the pair towing-eye covers disagrees with the others")
    page.goto(f"{demo.url}{job_page(demo, JOB)}/lines")
    expect(page.locator(".error")).to_contain_text("The suspect: the front pair towing-eye covers")
    type_in(page, demo, "centreline", "pair.front.3.left", 1806.0, replace=True)
    page.goto(f"{demo.url}{job_page(demo, JOB)}?check=thrust")
    expect(page.locator(OPEN)).to_have_attribute("data-state", "holds")
    expect(page.locator(OPEN)).to_contain_text("Used: the thrust line, as the procedure prescribes.")


def test_a_plan_that_cannot_decide_is_improved_until_it_can(demo: Server, visit: Visit) -> None:
    page = visit(demo, job_page(demo, "VF-0419") + "/lines")
    for title in ("Centre marks from pairs", "Wheel-alignment printout"):
        page.get_by_label(title).uncheck()
    page.get_by_label("Mirrors on the rear wheels").check()
    page.get_by_label("For taped lengths").select_option("tape-7")
    page.locator("[data-work-out]").click()
    whole = page.locator("p", has=page.locator("[data-whole]"))
    expect(whole).to_contain_text("Centred: can't decide")
    expect(whole).to_contain_text("Another instrument, Tape 4, steel: then it decides.")
    page.get_by_label("For taped lengths").select_option("tape-4")
    page.locator("[data-work-out]").click()
    expect(whole).to_contain_text("Centred: can decide")
    page.get_by_label("Readings of each place").select_option("2")
    page.get_by_role("button", name="Choose this plan").click()
    page.goto(f"{demo.url}{job_page(demo, 'VF-0419')}?check=method_mirrors")
    expect(page.locator(OPEN)).to_contain_text("Clamp a mirror to each rear wheel")
    expect(page.locator("#tool")).to_have_value("clamps-2")
    assert page.locator("[data-check=centreline]").count() == 0, "what was not planned is not asked for"
    page.goto(f"{demo.url}{job_page(demo, 'VF-0419')}?check=square")
    expect(page.locator("#tool")).to_have_value("tape-4")


def test_a_rectangle_with_a_bad_diagonal(demo: Server, visit: Visit) -> None:
    page = visit(demo)
    type_in(page, demo, "rectangle", "rect.diagonal", SIDES["diagonal"] + 16)
    check = page.locator(OPEN)
    page.goto(f"{demo.url}{job_page(demo, JOB)}?check=rectangle")
    expect(check).to_have_attribute("data-state", "undecided")
    expect(check).to_contain_text("The rectangle does not close")
    expect(check).to_contain_text("iagonal from the datum to the far corner")
    type_in(page, demo, "rectangle", "rect.diagonal", SIDES["diagonal"], replace=True)
    page.goto(f"{demo.url}{job_page(demo, JOB)}?check=rectangle")
    expect(check).to_have_attribute("data-state", "holds")


def test_a_rig_brings_the_frame_to_its_place(demo: Server, visit: Visit) -> None:
    page = visit(demo)
    choose(page, demo, "Camera rig and marker boards")
    page.goto(f"{demo.url}{job_page(demo, JOB)}/rig")
    live = page.locator("[data-live]")
    expect(live).to_contain_text("To go")
    page.get_by_role("button", name="pull its cable").click()
    expect(live).to_contain_text("does not answer")
    page.get_by_role("button", name="Take these values").click()
    expect(page.get_by_role("alert").first).to_contain_text("Nothing was taken")
    page.get_by_role("button", name="plug it in again").click()
    for _ in range(80):
        figures = [amount(live.locator(".togo > div").nth(k).inner_text()) for k in range(3)]
        step = next_step(*figures)
        if not step:
            break
        page.get_by_role("button", name=step, exact=True).click()
    assert re.search("There|Slowly", live.inner_text())
    expect(live).to_contain_text("The picture stands still")
    page.get_by_role("button", name="Take these values").click()
    expect(page.locator(OPEN)).to_have_attribute("data-state", "holds")
    for check in ("square", "centred", "distance"):
        page.goto(f"{demo.url}{job_page(demo, JOB)}?check={check}")
        expect(page.locator(OPEN)).to_have_attribute("data-state", re.compile("holds|undecided"))


def amount(said: str) -> tuple[float, str]:
    """A figure to go and its way."""
    found = re.search(r"([\d.\u202f]+)\u202f?(?:mm|°)\s+(\w+)", said)
    assert found, said
    return float(found[1].replace("\u202f", "")), found[2]


def next_step(turn: tuple[float, str], slide: tuple[float, str], roll: tuple[float, str]) -> str:
    """The stand-in's button that brings the frame nearer."""
    if turn[0] >= 0.09:
        return f"{'0.5' if turn[0] > 0.5 else '0.05'}° {turn[1]}"
    if slide[0] >= 3:
        return f"{10 if slide[0] >= 10 else 1} mm {slide[1]}"
    if roll[0] >= 1:
        return f"{100 if roll[0] >= 100 else 10 if roll[0] >= 10 else 1} mm {roll[1]}"
    return ""
