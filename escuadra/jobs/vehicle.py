"""What is brought to a job about its vehicle: photos, the printout as a file, a figure overridden on the spot."""

import re
import subprocess
import sys
import threading
from dataclasses import dataclass

from escuadra.core.errors import BadInput, Busy
from escuadra.core.given import table
from escuadra.core.job.checks.wheels import CAMBER_WORDS, TOE_WORDS
from escuadra.core.job.events import FigureChanged, Photographed
from escuadra.core.job.figures import with_changes
from escuadra.core.job.places import THRUST_WORDS
from escuadra.core.model import Frozen
from escuadra.jobs import entries, reading, reencode
from escuadra.jobs.forms import Opened
from escuadra.jobs.garage import Garage

LARGEST_PHOTO = 18_000_000
ONE_AT_A_TIME = threading.Lock()
PATIENCE_S = 20.0
ROWS: dict[str, tuple[str, str, str]] = {
    "left front toe": ("toe.LF", "before.toe.LF", "toe"),
    "right front toe": ("toe.RF", "before.toe.RF", "toe"),
    "left rear toe": ("toe.left", "before.toe.LR", "toe"),
    "right rear toe": ("toe.right", "before.toe.RR", "toe"),
    "left front camber": ("camber.LF", "", "camber"),
    "right front camber": ("camber.RF", "", "camber"),
    "left rear camber": ("camber.LR", "", "camber"),
    "right rear camber": ("camber.RR", "", "camber"),
    "thrust angle": ("printed.thrust", "before.thrust", "thrust"),
}
"""A line of the file: its slot after adjustment, before it, and whose sign it carries."""
WORDS = {"toe": TOE_WORDS, "camber": CAMBER_WORDS, "thrust": THRUST_WORDS}
"""What a figure without a minus may mean."""


@dataclass(frozen=True)
class Signs:
    """What a plain figure means on this printout, in words; a minus is then the other."""

    toe: str
    camber: str
    thrust: str

    def word(self, kind: str, negative: bool) -> str:
        """The direction of a figure; raises ``BadInput`` where the sign's meaning was not answered."""
        meant, words = getattr(self, kind), WORDS[kind]
        if meant not in words:
            raise BadInput(kind, meant or "no answer", f"what a figure without a minus means: {' or '.join(words)}")
        return words[1 - words.index(meant)] if negative else str(meant)


def reencoded(content: bytes) -> tuple[bytes, int, int]:
    """A photo as a plain JPEG, upright, no longer side than 2000 pixels, and nothing beside the picture.

    Width and height come with it; raises ``BadInput`` for what is no picture, or a larger one than 50 megapixels, and
    ``Busy`` where others' pictures take too long.
    """
    if len(content) > LARGEST_PHOTO:
        raise BadInput("photo", f"{len(content)} bytes", f"a picture of at most {LARGEST_PHOTO // 1_000_000} MB")
    if not ONE_AT_A_TIME.acquire(timeout=PATIENCE_S):
        raise Busy("Other pictures are being read. Nothing was kept: give it again in a moment.")
    try:
        run = subprocess.run([sys.executable, "-I", reencode.__file__], input=content, capture_output=True, timeout=60)
    except subprocess.TimeoutExpired as error:
        raise BadInput("photo", "a picture that takes too long to read", "a JPEG, PNG or WebP picture") from error
    finally:
        ONE_AT_A_TIME.release()
    said = run.stderr.decode(errors="replace").strip().splitlines()
    if run.returncode != 0:
        refused = run.returncode == 2 and len(said) == 2
        given, accepted = said if refused else ("a picture that cannot be read", "a JPEG, PNG or WebP picture")
        raise BadInput("photo", given, accepted)
    width, height = said[-1].split()
    return run.stdout, int(width), int(height)


def photograph(garage: Garage, job: str, slot: str, name: str, content: bytes, person: str, key: str) -> Opened:
    """Keep a photo with a place of the sheet."""
    view = garage.open(job).sheet.slots.get(slot)
    if view is None or not view.slot.photos:
        raise BadInput("slot", slot or "nothing", "a place of this sheet that takes photos")
    garage.person(person)
    plain, width, height = reencoded(content)
    said = Photographed(slot=slot, digest=garage.files.put(plain), width=width, height=height, name=name[:120])
    return garage.append(job, person, key, lambda _state, _sheet: said)


def take_printout(garage: Garage, job: str, text: str, day: str, signs: Signs, person: str, key: str) -> int:
    """Read an alignment printout from CSV with the columns figure, before and after (degrees); how many were taken.

    Nothing is recorded where a line is refused.
    """
    sheet = garage.open(job).sheet
    rows = table(text, "file")
    head = [cell.strip().lower() for cell in rows[0][1]] if rows else []
    if head != ["figure", "before", "after"]:
        raise BadInput("file", ", ".join(head) or "nothing", "the columns figure, before and after")
    wanted: list[tuple[str, str, str]] = []
    for k, row in rows[1:]:
        name, before, after = (cell.strip() for cell in [*row, "", "", ""][:3])
        if not name:
            continue
        if name.lower() not in ROWS:
            raise BadInput("file", f"line {k}: {name}", f"one of {', '.join(ROWS)}")
        slots = ROWS[name.lower()]
        for slot, cell in ((slots[1], before), (slots[0], after)):
            if cell and slot in sheet.slots:
                figure, word = _degrees(cell, f"line {k}", signs, slots[2])
                quantity = sheet.slots[slot].slot.quantity
                if quantity is not None and float(figure.removesuffix("°")) > quantity.high:
                    raise BadInput("file", f"line {k}: {cell}", f"at most {quantity.high:g}° for the {name.lower()}")
                wanted.append((slot, figure, word))
    if not wanted:
        raise BadInput("file", f"{len(rows) - 1} lines", "at least one figure that this sheet asks for")
    tool = garage.tools(sheet.slots[wanted[0][0]].slot)[0].id
    if day.strip():
        entries.answer(garage, job, "printed.day", day, person, f"{key}-day")
    for slot, figure, word in wanted:
        replaces = bool(sheet.slots[slot].now)
        reading.record(garage, job, slot, figure, tool, person, f"{key}-{slot}", word, replaces, understood=figure)
    return len(wanted)


def _degrees(cell: str, line: str, signs: Signs, kind: str) -> tuple[str, str]:
    """A cell's amount and its direction in words."""
    found = re.fullmatch(r"([-−+]?)\s*(\d{1,2}(?:[.,]\d+)?)\s*°?", cell)
    if found is None:
        raise BadInput("file", f"{line}: {cell}", "degrees such as 0.12 or −0,05")
    return found[2].replace(",", ".") + "°", signs.word(kind, found[1] in ("-", "−"))


class ChangeAsked(Frozen):
    """A figure to be overridden, as typed."""

    path: str
    typed: str
    reason: str


def change_figure(garage: Garage, job: str, asked: ChangeAsked, person: str, key: str) -> Opened:
    """Override a specification figure on the spot, with a reason; the pinned sheet stays as it is."""
    plan = garage.open(job).sheet.plan.whole
    figure = next((f for at in (plan, *plan.at_stations.values()) for f in at.figures if f.path == asked.path), None)
    if figure is None:
        raise BadInput("path", asked.path or "nothing", "a figure of this sheet")
    text = asked.typed.strip().replace(",", ".").replace("−", "-")
    if not re.fullmatch(r"-?\d{1,6}(\.\d+)?", text):
        raise BadInput("value", asked.typed or "nothing", "a plain figure in the sheet's own unit, such as 2640")
    if len(re.findall(r"\w", asked.reason)) < 10:
        raise BadInput("reason", asked.reason or "nothing", "a reason in words, at least ten letters")
    said = FigureChanged(path=asked.path, before=figure.value, value=float(text), reason=asked.reason.strip()[:500])
    with_changes(plan.procedure, [said])
    return garage.append(job, person, key, lambda _state, _sheet: said)
