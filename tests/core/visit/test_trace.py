"""The trace of a derivation is what happened: cold, in order, and the sheet is none the worse for it."""

import sys

from typer.testing import CliRunner

from escuadra.cli import app
from escuadra.commands.trace import traced
from escuadra.rehearsal.technician import Technician


def test_a_trace_names_who_asked_whom_in_order(full: Technician) -> None:
    opened = full.opened
    watched = traced(opened, full.clock())
    assert sys.getprofile() is None
    first, asked = watched.asked[0], {(one.by, one.module, one.function): one for one in watched.asked}
    assert (first.module, first.function, first.gave, first.depth) == ("visit.sheet", "derive", "Sheet", 0)
    assert ("visit.sheet", "visit.checks.frame", "PoseCheck.judge") in asked
    assert asked["visit.sheet", "visit.advice.what_next", "next_move"].took == ("Sheet",)
    assert asked["visit.sheet", "visit.advice.what_next", "next_move"].gave == "NextMove"
    order = watched.modules
    assert order.index("visit.epochs") < order.index("visit.solution.solution") < order.index("visit.advice.what_next")
    assert watched.calls > sum(one.times for one in watched.asked) > 100
    assert all(one.by != one.module and one.gave for one in watched.asked)
    shown = CliRunner().invoke(app, ["trace", opened.row.number, "--data", str(full.garage.data)])
    assert shown.exit_code == 0, shown.output
    assert "visit.advice.what_next: next_move(Sheet) -> NextMove" in shown.output
    assert f"{len(order)} modules, " in shown.output
