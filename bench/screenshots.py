"""``make screenshots``: one current picture of each main view, made from the demo data."""

import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright

from escuadra.commands.entries import Answer
from escuadra.demo.valdehierro import open_demo
from tests.e2e.conftest import CHROMIUM

OUT = Path(__file__).parent.parent / "docs" / "screenshots"
PAST_VISITS = 120
DESK, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}
Act = Callable[[Page], Any]


def far(page: Page) -> None:
    """Far mode."""
    page.keyboard.press("f")


def slid(page: Page) -> None:
    """Ride height read again, then the laser well off its place: the move that follows."""
    place = page.url
    page.goto(place.split("?")[0] + "?check=ride_height&slot=arch.LF")
    for typed in ("709", "708", "718", "719"):
        count = page.get_attribute("#sheet", "data-count")
        page.keyboard.type(typed)
        page.keyboard.press("Enter")
        page.wait_for_selector(f"#sheet:not([data-count='{count}'])")
    page.goto(place)
    page.get_by_label("replace").check()
    page.locator("#typed").focus()
    page.keyboard.type("-9")
    page.keyboard.press("Enter")
    page.wait_for_selector("[data-key=m]")


def conducted(page: Page) -> None:
    """The screws turned, what is around answered for anew, and the run begun."""
    page.get_by_role("button", name="Turned so").click()
    run = page.get_by_role("link", name="Run it step by step")
    page.wait_for_selector("#sheet")
    while not run.count():
        count = page.get_attribute("#sheet", "data-count")
        page.locator("footer").get_by_role("button", name="Yes").click()
        page.wait_for_selector(f"#sheet:not([data-count='{count}'])")
    run.click()
    page.get_by_role("button", name="I have read the cautions").click()
    page.wait_for_selector("[data-step=supported]")
    page.get_by_role("button", name="Done, next").click()
    page.wait_for_selector("[data-step=cleared]")


def nothing(page: Page) -> None:
    """The page as it opens."""


VIEWS: list[tuple[str, str, str, dict[str, int], str, Act]] = [
    ("day", "/", "", DESK, "light", nothing),
    ("new-job", "/jobs/new", "", DESK, "light", nothing),
    ("visits", "/visits", "?find=amara", DESK, "light", nothing),
    ("visit", "VF-0420", "VISIT", DESK, "light", nothing),
    ("codes", "VF-0420", "VISIT/codes", DESK, "light", nothing),
    ("move", "VF-0417", "?check=centred&slot=crossing", DESK, "light", slid),
    ("stations", "VF-0418", "/stations", DESK, "light", nothing),
    ("contradiction-dim", "VF-0416", "?check=square", DESK, "dim", nothing),
    ("far", "VF-0416", "?check=square", DESK, "dim", far),
    ("phone", "VF-0416", "?check=square", PHONE, "light", nothing),
    ("certificate", "VF-0411", "VISIT/certificate", DESK, "light", nothing),
    ("residuals", "VF-0412", "/residuals", DESK, "light", nothing),
    ("bay", "/bays/Patio", "", DESK, "light", nothing),
    ("survey", "Patio", "", DESK, "light", nothing),
    ("lines-dim", "VF-0417", "/lines", DESK, "dim", nothing),
    ("writing", "/write/procedure/QR-CAM-05", "", DESK, "light", nothing),
    ("drive", "VF-0411", "VISIT/drive", DESK, "light", nothing),
    ("screws", "VF-0421", "/screws", DESK, "light", nothing),
    ("run", "VF-0421", "/screws", DESK, "light", conducted),
]


def main() -> None:
    """Serve a fresh demo and take the pictures."""
    with tempfile.TemporaryDirectory() as folder, socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
        free.close()
        garage = open_demo(Path(folder) / "demo", lambda: time.time_ns() // 1_000_000, PAST_VISITS)
        jobs = {opened.row.number: f"/jobs/{opened.row.id}" for opened in garage.jobs()}
        for done in ("tick.doors",):
            garage.do(Answer(jobs["VF-0417"].split("/")[-1], done, "yes"), "teo", "shot")
        surveys = {bay: f"/surveys/{garage.floors.surveys(bay)[0].id}" for bay in ("Patio", "Muelle")}
        garage.close()
        command = [sys.executable, "-m", "escuadra.cli", "demo", "--port", str(port), "--data", f"{folder}/demo"]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        try:
            take(f"http://127.0.0.1:{port}", jobs | surveys)
        finally:
            server.terminate()
            server.wait()


def take(base: str, jobs: dict[str, str]) -> None:
    """All views, one browser context each."""
    for _ in range(100):
        try:
            urllib.request.urlopen(f"{base}/healthz", timeout=1).close()
            break
        except OSError:
            time.sleep(0.2)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox", "--disable-gpu"])
        for name, place, query, size, theme, act in VIEWS:
            phone = size is PHONE
            context = browser.new_context(viewport=size, has_touch=phone, is_mobile=phone)  # type: ignore[arg-type]
            cookies = {"escuadra_person": "teo", "escuadra_theme": theme}
            context.add_cookies([{"name": key, "value": value, "url": base} for key, value in cookies.items()])
            page = context.new_page()
            address = base + jobs.get(place, place) + query
            page.goto(address.replace("/jobs/", "/visits/").replace("VISIT", "") if "VISIT" in query else address)
            act(page)
            page.wait_for_timeout(400)
            page.screenshot(path=OUT / f"{name}.png")
            context.close()
        browser.close()


if __name__ == "__main__":
    main()
