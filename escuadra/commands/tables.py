"""Entries from a table of figures: a row each, begun like another entry, its columns mapped by whoever brings it."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from escuadra.catalogue.spreadsheet import Table
from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.desk import as_typed, form_for, stream_of
from escuadra.commands.house import House
from escuadra.commands.writing import sound_id
from escuadra.core.authoring.fields import Asked
from escuadra.core.authoring.life import EntryBegun, EntryTyped, Way, fold_entry
from escuadra.core.authoring.writing import Fields, asked_at, read, written
from escuadra.core.base.entry import FigureSource
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Said, said
from escuadra.core.house import SETTINGS, SettingSet

ID = "id"


@dataclass(frozen=True)
class Row:
    """A row of a table as an entry."""

    number: int
    id: str
    fields: dict[Way, str]
    begun: bool
    """Its entry is written here already: the row's figures are typed into it."""
    wrong: tuple[tuple[str, Said], ...]
    """Column, and what is wrong there."""


def kept_columns(house: House, kind: str) -> dict[str, Way]:
    """What columns were mapped to the last time, by their names."""
    found = json.loads(house.store.setting(f"columns.{kind}", "{}"))
    return {str(name): str(way) for name, way in found.items()}


def ways_of(house: House, kind: str, like: str) -> dict[Way, Asked]:
    """The fields that a column can be mapped to: those of the entry that rows begin like."""
    form, words = form_for(kind), as_typed(house, kind, like)
    says = written(kind, form, words, {"id": like, "revision": 1})
    found: dict[Way, Asked] = {}
    for loc, way in says.ways.items():
        asked, _ = asked_at(form, says, loc)
        if asked is not None and asked.kind not in ("record", "records"):
            found[way] = asked
    return found


def rows_of(house: House, kind: str, like: str, table: Table, columns: Mapping[str, Way]) -> list[Row]:
    """What each row of a table would come to."""
    ways = ways_of(house, kind, like)
    named = next((name for name, way in columns.items() if way == ID), None)
    if named is None or named not in table.columns:
        raise BadInput("columns", "", said("wants.column_of_ids"))
    stray = next((way for way in columns.values() if way not in ways and way not in (ID, "")), None)
    if stray is not None:
        raise BadInput("columns", stray, said("wants.fields_of_the_form"))
    found = []
    for k in range(len(table.rows)):
        id = table.cell(k, named)
        fields: dict[Way, str] = {}
        wrong: list[tuple[str, Said]] = []
        for name, way in columns.items():
            text = table.cell(k, name) if name in table.columns and way not in (ID, "") else ""
            if not text:
                continue
            try:
                read(ways[way], text)
                fields[way] = text
            except BadInput as cause:
                wrong.append((name, said("authoring.accepted", accepted=cause.accepted)))
        try:
            sound_id(kind, id)
        except BadInput as cause:
            wrong.append((named, said("authoring.accepted", accepted=cause.accepted)))
        begun = not wrong and fold_entry(house.store.events(stream_of(kind, id))).begun
        found.append(Row(k + 2, id, fields, begun, tuple(wrong)))
    return found


@dataclass(frozen=True)
class TakeTable(Command[list[str]]):
    """Every row becomes a draft, or is typed into the one that there is; how columns were mapped is kept."""

    kind: str
    like: str
    name: str
    table: Table = field(repr=False)
    columns: Mapping[str, Way]

    def stream(self, context: Context) -> str:
        """That of the settings, where the mapping is kept."""
        return SETTINGS

    def decide(self, context: Context) -> Decision[list[str]]:
        """Drafts; refused where a row is wrong: all of them or none."""
        house = context.house
        rows = rows_of(house, self.kind, self.like, self.table, self.columns)
        if any(row.wrong for row in rows):
            raise Conflict(said("writing.table_has_wrong_rows"))
        ids = [row.id for row in rows]
        twice = next((id for id in ids if ids.count(id) > 1), None)
        if twice is not None:
            raise BadInput("id", twice, said("wants.each_id_once"))
        base = as_typed(house, self.kind, self.like)
        assumed = house.catalogue.get(self.kind, self.like).content.assumed
        kept = {**kept_columns(house, self.kind), **self.columns}
        told = SettingSet(key=f"columns.{self.kind}", value=json.dumps(kept, ensure_ascii=False, sort_keys=True))
        appends = [Append(SETTINGS, house.store.count(SETTINGS), told)]
        for k, row in enumerate(rows):
            source = FigureSource(document=self.name[:120], page=str(row.number))
            stream = stream_of(self.kind, row.id)
            more = EntryTyped(fields=row.fields, source=source)
            said_now = more if row.begun else self._begun(row, base, assumed, source)
            appends.append(Append(stream, house.store.count(stream), said_now, None, f"+{k}"))
        return Decision(appends)

    def _begun(self, row: Row, base: Fields, assumed: Sequence[Way], source: FigureSource) -> EntryBegun:
        fields, parts = {**base.texts, **row.fields}, {way: list(keys) for way, keys in base.parts.items()}
        told = {"kind": self.kind, "id": row.id, "like": self.like, "fields": fields, "parts": parts}
        unknown = [way for way in assumed if way not in row.fields]
        return EntryBegun(**told, sources=dict.fromkeys(row.fields, source), unknown=unknown)

    def told(self, context: Context, committed: Committed) -> list[str]:
        """Ids of what is written here then."""
        return [row.id for row in context.house.store.drafts() if row.kind == self.kind]
