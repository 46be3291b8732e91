"""Words 1.4 times as wide break no screen: a desk, a tablet held upright, a phone; every menu opened too."""

import shutil
import signal
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page

from tests.e2e.conftest import Server, Visit, job_page
from tests.e2e.test_accessible import SCREENS
from tests.words.pseudo import WIDE

SIZES = {"desk": (1280, 800), "tablet": (820, 1180), "phone": (390, 844)}
LOOK = (Path(__file__).parent / "widths.js").read_text(encoding="utf-8")
"""What reaches past the page, its own box (but what scrolls by itself) or, of a text in a drawing, past the drawing."""


@pytest.fixture(scope="module")
def wide(demo_once: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The demo, which speaks wide words as well."""
    folder = tmp_path_factory.mktemp("wide") / "data"
    shutil.copytree(demo_once, folder)
    running = Server(folder, "demo", module="tests.words.pseudo")
    yield running
    running.kill(signal.SIGTERM)


def beyond(page: Page) -> list[str]:
    found = page.evaluate(LOOK)
    for menu in page.locator("details.menu").all():
        if menu.is_visible():
            menu.evaluate("menu => { menu.open = true; }")
            found += page.evaluate(LOOK)
            menu.evaluate("menu => { menu.open = false; }")
    return list(dict.fromkeys(found))


def test_wide_words_stay_within_the_page(wide: Server, visit: Visit) -> None:
    page = visit(wide)
    page.context.add_cookies([{"name": "escuadra_language", "value": WIDE, "url": wide.url}])
    told: dict[str, list[str]] = {}
    loaded: dict[str, Callable[[Server], str]] = {"load": lambda server: job_page(server, "VF-0417") + "?check=load"}
    for screen, path in {**SCREENS, **loaded}.items():
        if screen == "api":
            continue
        page.goto(wide.url + path(wide))
        assert "òxòxò" in page.inner_text("body"), "the page was said in wide words"
        for size, (width, height) in SIZES.items():
            page.set_viewport_size({"width": width, "height": height})
            if found := beyond(page):
                told[f"{screen}, {size}"] = found
    assert told == {}
