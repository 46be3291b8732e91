"""The register and its histories as files: JSON with everything, CSV with a line an entry for a spreadsheet.

A CSV line ``sheet`` states an instrument, the lines below it what happened to it. A self-check with its readings is
judged anew when it comes in; one with a figure and its u alone, from elsewhere, is judged by those.
"""

import json
from collections.abc import Callable, Iterable, Mapping
from datetime import UTC, datetime
from typing import Any

from escuadra.core.base.errors import BadInput
from escuadra.core.base.given import figure, json_data, records, written
from escuadra.core.base.said import Plain, exact, nouns, said
from escuadra.core.base.stream import Person
from escuadra.core.instruments.check_figures import TEN_METRES, Found, judged
from escuadra.core.instruments.guided import CHECKS, checks_for
from escuadra.core.instruments.history import (
    SAID,
    Checked,
    Dropped,
    Given,
    History,
    HistoryEntry,
    InstrumentPayload,
    Retired,
)
from escuadra.core.instruments.instrument import Tool, check_days
from escuadra.core.instruments.usual_accuracy import USUAL, told
from escuadra.core.measure.verdict import VerdictInput, verdict

FIGURES = ("resolution", "accuracy_constant", "accuracy_ppm", "repeatability")
SHEET = ("instrument", "name", "kind", "serial", "place", "reads", "unit", *FIGURES, "check_days")
ENTRY = ("at", "what", "detail", "check", "readings", "value", "u", "limit", "state", "person")
Read = list[tuple[Tool, list[InstrumentPayload]]]
Row = Mapping[str, str | None]


def to_json(histories: Iterable[History]) -> str:
    """Every instrument with its whole history."""
    every = [
        {"tool": h.tool.model_dump(mode="json"), "history": [_line(entry) for entry in h.entries]} for h in histories
    ]
    return json.dumps({"instruments": every}, indent=2, ensure_ascii=False)


def _line(entry: HistoryEntry) -> dict[str, Any]:
    said = entry.said.model_dump(mode="json")
    return {"kind": entry.said.code, **said, "at": entry.at, "by": entry.person.name}


def _said(line: dict[str, Any]) -> InstrumentPayload:
    kind = SAID.get(line["kind"])
    if kind is None:
        raise BadInput("kind", str(line["kind"]), said("wants.one", names=nouns(SAID, "comma")))
    return kind.read({"at": line["at"], **{key: value for key, value in line.items() if key != "kind"}})


def from_json(text: str) -> Read:
    """Instruments and histories; raises ``BadInput`` for what is not such a file."""
    try:
        given = json_data(text, "file", said("jobs.register_files.object"))["instruments"]
        read = [(Tool.read(i["tool"]), [_said(line) for line in i.get("history", [])]) for i in given]
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        if isinstance(error, BadInput):
            raise
        raise BadInput("file", str(error)[:80], said("wants.object_page_writes")) from error
    for tool, entries in read:
        known = [check.id for check in checks_for(tool)]
        for entry in entries:
            if isinstance(entry, Checked) and entry.check not in known:
                raise BadInput(
                    "check",
                    said("jobs.register_files.of", check=entry.check, id=tool.id),
                    said("wants.one", names=nouns(known, "comma")),
                )
    return read


def to_csv(histories: Iterable[History]) -> str:
    """A line for every sheet and every entry, documents excepted."""
    columns = (*SHEET, *ENTRY)
    lines: list[dict[str, object]] = []
    for h in histories:
        t = h.tool
        sheet = {name: getattr(t, name) for name in ("name", "kind", "serial", "place", "unit")}
        sheet |= {name: f"{getattr(t.contributions, name):g}" for name in FIGURES}
        lines.append(
            {"instrument": t.id, **sheet, "reads": " ".join(t.reads), "check_days": t.check_days or "", "what": "sheet"}
        )
        for e in h.entries:
            if (cells := _cells(e.said)) is not None:
                at = datetime.fromtimestamp(e.at / 1000, UTC).isoformat(timespec="milliseconds")
                lines.append({"instrument": t.id, "at": at, "what": e.said.code, **cells, "person": e.person.name})
    return written([columns, *([line.get(name, "") for name in columns] for line in lines)])


def _cells(said: InstrumentPayload) -> dict[str, str] | None:
    match said:
        case Checked():
            f = said.found
            readings = ";".join(f"{k}={' '.join(f'{v:.10g}' for v in vs)}" for k, vs in said.readings.items())
            figures = {"value": f"{f.value:.6g}", "u": f"{f.u:.6g}", "limit": f"{f.limit:g}", "state": f.state}
            return {"check": f.check, "readings": readings, **figures}
        case Dropped():
            return {"detail": said.words}
        case Given():
            return {"detail": f"{said.to} {said.name}".strip()}
        case Retired():
            return {}
    return None


def from_csv(text: str, known: Callable[[str], Tool | None], person: Person) -> Read:
    """Instruments and histories of a CSV file; ``known`` gives the sheet of an instrument that is here already.

    The columns instrument, name, kind, resolution and accuracy_constant do; raises ``BadInput`` naming the line.
    """
    found: dict[str, tuple[Tool, list[InstrumentPayload]]] = {}
    for k, row in records(text, "file"):
        id = (row.get("instrument") or "").strip()
        if not id:
            raise BadInput("file", said("jobs.register_files.line", k=k), said("wants.column_instrument_id_every_line"))
        what = (row.get("what") or "sheet").strip()
        try:
            if what == "sheet":
                found.setdefault(id, (known(id) or _tool(row), []))
                continue
            if id not in found:
                here = known(id)
                if here is None:
                    raise BadInput("instrument", id, said("wants.instrument_whose_sheet_stands_above"))
                found[id] = (here, [])
            found[id][1].append(_entry(what, row, found[id][0], person))
        except BadInput as error:
            raise BadInput(
                "file", said("jobs.register_files.line_2", k=k, field=error.field, given=error.given), error.accepted
            ) from error
    return list(found.values())


def _number(row: Row, column: str, least: float = -1e9) -> float:
    text = row.get(column) or "0"
    value = figure(text, column, said("wants.figure_such_0_5"))
    if not least <= value <= 1e9:
        raise BadInput(column, text, said("wants.figure_least", least=exact(Plain, least)))
    return value


def _tool(row: Row) -> Tool:
    """An instrument from its line."""
    days = (row.get("check_days") or "").strip()
    data: dict[str, Any] = {name: (row.get(name) or "").strip() for name in ("name", "kind", "serial", "place")}
    data |= {"id": (row.get("instrument") or "").strip(), "reads": (row.get("reads") or "").split()}
    data |= {"unit": (row.get("unit") or "mm").strip(), "check_days": check_days(days)}
    figures = {name: _number(row, name, 0) for name in FIGURES}
    kind: Any = data["kind"]
    if kind in USUAL and not (figures["resolution"] and (figures["accuracy_constant"] or figures["accuracy_ppm"])):
        raise BadInput("accuracy_constant", "", said("wants.resolution_accuracy_usual_kind", kind=told(kind)))
    return Tool.read(data | {"contributions": figures})


def _entry(what: str, row: Row, tool: Tool, person: Person) -> InstrumentPayload:
    text = (row.get("at") or "").strip()
    try:
        at = datetime.fromisoformat(text)
    except ValueError as error:
        raise BadInput("at", text, said("wants.day_or_time_such_2026")) from error
    at = at if at.tzinfo else at.replace(tzinfo=UTC)
    detail = (row.get("detail") or "").strip()
    when: Any = {
        "day": at.date(),
        "at": round(at.timestamp() * 1000),
        "by": (row.get("person") or person.name).strip()[:120],
    }
    match what:
        case "checked":
            return _checked(row, tool, when)
        case "dropped":
            return Dropped(words=detail[:200], **when)
        case "given":
            to, _, name = detail.partition(" ")
            return Given(to=to, name=name, **when)
        case "retired":
            return Retired(**when)
    raise BadInput("what", what, said("wants.sheet_checked_dropped_given_or"))


def _checked(row: Row, tool: Tool, when: Any) -> Checked:
    check = CHECKS.get((row.get("check") or "").strip())
    if check is None or tool.kind not in check.kinds:
        raise BadInput("check", row.get("check"), said("wants.self_check", name=tool.name))
    text = (row.get("readings") or "").strip()
    if text:
        try:
            pairs = [part.split("=") for part in text.split(";")]
            readings = {field: [float(v) for v in values.split()] for field, values in pairs}
        except ValueError as error:
            raise BadInput("readings", text[:60], said("wants.such_height_3000_bottom_0")) from error
        typed = {field: [f"{v:.10g}" for v in values] for field, values in readings.items()}
        return Checked(check=check.id, typed=typed, readings=readings, found=judged(check, tool, readings), **when)
    value, u, limit = _number(row, "value"), _number(row, "u", 1e-9), check.limit_of(tool)
    given = VerdictInput(value=value, u=u, lower=-limit, upper=limit, rule="guarded")
    found = Found(
        check=check.id,
        value=value,
        u=u,
        unit=tool.unit if check.unit == "own" else check.unit,
        limit=limit,
        state=verdict(given).state,
        bias=value if check.applies == "constant" else None,
        tilt=value / TEN_METRES if check.applies == "angle" else None,
    )
    return Checked(check=check.id, typed={}, readings={}, found=found, **when)
