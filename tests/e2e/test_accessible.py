"""axe-core finds nothing on the main screens, in both themes."""

import json
import re
import urllib.request
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.e2e.conftest import Server, Visit, job_page


def survey_page(server: Server, bay: str) -> str:
    """The path of a bay's first listed survey."""
    with urllib.request.urlopen(f"{server.url}/bays/{bay}") as answer:
        found = re.search(r"/surveys/[0-9a-f]{12}", answer.read().decode())
    assert found
    return found[0]


def handover_page(server: Server) -> str:
    """The path of the page that a customer reads."""
    address = job_page(server, "VF-0411").replace("/jobs/", "/visits/") + "/certificate"
    with urllib.request.urlopen(server.url + address) as answer:
        found = re.search(r"/handover/[\w/-]+", answer.read().decode())
    assert found
    return found[0]


AXE = Path(__file__).parents[2] / "node_modules" / "axe-core" / "axe.min.js"
SCREENS: dict[str, Callable[[Server], str]] = {
    "day": lambda server: "/",
    "new job": lambda server: "/jobs/new",
    "visits": lambda server: "/visits?find=amara",
    "visit": lambda server: job_page(server, "VF-0420").replace("/jobs/", "/visits/") + "?part=windscreen",
    "codes": lambda server: job_page(server, "VF-0420").replace("/jobs/", "/visits/") + "/codes",
    "second calibration": lambda server: job_page(server, "VF-0420") + ".2?check=target",
    "short way": lambda server: job_page(server, "VF-0419") + "/ready",
    "sheet": lambda server: job_page(server, "VF-0417") + "?check=distance",
    "contradiction": lambda server: job_page(server, "VF-0416") + "?check=square",
    "certificate": lambda server: job_page(server, "VF-0411").replace("/jobs/", "/visits/") + "/certificate",
    "handover": handover_page,
    "drive": lambda server: job_page(server, "VF-0411").replace("/jobs/", "/visits/") + "/drive",
    "roads": lambda server: "/roads",
    "run by steps": lambda server: job_page(server, "VF-0416") + "/steps",
    "screws": lambda server: job_page(server, "VF-0421") + "/screws",
    "residuals": lambda server: job_page(server, "VF-0412") + "/residuals",
    "signed sheet": lambda server: job_page(server, "VF-0412"),
    "floor check": lambda server: job_page(server, "VF-0417") + "?check=floor",
    "ready check": lambda server: job_page(server, "VF-0417") + "?check=alignment",
    "round": lambda server: job_page(server, "VF-0419") + "/round",
    "lines": lambda server: job_page(server, "VF-0417") + "/lines",
    "stations": lambda server: job_page(server, "VF-0418") + "/stations",
    "level view": lambda server: job_page(server, "VF-0418") + "?view=level",
    "rig": lambda server: job_page(server, "VF-0417") + "/rig",
    "bays": lambda server: "/bays",
    "bay": lambda server: "/bays/Norte",
    "new survey": lambda server: "/bays/Norte/surveys/new",
    "survey": lambda server: survey_page(server, "Patio"),
    "survey in the making": lambda server: survey_page(server, "Muelle"),
    "parking": lambda server: "/bays/Norte/parking?vehicle=brezo-lanzadera&procedure=BL-CAM-01",
    "instruments": lambda server: "/instruments",
    "instrument": lambda server: "/instruments/meter-1",
    "self-check": lambda server: "/instruments/laser-2/checks/plumb?height=3+m&bottom=0",
    "what it found": lambda server: "/instruments/level-1/checks/end_for_end?first=0&second=0",
    "garage": lambda server: "/garage",
    "catalogue": lambda server: "/catalogue?q=risco",
    "entries written here": lambda server: "/write",
    "entry's form": lambda server: "/write/procedure/QR-CAM-05",
    "entry's checks": lambda server: "/write/procedure/QR-CAM-05?at=checks",
    "entry's release": lambda server: "/write/procedure/QR-CAM-05/check",
    "table of figures": lambda server: "/write-table",
    "customers": lambda server: "/customers",
    "parts": lambda server: "/parts",
    "api": lambda server: "/api/docs",
}


@pytest.mark.parametrize("screen", SCREENS)
def test_no_violation_in_either_theme(demo: Server, visit: Visit, screen: str) -> None:
    page = visit(demo, SCREENS[screen](demo))
    page.evaluate(AXE.read_text())
    told = []
    for theme in ("light", "dim"):
        page.evaluate("theme => { document.documentElement.dataset.theme = theme; }", theme)
        # What is not a colour is the same in both themes; what passes need not be listed.
        rules = {"runOnly": ["color-contrast"]} if theme == "dim" else {}
        found = page.evaluate("rules => axe.run(rules)", {**rules, "resultTypes": ["violations"]})["violations"]
        told += [
            (theme, v["id"], [node["html"][:160] for node in v["nodes"][:3]], v["nodes"][0]["failureSummary"])
            for v in found
        ]
    assert not told, json.dumps(told, indent=1)
