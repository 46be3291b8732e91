"""What is brought to a job about its vehicle: photos, the printout as a file, a figure overridden on the spot."""

import re
import subprocess
import sys
import threading
from collections.abc import Sequence
from dataclasses import dataclass, field

from escuadra.core.errors import BadInput, Busy
from escuadra.core.given import table
from escuadra.core.job.checks.wheels import CAMBER_WORDS, TOE_WORDS
from escuadra.core.job.disturbance import owner_of
from escuadra.core.job.events import FigureChanged, Photographed
from escuadra.core.job.figures import with_changes
from escuadra.core.job.places import THRUST_WORDS
from escuadra.core.model import Frozen
from escuadra.jobs import reencode
from escuadra.jobs.command import Context, Saying, VisitCommand, of_owner
from escuadra.jobs.entries import Answer, reasoned
from escuadra.jobs.forms import Opened
from escuadra.jobs.reading import TakeReading

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


@dataclass(frozen=True)
class Photograph(VisitCommand):
    """A photo kept with a place of the sheet."""

    slot: str
    name: str
    content: bytes = field(repr=False)

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """Which file it is, of the part that its slot is of."""
        view = opened.sheet.slots.get(self.slot)
        if view is None or not view.slot.photos:
            raise BadInput("slot", self.slot or "nothing", "a place of this sheet that takes photos")
        plain, width, height = reencoded(self.content)
        digest = context.house.files.put(plain)
        said = Photographed(slot=self.slot, digest=digest, width=width, height=height, name=self.name[:120])
        return [Saying(said, of_owner(opened, owner_of(view.slot.aspects)))]


@dataclass(frozen=True)
class TakePrintout(VisitCommand):
    """An alignment printout from CSV with the columns figure, before and after (degrees): all of it, or nothing."""

    text: str
    day: str
    signs: Signs

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The day, and each figure as a reading; raises for a line that is refused."""
        sheet, wanted = opened.sheet, self.figures(opened)
        tool = context.house.tools(sheet.slots[wanted[0][0]].slot)[0].id
        said: list[Saying] = []
        if self.day.strip():
            said += Answer(self.visit, "printed.day", self.day).say(context, opened)
        for slot, figure, word in wanted:
            replaces = bool(sheet.slots[slot].now)
            said += TakeReading(self.visit, slot, figure, tool, word, replaces, figure).say(context, opened)
        return said

    def figures(self, opened: Opened) -> list[tuple[str, str, str]]:
        """Slot, figure and direction of whatever it says that the sheet asks for; raises ``BadInput``."""
        slots, rows = opened.sheet.slots, table(self.text, "file")
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
            own = ROWS[name.lower()]
            for slot, cell in ((own[1], before), (own[0], after)):
                if cell and slot in slots:
                    figure, word = _degrees(cell, f"line {k}", self.signs, own[2])
                    quantity = slots[slot].slot.quantity
                    if quantity is not None and float(figure.removesuffix("°")) > quantity.high:
                        most = f"at most {quantity.high:g}° for the {name.lower()}"
                        raise BadInput("file", f"line {k}: {cell}", most)
                    wanted.append((slot, figure, word))
        if not wanted:
            raise BadInput("file", f"{len(rows) - 1} lines", "at least one figure that this sheet asks for")
        return wanted


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


@dataclass(frozen=True)
class ChangeFigure(VisitCommand):
    """A specification figure overridden on the spot, with a reason; the pinned sheet stays as it is."""

    asked: ChangeAsked

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """The change, of the calibration."""
        plan, asked = opened.sheet.plan.whole, self.asked
        every = [figure for at in (plan, *plan.at_stations.values()) for figure in at.figures]
        figure = next((f for f in every if f.path == asked.path), None)
        if figure is None:
            raise BadInput("path", asked.path or "nothing", "a figure of this sheet")
        text = asked.typed.strip().replace(",", ".").replace("−", "-")
        if not re.fullmatch(r"-?\d{1,6}(\.\d+)?", text):
            raise BadInput("value", asked.typed or "nothing", "a plain figure in the sheet's own unit, such as 2640")
        reason = reasoned(asked.reason)
        said = FigureChanged(path=asked.path, before=figure.value, value=float(text), reason=reason)
        with_changes(plan.procedure, [said])
        return [Saying(said, of_owner(opened, "calibration"))]
