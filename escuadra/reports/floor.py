"""The floor map as a document: the drawing with its styles inside, and a PDF with the survey's figures."""

from escuadra.core.base.wording import amount
from escuadra.core.bay.floor import FloorResult
from escuadra.core.bay.ground import Ground
from escuadra.core.bay.survey import Survey
from escuadra.reports.paper import printed, styled


def floor_pdf(survey: Survey, flat: FloorResult, ground: Ground, drawings: list[str], garage: str) -> bytes:
    """The PDF of a survey: map, section, and every point with its reading and residual."""
    rows = [
        (p.id, p.x, p.y, p.surface, float(z), flat.residuals.get(p.id))
        for p, z in zip(ground.levelled.points, ground.z, strict=True)
    ]
    return printed(
        "floor.html",
        survey=survey,
        flat=flat,
        rows=rows,
        drawings=[styled(drawing) for drawing in drawings if drawing],
        garage=garage,
        amount=amount,
    )
