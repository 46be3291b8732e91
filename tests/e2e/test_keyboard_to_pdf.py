"""From a manufacturer's page to a sheet, and from taking a vehicle in to a signed PDF, by keyboard alone."""

import io
import math
import re
import urllib.request
from datetime import UTC, datetime
from pathlib import Path

from playwright.sync_api import Page, expect
from pypdf import PdfReader

from tests.e2e.conftest import Server, Visit, choose_instrument
from tests.e2e.test_writing import begin, press_on, section, write

WHEELBASE, TRACK, HUB, BEAM, FACE, DISTANCE, HEIGHT = 3642, 1816, 344, 2226, 83.5, 104.375 * 25.4, 1419
NEXT = ".next-sentence"
MAKERS_PAGE = """Brezo Lanzadera, long wheelbase, one lens: camera behind the windscreen, after a new windscreen.
Board VT-A, side A to the vehicle, arrow up, on both hooks. Page 3 of 9, made-up figures for practice.
From the front hub centres to the board's face 104 3/8 in, within 3/16 in. Board centred, within 4 mm.
Its centre 141.9 cm above the plane of the tyres, within 4 mm. Square to the thrust line within 15'.
Tyres at most 2.1 mm of tread apart across an axle.
"""
SHEET = "Brezo Lanzadera, minibus, long wheelbase, one-lens camera: BL-CAM-21"
READY = {
    "Thrust angle on the printout": "0",
    "Load aboard": "0",
    "Battery voltage": "13.2",
    **dict.fromkeys((f"{c} tread depth" for c in ("LF", "RF", "LR", "RR")), "6.1"),
    **dict.fromkeys((f"How full: {what}" for what in ("fuel tank", "exhaust additive", "washer fluid")), "100"),
    **dict.fromkeys((f"{side} front camber" for side in ("Left", "Right")), "24'"),
    **dict.fromkeys((f"{side} rear camber" for side in ("Left", "Right")), "0.9"),
}
"""What the printout, the gauges and the vehicle show."""


class Bay:
    """The true frame of the journey: where it stands, and what a tape to it shows."""

    def __init__(self) -> None:
        self.away, self.left, self.yaw = 9.0, 6.0, 0.42

    def tape(self, hub: str, end: str) -> float:
        hx, hy = WHEELBASE if hub[1] == "F" else 0, TRACK / 2 if hub[0] == "L" else -TRACK / 2
        side = BEAM / 2 if end == "LF" else -BEAM / 2
        turn = math.radians(self.yaw)
        x = WHEELBASE + DISTANCE + FACE + self.away - side * math.sin(turn)
        y = self.left + side * math.cos(turn)
        return math.sqrt((x - hx) ** 2 + (y - hy) ** 2 + 210**2)

    def reading(self, label: str) -> str:
        tape = re.fullmatch(r"(\w\w) hub to (left|right) end", label)
        if tape:
            return f"{self.tape(tape[1], 'LF' if tape[2] == 'left' else 'RF'):.0f}"
        if "laser" in label:
            return f"{-self.left:.1f}"
        if label in READY:
            return READY[label]
        if "pressure" in label:
            return "3.73 bar" if label[1] == "F" else "418"
        if "arch" in label:
            return {"LF": "712", "RF": "71.3 cm", "LR": "0,724 m", "RR": "723"}[label[:2]]
        if "hub above" in label:
            return str(HUB)
        if "end above" in label:
            return str(HUB + 210)
        if "Target centre" in label:
            return str(HEIGHT)
        if "centre mark" in label:
            return "1200"
        pair = re.search(r"(headlamp|bonnet|tail-lamp|door).*: (left|right)", label)
        if pair:
            reach = 840 if pair[1] in ("headlamp", "tail-lamp") else 650
            return str(1200 + (reach if pair[2] == "left" else -reach))
        return {"Along the beam": "0.05", "Square to the beam": "0.03"}.get(label, "0.1")

    def obey(self, sentence: str) -> None:
        turns = re.match(r"Turn the yaw screw at the left end ([\d.]+) .*?turns? (clockwise|anticlockwise)|$", sentence)
        amount = re.search(r"([\d.]+)\u202fmm", sentence)
        if turns and turns[1]:
            self.yaw += float(turns[1]) * 0.35 * (1 if turns[2] == "clockwise" else -1)
        elif sentence.startswith("Shift the frame") and amount:
            self.left += float(amount[1]) * (1 if "left" in sentence else -1)
        elif sentence.startswith("Push the frame") and amount:
            self.away += float(amount[1]) * (1 if "away" in sentence else -1)
        else:
            raise AssertionError(f"a move that nobody can make: {sentence}")


def settled(page: Page, act: str) -> None:
    """Press a key and wait for the answer that redraws the sheet."""
    before = page.locator("#sheet").get_attribute("data-count")
    page.keyboard.press(act)
    expect(page.locator("#sheet")).not_to_have_attribute("data-count", before or "")


def work(page: Page, bay: Bay, most: int = 170) -> int:
    """Answer whatever the sheet asks until it can be signed; returns how many moves were made."""
    moves = 0
    for _ in range(most):
        sentence = page.locator(NEXT).inner_text()
        if sentence.startswith("Everything is settled"):
            return moves
        if page.locator("[data-key=r]").count():
            settled(page, "r")
            continue
        control = page.locator("[data-key=m]")
        if control.count():
            bay.obey(sentence)
            moves += 1
            settled(page, "m")
            continue
        go = page.locator(".foot-right a[data-swap]")
        field = page.locator("[data-field]").first
        if page.locator(".check[data-open]").get_attribute("data-state") == "holds" and go.count():
            go.click()
            page.wait_for_load_state("networkidle")
            field = page.locator("[data-field]").first
        expect(field).to_be_focused()
        label = page.locator(".entry-label").inner_text()
        if field.evaluate("node => node.tagName") == "BUTTON":
            settled(page, "Enter")
        elif "mark printed" in label:
            page.keyboard.type("vt-a 61")
            settled(page, "Enter")
        elif label == "Which day is the printout from?":
            page.keyboard.type(datetime.now(UTC).strftime("%m%d%Y"))
            settled(page, "Enter")
        else:
            choose_instrument(page)
            page.keyboard.type(bay.reading(label))
            if page.locator(".words").count():
                page.keyboard.press("Tab")
                page.keyboard.press("Tab")
                page.keyboard.press("Space")
                if "camber" in label:
                    page.keyboard.press("ArrowRight")
            settled(page, "Enter")
    raise AssertionError(f"not settled after {most} steps: {page.locator(NEXT).inner_text()}")


def written_here(page: Page, other: Page, file: Path) -> None:
    """The maker's page typed into a copy, checked as a whole, looked over by somebody else and released."""
    begin(page, "BL-CAM-21", "BL-CAM-01")
    file.write_text(MAKERS_PAGE)
    page.set_input_files("#file", file)
    press_on(page, "Lay beside")
    expect(page.locator(".makers-text")).to_contain_text("104 3/8 in")
    write(page, document_="Practice handbook", page_="3", day_="2026-11-20")
    write(page, title="Windscreen camera, board at 104 inches", distance="104 3/8 in", height="141.9 cm")
    press_on(page, "Save")
    expect(page.locator("#distance")).to_contain_text("Practice handbook, page 3")
    section(page, "checks")
    for check in ("distance", "target_height", "tyres", "square"):
        if page.locator(f"[id='checks.{check}']").get_attribute("open") is None:
            page.locator(f"[id='checks.{check}'] > summary").focus()
            page.keyboard.press("Enter")
    write(page, checks__tyres__tread_difference="2.1 mm", checks__target_height__limits__nominal="141.9 cm")
    write(page, checks__square__limits__minus="15'", checks__square__limits__plus="15'")
    write(page, checks__distance__limits__nominal="104 3/8 in", checks__distance__limits__minus="3/16 in")
    write(page, checks__distance__limits__plus="3/16 in")
    press_on(page, "Save")
    page.reload()
    expect(page.locator("#entry-side [data-wrong]")).to_have_attribute("data-wrong", "0")
    press_on(page, "Check and release")
    press_on(page, "Check the whole")
    expect(page.locator("[data-rehearsed]")).to_have_attribute("data-rehearsed", "signed")
    expect(page.locator("[data-refused]")).to_have_attribute("data-refused", "0")
    press_on(page, "I looked over all of it")
    expect(page.locator("[role=alert]")).to_contain_text("Who typed it does not look it over alone")
    other.goto(page.url.removesuffix("life") + "check")
    press_on(other, "I looked over all of it")
    press_on(other, "Release")
    expect(other.locator(".life")).to_contain_text("released revision 1")


def test_from_a_makers_page_to_the_signed_pdf(server: Server, visit: Visit, tmp_path: Path) -> None:
    page = visit(server, "/write")
    other = visit(server, "/catalogue", person="ines")
    written_here(page, other, tmp_path / "handbook-3.txt")
    page.goto(server.url + "/jobs/new")
    expect(page.locator("#number")).to_be_focused()
    page.keyboard.type("W-2041")
    page.keyboard.press("Tab")
    page.keyboard.type("zz9bl09c3rv000917")
    expect(page.locator("#vin-remark")).to_contain_text("check digit")
    for text in ("VH 0931", "184310", "School line", "Calle del Molino 14", "windscreen replaced"):
        page.keyboard.press("Tab")
        page.keyboard.type(text)
    for text in ("Brezo Lanz", SHEET):
        page.keyboard.press("Tab")
        page.keyboard.type(text)
    for _ in range(3):
        page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/jobs/[0-9a-f]{12}"))

    bay = Bay()
    assert 1 <= work(page, bay) <= 6
    assert abs(bay.yaw) < 0.25
    assert abs(bay.left) < 4
    assert abs(bay.away) < 5

    page.locator(".foot-right button", has_text="Sign").focus()
    page.keyboard.press("Enter")
    expect(page.locator(NEXT)).to_have_text("The calibration is signed.")
    address = page.locator("a", has_text="Record PDF").get_attribute("href") or ""
    with urllib.request.urlopen(server.url + address) as answer:
        first = answer.read()
    text = "".join(sheet.extract_text() for sheet in PdfReader(io.BytesIO(first)).pages)
    told = ("W-2041", "BL-CAM-21", "made-up figures: practice only", "LF hub to left end", "Teo Marchena")
    for wanted in (*told, "head of the log"):
        assert wanted in text
    with urllib.request.urlopen(server.url + address) as answer:
        assert answer.read() == first
    expect(page.locator("[data-field]")).to_have_count(0)
