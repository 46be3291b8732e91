"""The garage's instruments: their register, their self-checks, and what a doubted one does to the jobs.

An instrument of the catalogue is on the shelf until its own history says otherwise; whatever happens to it is
appended to that history. A drop, a failed check or a check that is too old is told to every open job that relied on it.
"""

import math
import uuid
from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date

from escuadra.catalogue import Catalogue
from escuadra.core.errors import BadInput, Conflict
from escuadra.core.guided import CHECKS
from escuadra.core.house import instrument_stream
from escuadra.core.job.events import Doubted
from escuadra.core.job.mechanics import Mechanics
from escuadra.core.quantities import Dimension
from escuadra.core.readings import Instrument
from escuadra.core.register import (
    Checked,
    Documented,
    Doubt,
    Dropped,
    Entered,
    Given,
    History,
    Learned,
    Retired,
    Said,
    Trusted,
    fold_history,
)
from escuadra.core.selfcheck import Found, SelfCheck, judged
from escuadra.core.stream import ITSELF, Event, Person, canonical
from escuadra.core.tool import Tool
from escuadra.jobs.register_files import from_csv, from_json, to_csv, to_json
from escuadra.store import FileStore, Row, Store
from escuadra.store.log import Log

LARGEST_DOCUMENT = 8_000_000
MEDIA = {b"%PDF": "application/pdf", b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg"}
"""What a document may be, by its first bytes."""


class Instruments:
    """The register on a store."""

    def __init__(
        self,
        store: Store,
        files: FileStore,
        catalogue: Catalogue,
        today: Callable[[], str],
        person: Callable[[str], Person],
        doubt: Callable[[Log, Doubted, Person, str], list[Row]],
        announce: Callable[[Row], None],
    ) -> None:
        self.store, self.files, self.catalogue = store, files, catalogue
        self.person, self._doubt, self._announce = person, doubt, announce
        self._today = today
        self._kept: tuple[object, dict[str, History]] = (None, {})

    def today(self) -> date:
        """The garage's day."""
        return date.fromisoformat(self._today())

    # --- looking

    def every(self) -> dict[str, History]:
        """All instruments by id: those of the catalogue and those entered here."""
        told = self.store.instruments()
        counts = {id: len(events) for id, events in told.items()}
        if self._kept[0] != counts:
            found = {e.id: History(e.content) for e in self.catalogue.all("tool")}
            for id, events in told.items():
                shelf = found.get(id)
                history = fold_history(shelf or _first_sheet(id, events), events)
                if shelf is not None and shelf.tool.revision > history.tool.revision:
                    history = replace(history, tool=shelf.tool)
                found[id] = history
            self._kept = (counts, dict(sorted(found.items())))
        return self._kept[1]

    def shelf(self) -> list[History]:
        """Those in use."""
        return [h for h in self.every().values() if not h.retired]

    def one(self, id: str) -> History:
        """An instrument; raises ``BadInput`` for an unknown one."""
        found = self.every().get(id)
        if found is None:
            raise BadInput("instrument", id or "nothing", f"one of {', '.join(self.every())}")
        return found

    def trusted(self, id: str) -> Trusted:
        """Whether an instrument can be relied on today."""
        return self.one(id).trusted(self.today())

    def level_tilt(self, name: str) -> float:
        """Tilt of the level of that name, 0 where the register has none; raises ``BadInput`` for a doubted one."""
        found = next((h for h in self.shelf() if h.tool.name == name.strip()), None)
        if found is None:
            return 0.0
        trusted = found.trusted(self.today())
        if not trusted.usable:
            raise BadInput("instrument", f"{name}, {trusted.words}", "one that can be relied on: check it first")
        return found.tilt

    def scale_of(self, frame: str) -> History | None:
        """The instrument that a frame profile's scale and zero marks are."""
        return next((h for h in self.shelf() if frame and h.tool.frame == frame), None)

    def contributions(self, id: str, dimension: Dimension, lever: float, frame: str) -> Instrument:
        """What a reading gets from an instrument now; on a frame's scale (``frame``) its zero mark's error too."""
        own = self.one(id).contributions(dimension, lever)
        scale = self.scale_of(frame)
        zero = scale.contributions(dimension) if scale is not None else None
        if zero is None or zero.bias is None or zero.u_bias is None:
            return own
        u = own.u_bias if own.u_bias is not None else own.accuracy_constant / math.sqrt(3)
        return own.model_copy(update={"bias": (own.bias or 0.0) + zero.bias, "u_bias": math.hypot(u, zero.u_bias)})

    # --- what happens to it

    def learn(self, frame: str, job: str, known: Mechanics, who: Person) -> None:
        """Keep what a job's moves taught about a frame's yaw screw, once a job; nothing where it has no scale here."""
        scale = self.scale_of(frame)
        if scale is not None:
            self._append(scale.tool.id, Learned(day=self.today(), job=job, mechanics=known), who, f"learned-{job}")

    def _append(self, id: str, said: Said, who: Person, key: str, doubt: Doubted | None = None) -> list[str] | None:
        """One more event; in the same transaction whatever it puts in doubt is marked: the numbers of those jobs.

        None where it was there already. A history begins with its instrument's sheet, so that it stays readable when
        the catalogue's is gone.
        """
        stream, marked = instrument_stream(id), list[Row]()
        with self.store.writing() as log:
            if not isinstance(said, Entered) and log.streams.head(stream)[0].count == 0:
                first = Entered(day=self.today(), tool=self.one(id).tool)
                log.streams.enter(stream, f"{id}-sheet", self.store.clock(), who, first)
            if not log.streams.enter(stream, key or uuid.uuid4().hex, self.store.clock(), who, said):
                return None
            if doubt is not None:
                marked = self._doubt(log, doubt, who, _key(doubt))
        self.store.forget()
        for row in marked:
            self._announce(row)
        return [row.number for row in marked]

    def enter(self, tool: Tool, person: str, key: str = "", new: bool = True) -> History:
        """Take an instrument into the register, or change what its sheet says."""
        who = self.person(person)
        known = self.every().get(tool.id)
        if new and known is not None and not known.retired:
            raise BadInput("id", tool.id, "an id that no instrument here has yet")
        if new and any(h.tool.name.casefold() == tool.name.casefold() for h in self.every().values() if not h.retired):
            raise BadInput("name", tool.name, "a name that no instrument here has yet")
        if not new and known is None:
            raise BadInput("id", tool.id, "an instrument of the register")
        self._append(tool.id, Entered(day=self.today(), tool=tool), who, key)
        return self.one(tool.id)

    def give(self, id: str, to: str, person: str, key: str = "") -> None:
        """Somebody takes it; nobody: it goes back to its place."""
        self.one(id)
        name = self.person(to).name if to else ""
        self._append(id, Given(day=self.today(), to=to, name=name), self.person(person), key)

    def retire(self, id: str, person: str, key: str = "") -> None:
        """Take it out of use for good; its history stays."""
        self.one(id)
        self._append(id, Retired(day=self.today()), self.person(person), key)

    def document(self, id: str, name: str, content: bytes, person: str, key: str = "") -> None:
        """Keep its data sheet or certificate: a PDF, PNG or JPEG."""
        self.one(id)
        media = next((m for start, m in MEDIA.items() if content.startswith(start)), None)
        if media is None or len(content) > LARGEST_DOCUMENT:
            given = f"{len(content)} bytes that begin with {content[:4]!r}"
            raise BadInput("document", given, f"a PDF, PNG or JPEG of at most {LARGEST_DOCUMENT // 1_000_000} MB")
        digest = self.files.put(content)
        self._append(
            id,
            Documented.read({"day": self.today(), "name": name[:120] or "document", "media": media, "digest": digest}),
            self.person(person),
            key,
        )

    def drop(self, id: str, words: str, person: str, key: str = "") -> list[str]:
        """It fell: numbers of the open jobs that relied on it since its last good check; they now say so."""
        history, who = self.one(id), self.person(person)
        said = Dropped.read({"day": self.today(), "words": words.strip()[:200]})
        return self._append(id, said, who, key, _doubted(history, "dropped", f"{history.tool.name} was dropped")) or []

    def found(self, id: str, check: str, readings: Mapping[str, list[float]]) -> Found:
        """What readings of a self-check say; nothing is kept."""
        return judged(self._check(id, check), self.one(id).tool, readings)

    def keep_check(
        self,
        id: str,
        check: str,
        typed: dict[str, list[str]],
        readings: dict[str, list[float]],
        person: str,
        key: str = "",
    ) -> tuple[Found, list[str]]:
        """Keep a self-check; where it is out, numbers of the open jobs that relied on the instrument."""
        history, who = self.one(id), self.person(person)
        found = judged(self._check(id, check), history.tool, readings)
        said = Checked(day=self.today(), check=check, typed=typed, readings=readings, found=found)
        words = f"{history.tool.name} was found out: {CHECKS[check].title.lower()}"
        doubt = _doubted(history, "out", words) if found.state == "out" else None
        return found, self._append(id, said, who, key, doubt) or []

    def _check(self, id: str, check: str) -> SelfCheck:
        kind = self.one(id).tool.kind
        found = CHECKS.get(check)
        if found is None or kind not in found.kinds:
            raise BadInput(
                "check", check or "nothing", f"one of {', '.join(c for c in CHECKS if kind in CHECKS[c].kinds)}"
            )
        return found

    def overdue(self) -> list[str]:
        """Tell the open jobs of every instrument whose check is too old by now; numbers of those jobs."""
        numbers: list[str] = []
        for history in self.shelf():
            if history.trusted(self.today()).doubt == "overdue":
                due = history.due()
                said = _doubted(history, "overdue", f"{history.tool.name} is overdue since {due}")
                with self.store.writing() as log:
                    marked = self._doubt(log, said, ITSELF, _key(said))
                for row in marked:
                    self._announce(row)
                numbers += [row.number for row in marked]
        return numbers

    # --- files

    def as_json(self) -> str:
        """Every instrument with its whole history."""
        return to_json(self.every().values())

    def as_csv(self) -> str:
        """One line a sheet and one an entry of every history."""
        return to_csv(self.every().values())

    def take_file(self, text: str, person: str) -> int:
        """Enter instruments and their histories from JSON or CSV; what is here already stays, and comes in once.

        How many entries came in; raises ``BadInput`` before anything is written.
        """
        who = self.person(person)
        if text.lstrip().startswith("{"):
            read = from_json(text)
        else:
            read = from_csv(text, lambda id: h.tool if (h := self.every().get(id)) else None, who)
        added = 0
        for tool, entries in read:
            here = {(e.at, e.said.code) for e in self.every().get(tool.id, History(tool)).entries}
            if tool.id not in self.every() and not any(isinstance(said, Entered) for said in entries):
                self.enter(tool, person)
                added += 1
            if entries and not isinstance(entries[0], Entered) and tool.id not in self.every():
                self.enter(tool, person)
            for said in entries:
                if (said.at, said.code) not in here:
                    line = canonical({"kind": said.code, **said.model_dump(mode="json")})
                    key = uuid.uuid5(uuid.NAMESPACE_OID, line).hex
                    added += self._append(tool.id, said, who, key) is not None
        return added


def _doubted(history: History, why: Doubt, words: str) -> Doubted:
    """What is said to visits that stand on an instrument as it was since its last good check."""
    since = history.last_good.seq if history.last_good else 0
    return Doubted(tool=history.tool.id, name=history.tool.name, why=why, since=since, words=words)


def _key(said: Doubted) -> str:
    """The same doubt is said once."""
    return f"{said.tool}-{said.why}-since-{said.since}"


def _first_sheet(id: str, events: list[Event]) -> History:
    """An instrument that was never in the catalogue begins with the sheet it was entered with."""
    sheet = next((said.tool for event in events if isinstance(said := event.payload, Entered)), None)
    if sheet is None:
        raise Conflict(f"The instrument {id} has a history but no sheet: its catalogue entry is gone.")
    return History(sheet)
