"""A table of figures becomes drafts: its columns are mapped, its rows looked at, then all of them are begun."""

from collections.abc import Mapping
from typing import Annotated

from fastapi import Depends, Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.catalogue.spreadsheet import Table, read_table
from escuadra.commands.desk import as_typed, laid_out
from escuadra.commands.tables import Row, TakeTable, kept_columns, rows_of, ways_of
from escuadra.core.authoring.life import Draft
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Said
from escuadra.core.procedure.entries import KINDS
from escuadra.web import forms
from escuadra.web.pages import Upload, garage_of, person_of, render, status_of, told, upload_of
from escuadra.web.screens import screen
from escuadra.web.screens.writing.layout import named

router = screen("writing_table", "/write-table", within="catalogue")
COLUMN = "column."


def page(
    request: Request,
    typed: Mapping[str, str],
    table: Table | None = None,
    rows: list[Row] | None = None,
    status: int = 200,
    error: Said | None = None,
) -> Response:
    """What a table's columns are, and what its rows would come to."""
    garage = garage_of(request)
    kind, like = typed.get("kind", ""), typed.get("like", "")
    columns: dict[str, str] = {}
    ways: list[tuple[str, str]] = []
    if table is not None:
        kept = kept_columns(garage, kind)
        columns = {name: typed.get(f"{COLUMN}{k}", kept.get(name, "")) for k, name in enumerate(table.columns)}
        desk = laid_out(garage, Draft(kind=kind, id=like, like=like, family=True))
        ways = [(way, named(desk, way)) for way in ways_of(garage, kind, like)]
    return render(
        request,
        "write_table.html",
        status=status,
        typed=typed,
        kinds=list(KINDS),
        table=table,
        columns=columns,
        ways=ways,
        rows=rows,
        error=error,
    )


@router.get("")
def ask(request: Request) -> Response:
    """Which table, of what kind of entry, like which."""
    return page(request, {})


@router.post("")
def given(request: Request, upload: Upload = Depends(upload_of)) -> Response:
    """A table was given: its columns are asked, as they were mapped the last time."""
    garage, typed = garage_of(request), upload.fields
    try:
        as_typed(garage, typed.get("kind", ""), typed.get("like", "").strip())
        table = read_table(upload.name, upload.content)
    except (BadInput, Conflict) as error:
        return page(request, typed, status=status_of(error), error=told(error))
    file = garage.files.put(upload.content)
    return page(request, {**typed, "like": typed["like"].strip(), "file": file, "name": upload.name}, table)


@router.post("/rows")
def mapped(request: Request, form: Annotated[forms.TableColumns, Form()]) -> Response:
    """The rows as they would come in; with ``take`` they do: all of them or none."""
    garage, typed, table = garage_of(request), form.sent(), None
    try:
        table = read_table(form.name, garage.files.get(form.file))
        columns = {name: typed.get(f"{COLUMN}{k}", "") for k, name in enumerate(table.columns)}
        rows = rows_of(garage, form.kind, form.like, table, columns)
        if form.take == "yes":
            garage.do(TakeTable(form.kind, form.like, form.name, table, columns), person_of(request), form.entry)
            return RedirectResponse("/write", 303)
    except (BadInput, Conflict) as error:
        return page(request, typed, table, status=status_of(error), error=told(error))
    return page(request, typed, table, rows)
