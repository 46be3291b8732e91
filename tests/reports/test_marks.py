"""The floor-mark sheet: the same marks as CSV, DXF and PDF, with distances that agree with each other."""

import csv
import io
import math

import ezdxf
import pytest
from ezdxf.filemanagement import read
from pypdf import PdfReader

from escuadra.core.base.errors import BadInput
from escuadra.rehearsal.technician import Technician
from escuadra.reports.marks import as_csv, as_dxf, as_pdf, diagonals, rows_of
from tests.english import refused, told
from tests.web.conftest import Visitor


@pytest.fixture
def lined(teo: Technician) -> Technician:
    teo.line(("0.12", "0.06"))
    return teo


def test_every_figure_of_a_mark_agrees_with_its_place(lined: Technician) -> None:
    epochs = lined.opened.sheet.epochs
    rows = rows_of(epochs)
    read = list(csv.DictReader(io.StringIO(as_csv(epochs))))
    assert len(read) == len(rows) + len(diagonals(rows)) == 4 + 6
    for row, line in zip(rows, read, strict=False):
        x, y = float(line["x"]), float(line["y"])
        assert (x, y) == pytest.approx((row.mark.x, row.mark.y), abs=0.06)
        hub = lined.opened.sheet.plan.vehicle.hub("LF")
        assert float(line["from_LF_hub"]) == pytest.approx(math.dist(hub, (x, y)), abs=0.3)
        name, distance = line["first_tape"].rsplit(" ", 1)
        assert float(distance) == pytest.approx(float(line[f"from_{name[:2]}_hub"]), abs=0.11)
    middle = next(r for r in rows if told(r.mark.words) == "the target: middle")
    assert middle.left_of_line == pytest.approx(0, abs=0.01)
    ends = [r for r in rows if "end of the beam" in told(r.mark.words)]
    assert [round(r.left_of_line) for r in ends] == [1113, -1113]
    assert read[-1]["what"] == "diagonal"
    assert all(r.floor is None for r in rows), "this bay was not surveyed"


def test_the_dxf_holds_marks_hubs_and_the_line_in_millimetres(lined: Technician) -> None:
    epochs = lined.opened.sheet.epochs
    drawing = read(io.StringIO(as_dxf(epochs)))
    assert drawing.units == ezdxf.units.MM
    space = drawing.modelspace()
    hubs = [tuple(c.dxf.center)[:2] for c in space.query('CIRCLE[layer=="VEHICLE"]')]
    assert len(hubs) == 4
    assert max(hubs)[0] == pytest.approx(3642, abs=0.1)
    (line,) = space.query('LINE[layer=="LINE"]')
    middle = next(r.mark for r in rows_of(epochs) if told(r.mark.words) == "the target: middle")
    slope = (line.dxf.end.y - line.dxf.start.y) / (line.dxf.end.x - line.dxf.start.x)
    assert line.dxf.start.y + slope * middle.x == pytest.approx(middle.y, abs=0.05)
    assert len(space.query('TEXT[layer=="MARKS"]')) == 4
    drawn = [math.dist(tuple(one.dxf.start)[:2], tuple(one.dxf.end)[:2]) for one in space.query('LINE[layer=="TAPES"]')]
    assert drawn == pytest.approx([tape for row in rows_of(epochs) for tape in row.mark.found.distances], abs=0.3)


def test_the_pdf_names_every_mark_with_its_tapes(lined: Technician) -> None:
    pdf = PdfReader(io.BytesIO(as_pdf(lined.opened, "Valdehierro")))
    words = " ".join("".join(page.extract_text() for page in pdf.pages).split())
    for row in rows_of(lined.opened.sheet.epochs):
        assert told(row.mark.words) in words
    for wanted in (
        "Floor marks, T-1",
        "made-up figures: practice only",
        "thrust line",
        "not surveyed",
        "Diagonals: 1 to 2",
    ):
        assert wanted in words


def test_without_a_line_there_are_no_marks(teo: Technician) -> None:
    with refused(BadInput, match="a line that was found first"):
        rows_of(teo.opened.sheet.epochs)
    visitor = Visitor(teo.garage)
    assert visitor.client.get(f"/jobs/{teo.job}/lines/marks.csv").status_code == 422
    teo.line()
    for ending, media in (("csv", "text/csv"), ("dxf", "image/vnd.dxf"), ("pdf", "application/pdf")):
        answer = visitor.client.get(f"/jobs/{teo.job}/lines/marks.{ending}")
        assert answer.status_code == 200
        assert answer.headers["content-type"].startswith(media)
        assert f'filename="marks-T-1.{ending}"' in answer.headers["content-disposition"]
    assert visitor.client.get(f"/jobs/{teo.job}/lines/marks.doc").status_code == 422
