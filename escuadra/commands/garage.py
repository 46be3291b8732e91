"""A garage that is changed: commands are decided, their sheets worked out, and then committed in one transaction."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

from escuadra.catalogue import Catalogue
from escuadra.commands.command import Command, Committed, Context, Decision, may
from escuadra.commands.forms import Opened, Whole, keyed
from escuadra.commands.house import House
from escuadra.commands.listing import listed_after
from escuadra.core.base.errors import Conflict
from escuadra.core.base.said import said
from escuadra.core.base.stream import Event, Payload, Person, made
from escuadra.core.house import entry_stream, visit_stream
from escuadra.core.visit.log.events import Doubted
from escuadra.core.visit.log.reducer import Visit, fold_visit
from escuadra.core.visit.sheet import Sheet
from escuadra.store import Row
from escuadra.store.repositories.visits import Log
from escuadra.store.streams import Head
from escuadra.store.writers import Queues

T = TypeVar("T")
VISITS = visit_stream("")
TRIES = 8
"""How often a command is decided anew where others write meanwhile what it was decided on."""


class Moved(Conflict):
    """A stream is not as it was when the command was decided."""


@dataclass
class _Draft:
    """A visit with what a command says of it, and the sheets that follow."""

    row: Row | None
    after: Visit
    sheets: dict[str, Sheet]


class Garage(House):
    """One garage on its data folder, and the one way in for whatever changes it."""

    def __init__(self, data: Path, clock: Callable[[], int], catalogue: Catalogue | None = None) -> None:
        super().__init__(data, clock, catalogue)
        self.listeners: list[Callable[[str, int], None]] = []
        self.queues = Queues()

    def do(self, command: Command[T], person: str | Person, client_id: str) -> T:
        """Do what is asked, once: the same press again changes nothing and is told the same.

        Raises what the command refuses, and ``Conflict`` where others kept writing what it was decided on.
        """
        who, role = self.known(person)
        context = Context(self, who, role, keyed(client_id), self.clock())
        with self.queues.turn(command.stream(context)):
            for left in reversed(range(TRIES)):
                try:
                    may(context, command.duty)
                    decision = command.decide(context)
                    if decision.instead is not None:
                        return decision.instead
                    committed = self._commit(command, context, decision)
                    break
                except Moved:
                    self.store.forget()
                    if not left:
                        raise
                except Exception:
                    # What is refused now may be what this very press has done.
                    if not self._known(command, context):
                        raise
                    committed = Committed()
                    break
        for row in {row.id: row for row in (*committed.rows.values(), *committed.marked)}.values():
            for listener in self.listeners:
                listener(row.id, row.count)
        return command.told(context, committed)

    def _known(self, command: Command[T], context: Context) -> bool:
        with self.store.reading() as log:
            return log.streams.head(command.stream(context), context.client_id)[1] is not None

    # --- worked out before it is written

    def _events(self, context: Context, decision: Decision[T]) -> list[Event]:
        """What is appended, each event at its place in its stream."""
        events: list[Event] = []
        ahead: dict[str, int] = {}
        for one in decision.appends:
            seq = ahead[one.stream] = ahead.get(one.stream, one.expected) + 1
            key = f"{context.client_id}{one.key}" if one.key.startswith("+") else one.key or context.client_id
            events.append(made(one.stream, seq, key, context.at, one.who or context.who, one.said, one.of))
        return events

    def _drafts(self, decision: Decision[T], events: list[Event]) -> dict[str, _Draft]:
        """Each visit that changes, with the sheets that follow; raises where they cannot be worked out."""
        drafts: dict[str, _Draft] = {}
        for stream in dict.fromkeys(event.stream for event in events if event.stream.startswith(VISITS)):
            own = [event for event in events if event.stream == stream]
            said = [one.said for one in decision.appends if one.stream == stream]
            drafts[stream.removeprefix(VISITS)] = self._draft(decision.seen, own, said)
        return drafts

    def _draft(self, seen: Opened | Whole | None, events: list[Event], said: list[Payload]) -> _Draft:
        id, parts = events[0].stream.removeprefix(VISITS), {event.of for event in events if event.of is not None}
        before = seen.visit if seen is not None else Visit()
        draft = _Draft(seen.row if seen is not None else None, fold_visit(before, events), {})
        for calibration in draft.after.calibrations:
            left = draft.after.outgrown(calibration)
            own = draft.after.stands_on(calibration)
            if not parts.intersection(own[-1:] if left else own):
                continue
            known: Collection[str] = ()
            if seen is not None and calibration in before.calibrations:
                seen_at = seen if isinstance(seen, Opened) and seen.calibration == calibration else None
                same = seen_at or self.open(id, calibration)
                known = same.sheet.underivable
            after = self.left(id, draft.after, calibration, events)
            draft.sheets[calibration] = self.derived(id, calibration, after, said, events[-1].at, known)
        return draft

    # --- written

    def _commit(self, command: Command[T], context: Context, decision: Decision[T]) -> Committed:
        events = self._events(context, decision)
        if not events and not decision.doubts:
            return Committed()
        self.store.expect(decision.keeps)
        drafts = self._drafts(decision, events)
        expected = dict(decision.rests_on)
        for one in decision.appends:
            expected.setdefault(one.stream, one.expected)
        with self.store.writing() as log:
            doubted = {row.id: row for told in decision.doubts for row in log.using(told.tool, signed=False)}
            own = command.stream(context)
            named = {own, *expected, *(visit_stream(id) for id in doubted)}
            named |= {entry_stream(content.kind, content.id) for content in decision.keeps}
            heads, known = log.streams.locked(sorted(named), own, context.client_id)
            if known:
                return Committed()
            if any(heads[stream].count != count for stream, count in expected.items()):
                raise Moved(said("jobs.garage.others_recorded_meanwhile_look_again"))
            for content in decision.keeps:
                log.pins.keep(content, context.at, context.who)
            if decision.beside is not None:
                decision.beside(log)
            for event, one in zip(events, decision.appends, strict=True):
                heads[event.stream] = log.streams.append(heads[event.stream], event, one.said)
            rows = {id: _row(log, id, draft.row, heads) for id, draft in drafts.items()}
            for id, draft in drafts.items():
                self._tell(log, rows[id], draft)
            order = sorted(doubted)
            marked = [self._mark(log, told, context, doubted[id], heads) for told in decision.doubts for id in order]
        for id, draft in drafts.items():
            self.keep(rows[id], draft.after, draft.sheets)
        if any(not event.stream.startswith(VISITS) for event in events) or decision.keeps:
            self.store.forget()
        return Committed(rows, [row for row in marked if row is not None], len(events))

    def _tell(self, log: Log, row: Row, draft: _Draft) -> None:
        """What lists tell of a visit that changed is kept with its row."""
        whole = Whole(row, draft.after)
        before = self.lists.before(log, draft.row) if draft.row is not None else None
        found = listed_after(whole, self.model_of(whole), draft.sheets, before)
        if found is not None:
            self.lists.write(log, found)

    def _mark(self, log: Log, said: Doubted, context: Context, row: Row, heads: dict[str, Head]) -> Row | None:
        """Mark whatever part of a visit stands on a doubted instrument and is not signed; the row, where there is one.

        A mark of the house itself: it is appended whether or not a sheet follows from it.
        """
        stream, count = visit_stream(row.id), heads[visit_stream(row.id)].count
        for part in self.relied(log, row, said.tool, said.since):
            key = f"{said.tool}-{said.why}-since-{said.since}-{part}"
            if self.visit_of(log, row).all_signed(part) or log.streams.head(stream, key)[1] is not None:
                continue
            new = made(stream, heads[stream].count + 1, key, context.at, context.who, said, part)
            heads[stream] = log.streams.append(heads[stream], new, said)
        return _row(log, row.id, row, heads) if heads[stream].count != count else None


def _row(log: Log, id: str, before: Row | None, heads: Mapping[str, Head]) -> Row:
    """A visit's row after what was appended."""
    if before is None:
        return log.row(id)
    head = heads[visit_stream(id)]
    return replace(before, count=head.count, head=head.head)
