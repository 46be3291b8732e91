"""A table of figures from elsewhere, CSV or XLSX, as rows of words: its first row names the columns.

Read-only, with limits before and while it is unfolded: a small file may hold gigabytes. A column whose name ends in a
unit, as in *Distance (cm)* or *height [in]*, gives it to the bare figures below.
"""

import io
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import readable, table
from escuadra.core.base.said import said

MOST_BYTES, MOST_UNFOLDED, MOST_CELLS, MOST_ROWS, MOST_COLUMNS = 5_000_000, 80_000_000, 60_000, 500, 100
_UNIT = re.compile(r"[(\[]\s*([^()\[\]]{1,6})\s*[)\]]\s*$")
_BARE = re.compile(r"[-+−]?(\d+([.,]\d*)?|[.,]\d+)")


@dataclass(frozen=True)
class Table:
    """Columns by their names, and rows of words as long as those."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]

    def cell(self, row: int, column: str) -> str:
        """What stands in a row, with its column's unit where it has none of its own."""
        text = self.rows[row][self.columns.index(column)]
        unit = _UNIT.search(column)
        return f"{text} {unit[1].strip()}" if unit is not None and _BARE.fullmatch(text) else text


def read_table(name: str, content: bytes) -> Table:
    """A CSV or XLSX file's first table; raises ``BadInput`` for what is none, or is too large."""
    if len(content) > MOST_BYTES:
        raise BadInput("file", len(content), said("wants.smaller_table"))
    rows = list(_sheet(content)) if content[:2] == b"PK" else _csv(content)
    if len(rows) < 2 or not any(rows[0]):
        raise BadInput("file", name[:60], said("wants.table_with_named_columns"))
    columns = [text.strip() or f"#{k}" for k, text in enumerate(rows[0], 1)]
    if len(set(columns)) < len(columns):
        twice = next(text for text in columns if columns.count(text) > 1)
        raise BadInput("columns", twice, said("wants.each_column_once"))
    if len(columns) > MOST_COLUMNS or len(rows) - 1 > MOST_ROWS:
        raise BadInput("file", f"{len(rows)} × {len(columns)}", said("wants.smaller_table"))
    wide = [tuple((*row, *[""] * len(columns))[: len(columns)]) for row in rows[1:]]
    return Table(tuple(columns), tuple(row for row in wide if any(row)))


def _csv(content: bytes) -> list[list[str]]:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as cause:
        raise BadInput("file", said("web.forms.file_not_text"), said("wants.table_file")) from cause
    return [[cell.strip() for cell in row] for _, row in table(text, "file")]


def _sheet(content: bytes) -> Iterator[list[str]]:
    """The rows of a workbook's first sheet that holds anything, as words."""
    import openpyxl
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            if sum(info.file_size for info in archive.infolist()) > MOST_UNFOLDED:
                raise BadInput("file", "", said("wants.smaller_table"))
        book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=True, keep_links=False)
        cells = 0
        try:
            for row in book.worksheets[0].iter_rows(values_only=True, max_col=MOST_COLUMNS + 1):
                words = [_words(value) for value in row]
                while words and not words[-1]:
                    words.pop()
                cells += len(words)
                if cells > MOST_CELLS:
                    raise BadInput("file", cells, said("wants.smaller_table"))
                yield words
        finally:
            book.close()
    except BadInput:
        raise
    except (zipfile.BadZipFile, InvalidFileException, KeyError, ValueError, IndexError, EOFError, SyntaxError) as cause:
        raise BadInput("file", type(cause).__name__, said("wants.table_file")) from cause


def _words(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return f"{value:.9f}".rstrip("0").rstrip(".")
    if isinstance(value, datetime | date):
        return value.isoformat()[:10]
    return readable(str(value).strip()[:400], "file")
