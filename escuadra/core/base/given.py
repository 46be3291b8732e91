"""Text and plain data from outside, before any model reads them: JSON, tables of cells, single lines.

Everything here raises ``BadInput`` that says what was given: what no program should have written (lone surrogates,
control characters, data nested without end, cells without end) is refused once, for every door.
"""

import csv
import io
import json
import math
import re
import unicodedata
from collections.abc import Collection, Iterable, Iterator, Sequence
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Said, said

DEEPEST = 60
"""Levels of nesting; the deepest schema of ours needs 8."""
SMALLEST = 1e-60
"""What is nearer to 0 is 0: its square could not be told from nothing."""
LARGEST_CELL = 10_000
MOST_ROWS = 100_000
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_FIGURE = re.compile(r"[-+]?[\d.,\s]*\d(e[-+]?\d+)?", re.IGNORECASE)
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u2028\u2029]")


def leaves(data: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], Any]]:
    """Every leaf of plain data with the way to it, keys of objects too (as leaves of their object)."""
    waiting: list[tuple[tuple[Any, ...], Any]] = [(path, data)]
    while waiting:
        way, found = waiting.pop()
        if len(way) > DEEPEST:
            raise BadInput(named(way), said("given.data_nested_too_deep"), said("wants.most_levels", deepest=DEEPEST))
        if isinstance(found, dict):
            for key, value in found.items():
                yield way, key
                waiting.append(((*way, key), value))
        elif isinstance(found, list | tuple):
            waiting.extend(((*way, k), value) for k, value in enumerate(found))
        else:
            yield way, found


def named(way: Sequence[Any]) -> str:
    """The field that a way ends in: its last name, ``input`` where it has none."""
    return next((part for part in reversed(way) if isinstance(part, str) and part), "input")


def plain_data(data: Any) -> Any:
    """Plain data that can be worked with: figures nearer to 0 than ``SMALLEST`` are 0.

    Raises ``BadInput`` naming the leaf that cannot be worked with.
    """
    tiny = False
    for way, leaf in leaves(data):
        if isinstance(leaf, str):
            readable(leaf, named(way))
        elif isinstance(leaf, float):
            tiny = tiny or 0 < abs(leaf) < SMALLEST
        elif isinstance(leaf, int) and abs(leaf) > 10**18:
            raise BadInput(
                named(way), said("given.figure_bits", bit_length=leaf.bit_length()), said("wants.figure_most_18_digits")
            )
    return _without_tiny(data) if tiny else data


def _without_tiny(data: Any) -> Any:
    if isinstance(data, dict):
        return {key: _without_tiny(value) for key, value in data.items()}
    if isinstance(data, list | tuple):
        return [_without_tiny(value) for value in data]
    return 0.0 if isinstance(data, float) and abs(data) < SMALLEST else data


def most_extreme(data: Any) -> tuple[str, Any]:
    """Field and value of the figure furthest from 1, large or small: the first to blame where figures overflow."""
    numbers = [
        (abs(math.log10(abs(leaf))), named(way), leaf)
        for way, leaf in leaves(data)
        if isinstance(leaf, int | float) and not isinstance(leaf, bool) and leaf and math.isfinite(leaf)
    ]
    found = max(numbers, key=lambda n: n[0], default=None)
    return (found[1], found[2]) if found is not None else ("input", said("given.no_figures"))


def json_data(text: str | bytes, field: str, accepted: Said = said("wants.one_json_object")) -> Any:
    """JSON as plain data; raises ``BadInput`` for what is none, or is nested or written as no program should."""
    try:
        return plain_data(json.loads(text))
    except RecursionError as error:
        raise BadInput(field, said("given.data_nested_too_deep"), accepted) from error
    except UnicodeDecodeError as error:
        raise BadInput(field, said("given.bytes_no_utf_8"), accepted) from error
    except ValueError as error:
        if isinstance(error, BadInput):
            raise
        raise BadInput(field, str(error)[:100], accepted) from error


def readable(text: str, field: str, lines: bool = True) -> str:
    """Text without control characters or halves of characters; ``lines``: several lines are fine."""
    found = _CONTROL.search(text) or (None if lines else re.search(r"[\r\n\t]", text))
    if found is not None:
        raise BadInput(
            field, said("given.character", found=ord(found[0])), said("wants.text_without_control_characters")
        )
    if any("\ud800" <= c <= "\udfff" for c in text):
        raise BadInput(field, said("given.half_character"), said("wants.text_unicode"))
    return text


def whole_number(text: str, field: str, accepted: Said, most: int = 10**9) -> int:
    """A whole number as typed, 0 to ``most``; raises ``BadInput``."""
    plain = re.sub(r"[ \u00a0\u2009\u202f]", "", text.strip())
    if not re.fullmatch(r"[0-9]{1,12}", plain) or int(plain) > most:
        raise BadInput(field, text, accepted)
    return int(plain)


def decimal(text: str) -> str:
    """A number's text with a point and a plain minus sign, whatever was typed for them."""
    return text.strip().replace(",", ".").replace("−", "-")


def figure(text: str, field: str, accepted: Said, least: float = -1e9, most: float = 1e9) -> float:
    """A plain figure as typed, with a decimal point or comma; raises ``BadInput``."""
    plain = decimal(text)
    if not re.fullmatch(r"-?\d{1,10}(\.\d{1,12})?", plain) or not least <= float(plain) <= most:
        raise BadInput(field, text, accepted)
    return float(plain)


def identifier(name: str, taken: Collection[str], otherwise: str) -> str:
    """An id that no other has, made from a name in any script: ASCII, never empty, at most 40 characters."""
    bare = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().casefold()
    plain = re.sub(r"[^a-z0-9]+", "-", bare)[:24].strip("-") or otherwise
    return next(id for k in range(1, len(taken) + 2) if (id := plain if k == 1 else f"{plain}-{k}") not in taken)


# --- tables of cells


def table(text: str, field: str) -> list[tuple[int, list[str]]]:
    """Line number and cells of a CSV text's rows (comma, semicolon or tab), rows of nothing but empty cells left out.

    Raises ``BadInput`` naming the line that cannot be one.
    """
    plain = readable(text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n"), field)
    first = plain.split("\n", 1)[0]
    reader = csv.reader(io.StringIO(plain), delimiter=max((",", ";", "\t"), key=first.count))
    rows: list[tuple[int, list[str]]] = []
    try:
        for row in reader:
            longest = max((len(found) for found in row), default=0)
            if longest > LARGEST_CELL or len(rows) >= MOST_ROWS:
                given = said(
                    "given.line_cell_characters_row", line_num=reader.line_num, longest=longest, rows=len(rows) + 1
                )
                raise BadInput(
                    field,
                    given,
                    said("wants.most_characters_cell_rows", largest_cell=LARGEST_CELL, most_rows=MOST_ROWS),
                )
            if any(found.strip() for found in row):
                rows.append((reader.line_num, [_uncell(found) for found in row]))
    except csv.Error as error:
        raise BadInput(
            field, said("given.line", line_num=reader.line_num, error=str(error)), said("wants.csv_file")
        ) from error
    return rows


def records(text: str, field: str) -> list[tuple[int, dict[str, str]]]:
    """Line number and cells by the names of the first line, in lower case; a missing cell is empty."""
    rows = table(text, field)
    head = [name.strip().casefold() for name in rows[0][1]] if rows else []
    return [(line, dict(zip(head, [*row, *[""] * len(head)], strict=False))) for line, row in rows[1:]]


def cell(value: Any) -> str:
    """A cell that a spreadsheet takes as what it is: text that begins like a formula is written as text."""
    text = "" if value is None else str(value)
    return f"'{text}" if text.startswith(_FORMULA) and not _FIGURE.fullmatch(text) else text


def _uncell(text: str) -> str:
    return text[1:] if text[:1] == "'" and text[1:].startswith(_FORMULA) else text


def written(rows: Iterable[Iterable[Any]]) -> str:
    """Rows as CSV text: the one way out for every table."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([cell(value) for value in row] for row in rows)
    return out.getvalue()
