"""What is brought to a job about its vehicle: photos, the printout as a file, a figure overridden on the spot."""

import re
import subprocess
import sys
import threading
from collections.abc import Sequence
from dataclasses import dataclass, field

from escuadra.commands import reencode
from escuadra.commands.command import Context, Saying, VisitCommand, of_owner
from escuadra.commands.entries import Answer, reasoned
from escuadra.commands.forms import Opened
from escuadra.commands.reading import SIGNS, TakeReading
from escuadra.core.base.errors import BadInput, Busy
from escuadra.core.base.given import decimal, figure, table
from escuadra.core.base.model import Frozen
from escuadra.core.base.said import Angle, Way, exact, nouns, said
from escuadra.core.visit.figures import with_changes
from escuadra.core.visit.log.disturbances import owner_of
from escuadra.core.visit.log.events import FigureChanged, Photographed

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
KINDS = ("toe", "camber", "thrust")
"""Axes of the printout's figures."""


@dataclass(frozen=True)
class Signs:
    """What a plain figure means on this printout, ``plus`` or ``minus`` of its axis; a minus is then the other."""

    toe: str
    camber: str
    thrust: str

    def word(self, kind: str, negative: bool) -> str:
        """The direction of a figure; raises ``BadInput`` where the sign's meaning was not answered."""
        meant = str(getattr(self, kind))
        if meant not in SIGNS:
            ways = nouns((Way(kind, True), Way(kind, False)), "or")
            raise BadInput(kind, meant, said("wants.figure_without_minus_means", ways=ways))
        return SIGNS[1 - SIGNS.index(meant)] if negative else meant


def reencoded(content: bytes) -> tuple[bytes, int, int]:
    """A photo as a plain JPEG, upright, no longer side than 2000 pixels, and nothing beside the picture.

    Width and height come with it; raises ``BadInput`` for what is no picture, or a larger one than 50 megapixels, and
    ``Busy`` where others' pictures take too long.
    """
    if len(content) > LARGEST_PHOTO:
        raise BadInput(
            "photo",
            said("jobs.vehicle.bytes", content=len(content)),
            said("wants.picture_most_mb", largest_photo=LARGEST_PHOTO // 1000000),
        )
    if not ONE_AT_A_TIME.acquire(timeout=PATIENCE_S):
        raise Busy(said("jobs.vehicle.other_pictures_being_read_nothing"))
    try:
        run = subprocess.run([sys.executable, "-I", reencode.__file__], input=content, capture_output=True, timeout=60)
    except subprocess.TimeoutExpired as error:
        raise BadInput(
            "photo", said("jobs.vehicle.picture_takes_too_long_read"), said("wants.jpeg_png_or_webp_picture")
        ) from error
    finally:
        ONE_AT_A_TIME.release()
    told = run.stderr.decode(errors="replace").split() or [""]
    if run.returncode != 0:
        raise _refused(told if run.returncode == 2 else [""])
    width, height = told[-2:]
    return run.stdout, int(width), int(height)


def _refused(told: list[str]) -> BadInput:
    """What ``reencode`` said is wrong with a picture."""
    match told:
        case ["pixels", width, height]:
            wanted = said("wants.picture_most_megapixels", most=reencode.MOST_PIXELS // 1_000_000)
            return BadInput("photo", said("jobs.vehicle.pixels", width=width, height=height), wanted)
        case ["no_picture"]:
            return BadInput("photo", said("jobs.vehicle.file_no_picture"), said("wants.jpeg_png_or_webp_picture"))
        case ["unreadable", *why]:
            given = said("jobs.vehicle.picture_cannot_be_read", why=" ".join(why))
            return BadInput("photo", given, said("wants.whole_picture"))
    return BadInput("photo", said("jobs.vehicle.picture_cannot_read"), said("wants.jpeg_png_or_webp_picture"))


@dataclass(frozen=True)
class Photograph(VisitCommand):
    """A photo kept with a place of the sheet."""

    slot: str
    name: str
    content: bytes = field(repr=False)

    @property
    def once_confirmed(self) -> bool:
        """It changes nothing of how things stand."""
        return True

    def once_run(self, opened: Opened) -> bool:
        """Nor of what was run."""
        return True

    def say(self, context: Context, opened: Opened) -> Sequence[Saying]:
        """Which file it is, of the part that its slot is of."""
        view = opened.sheet.slots.get(self.slot)
        if view is None:
            raise BadInput("slot", self.slot, said("wants.place_sheet_takes_photos"))
        plain, width, height = reencoded(self.content)
        digest = context.house.files.put(plain)
        told = Photographed(slot=self.slot, digest=digest, width=width, height=height, name=self.name[:120])
        return [Saying(told, of_owner(opened, owner_of(view.slot.aspects)))]


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
        for slot, typed, word in wanted:
            replaces = bool(sheet.slots[slot].now)
            said += TakeReading(self.visit, slot, typed, tool, word, replaces, typed).say(context, opened)
        return said

    def figures(self, opened: Opened) -> list[tuple[str, str, str]]:
        """Slot, figure and direction of whatever it says that the sheet asks for; raises ``BadInput``."""
        slots, rows = opened.sheet.slots, table(self.text, "file")
        head = [cell.strip().lower() for cell in rows[0][1]] if rows else []
        if head != ["figure", "before", "after"]:
            raise BadInput("file", ", ".join(head), said("wants.columns_figure_before_after"))
        wanted: list[tuple[str, str, str]] = []
        for k, row in rows[1:]:
            name, before, after = (cell.strip() for cell in [*row, "", "", ""][:3])
            if not name:
                continue
            if name.lower() not in ROWS:
                raise BadInput(
                    "file", said("jobs.vehicle.line", k=k, name=name), said("wants.one", names=nouns(ROWS, "comma"))
                )
            own = ROWS[name.lower()]
            for slot, cell in ((own[1], before), (own[0], after)):
                if cell and slot in slots:
                    figure, word = _degrees(cell, k, self.signs, own[2])
                    quantity = slots[slot].slot.quantity
                    if quantity is not None and float(figure.removesuffix("°")) > quantity.high:
                        most = said("jobs.vehicle.most", high=exact(Angle, quantity.high), name=name.lower())
                        raise BadInput("file", said("jobs.vehicle.line_3", k=k, cell=cell), most)
                    wanted.append((slot, figure, word))
        if not wanted:
            raise BadInput(
                "file", said("jobs.vehicle.lines", rows=len(rows) - 1), said("wants.least_one_figure_sheet_asks")
            )
        return wanted


def _degrees(cell: str, line: int, signs: Signs, kind: str) -> tuple[str, str]:
    """A cell's amount and its direction in words."""
    found = re.fullmatch(r"([-−+]?)\s*(\d{1,2}(?:[.,]\d+)?)\s*°?", cell)
    if found is None:
        raise BadInput("file", said("jobs.vehicle.line_3", k=line, cell=cell), said("wants.degrees_such_0_12_or"))
    return decimal(found[2]) + "°", signs.word(kind, found[1] in ("-", "−"))


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
        before = next((f.value for f in every if f.path == asked.path), None)
        if before is None:
            raise BadInput("path", asked.path, said("wants.figure_sheet"))
        value = figure(asked.typed, "value", said("wants.plain_figure_sheets_own_unit"), -1e6, 1e6)
        reason = reasoned(asked.reason)
        told = FigureChanged(path=asked.path, before=before, value=value, reason=reason)
        with_changes(plan.procedure, [told])
        return [Saying(told, of_owner(opened, "calibration"))]
