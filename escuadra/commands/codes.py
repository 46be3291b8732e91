"""Fault codes frozen before and after the work, and what was cleared between."""

import subprocess
import sys
from collections.abc import Sequence
from dataclasses import dataclass

from escuadra.commands import read_pdf
from escuadra.commands.command import Context
from escuadra.commands.entries import reasoned
from escuadra.commands.forms import Whole
from escuadra.commands.vehicle import reencoded
from escuadra.commands.whole import Told, WholeVisitCommand
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.given import readable
from escuadra.core.base.said import said
from escuadra.core.visit.codes import before, naming
from escuadra.core.visit.log.codes import CodesCleared, CodesFrozen, UnitRead
from escuadra.core.visit.log.reducer import VEHICLE
from escuadra.core.visit.log.whole import WorkTold

LARGEST_FILE = 20_000_000
REPORT = "report"
"""The unit of codes that a report does not say the unit of."""
STATES = ("active", "stored", "pending")


@dataclass(frozen=True)
class FreezeCodes(WholeVisitCommand):
    """The codes before the work, once; or those after it, as often as they are read again."""

    snapshot: CodesFrozen

    @property
    def when_released(self) -> bool:
        """Codes are read once more when a drive that was open comes back."""
        return self.snapshot.when == "after"

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The snapshot; what it names is to be looked at, as what was done is. Raises ``Conflict`` out of order."""
        first = before(whole.state.codes)
        if self.snapshot.when == "before" and first is not None:
            raise Conflict(said("jobs.codes.before_is_frozen"))
        if self.snapshot.when == "after" and first is None:
            raise Conflict(said("jobs.codes.before_first"))
        if self.snapshot.source == "not_read":
            reasoned(self.snapshot.why)
        model, work = context.house.model_of(whole), whole.state.work or WorkTold()
        named = naming(model, self.snapshot) if self.snapshot.when == "before" else []
        more = [code for code in named if code not in work.codes]
        found: list[Told] = [(VEHICLE, self.snapshot)]
        if more:
            found.append((VEHICLE, work.model_copy(update={"codes": [*work.codes, *more]})))
        return found


@dataclass(frozen=True)
class AttachCodes(WholeVisitCommand):
    """A file that holds the codes: PDF, picture or CSV; it is kept by its content and never run."""

    when: str
    name: str
    digest: str
    codes: tuple[tuple[str, str], ...] = ()
    """Codes with their states that a person accepted of its text."""
    vin: str = ""
    software: str = ""

    @property
    def when_released(self) -> bool:
        """As any codes after the work."""
        return self.when == "after"

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """The snapshot with the file, and what was accepted of it; raises ``BadInput`` for a file that is not kept."""
        context.house.files.get(self.digest)
        units = [UnitRead.read({"unit": REPORT, "codes": [{"code": c, "state": s} for c, s in self.codes]})]
        told = {"when": self.when, "source": "file", "attached": self.digest, "name": self.name[:120]}
        read = {"units": units if self.codes else [], "vin": self.vin[:40], "software": self.software[:80]}
        return FreezeCodes(self.visit, CodesFrozen.read({**told, **read})).say(context, whole)


@dataclass(frozen=True)
class ClearCodes(WholeVisitCommand):
    """Codes were cleared in these units; refused before the snapshot before the work is frozen."""

    units: tuple[str, ...]
    why: str

    def say(self, context: Context, whole: Whole) -> Sequence[Told]:
        """That they were cleared."""
        return [(VEHICLE, may_clear(whole, self.units, self.why))]


def may_clear(whole: Whole, units: Sequence[str], why: str) -> CodesCleared:
    """What would be recorded of it: asked before anything is cleared, so that nothing is cleared without a record.

    Raises ``Conflict`` while nothing may be cleared yet, ``BadInput`` for no unit or no reason.
    """
    if before(whole.state.codes) is None:
        raise Conflict(said("jobs.codes.before_first"))
    if not units:
        raise BadInput("unit", "", said("wants.unit_to_clear"))
    return CodesCleared(units=list(units), why=reasoned(why))


def typed_codes(text: str) -> list[UnitRead]:
    """Units with their codes as they are typed: ``UNIT; CODE; STATE; TEXT`` a line; a unit alone has none.

    Raises ``BadInput`` for a line that is not so.
    """
    units: dict[str, list[dict[str, str]]] = {}
    for line in text.splitlines():
        unit, code, state, what = ([part.strip() for part in line.split(";", 3)] + ["", "", "", ""])[:4]
        if not unit:
            continue
        units.setdefault(unit, [])
        if code:
            if (state or "active") not in STATES:
                raise BadInput("codes", line, said("wants.code_line"))
            units[unit].append({"code": code, "state": state or "active", "text": what})
    return [UnitRead.read({"unit": unit, "codes": codes}) for unit, codes in units.items()]


def text_of(content: bytes) -> str:
    """The text of a file that was checked; empty for a picture, and for a PDF that holds none or cannot be read."""
    if content.startswith(b"%PDF-"):
        program = [sys.executable, "-I", read_pdf.__file__]
        try:
            run = subprocess.run(program, input=content, capture_output=True, timeout=40, check=False)
        except subprocess.TimeoutExpired:
            return ""
        return run.stdout.decode("utf-8", "replace") if run.returncode == 0 else ""
    return "" if content[:3] == b"\xff\xd8\xff" else content.decode("utf-8", "replace")


def checked(content: bytes) -> bytes:
    """A file as it may be kept: a whole PDF, text as UTF-8, or a picture made anew; raises ``BadInput``."""
    if len(content) > LARGEST_FILE:
        raise BadInput("file", said("jobs.vehicle.bytes", content=len(content)), said("wants.attached_file"))
    if content.startswith(b"%PDF-"):
        if b"%%EOF" not in content[-2048:]:
            raise BadInput("file", said("jobs.codes.broken_pdf"), said("wants.attached_file"))
        return content
    if content[:3] == b"\xff\xd8\xff" or content[:8] == b"\x89PNG\r\n\x1a\n" or content[8:12] == b"WEBP":
        return reencoded(content)[0]
    try:
        return readable(content.decode("utf-8-sig"), "file").encode()
    except (UnicodeDecodeError, BadInput) as error:
        raise BadInput("file", said("jobs.codes.other_file"), said("wants.attached_file")) from error
