"""A further kind of check is one class: read, judged, put right, advised on, signed and recorded as any other."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from escuadra.catalogue.library import PRACTICE
from escuadra.commands.command import COMMANDS
from escuadra.commands.people import AddPerson
from escuadra.commands.signing import Sign
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.stream import ITSELF
from escuadra.core.procedure.sheet import CheckSpec
from escuadra.rehearsal.technician import Technician
from escuadra.reports.record import Record, render_record
from escuadra.words import say
from tests.conftest import contributed, finished, on_own_sheet
from tests.english import refused


@pytest.fixture
def ballasted(tmp_path: Path) -> Iterator[Technician]:
    """A set-up on a sheet that asks for the kind of check that CONTRIBUTING.md makes."""
    contributed("a kind of check")
    text = (PRACTICE / "procedures" / "bl-cam-01.yaml").read_text(encoding="utf-8").replace("id: BL-CAM-01", "id: FB-1")
    limits = "{nominal: 20, minus: 2, plus: 2}"
    added = f"  - {{id: ballast, kind: foot_ballast, group: ready, title: Ballast, limits: {limits}}}\n"
    with on_own_sheet(tmp_path, text.replace("checks:\n", f"checks:\n{added}"), "windscreen replaced") as who:
        yield who
    del CheckSpec.registered["foot_ballast"]
    COMMANDS.pop("LoadFoot", None)


def test_a_kind_of_check_is_made_in_one_place(ballasted: Technician) -> None:
    assert say(ballasted.opened.sheet.next.sentence) == "Read: Ballast on the foot."
    ballasted.read("foot.ballast", "12", "scales-1")
    sheet = ballasted.opened.sheet
    assert sheet.check("ballast").state == "out"  # type: ignore[union-attr]
    assert say(sheet.next.sentence) == "Put 8 kg more on the foot."
    load = contributed("a command")["LoadFoot"]
    ballasted.garage.do(AddPerson("iria", "Iria Vela", "trainee"), ITSELF, ballasted.id())
    before = ballasted.opened.row.count
    for kg, person, kind, why in (
        (8, "iria", Conflict, "works here as trainee"),
        (800, "teo", BadInput, "at most 90 kg"),
    ):
        with refused(kind, match=why):
            ballasted.garage.do(load(ballasted.job, kg=kg), person, ballasted.id())  # type: ignore[operator]
    assert ballasted.opened.row.count == before
    ballasted.garage.do(load(ballasted.job, kg=8), "teo", ballasted.id())  # type: ignore[operator]
    assert ballasted.opened.state.disturbances[-1].what == "bump"
    ballasted.read("foot.ballast", "20", "scales-1", replaces=True)
    finished(ballasted)
    ballasted.finish()
    assert ballasted.opened.sheet.can_sign, say(ballasted.opened.sheet.next.sentence)
    ballasted.garage.do(
        Sign(ballasted.job, ballasted.opened.row.head, render_record(ballasted.garage)), "teo", ballasted.id()
    )
    stored = ballasted.opened.state.records[-1].said.record_json
    record = Record.model_validate_json(ballasted.garage.files.get(stored))
    kept = next(check for check in record.checks if check.id == "ballast")
    assert [(one.typed, one.stayed) for one in kept.readings] == [("12", "replaced"), ("20", "yes")]
