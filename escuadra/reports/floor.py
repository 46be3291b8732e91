"""The floor map as a document: the drawing with its styles inside, and a PDF with the survey's figures."""

from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from escuadra.core.floor import FloorResult
from escuadra.core.ground import Ground
from escuadra.core.survey import Survey
from escuadra.core.wording import amount
from escuadra.reports.record import ROOT, styled


def floor_pdf(survey: Survey, flat: FloorResult, ground: Ground, drawings: list[str], garage: str) -> bytes:
    """The PDF of a survey: map, section, and every point with its reading and residual."""
    from weasyprint import HTML

    environment = Environment(
        loader=FileSystemLoader(ROOT / "reports" / "templates"),
        autoescape=select_autoescape(),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    rows = [
        (p.id, p.x, p.y, p.surface, float(z), flat.residuals.get(p.id))
        for p, z in zip(ground.levelled.points, ground.z, strict=True)
    ]
    text = environment.get_template("floor.html").render(
        survey=survey,
        flat=flat,
        rows=rows,
        drawings=[styled(drawing) for drawing in drawings if drawing],
        garage=garage,
        amount=amount,
    )
    pdf: bytes = HTML(string=text, base_url=str(ROOT)).write_pdf(pdf_variant="pdf/ua-1")
    return pdf
