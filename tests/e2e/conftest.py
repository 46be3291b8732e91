"""A real server in a process of its own, and Debian's Chromium on it."""

import contextlib
import multiprocessing
import os
import runpy
import shutil
import signal
import socket
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from multiprocessing.context import ForkServerProcess
from pathlib import Path
from pkgutil import iter_modules
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from escuadra.commands import Garage
from escuadra.demo.valdehierro import BAYS
from escuadra.web import screens
from tests.conftest import Clock, ground_flat

PATIENCE_S = float(os.environ.get("ESCUADRA_TEST_PATIENCE_S", "90"))
"""How long a journey waits for what it expects: long, since machines starve; less while a journey is written."""

CHROMIUM = shutil.which("chromium-headless-shell") or shutil.which("chromium")
"""The one without a window takes half of what the other does: no frame of a browser is drawn around each page."""

expect.set_options(timeout=1000 * PATIENCE_S)


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Journeys of a file share its demo and stay together, in their order; what only looks is parted in two."""
    for item in items:
        if item.path.parent == Path(__file__).parent:
            screen = item.callspec.params.get("screen", "") if hasattr(item, "callspec") else ""
            item.add_marker(pytest.mark.xdist_group(f"{item.path.stem}{len(screen) % 2 if screen else ''}"))


FORKED = multiprocessing.get_context("forkserver")
"""Servers are forked from a process that has imported all of it: importing anew took a tenth of all journeys."""
SCREENS = [f"{screens.__name__}.{folder.name}.routes" for folder in iter_modules(screens.__path__)]
HEAVY = ["typer", "uvicorn", "uvicorn.protocols.http.auto", "anyio._backends._asyncio", "alembic.command", "weasyprint"]
FORKED.set_forkserver_preload([__name__, *SCREENS, "escuadra.web.app", "escuadra.demo.valdehierro", *HEAVY])


def _serve(module: str, arguments: list[str]) -> None:
    """What ``python -m`` does, in a process that was forked for it."""
    sys.argv = [module, *arguments]
    with Path(os.devnull).open("w") as nowhere, contextlib.redirect_stdout(nowhere):
        runpy.run_module(module, run_name="__main__", alter_sys=True)


class Server:
    """``escuadra serve`` on a data folder; can be killed and started again on the same port."""

    def __init__(self, data: Path, command: str = "serve", devices: bool = False, module: str = "escuadra.cli") -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.data, self.command, self.devices, self.module = data, command, devices, module
        self.process: ForkServerProcess | None = None
        self.start()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        arguments = [self.command, "--port", str(self.port), "--data", str(self.data)]
        arguments += ["--no-devices"] if self.command == "demo" and not self.devices else []
        self.process = FORKED.Process(target=_serve, args=(self.module, arguments))
        self.process.start()
        for _ in range(2400):
            try:
                with urllib.request.urlopen(f"{self.url}/healthz", timeout=1) as answer:
                    if answer.status == 200:
                        return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not answer within minutes")

    def kill(self, how: int = signal.SIGKILL) -> None:
        assert self.process is not None
        assert self.process.pid is not None
        os.kill(self.process.pid, how)
        self.process.join(120)


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    quiet = ["--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-quic"]
    flags = ["--no-sandbox", *quiet, "--no-first-run", "--disable-gpu"]
    return {**browser_type_launch_args, "executable_path": CHROMIUM, "args": flags, "timeout": 300_000}


@pytest.fixture
def server(tmp_path: Path, peopled_once: tuple[Path, int]) -> Iterator[Server]:
    """A garage with people and bays but no job."""
    folder, clock = peopled_once[0], Clock()
    clock.at = peopled_once[1]
    shutil.copytree(folder, tmp_path / "data")
    garage = Garage(tmp_path / "data", clock)
    for bay in BAYS:
        ground_flat(garage, bay)
    garage.close()
    running = Server(tmp_path / "data")
    yield running
    running.kill(signal.SIGTERM)


@pytest.fixture(scope="session")
def demo_once(made_once: Callable[[str, Callable[[], int]], Path]) -> Path:
    """The data folder of the demo as of now."""
    return made_once("demo-now", lambda: time.time_ns() // 1_000_000)


@pytest.fixture(scope="module")
def demo(demo_once: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The demo garage, as ``make demo`` serves it; each file of journeys has its own."""
    folder = tmp_path_factory.mktemp("demo") / "data"
    shutil.copytree(demo_once, folder)
    running = Server(folder, "demo")
    yield running
    running.kill(signal.SIGTERM)


Visit = Callable[..., Page]


@pytest.fixture
def visit(browser: Browser) -> Iterator[Visit]:
    """Open a page as a person: a browser context of its own, whose console must stay silent."""
    contexts, complaints = [], []

    def open_page(server: Server, path: str = "/", person: str = "teo", **options: Any) -> Page:
        context = browser.new_context(viewport={"width": 1280, "height": 800}, **options)
        context.set_default_timeout(1333 * PATIENCE_S)
        context.add_cookies([{"name": "escuadra_person", "value": person, "url": server.url}])
        contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda error: complaints.append(str(error)))
        page.on("console", lambda said: complaints.append(said.text) if "Content Security" in said.text else None)
        page.goto(server.url + path)
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert not complaints


def choose_instrument(page: Page) -> None:
    """By keys: the first instrument that can read here, where none was chosen yet; then back to the figure."""
    tool = page.locator("#tool")
    if tool.count() and tool.input_value() == "":
        tool.focus()
        page.keyboard.press("ArrowDown")
        page.locator("[data-field]").first.focus()


def bump(page: Page) -> None:
    """The key that makes the whole frame out of date, pressed twice."""
    page.keyboard.press("b")
    expect(page.locator("[data-hold-note]")).to_have_text("press b again")
    page.keyboard.press("b")


def job_page(server: Server, number: str) -> str:
    """The path of a job's sheet."""
    import json

    with urllib.request.urlopen(f"{server.url}/api/jobs") as answer:
        jobs = json.load(answer)["jobs"]
    return "/jobs/" + str(next(job["id"] for job in jobs if job["number"] == number))
