"""axe-core finds nothing on the main screens, in both themes."""

import json
from pathlib import Path

import pytest

from tests.e2e.conftest import Server, Visit, job_page

AXE = Path(__file__).parents[2] / "node_modules" / "axe-core" / "axe.min.js"
SCREENS = {
    "day": lambda server: "/",
    "new job": lambda server: "/jobs/new",
    "sheet": lambda server: job_page(server, "VF-0417") + "?check=distance",
    "contradiction": lambda server: job_page(server, "VF-0416") + "?check=square",
    "signed sheet": lambda server: job_page(server, "VF-0412"),
    "garage": lambda server: "/garage",
    "parts": lambda server: "/parts",
    "api": lambda server: "/api/docs",
}


@pytest.mark.parametrize("theme", ["light", "dim"])
@pytest.mark.parametrize("screen", SCREENS)
def test_no_violation(demo: Server, visit: Visit, screen: str, theme: str) -> None:
    page = visit(demo)
    page.context.add_cookies([{"name": "escuadra_theme", "value": theme, "url": demo.url}])
    page.goto(demo.url + SCREENS[screen](demo))
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run()")["violations"]
    told = [(v["id"], [node["html"][:160] for node in v["nodes"][:3]], v["nodes"][0]["failureSummary"]) for v in found]
    assert not told, json.dumps(told, indent=1)
