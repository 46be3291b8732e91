"""A job taken in and brought to a signed PDF by keyboard alone, as a technician would."""

import io
import math
import re
import urllib.request
from datetime import UTC, datetime

from playwright.sync_api import Page, expect
from pypdf import PdfReader

from tests.e2e.conftest import Server, Visit, choose_instrument

WHEELBASE, TRACK, HUB, BEAM, FACE, DISTANCE, HEIGHT = 3642, 1816, 344, 2226, 83.5, 2640, 1417
NEXT = ".next-sentence"
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


def test_from_taking_in_to_the_signed_pdf(server: Server, visit: Visit) -> None:
    page = visit(server, "/jobs/new")
    page.keyboard.type("W-2041")
    page.keyboard.press("Tab")
    page.keyboard.type("zz9bl09c3rv000917")
    expect(page.locator("#vin-remark")).to_contain_text("check digit")
    for text in ("VH 0931", "184310", "School line", "Calle del Molino 14", "windscreen replaced"):
        page.keyboard.press("Tab")
        page.keyboard.type(text)
    for _ in range(2):
        page.keyboard.press("Tab")
        page.keyboard.type("Brezo Lanz")
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
    for wanted in ("W-2041", "made-up figures: practice only", "LF hub to left end", "Teo Marchena", "head of the log"):
        assert wanted in text
    with urllib.request.urlopen(server.url + address) as answer:
        assert answer.read() == first
    expect(page.locator("[data-field]")).to_have_count(0)
