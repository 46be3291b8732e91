"""The drive in a browser: recorded without a network and handed over, two traces joined, the server killed."""

import signal
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from escuadra.commands import Garage
from escuadra.commands.bays import AddBay
from escuadra.commands.forms import press
from escuadra.commands.people import AddPerson
from escuadra.core.base.stream import ITSELF
from escuadra.core.road.trace_files import as_gpx
from escuadra.demo.valdehierro import BAYS, PEOPLE
from escuadra.devices.virtual_road import Receiver, driven, received
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock, finished, ground_flat
from tests.core.visit.test_closing import codes, do, handed, release, sign
from tests.e2e.conftest import Server, Visit

AT = 1.77e9


@pytest.fixture
def signed(tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[tuple[Server, str]]:
    """A server with a visit whose camera is signed and still has to learn on the road; handed over to it, if asked."""
    garage = Garage(tmp_path / "data", Clock())
    for person in PEOPLE:
        garage.do(AddPerson(*person), ITSELF, press())
    for bay in BAYS:
        garage.do(AddBay(bay), ITSELF, press())
    ground_flat(garage, "Norte")
    who = Technician(garage, garage.clock(), "teo")
    who.take_in(number="T-1", vin="ZZ9QR216XRV000001", reason="windscreen replaced", bay="Norte", procedure="QR-CAM-01")
    codes(who, "before", source="not_read", why="no link in this bay today")
    finished(who)
    who.finish()
    sign(who)
    codes(who, "after", source="not_read", why="no link in this bay today")
    if getattr(request, "param", "") == "handed over":
        do(who, handed(who))
        assert release(who).state == "drive_open"
    road = garage.catalogue.get("road", "valley-road").content
    for name, seed, tunnel in (("first", 3, ((200.0, 220.0),)), ("second", 4, ())):
        rng = np.random.default_rng(seed)
        at = AT + (4000 if name == "second" else 0)
        trace = received(driven(road, 1, rng, at), Receiver(hz=2, tunnels=tunnel), rng)
        (tmp_path / f"{name}.gpx").write_bytes(as_gpx(trace, [(name, 0, len(trace) - 1)]))
    garage.close()
    server = Server(tmp_path / "data")
    yield server, who.job
    server.kill(signal.SIGTERM)


def set_out(page: Page, reader: str = "ines") -> None:
    page.select_option("#driver", "teo")
    page.select_option("#reader", reader)
    page.select_option("#road", "valley-road")
    for tick in ("licensed", "ignition", "belt"):
        page.check(f"[name={tick}]")
    page.get_by_role("button", name="Begin the drive").click()
    expect(page.locator("[data-drive=open]")).to_be_visible()


def drive_on(page: Page, north: float, count: int) -> float:
    """Some places along a straight road, about 70 km/h; where it ends."""
    for _ in range(count):
        page.context.set_geolocation({"latitude": 41.23 + north / 111_195, "longitude": -2.61, "accuracy": 4})
        began = time.monotonic()
        page.wait_for_timeout(250)
        north += 19.5 * (time.monotonic() - began)
    return north


def both_taken(page: Page, folder: Path) -> None:
    """Both traces sent, one after the other."""
    for name in ("first", "second"):
        page.set_input_files("#trace", folder / f"{name}.gpx")
        page.get_by_role("button", name="Take it").click()
        expect(page.locator("[data-drive=open] ul.plain")).to_contain_text(name)
        page.wait_for_load_state()


def kept(page: Page) -> int:
    return int(page.locator("[data-kept]").inner_text().split(" ")[0] or 0)


def test_a_drive_is_recorded_without_a_network_and_handed_over(signed: tuple[Server, str], visit: Visit) -> None:
    server, id = signed
    page = visit(server, f"/visits/{id}/drive")
    page.context.grant_permissions(["geolocation"])
    set_out(page)
    page.get_by_role("link", name="Record on this device").click()
    expect(page.locator("[data-ready=yes]")).to_be_visible()
    page.get_by_role("button", name="Record", exact=True).click()
    north = drive_on(page, 0.0, 16)
    expect(page.locator("[data-word]")).to_have_text("counts")
    server.kill()
    page.context.set_offline(True)
    page.reload()
    expect(page.locator("[data-stop]")).to_be_visible()
    before = kept(page)
    assert before > 8, "a reload loses nothing"
    drive_on(page, north, 24)
    assert kept(page) > before + 10
    counted = float(page.locator("[data-counted]").get_attribute("data-counted") or 0)
    assert counted > 0.05
    page.get_by_role("button", name="Hand over").click()
    expect(page.locator("[data-trouble]")).to_contain_text("all of it stays on this device")
    page.context.set_offline(False)
    server.start()
    page.get_by_role("button", name="Hand over").click()
    expect(page.locator(".drive-speed")).to_be_visible()
    expect(page.locator("[data-drive=open] li")).to_contain_text("phone or tablet")
    shown = page.locator("[data-sensor=front_camera] td").nth(2).inner_text()
    assert shown.startswith("0."), shown


def test_two_traces_join_and_complete_the_drive_after_the_server_was_killed(
    signed: tuple[Server, str], visit: Visit, tmp_path: Path
) -> None:
    server, id = signed
    page = visit(server, f"/visits/{id}/drive", "ines")
    set_out(page)
    both_taken(page, tmp_path)
    expect(page.locator("[data-sensor=front_camera]")).to_have_attribute("data-met", "yes")
    expect(page.locator("[data-attempt]")).to_contain_text("no position")
    page.set_input_files("#trace", tmp_path / "first.gpx")
    page.get_by_role("button", name="Take it").click()
    expect(page.get_by_role("alert")).to_contain_text("another trace")
    server.kill()
    server.start()
    page.goto(f"{server.url}/visits/{id}/drive")
    page.get_by_role("button", name="The drive is over").click()
    expect(page.get_by_role("alert")).to_contain_text("key turned off and on")
    page.fill("#functions", "lane keeping held the lane")
    page.check("[name=key]")
    page.get_by_role("button", name="The drive is over").click()
    expect(page.locator("[data-drive=none]")).to_be_visible()
    page.goto(f"{server.url}/visits/{id}/certificate")
    page.get_by_role("button", name="Release").click()
    page.wait_for_load_state()
    expect(page.locator("[data-released=yes]")).to_be_visible()
    assert "finished" in page.request.get(f"{server.url}/visits/{id}/certificate/1.json").text()


@pytest.mark.parametrize("signed", ["handed over"], indirect=True)
def test_a_drive_that_was_handed_over_is_closed_days_later(
    signed: tuple[Server, str], visit: Visit, tmp_path: Path
) -> None:
    server, id = signed
    page = visit(server, "/", "ines")
    expect(page.locator("main")).to_contain_text("T-1")
    page.goto(f"{server.url}/visits/{id}/certificate")
    expect(page.locator("main")).to_contain_text("lane keeping")
    page.goto(f"{server.url}/visits/{id}/drive")
    set_out(page)
    both_taken(page, tmp_path)
    page.fill("#functions", "lane keeping held the lane")
    page.check("[name=key]")
    page.get_by_role("button", name="The drive is over").click()
    expect(page.locator("[data-drive=none]")).to_be_visible()
    page.goto(f"{server.url}/visits/{id}/certificate")
    page.get_by_role("button", name="Release").click()
    page.wait_for_load_state()
    said = page.request.get(f"{server.url}/visits/{id}/certificate/2.json").json()
    assert (said["revision"], said["state"], said["handovers"][0]["ended"]) == (2, "finished", "driven")
    before = page.request.get(f"{server.url}/visits/{id}/certificate/1.json").json()
    assert (before["state"], len(before["drives"]), len(said["drives"])) == ("drive_open", 0, 1)


def test_who_drives_alone_hears_and_sees_nothing_while_the_vehicle_moves(
    signed: tuple[Server, str], visit: Visit
) -> None:
    server, id = signed
    page = visit(server, f"/visits/{id}/drive")
    page.context.grant_permissions(["geolocation"])
    set_out(page, reader="")
    page.get_by_role("link", name="Record on this device").click()
    expect(page.locator("[data-ready=yes]")).to_be_visible()
    page.get_by_role("button", name="Record", exact=True).click()
    drive_on(page, 0.0, 10)
    expect(page.locator("body.blank")).to_have_count(1)
    assert page.locator(".recorder-page").evaluate("one => getComputedStyle(one).opacity") == "0"
    expect(page.locator("body.blank")).to_have_count(0)
    assert kept(page) > 5
