"""Traces as files: GPX 1.0 and 1.1 (Topografix) and tables with a header, in; canonical tables and GPX, out.

Nothing of a file is followed: no entity, no reference. Figures are kept in flat arrays while they are read, so that a
long drive takes little more room than its samples.
"""

import csv
import io
import math
from array import array
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime, tzinfo
from xml.parsers import expat
from xml.sax.saxutils import escape

import numpy as np

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Name, said
from escuadra.core.road.trace import Trace

MOST_SAMPLES = 1_000_000
"""Of a file: four hours at 10 Hz are 144 000."""
FEWEST = 4
CHUNK = 1 << 16
COLUMNS = ("time", "latitude", "longitude", "speed", "heading")
GUESSES: dict[str, tuple[str, ...]] = {
    "time": ("time", "timestamp", "utc", "t", "datetime", "times", "hora", "tiempo"),
    "latitude": ("lat", "latitude", "latitud"),
    "longitude": ("lon", "lng", "long", "longitude", "longitud"),
    "speed": ("speed", "speedkmh", "speedkph", "speedms", "speedmph", "velocity", "velocidad", "v"),
    "heading": ("heading", "course", "bearing", "track", "rumbo"),
}
UNITS = {"km/h": 1.0, "m/s": 3.6, "mph": 1.609344}
Told = Callable[[float], None]


class ColumnsWanted(BadInput):
    """A table whose columns nobody named yet; ``header``: as they are called."""

    def __init__(self, header: Sequence[str]) -> None:
        self.header = tuple(header)
        super().__init__("columns", Name(", ".join(header)[:100]).text, said("wants.columns_named"))


class _Samples:
    """Samples while they are read."""

    def __init__(self, zone: tzinfo) -> None:
        self.columns = [array("d") for _ in COLUMNS]
        self.zone = zone
        self.aware: bool | None = None

    def add(self, time: float, *figures: float) -> None:
        if len(self.columns[0]) >= MOST_SAMPLES:
            raise BadInput("file", said("trace.too_many", most=MOST_SAMPLES), said("wants.fewer_samples"))
        for column, value in zip(self.columns, (time, *figures), strict=True):
            column.append(value)

    def moment(self, text: str) -> float:
        """A moment as seconds of UTC; one without a zone is in the garage's own, and zones are not mixed."""
        try:
            found = datetime.fromisoformat(text.strip())
        except ValueError as error:
            raise BadInput("time", text[:40], said("wants.moment_iso")) from error
        aware = found.tzinfo is not None
        if self.aware is None:
            self.aware = aware
        elif self.aware != aware:
            raise BadInput("time", text[:40], said("wants.one_zone"))
        return (found if aware else found.replace(tzinfo=self.zone)).timestamp()

    def done(self) -> Trace:
        count = len(self.columns[0])
        if count < FEWEST:
            raise BadInput("file", said("trace.too_few", count=str(count)), said("wants.samples_of_drive"))
        return Trace(*(np.frombuffer(column, dtype=float).copy() for column in self.columns))


def read_trace(
    name: str, content: bytes, zone: tzinfo = UTC, columns: Mapping[str, str] | None = None, told: Told | None = None
) -> Trace:
    """A file's samples; ``columns``: which column of a table is what, and ``speed_unit``.

    ``told``: called with the share that was read. Raises ``BadInput`` in one sentence, ``ColumnsWanted`` for a table
    whose columns are not known.
    """
    start = content[:2000].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start[:1] == b"<":
        return _gpx(content, zone, told)
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadInput("file", name[:60], said("wants.gpx_or_table")) from error
    return _table(text, zone, columns, told)


def _gpx(content: bytes, zone: tzinfo, told: Told | None) -> Trace:
    samples, parser = _Samples(zone), expat.ParserCreate(namespace_separator=" ")
    parser.buffer_text = True
    point: dict[str, str] = {}
    text: list[str] = []
    seen = {"root": "", "inside": ""}

    def begin(tag: str, attributes: dict[str, str]) -> None:
        local = tag.rpartition(" ")[2]
        seen["root"] = seen["root"] or local
        text.clear()
        if local in ("trkpt", "rtept"):
            point.clear()
            point.update(attributes)
            seen["inside"] = local

    def end(tag: str) -> None:
        local = tag.rpartition(" ")[2]
        if not seen["inside"]:
            return
        if local == seen["inside"]:
            seen["inside"] = ""
            _point(samples, point)
        elif local in ("time", "speed", "course"):
            point[local] = "".join(text)

    def refuse(*_: object) -> None:
        raise BadInput("file", said("trace.entities"), said("wants.gpx_plain"))

    parser.StartElementHandler, parser.EndElementHandler = begin, end
    parser.CharacterDataHandler = text.append
    parser.EntityDeclHandler = parser.ExternalEntityRefHandler = refuse  # type: ignore[assignment]
    try:
        for at in range(0, len(content), CHUNK):
            parser.Parse(content[at : at + CHUNK], at + CHUNK >= len(content))
            if told is not None:
                told(min(1.0, (at + CHUNK) / len(content)))
    except expat.ExpatError as error:
        raise BadInput("file", said("trace.broken", line=str(error.lineno)), said("wants.gpx_or_table")) from error
    if seen["root"] != "gpx":
        raise BadInput("file", f"<{seen['root'][:40]}>", said("wants.gpx_or_table"))
    return samples.done()


def _point(samples: _Samples, point: Mapping[str, str]) -> None:
    if "time" not in point:
        raise BadInput("time", said("trace.no_time"), said("wants.time_of_every_sample"))
    latitude, longitude = (_figure(name, point.get(name, "")) for name in ("lat", "lon"))
    _on_earth(latitude, longitude)
    speed = _figure("speed", point["speed"]) * 3.6 if point.get("speed") else math.nan
    heading = _figure("course", point["course"]) if point.get("course") else math.nan
    samples.add(samples.moment(point["time"]), latitude, longitude, speed, heading)


def _on_earth(latitude: float, longitude: float) -> None:
    if abs(latitude) > 90 or abs(longitude) > 180:
        raise BadInput("latitude", f"{latitude:g}, {longitude:g}", said("wants.degrees_on_earth"))


def _figure(name: str, text: str) -> float:
    try:
        found = float(text.strip().replace(",", "."))
    except ValueError as error:
        raise BadInput(name, text[:40], said("wants.figure_there")) from error
    if not math.isfinite(found):
        raise BadInput(name, text[:40], said("wants.figure_there"))
    return found


def guessed(header: Sequence[str]) -> dict[str, str]:
    """Which column is what, by what it is called; with the unit of the speed."""
    plain = {"".join(c for c in name.lower() if c.isalnum()): name for name in header}
    found = {}
    for column, names in GUESSES.items():
        hit = next((plain[name] for name in names if name in plain), None)
        if hit is not None:
            found[column] = hit
    speed = found.get("speed", "").lower()
    found["speed_unit"] = "mph" if "mph" in speed else "m/s" if "ms" in speed or "m/s" in speed else "km/h"
    return found


def sufficient(columns: Mapping[str, str]) -> bool:
    """A time, and either a speed or a position."""
    return bool(columns.get("time")) and bool(
        columns.get("speed") or (columns.get("latitude") and columns.get("longitude"))
    )


def header_of(text: str) -> list[str]:
    """The first line of a table, parted."""
    return next(_rows(text), [])


def _rows(text: str) -> Iterator[list[str]]:
    first = text[: text.find("\n") if "\n" in text else None]
    mark = max((";", "\t", ","), key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark)
    try:
        yield from (row for row in reader if any(cell.strip() for cell in row))
    except csv.Error as error:
        raise BadInput("file", said("trace.broken", line=str(reader.line_num)), said("wants.gpx_or_table")) from error


def _table(text: str, zone: tzinfo, columns: Mapping[str, str] | None, told: Told | None) -> Trace:
    rows = _rows(text)
    header = [cell.strip() for cell in next(rows, [])]
    if len(header) < 2:
        raise BadInput("file", said("trace.no_header"), said("wants.gpx_or_table"))
    columns = dict(columns or guessed(header))
    lost = [name for name in COLUMNS if columns.get(name) and columns[name] not in header]
    if not sufficient(columns) or lost:
        raise ColumnsWanted(header)
    at = {name: header.index(columns[name]) for name in COLUMNS if columns.get(name)}
    unit = columns.get("speed_unit", "km/h")
    if unit not in UNITS:
        raise BadInput("speed_unit", unit, said("wants.unit_of_speed"))
    samples = _Samples(zone)
    for number, row in enumerate(rows, 2):
        try:
            _row(samples, row, at, UNITS[unit])
        except BadInput as error:
            where = said("trace.line", line=str(number), field=error.field)
            raise BadInput(error.field, error.given, error.accepted, where) from error
        if told is not None and number % 5000 == 0:
            told(number / max(1, text.count("\n", 0, 200_000) * len(text) / 200_000))
    return samples.done()


def _row(samples: _Samples, row: Sequence[str], at: Mapping[str, int], per_unit: float) -> None:
    cells = {name: row[k].strip() if k < len(row) else "" for name, k in at.items()}
    if not cells["time"]:
        raise BadInput("time", said("trace.no_time"), said("wants.time_of_every_sample"))
    figures = {name: _figure(name, cells[name]) if cells.get(name) else math.nan for name in COLUMNS[1:]}
    if math.isfinite(figures["latitude"]) and math.isfinite(figures["longitude"]):
        _on_earth(figures["latitude"], figures["longitude"])
    speed = figures["speed"] * per_unit
    if speed < 0:
        raise BadInput("speed", cells["speed"], said("wants.speed_not_below_0"))
    samples.add(_time(samples, cells["time"]), figures["latitude"], figures["longitude"], speed, figures["heading"])


def _time(samples: _Samples, text: str) -> float:
    """Seconds or milliseconds as a figure, else a moment as it is written."""
    try:
        found = float(text.replace(",", "."))
    except ValueError:
        return samples.moment(text)
    return found / 1000 if found > 1e11 else found


def as_table(trace: Trace) -> bytes:
    """The canonical table that is kept: seconds of UTC, degrees, km/h; nan where a figure was not told."""
    names = ["t", "lat", "lon", "speed", "heading"]
    columns = (trace.t, trace.latitude, trace.longitude, trace.speed, trace.heading)
    lines = [",".join(names)]
    forms = ("%.3f", "%.7f", "%.7f", "%.2f", "%.2f")
    told = [[form % v for v in column.tolist()] for column, form in zip(columns, forms, strict=True)]
    lines += map(",".join, zip(*told, strict=True))
    return ("\n".join(lines) + "\n").encode()


def of_table(content: bytes) -> Trace:
    """What ``as_table`` wrote."""
    found = np.loadtxt(io.BytesIO(content), delimiter=",", skiprows=1, ndmin=2)
    return Trace(*(np.ascontiguousarray(found[:, k]) for k in range(5)))


def as_gpx(trace: Trace, stretches: Sequence[tuple[str, int, int]]) -> bytes:
    """GPX 1.1 with a track for each stretch: its name, its first sample and its last; its description says what it is.

    Samples without a position are left out: the format has no other place for them.
    """
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        '<gpx version="1.1" creator="Escuadra" xmlns="http://www.topografix.com/GPX/1/1">',
    ]
    for name, first, last in stretches:
        out.append(f"<trk><name>{escape(name)}</name><trkseg>")
        for k in range(first, last + 1):
            latitude, longitude = float(trace.latitude[k]), float(trace.longitude[k])
            if math.isfinite(latitude) and math.isfinite(longitude):
                at = datetime.fromtimestamp(float(trace.t[k]), UTC).isoformat(timespec="milliseconds")
                place = f'lat="{latitude:.7f}" lon="{longitude:.7f}"'
                out.append(f"<trkpt {place}><time>{at.replace('+00:00', 'Z')}</time></trkpt>")
        out.append("</trkseg></trk>")
    return "\n".join([*out, "</gpx>", ""]).encode()
